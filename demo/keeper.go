package demo

import (
	"math"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// Keeper returns the octopus who keeps the lamp, about 2.9 high, sitting on the XZ plane
// with its face towards +Z: eight arms, two eyes, a collar and a knitted cap.
func Keeper() *mesh.Mesh {
	m := &mesh.Mesh{}
	head := curve(72, vec.V{0, 0.42, 0}, vec.V{0.46, 0.5, 0}, vec.V{0.5, 0.78, 0}, vec.V{0.62, 1.12, 0}, vec.V{0.84, 1.55, 0}, vec.V{0.8, 2.02, 0}, vec.V{0.5, 2.36, 0}, vec.V{0, 2.46, 0})
	add(m, "skin", "#B4553F", mesh.Lathe("", head, 144))
	for k := range 8 {
		arm := armPath(k)
		thick := func(t float64) (float64, float64) {
			r := 0.25*math.Pow(1-t, 0.75) + 0.035
			return r, r * 0.86
		}
		add(m, "skin", "#B4553F", mesh.Sweep("", arm, ring(thick), vec.V{0, 1, 0}, 72, 36, true))
	}
	for _, side := range []float32{-1, 1} {
		eye := vec.V{side * 0.36, 1.32, 0.58}
		add(m, "lids", "#8E3F34", placedBall(eye.Add(vec.V{0, 0.03, -0.05}), vec.V{0.25, 0.25, 0.2}))
		add(m, "eyes", "#F1E7C6", placedBall(eye.Add(vec.V{0, 0, 0.05}), vec.V{0.19, 0.18, 0.14}))
		add(m, "pupils", "#22202A", placedBall(eye.Add(vec.V{-side * 0.02, 0, 0.155}), vec.V{0.115, 0.05, 0.05}))
	}
	collar := curve(40, vec.V{0.47, 0.88, 0}, vec.V{0.6, 0.92, 0}, vec.V{0.72, 0.82, 0}, vec.V{0.86, 0.6, 0}, vec.V{1.0, 0.5, 0}, vec.V{0.98, 0.45, 0}, vec.V{0.8, 0.5, 0}, vec.V{0.5, 0.62, 0})
	add(m, "coat", "#D9A833", mesh.Lathe("", turnedRound(collar), 144))
	for k := range 2 {
		s, c := math.Sincos(0.16 * float64(2*k-1))
		add(m, "buttons", "#3B3A44", placedBall(vec.V{float32(0.9 * s), 0.68, float32(0.87 * c)}, vec.V{0.06, 0.06, 0.04}))
	}
	cap := curve(40, vec.V{0.83, 1.86, 0}, vec.V{0.85, 2.05, 0}, vec.V{0.74, 2.34, 0}, vec.V{0.48, 2.56, 0}, vec.V{0.2, 2.64, 0}, vec.V{0, 2.65, 0})
	add(m, "cap", "#2F5D6E", mesh.Lathe("", cap, 144))
	brim := &mesh.Mesh{}
	brim.Join(mesh.Torus(0.82, 0.1, 144, 28), vec.Place(vec.V{0, 1.88, 0}, vec.V{}, 1))
	add(m, "brim", "#E7DEC8", brim)
	add(m, "bobble", "#E7DEC8", placedBall(vec.V{0, 2.72, 0}, vec.V{0.17, 0.17, 0.17}))
	paint(m)
	return m
}

// paint paints each part in its own colour.
func paint(m *mesh.Mesh) {
	m.Paint, m.PaintEncoded = make([][4]float32, len(m.Positions)), true
	for f, part := range m.FacePart {
		e := m.Parts[part].Color.Encoded()
		for _, c := range m.Face(f) {
			m.Paint[c.Pos] = [4]float32{e[0], e[1], e[2], 1}
		}
	}
}

// turnedRound returns a profile from its other end.
func turnedRound(profile []vec.V) []vec.V {
	out := make([]vec.V, len(profile))
	for i, p := range profile {
		out[len(out)-1-i] = p
	}
	return out
}

// placedBall is a ball, stretched along the axes, at a place.
func placedBall(at, radii vec.V) *mesh.Mesh {
	m := mesh.Sphere(1, 48, 24)
	for i, p := range m.Positions {
		m.Positions[i] = vec.V{at[0] + p[0]*radii[0], at[1] + p[1]*radii[1], at[2] + p[2]*radii[2]}
	}
	m.Normals = nil
	for i := range m.Corners {
		m.Corners[i].Normal = -1
	}
	return m
}

// Jetty returns where the keeper sits: planks and posts of driftwood. The upper sides of the planks lie at height 0.
func Jetty() *mesh.Mesh {
	m := &mesh.Mesh{}
	for k := range 7 {
		plank := &mesh.Mesh{}
		plank.Join(mesh.Cuboid(vec.V{0.82, 0.16, 6.4}), vec.Place(vec.V{float32(k-3) * 0.88, -0.08, float32(k%3)*0.12 - 0.1}, vec.V{}, 1))
		add(m, "plank "+[]string{"one", "two", "three", "four", "five", "six", "seven"}[k], "#A08E74", plank)
	}
	for k, at := range []vec.V{{-2.7, 0, -1.5}, {2.75, 0, -1.2}, {2.2, 0, -2.6}} {
		high := []float64{2.7, 1.9, 2.4}[k]
		path := func(t float64) vec.V {
			return at.Add(vec.V{float32(0.06 * math.Sin(3*t+float64(k))), float32(-0.3 + (high+0.3)*t), float32(0.05 * math.Cos(4*t+2*float64(k)))})
		}
		thick := func(u, t float64) (x, y float64) {
			s, c := math.Sincos(2 * math.Pi * u)
			r := 0.3 + 0.02*math.Sin(6*math.Pi*u+5*t+float64(k)) + 0.012*math.Sin(14*math.Pi*u-3*t) - 0.05*t
			if t > 0.97 {
				r -= (t - 0.97) * 2
			}
			return r * c, r * s
		}
		add(m, "post "+[]string{"one", "two", "three"}[k], "#B4A58B", mesh.Sweep("", path, thick, vec.V{0, 0, 1}, 80, 72, true))
	}
	return m
}

// Dial is a round board to paint on, of radius 0.86, flat on the XZ plane.
func Dial() *mesh.Mesh {
	m := &mesh.Mesh{}
	add(m, "dial", "#D8C9A2", mesh.Lathe("", []vec.V{{0, -0.045, 0}, {0.84, -0.045, 0}, {0.86, -0.025, 0}, {0.86, 0.025, 0}, {0.84, 0.045, 0}, {0, 0.045, 0}}, 144))
	return m
}

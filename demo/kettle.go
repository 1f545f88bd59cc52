// Package demo makes the sample project, Saltlight, out of nothing: the keeper's kettle on its stove plate.
package demo

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// curve returns n+1 points along a smooth line through the given places
// (Catmull and Rom 1974).
func curve(n int, through ...vec.V) []vec.V {
	at := func(i int) vec.V { return through[max(0, min(len(through)-1, i))] }
	out := make([]vec.V, n+1)
	for k := range out {
		t := float64(k) / float64(n) * float64(len(through)-1)
		i := min(int(t), len(through)-2)
		u := float32(t - float64(i))
		a, b, c, d := at(i-1), at(i), at(i+1), at(i+2)
		for x := range out[k] {
			out[k][x] = 0.5 * (2*b[x] + u*(c[x]-a[x]+u*(2*a[x]-5*b[x]+4*c[x]-d[x]+u*(3*(b[x]-c[x])+d[x]-a[x]))))
		}
	}
	return out
}

// along makes a path of the points.
func along(points []vec.V) func(t float64) vec.V {
	return func(t float64) vec.V {
		x := t * float64(len(points)-1)
		i := min(int(x), len(points)-2)
		return points[i].Mix(points[i+1], float32(x-float64(i)))
	}
}

// ring is a round section whose radii are given along the way.
func ring(radius func(t float64) (x, y float64)) func(u, t float64) (float64, float64) {
	return func(u, t float64) (float64, float64) {
		s, c := math.Sincos(2 * math.Pi * u)
		x, y := radius(t)
		return x * c, y * s
	}
}

func add(m *mesh.Mesh, name, hex string, part *mesh.Mesh) {
	part.Parts[0] = mesh.Part{Name: name, Color: color.MustHex(hex)}
	m.Join(part, vec.Identity())
}

// Kettle returns the keeper's kettle, standing on the XZ plane, about 3 wide.
func Kettle() *mesh.Mesh {
	m := &mesh.Mesh{}
	body := []vec.V{{0, 0, 0}, {0.70, 0, 0}}
	body = append(body, curve(72, vec.V{0.70, 0, 0}, vec.V{0.97, 0.2, 0}, vec.V{1.08, 0.52, 0}, vec.V{0.98, 0.88, 0}, vec.V{0.66, 1.14, 0})[1:]...)
	body = append(body, vec.V{0.62, 1.16, 0}, vec.V{0, 1.16, 0})
	add(m, "body", "#D4843F", mesh.Lathe("", body, 192))

	lid := []vec.V{{0, 1.12, 0}, {0.69, 1.12, 0}}
	lid = append(lid, curve(8, vec.V{0.69, 1.12, 0}, vec.V{0.72, 1.16, 0}, vec.V{0.69, 1.2, 0})[1:]...)
	lid = append(lid, vec.V{0.6, 1.21, 0})
	lid = append(lid, curve(28, vec.V{0.6, 1.21, 0}, vec.V{0.5, 1.33, 0}, vec.V{0.3, 1.42, 0}, vec.V{0.1, 1.455, 0})[1:]...)
	lid = append(lid, vec.V{0, 1.455, 0})
	add(m, "lid", "#D4843F", mesh.Lathe("", lid, 160))

	knob := append([]vec.V{{0, 1.44, 0}, {0.07, 1.44, 0}},
		curve(32, vec.V{0.07, 1.44, 0}, vec.V{0.075, 1.5, 0}, vec.V{0.15, 1.58, 0}, vec.V{0.14, 1.68, 0}, vec.V{0.07, 1.745, 0}, vec.V{0, 1.76, 0})[1:]...)
	add(m, "knob", "#D4843F", mesh.Lathe("", knob, 96))

	spout := along(curve(64, vec.V{0.72, 0.42, 0}, vec.V{1.05, 0.58, 0}, vec.V{1.32, 0.92, 0}, vec.V{1.62, 1.2, 0}))
	add(m, "spout", "#D4843F", mesh.Sweep("", spout, ring(func(t float64) (float64, float64) {
		r := 0.3 - 0.2*t + 0.05*t*t*t
		return r, r
	}), vec.V{0, 0, 1}, 72, 72, true))

	arc := func(from, to float64) func(t float64) vec.V {
		return func(t float64) vec.V {
			a := (from + (to-from)*t) * math.Pi / 180
			return vec.V{float32(-0.86 * math.Cos(a)), float32(1.02 + 1.16*math.Sin(a)), 0}
		}
	}
	add(m, "handle", "#465665", mesh.Sweep("", arc(0, 180), ring(func(float64) (float64, float64) { return 0.055, 0.055 }), vec.V{0, 0, 1}, 128, 32, true))
	add(m, "grip", "#8A5A30", mesh.Sweep("", arc(58, 122), ring(func(t float64) (float64, float64) {
		r := 0.105 + 0.025*math.Sin(math.Pi*t)
		return r, r
	}), vec.V{0, 0, 1}, 72, 40, true))
	return m
}

// StovePlate returns the plate that the kettle stands on; its top lies in the
// XZ plane.
func StovePlate() *mesh.Mesh {
	m := &mesh.Mesh{}
	profile := []vec.V{{0, -0.4, 0}, {1.86, -0.4, 0}, {1.9, -0.36, 0}, {1.9, -0.02, 0}, {1.87, 0.01, 0}, {1.6, 0.01, 0}, {1.57, -0.04, 0},
		{1.53, -0.04, 0}, {1.5, 0, 0}, {0, 0, 0}}
	add(m, "plate", "#465665", mesh.Lathe("", profile, 192))
	return m
}

package demo

import (
	"math"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// KeepersLamp returns the lamp with faceted glass, about 3 high, standing on the
// XZ plane.
func KeepersLamp() *mesh.Mesh {
	m := &mesh.Mesh{}
	base := []vec.V{{0, 0, 0}, {0.92, 0, 0}}
	base = append(base, curve(8, vec.V{0.92, 0, 0}, vec.V{0.98, 0.06, 0}, vec.V{0.92, 0.13, 0})[1:]...)
	base = append(base, vec.V{0.78, 0.15, 0})
	base = append(base, curve(24, vec.V{0.78, 0.15, 0}, vec.V{0.5, 0.26, 0}, vec.V{0.42, 0.4, 0}, vec.V{0.6, 0.52, 0}, vec.V{0.8, 0.56, 0})[1:]...)
	base = append(base, vec.V{0.82, 0.6, 0}, vec.V{0.8, 0.65, 0}, vec.V{0, 0.65, 0})
	add(m, "brass", "#C08A3C", mesh.Lathe("", base, 160))

	add(m, "glass", "#9FD6CF", facets([][2]float64{{0.46, 0.66}, {0.8, 0.92}, {0.93, 1.24}, {0.84, 1.58}, {0.56, 1.86}, {0.42, 1.94}}, 12))

	top := []vec.V{{0.5, 1.93, 0}, {0.66, 1.93, 0}, {0.7, 1.97, 0}, {0.66, 2.02, 0}}
	top = append(top, curve(24, vec.V{0.66, 2.02, 0}, vec.V{0.46, 2.16, 0}, vec.V{0.2, 2.34, 0}, vec.V{0.13, 2.46, 0})[1:]...)
	top = append(top, curve(12, vec.V{0.13, 2.46, 0}, vec.V{0.19, 2.53, 0}, vec.V{0.14, 2.62, 0}, vec.V{0, 2.66, 0})[1:]...)
	add(m, "brass", "#C08A3C", mesh.Lathe("", top, 128))
	for k := range 3 { // bars that hold the roof
		s, c := math.Sincos((float64(k) + 0.5) * 2 * math.Pi / 3)
		path := along(curve(32, vec.V{0.76, 0.62, 0}, vec.V{1.06, 0.95, 0}, vec.V{1.08, 1.5, 0}, vec.V{0.68, 1.97, 0}))
		turned := func(t float64) vec.V {
			p := path(t)
			return vec.V{float32(float64(p[0]) * s), p[1], float32(float64(p[0]) * c)}
		}
		add(m, "brass", "#C08A3C", mesh.Sweep("", turned, ring(func(float64) (float64, float64) { return 0.035, 0.035 }), vec.V{float32(c), 0, float32(-s)}, 40, 20, true))
	}
	hang := &mesh.Mesh{}
	hang.Join(mesh.Torus(0.2, 0.035, 96, 24), vec.Place(vec.V{0, 2.84, 0}, vec.V{90, 25, 0}, 1))
	add(m, "ring", "#3E4650", hang)
	return m
}

// facets returns a body of flat triangles between rings of n corners, each ring
// turned by half a corner against the one below.
func facets(rings [][2]float64, n int) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.AddPart("", [3]float32{0.5, 0.5, 0.5})
	for j, r := range rings {
		for k := range n {
			s, c := math.Sincos((float64(k) + float64(j%2)/2) * 2 * math.Pi / float64(n))
			m.Positions = append(m.Positions, vec.V{float32(r[0] * s), float32(r[1]), float32(r[0] * c)})
		}
	}
	face := func(v ...int) {
		var corners []mesh.Corner
		for _, i := range v {
			corners = append(corners, mesh.Corner{Pos: int32(i), UV: -1, Normal: -1})
		}
		m.AddFace(0, corners...)
	}
	for j := range len(rings) - 1 {
		for k := range n {
			a, b := j*n+k, j*n+(k+1)%n
			if j%2 == 0 {
				c, d := (j+1)*n+k, (j+1)*n+(k+n-1)%n
				face(a, b, c)
				face(a, c, d)
			} else {
				c, d := (j+1)*n+k, (j+1)*n+(k+1)%n
				face(a, b, d)
				face(a, d, c)
			}
		}
	}
	return m
}

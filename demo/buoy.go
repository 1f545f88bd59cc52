package demo

import (
	"math"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// BellBuoy returns the buoy that marks the harbour's mouth, about 4 high, afloat
// at height 0: a drum, a cage with a bell, and a lantern on top.
func BellBuoy() *mesh.Mesh {
	m := &mesh.Mesh{}
	hull := []vec.V{{0, -0.95, 0}, {0.7, -0.95, 0}}
	hull = append(hull, curve(24, vec.V{0.7, -0.95, 0}, vec.V{1.02, -0.7, 0}, vec.V{1.2, -0.3, 0}, vec.V{1.24, 0.12, 0})[1:]...)
	hull = append(hull, curve(8, vec.V{1.24, 0.12, 0}, vec.V{1.3, 0.18, 0}, vec.V{1.3, 0.3, 0}, vec.V{1.24, 0.36, 0})[1:]...)
	hull = append(hull, curve(16, vec.V{1.24, 0.36, 0}, vec.V{1.1, 0.46, 0}, vec.V{0.86, 0.56, 0})[1:]...)
	hull = append(hull, vec.V{0, 0.6, 0})
	add(m, "hull", "#B5352A", mesh.Lathe("", hull, 192))
	band := append([]vec.V{{1.215, -0.16, 0}}, curve(6, vec.V{1.215, -0.16, 0}, vec.V{1.262, -0.1, 0}, vec.V{1.27, 0.02, 0}, vec.V{1.245, 0.06, 0})[1:]...)
	add(m, "band", "#E9E3D2", mesh.Lathe("", band, 192))

	// Four legs lean inward, and two rings hold them.
	leg := func(k int) func(t float64) vec.V {
		s, c := math.Sincos((float64(k) + 0.5) * math.Pi / 2)
		return func(t float64) vec.V {
			r := 0.78 - 0.36*t
			return vec.V{float32(r * s), float32(0.5 + 2.05*t), float32(r * c)}
		}
	}
	round := func(r float64) func(u, t float64) (float64, float64) {
		return ring(func(float64) (float64, float64) { return r, r })
	}
	for k := range 4 {
		add(m, "cage", "#3E4650", mesh.Sweep("", leg(k), round(0.05), vec.V{0.3, 0, 1}, 24, 24, true))
	}
	hoop := func(r, tube, y float64) *mesh.Mesh {
		out := &mesh.Mesh{}
		out.Join(mesh.Torus(r, tube, 128, 24), vec.Place(vec.V{0, float32(y), 0}, vec.V{}, 1))
		return out
	}
	add(m, "cage", "#3E4650", hoop(0.645, 0.035, 1.27))
	add(m, "cage", "#3E4650", hoop(0.45, 0.045, 2.42))
	bar := func(t float64) vec.V { return vec.V{float32(-0.44 + 0.88*t), 2.3, 0} }
	add(m, "cage", "#3E4650", mesh.Sweep("", bar, round(0.035), vec.V{0, 1, 0}, 8, 20, true))

	bell := []vec.V{{0, 1.27, 0}, {0.3, 1.24, 0}, {0.4, 1.2, 0}}
	bell = append(bell, curve(40, vec.V{0.4, 1.2, 0}, vec.V{0.41, 1.26, 0}, vec.V{0.32, 1.44, 0}, vec.V{0.26, 1.74, 0}, vec.V{0.22, 1.98, 0}, vec.V{0.1, 2.11, 0})[1:]...)
	bell = append(bell, vec.V{0.06, 2.14, 0}, vec.V{0.06, 2.27, 0}, vec.V{0, 2.27, 0})
	add(m, "bell", "#C08A3C", mesh.Lathe("", bell, 160))
	clapper := append([]vec.V{{0, 1.02, 0}}, curve(20, vec.V{0, 1.02, 0}, vec.V{0.1, 1.05, 0}, vec.V{0.11, 1.14, 0}, vec.V{0.03, 1.22, 0}, vec.V{0.025, 1.3, 0})[1:]...)
	add(m, "clapper", "#3E4650", mesh.Lathe("", clapper, 64))

	deck := []vec.V{{0, 2.5, 0}, {0.5, 2.5, 0}, {0.54, 2.54, 0}, {0.5, 2.6, 0}, {0.28, 2.62, 0}, {0, 2.62, 0}}
	add(m, "cage", "#3E4650", mesh.Lathe("", deck, 128))
	glass := append([]vec.V{{0.2, 2.62, 0}}, curve(12, vec.V{0.2, 2.62, 0}, vec.V{0.24, 2.74, 0}, vec.V{0.24, 2.9, 0}, vec.V{0.2, 3.02, 0})[1:]...)
	add(m, "lantern", "#F6C667", mesh.Lathe("", glass, 96))
	roof := []vec.V{{0.2, 3.0, 0}, {0.33, 3.0, 0}, {0.34, 3.03, 0}}
	roof = append(roof, curve(16, vec.V{0.34, 3.03, 0}, vec.V{0.22, 3.14, 0}, vec.V{0.08, 3.22, 0}, vec.V{0.03, 3.36, 0})[1:]...)
	roof = append(roof, vec.V{0, 3.4, 0})
	add(m, "roof", "#B5352A", mesh.Lathe("", roof, 96))
	return m
}

// Swell returns the water about the buoy: a round sheet that rises and falls, its
// ring about the hull a little drawn up.
func Swell() *mesh.Mesh {
	m := &mesh.Mesh{}
	sheet := mesh.Grid("", 192, 96, func(u, v float64) vec.V {
		r := 0.9 + 4.6*v
		s, c := math.Sincos(-2 * math.Pi * u)
		x, z := r*s, r*c
		y := 0.13*math.Sin(1.5*x+0.7*z) + 0.07*math.Sin(2.3*z-1.1*x+1) + 0.03*math.Sin(4.7*x+3.1*z)
		y *= 1 - math.Exp(-1.1*(r-0.9))
		y += 0.06 * math.Exp(-4*(r-1.2)*(r-1.2)) * math.Cos(7*(r-1.2))
		return vec.V{float32(x), float32(y), float32(z)}
	})
	add(m, "water", "#2C5262", sheet)
	return m
}

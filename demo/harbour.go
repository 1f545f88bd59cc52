package demo

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/move"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// block returns a cuboid of a size, standing on a place and turned about the vertical.
func block(w, h, d float32, at vec.V, turn float32) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.Join(mesh.Cuboid(vec.V{w, h, d}), vec.Place(vec.V{at[0], at[1] + h/2, at[2]}, vec.V{0, turn, 0}, 1))
	return m
}

// rod returns a round bar from one place to another.
func rod(from, to vec.V, radius float64) *mesh.Mesh {
	up := vec.V{0, 1, 0}
	if d := to.Sub(from).Unit(); math.Abs(float64(d[1])) > 0.9 {
		up = vec.V{1, 0, 0}
	}
	return mesh.Sweep("", func(t float64) vec.V { return from.Mix(to, float32(t)) }, ring(func(float64) (float64, float64) { return radius, radius }), up, 1, 32, true)
}

// together joins meshes to one part.
func together(all ...*mesh.Mesh) *mesh.Mesh {
	m := &mesh.Mesh{}
	for _, o := range all {
		m.Join(o, vec.Identity())
	}
	for f := range m.FacePart {
		m.FacePart[f] = 0
	}
	m.Parts = m.Parts[:1]
	return m
}

// gable returns a roof: a prism over a rectangle, its ridge along x.
func gable(w, h, d float32, at vec.V) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.AddPart("", color.C{})
	for _, p := range []vec.V{{-w, 0, d}, {w, 0, d}, {w, 0, -d}, {-w, 0, -d}, {-w, 2 * h, 0}, {w, 2 * h, 0}} {
		m.Positions = append(m.Positions, p.Mul(0.5).Add(at))
	}
	for _, face := range [][]int32{{0, 1, 5, 4}, {2, 3, 4, 5}, {1, 2, 5}, {3, 0, 4}, {3, 2, 1, 0}} {
		var corners []mesh.Corner
		for _, p := range face {
			corners = append(corners, mesh.Corner{Pos: p, UV: -1, Normal: -1})
		}
		m.AddFace(0, corners...)
	}
	return m
}

// Harbour returns the quay with the net shed, the crane, bollards and crates, about 12 wide, its top at
// y = 0.
func Harbour() *mesh.Mesh {
	m := &mesh.Mesh{}
	var stones []*mesh.Mesh
	for k := range 8 {
		x := float32(k)*1.5 - 5.25
		stones = append(stones, block(1.47, 0.5, 5, vec.V{x, -0.5, -1}, 0))
		if k < 7 {
			stones = append(stones, block(1.47, 0.62, 5, vec.V{x + 0.75, -1.14, -0.94}, 0))
		}
	}
	add(m, "quay", "#B9B2A3", together(stones...))
	add(m, "shed", "#D8C9A8", block(3.2, 1.7, 2.2, vec.V{-2.6, 0, -1.9}, 0))
	add(m, "roof", "#8A5A48", together(gable(3.6, 1.15, 2.7, vec.V{-2.6, 1.7, -1.9}), block(0.34, 0.9, 0.34, vec.V{-3.4, 2.1, -2.2}, 0)))
	add(m, "door", "#56707A", together(block(0.8, 1.25, 0.08, vec.V{-3.1, 0, -0.79}, 0), block(0.62, 0.55, 0.08, vec.V{-1.9, 0.72, -0.79}, 0), block(0.06, 0.55, 0.1, vec.V{-1.9, 0.72, -0.78}, 0), block(0.62, 0.06, 0.1, vec.V{-1.9, 0.97, -0.78}, 0)))
	add(m, "crane", "#566573", together(rod(vec.V{2.2, 0, -1}, vec.V{2.2, 2.7, -1}, 0.13), rod(vec.V{1.7, 2.1, -1.2}, vec.V{4.4, 3.9, 0.4}, 0.09), rod(vec.V{2.2, 2.7, -1}, vec.V{4.3, 3.8, 0.36}, 0.035),
		rod(vec.V{4.36, 3.85, 0.4}, vec.V{4.36, 1.7, 0.4}, 0.02), block(0.5, 0.34, 0.5, vec.V{1.6, 1.85, -1.25}, 30), block(0.7, 0.16, 0.7, vec.V{2.2, 0, -1}, 0)))
	var bollards []*mesh.Mesh
	for _, x := range []float32{-4.6, -0.6, 3.4} {
		b := &mesh.Mesh{}
		b.Join(mesh.Lathe("", curve(24, vec.V{0, 0, 0}, vec.V{0.2, 0, 0}, vec.V{0.15, 0.1, 0}, vec.V{0.12, 0.3, 0}, vec.V{0.2, 0.42, 0}, vec.V{0.14, 0.5, 0}, vec.V{0, 0.52, 0}), 48), vec.Place(vec.V{x, 0, 1.05}, vec.V{}, 1))
		bollards = append(bollards, b)
	}
	add(m, "bollards", "#3E4650", together(bollards...))
	add(m, "crates", "#C29A5B", together(block(0.7, 0.6, 0.6, vec.V{0.3, 0, -1.6}, 12), block(0.62, 0.5, 0.56, vec.V{0.98, 0, -1.9}, -20), block(0.55, 0.45, 0.5, vec.V{0.55, 0.6, -1.66}, 30)))
	add(m, "rope", "#A58F66", together(coil(vec.V{-1.3, 0.05, 0.5}, 0.34), coil(vec.V{-1.3, 0.14, 0.5}, 0.29)))
	return m
}

func coil(at vec.V, radius float64) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.Join(mesh.Torus(radius, 0.05, 72, 20), vec.Place(at, vec.V{}, 1))
	return m
}

// Lighthouse returns the light on its rock, about 5 high.
func Lighthouse() *mesh.Mesh {
	m := &mesh.Mesh{}
	add(m, "rock", "#8D8A80", mesh.Grid("", 72, 24, func(u, v float64) vec.V {
		a, e := -2*math.Pi*u, math.Pi*(v-0.5)
		rough := min(1, 6*math.Cos(e)) // it is closed at the top and at the bottom
		r := 1.7 + rough*(0.16*math.Sin(5*a+3*e)+0.1*math.Sin(9*a-2*e))
		return vec.V{float32(r * math.Cos(e) * math.Cos(a)), float32(0.5 * r * math.Sin(e)), float32(r * math.Cos(e) * math.Sin(a))}
	}))
	add(m, "tower", "#E8E0D0", mesh.Lathe("", append(curve(32, vec.V{0.78, 0.5, 0}, vec.V{0.6, 1.6, 0}, vec.V{0.5, 3.3, 0}), vec.V{0.5, 3.32, 0}, vec.V{0.74, 3.5, 0}, vec.V{0.74, 3.58, 0}, vec.V{0, 3.58, 0}), 96))
	add(m, "lantern", "#F0D9A0", mesh.Lathe("", []vec.V{{0.36, 3.56, 0}, {0.36, 4.15, 0}, {0, 4.15, 0}}, 12))
	add(m, "cap", "#A8453C", mesh.Lathe("", append([]vec.V{{0, 4.12, 0}, {0.46, 4.12, 0}}, curve(20, vec.V{0.46, 4.14, 0}, vec.V{0.3, 4.36, 0}, vec.V{0.06, 4.5, 0}, vec.V{0.05, 4.72, 0}, vec.V{0, 4.76, 0})...), 64))
	var rail []*mesh.Mesh
	for k := range 12 {
		s, c := math.Sincos(2 * math.Pi * float64(k) / 12)
		at := vec.V{float32(0.68 * c), 3.56, float32(0.68 * s)}
		rail = append(rail, rod(at, at.Add(vec.V{0, 0.34, 0}), 0.018))
	}
	add(m, "rail", "#3E4650", together(append(rail, coilThin(3.9), coilThin(3.74))...))
	add(m, "window", "#56707A", together(block(0.2, 0.34, 0.1, vec.V{0, 1.5, 0.6}, 0), block(0.18, 0.3, 0.1, vec.V{0, 2.5, 0.52}, 0)))
	return m
}

func coilThin(y float32) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.Join(mesh.Torus(0.68, 0.018, 96, 12), vec.Place(vec.V{0, y, 0}, vec.V{}, 1))
	return m
}

// Boat returns a rowing boat with a mast, about 3 long, its keel along X.
func Boat() *mesh.Mesh {
	m := &mesh.Mesh{}
	// half is how wide the boat is at a place along it, keel and rim how deep and high.
	half := func(t float64) float64 { return 0.62 * math.Pow(max(0, math.Sin(math.Pi*(0.13+0.87*t))), 0.7) }
	side := func(shrink float64) func(u, v float64) vec.V {
		return func(u, v float64) vec.V {
			t := u
			w := max(0.015, half(t)-shrink)
			rim := 0.42 + 0.34*math.Pow(2*t-0.9, 2)
			a := math.Pi * v // from one rim under the keel to the other
			deep := 0.42 - shrink
			y := rim - (rim+deep*math.Sin(math.Pi*min(1, 0.1+t)))*math.Pow(math.Sin(a), 0.8)
			return vec.V{float32(3.2*t - 1.6), float32(y), float32(-w * math.Cos(a))}
		}
	}
	stern := block(0.05, 0.66, float32(2*half(0)), vec.V{-1.58, 0.02, 0}, 0)
	add(m, "hull", "#B4543C", together(mesh.Grid("", 60, 40, side(0)), stern))
	var boards []*mesh.Mesh
	for _, x := range []float32{-0.7, 0.1, 0.8} {
		boards = append(boards, block(0.24, 0.05, float32(2*half(float64(x+1.6)/3.2))*0.72, vec.V{x, 0.26, 0}, 0))
	}
	add(m, "thwarts", "#C29A5B", together(boards...))
	add(m, "mast", "#8C6B45", together(rod(vec.V{0.35, -0.2, 0}, vec.V{0.35, 2.5, 0}, 0.045), rod(vec.V{0.35, 0.7, 0}, vec.V{-1.2, 0.85, 0}, 0.03)))
	add(m, "sail", "#EFE6D2", mesh.Grid("", 24, 24, func(u, v float64) vec.V {
		x := 0.3 - 1.4*u*(1-v)
		return vec.V{float32(x), float32(0.85 + 1.5*v + 0.1*u*(1-v)), float32(0.28 * math.Sin(math.Pi*u*(1-v)) * (1 - 0.5*v))}
	}))
	return m
}

// Sea returns a sheet of water that rises and falls, 70 wide.
func Sea() *mesh.Mesh {
	m := &mesh.Mesh{}
	add(m, "water", "#2C5262", mesh.Grid("", 240, 240, func(u, v float64) vec.V {
		x, z := 70*(u-0.5), -70*(v-0.5)
		return vec.V{float32(x), float32(0.1*math.Sin(0.9*x+0.5*z) + 0.07*math.Sin(1.7*z-0.8*x+1) + 0.04*math.Sin(2.7*x+2.1*z)), float32(z)}
	}))
	return m
}

// InPen returns the harbour drawn in pen lines alone.
func InPen() (*project.Project, map[string]exchange.File, error) {
	p, files, err := assemble("Harbour in pen", []string{"pen-drawing", "pen-sea"}, []prop{
		{id: "quay", name: "Quay", mesh: Harbour(), looks: map[string]string{"": "pen-drawing"}},
		{id: "light", name: "Lighthouse", mesh: Lighthouse(), looks: map[string]string{"": "pen-drawing"}, at: vec.V{5.2, -1.2, -6.5}},
		{id: "boat", name: "Boat", mesh: Boat(), looks: map[string]string{"": "pen-drawing"}, at: vec.V{2.6, -1, 3.1}, turn: vec.V{0, 24, 0}},
		{id: "sea", name: "Sea", mesh: Sea(), looks: map[string]string{"": "pen-sea"}, at: vec.V{0, -1.15, -6}},
	}, "#1B2230")
	if err != nil {
		return nil, nil, err
	}
	sun := stage.NewLight("sun", "Sun", light.Sun)
	sun.Azimuth, sun.Elevation = -55, 40
	p.Stage.Lights = []stage.Light{sun}
	p.Stage.Camera = stage.Camera{Azimuth: 24, Elevation: 17, Distance: 21, Angle: 27, Target: vec.V{0.6, 0.75, -0.6}}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#F4EFE2")}
	// A day of light, seen in the forenoon.
	of := func(key string) move.Of { return move.Of{What: "light", ID: "sun", Key: key} }
	p.Moves = []move.Move{
		{ID: "move1", Of: of("azimuth"), From: move.Value{-55 - 144}, To: move.Value{-55 - 144}, Way: move.Round},
		{ID: "move2", Of: of("elevation"), From: move.Value{-14}, To: move.Value{46}},
		{ID: "move3", Of: of("strength"), From: move.Value{0.1}, To: move.Value{1}, Way: move.Drawn,
			Curve: []move.Point{{X: 0, Y: 0}, {X: 0.2, Y: 0.1}, {X: 0.35, Y: 1}, {X: 0.65, Y: 1}, {X: 0.8, Y: 0.1}, {X: 1, Y: 0}}},
	}
	p.Stage.Time = stage.Time{Length: 5, At: 2}
	return p, files, p.Settle()
}

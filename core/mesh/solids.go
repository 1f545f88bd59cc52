package mesh

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/vec"
)

// Solid is a built-in shape: a name and a way to make it. All are about 2 units
// large and stand around the origin.
type Solid struct {
	Key, Name string
	Make      func() *Mesh
}

// Solids lists the built-in shapes.
var Solids = []Solid{
	{"sphere", "Sphere", func() *Mesh { return Sphere(1, 192, 96) }},
	{"cube", "Cube", func() *Mesh { return Cuboid(vec.V{2, 2, 2}) }},
	{"torus", "Torus", func() *Mesh { return Torus(0.75, 0.3, 192, 64) }},
	{"cylinder", "Cylinder", func() *Mesh {
		return Lathe("Cylinder", []vec.V{{0, -1}, {0.8, -1}, {0.8, 1}, {0, 1}}, 192)
	}},
	{"cone", "Cone", func() *Mesh { return Lathe("Cone", []vec.V{{0, -1}, {1, -1}, {0, 1}}, 192) }},
	{"plane", "Plane", func() *Mesh { return Grid("Plane", 16, 16, func(u, v float64) vec.V { return at(2*u-1, 0, 1-2*v) }) }},
	{"capsule", "Capsule", func() *Mesh { return Capsule(0.5, 1, 128, 32) }},
}

// FindSolid returns the solid of that key, nil if there is none.
func FindSolid(key string) *Solid {
	for i := range Solids {
		if Solids[i].Key == key {
			return &Solids[i]
		}
	}
	return nil
}

func at(x, y, z float64) vec.V { return vec.V{float32(x), float32(y), float32(z)} }

// newPart returns a mesh with one grey part.
func newPart(name string) *Mesh {
	m := &Mesh{}
	m.AddPart(name, color.C{0.5, 0.5, 0.5})
	return m
}

// Grid returns the sheet of nu × nv quadrilaterals over f(u, v), u and v in
// [0, 1]. Edges that coincide are joined; rows that shrink to a point become
// triangles. It faces where u × v points.
func Grid(name string, nu, nv int, f func(u, v float64) vec.V) *Mesh {
	m := newPart(name)
	first := map[vec.V]int32{}
	idx := make([]int32, (nu+1)*(nv+1))
	for j := 0; j <= nv; j++ {
		for i := 0; i <= nu; i++ {
			u, v := float64(i)/float64(nu), float64(j)/float64(nv)
			p := f(u, v)
			q := p // joins what differs by rounding alone
			for k := range q {
				q[k] = float32(math.Round(float64(p[k])*1e6)) + 0
			}
			n, ok := first[q]
			if !ok {
				n = int32(len(m.Positions))
				first[q] = n
				m.Positions = append(m.Positions, p)
			}
			idx[j*(nu+1)+i] = n
			m.UVs = append(m.UVs, [2]float32{float32(u), float32(v)})
		}
	}
	for j := range nv {
		for i := range nu {
			var face []Corner
			for _, o := range [4]int{j*(nu+1) + i, j*(nu+1) + i + 1, (j+1)*(nu+1) + i + 1, (j+1)*(nu+1) + i} {
				if len(face) > 0 && (face[len(face)-1].Pos == idx[o] || face[0].Pos == idx[o]) {
					continue
				}
				face = append(face, Corner{idx[o], int32(o), -1})
			}
			if len(face) >= 3 {
				m.AddFace(0, face...)
			}
		}
	}
	return m
}

// Lathe turns a profile about the Y axis: points of radius [0] and height [1],
// from the bottom up for a surface that faces outward.
func Lathe(name string, profile []vec.V, segments int) *Mesh {
	return Grid(name, segments, len(profile)-1, func(u, v float64) vec.V {
		p := profile[int(math.Round(v*float64(len(profile)-1)))]
		s, c := math.Sincos(2 * math.Pi * u)
		return at(float64(p[0])*s, float64(p[1]), float64(p[0])*c)
	})
}

// Sphere returns a sphere about the origin.
func Sphere(radius float64, segments, rings int) *Mesh {
	return Grid("Sphere", segments, rings, func(u, v float64) vec.V {
		return vec.Direction(360*u, 180*v-90).Mul(float32(radius))
	})
}

// Capsule returns an upright capsule: a cylinder of the given height with two
// half spheres.
func Capsule(radius, height float64, segments, rings int) *Mesh {
	var profile []vec.V
	for i := 0; i <= 2*rings+1; i++ {
		k, shift := i, -height/2
		if i > rings {
			k, shift = i-1, height/2
		}
		s, c := math.Sincos(math.Pi * (float64(k)/float64(2*rings) - 0.5))
		profile = append(profile, at(radius*c, radius*s+shift, 0))
	}
	return Lathe("Capsule", profile, segments)
}

// Torus returns a ring in the XZ plane.
func Torus(ring, tube float64, segments, sides int) *Mesh {
	return Grid("Torus", segments, sides, func(u, v float64) vec.V {
		s, c := math.Sincos(2 * math.Pi * v)
		r := ring + tube*c
		su, cu := math.Sincos(2 * math.Pi * u)
		return at(r*su, tube*s, r*cu)
	})
}

// Cuboid returns a box of the given size about the origin.
func Cuboid(size vec.V) *Mesh {
	m := newPart("Cube")
	for i := range 8 {
		p := size.Mul(0.5)
		for k := range 3 {
			if i>>k&1 == 0 {
				p[k] = -p[k]
			}
		}
		m.Positions = append(m.Positions, p)
	}
	m.UVs = [][2]float32{{0, 0}, {1, 0}, {1, 1}, {0, 1}}
	for _, f := range [6][4]int32{{4, 5, 7, 6}, {1, 0, 2, 3}, {5, 1, 3, 7}, {0, 4, 6, 2}, {6, 7, 3, 2}, {0, 1, 5, 4}} {
		m.AddFace(0, Corner{f[0], 0, -1}, Corner{f[1], 1, -1}, Corner{f[2], 2, -1}, Corner{f[3], 3, -1})
	}
	return m
}

// Sweep carries a closed section along a path. Path gives the place for t in
// [0, 1]; section gives the offset in the plane across the path for an angle u
// in [0, 1] at t: x to the side, y towards up as far as the path allows. With
// caps the ends are closed by flat faces.
func Sweep(name string, path func(t float64) vec.V, section func(u, t float64) (x, y float64), up vec.V, along, around int, caps bool) *Mesh {
	frame := func(t float64) (o, side, top vec.V) {
		const h = 1e-3
		d := path(min(1, t+h)).Sub(path(max(0, t-h))).Unit()
		side = d.Cross(up).Unit()
		return path(t), side, side.Cross(d)
	}
	place := func(u, t float64) vec.V {
		o, side, top := frame(t)
		x, y := section(u, t)
		return o.Add(side.Mul(float32(x))).Add(top.Mul(float32(y)))
	}
	m := Grid(name, around, along, func(u, v float64) vec.V { return place(math.Mod(1-u, 1), v) })
	if caps {
		first, last := m.Corners[:0:0], m.Corners[:0:0]
		for i := range around {
			first = append(first, m.Face(around - 1 - i)[1])
			last = append(last, m.Face((along-1)*around + i)[3])
		}
		m.AddFace(0, first...)
		m.AddFace(0, last...)
	}
	return m
}

package trace

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func geometry(t testing.TB, m *mesh.Mesh) *stage.Geometry {
	t.Helper()
	s, err := mesh.NewSurface(m, 40)
	require.NoError(t, err)
	st := stage.New()
	st.Models = []stage.Model{{ID: "m", Solid: "sphere", Scale: 1}}
	sc, err := stage.NewScene(&st, func(*stage.Model) (*mesh.Surface, error) { return s, nil }, nil)
	require.NoError(t, err)
	return sc.Geometry
}

func ExampleSun_Hidden() {
	s, _ := mesh.NewSurface(mesh.Cuboid(vec.V{2, 2, 2}), 40)
	sun := NewSun(&stage.Geometry{Pos: s.Pos, Tri: s.Tri, Box: s.Box}, vec.V{0, 1, 0}, 1)
	fmt.Println(sun.Hidden(vec.V{0.3, -5, 0.2}), sun.Hidden(vec.V{0.3, 5, 0.2}))
	// Output: true false
}

// hit is the ray test of Möller and Trumbore (1997), in float64.
func hit(a, b, c, o, d vec.V) bool {
	f := func(v vec.V) [3]float64 { return [3]float64{float64(v[0]), float64(v[1]), float64(v[2])} }
	sub := func(p, q [3]float64) [3]float64 { return [3]float64{p[0] - q[0], p[1] - q[1], p[2] - q[2]} }
	cross := func(p, q [3]float64) [3]float64 {
		return [3]float64{p[1]*q[2] - p[2]*q[1], p[2]*q[0] - p[0]*q[2], p[0]*q[1] - p[1]*q[0]}
	}
	dot := func(p, q [3]float64) float64 { return p[0]*q[0] + p[1]*q[1] + p[2]*q[2] }
	e1, e2, dir := sub(f(b), f(a)), sub(f(c), f(a)), f(d)
	p := cross(dir, e2)
	det := dot(e1, p)
	if det == 0 {
		return false
	}
	s := sub(f(o), f(a))
	u := dot(s, p) / det
	q := cross(s, e1)
	v := dot(dir, q) / det
	return u >= 0 && v >= 0 && u+v <= 1 && dot(e2, q)/det > 0
}

func TestSunAgreesWithARayAgainstEveryTriangle(t *testing.T) {
	m := mesh.Torus(0.75, 0.3, 48, 24)
	m.Join(mesh.Cuboid(vec.V{1, 1, 1}), vec.Place(vec.V{1, 1, 0}, vec.V{20, 30, 0}, 0.5))
	geo := geometry(t, m)
	r := rand.New(rand.NewPCG(1, 2))
	hidden, differ := 0, 0
	for _, dir := range []vec.V{vec.Direction(-40, 45), {0, 1, 0}, {0, -1, 0}, vec.Direction(170, -3)} {
		sun := NewSun(geo, dir, 2)
		for range 2000 {
			p := vec.V{float32(r.NormFloat64()), float32(r.NormFloat64() * 0.6), float32(r.NormFloat64())}
			want := false
			for _, tri := range geo.Tri {
				want = want || hit(geo.Pos[tri[0]], geo.Pos[tri[1]], geo.Pos[tri[2]], p, dir)
			}
			if want {
				hidden++
			}
			if want != sun.Hidden(p) {
				differ++ // by rounding, within a millionth of an outline
			}
		}
	}
	assert.Greater(t, hidden, 1000)
	assert.LessOrEqual(t, differ, 1)
}

func TestNoLightGetsIntoASphere(t *testing.T) {
	geo := geometry(t, mesh.Sphere(1, 96, 48))
	r := rand.New(rand.NewPCG(3, 4))
	for _, dir := range []vec.V{vec.Direction(10, 20), {0, 1, 0}, {1, 0, 0}} {
		sun := NewSun(geo, dir, 1)
		for range 100_000 {
			p := vec.V{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}.Unit()
			require.True(t, sun.Hidden(p.Mul(0.9)), "a leak at %v", p)
		}
	}
}

func TestFewHugeAndManyDegenerateTriangles(t *testing.T) {
	empty := NewSun(&stage.Geometry{Box: vec.EmptyBox()}, vec.V{0, 1, 0}, 1)
	assert.False(t, empty.Hidden(vec.V{}))
	same := &stage.Geometry{Pos: []vec.V{{1, 1, 1}}, Box: vec.EmptyBox().Grow(vec.V{1, 1, 1})}
	for range 100 { // all in one place
		same.Tri = append(same.Tri, [3]int32{})
	}
	assert.False(t, NewSun(same, vec.V{0, 1, 0}, 1).Hidden(vec.V{1, 0, 1}))
	// Ten thousand sheets that each fill the plane: the grid must not take memory without end.
	sheets := &stage.Geometry{Box: vec.EmptyBox()}
	for i := range int32(10_000) {
		h := float32(i) / 1000
		sheets.Pos = append(sheets.Pos, vec.V{-9, h, -9}, vec.V{9, h, -9}, vec.V{0, h, 9})
		sheets.Tri = append(sheets.Tri, [3]int32{3 * i, 3*i + 1, 3*i + 2})
	}
	for _, p := range sheets.Pos {
		sheets.Box = sheets.Box.Grow(p)
	}
	sun := NewSun(sheets, vec.V{0, 1, 0}, 2)
	assert.LessOrEqual(t, len(sun.list), maxEntries)
	assert.True(t, sun.Hidden(vec.V{0, 5, 0}))
	assert.False(t, sun.Hidden(vec.V{0, 10.5, 0}))
}

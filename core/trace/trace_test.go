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

func ExampleTree_Occluded() {
	s, _ := mesh.NewSurface(mesh.Cuboid(vec.V{2, 2, 2}), 40)
	tree := New(&stage.Geometry{Pos: s.Pos, Tri: s.Tri})
	fmt.Println(tree.Occluded(vec.V{0, 5, 0}, vec.V{0, -1, 0}, 10), tree.Occluded(vec.V{0, 5, 0}, vec.V{0, 1, 0}, 10))
	// Output: true false
}

func TestTreeAgreesWithEveryTriangleTried(t *testing.T) {
	m := mesh.Torus(0.75, 0.3, 48, 24)
	m.Join(mesh.Cuboid(vec.V{1, 1, 1}), vec.Place(vec.V{1, 1, 0}, vec.V{20, 30, 0}, 0.5))
	geo := geometry(t, m)
	tree := New(geo)
	require.Len(t, tree.tris, len(geo.Tri), "every triangle is in one leaf")
	r := rand.New(rand.NewPCG(1, 2))
	random := func() vec.V {
		return vec.V{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}
	}
	hit := 0
	for range 5000 {
		o, d := random().Mul(1.5), random().Unit()
		if r.IntN(4) == 0 { // along an axis, where slabs divide by zero
			d = vec.V{}
			d[r.IntN(3)] = 1
		}
		limit := float32(r.Float64() * 5)
		want := false
		for i := range tree.tris {
			want = want || tree.tris[i].hit(o, d, limit)
		}
		if want {
			hit++
		}
		require.Equal(t, want, tree.Occluded(o, d, limit), "from %v along %v", o, d)
	}
	assert.Greater(t, hit, 200)
}

func TestNothingGetsOutOfASphere(t *testing.T) {
	tree := New(geometry(t, mesh.Sphere(1, 96, 48)))
	r := rand.New(rand.NewPCG(3, 4))
	for range 20000 {
		d := vec.V{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}.Unit()
		require.True(t, tree.Occluded(vec.V{0.1, 0.2, -0.3}, d, 10))
		require.False(t, tree.Occluded(d.Mul(1.01), d, 10))
	}
}

func TestEmptyAndDegenerate(t *testing.T) {
	assert.False(t, New(&stage.Geometry{}).Occluded(vec.V{}, vec.V{0, 1, 0}, 1))
	same := &stage.Geometry{Pos: []vec.V{{1, 1, 1}}}
	for range 100 { // all in one place: no split can part them
		same.Tri = append(same.Tri, [3]int32{})
	}
	assert.False(t, New(same).Occluded(vec.V{}, vec.V{1, 0, 0}, 9))
}

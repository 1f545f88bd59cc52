package trace

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

func ExampleTree_Nearest() {
	s, _ := mesh.NewSurface(mesh.Cuboid(vec.V{2, 2, 2}), 40)
	t := NewTree(s.Pos, s.Tri, 1)
	h, ok := t.Nearest(vec.V{0.3, 5, 0.2}, vec.V{0, -1, 0}, 100)
	fmt.Println(h.T, ok, t.Occluded(vec.V{0.3, 5, 0.2}, vec.V{0, 1, 0}, 100))
	// Output: 4 true false
}

// both runs a test with the assembly, where there is any, and with its twin.
func both(t *testing.T, f func(t *testing.T)) {
	was := assembly
	t.Cleanup(func() { assembly = was })
	for _, on := range []bool{false, true} {
		if assembly = on; on && !was {
			continue
		}
		t.Run(fmt.Sprintf("assembly %v", on), f)
	}
}

// knot is a torus with a cube through it and a heap of loose triangles.
func knot(t testing.TB) *mesh.Surface {
	t.Helper()
	m := mesh.Torus(0.75, 0.3, 48, 24)
	m.Join(mesh.Cuboid(vec.V{1, 1, 1}), vec.Place(vec.V{1, 1, 0}, vec.V{20, 30, 0}, 0.5))
	s, err := mesh.NewSurface(m, 40)
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(7, 7))
	for range 300 {
		c := vec.V{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}
		n := int32(len(s.Pos))
		for range 3 {
			s.Pos = append(s.Pos, c.Add(vec.V{r.Float32(), r.Float32(), r.Float32()}.Mul(0.2)))
		}
		s.Tri = append(s.Tri, [3]int32{n, n + 1, n + 2})
	}
	return s
}

// hit is the ray test of Möller and Trumbore (1997), in float64; below 0 for none.
func hit(a, b, c, o, d vec.V) float64 {
	type v3 = [3]float64
	f := func(v vec.V) v3 { return v3{float64(v[0]), float64(v[1]), float64(v[2])} }
	sub := func(p, q v3) v3 { return v3{p[0] - q[0], p[1] - q[1], p[2] - q[2]} }
	cross := func(p, q v3) v3 {
		return v3{p[1]*q[2] - p[2]*q[1], p[2]*q[0] - p[0]*q[2], p[0]*q[1] - p[1]*q[0]}
	}
	dot := func(p, q v3) float64 { return p[0]*q[0] + p[1]*q[1] + p[2]*q[2] }
	e1, e2, dir := sub(f(b), f(a)), sub(f(c), f(a)), f(d)
	p := cross(dir, e2)
	det := dot(e1, p)
	if det == 0 {
		return -1
	}
	s := sub(f(o), f(a))
	u := dot(s, p) / det
	q := cross(s, e1)
	if v := dot(dir, q) / det; u < 0 || v < 0 || u+v > 1 {
		return -1
	}
	return dot(e2, q) / det
}

func randomRay(r *rand.Rand) (o, d vec.V) {
	n := func() float32 { return float32(r.NormFloat64()) }
	o, d = vec.V{n(), n(), n()}, vec.V{n(), n(), n()}.Unit()
	if k := r.IntN(12); k < 3 { // along an axis, or nearly
		d = vec.V{}
		d[k] = 1 - 2*float32(r.IntN(2))
		if r.IntN(2) == 0 {
			d[(k+1)%3] = 1e-20
		}
	}
	return o, d
}

func TestAgainstEveryTriangle(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	both(t, func(t *testing.T) {
		s := knot(t)
		tree := NewTree(s.Pos, s.Tri, 2)
		r := rand.New(rand.NewPCG(1, 2))
		hits, differ := 0, 0
		for range 4000 {
			o, d := randomRay(r)
			best, id := math.Inf(1), -1
			for i, tri := range s.Tri {
				if x := hit(s.Pos[tri[0]], s.Pos[tri[1]], s.Pos[tri[2]], o, d); x > 0 && x < best {
					best, id = x, i
				}
			}
			h, ok := tree.Nearest(o, d, 1e9)
			require.Equal(t, ok, tree.Occluded(o, d, 1e9))
			if ok != (id >= 0) {
				differ++ // by rounding, within a millionth of an outline
				continue
			}
			if !ok {
				continue
			}
			hits++
			require.InDelta(t, best, h.T, 1e-4)
			tri := s.Tri[h.Tri]
			at := s.Pos[tri[0]].Mul(1 - h.U - h.V).Add(s.Pos[tri[1]].Mul(h.U)).Add(s.Pos[tri[2]].Mul(h.V))
			require.Less(t, at.Sub(o.Add(d.Mul(h.T))).Len(), float32(1e-4))
			assert.True(t, tree.Occluded(o, d, h.T*1.0001))
			assert.False(t, tree.Occluded(o, d, h.T*0.9999), "nothing is nearer than the nearest")
		}
		assert.Greater(t, hits, 700)
		assert.LessOrEqual(t, differ, 1)
	})
}

func TestTheTwinsAgreeToTheBit(t *testing.T) {
	if !assembly {
		t.Skip("this processor has no assembly to compare with")
	}
	for name, s := range map[string]*mesh.Surface{"knot": knot(t), "sphere": surface(t, mesh.Sphere(1, 64, 32))} {
		tree := NewTree(s.Pos, s.Tri, 2)
		r := rand.New(rand.NewPCG(5, 6))
		for range 100_000 {
			o, d := randomRay(r)
			far := float32(r.ExpFloat64() * 3)
			if r.IntN(4) == 0 { // through a vertex
				d = s.Pos[r.IntN(len(s.Pos))].Sub(o)
			}
			var a, b ray
			a.set(o, d, far)
			b.set(o, d, far)
			want, got := found{id: -1}, found{id: -1}
			nearGo(&tree.nodes[0], &tree.leaves[0], &a, &want)
			nearAVX2(&tree.nodes[0], &tree.leaves[0], &b, &got)
			require.Equal(t, want, got, "%s: from %v to %v", name, o, d)
			require.Equal(t, want.id >= 0, anyAVX2(&tree.nodes[0], &tree.leaves[0], &b))
			require.Equal(t, want.id >= 0, anyGo(&tree.nodes[0], &tree.leaves[0], &a))
		}
	}
}

func surface(t testing.TB, m *mesh.Mesh) *mesh.Surface {
	t.Helper()
	s, err := mesh.NewSurface(m, 40)
	require.NoError(t, err)
	return s
}

// leaks shoots n rays from inside a closed surface at points of its edges and
// counts those that get out.
func leaks(s *mesh.Surface, tree *Tree, n int, seed uint64) int {
	r := rand.New(rand.NewPCG(seed, 1))
	out := 0
	for range n {
		tri := s.Tri[r.IntN(len(s.Tri))]
		k := r.IntN(3)
		a, b := s.Pos[tri[k]], s.Pos[tri[(k+1)%3]]
		t := r.Float32()
		if r.IntN(8) == 0 {
			t = 0 // the vertex itself
		}
		o := vec.V{r.Float32() - 0.5, r.Float32() - 0.5, r.Float32() - 0.5}.Mul(0.8)
		if !tree.Occluded(o, a.Mix(b, t).Sub(o), 1e9) {
			out++
		}
	}
	return out
}

func TestNoRayLeaksThroughASharedEdge(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	s := surface(t, mesh.Sphere(1, 96, 48))
	tree := NewTree(s.Pos, s.Tri, 2)
	n := 10_000_000
	if !assembly || testing.Short() {
		n = 1_000_000
	}
	got := make(chan int)
	for k := range uint64(2) {
		go func() { got <- leaks(s, tree, n/2, k) }()
	}
	assert.Zero(t, <-got+<-got)
	if assembly {
		assembly = false
		defer func() { assembly = true }()
		assert.Zero(t, leaks(s, tree, 200_000, 9), "the twin is as tight")
	}
}

func TestTheBuildDoesNotDependOnTheCores(t *testing.T) {
	s := surface(t, mesh.Torus(0.75, 0.3, 256, 128))
	one, two := NewTree(s.Pos, s.Tri, 1), NewTree(s.Pos, s.Tri, 2)
	assert.Equal(t, one.nodes, two.nodes)
	require.Equal(t, len(one.leaves), len(two.leaves))
	seen := map[int32]int{}
	for i := range one.leaves {
		assert.Equal(t, one.leaves[i].id, two.leaves[i].id)
		for _, id := range one.leaves[i].id {
			seen[id]++
		}
	}
	delete(seen, -1)
	assert.Len(t, seen, len(s.Tri), "every triangle is in a leaf")
}

func TestOddTriangles(t *testing.T) {
	both(t, func(t *testing.T) {
		up, away := vec.V{0, 1, 0}, float32(1e9)
		assert.False(t, NewTree(nil, nil, 2).Occluded(vec.V{}, up, away))
		nan := float32(math.NaN())
		pos := []vec.V{{1, 1, 1}, {nan, 0, 0}, {-9, 2, -9}, {9, 2, -9}, {0, 2, 9}}
		tris := [][3]int32{{0, 1, 2}, {2, 3, 4}}
		for range 5000 { // all in one place: no split can tell them apart
			tris = append(tris, [3]int32{0, 0, 0})
		}
		tree := NewTree(pos, tris, 2)
		assert.True(t, tree.Occluded(vec.V{}, up, away))
		assert.False(t, tree.Occluded(vec.V{}, vec.V{0, -1, 0}, away))
		assert.False(t, tree.Occluded(vec.V{}, vec.V{}, away), "no direction")
		assert.False(t, tree.Occluded(vec.V{}, up, 1.5), "it ends before")
		h, ok := tree.Nearest(vec.V{0, 5, 0}, vec.V{0, -2, 0}, away)
		assert.True(t, ok)
		assert.Equal(t, Hit{T: 1.5, Tri: 1, U: h.U, V: h.V}, h, "counted in lengths of the direction")
	})
}

func TestMovingOneModelRebuildsThatOneOnly(t *testing.T) {
	var meshes []*mesh.Mesh
	for range 10 {
		meshes = append(meshes, mesh.Sphere(0.2, 16, 8))
	}
	sc := stagetest.Of(t, meshes...)
	for i := range sc.Stage.Models {
		sc.Stage.Models[i].At = vec.V{float32(i), 0, 0}
	}
	sc = stagetest.Again(t, sc)
	before := NewScene(sc.Geometry, nil, 2)
	sc.Stage.Models[3].At[1] = 2
	sc = stagetest.Again(t, sc)
	after := NewScene(sc.Geometry, before, 2)
	for i := range after.placed {
		assert.Equal(t, i != 3, after.placed[i].tree == before.placed[i].tree, "model %d", i)
	}
	down := vec.V{0, -1, 0}
	assert.True(t, before.Occluded(vec.V{3, 1, 0}, down, 100))
	assert.False(t, after.Occluded(vec.V{3, 1, 0}, down, 100))
	inside := vec.V{3, 2, 0}
	assert.False(t, after.Occluded(inside, vec.V{}, 100), "no way is not blocked")
	_, ok := after.Nearest(inside, vec.V{}, 100)
	assert.False(t, ok)
	assert.True(t, after.Occluded(inside, down, 100))
	tree := after.placed[3].tree
	assert.False(t, tree.Occluded(inside, vec.V{}, 100))
	_, ok = tree.Nearest(inside, vec.V{}, 100)
	assert.False(t, ok)
	h, ok := after.Nearest(vec.V{-5, 0, 0}, vec.V{1, 0, 0}, 100)
	require.True(t, ok)
	assert.InDelta(t, 4.8, h.T, 1e-3)
	assert.Less(t, int(h.Tri), sc.Models[1].FirstTri)
	h, ok = after.Nearest(vec.V{20, 0, 0}, vec.V{-1, 0, 0}, 100)
	require.True(t, ok)
	assert.GreaterOrEqual(t, int(h.Tri), sc.Models[9].FirstTri)
	assert.Equal(t, after.placed, NewScene(sc.Geometry, after, 2).placed)
	assert.Empty(t, NewScene(&stage.Geometry{}, nil, 1).placed)
}

func BenchmarkOccluded(b *testing.B) {
	s, rays := benchScene(b)
	for _, on := range []bool{true, false} {
		if on && !assembly {
			continue
		}
		b.Run(fmt.Sprintf("assembly %v", on), func(b *testing.B) {
			was := assembly
			assembly = on
			defer func() { assembly = was }()
			tree := NewTree(s.Pos, s.Tri, 2)
			n := 0
			for i := 0; b.Loop(); i++ {
				if q := &rays[i%len(rays)]; tree.Occluded(q[0], q[1], 1e9) {
					n++
				}
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
		})
	}
}

// benchScene returns a model of 70,000 triangles and rays that leave its surface.
func benchScene(b testing.TB) (*mesh.Surface, [][2]vec.V) {
	m := mesh.Torus(0.75, 0.3, 240, 120)
	m.Join(mesh.Sphere(0.5, 100, 62), vec.Identity())
	s, err := mesh.NewSurface(m, 40)
	require.NoError(b, err)
	r := rand.New(rand.NewPCG(3, 3))
	rays := make([][2]vec.V, 1<<17)
	for i := range rays {
		t := s.Tri[r.IntN(len(s.Tri))]
		n := s.Normal[t[0]]
		d := vec.V{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}.Unit()
		if d.Dot(n) < 0 {
			d = d.Mul(-1)
		}
		rays[i] = [2]vec.V{s.Pos[t[0]].Add(n.Mul(1e-3)), d}
	}
	return s, rays
}

func BenchmarkBuildMillion(b *testing.B) {
	s, err := mesh.NewSurface(mesh.Torus(0.75, 0.3, 1000, 500), 40)
	require.NoError(b, err)
	for b.Loop() {
		start := time.Now()
		NewTree(s.Pos, s.Tri, 2)
		b.ReportMetric(time.Since(start).Seconds()*1000, "ms/build")
	}
}

// No triangles, or no direction: nothing is met.
func TestNothingToMeet(t *testing.T) {
	empty := NewTree(nil, nil, 1)
	full := NewTree([]vec.V{{-1, -1, 0}, {1, -1, 0}, {0, 1, 0}}, [][3]int32{{0, 1, 2}}, 1)
	for _, c := range []struct {
		tree *Tree
		dir  vec.V
		meet bool
	}{{empty, vec.V{0, 0, 1}, false}, {full, vec.V{}, false}, {empty, vec.V{}, false}, {full, vec.V{0, 0, 1}, true}} {
		_, ok := c.tree.Nearest(vec.V{0, 0, -1}, c.dir, 10)
		assert.Equal(t, c.meet, ok)
		assert.Equal(t, c.meet, c.tree.Occluded(vec.V{0, 0, -1}, c.dir, 10))
	}
}

// A ray that goes through the box about a model, and past its triangle, meets nothing.
func TestARayThroughABoxAlone(t *testing.T) {
	m := &mesh.Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}}
	m.AddPart("sail", color.C{})
	c := func(i int32) mesh.Corner { return mesh.Corner{Pos: i, UV: -1, Normal: -1} }
	m.AddFace(0, c(0), c(1), c(2))
	s := NewScene(stagetest.Of(t, m).Geometry, nil, 1)
	for _, far := range []float32{10, 1e30} {
		assert.False(t, s.Occluded(vec.V{0.9, 0.9, -1}, vec.V{0, 0, 1}, far))
		assert.True(t, s.Occluded(vec.V{0.2, 0.2, -1}, vec.V{0, 0, 1}, far))
	}
	assert.False(t, s.Occluded(vec.V{0.2, 0.2, -1}, vec.V{0, 0, 1}, 0.5))
	assert.False(t, s.Occluded(vec.V{0.2, 0.2, -1}, vec.V{}, 10))
	_, ok := s.Nearest(vec.V{0.9, 0.9, -1}, vec.V{0, 0, 1}, 10)
	assert.False(t, ok)
}

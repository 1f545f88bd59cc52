package mesh_test

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// cube is a cube of half a side 1, as six faces over eight positions.
func cube() *mesh.Mesh {
	m := &mesh.Mesh{}
	m.AddPart("cube", color.C{1, 1, 1})
	for i := range 8 {
		m.Positions = append(m.Positions, vec.V{float32(i&1*2 - 1), float32(i&2 - 1), float32(i&4/2 - 1)})
	}
	for _, f := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		var c []mesh.Corner
		for _, p := range f {
			c = append(c, mesh.Corner{Pos: p, UV: -1, Normal: -1})
		}
		m.AddFace(0, c...)
	}
	return m
}

// octahedron is eight triangles.
func octahedron() *mesh.Mesh {
	m := &mesh.Mesh{}
	m.AddPart("oct", color.C{1, 1, 1})
	m.Positions = []vec.V{{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}
	for _, f := range [][3]int32{{0, 2, 4}, {2, 1, 4}, {1, 3, 4}, {3, 0, 4}, {2, 0, 5}, {1, 2, 5}, {3, 1, 5}, {0, 3, 5}} {
		m.AddFace(0, mesh.Corner{Pos: f[0], UV: -1, Normal: -1}, mesh.Corner{Pos: f[1], UV: -1, Normal: -1}, mesh.Corner{Pos: f[2], UV: -1, Normal: -1})
	}
	return m
}

func within(t *testing.T, m *mesh.Mesh, want vec.V, off float64) int {
	t.Helper()
	best, at := math.Inf(1), 0
	for i, p := range m.Positions {
		if d := float64(p.Sub(want).Len()); d < best {
			best, at = d, i
		}
	}
	assert.LessOrEqual(t, best, off, "%v", want)
	return at
}

// The limit of the first step of a cube, from the published masks: after a step its points
// are (1, 0, 0), (¾, ¾, 0) and (5/9, 5/9, 5/9), with rings of quadrilaterals.
func TestCatmullClarkOfACube(t *testing.T) {
	m, taken := cube().Subdivide(1, mesh.None, 0)
	require.Equal(t, 1, taken)
	require.NoError(t, m.Check())
	assert.Len(t, m.Positions, 26)
	assert.Len(t, m.FaceEnd, 24)
	// v(n² v + 4 Σ e + Σ f) ÷ n(n + 5): a corner has three edge points and three face points.
	corner := (9*5.0/9 + 4*1.5 + 1) / 24
	within(t, m, vec.V{float32(corner), float32(corner), float32(corner)}, 1e-6)
	face := (16*1 + 4*4*0.75 + 4*5.0/9) / 36
	i := within(t, m, vec.V{float32(face), 0, 0}, 1e-6)
	assert.InDelta(t, 0, m.Normals[i].Sub(vec.V{1, 0, 0}).Len(), 1e-6)
	edge := (16*0.75 + 4*(1+2*5.0/9) + 2*0.75) / 36 // two face points, two corners; four edge points lie across
	i = within(t, m, vec.V{float32(edge), float32(edge), 0}, 1e-6)
	assert.InDelta(t, 0, m.Normals[i].Sub(vec.V{1, 1, 0}.Unit()).Len(), 1e-6)
}

// One step of a tetrahedron's kin, an octahedron: edge points at ½, and the limit of a
// vertex of four by Loop's masks.
func TestLoopOfAnOctahedron(t *testing.T) {
	m, taken := octahedron().Subdivide(1, mesh.None, 0)
	require.Equal(t, 1, taken)
	assert.Len(t, m.Positions, 18)
	assert.Len(t, m.FaceEnd, 32)
	b := (5.0/8 - 9.0/64) / 4 // β of a vertex of four
	v := 1 - 4*b              // the neighbours cancel
	e := 3.0 / 8              // each edge point: ⅜ of both its ends, and the corners across cancel
	own := 3 / (8 * b)
	limit := (own*v + 4*e) / (own + 4) // its four neighbours are edge points
	i := within(t, m, vec.V{0, 0, float32(limit)}, 1e-6)
	assert.InDelta(t, 0, m.Normals[i].Sub(vec.V{0, 0, 1}).Len(), 1e-6)
}

// However many steps are taken, the places and normals of the limit are the same, for
// both schemes, whatever edges are creased (none of which may end within the surface: there
// the masks are those of a smooth place, which is near).
func TestLimitsDoNotHangOnTheSteps(t *testing.T) {
	for name, m := range map[string]*mesh.Mesh{"cube": cube(), "octahedron": octahedron(), "box": mesh.Cuboid(vec.V{1, 2, 3}), "pill": mesh.Capsule(1, 3, 7, 3)} {
		for _, creases := range []mesh.Creases{mesh.None, mesh.ByAngle, mesh.ByFile} {
			coarse, a := m.Subdivide(1, creases, 80)
			fine, b := m.Subdivide(4, creases, 80)
			require.Equal(t, []int{1, 4}, []int{a, b})
			require.NoError(t, fine.Check())
			assert.Len(t, fine.FaceEnd, 64*len(coarse.FaceEnd))
			for i, p := range coarse.Positions { // keep their numbers
				if coarse.Normals[i] == (vec.V{}) && fine.Normals[i] == (vec.V{}) && p == (vec.V{}) {
					continue
				}
				assert.InDelta(t, 0, fine.Positions[i].Sub(p).Len(), 1e-5, "%s, %q: vertex %d", name, creases, i)
				assert.InDelta(t, 0, fine.Normals[i].Sub(coarse.Normals[i]).Len(), 1e-4, "%s, %q: normal %d", name, creases, i)
			}
			s, err := mesh.NewSurface(fine, 50)
			require.NoError(t, err)
			for _, tri := range s.Tri { // normals lie on the side of their triangles
				n := s.Pos[tri[1]].Sub(s.Pos[tri[0]]).Cross(s.Pos[tri[2]].Sub(s.Pos[tri[0]]))
				if n.Len() > 1e-9 {
					assert.Greater(t, n.Unit().Dot(s.Normal[tri[0]]), float32(0.5), "%s %q", name, creases)
				}
			}
		}
	}
}

// A cube all of whose edges are creases stays a cube; without creases it becomes round; a
// square alone keeps its corners no more than a crease does.
func TestCreases(t *testing.T) {
	sharp, _ := cube().Subdivide(3, mesh.ByAngle, 60)
	round, _ := cube().Subdivide(3, mesh.ByAngle, 120)
	far := 0.0
	for _, p := range sharp.Positions {
		assert.InDelta(t, 1, max(math.Abs(float64(p[0])), math.Abs(float64(p[1])), math.Abs(float64(p[2]))), 1e-6)
	}
	for _, p := range round.Positions {
		far = max(far, float64(p.Len()))
	}
	assert.Less(t, far, 1.3)
	// The border of a square is a closed spline: its corner goes to (1/6 + 4/6 + 1/6).
	square := &mesh.Mesh{Positions: []vec.V{{-1, -1, 0}, {1, -1, 0}, {1, 1, 0}, {-1, 1, 0}}}
	square.AddPart("s", color.C{})
	c := func(i int32) mesh.Corner { return mesh.Corner{Pos: i, UV: -1, Normal: -1} }
	square.AddFace(0, c(0), c(1), c(2), c(3))
	flat, _ := square.Subdivide(2, mesh.None, 0)
	within(t, flat, vec.V{-2.0 / 3, -2.0 / 3, 0}, 1e-6)
	// By the file: a box whose normals are those of its sides is creased all about.
	box := mesh.Cuboid(vec.V{2, 2, 2})
	byFile, _ := box.Subdivide(2, mesh.ByFile, 0)
	if len(box.Normals) > 0 {
		within(t, byFile, vec.V{1, 1, 1}, 1e-6)
	}
}

// Texture coordinates, painted values and parts go along, and seams stay.
func TestSubdividedMeshesKeepWhatIsOnThem(t *testing.T) {
	m := mesh.Sphere(1, 12, 6)
	m.AddPart("lower", color.C{1, 0, 0})
	for f := range m.FacePart {
		if m.Positions[m.Face(f)[0].Pos][1] < 0 {
			m.FacePart[f] = 1
		}
	}
	for _, p := range m.Positions {
		m.Paint = append(m.Paint, [4]float32{(p[0] + 1) / 2, 0.5, 1, 1})
	}
	for _, tris := range []bool{false, true} {
		src := m
		if tris { // the same cut into triangles
			src = &mesh.Mesh{Positions: m.Positions, UVs: m.UVs, Normals: m.Normals, Parts: m.Parts, Paint: m.Paint}
			for f := range m.FaceEnd {
				c := m.Face(f)
				for k := 1; k+1 < len(c); k++ {
					src.AddFace(m.FacePart[f], c[0], c[k], c[k+1])
				}
			}
		}
		out, taken := src.Subdivide(3, mesh.None, 0)
		require.Equal(t, 3, taken)
		require.NoError(t, out.Check())
		require.Len(t, out.Paint, len(out.Positions))
		count := map[int32]int{}
		for f := range out.FaceEnd {
			count[out.FacePart[f]]++
			for _, c := range out.Face(f) {
				p, uv := out.Positions[c.Pos], out.UVs[c.UV]
				assert.InDelta(t, (p[0]+1)/2, out.Paint[c.Pos][0], 0.06)
				assert.True(t, uv[0] >= 0 && uv[0] <= 1 && uv[1] >= 0 && uv[1] <= 1)
				assert.InDelta(t, 0.5+math.Asin(float64(max(-1, min(1, p.Unit()[1]))))/math.Pi, math.Abs(float64(uv[1])), 0.06)
			}
		}
		assert.Equal(t, count[0], count[1])
		assert.Less(t, len(out.UVs), len(out.Positions)*5/4, "shared but at the seam")
	}
}

// No mesh makes it slip: borders, fins of three faces, faces the wrong way round, corners
// that two fans share; it stops before there are too many triangles.
func TestSubdivisionOfOddMeshes(t *testing.T) {
	c := func(i int32) mesh.Corner { return mesh.Corner{Pos: i, UV: -1, Normal: -1} }
	odd := &mesh.Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {-1, 0, 0}, {0, -1, 0}, {2, 2, 2}}}
	odd.AddPart("odd", color.C{})
	odd.AddFace(0, c(0), c(1), c(2))
	odd.AddFace(0, c(0), c(1), c(3))
	odd.AddFace(0, c(1), c(0), c(5))
	odd.AddFace(0, c(0), c(4), c(5))
	odd.AddFace(0, c(2), c(2), c(2))
	for _, quad := range []bool{false, true} {
		if quad {
			odd.AddFace(0, c(0), c(4), c(3), c(2))
			odd.AddFace(0, c(1), c(2), c(3), c(4), c(5))
		}
		for _, creases := range []mesh.Creases{mesh.None, mesh.ByAngle, mesh.ByFile} {
			out, taken := odd.Subdivide(3, creases, 30)
			assert.Equal(t, 3, taken)
			assert.NoError(t, out.Check())
			_, err := mesh.NewSurface(out, 40)
			assert.NoError(t, err)
		}
	}
	big, taken := mesh.Sphere(1, 200, 100).Subdivide(5, mesh.None, 0)
	assert.Equal(t, 2, taken)
	assert.LessOrEqual(t, big.Triangles(), mesh.MaxTriangles)
	same, taken := odd.Subdivide(0, mesh.None, 0)
	assert.Zero(t, taken)
	assert.Same(t, odd, same)
}

func BenchmarkSubdivide(b *testing.B) {
	m := mesh.Sphere(1, 128, 122) // about 15,600 faces; a million after three steps
	for b.Loop() {
		start := time.Now()
		out, _ := m.Subdivide(3, mesh.None, 0)
		b.ReportMetric(float64(len(out.FaceEnd)), "faces")
		b.ReportMetric(time.Since(start).Seconds(), "s")
	}
}

// Two faces that run along their edge the same way round are two borders there: each keeps
// to itself, whichever comes first.
func TestFacesTheWrongWayRoundHaveBorders(t *testing.T) {
	c := func(i int32) mesh.Corner { return mesh.Corner{Pos: i, UV: -1, Normal: -1} }
	for _, swap := range []bool{false, true} {
		m := &mesh.Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {1, -1, 0}, {0, -1, 0}}}
		m.AddPart("two", color.C{})
		faces := [][4]int32{{0, 1, 2, 3}, {0, 1, 4, 5}} // both go from 0 to 1
		if swap {
			faces[0], faces[1] = faces[1], faces[0]
		}
		for _, f := range faces {
			m.AddFace(0, c(f[0]), c(f[1]), c(f[2]), c(f[3]))
		}
		out, taken := m.Subdivide(1, mesh.None, 0)
		require.Equal(t, 1, taken)
		// The middle of the shared edge is the middle of a border: it stays on the edge.
		within(t, out, vec.V{0.5, 0, 0}, 1e-6)
		for _, n := range out.Normals {
			assert.True(t, n == (vec.V{}) || math.Abs(float64(n[2])) > 0.99)
		}
	}
}

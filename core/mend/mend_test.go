package mend_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mend"
	"mobanta/core/mesh"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// one returns a mesh of one part.
func one(pos []vec.V, faces ...[]int32) *mesh.Mesh {
	m := &mesh.Mesh{Positions: pos}
	m.AddPart("Part", color.C{})
	for _, f := range faces {
		var corners []mesh.Corner
		for _, p := range f {
			corners = append(corners, mesh.Corner{Pos: p, UV: -1, Normal: -1})
		}
		m.AddFace(0, corners...)
	}
	return m
}

// turn turns a face round.
func turn(m *mesh.Mesh, face int) { slices.Reverse(m.Face(face)) }

// faces returns the corners of the faces of a mesh, each as if it began with its least position.
func faces(m *mesh.Mesh) (out [][]int32) {
	for i := range m.FaceEnd {
		var f []int32
		for _, c := range m.Face(i) {
			f = append(f, c.Pos)
		}
		k := slices.Index(f, slices.Min(f))
		out = append(out, append(f[k:], f[:k]...))
	}
	return out
}

func mended(t *testing.T, m *mesh.Mesh, kinds mesh.Mends) *mesh.Mesh {
	out, err := mend.Of(context.Background(), m, kinds)
	require.NoError(t, err)
	require.NoError(t, out.Check())
	return out
}

func faults(t *testing.T, m *mesh.Mesh) mend.Faults {
	f, err := mend.Find(context.Background(), m)
	require.NoError(t, err)
	return f
}

// scaled returns a ring of a size.
func scaled(by float32) *mesh.Mesh {
	m := mesh.Torus(1, 0.3, 24, 12)
	for i := range m.Positions {
		m.Positions[i] = m.Positions[i].Mul(by)
	}
	return m
}

// What is as it should be is left as it is, to the pointer.
func TestWholeMeshesStayAsTheyAre(t *testing.T) {
	for name, m := range map[string]*mesh.Mesh{"ball": mesh.Sphere(1, 24, 12), "box": mesh.Cuboid(vec.V{1, 2, 3}), "ring": mesh.Torus(1, 0.3, 24, 12),
		"far": func() *mesh.Mesh {
			m := mesh.Sphere(1, 24, 12)
			for i := range m.Positions {
				m.Positions[i] = m.Positions[i].Add(vec.V{100, 0, 0})
			}
			return m
		}(), "small": scaled(1e-6), "large": scaled(1e7)} {
		assert.Equal(t, mend.Faults{}, faults(t, m), name)
		assert.True(t, m == mended(t, m, mesh.MendAll), name)
	}
}

// Whichever faces of a closed surface are turned round, and however many, mended it looks outward as it did.
func TestTurnedFaces(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	for _, share := range []float64{0.02, 0.4, 0.8, 1} {
		m := mesh.Torus(1, 0.3, 24, 12)
		m.Join(mesh.Sphere(0.2, 12, 8), vec.Identity())                                                                     // in the middle of the ring, where it sees less of the sky
		m.Join(mesh.Cuboid(vec.V{0.2, 0.2, 0.2}), vec.M{X: vec.V{1}, Y: vec.V{0, 1}, Z: vec.V{0, 0, 1}, O: vec.V{0, 2, 0}}) // apart
		was := faces(m)
		n := 0
		for i := range m.FaceEnd {
			if r.Float64() < share {
				turn(m, i)
				n++
			}
		}
		assert.Equal(t, n, faults(t, m).Turned, "%v", share)
		assert.Equal(t, was, faces(mended(t, m, mesh.MendTurned)), "%v", share)
		assert.Equal(t, n, faults(t, m).Turned, "what came in is not changed")
		assert.True(t, m == mended(t, m, mesh.MendAll&^mesh.MendTurned))
	}
}

// An open sheet, both of whose sides see as much of the sky, goes by most of its area, not by the number of its faces.
func TestMostOfTheAreaDecides(t *testing.T) {
	m := mesh.Grid("sheet", 1, 1, func(u, v float64) vec.V { return vec.V{float32(u), float32(v), 0} })
	m.Join(one([]vec.V{{1, 0, 0}, {1, 1, 0}, {1.1, 0, 0}, {1.1, 0.5, 0}, {1.1, 1, 0}}, []int32{0, 3, 2}, []int32{0, 1, 3}, []int32{1, 4, 3}), vec.Identity())
	out := mended(t, m, mesh.MendTurned)
	assert.Equal(t, 3, faults(t, m).Turned)
	assert.Equal(t, faces(m)[0], faces(out)[0])
	// A bowl sees more of the sky from outside.
	bowl := mesh.Grid("bowl", 16, 8, func(u, v float64) vec.V {
		s, c := math.Sincos(2 * math.Pi * u)
		h, k := math.Sincos((0.05 + 0.75*v) * math.Pi)
		return vec.V{float32(h * c), float32(-k), float32(h * s)}
	})
	if a := faults(t, bowl).Turned; a > 0 {
		require.Len(t, bowl.FaceEnd, a)
		bowl = mended(t, bowl, mesh.MendTurned)
	}
	assert.Zero(t, faults(t, bowl).Turned)
	for i := range bowl.FaceEnd {
		turn(bowl, i)
	}
	assert.Len(t, bowl.FaceEnd, faults(t, bowl).Turned)
}

// The inside of a wall looks inward, and stays so: it sees no sky on either side.
func TestTheInsideOfAWallStays(t *testing.T) {
	m := mesh.Sphere(1, 24, 12)
	m.Join(mesh.Sphere(0.9, 24, 12), vec.Identity())
	for i := range len(m.FaceEnd) / 2 {
		turn(m, len(m.FaceEnd)/2+i)
	}
	assert.Zero(t, faults(t, m).Turned)
}

// Normals of the file go with their faces: those that would lie on their backs are turned, those that looked outward all along are not.
func TestNormalsOfTurnedFaces(t *testing.T) {
	for _, outward := range []bool{true, false} {
		m := mesh.Sphere(1, 12, 8)
		for i, c := range m.Corners {
			n := m.Positions[c.Pos].Unit()
			if !outward {
				n = n.Mul(-1)
			}
			m.Normals = append(m.Normals, n)
			m.Corners[i].Normal = int32(i)
		}
		n := len(m.Normals)
		for i := range m.FaceEnd {
			turn(m, i)
		}
		out := mended(t, m, mesh.MendTurned)
		for _, c := range out.Corners {
			assert.Greater(t, out.Normals[c.Normal].Dot(out.Positions[c.Pos].Unit()), float32(0.99))
		}
		assert.Len(t, m.Normals, n)
		assert.Equal(t, outward, len(out.Normals) == n, "none is added where none is turned")
	}
}

func TestFacesThatLieTwice(t *testing.T) {
	square := []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 0}} // the last at the place of the first
	m := one(square, []int32{0, 1, 2}, []int32{0, 2, 3}, []int32{1, 2, 4}, []int32{2, 1, 0}, []int32{0, 1, 3})
	assert.Equal(t, 2, faults(t, m).Twice)
	assert.Equal(t, [][]int32{{0, 1, 2}, {0, 2, 3}, {0, 1, 3}}, faces(mended(t, m, mesh.MendTwice)))
	m.AddPart("Other", color.C{})
	m.FacePart[2] = 1
	out := mended(t, m, mesh.MendTwice)
	assert.Equal(t, []int32{0, 0, 1, 0}, out.FacePart, "of another part it may be meant")
	assert.Len(t, out.Parts, 2)
}

func TestFacesWithoutArea(t *testing.T) {
	for _, size := range []float32{1e-6, 1, 1e7} {
		m := one([]vec.V{{0, 0, 0}, {size, 0, 0}, {size, size, 0}, {2 * size, 0, 0}, {0, 1e-4 * size, 0}}, []int32{0, 1, 2}, []int32{0, 1, 3}, []int32{0, 0, 2}, []int32{0, 1, 4})
		assert.Equal(t, 2, faults(t, m).Empty, "%v", size)
		assert.Equal(t, [][]int32{{0, 1, 2}, {0, 1, 4}}, faces(mended(t, m, mesh.MendEmpty)), "%v: a thin one has an area", size)
	}
	m := one([]vec.V{{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, []int32{0, 1, 2})
	assert.True(t, m == mended(t, m, mesh.MendEmpty), "a mesh of nothing else stays")
}

// borders counts the sides that no other face has.
func borders(m *mesh.Mesh) int {
	n := map[string]int{}
	for i := range m.FaceEnd {
		f := m.Face(i)
		for k, c := range f {
			a, b := m.Positions[c.Pos], m.Positions[f[(k+1)%len(f)].Pos]
			if fmt.Sprint(b) < fmt.Sprint(a) {
				a, b = b, a
			}
			n[fmt.Sprint(a, b)]++
		}
	}
	open := 0
	for _, k := range n {
		if k == 1 {
			open++
		}
	}
	return open
}

// A ball whose faces were pulled apart by less than anybody sees is closed again; one pulled apart by more stays open.
func TestCracks(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	apart := func(by float32) *mesh.Mesh {
		m := mesh.Sphere(1, 24, 12)
		out := &mesh.Mesh{Parts: m.Parts}
		for i := range m.FaceEnd {
			var f []mesh.Corner
			for _, c := range m.Face(i) {
				f = append(f, mesh.Corner{Pos: int32(len(out.Positions)), UV: -1, Normal: -1})
				away := vec.V{r.Float32() - 0.5, r.Float32() - 0.5, r.Float32() - 0.5}.Unit().Mul(by)
				out.Positions = append(out.Positions, m.Positions[c.Pos].Add(away))
			}
			out.AddFace(m.FacePart[i], f...)
		}
		return out
	}
	m := apart(3e-4) // of a diagonal of 3.5: two ends are at most 6e-4 apart, and 17e-4 are closed
	open := borders(m)
	require.Greater(t, open, 500)
	out := mended(t, m, mesh.MendGaps)
	assert.Zero(t, borders(out))
	assert.Equal(t, len(m.Positions), len(out.Positions))
	for i, p := range out.Positions {
		require.Less(t, p.Sub(m.Positions[i]).Len(), float32(1e-3))
	}
	assert.Equal(t, open, borders(m), "what came in is not changed")
	for _, c := range []struct {
		apart, width float32
		closed       bool
	}{{1.0e-3, 1, true}, {1.3e-3, 1, false}, {0.9e-3, 3e-3, false}, {0.9e-3, 5e-3, true}} { // of a diagonal of 2.24 or of 2
		two := one([]vec.V{{0, 0, 0}, {1, 0, 0}, {1, c.width, 0}, {0, c.width, 0}, {1 + c.apart, 0, 0}, {2, 0, 0}, {2, c.width, 0}, {1 + c.apart, c.width, 0}}, []int32{0, 1, 2, 3}, []int32{4, 5, 6, 7})
		assert.Equal(t, c.closed, faults(t, two).Gaps == 2, "%+v", c)
		assert.Equal(t, c.closed, two != mended(t, two, mesh.MendGaps), "%+v: what is small itself does not close", c)
	}
	m.Motion = &motion.Motion{}
	assert.Zero(t, faults(t, m).Gaps, "what moves is left alone")
}

// A pole whose corners are apart by rounding alone, and a seam likewise, are closed, and are no fault that is told of.
func TestRoundingIsNoFault(t *testing.T) {
	m := mesh.Sphere(1, 24, 12)
	pole, apart := m.Positions[0], &mesh.Mesh{Parts: m.Parts}
	for _, p := range m.Positions {
		if p[1] > pole[1] {
			pole = p
		}
	}
	for i := range m.FaceEnd {
		var f []mesh.Corner
		for _, c := range m.Face(i) {
			f = append(f, mesh.Corner{Pos: int32(len(apart.Positions)), UV: -1, Normal: -1})
			p := m.Positions[c.Pos]
			if p == pole {
				p[0] += 1e-9 * float32(i)
			}
			apart.Positions = append(apart.Positions, p)
		}
		apart.AddFace(0, f...)
	}
	m = apart
	require.Positive(t, borders(m))
	assert.Equal(t, mend.Faults{}, faults(t, m))
	assert.Zero(t, borders(mended(t, m, mesh.MendGaps)))
}

// Normals of the file that lean a little away from each other where two borders become one are one then, others stay two.
func TestNormalsMeetWhereBordersDo(t *testing.T) {
	for _, c := range []struct {
		lean  float64 // degrees, of each
		count int     // of the normals at the border then
	}{{0, 1}, {30, 1}, {40, 2}, {80, 2}} {
		s, k := math.Sincos(c.lean * math.Pi / 180)
		m := one([]vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {1.0005, 0, 0}, {2, 0, 0}, {2, 1, 0}, {1.0005, 1, 0}}, []int32{0, 1, 2, 3}, []int32{4, 5, 6, 7})
		m.Normals = []vec.V{{float32(-s), 0, float32(k)}, {float32(s), 0, float32(k)}}
		for i := range m.Corners {
			m.Corners[i].Normal = int32(i / 4)
		}
		out := mended(t, m, mesh.MendGaps)
		at := map[vec.V]bool{}
		for _, c := range out.Corners {
			if p := out.Positions[c.Pos]; p[0] > 0.5 && p[0] < 1.5 {
				at[out.Normals[c.Normal]] = true
			} else {
				assert.Less(t, c.Normal, int32(2), "those away from it stay")
			}
		}
		assert.Len(t, at, c.count, "%v", c.lean)
		assert.Len(t, m.Normals, 2)
	}
}

// One long side beside several short ones, on this side and on that: it goes through their corners, and what the corners carry
// lies between that of its ends.
func TestBordersGoThroughWhatLiesOnThem(t *testing.T) {
	pos := []vec.V{{0, 0, 0}, {3, 0, 0}, {3, 1, 0}, {0, 1, 0}, // one face above
		{0, 0, 0}, {0.75, 2e-4, 0}, {1.5, 0, 0}, {3, 0, 0}, {3, -1, 0}, {0, -1, 0}} // three below
	for _, back := range []bool{false, true} {
		m := one(pos, []int32{0, 1, 2, 3}, []int32{9, 5, 4}, []int32{9, 6, 5}, []int32{9, 8, 7, 6})
		if back {
			m = one(pos, []int32{0, 3, 2, 1}, []int32{4, 5, 9}, []int32{5, 6, 9}, []int32{6, 7, 8, 9})
		}
		for k := range m.Face(0) {
			c := &m.Face(0)[k]
			p := pos[c.Pos]
			c.UV, c.Normal = int32(len(m.UVs)), int32(len(m.Normals))
			m.UVs, m.Normals = append(m.UVs, [2]float32{p[0] / 3, p[0]/7 + p[1]}), append(m.Normals, vec.V{0, p[0], 1}.Unit())
		}
		assert.Equal(t, mend.Faults{Gaps: 2}, faults(t, m))
		out := mended(t, m, mesh.MendGaps)
		want := []int32{0, 5, 6, 1, 2, 3}
		if back {
			want = []int32{0, 3, 2, 1, 6, 5}
		}
		require.Equal(t, want, faces(out)[0])
		assert.Equal(t, 6, borders(out), "those around it")
		for _, c := range out.Face(0) {
			p := out.Positions[c.Pos]
			assert.InDelta(t, p[0]/3, out.UVs[c.UV][0], 1e-6)
			assert.InDelta(t, p[0]/7+p[1], out.UVs[c.UV][1], 3e-4)
			assert.InDelta(t, 1, out.Normals[c.Normal].Len(), 1e-6)
			if p[0] == 1.5 {
				want := vec.V{0, 3, 1}.Unit().Add(vec.V{0, 0, 1}).Unit()
				assert.InDelta(t, want[1], out.Normals[c.Normal][1], 1e-6)
			}
		}
		assert.Len(t, m.UVs, 4)
	}
}

// Whatever the faces are, what is mended can be shown, keeps its parts, and has nothing more to mend of its kind but what the
// last step brought.
func TestWildMeshes(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	for k := range 300 {
		var pos []vec.V
		for range 4 + r.IntN(30) {
			pos = append(pos, vec.V{float32(r.IntN(4)), float32(r.IntN(4)), float32(r.IntN(3))}.Mul([]float32{1, 1e-3, 0, 1e20}[r.IntN(4)%(1+k%4)]))
		}
		var list [][]int32
		for range 1 + r.IntN(60) {
			var f []int32
			for range 3 + r.IntN(3) {
				f = append(f, int32(r.IntN(len(pos))))
			}
			list = append(list, f)
		}
		m := one(pos, list...)
		if m.Check() != nil {
			continue
		}
		out := mended(t, m, mesh.MendAll)
		assert.Equal(t, m.Parts, out.Parts)
		assert.Equal(t, len(m.Positions), len(out.Positions))
		assert.Equal(t, list, func() (was [][]int32) {
			for i := range m.FaceEnd {
				var f []int32
				for _, c := range m.Face(i) {
					f = append(f, c.Pos)
				}
				was = append(was, f)
			}
			return was
		}(), "what came in is not changed")
	}
}

func TestMendingStops(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := mend.Of(ctx, mesh.Sphere(1, 12, 6), mesh.MendAll)
	assert.ErrorIs(t, err, context.Canceled)
	_, err = mend.Find(ctx, mesh.Sphere(1, 12, 6))
	assert.ErrorIs(t, err, context.Canceled)
}

// Faults are counted by what mends them.
func TestFaultsByKind(t *testing.T) {
	f := mend.Faults{Empty: 1, Twice: 2, Gaps: 3, Turned: 4}
	for i, n := range []int{1, 2, 3, 4, 0} {
		assert.Equal(t, n, f.Count(mesh.Mendings[i].Mends), mesh.Mendings[i].Key)
	}
	assert.Equal(t, mesh.MendFaces, f.Kinds())
	assert.Equal(t, mesh.MendGaps, mend.Faults{Gaps: 1}.Kinds())
	assert.Zero(t, f.Count(mesh.MendAll))
}

func TestFaultsInWords(t *testing.T) {
	assert.Equal(t, "1 empty face, 2 doubled faces, 1 open seam and 4 turned faces", mend.Faults{Empty: 1, Twice: 2, Gaps: 1, Turned: 4}.String())
	assert.Equal(t, "3 open seams and 1 turned face", mend.Faults{Gaps: 3, Turned: 1}.String())
	assert.Equal(t, "1 doubled face", mend.Faults{Twice: 1}.String())
	assert.Empty(t, mend.Faults{}.String())
}

// Faults of a surface are looked for once, and of one that was mended there are none.
func TestFaultsOfASurface(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 2, 3})
	turn(m, 1)
	s, err := mesh.NewSurface(m, mesh.DefaultCrease)
	require.NoError(t, err)
	assert.Equal(t, mend.Faults{Turned: 1}, mend.FaultsOf(s))
	turn(m, 1)
	assert.Equal(t, mend.Faults{Turned: 1}, mend.FaultsOf(s), "as it was found")
	for _, form := range []mesh.Form{{Steps: 2}, {Smooth: true, Creases: mesh.None}} {
		turn(m, 1)
		s, err = m.Surface(t.Context(), form)
		require.NoError(t, err)
		require.Greater(t, len(s.Mesh.FaceEnd), 6)
		assert.Equal(t, mend.Faults{Turned: 1}, mend.FaultsOf(s), "of the faces that it came with, however fine it is drawn")
		turn(m, 1)
	}
	s, err = mesh.NewSurface(mended(t, m, mesh.MendAll), mesh.DefaultCrease)
	require.NoError(t, err)
	assert.Equal(t, mend.Faults{}, mend.FaultsOf(s))
}

func ExampleFind() {
	m := mesh.Cuboid(vec.V{1, 1, 1})
	slices.Reverse(m.Face(2))
	f, err := mend.Find(context.Background(), m)
	fmt.Println(f.Turned, f.Kinds(), err)
	// Output: 1 turned <nil>
}

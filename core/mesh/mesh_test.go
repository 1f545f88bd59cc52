package mesh

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/vec"
)

func ExampleNewSurface() {
	s, _ := NewSurface(Cuboid(vec.V{2, 2, 2}), DefaultCrease)
	fmt.Println(len(s.Tri), "triangles,", len(s.Pos), "vertices")
	// Output: 12 triangles, 24 vertices
}

func surface(t *testing.T, m *Mesh) *Surface {
	t.Helper()
	s, err := NewSurface(m, DefaultCrease)
	require.NoError(t, err)
	return s
}

func count(regions []int32) int {
	seen := map[int32]bool{}
	for _, r := range regions {
		seen[r] = true
	}
	return len(seen)
}

func TestSolidsAreClosedAndFaceOutward(t *testing.T) {
	for _, c := range []struct {
		key          string
		area, volume float64
		regions      int
	}{
		{"sphere", 4 * math.Pi, 4.0 / 3 * math.Pi, 1},
		{"cube", 24, 8, 6},
		{"torus", 4 * math.Pi * math.Pi * 0.75 * 0.3, 2 * math.Pi * math.Pi * 0.75 * 0.09, 1},
		{"cylinder", 2*math.Pi*0.8*2 + 2*math.Pi*0.64, math.Pi * 0.64 * 2, 3},
		{"cone", math.Pi + math.Pi*math.Sqrt(5), math.Pi * 2 / 3, 2},
		{"plane", 4, 0, 1},
		{"capsule", 2 * math.Pi, math.Pi/4 + math.Pi/6, 1},
	} {
		s := surface(t, FindSolid(c.key).Make())
		assert.InEpsilon(t, c.area, s.Area(), 3e-3, "area of the %s", c.key)
		var vol float64
		for _, tri := range s.Tri {
			vol += float64(s.Pos[tri[0]].Dot(s.Pos[tri[1]].Cross(s.Pos[tri[2]]))) / 6
		}
		assert.InDelta(t, c.volume, vol, 1e-2, "volume of the %s: positive when it faces outward", c.key)
		assert.Equal(t, c.regions, count(s.Regions(30)), "regions of the %s", c.key)
		for corner, f := range s.topology.across {
			if c.key != "plane" {
				require.GreaterOrEqual(t, f, int32(0), "the %s has a border at corner %d", c.key, corner)
			}
		}
	}
}

func TestSphereNormalsPointOut(t *testing.T) {
	s := surface(t, Sphere(1, 192, 96))
	for i, p := range s.Pos {
		require.Greater(t, p.Dot(s.Normal[i]), float32(0.99999))
	}
}

func TestCreaseAngleSplitsNormals(t *testing.T) {
	c := FindSolid("cylinder").Make()
	split, err := NewSurface(c, 40)
	require.NoError(t, err)
	round, err := NewSurface(c, 180)
	require.NoError(t, err)
	assert.Greater(t, len(split.Pos), len(round.Pos))
	for i, p := range split.Pos {
		if p[0]*p[0]+p[2]*p[2] > 0.6 {
			n := split.Normal[i]
			assert.True(t, math.Abs(float64(n[1])) < 1e-3 || math.Abs(float64(n[1])) > 0.999, "%v", n)
		}
	}
}

func TestOppositeWindingDoesNotCancel(t *testing.T) {
	m := &Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}}
	m.AddPart("p", color.C{})
	m.AddFace(0, Corner{0, -1, -1}, Corner{1, -1, -1}, Corner{2, -1, -1})
	m.AddFace(0, Corner{0, -1, -1}, Corner{3, -1, -1}, Corner{2, -1, -1}) // wound the other way
	s := surface(t, m)
	for _, n := range s.Normal {
		assert.InDelta(t, 1, n.Len(), 1e-5)
	}
	assert.Equal(t, 1, count(s.Regions(10)), "a flat sheet has no crease")
}

func TestConcaveFacesAreCutWithinTheirOutline(t *testing.T) {
	m := &Mesh{}
	m.AddPart("arrow", color.C{})
	var face []Corner
	for i, p := range []vec.V{{0, 0, 0}, {2, 0, 0}, {2, 2, 0}, {1, 0.2, 0}, {0, 2, 0}} {
		m.Positions = append(m.Positions, p)
		face = append(face, Corner{int32(i), -1, -1})
	}
	m.AddFace(0, face...)
	assert.InDelta(t, 2.2, surface(t, m).Area(), 1e-5) // by the shoelace formula
}

// star returns a face that turns in at every other of its n corners, beside the y axis, and its area.
func star(m *Mesh, n int) (face []Corner, area float64) {
	for i := range n {
		r := float64(1 + i%2)
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		m.Positions = append(m.Positions, vec.V{float32(r * cos), float32(r * sin), 0})
		face = append(face, Corner{int32(len(m.Positions) - 1), -1, -1})
	}
	return face, float64(n) / 2 * 2 * math.Sin(2*math.Pi/float64(n))
}

// Ears are searched in faces of up to 512 corners, and no more once they have taken
// all the work that they may: what is left is cut as a fan, and keeps its corners.
func TestEarsTakeSoMuchWorkAndNoMore(t *testing.T) {
	for n, cut := range map[int]bool{512: true, 514: false} {
		m := &Mesh{}
		m.AddPart("star", color.C{})
		face, area := star(m, n)
		m.AddFace(0, face...)
		s := surface(t, m)
		assert.Len(t, s.Tri, n-2)
		assert.Equal(t, cut, math.Abs(s.Area()-area) < 1e-4*area, "%d corners: %v, not %v", n, s.Area(), area)
	}
	m := &Mesh{}
	m.AddPart("star", color.C{})
	face, area := star(m, 64)
	m.AddFace(0, face...)
	s := surface(t, m)
	poly := make([]int32, len(face))
	for i := range poly {
		poly[i] = int32(i)
	}
	for _, tc := range []struct {
		ears int
		cut  bool
	}{{earWork, true}, {1, false}, {0, false}, {-5, false}} {
		s.ears = tc.ears
		s.Tri = s.triangulate(nil, poly, vec.V{0, 0, 1})
		assert.Len(t, s.Tri, 62)
		assert.Equal(t, tc.cut, math.Abs(s.Area()-area) < 1e-4*area, "%d left", tc.ears)
		assert.Less(t, s.ears, max(1, tc.ears), "what it took is taken off")
	}
}

func TestVeryManyFacesAroundOneVertex(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	m := &Mesh{Positions: []vec.V{{0, 0, 0}}}
	m.AddPart("fan", color.C{})
	const n = 200_000
	for i := range n {
		m.Positions = append(m.Positions, vec.Direction(360*float64(i)/n, 10))
	}
	for i := range int32(n) {
		m.AddFace(0, Corner{0, -1, -1}, Corner{1 + i, -1, -1}, Corner{1 + (i+1)%n, -1, -1})
	}
	assert.Len(t, surface(t, m).Tri, n)
}

func TestCheckRefuses(t *testing.T) {
	good := func() *Mesh { return Cuboid(vec.V{1, 1, 1}) }
	for name, spoil := range map[string]func(m *Mesh){
		"no faces":        func(m *Mesh) { *m = Mesh{} },
		"NaN":             func(m *Mesh) { m.Positions[3][1] = float32(math.NaN()) },
		"infinity":        func(m *Mesh) { m.Positions[3][1] = float32(math.Inf(1)) },
		"position":        func(m *Mesh) { m.Corners[5].Pos = 99 },
		"uv":              func(m *Mesh) { m.Corners[5].UV = 4 },
		"normal":          func(m *Mesh) { m.Corners[5].Normal = 0 },
		"negative":        func(m *Mesh) { m.Corners[5].Pos = -1 },
		"one too far":     func(m *Mesh) { m.Corners[5].Pos = int32(len(m.Positions)) },
		"one uv too far":  func(m *Mesh) { m.Corners[5].UV = int32(len(m.UVs)) },
		"one normal more": func(m *Mesh) { m.Corners[5].Normal = int32(len(m.Normals)) },
		"two corners":     func(m *Mesh) { m.FaceEnd[0] = 2 },
		"part":            func(m *Mesh) { m.FacePart[0] = 7 },
		"corners too few": func(m *Mesh) { m.Corners = m.Corners[:20] },
	} {
		m := good()
		spoil(m)
		_, err := NewSurface(m, DefaultCrease)
		assert.Error(t, err, name)
	}
	assert.NoError(t, good().Check())
}

func TestJoinKeepsPartsAndPlaces(t *testing.T) {
	m := Cuboid(vec.V{1, 1, 1})
	m.Join(Sphere(1, 8, 4), vec.Place(vec.V{5, 0, 0}, vec.V{}, 2))
	require.NoError(t, m.Check())
	assert.Len(t, m.Parts, 2)
	assert.InDelta(t, 7, m.Bounds().Max[0], 1e-5)
	s := surface(t, m)
	assert.InDelta(t, 0.5, s.PartBox[0].Max[0], 1e-6)
	assert.InDelta(t, 3, s.PartBox[1].Min[0], 1e-5)
}

func TestSweepIsClosed(t *testing.T) {
	path := func(t float64) vec.V { return at(0, math.Sin(math.Pi*t), math.Cos(math.Pi*t)) }
	ring := func(u, t float64) (float64, float64) {
		s, c := math.Sincos(2 * math.Pi * u)
		return 0.1 * c, 0.1 * s
	}
	s := surface(t, Sweep("Handle", path, ring, vec.V{1, 0, 0}, 64, 24, true))
	var vol float64
	for _, tri := range s.Tri {
		vol += float64(s.Pos[tri[0]].Dot(s.Pos[tri[1]].Cross(s.Pos[tri[2]]))) / 6
	}
	assert.InDelta(t, math.Pi*math.Pi*0.01, vol, 2e-3, "half a torus, facing outward")
	assert.Equal(t, 3, count(s.Regions(30)))
}

package mesh_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// cut returns a mesh of triangles without normals or texture coordinates.
func cut(m *mesh.Mesh) *mesh.Mesh {
	out := &mesh.Mesh{Positions: m.Positions, Motion: m.Motion}
	out.AddPart("cut", color.C{})
	for f := range m.FaceEnd {
		c := m.Face(f)
		for k := 1; k+1 < len(c); k++ {
			out.AddFace(0, mesh.Corner{Pos: c[0].Pos, UV: -1, Normal: -1}, mesh.Corner{Pos: c[k].Pos, UV: -1, Normal: -1}, mesh.Corner{Pos: c[k+1].Pos, UV: -1, Normal: -1})
		}
	}
	return out
}

// smooth returns the surface of a mesh that is drawn smooth.
func smooth(t *testing.T, m *mesh.Mesh, f mesh.Form) *mesh.Surface {
	t.Helper()
	f.Smooth = true
	s, err := m.Surface(context.Background(), f)
	require.NoError(t, err)
	return s
}

// A ball of few faces is a ball: its light to a tenth of a degree, its outline to half a hundredth, and through all its points.
func TestABallOfFewFacesIsABall(t *testing.T) {
	for name, m := range map[string]*mesh.Mesh{"196 triangles": cut(mesh.Sphere(1, 14, 8)), "faces of four": mesh.Sphere(1, 14, 8), "80 triangles": cut(mesh.Sphere(1, 8, 6))} {
		s := smooth(t, m, mesh.Form{Creases: mesh.None})
		assert.True(t, s.Smooth)
		assert.Greater(t, len(s.Tri), 10_000)
		off, turned := 0.0, 0.0
		for v, p := range s.Pos {
			off = max(off, math.Abs(float64(p.Len())-1))
			turned = max(turned, math.Acos(min(1, float64(p.Unit().Dot(s.Normal[v]))))*180/math.Pi)
		}
		assert.Less(t, off, 0.015, name)
		assert.Less(t, turned, 0.1, "degrees, %s", name)
		fine, _ := m.Smooth(mesh.None, 40)
		for v, p := range m.Positions {
			assert.InDelta(t, 0, fine.Positions[v].Sub(p).Len(), 1e-4, "%s goes through its points", name)
		}
	}
}

func TestWhatIsFlatStaysFlat(t *testing.T) {
	for _, m := range []*mesh.Mesh{cube(), cut(cube())} {
		s := smooth(t, m, mesh.Form{})
		for v, p := range s.Pos {
			n := s.Normal[v]
			assert.InDelta(t, 1, max(n[0], -n[0], n[1], -n[1], n[2], -n[2]), 1e-5)
			assert.InDelta(t, 1, p.Dot(n), 1e-5, "on its face")
		}
		assert.InDelta(t, 24, s.Area(), 1e-3)
	}
	// A can: its lids are flat, and its rims are round, however few sides it has.
	can := mesh.Lathe("can", []vec.V{{0, -1}, {1, -1}, {1, 1}, {0, 1}}, 12)
	s := smooth(t, can, mesh.Form{})
	for v, p := range s.Pos {
		r := math.Hypot(float64(p[0]), float64(p[2]))
		if n := s.Normal[v]; math.Abs(float64(n[1])) > 0.5 {
			assert.InDelta(t, 1, math.Abs(float64(n[1])), 1e-4)
			assert.InDelta(t, 1, math.Abs(float64(p[1])), 1e-4)
		} else {
			assert.InDelta(t, 1, r, 0.004, "the chords of twelve sides lie 0.034 inside")
			assert.InDelta(t, 0, n[1], 1e-3)
		}
	}
	// A sheet keeps its corners and its straight sides.
	sheet := smooth(t, mesh.Grid("sheet", 3, 3, func(u, v float64) vec.V { return vec.V{float32(u), 0, float32(v)} }), mesh.Form{})
	assert.InDelta(t, 1, sheet.Area(), 1e-5)
	assert.InDelta(t, math.Sqrt2, sheet.Box.Diagonal(), 1e-5)
}

// Where a long edge follows a short one the surface does not swing over.
func TestUnevenEdgesDoNotSwing(t *testing.T) {
	at := []float32{0, 0.02, 1, 1.02, 2}
	fold := mesh.Grid("fold", 4, 4, func(u, v float64) vec.V {
		x := at[int(math.Round(u*4))]
		return vec.V{x, max(0, 0.3*(x-1)), float32(v)}
	})
	s := smooth(t, fold, mesh.Form{Creases: mesh.None})
	for _, p := range s.Pos {
		assert.GreaterOrEqual(t, p[1], float32(-0.03))
		assert.LessOrEqual(t, p[1], float32(0.33))
	}
}

func TestSmoothTakesAnyMesh(t *testing.T) {
	c := func(p int32) mesh.Corner { return mesh.Corner{Pos: p, UV: -1, Normal: -1} }
	for _, mixed := range []bool{false, true} {
		odd := &mesh.Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {-1, 0, 0}, {0, -1, 0}, {2, 2, 2}, {0, 0, 0}}}
		odd.AddPart("odd", color.C{})
		odd.AddFace(0, c(0), c(1), c(2))
		odd.AddFace(0, c(0), c(1), c(3))
		odd.AddFace(0, c(1), c(0), c(5))
		odd.AddFace(0, c(0), c(4), c(5))
		odd.AddFace(0, c(2), c(2), c(2))
		odd.AddFace(0, c(7), c(0), c(2))
		if mixed {
			odd.AddFace(0, c(0), c(4), c(3), c(2))
			odd.AddFace(0, c(1), c(2), c(3), c(4), c(5))
		}
		for _, creases := range []mesh.Creases{mesh.ByAngle, mesh.ByFile, mesh.None} {
			s := smooth(t, odd, mesh.Form{Creases: creases})
			for v, p := range s.Pos {
				assert.InDelta(t, 1, s.Normal[v].Len(), 1e-4)
				assert.Less(t, p.Len(), float32(4))
			}
		}
	}
	// What has as many triangles as anybody sees stays as it is.
	many := mesh.Sphere(1, 500, 250)
	out, steps := many.Smooth(mesh.ByAngle, 40)
	assert.Zero(t, steps)
	assert.Same(t, many, out)
	s, err := many.Surface(context.Background(), mesh.Form{Smooth: true})
	require.NoError(t, err)
	assert.False(t, s.Smooth)
}

// What moves is drawn smooth as it stands, and at rest as it rests.
func TestWhatMovesIsSmoothAsItStands(t *testing.T) {
	ball := cut(mesh.Sphere(1, 14, 8))
	ball.Motion = &motion.Motion{}
	s := smooth(t, ball, mesh.Form{Creases: mesh.None})
	require.Equal(t, len(ball.Positions), s.Positions())
	for v, p := range s.Stand(ball.Positions) {
		assert.InDelta(t, 0, p.Sub(s.Pos[v]).Len(), 1e-6)
	}
	twice := make([]vec.V, len(ball.Positions))
	for i, p := range ball.Positions {
		twice[i] = p.Mul(2).Add(vec.V{5, 0, 0})
	}
	for v, p := range s.Stand(twice) {
		assert.InDelta(t, 0, p.Sub(s.Pos[v].Mul(2).Add(vec.V{5, 0, 0})).Len(), 1e-4)
	}
}

// apart is two balls so far from each other that a picture of both shows no corners of theirs.
func apart() *mesh.Mesh {
	m := mesh.Sphere(1, 36, 18)
	m.Join(mesh.Sphere(1, 36, 18), vec.M{X: vec.V{1}, Y: vec.V{0, 1}, Z: vec.V{0, 0, 1}, O: vec.V{12, 0, 0}})
	return m
}

func TestWhichModelsAreCoarse(t *testing.T) {
	lit := cut(mesh.Sphere(1, 14, 8)) // with normals, as most files have them
	for i := range lit.Corners {
		lit.Corners[i].Normal = lit.Corners[i].Pos
	}
	for _, p := range lit.Positions {
		lit.Normals = append(lit.Normals, p.Unit())
	}
	faceted := cut(mesh.Sphere(1, 14, 8)) // each face with its own: so it is meant
	for f := range faceted.FaceEnd {
		c := faceted.Face(f)
		n := faceted.Positions[c[1].Pos].Sub(faceted.Positions[c[0].Pos]).Cross(faceted.Positions[c[2].Pos].Sub(faceted.Positions[c[0].Pos])).Unit()
		for k := range c {
			c[k].Normal = int32(len(faceted.Normals))
		}
		faceted.Normals = append(faceted.Normals, n)
	}
	r := rand.New(rand.NewPCG(3, 14))
	rough := cut(mesh.Sphere(1, 96, 48)) // as a thinned scan is, in half of its surface
	for i, p := range rough.Positions {
		if p[1] > 0 {
			rough.Positions[i] = p.Mul(1 + 0.022*r.Float32())
		}
	}
	for name, c := range map[string]struct {
		mesh    *mesh.Mesh
		coarse  bool
		creases mesh.Creases
	}{
		"a ball of 196": {cut(mesh.Sphere(1, 14, 8)), true, mesh.ByAngle}, "with normals": {lit, true, mesh.ByFile}, "faceted": {faceted, false, ""},
		"a fine ball": {mesh.Sphere(1, 96, 48), false, ""}, "a ball whose rim shows corners": {cut(mesh.Sphere(1, 36, 18)), true, mesh.ByAngle}, "one whose rim just does not": {mesh.Sphere(1, 50, 25), false, ""},
		"small ones far apart": {apart(), false, ""}, "a cube": {cube(), false, ""}, "a can of twelve": {mesh.Lathe("can", []vec.V{{0, -1}, {1, -1}, {1, 1}, {0, 1}}, 12), true, mesh.ByAngle},
		"a rough one": {rough, true, mesh.ByAngle}, "a plane": {mesh.FindSolid("plane").Make(), false, ""},
	} {
		form, coarse := c.mesh.Coarse()
		assert.Equal(t, c.coarse, coarse, name)
		if coarse {
			assert.Equal(t, mesh.Form{Smooth: true, Creases: c.creases}, form, name)
			assert.NoError(t, form.Check())
			assert.NotEqual(t, mesh.Form{Creases: c.creases}.Key(), form.Key())
		}
	}
}

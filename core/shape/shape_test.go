package shape_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/eval"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/shape"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// sway moves a model to and fro.
type sway struct{ made *int }

func (sway) Key(at float64) string { return fmt.Sprint("sway ", at) }
func (s sway) Move(rest *mesh.Surface, from []vec.V, at float64) ([]vec.V, error) {
	*s.made++
	if at > 100 {
		return nil, errors.New("it swayed too far")
	}
	out := make([]vec.V, len(from))
	for i, p := range from {
		out[i] = p.Add(vec.V{float32(at), 0, 0})
	}
	return out, nil
}

func surface(t testing.TB, m *mesh.Mesh) *mesh.Surface {
	t.Helper()
	s, err := mesh.NewSurface(m, mesh.DefaultCrease)
	require.NoError(t, err)
	return s
}

func TestAShapeThatStandsStillIsTheSurface(t *testing.T) {
	s := surface(t, mesh.Sphere(1, 16, 8))
	sh, err := shape.Of(s, nil, 3)
	require.NoError(t, err)
	assert.False(t, sh.Moved())
	assert.Same(t, &s.Pos[0], &sh.Pos[0])
	again, _ := shape.Of(s, nil, 8)
	assert.Same(t, sh, again)
}

func TestShapesAreMadeOnceForAMoment(t *testing.T) {
	made := 0
	s := surface(t, mesh.Sphere(1, 16, 8))
	steps := []shape.Step{sway{&made}}
	a, err := shape.Of(s, steps, 1)
	require.NoError(t, err)
	b, _ := shape.Of(s, steps, 2)
	again, _ := shape.Of(s, steps, 1)
	assert.Same(t, a, again)
	assert.Equal(t, 2, made)
	assert.True(t, b.Moved())
	for i := range s.Pos {
		assert.InDelta(t, 0, b.Pos[i].Sub(s.Pos[i]).Sub(vec.V{2, 0, 0}).Len(), 1e-6)
		assert.Greater(t, b.Normal[i].Dot(s.Normal[i]), float32(0.99))
	}
	_, err = shape.Of(s, steps, 200)
	assert.ErrorContains(t, err, "too far")
	_, err = shape.Of(s, []shape.Step{shape.Along{Name: "short", Height: []float32{1}}}, 0)
	assert.Error(t, err)
}

// Displacing a ball whose texture coordinates have a seam, and a cube whose edges are
// creases, by another height at each vertex tears neither.
func TestDisplacementTearsNoSeams(t *testing.T) {
	for name, m := range map[string]*mesh.Mesh{"ball": mesh.Sphere(1, 24, 12), "cube": mesh.Cuboid(vec.V{1, 1, 1})} {
		s := surface(t, m)
		heights := make([]float32, len(s.Pos))
		for i := range heights {
			heights[i] = 0.1 + 0.05*float32(i%7)
		}
		sh, err := shape.Of(s, []shape.Step{shape.Along{Name: "h", Height: heights}}, 0)
		require.NoError(t, err)
		at := map[vec.V]vec.V{}
		double := 0
		for i, p := range s.Pos {
			if q, ok := at[p]; ok {
				double++
				require.Equal(t, q, sh.Pos[i], "%s: what stood at one place stands at one place", name)
			}
			at[p] = sh.Pos[i]
			require.Greater(t, sh.Pos[i].Len(), p.Len()+0.04)
			require.InDelta(t, 1, sh.Normal[i].Len(), 1e-5)
		}
		require.Greater(t, double, 10)
	}
}

// A ball that grows has the normals of a ball, across its seam too; the faces of a cube
// stay flat.
func TestNormalsAreMadeAnew(t *testing.T) {
	s := surface(t, mesh.Sphere(1, 96, 48))
	heights := make([]float32, len(s.Pos))
	for i, p := range s.Pos {
		heights[i] = 0.5 * (1 + p[1]) // an egg: no ball any more
	}
	sh, err := shape.Of(s, []shape.Step{shape.Along{Name: "egg", Height: heights}}, 0)
	require.NoError(t, err)
	byPlace := map[vec.V]vec.V{}
	for i, p := range sh.Pos {
		if n, ok := byPlace[p]; ok {
			require.InDelta(t, 1, n.Dot(sh.Normal[i]), 1e-5, "no seam in the shading")
		}
		byPlace[p] = sh.Normal[i]
		// The egg's radius at height y of the ball is 1 + (1+y)/2 along the ball's normal: its normal by
		// the gradient of the implicit surface, checked by small steps.
		r := func(d vec.V) float64 { u := d.Unit(); return float64(d.Len()) - 1 - 0.5*(1+float64(u[1])) }
		var g vec.V
		for k := range g {
			var e vec.V
			e[k] = 1e-2
			g[k] = float32(r(p.Add(e)) - r(p.Sub(e)))
		}
		if math.Abs(float64(s.Pos[i][1])) < 0.98 {
			require.Greater(t, g.Unit().Dot(sh.Normal[i]), float32(0.998))
		}
	}
	c := surface(t, mesh.Cuboid(vec.V{1, 1, 1}))
	pos := make([]vec.V, len(c.Pos))
	for i, p := range c.Pos {
		pos[i] = p.Mul(2)
	}
	for i, n := range c.NormalsAt(pos) {
		require.InDelta(t, 1, n.Dot(c.Normal[i]), 1e-5, "a crease stays one")
	}
}

// files gives one surface, which sways.
type files struct {
	stage.Surfaces
	made *int
}

func (f files) Steps(*stage.Model) []shape.Step { return []shape.Step{sway{f.made}} }

// A model that moves is drawn where it is; what depends on its own space stays on it, and
// scenes of the same moment share their geometry and its trees of rays.
func TestTexturesDoNotSwim(t *testing.T) {
	made := 0
	s := surface(t, mesh.Cuboid(vec.V{1, 1, 1}))
	f := files{func(*stage.Model) (*mesh.Surface, error) { return s, nil }, &made}
	st := stage.New()
	st.Models = []stage.Model{{ID: "a", Name: "a", File: "a", Scale: 2, Looks: map[string]string{}}}
	st.Camera = stage.Camera{Distance: 12, Angle: 30, Ortho: true}
	scene := func(at float64) *stage.Scene {
		moment := st
		moment.Time.At = at
		sc, err := stage.NewScene(&moment, f, nil)
		require.NoError(t, err)
		return sc
	}
	still, moved, same := scene(0), scene(0.5), scene(0.5)
	assert.NotSame(t, still.Geometry, moved.Geometry)
	assert.Same(t, moved.Geometry, same.Geometry)
	rays := trace.Of(moved.Geometry, nil, 1)
	assert.Same(t, rays, trace.Of(same.Geometry, nil, 1))
	assert.True(t, rays.Occluded(vec.V{1.9, 0, 5}, vec.V{0, 0, -1}, 100), "at the double scale it has moved by 1")
	assert.False(t, trace.Of(still.Geometry, nil, 1).Occluded(vec.V{1.9, 0, 5}, vec.V{0, 0, -1}, 100))
	var cat node.Catalogue
	for _, space := range []string{"object", "box"} {
		net := &network.Network{Nodes: []network.Node{{ID: "x", Kind: "coordinates", Set: map[string]any{"space": space}}}}
		p, err := eval.Compile(net, cat)
		require.NoError(t, err)
		target, _, err := p.Output(network.ParseRef("x"))
		require.NoError(t, err)
		at := func(sc *stage.Scene) []node.Plane {
			n := int32(0) // the same point of the model, wherever that is
			points := sample.One(sc, nil, n, 0.3, 0.2, 0.01)
			out, err := p.Run(context.Background(), eval.Env{Points: points, Scene: &node.Scene{Scene: sc}, Workers: 1}, []eval.Target{target})
			require.NoError(t, err)
			return out[0]
		}
		a, b := at(still), at(moved)
		for k := range a {
			assert.InDelta(t, a[k][0], b[k][0], 1e-5, space)
		}
	}
	_, err := stage.NewScene(&stage.Stage{Models: st.Models, Time: stage.Time{At: 500}}, f, nil)
	assert.ErrorContains(t, err, "too far")
}

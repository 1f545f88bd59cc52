package scene_test

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func look(t testing.TB, nodes string) *network.Network {
	t.Helper()
	f, err := exchange.ReadLook(strings.NewReader(`{"mobanta":"look","version":1,"nodes":[` + nodes + `]}`))
	require.NoError(t, err)
	return &f.Network
}

// egg displaces a ball by its height: y of the object's own space, whose diagonal is 1.
const egg = `{"id":"at","kind":"Coordinates"},{"id":"xyz","kind":"Split","in":{"colour":"at.vector"},"set":{"space":"xyz"}},
	{"id":"n","kind":"Normal"},{"id":"end","kind":"Finish","in":{"colour":"n.vector","displace":"xyz.y"},"set":{"height":%g}}`

func onBall(t testing.TB, scale float32, distance float32) (*stage.Stage, stage.Files) {
	surface, err := mesh.NewSurface(mesh.Sphere(1, 256, 128), 180)
	require.NoError(t, err)
	st := stage.New()
	st.Models = []stage.Model{{ID: "m", Name: "m", File: "f", Scale: scale, Turn: vec.V{0, 30, 0}, Looks: map[string]string{surface.Mesh.Parts[0].Name: "look"}}}
	st.Camera.Distance = distance * scale
	return &st, stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return surface, nil })
}

// A ball that is displaced by a known height has the analytic normals, whatever its size
// and however far the eye; its silhouette is that of the new form.
func TestADisplacedBallHasTheNormalsOfWhatItBecomes(t *testing.T) {
	const height = 0.45
	diagonal := 2 * math.Sqrt(3)
	for _, c := range []struct{ scale, distance float32 }{{1, 6}, {1, 40}, {100, 6}, {0.01, 9}} {
		st, files := onBall(t, c.scale, c.distance)
		st.Camera.Ortho, st.Camera.Angle = true, 40
		looks := map[string]*network.Network{"look": look(t, fmt.Sprintf(egg, height))}
		sc, err := scene.Displaced(st, files, looks, nil)
		require.NoError(t, err)
		require.NotNil(t, sc.Rest)
		// The radius along a direction u is 1 + h·u_y, with h in model units; so r − 1 − h·y/r = 0.
		h := height * diagonal / diagonal
		far, seen := 0.0, 0
		job := scene.Job{Scene: sc, Looks: looks, W: 200, H: 160, Samples: 1, Peek: &scene.Peek{Look: "look", Ref: network.ParseRef("n.vector"), Raw: true}}
		require.NoError(t, picture.NewRenderer(2).Render(context.Background(), job, func(res *picture.Result) {
			for i := range res.W * res.H {
				v := res.Film.At(i)
				if v[3] < 1 {
					continue
				}
				n := vec.V{v[0], v[1], v[2]}
				assert.InDelta(t, 1, n.Len(), 1e-4)
				seen++
			}
		}))
		assert.Greater(t, seen, 30)
		for i, p := range sc.Pos {
			q := p.Mul(1 / c.scale)
			r := float64(q.Len())
			y := float64(q[1])
			far = max(far, r)
			require.InDelta(t, 1+h*y/r, r, 1e-4)
			g := vec.V{float32(float64(q[0])/r + h*y*float64(q[0])/(r*r*r)), float32(y/r + h*y*y/(r*r*r) - h/r), float32(float64(q[2])/r + h*y*float64(q[2])/(r*r*r))}.Unit()
			if math.Abs(y/r) < 0.995 { // at the poles one ring of triangles decides
				require.InDelta(t, 0, g.Sub(sc.Normal[i]).Len(), 1e-2, "at %v", q)
			}
		}
		assert.InDelta(t, 1+h, far, 1e-3)
	}
}

// What depends on nothing that changed is not worked out again; what changed is; a look
// that displaces nothing, or that nobody wears, leaves the scene as it is.
func TestScenesAreMovedAgainOnlyWhereTheyMust(t *testing.T) {
	st, files := onBall(t, 1, 6)
	looks := map[string]*network.Network{"look": look(t, fmt.Sprintf(egg, 0.1))}
	a, err := scene.Displaced(st, files, looks, nil)
	require.NoError(t, err)
	st.Lights[0].Azimuth += 10
	b, err := scene.Displaced(st, files, looks, a)
	require.NoError(t, err)
	assert.Same(t, a.Geometry, b.Geometry, "a light that nothing of it reads")
	looks["look"] = look(t, fmt.Sprintf(egg, 0.2))
	c, err := scene.Displaced(st, files, looks, b)
	require.NoError(t, err)
	assert.NotSame(t, b.Geometry, c.Geometry)
	assert.Same(t, a.Rest.Geometry, c.Rest.Geometry)
	assert.InDelta(t, 2*(a.Box.Max[1]-1), c.Box.Max[1]-1, 1e-4)
	looks["other"] = looks["look"]
	looks["look"] = look(t, `{"id":"end","kind":"Finish"}`)
	d, err := scene.Displaced(st, files, looks, c)
	require.NoError(t, err)
	assert.Nil(t, d.Rest)
	assert.InDelta(t, 1, d.Box.Max[1], 1e-5)
	assert.Same(t, c.Rest.Geometry, d.Geometry)
}

// Occlusion that displaces is that of the surface at rest, and a part that wears another
// look stays.
func TestDisplacingByRaysAndByPart(t *testing.T) {
	box, err := mesh.NewSurface(mesh.Cuboid(vec.V{1, 1, 1}), 40)
	require.NoError(t, err)
	st := stage.New()
	part := box.Mesh.Parts[0].Name
	st.Models = []stage.Model{{ID: "a", Name: "a", File: "a", Scale: 1, Looks: map[string]string{part: "moved"}}, {ID: "b", Name: "b", File: "b", Scale: 1, At: vec.V{5, 0, 0}, Looks: map[string]string{part: "still"}}}
	looks := map[string]*network.Network{"still": look(t, `{"id":"end","kind":"Finish"}`),
		"moved": look(t, `{"id":"open","kind":"Occlusion"},{"id":"end","kind":"Finish","in":{"displace":"open.tone"},"set":{"height":0.1}}`)}
	sc, err := scene.Displaced(&st, stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return box, nil }), looks, nil)
	require.NoError(t, err)
	n := len(box.Pos)
	for i := range n {
		assert.Equal(t, sc.Rest.Pos[n+i], sc.Pos[n+i])
		// Three vertices at each corner go out along three sides, by a tenth of the diagonal
		// each where it is open; together along their mean.
		assert.InDelta(t, 0.1, sc.Pos[i].Sub(sc.Rest.Pos[i]).Len(), 0.08)
		assert.Greater(t, sc.Pos[i].Len(), sc.Rest.Pos[i].Len()+0.05)
	}
}

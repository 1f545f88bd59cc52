package node_test

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/eval"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/network/networktest"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// see returns the points of a scene's picture of w × w pixels, at a distance of times the framed one.
func see(t *testing.T, sc *stage.Scene, w int, far float32) eval.Env {
	t.Helper()
	cam := sc.Stage.Camera
	cam.Distance *= far
	view := cam.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	return eval.Env{Points: sample.Seen(vis, sc, view, 1, make([]int, len(sc.Parts)), nil)[0], Scene: asked(sc), Workers: 2}
}

func give(t *testing.T, env eval.Env, nodes, ref string) []node.Plane {
	t.Helper()
	n := networktest.Parse(t, nodes)
	require.NoError(t, n.Settle(cat))
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	target, _, err := p.Output(network.ParseRef(ref))
	require.NoError(t, err)
	out, err := p.Run(context.Background(), env, []eval.Target{target})
	require.NoError(t, err)
	return out[0]
}

// A bump of known height gives the normal of that relief, from near and from far, outward and
// inward, and whatever the units of the model are.
func TestBumpGivesTheNormalOfTheRelief(t *testing.T) {
	for _, size := range []float32{0.001, 1, 1000} {
		for _, far := range []float32{0.5, 1, 3} {
			for _, way := range []string{"out", "in"} {
				sc := stagetest.Of(t, mesh.Grid("sheet", 2, 2, func(u, v float64) vec.V { return vec.V{float32(u-0.5) * 2 * size, float32(v-0.5) * 2 * size, 0} }))
				env := see(t, sc, 160, far)
				const depth, k = 0.05, 9.0
				out := give(t, env, fmt.Sprintf(`[{"id":"at","kind":"coordinates"},{"id":"h","kind":"formula","set":{"text":"0.5 + 0.5 * sin(%v * p.x) * cos(%v * p.y)","inputs":[{"key":"p","type":"vector"}]},"in":{"p":"at.vector"}},
					{"id":"b","kind":"bump","set":{"way":%q},"in":{"height":"h.value","depth":%v}}]`, k, k, way, depth), "b.normal")
				env.Points.Resolve(sample.Pos, 1)
				diagonal := float64(2*size) * math.Sqrt2
				worst := 0.0
				for i := range env.Points.N {
					x, y := float64(env.Points.Pos[0][i])/diagonal, float64(env.Points.Pos[1][i])/diagonal
					sign := depth
					if way == "in" {
						sign = -depth
					}
					want := vec.V{float32(-sign * 0.5 * k * math.Cos(k*x) * math.Cos(k*y)), float32(sign * 0.5 * k * math.Sin(k*x) * math.Sin(k*y)), 1}.Unit()
					for a := range want {
						worst = max(worst, math.Abs(float64(want[a]-out[a][i])))
					}
				}
				assert.Less(t, worst, 0.001, "size %v, %v times as far, %s", size, far, way)
			}
		}
	}
	env := see(t, stagetest.Of(t, mesh.Sphere(1, 32, 16)), 40, 1)
	flat := give(t, env, `[{"id":"b","kind":"bump","in":{"height":0.7}}]`, "b.normal")
	env.Points.Resolve(sample.Normal, 1)
	for k := range flat {
		assert.Equal(t, env.Points.Norm[k], flat[k], "what is the same everywhere is no relief")
	}
}

// A wave of 0.3 radian a pixel, whose sides rise by a quarter, is as steep in each place as it is there, not a quarter of a
// pixel beside it.
func TestBumpLiesWhereTheReliefIs(t *testing.T) {
	env := see(t, stagetest.Of(t, mesh.Grid("sheet", 2, 2, func(u, v float64) vec.V { return vec.V{float32(u-0.5) * 2, float32(v-0.5) * 2, 0} })), 160, 1)
	env.Points.Resolve(sample.Pos|sample.Foot, 1)
	diagonal := 2 * math.Sqrt2
	k := 0.3 / float64(env.Points.Foot[0]) * diagonal
	depth := 0.5 / k
	out := give(t, env, fmt.Sprintf(`[{"id":"at","kind":"coordinates"},{"id":"h","kind":"formula","set":{"text":"0.5 + 0.5 * sin(%v * (0.8 * p.x + 0.6 * p.y))","inputs":[{"key":"p","type":"vector"}]},"in":{"p":"at.vector"}},
		{"id":"b","kind":"bump","in":{"height":"h.value","depth":%v}}]`, k, depth), "b.normal")
	worst := 0.0
	for i := range env.Points.N {
		slope := 0.25 * math.Cos(k*(0.8*float64(env.Points.Pos[0][i])+0.6*float64(env.Points.Pos[1][i]))/diagonal)
		want := vec.V{float32(-0.8 * slope), float32(-0.6 * slope), 1}.Unit()
		for a := range want {
			worst = max(worst, math.Abs(float64(want[a]-out[a][i])))
		}
	}
	assert.Less(t, worst, 0.002)
}

// A texture is the same on a model in millimetres and in metres, wherever it stands.
func TestTexturesAreRelativeToTheModel(t *testing.T) {
	for _, kind := range []string{"noise", "cells", "waves", "checker", "gradient"} {
		spec := cat.Spec(kind)
		var first []node.Plane
		for k, size := range []float64{1, 1000, 0.001} {
			sc := stagetest.Of(t, mesh.Torus(size, 0.4*size, 48, 24))
			if k == 1 {
				sc.Stage.Models[0].At, sc.Stage.Models[0].Scale = vec.V{5, 6, 7}, 0.001
				sc = stagetest.Again(t, sc)
				sc.Stage.Camera = sc.Stage.Camera.Frame(sc.Box, 1)
			}
			out := give(t, see(t, sc, 48, 1), `[{"id":"x","kind":"`+kind+`"}]`, "x."+spec.Outputs[0].Key)
			if first == nil {
				first = out
			}
			require.Equal(t, len(first[0]), len(out[0]))
			differ := 0
			for i := range out[0] {
				if math.Abs(float64(out[0][i]-first[0][i])) > 0.02 {
					differ++
				}
			}
			assert.LessOrEqual(t, differ, len(out[0])/50, "%s at size %v", kind, size)
		}
	}
}

// Seen from far away a texture is its mean: no speckle, no moiré. With a place wired it knows
// by itself how much of it a pixel covers.
func TestTexturesFadeToTheirMean(t *testing.T) {
	sheet := mesh.Grid("sheet", 2, 2, func(u, v float64) vec.V { return vec.V{float32(u - 0.5), float32(v - 0.5), 0} })
	for _, in := range []string{``, `,"place":"p.vector"`} {
		for kind, c := range map[string]struct {
			nodes string
			mean  float64
		}{
			"noise":   {`"kind":"noise","set":{"octaves":3},"in":{"size":0.002%s}`, 0.5},
			"cells":   {`"kind":"cells","in":{"size":0.002%s}`, 0.55},
			"waves":   {`"kind":"waves","set":{"profile":"pulse"},"in":{"spacing":0.0021,"width":0.3%s}`, 0.3},
			"checker": {`"kind":"checker","in":{"sizes":[0.002,0.002,0]%s}`, 0.5},
		} {
			env := see(t, stagetest.Of(t, sheet), 64, 1)
			port := "tone"
			if kind == "cells" {
				port = "nearest"
			}
			out := give(t, env, `[{"id":"at","kind":"coordinates"},{"id":"p","kind":"place","in":{"place":"at.vector","turn":[0,0,20]}},{"id":"x",`+fmt.Sprintf(c.nodes, in)+`}]`, "x."+port)[0]
			var sum, square float64
			for _, v := range out {
				sum, square = sum+float64(v), square+float64(v)*float64(v)
			}
			mean := sum / float64(len(out))
			assert.InDelta(t, c.mean, mean, 0.06, "%s %s", kind, in)
			assert.Less(t, math.Sqrt(max(0, square/float64(len(out))-mean*mean)), 0.06, "%s %s: it does not speckle", kind, in)
		}
	}
}

func TestPlacesAreMovedTurnedAndStretched(t *testing.T) {
	env := see(t, stagetest.Of(t, mesh.Sphere(1, 24, 12)), 24, 1)
	at := give(t, env, `[{"id":"at","kind":"coordinates"}]`, "at")
	turned := give(t, env, `[{"id":"at","kind":"coordinates"},{"id":"p","kind":"place","in":{"place":"at.vector","move":[0.1,0.2,0.3],"turn":[0,0,90],"stretch":[2,1,0.5]}}]`, "p")
	own := give(t, env, `[{"id":"p","kind":"place"}]`, "p")
	bent := give(t, env, `[{"id":"p","kind":"warp","in":{"by":[1,0.5,0],"amount":0.2}}]`, "p")
	for i := range at[0] {
		// What is drawn along it turns a quarter from x to y: the place turns back.
		assert.InDelta(t, (at[1][i]-0.2)/2, turned[0][i], 1e-5)
		assert.InDelta(t, -(at[0][i] - 0.1), turned[1][i], 1e-5)
		assert.InDelta(t, (at[2][i]-0.3)*2, turned[2][i], 1e-5)
		for k, by := range []float64{0.2, 0, -0.2} {
			assert.InDelta(t, at[k][i], own[k][i], 1e-6)
			assert.InDelta(t, float64(at[k][i])+by, bent[k][i], 1e-5)
		}
	}
}

func TestGradientsInClosedForm(t *testing.T) {
	env := see(t, stagetest.Of(t, mesh.Cuboid(vec.V{2, 2, 2})), 24, 1)
	env.Points.Resolve(sample.Pos, 1)
	form := func(key string) node.Plane {
		return give(t, env, `[{"id":"at","kind":"coordinates","set":{"space":"box"}},{"id":"x","kind":"gradient","set":{"form":"`+key+`"},"in":{"place":"at.vector","from":[0.5,0.25,0.5],"to":[0.5,0.75,0.5],"reach":0.6}}]`, "x")[0]
	}
	along, back, point, axis, round := form("along"), form("back"), form("point"), form("axis"), form("round")
	for i := range along {
		x, y, z := float64(env.Points.Pos[0][i])/2, float64(env.Points.Pos[1][i])/2, float64(env.Points.Pos[2][i])/2
		limit := func(v float64) float64 { return max(0, min(1, v)) }
		h := (y + 0.25) * 2
		assert.InDelta(t, limit(h), along[i], 1e-5)
		assert.InDelta(t, limit(1-math.Abs(2*h-1)), back[i], 1e-5)
		assert.InDelta(t, limit(2*math.Sqrt(x*x+(y+0.25)*(y+0.25)+z*z)), point[i], 1e-4)
		assert.InDelta(t, limit(math.Hypot(x, z)/0.6), axis[i], 1e-4)
		assert.True(t, round[i] >= 0 && round[i] <= 1)
	}
}

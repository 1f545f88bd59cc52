package eval_test

import (
	"context"
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/eval"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/stage/stagetest"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

func parsed(t testing.TB, text string) *network.Network {
	t.Helper()
	n := &network.Network{}
	require.NoError(t, json.Unmarshal([]byte(text), &n.Nodes))
	return n
}

// withKinds adds kinds to the catalogue for one test.
func withKinds(t testing.TB, kinds ...*node.Kind) {
	t.Helper()
	t.Cleanup(node.Add(kinds...))
}

// slope gives how fast what is wired to it changes along the surface: what a bump is made of.
func slope() *node.Kind {
	return &node.Kind{
		Spec: network.Spec{Kind: "test-slope", Name: "Test slope", Family: "relief", Purpose: "How steep.",
			Inputs:  []network.Port{{Key: "height", Name: "height", Type: network.Tone, Default: 0.0}},
			Outputs: []network.Port{{Key: "vector", Name: "slope", Type: network.Vector}}},
		Needs:     sample.Normal | sample.Foot,
		Elsewhere: func(any, int) []sample.Variant { return []sample.Variant{sample.AlongU, sample.AlongV} },
		Run: func(c *node.Call) {
			p := c.Points
			for i := range c.N {
				k := c.Lo + i
				u, v := sample.Frame(vec.V{p.Norm[0][k], p.Norm[1][k], p.Norm[2][k]})
				h := c.In[0][0][i]
				g := u.Mul((c.Elsewhere(0)[0][i] - h) / p.Step(k)).Add(v.Mul((c.Elsewhere(1)[0][i] - h) / p.Step(k)))
				for a := range 3 {
					c.Out[0][a][i] = g[a]
				}
			}
		},
	}
}

// What feeds a node is evaluated elsewhere on the surface: the slope of a place along the
// model is the direction of its axis, less what points off the surface.
func TestWhatFeedsANodeIsEvaluatedElsewhere(t *testing.T) {
	withKinds(t, slope())
	_, env := setup(t)
	n := parsed(t, `[
		{"id":"place","kind":"coordinates","set":{"space":"world"}},
		{"id":"xyz","kind":"formula","set":{"text":"p.x","inputs":[{"key":"p","type":"vector"}]},"in":{"p":"place.vector"}},
		{"id":"slope","kind":"test-slope","in":{"height":"xyz.value"}}]`)
	require.NoError(t, n.Settle(cat))
	out := run(t, n, env, "slope")[0]
	p := env.Points
	p.Resolve(sample.Normal|sample.Eye, 1)
	seen := 0
	for i := range p.N {
		nrm := vec.V{p.Norm[0][i], p.Norm[1][i], p.Norm[2][i]}
		if nrm.Dot(vec.V{p.Eye[0][i], p.Eye[1][i], p.Eye[2][i]}) < 0.3 {
			continue
		}
		seen++
		want := vec.V{1, 0, 0}.Sub(nrm.Mul(nrm[0])).Mul(1 / env.Scene.Size)
		for k := range 3 {
			require.InDelta(t, want[k], out[k][i], 0.1/float64(env.Scene.Size), "sample %d", i)
		}
	}
	require.Greater(t, seen, 2000)
}

func TestReliefOnReliefIsLimitedAndSaysSo(t *testing.T) {
	withKinds(t, slope())
	_, env := setup(t)
	deep := parsed(t, `[
		{"id":"place","kind":"coordinates","set":{"space":"world"}},
		{"id":"a","kind":"test-slope","in":{"height":"place.vector"}},
		{"id":"b","kind":"test-slope","in":{"height":"a.vector"}},
		{"id":"c","kind":"test-slope","in":{"height":"b.vector"}}]`)
	require.NoError(t, deep.Settle(cat))
	p, err := eval.Compile(deep, cat)
	require.NoError(t, err)
	assert.Equal(t, []string{"a"}, p.TooDeep(), "the third in a row gets what feeds it as it is")
	run(t, deep, env, "c")
	deep.Nodes = deep.Nodes[:3]
	p, err = eval.Compile(deep, cat)
	require.NoError(t, err)
	assert.Empty(t, p.TooDeep())
}

// Seen from three sides, what reads texture coordinates is evaluated three times more, and
// nothing else is.
func TestSidesConcernWhatReadsCoordinates(t *testing.T) {
	ran := map[string]int{}
	counted := func(key string, needs sample.Attr) *node.Kind {
		return &node.Kind{
			Spec: network.Spec{Kind: key, Name: key, Family: "surface", Purpose: "-",
				Inputs: []network.Port{{Key: "in", Name: "in", Type: network.Tone, Default: 0.0}}, Outputs: []network.Port{{Key: "out", Name: "out", Type: network.Tone}}},
			Needs: needs,
			Run: func(c *node.Call) {
				ran[key] += c.N
				for i := range c.N {
					c.Out[0][0][i] = c.In[0][0][i]
					if needs == sample.UV {
						c.Out[0][0][i] += c.Points.UV[0][c.Lo+i]
					}
				}
			},
		}
	}
	sides := &node.Kind{
		Spec: network.Spec{Kind: "test-sides", Name: "Test sides", Family: "texture", Purpose: "-",
			Inputs: []network.Port{{Key: "in", Name: "in", Type: network.Tone, Default: 0.0}}, Outputs: []network.Port{{Key: "out", Name: "out", Type: network.Vector}}},
		Elsewhere: func(any, int) []sample.Variant {
			return []sample.Variant{sample.FromX, sample.FromY, sample.FromZ}
		},
		Run: func(c *node.Call) {
			for k := range 3 {
				copy(c.Out[0][k], c.Elsewhere(k)[0])
			}
		},
	}
	withKinds(t, counted("test-uv", sample.UV), counted("test-normal", sample.Normal), counted("test-still", 0), sides)
	_, env := setup(t)
	env.Workers = 1
	n := parsed(t, `[
		{"id":"still","kind":"test-still","in":{"in":2}},
		{"id":"normal","kind":"test-normal","in":{"in":"still.out"}},
		{"id":"uv","kind":"test-uv","in":{"in":"normal.out"}},
		{"id":"sides","kind":"test-sides","in":{"in":"uv.out"}}]`)
	require.NoError(t, n.Settle(cat))
	out := run(t, n, env, "sides")[0]
	points := env.Points.N
	assert.Equal(t, map[string]int{"test-still": 1, "test-normal": points, "test-uv": 4 * points}, ran, "what does not change with the place is computed once")
	for k, v := range []sample.Variant{sample.FromX, sample.FromY, sample.FromZ} {
		from := env.Points.Variant(v)
		from.Resolve(sample.UV, 1)
		for i := range points {
			require.Equal(t, 2+from.UV[0][i], out[k][i])
		}
	}
}

func TestOnlyTheLiveSideOfASwitchIsComputed(t *testing.T) {
	_, env := setup(t)
	n := parsed(t, `[
		{"id":"light","kind":"diffuse-light","set":{"shadows":true}},
		{"id":"face","kind":"facing"},
		{"id":"pick","kind":"switch","set":{"carries":"tone","choices":[{"key":"a","name":"a"},{"key":"b","name":"b"}],"live":"b"},"in":{"a":"light.tone","b":"face.tone"}},
		{"id":"bands","kind":"ramp","in":{"tone":"pick.value"}}]`)
	require.NoError(t, n.Settle(cat))
	env.Kept, env.KeepAll = eval.NewKept(64<<20), true
	out := run(t, n, env, "pick.value", "face.tone", "bands")
	assert.Same(t, &out[0][0][0], &out[1][0][0], "handed on as it is")
	assert.Equal(t, 4*env.Points.N*(1+3), env.Kept.Bytes(), "the light is not computed, and nothing is kept twice")
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	target, _, err := p.Output(network.ParseRef("bands"))
	require.NoError(t, err)
	assert.Equal(t, []string{"face", "pick", "bands"}, p.Behind([]eval.Target{target}), "the way leads through the switch")
	assert.False(t, p.Rays([]eval.Target{target}))

	first := parsed(t, `[
		{"id":"light","kind":"diffuse-light","set":{"shadows":true}},
		{"id":"face","kind":"facing"},
		{"id":"pick","kind":"switch","set":{"carries":"tone","choices":[{"key":"a","name":"a"},{"key":"b","name":"b"}],"live":"a"},"in":{"a":"face.tone","b":"light.tone"}},
		{"id":"bands","kind":"ramp","in":{"tone":"pick.value"}}]`)
	require.NoError(t, first.Settle(cat))
	own := env
	own.Kept = eval.NewKept(64 << 20)
	run(t, first, own, "bands")
	assert.Equal(t, 4*env.Points.N*(1+3), own.Kept.Bytes(), "nor is it where the first is live")

	// What has to be converted on the way in, or is typed, or is not there.
	for _, c := range []struct{ in, live string }{{`"a":"light.colour","b":0.25`, "a"}, {`"a":"light.colour","b":0.25`, "b"}} {
		m := parsed(t, `[{"id":"light","kind":"diffuse-light"},{"id":"grey","kind":"switch","set":{"carries":"tone","choices":[{"key":"a","name":"a"},{"key":"b","name":"b"}],"live":"`+c.live+`"},"in":{`+c.in+`}},
			{"id":"end","kind":"finish","in":{"colour":"grey.value"}}]`)
		require.NoError(t, m.Settle(cat))
		p, err := eval.Compile(m, cat)
		require.NoError(t, err)
		got, err := p.Run(context.Background(), env, p.Input("end", "colour"))
		require.NoError(t, err)
		want := run(t, m, env, "grey.value")[0][0]
		for i := range want {
			for k := range 3 {
				require.Equal(t, want[i], got[0][k][i])
			}
			if c.live == "b" {
				require.EqualValues(t, 0.25, want[i])
			}
		}
	}
	m := parsed(t, `[{"id":"lines","kind":"switch","set":{"carries":"lines","choices":[{"key":"a","name":"a"}],"live":"a"}}]`)
	require.NoError(t, m.Settle(cat))
	assert.Len(t, run(t, m, env, "lines.value")[0], 5, "no lines are no error")
}

// Light that is turned by a wired normal sends its rays to where that normal looks: upside
// down, the underside of a ball is lit as its upper side is.
func TestShadowReadingsSeeWiredNormals(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 96, 48))
	sc.Lights[0].Dir, sc.Lights[0].Shadows = vec.V{0, 1, 0}, true
	view := sc.Stage.Camera.View(80, 80)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	env := eval.Env{Points: sample.Seen(vis, sc, view, 1, []int{0}, nil)[0], Workers: 2,
		Scene: &node.Scene{Scene: sc, Tracer: &shade.Tracer{Scene: sc, Rays: trace.NewScene(sc.Geometry, nil, 1), Workers: 1}}}
	n := parsed(t, `[
		{"id":"normal","kind":"normal"},
		{"id":"up","kind":"formula","set":{"text":"v * 0 + vec3(0, 3, 0)","gives":"vector","inputs":[{"key":"v","type":"vector"}]},"in":{"v":"normal.vector"}},
		{"id":"own","kind":"diffuse-light","set":{"shadows":true}},
		{"id":"light","kind":"diffuse-light","set":{"shadows":true},"in":{"normal":"up.value"}}]`)
	require.NoError(t, n.Settle(cat))
	out := run(t, n, env, "light.tone", "own.tone")
	p := env.Points
	p.Resolve(sample.Pos|sample.Normal, 1)
	lit := 0
	for i := range p.N {
		y := float64(p.Norm[1][i])
		if math.Abs(y) < 0.15 {
			continue
		}
		if y > 0 {
			lit++
			require.InDelta(t, 1, out[0][0][i], 1e-5, "the normal looks straight at the light, and nothing stands between")
			require.InDelta(t, y, out[1][0][i], 1e-3)
		} else {
			require.Zero(t, out[0][0][i], "the ball itself stands between: the rays begin on its surface")
		}
	}
	require.Greater(t, lit, 500)
}

// A whole-set step sees all values of its inputs, whatever stage they come from.
func TestWholeSetStepsSeeAllOfTheirInputs(t *testing.T) {
	// The share of points whose value is greater: it needs all of them.
	rank := func(key string) *node.Kind {
		return &node.Kind{
			Spec: network.Spec{Kind: key, Name: key, Family: "tone", Purpose: "-",
				Inputs: []network.Port{{Key: "in", Name: "in", Type: network.Tone, Default: 0.0}}, Outputs: []network.Port{{Key: "out", Name: "out", Type: network.Tone}}},
			WholeOf: func(any, node.Reading) []string { return []string{"in"} },
			Whole: func(_ context.Context, w *node.Whole) (any, error) {
				sum := float64(0)
				if w.In[0] != nil {
					for _, v := range w.In[0][0] {
						sum += float64(v)
					}
				}
				return float32(sum / float64(w.Points.N)), nil
			},
			Run: func(c *node.Call) {
				for i := range c.N {
					c.Out[0][0][i] = c.In[0][0][i] - c.Found.(float32)
				}
			},
		}
	}
	withKinds(t, rank("test-mean"))
	_, env := setup(t)
	n := parsed(t, `[
		{"id":"face","kind":"facing"},
		{"id":"one","kind":"test-mean","in":{"in":"face.tone"}},
		{"id":"sum","kind":"maths","set":{"operation":"add"},"in":{"a":"one.out","b":3}},
		{"id":"two","kind":"test-mean","in":{"in":"sum"}},
		{"id":"same","kind":"test-mean","in":{"in":0.5}}]`)
	require.NoError(t, n.Settle(cat))
	for range 2 { // the second time from what is kept
		out := run(t, n, env, "one", "two", "same", "face.tone")
		var sum float64
		for i := range out[0][0] {
			require.InDelta(t, out[0][0][i], out[1][0][i], 1e-4)
			require.InDelta(t, 0.5, out[2][0][i], 1e-6)
			sum += float64(out[0][0][i])
		}
		require.InDelta(t, 0, sum/float64(env.Points.N), 1e-4)
		env.Kept = eval.NewKept(64 << 20)
	}
}

// Renaming a light, or changing one that nobody reads, changes no key.
func TestKeysHangOnWhatIsRead(t *testing.T) {
	n := parsed(t, `[{"id":"light","kind":"diffuse-light","set":{"lights":["sun"],"reads":"picked"}},{"id":"face","kind":"facing"},{"id":"both","kind":"maths","in":{"a":"light.tone","b":"face.tone"}},{"id":"now","kind":"time"}]`)
	require.NoError(t, n.Settle(cat))
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	sc := stagetest.Of(t, mesh.Sphere(1, 16, 8))
	sc.Lights = append(sc.Lights, sc.Lights[0])
	sc.Lights[0].ID, sc.Lights[1].ID = "sun", "other"
	scene := &node.Scene{Scene: sc}
	keys := func() map[string]eval.Key {
		out := map[string]eval.Key{}
		for _, id := range []string{"light", "face", "both", "now"} {
			target, _, err := p.Output(network.ParseRef(id))
			require.NoError(t, err)
			out[id] = p.KeyOf(target, eval.NewMoment(scene, 0))
		}
		return out
	}
	was := keys()
	sc.Lights[0].Name = "Evening sun"
	sc.Lights[1].Dir, sc.Lights[1].Strength = vec.V{0, 0, 1}, 5
	assert.Equal(t, was, keys())
	sc.Lights[0].Strength = 2
	now := keys()
	assert.NotEqual(t, was["light"], now["light"])
	assert.NotEqual(t, was["both"], now["both"])
	assert.Equal(t, was["face"], now["face"])
	assert.Equal(t, was["now"], now["now"])
	scene.Time.Seconds = 3
	later := keys()
	assert.NotEqual(t, now["now"], later["now"])
	assert.Equal(t, now["light"], later["light"])
}

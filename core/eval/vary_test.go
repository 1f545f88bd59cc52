package eval_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/eval"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// page is a flat square that fills a picture of w × w pixels, and the points of any places
// within them.
func page(t testing.TB, w int) (env eval.Env, strewn func(k, n int) *sample.Points) {
	t.Helper()
	sc := stagetest.Of(t, mesh.Grid("page", 3, 3, func(u, v float64) vec.V { return vec.V{float32(4*u - 2), float32(4*v - 2), 0} }))
	sc.Stage.Camera = stage.Camera{Distance: 3, Angle: 30, Ortho: true}
	sc = stagetest.Again(t, sc)
	view := sc.Stage.Camera.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	points := func() *sample.Points { return sample.Seen(vis, sc, view, 1, []int{0}, nil)[0] }
	return eval.Env{Points: points(), Scene: &node.Scene{Scene: sc}, Workers: 2}, func(k, n int) *sample.Points {
		p := points()
		p.Strew(k, n)
		return p
	}
}

// What is found to vary within a pixel is what does: all places where many positions differ
// by more than the middles of the pixels about show are found, and few others are.
func TestWhatVariesWithinAPixelIsFound(t *testing.T) {
	const w, positions = 40, 64
	env, strewn := page(t, w)
	place := `{"id":"page","kind":"coordinates","set":{"space":"page"}},`
	formula := func(id, text, from string) string {
		return fmt.Sprintf(`{"id":%q,"kind":"formula","set":{"text":%q,"gives":"vector","inputs":[{"key":"p","type":"vector"}]},"in":{"p":%q}},`, id, text, from)
	}
	tone := func(id, text, from string) string {
		return fmt.Sprintf(`{"id":%q,"kind":"formula","set":{"text":%q,"inputs":[{"key":"t","type":"tone"}]},"in":{"t":%q}},`, id, text, from)
	}
	for name, c := range map[string]struct {
		nodes string
		most  float64 // share of the pixels that may be named
	}{
		"thin stripes, 8 pixels apart":              {place + formula("out", "vec3(fract(p.x * 5.0 + 0.1) < 0.06 ? 1.0 : 0.0)", "page.vector"), 0.45},
		"thin stripes, 20 pixels apart":             {place + formula("out", "vec3(fract(p.x * 2.0 + 0.1) < 0.02 ? 1.0 : 0.0)", "page.vector"), 0.2},
		"through a colour to a tone":                {place + formula("saw", "vec3(0, fract(p.x * 5.0 + 0.1) < 0.06 ? 1.0 : 0.0, 0)", "page.vector") + tone("out", "t * 2.0", "saw.value"), 0.45},
		"through the length of a vector":            {place + formula("saw", "vec3(fract(p.x * 5.0 + 0.1) < 0.06 ? 3.0 : 0.0, 4, 0)", "page.vector") + tone("out", "t - 4.0", "saw.value"), 0.45},
		"of a negative vector":                      {place + formula("saw", "vec3(-3.0 * fract(p.x * 5.0 + 0.1), -4, 0)", "page.vector") + tone("out", "t > 4.99 ? 1.0 : 0.0", "saw.value"), 0.45},
		"of a tone as a vector":                     {place + tone("saw", "fract(t * 9.0) < 0.05 ? 1.0 : 0.0", "page.vector") + formula("out", "p.zyx", "saw.value"), 1},
		"through a node that bounds nothing":        {place + tone("saw", "fract(t * 7.0)", "page.vector") + `{"id":"out","kind":"tone-adjust","in":{"tone":"saw.value"}},`, 1},
		"thin ones through one that bounds nothing": {place + tone("saw", "fract(t * 5.0 + 0.1) < 0.06 ? 1.0 : 0.0", "page.vector") + `{"id":"out","kind":"tone-adjust","in":{"tone":"saw.value"}},`, 1},
		"a slope alone":                             {place + tone("saw", "fract(t * 0.4 + 0.05)", "page.vector") + `{"id":"out","kind":"blend","in":{"base":"saw.value","over":"#FF0000","amount":0.5}},`, 1},
		"a soft step":                               {place + tone("saw", "fract(t * 9.0)", "page.vector") + `{"id":"out","kind":"soft-step","in":{"tone":"saw.value","threshold":0.95,"softness":0.02}},`, 1},
		"a soft step whose threshold varies":        {place + tone("saw", "fract(t * 9.0)", "page.vector") + `{"id":"out","kind":"soft-step","in":{"tone":0.95,"threshold":"saw.value"}},`, 1},
		"a thin band of a ramp":                     {place + tone("t", "t * 1.0", "page.vector") + `{"id":"out","kind":"ramp","in":{"tone":"t.value"},"set":{"stops":[{"at":0,"color":"#000000"},{"at":0.505,"color":"#FFFFFF"},{"at":0.509,"color":"#000000"}]}},`, 0.2},
		"maths":                                     {place + `{"id":"far","kind":"maths","set":{"carries":"vector","operation":"multiply"},"in":{"a":"page.vector","b":[8,8,8]}},{"id":"saw","kind":"maths","set":{"carries":"vector","operation":"fraction"},"in":{"a":"far.value"}},{"id":"out","kind":"maths","set":{"carries":"vector","operation":"power"},"in":{"a":"saw.value","b":[20,20,20]}},`, 1},
		"a whole number":                            {place + tone("out", "float(int(t * 30.0) & 1)", "page.vector"), 1},
	} {
		n := parsed(t, "["+c.nodes[:len(c.nodes)-1]+"]")
		require.NoError(t, n.Settle(cat), name)
		p, err := eval.Compile(n, cat)
		require.NoError(t, err)
		target, _, err := p.Output(network.ParseRef("out"))
		require.NoError(t, err)
		targets := []eval.Target{target}
		varies, err := p.Varies(context.Background(), env, targets)
		require.NoError(t, err)
		middle, err := p.Run(context.Background(), env, targets)
		require.NoError(t, err)
		lo, hi := make([]float32, env.Points.N), make([]float32, env.Points.N)
		copy(lo, middle[0][0])
		copy(hi, middle[0][0])
		for k := range positions {
			at := env
			at.Points = strewn(k, positions)
			out, err := p.Run(context.Background(), at, targets)
			require.NoError(t, err)
			for i, v := range out[0][0] {
				lo[i], hi[i] = min(lo[i], v), max(hi[i], v)
			}
		}
		shownLo, shownHi := make([]float32, env.Points.N), make([]float32, env.Points.N)
		env.Points.HalfWay(middle[0][0], 0, shownLo, shownHi)
		named, hidden := 0, 0
		for i := range lo {
			unseen := lo[i] < shownLo[i]-0.03 || hi[i] > shownHi[i]+0.03
			if unseen {
				hidden++
				require.True(t, varies != nil && varies[i], "%s: pixel %d varies from %v to %v, where %v to %v is shown", name, i, lo[i], hi[i], shownLo[i], shownHi[i])
			}
			if varies != nil && varies[i] {
				named++
			}
		}
		if name != "a slope alone" {
			assert.Greater(t, hidden, 10, "%s: something is hidden", name)
		}
		assert.LessOrEqual(t, float64(named), c.most*float64(len(lo)), "%s", name)
	}
}

// Where no node folds, or all is one colour, nothing is looked for.
func TestNothingVariesWhereNothingFolds(t *testing.T) {
	env, strewn := page(t, 16)
	for _, text := range []string{
		`[{"id":"light","kind":"diffuse-light"},{"id":"out","kind":"ramp","in":{"tone":"light.tone"}}]`,
		`[{"id":"out","kind":"formula","set":{"text":"fract(a * 7.3)","inputs":[{"key":"a","type":"tone"}]},"in":{"a":0.4}}]`,
	} {
		n := parsed(t, text)
		require.NoError(t, n.Settle(cat))
		p, err := eval.Compile(n, cat)
		require.NoError(t, err)
		target, _, err := p.Output(network.ParseRef("out"))
		require.NoError(t, err)
		varies, err := p.Varies(context.Background(), env, []eval.Target{target})
		require.NoError(t, err)
		assert.Nil(t, varies)
	}
	n := parsed(t, `[{"id":"page","kind":"coordinates","set":{"space":"page"}},{"id":"out","kind":"formula","set":{"text":"fract(p.x * 3.0)","inputs":[{"key":"p","type":"vector"}]},"in":{"p":"page.vector"}}]`)
	require.NoError(t, n.Settle(cat))
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	target, _, err := p.Output(network.ParseRef("out"))
	require.NoError(t, err)
	some := env
	some.Points = strewn(0, 4).Pick([]int32{1, 2, 3})
	varies, err := p.Varies(context.Background(), some, []eval.Target{target})
	require.NoError(t, err)
	assert.Nil(t, varies, "points without neighbours show nothing")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = p.Varies(ctx, env, []eval.Target{target})
	assert.ErrorIs(t, err, context.Canceled)
}

// Constants take every conversion that wires do.
func TestConstantsThroughSwitchesAreConverted(t *testing.T) {
	_, env := setup(t)
	for _, c := range []struct {
		carries, value, reader string
		want                   []float32
	}{
		{"tone", "0.25", `{"id":"end","kind":"finish","in":{"colour":"sw.value"}}`, []float32{0.25, 0.25, 0.25}},
		{"vector", "[3,0,4]", `{"id":"end","kind":"finish","in":{"colour":"#FFFFFF","opacity":"sw.value"}}`, []float32{5}},
		{"colour", "[0,1,0]", `{"id":"end","kind":"finish","in":{"colour":"#FFFFFF","opacity":"sw.value"}}`, []float32{0.7152}},
		{"vector", "[3,0,4]", `{"id":"end","kind":"finish","in":{"colour":"sw.value"}}`, []float32{3, 0, 4}},
	} {
		n := parsed(t, `[{"id":"sw","kind":"switch","set":{"carries":"`+c.carries+`","choices":[{"key":"a","name":"a"}],"live":"a"},"in":{"a":`+c.value+`}},`+c.reader+`]`)
		require.NoError(t, n.Settle(cat))
		p, err := eval.Compile(n, cat)
		require.NoError(t, err)
		key := "colour"
		if len(c.want) == 1 {
			key = "opacity"
		}
		targets := p.Input("end", key)
		require.Len(t, targets, 1)
		out, err := p.Run(context.Background(), env, targets)
		require.NoError(t, err)
		for k, want := range c.want {
			require.InDelta(t, want, out[0][k][env.Points.N-1], 1e-4, "%+v", c)
		}
	}
}

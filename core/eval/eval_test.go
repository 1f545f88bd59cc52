package eval_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/light"
	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

var cat node.Catalogue

const look = `[
	{"id":"light","kind":"Diffuse light"},
	{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"}},
	{"id":"normal","kind":"Normal"},
	{"id":"mix","kind":"Blend","in":{"base":"bands.colour","over":"normal","amount":"bands.colour"}},
	{"id":"step","kind":"Soft step","in":{"tone":"normal"}},
	{"id":"flat","kind":"Blend","in":{"base":"light.tone","over":"#D4843F","amount":0}},
	{"id":"end","kind":"Finish","in":{"colour":"mix.colour"}}
]`

func setup(t testing.TB) (*network.Network, eval.Env) {
	t.Helper()
	n := &network.Network{}
	require.NoError(t, json.Unmarshal([]byte(look), &n.Nodes))
	require.NoError(t, n.Settle(cat))
	sc := stagetest.Of(t, mesh.Sphere(1, 64, 32))
	view := sc.Stage.Camera.View(120, 120)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	return n, eval.Env{Points: sample.Seen(vis, sc, view, 1, []int{0}, nil)[0], Scene: &node.Scene{Scene: sc}, Workers: 2}
}

func run(t testing.TB, n *network.Network, env eval.Env, refs ...string) [][]node.Plane {
	t.Helper()
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	var targets []eval.Target
	for _, r := range refs {
		target, _, err := p.Output(network.ParseRef(r))
		require.NoError(t, err)
		targets = append(targets, target)
	}
	out, err := p.Run(context.Background(), env, targets)
	require.NoError(t, err)
	return out
}

func Example() {
	p, _ := eval.Compile(&network.Network{Nodes: []network.Node{{ID: "paint", Kind: "colour"}}}, cat)
	target, kind, _ := p.Output(network.ParseRef("paint"))
	out, _ := p.Run(context.Background(), eval.Env{Points: &sample.Points{N: 1}, Workers: 1}, []eval.Target{target})
	fmt.Println(kind, color.C{out[0][0][0], out[0][1][0], out[0][2][0]}.Hex())
	// Output: colour #D4843F
}

func TestConversionsOnWires(t *testing.T) {
	n, env := setup(t)
	out := run(t, n, env, "normal", "step", "bands.colour", "mix", "flat", "light.tone")
	normal, step, bands, mix, flat, tone := out[0], out[1], out[2], out[3], out[4], out[5]
	for i := range env.Points.N {
		assert.EqualValues(t, 1, step[0][i], "a unit vector has length 1, above the threshold")
		a := color.C{bands[0][i], bands[1][i], bands[2][i]}.Luminance()
		for k := range 3 {
			require.InDelta(t, bands[k][i]+(normal[k][i]-bands[k][i])*a, mix[k][i], 1e-5, "amount by luminance, vector by component")
			require.Equal(t, tone[0][i], flat[k][i], "tone as grey")
		}
	}
}

func TestKeptResultsAreTheSameAndOnlyWhatChangedIsComputed(t *testing.T) {
	n, env := setup(t)
	plain := run(t, n, env, "mix")
	env.Kept = eval.NewKept(64 << 20)
	per := 4 * env.Points.N
	assert.Equal(t, plain, run(t, n, env, "mix"))
	assert.Equal(t, (1+3)*per, env.Kept.Bytes(), "the light, which is dear, and what was asked for")
	first := run(t, n, env, "light.tone")
	assert.Equal(t, (1+3)*per, env.Kept.Bytes(), "nothing is computed twice")

	require.NoError(t, n.SetValue(cat, "bands", "mixing", "oklab"))
	again := run(t, n, env, "mix")
	assert.Equal(t, (1+3+3+3)*per, env.Kept.Bytes(), "what feeds a changed step is kept now: it is likely to change again")
	normal := run(t, n, env, "normal")
	require.NoError(t, n.SetValue(cat, "bands", "mixing", "srgb"))
	run(t, n, env, "mix")
	assert.Equal(t, (1+3+3+3+3)*per, env.Kept.Bytes(), "so that a further change costs what hangs on it alone")
	assert.Same(t, &normal[0][0][0], &run(t, n, env, "normal")[0][0][0])
	assert.Same(t, &first[0][0][0], &run(t, n, env, "light.tone")[0][0][0], "what lies before the change is kept")
	plainAgain := env
	plainAgain.Kept = nil
	require.NoError(t, n.SetValue(cat, "bands", "mixing", "oklab"))
	assert.Equal(t, run(t, n, plainAgain, "mix"), again)

	env.Scene.Lights[0].Dir = vec.V{0, 1, 0}
	moved := run(t, n, env, "light.tone")
	assert.NotSame(t, &first[0][0][0], &moved[0][0][0], "a moved light is read anew")
	assert.Same(t, &normal[0][0][0], &run(t, n, env, "normal")[0][0][0], "a normal does not hang on lights")

	all := env.Kept.Bytes()
	env.Kept.Shed(0)
	assert.Equal(t, all, env.Kept.Bytes())
	env.Kept.Shed(1)
	assert.Less(t, env.Kept.Bytes(), all)
	assert.GreaterOrEqual(t, env.Kept.Bytes(), all-3*per, "of one step")
	assert.Same(t, &normal[0][0][0], &run(t, n, env, "normal")[0][0][0], "what was used last stays")
	env.Kept.Shed(1 << 40)
	assert.Zero(t, env.Kept.Bytes())
}

func TestTheBudgetHolds(t *testing.T) {
	n, env := setup(t)
	env.Kept = eval.NewKept(20 * env.Points.N)
	for i := range 20 {
		require.NoError(t, n.SetConstant(cat, "step", "threshold", float64(i)))
		run(t, n, env, "mix", "step")
		assert.LessOrEqual(t, env.Kept.Bytes(), 20*env.Points.N)
	}
}

func TestTheSameOnAnyNumberOfCores(t *testing.T) {
	n, env := setup(t)
	env.Workers = 1
	one := run(t, n, env, "mix", "step")
	env.Workers = 4
	assert.Equal(t, one, run(t, n, env, "mix", "step"))
}

func TestRunStopsWhenAsked(t *testing.T) {
	n, env := setup(t)
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = p.Run(ctx, env, p.Input("end", "colour"))
	assert.ErrorIs(t, err, context.Canceled)
}

func TestTargets(t *testing.T) {
	n, env := setup(t)
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	assert.Empty(t, p.Input("end", "lines"), "an input with neither wire nor value")
	assert.Empty(t, p.Input("ghost", "colour"))
	opacity := p.Input("end", "opacity")
	require.Len(t, opacity, 1)
	out, err := p.Run(context.Background(), env, opacity)
	require.NoError(t, err)
	assert.EqualValues(t, 1, out[0][0][env.Points.N-1])
	_, _, err = p.Output(network.Ref{Node: "light", Port: "glow"})
	assert.Error(t, err)
	_, _, err = p.Output(network.Ref{Node: "ghost"})
	assert.Error(t, err)
}

func TestWhatTargetsCarryAndSend(t *testing.T) {
	n := parsed(t, `[{"id":"light","kind":"diffuse-light","set":{"shadows":true}},{"id":"shadow","kind":"cast-shadow"},{"id":"plain","kind":"diffuse-light","set":{"shadows":false}},
		{"id":"ink","kind":"edge-lines"},{"id":"tint","kind":"blend","in":{"base":"light.tone"}},
		{"id":"end","kind":"finish","in":{"colour":"tint.colour","opacity":"shadow.tone","lines":"ink.lines"}}]`)
	require.NoError(t, n.Settle(cat))
	p, err := eval.Compile(n, cat)
	require.NoError(t, err)
	at := func(ref string) eval.Target {
		target, _, err := p.Output(network.ParseRef(ref))
		require.NoError(t, err)
		return target
	}
	rule, ok := p.Lines(at("ink.lines")).(line.Edges)
	require.True(t, ok)
	assert.True(t, rule.Outer)
	lines := p.Input("end", "lines")
	require.Len(t, lines, 1)
	assert.Equal(t, line.Rule(rule), p.Lines(lines[0]))
	assert.Nil(t, p.Lines(at("tint.colour")))
	assert.Nil(t, p.Lines(p.Input("tint", "over")[0]), "a constant")

	for ref, sends := range map[string]bool{"light.tone": true, "tint.colour": true, "shadow.tone": true, "plain.tone": false, "ink.lines": false} {
		assert.Equal(t, sends, p.Rays([]eval.Target{at(ref)}), ref)
	}
	assert.True(t, p.Rays([]eval.Target{at("ink.lines"), at("tint.colour")}))
	assert.False(t, p.Rays(nil))
}

// What reads a headlamp depends on where the eye is, beside what the kind itself says; what reads other lights does not.
func TestAHeadlampIsReadByTheEye(t *testing.T) {
	n := parsed(t, `[{"id":"lit","kind":"diffuse-light"},{"id":"rim","kind":"facing"},{"id":"end","kind":"finish","in":{"colour":"lit.tone","opacity":"rim.tone"}}]`)
	require.NoError(t, n.Settle(node.Catalogue{}))
	p, err := eval.Compile(n, node.Catalogue{})
	require.NoError(t, err)
	lit, _, err := p.Output(network.Ref{Node: "lit", Port: "tone"})
	require.NoError(t, err)
	facing, _, err := p.Output(network.Ref{Node: "rim", Port: "tone"})
	require.NoError(t, err)
	source := func(kind light.Kind) light.Source { return light.Source{Kind: kind, Strength: 1} }
	assert.Empty(t, p.Eyed([]eval.Target{lit}, []light.Source{source(light.Sun)}))
	assert.Equal(t, []string{"lit"}, p.Eyed([]eval.Target{lit}, []light.Source{source(light.Sun), source(light.Headlamp)}))
	assert.Equal(t, []string{"lit"}, p.Eyed([]eval.Target{lit}, []light.Source{source(light.Headlamp), source(light.Sun)}))
	assert.Equal(t, []string{"rim"}, p.Eyed([]eval.Target{facing}, nil))
}

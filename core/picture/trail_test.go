package picture_test

import (
	"context"
	"math"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// soft is a scene with a hard, a soft and a bounced reading of light.
func soft(t testing.TB) (*stage.Scene, *network.Network) {
	t.Helper()
	st := stage.New()
	st.Camera.Elevation = 30
	wide := stage.NewLight("wide", "Wide", light.Point)
	wide.At, wide.Size, wide.Reach = vec.V{2, 3, 2}, 0.6, 4
	st.Lights = append(st.Lights, wide)
	floor := mesh.Grid("floor", 8, 8, func(u, v float64) vec.V { return vec.V{float32(4*u - 2), -0.6, float32(2 - 4*v)} })
	sc := stagetest.With(t, &st, mesh.Torus(0.75, 0.3, 64, 32), floor)
	return sc, look(t, `{"id":"light","kind":"Diffuse light","set":{"shadows":true,"bounce":"both"}},
		{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"}},
		{"id":"ink","kind":"Edge lines","in":{"colour":"light.colour"}},
		{"id":"end","kind":"Finish","in":{"colour":"bands.colour","lines":"ink.lines"}}`)
}

func TestSoftLightSettlesToTheSameBytes(t *testing.T) {
	sc, net := soft(t)
	j := job(sc, net, 120, 90, 16)
	want := bytesOf(t, picture.NewRenderer(1), j)
	for _, procs := range []int{1, 2} {
		was := runtime.GOMAXPROCS(procs)
		assert.Equal(t, want, bytesOf(t, picture.NewRenderer(procs), j), "GOMAXPROCS %d", procs)
		runtime.GOMAXPROCS(was)
	}
	// By way of other pictures it is the same: what is kept is what would be found anew.
	r := picture.NewRenderer(2)
	sc.Stage.Lights[1].At[0] = -2
	moved := stagetest.Again(t, sc)
	bytesOf(t, r, job(moved, net, 120, 90, 16))
	sc.Stage.Lights[1].At[0] = 2
	back := stagetest.Again(t, moved)
	quick := job(back, net, 120, 90, 1)
	quick.Quick = true
	bytesOf(t, r, quick)
	assert.Equal(t, want, bytesOf(t, r, job(back, net, 120, 90, 16)))
}

func TestADraggedStopDoesNotTraceTheLightAgain(t *testing.T) {
	sc, net := soft(t)
	r := picture.NewRenderer(2)
	shown := 0
	count := func(*picture.Result) { shown++ }
	require.NoError(t, r.Render(context.Background(), job(sc, net, 96, 64, 16), count))
	assert.Equal(t, 4, shown, "grainy, found out, four positions, sixteen")
	shown = 0
	next := net.Clone()
	require.NoError(t, next.SetValue(network.NewGrouped(node.Catalogue{}, nil), "bands", "stops", []color.Stop{{At: 0}, {At: 0.4, Color: color.C{1, 1, 1}, Edge: color.Step}}))
	require.NoError(t, r.Render(context.Background(), job(sc, &next, 96, 64, 16), count))
	assert.Equal(t, 3, shown, "what is known of the light stays known")

	// Occlusion depends on no light: what was found of it stays while a light moves.
	dark := look(t, `{"id":"light","kind":"Diffuse light"},{"id":"open","kind":"Occlusion"},{"id":"mix","kind":"Blend","in":{"base":"light.tone","over":"open.tone"},"set":{"mode":"multiply"}},
		{"id":"end","kind":"Finish","in":{"colour":"mix.colour"}}`)
	r, shown = picture.NewRenderer(2), 0
	require.NoError(t, r.Render(context.Background(), job(sc, dark, 96, 64, 16), count))
	assert.Equal(t, 4, shown, "grainy, found out, four positions, sixteen")
	sc.Stage.Lights[0].Azimuth += 40
	moved := stagetest.Again(t, sc)
	settled := bytesOf(t, picture.NewRenderer(2), job(moved, dark, 96, 64, 16))
	assert.Equal(t, settled, bytesOf(t, r, job(moved, dark, 96, 64, 16)), "the same as found anew")
}

func TestTrailEndsInTheColourOfThePixel(t *testing.T) {
	sc, net := soft(t)
	r := picture.NewRenderer(2)
	pix := make([]byte, 4*120*90)
	require.NoError(t, r.Render(context.Background(), job(sc, net, 120, 90, 16), func(res *picture.Result) { res.RGBA(pix, res.Bounds()) }))
	models := 0
	for y := 3; y < 90; y += 6 {
		for x := 3; x < 120; x += 6 {
			tr, err := r.Trail(context.Background(), (float64(x)+0.5)/90, (float64(y)+0.5)/90)
			require.NoError(t, err)
			require.Equal(t, pix[4*(y*120+x):4*(y*120+x)+4], tr.Shown[:])
			if len(tr.Steps) == 0 {
				continue
			}
			models++
			require.Equal(t, stagetest.Look, tr.Part.Look)
			require.Equal(t, "light", tr.Steps[0].ID, "from light")
			if tr.Lines == 0 && tr.Passes == 1 {
				n := tr.Finish.NRGBA()
				require.Equal(t, tr.Shown, [4]byte{n.R, n.G, n.B, 255}, "to ink")
			}
			for _, s := range tr.Steps {
				if s.ID == "bands" {
					require.Equal(t, tr.Steps[0].Outs[0].V[0], s.In[0], "a ramp reads what the light gives")
				}
			}
		}
	}
	assert.Greater(t, models, 40)
	_, err := r.Trail(context.Background(), 7, 0.5)
	assert.Error(t, err, "beside the picture")
	_, err = picture.NewRenderer(1).Trail(context.Background(), 0.5, 0.5)
	assert.Error(t, err, "before there is one")
}

func TestGripFindsTheBandEdgeUnderTheHand(t *testing.T) {
	sc := ball(t)
	sc.Stage.Lights[0].Azimuth = 30
	sc = stagetest.Again(t, sc)
	// Between the light and the ramp the tone is bent: the edge is found all the same.
	net := look(t, `{"id":"light","kind":"Diffuse light"},{"id":"bend","kind":"Tone adjust","in":{"tone":"light.tone","gamma":2.0}},
		{"id":"bands","kind":"Ramp","in":{"tone":"bend.tone"}},{"id":"step","kind":"Soft step","in":{"tone":"light.tone","threshold":0.9}},
		{"id":"mix","kind":"Blend","in":{"base":"bands.colour","amount":"step.tone"}},{"id":"end","kind":"Finish","in":{"colour":"mix.colour"}}`)
	r := picture.NewRenderer(2)
	require.NoError(t, r.Render(context.Background(), job(sc, net, 240, 240, 1), func(*picture.Result) {}))
	ctx := context.Background()
	row := 0.5
	found := map[string]int{}
	for x := 0.02; x < 1; x += 0.01 {
		g, ok, err := r.Grip(ctx, x, row, "")
		require.NoError(t, err)
		if ok {
			found[g.Node+g.Key]++
			assert.LessOrEqual(t, g.Far, 12.0)
		}
	}
	assert.Greater(t, found["bandsstops"], 5)
	assert.Greater(t, found["stepthreshold"], 2)
	_, ok, err := r.Grip(ctx, 0.01, 0.01, "")
	require.NoError(t, err)
	assert.False(t, ok, "nothing to hold on the backdrop")
	// Where the hand goes, the tone says where the edge must lie.
	g := picture.Grip{Look: stagetest.Look, Node: "bands", Key: "stops", Index: 2}
	tone, err := r.Held(ctx, g, 0.6, 0.5)
	require.NoError(t, err)
	direct, err := r.Trail(ctx, 0.6, 0.5)
	require.NoError(t, err)
	assert.InDelta(t, math.Pow(float64(direct.Steps[0].Outs[0].V[0]), 1/2.0), float64(tone), 0.3)
	_, err = r.Held(ctx, g, 0.01, 0.01)
	assert.Error(t, err, "no tone on the backdrop")
	_, err = r.Held(ctx, picture.Grip{Look: stagetest.Look, Node: "gone"}, 0.6, 0.5)
	assert.Error(t, err)
}

func TestRangesAndTones(t *testing.T) {
	sc := ball(t)
	net := look(t, `{"id":"light","kind":"Diffuse light"},{"id":"never","kind":"Soft step","in":{"tone":"light.tone","threshold":2.0}},
		{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"}},{"id":"mix","kind":"Blend","in":{"base":"bands.colour","amount":"never.tone"}},
		{"id":"end","kind":"Finish","in":{"colour":"mix.colour"}}`)
	r := picture.NewRenderer(2)
	require.NoError(t, r.Render(context.Background(), job(sc, net, 64, 64, 1), func(*picture.Result) {}))
	v, err := r.Ranges(context.Background(), stagetest.Look)
	require.NoError(t, err)
	assert.Equal(t, picture.Range{}, v[network.Ref{Node: "never", Port: "tone"}])
	assert.Greater(t, v[network.Ref{Node: "light", Port: "tone"}].Max, float32(0.95))
	tones, err := r.Tones(context.Background(), stagetest.Look, "bands", "tone")
	require.NoError(t, err)
	assert.Greater(t, len(tones), 1500)
	for _, missing := range [][2]string{{"other", "bands"}, {stagetest.Look, "gone"}} {
		tones, err := r.Tones(context.Background(), missing[0], missing[1], "tone")
		assert.NoError(t, err)
		assert.Nil(t, tones)
	}
	assert.True(t, r.Seen(stagetest.Look))
	assert.False(t, r.Seen("other"))
}

func TestWhereThereIsNoPictureNothingIsAnswered(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	net := look(t, inked)
	r := picture.NewRenderer(2)
	asked := func(u, v float64) error {
		_, err := r.Trail(context.Background(), u, v)
		return err
	}
	assert.Error(t, asked(0.5, 0.5), "nothing was drawn")
	broken := net.Clone()
	broken.Nodes[0].Kind = "Nothing like it"
	fail := func(w, h int) {
		t.Helper()
		require.Error(t, r.Render(context.Background(), job(sc, &broken, w, h, 1), func(*picture.Result) {}))
	}
	fail(30, 20)
	assert.False(t, r.Holds())
	assert.Error(t, asked(0.5, 0.5), "a picture came to nothing")
	render(t, r, job(sc, net, 30, 20, 1), func(*picture.Result) {})
	assert.True(t, r.Holds())
	for _, p := range [][2]float64{{0, 0}, {1.49, 0}, {0, 0.99}, {1.49, 0.99}, {0.75, 0.5}} {
		assert.NoError(t, asked(p[0], p[1]), "%v", p)
	}
	for _, p := range [][2]float64{{-0.01, 0.5}, {1.51, 0.5}, {0.5, -0.01}, {0.5, 1.01}} {
		assert.Error(t, asked(p[0], p[1]), "%v", p)
	}
	before, err := r.Trail(context.Background(), 0.75, 0.5)
	require.NoError(t, err)
	fail(60, 40)
	assert.True(t, r.Holds(), "a picture that came to nothing leaves the one before as it was")
	after, err := r.Trail(context.Background(), 0.75, 0.5)
	require.NoError(t, err)
	assert.Equal(t, before, after)
}

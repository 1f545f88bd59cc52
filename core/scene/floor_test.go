package scene_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/meshfile"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// A floor shows the shadows on it and nothing else: as deep as asked, in its colour, over any backdrop or none; what is
// measured by the stage's box stays as it was, and who asks a pixel of it is told of the backdrop.
func TestAFloorShowsShadowsAlone(t *testing.T) {
	p := project.New("p")
	box := vec.EmptyBox().Grow(vec.V{-1, -1, -1}).Grow(vec.V{1, 1, 1})
	for _, e := range []project.Edit{{Op: "model.add", Kind: "sphere"}, {Op: "light.set", ID: "sun", Key: "elevation", Value: 89.0}, {Op: "backdrop.set", Key: "color", Value: "#6080A0"},
		{Op: "camera.set", Value: map[string]any{"azimuth": 0.0, "elevation": 30.0, "distance": 12.0, "angle": 30.0}},
		{Op: "backdrop.set", Key: "floor", Value: true, Box: &box}, {Op: "backdrop.set", Key: "level", Value: -2.0}, {Op: "backdrop.set", Key: "shade", Value: "#200010"}, {Op: "backdrop.set", Key: "deep", Value: 0.75}} {
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	const w, h = 150, 100
	draw := func() (*picture.Renderer, func(x, y int) (color.C, float32), *stage.Scene) {
		job, err := scene.Of(p, meshfile.Files(nil), nil)
		require.NoError(t, err)
		job.W, job.H, job.Samples = w, h, 1
		r := picture.NewRenderer(2)
		var at func(x, y int) (color.C, float32)
		require.NoError(t, r.Render(context.Background(), job, func(res *picture.Result) {
			at = func(x, y int) (color.C, float32) { return res.At(y*w + x) }
		}))
		return r, at, job.Scene
	}
	view := p.Stage.Camera.View(w, h)
	under := func(at vec.V) (int, int) {
		x, y, seen := view.Mark(at)
		require.True(t, seen)
		return int(x), int(y)
	}
	x, y := under(vec.V{0.5, -2, 0.6}) // in the shadow, in front of the ball
	r, at, sc := draw()
	back, shade := color.MustHex("#6080A0"), color.MustHex("#200010")
	c, a := at(x, y)
	for k := range c {
		assert.InDelta(t, back[k]*0.25+shade[k]*0.75, c[k], 0.01)
	}
	assert.EqualValues(t, 1, a)
	for _, q := range [][2]int{{3, 3}, {w - 4, h - 4}, {4, h - 3}} {
		c, _ := at(q[0], q[1])
		assert.Equal(t, "#6080A0", c.Hex(), "beside the shadow it is not there")
	}
	assert.InDelta(t, 2*1.732, sc.Box.Diagonal(), 0.01, "the stage is as large as it was")
	trail, err := r.Trail(context.Background(), (float64(x)+0.5)/h, (float64(y)+0.5)/h)
	require.NoError(t, err)
	assert.Empty(t, trail.Steps)
	_, ok := r.PartAt((float64(x)+0.5)/h, (float64(y)+0.5)/h)
	assert.False(t, ok, "no look can be dropped on it")
	p.Stage.Backdrop.None = true
	_, at, _ = draw()
	_, a = at(x, y)
	assert.InDelta(t, 0.75, a, 0.01, "over nothing the shadow alone covers")
	_, a = at(3, 3)
	assert.Zero(t, a)
	doc, err := p.Document()
	require.NoError(t, err)
	assert.NotContains(t, string(doc), stage.FloorID)
	assert.Len(t, p.Stage.Models, 1)
}

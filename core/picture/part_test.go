package picture

import (
	"context"
	"image"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// lined is a look with lines of a width, in thousandths of the height, or one that is wired.
func lined(kind string, width any, set map[string]any) *network.Network {
	in := network.Input{Value: width}
	if width == nil {
		in = network.Input{Wires: []network.Ref{{Node: "light", Port: "tone"}}}
	}
	return &network.Network{Nodes: []network.Node{
		{ID: "light", Kind: "diffuse-light"},
		{ID: "ramp", Kind: "ramp", In: map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "light", Port: "tone"}}}}},
		{ID: "lines", Kind: kind, Set: set, In: map[string]network.Input{"width": in}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": {Wires: []network.Ref{{Node: "ramp", Port: "colour"}}}, "lines": {Wires: []network.Ref{{Node: "lines", Port: "lines"}}}}},
	}}
}

// What is drawn about a part is as wide as light and the widest line reach, up to whole tiles of the raster, within the picture.
func TestHowFarAPartReaches(t *testing.T) {
	job := func(n *network.Network) *scene.Job {
		return &scene.Job{W: 4000, H: 2000, Looks: map[string]*network.Network{"a": n}, Area: image.Rect(1024, 1024, 1100, 1088)}
	}
	for _, c := range []struct {
		name string
		n    *network.Network
		line int
	}{
		{"none", PlainLook(), 0},
		{"a line of 4 thousandths: a radius of 4 pixels, and 2", lined("edge-lines", 4.0, nil), 6},
		{"one of any width", lined("edge-lines", nil, nil), 200},
		{"as wide as lines are drawn at most", lined("edge-lines", 400.0, nil), 102},
		{"a silhouette that lies outside", lined("silhouette-lines", 4.0, map[string]any{"side": "outside"}), 10},
		{"pens follow the geometry", lined("pen-lines", 40.0, nil), 0},
	} {
		j := job(c.n)
		assert.Equal(t, c.line, linesReach(j), c.name)
		f := frameOf(j)
		reach := lightReach + c.line
		assert.Equal(t, image.Rect((1024-reach)/64*64, (1024-reach)/64*64, (1100+reach+63)/64*64, (1088+reach+63)/64*64), f, c.name)
	}
	j := job(PlainLook())
	j.Area = image.Rect(0, 1960, 30, 2000)
	assert.Equal(t, image.Rect(0, 1920, 64, 2000), frameOf(j), "no farther than the picture")
	j.Area = image.Rectangle{}
	assert.True(t, frameOf(j).Empty())
}

// A part is what the whole shows there, whichever of both is drawn first, and what was drawn stays good for asking.
func TestAPartIsWhatTheWholeShowsThere(t *testing.T) {
	st := stage.New()
	st.Models = []stage.Model{{ID: "ball", Name: "ball", Solid: mesh.Solids[0].Key, Scale: 1, Looks: map[string]string{}}}
	for _, part := range []string{"Sphere", "Cube", "Plane"} {
		st.Models[0].Looks[part] = "a"
	}
	st.Camera = st.Camera.Frame(stage.Bounds(&st, meshfile.Files(nil)), 1.5)
	sc, err := stage.NewScene(&st, meshfile.Files(nil), nil)
	require.NoError(t, err)
	job := scene.Job{Scene: sc, Looks: map[string]*network.Network{"a": lined("edge-lines", 12.0, nil)}, W: 390, H: 260, Samples: 5, Final: true}
	r := NewRenderer(2)
	defer r.Close()
	area := image.Rect(180, 30, 300, 131)
	draw := func(a image.Rectangle) []float32 {
		j := job
		j.Area = a
		require.NoError(t, r.Render(context.Background(), j, func(*Result) {}))
		pix, shine := r.Part(area)
		assert.Nil(t, shine)
		return pix
	}
	first := draw(area)
	whole := draw(image.Rectangle{})
	assert.Equal(t, whole, first)
	assert.Equal(t, whole, draw(area), "again, after the whole")
	assert.Len(t, whole, 4*area.Dx()*area.Dy())
	lines := 0
	for i := 0; i < len(whole); i += 4 {
		if whole[i] < 0.02 && whole[i+3] > 0.9 {
			lines++
		}
	}
	assert.Greater(t, lines, 50, "a line runs through it")
	job.Area = image.Rect(0, 0, 391, 10)
	assert.ErrorContains(t, r.Render(context.Background(), job, func(*Result) {}), "not a size")
}

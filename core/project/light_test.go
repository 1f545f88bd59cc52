package project_test

import (
	"encoding/json"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func TestLights(t *testing.T) {
	p := project.New("p")
	apply(t, p, project.Edit{Op: "model.add", Kind: "sphere"})
	box := vec.Box{Min: vec.V{-1, -1, -1}, Max: vec.V{1, 1, 1}}
	for _, kind := range light.Kinds {
		id := apply(t, p, project.Edit{Op: "light.add", Kind: string(kind), Box: &box}).Created
		l := &p.Stage.Lights[len(p.Stage.Lights)-1]
		require.Equal(t, id, l.ID)
		require.Equal(t, kind, l.Kind)
		require.NoError(t, p.Stage.Check(), "a new %s is one that can be", kind)
		if kind.Placed() {
			assert.Greater(t, l.At.Len(), float32(2), "outside the models")
		}
		for _, other := range light.Kinds { // any kind can become any other
			apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "kind", Value: string(other), Box: &box})
			require.NoError(t, p.Stage.Check(), "%s made %s", kind, other)
		}
	}
	id := p.Stage.Lights[1].ID
	apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "fields", Value: map[string]any{"at": []any{1.0, 2.0, 3.0}, "direction": []any{0.0, 1.0, 0.0}}})
	assert.Equal(t, vec.V{1, 2, 3}, p.Stage.Lights[1].At)
	assert.InDelta(t, 90, p.Stage.Lights[1].Elevation, 1e-4)
	l := &p.Stage.Lights[1]
	for _, reach := range []float32{8, stage.Least} { // as large as its distance asks for, and never nothing
		l.Kind, l.Reach = light.Point, reach
		apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "kind", Value: string(light.Disc)})
		assert.Equal(t, max(reach/4, stage.Least), l.Size)
		assert.Equal(t, l.Size, l.Height)
	}
	for _, at := range []vec.V{{0, 3, 4}, {}} {
		l.At, l.Reach, l.Fade = p.Stage.Camera.Target.Add(at), 0, false
		apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "fade", Value: true})
		assert.InDelta(t, max(at.Len(), stage.Least), l.Reach, 1e-5)
	}
	part := stage.PartID(p.Stage.Models[0].ID, "Sphere")
	apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "part", Value: part})
	assert.Equal(t, []string{part}, p.Stage.Lights[1].Parts)
	apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "part", Value: part})
	assert.Empty(t, p.Stage.Lights[1].Parts, "and off again")
	for want, e := range map[string]project.Edit{
		"no kind of light":  {Op: "light.add", Kind: "torch"},
		"no light":          {Op: "light.set", ID: "gone", Key: "size", Value: 1.0},
		"no part":           {Op: "light.set", ID: id, Key: "part", Value: "x/y"},
		"has no \"shine\"":  {Op: "light.set", ID: id, Key: "shine", Value: 1.0},
		"size -1 lies":      {Op: "light.set", ID: "sun", Key: "size", Value: -1.0},
		"is on or off":      {Op: "light.set", ID: id, Key: "fade", Value: 1.0},
		"named by its hash": {Op: "light.set", ID: id, Key: "picture", Value: 1.0},
		"has a length":      {Op: "light.set", ID: id, Key: "direction", Value: []any{0.0, 0.0, 0.0}},
	} {
		_, err := p.Clone().Apply(&e)
		assert.ErrorContains(t, err, want)
	}
}

func TestLightsAndSolidsAreNamedByTheirKind(t *testing.T) {
	p := project.New("p")
	named := func() (out []string) {
		for _, l := range p.Stage.Lights {
			out = append(out, l.Name)
		}
		return out
	}
	var ids []string
	for _, kind := range []string{"disc", "disc", "sky"} {
		ids = append(ids, apply(t, p, project.Edit{Op: "light.add", Kind: kind}).Created)
	}
	assert.Equal(t, []string{"Key sun", "Disc", "Disc 2", "Sky"}, named())
	kind := func(id, kind string) { apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "kind", Value: kind}) }
	kind(ids[1], "point")
	kind(ids[2], "disc")
	kind("sun", "point")
	assert.Equal(t, []string{"Key sun", "Disc", "Point", "Disc 2"}, named(), "a name of one's own stays")
	kind(ids[0], "disc")
	assert.Equal(t, "Disc", p.Stage.Lights[1].Name)

	for range 2 {
		apply(t, p, project.Edit{Op: "model.add", Kind: "cube"})
	}
	assert.Equal(t, "Cube", p.Stage.Models[0].Name)
	assert.Equal(t, "Cube 2", p.Stage.Models[1].Name)
}

func TestAPlaneComesInBelowWhatStandsThere(t *testing.T) {
	p := project.New("p")
	apply(t, p, project.Edit{Op: "model.add", Kind: "plane"})
	box := vec.Box{Min: vec.V{1, 2, 3}, Max: vec.V{2, 8, 5}}
	apply(t, p, project.Edit{Op: "model.add", Kind: "plane", Box: &box})
	apply(t, p, project.Edit{Op: "model.add", Kind: "sphere", Box: &box})
	at, scale := []vec.V{}, []float32{}
	for _, m := range p.Stage.Models {
		at, scale = append(at, m.At), append(scale, m.Scale)
	}
	assert.Equal(t, []vec.V{{}, {1.5, 2, 4}, {}}, at)
	assert.Equal(t, []float32{1, 6, 1}, scale)
}

func TestRemovingAModelFromTheLightsThatAreLimitedToIt(t *testing.T) {
	p := project.New("p")
	a := apply(t, p, project.Edit{Op: "model.add", Kind: "sphere"}).Created
	b := apply(t, p, project.Edit{Op: "model.add", Kind: "cube"}).Created
	both := apply(t, p, project.Edit{Op: "light.add", Kind: "sun"}).Created
	for _, id := range []string{"sun", both} {
		apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "part", Value: stage.PartID(a, "Sphere")})
	}
	apply(t, p, project.Edit{Op: "light.set", ID: both, Key: "part", Value: stage.PartID(b, "Cube")})
	o := apply(t, p, project.Edit{Op: "model.remove", ID: a})
	assert.Equal(t, "Key sun was limited to it and lights nothing now.", o.Note)
	assert.Equal(t, []string{stage.PartID(b, "Cube")}, p.Stage.Lights[1].Parts)
	assert.NotEmpty(t, p.Stage.Lights[0].Parts, "it does not light all of a sudden what it did not")
}

func TestRemovingALightTakesItOffTheNodesThatReadIt(t *testing.T) {
	p := project.New("p")
	id := apply(t, p, project.Edit{Op: "light.add", Kind: "point"}).Created
	apply(t, p, project.Edit{Op: "node.set", Look: "look1", Node: "n1", Key: "lights", Value: []any{id}})
	apply(t, p, project.Edit{Op: "light.set", ID: id, Key: "name", Name: "Buoy lamp"})
	assert.Equal(t, []string{id}, p.Looks[0].Node("n1").Set["lights"], "renaming breaks nothing")
	o := apply(t, p, project.Edit{Op: "light.remove", ID: id})
	assert.Contains(t, o.Note, "now reads all lights")
	assert.Empty(t, p.Looks[0].Node("n1").Set["lights"])
}

func TestALookFromElsewhereReadsTheLightsThatAreHere(t *testing.T) {
	p := project.New("p")
	n := project.NewLook()
	n.Nodes[0].Set = map[string]any{"lights": []string{"torch", "sun"}}
	o := apply(t, p, project.Edit{Op: "look.add", Name: "Lent", Network: &n})
	assert.Equal(t, []string{"sun"}, p.Look(o.Created).Node("n1").Set["lights"])
	assert.Equal(t, []string{"torch", "sun"}, n.Nodes[0].Set["lights"], "what was lent stays as it is")
}

func TestAStageFromBeforeThereWereOtherLights(t *testing.T) {
	var st stage.Stage
	require.NoError(t, json.Unmarshal([]byte(`{"models":[],"suns":[{"id":"key","name":"Key","azimuth":10,"elevation":20,"strength":0.5,"color":"#FFFFFF","shadows":true}],
		"camera":{"azimuth":0,"elevation":0,"target":[0,0,0],"distance":5,"angle":30},"backdrop":{"color":"#000000"}}`), &st))
	require.NoError(t, st.Settle())
	assert.Equal(t, stage.Light{ID: "key", Name: "Key", Kind: light.Sun, Azimuth: 10, Elevation: 20, Strength: 0.5, Color: color.C{1, 1, 1}, Shadows: true}, st.Lights[0])
}

func ramps(t *testing.T) *project.Project {
	p := project.New("p")
	apply(t, p, project.Edit{Op: "node.add", Look: "look1", Kind: "ramp", From: "n1.tone"}) // n5
	return p
}

func edges(p *project.Project, id string) (out []float32) {
	d := p.Looks[0].Node(id)
	for _, s := range d.Value(p.Catalogue().Of(d).Setting("stops")).([]color.Stop) {
		out = append(out, s.At)
	}
	return out
}

func TestBandSets(t *testing.T) {
	p := ramps(t)
	set := apply(t, p, project.Edit{Op: "bands.make", Look: "look1", Node: "n2", Name: "Shared"}).Created
	apply(t, p, project.Edit{Op: "ramp.stop", Look: "look1", Node: "n5", Index: 1, Value: map[string]any{"at": 0.1}})
	apply(t, p, project.Edit{Op: "bands.join", Look: "look1", Node: "n5", ID: set})
	assert.Equal(t, edges(p, "n2"), edges(p, "n5"), "who joins takes the set's edges")
	apply(t, p, project.Edit{Op: "ramp.stop", Look: "look1", Node: "n5", Index: 2, Value: map[string]any{"at": 0.55}})
	assert.InDelta(t, 0.55, edges(p, "n2")[2], 1e-6, "what one does, all do")
	apply(t, p, project.Edit{Op: "ramp.tighten", Look: "look1", Node: "n2", Value: 0.5})
	assert.Equal(t, edges(p, "n2"), edges(p, "n5"))
	assert.Equal(t, 2, p.Followers(set))
	o := apply(t, p, project.Edit{Op: "ramp.add", Look: "look1", Node: "n5"})
	assert.Contains(t, o.Note, "no longer follows")
	assert.Equal(t, 1, p.Followers(set))
	before := edges(p, "n2")
	apply(t, p, project.Edit{Op: "bands.remove", ID: set})
	assert.Equal(t, before, edges(p, "n2"), "the ramps keep their edges")
	assert.Empty(t, p.Looks[0].Node("n2").Bands)
	require.NoError(t, p.Settle())

	set = apply(t, p, project.Edit{Op: "bands.make", Look: "look1", Node: "n2"}).Created
	o = apply(t, p, project.Edit{Op: "bands.join", Look: "look1", Node: "n5", ID: set})
	assert.Contains(t, o.Note, "the first 4 line up")
	assert.InDeltaSlice(t, edges(p, "n2"), edges(p, "n5")[:4], 1e-6)
	apply(t, p, project.Edit{Op: "bands.leave", Look: "look1", Node: "n5"})
	apply(t, p, project.Edit{Op: "bands.rename", ID: set, Name: " Dusk "})
	assert.Equal(t, "Dusk", p.BandSet(set).Name)
	for _, e := range []project.Edit{{Op: "bands.leave", Look: "look1", Node: "n5"}, {Op: "bands.join", Look: "look1", Node: "n5", ID: "x"}, {Op: "bands.make", Look: "look1", Node: "n1"},
		{Op: "bands.rename", ID: set, Name: " "}, {Op: "bands.remove", ID: "x"}} {
		_, err := p.Clone().Apply(&e)
		assert.Error(t, err, e.Op)
	}
}

func TestFollowersOfABandSetNeverPart(t *testing.T) {
	p := ramps(t)
	set := apply(t, p, project.Edit{Op: "bands.make", Look: "look1", Node: "n2"}).Created
	apply(t, p, project.Edit{Op: "bands.join", Look: "look1", Node: "n5", ID: set})
	r := rand.New(rand.NewPCG(4, 4))
	for range 500 {
		node := []string{"n2", "n5"}[r.IntN(2)]
		e := project.Edit{Op: "ramp.stop", Look: "look1", Node: node, Index: r.IntN(4), Value: map[string]any{"at": r.Float64()}}
		switch r.IntN(4) {
		case 0:
			e = project.Edit{Op: "ramp.flip", Look: "look1", Node: node}
		case 1:
			e = project.Edit{Op: "ramp.tighten", Look: "look1", Node: node, Value: 0.5 + r.Float64()}
		}
		apply(t, p, e)
		require.Equal(t, edges(p, "n2")[1:], edges(p, "n5")[1:], "after %s", e.Op)
		require.NoError(t, p.Clone().Settle())
	}
}

func TestFitAndPaintARamp(t *testing.T) {
	p := project.New("p")
	bins := make([]any, 64)
	for i := range bins {
		bins[i] = 0.0
		if i >= 16 && i < 32 {
			bins[i] = 10.0
		}
	}
	apply(t, p, project.Edit{Op: "ramp.fit", Look: "look1", Node: "n2", Value: bins})
	assert.InDeltaSlice(t, []float32{0, 0.3125, 0.375, 0.4375}, edges(p, "n2"), 1e-5)
	colors := []project.Swatch{{Name: "ink", Color: color.C{}}, {Color: color.C{1, 0, 0}}, {Color: color.C{0, 1, 0}}, {Color: color.C{0, 0, 1}}, {Color: color.C{1, 1, 1}}}
	apply(t, p, project.Edit{Op: "ramp.colors", Look: "look1", Node: "n2", Colors: colors[:2]})
	assert.InDeltaSlice(t, []float32{0, 0.3125, 0.375, 0.4375}, edges(p, "n2"), 1e-5, "edges stay")
	apply(t, p, project.Edit{Op: "ramp.colors", Look: "look1", Node: "n2", Colors: colors})
	assert.Len(t, edges(p, "n2"), 5)
	for _, e := range []project.Edit{{Op: "ramp.fit", Look: "look1", Node: "n2"}, {Op: "ramp.fit", Look: "look1", Node: "n2", Value: []any{0.0, 0.0}},
		{Op: "ramp.fit", Look: "look1", Node: "n2", Value: []any{"x", 1.0}}, {Op: "ramp.colors", Look: "look1", Node: "n2"}, {Op: "ramp.tighten", Look: "look1", Node: "n2", Value: -1.0}} {
		_, err := p.Clone().Apply(&e)
		assert.Error(t, err, e.Op)
	}
}

func TestRowsOfATwoWayRamp(t *testing.T) {
	p := project.New("p")
	id := apply(t, p, project.Edit{Op: "node.add", Look: "look1", Kind: "two-way-ramp", From: "n1.tone"}).Created
	apply(t, p, project.Edit{Op: "list.add", Look: "look1", Node: id, Name: "Middle"})
	apply(t, p, project.Edit{Op: "list.set", Look: "look1", Node: id, Index: 2, Key: "at", Value: 0.5})
	apply(t, p, project.Edit{Op: "ramp.stop", Look: "look1", Node: id, Key: "stops-c", Index: 0, Value: map[string]any{"color": "#123456"}})
	d := p.Looks[0].Node(id)
	assert.Len(t, d.Set["stops-c"], 4)
	require.NoError(t, p.Clone().Settle())
	apply(t, p, project.Edit{Op: "list.remove", Look: "look1", Node: id, Index: 2})
	assert.NotContains(t, d.Set, "stops-c", "its stops go with the row")
	_, err := p.Clone().Apply(&project.Edit{Op: "list.set", Look: "look1", Node: id, Index: 0, Key: "at", Value: 7.0})
	assert.ErrorContains(t, err, "outside 0 to 1")
}

func TestLocate(t *testing.T) {
	p := project.New("p")
	id := apply(t, p, project.Edit{Op: "group.make", Look: "look1", Nodes: []string{"n1", "n2"}, Name: "Bands"}).Created
	net, err := p.Networks()
	require.NoError(t, err)
	for i := range net["look1"].Nodes {
		flat := net["look1"].Nodes[i].ID
		l, ok := p.Locate("look1", flat)
		require.True(t, ok, flat)
		if l.Path != "" {
			assert.Equal(t, id, l.Path)
			assert.Equal(t, p.Groups[0].ID, l.Edit.Group)
			apply(t, p, project.Edit{Op: "node.rename", Group: l.Edit.Group, Node: l.Edit.Node, Name: "found"})
			assert.Equal(t, "found", l.Node.Name)
		}
	}
	_, ok := p.Locate("look1", "gone/n1")
	assert.False(t, ok)
	_, ok = p.Locate("gone", "n1")
	assert.False(t, ok)
}

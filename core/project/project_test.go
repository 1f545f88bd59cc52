package project_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/project"
	"mobanta/core/vec"
)

func ExampleProject_Apply() {
	p := project.New("Saltlight")
	o, err := p.Apply(&project.Edit{Op: "node.add", Look: "look1", Kind: "soft-step"})
	fmt.Println(o.Label, o.Created, err)
	// Output: added Soft step n5 <nil>
}

func apply(t testing.TB, p *project.Project, e project.Edit) project.Outcome {
	t.Helper()
	o, err := p.Apply(&e)
	require.NoError(t, err, "%+v", e)
	return o
}

func stops(p *project.Project) []color.Stop {
	return p.Looks[0].Node("n2").Set["stops"].([]color.Stop)
}

func TestRampEdits(t *testing.T) {
	p := project.New("x")
	ramp := func(op string, index int, v any) project.Outcome {
		return apply(t, p, project.Edit{Op: op, Look: "look1", Node: "n2", Index: index, Value: v})
	}
	ramp("ramp.add", 0, 0.1)
	require.Len(t, stops(p), 5)
	assert.EqualValues(t, float32(0.1), stops(p)[1].At)
	assert.NotEqual(t, stops(p)[0].Color, stops(p)[1].Color, "a new band can be told from its neighbour")
	ramp("ramp.stop", 1, map[string]any{"at": 0.6, "color": "#C0FFEE", "name": "foam"})
	assert.Equal(t, "foam", stops(p)[3].Name, "a moved stop finds its place")
	assert.Equal(t, "#C0FFEE", stops(p)[3].Color.Hex())
	ramp("ramp.stop", 3, map[string]any{"edge": "soft"})
	assert.Positive(t, stops(p)[3].Softness, "a soft edge shows as one")
	ramp("ramp.spread", 0, nil)
	assert.EqualValues(t, float32(0.2), stops(p)[1].At)
	before := stops(p)
	ramp("ramp.flip", 0, nil)
	assert.Equal(t, before[4].Color, stops(p)[0].Color)
	ramp("ramp.flip", 0, nil)
	for i, s := range before {
		assert.InDelta(t, s.At, stops(p)[i].At, 1e-6)
		assert.Equal(t, s.Color, stops(p)[i].Color)
	}
	for range 4 {
		ramp("ramp.remove", 0, nil)
	}
	_, err := p.Apply(&project.Edit{Op: "ramp.remove", Look: "look1", Node: "n2"})
	assert.ErrorContains(t, err, "at least one band")
}

func TestStageEdits(t *testing.T) {
	p := project.New("x")
	m := apply(t, p, project.Edit{Op: "model.add", Kind: "cube"}).Created
	assert.Equal(t, map[string]string{"Cube": "look1"}, p.Stage.Models[0].Looks, "a new model wears a look")
	l2 := apply(t, p, project.Edit{Op: "look.add"}).Created
	assert.Equal(t, "look1", p.Stage.Models[0].Looks["Cube"])
	apply(t, p, project.Edit{Op: "look.assign", ID: m, Part: "Cube", Look: l2})
	o := apply(t, p, project.Edit{Op: "look.remove", Look: l2})
	assert.Equal(t, "1 parts that wore it now wear First look.", o.Note)
	sun := apply(t, p, project.Edit{Op: "light.add"}).Created
	apply(t, p, project.Edit{Op: "light.set", ID: sun, Key: "direction", Value: []any{1.0, 0.0, 0.0}})
	assert.InDelta(t, 90, p.Stage.Lights[1].Azimuth, 1e-6)
	apply(t, p, project.Edit{Op: "light.remove", ID: sun})
	box := vec.Box{Min: vec.V{-1, -1, -1}, Max: vec.V{1, 1, 1}}
	apply(t, p, project.Edit{Op: "camera.frame", Box: &box, Aspect: 1.6})
	assert.Equal(t, vec.V{}, p.Stage.Camera.Target)
	apply(t, p, project.Edit{Op: "model.remove", ID: m})
	assert.Empty(t, p.Stage.Models)
}

func TestEditsAreRefusedInWords(t *testing.T) {
	for want, e := range map[string]project.Edit{
		"not something that can be done":  {Op: "dance"},
		"no look \"ghost\" any more":      {Op: "node.add", Look: "ghost", Kind: "ramp"},
		"no kind of node":                 {Op: "node.add", Look: "look1", Kind: "sparkle"},
		"keeps at least one look":         {Op: "look.remove", Look: "look1"},
		"no model \"m\" any more":         {Op: "model.remove", ID: "m"},
		"the name is empty":               {Op: "project.rename", Name: "  "},
		"elevation 120 lies outside":      {Op: "light.set", ID: "sun", Key: "elevation", Value: 120.0},
		"a camera has no \"colour\"":      {Op: "camera.set", Value: map[string]any{"colour": 1.0}},
		"the ramp has no band 9":          {Op: "ramp.stop", Look: "look1", Node: "n2", Index: 8, Value: map[string]any{"at": 0.1}},
		"has no ramp":                     {Op: "ramp.flip", Look: "look1", Node: "n1"},
		"a solid or a stored file":        {Op: "model.add", Name: "x"},
		"is not a colour such as #D4843F": {Op: "backdrop.set", Key: "color", Value: "reddish"},
	} {
		p := project.New("x")
		_, err := p.Apply(&e)
		assert.ErrorContains(t, err, want)
	}
}

// Whatever is asked for, in any order, an edit is either refused or leaves a
// project that can be stored and read back as it is.
func TestRandomEditsLeaveASoundProject(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r := rand.New(rand.NewPCG(3, 4))
	p := project.New("x")
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	ops := []string{"look.add", "look.duplicate", "look.remove", "look.assign", "look.rename", "node.add", "node.remove", "node.rename", "node.set", "node.input", "wire", "unwire",
		"ramp.flip", "ramp.spread", "ramp.add", "ramp.remove", "ramp.stop", "model.add", "model.remove", "model.set", "light.add", "light.remove", "light.set", "camera.set", "backdrop.set"}
	values := []any{nil, 0.5, -3.0, 1e300, "text", true, []any{1.0, 2.0, 3.0}, map[string]any{"at": 0.3}, map[string]any{"azimuth": 5.0}, "#123456", []any{}}
	accepted := 0
	for range 6000 {
		var nodes []string
		for _, l := range p.Looks {
			for _, d := range l.Nodes {
				nodes = append(nodes, d.ID)
			}
		}
		things := []string{"sun", "model1", "light1"}
		for _, m := range p.Stage.Models {
			things = append(things, m.ID)
		}
		for _, l := range p.Stage.Lights {
			things = append(things, l.ID)
		}
		e := project.Edit{Op: pick(ops...), Look: pick(p.Looks[r.IntN(len(p.Looks))].ID, "look1"), Node: pick(nodes...), Kind: pick("ramp", "blend", "facing", "edge-lines", "sphere", "cube"),
			Key: pick("tone", "base", "amount", "lights", "shadows", "strength", "color", "at", "none", "width"), Name: pick("A", "B", ""), From: pick(nodes...), To: pick(nodes...) + pick(".tone", ".base", ".colour", ""),
			ID: pick(things...), Part: pick("", "Sphere"), Index: r.IntN(4), Value: values[r.IntN(len(values))]}
		q := p.Clone()
		before, err := json.Marshal(p)
		require.NoError(t, err)
		if _, err := q.Apply(&e); err == nil {
			accepted++
			data, err := json.Marshal(q)
			require.NoError(t, err)
			back := &project.Project{}
			require.NoError(t, json.Unmarshal(data, back))
			require.NoError(t, back.Settle(), "%+v", e)
			again, err := json.Marshal(back)
			require.NoError(t, err)
			require.Equal(t, string(data), string(again))
			after, err := json.Marshal(p)
			require.NoError(t, err)
			require.Equal(t, string(before), string(after), "the clone's edit %+v shows in the original", e)
			p = q
		}
		if len(p.Stage.Models) > 20 || len(p.Looks) > 20 || len(nodes) > 200 {
			p = project.New("x")
		}
	}
	assert.Greater(t, accepted, 1000)
}

// What is allowed is allowed up to the last one, and not one more.
func TestLimitsAreMet(t *testing.T) {
	p := project.New("p")
	var err error
	for len(p.Looks) < project.MaxLooks {
		_, err = p.Apply(&project.Edit{Op: "look.add"})
		require.NoError(t, err, "%d looks", len(p.Looks))
	}
	_, err = p.Apply(&project.Edit{Op: "look.add"})
	assert.Error(t, err)
	assert.Len(t, p.Looks, project.MaxLooks)
	require.NoError(t, p.Settle())
	p = project.New("p")
	for i := range project.MaxBandSets {
		p.BandSets = append(p.BandSets, project.BandSet{ID: fmt.Sprint("set", i), Name: "Set"})
	}
	assert.NoError(t, p.Settle())
	p.BandSets = append(p.BandSets, project.BandSet{ID: "more", Name: "Set"})
	assert.Error(t, p.Settle())
}

func TestBandsAreFittedToTonesThatCanBe(t *testing.T) {
	many := make([]any, 1<<16+1)
	for i := range many {
		many[i] = 1.0
	}
	for _, c := range []struct {
		bins []any
		ok   bool
	}{{[]any{0.0, 1.0}, true}, {[]any{5.0, 0.0, 1e11}, true}, {[]any{1.0}, false}, {[]any{0.0, 0.0}, false}, {[]any{1.0, -1.0}, false}, {[]any{1.0, 1e12}, false}, {[]any{1.0, "2"}, false}, {nil, false}, {many[1:], true}, {many, false}} {
		p := project.New("p")
		_, err := p.Apply(&project.Edit{Op: "ramp.fit", Look: "look1", Node: "n2", Key: "stops", Value: c.bins})
		assert.Equal(t, c.ok, err == nil, "%d bins: %v", len(c.bins), err)
	}
}

func TestSwatchesGoToBandsThatAreThere(t *testing.T) {
	p := project.New("p")
	_, err := p.Apply(&project.Edit{Op: "swatch.add", Value: "#102030"})
	require.NoError(t, err)
	_, err = p.Apply(&project.Edit{Op: "ramp.add", Look: "look1", Node: "n2", Key: "stops", Value: 0.1})
	require.NoError(t, err)
	stops := stops(p)
	for i, ok := range map[int]bool{-1: false, 0: true, len(stops) - 1: true, len(stops): false} {
		_, err := p.Apply(&project.Edit{Op: "swatch.use", Look: "look1", Node: "n2", Key: "stops", Index: i, ID: p.Swatches[0].ID})
		assert.Equal(t, ok, err == nil, "%d of %d: %v", i, len(stops), err)
	}
}

// A model that brings pictures wears looks of its own that they colour, one for each, and
// the look that was asked for where it has none; all of it is one edit.
func TestAModelBringsItsPictures(t *testing.T) {
	a, b := strings.Repeat("a", 64), strings.Repeat("b", 64)
	p := project.New("x")
	o := apply(t, p, project.Edit{Op: "model.add", Name: "Boat", Look: "look1", Value: strings.Repeat("0", 64), Parts: []string{"hull", "deck", "mast", "sail"}, Pictures: map[string]string{"hull": a, "deck": b, "sail": a}})
	m := p.Stage.Models[0]
	assert.Equal(t, m.ID, o.Created)
	assert.Equal(t, "look1", m.Looks["mast"])
	assert.Equal(t, m.Looks["hull"], m.Looks["sail"])
	assert.NotEqual(t, m.Looks["hull"], m.Looks["deck"])
	require.Len(t, p.Looks, 3)
	assert.Equal(t, []string{"Boat", "Boat 2"}, []string{p.Looks[1].Name, p.Looks[2].Name})
	require.NoError(t, p.Settle())
	l := p.Look(m.Looks["deck"])
	blend := l.Node(l.Finish().In["colour"].Wires[0].Node)
	assert.Equal(t, "multiply", blend.Set["mode"])
	assert.Equal(t, "n2", blend.In["base"].Wires[0].Node, "the bands, as they were")
	assert.Equal(t, b, l.Node(blend.In["over"].Wires[0].Node).Set["picture"])
	assert.Len(t, p.Looks[0].Nodes, len(l.Nodes)-2, "the look itself is as it was")
}

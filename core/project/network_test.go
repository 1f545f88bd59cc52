package project_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/project"
)

// on makes an edit on the first look.
func on(t testing.TB, p *project.Project, e project.Edit) project.Outcome {
	t.Helper()
	if e.Look == "" && e.Group == "" {
		e.Look = "look1"
	}
	o := apply(t, p, e)
	data, err := json.Marshal(p)
	require.NoError(t, err)
	back := &project.Project{}
	require.NoError(t, json.Unmarshal(data, back))
	require.NoError(t, back.Settle(), "after %s", e.Op)
	return o
}

// refused tells that an edit is refused and says why.
func refused(t testing.TB, p *project.Project, why string, e project.Edit) {
	t.Helper()
	if e.Look == "" && e.Group == "" {
		e.Look = "look1"
	}
	_, err := p.Clone().Apply(&e)
	assert.ErrorContains(t, err, why, "%+v", e)
}

func TestSections(t *testing.T) {
	p := project.New("p")
	id := on(t, p, project.Edit{Op: "section.gather", Nodes: []string{"n1", "n2"}, Name: "Light"}).Created
	n := &p.Looks[0].Network
	require.Equal(t, []string{"n1", "n2"}, n.Section(id).Nodes)
	on(t, p, project.Edit{Op: "section.set", ID: id, Key: "name", Name: "Bands"})
	on(t, p, project.Edit{Op: "section.set", ID: id, Key: "note", Value: "where light is cut"})
	on(t, p, project.Edit{Op: "section.set", ID: id, Key: "folded"})
	s := n.Section(id)
	assert.Equal(t, []any{"Bands", "where light is cut", true}, []any{s.Name, s.Note, s.Folded})
	on(t, p, project.Edit{Op: "section.move", Node: "n2", ID: ""})
	assert.Equal(t, []string{"n1"}, n.Section(id).Nodes)
	on(t, p, project.Edit{Op: "section.move", Node: "n2", ID: id})
	refused(t, p, "no section", project.Edit{Op: "section.set", ID: "gone", Key: "name", Name: "x"})
	refused(t, p, "", project.Edit{Op: "section.gather"})
	on(t, p, project.Edit{Op: "section.dissolve", ID: id})
	assert.Empty(t, n.Sections)
	assert.NotNil(t, n.Node("n1"), "the nodes stay")
}

func TestGroupsOfAProject(t *testing.T) {
	p := project.New("p")
	node := on(t, p, project.Edit{Op: "group.make", Nodes: []string{"n1", "n2"}, Name: "Bands"}).Created
	require.Len(t, p.Groups, 1)
	g := p.Groups[0].ID
	on(t, p, project.Edit{Op: "group.set", Group: g, Key: "name", Name: "Cut light"})
	on(t, p, project.Edit{Op: "group.set", Group: g, Key: "note", Value: "for all metal"})
	assert.Equal(t, "Cut light", p.Groups[0].Name)
	ramp := ""
	for _, d := range p.Groups[0].Nodes {
		if d.Kind == "ramp" {
			ramp = d.ID
		}
	}
	on(t, p, project.Edit{Op: "group.expose", Group: g, Node: ramp, Key: "stops", Name: "Colours"})
	key := p.Groups[0].Inputs[len(p.Groups[0].Inputs)-1].Key
	on(t, p, project.Edit{Op: "group.port", Group: g, ID: key, Key: "name", Name: "Bands"})
	assert.Equal(t, "Bands", p.Groups[0].Inputs[len(p.Groups[0].Inputs)-1].Name)
	refused(t, p, "shows nothing named", project.Edit{Op: "group.port", Group: g, ID: "gone", Key: "name", Name: "x"})
	on(t, p, project.Edit{Op: "group.unexpose", Group: g, ID: key})
	again := on(t, p, project.Edit{Op: "node.add", Kind: network.GroupPrefix + g, To: "n4.colour"}).Created
	on(t, p, project.Edit{Op: "group.single", Node: again})
	assert.Len(t, p.Groups, 2, "one use has a copy of its own")
	refused(t, p, "", project.Edit{Op: "group.remove", Group: g}) // it is used
	on(t, p, project.Edit{Op: "group.dissolve", Node: node})
	assert.Equal(t, 0, p.Looks[0].Uses()[g])
	on(t, p, project.Edit{Op: "group.remove", Group: g})
	assert.Len(t, p.Groups, 1)
	refused(t, p, "no group", project.Edit{Op: "group.set", Group: g, Key: "name", Name: "x"})
	refused(t, p, "no group", project.Edit{Op: "node.add", Group: g, Kind: "ramp"})

	// A look lent to another project brings its groups, once.
	other := project.New("o")
	for range 2 {
		apply(t, other, project.Edit{Op: "look.add", Name: "Lent", Network: &p.Looks[0].Network, Groups: p.UsedGroups(&p.Looks[0].Network)})
	}
	assert.Len(t, other.Groups, 1)
	apply(t, other, project.Edit{Op: "look.replace", Look: "look1", Network: &p.Looks[0].Network, Groups: p.UsedGroups(&p.Looks[0].Network)})
	assert.Len(t, other.Groups, 1)
	require.NoError(t, other.Settle())
	apply(t, other, project.Edit{Op: "group.bring", Look: "look1", Network: &network.Network{Nodes: []network.Node{{ID: "a", Kind: network.GroupPrefix + p.Groups[0].ID}}}, Groups: p.Groups})
	assert.Len(t, other.Groups, 1)
}

func TestNodesAreRebuilt(t *testing.T) {
	p := project.New("p")
	n := &p.Looks[0].Network
	blend := on(t, p, project.Edit{Op: "node.add", Kind: "blend", To: "n4.colour"}).Created
	on(t, p, project.Edit{Op: "wire", From: "n1.colour", To: blend + ".over"})
	base, over := n.Node(blend).In["base"], n.Node(blend).In["over"]
	on(t, p, project.Edit{Op: "node.swap", Node: blend, From: "base", To: "over"})
	assert.Equal(t, over, n.Node(blend).In["base"])
	assert.Equal(t, base, n.Node(blend).In["over"])
	on(t, p, project.Edit{Op: "node.off", Nodes: []string{blend}})
	assert.True(t, n.Node(blend).Off)
	on(t, p, project.Edit{Op: "node.off", Nodes: []string{blend}})
	assert.False(t, n.Node(blend).Off)
	refused(t, p, "", project.Edit{Op: "node.off", Nodes: []string{"n4"}})
	on(t, p, project.Edit{Op: "node.note", Node: blend, Value: "why it is here"})
	assert.Equal(t, "why it is here", n.Node(blend).Note)
	refused(t, p, "", project.Edit{Op: "node.note", Node: "gone", Value: "x"})
	o := on(t, p, project.Edit{Op: "node.duplicate", Nodes: []string{"n1", "n2"}, Value: true})
	assert.Len(t, o.Several, 2)
	o = on(t, p, project.Edit{Op: "node.duplicate", Nodes: []string{blend}, Value: false})
	assert.Empty(t, n.Node(o.Created).In["base"].Wires, "without its wires")
	refused(t, p, "Finish cannot be", project.Edit{Op: "node.duplicate", Nodes: []string{"n4"}})
	on(t, p, project.Edit{Op: "node.replace", Node: "n2", Kind: "soft-step"})
	assert.Equal(t, "soft-step", n.Node("n2").Kind)
	refused(t, p, "", project.Edit{Op: "node.replace", Node: "gone", Kind: "ramp"})
	f := n.Fragment([]string{"n1", "n2"}, false)
	o = on(t, p, project.Edit{Op: "node.paste", Network: &f})
	assert.Len(t, o.Several, 2)
	refused(t, p, "no nodes to paste", project.Edit{Op: "node.paste", Network: &network.Network{}})
	on(t, p, project.Edit{Op: "node.remove", Nodes: o.Several})
	assert.Nil(t, n.Node(o.Several[0]))
	refused(t, p, "choose a node", project.Edit{Op: "node.remove"})
}

func TestDials(t *testing.T) {
	p := project.New("p")
	n := &p.Looks[0].Network
	a := on(t, p, project.Edit{Op: "dial.add", Node: "n3", Key: "width"}).Created
	b := on(t, p, project.Edit{Op: "dial.add", Node: "n1", Key: "wrap", Name: "How far round"}).Created
	require.Len(t, n.Dials, 2)
	on(t, p, project.Edit{Op: "dial.set", ID: a, Key: "name", Name: "Ink"})
	on(t, p, project.Edit{Op: "dial.set", ID: a, Key: "max", Value: 9.0})
	on(t, p, project.Edit{Op: "dial.set", ID: a, Key: "min", Value: 1.0})
	assert.Equal(t, network.Dial{ID: a, Name: "Ink", Node: "n3", Key: "width", Min: 1, Max: 9}, n.Dials[0])
	on(t, p, project.Edit{Op: "dial.move", ID: b, Value: 0.0})
	assert.Equal(t, b, n.Dials[0].ID)
	refused(t, p, "", project.Edit{Op: "dial.set", ID: "gone", Key: "name", Name: "x"})
	refused(t, p, "has no", project.Edit{Op: "dial.set", ID: a, Key: "shine", Name: "x"})
	refused(t, p, "", project.Edit{Op: "dial.add", Node: "gone", Key: "wrap"})
	refused(t, p, "", project.Edit{Op: "dial.add", Node: "n1", Key: "gone"})
	on(t, p, project.Edit{Op: "dial.remove", ID: a})
	on(t, p, project.Edit{Op: "node.remove", Node: "n1"})
	assert.Empty(t, n.Dials, "a dial goes with its node")
}

func TestSwatchesAreFollowed(t *testing.T) {
	p := project.New("p")
	id := on(t, p, project.Edit{Op: "swatch.add", Name: "Copper", Value: "#D4843F"}).Created
	on(t, p, project.Edit{Op: "swatch.use", Node: "n2", Key: "stops", Index: 1, ID: id})
	on(t, p, project.Edit{Op: "swatch.use", Node: "n3", Key: "colour", ID: id})
	on(t, p, project.Edit{Op: "swatch.set", ID: id, Value: "#112233"})
	want := color.MustHex("#112233")
	assert.Equal(t, want, stops(p)[1].Color)
	assert.Equal(t, want, p.Looks[0].Node("n3").In["colour"].Value)
	on(t, p, project.Edit{Op: "swatch.set", ID: id, Key: "name", Name: "Night"})
	assert.Equal(t, "Night", p.Swatch(id).Name)
	on(t, p, project.Edit{Op: "ramp.stop", Node: "n2", Index: 1, Value: map[string]any{"color": "#445566"}})
	assert.Empty(t, stops(p)[1].Swatch, "a colour of its own follows no more")
	on(t, p, project.Edit{Op: "swatch.bring", Colors: []project.Swatch{{Name: "a", Color: want}, {Color: color.C{1, 1, 1}}}})
	assert.GreaterOrEqual(t, len(p.Swatches), 2)
	refused(t, p, "", project.Edit{Op: "swatch.use", Node: "n1", Key: "wrap", ID: id})
	refused(t, p, "", project.Edit{Op: "swatch.set", ID: "gone", Value: "#000000"})
	refused(t, p, "", project.Edit{Op: "swatch.add", Value: "no colour"})
	on(t, p, project.Edit{Op: "swatch.remove", ID: id})
	assert.Equal(t, want, p.Looks[0].Node("n3").In["colour"].Value, "the colours stay")
	assert.Nil(t, p.Swatch(id))
}

func TestListsWithinNodes(t *testing.T) {
	p := project.New("p")
	for _, kind := range []string{"layers", "switch", "formula", "two-way-ramp"} {
		id := on(t, p, project.Edit{Op: "node.add", Kind: kind}).Created
		field := map[string]project.Edit{"layers": {Key: "off", Value: true}, "switch": {Key: "name", Value: "Night"}, "formula": {Key: "type", Value: "colour"}, "two-way-ramp": {Key: "at", Value: 0.25}}[kind]
		on(t, p, project.Edit{Op: "list.add", Node: id})
		on(t, p, project.Edit{Op: "list.add", Node: id, Name: "last"})
		on(t, p, project.Edit{Op: "list.set", Node: id, Index: 1, Key: field.Key, Value: field.Value})
		on(t, p, project.Edit{Op: "list.move", Node: id, Index: 1, Value: 0.0})
		refused(t, p, "no such place", project.Edit{Op: "list.move", Node: id, Index: 0, Value: 99.0})
		refused(t, p, "where to", project.Edit{Op: "list.move", Node: id, Index: 0})
		refused(t, p, "no such entry", project.Edit{Op: "list.set", Node: id, Index: 99, Key: field.Key, Value: field.Value})
		refused(t, p, "has no \"shine\"", project.Edit{Op: "list.set", Node: id, Index: 0, Key: "shine", Value: 1.0})
		refused(t, p, "no such entry", project.Edit{Op: "list.remove", Node: id, Index: -1})
		for range 3 {
			q := p.Clone()
			if _, err := q.Apply(&project.Edit{Op: "list.remove", Look: "look1", Node: id, Index: 0}); err == nil {
				p = q
			}
		}
		if kind == "switch" || kind == "two-way-ramp" {
			refused(t, p, "stays", project.Edit{Op: "list.remove", Node: id, Index: 0})
		}
	}
	refused(t, p, "has no list", project.Edit{Op: "list.add", Node: "n1"})
	f := on(t, p, project.Edit{Op: "node.add", Kind: "formula"}).Created
	on(t, p, project.Edit{Op: "node.set", Node: f, Key: "text", Value: "a * a + 1.0"})
	on(t, p, project.Edit{Op: "list.set", Node: f, Index: 0, Key: "name", Value: "tone"})
	assert.Equal(t, "tone * tone + 1.0", p.Looks[0].Node(f).Set["text"], "renamed where the formula says it")
}

func TestPicturesAndNames(t *testing.T) {
	const hash = "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"
	p := project.New("p")
	id := on(t, p, project.Edit{Op: "node.add", Kind: "image"}).Created
	on(t, p, project.Edit{Op: "node.set", Node: id, Key: "picture", Value: hash})
	sky := on(t, p, project.Edit{Op: "light.add", Kind: "sky"}).Created
	on(t, p, project.Edit{Op: "light.set", ID: sky, Key: "picture", Value: hash})
	assert.Equal(t, []string{hash}, p.Pictures())
	assert.Equal(t, "look1", p.FindLook("FIRST look").ID)
	assert.Nil(t, p.FindLook("none"))
	on(t, p, project.Edit{Op: "time.set", Key: "at", Value: 1.5})
	refused(t, p, "time has no", project.Edit{Op: "time.set", Key: "speed", Value: 1.0})
	refused(t, p, "lies outside", project.Edit{Op: "time.set", Key: "at", Value: -1.0})
	refused(t, p, "not something that can be done", project.Edit{Op: "explode"})
	refused(t, p, "which remark", project.Edit{Op: "check.dismiss"})
	for k := range 1005 {
		apply(t, p, project.Edit{Op: "check.dismiss", ID: string(rune('a'+k%26)) + "x"})
	}
	assert.Len(t, p.Dismissed, 1000, "the oldest are forgotten")
	require.NoError(t, p.Settle())
}

func TestSettleRefusesWhatNoEditMakes(t *testing.T) {
	for why, spoil := range map[string]func(p *project.Project){
		"version":          func(p *project.Project) { p.Version = 9 },
		"name is empty":    func(p *project.Project) { p.Name = " " },
		"swatch 1":         func(p *project.Project) { p.Swatches = []project.Swatch{{}} },
		"band set 1":       func(p *project.Project) { p.BandSets = []project.BandSet{{}} },
		"outside 0 to 1":   func(p *project.Project) { p.BandSets = []project.BandSet{{ID: "a", Name: "a", Edges: []float32{2}}} },
		"dismissed":        func(p *project.Project) { p.Dismissed = make([]string, 2000) },
		"look 2: it needs": func(p *project.Project) { p.Looks = append(p.Looks, p.Looks[0]) },
		"has no Finish":    func(p *project.Project) { p.Looks[0].Nodes = p.Looks[0].Nodes[:3] },
		"no kind of light": func(p *project.Project) { p.Stage.Lights[0].Kind = "torch" },
	} {
		p := project.New("p")
		spoil(p)
		assert.ErrorContains(t, p.Settle(), why)
	}
	p := project.New("p")
	p.Looks[0].Nodes[1].Bands = map[string]string{"stops": "gone"}
	p.Looks[0].Nodes[2].Swatches = map[string]string{"colour": "gone"}
	require.NoError(t, p.Settle())
	assert.Empty(t, p.Looks[0].Nodes[1].Bands, "what follows nothing is let go")
	assert.Empty(t, p.Looks[0].Nodes[2].Swatches)
}

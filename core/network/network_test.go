package network_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/network"
	"mobanta/core/network/networktest"
	"mobanta/core/node"
)

var cat node.Catalogue

func ExampleConvert() {
	how, ok := network.Convert(network.Color, network.Tone)
	fmt.Println(how, ok)
	// Output: by luminance true
}

func TestSettleFillsInPortsAndTypes(t *testing.T) {
	n := networktest.Settled(t, cat)
	mix := n.Node("mix")
	assert.Equal(t, "blend", mix.Kind)
	assert.Equal(t, network.Ref{Node: "bands", Port: "colour"}, mix.In["base"].Wires[0], "no port means the first")
	assert.Equal(t, color.MustHex("#102030"), mix.In["over"].Value)
	data, err := json.Marshal(n.Nodes)
	require.NoError(t, err)
	again := networktest.Parse(t, string(data))
	require.NoError(t, again.Settle(cat))
	assert.Equal(t, n, again, "what is written reads back the same")
}

func TestSettleRefusesInWords(t *testing.T) {
	for text, want := range map[string]string{
		`[{"id":"a","kind":"Sparkle"}]`:                                                           `unknown kind "Sparkle"`,
		`[{"id":"","kind":"Ramp"}]`:                                                               "an id is a letter",
		`[{"id":"a","kind":"Ramp"},{"id":"a","kind":"Ramp"}]`:                                     `two nodes have the id "a"`,
		`[{"id":"a","kind":"Ramp","set":{"stopz":[]}}]`:                                           `no setting "stopz"; it has stops, mixing`,
		`[{"id":"a","kind":"Ramp","set":{"stops":[]}}]`:                                           "at least one stop",
		`[{"id":"a","kind":"Ramp","set":{"stops":[{"at":0,"colour":"#fff"}]}}]`:                   "has no member",
		`[{"id":"a","kind":"Ramp","set":{"mixing":"hsv"}}]`:                                       "one of linear, srgb, oklab",
		`[{"id":"a","kind":"Ramp","in":{"tonne":0.5}}]`:                                           `no input "tonne"; it has tone`,
		`[{"id":"a","kind":"Ramp","in":{"tone":"b.tone"}}]`:                                       `no node "b"`,
		`[{"id":"a","kind":"Ramp","in":{"tone":"#ff0000"}}]`:                                      "must be a number",
		`[{"id":"a","kind":"Facing","set":{"ior":-1}}]`:                                           "a number from 0.05 to 10",
		`[{"id":"a","kind":"Diffuse light"},{"id":"b","kind":"Ramp","in":{"tone":"a.glow"}}]`:     `no output "glow"; it has tone, colour`,
		`[{"id":"a","kind":"Edge lines"},{"id":"b","kind":"Ramp","in":{"tone":"a.lines"}}]`:       "carries lines, but tone takes tone",
		`[{"id":"a","kind":"Ramp","in":{"tone":"b"}},{"id":"b","kind":"Ramp","in":{"tone":"a"}}]`: "would feed itself",
		`[{"id":"a","kind":"Ramp","in":{"tone":"a"}}]`:                                            "would feed itself",
		`[{"id":"a","kind":"Finish"},{"id":"b","kind":"Finish"}]`:                                 "a second Finish",
		`[{"id":"a","kind":"Ramp","in":{"tone":["x.y","z.w"]}}]`:                                  "takes one wire",
	} {
		err := networktest.Parse(t, text).Settle(cat)
		assert.ErrorContains(t, err, want, text)
	}
	assert.ErrorContains(t, (&network.Network{Nodes: make([]network.Node, network.MaxNodes+1)}).Settle(cat), "more than")
}

// Only colours follow swatches, and only ramps band sets.
func TestFollowers(t *testing.T) {
	for key, want := range map[string]string{"stops": "", "mixing": "has no ramp", "tone": "has no ramp", "gone": "has no ramp"} {
		n := networktest.Settled(t, cat)
		n.Node("bands").Bands = map[string]string{key: "bands1"}
		if err := n.Settle(cat); want == "" {
			assert.NoError(t, err)
		} else {
			assert.ErrorContains(t, err, want, key)
		}
	}
}

func TestConversions(t *testing.T) {
	types := []network.Type{network.Tone, network.Color, network.Vector}
	for _, a := range types {
		for _, b := range types {
			how, ok := network.Convert(a, b)
			assert.True(t, ok)
			assert.Equal(t, a == b, how == "")
		}
		_, ok := network.Convert(a, network.Lines)
		assert.False(t, ok)
	}
}

func TestRemoveHeals(t *testing.T) {
	n := networktest.Settled(t, cat)
	said, err := n.Remove(cat, "mix")
	require.NoError(t, err)
	assert.Equal(t, "Blend removed: Ramp now feeds Finish.", said)
	assert.Equal(t, []network.Ref{{Node: "bands", Port: "colour"}}, n.Node("end").In["colour"].Wires)
	said, err = n.Remove(cat, "ink")
	require.NoError(t, err)
	assert.Contains(t, said, "lines of Finish is unwired")
	_, err = n.Remove(cat, "end")
	assert.ErrorContains(t, err, "ends in its Finish")
	_, err = n.Remove(cat, "ghost")
	assert.Error(t, err)
}

func TestInsertGoesIntoTheWire(t *testing.T) {
	n := networktest.Settled(t, cat)
	id, err := n.Add(cat, "soft-step")
	require.NoError(t, err)
	require.NoError(t, n.Insert(cat, id, network.Ref{Node: "bands", Port: "tone"}))
	assert.Equal(t, "light", n.Node(id).In["tone"].Wires[0].Node)
	assert.Equal(t, id, n.Node("bands").In["tone"].Wires[0].Node)
	ink, err := n.Add(cat, "edge-lines")
	require.NoError(t, err)
	require.NoError(t, n.Connect(cat, network.Ref{Node: ink}, network.Ref{Node: "end", Port: "lines"}))
	assert.Len(t, n.Node("end").In["lines"].Wires, 2, "Finish takes any number of lines")
}

func TestConnectRefuses(t *testing.T) {
	n := networktest.Settled(t, cat)
	assert.ErrorContains(t, n.Connect(cat, network.Ref{Node: "mix"}, network.Ref{Node: "bands", Port: "tone"}), "would feed itself")
	assert.ErrorContains(t, n.Connect(cat, network.Ref{Node: "ink"}, network.Ref{Node: "bands", Port: "tone"}), "no conversion makes sense")
	assert.ErrorContains(t, n.SetConstant(cat, "bands", "tone", 0.5), "is wired")
	assert.NoError(t, n.Disconnect(network.Ref{}, network.Ref{Node: "bands", Port: "tone"}))
	assert.NoError(t, n.SetConstant(cat, "bands", "tone", 0.5))
	assert.Error(t, n.Disconnect(network.Ref{}, network.Ref{Node: "bands", Port: "tone"}))
}

// Whatever is done to a network, in any order, it can be evaluated, has no wire
// to nowhere, and what it was before can be had back.
func TestRandomEditsLeaveASoundNetwork(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r := rand.New(rand.NewPCG(7, 8))
	groups := []network.Group{}
	n := networktest.Settled(t, cat)
	for step := range 1500 {
		c := network.NewGrouped(cat, groups)
		pick := func() *network.Node { return &n.Nodes[r.IntN(len(n.Nodes))] }
		several := func() (ids []string) {
			for range 1 + r.IntN(4) {
				ids = append(ids, pick().ID)
			}
			return ids
		}
		before := n.Clone()
		text, err := json.Marshal(before)
		require.NoError(t, err)
		switch r.IntN(16) {
		case 0, 1:
			if len(n.Nodes) < 40 {
				n.Add(c, cat.All()[r.IntN(len(cat.All()))].Spec.Kind)
			}
		case 2:
			n.Remove(c, pick().ID)
		case 3, 4, 5:
			a, b := pick(), pick()
			if in := c.Of(b).Inputs; len(in) > 0 {
				n.Connect(c, network.Ref{Node: a.ID}, network.Ref{Node: b.ID, Port: in[r.IntN(len(in))].Key})
			}
		case 6:
			d := pick()
			for key := range d.In {
				n.Disconnect(network.Ref{}, network.Ref{Node: d.ID, Port: key})
				break
			}
		case 7:
			a, b := pick(), pick()
			if in := c.Of(b).Inputs; len(in) > 0 {
				n.Insert(c, a.ID, network.Ref{Node: b.ID, Port: in[0].Key})
			}
		case 8:
			n.SetOff(c, pick().ID, r.IntN(2) == 0)
		case 9:
			n.Swap(c, pick().ID, "", "")
		case 10:
			clone := n.Clone()
			if _, err := clone.Replace(c, pick().ID, cat.All()[r.IntN(len(cat.All()))].Spec.Kind); err == nil {
				*n = clone
			}
		case 11:
			if len(n.Nodes) < 40 {
				n.Paste(c, n.Fragment(several(), r.IntN(2) == 0))
			}
		case 12:
			n.Gather(several(), "")
			if len(n.Sections) > 0 {
				n.Sections[r.IntN(len(n.Sections))].Folded = r.IntN(2) == 0
			}
		case 13:
			if len(groups) < 12 {
				clone := n.Clone()
				if g, _, err := c.Make(&clone, several(), fmt.Sprintf("g%d", step), ""); err == nil {
					*n, groups = clone, append(groups, g)
				}
			}
		case 14:
			clone := n.Clone()
			if _, err := c.Dissolve(&clone, pick().ID); err == nil {
				*n = clone
			}
		case 15:
			d := pick()
			if d.Kind == "switch" || d.Kind == "layers" {
				n.SetValue(c, d.ID, map[string]string{"switch": "choices", "layers": "layers"}[d.Kind], []any{map[string]any{"key": "q", "name": "Q"}})
				n.Prune(c)
			}
		}
		c = network.NewGrouped(cat, groups)
		require.NoError(t, network.SettleGroups(cat, groups), "step %d", step)
		require.NoError(t, n.Settle(c), "step %d", step)
		flat, err := c.Flatten(n)
		require.NoError(t, err)
		_, err = eval.Compile(flat, cat)
		require.NoError(t, err)
		same, err := json.Marshal(before)
		require.NoError(t, err)
		require.Equal(t, string(text), string(same), "step %d changed a copy", step)
		if len(n.Nodes) > 60 {
			n, groups = networktest.Settled(t, cat), nil
		}
	}
}

const hinge = `[
	{"id":"a","kind":"Diffuse light"},
	{"id":"b","kind":"Soft step","in":{"tone":"a.tone","threshold":0.3}},
	{"id":"c","kind":"Ramp","in":{"tone":"b.tone"}},
	{"id":"d","kind":"Blend","in":{"base":"c.colour","over":"#FF0000","amount":"b.tone"},"set":{"mode":"screen"}},
	{"id":"e","kind":"Outline"},
	{"id":"f","kind":"Blend","in":{"base":"d.colour","amount":"e.tone"}},
	{"id":"g","kind":"Finish","in":{"colour":"f.colour"}}
]`

// A group computes what its nodes did, within groups too, and so do the nodes
// once it is dissolved.
func TestGroupsChangeNothingThatIsComputed(t *testing.T) {
	n := networktest.Parse(t, hinge)
	require.NoError(t, n.Settle(cat))
	key := func(n *network.Network, groups []network.Group) eval.Key {
		flat, err := network.NewGrouped(cat, groups).Flatten(n)
		require.NoError(t, err)
		p, err := eval.Compile(flat, cat)
		require.NoError(t, err)
		return p.KeyOf(p.Input("g", "colour")[0], eval.NewMoment(nil, 0))
	}
	want := key(n, nil)
	var groups []network.Group
	c := network.NewGrouped(cat, nil)
	inner, innerID, err := c.Make(n, []string{"c", "d"}, "inner", "Bands")
	require.NoError(t, err)
	groups = append(groups, inner)
	c = network.NewGrouped(cat, groups)
	assert.Equal(t, want, key(n, groups))
	assert.Len(t, inner.Inputs, 1, "one source, one input")
	assert.Len(t, inner.Inputs[0].To, 2, "that feeds both")
	outer, outerID, err := c.Make(n, []string{"b", innerID}, "outer", "All")
	require.NoError(t, err)
	groups = append(groups, outer)
	c = network.NewGrouped(cat, groups)
	require.NoError(t, network.SettleGroups(cat, groups))
	assert.Equal(t, want, key(n, groups))
	at, ok := c.At(n, outerID, network.Ref{Node: "b", Port: "tone"})
	assert.True(t, ok)
	assert.Equal(t, network.Ref{Node: outerID + "/b", Port: "tone"}, at)

	_, err = c.Expose(c.Group("outer"), network.Ref{Node: "b", Port: "threshold"}, false, "Cut")
	require.NoError(t, err)
	assert.Equal(t, want, key(n, groups), "an input that is shown outside keeps its value")
	require.NoError(t, n.SetConstant(c, outerID, "threshold", 0.7))
	changed := key(n, groups)
	assert.NotEqual(t, want, changed, "and each use may have its own")
	plain := networktest.Parse(t, strings.Replace(hinge, "0.3", "0.7", 1))
	require.NoError(t, plain.Settle(cat))
	assert.Equal(t, key(plain, nil), changed)

	ids, err := c.Dissolve(n, outerID)
	require.NoError(t, err)
	assert.Equal(t, changed, key(n, groups))
	for _, id := range ids {
		if n.Node(id) != nil && c.GroupOf(n.Node(id)) != nil {
			_, err = c.Dissolve(n, id)
			require.NoError(t, err)
		}
	}
	assert.Equal(t, changed, key(n, nil), "no group is left")
}

func TestGroupsRefuseInWords(t *testing.T) {
	n := networktest.Parse(t, hinge)
	require.NoError(t, n.Settle(cat))
	c := network.NewGrouped(cat, nil)
	_, _, err := c.Make(n, []string{"b", "d"}, "x", "")
	assert.ErrorContains(t, err, "Ramp lies between these nodes")
	_, _, err = c.Make(n, []string{"g"}, "x", "")
	assert.ErrorContains(t, err, "choose some first")
	loop := []network.Group{
		{ID: "p", Name: "P", Network: network.Network{Nodes: []network.Node{{ID: "n1", Kind: "group:q"}}}},
		{ID: "q", Name: "Q", Network: network.Network{Nodes: []network.Node{{ID: "n1", Kind: "group:p"}}}},
	}
	assert.ErrorContains(t, network.SettleGroups(cat, loop), "would hold itself")
	for text, want := range map[string]string{
		`[{"id":"p","name":"P","nodes":[{"id":"a","kind":"Finish"}]}]`:  "has no Finish",
		`[{"id":"p","name":"","nodes":[]}]`:                             "name is empty",
		`[{"id":"p","name":"P","nodes":[{"id":"a","kind":"group:z"}]}]`: "unknown kind",
		`[{"id":"p","name":"P","nodes":[{"id":"a","kind":"Ramp"}],"inputs":[{"key":"k","name":"K","to":[{"Node":"a","Port":"tonne"}]}]}]`: "neither an input nor one setting",
		`[{"id":"p","name":"P","nodes":[{"id":"a","kind":"Ramp"}],"outputs":[{"key":"k","name":"K","to":[{"Node":"z","Port":"x"}]}]}]`:    "no node",
	} {
		var groups []network.Group
		require.NoError(t, json.Unmarshal([]byte(text), &groups))
		assert.ErrorContains(t, network.SettleGroups(cat, groups), want, text)
	}
	// Each group holds the one before ten times: opened, that would be a million nodes.
	var tower []network.Group
	for i := range 6 {
		g := network.Group{ID: fmt.Sprintf("t%d", i), Name: "T"}
		for k := range 10 {
			kind := "facing"
			if i > 0 {
				kind = fmt.Sprintf("group:t%d", i-1)
			}
			g.Nodes = append(g.Nodes, network.Node{ID: fmt.Sprintf("n%d", k), Kind: kind})
		}
		tower = append(tower, g)
	}
	require.NoError(t, network.SettleGroups(cat, tower))
	_, err = network.NewGrouped(cat, tower).Flatten(&network.Network{Nodes: []network.Node{{ID: "x", Kind: "group:t5"}}})
	assert.ErrorContains(t, err, "more than")
}

func TestBypassHandsOn(t *testing.T) {
	n := networktest.Settled(t, cat)
	require.NoError(t, n.SetOff(cat, "mix", true))
	assert.ErrorContains(t, n.SetOff(cat, "light", true), "cannot be bypassed")
	assert.ErrorContains(t, n.SetOff(cat, "end", true), "cannot be bypassed")
	require.NoError(t, n.SetOff(cat, "ink", true), "lines that are bypassed are not drawn")
	flat, err := network.NewGrouped(cat, nil).Flatten(n)
	require.NoError(t, err)
	assert.Empty(t, flat.Node("end").In["lines"].Wires)
	through := flat.Node("end").In["colour"].Wires[0].Node
	assert.Equal(t, "mix~colour", through)
	assert.Equal(t, "bands", flat.Node(through).In["value"].Wires[0].Node)
	_, err = eval.Compile(flat, cat)
	require.NoError(t, err)
}

func TestSwapAndReplaceKeepWhatFits(t *testing.T) {
	n := networktest.Settled(t, cat)
	require.NoError(t, n.Swap(cat, "mix", "", ""))
	assert.Equal(t, color.MustHex("#102030"), n.Node("mix").In["base"].Value)
	assert.Equal(t, "bands", n.Node("mix").In["over"].Wires[0].Node)
	require.NoError(t, n.Swap(cat, "mix", "base", "over"))
	lost, err := n.Replace(cat, "mix", "layers")
	require.NoError(t, err)
	assert.Empty(t, lost)
	d := n.Node("mix")
	assert.Equal(t, "bands", d.In["base"].Wires[0].Node)
	assert.Equal(t, color.MustHex("#102030"), d.In["a"].Value)
	assert.Equal(t, "rim", d.In["a-mask"].Wires[0].Node)
	assert.Equal(t, "mix", n.Node("end").In["colour"].Wires[0].Node)
	lost, err = n.Replace(cat, "bands", "edge-lines")
	require.NoError(t, err)
	assert.Contains(t, lost, "does not take over the wire to Layers")
	_, err = n.Replace(cat, "end", "ramp")
	assert.ErrorContains(t, err, "stays what it is")
}

func TestASwitchCarriesWhatItIsWiredWith(t *testing.T) {
	n := networktest.Settled(t, cat)
	id, err := n.Add(cat, "switch")
	require.NoError(t, err)
	require.NoError(t, n.Connect(cat, network.Ref{Node: "ink"}, network.Ref{Node: id, Port: "a"}))
	assert.Equal(t, network.Lines, cat.Of(n.Node(id)).Outputs[0].Type)
	assert.ErrorContains(t, n.Connect(cat, network.Ref{Node: "light"}, network.Ref{Node: id, Port: "b"}), "no conversion makes sense")
	require.NoError(t, n.Connect(cat, network.Ref{Node: id}, network.Ref{Node: "end", Port: "lines"}))
}

func TestFragmentsGoBetweenNetworks(t *testing.T) {
	n := networktest.Settled(t, cat)
	f := n.Fragment([]string{"bands", "mix", "end"}, false)
	assert.Len(t, f.Nodes, 2, "Finish stays")
	other := networktest.Settled(t, cat)
	ids, err := other.Paste(cat, f)
	require.NoError(t, err)
	require.Len(t, ids, 2)
	assert.Equal(t, ids[0], other.Node(ids[1]).In["base"].Wires[0].Node, "the wires among them come along")
	assert.Empty(t, other.Node(ids[0]).In, "those from outside do not")
	require.NoError(t, other.Settle(cat))
}

func FuzzSettle(f *testing.F) {
	f.Add(networktest.Banded)
	f.Add(`[{"id":"a","kind":"Colour","set":{"colour":[1,2,3]}}]`)
	f.Add(`[{"id":"a","kind":"Diffuse light","set":{"lights":["x"],"wrap":1e999}}]`)
	f.Fuzz(func(t *testing.T, text string) {
		n := &network.Network{}
		if json.NewDecoder(strings.NewReader(text)).Decode(&n.Nodes) != nil || n.Settle(cat) != nil {
			return
		}
		_, err := eval.Compile(n, cat)
		require.NoError(t, err, "what was settled can be evaluated")
	})
}

func TestANetworkPrintsItself(t *testing.T) {
	n := networktest.Settled(t, cat)
	require.NoError(t, n.SetValue(cat, "bands", "mixing", "oklab"))
	n.Node("rim").Off = true
	assert.Equal(t, `light diffuse-light
bands ramp tone<light.tone mixing="oklab"
rim outline off
mix blend amount<rim.tone base<bands.colour over="#102030"
ink edge-lines
end finish colour<mix.colour lines<ink.lines
`, n.String())
	loop := &network.Network{Nodes: []network.Node{{ID: "a", Kind: "ramp", In: map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "a", Port: "tone"}}}}}}}
	assert.Equal(t, "a ramp tone<a.tone\n", loop.String(), "also one that cannot be")
}

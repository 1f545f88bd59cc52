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
	"mobanta/core/node"
)

var cat node.Catalogue

// parse reads nodes as a look file holds them.
func parse(t testing.TB, text string) *network.Network {
	t.Helper()
	n := &network.Network{}
	require.NoError(t, json.Unmarshal([]byte(text), &n.Nodes))
	return n
}

const banded = `[
	{"id":"light","kind":"Diffuse light"},
	{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"}},
	{"id":"rim","kind":"Outline"},
	{"id":"mix","kind":"Blend","in":{"base":"bands","over":"#102030","amount":"rim.tone"}},
	{"id":"ink","kind":"Edge lines"},
	{"id":"end","kind":"Finish","in":{"colour":"mix.colour","lines":["ink.lines"]}}
]`

func settled(t testing.TB) *network.Network {
	t.Helper()
	n := parse(t, banded)
	require.NoError(t, n.Settle(cat))
	return n
}

func ExampleConvert() {
	how, ok := network.Convert(network.Color, network.Tone)
	fmt.Println(how, ok)
	// Output: by luminance true
}

func TestSettleFillsInPortsAndTypes(t *testing.T) {
	n := settled(t)
	mix := n.Node("mix")
	assert.Equal(t, "blend", mix.Kind)
	assert.Equal(t, network.Ref{Node: "bands", Port: "colour"}, mix.In["base"].Wires[0], "no port means the first")
	assert.Equal(t, color.MustHex("#102030"), mix.In["over"].Value)
	data, err := json.Marshal(n.Nodes)
	require.NoError(t, err)
	again := parse(t, string(data))
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
		`[{"id":"a","kind":"Ramp","set":{"stops":[{"at":0,"colour":"#fff"}]}}]`:                   "unknown field",
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
		err := parse(t, text).Settle(cat)
		assert.ErrorContains(t, err, want, text)
	}
	assert.ErrorContains(t, (&network.Network{Nodes: make([]network.Node, network.MaxNodes+1)}).Settle(cat), "more than")
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
	n := settled(t)
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
	n := settled(t)
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
	n := settled(t)
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
	r := rand.New(rand.NewPCG(7, 8))
	n := settled(t)
	pick := func() *network.Node { return &n.Nodes[r.IntN(len(n.Nodes))] }
	for step := range 4000 {
		before := n.Clone()
		text, err := json.Marshal(before)
		require.NoError(t, err)
		switch r.IntN(6) {
		case 0:
			if len(n.Nodes) < 40 {
				n.Add(cat, cat.All()[r.IntN(len(cat.All()))].Spec.Kind)
			}
		case 1:
			n.Remove(cat, pick().ID)
		case 2, 3:
			a, b := pick(), pick()
			in := cat.Spec(b.Kind).Inputs
			if len(in) > 0 {
				n.Connect(cat, network.Ref{Node: a.ID}, network.Ref{Node: b.ID, Port: in[r.IntN(len(in))].Key})
			}
		case 4:
			d := pick()
			for key := range d.In {
				n.Disconnect(network.Ref{}, network.Ref{Node: d.ID, Port: key})
				break
			}
		case 5:
			a, b := pick(), pick()
			if in := cat.Spec(b.Kind).Inputs; len(in) > 0 {
				n.Insert(cat, a.ID, network.Ref{Node: b.ID, Port: in[0].Key})
			}
		}
		require.NoError(t, n.Settle(cat), "step %d", step)
		_, err = eval.Compile(n, cat)
		require.NoError(t, err)
		same, err := json.Marshal(before)
		require.NoError(t, err)
		require.Equal(t, string(text), string(same), "step %d changed a copy", step)
	}
}

var z = network.Sizes{CardW: 172, CardH: 64, PortW: 56, PortInset: 30, GapX: 20, GapY: 18, Port: 14, Lane: 7}

func TestLayoutRunsDownwardWithoutOverlap(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 20 {
		n := settled(t)
		for range 30 {
			n.Add(cat, cat.All()[r.IntN(len(cat.All()))].Spec.Kind)
			a, b := n.Nodes[r.IntN(len(n.Nodes))], n.Nodes[r.IntN(len(n.Nodes))]
			if in := cat.Spec(b.Kind).Inputs; len(in) > 0 {
				n.Connect(cat, network.Ref{Node: a.ID}, network.Ref{Node: b.ID, Port: in[r.IntN(len(in))].Key})
			}
		}
		l := n.Lay(cat, z)
		require.Len(t, l.Cards, len(n.Nodes))
		at := map[string]network.Card{}
		for i, c := range l.Cards {
			at[c.ID] = c
			assert.True(t, c.X >= 0 && c.X+z.CardW <= l.W && c.Y+z.CardH <= l.H)
			for _, o := range l.Cards[:i] {
				if c.Y == o.Y {
					assert.GreaterOrEqual(t, max(c.X-o.X, o.X-c.X), z.CardW+z.GapX-1)
				}
			}
		}
		for _, w := range l.Wires {
			assert.Less(t, at[w.From.Node].Y, at[w.To.Node].Y, "sources stand above")
			for k := 1; k < len(w.Points); k++ {
				assert.GreaterOrEqual(t, w.Points[k][1], w.Points[k-1][1], "wires never run upward")
			}
		}
		assert.Equal(t, l, n.Lay(cat, z), "the same network, the same layout")
	}
}

func TestLayoutKeepsAChainStraight(t *testing.T) {
	l := settled(t).Lay(cat, z)
	for _, w := range l.Wires {
		if w.From.Node == "light" {
			assert.Len(t, w.Points, 2)
		}
	}
}

func FuzzSettle(f *testing.F) {
	f.Add(banded)
	f.Add(`[{"id":"a","kind":"Colour","set":{"colour":[1,2,3]}}]`)
	f.Add(`[{"id":"a","kind":"Diffuse light","set":{"lights":["x"],"wrap":1e999}}]`)
	f.Fuzz(func(t *testing.T, text string) {
		n := &network.Network{}
		if json.NewDecoder(strings.NewReader(text)).Decode(&n.Nodes) != nil || n.Settle(cat) != nil {
			return
		}
		_, err := eval.Compile(n, cat)
		require.NoError(t, err, "what was settled can be evaluated")
		n.Lay(cat, z)
	})
}

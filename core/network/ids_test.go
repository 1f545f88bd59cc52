package network_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/network"
	"mobanta/core/network/networktest"
)

func TestNumbered(t *testing.T) {
	for id, want := range map[string][2]any{
		"n1": {"n", 1}, "n10": {"n", 10}, "n": {"n", 0}, "n01": {"n01", 0}, "n0": {"n0", 0}, "a1b2": {"a1b", 2},
		"n999999999": {"n", 999999999}, "n1000000000": {"n1000000000", 0}, "n99999999999999999999": {"n99999999999999999999", 0},
	} {
		letters, number := network.Numbered(id)
		assert.Equal(t, want, [2]any{letters, number}, id)
	}
}

// Whatever ids a network came with, and whatever were given before, new ones are new.
func TestNewIDsAreNew(t *testing.T) {
	for _, first := range []string{"n1", "light", "n998", "n999999998", "n999999999", "n1000000000"} {
		n := networktest.Parse(t, strings.ReplaceAll(networktest.Banded, `"light`, `"`+first))
		require.NoError(t, n.Settle(cat))
		seen := map[string]bool{}
		for i := range n.Nodes {
			seen[n.Nodes[i].ID] = true
		}
		for range 5 {
			id, err := n.Add(cat, "ramp")
			require.NoError(t, err)
			require.False(t, seen[id], "%s after %s", id, first)
			seen[id] = true
			require.NoError(t, n.Settle(cat))
		}
	}
	n := networktest.Settled(t, cat)
	n.Given = map[string]int{"n": 7, "s": 3, "d": 999_999_999}
	id, err := n.Add(cat, "ramp")
	require.NoError(t, err)
	assert.Equal(t, "n8", id)
	section, err := n.Gather([]string{"light"}, "")
	require.NoError(t, err)
	assert.Equal(t, "s4", section)
	assert.Equal(t, "d_1", n.DialID(), "the numbers of d have run out")
}

// What comes in place of something else keeps the ids that were never given, and its
// wires, sections and dials follow the others.
func TestRenumbered(t *testing.T) {
	n := networktest.Parse(t, `[{"id":"n2","kind":"Diffuse light"},{"id":"n9","kind":"Ramp","in":{"tone":"n2.tone"}},{"id":"n3","kind":"Finish","in":{"colour":"n9.colour"}}]`)
	n.Sections = []network.Section{{ID: "s1", Nodes: []string{"n2", "n9"}}}
	n.Dials = []network.Dial{{ID: "d2", Name: "Wrap", Node: "n2", Key: "wrap", Max: 1}}
	require.NoError(t, n.Settle(cat))
	out := n.Renumbered(map[string]int{"n": 4, "s": 1})
	require.NoError(t, out.Settle(cat))
	assert.Equal(t, []string{"n10", "n9", "n11"}, []string{out.Nodes[0].ID, out.Nodes[1].ID, out.Nodes[2].ID})
	assert.Equal(t, "n10.tone", out.Nodes[1].In["tone"].Wires[0].String())
	assert.Equal(t, "n9.colour", out.Nodes[2].In["colour"].Wires[0].String())
	assert.Equal(t, network.Section{ID: "s2", Nodes: []string{"n10", "n9"}}, out.Sections[0])
	assert.Equal(t, "d2 n10", out.Dials[0].ID+" "+out.Dials[0].Node)
	assert.Equal(t, "n2", n.Nodes[0].ID, "the one it was made of stays")

	n = networktest.Parse(t, `[{"id":"n999999999","kind":"Ramp"},{"id":"n1000000000","kind":"Ramp"},{"id":"n1","kind":"Finish"}]`)
	out = n.Renumbered(map[string]int{"n": 1})
	assert.Equal(t, []string{"n999999999", "n1000000000", "n_1"}, []string{out.Nodes[0].ID, out.Nodes[1].ID, out.Nodes[2].ID})
}

// nested returns groups each of which holds the one before, twice.
func nested(deep int) []network.Group {
	groups := []network.Group{{ID: "g0", Name: "G", Network: network.Network{Nodes: []network.Node{{ID: "a", Kind: "ramp"}}},
		Inputs:  []network.Exposed{{Key: "tone", Name: "Tone", To: []network.Ref{{Node: "a", Port: "tone"}}}},
		Outputs: []network.Exposed{{Key: "colour", Name: "Colour", To: []network.Ref{{Node: "a", Port: "colour"}}}}}}
	for i := 1; i < deep; i++ {
		kind := fmt.Sprintf("group:g%d", i-1)
		g := network.Group{ID: fmt.Sprintf("g%d", i), Name: "G", Network: network.Network{Nodes: []network.Node{{ID: "a", Kind: kind},
			{ID: "b", Kind: kind, In: map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "a", Port: "colour"}}}}}}},
			Inputs:  []network.Exposed{{Key: "tone", Name: "Tone", To: []network.Ref{{Node: "a", Port: "tone"}}}},
			Outputs: []network.Exposed{{Key: "colour", Name: "Colour", To: []network.Ref{{Node: "b", Port: "colour"}}}}}
		groups = append(groups, g)
	}
	return groups
}

// Asked for each inner group again, the last of these would take 2^32 steps.
func TestGroupsWithinGroupsTakeNoLonger(t *testing.T) {
	groups := nested(32)
	require.NoError(t, network.SettleGroups(cat, groups))
	spec := network.NewGrouped(cat, groups).Spec("group:g31")
	require.NotNil(t, spec)
	assert.Equal(t, []any{1, network.Tone, 1, network.Color}, []any{len(spec.Inputs), spec.Inputs[0].Type, len(spec.Outputs), spec.Outputs[0].Type})
	assert.ErrorContains(t, network.SettleGroups(cat, nested(33)), "more than 32 deep")
	n := network.Network{Nodes: []network.Node{{ID: "a", Kind: "group:g31"}, {ID: "e", Kind: network.FinishKind}}}
	_, err := network.NewGrouped(cat, groups).Flatten(&n)
	assert.ErrorContains(t, err, "10000")
}

func TestWhatAGroupShowsHasKeysOfItsOwn(t *testing.T) {
	groups := nested(1)
	g := &groups[0]
	expose := func(port, name string) (string, error) {
		return network.NewGrouped(cat, groups).Expose(g, network.Ref{Node: "a", Port: port}, false, name)
	}
	for _, port := range []string{"", "gone"} {
		_, err := expose(port, "")
		assert.ErrorContains(t, err, "nothing named")
	}
	key, err := expose("mixing", "Mixed")
	require.NoError(t, err)
	assert.Equal(t, "mixing", key)
	g.Inputs = g.Inputs[:1]
	g.Shown = map[string]int{"mixing": 3}
	key, err = expose("mixing", strings.Repeat("灯", 200))
	require.NoError(t, err)
	assert.Equal(t, "mixing4", key, "it had three before")
	_, err = expose("stops", strings.Repeat("灯", 201))
	assert.ErrorContains(t, err, "longer than 200 letters")
	require.NoError(t, network.SettleGroups(cat, groups))
}

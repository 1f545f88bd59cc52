package picture_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/network"
	"mobanta/core/node"
)

// A pattern is taken evenly where it ends in colour alone; what could make another edge of it keeps it.
func TestPatternsThatEndInColourAreTakenEvenly(t *testing.T) {
	net := func(nodes ...network.Node) *network.Network {
		n := &network.Network{Nodes: append(nodes, network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": {Wires: []network.Ref{{Node: nodes[len(nodes)-1].ID}}}}})}
		require.NoError(t, n.Settle(node.Catalogue{}))
		return n
	}
	from := func(id, port string) network.Input {
		return network.Input{Wires: []network.Ref{{Node: id, Port: port}}}
	}
	dots := network.Node{ID: "dots", Kind: "halftone"}
	plain := net(dots, network.Node{ID: "over", Kind: "blend", In: map[string]network.Input{"base": from("dots", "colour")}})
	even := node.Evenly(plain)
	require.NotNil(t, even)
	assert.Equal(t, "even:halftone", even.Node("dots").Kind)
	assert.Equal(t, "halftone", plain.Node("dots").Kind, "the network itself stays")
	assert.Nil(t, node.Evenly(net(dots, network.Node{ID: "cut", Kind: "soft-step", In: map[string]network.Input{"tone": from("dots", "mask")}},
		network.Node{ID: "over", Kind: "blend", In: map[string]network.Input{"amount": from("cut", "tone")}})))
	assert.Nil(t, node.Evenly(net(network.Node{ID: "over", Kind: "blend"})))
	for _, k := range (node.Catalogue{}).All() {
		assert.NotContains(t, k.Spec.Kind, "even:", "they are in no list")
	}
}

package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
)

// finish has no outputs: the picture reads its inputs.
var finish = &Kind{
	Spec: network.Spec{
		Kind: network.FinishKind, Name: "Finish", Family: "finish",
		Purpose: "The end of the look: what arrives here is the picture.",
		Words:   []string{"output", "result", "end", "surface", "final"},
		Inputs: []network.Port{
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#9AA5B1")},
			{Key: "opacity", Name: "opacity", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
			{Key: "lines", Name: "lines", Type: network.Lines, Hidden: true, Many: true, Help: "Any number of lines, the last on top."},
		},
	},
	Example: func(n *network.Network, d *network.Node) {
		n.Nodes = append(n.Nodes, network.Node{ID: "ink", Kind: "edge-lines"})
		n.Node("end").In["lines"] = network.Input{Wires: []network.Ref{{Node: "ink", Port: "lines"}}}
	},
	Run: func(c *Call) {},
}

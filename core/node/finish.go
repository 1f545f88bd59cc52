package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
)

// Displacing is the input of Finish that moves the surface.
const Displacing = "displace"

// finish has no outputs: the picture reads its inputs.
var _ = register(540, &Kind{
	Spec: network.Spec{
		Kind: network.FinishKind, Name: "Finish", Family: "finish",
		Purpose: "The end of the look: what arrives here is the picture.",
		Words:   []string{"output", "result", "end", "surface", "final"},
		Inputs: []network.Port{
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#9AA5B1")},
			{Key: "opacity", Name: "opacity", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
			{Key: "lines", Name: "lines", Type: network.Lines, Hidden: true, Many: true, Help: "Any number of lines, the last on top."},
			{Key: Displacing, Name: "displace", Type: network.Tone, Hidden: true, Help: "Moves the surface itself, silhouette and all, along its normals: 0 stays, 1 goes as far as Height says. What feeds it is read at the vertices, so it needs a fine mesh: subdivide the model on the stage."},
		},
		Settings: []network.Setting{
			{Key: "height", Name: "Height", Type: network.Number, Default: 0.05, Min: -0.5, Max: 0.5, Help: "How far out a displace of 1 lies, in parts of the model's diagonal; inward below 0."},
		},
	},
	Brief: func(*About) string { return "" },
	Example: func(n *network.Network, d *network.Node) {
		n.Nodes = append(n.Nodes, network.Node{ID: "ink", Kind: "edge-lines"})
		n.Node("end").In["lines"] = network.Input{Wires: []network.Ref{{Node: "ink", Port: "lines"}}}
	},
	Run: func(c *Call) {},
})

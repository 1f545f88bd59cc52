package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
)

var _ = register(390, &Kind{
	Spec: network.Spec{
		Kind: "colour", Name: "Colour", Family: "colour",
		Purpose:  "One flat colour.",
		Words:    []string{"color", "swatch", "constant", "paint", "hex", "rgb", "flat"},
		Outputs:  []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: []network.Setting{{Key: "colour", Name: "Colour", Type: network.Swatch, Default: color.MustHex("#D4843F")}},
	},
	Prepare: func(get func(string) any) any { return get("colour") },
	Brief:   func(a *About) string { return a.Setting("colour").(color.C).Hex() },
	GLSL:    func(g *GLSL) { g.Out("colour", "%s", g.Number("colour")) },
	MaterialX: func(m *MaterialX) {
		m.Out("colour", m.Put("constant", XColor, "value", XThree(XColor, m.Data.(color.C))))
	},
	Run: func(c *Call) {
		for k, v := range c.Data.(color.C) {
			p := c.Out[0][k]
			for i := range p {
				p[i] = v
			}
		}
	},
})

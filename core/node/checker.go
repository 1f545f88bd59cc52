package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/texture"
)

var _ = register(140, &Kind{
	Spec: network.Spec{
		Kind: "checker", Name: "Checker", Family: "texture",
		Purpose: "Two colours in turn, as on a chequered board.",
		Words:   []string{"chequer", "checkerboard", "chess", "squares", "tiles", "test pattern", "plaid"},
		Source:  "The mean over what a pixel covers: a product of one square wave for each axis.",
		Inputs: []network.Port{placeInput(),
			{Key: "sizes", Name: "sizes", Type: network.Vector, Default: [3]float64{0.1, 0.1, 0.1}, Help: "Of a field along each axis, in parts of the model's diagonal; 0 does not change along that axis."},
			{Key: "first", Name: "first", Type: network.Color, Default: color.MustHex("#E8DCC0")}, {Key: "second", Name: "second", Type: network.Color, Default: color.MustHex("#3A4A58")}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}, {Key: "tone", Name: "tone", Type: network.Tone, Help: "0 in the first, 1 in the second."}},
	},
	NeedsFor:  laidNeeds,
	Elsewhere: laidElsewhere,
	Strip:     OnLength,
	GLSL: func(g *GLSL) {
		g.Use("profile")
		at, foot := g.placeIn()
		s := g.Let("vec3", "%s", g.In("sizes"))
		sign := g.Let("float", "1.0")
		for _, k := range "xyz" {
			g.Do("if (%[1]s.%[2]c > 0.0) %[3]s *= 2.0 * waveMean(%[4]s.%[2]c / max(1e-4, %[1]s.%[2]c) / 2.0, %[5]s.%[2]c / max(1e-4, %[1]s.%[2]c) / 2.0, 3, 0.5) - 1.0;", s, k, sign, at, foot)
		}
		t := g.Let("float", "0.5 - 0.5 * %s", sign)
		g.Out("colour", "mix(%s, %s, %s)", g.In("first"), g.In("second"), t)
		g.Out("tone", "%s", t)
	},
	MaterialX: func(m *MaterialX) {
		cell := m.Put("floor", XVector, "in", m.Over(m.placeIn(), m.In("sizes")))
		t := m.Put("modulo", XFloat, "in1", m.Dot(cell, XThree(XVector, [3]float32{1, 1, 1})), "in2", XNumber(2))
		m.Out("tone", t)
		m.Out("colour", m.Put("mix", XColor, "fg", m.In("second"), "bg", m.In("first"), "mix", t))
	},
	Run: func(c *Call) {
		sizes, first, second := c.In[1], c.In[2], c.In[3]
		for i := range c.N {
			l := c.laid(i)
			var at, foot [3]float32
			for k := range at {
				if s := sizes[k][i]; s > 0 {
					s = max(leastSize, s)
					at[k], foot[k] = l.at[k]/s, l.foot[k]/s
				} else {
					at[k] = 0.5
				}
			}
			t := 1 - texture.Checker(at, foot)
			if out := c.Out[0]; out != nil {
				for k := range out {
					out[k][i] = first[k][i] + (second[k][i]-first[k][i])*t
				}
			}
			if out := c.Out[1]; out != nil {
				out[0][i] = t
			}
		}
	},
})

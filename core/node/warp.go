package node

import (
	"mobanta/core/network"
)

var _ = register(170, &Kind{
	Spec: network.Spec{
		Kind: "warp", Name: "Warp", Family: "texture",
		Purpose: "Bends the place along which a texture is laid, by a colour, a noise or another place.",
		Words:   []string{"distort", "bend", "displace texture", "wobble", "wavy", "domain warp"},
		Inputs: []network.Port{placeInput(),
			{Key: "by", Name: "by", Type: network.Vector, Default: [3]float64{0.5, 0.5, 0.5}, Help: "A colour or a vector from 0 to 1; ½ bends nothing. Noise's colour is made for it."},
			{Key: "amount", Name: "amount", Type: network.Tone, Default: 0.1, Min: 0, Max: 1, Help: "How far it moves at most, in parts of the model's diagonal."}},
		Outputs: []network.Port{{Key: "vector", Name: "place", Type: network.Vector}},
	},
	NeedsFor: placeNeeds,
	Brief:    func(a *About) string { return "by " + a.Input("amount") },
	GLSL: func(g *GLSL) {
		g.Out("vector", "%s + (2.0 * %s - 1.0) * %s", g.Or("place", g.Of("rest")), g.In("by"), g.In("amount"))
	},
	MaterialX: func(m *MaterialX) {
		m.Out("vector", m.Sum(m.placeIn(), m.Times(m.Less(m.Times(m.In("by"), XNumber(2)), XNumber(1)), m.In("amount"))))
	},
	Run: func(c *Call) {
		by, amount, out := c.In[1], c.In[2][0], c.Out[0]
		for i := range c.N {
			at := c.place(i)
			for k := range out {
				out[k][i] = at[k] + (2*by[k][i]-1)*amount[i]
			}
		}
	},
})

package node

import (
	"mobanta/core/network"
	"mobanta/core/vec"
)

var place = &Kind{
	Spec: network.Spec{
		Kind: "place", Name: "Place", Family: "texture",
		Purpose: "Moves, turns and stretches the place along which a texture is laid.",
		Words:   []string{"mapping", "transform", "offset", "rotate", "scale", "stretch", "tile", "move texture"},
		Inputs: []network.Port{placeInput(),
			{Key: "move", Name: "move", Type: network.Vector, Default: [3]float64{0, 0, 0}, Help: "In parts of the model's diagonal."},
			{Key: "turn", Name: "turn", Type: network.Vector, Default: [3]float64{0, 0, 0}, Help: "Degrees about x, then y, then z."},
			{Key: "stretch", Name: "stretch", Type: network.Vector, Default: [3]float64{1, 1, 1}, Help: "What is laid along it becomes so many times longer along each axis."}},
		Outputs: []network.Port{{Key: "vector", Name: "place", Type: network.Vector}},
	},
	NeedsFor: laidNeeds,
	Brief:    func(a *About) string { return "" },
	Run: func(c *Call) {
		move, turn, stretch, out := c.In[1], c.In[2], c.In[3], c.Out[0]
		var m vec.M
		var was vec.V
		for i := range c.N {
			if t := (vec.V{turn[0][i], turn[1][i], turn[2][i]}); i == 0 || t != was {
				was = t
				// The pattern turns by t: the place turns back, in the opposite order.
				m = vec.Place(vec.V{}, vec.V{0, 0, -t[2]}, 1).Then(vec.Place(vec.V{}, vec.V{0, -t[1], 0}, 1)).Then(vec.Place(vec.V{}, vec.V{-t[0], 0, 0}, 1))
			}
			l := c.laid(i)
			p := m.Dir(l.at.Sub(vec.V{move[0][i], move[1][i], move[2][i]}))
			for k := range p {
				s := stretch[k][i]
				if s < 0 {
					s = min(s, -leastSize)
				} else {
					s = max(s, leastSize)
				}
				out[k][i] = p[k] / s
			}
		}
	},
}

var warp = &Kind{
	Spec: network.Spec{
		Kind: "warp", Name: "Warp", Family: "texture",
		Purpose: "Bends the place along which a texture is laid, by a colour, a noise or another place.",
		Words:   []string{"distort", "bend", "displace texture", "wobble", "wavy", "domain warp"},
		Inputs: []network.Port{placeInput(),
			{Key: "by", Name: "by", Type: network.Vector, Default: [3]float64{0.5, 0.5, 0.5}, Help: "A colour or a vector from 0 to 1; ½ bends nothing. Noise's colour is made for it."},
			{Key: "amount", Name: "amount", Type: network.Tone, Default: 0.1, Min: 0, Max: 1, Help: "How far it moves at most, in parts of the model's diagonal."}},
		Outputs: []network.Port{{Key: "vector", Name: "place", Type: network.Vector}},
	},
	NeedsFor: laidNeeds,
	Brief:    func(a *About) string { return "by " + a.Input("amount") },
	Run: func(c *Call) {
		by, amount, out := c.In[1], c.In[2][0], c.Out[0]
		for i := range c.N {
			l := c.laid(i)
			for k := range out {
				out[k][i] = l.at[k] + (2*by[k][i]-1)*amount[i]
			}
		}
	},
}

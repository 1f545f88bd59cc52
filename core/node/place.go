package node

import (
	"mobanta/core/network"
	"mobanta/core/vec"
)

var _ = register(160, &Kind{
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
	NeedsFor: placeNeeds,
	Brief:    func(a *About) string { return "" },
	GLSL: func(g *GLSL) {
		at := g.Let("vec3", "%s - %s", g.Or("place", g.Of("rest")), g.In("move"))
		t := g.Let("vec3", "radians(-(%s))", g.In("turn"))
		g.Do("%[1]s.xy = mat2(cos(%[2]s.z), sin(%[2]s.z), -sin(%[2]s.z), cos(%[2]s.z)) * %[1]s.xy;", at, t)
		g.Do("%[1]s.zx = mat2(cos(%[2]s.y), sin(%[2]s.y), -sin(%[2]s.y), cos(%[2]s.y)) * %[1]s.zx;", at, t)
		g.Do("%[1]s.yz = mat2(cos(%[2]s.x), sin(%[2]s.x), -sin(%[2]s.x), cos(%[2]s.x)) * %[1]s.yz;", at, t)
		s := g.Let("vec3", "%s", g.In("stretch"))
		g.Out("vector", "%[1]s / mix(max(%[2]s, 1e-4), min(%[2]s, -1e-4), lessThan(%[2]s, vec3(0.0)))", at, s)
	},
	MaterialX: func(m *MaterialX) {
		at := m.Less(m.placeIn(), m.In("move"))
		turn := m.In("turn")
		for i, axis := range [3][3]float32{{0, 0, 1}, {0, 1, 0}, {1, 0, 0}} {
			by := m.Put("extract", XFloat, "in", turn, "index", XWhole(2-i))
			at = m.Put("rotate3d", XVector, "in", at, "amount", m.Times(by, XNumber(-1)), "axis", XThree(XVector, axis))
		}
		m.Out("vector", m.Over(at, m.In("stretch")))
	},
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
			at := c.place(i)
			p := m.Dir(at.Sub(vec.V{move[0][i], move[1][i], move[2][i]}))
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
})

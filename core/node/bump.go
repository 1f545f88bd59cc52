package node

import (
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(190, &Kind{
	Spec: network.Spec{
		Kind: "bump", Name: "Bump", Family: "relief",
		Purpose: "Lets light see relief where a tone rises and falls: wire it to the normal of a light.",
		Words:   []string{"height", "relief", "emboss", "raised", "dents", "engrave", "bumpy", "normal from height", "surface detail"},
		Source:  "Blinn, Simulation of wrinkled surfaces (1978), by the surface gradient (Mikkelsen 2010): what feeds the height is evaluated half a pixel away along the surface, to either side.",
		Inputs: []network.Port{
			{Key: "height", Name: "height", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "Any tone: 0 is the surface, 1 as far out as depth says."},
			{Key: "depth", Name: "depth", Type: network.Tone, Default: 0.02, Min: 0, Max: 0.2, Help: "How far out a height of 1 lies, in parts of the model's diagonal."},
			normalInput()},
		Outputs:  []network.Port{{Key: "normal", Name: "normal", Type: network.Vector}},
		Settings: []network.Setting{{Key: "way", Name: "Goes", Type: network.Choice, Default: "out", Choices: []network.Option{{Key: "out", Name: "Outward"}, {Key: "in", Name: "Inward"}}}},
	},
	Needs: sample.Normal | sample.Foot | sample.Part,
	Elsewhere: func(_ any, input int) []sample.Variant {
		if input == 0 {
			return []sample.Variant{sample.AlongU, sample.BackU, sample.AlongV, sample.BackV}
		}
		return nil
	},
	Concerns: Concerns{Raises: "depth"},
	Prepare:  func(get func(string) any) any { return get("way") == "in" },
	Brief: func(a *About) string {
		return a.Choice("way") + ", " + a.Input("depth")
	},
	Strip: OnLength,
	GLSL: func(g *GLSL) {
		g.Use("across")
		n := g.Let("vec3", "%s", g.normalIn())
		a, b := g.Let("vec3", "vec3(0.0)"), g.Let("vec3", "vec3(0.0)")
		g.Do("across(%s, %s, %s);", g.Of("normal"), a, b)
		sign := ""
		if g.Data.(bool) {
			sign = "-"
		}
		slope := g.Let("vec3", "(%s * (%s - %s) + %s * (%s - %s)) * (%s%s * modelSize / %s)", a, g.Other("height", sample.AlongU), g.Other("height", sample.BackU), b, g.Other("height", sample.AlongV), g.Other("height", sample.BackV), sign, g.In("depth"), g.Of("wide"))
		g.Out("normal", "unit(%s - %s)", n, slope)
	},
	MaterialX: func(m *MaterialX) {
		depth := m.In("depth")
		if m.Data.(bool) {
			depth = m.Times(depth, XNumber(-1))
		}
		m.Leave("how high it is exactly: bumps there are measured otherwise")
		m.Out("normal", m.Put("bump", XVector, "height", m.In("height"), "scale", depth, "normal", m.normalIn()))
	},
	Run: func(c *Call) {
		depth, out, p := c.In[1][0], c.Out[0], c.Points
		nx, ny, nz := c.normal(2)
		still := c.Const[0] || len(c.More) < 4
		for i := range c.N {
			n := vec.V{nx[i], ny[i], nz[i]}
			if !still {
				k := c.Lo + i
				m := &c.Scene.Models[c.Scene.Parts[p.PartOf[k]].Model]
				scale := depth[i] * m.Surface.Box.Diagonal() * m.Matrix.X.Len() / (2 * p.Step(k))
				if c.Data.(bool) {
					scale = -scale
				}
				// The points beside were found along the surface's own directions. They lie to either side, as the
				// slope would otherwise be that of a quarter of a pixel away.
				u, v := sample.Frame(vec.V{p.Norm[0][k], p.Norm[1][k], p.Norm[2][k]})
				slope := u.Mul((c.Elsewhere(0)[0][i] - c.Elsewhere(1)[0][i]) * scale).Add(v.Mul((c.Elsewhere(2)[0][i] - c.Elsewhere(3)[0][i]) * scale))
				if turned := n.Sub(slope).Unit(); turned != (vec.V{}) && turned[0]-turned[0] == 0 {
					n = turned
				}
			}
			out[0][i], out[1][i], out[2][i] = n[0], n[1], n[2]
		}
	},
})

package node

import (
	"context"

	"mobanta/core/color"
	"mobanta/core/diffgeom"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(200, &Kind{
	Spec: network.Spec{
		Kind: "normal-map", Name: "Normal map", Family: "relief",
		Purpose: "Turns normals as a picture made for it says: wire an Image that holds data, laid by the model's UVs.",
		Words:   []string{"tangent space", "normal texture", "baked relief", "high poly", "purple picture", "bump picture"},
		Source:  "Tangent space as glTF 2.0 prescribes it (MikkTSpace: Mikkelsen 2008): red along the first texture coordinate, green along the second, blue outward, each from -1 to 1.",
		Inputs: []network.Port{
			{Key: "map", Name: "map", Type: network.Color, Default: color.C{0.5, 0.5, 1}, Help: "An Image whose setting says that it holds data."},
			{Key: "strength", Name: "strength", Type: network.Tone, Default: 1.0, Min: 0, Max: 3, Help: "How far it turns them: 0 leaves them."},
			normalInput()},
		Outputs:  []network.Port{{Key: "normal", Name: "normal", Type: network.Vector}},
		Settings: []network.Setting{{Key: "green", Name: "Green", Type: network.Choice, Default: "up", Choices: []network.Option{{Key: "up", Name: "Points up"}, {Key: "down", Name: "Points down"}}, Help: "If bumps look like dents, the picture has it the other way."}},
	},
	Needs:   sample.Weights | sample.Normal | sample.Part,
	Prepare: func(get func(string) any) any { return get("green") == "down" },
	Whole: func(_ context.Context, w *Whole) (any, error) {
		out := make([]*diffgeom.Tangents, len(w.Scene.Models))
		for i, used := range worn(w) {
			if used {
				out[i] = diffgeom.TangentsOf(w.Scene.Models[i].Shape)
			}
		}
		return out, nil
	},
	Strip: OnLength,
	GLSL: func(g *GLSL) {
		g.Use("tangent")
		c := g.Let("vec3", "2.0 * %s - 1.0", g.In("map"))
		down := "1.0"
		if g.Data.(bool) {
			down = "-1.0"
		}
		g.Out("normal", "mapped(%s, %s, %s, vec3(%s.xy * %s * vec2(1.0, %s), %s.z))", g.normalIn(), g.Of("pos"), g.Of("uv"), c, g.In("strength"), down, c)
	},
	MaterialX: func(m *MaterialX) {
		in := m.As(m.In("map"), XVector)
		if m.Data.(bool) {
			in = m.Sum(m.Times(in, XThree(XVector, [3]float32{1, -1, 1})), XThree(XVector, [3]float32{0, 1, 0}))
		}
		m.Out("normal", m.Put("normalmap", XVector, "in", in, "scale", m.In("strength"), "normal", m.normalIn()))
	},
	Run: func(c *Call) {
		of, in, strength, out, p := c.Found.([]*diffgeom.Tangents), c.In[0], c.In[1][0], c.Out[0], c.Points
		nx, ny, nz := c.normal(2)
		for i := range c.N {
			k := c.Lo + i
			n := vec.V{nx[i], ny[i], nz[i]}
			model := c.Scene.Parts[p.PartOf[k]].Model
			x, y, z := (2*in[0][i]-1)*strength[i], (2*in[1][i]-1)*strength[i], 2*in[2][i]-1
			if t := of[model]; t != nil && (x != 0 || y != 0) {
				at, w := p.Corners(k)
				along := t.Along[at[0]].Mul(w[0]).Add(t.Along[at[1]].Mul(w[1])).Add(t.Along[at[2]].Mul(w[2]))
				along = c.Scene.Models[model].Matrix.Dir(along).Unit()
				side := t.Side[at[0]]
				if c.Data.(bool) {
					side = -side
				}
				if p.Back[k] { // seen from behind the second direction stays where it is
					side = -side
				}
				if along != (vec.V{}) {
					turned := along.Mul(x).Add(n.Cross(along).Mul(side * y)).Add(n.Mul(max(z, 1e-3))).Unit()
					if turned != (vec.V{}) {
						n = turned
					}
				}
			}
			out[0][i], out[1][i], out[2][i] = n[0], n[1], n[2]
		}
	},
})

package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(180, &Kind{
	Spec: network.Spec{
		Kind: "triplanar", Name: "Triplanar", Family: "texture",
		Purpose: "Lays an image from three sides, blended by which way the surface looks: for models without UVs.",
		Words:   []string{"box mapping", "no uvs", "three sides", "project", "cubic projection"},
		Inputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#9AA5B1"), Help: "What reads texture coordinates, such as Image, reads here the place as it is seen from each side."}, normalInput(),
			{Key: "sharpness", Name: "sharpness", Type: network.Tone, Default: 0.7, Min: 0, Max: 1, Help: "How quickly one side goes over into another."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
	},
	NeedsFor: normalUnless(sample.Part),
	Elsewhere: func(_ any, input int) []sample.Variant {
		if input == 0 {
			return []sample.Variant{sample.FromX, sample.FromY, sample.FromZ}
		}
		return nil
	},
	Strip: OnLength,
	GLSL: func(g *GLSL) {
		n := g.Let("vec3", "abs(unit(%s * toWorld))", g.normalIn())
		w := g.Let("vec3", "pow(%s, vec3(1.0 + 15.0 * clamp(%s, 0.0, 1.0)))", n, g.In("sharpness"))
		g.Out("colour", "(%[1]s.x * %[2]s + %[1]s.y * %[3]s + %[1]s.z * %[4]s) / max(1e-20, %[1]s.x + %[1]s.y + %[1]s.z)", w, g.Other("colour", sample.FromX), g.Other("colour", sample.FromY), g.Other("colour", sample.FromZ))
	},
	Stays: "Other programs lay pictures alone from three sides.",
	Run: func(c *Call) {
		nx, ny, nz := c.normal(1)
		sharp, out := c.In[2][0], c.Out[0]
		if len(c.More) < 3 {
			for k := range out {
				copy(out[k], c.In[0][k])
			}
			return
		}
		for i := range c.N {
			m := &c.Scene.Models[c.Scene.Parts[c.Points.PartOf[c.Lo+i]].Model]
			n := m.Inverse.Dir(vec.V{nx[i], ny[i], nz[i]}).Unit()
			power := 1 + 15*float64(max(0, min(1, sharp[i])))
			var w [3]float32
			sum := float32(0)
			for k := range w {
				w[k] = float32(math.Pow(math.Abs(float64(n[k])), power))
				sum += w[k]
			}
			if !(sum > 0) {
				w, sum = [3]float32{1, 1, 1}, 3
			}
			for k := range out {
				out[k][i] = (w[0]*c.Elsewhere(0)[k][i] + w[1]*c.Elsewhere(1)[k][i] + w[2]*c.Elsewhere(2)[k][i]) / sum
			}
		}
	},
})

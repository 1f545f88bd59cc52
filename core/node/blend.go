package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
)

var _ = register(400, &Kind{
	Spec: network.Spec{
		Kind: "blend", Name: "Blend", Family: "colour",
		Purpose: "Lays one colour over another, as much as the amount says.",
		Words:   []string{"mix", "layer", "multiply", "screen", "overlay", "composite", "over", "tint", "combine", "add", "lerp", "interpolate", "crossfade"},
		Source:  "W3C recommendation Compositing and Blending Level 1, section 9, in linear light.",
		Inputs: []network.Port{
			{Key: "base", Name: "base", Type: network.Color, Default: color.MustHex("#9AA5B1")},
			{Key: "over", Name: "over", Type: network.Color, Default: color.MustHex("#17181A")},
			{Key: "amount", Name: "amount", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
		},
		Outputs:  []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: []network.Setting{{Key: "mode", Name: "Mode", Type: network.Choice, Default: "normal", Choices: blendChoices()}},
	},
	Concerns: Concerns{Lays: "mode"},
	Prepare:  func(get func(string) any) any { return color.FindMode(get("mode").(string)) },
	GLSL: func(g *GLSL) {
		b := g.Let("vec3", "%s", g.In("base"))
		g.Out("colour", "mix(%s, %s, clamp(%s, 0.0, 1.0))", b, g.mode(g.Data.(*color.Mode), b, g.In("over")), g.In("amount"))
	},
	MaterialX: func(m *MaterialX) {
		m.Out("colour", m.mode(m.Data.(*color.Mode), m.In("base"), m.In("over"), m.In("amount")))
	},
	Run: func(c *Call) {
		m := c.Data.(*color.Mode)
		amount := c.In[2][0]
		if m.Key == "normal" || m.Key == "multiply" {
			blendPlain(c, amount, m.Key == "multiply")
			return
		}
		blendGeneral(c, amount, m)
	},
})

func blendChoices() (out []network.Option) {
	for _, m := range color.Modes {
		out = append(out, network.Option{Key: m.Key, Name: m.Name})
	}
	return out
}

// blendPlain is the fast path for the two modes that nearly all looks use. The
// ends are exact, so that swatches stay what they are. Drawn pictures are flat,
// so most batches are wholly at one end.
func blendPlain(c *Call, amount Plane, multiply bool) {
	in, over, out := c.In[0], c.In[1], c.Out[0]
	n := len(amount)
	b0, b1, b2 := in[0][:n], in[1][:n], in[2][:n]
	s0, s1, s2 := over[0][:n], over[1][:n], over[2][:n]
	o0, o1, o2 := out[0][:n], out[1][:n], out[2][:n]
	none := true
	for _, a := range amount {
		if a > 0 {
			none = false
			break
		}
	}
	if none {
		copy(o0, b0)
		copy(o1, b1)
		copy(o2, b2)
		return
	}
	for i, a := range amount {
		if !(a > 0) {
			o0[i], o1[i], o2[i] = b0[i], b1[i], b2[i]
			continue
		}
		x, y, z := s0[i], s1[i], s2[i]
		if multiply {
			x, y, z = x*b0[i], y*b1[i], z*b2[i]
		}
		if a < 1 {
			p, q, r := b0[i], b1[i], b2[i]
			x, y, z = p+(x-p)*a, q+(y-q)*a, r+(z-r)*a
		}
		o0[i], o1[i], o2[i] = x, y, z
	}
}

func blendGeneral(c *Call, amount Plane, m *color.Mode) {
	in, over, out := c.In[0], c.In[1], c.Out[0]
	for i, a := range amount {
		b := color.C{in[0][i], in[1][i], in[2][i]}
		r := b
		switch {
		case a >= 1:
			r = m.Apply(b, color.C{over[0][i], over[1][i], over[2][i]})
		case a > 0:
			r = b.Mix(m.Apply(b, color.C{over[0][i], over[1][i], over[2][i]}), a)
		}
		out[0][i], out[1][i], out[2][i] = r[0], r[1], r[2]
	}
}

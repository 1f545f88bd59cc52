package node

import "mobanta/core/network"

var _ = register(330, &Kind{
	Spec: network.Spec{
		Kind: "range", Name: "Range", Family: "tone", Adapts: "carries",
		Purpose: "Stretches, shrinks or inverts: what runs from one pair of values comes out running from another.",
		Words:   []string{"remap", "rescale", "levels", "invert", "scale", "normalise", "clamp"},
		Source:  "to low + (value − from low) ÷ (from high − from low) × (to high − to low); an empty range gives to low.",
		Inputs: []network.Port{
			{Key: "value", Name: "value", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "from-low", Name: "from low", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			{Key: "from-high", Name: "from high", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
			{Key: "to-low", Name: "to low", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			{Key: "to-high", Name: "to high", Type: network.Tone, Default: 1.0, Min: 0, Max: 1, Help: "To low 1 and to high 0 invert."},
		},
		Outputs: []network.Port{{Key: "value", Name: "value", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "clamp", Name: "Keep within", Type: network.Toggle, Default: true, Help: "Values beyond the first range stay at the ends of the second."},
			carries(network.Tone, network.Vector),
		},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		if t := carried(d, s); t != network.Tone {
			in, out := s.Inputs[0], s.Outputs[0]
			in.Type, in.Default, out.Type = t, network.Converted(in.Default, network.Tone, t), t
			s.Inputs = append([]network.Port{in}, s.Inputs[1:]...)
			s.Outputs = []network.Port{out}
		}
	},
	Prepare: func(get func(string) any) any { return get("clamp") },
	Brief:   func(a *About) string { return a.Input("to-low") + " to " + a.Input("to-high") },
	GLSL: func(g *GLSL) {
		g.Use("safe")
		kind := "float"
		if g.Choice("carries") == string(network.Vector) {
			kind = "vec3"
		}
		a, b, lo := g.Let("float", "%s", g.In("from-low")), g.Let("float", "%s", g.In("from-high")), g.Let("float", "%s", g.In("to-low"))
		t := g.Let(kind, "(%s - %s) * divide(1.0, %s - %s)", g.In("value"), a, b, a)
		if g.Is("clamp") {
			g.Do("%[1]s = clamp(%[1]s, 0.0, 1.0);", t)
		}
		g.Out("value", "%s + %s * (%s - %s)", lo, t, g.In("to-high"), lo)
	},
	MaterialX: func(m *MaterialX) {
		t := XFloat
		if m.Choice("carries") == string(network.Vector) {
			t = XVector
		}
		v := m.Put("remap", t, "in", m.In("value"), "inlow", m.In("from-low"), "inhigh", m.In("from-high"))
		if m.Data.(bool) {
			v = m.Clamped(v)
		}
		m.Out("value", m.Put("remap", t, "in", v, "outlow", m.In("to-low"), "outhigh", m.In("to-high")))
	},
	Run: func(c *Call) {
		clamp := c.Data.(bool)
		n := c.N
		a, b, lo, hi := c.In[1][0][:n], c.In[2][0][:n], c.In[3][0][:n], c.In[4][0][:n]
		for k, out := range c.Out[0] {
			in := c.In[0][k][:n]
			for i := range n {
				t := float32(0)
				if d := b[i] - a[i]; d != 0 {
					t = (in[i] - a[i]) / d
				}
				if clamp {
					t = min(max(t, 0), 1)
				}
				out[i] = lo[i] + t*(hi[i]-lo[i])
			}
		}
	},
})

var _ = register(340, &Kind{
	Spec: network.Spec{
		Kind: "steps", Name: "Steps", Family: "tone",
		Purpose:  "Cuts a tone into a number of equal steps.",
		Words:    []string{"quantise", "posterize", "posterise", "levels", "bands", "staircase", "toon"},
		Source:   "floor(min(t·n, n − 1)) ÷ (n − 1), with t kept within 0..1: the first step is 0, the last is 1.",
		Inputs:   []network.Port{{Key: "tone", Name: "tone", Type: network.Tone, Default: 0.5, Min: 0, Max: 1}},
		Outputs:  []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{{Key: "count", Name: "Steps", Type: network.Number, Default: 4.0, Min: 2, Max: 64, Help: "A whole number."}},
	},
	Prepare: func(get func(string) any) any { return floor(float32(get("count").(float64))) },
	Brief:   func(a *About) string { return a.Number("count") + " steps" },
	GLSL: func(g *GLSL) {
		n := Float(float64(g.Data.(float32)))
		g.Out("tone", "floor(min(clamp(%s, 0.0, 1.0) * %s, %s - 1.0)) / (%s - 1.0)", g.In("tone"), n, n, n)
	},
	MaterialX: func(m *MaterialX) {
		n := float64(m.Data.(float32))
		v := m.Put("min", XFloat, "in1", m.Times(m.Clamped(m.In("tone")), XNumber(n)), "in2", XNumber(n-1))
		m.Out("tone", m.Over(m.Put("floor", XFloat, "in", v), XNumber(n-1)))
	},
	Run: func(c *Call) {
		n := c.Data.(float32)
		out, in := c.Out[0][0], c.In[0][0]
		for i := range out {
			t := min(max(in[i], 0), 1)
			out[i] = float32(int(min(t*n, n-1))) / (n - 1)
		}
	},
})

var _ = register(350, &Kind{
	Spec: network.Spec{
		Kind: "tone-adjust", Name: "Tone adjust", Family: "tone",
		Purpose: "Brightens, darkens and hardens a tone: gain, lift, contrast and gamma.",
		Words:   []string{"brightness", "contrast", "gamma", "levels", "lift", "gain", "curve", "grade"},
		Source:  "((t·gain + lift − pivot)·contrast + pivot), kept at 0 or more, to the power 1 ÷ gamma.",
		Inputs: []network.Port{
			{Key: "tone", Name: "tone", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "gamma", Name: "gamma", Type: network.Tone, Default: 1.0, Min: 0.1, Max: 4},
			{Key: "contrast", Name: "contrast", Type: network.Tone, Default: 1.0, Min: 0, Max: 4},
			{Key: "pivot", Name: "pivot", Type: network.Tone, Default: 0.5, Min: 0, Max: 1, Help: "The tone that contrast leaves where it is."},
			{Key: "lift", Name: "lift", Type: network.Tone, Default: 0.0, Min: -1, Max: 1},
			{Key: "gain", Name: "gain", Type: network.Tone, Default: 1.0, Min: 0, Max: 4},
		},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
	},
	GLSL: func(g *GLSL) {
		g.Use("safe")
		v := g.Let("float", "max(0.0, (%[1]s * %[2]s + %[3]s - %[4]s) * %[5]s + %[4]s)", g.In("tone"), g.In("gain"), g.In("lift"), g.In("pivot"), g.In("contrast"))
		g.Out("tone", "%[1]s == 1.0 ? %[2]s : power(%[2]s, 1.0 / max(%[1]s, 1e-3))", g.In("gamma"), v)
	},
	MaterialX: func(m *MaterialX) {
		v := m.Sum(m.Times(m.In("tone"), m.In("gain")), m.In("lift"))
		v = m.Put("max", XFloat, "in1", m.Put("contrast", XFloat, "in", v, "amount", m.In("contrast"), "pivot", m.In("pivot")), "in2", XNumber(0))
		m.Out("tone", m.Put("power", XFloat, "in1", v, "in2", m.Over(XNumber(1), m.In("gamma"))))
	},
	Run: func(c *Call) {
		in := c.In
		for i := range c.Out[0][0] {
			pivot := in[3][0][i]
			v := max(0, (in[0][0][i]*in[5][0][i]+in[4][0][i]-pivot)*in[2][0][i]+pivot)
			if g := in[1][0][i]; g != 1 {
				v = Power(v, 1/max(g, 1e-3))
			}
			c.Out[0][0][i] = v
		}
	},
})

var _ = register(370, &Kind{
	Spec: network.Spec{
		Kind: "compare", Name: "Compare", Family: "tone",
		Purpose: "1 where two tones stand as asked, less, greater or near each other, 0 elsewhere.",
		Words:   []string{"less", "greater", "equal", "if", "condition", "threshold", "mask", "logic"},
		Inputs: []network.Port{
			{Key: "a", Name: "a", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "b", Name: "b", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "reach", Name: "reach", Type: network.Tone, Default: 0.05, Min: 0, Max: 1, Help: "For near: how far apart they may be."},
		},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{{Key: "test", Name: "Test", Type: network.Choice, Default: "greater", Choices: []network.Option{
			{Key: "less", Name: "a is less than b"}, {Key: "greater", Name: "a is greater than b"}, {Key: "near", Name: "a is near b"}}}},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		if d.Value(s.Setting("test")) != "near" {
			s.Inputs = s.Inputs[:2]
		}
	},
	Prepare: func(get func(string) any) any { return get("test") },
	GLSL: func(g *GLSL) {
		a, b := g.In("a"), g.In("b")
		switch g.Data {
		case "less":
			g.Out("tone", "%s < %s ? 1.0 : 0.0", a, b)
		case "greater":
			g.Out("tone", "%s > %s ? 1.0 : 0.0", a, b)
		default:
			g.Out("tone", "abs(%s - %s) <= %s ? 1.0 : 0.0", a, b, g.In("reach"))
		}
	},
	MaterialX: func(m *MaterialX) {
		a, b := m.In("a"), m.In("b")
		switch m.Data {
		case "less":
			a, b = b, a
		case "near":
			a, b = m.In("reach"), m.Put("absval", XFloat, "in", m.Less(a, b))
			m.Out("tone", m.AtLeast(a, b, XNumber(1), XNumber(0)))
			return
		}
		m.Out("tone", m.Put("ifgreater", XFloat, "value1", a, "value2", b, "in1", XNumber(1), "in2", XNumber(0)))
	},
	Run: func(c *Call) {
		a, b := c.In[0][0], c.In[1][0]
		for i := range c.Out[0][0] {
			var yes bool
			switch c.Data {
			case "less":
				yes = a[i] < b[i]
			case "greater":
				yes = a[i] > b[i]
			default:
				d := a[i] - b[i]
				yes = max(d, -d) <= c.In[2][0][i]
			}
			c.Out[0][0][i] = 0
			if yes {
				c.Out[0][0][i] = 1
			}
		}
	},
})

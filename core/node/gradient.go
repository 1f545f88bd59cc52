package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(130, &Kind{
	Spec: network.Spec{
		Kind: "gradient", Name: "Gradient", Family: "texture",
		Purpose: "Rises evenly along a direction, out from a point or an axis, or round an axis.",
		Words:   []string{"linear", "radial", "spherical", "angular", "sweep", "fall-off", "from top to bottom", "height", "clock", "dial", "vignette"},
		Inputs: []network.Port{
			{Key: "place", Name: "place", Type: network.Vector, Hidden: true, Help: "Where it is laid. Unwired: the box about the part, from 0 to 1."},
			{Key: "from", Name: "from", Type: network.Vector, Default: [3]float64{0.5, 0, 0.5}, Help: "Where it is 0; a place on the axis."},
			{Key: "to", Name: "to", Type: network.Vector, Default: [3]float64{0.5, 1, 0.5}, Help: "Where it is 1; which way the axis goes."},
			{Key: "reach", Name: "reach", Type: network.Tone, Default: 0.5, Min: 0.01, Max: 2, Help: "Out from an axis: how far it is 1."}},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{{Key: "form", Name: "Form", Type: network.Choice, Default: "along", Choices: []network.Option{{Key: "along", Name: "Along"}, {Key: "back", Name: "There and back"}, {Key: "point", Name: "Out from a point"},
			{Key: "axis", Name: "Out from an axis"}, {Key: "round", Name: "Round an axis"}}, Help: "Its course is shaped by a ramp after it."}},
	},
	NeedsFor: func(_ any, wired func(string) bool) sample.Attr {
		if wired("place") {
			return 0
		}
		return sample.Pos | sample.Rest | sample.Part
	},
	Ways:    []Way{Masked, Multiplied, Varied},
	Prepare: func(get func(string) any) any { return get("form") },
	Strip:   OnLength,
	GLSL: func(g *GLSL) {
		g.Use("across")
		from := g.Let("vec3", "%s", g.In("from"))
		way, p := g.Let("vec3", "%s - %s", g.In("to"), from), g.Let("vec3", "%s - %s", g.Or("place", g.Of("box")), from)
		long := g.Let("float", "length(%s)", way)
		axis := g.Let("vec3", "unit(%s)", way)
		h := g.Let("float", "dot(%s, %s)", p, axis)
		t := g.Let("float", "%s / max(1e-9, %s)", h, long)
		switch g.Data {
		case "back":
			g.Do("%[1]s = 1.0 - abs(2.0 * %[1]s - 1.0);", t)
		case "point":
			g.Do("%s = length(%s) / max(1e-9, %s);", t, p, long)
		case "axis":
			g.Do("%s = length(%s - %s * %s) / max(1e-4, %s);", t, p, axis, h, g.In("reach"))
		case "round":
			a, b := g.Let("vec3", "vec3(0.0)"), g.Let("vec3", "vec3(0.0)")
			g.Do("across(%s, %s, %s); %s = atan(dot(%s, %s), dot(%s, %s)) / 6.283185307 + 0.5;", axis, a, b, t, p, b, p, a)
		}
		g.Out("tone", "%s > 1e-9 ? clamp(%s, 0.0, 1.0) : 0.0", long, t)
	},
	MaterialX: func(m *MaterialX) {
		at, ok := m.in("place")
		if !ok {
			m.Cannot("the box about a part is not known there: wire a place to it")
			return
		}
		p, way := m.Less(at, m.In("from")), m.Less(m.In("to"), m.In("from"))
		var t XArg
		switch m.Data {
		case "point":
			t = m.Over(m.Put("magnitude", XFloat, "in", p), m.Put("magnitude", XFloat, "in", way))
		case "along", "back":
			if t = m.Over(m.Dot(p, way), m.Dot(way, way)); m.Data == "back" {
				t = m.Put("invert", XFloat, "in", m.Put("absval", XFloat, "in", m.Less(m.Times(t, XNumber(2)), XNumber(1))))
			}
		case "axis":
			axis := m.Put("normalize", XVector, "in", way)
			t = m.Over(m.Put("magnitude", XFloat, "in", m.Less(p, m.Times(axis, m.Dot(p, axis)))), m.In("reach"))
		default:
			m.Cannot("a gradient round an axis has no node there")
			return
		}
		m.Out("tone", m.Clamped(t))
	},
	Run: func(c *Call) {
		out := c.Out[0][0]
		from, to, reach := c.In[1], c.In[2], c.In[3][0]
		for i := range c.N {
			var p vec.V
			if in := c.In[0]; in != nil {
				p = vec.V{in[0][i], in[1][i], in[2][i]}
			} else {
				k := c.Lo + i
				p = c.box(i, vec.V{c.Points.Pos[0][k], c.Points.Pos[1][k], c.Points.Pos[2][k]})
			}
			a := vec.V{from[0][i], from[1][i], from[2][i]}
			way := vec.V{to[0][i], to[1][i], to[2][i]}.Sub(a)
			p = p.Sub(a)
			long := way.Len()
			if !(long > 1e-9) {
				out[i] = 0
				continue
			}
			axis := way.Mul(1 / long)
			h := p.Dot(axis)
			t := h / long
			switch c.Data {
			case "back":
				t = 1 - max(2*t-1, 1-2*t)
			case "point":
				t = p.Len() / long
			case "axis":
				t = p.Sub(axis.Mul(h)).Len() / max(leastSize, reach[i])
			case "round":
				x, y := vec.Across(axis)
				t = float32(math.Atan2(float64(p.Dot(y)), float64(p.Dot(x)))/(2*math.Pi)) + 0.5
			}
			out[i] = max(0, min(1, t))
		}
	},
})

package node

import (
	"fmt"
	"math"

	"mobanta/core/network"
	"mobanta/core/texture"
	"mobanta/core/vec"
)

var _ = register(120, &Kind{
	Spec: network.Spec{
		Kind: "waves", Name: "Waves", Family: "texture",
		Purpose: "Stripes along a direction, rings round an axis, shells round a point, spokes.",
		Words:   []string{"stripes", "rings", "parallel lines", "wood", "grain", "bands", "spokes", "sine", "planks", "growth rings", "bricks", "zebra", "ripples"},
		Source:  "The mean of each profile over what a pixel covers, exactly, by its integral.",
		Inputs: []network.Port{placeInput(),
			{Key: "spacing", Name: "spacing", Type: network.Tone, Default: 0.1, Min: 0.005, Max: 1, Help: "From crest to crest, in parts of the model's diagonal. Of spokes: in parts of the whole round, so 0.1 is ten of them."},
			{Key: "phase", Name: "phase", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "Moves them by so many spacings."},
			{Key: "width", Name: "width", Type: network.Tone, Default: 0.5, Min: 0, Max: 1, Help: "Of a pulse: how much of a spacing is 1."},
			{Key: "wander", Name: "wander", Type: network.Tone, Default: 0.0, Min: 0, Max: 2, Help: "How far noise moves them, in spacings."},
			{Key: "along", Name: "wander along", Type: network.Tone, Default: 0.5, Min: 0.01, Max: 2, Help: "How long the wandering is along them, in parts of the diagonal."},
			{Key: "across", Name: "wander across", Type: network.Tone, Default: 0.2, Min: 0.01, Max: 2, Help: "How long it is across them."},
			seedInput(),
			{Key: "axis", Name: "axis", Type: network.Vector, Default: [3]float64{0, 1, 0}, Help: "The direction of stripes; the axis of rings and spokes."},
			{Key: "about", Name: "about", Type: network.Vector, Default: [3]float64{0, 0, 0}, Help: "A place on the axis; the middle of shells."}},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "form", Name: "Form", Type: network.Choice, Default: "stripes", Choices: []network.Option{{Key: "stripes", Name: "Stripes"}, {Key: "rings", Name: "Rings"}, {Key: "shells", Name: "Shells"}, {Key: "spokes", Name: "Spokes"}}},
			{Key: "profile", Name: "Profile", Type: network.Choice, Default: "round", Choices: []network.Option{{Key: "round", Name: "Round"}, {Key: "ramp", Name: "Ramp"}, {Key: "tent", Name: "Tent"}, {Key: "pulse", Name: "Pulse"}}},
		},
	},
	NeedsFor:  laidNeeds,
	Elsewhere: laidElsewhere,
	Concerns:  Concerns{Grain: "spacing"},
	Prepare: func(get func(string) any) any {
		return wavesData{get("form").(string), map[any]texture.Profile{"round": texture.Round, "ramp": texture.Ramp, "tent": texture.Tent, "pulse": texture.Pulse}[get("profile")]}
	},
	Ways:  []Way{Masked, Raised, Varied},
	Brief: func(a *About) string { return a.Choice("form") + ", " + a.Choice("profile") },
	Strip: OnLength,
	GLSL: func(g *GLSL) {
		g.Use("profile", "across", "noise")
		d := g.Data.(wavesData)
		at, foot := g.placeIn()
		p := g.Let("vec3", "%s - %s", at, g.In("about"))
		axis := g.Let("vec3", "unit(%s)", g.In("axis"))
		g.Do("if (%[1]s == vec3(0.0)) %[1]s = vec3(0.0, 1.0, 0.0);", axis)
		h := g.Let("float", "dot(%s, %s)", p, axis)
		q := g.Let("vec3", "%s - %s * %s", p, axis, h)
		var t, steep string
		switch d.form {
		case "shells":
			t, steep = g.Let("float", "length(%s)", p), g.Let("vec3", "unit(%s)", p)
		case "rings":
			t, steep = g.Let("float", "length(%s)", q), g.Let("vec3", "unit(%s)", q)
		case "spokes":
			a, b := g.Let("vec3", "vec3(0.0)"), g.Let("vec3", "vec3(0.0)")
			g.Do("across(%s, %s, %s);", axis, a, b)
			r := g.Let("float", "max(1e-6, length(%s))", q)
			t = g.Let("float", "atan(dot(%[1]s, %[3]s), dot(%[1]s, %[2]s)) / 6.283185307", q, a, b)
			steep = g.Let("vec3", "(%[2]s * -dot(%[1]s, %[3]s) + %[3]s * dot(%[1]s, %[2]s)) / (6.283185307 * %[4]s * %[4]s)", q, a, b, r)
		default:
			t, steep = g.Let("float", "%s", h), g.Let("vec3", "%s", axis)
		}
		k := g.Let("float", "1.0 / max(1e-4, %s)", g.In("spacing"))
		wide := g.Let("float", "%s * length(%s * %s)", k, steep, foot)
		g.Do("%s *= %s;", t, k)
		along, across := g.Let("float", "1.0 / max(1e-4, %s)", g.In("along")), g.Let("float", "1.0 / max(1e-4, %s)", g.In("across"))
		way := fmt.Sprintf("%s * %s + %s * (%s * %s)", q, across, axis, h, along)
		if d.form == "stripes" {
			way = fmt.Sprintf("%s * %s + %s * (%s * %s)", q, along, axis, h, across)
		}
		g.Do("if (%s != 0.0) %s += %s * noise(%s, seedOf(%s), vec2(1.0, 0.0));", g.In("wander"), t, g.In("wander"), way, g.In("seed"))
		g.Out("tone", "waveMean(%s + %s, %s, %d, %s)", t, g.In("phase"), wide, d.profile, g.In("width"))
	},
	MaterialX: func(m *MaterialX) {
		d := m.Data.(wavesData)
		if v, ok := isX(m.In("wander")); !ok || v != 0 {
			m.Leave("its wandering")
		}
		p := m.Less(m.placeIn(), m.In("about"))
		axis := m.Put("normalize", XVector, "in", m.In("axis"))
		h := m.Dot(p, axis)
		var t XArg
		switch d.form {
		case "shells":
			t = m.Put("magnitude", XFloat, "in", p)
		case "rings":
			t = m.Put("magnitude", XFloat, "in", m.Less(p, m.Times(axis, h)))
		case "spokes":
			m.Cannot("spokes have no node there")
			return
		default:
			t = h
		}
		t = m.Put("fract", XFloat, "in", m.Sum(m.Over(t, m.In("spacing")), m.In("phase")))
		switch d.profile {
		case texture.Ramp:
			m.Out("tone", t)
		case texture.Tent:
			m.Out("tone", m.Put("invert", XFloat, "in", m.Put("absval", XFloat, "in", m.Less(m.Times(t, XNumber(2)), XNumber(1)))))
		case texture.Pulse:
			m.Out("tone", m.Put("ifgreater", XFloat, "value1", m.In("width"), "value2", t, "in1", XNumber(1), "in2", XNumber(0)))
		default:
			m.Out("tone", m.Less(XNumber(0.5), m.Times(m.Put("cos", XFloat, "in", m.Times(t, XNumber(2*math.Pi))), XNumber(0.5))))
		}
	},
	Run: func(c *Call) {
		d, out := c.Data.(wavesData), c.Out[0][0]
		spacing, phase, width, wander, along, across, seeds, axes, about := c.In[1][0], c.In[2][0], c.In[3][0], c.In[4][0], c.In[5][0], c.In[6][0], c.In[7][0], c.In[8], c.In[9]
		for i := range c.N {
			l := c.laid(i)
			p := l.at.Sub(vec.V{about[0][i], about[1][i], about[2][i]})
			axis := vec.V{axes[0][i], axes[1][i], axes[2][i]}.Unit()
			if axis == (vec.V{}) {
				axis = vec.V{0, 1, 0}
			}
			t, steep := d.wave(p, axis)
			k := 1 / max(leastSize, spacing[i])
			t *= k
			foot := k * vec.V{steep[0] * l.foot[0], steep[1] * l.foot[1], steep[2] * l.foot[2]}.Len()
			if w := wander[i]; w != 0 {
				q := p.Mul(1 / max(leastSize, along[i]))
				if d.form == "stripes" { // across them is along their axis
					h := p.Dot(axis)
					q = q.Add(axis.Mul(h * (1/max(leastSize, across[i]) - 1/max(leastSize, along[i]))))
				} else { // along their axis they are long
					h := p.Dot(axis)
					q = p.Sub(axis.Mul(h)).Mul(1 / max(leastSize, across[i])).Add(axis.Mul(h / max(leastSize, along[i])))
				}
				t += w * texture.Noise(q[0], q[1], q[2], texture.SeedOf(seeds[i]))
			}
			out[i] = d.profile.Mean(t+phase[i], foot, width[i])
		}
	},
})

type wavesData struct {
	form    string
	profile texture.Profile
}

// wave returns how far along the waves a place lies, in the place's own lengths, or, for spokes,
// in whole rounds, and which way and how fast that grows.
func (d *wavesData) wave(p, axis vec.V) (t float32, steep vec.V) {
	h := p.Dot(axis)
	switch d.form {
	case "shells":
		r := p.Len()
		return r, p.Unit()
	case "rings":
		q := p.Sub(axis.Mul(h))
		return q.Len(), q.Unit()
	case "spokes":
		q := p.Sub(axis.Mul(h))
		a, b := vec.Across(axis)
		x, y := q.Dot(a), q.Dot(b)
		r := max(1e-6, q.Len())
		round := float32(math.Atan2(float64(y), float64(x)) / (2 * math.Pi))
		return round, a.Mul(-y).Add(b.Mul(x)).Mul(1 / (2 * math.Pi * r * r))
	}
	return h, axis
}

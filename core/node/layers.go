package node

import (
	"fmt"

	"mobanta/core/color"
	"mobanta/core/network"
)

var _ = register(410, &Kind{
	Spec: network.Spec{
		Kind: "layers", Name: "Layers", Family: "colour",
		Purpose:  "Stacks any number of colours on a base, each with a mask, a mode and an amount.",
		Words:    []string{"stack", "composite", "mix", "blend", "merge", "build up", "multiply", "paint"},
		Source:   "From the bottom up; modes by the W3C recommendation Compositing and Blending Level 1, section 9, in linear light.",
		Inputs:   []network.Port{{Key: "base", Name: "base", Type: network.Color, Default: color.MustHex("#9AA5B1")}},
		Outputs:  []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: []network.Setting{{Key: "layers", Name: "Layers", Type: network.Stack, Default: []network.Layer{{Key: "a", Name: "Layer 1"}}}},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		inputs := []network.Port{s.Inputs[0]}
		for _, l := range d.Value(s.Setting("layers")).([]network.Layer) {
			name := l.Name
			if name == "" {
				name = l.Key
			}
			inputs = append(inputs,
				network.Port{Key: l.Key, Name: name, Type: network.Color, Default: color.MustHex("#17181A")},
				network.Port{Key: l.Key + "-mask", Name: name + " mask", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
				network.Port{Key: l.Key + "-amount", Name: name + " amount", Type: network.Tone, Default: 1.0, Min: 0, Max: 1})
		}
		s.Inputs = inputs
	},
	Prepare: func(get func(string) any) any { return get("layers") },
	Brief: func(a *About) string {
		on, list := 0, a.Setting("layers").([]network.Layer)
		for _, l := range list {
			if !l.Off {
				on++
			}
		}
		return fmt.Sprintf("%d on, %d off", on, len(list)-on)
	},
	Example: func(_ *network.Network, d *network.Node) {
		d.In["base"] = network.Input{Wires: []network.Ref{{Node: "bands", Port: "colour"}}}
		d.In["a-mask"] = network.Input{Wires: []network.Ref{{Node: "light", Port: "tone"}}}
	},
	GLSL: func(g *GLSL) {
		c := g.Let("vec3", "%s", g.In("base"))
		for _, l := range g.Data.([]network.Layer) {
			if !l.Off {
				g.Do("%s = mix(%s, %s, clamp(%s, 0.0, 1.0) * clamp(%s, 0.0, 1.0));", c, c, g.mode(color.FindMode(l.Mode), c, g.In(l.Key)), g.In(l.Key+"-mask"), g.In(l.Key+"-amount"))
			}
		}
		g.Out("colour", "%s", c)
	},
	MaterialX: func(m *MaterialX) {
		c := m.In("base")
		for _, l := range m.Data.([]network.Layer) {
			if !l.Off {
				c = m.mode(color.FindMode(l.Mode), c, m.In(l.Key), m.Times(m.Clamped(m.In(l.Key+"-mask")), m.In(l.Key+"-amount")))
			}
		}
		if c.Node == "" {
			c = m.Put("constant", XColor, "value", c)
		}
		m.Out("colour", c)
	},
	Run: func(c *Call) {
		out := c.Out[0]
		for k := range out {
			copy(out[k], c.In[0][k])
		}
		for l, layer := range c.Data.([]network.Layer) {
			if layer.Off {
				continue
			}
			mode := color.FindMode(layer.Mode)
			over, mask, amount := c.In[1+3*l], c.In[2+3*l][0], c.In[3+3*l][0]
			for i := range c.N {
				a := min(max(mask[i], 0), 1) * min(max(amount[i], 0), 1)
				if a <= 0 {
					continue
				}
				b, s := color.C{out[0][i], out[1][i], out[2][i]}, color.C{over[0][i], over[1][i], over[2][i]}
				if mode != nil && mode.Key != "normal" {
					s = mode.Apply(b, s)
				}
				if a < 1 {
					s = b.Mix(s, a)
				}
				out[0][i], out[1][i], out[2][i] = s[0], s[1], s[2]
			}
		}
	},
})

var _ = register(460, &Kind{
	Spec: network.Spec{
		Kind: "switch", Name: "Switch", Family: "colour", Adapts: "carries",
		Purpose: "Named choices of which one is live: for variations, day or night, this palette or that.",
		Words:   []string{"choice", "variant", "select", "toggle", "option", "alternative", "pick", "choose"},
		Inputs:  []network.Port{{Key: "a", Name: "a", Type: network.Color, Default: color.MustHex("#9AA5B1")}},
		Outputs: []network.Port{{Key: "value", Name: "value", Type: network.Color}},
		Settings: []network.Setting{
			{Key: "choices", Name: "Choices", Type: network.Named, Default: []network.Option{{Key: "a", Name: "First"}, {Key: "b", Name: "Second"}}},
			{Key: "live", Name: "Live", Type: network.Choice, Default: "a", Live: true},
			carries(network.Color, network.Tone, network.Vector, network.Lines),
		},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		t := carried(d, s)
		list := d.Value(s.Setting("choices")).([]network.Option)
		s.Inputs = nil
		for _, o := range list {
			name := o.Name
			if name == "" {
				name = o.Key
			}
			p := network.Port{Key: o.Key, Name: name, Type: t, Default: network.Converted(color.MustHex("#9AA5B1"), network.Color, t), Min: 0, Max: 1}
			if t == network.Lines {
				p.Default, p.Hidden = nil, true
			}
			s.Inputs = append(s.Inputs, p)
		}
		s.Outputs = []network.Port{{Key: "value", Name: "value", Type: t}}
		settings := append([]network.Setting(nil), s.Settings...)
		settings[1].Choices = list
		if len(list) > 0 {
			settings[1].Default = list[0].Key
		}
		s.Settings = settings
	},
	Prepare: func(get func(string) any) any {
		list := get("choices").([]network.Option)
		for i, o := range list {
			if o.Key == get("live") {
				return i
			}
		}
		return 0
	},
	Forward:  func(data any) int { return data.(int) },
	Concerns: Concerns{Chooses: "live"},
	Brief:    func(a *About) string { return a.Choice("live") },
	GLSL: func(g *GLSL) {
		list := g.get("choices").([]network.Option)
		if live := g.Data.(int); live < len(list) && g.In(list[live].Key) != "" {
			g.Out("value", "%s", g.In(list[live].Key))
		}
	},
	MaterialX: func(m *MaterialX) {
		list := m.get("choices").([]network.Option)
		if live := m.Data.(int); live < len(list) {
			a := m.In(list[live].Key)
			m.Out("value", m.Put("dot", a.Type, "in", a))
		}
	},
	Run: func(c *Call) { // where the live choice has to be converted first
		live := c.Data.(int)
		for k, p := range c.Out[0] {
			if live < len(c.In) && c.In[live] != nil {
				copy(p, c.In[live][k])
			} else {
				clear(p)
			}
		}
	},
})

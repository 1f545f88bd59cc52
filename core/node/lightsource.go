package node

import (
	"mobanta/core/light"
	"mobanta/core/network"
)

var lightSource = &Kind{
	Spec: network.Spec{
		Kind: "light-source", Name: "Light source", Family: "light",
		Purpose: "The raw values of one light at each point, for building a reading of your own.",
		Words:   []string{"light vector", "light direction", "where light comes from", "attenuation", "falloff"},
		Source:  "Direction is a unit vector from the surface to the light; fade is its strength at the place; shadow is 1 in the open.",
		Outputs: []network.Port{{Key: "direction", Name: "direction", Type: network.Vector}, {Key: "colour", Name: "colour", Type: network.Color},
			{Key: "fade", Name: "fade", Type: network.Tone}, {Key: "shadow", Name: "shadow", Type: network.Tone}},
		Settings: []network.Setting{{Key: "lights", Name: "Light", Type: network.Lights, Default: []string{}, Help: "The first of those picked; none picked: the first of the stage."},
			{Key: "shadows", Name: "Cast shadows", Type: network.Toggle, Default: true}},
	},
	Needs:   lit,
	Dear:    true,
	Light:   func(data any) Reading { return data.(Reading) },
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any {
		return Reading{Picked: get("lights").([]string), Shadows: get("shadows").(bool), Direct: true}
	},
	Brief: func(a *About) string { return a.Lights("lights") },
	Run: func(c *Call) {
		r := c.Data.(Reading)
		for _, out := range c.Out {
			for _, p := range out {
				clear(p)
			}
		}
		list := c.lights(&r)
		if len(list) == 0 {
			return
		}
		l := &c.Scene.Lights[list[0]]
		in := light.NewIncident(c.N)
		c.fall(l, in)
		if l.Parts != nil {
			for i, p := range c.Points.PartOf[c.Lo : c.Lo+c.N] {
				if !l.Parts[p] {
					in.E[i] = 0
				}
			}
		}
		for k, p := range c.Out[0] {
			copy(p, [3]Plane{in.X, in.Y, in.Z}[k])
		}
		for k, p := range c.Out[1] {
			for i := range p {
				p[i] = l.Color[k]
			}
		}
		if fade := c.Out[2]; fade != nil {
			copy(fade[0], in.E)
		}
		if shadow := c.Out[3]; shadow != nil {
			open := c.share(0)
			for i := range shadow[0] {
				if shadow[0][i] = 1; open != nil {
					shadow[0][i] = open[i]
				}
			}
		}
	},
}

package node

import (
	"mobanta/core/light"
	"mobanta/core/network"
)

var _ = register(280, &Kind{
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
	GLSL: func(g *GLSL) {
		if len(g.Lamps) == 0 {
			for key, zero := range map[string]string{"direction": "vec3(0.0)", "colour": "vec3(0.0)", "fade": "0.0", "shadow": "0.0"} {
				g.Out(key, "%s", zero)
			}
			return
		}
		g.Use("lamp")
		k := g.Lamps[0]
		if g.Data.(Reading).Shadows {
			g.Leave("cast shadows")
		}
		f := g.Let("Fall", "fall(lamps[%d], %s, %s)", k, g.Of("pos"), g.Of("eye"))
		if g.Scene.Lights[k].Kind == light.Sky {
			g.Do("%s = Fall(vec3(0.0, 1.0, 0.0), lamps[%d].strength, 1.0);", f, k)
		}
		if g.Scene.Lights[k].Parts != nil {
			g.Do("if ((lampParts[%d] >> part & 1) == 0) %s.strength = 0.0;", k, f)
		}
		g.Out("direction", "%s.to", f)
		g.Out("colour", "lamps[%d].colour", k)
		g.Out("fade", "%s.strength", f)
		g.Out("shadow", "1.0")
	},
	Stays: "Other programs tell nothing of lights.",
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
})

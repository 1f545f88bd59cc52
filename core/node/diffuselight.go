package node

import (
	"fmt"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/vec"
)

var _ = register(220, &Kind{
	Spec: network.Spec{
		Kind: "diffuse-light", Name: "Diffuse light", Family: "light",
		Purpose: "How strongly light falls on the surface, as a tone from 0 to 1: what ramps cut into bands.",
		Words:   []string{"lambert", "shading", "shade", "lighting", "sun", "light to tone", "brightness", "bounce", "indirect", "radiosity", "global illumination"},
		Source:  "Lambert: max(0, N·L); wrapped by w: max(0, (N·L + w)/(1 + w)). Wide lights: the part above the horizon (Snyder 1996). Bounced: once, over the cosine-weighted hemisphere.",
		Inputs:  []network.Port{normalInput()},
		Outputs: toneAndColor(),
		Settings: append(append([]network.Setting{{Key: "wrap", Name: "Wrap", Type: network.Number, Default: 0.0, Min: 0, Max: 1,
			Help: "How far light reaches round the form: 0 to the terminator, 1 all the way to the back."}}, lightSettings()...),
			network.Setting{Key: "bounce", Name: "Light", Type: network.Choice, Default: "direct", Choices: []network.Option{{Key: "direct", Name: "Direct"}, {Key: "bounced", Name: "Bounced"}, {Key: "both", Name: "Both"}},
				Help: "Direct comes straight from the lights; bounced comes off other surfaces, in the colours of their parts, and is soft."}),
	},
	Needs:   lit,
	Dear:    true,
	Light:   readsLight,
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any {
		d := prepareLight(get, get("wrap").(float64))
		d.Direct, d.Bounced = get("bounce") != "bounced", get("bounce") != "direct"
		return d
	},
	Brief: func(a *About) string {
		words := "no shadows"
		if a.Setting("shadows").(bool) {
			words = "with shadows"
		}
		switch a.Setting("bounce") {
		case "bounced":
			return "bounced"
		case "both":
			return words + ", bounced"
		}
		return words
	},
	Concerns: Concerns{Shades: true, Bounce: "bounce"},
	GLSL: func(g *GLSL) {
		d := g.Data.(lightData)
		n, w := g.Let("vec3", "%s", g.normalIn()), g.Number("wrap")
		g.lamps(&d, n, func(lamp string, k int) string {
			t := g.Let("float", "dot(%s, %s.to)", n, lamp)
			if d.amount == 0 {
				g.Do("%[1]s = lambert(%[1]s, %[2]s.cap);", t, lamp)
			}
			return fmt.Sprintf("(%s + %s) / (1.0 + %s)", t, w, w)
		}, func(k int) string { return fmt.Sprintf("skyAt(lamps[%d], 0.5 + %s.y / 3.0)", k, n) })
	},
	MaterialX: func(m *MaterialX) {
		d := m.Data.(lightData)
		n := m.normalIn()
		m.lamps(&d, func(to XArg) XArg {
			t := m.Dot(n, to)
			if w := float64(d.amount); w != 0 {
				t = m.Over(m.Sum(t, XNumber(w)), XNumber(1+w))
			}
			return t
		})
	},
	Run: func(c *Call) {
		d := c.Data.(lightData)
		nx, ny, nz := c.normal(0)
		scale, w := 1/(1+d.amount), d.amount
		nx, ny, nz = nx[:c.N], ny[:c.N], nz[:c.N]
		d.read(c, func(l *light.Source, in *light.Incident, share Plane, tint [3]Plane) bool {
			if l.Kind == light.Sky {
				skyTone(l, nx, ny, nz, share, tint)
				return true
			}
			n := len(share)
			nx, ny, nz, x, y, z, wide := nx[:n], ny[:n], nz[:n], in.X[:n], in.Y[:n], in.Z[:n], in.Cap[:n]
			for i := range share {
				t := nx[i]*x[i] + ny[i]*y[i] + nz[i]*z[i]
				if t*t < wide[i] && w == 0 {
					t = light.Lambert(t, wide[i])
				}
				share[i] = (t + w) * scale
			}
			return false
		}, func(dir vec.V, share Plane) {
			lx, ly, lz, w := dir[0]*scale, dir[1]*scale, dir[2]*scale, w*scale
			nx, ny, nz := nx[:len(share)], ny[:len(share)], nz[:len(share)]
			for i := range share {
				share[i] = nx[i]*lx + ny[i]*ly + nz[i]*lz + w
			}
		})
	},
})

// skyTone fills in what an open sky gives surfaces of these normals.
func skyTone(l *light.Source, nx, ny, nz, share Plane, tint [3]Plane) {
	for i := range share {
		col, t := under(l.Dome.Irradiance(vec.V{nx[i], ny[i], nz[i]}))
		share[i], tint[0][i], tint[1][i], tint[2][i] = t, col[0], col[1], col[2]
	}
}

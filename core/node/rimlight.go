package node

import (
	"fmt"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/vec"
)

var _ = register(240, &Kind{
	Spec: network.Spec{
		Kind: "rim-light", Name: "Rim light", Family: "light",
		Purpose: "A band of light along the edge of the form, on the side where picked lights stand.",
		Words:   []string{"edge light", "back light", "fresnel", "kicker", "halo"},
		Source:  "1 where 1 − N·V lies above 1 − width; on the side of the light as seen by the eye.",
		Inputs: []network.Port{normalInput(),
			{Key: "width", Name: "width", Type: network.Tone, Default: 0.3, Min: 0, Max: 1, Help: "How far the rim reaches in from the edge."},
			{Key: "softness", Name: "softness", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "0 is a hard edge."}},
		Outputs: toneAndColor(),
		Settings: append([]network.Setting{{Key: "around", Name: "Around", Type: network.Number, Default: 0.5, Min: 0, Max: 1,
			Help: "How far the rim runs round the form from the light's side: 0.5 is half of the outline, 1 all of it."}}, lightSettings()...),
	},
	Needs:   lit,
	Eyed:    always,
	Unseen:  true,
	Dear:    true,
	Light:   readsLight,
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any { return prepareLight(get, get("around").(float64)) },
	Brief:   func(a *About) string { return "width " + a.Input("width") },
	GLSL: func(g *GLSL) {
		g.Use("softstep")
		d := g.Data.(lightData)
		n, e := g.Let("vec3", "%s", g.normalIn()), g.Of("eye")
		f, s := g.Let("float", "dot(%s, %s)", n, e), g.Let("float", "max(0.0, %s)", g.In("softness"))
		edge := g.Let("float", "1.0 - clamp(%s, 0.0, 1.0)", g.In("width"))
		rim := g.Let("float", "%[2]s >= 1.0 ? 0.0 : softstep(1.0 - %[1]s, %[2]s - %[3]s / 2.0, %[2]s + %[3]s / 2.0)", f, edge, s)
		g.lamps(&d, n, func(lamp string, k int) string {
			if d.amount >= 1 {
				return rim
			}
			a, b := g.Let("vec3", "%s - %s * %s", n, e, f), g.Let("vec3", "%[1]s.to - %[2]s * dot(%[1]s.to, %[2]s)", lamp, e)
			side := g.Let("float", "dot(%[1]s, %[1]s) > 1e-8 && dot(%[2]s, %[2]s) > 1e-6 ? dot(unit(%[1]s), unit(%[2]s)) : 1.0", a, b)
			return fmt.Sprintf("%[1]s * softstep(%[2]s, 1.0 - 2.0 * %[3]s - %[4]s, 1.0 - 2.0 * %[3]s + %[4]s)", rim, side, g.Number("around"), s)
		}, func(k int) string { return fmt.Sprintf("vec3(%s)", rim) })
	},
	Stays: "Other programs know no side of the page.",
	Run: func(c *Call) {
		d := c.Data.(lightData)
		nx, ny, nz := c.normal(0)
		ex, ey, ez := c.planes(&c.Points.Eye)
		width, soft := c.In[1][0], c.In[2][0]
		least := 1 - 2*d.amount
		d.read(c, func(l *light.Source, in *light.Incident, share Plane, tint [3]Plane) bool {
			for i := range share {
				n, e := vec.V{nx[i], ny[i], nz[i]}, vec.V{ex[i], ey[i], ez[i]}
				facing := n.Dot(e)
				s := max(0, soft[i])
				edge := 1 - max(0, min(1, width[i]))
				rim := smoothstep(1-facing, edge-s/2, edge+s/2)
				if edge >= 1 {
					rim = 0
				}
				if rim == 0 || d.amount >= 1 {
					share[i] = rim
					continue
				}
				to := vec.V{in.X[i], in.Y[i], in.Z[i]}
				side := float32(1)
				if a, b := n.Sub(e.Mul(facing)), to.Sub(e.Mul(to.Dot(e))); a.Dot(a) > 1e-8 && b.Dot(b) > 1e-6 {
					side = a.Unit().Dot(b.Unit())
				}
				share[i] = rim * smoothstep(side, least-s, least+s)
			}
			return false
		}, nil)
	},
})

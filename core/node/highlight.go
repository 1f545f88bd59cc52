package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

var highlight = &Kind{
	Spec: network.Spec{
		Kind: "highlight", Name: "Highlight", Family: "light",
		Purpose: "The spot where a light is mirrored towards the eye, as a tone that peaks at 1.",
		Words:   []string{"specular", "gloss", "shine", "glint", "spot", "half angle", "blinn"},
		Source:  "Half-angle (Blinn 1977): (N·H)^e with e = 2/roughness⁴ − 2.",
		Inputs:  []network.Port{{Key: "normal", Name: "normal", Type: network.Vector, Hidden: true, Help: "Unwired: the surface's own."}},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}, {Key: "colour", Name: "colour", Type: network.Color}},
		Settings: append([]network.Setting{{Key: "roughness", Name: "Roughness", Type: network.Number, Default: 0.35, Min: 0.02, Max: 1,
			Help: "Small is a tight spot, 1 is spread over the whole lit side."}}, lightSettings()...),
	},
	Needs:   sample.Pos | sample.Normal | sample.Eye,
	Lit:     true,
	Shadow:  lightShadow,
	Prepare: func(get func(string) any) any { return prepareLight(get, get("roughness").(float64)) },
	Run: func(c *Call) {
		d := c.Data.(lightData)
		nx, ny, nz := c.normal(0)
		ex, ey, ez := c.planes(&c.Set.Eye)
		r2 := float64(d.amount) * float64(d.amount)
		e := max(0, 2/(r2*r2)-2)
		d.read(c, func(i int, l *stage.Light) float32 {
			n := vec.V{nx[i], ny[i], nz[i]}
			if n.Dot(l.Dir) <= 0 {
				return 0
			}
			x := float64(l.Dir.Add(vec.V{ex[i], ey[i], ez[i]}).Unit().Dot(n))
			if x <= 0 || e*(1-x) > 20 { // below e^-20
				return 0
			}
			return float32(math.Exp(e * math.Log(min(x, 1))))
		})
	},
}

package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/stage"
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
	Dear:    true,
	Shadow:  lightShadow,
	Prepare: func(get func(string) any) any { return prepareLight(get, get("roughness").(float64)) },
	Run: func(c *Call) {
		d := c.Data.(lightData)
		nx, ny, nz := c.normal(0)
		ex, ey, ez := c.planes(&c.Set.Eye)
		r2 := float64(d.amount) * float64(d.amount)
		e := max(0, 2/(r2*r2)-2)
		d.read(c, func(l *stage.Light, share Plane) {
			lx, ly, lz := l.Dir[0], l.Dir[1], l.Dir[2]
			// Where e·(1 − N·H) is above 20 the power is below e^-20.
			least := float32(1 - 20/max(e, 1e-3))
			nx, ny, nz, ex, ey, ez := nx[:len(share)], ny[:len(share)], nz[:len(share)], ex[:len(share)], ey[:len(share)], ez[:len(share)]
			for i := range share {
				x, y, z := nx[i], ny[i], nz[i]
				hx, hy, hz := lx+ex[i], ly+ey[i], lz+ez[i]
				nh := hx*x + hy*y + hz*z
				hh := hx*hx + hy*hy + hz*hz
				share[i] = 0
				if x*lx+y*ly+z*lz <= 0 || nh <= 0 || least > 0 && nh*nh < least*least*hh {
					continue
				}
				c := float64(nh) / math.Sqrt(float64(hh))
				share[i] = float32(math.Exp(e * math.Log(min(c, 1))))
			}
		})
	},
}

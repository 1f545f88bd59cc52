package node

import (
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/stage"
)

var diffuseLight = &Kind{
	Spec: network.Spec{
		Kind: "diffuse-light", Name: "Diffuse light", Family: "light",
		Purpose: "How strongly light falls on the surface, as a tone from 0 to 1: what ramps cut into bands.",
		Words:   []string{"lambert", "shading", "shade", "lighting", "sun", "light to tone", "brightness"},
		Source:  "Lambert: max(0, N·L); wrapped by w: max(0, (N·L + w)/(1 + w)).",
		Inputs:  []network.Port{{Key: "normal", Name: "normal", Type: network.Vector, Hidden: true, Help: "Unwired: the surface's own."}},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}, {Key: "colour", Name: "colour", Type: network.Color}},
		Settings: append([]network.Setting{{Key: "wrap", Name: "Wrap", Type: network.Number, Default: 0.0, Min: 0, Max: 1,
			Help: "How far light reaches round the form: 0 to the terminator, 1 all the way to the back."}}, lightSettings()...),
	},
	Needs:   sample.Pos | sample.Normal,
	Lit:     true,
	Dear:    true,
	Shadow:  lightShadow,
	Prepare: func(get func(string) any) any { return prepareLight(get, get("wrap").(float64)) },
	Run: func(c *Call) {
		d := c.Data.(lightData)
		nx, ny, nz := c.normal(0)
		scale := 1 / (1 + d.amount)
		nx, ny, nz = nx[:c.N], ny[:c.N], nz[:c.N]
		d.read(c, func(l *stage.Light, share Plane) {
			lx, ly, lz, w := l.Dir[0]*scale, l.Dir[1]*scale, l.Dir[2]*scale, d.amount*scale
			share = share[:len(nx)]
			for i := range share {
				share[i] = nx[i]*lx + ny[i]*ly + nz[i]*lz + w
			}
		})
	},
}

package node

import (
	"mobanta/core/network"
	"mobanta/core/pattern"
)

var _ = register(490, &Kind{
	Spec: network.Spec{
		Kind: "stipple", Name: "Stipple", Family: "pattern",
		Purpose: "Draws a tone as dots of one size, scattered at a distance: the darker, the more.",
		Words:   []string{"dots", "pointillism", "grain", "scattered", "points", "sand", "blue noise", "ink", "spray"},
		Source:  "Dots in an order in which each is the farthest of many from those before it (best candidates: Mitchell 1991); each place ranked by when ink comes to it, so that as much is inked as is asked.",
		Inputs: printInputs(
			network.Port{Key: "density", Name: "density", Type: network.Tone, Default: 120.0, Min: 10, Max: 300, Help: "How many dots there would be in the height of the picture if all were there; laid on a surface, in a unit of UV or in the model's diagonal."},
			network.Port{Key: "angle", Name: "angle", Type: network.Tone, Default: 0.0, Min: -90, Max: 90, Help: "In degrees."},
			network.Port{Key: "dot", Name: "dot", Type: network.Tone, Default: 0.8, Min: 0.2, Max: 2, Help: "How large a dot is across, in spacings."},
			network.Port{Key: "softness", Name: "softness", Type: network.Tone, Default: 0.0, Min: 0, Max: 0.5, Help: "Fades dots in: as much is inked as before."}),
		Outputs:  printOutputs(),
		Settings: printSettings(nil),
	},
	NeedsFor:  printNeeds,
	Eyed:      printedOnPage,
	Elsewhere: printElsewhere,
	Prepare:   preparePrint(func(func(string) any) any { return nil }),
	Ways:      []Way{Shaded},
	Beside:    "tone",
	Brief:     func(a *About) string { return a.Input("density") + ", dots of " + a.Input("dot") },
	Strip:     OnPage,
	Concerns:  Concerns{Printed: "density"},
	Stays:     "Its ink is calibrated by tables that a shader has no room for.",
	Run: func(c *Call) {
		dot, soft := c.In[printOwn+2][0], c.In[printOwn+3][0]
		var inks [pattern.StippleSizes + 1]*inksOf
		c.print(printOwn, printOwn+1, func(x, y, foot, asked, ink Plane, _ int) {
			fill := func(size, from, to int, ink Plane) {
				if inks[size] == nil {
					inks[size] = &inksOf{screen: pattern.Stipple(size)}
				}
				inks[size].fill(x[from:to], y[from:to], foot[from:to], soft[from:to], asked[from:to], ink)
			}
			var larger Plane
			for from, to := 0, 0; from < len(asked); from = to {
				size, part := pattern.StippleSize(dot[from])
				between := part > 0
				for to++; to < len(asked); to++ {
					if dot[to] == dot[to-1] {
						continue
					}
					k, t := pattern.StippleSize(dot[to])
					if k != size {
						break
					}
					between = between || t > 0
				}
				fill(size, from, to, ink[from:to])
				if !between {
					continue
				}
				if larger == nil {
					larger = make(Plane, len(asked))
				}
				fill(size+1, from, to, larger[from:to])
				for i := from; i < to; i++ {
					if i == from || dot[i] != dot[i-1] {
						_, part = pattern.StippleSize(dot[i])
					}
					ink[i] += (larger[i] - ink[i]) * part
				}
			}
		}, nil)
	},
})

package node

import (
	"mobanta/core/light"
	"mobanta/core/network"
)

var _ = register(260, &Kind{
	Spec: network.Spec{
		Kind: "cast-shadow", Name: "Cast shadow", Family: "light",
		Purpose: "The shadows alone that models throw: 0 in shadow, 1 in the open, whatever the angle of the light.",
		Words:   []string{"shadow", "occluded light", "umbra", "penumbra", "shadow mask"},
		Source:  "Share of each light that comes through, weighted by the lights' strengths at the place.",
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: append(whichLights(), network.Setting{Key: "own", Name: "Side that faces away", Type: network.Choice, Default: "open",
			Choices: []network.Option{{Key: "open", Name: "Counts as open"}, {Key: "shadow", Name: "Counts as shadow"}}, Help: "The side of the form that no light could reach even alone on the stage."}),
	},
	Needs:   lit,
	Dear:    true,
	Light:   func(data any) Reading { return data.(castData).Reading },
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any {
		d := castData{reading(get), get("own") == "open"}
		d.Shadows = true
		return d
	},
	Brief:    func(a *About) string { return a.Lights("lights") },
	Concerns: Concerns{Open: true},
	Stays:    "It sends rays.",
	Run: func(c *Call) {
		d := c.Data.(castData)
		out := c.Out[0][0]
		in := light.NewIncident(c.N)
		all := make(Plane, c.N)
		clear(out)
		nx, ny, nz := c.planes(&c.Points.Norm)
		for k, li := range c.lights(&d.Reading) {
			l := &c.Scene.Lights[li]
			open := c.share(k)
			if open == nil {
				continue
			}
			c.fall(l, in)
			for i := range out {
				e, s := in.E[i], open[i]
				if l.Parts != nil && !l.Parts[c.Points.PartOf[c.Lo+i]] {
					continue
				}
				if l.Kind != light.Sky && d.away && nx[i]*in.X[i]+ny[i]*in.Y[i]+nz[i]*in.Z[i] <= 0 {
					s = 1
				}
				out[i] += s * e
				all[i] += e
			}
		}
		for i, a := range all {
			if a > 0 {
				out[i] /= a
			} else {
				out[i] = 1
			}
		}
	},
})

type castData struct {
	Reading
	away bool // what faces away counts as open
}

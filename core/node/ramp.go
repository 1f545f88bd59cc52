package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
)

var ramp = &Kind{
	Spec: network.Spec{
		Kind: "ramp", Name: "Ramp", Family: "tone",
		Purpose: "Cuts a tone into bands of flat colour, or blends from colour to colour along it.",
		Words:   []string{"bands", "quantise", "gradient", "color ramp", "cel", "toon", "posterise", "steps", "palette", "map"},
		Source:  "The colour of a step is that of the last stop at or below the tone. OKLab mixing: Ottosson 2020.",
		Inputs:  []network.Port{{Key: "tone", Name: "tone", Type: network.Tone, Default: 0.5, Min: 0, Max: 1}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}, {Key: "tone", Name: "tone", Type: network.Tone, Help: "The luminance of the colour."}},
		Settings: []network.Setting{
			{Key: "stops", Name: "Stops", Type: network.Stops, Default: []color.Stop{
				{At: 0, Color: color.MustHex("#2B2D38"), Edge: color.Step, Name: "core"},
				{At: 0.25, Color: color.MustHex("#5A6273"), Edge: color.Step, Name: "shade"},
				{At: 0.5, Color: color.MustHex("#9AA5B1"), Edge: color.Step, Name: "base"},
				{At: 0.75, Color: color.MustHex("#E8EAE6"), Edge: color.Step, Name: "light"},
			}},
			{Key: "mixing", Name: "Mixing", Type: network.Choice, Default: string(color.MixLinear), Choices: mixings(),
				Help: "The space in which colours blend where an edge is not hard."},
		},
	},
	Prepare: func(get func(string) any) any {
		return color.NewRamp(get("stops").([]color.Stop), color.Mixing(get("mixing").(string)))
	},
	Run: func(c *Call) {
		col, tone := c.Out[0], c.Out[1]
		if col == nil { // only the luminance is read
			col = []Plane{make(Plane, c.N), make(Plane, c.N), make(Plane, c.N)}
		}
		c.Data.(*color.Ramp).Map(c.In[0][0], col[0], col[1], col[2])
		if tone != nil {
			for i := range tone[0] {
				tone[0][i] = color.C{col[0][i], col[1][i], col[2][i]}.Luminance()
			}
		}
	},
}

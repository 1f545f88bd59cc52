package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/network"
)

var _ = register(300, &Kind{
	Spec: network.Spec{
		Kind: "ramp", Name: "Ramp", Family: "tone",
		Purpose: "Cuts a tone into bands of flat colour, or blends from colour to colour along it.",
		Words:   []string{"bands", "quantise", "gradient", "tone map", "cel", "toon", "posterise", "steps", "palette", "map", "anime shading", "cel shading"},
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
	Folds: func(data any) bool { return data.(*color.Ramp).Narrowest() < thinBand },
	Bounds: func(c *Call, lo, hi, outLo, outHi [][]Plane) {
		boundRamp(c.Data.(*color.Ramp), lo[0][0], hi[0][0], outLo[0], outHi[0])
		for k, p := range outLo[1] {
			for i := range p {
				p[i] = color.C{outLo[0][0][i], outLo[0][1][i], outLo[0][2][i]}.Luminance()
				outHi[1][k][i] = color.C{outHi[0][0][i], outHi[0][1][i], outHi[0][2][i]}.Luminance()
			}
		}
	},
	Brief: func(a *About) string { return Counted(len(a.Setting("stops").([]color.Stop)), "band") },
	Cut: &Cut{
		Input: "tone",
		Edges: func(a *About, _ float32) []Edges { return []Edges{stopEdges(a, "stops")} },
		Note: func(a *About, in []float32) string {
			return Short(float64(in[0])) + " falls into " + bandOf(a.Setting("stops").([]color.Stop), in[0])
		},
		Hard: hardStops,
	},
	Concerns: Concerns{Bands: "stops"},
	GLSL: func(g *GLSL) {
		c := g.Let("vec3", "%s(%s)", g.Ramp("stops", g.get("stops").([]color.Stop), color.Mixing(g.Choice("mixing"))), g.In("tone"))
		g.Out("colour", "%s", c)
		g.Out("tone", "luminance(%s)", c)
	},
	MaterialX: func(m *MaterialX) {
		c := m.Ramp(m.get("stops").([]color.Stop), color.Mixing(m.Choice("mixing")), m.In("tone"))
		m.Out("colour", c)
		m.Out("tone", m.As(c, XFloat))
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
})

// thinBand is how narrow a band must be for a ramp to be looked at between pixels: a
// tone may well step over it from one to the next.
const thinBand = 1.0 / 64

// boundRamp fills in between which colours a ramp lies for tones from lo to hi: those
// at both ends, and at every stop between, on either side of it.
func boundRamp(r *color.Ramp, lo, hi Plane, outLo, outHi []Plane) {
	n := len(lo)
	tone := make(Plane, n)
	got := []Plane{make(Plane, n), make(Plane, n), make(Plane, n)}
	take := func(first bool) {
		r.Map(tone, got[0], got[1], got[2])
		for k := range got {
			for i, v := range got[k] {
				if first {
					outLo[k][i], outHi[k][i] = v, v
				} else {
					outLo[k][i], outHi[k][i] = min(outLo[k][i], v), max(outHi[k][i], v)
				}
			}
		}
	}
	copy(tone, lo)
	take(true)
	copy(tone, hi)
	take(false)
	for _, at := range r.Edges() {
		for _, t := range [2]float32{at, math.Nextafter32(at, -1)} {
			for i := range tone {
				tone[i] = max(lo[i], min(hi[i], t))
			}
			take(false)
		}
	}
}

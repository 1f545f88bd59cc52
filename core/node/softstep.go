package node

import "mobanta/core/network"

var _ = register(320, &Kind{
	Spec: network.Spec{
		Kind: "soft-step", Name: "Soft step", Family: "tone",
		Purpose: "0 below a threshold and 1 above it, with an edge as soft as you like.",
		Words:   []string{"threshold", "smoothstep", "cut", "mask", "hard", "clip", "contrast"},
		Source:  "3t² − 2t³ over the softness, centred on the threshold; softness 0 is a hard step that is 1 from the threshold on.",
		Inputs: []network.Port{
			{Key: "tone", Name: "tone", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "threshold", Name: "threshold", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "softness", Name: "softness", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
		},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
	},
	// It rises with the tone and falls with the threshold.
	Bounds: func(c *Call, lo, hi, outLo, outHi [][]Plane) {
		a, b := outLo[0][0], outHi[0][0]
		other := make(Plane, c.N)
		stepped(a, lo[0][0], hi[1][0], lo[2][0], false)
		stepped(other, lo[0][0], hi[1][0], hi[2][0], false)
		for i, v := range other {
			a[i] = min(a[i], v)
		}
		stepped(b, hi[0][0], lo[1][0], lo[2][0], false)
		stepped(other, hi[0][0], lo[1][0], hi[2][0], false)
		for i, v := range other {
			b[i] = max(b[i], v)
		}
	},
	Brief: func(a *About) string { return "at " + a.Input("threshold") },
	Cut: &Cut{
		Input: "tone", Threshold: "threshold",
		Edges: func(a *About, _ float32) []Edges {
			at, ok := a.Typed("threshold")
			if !ok {
				return nil
			}
			return []Edges{{Key: "threshold", At: []float32{float32(at)}}}
		},
		Note: func(a *About, in []float32) string {
			tone, at, soft := in[0], in[1], max(0, in[2])/2
			switch {
			case tone >= at+soft:
				return Short(float64(tone)) + " is past the threshold, " + Short(float64(at))
			case tone <= at-soft || soft == 0:
				return Short(float64(tone)) + " does not reach the threshold, " + Short(float64(at))
			}
			return Short(float64(tone)) + " is within the soft edge about " + Short(float64(at))
		},
		Hard: func(a *About) bool {
			soft, ok := a.Typed("softness")
			return ok && soft < 0.02
		},
	},
	GLSL: func(g *GLSL) {
		g.Use("softstep")
		h := g.Let("float", "max(0.0, %s) / 2.0", g.In("softness"))
		g.Out("tone", "softstep(%s, %s - %s, %s + %s)", g.In("tone"), g.In("threshold"), h, g.In("threshold"), h)
	},
	MaterialX: func(m *MaterialX) {
		m.Out("tone", m.SoftStep(m.In("tone"), m.In("threshold"), m.In("softness")))
	},
	Run: func(c *Call) {
		stepped(c.Out[0][0], c.In[0][0], c.In[1][0], c.In[2][0], c.Const[1] && c.Const[2])
	},
})

// stepped writes smoothsteps of tone at the thresholds with the softnesses, both
// the same for all samples if even is set.
func stepped(out, tone, at, soft Plane, even bool) {
	tone = tone[:len(out)]
	if !even || len(out) == 0 {
		for i, t := range tone {
			h := max(0, soft[i]) / 2
			out[i] = smoothstep(t, at[i]-h, at[i]+h)
		}
		return
	}
	h := max(0, soft[0]) / 2
	from, to := at[0]-h, at[0]+h
	if to <= from {
		for i, t := range tone {
			if t >= from {
				out[i] = 1
			} else {
				out[i] = 0
			}
		}
		return
	}
	inv := 1 / (to - from)
	for i, t := range tone {
		t = (t - from) * inv
		switch {
		case t >= 1:
			out[i] = 1
		case t > 0:
			out[i] = t * t * (3 - 2*t)
		default:
			out[i] = 0
		}
	}
}

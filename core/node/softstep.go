package node

import "mobanta/core/network"

var softStep = &Kind{
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
	Run: func(c *Call) {
		at, soft := c.In[1][0], c.In[2][0]
		for i, t := range c.In[0][0] {
			h := max(0, soft[i]) / 2
			c.Out[0][0][i] = smoothstep(t, at[i]-h, at[i]+h)
		}
	},
}

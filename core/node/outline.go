package node

import (
	"mobanta/core/network"
	"mobanta/core/sample"
)

var _ = register(500, &Kind{
	Spec: network.Spec{
		Kind: "outline", Name: "Outline", Family: "line",
		Purpose: "1 along the rim, where the surface turns away from the eye; wire it to a Blend's amount to ink the form.",
		Words:   []string{"contour", "ink", "rim", "border", "edge", "silhouette", "stroke"},
		Source:  "Facing ratio |N·V| below the thickness.",
		Inputs: []network.Port{
			{Key: "thickness", Name: "thickness", Type: network.Tone, Default: 0.3, Min: 0, Max: 1, Help: "The facing ratio below which the line is drawn."},
			{Key: "softness", Name: "softness", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			normalInput(),
		},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
	},
	Eyed:     always,
	Unseen:   true,
	NeedsFor: normalUnless(sample.Eye),
	Brief:    func(a *About) string { return "below " + a.Input("thickness") },
	GLSL: func(g *GLSL) {
		g.Use("softstep")
		t, s := g.In("thickness"), g.Let("float", "max(0.0, %s) / 2.0", g.In("softness"))
		g.Out("tone", "1.0 - softstep(min(1.0, abs(dot(%s, %s))), %s - %s, %s + %s)", g.normalIn(), g.Of("eye"), t, s, t, s)
	},
	MaterialX: func(m *MaterialX) {
		m.Out("tone", m.Put("invert", XFloat, "in", m.SoftStep(m.facing(), m.In("thickness"), m.In("softness"))))
	},
	Run: func(c *Call) {
		out := c.Out[0][0]
		facingRatio(c, 2, out)
		stepped(out, out, c.In[0][0], c.In[1][0], c.Const[0] && c.Const[1])
		for i, f := range out {
			out[i] = 1 - f
		}
	},
})

package node

import (
	"mobanta/core/network"
	"mobanta/core/sample"
)

var _ = register(60, &Kind{
	Spec: network.Spec{
		Kind: "part-values", Name: "Part values", Family: "surface",
		Purpose: "What differs from part to part: its own colour, a chance number, its place and its number.",
		Words:   []string{"random", "by part", "each part", "vary", "seed", "id", "material colour", "variation"},
		Source:  "The seed is made of the part's name alone (SHA-256), so it stays when other parts come and go.",
		Outputs: []network.Port{
			{Key: "colour", Name: "colour", Type: network.Color, Help: "The base colour of the file's material."},
			{Key: "seed", Name: "seed", Type: network.Tone, Help: "0 to 1, the same for the same name."},
			{Key: "place", Name: "place", Type: network.Vector, Help: "The middle of the part, in units of the stage's size."},
			{Key: "index", Name: "number", Type: network.Tone, Help: "0, 1, 2… in the order of the stage."},
		},
	},
	Needs: sample.Part,
	GLSL: func(g *GLSL) {
		g.Out("colour", "partColour")
		g.Out("seed", "partSeed")
		g.Out("place", "partPlace")
		g.Out("index", "float(part)")
	},
	Stays: "What a part has of its own is not known in other programs.",
	Run: func(c *Call) {
		for i := range c.N {
			p := c.Points.PartOf[c.Lo+i]
			part := &c.Scene.Parts[p]
			if out := c.Out[0]; out != nil {
				out[0][i], out[1][i], out[2][i] = part.Color[0], part.Color[1], part.Color[2]
			}
			if out := c.Out[1]; out != nil {
				out[0][i] = part.Seed
			}
			if out := c.Out[2]; out != nil {
				m := part.Box.Center().Mul(1 / c.Scene.Size)
				out[0][i], out[1][i], out[2][i] = m[0], m[1], m[2]
			}
			if out := c.Out[3]; out != nil {
				out[0][i] = float32(p)
			}
		}
	},
})

var _ = register(80, &Kind{
	Spec: network.Spec{
		Kind: "depth", Name: "Depth", Family: "surface",
		Purpose: "How far from the eye: 0 at the near mark, 1 at the far one.",
		Words:   []string{"distance", "far away", "fog", "z", "mist", "near", "far", "aerial perspective", "atmosphere", "haze"},
		Source:  "The distance along the view, measured over the box around the stage: marks 0 and 1 are its nearest and farthest corner.",
		Inputs: []network.Port{
			{Key: "near", Name: "near", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			{Key: "far", Name: "far", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
		},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
	},
	Needs: sample.Pos,
	Eyed:  always,
	GLSL: func(g *GLSL) {
		g.Use("safe")
		d := g.Let("float", "divide(dot(%s - eyePlace, -eyeBack) - depths.x, depths.y - depths.x)", g.Of("pos"))
		g.Out("tone", "clamp(divide(%[1]s - %[2]s, %[3]s - %[2]s), 0.0, 1.0)", d, g.In("near"), g.In("far"))
	},
	Stays: "The bounds of the stage are not known in other programs.",
	Run: func(c *Call) {
		px, py, pz := c.planes(&c.Points.Pos)
		view := &c.Points.View
		lo, hi := float32(0), float32(0)
		for k, corner := range c.Scene.Box.Corners() {
			d := view.Camera(corner)[2]
			if k == 0 || d < lo {
				lo = d
			}
			if k == 0 || d > hi {
				hi = d
			}
		}
		near, far, out := c.In[0][0], c.In[1][0], c.Out[0][0]
		for i := range out {
			d := (px[i]-view.Eye[0])*-view.Back[0] + (py[i]-view.Eye[1])*-view.Back[1] + (pz[i]-view.Eye[2])*-view.Back[2]
			t := Divide(d-lo, hi-lo)
			out[i] = min(max(Divide(t-near[i], far[i]-near[i]), 0), 1)
		}
	},
})

var _ = register(90, &Kind{
	Spec: network.Spec{
		Kind: "time", Name: "Time", Family: "surface",
		Purpose: "The moment: seconds, frames, and the phase of the loop, to make things move.",
		Words:   []string{"animation", "frame", "clock", "seconds", "loop", "phase", "move"},
		Outputs: []network.Port{
			{Key: "seconds", Name: "seconds", Type: network.Tone},
			{Key: "frame", Name: "frame", Type: network.Tone},
			{Key: "phase", Name: "phase", Type: network.Tone, Help: "0 to 1 over the loop."},
		},
	},
	Timed: true,
	GLSL: func(g *GLSL) {
		g.Out("seconds", "time.x")
		g.Out("frame", "time.y")
		g.Out("phase", "time.z")
	},
	MaterialX: func(m *MaterialX) {
		m.Out("seconds", m.Put("time", XFloat))
		m.Out("frame", m.Put("frame", XFloat))
		m.Out("phase", m.Put("fract", XFloat, "in", m.Put("time", XFloat)))
		m.Leave("the length of the loop, of which the phase is a part")
	},
	Run: func(c *Call) {
		for k, v := range [3]float32{c.Scene.Time.Seconds, c.Scene.Time.Frame, c.Scene.Time.Phase} {
			if out := c.Out[k]; out != nil {
				for i := range out[0] {
					out[0][i] = v
				}
			}
		}
	},
})

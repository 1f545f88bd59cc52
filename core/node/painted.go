package node

import (
	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/sample"
)

var _ = register(70, &Kind{
	Spec: network.Spec{
		Kind: "painted-values", Name: "Painted values", Family: "surface",
		Purpose: "What the model's file has painted on its vertices: a colour, and its parts as tones.",
		Words:   []string{"vertex colour", "vertex color", "vertex paint", "colour attribute", "painted mask", "scan colours", "weights"},
		Source:  "Colours of glTF (COLOR_0), PLY and OBJ. The tones are the numbers of the file as they are; the colour is linear light, decoded where the file's are sRGB. Where nothing is painted all is 1.",
		Outputs: []network.Port{
			{Key: "colour", Name: "colour", Type: network.Color},
			{Key: "red", Name: "red", Type: network.Tone},
			{Key: "green", Name: "green", Type: network.Tone},
			{Key: "blue", Name: "blue", Type: network.Tone},
			{Key: "opacity", Name: "opacity", Type: network.Tone},
		},
	},
	Needs:    sample.Weights | sample.Part,
	Concerns: Concerns{Paint: true},
	Stays:    "It is on the vertices.",
	MaterialX: func(m *MaterialX) {
		c := m.Put("geomcolor", XColor, "index", XWhole(0))
		m.Out("colour", c)
		for i, key := range [3]string{"red", "green", "blue"} {
			m.Out(key, m.Put("extract", XFloat, "in", c, "index", XWhole(i)))
		}
		m.Out("opacity", m.Put("geomcolor", XFloat, "index", XWhole(0)))
	},
	Run: func(c *Call) {
		for i := range c.N {
			k := c.Lo + i
			s := c.Scene.Models[c.Scene.Parts[c.Points.PartOf[k]].Model].Surface
			v := [4]float32{1, 1, 1, 1}
			if s.Paint != nil {
				at, w := c.Points.Corners(k)
				for o := range v {
					v[o] = s.Paint[at[0]][o]*w[0] + s.Paint[at[1]][o]*w[1] + s.Paint[at[2]][o]*w[2]
				}
			}
			if out := c.Out[0]; out != nil {
				col := color.C{v[0], v[1], v[2]}
				if s.Mesh.PaintEncoded {
					col = color.Painted(col)
				}
				out[0][i], out[1][i], out[2][i] = col[0], col[1], col[2]
			}
			for o, t := range v {
				if out := c.Out[1+o]; out != nil {
					out[0][i] = t
				}
			}
		}
	},
})

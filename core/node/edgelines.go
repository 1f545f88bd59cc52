package node

import (
	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/network"
)

var edgeLines = &Kind{
	Spec: network.Spec{
		Kind: "edge-lines", Name: "Edge lines", Family: "line",
		Purpose: "Ink lines of even width along outer contours, between parts, over creases and where one form passes in front of another.",
		Words:   []string{"ink", "contour", "outline", "crease", "silhouette", "stroke", "border", "lineart", "line art", "pen"},
		Source:  "Found on the picture's own buffers (Saito and Takahashi 1990); creases by the regions of the mesh that they bound.",
		Inputs: []network.Port{
			{Key: "width", Name: "width", Type: network.Tone, Default: 4.0, Min: 0, Max: 20, Help: "In thousandths of the picture's height."},
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#17181A")},
			{Key: "opacity", Name: "opacity", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
		},
		Outputs: []network.Port{{Key: "lines", Name: "lines", Type: network.Lines}},
		Settings: []network.Setting{
			{Key: "outer", Name: "Outer contour", Type: network.Toggle, Default: true},
			{Key: "parts", Name: "Between parts", Type: network.Toggle, Default: true},
			{Key: "crease", Name: "Creases", Type: network.Toggle, Default: true},
			{Key: "angle", Name: "Crease angle", Type: network.Number, Default: 35.0, Min: 1, Max: 180, Unit: "°", Help: "The surface must bend by more than this."},
			{Key: "depth", Name: "Overlaps", Type: network.Toggle, Default: true, Help: "Where a part passes in front of itself."},
			{Key: "jump", Name: "Least overlap", Type: network.Number, Default: 0.02, Min: 0, Max: 1, Help: "In sizes of the stage: smaller jumps in depth draw no line."},
		},
	},
	Prepare: func(get func(string) any) any {
		return line.Edges{Outer: get("outer").(bool), Parts: get("parts").(bool), Crease: get("crease").(bool),
			Angle: get("angle").(float64), Depth: get("depth").(bool), Jump: get("jump").(float64)}
	},
	Lines: func(data any) line.Rule { return data.(line.Edges) },
	Brief: func(a *About) string { return "width " + a.Input("width") },
	Run: func(c *Call) {
		out := c.Out[0]
		for k := range 3 {
			copy(out[k], c.In[1][k])
		}
		copy(out[3], c.In[0][0])
		copy(out[4], c.In[2][0])
	},
}

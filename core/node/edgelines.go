package node

import (
	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/network"
)

var _ = register(510, &Kind{
	Spec: network.Spec{
		Kind: "edge-lines", Name: "Edge lines", Family: "line",
		Purpose: "Ink lines of even width along outer contours, between parts, over creases and where one form passes in front of another.",
		Words:   []string{"ink", "contour", "outline", "crease", "silhouette", "stroke", "border", "lineart", "line art", "pen"},
		Source:  "Found on the picture's own buffers (Saito and Takahashi 1990); creases by the regions of the mesh that they bound. Where two looks meet the surface in front has the line.",
		Inputs: []network.Port{
			{Key: "width", Name: "width", Type: network.Tone, Default: 4.0, Min: 0, Max: 20, Help: "In thousandths of the picture's height."},
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#17181A")},
			{Key: "opacity", Name: "opacity", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
			{Key: "scale", Name: "width scale", Type: network.Tone, Default: 1.0, Min: 0, Max: 2, Help: "Times the width: wire the facing, the depth, light or any tone."},
			{Key: line.Mask, Name: "mask", Type: network.Tone, Hidden: true, Help: "Where it changes there is a line too, without any edge: wire noise, cells, a checker."},
		},
		Outputs: []network.Port{{Key: "lines", Name: "lines", Type: network.Lines}},
		Settings: []network.Setting{
			{Key: "outer", Name: "Outer contour", Type: network.Toggle, Default: true},
			{Key: "parts", Name: "Between parts", Type: network.Toggle, Default: true},
			{Key: "crease", Name: "Creases", Type: network.Toggle, Default: true},
			{Key: "angle", Name: "Crease angle", Type: network.Number, Default: 35.0, Min: 1, Max: 180, Unit: "°", Help: "The surface must bend by more than this."},
			{Key: "depth", Name: "Overlaps", Type: network.Toggle, Default: true, Help: "Where a part passes in front of itself."},
			{Key: "jump", Name: "Least overlap", Type: network.Number, Default: 0.02, Min: 0, Max: 1, Help: "In sizes of the stage: smaller jumps in depth draw no line."},
			{Key: "by", Name: "Mask", Type: network.Choice, Default: "levels", Choices: []network.Option{{Key: "levels", Name: "Lines at levels"}, {Key: "change", Name: "Lines where it jumps"}}, Help: "Of the mask that is wired."},
			{Key: "at", Name: "Level", Type: network.Number, Default: 0.5, Min: 0, Max: 1, Help: "Of several the first."},
			{Key: "levels", Name: "Levels", Type: network.Number, Default: 1.0, Min: 1, Max: 12, Help: "How many there are, evenly from the first up to 1."},
			{Key: "change", Name: "Least change", Type: network.Number, Default: 0.1, Min: 0.001, Max: 1, Help: "From pixel to pixel."},
		},
	},
	Prepare: func(get func(string) any) any {
		e := line.Edges{Outer: get("outer").(bool), Parts: get("parts").(bool), Crease: get("crease").(bool),
			Angle: get("angle").(float64), Depth: get("depth").(bool), Jump: get("jump").(float64)}
		if get("by").(string) == "change" {
			e.Change = float32(get("change").(float64))
		} else {
			e.Levels = levelsFrom(get("at").(float64), get("levels").(float64))
		}
		return e
	},
	Lines: func(data any) line.Rule { return data.(line.Edges) },
	Brief: func(a *About) string { return "width " + a.Input("width") },
	Stays: "Lines are found on the picture.",
	Run:   runInk,
})

// levelsFrom returns so many levels, evenly from the first up to 1.
func levelsFrom(first, many float64) (out []float32) {
	n := int(many + 0.5)
	for k := range n {
		out = append(out, float32(first+(1-first)*float64(k)/float64(n)))
	}
	return out
}

// runInk is the kernel of lines whose first inputs are width, colour, opacity and width scale.
func runInk(c *Call) {
	out := c.Out[0]
	for k := range 3 {
		copy(out[k], c.In[1][k])
	}
	scale := c.In[3][0]
	for i, w := range c.In[0][0] {
		out[3][i] = w * scale[i]
	}
	copy(out[4], c.In[2][0])
}

package node

import (
	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/network"
)

var _ = register(520, &Kind{
	Spec: network.Spec{
		Kind: "silhouette-lines", Name: "Silhouette lines", Family: "line",
		Purpose: "Draws a heavier line round a part, a model or all that there is.",
		Words:   []string{"outline", "contour", "border", "rim", "round", "thick", "sticker", "ink", "outer"},
		Source:  "The borders of what the picture shows of a part, a model or all. Where two surfaces meet the one in front has the line.",
		Inputs: []network.Port{
			{Key: "width", Name: "width", Type: network.Tone, Default: 7.0, Min: 0, Max: 30, Help: "In thousandths of the picture's height."},
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#17181A")},
			{Key: "opacity", Name: "opacity", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
			{Key: "scale", Name: "width scale", Type: network.Tone, Default: 1.0, Min: 0, Max: 2, Help: "Times the width: wire cells or noise and it wobbles."},
		},
		Outputs: []network.Port{{Key: "lines", Name: "lines", Type: network.Lines}},
		Settings: []network.Setting{
			{Key: "round", Name: "Round", Type: network.Choice, Default: string(line.RoundAll), Choices: []network.Option{{Key: string(line.RoundAll), Name: "All"}, {Key: string(line.RoundModels), Name: "Each model"}, {Key: string(line.RoundParts), Name: "Each part"}}},
			{Key: "side", Name: "Lies", Type: network.Choice, Default: "middle", Choices: []network.Option{{Key: "outside", Name: "Outside"}, {Key: "middle", Name: "On the border"}, {Key: "inside", Name: "Inside"}}},
		},
	},
	Prepare: func(get func(string) any) any {
		shift := map[string]float32{"outside": 1, "inside": -1}[get("side").(string)]
		return line.Silhouette{Round: line.Round(get("round").(string)), Shift: shift}
	},
	Lines: func(data any) line.Rule { return data.(line.Silhouette) },
	Brief: func(a *About) string { return a.Choice("round") + ", width " + a.Input("width") },
	Stays: "Lines are found on the picture.",
	Run:   runInk,
})

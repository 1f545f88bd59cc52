package node

import (
	"fmt"

	"mobanta/core/color"
	"mobanta/core/contour"
	"mobanta/core/line"
	"mobanta/core/network"
)

// penRows are the kinds of line that a pen draws, with how each begins.
var penRows = [contour.Kinds]struct {
	key, name, style, help string
	width                  float64
}{
	contour.Contour:    {"contour", "Contours", "tapered", "Where the surface turns away from the eye.", 1},
	contour.Crease:     {"crease", "Creases", "tapered", "Where it bends by more than the crease angle.", 0.7},
	contour.Border:     {"border", "Borders", "even", "Where a surface ends.", 0.8},
	contour.Seam:       {"seam", "Between parts", "even", "Where one part of a model meets another.", 0.7},
	contour.Crossing:   {"crossing", "Crossings", "even", "Where surfaces cut through each other.", 0.7},
	contour.Suggestive: {"suggestive", "Hints of form", "none", "Where the surface would turn away from an eye a little to the side (suggestive contours).", 0.5},
	contour.Level:      {"level", "Edges of the tone", "even", "Where the tone that is wired passes the levels below.", 0.6},
}

// penStyles are the ways in which a pen is held.
var penStyles = []network.Option{{Key: string(line.None), Name: "Not drawn"}, {Key: string(line.Even), Name: "Even"}, {Key: string(line.Tapered), Name: "Tapered"}, {Key: string(line.Swelling), Name: "Swelling"},
	{Key: string(line.Sketched), Name: "Sketched"}, {Key: string(line.Brush), Name: "Brush"}, {Key: string(line.Chisel), Name: "Chisel"}}

func penSettings() (out []network.Setting) {
	for _, r := range penRows {
		out = append(out,
			network.Setting{Key: r.key, Name: r.name, Type: network.Choice, Default: r.style, Choices: penStyles, Help: r.help},
			network.Setting{Key: r.key + "-width", Name: r.name + ", width", Type: network.Number, Default: r.width, Min: 0, Max: 4, Unit: "×", Joined: true, Help: "Times the width above."})
	}
	return append(out,
		network.Setting{Key: "angle", Name: "Crease angle", Type: network.Number, Default: 35.0, Min: 1, Max: 180, Unit: "°", Help: "The surface must bend by more than this."},
		network.Setting{Key: "at", Name: "Level", Type: network.Number, Default: 0.5, Min: 0, Max: 1, Help: "Of the tone that is wired; of several the first."},
		network.Setting{Key: "levels", Name: "Levels", Type: network.Number, Default: 1.0, Min: 1, Max: 12, Help: "How many there are, evenly from the first up to 1."},
		network.Setting{Key: "taper", Name: "Taper", Type: network.Number, Default: 24.0, Min: 0, Max: 200, Help: "How long thin ends are, in thousandths of the picture's height."},
		network.Setting{Key: "wobble", Name: "Wobble", Type: network.Number, Default: 0.0, Min: 0, Max: 20, Help: "How far strokes stray, in thousandths of the picture's height. They stray with the surface."},
		network.Setting{Key: "waves", Name: "Waves", Type: network.Number, Default: 14.0, Min: 1, Max: 100, Help: "How often they do in the model's diagonal."},
		network.Setting{Key: "overshoot", Name: "Overshoot", Type: network.Number, Default: 0.0, Min: 0, Max: 50, Help: "How far strokes go on past corners, in thousandths of the picture's height."},
		network.Setting{Key: "passes", Name: "Passes", Type: network.Number, Default: 2.0, Min: 1, Max: 6, Help: "How often a sketching hand draws each stroke."},
		network.Setting{Key: "breaks", Name: "Breaks", Type: network.Number, Default: 0.0, Min: 0, Max: 0.5, Help: "How much of the strokes is left out."},
		network.Setting{Key: "slant", Name: "Slant", Type: network.Number, Default: 40.0, Min: -90, Max: 90, Unit: "°", Help: "Of a chisel: strokes along it are thin, strokes across it thick."},
		network.Setting{Key: "seed", Name: "Seed", Type: network.Number, Default: 0.0, Min: 0, Max: 1, Help: "Another number, another hand."})
}

var _ = register(530, &Kind{
	Spec: network.Spec{
		Kind: "pen-lines", Name: "Pen lines", Family: "line",
		Purpose: "Draws contours, creases, borders and crossings as strokes of a pen, found on the form itself.",
		Words:   []string{"ink", "contour", "outline", "silhouette", "crease", "stroke", "brush", "sketch", "nib", "hand", "lineart", "line art", "drawn", "edge", "intersection", "wireframe", "hidden line"},
		Source:  "Contours of the smooth surface (Hertzmann and Zorin 2000), suggestive contours (DeCarlo and others 2003); what is hidden is found by rays. Where two looks meet, the side that faces the eye has the line, the first if both do. Surfaces that hang together do not cross themselves.",
		Inputs: []network.Port{
			{Key: "width", Name: "width", Type: network.Tone, Default: 4.0, Min: 0, Max: 20, Help: "In thousandths of the picture's height."},
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#17181A")},
			{Key: "opacity", Name: "opacity", Type: network.Tone, Default: 1.0, Min: 0, Max: 1},
			{Key: "scale", Name: "width scale", Type: network.Tone, Default: 1.0, Min: 0, Max: 2, Help: "Times the width: wire the facing, the depth, light or any tone."},
			{Key: line.Tone, Name: "tone", Type: network.Tone, Hidden: true, Help: "Where it passes a level there is a line."},
		},
		Outputs:  []network.Port{{Key: "lines", Name: "lines", Type: network.Lines}},
		Settings: penSettings(),
	},
	Prepare: func(get func(string) any) any {
		number := func(key string) float32 { return float32(get(key).(float64)) }
		p := line.Pens{Bends: get("angle").(float64), Taper: number("taper"), Wobble: number("wobble"), Waves: number("waves"), Overshoot: number("overshoot"),
			Passes: int(get("passes").(float64) + 0.5), Breaks: number("breaks"), Slant: get("slant").(float64), Seed: number("seed")}
		for k, r := range penRows {
			p.Rows[k] = line.Row{Style: line.Style(get(r.key).(string)), Width: number(r.key + "-width")}
		}
		p.Levels = levelsFrom(get("at").(float64), get("levels").(float64))
		return p
	},
	Lines: func(data any) line.Rule { return data.(line.Pens) },
	Strip: OnStroke,
	Brief: func(a *About) string {
		n := 0
		for _, r := range penRows {
			if a.Setting(r.key).(string) != string(line.None) {
				n++
			}
		}
		return fmt.Sprintf("width %s, %s of line", a.Input("width"), Counted(n, "kind"))
	},
	Stays: "Lines are found on the form, for the picture.",
	Run:   runInk,
})

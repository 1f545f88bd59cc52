package node

import (
	"context"
	"math"
	"runtime"
	"slices"

	"mobanta/core/form"
	"mobanta/core/network"
	"mobanta/core/pattern"
	"mobanta/core/texture"
)

// alongForm is the choice of Laid by which strokes follow the surface.
const alongForm = "form"

// hatchingSettings are printSettings with one way more to be laid.
func hatchingSettings(own []network.Setting) []network.Setting {
	all := printSettings(own)
	for i := range all {
		if s := &all[i]; s.Key == "laid" {
			s.Choices = append(slices.Clone(s.Choices), network.Option{Key: alongForm, Name: "Along the form"})
			s.Help += " Along the form: strokes run on the surface, at an angle of 0 round it where it bends most; density, angle and turn are then those that are typed, and strokes go on without wobble, breaks and taper."
		}
	}
	return all
}

// formRadius is over how much of the model's diagonal the directions of strokes are smoothed.
const formRadius = 0.06

// layered is the stripes of each model and layer, for strokes along the form.
type layered [][]*form.Stripes

var hatching = &Kind{
	Spec: network.Spec{
		Kind: "hatching", Name: "Hatching", Family: "pattern",
		Purpose: "Draws a tone as strokes in layers: each further one at its angle, where it is darker.",
		Words:   []string{"hatch", "cross-hatching", "strokes", "pen", "ink", "pencil", "lines", "engraving", "etching", "drawn", "sketch"},
		Source:  "Strokes at different angles cross: what stays free of all is the product of what stays free of each, so their widths follow from the share of ink that is asked. What a pixel covers is the exact mean over a tent.",
		Inputs: printInputs(
			network.Port{Key: "density", Name: "density", Type: network.Tone, Default: 90.0, Min: 10, Max: 300, Help: "Strokes side by side in the height of the picture; laid on a surface, in a unit of UV or in the model's diagonal."},
			network.Port{Key: "angle", Name: "angle", Type: network.Tone, Default: 30.0, Min: -90, Max: 90, Help: "Of the first layer, in degrees."},
			network.Port{Key: "turn", Name: "turn", Type: network.Tone, Default: 65.0, Min: 5, Max: 90, Help: "By how much the second layer is turned against it; the third lies half-way between, and so on."},
			network.Port{Key: "next", Name: "next at", Type: network.Tone, Default: 0.45, Min: 0.05, Max: 0.95, Help: "How much of a layer is ink when the next begins."},
			network.Port{Key: "wobble", Name: "wobble", Type: network.Tone, Default: 0.4, Min: 0, Max: 2, Help: "How far strokes bend to and fro, in spacings."},
			network.Port{Key: "breaks", Name: "breaks", Type: network.Tone, Default: 0.15, Min: 0, Max: 0.5, Help: "How much of a stroke is left out; less where it is darker."},
			network.Port{Key: "length", Name: "length", Type: network.Tone, Default: 16.0, Min: 1, Max: 60, Help: "Of a stroke, in spacings."},
			network.Port{Key: "taper", Name: "taper", Type: network.Tone, Default: 0.5, Min: 0, Max: 1, Help: "How much of a stroke runs out thin at its ends."},
			network.Port{Key: "rough", Name: "rough", Type: network.Tone, Default: 0.2, Min: 0, Max: 1, Help: "How uneven its sides are."},
			seedInput()),
		Outputs: append(printOutputs(),
			network.Port{Key: "cell", Name: "stroke", Type: network.Tone, Help: "A chance number from 0 to 1 for each stroke of the first layer, before it bends."},
			network.Port{Key: "distance", Name: "distance", Type: network.Tone, Help: "How far its middle is, in spacings."}),
		Settings: hatchingSettings([]network.Setting{{Key: "layers", Name: "Layers", Type: network.Number, Default: 3.0, Min: 1, Max: pattern.MaxLayers, Help: "How many lie upon each other at most."}}),
	},
	NeedsFor:  printNeeds,
	Elsewhere: printElsewhere,
	Prepare:   preparePrint(func(get func(string) any) any { return int(math.Round(get("layers").(float64))) }),
	Ways:      []Way{Shaded},
	Dear:      true,
	Whole: func(ctx context.Context, w *Whole) (any, error) {
		d := w.Data.(printData)
		if d.laid != alongForm {
			return nil, nil
		}
		typed := func(input int, otherwise float64) float64 {
			if v := w.Typed[input]; len(v) == 1 {
				return float64(v[0])
			}
			return otherwise
		}
		density, angle, turn := max(1, min(2000, typed(printOwn, 90))), typed(printOwn+1, 30), typed(printOwn+2, 65)
		found := make(layered, len(w.Scene.Models))
		for i, used := range worn(w) {
			m := &w.Scene.Models[i]
			diagonal := float64(m.Surface.Box.Diagonal())
			if !used || !(diagonal > 0) {
				continue
			}
			flow := form.FlowOf(m.Shape, formRadius*diagonal, runtime.GOMAXPROCS(0))
			for l := range d.pattern.(int) {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				found[i] = append(found[i], form.StripesOf(m.Shape, flow, angle+turn*pattern.Turns[l], density/diagonal, runtime.GOMAXPROCS(0)))
			}
		}
		return found, nil
	},
	Beside: "tone",
	Brief: func(a *About) string {
		return Counted(int(a.Setting("layers").(float64)), "layer") + ", " + a.Input("density")
	},
	Strip:    OnPage,
	Concerns: Concerns{Printed: "density"},
	Run: func(c *Call) {
		var own [8]Plane
		for k := range own {
			own[k] = c.In[printOwn+2+k][0]
		}
		turn, next, wobble, breaks, length, taper, rough, seeds := own[0], own[1], own[2], own[3], own[4], own[5], own[6], own[7]
		h := pattern.Hatch{Layers: c.Data.(printData).pattern.(int)}
		var cos, sin [pattern.MaxLayers]float32
		turned, seeded := float32(math.NaN()), float32(math.NaN())
		cell, distance := c.Out[2], c.Out[3]
		var also spots
		if cell != nil || distance != nil {
			also = func(x, y Plane) {
				for i, x := range x {
					if cell != nil {
						cell[0][i] = printChance(x+0.5, 0)
					}
					if distance != nil {
						distance[0][i] = float32(math.Abs(float64(x) - math.Round(float64(x))))
					}
				}
			}
		}
		var shared *pattern.Shared
		var share [pattern.MaxLayers]float32
		stripes, flows := c.Found.(layered)
		flows = flows && c.In[printPlace] == nil
		c.print(printOwn, printOwn+1, func(x, y, foot, asked, ink Plane, _ int) {
			for i, a := range asked {
				if !(a > 0) {
					ink[i] = 0
					continue
				}
				if a >= 1 {
					ink[i] = 1
					continue
				}
				if turn[i] != turned {
					turned = turn[i]
					for l := range h.Layers {
						s, k := math.Sincos(float64(turned) * pattern.Turns[l] * math.Pi / 180)
						cos[l], sin[l] = float32(k), float32(s)
					}
				}
				if seeds[i] != seeded {
					seeded = seeds[i]
					h.Seed = texture.SeedOf(seeded)
				}
				h.Full, h.Wobble, h.Breaks = max(0.02, min(0.98, next[i])), max(0, min(4, wobble[i])), max(0, min(0.5, breaks[i]))
				h.Length, h.Taper, h.Rough = length[i], max(0, min(1, taper[i])), max(0, min(1, rough[i]))
				switch {
				case c.Const[printOwn+3]:
					if shared == nil {
						shared = memo(c, h.Shared)
					}
					if !shared.Of(&h) {
						shared = h.Shared()
					}
					shared.At(a, &share)
				default:
					share = h.Shares(a)
				}
				free := float32(1)
				if flows {
					of, at, w := c.stripesAt(i, stripes)
					for l, s := range of {
						if share[l] > 0 {
							t := &s.At[at]
							free *= 1 - pattern.Even(t[0]*w[0]+t[1]*w[1]+t[2]*w[2], share[l], foot[i])
						}
					}
					ink[i] = 1 - free
					continue
				}
				for l := range h.Layers {
					if s := share[l]; s > 0 {
						free *= 1 - h.Stroke(x[i]*cos[l]+y[i]*sin[l], y[i]*cos[l]-x[i]*sin[l], s, foot[i], l)
					}
				}
				ink[i] = 1 - free
			}
		}, also)
	},
}

// stripesAt returns the stripes of the batch's point i by layer, its triangle in them, and its place
// in that.
func (c *Call) stripesAt(i int, of layered) (stripes []*form.Stripes, triangle int, weights [3]float32) {
	k, p := c.Lo+i, c.Points
	model := c.Scene.Parts[p.PartOf[k]].Model
	a, b := p.Weights[0][k], p.Weights[1][k]
	return of[model], int(p.Tri[k]) - c.Scene.Models[model].FirstTri, [3]float32{1 - a - b, a, b}
}

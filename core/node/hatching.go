package node

import (
	"context"
	"math"
	"slices"

	"mobanta/core/diffgeom"
	"mobanta/core/lanes"
	"mobanta/core/network"
	"mobanta/core/parallel"
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
			s.Help += " Along the form: strokes run on the surface, at an angle of 0 round it where it bends most; density, angle and turn are then those that are typed."
		}
	}
	return all
}

// formRadius is over how much of the model's diagonal the directions of strokes are smoothed.
const formRadius = 0.06

// layered is the stripes of each model and layer, for strokes along the form.
type layered [][]*diffgeom.Stripes

var _ = register(480, &Kind{
	Spec: network.Spec{
		Kind: "hatching", Name: "Hatching", Family: "pattern",
		Purpose: "Draws a tone as strokes in layers: each further one at its angle, where it is darker.",
		Words:   []string{"hatch", "cross-hatching", "strokes", "pen", "ink", "pencil", "drawn lines", "engraving", "etching", "drawn", "sketch"},
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
	Eyed:      printedOnPage,
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
			flow := diffgeom.FlowOf(m.Shape, formRadius*diagonal, diagonal/density, parallel.Cores())
			for l := range d.pattern.(int) {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				found[i] = append(found[i], diffgeom.StripesOf(m.Shape, flow, angle+turn*pattern.Turns[l], density/diagonal, parallel.Cores()))
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
	Stays:    "Its ink is calibrated by tables that a shader has no room for.",
	Run: func(c *Call) {
		var own [8]Plane
		for k := range own {
			own[k] = c.In[printOwn+2+k][0]
		}
		turn, next := own[0], own[1]
		layers := c.Data.(printData).pattern.(int)
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
		hatch := func(i int) pattern.Hatch { return pattern.Hatch{Layers: layers, Full: max(0.02, min(0.98, next[i]))} }
		kept := memo(c, func() *hatched { return &hatched{share: make(Plane, layers*c.N)} })
		n := c.N
		if len(kept.share) < layers*n {
			kept.share = make(Plane, layers*n)
		}
		share := func(l int) Plane { return kept.share[l*n : (l+1)*n] }
		shares := func(asked Plane) {
			if c.Const[printOwn+3] {
				h := hatch(0)
				if !kept.shared.Of(&h) {
					kept.shared = h.Shared()
				}
				kept.shared.Fill(asked, kept.share)
				return
			}
			for i, a := range asked {
				h := hatch(i)
				of := h.Shares(a)
				for l := range layers {
					kept.share[l*n+i] = of[l]
				}
			}
		}
		strokes := &kept.strokes
		strokes.Wobble, strokes.Breaks, strokes.Length, strokes.Taper, strokes.Rough, strokes.Seed = own[2], own[3], own[4], own[5], own[6], own[7]
		stripes, flows := c.Found.(layered)
		flows = flows && c.In[printPlace] == nil
		c.print(printOwn, printOwn+1, func(x, y, foot, asked, ink Plane, _ int) {
			shares(asked)
			free := ink
			for i := range free {
				free[i] = 1
			}
			strokes.X, strokes.Y, strokes.Foot = x, y, foot
			for l := range layers {
				switch {
				case flows:
					for i := range free {
						if asked := share(l)[i]; asked > 0 {
							run, bend := pattern.Run{Foot: foot[i]}, float32(0)
							held := pattern.Held{Breaks: own[3][i], Length: own[4][i], Taper: own[5][i], Rough: own[6][i]}
							if own[2][i] > 0 || own[6][i] > 0 {
								bend, held.Uneven = c.freehand(i, own[7][i], l, foot[i])
								bend *= max(0, min(4, own[2][i]))
							}
							of, at, w := c.stripesAt(i, stripes)
							line := of[l].Line(at, w, bend)
							run.Across, run.Along, run.Long, run.Ring, run.Sure = line.Across, line.Along, line.Long, line.Ring, line.Sure
							run.Key = texture.SeedAt(texture.SeedOf(own[7][i]), l).Key() ^ uint32(line.Number)*0x9e3779b9
							free[i] *= 1 - run.Ink(asked, &held)
						}
					}
				case c.Const[printOwn+2]:
					sin, cos := math.Sincos(float64(turn[0]) * pattern.Turns[l] * math.Pi / 180)
					strokes.Draw(l, float32(cos), float32(sin), share(l), free)
				default:
					strokes.X, strokes.Y = make(Plane, len(x)), make(Plane, len(x))
					for i := range x {
						b, a := math.Sincos(float64(turn[i]) * pattern.Turns[l] * math.Pi / 180)
						cos, sin := float32(a), float32(b)
						strokes.X[i], strokes.Y[i] = x[i]*cos+y[i]*sin, y[i]*cos-x[i]*sin
					}
					strokes.Draw(l, 1, 0, share(l), free)
				}
			}
			lanes.Affine(ink, free, free, -1, 0, 1)
		}, also)
	},
})

// hatched is what the kernel keeps from batch to batch.
type hatched struct {
	shared  *pattern.Shared
	share   Plane // of each layer in turn
	strokes pattern.Strokes
}

// freehand returns by how much a stroke along the form bends at the batch's point i and how much
// thicker it is there, both from about -1 to 1 and 0 on average: both lie on the surface. foot is
// what a pixel covers of a spacing.
func (c *Call) freehand(i int, seed float32, layer int, foot float32) (bend, more float32) {
	x, y, z := c.object(i)
	fine := c.In[printOwn][0][i] // spacings in the model's diagonal
	x, y, z = x*fine, y*fine, z*fine
	s := texture.SeedAt(texture.SeedOf(seed), layer)
	return 2 * texture.Noise(0.16*x, 0.16*y, 0.16*z, s), 2 * texture.Noise(0.9*x, 0.9*y, 0.9*z, s.Next()) * texture.Seen(foot)
}

// stripesAt returns the stripes of the batch's point i by layer, its triangle in them, and its place
// in that.
func (c *Call) stripesAt(i int, of layered) (stripes []*diffgeom.Stripes, triangle int, weights [3]float32) {
	k, p := c.Lo+i, c.Points
	model := c.Scene.Parts[p.PartOf[k]].Model
	a, b := p.Weights[0][k], p.Weights[1][k]
	return of[model], int(p.Tri[k]) - c.Scene.Models[model].FirstTri, [3]float32{1 - a - b, a, b}
}

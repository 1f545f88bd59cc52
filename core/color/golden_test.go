package color_test

import (
	"fmt"
	"testing"

	"mobanta/core/color"
	"mobanta/core/golden"
)

// What modes, spaces and ramps make of a spread of colours and tones.
func TestColoursAreWhatTheyWere(t *testing.T) {
	var lines []string
	put := func(format string, a ...any) { lines = append(lines, fmt.Sprintf(format, a...)) }
	cs := []color.C{{0, 0, 0}, {1, 1, 1}, {0.5, 0.5, 0.5}, {0.8, 0.3, 0.1}, {0.1, 0.7, 0.35}, {0.2, 0.15, 0.9}, {1.6, 0.4, 0}, {0.3, 0.3, 0.9}, {0.6, 0.9, 0.9}, {-0.1, 0.2, 0.3}}
	for i := range color.Modes {
		m := &color.Modes[i]
		for k, b := range cs {
			s := cs[(k*7+3)%len(cs)]
			put("%s of %v over %v: %.4f; the other way %.4f", m.Key, s, b, m.Apply(b, s), m.Apply(s, b))
		}
	}
	for _, c := range cs {
		put("%v: hsv %.4f, oklch %.4f, oklab %.4f, encoded %.4f, %s, luminance %.4f", c, c.HSV(), c.OKLCH(), c.Oklab(), c.Encoded(), c.Hex(), c.Luminance())
		v := [3]float32{c[0], c[1], c[2]}
		put("  from hsv %.4f, oklch %.4f, oklab %.4f, encoded %.4f, byte %d, word %d", color.FromHSV(v), color.FromOKLCH(v), color.FromOklab(v), color.FromEncoded(v), color.Byte(c[0]), color.Word(c[1]))
	}
	a, b, c, d := cs[3], cs[4], cs[5], cs[8]
	ramps := [][]color.Stop{
		{{Color: a}},
		{{Color: a}, {At: 0.3, Color: b}, {At: 0.7, Color: c}},
		{{At: 0.1, Color: a}, {At: 0.3, Color: b, Edge: color.Soft, Softness: 0.2}, {At: 0.35, Color: c, Edge: color.Soft, Softness: 0.3}, {At: 0.9, Color: d, Edge: color.Linear}},
		{{At: 0.2, Color: a}, {At: 0.5, Color: b, Edge: color.Smooth}, {At: 0.5, Color: c}, {At: 0.501, Color: d, Edge: color.Ease}, {At: 1, Color: a, Edge: color.Linear}},
		{{At: 0, Color: a, Edge: color.Linear}, {At: 1, Color: b, Edge: color.Ease, Name: "lit"}},
	}
	bins := make([]float64, 64)
	for i := range bins {
		bins[i] = float64((i*37)%11) * float64(i%5)
	}
	for i, stops := range ramps {
		for _, mixing := range []color.Mixing{color.MixLinear, color.MixSRGB, color.MixOklab} {
			r := color.NewRamp(stops, mixing)
			line := fmt.Sprintf("ramp %d %s: edges %.4f, narrowest %.4f,", i, mixing, r.Edges(), r.Narrowest())
			for k := range 23 {
				line += fmt.Sprintf(" %.4f", r.At(float32(k)/20-0.05))
			}
			other := color.NewRamp(ramps[(i+1)%len(ramps)], mixing)
			lines = append(lines, line, fmt.Sprintf("  blended %.4f %.4f %.4f", r.Blend(other, 0.32, 0.3), r.Blend(other, 0.8, 1), r.Blend(other, 0.5, 0)))
		}
		fit, ok := color.Fit(stops, bins)
		put("ramp %d: spread %.4v\n  flipped %.4v\n  tighter %.4v %.4v\n  fitted %v %.4v", i, color.Spread(stops), color.Flip(stops), color.Tighten(stops, 0.6), color.Tighten(stops, 1.7), ok, fit)
		for k := range stops {
			lo, hi := color.Room(stops, k)
			put("  band %d has room from %.4f to %.4f; of tone %v is band %d", k, lo, hi, stops[k].At, color.BandOf(stops, stops[k].At))
		}
	}
	for _, dark := range [][]float64{make([]float64, 8), {0, 5}, {1, 1, 1, 1}, {9, 0, 0, 0, 0, 0, 0, 9}} {
		fit, ok := color.Fit(ramps[2], dark)
		put("fitted to %v: %v %.4v", dark, ok, fit)
	}
	strip := color.Strip{{a, b, c}, {d, a, cs[1]}}
	for k := range 12 {
		u, v := float32(k)/10-0.05, float32(k*5%12)/10-0.05
		put("strip at %.2f %.2f: %.4f, smooth %.4f", u, v, strip.At(u, v, false), strip.At(u, v, true))
	}
	for _, size := range [][2]int{{0, 0}, {1, 0}, {1, 1}, {64, 256}, {65, 1}, {1, 257}, {65, 257}} {
		big := make(color.Strip, size[0])
		for k := range big {
			big[k] = make([]color.C, size[1])
		}
		put("strip of %v: %v", size, big.Check())
	}
	put("uneven strip: %v", color.Strip{{a}, {a, b}}.Check())
	flat, few := []float64{10, 10, 10, 10}, make([]color.Stop, 9) // several edges within one bin
	for k := range few {
		few[k] = color.Stop{At: float32(k) / 9}
	}
	fitted, _ := color.Fit(few, flat)
	fitted2, _ := color.Fit(few, []float64{0, 30, 1, 8, 2})
	put("nine bands over four bins: %.4v, over five: %.4v", fitted, fitted2)
	for _, hex := range []string{"#fff", "#D4843F", "D4843F", "#12", "#GG0000", "", "#11223344", " #fff"} {
		c, err := color.ParseHex(hex)
		put("%q: %.4f %v", hex, c, err)
	}
	for _, v := range []any{"#102030", []any{1.0, 0.5, 0.25}, []any{1.0, 0.5}, 0.5, nil, []any{"a", 1.0, 2.0}, true, [3]float32{1, 2, 3}, color.C{1, 0, 0}} {
		c, err := color.FromAny(v)
		put("%v: %.4f %v", v, c, err)
	}
	golden.Text(t, "colours", lines)
}

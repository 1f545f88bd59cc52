package page

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
)

// rampView is a ramp of the chosen node as the bench shows it.
type rampView struct {
	*Desk
	Key, Name string
	Main      bool // the node's only ramp
	Bands     []band
	Strip     template.CSS
	Reads     bool // whether it reads a tone whose spread can be shown
	Set       *project.BandSet
}

// Ramp returns the view of a setting that holds stops.
func (d *Desk) Ramp(s *network.Setting) rampView {
	mixing := color.MixLinear
	if m := d.Spec.Setting("mixing"); m != nil {
		mixing = color.Mixing(d.Node.Value(m).(string))
	}
	stops := d.Node.Value(s).([]color.Stop)
	return rampView{Desk: d, Key: s.Key, Name: s.Name, Main: s.Key == "stops", Bands: bands(stops), Strip: strip(stops, mixing),
		Reads: node.CutInput(d.Node) != "", Set: d.Project.BandSet(d.Node.Bands[s.Key])}
}

// Of returns the fields of an edit on the ramp, as JSON.
func (r rampView) Of(op string, pairs ...any) (string, error) {
	return r.Vals(op, append([]any{"node", r.Node.ID, "key", r.Key}, pairs...)...)
}

// ID returns the id of an element of the ramp: that of its only ramp is plain.
func (r rampView) ID(what string) string {
	if r.Main {
		return what
	}
	return what + "-" + r.Key
}

// band is a band of a ramp on the strip.
type band struct {
	Index       int
	Stop        color.Stop
	Hex         string
	From, Width float64 // percent
	Low, High   float32 // between which tones its edge may be moved
	CSS         template.CSS
}

// bands returns the bands of a ramp, left to right; the strip is drawn with the
// ramp itself in small steps, so that soft edges show as they are.
func bands(stops []color.Stop) []band {
	out := make([]band, len(stops))
	for i, s := range stops {
		end := float32(1)
		if i+1 < len(stops) {
			end = stops[i+1].At
		}
		at := s.At
		if i == 0 {
			at = 0
		}
		out[i] = band{Index: i, Stop: s, Hex: s.Color.Hex(), From: 100 * float64(at), Width: 100 * float64(end-at)}
		out[i].Low, out[i].High = color.Room(stops, i)
	}
	return out
}

// strip returns the ramp as a CSS gradient.
func strip(stops []color.Stop, mixing color.Mixing) template.CSS {
	r := color.NewRamp(stops, mixing)
	var parts []string
	put := func(t float64) { parts = append(parts, fmt.Sprintf("%s %.3f%%", r.At(float32(t)).Hex(), 100*t)) }
	put(0)
	for i, s := range stops {
		at := float64(s.At)
		switch s.Edge {
		case color.Linear, color.Smooth, color.Ease, color.Soft:
			from, to := at, at
			if s.Edge == color.Soft {
				from, to = at-float64(s.Softness)/2, at+float64(s.Softness)/2
			} else if i > 0 {
				from = float64(stops[i-1].At)
			}
			for k := range 17 {
				if t := from + (to-from)*float64(k)/16; t >= 0 && t <= 1 {
					put(t)
				}
			}
		default:
			if at > 0 {
				parts = append(parts, fmt.Sprintf("%s %.3f%%", r.At(math.Nextafter32(s.At, 0)).Hex(), 100*at))
			}
			put(at)
		}
	}
	put(1)
	// Built from hex colours and numbers alone.
	return template.CSS("linear-gradient(to right," + strings.Join(parts, ",") + ")")
}

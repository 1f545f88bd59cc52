package color

import (
	"fmt"
	"slices"
	"sort"
)

// Edge tells how a ramp passes from one stop to the next.
type Edge string

// The kinds of band edge. An edge belongs to the stop at its right-hand side.
const (
	Step   Edge = "step"   // a jump at the stop
	Soft   Edge = "soft"   // a smoothstep of the stop's softness, centred on the stop
	Linear Edge = "linear" // a straight blend all the way from the stop before
	Smooth Edge = "smooth" // a smoothstep all the way from the stop before
	Ease   Edge = "ease"   // a slow start and a fast end, quadratic
)

// Edges lists the kinds of edge in the order in which they are offered.
var Edges = []Edge{Step, Soft, Linear, Smooth, Ease}

// Mixing names the space in which the colours of two bands are blended.
type Mixing string

// The spaces to blend in.
const (
	MixLinear Mixing = "linear"
	MixSRGB   Mixing = "srgb"
	MixOklab  Mixing = "oklab"
)

// Stop is a mark on a ramp and the band that begins there.
type Stop struct {
	At       float32 `json:"at"`                 // tone, 0..1
	Color    C       `json:"color"`              // the band's colour
	Edge     Edge    `json:"edge,omitempty"`     // how the ramp comes here from the stop before; empty is Step
	Softness float32 `json:"softness,omitempty"` // width of a Soft edge in tone, 0..1
	Name     string  `json:"name,omitempty"`     // the band's name, "core", "shade"…
	Swatch   string  `json:"swatch,omitempty"`   // id of the project's swatch that the colour follows
}

// MaxStops limits what one ramp may hold; beyond it no eye tells bands apart.
const MaxStops = 64

// CheckStops returns why stops cannot be a ramp, or nil.
func CheckStops(stops []Stop) error {
	if len(stops) == 0 {
		return fmt.Errorf("color: a ramp needs at least one stop")
	}
	if len(stops) > MaxStops {
		return fmt.Errorf("color: a ramp holds at most %d stops, not %d", MaxStops, len(stops))
	}
	for i, s := range stops {
		if !(s.At >= 0 && s.At <= 1) {
			return fmt.Errorf("color: stop %d lies at %v, outside 0 to 1", i+1, s.At)
		}
		if !(s.Softness >= 0 && s.Softness <= 1) {
			return fmt.Errorf("color: stop %d has softness %v, outside 0 to 1", i+1, s.Softness)
		}
		if s.Edge != "" && !slices.Contains(Edges, s.Edge) {
			return fmt.Errorf("color: stop %d has an unknown edge %.20q", i+1, s.Edge)
		}
		if len(s.Swatch) > 64 {
			return fmt.Errorf("color: stop %d follows a swatch that cannot be", i+1)
		}
	}
	return nil
}

// BandOf returns the number of the band that a tone falls into, from 0: that of the
// last stop at or before it. The stops are in order of tone.
func BandOf(stops []Stop, tone float32) int {
	k := 0
	for k+1 < len(stops) && tone >= stops[k+1].At {
		k++
	}
	return k
}

// SortStops puts stops in order of tone; equal ones keep their order.
func SortStops(stops []Stop) {
	sort.SliceStable(stops, func(i, j int) bool { return stops[i].At < stops[j].At })
}

// Ramp is a function from tone to colour, made ready by NewRamp.
//
// It starts with the colour of the first stop; each further stop i then mixes
// its colour in by a weight w_i(tone) that is 0 before the stop's edge and 1
// behind it. Hard steps are exact: at or above the stop's tone the colour is
// the stop's own, to the bit.
type Ramp struct {
	edges  []rampEdge
	colors []C // linear, for exact bands
	mixing Mixing
}

type rampEdge struct {
	kind     Edge
	from, to float32
	inv      float32
	space    [3]float32 // the stop's colour in the mixing space
}

// NewRamp returns the ramp through stops, in any order; none is a ramp that is
// black throughout.
func NewRamp(stops []Stop, mixing Mixing) *Ramp {
	s := slices.Clone(stops)
	SortStops(s)
	r := &Ramp{mixing: mixing}
	if len(s) == 0 {
		s = []Stop{{}}
	}
	for i, stop := range s {
		e := rampEdge{kind: stop.Edge, from: stop.At, to: stop.At, space: r.toSpace(stop.Color)}
		switch stop.Edge {
		case Soft:
			e.from, e.to = stop.At-stop.Softness/2, stop.At+stop.Softness/2
		case Linear, Smooth, Ease:
			if i > 0 {
				e.from = s[i-1].At
			}
		}
		if e.to-e.from < 1e-6 {
			e.kind, e.from, e.to = Step, stop.At, stop.At
		} else {
			e.inv = 1 / (e.to - e.from)
		}
		r.edges = append(r.edges, e)
		r.colors = append(r.colors, stop.Color)
	}
	return r
}

func (r *Ramp) toSpace(c C) [3]float32 {
	switch r.mixing {
	case MixSRGB:
		return c.Encoded()
	case MixOklab:
		return c.Oklab()
	}
	return c
}

func (r *Ramp) fromSpace(v [3]float32) C {
	switch r.mixing {
	case MixSRGB:
		return FromEncoded(v)
	case MixOklab:
		return FromOklab(v)
	}
	return v
}

// LeastBand is how narrow a band may be made by moving its edges.
const LeastBand = 0.002

// Room returns between which tones the edge of stop i may be moved: those of its
// neighbours, less the least band.
func Room(stops []Stop, i int) (lo, hi float32) {
	lo, hi = 0, 1
	if i > 0 {
		lo = stops[i-1].At + LeastBand
	}
	if i+1 < len(stops) {
		hi = stops[i+1].At - LeastBand
	}
	return lo, max(lo, hi)
}

// Edges returns the tones at which the ramp begins or ends to change, in no order.
func (r *Ramp) Edges() []float32 {
	var out []float32
	for _, e := range r.edges[1:] {
		out = append(out, e.from, e.to)
	}
	return out
}

// Bands returns the colours of the bands and the tones from which they hold, as if all edges were
// hard.
func (r *Ramp) Bands() (colors []C, at []float32) {
	at = make([]float32, len(r.edges))
	for i, e := range r.edges {
		at[i] = (e.from + e.to) / 2
		if e.kind == Linear || e.kind == Smooth || e.kind == Ease {
			at[i] = e.to
		}
	}
	return r.colors, at
}

// Narrowest returns how narrow the narrowest band between two others is; 2 for ramps
// without one.
func (r *Ramp) Narrowest() float32 {
	least := float32(2)
	for i := 1; i+1 < len(r.edges); i++ {
		least = min(least, r.edges[i+1].to-r.edges[i].to)
	}
	return least
}

// At returns the colour at the given tone; tones outside 0..1 take the end's.
func (r *Ramp) At(tone float32) C {
	// The bands that are wholly behind the tone cannot be seen through a later
	// full one: start from the last of them.
	base := 0
	for i := len(r.edges) - 1; i > 0; i-- {
		if tone >= r.edges[i].to {
			base = i
			break
		}
	}
	out, mixed := r.colors[base], false
	var acc [3]float32
	for i := base + 1; i < len(r.edges); i++ {
		e := &r.edges[i]
		if e.kind == Step || tone <= e.from {
			continue
		}
		if !mixed {
			acc, mixed = r.edges[base].space, true
		}
		w := (tone - e.from) * e.inv
		switch e.kind {
		case Soft, Smooth:
			w = w * w * (3 - 2*w)
		case Ease:
			w *= w
		}
		for k := range acc {
			acc[k] += (e.space[k] - acc[k]) * w
		}
	}
	if mixed {
		out = r.fromSpace(acc)
	}
	return out
}

// Blend returns the colour between that of r and that of o at a tone, by weight t,
// in r's mixing space.
func (r *Ramp) Blend(o *Ramp, tone, t float32) C {
	a, b := r.toSpace(r.At(tone)), r.toSpace(o.At(tone))
	for k := range a {
		a[k] += (b[k] - a[k]) * t
	}
	return r.fromSpace(a)
}

// Map writes the colours of the tones into the planes x, y, z, all of len(tone).
func (r *Ramp) Map(tone, x, y, z []float32) {
	x, y, z = x[:len(tone)], y[:len(tone)], z[:len(tone)]
	if r.stepped() {
		n := len(r.edges)
		for i, t := range tone {
			k := n - 1
			for k > 0 && !(t >= r.edges[k].from) {
				k--
			}
			c := &r.colors[k]
			x[i], y[i], z[i] = c[0], c[1], c[2]
		}
		return
	}
	for i, t := range tone {
		c := r.At(t)
		x[i], y[i], z[i] = c[0], c[1], c[2]
	}
}

func (r *Ramp) stepped() bool {
	for _, e := range r.edges[1:] {
		if e.kind != Step && e.kind != "" {
			return false
		}
	}
	return true
}

// Spread returns stops moved to equal distances: n bands of equal width, the
// first at 0. Colours, edges and names stay.
func Spread(stops []Stop) []Stop {
	out := slices.Clone(stops)
	SortStops(out)
	for i := range out {
		out[i].At = float32(i) / float32(len(out))
	}
	return out
}

// Tighten returns stops whose edges have moved towards their middle: to the given
// part of their distance, apart for more than 1, within 0 to 1.
func Tighten(stops []Stop, part float64) []Stop {
	out := slices.Clone(stops)
	SortStops(out)
	if len(out) < 2 {
		return out
	}
	mean := 0.0
	for _, s := range out[1:] {
		mean += float64(s.At) / float64(len(out)-1)
	}
	for i := 1; i < len(out); i++ {
		out[i].At = float32(max(0, min(1, mean+(float64(out[i].At)-mean)*part)))
	}
	return out
}

// Fit returns stops spread over the tones that a histogram over 0..1 counts, so
// that each band takes an equal share of them. Tones that crowd at one place get a
// band of their own, and the others share the rest. ok is false if there are no
// tones.
func Fit(stops []Stop, bins []float64) (out []Stop, ok bool) {
	out = slices.Clone(stops)
	SortStops(out)
	total := 0.0
	for _, b := range bins {
		total += b
	}
	if !(total > 0) || len(bins) == 0 {
		return out, false
	}
	least := 0.5 / float64(len(bins))
	left, at, last := total, 0, 0.0 // not given to a band yet; the next bin; the edge before
	part := 0.0                     // of that bin, given away already
	for i := 1; i < len(out); i++ {
		want := left / float64(len(out)-i+1)
		got := 0.0
		for at < len(bins)-1 && got+bins[at]*(1-part) < want {
			got += bins[at] * (1 - part)
			at, part = at+1, 0
		}
		if b := bins[at] * (1 - part); b > 0 {
			// A heap of tones in one bin is not cut: where it is larger than a band's
			// share, the edge lies behind it.
			if bins[at] >= want && got == 0 {
				got, at, part = b, min(at+1, len(bins)-1), 0
			} else {
				f := (want - got) / b
				part += f * (1 - part)
				got = want
			}
		}
		left = max(0, left-got)
		room := 1 - least*float64(len(out)-i) // for the edges that follow
		last = min(room, max(last+least, (float64(at)+part)/float64(len(bins))))
		out[i].At = float32(last)
	}
	out[0].At = 0
	return out, true
}

// Flip returns the ramp from end to end reversed: band edges mirror about ½
// and the colours change places.
func Flip(stops []Stop) []Stop {
	in := slices.Clone(stops)
	SortStops(in)
	n := len(in)
	out := make([]Stop, n)
	for i := range in {
		src := in[n-1-i]
		out[i] = Stop{Color: src.Color, Name: src.Name, Swatch: src.Swatch, At: in[0].At}
		if i > 0 {
			e := in[n-i] // the edge that led to the colour now at the left
			out[i].At, out[i].Edge, out[i].Softness = 1-e.At, e.Edge, e.Softness
		}
	}
	return out
}

package pattern

import (
	"math"

	"mobanta/core/lanes"
	"mobanta/core/texture"
)

// Hatch is strokes in layers, each further one at another angle and where it is darker. Darker
// places keep the strokes of lighter ones, thicker.
type Hatch struct {
	Layers int     // 1 to MaxLayers
	Full   float32 // how much of a layer is ink when the next begins, above 0 and below 1
}

// MaxLayers is how many layers there may be.
const MaxLayers = 6

// Turns are by how much the layers are turned against the first, in what one is turned against
// the next: the second by the whole, the third by half, so that no three run as one.
var Turns = [MaxLayers]float64{0, 1, 0.5, 1.5, 0.25, 1.25}

// Shares returns how much of each layer is ink where the share of ink that is asked is a: strokes
// at different angles cross, so that what stays free of all is the product of what stays free of each.
func (h *Hatch) Shares(a float32) (share [MaxLayers]float32) {
	if !(a > 0) {
		return share
	}
	if a >= 1 {
		for i := range h.Layers {
			share[i] = 1
		}
		return share
	}
	free, full := -math.Log1p(-float64(a)), -math.Log1p(-float64(h.Full))
	if each := free / float64(h.Layers); each >= full { // all are full: all go on together
		for i := range h.Layers {
			share[i] = float32(-math.Expm1(-each))
		}
		return share
	}
	for i := 0; i < h.Layers && free > 0; i++ {
		share[i] = float32(-math.Expm1(-min(free, full)))
		free -= full
	}
	return share
}

// Shared is Shares for all shares of ink at once, for a layer count and fullness.
type Shared struct {
	of Hatch
	at [MaxLayers][sharedSteps + 2]float32
}

// sharedSteps are the steps in the root of what stays free: layers change fastest where little does.
const sharedSteps = 512

// Shared readies Shares.
func (h *Hatch) Shared() *Shared {
	s := &Shared{of: *h}
	for i := range sharedSteps + 2 {
		q := min(1, float32(i)/sharedSteps)
		for l, share := range h.Shares(1 - q*q) {
			s.at[l][i] = share
		}
	}
	return s
}

// Of tells whether it is that of a hatching.
func (s *Shared) Of(h *Hatch) bool { return s != nil && s.of == *h }

// Fill says of each share of ink that is asked what Shares says of each layer, as nearly as can be
// seen: layer by layer, each as long as what is asked.
func (s *Shared) Fill(asked, share []float32) {
	n, all := 0, len(asked)
	if lanes.Wide && all >= 8 {
		n = all &^ 7
		share := share[:all*s.of.Layers]
		sharesAVX2(&share[0], &asked[0], &s.at[0][0], n, all, s.of.Layers)
	}
	for i := n; i < all; i++ {
		q := sqrt(1-lanes.Part(asked[i])) * sharedSteps
		k := int(q)
		for l := range s.of.Layers {
			share[l*all+i] = towards(s.at[l][k], s.at[l][k+1], q-float32(k))
		}
	}
}

// Strokes are places on strokes, and how these are drawn there; all are rows of one length.
type Strokes struct {
	X, Y, Foot []float32 // in spacings of strokes, and how much a pixel covers of one
	Wobble     []float32 // how far strokes bend to and fro, in spacings, to 4
	Breaks     []float32 // how much of a stroke is left out, to ½
	Length     []float32 // of a stroke, in spacings, from ½ on
	Taper      []float32 // how much of a stroke runs out thin at its ends, to 1
	Rough      []float32 // how uneven its sides are, to 1
	Seed       []float32 // what tells strokes from others

	keys []uint32 // of seeds, for a layer
}

// strokes are those of a layer as eight_amd64.s has them.
type strokes struct {
	x, y, foot, share, wobble, breaks, length, taper, rough *float32
	keys                                                    *uint32
	free                                                    *float32
	cos, sin                                                float32
	parts                                                   int32
}

// The parts of what is done for a stroke.
const (
	wobbled = 1 << iota
	roughened
	ended
)

// Draw leaves of what is free at each place what a layer of strokes leaves of it, which are turned
// by an angle of which that are the cosine and the sine; share is how much of it is to be ink.
func (s *Strokes) Draw(layer int, cos, sin float32, share, free []float32) {
	parts := int32(0)
	if some(s.Wobble) {
		parts |= wobbled
	}
	if some(s.Rough) {
		parts |= roughened
	}
	if some(s.Breaks) || some(s.Taper) {
		parts |= ended
	}
	if len(s.keys) < len(share) {
		s.keys = make([]uint32, len(share))
	}
	keys, seeds := s.keys[:len(share)], s.Seed[:len(share)]
	last, key := float32(math.NaN()), uint32(0)
	for i, v := range seeds {
		if v != last {
			last, key = v, texture.SeedAt(texture.SeedOf(v), layer).Key()
		}
		keys[i] = key
	}
	n := 0
	if lanes.Wide && len(share) >= 8 {
		n = len(share) &^ 7
		row := func(of []float32) *float32 { return &of[:len(share)][0] }
		strokesAVX2(&strokes{row(s.X), row(s.Y), row(s.Foot), row(share), row(s.Wobble), row(s.Breaks), row(s.Length), row(s.Taper), row(s.Rough),
			&s.keys[0], row(free), cos, sin, parts}, n)
	}
	for i := n; i < len(share); i++ {
		if share[i] > 0 {
			free[i] *= 1 - s.ink(i, cos, sin, share[i], parts)
		}
	}
}

// some tells whether any number is more than 0.
func some(of []float32) bool {
	for _, v := range of {
		if v > 0 {
			return true
		}
	}
	return false
}

// ink returns how much ink a layer has in what a pixel covers at a place, where c of it is to be,
// more than none.
func (s *Strokes) ink(i int, cos, sin, c float32, parts int32) float32 {
	if c >= 1 {
		return 1
	}
	foot, key := s.Foot[i], s.keys[i]
	across, along := float32(s.X[i]*cos)+float32(s.Y[i]*sin), float32(s.Y[i]*cos)-float32(s.X[i]*sin)
	if parts&wobbled != 0 {
		// Bending strokes aside moves ink and makes none.
		across += float32(bounded(s.Wobble[i], 4) * sway(0.11*along, 0.21*across, key))
	}
	line := float32(round(across))
	across -= line
	// The fuller a layer the less is left out, and the rest is as much thicker.
	left := 1 - float32(bounded(s.Breaks[i], 0.5)*(1-c))
	thin := lanes.Part(s.Taper[i]) * (1 - c)
	ink := c / (left * (1 - thin/2))
	if parts&roughened != 0 {
		t := lanes.Part((0.5 - foot) * 4)
		seen := float32(t*t) * (3 - 2*t)
		// As much thicker here as thinner there, and never thicker than all: else the dark would lack ink.
		by, room := float32(float32(lanes.Part(s.Rough[i])*seen)*ink), 1-ink
		if !(room > 0) {
			room = 0
		}
		if by > room {
			by = room
		}
		ink += float32(by * sways(1.3*along, 2*int(line), key))
	}
	if parts&ended != 0 && (left < 1 || thin > 0) {
		long := float32(0.5)
		if s.Length[i] > long {
			long = s.Length[i]
		}
		at := along/long + texture.ChanceOf(uint32(int32(line)), key)
		at += 0.5 * sways(0.61*at, 2*int(line)+1, key)
		near := (at - float32(floor(at))) / left // 0 to 1 along the stroke, beyond it the gap
		if 1-near < near {
			near = 1 - near
		}
		edge := foot / long
		if !(edge > 1e-3) {
			edge = 1e-3
		}
		ink *= lanes.Part(near*left/edge + 0.5) // pixels from the nearer end
		if thin > 0 {
			if part := 2 * near / thin; part < 1 {
				ink *= part
			}
		}
	}
	return c + float32((tent(across, lanes.Part(ink), foot)-c)*Shown(foot))
}

// bounded returns v between 0, also for what is no number, and what is most.
func bounded(v, most float32) float32 {
	switch {
	case !(v > 0):
		return 0
	case v > most:
		return most
	}
	return v
}

// Run is a place on a line that runs over a surface; all lengths are in spacings of lines.
type Run struct {
	Across float32 // how far it lies beside the middle of the line
	Along  float32 // how far from where the line begins
	Long   float32 // how long the line is; 0 for what is left over between lines
	Ring   bool    // whether it ends where it begins
	Foot   float32 // what a pixel covers
	Sure   float32 // how much of the line is left where others end, to 1
	Key    uint32  // tells the line from others
}

// Held is how strokes are drawn along a line, as Strokes has it.
type Held struct {
	Breaks, Length, Taper, Rough float32
	Uneven                       float32 // by how much of Rough the stroke is thicker here, from about -1 to 1
}

// Ink returns how much ink is in what a pixel covers, where c is to be: a line is whole strokes one behind the other, each of
// about the length that is asked, and what lies open at its ends.
func (r *Run) Ink(c float32, h *Held) float32 {
	switch {
	case !(c > 0):
		return 0
	case c >= 1:
		return 1
	}
	left, thin := 1-bounded(h.Breaks, 0.5)*(1-c), lanes.Part(h.Taper)*(1-c)
	ink := min(1, c/(left*(1-thin/2)))
	ink += min(lanes.Part(h.Rough)*ink, 1-ink) * max(-1, min(1, h.Uneven))
	switch {
	case left == 1 && thin == 0:
	case !(r.Long > 0):
		ink *= 1 - thin
	default:
		// Lines beside each other have other numbers of strokes, and these are not all as long.
		strokes := max(1, float32(round(r.Long/max(0.5, h.Length)*(0.75+0.5*texture.ChanceOf(1, r.Key)))))
		part := lanes.Part(r.Along / r.Long)
		at := part*strokes + 1.4*part*(1-part)*sways(0.61*part*strokes, 1, r.Key)
		if r.Ring {
			at += texture.ChanceOf(2, r.Key)
		}
		near := (at - float32(floor(at)) - (1-left)/2) / left // 0 to 1 along the stroke
		near = min(near, 1-near)
		edge := max(1e-3, r.Foot*strokes/r.Long)
		ink *= lanes.Part(near*left/edge + 0.5) // pixels from the nearer end
		if thin > 0 {
			ink *= lanes.Part(2 * near / thin)
		}
	}
	across := r.Across - float32(round(r.Across))
	return c + (tent(across, lanes.Part(ink), r.Foot)-c)*Shown(r.Foot)*lanes.Part(r.Sure)
}

// Shown returns how much is left of strokes of which a pixel covers foot of a spacing: none when
// two pixels are a spacing, since they would beat with the pixels.
func Shown(foot float32) float32 {
	t := lanes.Part((0.6 - foot) * 5)
	return float32(t*t) * (3 - 2*t)
}

// tent returns the mean of ink, c of a spacing wide about 0 and about all other whole numbers, over a
// tent about x, -½ to ½, which reaches foot to either side, at most 0.6: exactly.
func tent(x, c, foot float32) float32 {
	if !(foot > 1e-4) {
		foot = 1e-4
	}
	if x < 0 {
		x = -x
	}
	by, half := 1/foot, c/2
	// From where ink begins to where it ends, of the stroke and of those to either side; the far end
	// of the one below 0 is out of reach.
	own := risen((x+half)*by) - risen((x-half)*by)
	above := risen((x+half-1)*by) - risen((x-half-1)*by)
	below := 0.5 - risen((x-half+1)*by)
	return lanes.Part(own + above + below)
}

// risen returns the integral up to t of a tent from -1 to 1, less ½.
func risen(t float32) float32 {
	if !(t > -1) {
		t = -1
	}
	if t > 1 {
		t = 1
	}
	size := t
	if size < 0 {
		size = -size
	}
	return t * (1 - size/2)
}

// sway is smooth chance between values at whole numbers: from -1 to 1, its mean 0.
func sway(x, y float32, key uint32) float32 {
	iy := floor(y)
	fy := y - float32(iy)
	low, high := between(x, iy, key), between(x, iy+1, key)
	return 2*towards(low, high, float32(fy*fy)*(3-2*fy)) - 1
}

// sways is sway along a row of values that has nothing to do with the next.
func sways(x float32, row int, key uint32) float32 { return 2*between(x, row, key) - 1 }

// between is smooth chance, from 0 to 1, along a row of values at whole numbers.
func between(x float32, row int, key uint32) float32 {
	ix := floor(x)
	fx := x - float32(ix)
	n := uint32(int32(ix)) + uint32(int32(row))*0x8da6b343
	return towards(texture.ChanceOf(n, key), texture.ChanceOf(n+1, key), float32(fx*fx)*(3-2*fx))
}

func round(x float32) int { return floor(x + 0.5) }

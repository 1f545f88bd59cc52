package pattern

import (
	"math"

	"mobanta/core/texture"
)

// Hatch is strokes in layers, each further one at another angle and where it is darker. Darker
// places keep the strokes of lighter ones, thicker.
type Hatch struct {
	Layers int     // 1 to MaxLayers
	Full   float32 // how much of a layer is ink when the next begins, above 0 and below 1
	Wobble float32 // how far strokes bend to and fro, in spacings
	Breaks float32 // how much of a stroke is left out, 0 to ½
	Length float32 // of a stroke, in spacings
	Taper  float32 // how much of a stroke runs out thin at its ends, 0 to 1
	Rough  float32 // how uneven its sides are, 0 to 1
	Seed   texture.Seed
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
	layers int
	full   float32
	at     [sharedSteps + 2][MaxLayers]float32
}

// sharedSteps are the steps in the root of what stays free: layers change fastest where little does.
const sharedSteps = 512

// Shared readies Shares.
func (h *Hatch) Shared() *Shared {
	s := &Shared{layers: h.Layers, full: h.Full}
	for i := range s.at {
		q := min(1, float32(i)/sharedSteps)
		s.at[i] = h.Shares(1 - q*q)
	}
	return s
}

// Of tells whether it is that of a hatching.
func (s *Shared) Of(h *Hatch) bool { return s != nil && s.layers == h.Layers && s.full == h.Full }

// At returns what Shares returns, as nearly as can be seen.
func (s *Shared) At(a float32, share *[MaxLayers]float32) {
	q := sqrt(1-a) * sharedSteps
	i := int(q)
	t := q - float32(i)
	one, two := &s.at[i], &s.at[i+1]
	for l := range s.layers {
		share[l] = one[l] + (two[l]-one[l])*t
	}
}

// Stroke returns how much ink a layer has in what a pixel covers at a place of the layer, across
// and along its strokes in spacings, where c of it is to be ink; foot is what a pixel covers of a
// spacing. layer tells it from others.
func (h *Hatch) Stroke(across, along, c, foot float32, layer int) float32 {
	if !(c > 0) {
		return 0
	}
	if c >= 1 {
		return 1
	}
	seen := Shown(foot)
	if seen == 0 {
		return c
	}
	// As Next goes on from layer to layer.
	seed := texture.SeedAt(h.Seed, layer)
	if h.Wobble > 0 {
		// Bending strokes aside moves ink and makes none.
		across += h.Wobble * sway(0.11*along, 0.21*across, seed)
	}
	line := round(across)
	// The fuller a layer the less is left out, and the rest is as much thicker.
	out, thin := h.Breaks*(1-c), h.Taper*(1-c)
	ink := c / ((1 - out) * (1 - thin/2))
	if d := across - float32(line); seen == 1 && max(d, -d) > ink*(1+h.Rough)/2+foot {
		return 0
	}
	if h.Rough > 0 {
		ink *= 1 + h.Rough*texture.Seen(foot)*sway(1.3*along, 2.5*float32(line), seed)
	}
	if out > 0 || thin > 0 {
		long := max(0.5, h.Length)
		at := along/long + texture.Chance(uint32(line), seed)
		at += 0.5 * sway(0.61*at, 7.5*float32(line), seed)
		part := (at - float32(floor(at))) / (1 - out) // 0 to 1 along the stroke, beyond it the gap
		edge := max(foot/long, 1e-3)
		end := min(part, 1-part)*(1-out)/edge + 0.5 // pixels from the nearer end
		ink *= max(0, min(1, end))
		if thin > 0 {
			ink *= min(1, 2*min(part, 1-part)/thin)
		}
	}
	ink = max(0, min(1, ink))
	if seen < 1 {
		return ink + (pulse(across, ink, foot)-ink)*seen
	}
	return pulse(across, ink, foot)
}

// Even returns how much ink a layer of even lines has in what a pixel covers at a place across them,
// in spacings, where c of it is to be ink; foot is what a pixel covers of a spacing.
func Even(across, c, foot float32) float32 {
	seen := Shown(foot)
	switch {
	case !(c > 0):
		return 0
	case c >= 1:
		return 1
	case seen == 0:
		return c
	case seen == 1:
		return pulse(across, c, foot)
	}
	return c + (pulse(across, c, foot)-c)*seen
}

// Shown returns how much is left of strokes of which a pixel covers foot of a spacing: none when
// two pixels are a spacing, since they would beat with the pixels.
func Shown(foot float32) float32 {
	t := max(0, min(1, (0.6-foot)/0.2))
	return t * t * (3 - 2*t)
}

// pulse returns the mean of ink about whole numbers, c of a spacing wide, over a tent that reaches
// foot to either side: a second difference of its second integral, exactly.
func pulse(x, c, foot float32) float32 {
	h := float64(foot)
	x -= float32(round(x))
	at := math.Abs(float64(x))
	half := float64(c) / 2
	if h < 1e-4 || at+h < half { // nothing but ink
		if at < half {
			return 1
		}
		return 0
	}
	if at-h > half && at+h < 1-half {
		return 0
	}
	// Of ink less its mean: even, and the same in every spacing.
	whole := func(x float64) float64 {
		if x = math.Abs(x); x > 0.5 {
			x = 1 - x
		}
		if x <= half {
			return (1 - 2*half) * x * x / 2
		}
		return (1-2*half)*half*half/2 + half*(x-half) - half*(x*x-half*half)
	}
	x0 := float64(x)
	return max(0, min(1, c+float32((whole(x0+h)-2*whole(x0)+whole(x0-h))/(h*h))))
}

// sway is smooth chance between values at whole numbers: from -1 to 1, its mean 0.
func sway(x, y float32, s texture.Seed) float32 {
	ix, iy := floor(x), floor(y)
	fx, fy := x-float32(ix), y-float32(iy)
	fx, fy = fx*fx*(3-2*fx), fy*fy*(3-2*fy)
	at := func(dx, dy int) float32 { return texture.Chance(uint32(ix+dx)+uint32(iy+dy)*0x8da6b343, s) }
	a, b := at(0, 0), at(0, 1)
	if fx > 0 {
		a, b = a+(at(1, 0)-a)*fx, b+(at(1, 1)-b)*fx
	}
	return 2*(a+(b-a)*fy) - 1
}

func round(x float32) int { return floor(x + 0.5) }

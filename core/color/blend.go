package color

import "math"

// Mode is a way to lay one colour over another.
type Mode struct {
	Key, Name string
	// Channel gives the result for one component of the base b and the source
	// s; nil for the modes that work on the whole colour.
	Channel func(b, s float32) float32
	Whole   func(b, s C) C
}

// Apply returns s laid over b in mode m.
func (m *Mode) Apply(b, s C) C {
	if m.Whole != nil {
		return m.Whole(b, s)
	}
	return C{m.Channel(b[0], s[0]), m.Channel(b[1], s[1]), m.Channel(b[2], s[2])}
}

// Modes lists the blend modes: the formulas are those of the W3C
// recommendation Compositing and Blending Level 1, section 9, applied to linear
// light, and four of the trade's own at the end.
var Modes = []Mode{
	{Key: "normal", Name: "Normal", Channel: func(b, s float32) float32 { return s }},
	{Key: "multiply", Name: "Multiply", Channel: func(b, s float32) float32 { return b * s }},
	{Key: "screen", Name: "Screen", Channel: func(b, s float32) float32 { return b + s - b*s }},
	{Key: "overlay", Name: "Overlay", Channel: func(b, s float32) float32 { return hardLight(s, b) }},
	{Key: "darken", Name: "Darken", Channel: func(b, s float32) float32 { return min(b, s) }},
	{Key: "lighten", Name: "Lighten", Channel: func(b, s float32) float32 { return max(b, s) }},
	{Key: "color-dodge", Name: "Colour dodge", Channel: func(b, s float32) float32 {
		if b <= 0 {
			return 0
		}
		if s >= 1 {
			return 1
		}
		return min(1, b/(1-s))
	}},
	{Key: "color-burn", Name: "Colour burn", Channel: func(b, s float32) float32 {
		if b >= 1 {
			return 1
		}
		if s <= 0 {
			return 0
		}
		return 1 - min(1, (1-b)/s)
	}},
	{Key: "hard-light", Name: "Hard light", Channel: hardLight},
	{Key: "soft-light", Name: "Soft light", Channel: softLight},
	{Key: "difference", Name: "Difference", Channel: func(b, s float32) float32 { return max(b-s, s-b) }},
	{Key: "exclusion", Name: "Exclusion", Channel: func(b, s float32) float32 { return b + s - 2*b*s }},
	{Key: "hue", Name: "Hue", Whole: func(b, s C) C { return setLum(setSat(s, sat(b)), lum(b)) }},
	{Key: "saturation", Name: "Saturation", Whole: func(b, s C) C { return setLum(setSat(b, sat(s)), lum(b)) }},
	{Key: "color", Name: "Colour", Whole: func(b, s C) C { return setLum(s, lum(b)) }},
	{Key: "luminosity", Name: "Luminosity", Whole: func(b, s C) C { return setLum(b, lum(s)) }},
	{Key: "add", Name: "Add", Channel: func(b, s float32) float32 { return b + s }},
	{Key: "subtract", Name: "Subtract", Channel: func(b, s float32) float32 { return max(0, b-s) }},
	{Key: "divide", Name: "Divide", Channel: func(b, s float32) float32 {
		// Division by nothing is as bright as the brightest light kept.
		return min(b/max(s, 1e-6), 1e6)
	}},
	{Key: "linear-light", Name: "Linear light", Channel: func(b, s float32) float32 { return max(0, b+2*s-1) }},
}

// FindMode returns the mode of that key, nil if there is none.
func FindMode(key string) *Mode {
	for i := range Modes {
		if Modes[i].Key == key {
			return &Modes[i]
		}
	}
	return nil
}

func hardLight(b, s float32) float32 {
	if s <= 0.5 {
		return b * 2 * s
	}
	s = 2*s - 1
	return b + s - b*s
}

func softLight(b, s float32) float32 {
	if s <= 0.5 {
		return b - (1-2*s)*b*(1-b)
	}
	var d float32
	if b <= 0.25 {
		d = ((16*b-12)*b + 4) * b
	} else {
		d = float32(math.Sqrt(float64(b)))
	}
	return b + (2*s-1)*(d-b)
}

// lum is the luma that the recommendation's non-separable modes use.
func lum(c C) float32 { return 0.3*c[0] + 0.59*c[1] + 0.11*c[2] }

func sat(c C) float32 { return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2]) }

func setLum(c C, l float32) C {
	d := l - lum(c)
	for i := range c {
		c[i] += d
	}
	l = lum(c)
	lo, hi := min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	if lo < 0 && l > lo {
		for i := range c {
			c[i] = l + (c[i]-l)*l/(l-lo)
		}
	}
	if hi > 1 && hi > l {
		for i := range c {
			c[i] = l + (c[i]-l)*(1-l)/(hi-l)
		}
	}
	return c
}

func setSat(c C, s float32) C {
	lo, hi := min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
	if hi <= lo {
		return C{}
	}
	for i := range c {
		c[i] = (c[i] - lo) * s / (hi - lo)
	}
	return c
}

package texture

import (
	"math"

	"mobanta/core/names"
)

// Profile is the course of a wave from one whole number to the next, from 0 to 1.
type Profile uint8

// The profiles.
const (
	Round Profile = iota // 0 at whole numbers, 1 half-way, round at both
	Ramp                 // rises all the way and falls back at once
	Tent                 // rises and falls in straight lines
	Pulse                // 1 for a part of the way, 0 for the rest
)

// String returns its name.
func (p Profile) String() string { return names.Nth(int(p), "round", "ramp", "tent", "pulse") }

// Mean returns the mean of a profile over a stretch of length foot about t, exactly: its
// integral over the stretch by the stretch. width is how much of a Pulse is 1.
func (p Profile) Mean(t, foot, width float32) float32 {
	if t-t != 0 {
		return 0
	}
	at := float64(t) - math.Floor(float64(t))
	if !(foot > 1e-4) {
		return float32(p.at(at, float64(width)))
	}
	if foot > 1e4 {
		foot = 1e4
	}
	half := float64(foot) / 2
	return float32((p.upTo(at+half, float64(width)) - p.upTo(at-half, float64(width))) / (2 * half))
}

func (p Profile) at(f, width float64) float64 {
	switch p {
	case Ramp:
		return f
	case Tent:
		return 1 - math.Abs(2*f-1)
	case Pulse:
		if f < width {
			return 1
		}
		return 0
	}
	return 0.5 - 0.5*math.Cos(2*math.Pi*f)
}

// upTo returns the integral from 0 to t.
func (p Profile) upTo(t, width float64) float64 {
	n := math.Floor(t)
	f := t - n
	switch p {
	case Ramp:
		return n/2 + f*f/2
	case Tent:
		if f < 0.5 {
			return n/2 + f*f
		}
		return n/2 + 2*f - f*f - 0.5
	case Pulse:
		width = max(0, min(1, width))
		return n*width + min(f, width)
	}
	return t/2 - math.Sin(2*math.Pi*f)/(4*math.Pi)
}

// Checker returns the mean, from 0 to 1, of a board of unit cubes about a place, over a box of
// the size foot: 1 where an even number of coordinates lie in odd cubes. Of what is a product
// of one factor for each axis the mean is that of their means.
func Checker(at, foot [3]float32) float32 {
	sign := float32(1)
	for k, x := range at {
		sign *= 2*Pulse.Mean(x/2, foot[k]/2, 0.5) - 1
	}
	return 0.5 + 0.5*sign
}

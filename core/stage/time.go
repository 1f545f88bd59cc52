package stage

import (
	"errors"
	"math"
)

// Time is the moment that is shown, and the loop that it lies in.
type Time struct {
	At     float64 `json:"at,omitempty"`     // seconds
	Length float64 `json:"length,omitempty"` // of the loop, seconds; 0 for DefaultLength
	Rate   float64 `json:"rate,omitempty"`   // frames a second; 0 for DefaultRate
	First  float64 `json:"first,omitempty"`  // mark from which it is played, seconds
	Last   float64 `json:"last,omitempty"`   // mark up to which; 0 for the end of the loop
	Once   bool    `json:"once,omitempty"`   // it is played once, not round and round
	Hold   int     `json:"hold,omitempty"`   // for how many frames a picture stands: 2 is "on twos"; 0 for 1
}

// What Time's zero values stand for.
const (
	DefaultLength = 4
	DefaultRate   = 12
)

// Limits on time.
const (
	MaxFrames = 10_000 // of a loop that are played
	MaxHold   = 12
	MaxTime   = 36_000 // seconds
)

// Filled returns t with its defaults filled in.
func (t Time) Filled() Time {
	if t.Length == 0 {
		t.Length = DefaultLength
	}
	if t.Rate == 0 {
		t.Rate = DefaultRate
	}
	if t.Hold == 0 {
		t.Hold = 1
	}
	if t.Last == 0 {
		t.Last = t.Length
	}
	return t
}

// Phase returns how far into the loop the moment lies, 0 up to 1.
func (t Time) Phase() float64 {
	p := t.At / t.Filled().Length
	p -= math.Floor(p)
	if p > 1-1e-12 {
		p = 0 // rounded up to the whole
	}
	return p
}

// frame returns the number of the frame that a time lies in.
func (t Time) frame(at float64) int { return int(math.Floor(at*t.Filled().Rate + 1e-6)) }

// Frame returns the number of the frame that the moment lies in, from 0.
func (t Time) Frame() int { return t.frame(t.At) }

// Frames returns how many frames the loop has, at least one.
func (t Time) Frames() int {
	f := t.Filled()
	return max(1, min(MaxFrames, int(math.Ceil(f.Length*f.Rate-1e-6))))
}

// Range returns the first frame that is played and the one after the last.
func (t Time) Range() (first, end int) {
	f := t.Filled()
	n := t.Frames()
	first = min(t.frame(f.First), n-1)
	return first, max(first+1, min(n, int(math.Ceil(f.Last*f.Rate-1e-6))))
}

// Start returns the time at which a frame begins, in seconds.
func (t Time) Start(frame int) float64 { return float64(frame) / t.Filled().Rate }

// Held returns t at the beginning of the frame that is held at its moment; t itself where each frame is another
// picture.
func (t Time) Held() Time {
	if t.Hold < 2 {
		return t
	}
	f := t.Frame()
	t.At = t.Start(f - f%t.Hold)
	return t
}

func (t Time) check() error {
	f := t.Filled()
	if err := checkRange("time", t.At, 0, MaxTime); err != nil {
		return err
	}
	if err := checkRange("length of the loop", f.Length, 0.01, MaxTime); err != nil {
		return err
	}
	if err := checkRange("frames a second", f.Rate, 0.1, 240); err != nil {
		return err
	}
	if f.Hold < 1 || f.Hold > MaxHold {
		return errors.New("a picture is held for 1 to 12 frames")
	}
	if err := checkRange("first mark", f.First, 0, MaxTime); err != nil {
		return err
	}
	return checkRange("last mark", f.Last, 0, MaxTime)
}

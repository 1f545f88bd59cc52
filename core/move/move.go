// Package move holds moves: how a value goes from one to another over a part of a loop. A move knows nothing of what it
// moves; that is the document's.
package move

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"mobanta/core/names"
)

// Way is how a value goes.
type Way string

// The ways.
const (
	Back    Way = ""        // there and back, easing at both ends
	Steady  Way = "steady"  // from one end to the other, at one speed
	Eased   Way = "eased"   // the same, slow at both ends
	Round   Way = "round"   // an angle all the way round, at one speed
	Stepped Way = "stepped" // in equal steps from one end to the other, holding each
	Drawn   Way = "drawn"   // along a curve through points
)

// Named is a way and what it is called.
type Named struct {
	Key  Way
	Name string
}

// Ways lists all ways, with their names.
var Ways = []Named{{Back, "there and back"}, {Steady, "steady"}, {Eased, "eased"}, {Round, "all the way round"}, {Stepped, "stepped"}, {Drawn, "along a curve"}}

// Name returns the way's name.
func (w Way) Name() string {
	for _, e := range Ways {
		if e.Key == w {
			return e.Name
		}
	}
	return string(w)
}

// Value is a number, or three: a place or a colour in linear light.
type Value []float64

// Point is a place of a drawn curve: when, and how far from the one end to the other.
type Point struct {
	X float64 `json:"x"` // 0 at the beginning of the move, 1 at its end
	Y float64 `json:"y"` // 0 at From, 1 at To; -1..2
}

// Of names what a move drives.
type Of struct {
	What string `json:"what"`          // "camera", "light", "model", "dial" or "swatch"
	ID   string `json:"id,omitempty"`  // of the light, the model, the look whose dial it is, or the swatch
	Key  string `json:"key,omitempty"` // which of its values, or the dial's id
}

// Move is one move.
type Move struct {
	ID    string  `json:"id"`
	Of    Of      `json:"of"`
	From  Value   `json:"from"`
	To    Value   `json:"to"`
	Begin float64 `json:"begin,omitempty"` // over which part of the loop, 0..1
	End   float64 `json:"end,omitempty"`   // 0 for 1
	Way   Way     `json:"way,omitempty"`
	Times int     `json:"times,omitempty"` // how often within its part; of Round also below 0, for the other way round. 0 for 1
	Steps int     `json:"steps,omitempty"` // of Stepped, how many values it holds; 0 for DefaultSteps
	Curve []Point `json:"curve,omitempty"` // of Drawn, in their order
	Off   bool    `json:"off,omitempty"`
}

// Limits on moves.
const (
	Max          = 200 // moves of a project
	MaxPoints    = 24  // of a drawn curve
	MaxTimes     = 100
	MaxSteps     = 1000
	DefaultSteps = 4
	maxValue     = 1e12
	shortest     = 1e-4 // part of a loop that a move may take
)

// Last returns the end of the part of the loop that the move takes.
func (m *Move) Last() float64 {
	if m.End == 0 {
		return 1
	}
	return m.End
}

func (m *Move) times() int {
	if m.Times == 0 {
		return 1
	}
	return m.Times
}

// Held returns how many values a stepped move holds.
func (m *Move) Held() int {
	if m.Steps == 0 {
		return DefaultSteps
	}
	return m.Steps
}

// Points returns the curve of a drawn move: a rise and fall where none was drawn.
func (m *Move) Points() []Point {
	if len(m.Curve) < 2 {
		return []Point{{0, 0}, {0.5, 1}, {1, 0}}
	}
	return m.Curve
}

// Check returns what is wrong with a move of a value of so many numbers, or nil.
func (m *Move) Check(size int, angle bool) error {
	if len(m.From) != size || len(m.To) != size {
		return fmt.Errorf("a move goes from %d numbers to %d, not from %d to %d", size, size, len(m.From), len(m.To))
	}
	for _, v := range slices.Concat(m.From, m.To) {
		if !(math.Abs(v) <= maxValue) {
			return fmt.Errorf("a move cannot go to %v", v)
		}
	}
	if !(m.Begin >= 0 && m.Begin < 1 && m.Last() <= 1 && m.Last() >= m.Begin+shortest) {
		return errors.New("a move begins and ends within the loop, and ends after it begins")
	}
	if !slices.ContainsFunc(Ways, func(w Named) bool { return w.Key == m.Way }) {
		return fmt.Errorf("there is no way %.20q for a move", m.Way)
	}
	if m.Way == Round && !angle {
		return errors.New("only an angle goes all the way round")
	}
	if m.Times > MaxTimes || m.Times < -MaxTimes || m.Times < 0 && m.Way != Round {
		return fmt.Errorf("a move is made 1 to %d times", MaxTimes)
	}
	if m.Steps < 0 || m.Steps > MaxSteps || m.Steps == 1 {
		return fmt.Errorf("a stepped move holds 2 to %d values", MaxSteps)
	}
	if len(m.Curve) > MaxPoints || len(m.Curve) == 1 {
		return fmt.Errorf("a curve has 2 to %d points", MaxPoints)
	}
	last := -1.0
	for i, p := range m.Curve {
		if !(p.X > last && p.X >= 0 && p.X <= 1 && p.Y >= -1 && p.Y <= 2) || i == 0 && p.X != 0 || i == len(m.Curve)-1 && p.X != 1 {
			return errors.New("a curve runs from the beginning of its move to the end, each point after the one before")
		}
		last = p.X
	}
	return nil
}

// Along returns how far from From to To the value is at a phase of the loop, 0..1; of
// Round in turns. Before the move begins it is as it begins, afterwards as it ends.
func (m *Move) Along(phase float64) float64 {
	u := (phase - m.Begin) / (m.Last() - m.Begin)
	if u <= 0 {
		u = 0
	}
	n := float64(m.times())
	if m.Way == Round {
		return min(u, 1) * n
	}
	if u >= 1 {
		u = 1
	} else if u = u * n; u > 0 {
		u -= math.Floor(u)
	}
	switch m.Way {
	case Steady:
		return u
	case Eased:
		return u * u * (3 - 2*u)
	case Stepped:
		k := float64(m.Held())
		return min(math.Floor(u*k+1e-9), k-1) / (k - 1)
	case Drawn:
		return curve(m.Points(), u)
	}
	return (1 - math.Cos(2*math.Pi*u)) / 2
}

// At returns the value at a phase of the loop. mix, which may be nil for as they are,
// makes what lies t of the way between two values.
func (m *Move) At(phase float64, mix func(a, b Value, t float64) Value) Value {
	t := m.Along(phase)
	switch {
	case m.Way == Round:
		return Value{m.From[0] + 360*t}
	case t == 0:
		return slices.Clone(m.From)
	case t == 1:
		return slices.Clone(m.To)
	case mix != nil:
		return mix(m.From, m.To, t)
	}
	out := make(Value, len(m.From))
	for k := range out {
		out[k] = m.From[k] + (m.To[k]-m.From[k])*t
	}
	return out
}

// curve returns the height at x of the curve through points that overshoots none of them: cubics whose slopes at the
// points are kept small enough (Fritsch and Carlson 1980, slopes after Fritsch and Butland 1984).
func curve(p []Point, x float64) float64 {
	i := 0
	for i < len(p)-2 && x > p[i+1].X {
		i++
	}
	step := func(i int) float64 { return (p[i+1].Y - p[i].Y) / (p[i+1].X - p[i].X) }
	slope := func(i int) float64 {
		if i == 0 || i == len(p)-1 {
			return 0 // so that it eases in and out
		}
		a, b := step(i-1), step(i)
		if a*b <= 0 {
			return 0
		}
		return 2 * a * b / (a + b) // the harmonic mean
	}
	h := p[i+1].X - p[i].X
	t := max(0, min(1, (x-p[i].X)/h))
	a, b := slope(i)*h, slope(i+1)*h
	return p[i].Y*(1+2*t)*(1-t)*(1-t) + a*t*(1-t)*(1-t) + p[i+1].Y*t*t*(3-2*t) + b*t*t*(t-1)
}

// Acting returns which of the moves of one value, in the order in which they are listed, it follows at a phase: the one
// that began last, or the first to come where none has begun.
func Acting(list []*Move, phase float64) *Move {
	var out, first *Move
	for _, m := range list {
		if m.Begin <= phase && (out == nil || m.Begin >= out.Begin) {
			out = m
		}
		if first == nil || m.Begin < first.Begin {
			first = m
		}
	}
	if out == nil {
		return first
	}
	return out
}

// Edge is which end of a move a phase stands at.
type Edge int

// The edges.
const (
	Between Edge = iota
	Beginning
	Ending
)

// String returns its name.
func (e Edge) String() string { return names.Nth(int(e), "between", "beginning", "ending") }

// EdgeAt tells which end of the move a phase stands at, within slack on either side: where it is at From, where at To.
func (m *Move) EdgeAt(phase, slack float64) Edge {
	if m.Way == Drawn || m.Way == Round {
		if phase <= m.Begin+slack {
			return Beginning
		}
		return Between
	}
	span := (m.Last() - m.Begin) / float64(m.times())
	if phase <= m.Begin+slack {
		return Beginning
	}
	at := math.Mod(phase-m.Begin, span)
	if m.Way == Back {
		switch {
		case math.Abs(at-span/2) <= slack:
			return Ending
		case at <= slack || span-at <= slack || phase >= m.Last():
			return Beginning
		}
		return Between
	}
	if phase >= m.Last()-slack {
		return Ending
	}
	return Between
}

// Top returns the phase at which the move is at To, or as far as it goes.
func (m *Move) Top() float64 {
	span := m.Last() - m.Begin
	switch m.Way {
	case Back:
		return m.Begin + span/float64(m.times())/2
	case Drawn:
		best, at := math.Inf(-1), 0.0
		for _, p := range m.Points() {
			if p.Y > best {
				best, at = p.Y, p.X
			}
		}
		return m.Begin + span/float64(m.times())*at
	}
	return m.Last()
}

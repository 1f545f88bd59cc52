package contour

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/stage"
)

// arcOf is a piece of a circle of 200 pixels about 300, 300, between two angles.
func arcOf(from, to float64) Curve {
	c := Curve{Kind: Contour}
	n := max(3, int(math.Abs(to-from)*100))
	for k := range n + 1 {
		s, co := math.Sincos(from + (to-from)*float64(k)/float64(n))
		c.Places = append(c.Places, Place{X: float32(300 + 200*co), Y: float32(300 + 200*s), Near: 0.2})
	}
	return c
}

// two are parts of two models.
var two = &stage.Scene{Parts: make([]stage.Part, 2)}

func init() { two.Parts[1].Model = 1 }

// However a ring is cut into pieces, and whichever way round these run, whose ends run past each other by a little or all but
// touch, joined they are one ring on the same circle, with no place twice.
func TestPiecesOfARingAreJoined(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	for range 200 {
		n := 1 + r.IntN(5)
		turn := 2 * math.Pi * r.Float64()
		var curves []Curve
		for k := range n {
			over := func() float64 { return (r.Float64()*11 - 1.2) / 200 } // pixels: from a gap of 1.2 to 9.8 past each other
			c := arcOf(turn+2*math.Pi*float64(k)/float64(n)-over()/2, turn+2*math.Pi*float64(k+1)/float64(n)+over()/2)
			if r.IntN(2) == 0 {
				slices.Reverse(c.Places)
			}
			curves = append(curves, c)
		}
		r.Shuffle(n, func(i, j int) { curves[i], curves[j] = curves[j], curves[i] })
		before := slices.Clone(curves[0].Places)
		out := joined(curves, two, 3)
		require.Len(t, out, 1)
		require.True(t, out[0].Closed)
		p := out[0].Places
		assert.Equal(t, p[0], p[len(p)-1], "its last place is its first")
		length := float32(0)
		for k := 1; k < len(p); k++ {
			length += apart(&p[k-1], &p[k])
			assert.InDelta(t, 200, math.Hypot(float64(p[k].X)-300, float64(p[k].Y)-300), 0.01)
		}
		assert.InDelta(t, 400*math.Pi, length, 8*float64(n), "each stretch once")
		assert.Equal(t, before, curves[0].Places, "what came in is not changed")
	}
}

// What is not one curve stays apart.
func TestWhatIsNotOneCurveStaysApart(t *testing.T) {
	for name, c := range map[string]func() []Curve{
		"a wide gap": func() []Curve { return []Curve{arcOf(0, 2), arcOf(2.03, 4)} },
		"far past":   func() []Curve { return []Curve{arcOf(0, 2), arcOf(1.9, 4)} },
		"creases": func() []Curve {
			a, b := arcOf(0, 2), arcOf(2, 4)
			a.Kind, b.Kind = Crease, Crease
			return []Curve{a, b}
		},
		"of two models": func() []Curve { a, b := arcOf(0, 2), arcOf(2, 4); b.Part = 1; return []Curve{a, b} },
		"one far behind": func() []Curve {
			a, b := arcOf(0, 2), arcOf(2, 4)
			for i := range b.Places {
				b.Places[i].Near = 0.19
			}
			return []Curve{a, b}
		},
		"beside": func() []Curve {
			a, b := arcOf(0, 2), arcOf(1.98, 4)
			for i := range b.Places {
				b.Places[i].X, b.Places[i].Y = b.Places[i].X-1.66, b.Places[i].Y+3.64
			}
			return []Curve{a, b}
		},
		"a corner": func() []Curve {
			a, b := arcOf(0, 2), arcOf(2, 4)
			for i := range b.Places {
				b.Places[i].Y = a.Places[len(a.Places)-1].Y + float32(i)
				b.Places[i].X = a.Places[len(a.Places)-1].X
			}
			return []Curve{a, b}
		},
		"side by side":    func() []Curve { return []Curve{arcOf(0, 2), arcOf(0, 2)} },
		"hardly anything": func() []Curve { return []Curve{{Kind: Contour, Places: arcOf(0, 0.01).Places[:2]}} },
		"rings":           func() []Curve { a := arcOf(0, 2*math.Pi); a.Closed = true; return []Curve{a, arcOf(0, 1)} },
		"nothing":         func() []Curve { return nil },
	} {
		in := c()
		out := joined(c(), two, 3)
		if !assert.Equal(t, len(in), len(out), name) {
			continue
		}
		for i := range out {
			assert.Equal(t, in[i].Closed, out[i].Closed, name)
			assert.True(t, slices.Equal(in[i].Places, out[i].Places), name)
		}
	}
	// The further two run past each other, the further they may lie apart.
	line := func(from, to, y float32) Curve {
		c := Curve{Kind: Contour}
		for x := from; x <= to; x++ {
			c.Places = append(c.Places, Place{X: x, Y: y, Near: 0.2})
		}
		return c
	}
	for past, n := range map[float32]int{4: 2, 14: 1} {
		assert.Len(t, joined([]Curve{line(0, 100, 50), line(100-past, 200, 51.6)}, two, 3), n, "%v", past)
	}
	a := arcOf(0, 2)
	b := arcOf(1.985, 4)
	assert.Len(t, joined([]Curve{a, b}, two, 3), 1)
	assert.Len(t, joined([]Curve{a, b}, two, 0), 2, "where no gaps are closed nothing is joined")
}

// Two halves of a ring meet equally well at both places: the ring begins at the same one each time.
func TestARingBeginsAtOnePlace(t *testing.T) {
	line := func(from, to float32) Curve {
		c := Curve{Kind: Contour}
		for k := range 65 {
			s, co := math.Sincos(float64(from) + float64(to-from)*float64(k)/64)
			c.Places = append(c.Places, Place{X: float32(math.Round(300 + 200*co)), Y: float32(math.Round(300 + 200*s)), Near: 0.2})
		}
		return c
	}
	halves := func() []Curve { return []Curve{line(0, math.Pi), line(math.Pi, 2*math.Pi)} }
	once := joined(halves(), two, 3)
	require.Len(t, once, 1)
	for range 50 {
		again := joined(halves(), two, 3)
		require.True(t, slices.Equal(once[0].Places, again[0].Places))
	}
}

package line

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/contour"
)

// A hand draws no crumbs: what is shorter than three widths and joined to nothing is left out, also where several such hang
// together; a short end of a long line stays, and so does a small ring.
func TestCrumbsAreLeftOut(t *testing.T) {
	h := &drawer{pens: &Pens{}, unit: 2}
	for k := range h.pens.Rows {
		h.pens.Rows[k] = Row{Style: Even, Width: 1}
	}
	line := func(closed bool, places ...[2]float32) contour.Curve {
		c := contour.Curve{Kind: contour.Crease, Closed: closed}
		for _, p := range places {
			c.Places = append(c.Places, contour.Place{X: p[0], Y: p[1]})
		}
		return c
	}
	// 5 thousandths wide, two pixels each: 10 pixels; so 30 are enough.
	for name, c := range map[string]struct {
		curves []contour.Curve
		left   []bool
	}{
		"alone, short":              {[]contour.Curve{line(false, [2]float32{100, 100}, [2]float32{129, 100})}, []bool{true}},
		"alone, long enough":        {[]contour.Curve{line(false, [2]float32{100, 100}, [2]float32{131, 100})}, []bool{false}},
		"round":                     {[]contour.Curve{line(true, [2]float32{100, 100}, [2]float32{104, 100}, [2]float32{102, 104}, [2]float32{100, 100})}, []bool{false}},
		"two that go on":            {[]contour.Curve{line(false, [2]float32{100, 100}, [2]float32{118, 100}), line(false, [2]float32{118.5, 100}, [2]float32{136, 100})}, []bool{false, false}},
		"two short that meet":       {[]contour.Curve{line(false, [2]float32{100, 100}, [2]float32{110, 100}), line(false, [2]float32{110, 100}, [2]float32{118, 100})}, []bool{true, true}},
		"two beside each other":     {[]contour.Curve{line(false, [2]float32{100, 100}, [2]float32{118, 100}), line(false, [2]float32{100, 104}, [2]float32{118, 104})}, []bool{true, true}},
		"at the end of a long one":  {[]contour.Curve{line(false, [2]float32{100, 100}, [2]float32{110, 100}), line(false, [2]float32{300, 100}, [2]float32{111, 100})}, []bool{false, false}},
		"at the side of a long one": {[]contour.Curve{line(false, [2]float32{0, 0}, [2]float32{100, 100}, [2]float32{200, 200}), line(false, [2]float32{100.5, 100}, [2]float32{110, 90})}, []bool{false, false}},
		"by way of another":         {[]contour.Curve{line(false, [2]float32{0, 0}, [2]float32{100, 0}), line(false, [2]float32{110, 0}, [2]float32{119, 0}), line(false, [2]float32{100, 0}, [2]float32{110, 0})}, []bool{false, false, false}},
		"near a long one":           {[]contour.Curve{line(false, [2]float32{0, 0}, [2]float32{100, 0}), line(false, [2]float32{104, 0}, [2]float32{110, 0})}, []bool{false, true}},
		"none":                      {nil, []bool{}},
	} {
		var ink []Ink
		for _, c := range c.curves {
			for range c.Places {
				ink = append(ink, Ink{Width: 5})
			}
		}
		assert.Equal(t, c.left, h.crumbs(c.curves, ink), name)
	}
}

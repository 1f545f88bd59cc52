package live

import (
	"image"
	"image/color"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The window in which two pictures differ most is the one that adding up every window finds.
func TestWhereTwoPicturesDiffer(t *testing.T) {
	r := rand.New(rand.NewPCG(26, 9))
	for range 60 {
		w, h := 5+r.IntN(30), 5+r.IntN(20)
		a, b := image.NewNRGBA(image.Rect(0, 0, w, h)), image.NewNRGBA(image.Rect(0, 0, w, h))
		for range r.IntN(20) {
			a.SetNRGBA(r.IntN(w), r.IntN(h), color.NRGBA{uint8(r.Uint32()), uint8(r.Uint32()), 7, 255})
			b.SetNRGBA(r.IntN(w), r.IntN(h), color.NRGBA{9, uint8(r.Uint32()), uint8(r.Uint32()), 255})
		}
		ww, hh := 1+r.IntN(w), 1+r.IntN(h)
		sum := func(at image.Point) (s int) {
			for y := range hh {
				for x := range ww {
					p, q := a.NRGBAAt(at.X+x, at.Y+y), b.NRGBAAt(at.X+x, at.Y+y)
					for _, v := range [4][2]uint8{{p.R, q.R}, {p.G, q.G}, {p.B, q.B}, {p.A, q.A}} {
						s += max(int(v[0])-int(v[1]), int(v[1])-int(v[0]))
					}
				}
			}
			return s
		}
		most := 0
		for y := range h - hh + 1 {
			for x := range w - ww + 1 {
				most = max(most, sum(image.Pt(x, y)))
			}
		}
		assert.Equal(t, most, sum(differs(a, b, ww, hh)))
	}
}

package pixmap_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/color"
	"mobanta/core/pixmap"
)

// A picture of the sky goes round, ends at its poles, and runs in straight lines from the middle of one pixel to that of the next.
func TestASkyGoesRoundAndEndsAtItsPoles(t *testing.T) {
	const w, h = 5, 4
	r := rand.New(rand.NewPCG(2, 9))
	p := &pixmap.Pixmap{W: w, H: h, Pix: make([]byte, 4*w*h)}
	for i := range p.Pix {
		p.Pix[i] = byte(r.IntN(256))
	}
	at := func(x, y int) color.C {
		c, _ := p.At((x+w)%w, max(0, min(h-1, y)))
		return c
	}
	for y := -1; y <= h; y++ {
		for x := -1; x <= w; x++ {
			for _, f := range [][2]float64{{0, 0}, {0.25, 0}, {0, 0.5}, {0.75, 0.25}} {
				u, v := (float64(x)+f[0]+0.5)/w, (float64(y)+f[1]+0.5)/h
				got := p.Latlong(u, v)
				fx, fy := float32(f[0]), float32(f[1])
				for k := range 3 {
					top := at(x, y)[k]*(1-fx) + at(x+1, y)[k]*fx
					low := at(x, y+1)[k]*(1-fx) + at(x+1, y+1)[k]*fx
					assert.InDelta(t, top*(1-fy)+low*fy, got[k], 1e-4, "at %d, %d and %v", x, y, f)
				}
			}
		}
	}
}

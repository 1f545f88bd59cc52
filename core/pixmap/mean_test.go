package pixmap_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/color"
	"mobanta/core/pixmap"
)

// drawn is a picture whose pixels a function gives, with its opacity.
func drawn(w, h int, f func(x, y int) (r, g, b, a byte)) *pixmap.Pixmap {
	p := &pixmap.Pixmap{W: w, H: h}
	for y := range h {
		for x := range w {
			r, g, b, a := f(x, y)
			p.Pix = append(p.Pix, r, g, b, a)
		}
	}
	return p
}

func grey(on bool) (r, g, b, a byte) {
	if on {
		return 255, 255, 255, 255
	}
	return 0, 0, 0, 255
}

// What covers many pixels gives their mean in linear light, or of the numbers; what covers
// less than one is looked up.
func TestMean(t *testing.T) {
	checks := drawn(64, 64, func(x, y int) (r, g, b, a byte) { return grey((x+y)%2 == 0) })
	for _, size := range []float64{1.0 / 16, 1.0 / 4, 1, 3} {
		for _, data := range []bool{false, true} {
			c, a := checks.Mean(0.37, 0.61, [2]float64{size, 0}, [2]float64{0, size}, pixmap.Reading{Wrap: pixmap.Repeat, Nearest: true, Data: data})
			assert.InDelta(t, 0.5, c[1], 0.004, "half the light, or half the number")
			assert.Equal(t, float32(1), a)
		}
	}
	for _, r := range []pixmap.Reading{{Wrap: pixmap.Clamp}, {Wrap: pixmap.Mirror, Nearest: true}} {
		want, _ := checks.Lookup(0.373, 0.612, r)
		got, _ := checks.Mean(0.373, 0.612, [2]float64{0.9 / 64, 0}, [2]float64{0, 0.3 / 64}, r)
		assert.Equal(t, want, got)
		got, _ = checks.Mean(0.373, 0.612, [2]float64{}, [2]float64{}, r)
		assert.Equal(t, want, got)
	}
	// Stripes of eight pixels: along them a long footprint changes nothing, across it does.
	stripes := drawn(128, 128, func(x, _ int) (r, g, b, a byte) { return grey(x/8%2 == 0) })
	at := 4.0 / 128
	for _, swap := range []bool{false, true} {
		along, across := [2]float64{0, 8.0 / 128}, [2]float64{1.0 / 128, 0}
		if swap {
			along, across = across, along
		}
		c, _ := stripes.Mean(at, 0.5, along, across, pixmap.Reading{Wrap: pixmap.Repeat})
		assert.InDelta(t, 1, c[0], 1e-3)
	}
	c, _ := stripes.Mean(at, 0.5, [2]float64{32.0 / 128, 0}, [2]float64{0, 1.0 / 128}, pixmap.Reading{Wrap: pixmap.Repeat})
	assert.InDelta(t, 0.5, c[0], 0.05)
}

// Halves of odd sizes keep the mean; what is clear does not bleed into what is opaque.
func TestMeanOfOddAndClearPictures(t *testing.T) {
	odd := drawn(37, 5, func(x, y int) (r, g, b, a byte) { return byte(x * 6), byte(y * 50), 77, 255 })
	var want color.C
	for y := range 5 {
		for x := range 37 {
			c, _ := odd.At(x, y)
			for k := range want {
				want[k] += c[k] / (37 * 5)
			}
		}
	}
	c, _ := odd.Mean(0.5, 0.5, [2]float64{4, 0}, [2]float64{0, 4}, pixmap.Reading{Wrap: pixmap.Clamp})
	for k := range want {
		assert.InDelta(t, want[k], c[k], 0.02)
	}
	half := drawn(32, 32, func(x, y int) (r, g, b, a byte) {
		if (x+y)%2 == 0 {
			return 200, 40, 90, 255
		}
		return 0, 255, 0, 0
	})
	c, a := half.Mean(0.5, 0.5, [2]float64{0.5, 0}, [2]float64{0, 0.5}, pixmap.Reading{Wrap: pixmap.Repeat})
	assert.InDelta(t, 0.5, a, 0.01)
	red := color.FromBytes(200, 40, 90)
	for k := range red {
		assert.InDelta(t, red[k], c[k], 0.01)
	}
	bright := &pixmap.Pixmap{W: 16, H: 16, Shared: true, Pix: make([]byte, 4*256)}
	for i := range 256 {
		bright.Set(i%16, i/16, color.C{float32(i % 2 * 8), 2, 1})
	}
	c, _ = bright.Mean(0.5, 0.5, [2]float64{1, 0}, [2]float64{0, 1}, pixmap.Reading{Wrap: pixmap.Repeat})
	assert.InDelta(t, 4, c[0], 0.1)
	one := drawn(1, 1, func(int, int) (r, g, b, a byte) { return 255, 0, 0, 255 })
	c, _ = one.Mean(0.2, 0.9, [2]float64{math.Inf(1), 0}, [2]float64{0, math.NaN()}, pixmap.Reading{Wrap: pixmap.Repeat})
	assert.InDelta(t, 1, c[0], 1e-3)
}

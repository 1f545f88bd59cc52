package main

import (
	"image"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// squareOf is a flat square of 200 × 200 pixels in a picture of 300 × 300, lit by a tone.
func squareOf(tone func(x, y float64) float64) (*surface, []bool) {
	const n = 300
	s := &surface{w: n, h: n, depth: make([]float64, n*n), normal: make([][3]float64, n*n), part: make([]uint16, n*n), tone: make([]float64, n*n)}
	fill := make([]bool, n*n)
	for i := range fill {
		x, y := i%n, i/n
		if fill[i] = x >= 50 && x < 250 && y >= 50 && y < 250; fill[i] {
			s.part[i], s.normal[i], s.tone[i] = 1, [3]float64{0, 0, 1}, tone(float64(x), float64(y))
		}
	}
	return s, fill
}

// drawn is a stroke of the measured width along the sides of a rectangle or, where it has no area, along a line.
func drawn(ink []bool, r image.Rectangle) {
	for i := range ink {
		x, y := float64(i%300), float64(i/300)
		dx := max(float64(r.Min.X)-x, 0, x-float64(r.Max.X))
		dy := max(float64(r.Min.Y)-y, 0, y-float64(r.Max.Y))
		far := math.Hypot(dx, dy)
		if far == 0 && !r.Empty() {
			far = min(x-float64(r.Min.X), float64(r.Max.X)-x, y-float64(r.Min.Y), float64(r.Max.Y)-y)
		}
		ink[i] = ink[i] || far <= half
	}
}

func TestMeasures(t *testing.T) {
	plain := func(x, y float64) float64 { return x / 300 }
	box := image.Rect(50, 50, 249, 249)
	measured := func(tone func(x, y float64) float64, strokes ...image.Rectangle) measures {
		s, fill := squareOf(tone)
		ink := make([]bool, len(fill))
		for _, r := range strokes {
			drawn(ink, r)
		}
		return of(s, fill, ink)
	}
	m := measured(plain, box)
	assert.False(t, m.Amiss(), m)
	assert.InDelta(t, 4*199*7, m.Ink, 60)
	assert.InDelta(t, 600, m.Edge, 10, "straight through at three tones")

	m = measured(plain, image.Rect(35, 35, 264, 264))
	assert.Equal(t, m.Ink, m.Outside, "all of it lies outside")
	assert.Greater(t, m.Between, 4*200*10, "with backdrop between")

	m = measured(plain, box, image.Rect(100, 150, 200, 150))
	assert.InDelta(t, 100*7, m.NoEdge, 50, "a line over a flat face")
	assert.Zero(t, m.Crumbs, "is long")
	m = measured(plain, box, image.Rect(150, 150, 160, 150))
	assert.Equal(t, 1, m.Crumbs, "a short one")
	m = measured(plain, box, image.Rect(150, 150, 162, 162))
	assert.Zero(t, m.Crumbs, "a small ring is none")

	m = measured(func(x, y float64) float64 { return 0.5 + (x-150+math.Abs(y-150)*0.6)/300 }, box)
	assert.Equal(t, 3, m.Bends, "one at each of three tones")
	m = measured(func(x, y float64) float64 { return math.Hypot(x-150, y-150) / 160 }, box)
	assert.Zero(t, m.Bends, "circles do not")
}

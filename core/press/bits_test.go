package press

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/color"
	"mobanta/core/pattern"
)

// Of plates that have ink or none an area has as much ink as was asked, with cells of any size at any angle; with large cells
// dots are those that one sees.
func TestBitsHaveAsMuchInkAsIsAsked(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const n = 320
	for _, cellSize := range []float64{1.5, 3, 4, 6, 9, 12, 20} {
		for _, angle := range []float64{0, 15, 45, 75} {
			p := Press{On: true, Paper: color.C{1, 1, 1}, Inks: []Ink{{ID: "a", Name: "A", Spot: pattern.Round, Density: n / cellSize, Angle: angle}}}
			r := p.Ready(n)
			for _, share := range []float32{0.03, 0.1, 0.25, 0.5, 0.66, 0.9} {
				covers := make([]float32, n*n)
				l := &r.inks[0]
				mean := 0.0
				for i := range covers {
					px, py := float32(i%n)+0.5, n-float32(i/n)-0.5
					u, v := px*l.perPixel, py*l.perPixel
					covers[i] = l.screen.At(u*l.cos+v*l.sin, v*l.cos-u*l.sin, share)
					mean += float64(covers[i]) / n / n
				}
				bits := r.Bits(0, n, n, covers)
				ink, other := 0.0, 0
				for i, b := range bits {
					if b {
						ink += 1.0 / n / n
					}
					if b != (covers[i] >= 0.5) {
						other++
					}
				}
				assert.InDelta(t, share, ink, 0.01, "%v of cells of %v pixels at %v°", share, cellSize, angle)
				assert.InDelta(t, mean, ink, 0.0005, "%v of cells of %v pixels at %v°", share, cellSize, angle)
				if cellSize >= 20 {
					assert.Less(t, other, n*n/40, "%v of cells of %v pixels at %v°", share, cellSize, angle)
				}
			}
		}
	}
	r := (&Press{On: true, Inks: []Ink{{ID: "a", Name: "A", Spot: pattern.Round, Density: 40}}}).Ready(64)
	covers := make([]float32, 64*64)
	for i := range covers { // half paper, half ink all over
		if i%64 >= 32 {
			covers[i] = 1
		}
	}
	for i, b := range r.Bits(0, 64, 64, covers) {
		assert.Equal(t, i%64 >= 32, b, "paper stays bare, and what is full stays full")
	}
}

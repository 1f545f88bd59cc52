package film_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/film"
	"mobanta/core/press"
)

// What is printed of a tile is what the press makes of its colours, pixel by pixel, in all its channels.
func TestATileIsPrintedPixelByPixel(t *testing.T) {
	p := press.New(press.Sets[0])
	p.On = true
	const w, h = 13, 7
	stage := film.Press{Ready: p.Ready(h), Lines: h}
	f := &film.Film{W: w, H: h, Base: make([]float32, 4*w*h), Passes: 1}
	for i := range w * h {
		v := float32(i%w) / w
		copy(f.Base[4*i:], []float32{v, 1 - v, float32(i/w) / h, 1})
	}
	chain := film.Chain{stage}
	for y := range h {
		for x := range w {
			c, a := chain.At(f, y*w+x)
			require.EqualValues(t, 1, a, "paper is everywhere, at %d, %d", x, y)
			tile := chain.Tile(f, f.Bounds())
			got := tile.Pix[4*(y*w+x) : 4*(y*w+x)+4]
			for k := range 3 {
				require.Equal(t, c[k], got[k], "at %d, %d", x, y)
			}
			require.EqualValues(t, 1, got[3])
		}
	}
}

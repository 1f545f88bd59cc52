package line

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/texture"
)

// A chisel is as thin as it gets along its slant and full across it, in between as its nib lies: |sin| of the angle between.
func TestAChiselIsHeldAtItsSlant(t *testing.T) {
	for _, slant := range []float64{0, 20, 45, 70, 120} {
		h := &drawer{pens: &Pens{Slant: slant}, unit: 1}
		for _, way := range []float64{0, 20, 45, 70, 120, 200} {
			sin, cos := math.Sincos(way * math.Pi / 180)
			got := h.width(&spot{}, 100, Chisel, false, float32(cos), float32(-sin), texture.Seed{}) // up is against y
			want := leastNib + (1-leastNib)*math.Abs(math.Sin((way-slant)*math.Pi/180))
			require.InDelta(t, want, got, 1e-5, "held at %v°, drawn at %v°", slant, way)
		}
	}
}

// What is said to clear a part of a picture draws nothing on it; what lies far off is said to.
func TestWhatClearsASheet(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	s := NewPart(image.Rect(64, 32, 96, 64), 128)
	cleared := 0
	for range 4000 {
		at := func() edgel { return edgel{x: 160 * r.Float32(), y: 128 * r.Float32(), r: 0.3 + 8*r.Float32()} }
		e, to := at(), at()
		ends := []edgel{e}
		if r.IntN(3) > 0 {
			e.to = &to
			ends = append(ends, to)
		}
		reach := image.Rectangle{}
		for i, p := range ends {
			box := image.Rect(int(math.Floor(float64(p.x-p.r))), int(math.Floor(float64(p.y-p.r))), int(math.Ceil(float64(p.x+p.r))), int(math.Ceil(float64(p.y+p.r))))
			if i == 0 {
				reach = box
			} else {
				reach = reach.Union(box)
			}
		}
		if e.clears(s) {
			cleared++
			assert.False(t, reach.Overlaps(image.Rect(64, 32, 96, 64)), "%+v to %+v", e, to)
		} else {
			assert.True(t, reach.Inset(-12).Overlaps(image.Rect(64, 32, 96, 64)), "%+v to %+v is far off", e, to)
		}
	}
	assert.Greater(t, cleared, 1000)
}

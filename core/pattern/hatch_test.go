package pattern

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/texture"
)

// hatched is the mean of a hatching over pixels spread evenly over a large page.
func hatched(h Hatch, density, angle float64, lines int, tone float32) (mean float64) {
	foot := float32(density / float64(lines))
	shares := h.Shares(1 - tone)
	const n, page = 10000, 8192
	for i := range n {
		_, x := math.Modf(float64(i) * 0.7548776662466927)
		_, y := math.Modf(float64(i) * 0.5698402909980532)
		px, py := (math.Floor(x*page)+0.5)*float64(foot), (math.Floor(y*page)+0.5)*float64(foot)
		free := float32(1)
		for l := range h.Layers {
			sin, cos := math.Sincos((angle + 90*Turns[l]) * math.Pi / 180)
			free *= 1 - h.Stroke(float32(px*cos+py*sin), float32(py*cos-px*sin), shares[l], foot, l)
		}
		mean += float64(1-free) / n
	}
	return mean
}

func TestHatchingHasAsMuchInkAsIsAsked(t *testing.T) {
	worst := 0.0
	for name, h := range map[string]Hatch{
		"plain":  {Layers: 3, Full: 0.5},
		"one":    {Layers: 1, Full: 0.9},
		"broken": {Layers: 3, Full: 0.5, Breaks: 0.4, Length: 9, Taper: 0.6},
		"drawn":  {Layers: 4, Full: 0.4, Wobble: 0.6, Breaks: 0.2, Length: 14, Taper: 1, Rough: 0.5, Seed: texture.SeedOf(0.4)},
	} {
		for _, angle := range []float64{15, 45, 80} {
			for _, density := range []float64{20, 60, 200} {
				for _, lines := range []int{540, 1080, 2160} {
					for _, tone := range []float32{0.02, 0.2, 0.5, 0.8, 0.98} {
						off := math.Abs(hatched(h, density, angle, lines, tone) - float64(1-tone))
						worst = max(worst, off)
						require.LessOrEqual(t, off, 0.02, "%s, %v°, %v strokes on %d lines, tone %v", name, angle, density, lines, tone)
					}
				}
			}
		}
	}
	t.Logf("at worst %.4f", worst)
}

func TestLayersComeOneAfterTheOther(t *testing.T) {
	h := Hatch{Layers: 3, Full: 0.5}
	was := [MaxLayers]float32{}
	for a := float32(0); a <= 1; a += 1.0 / 64 {
		share := h.Shares(a)
		free := float32(1)
		for i, c := range share {
			assert.GreaterOrEqual(t, c, was[i], "what was drawn stays")
			free *= 1 - c
			if i > 0 && c > 0 {
				assert.GreaterOrEqual(t, share[i-1], float32(0.4999), "the one before is full")
			}
		}
		assert.InDelta(t, 1-a, free, 1e-5)
		was = share
	}
	table := h.Shared()
	assert.True(t, table.Of(&h))
	assert.False(t, table.Of(&Hatch{Layers: 2, Full: 0.5}))
	for a := float32(0); a <= 1; a += 1.0 / 777 {
		var got [MaxLayers]float32
		table.At(a, &got)
		want := h.Shares(a)
		assert.InDeltaSlice(t, want[:], got[:], 0.004)
	}
	assert.Equal(t, [MaxLayers]float32{}, h.Shares(float32(math.NaN())))
	assert.Equal(t, [MaxLayers]float32{1, 1, 1}, h.Shares(1))
}

// The mean over a tent, against a sum over fine steps.
func TestAPulseIsItsMean(t *testing.T) {
	for _, c := range []float32{0.05, 0.3, 0.7, 0.97} {
		for _, foot := range []float32{0.01, 0.2, 0.45} {
			for _, x := range []float32{-2.3, 0, 0.1, 0.48, 0.5, 7.77} {
				sum, weight := 0.0, 0.0
				for k := -4000; k <= 4000; k++ {
					d := float64(k) / 4000
					at := float64(x) + d*float64(foot)
					if at -= math.Round(at); math.Abs(at) < float64(c)/2 {
						sum += 1 - math.Abs(d)
					}
					weight += 1 - math.Abs(d)
				}
				assert.InDelta(t, sum/weight, pulse(x, c, foot), 2e-3, "%v of a spacing, foot %v, at %v", c, foot, x)
			}
		}
	}
	assert.EqualValues(t, 1, pulse(3.1, 0.3, 0))
	assert.EqualValues(t, 0, pulse(3.2, 0.3, 0))
}

func TestAStippleHasAsMuchInkAsIsAsked(t *testing.T) {
	worst := 0.0
	for _, size := range []float32{0.4, 1, 1.6} {
		s := Stipple(StippleSize(size))
		for _, density := range []float64{20, 60, 200} {
			for _, lines := range []int{540, 1080, 2160} {
				for _, tone := range []float32{0.02, 0.2, 0.5, 0.8, 0.98} {
					off := math.Abs(inked(s, density, 30, lines, 0, tone) - float64(1-tone))
					worst = max(worst, off)
					require.LessOrEqual(t, off, 0.02, "size %v, %v dots on %d lines, tone %v", size, density, lines, tone)
				}
			}
		}
	}
	t.Logf("at worst %.4f", worst)
	assert.Same(t, Stipple(StippleSize(1)), Stipple(StippleSize(1.01)))
}

// However many dots have come, they keep a distance: no two are much nearer than a grid's would be.
func TestDotsKeepADistance(t *testing.T) {
	dots := scattered()
	for _, n := range []int{10, 50, 200, len(dots)} {
		least := 1.0
		for i, a := range dots[:n] {
			for _, b := range dots[:i] {
				least = min(least, math.Sqrt(torus(a[0]-b[0], a[1]-b[1])))
			}
		}
		assert.Greater(t, least*math.Sqrt(float64(n)), 0.6, "%d dots", n)
	}
}

func BenchmarkStipple(b *testing.B) {
	b.Run("made", func(b *testing.B) {
		scattered()
		for b.Loop() {
			stippled(0.8)
		}
	})
	b.Run("sharpened", func(b *testing.B) {
		s := Stipple(StippleSize(0.8))
		for b.Loop() {
			clear(s.inks)
			clear(s.seen)
			s.Ink(FootStep(0.2), 0)
		}
	})
}

func BenchmarkHatch(b *testing.B) {
	h := Hatch{Layers: 3, Full: 0.5, Wobble: 0.3, Breaks: 0.2, Length: 12, Taper: 0.5, Rough: 0.2}
	x := float32(0)
	for b.Loop() {
		share := h.Shares(0.6)
		for l, c := range share[:h.Layers] {
			h.Stroke(x, 0.3*x, c, 0.06, l)
		}
		x += 0.03
	}
}

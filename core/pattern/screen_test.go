package pattern

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var spots = []Spot{Round, Both, Square, Diamond, Ellipse, Line, Ring, Cross}

// printed returns the ink that a screen of so many cells per height, turned, puts on a page of
// so many lines, on average over part of it, and its pixels.
func printed(s *Screen, density, angle float64, lines int, soft, tone float32, w, h int) (mean float64, pix []float32) {
	sin, cos := math.Sincos(angle * math.Pi / 180)
	foot := float32(density / float64(lines))
	k := s.Ink(FootStep(foot), SoftStep(soft))
	pix = make([]float32, w*h)
	for y := range h {
		for x := range w {
			px, py := (float64(x)+0.5)/float64(lines)*density, (float64(y)+0.5)/float64(lines)*density
			pix[y*w+x] = k.At(float32(px*cos+py*sin), float32(py*cos-px*sin), 1-tone)
			mean += float64(pix[y*w+x]) / float64(w*h)
		}
	}
	return mean, pix
}

// inked is the mean over pixels spread evenly over a page of thousands (the additive recurrence R2:
// Roberts 2018).
func inked(s *Screen, density, angle float64, lines int, soft, tone float32) (mean float64) {
	sin, cos := math.Sincos(angle * math.Pi / 180)
	foot := density / float64(lines)
	k := s.Ink(FootStep(float32(foot)), SoftStep(soft))
	const n, page = 8000, 4096
	for i := range n {
		_, x := math.Modf(float64(i) * 0.7548776662466927)
		_, y := math.Modf(float64(i) * 0.5698402909980532)
		px, py := (math.Floor(x*page)+0.5)*foot, (math.Floor(y*page)+0.5)*foot
		mean += float64(k.At(float32(px*cos+py*sin), float32(py*cos-px*sin), 1-tone)) / n
	}
	return mean
}

func TestAScreenHasAsMuchInkAsIsAsked(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	worst := 0.0
	r := rand.New(rand.NewPCG(8, 5))
	for _, spot := range spots {
		s := Of(spot)
		for _, angle := range []float64{0, 15, 45, 75} {
			for _, lines := range []int{540, 1080, 2160} {
				for _, density := range []float64{20, 33, 60, 107, 200} {
					for _, soft := range []float32{0, 0.2, 0.5} {
						for _, tone := range []float32{0.02, 0.1, 0.3, 0.5, 0.7, 0.9, 0.98} {
							if r.IntN(5) > 0 {
								continue // a fifth of all, two thousand, are enough to find what is amiss
							}
							mean := inked(s, density, angle, lines, soft, tone)
							off := math.Abs(mean - float64(1-tone))
							worst = max(worst, off)
							require.LessOrEqual(t, off, 0.01, "%s %v° %v cells on %d lines, soft %v, tone %v: %v", spot, angle, density, lines, soft, tone, mean)
						}
					}
				}
			}
		}
	}
	t.Logf("at worst %.4f", worst)
}

// Below half the frequency of the screen there is nothing but the mean: no moiré with the pixels.
func TestAScreenBeatsWithNoPixels(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const n = 192
	r := rand.New(rand.NewPCG(1, 1))
	for _, spot := range []Spot{Round, Line, Cross, Ring} {
		for range 10 {
			density, angle, tone := 20+380*r.Float64(), 90*r.Float64(), float32(0.1+0.8*r.Float64())
			mean, pix := printed(Of(spot), density, angle, 540, 0, tone, n, n)
			foot := density / 540
			for range 60 {
				f, way := foot/2*(0.1+0.85*r.Float64()), 2*math.Pi*r.Float64()
				fx, fy := f*math.Cos(way), f*math.Sin(way)
				if math.Hypot(fx, fy)*n < 6 { // too slow to be told from the window
					continue
				}
				// The wave and the window over the page are products of those along its sides.
				var across, down [n]complex128
				var sum float64
				for k := range n {
					w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(k)+0.5)/n) // Hann
					across[k] = cmplx.Rect(w, 2*math.Pi*fx*float64(k))
					down[k] = cmplx.Rect(w, 2*math.Pi*fy*float64(k))
					sum += w
				}
				var wave complex128
				for y := range n {
					var row complex128
					for x := range n {
						row += complex(float64(pix[y*n+x])-mean, 0) * across[x]
					}
					wave += row * down[y]
				}
				require.LessOrEqual(t, 2*cmplx.Abs(wave)/(sum*sum), 1.0/255, "%s %v cells, %v°, tone %v: a wave of %v pixels", spot, density, angle, tone, 1/f)
			}
		}
	}
}

func TestRanksAreEvenlySpread(t *testing.T) {
	for _, spot := range spots {
		s := Of(spot)
		for _, a := range []float32{0.1, 0.25, 0.5, 0.75, 0.9} {
			n := 0
			for _, r := range s.rank {
				if r < a {
					n++
				}
			}
			assert.InDelta(t, a, float64(n)/(side*side), 0.016, "%s", spot)
		}
	}
	assert.Same(t, Of(Round), Of(Round))
	// Round dots are discs: their edge is as far from the middle all round.
	s := Of(Round)
	for k := range 40 {
		sin, cos := math.Sincos(float64(k) / 40 * 2 * math.Pi)
		r := s.rank[int(side*(0.5+0.3*sin))*side+int(side*(0.5+0.3*cos))]
		assert.InDelta(t, math.Pi*0.09, r, 0.02)
	}
}

func TestAPictureAsASpot(t *testing.T) {
	// A dark disc to the left on a light ground: ink begins there, then grows about it.
	s := OfPicture(func(u, v float64) float64 {
		if math.Hypot(u-0.25, v-0.5) < 0.2 {
			return 0
		}
		return 1
	})
	in, out := s.rank[side/2*side+side/4], s.rank[side/2*side+3*side/4]
	assert.Less(t, in, float32(0.13))
	assert.Greater(t, out, float32(0.5))
	for _, tone := range []float32{0.03, 0.3, 0.5, 0.9} {
		mean, _ := printed(s, 60, 0, 540, 0, tone, 180, 180)
		assert.InDelta(t, 1-tone, mean, 0.01)
	}
}

func TestInkAtItsEnds(t *testing.T) {
	for _, foot := range []float32{0, 0.01, 0.1, 0.4, 3} {
		for _, soft := range []float32{0, 0.5, 1} {
			k := Of(Round).Ink(FootStep(foot), SoftStep(soft))
			for _, p := range [][2]float32{{0, 0}, {0.5, 0.5}, {-3.2, 7.9}, {1e6, -1e6}} {
				assert.Zero(t, k.At(p[0], p[1], 0))
				assert.EqualValues(t, 1, k.At(p[0], p[1], 1))
				for _, a := range []float32{1e-6, 0.3, 0.999999} {
					v := k.At(p[0], p[1], a)
					assert.True(t, v >= 0 && v <= 1, "%v", v)
				}
			}
		}
	}
	assert.Zero(t, Of(Line).Ink(FootStep(0.1), 0).At(0, 0, float32(math.NaN())))
}

func BenchmarkScreen(b *testing.B) {
	for name, foot := range map[string]float32{"coarse": 0.03, "fine": 0.1} {
		b.Run(name, func(b *testing.B) {
			k := Of(Round).Ink(FootStep(foot), 0)
			x := float32(0)
			for b.Loop() {
				k.At(x, 0.3*x, 0.4)
				x += 0.03
			}
		})
	}
	b.Run("table", func(b *testing.B) {
		s := Of(Round)
		for b.Loop() {
			clear(s.inks)
			clear(s.seen)
			s.Ink(FootStep(0.1), 0)
		}
	})
	b.Run("ranks", func(b *testing.B) {
		s := Of(Round)
		for b.Loop() {
			clear(s.inks)
			clear(s.seen)
			s.Ink(FootStep(0.03), 0)
		}
	})
	b.Run("waves", func(b *testing.B) {
		s := Of(Round)
		for b.Loop() {
			s.series[0] = nil
			s.waves(0)
		}
	})
}

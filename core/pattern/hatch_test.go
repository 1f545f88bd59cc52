package pattern

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/lanes"
)

// hand is how strokes are drawn that are alike everywhere.
type hand struct {
	Hatch
	wobble, breaks, length, taper, rough, seed float32
}

// strokes returns n places on strokes of the hand.
func (h *hand) strokes(n int) *Strokes {
	row := func(v float32) []float32 { return slices.Repeat([]float32{v}, n) }
	return &Strokes{X: row(0), Y: row(0), Foot: row(0), Wobble: row(h.wobble), Breaks: row(h.breaks), Length: row(h.length), Taper: row(h.taper), Rough: row(h.rough), Seed: row(h.seed)}
}

// hatched is the mean of a hatching over pixels spread evenly over a large page.
func hatched(h hand, density, angle float64, lines int, tone float32) (mean float64) {
	foot := density / float64(lines)
	shares := h.Shares(1 - tone)
	const n, page = 10000, 8192
	s := h.strokes(n)
	share, free := make([]float32, n), slices.Repeat([]float32{1}, n)
	for i := range n {
		_, x := math.Modf(float64(i) * 0.7548776662466927)
		_, y := math.Modf(float64(i) * 0.5698402909980532)
		s.X[i], s.Y[i], s.Foot[i] = float32((math.Floor(x*page)+0.5)*foot), float32((math.Floor(y*page)+0.5)*foot), float32(foot)
	}
	for l := range h.Layers {
		sin, cos := math.Sincos((angle + 90*Turns[l]) * math.Pi / 180)
		for i := range share {
			share[i] = shares[l]
		}
		s.Draw(l, float32(cos), float32(sin), share, free)
	}
	for _, v := range free {
		mean += float64(1-v) / n
	}
	return mean
}

func TestHatchingHasAsMuchInkAsIsAsked(t *testing.T) {
	worst := 0.0
	for name, h := range map[string]hand{
		"plain":  {Hatch: Hatch{Layers: 3, Full: 0.5}},
		"one":    {Hatch: Hatch{Layers: 1, Full: 0.9}},
		"usual":  {Hatch: Hatch{Layers: 1, Full: 0.5}, wobble: 0.3, breaks: 0.15, length: 12, taper: 0.5, rough: 0.2},
		"rough":  {Hatch: Hatch{Layers: 1, Full: 0.9}, rough: 1, seed: 0.2},
		"broken": {Hatch: Hatch{Layers: 3, Full: 0.5}, breaks: 0.4, length: 9, taper: 0.6},
		"drawn":  {Hatch: Hatch{Layers: 4, Full: 0.4}, wobble: 0.6, breaks: 0.2, length: 14, taper: 1, rough: 0.5, seed: 0.4},
	} {
		for _, angle := range []float64{15, 45, 80} {
			for _, density := range []float64{20, 60, 200} {
				for _, lines := range []int{540, 1080, 2160} {
					for _, tone := range []float32{0.02, 0.1, 0.2, 0.5, 0.8, 0.98} {
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
	var asked []float32
	for a := float32(0); a <= 1; a += 1.0 / 777 {
		asked = append(asked, a)
	}
	got := make([]float32, h.Layers*len(asked))
	table.Fill(asked, got)
	for i, a := range asked {
		for l := range h.Layers {
			assert.InDelta(t, h.Shares(a)[l], got[l*len(asked)+i], 0.004, "%v of layer %d", a, l)
		}
	}
	assert.Equal(t, [MaxLayers]float32{}, h.Shares(float32(math.NaN())))
	assert.Equal(t, [MaxLayers]float32{1, 1, 1}, h.Shares(1))
}

// The mean over a tent, against a sum over fine steps.
func TestAPulseIsItsMean(t *testing.T) {
	for _, c := range []float32{0.05, 0.3, 0.7, 0.97} {
		for _, foot := range []float32{0.01, 0.2, 0.45, 0.6} {
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
				assert.InDelta(t, sum/weight, tent(x-float32(round(x)), c, foot), 2e-3, "%v of a spacing, foot %v, at %v", c, foot, x)
			}
		}
	}
	assert.EqualValues(t, 1, tent(0.1, 0.3, 0))
	assert.EqualValues(t, 0, tent(0.2, 0.3, 0))
}

func TestAStippleHasAsMuchInkAsIsAsked(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	worst := 0.0
	for _, size := range []float32{0.4, 1, 1.6} {
		k, part := StippleSize(size)
		assert.Zero(t, part)
		s := Stipple(k)
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
	for i := range 2000 { // every size is one of its own, and none jumps
		across := float32(i) / 1000
		k, part := StippleSize(across)
		assert.InDelta(t, max(0.2, across), (float32(k)+part)*2/StippleSizes, 1e-4)
	}
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
		k, _ := StippleSize(0.8)
		s := Stipple(k)
		for b.Loop() {
			clear(s.inks)
			clear(s.seen)
			s.Ink(FootStep(0.2), 0)
		}
	})
}

// What goes eight places at a time comes to what it comes to one by one, to the bit.
func TestEightPlacesAreAsOneByOne(t *testing.T) {
	if !lanes.Wide {
		t.Skip("this processor does one by one alone")
	}
	r := rand.New(rand.NewPCG(8, 8))
	const n = 512
	row := func(scale, from float32) (out []float32) {
		for range n {
			out = append(out, from+scale*r.Float32())
		}
		return out
	}
	asked := row(1.4, -0.2)
	asked[3], asked[4], asked[5] = 0, 1, float32(math.NaN())
	clear(asked[16:24])
	for name, s := range map[string]*Strokes{
		"all":    {Wobble: row(2, -0.5), Breaks: row(0.7, -0.1), Length: row(30, -2), Taper: row(1.4, -0.2), Rough: row(1.4, -0.2), Seed: row(1, 0)},
		"plain":  {Wobble: make([]float32, n), Breaks: make([]float32, n), Length: row(30, 0), Taper: make([]float32, n), Rough: make([]float32, n), Seed: make([]float32, n)},
		"rough":  {Wobble: make([]float32, n), Breaks: make([]float32, n), Length: row(30, 0), Taper: make([]float32, n), Rough: row(1, 0), Seed: make([]float32, n)},
		"breaks": {Wobble: make([]float32, n), Breaks: row(0.5, 0), Length: row(30, 0), Taper: make([]float32, n), Rough: make([]float32, n), Seed: make([]float32, n)},
		"taper":  {Wobble: make([]float32, n), Breaks: make([]float32, n), Length: row(30, 0), Taper: row(1, 0), Rough: make([]float32, n), Seed: make([]float32, n)},
		"wobble": {Wobble: row(2, 0), Breaks: make([]float32, n), Length: row(30, 0), Taper: make([]float32, n), Rough: make([]float32, n), Seed: make([]float32, n)},
	} {
		s.X, s.Y, s.Foot = row(300, -150), row(300, -150), row(0.8, -0.02)
		got := slices.Repeat([]float32{0.75}, n)
		s.Draw(2, 0.6, 0.8, asked, got)
		one := func(of []float32, i int) []float32 { return of[i : i+1] }
		for i := range n {
			want := []float32{0.75}
			(&Strokes{X: one(s.X, i), Y: one(s.Y, i), Foot: one(s.Foot, i), Wobble: one(s.Wobble, i), Breaks: one(s.Breaks, i), Length: one(s.Length, i),
				Taper: one(s.Taper, i), Rough: one(s.Rough, i), Seed: one(s.Seed, i)}).Draw(2, 0.6, 0.8, one(asked, i), want)
			require.Equal(t, want[0], got[i], "%s, place %d", name, i)
		}
	}
	shared := (&Hatch{Layers: 3, Full: 0.4}).Shared()
	got, want := make([]float32, 3*n), make([]float32, 3)
	shared.Fill(asked, got)
	for i := range n {
		shared.Fill(asked[i:i+1], want)
		for l, v := range want {
			require.Equal(t, v, got[l*n+i], "of %v, layer %d", asked[i], l)
		}
	}
	for _, foot := range []float32{0.02, 0.04, 0.1, 0.3, 2} {
		for _, soft := range []float32{0, 0.1, 0.25, 1} {
			for name, s := range map[string]*Screen{"cross": Of(Cross), "stipple": Stipple(4)} {
				k := s.Ink(FootStep(foot), SoftStep(soft))
				x, y := row(300, -150), row(300, -150)
				asked[8] = 1e12
				k.Fill(x, y, asked, got)
				for i := range n {
					require.Equal(t, k.At(x[i], y[i], asked[i]), got[i], "%s, %v of a cell, softness %v, %v at %v, %v", name, foot, soft, asked[i], x[i], y[i])
				}
			}
		}
	}
}

// Along a line that is followed strokes have as much ink as is asked, thin or broken or not; they run out at its ends, where what is
// broken has none, and a ring goes on where it begins.
func TestStrokesAlongALineHaveTheInkThatIsAsked(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 60 {
		held := Held{Breaks: 0.5 * r.Float32(), Length: 2 + 20*r.Float32(), Taper: r.Float32()}
		run := Run{Long: held.Length * (4 + 30*r.Float32()), Ring: r.IntN(2) == 0, Foot: 0.02 + 0.2*r.Float32(), Sure: 1, Key: r.Uint32()}
		for _, asked := range []float32{0.1, 0.35, 0.7, 0.95} {
			sum, n := 0.0, 0
			for k := range 3000 {
				run.Along = run.Long * (float32(k) + 0.5) / 3000
				for a := range 16 {
					run.Across = (float32(a)+0.5)/16 - 0.5
					sum += float64(run.Ink(asked, &held))
					n++
				}
			}
			assert.InDelta(t, asked, sum/float64(n), 0.025, "%+v %+v", run, held)
		}
		run.Across, held.Breaks = 0, 0.5
		run.Along = 0
		begin := run.Ink(0.3, &held)
		run.Along = run.Long
		assert.InDelta(t, begin, run.Ink(0.3, &held), 0.02, "%+v %+v", run, held)
		if !run.Ring && run.Foot < 0.1 {
			assert.Less(t, begin, float32(0.05))
		}
		run.Sure = 0
		assert.Equal(t, float32(0.3), run.Ink(0.3, &held), "between lines there is an even grey")
		run.Long, run.Sure, held.Taper = 0, 1, 1
		rest := 0.0
		for a := range 16 {
			run.Across = (float32(a)+0.5)/16 - 0.5
			rest += float64(run.Ink(0.3, &held)) / 16
		}
		assert.Less(t, rest, 0.27, "what is left over is thin")
		assert.Zero(t, run.Ink(0, &held))
		assert.Equal(t, float32(1), run.Ink(1, &held))
	}
}

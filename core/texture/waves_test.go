package texture

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The mean over a stretch is that of many places in it.
func TestWavesGiveTheirMean(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for _, p := range []Profile{Round, Ramp, Tent, Pulse} {
		for range 400 {
			at, foot, width := 20*r.Float32()-10, 3*r.Float32()*r.Float32(), r.Float32()
			const n = 4000
			sum := 0.0
			for k := range n {
				x := float64(at) + float64(foot)*((float64(k)+0.5)/n-0.5)
				f := x - math.Floor(x)
				var v float64
				switch p {
				case Round:
					v = (1 - math.Cos(2*math.Pi*f)) / 2
				case Ramp:
					v = f
				case Tent:
					v = min(2*f, 2-2*f)
				case Pulse:
					if f < float64(width) {
						v = 1
					}
				}
				sum += v / n
			}
			require.InDelta(t, sum, p.Mean(at, foot, width), 2e-3, "%d at %v over %v, width %v", p, at, foot, width)
		}
	}
	assert.EqualValues(t, 0, Round.Mean(3, 0, 0))
	assert.EqualValues(t, 1, Round.Mean(3.5, 0, 0))
	assert.InDelta(t, 0.3, Ramp.Mean(7.3, 0, 0), 1e-6)
	assert.EqualValues(t, 1, Tent.Mean(-0.5, 0, 0))
	assert.InDelta(t, 0.5, Ramp.Mean(0.2, 1e9, 0), 1e-3, "all of it: the mean")
	assert.InDelta(t, 0.25, Pulse.Mean(0.2, 1e9, 0.25), 1e-3)
	assert.Zero(t, Round.Mean(float32(math.NaN()), 0.1, 0))
	assert.Zero(t, Round.Mean(float32(math.Inf(1)), 0.1, 0))
	assert.EqualValues(t, 1, Pulse.Mean(0.9, 0.1, 7), "no wider than all of it")
}

func TestACheckerIsItsMean(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	for range 300 {
		var at, foot [3]float32
		for k := range at {
			at[k], foot[k] = 8*r.Float32()-4, 2*r.Float32()*r.Float32()
		}
		sum := 0.0
		const n = 24
		for a := range n {
			for b := range n {
				for c := range n {
					odd := 0
					for k, i := range [3]int{a, b, c} {
						odd += int(math.Floor(float64(at[k]) + float64(foot[k])*((float64(i)+0.5)/n-0.5)))
					}
					if odd&1 == 0 {
						sum += 1.0 / (n * n * n)
					}
				}
			}
		}
		require.InDelta(t, sum, Checker(at, foot), 0.08)
	}
	assert.EqualValues(t, 1, Checker([3]float32{0.5, 0.5, 0.5}, [3]float32{}))
	assert.EqualValues(t, 0, Checker([3]float32{1.5, 0.5, 0.5}, [3]float32{}))
	assert.EqualValues(t, 1, Checker([3]float32{1.5, -0.5, 0.5}, [3]float32{}))
	assert.InDelta(t, 0.5, Checker([3]float32{0.5, 0.5, 0.5}, [3]float32{40, 40, 40}), 0.01)
}

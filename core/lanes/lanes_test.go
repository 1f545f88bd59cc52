package lanes_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/lanes"
)

// row returns n numbers by chance, with what is odd among them.
func row(r *rand.Rand, n int) []float32 {
	out := make([]float32, n, n+3)
	for i := range out {
		out[i] = float32(r.NormFloat64())
	}
	for i, v := range []float64{math.NaN(), math.Inf(1), math.Inf(-1), 0, 1} {
		if n > 20 {
			out[3*i+1] = float32(v)
		}
	}
	return out
}

// bits tells numbers apart as they are stored, but all that are none are one.
func bits(of []float32) (out []uint32) {
	for _, v := range of {
		if v != v {
			v = float32(math.NaN())
		}
		out = append(out, math.Float32bits(v))
	}
	return out
}

func TestRowsAreTheSameAsNumbersOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for _, n := range []int{0, 1, 7, 8, 9, 16, 31, 256, 300} {
		x, y, z := row(r, n), row(r, n), row(r, n)
		want, got := make([]float32, n), make([]float32, n)

		for i := range want {
			want[i] = float32(float32(x[i]*0.7)+float32(y[i]*-1.3)) + 0.25
		}
		lanes.Affine(got, x, y, 0.7, -1.3, 0.25)
		assert.Equal(t, bits(want), bits(got), "affine, %d", n)

		for i := range want {
			want[i] = x[i] + float32((y[i]-x[i])*z[i])
		}
		lanes.Mix(got, x, y, z)
		assert.Equal(t, bits(want), bits(got), "mix, %d", n)

		for i := range want {
			want[i] = float32(math.Max(0, math.Min(1, float64((0.75-x[i])*2))))
			if x[i] != x[i] {
				want[i] = 0
			}
		}
		lanes.Fall(got, x, 0.75, 2)
		assert.Equal(t, bits(want), bits(got), "fall, %d", n)
	}
}

func TestWhatLiesBehindARowIsLeftAlone(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 6))
	x, out := row(r, 40), make([]float32, 40)
	for i := range out {
		out[i] = 7
	}
	lanes.Affine(out[:13], x, x, 1, 1, 0)
	lanes.Mix(out[:13], x, x, x)
	lanes.Fall(out[:13], x, 1, 1)
	for _, v := range out[13:] {
		assert.EqualValues(t, 7, v)
	}
}

package node

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Values are bounded two at a time; that agrees with looking at each, for planes of any length that begin anywhere, also of
// one value alone (which has no pair to point at: the race detector ends a program that does).
func TestBoundAgreesWithItsPlainTwin(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 7))
	odd := []float32{0, float32(math.Copysign(0, -1)), 1, -1, MaxValue, -MaxValue, math.Nextafter32(MaxValue, math.MaxFloat32), -math.Nextafter32(MaxValue, math.MaxFloat32), math.Nextafter32(MaxValue, 0),
		math.MaxFloat32, float32(math.Inf(1)), float32(math.Inf(-1)), float32(math.NaN()), math.SmallestNonzeroFloat32}
	for n := range 40 {
		for range 60 {
			all := make([]float32, n+3)
			for i := range all {
				if all[i] = rnd.Float32() * 100; rnd.IntN(8) == 0 {
					all[i] = odd[rnd.IntN(len(odd))]
				}
			}
			p := append(make([]float32, 0, n), all[rnd.IntN(4):][:n]...)
			ok, want := true, make([]float32, n)
			for i, v := range p {
				ok = ok && v >= -MaxValue && v <= MaxValue
				if want[i] = max(-MaxValue, min(MaxValue, v)); v != v {
					want[i] = 0
				}
			}
			assert.Equal(t, ok, allBounded(p), "%v", p)
			Bound(p)
			assert.Equal(t, want, p)
		}
	}
	one := []float32{3}
	Bound(one)
	assert.Equal(t, []float32{3}, one)
}

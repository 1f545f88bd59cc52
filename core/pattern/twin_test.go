package pattern

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plainMeans returns how much ink there is at each of so many ranks from low on, place by place.
func plainMeans(rank, wide []float32, low, step float32, steps int) []float32 {
	mean := make([]float32, steps+1)
	for j := range mean {
		sum, x := 0.0, low+float32(j)*step
		for i, r := range rank {
			sum += float64(fade(x-r, wide[i]))
		}
		mean[j] = float32(sum / float64(len(rank)))
	}
	return mean
}

func TestMeansOfInkAsByThePlainWay(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 40 {
		n := 1 + r.IntN(500)
		rank, wide := make([]float32, n), make([]float32, n)
		most := float32(math.Exp(r.Float64()*8 - 6)) // from a 400th of all ranks to several times as many
		widest := float32(0)
		for i := range rank {
			rank[i], wide[i] = r.Float32(), 1e-4+most*r.Float32()
			widest = max(widest, wide[i])
		}
		low, step := -widest/2, (1+widest)/calibrated
		got := means(rank, wide, low, step)
		for j, want := range plainMeans(rank, wide, low, step, calibrated) {
			require.InDelta(t, want, got[j], 1e-7, "%d of %d places, %g wide", j, n, most)
		}
	}
}

// plainStippled is stippled with every distance as it is defined.
func plainStippled(size float64) *Screen {
	const n = stippleSide
	radius := size / 2 / StippleCells
	key, second := make([]float64, n*n), make([]float64, n*n)
	for i := range key {
		key[i], second[i] = math.Inf(1), math.Inf(1)
	}
	dots := scattered()
	reach := int(math.Ceil(3 * n / StippleCells))
	for k, dot := range dots {
		cx, cy := int(dot[0]*n), int(dot[1]*n)
		for dy := -reach; dy <= reach; dy++ {
			for dx := -reach; dx <= reach; dx++ {
				i := (cy+dy)&(n-1)*n + (cx+dx)&(n-1)
				d := math.Sqrt(torus((float64(cx+dx)+0.5)/n-dot[0], (float64(cy+dy)+0.5)/n-dot[1]))
				if d < radius {
					key[i] = min(key[i], float64(k)/float64(len(dots))+8/float64(len(dots))*d*d/radius/radius)
				}
				second[i] = min(second[i], d)
			}
		}
	}
	for i, v := range key {
		if math.IsInf(v, 1) {
			key[i] = 3 + second[i]
		}
	}
	return ranked(n, StippleCells, key, second)
}

func TestAStippleIsThatOfThePlainWay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	assert.Equal(t, plainStippled(0.75).rank, stippled(0.75).rank)
}

package picture_test

import (
	"math"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/picture"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// The first position is the middle, all lie within the pixel apart from each other, and their mean is the middle.
func TestPositionsAreCentredOnThePixel(t *testing.T) {
	for n := 1; n <= picture.MaxSamples; n++ {
		assert.Equal(t, [2]float32{0.5, 0.5}, picture.Position(0, n))
		var mean [2]float64
		seen := map[[2]float32]bool{}
		for k := range n {
			p := picture.Position(k, n)
			for a, x := range p {
				require.GreaterOrEqual(t, x, float32(0), "%d of %d", k, n)
				require.Less(t, x, float32(1), "%d of %d", k, n)
				mean[a] += float64(x) / float64(n)
			}
			require.False(t, seen[p], "%d of %d", k, n)
			seen[p] = true
		}
		if n != 2 {
			assert.InDelta(t, 0.5, mean[0], 1e-6, n)
			assert.InDelta(t, 0.5, mean[1], 1e-6, n)
		}
	}
	for k := range 4 {
		assert.Equal(t, picture.Position(k, 4), picture.Position(k, 16), "what is shown at four of sixteen is centred too")
	}
}

// The share of a pixel beside a straight edge comes out nearer than a plain additive recurrence would give it.
func TestPositionsTellTheShareBesideAnEdge(t *testing.T) {
	slip := func(n int) float64 {
		var sum, count float64
		for a := range 90 {
			s, c := math.Sincos(float64(a) * math.Pi / 90)
			at, even := make([]float64, n), make([]float64, 0, 1<<10)
			for k := range n {
				p := picture.Position(k, n)
				at[k] = float64(p[0])*c + float64(p[1])*s
			}
			for i := range 1 << 10 {
				even = append(even, (float64(i%32)+0.5)/32*c+(float64(i/32)+0.5)/32*s)
			}
			sort.Float64s(at)
			sort.Float64s(even)
			for i := range 100 {
				x := even[0] + (even[len(even)-1]-even[0])*(float64(i)+0.5)/100
				d := float64(sort.SearchFloat64s(at, x))/float64(n) - float64(sort.SearchFloat64s(even, x))/float64(len(even))
				sum, count = sum+d*d, count+1
			}
		}
		return math.Sqrt(sum / count)
	}
	// The recurrence alone: 0.154, 0.071, 0.021.
	assert.Less(t, slip(4), 0.105)
	assert.Less(t, slip(16), 0.042)
	assert.Less(t, slip(64), 0.017)
}

// A picture lies where it should: the mean place of a bright square's cover is its middle, at any number of positions.
func TestAPictureDoesNotLieToOneSide(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	sc.Stage.Camera = stage.Camera{Distance: 3, Angle: 40, Ortho: true}
	sc = stagetest.Again(t, sc)
	net := look(t, `{"id":"end","kind":"Finish","in":{"colour":"#000000"}}`)
	const h = 61
	for _, n := range []int{1, 4, 7, 16} {
		render(t, picture.NewRenderer(2), job(sc, net, h, h, n), func(res *picture.Result) {
			var x, y, all float64
			for i := range h * h {
				_, a := res.At(i)
				x += (float64(i%h) + 0.5) * float64(a)
				y += (float64(i/h) + 0.5) * float64(a)
				all += float64(a)
			}
			require.Positive(t, all)
			assert.InDelta(t, h/2., x/all, 0.01, "%d positions", n)
			assert.InDelta(t, h/2., y/all, 0.01, "%d positions", n)
		})
	}
}

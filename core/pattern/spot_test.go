package pattern

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Ink comes to each spot by how far a place lies from its middle, in the measure of its shape; each is the same mirrored.
func TestSpotsGrowInTheirShapes(t *testing.T) {
	for _, p := range [][2]float64{{0.1, 0.4}, {0.4, 0.1}, {0.3, 0.3}, {0.05, 0.02}, {0.45, 0.15}} {
		a, b := p[0], p[1]
		bar := func(long, across float64) float64 { return math.Max(long, 3*across) } // a bar three times as long as it is wide
		for spot, want := range map[Spot]float64{
			Round: math.Sqrt(a*a + b*b), Square: math.Max(a, b), Diamond: a + b, Ellipse: math.Sqrt(a*a + 2.56*b*b), Line: b,
			Ring: math.Abs(math.Sqrt(a*a+b*b) - 0.28), Cross: math.Min(bar(a, b), bar(b, a)), Both: -math.Cos(2*math.Pi*a) - math.Cos(2*math.Pi*b),
		} {
			for _, sign := range [][2]float64{{1, 1}, {-1, 1}, {1, -1}, {-1, -1}} {
				assert.InDelta(t, want, spot.grown(sign[0]*a, sign[1]*b), 1e-12, "%s at %v", spot, p)
			}
		}
	}
}

package contour

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/vec"
)

// Faces of a flat panel have one normal but for rounding; those of the finest ball that is drawn do not.
func TestWhatIsLevel(t *testing.T) {
	up := vec.V{0, 1, 0}
	tilted := func(radian float64) vec.V {
		sin, cos := math.Sincos(radian)
		return vec.V{float32(sin), float32(cos), 0}
	}
	assert.True(t, level(up, up, up))
	assert.True(t, level(up, tilted(3e-5), up))
	assert.False(t, level(up, tilted(2e-4), up))
	assert.False(t, level(up, up, tilted(2e-4)))
	assert.False(t, level(tilted(2e-4), up, up))
}

package live

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestPicturesForTheHandAreAsLargeAsLetsThemFollow(t *testing.T) {
	// play draws pictures that take so long at full size, and the first of a size more.
	play := func(c *pace, part float64, whole, first time.Duration, n int) float64 {
		last := 0.0
		for range n {
			took := time.Duration(part * part * float64(whole))
			if part != last {
				took += first
			}
			last, part = part, c.next(part, took)
		}
		return part
	}
	for _, whole := range []time.Duration{40, 90, 160, 216, 400} {
		whole *= time.Millisecond
		for _, from := range []float64{0.25, 0.5, 1} {
			var c pace
			part := play(&c, from, whole, 100*time.Millisecond, 40)
			took := time.Duration(part * part * float64(whole))
			assert.Less(t, took, targetTime*5/4, "%v from %v: %v", whole, from, part)
			assert.True(t, part == 1 || took > targetTime*7/10, "%v from %v: no larger than %v", whole, from, part)
			assert.Equal(t, part, play(&c, part, whole, 0, 20), "%v from %v: it rests there", whole, from)
		}
	}
	var c pace
	assert.InDelta(t, leastPart, play(&c, 0.5, 10*time.Second, 0, 40), 1e-9, "at least so large")
}

func TestOneLatePictureDoesNotMakeTheNextSmaller(t *testing.T) {
	c := pace{part: 0.5}
	good, late := targetTime*95/100, 3*targetTime
	for i, took := range []time.Duration{good, good, late, good, late, good} {
		assert.Equal(t, 0.5, c.next(0.5, took), "picture %d", i)
	}
	c.next(0.5, late)
	assert.Less(t, c.next(0.5, late), 0.5, "two in a row do")
}

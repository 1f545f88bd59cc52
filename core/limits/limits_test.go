package limits_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/limits"
)

func ExampleCheck() {
	fmt.Println(limits.Check("the gain", 0.7, 0, 0.5))
	// Output: the gain is 0.7, outside 0 to 0.5
}

func TestBothEndsAreWithin(t *testing.T) {
	assert.NoError(t, limits.Check("v", 0, 0, 1))
	assert.NoError(t, limits.Check("v", 1, 0, 1))
	for _, v := range []float64{math.Nextafter(0, -1), math.Nextafter(1, 2), math.NaN(), math.Inf(1), math.Inf(-1)} {
		assert.Error(t, limits.Check("v", v, 0, 1), "%v", v)
	}
}

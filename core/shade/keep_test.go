package shade

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/sample"
)

// A light that moves leaves a finding at each step; those of the lights that stay are
// asked for at each step, and stay.
func TestFindingsThatAreAskedForStay(t *testing.T) {
	f := NewFindings(&sample.Points{N: 2}, nil)
	one := func() *found { return &found{planes: [][]float32{{1, 2}}} }
	stays := one()
	f.keep("stays", stays)
	for i := range 3 * maxFound {
		f.keep(fmt.Sprint("moves", i), one())
		assert.Same(t, stays, f.get("stays"), "after %d", i)
	}
	assert.Len(t, f.found, maxFound)
	assert.Equal(t, 8*maxFound, f.Bytes())
	assert.Nil(t, f.get("moves0"))
	assert.NotNil(t, f.get(fmt.Sprint("moves", 3*maxFound-1)))
	assert.NotNil(t, f.get("stays"))
	f.Shed(8*(maxFound-2) - 1) // in whole findings
	assert.Len(t, f.found, 2)
	assert.Same(t, stays, f.get("stays"))
	f.Shed(0)
	assert.Len(t, f.found, 2)
	f.Shed(1 << 30)
	assert.Zero(t, f.Bytes())
}

package picture

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/budget"
)

// A renderer that a slip has left half made can be closed, and its account is empty then.
func TestARendererIsClosedWhateverStateItIsIn(t *testing.T) {
	b := budget.New(1 << 20)
	r := NewRenderer(1)
	r.Under(b)
	r.account.Set(1000)
	r.groups = make([]group, 2) // without points
	assert.NotPanics(t, r.Close)
	assert.Zero(t, b.Used())
	assert.NotPanics(t, r.Close, "twice is nothing")
}

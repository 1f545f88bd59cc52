package find

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Words are as alike as the pairs of letters that they share, beginnings counted (Dice 1945).
func TestWordsAreAlikeByTheirPairs(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want float64
	}{{"night", "night", 1}, {"night", "nacht", 2 * 2.0 / 10}, {"a", "b", 0}, {"", "", 0}, {"", "a", 0}, {"aa", "aaa", 4.0 / 5}, {"line", "lines", 8.0 / 9}} {
		assert.InDelta(t, c.want, alike(c.a, c.b), 1e-9, "%q and %q", c.a, c.b)
		assert.InDelta(t, c.want, alike(c.b, c.a), 1e-9, "%q and %q", c.b, c.a)
	}
}

package find

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var harbour = New([]Thing{
	{Name: "Lantern", Words: []string{"lamp", "light on a pole"}, Family: "light", Says: "Shines on the quay at night."},
	{Name: "Bell buoy", Words: []string{"colour mark", "float"}, Family: "mark", Parts: []string{"clapper"}, Says: "Rings in the swell."},
	{Name: "Quantised chart", Words: []string{"map", "depths"}, Family: "paper"},
})

func ExampleIndex_Find() {
	x := New([]Thing{{Name: "Halftone", Words: []string{"dots"}}, {Name: "Hatching", Words: []string{"strokes"}}})
	for _, h := range x.Find("hatched stroke") {
		fmt.Println(h.Thing)
	}
	// Output: 1
}

func first(t *testing.T, typed string) Hit {
	t.Helper()
	hits := harbour.Find(typed)
	require.NotEmpty(t, hits, typed)
	return hits[0]
}

func TestFormsOrderSpellingsAndSlips(t *testing.T) {
	for typed, want := range map[string]int{"lantern": 0, "lanterns": 0, "lamps": 0, "lam": 0, "pole light": 0, "lantren": 0, "bells": 1, "buoy bell": 1, "color mark": 1, "coloured": 1, "clapper": 1, "ringing": 1, "quantized": 2, "quantise": 2,
		"quantization": 2, "depth map": 2, "papers": 2, "the map of depths": 2} {
		h := first(t, typed)
		assert.Equal(t, want, h.Thing, typed)
		assert.False(t, h.Guess, typed)
	}
	assert.True(t, first(t, "zzyzx").Guess, "nothing typed finds nothing")
	assert.Equal(t, 0, first(t, "lntrn").Thing, "the nearest is guessed")
	assert.Empty(t, harbour.Find(" "))
	both := harbour.Find("lamp float")
	require.Len(t, both, 2, "words of two things find both")
	assert.Greater(t, first(t, "bell buoy").Score, first(t, "bell").Score, "a whole name counts more")
}

func TestSlips(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"ink", "ink", 0}, {"hilight", "highlight", 2}, {"hatcihng", "hatching", 1}, {"colr", "color", 1}, {"", "ab", 2}, {"abcdef", "ab", 3}} {
		assert.Equal(t, c.want, slips(c.a, c.b, 2), "%s, %s", c.a, c.b)
		assert.Equal(t, c.want, slips(c.b, c.a, 2), "%s, %s", c.b, c.a)
	}
}

func TestBothSpellingsAreOne(t *testing.T) {
	for a, b := range map[string]string{"colour": "color", "coloured": "colored", "quantise": "quantize", "posterisation": "posterization", "grey": "gray", "centre": "center", "normalising": "normalizing", "modelling": "modeling"} {
		assert.Equal(t, stem(b), stem(a))
	}
	for _, w := range []string{"noise", "contour", "raise"} {
		assert.NotContains(t, stem(w), "z")
	}
	assert.Equal(t, stem("contours"), stem("contour"))
}

// All tells whether every word was found.
func TestWhetherAllWordsAreFound(t *testing.T) {
	x := New([]Thing{{Name: "Rim light"}, {Name: "Harbour noise"}})
	for words, want := range map[string]bool{"rim": true, "rim light": true, "rim noise": false, "harbour rim": false} {
		hits := x.Find(words)
		require.NotEmpty(t, hits, words)
		assert.Equal(t, want, hits[0].All, words)
	}
}

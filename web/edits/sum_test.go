package edits

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSums(t *testing.T) {
	for text, want := range map[string]float64{
		"0.5": 0.5, " 12 ": 12, "-3": -3, "1/4": 0.25, "2*0.1": 0.2, "2×3−1": 5, "40%": 0.4, "40 % + 1": 1.4, "(1+2)÷4": 0.75, "0,5": 0.5, "45°": 45, "1e3": 1000, "2*-3": -6, "1.0e-2*2": 0.02,
		"7/2*2": 7, "1234567.891": 1234567.891, "sqrt(2.25)": 1.5, ".5+.25": 0.75, "3.": 3, "1/0": 0,
	} {
		got, err := sum(text)
		require.NoError(t, err, text)
		assert.InDelta(t, want, got, 1e-9, text)
	}
	for _, text := range []string{"", "x", "1+", "(1", "1 2", "vec3(1)", "1<2", "NaN", "Inf", "0x10", "1_000", "1;2", "--", "%", "1e999", string(make([]byte, 300))} {
		_, err := sum(text)
		assert.Error(t, err, text)
	}
}

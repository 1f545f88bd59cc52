package node_test

import (
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/node"
)

// Of what an artist types what is meant is among the first five, nearly always.
func TestWhatIsTypedFindsWhatIsMeant(t *testing.T) {
	data, err := os.ReadFile("testdata/phrases.txt")
	require.NoError(t, err)
	all, missed := 0, 0
	for line := range strings.Lines(string(data)) {
		phrase, kinds, ok := strings.Cut(strings.TrimSpace(line), " = ")
		if !ok || strings.HasPrefix(line, "#") {
			continue
		}
		all++
		var got []string
		found := node.Catalogue{}.Search(phrase)
		for _, k := range found {
			got = append(got, k.Spec.Kind)
		}
		got = got[:min(5, len(got))]
		for _, k := range strings.Split(kinds, "|") {
			require.NotNil(t, node.Catalogue{}.Kind(k), line)
		}
		if !slices.ContainsFunc(strings.Split(kinds, "|"), func(k string) bool { return slices.Contains(got, k) }) {
			missed++
			t.Logf("%q means %s and finds %v", phrase, kinds, got)
		}
	}
	require.GreaterOrEqual(t, all, 300)
	assert.LessOrEqual(t, missed, all*3/100, "of %d phrases", all)
}

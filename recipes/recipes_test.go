package recipes_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/recipes"
)

func ExampleFind() {
	r, err := recipes.Find("ink")
	fmt.Println(r.File.Name, err)
	// Output: Ink <nil>
}

func TestAtLeastEightRecipesThatReachTheirFinish(t *testing.T) {
	all, err := recipes.All()
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(all), 8)
	seen := map[string]bool{}
	for _, r := range all {
		assert.NotEmpty(t, r.File.Name)
		assert.False(t, seen[r.ID] || seen[r.File.Name])
		seen[r.ID], seen[r.File.Name] = true, true
		flat, err := network.NewGrouped(node.Catalogue{}, r.File.Groups).Flatten(&r.File.Network)
		require.NoError(t, err)
		reached := map[string]bool{}
		var walk func(id string)
		walk = func(id string) {
			if reached[id] {
				return
			}
			reached[id] = true
			for _, in := range flat.Node(id).In {
				for _, w := range in.Wires {
					walk(w.Node)
				}
			}
		}
		walk(flat.Finish().ID)
		for _, d := range flat.Nodes {
			assert.True(t, reached[d.ID], "%s: %s reaches no Finish", r.File.Name, d.ID)
		}
	}
	none, err := recipes.Find("velvet")
	require.NoError(t, err)
	assert.Nil(t, none)
}

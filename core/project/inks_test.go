package project_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
)

// Every ink can be removed, the last one too, whether the press is on or off, and whatever else of it was set.
func TestTheLastInkCanBeRemoved(t *testing.T) {
	for _, before := range [][]project.Edit{
		{{Op: "press.set", Key: "on", Value: true}},
		{{Op: "press.set", Key: "on", Value: true}, {Op: "press.set", Key: "on", Value: false}},
		{{Op: "press.set", Key: "on", Value: true}, {Op: "press.set", Key: "tooth", Value: 0.4}, {Op: "press.set", Key: "on", Value: false}},
		{{Op: "ink.add"}},
	} {
		p := project.New("x")
		now, _, _, err := p.Revise(before)
		require.NoError(t, err)
		for len(now.Stage.Press.Inks) > 0 {
			next, _, _, err := now.Revise([]project.Edit{{Op: "ink.remove", ID: now.Stage.Press.Inks[0].ID}})
			require.NoError(t, err, "%v", before)
			assert.Len(t, next.Stage.Press.Inks, len(now.Stage.Press.Inks)-1)
			now = next
		}
	}
}

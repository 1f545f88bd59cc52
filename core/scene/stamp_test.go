package scene_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
	"mobanta/core/scene"
)

// A stamp depends on what is seen at the moment, and on nothing else.
func TestAStampIsOfWhatIsSeen(t *testing.T) {
	p := project.New("p")
	do := func(edits ...project.Edit) {
		t.Helper()
		for i := range edits {
			_, err := p.Apply(&edits[i])
			require.NoError(t, err)
		}
	}
	do(project.Edit{Op: "model.add", Kind: "sphere"}, project.Edit{Op: "look.add", Name: "not worn"}, project.Edit{Op: "swatch.add"})
	view := scene.View{W: 64, H: 48, Look: "look1"}
	at := func(seconds float64) scene.Key {
		t.Helper()
		q := *p
		q.Stage.Time.At = seconds
		k, err := scene.Stamp(&q, view)
		require.NoError(t, err)
		return k
	}
	assert.False(t, scene.Moves(p))
	still := at(0)
	assert.Equal(t, still, at(1.3), "nothing moves")
	do(project.Edit{Op: "project.rename", Name: "q"}, project.Edit{Op: "node.set", Look: "look2", Node: "n3", Key: "angle", Value: 30.0},
		project.Edit{Op: "time.set", Key: "first", Value: 1.0}, project.Edit{Op: "node.rename", Look: "look1", Node: "n1", Name: "n1"}, project.Edit{Op: "node.rename", Look: "look1", Node: "n1", Name: ""},
		project.Edit{Op: "dial.add", Look: "look1", Node: "n3", Key: "width"})
	assert.Equal(t, still, at(0), "what is not seen")
	for name, v := range map[string]scene.View{"size": {W: 65, H: 48, Look: "look1"}, "peek": {W: 64, H: 48, Look: "look1", Peek: "n1.tone"}, "plate": {W: 64, H: 48, Look: "look1", Plate: "black"}, "before": {W: 64, H: 48, Look: "look1", Before: true}} {
		k, err := scene.Stamp(p, v)
		require.NoError(t, err)
		assert.NotEqual(t, still, k, name)
	}
	do(project.Edit{Op: "move.add", Value: "light/sun/azimuth"}, project.Edit{Op: "move.set", ID: "move1", Key: "end", Value: 0.5})
	assert.True(t, scene.Moves(p))
	assert.Equal(t, still, at(0), "where it begins it is as it was")
	assert.NotEqual(t, still, at(1))
	assert.Equal(t, still, at(3), "after the move all is as it was")
	before := at(1)
	do(project.Edit{Op: "move.add", Value: "light/sun/strength"}, project.Edit{Op: "move.set", ID: "move2", Key: "begin", Value: 0.6})
	assert.Equal(t, before, at(1), "a move that begins later")
	assert.NotEqual(t, still, at(3.2))
	do(project.Edit{Op: "time.set", Key: "hold", Value: 2.0})
	assert.Equal(t, at(1), at(1+1.0/12), "held")
	do(project.Edit{Op: "move.set", ID: "move1", Key: "off", Value: true}, project.Edit{Op: "move.remove", ID: "move2"})
	assert.False(t, scene.Moves(p))
	do(project.Edit{Op: "node.add", Look: "look1", Kind: "time"})
	assert.True(t, scene.Moves(p), "a node that reads the time")
	assert.NotEqual(t, at(0), at(1))
}

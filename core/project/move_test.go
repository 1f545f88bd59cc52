package project_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/move"
	"mobanta/core/network"
	"mobanta/core/project"
)

// staged is a project with a ball, a dial and a swatch.
func staged(t *testing.T) *project.Project {
	t.Helper()
	p := project.New("p")
	do(t, p, project.Edit{Op: "model.add", Kind: "sphere"}, project.Edit{Op: "dial.add", Look: "look1", Node: "n3", Key: "width"},
		project.Edit{Op: "swatch.add", Value: "#D4843F"}, project.Edit{Op: "swatch.use", Look: "look1", Node: "n3", Key: "colour", ID: "c1"})
	return p
}

func do(t *testing.T, p *project.Project, edits ...project.Edit) (last project.Outcome) {
	t.Helper()
	for i := range edits {
		var err error
		last, err = p.Apply(&edits[i])
		require.NoError(t, err, "%+v", edits[i])
	}
	return last
}

func at(t *testing.T, p *project.Project, seconds float64) *project.Project {
	t.Helper()
	q := p.Clone()
	q.Stage.Time.At = seconds
	return q.Moment()
}

// Everything that is offered can be moved, is moved, and leaves the document's own value as it is.
func TestAllThatIsOfferedMoves(t *testing.T) {
	p := staged(t)
	do(t, p, project.Edit{Op: "light.add", Kind: "disc"})
	all := p.Movables()
	require.Greater(t, len(all), 15)
	for _, m := range all {
		q := p.Clone()
		own := q.Reading(m.Of)
		require.NotNil(t, own, m.Title())
		o := do(t, q, project.Edit{Op: "move.add", Value: m.Key()})
		require.NoError(t, q.Settle(), m.Title())
		assert.Equal(t, own, q.Reading(m.Of), m.Title())
		assert.Equal(t, own, at(t, q, 0).Reading(m.Of), "%s begins where it is", m.Title())
		there := at(t, q, 2).Reading(m.Of)
		far := 0.0
		for k := range own {
			far += math.Abs(there[k] - own[k])
		}
		assert.Greater(t, far, 0.02, "%s is elsewhere in the middle of the loop", m.Title())
		want := move.Value(nil)
		for i := range q.Moves {
			want = q.Moves[i].To
		}
		for k := range want {
			assert.InDelta(t, want[k], there[k], 1e-5, m.Title())
		}
		do(t, q, project.Edit{Op: "move.remove", ID: o.Created})
		assert.Same(t, q, q.Moment(), "nothing moves: nothing is copied")
	}
}

func TestASwatchThatMovesIsFollowed(t *testing.T) {
	p := staged(t)
	do(t, p, project.Edit{Op: "move.add", Value: "swatch/c1/"}, project.Edit{Op: "move.set", ID: "move1", Key: "to", Value: "#336699"})
	ink := func(p *project.Project) color.C {
		n := p.Look("look1").Node("n3")
		return n.In["colour"].Value.(color.C)
	}
	assert.Equal(t, "#D4843F", ink(at(t, p, 0)).Hex())
	assert.Equal(t, "#336699", ink(at(t, p, 2)).Hex(), "to the byte")
	half := ink(at(t, p, 1)).Hex()
	assert.NotEqual(t, "#D4843F", half)
	assert.NotEqual(t, "#336699", half)
}

// The hand on what moves sets the end that it stands at; in between the whole move shifts by as much. What is not moved
// is changed as ever.
func TestTheHandSetsTheEndOfAMove(t *testing.T) {
	turn := func(az float64) project.Edit {
		return project.Edit{Op: "camera.set", Value: map[string]any{"azimuth": az}}
	}
	p := staged(t)
	own := p.Stage.Camera.Azimuth
	do(t, p, project.Edit{Op: "move.add", Value: "camera//azimuth"}, project.Edit{Op: "move.set", ID: "move1", Key: "way", Value: "steady"})
	m := func() *move.Move { return &p.Moves[0] }
	o := do(t, p, turn(10))
	assert.Contains(t, o.Note, "from there")
	assert.Equal(t, move.Value{10}, m().From)
	to := m().To[0]
	do(t, p, project.Edit{Op: "time.set", Key: "at", Value: 47.0 / 12}) // the last of 48 frames
	o = do(t, p, turn(100))
	assert.Contains(t, o.Note, "to there")
	assert.InDelta(t, 10, m().From[0], 1e-9)
	assert.NotEqual(t, to, m().To[0])
	assert.InDelta(t, 100, p.Moment().Stage.Camera.Azimuth, 1e-6, "it is where the hand left it")
	do(t, p, project.Edit{Op: "time.set", Key: "at", Value: 2.0})
	seen := p.Moment().Stage.Camera.Azimuth
	o = do(t, p, turn(seen+5))
	assert.Contains(t, o.Note, "shifted")
	assert.InDelta(t, 15, m().From[0], 1e-6)
	assert.InDelta(t, seen+5, p.Moment().Stage.Camera.Azimuth, 1e-6)
	assert.Equal(t, own, p.Stage.Camera.Azimuth, "the document's own value waits for the move to be gone")
	do(t, p, project.Edit{Op: "camera.set", Value: map[string]any{"elevation": 33.0}})
	assert.EqualValues(t, 33, p.Stage.Camera.Elevation)
	do(t, p, project.Edit{Op: "move.set", ID: "move1", Key: "off", Value: true}, turn(70))
	assert.EqualValues(t, 70, p.Stage.Camera.Azimuth, "a move that is off moves nothing")
}

func TestATurntableAndADayCloseTheirLoops(t *testing.T) {
	p := staged(t)
	do(t, p, project.Edit{Op: "move.turntable"}, project.Edit{Op: "move.day"})
	require.Len(t, p.Moves, 4)
	assert.Empty(t, p.Open())
	do(t, p, project.Edit{Op: "move.turntable"}, project.Edit{Op: "move.day"})
	assert.Len(t, p.Moves, 4, "they are made once")
	noon, night := at(t, p, 2).Stage.Lights[0], at(t, p, 0).Stage.Lights[0]
	assert.InDelta(t, p.Stage.Lights[0].Azimuth, noon.Azimuth, 1e-6, "noon is where the sun stands")
	assert.Negative(t, night.Elevation)
	assert.Less(t, night.Strength, noon.Strength)
	assert.InDelta(t, at(t, p, 1).Stage.Camera.Azimuth-90, at(t, p, 0).Stage.Camera.Azimuth, 1e-6)
	do(t, p, project.Edit{Op: "move.set", ID: p.Moves[2].ID, Key: "way", Value: "eased"})
	open := p.Open()
	require.Len(t, open, 1)
	assert.Equal(t, "Key sun, elevation", open[0].Title())
	do(t, p, project.Edit{Op: "light.remove", ID: "sun"})
	require.NoError(t, p.Settle())
	assert.Len(t, p.Moves, 1, "the sun's moves go with it")
	_, err := p.Apply(&project.Edit{Op: "move.day"})
	assert.ErrorContains(t, err, "needs a sun")
}

// On twos two frames show one moment.
func TestFramesAreHeld(t *testing.T) {
	p := staged(t)
	do(t, p, project.Edit{Op: "move.turntable"}, project.Edit{Op: "time.set", Key: "hold", Value: 2.0})
	az := func(frame int) float64 { return at(t, p, float64(frame)/12).Stage.Camera.Azimuth }
	assert.Equal(t, az(4), az(5))
	assert.NotEqual(t, az(5), az(6))
	for _, v := range []any{0.5, 13.0, "two"} {
		_, err := p.Clone().Apply(&project.Edit{Op: "time.set", Key: "hold", Value: v})
		assert.Error(t, err, "%v", v)
	}
}

func TestBadMovesAreRefusedInWords(t *testing.T) {
	p := staged(t)
	do(t, p, project.Edit{Op: "move.add", Value: "camera//elevation"})
	for why, e := range map[string]project.Edit{
		"nothing that can move": {Op: "move.add", Value: "camera//roll"},
		"all the way round":     {Op: "move.set", ID: "move1", Key: "way", Value: "round"},
		"ends after it begins":  {Op: "move.set", ID: "move1", Key: "begin", Value: 1.5},
		"whole number":          {Op: "move.set", ID: "move1", Key: "times", Value: 1.5},
		"is 1 numbers":          {Op: "move.set", ID: "move1", Key: "to", Value: []any{1.0, 2.0}},
		"two numbers":           {Op: "move.set", ID: "move1", Key: "curve", Value: []any{[]any{1.0}}},
		"any more":              {Op: "move.set", ID: "move9", Key: "times", Value: 1.0},
	} {
		_, err := p.Clone().Apply(&e)
		assert.ErrorContains(t, err, why)
	}
	o := do(t, p, project.Edit{Op: "move.set", ID: "move1", Key: "to", Value: 500.0})
	assert.Empty(t, o.Note)
	assert.InDelta(t, 89.9, p.Moves[0].To[0], 1e-9, "as far as it goes")
}

// A dial's number is held to its range, also where the curve runs beyond.
func TestADialStaysInItsRange(t *testing.T) {
	p := staged(t)
	do(t, p, project.Edit{Op: "dial.add", Look: "look1", Node: "n1", Key: "wrap"}, project.Edit{Op: "move.add", Value: "dial/look1/d2"},
		project.Edit{Op: "move.set", ID: "move1", Key: "to", Value: 1.0}, project.Edit{Op: "move.set", ID: "move1", Key: "way", Value: "drawn"},
		project.Edit{Op: "move.set", ID: "move1", Key: "curve", Value: []any{[]any{0.0, 0.0}, []any{0.5, 2.0}, []any{1.0, 0.0}}})
	n := at(t, p, 2).Look("look1").Node("n1")
	assert.EqualValues(t, 1, n.Set["wrap"])
	do(t, p, project.Edit{Op: "wire", Look: "look1", From: "n3.lines", To: "n4.lines"})
	assert.NotNil(t, p.Movable(move.Of{What: "dial", ID: "look1", Key: "d1"}))
	var none network.Network
	assert.Nil(t, none.Finish())
}

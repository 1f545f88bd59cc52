package move_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/move"
)

// Each way at places of which it is known where it must be.
func TestWaysAreWhatTheySay(t *testing.T) {
	for _, c := range []struct {
		name string
		m    move.Move
		want map[float64]float64 // phase → how far
	}{
		{"there and back", move.Move{}, map[float64]float64{0: 0, 0.25: 0.5, 0.5: 1, 0.75: 0.5, 1: 0}},
		{"twice there and back", move.Move{Times: 2}, map[float64]float64{0: 0, 0.25: 1, 0.5: 0, 0.75: 1, 1: 0}},
		{"steady", move.Move{Way: move.Steady}, map[float64]float64{0: 0, 0.3: 0.3, 1: 1}},
		{"steady over a part", move.Move{Way: move.Steady, Begin: 0.25, End: 0.75}, map[float64]float64{0: 0, 0.2: 0, 0.5: 0.5, 0.75: 1, 0.9: 1}},
		{"eased", move.Move{Way: move.Eased}, map[float64]float64{0: 0, 0.25: 0.15625, 0.5: 0.5, 1: 1}},
		{"round", move.Move{Way: move.Round}, map[float64]float64{0: 0, 0.25: 0.25, 1: 1}},
		{"round the other way, twice", move.Move{Way: move.Round, Times: -2}, map[float64]float64{0.25: -0.5, 1: -2}},
		{"stepped", move.Move{Way: move.Stepped, Steps: 3}, map[float64]float64{0: 0, 0.3: 0, 0.34: 0.5, 0.6: 0.5, 0.67: 1, 1: 1}},
		{"drawn", move.Move{Way: move.Drawn, Curve: []move.Point{{X: 0, Y: 0.2}, {X: 0.4, Y: 1}, {X: 1, Y: -0.5}}}, map[float64]float64{0: 0.2, 0.4: 1, 1: -0.5}},
	} {
		c.m.From, c.m.To = move.Value{0}, move.Value{1}
		require.NoError(t, c.m.Check(1, true), c.name)
		for phase, want := range c.want {
			assert.InDelta(t, want, c.m.Along(phase), 1e-9, "%s at %v", c.name, phase)
		}
	}
}

// A drawn curve goes through its points, overshoots none, and has no kinks.
func TestADrawnCurveIsSmoothAndOvershootsNothing(t *testing.T) {
	m := move.Move{Way: move.Drawn, Curve: []move.Point{{X: 0, Y: 0}, {X: 0.1, Y: 0.9}, {X: 0.5, Y: 1}, {X: 0.55, Y: 0.2}, {X: 1, Y: 0.1}}}
	last, slope := m.Along(0), math.NaN()
	for k := 1; k <= 10000; k++ {
		y := m.Along(float64(k) / 10000)
		require.GreaterOrEqual(t, y, -1e-12)
		require.LessOrEqual(t, y, 1+1e-12)
		s := (y - last) * 10000
		if !math.IsNaN(slope) {
			require.Less(t, math.Abs(s-slope), 0.5, "no kink at %d", k)
		}
		last, slope = y, s
	}
	for _, p := range m.Curve {
		assert.InDelta(t, p.Y, m.Along(p.X), 1e-9)
	}
}

func TestAMoveIsChecked(t *testing.T) {
	ok := func() move.Move { return move.Move{From: move.Value{0}, To: move.Value{1}} }
	m := ok()
	require.NoError(t, m.Check(1, false))
	for name, change := range map[string]func(m *move.Move){
		"size":       func(m *move.Move) { m.From = move.Value{0, 1} },
		"nan":        func(m *move.Move) { m.To[0] = math.NaN() },
		"begin":      func(m *move.Move) { m.Begin = 1 },
		"end":        func(m *move.Move) { m.Begin, m.End = 0.5, 0.4 },
		"way":        func(m *move.Move) { m.Way = "sideways" },
		"round":      func(m *move.Move) { m.Way = move.Round },
		"times":      func(m *move.Move) { m.Times = -1 },
		"steps":      func(m *move.Move) { m.Steps = 1 },
		"one point":  func(m *move.Move) { m.Curve = []move.Point{{X: 0, Y: 0}} },
		"order":      func(m *move.Move) { m.Curve = []move.Point{{X: 0}, {X: 0.6}, {X: 0.5}, {X: 1}} },
		"not to end": func(m *move.Move) { m.Curve = []move.Point{{X: 0}, {X: 0.6}} },
		"too high":   func(m *move.Move) { m.Curve = []move.Point{{X: 0, Y: 3}, {X: 1}} },
	} {
		m := ok()
		change(&m)
		assert.Error(t, m.Check(1, false), name)
	}
}

// Of several moves of one value the one that began last is followed; before any begins, the first to come.
func TestMovesTakeOverFromEachOther(t *testing.T) {
	a, b := &move.Move{ID: "a", Begin: 0.5}, &move.Move{ID: "b", Begin: 0.1, End: 0.4}
	for phase, want := range map[float64]string{0: "b", 0.1: "b", 0.45: "b", 0.5: "a", 0.9: "a"} {
		assert.Equal(t, want, move.Acting([]*move.Move{a, b}, phase).ID, "%v", phase)
	}
	assert.Nil(t, move.Acting(nil, 0.3))
}

// Where the hand sets an end: at the beginning, and where the move is at To.
func TestEndsOfAMove(t *testing.T) {
	const slack = 0.02
	back, steady := move.Move{}, move.Move{Way: move.Steady, Begin: 0.2, End: 0.8}
	for phase, want := range map[float64]move.Edge{0: move.Beginning, 0.5: move.Ending, 0.25: move.Between, 0.99: move.Beginning} {
		assert.Equal(t, want, back.EdgeAt(phase, slack), "%v", phase)
	}
	for phase, want := range map[float64]move.Edge{0: move.Beginning, 0.2: move.Beginning, 0.5: move.Between, 0.8: move.Ending, 0.95: move.Ending} {
		assert.Equal(t, want, steady.EdgeAt(phase, slack), "%v", phase)
	}
	assert.InDelta(t, 0.5, back.Top(), 1e-12)
	assert.InDelta(t, 0.8, steady.Top(), 1e-12)
	drawn := move.Move{Way: move.Drawn, Curve: []move.Point{{X: 0}, {X: 0.3, Y: 1}, {X: 1}}}
	assert.InDelta(t, 0.3, drawn.Top(), 1e-12)
}

// Where neighbours are as high, a curve stays there: it overshoots none of its points, and is a number everywhere.
func TestADrawnCurveRestsWhereItIsLevel(t *testing.T) {
	m := move.Move{From: move.Value{0}, To: move.Value{1}, Way: move.Drawn, Curve: []move.Point{{X: 0, Y: 0.2}, {X: 0.25, Y: 0.8}, {X: 0.5, Y: 0.8}, {X: 0.75, Y: 0.8}, {X: 1, Y: 0.2}}}
	require.NoError(t, m.Check(1, false))
	for k := range 101 {
		x := float64(k) / 100
		y := m.At(x, nil)[0]
		require.True(t, y >= 0.2-1e-9 && y <= 0.8+1e-9, "at %v: %v", x, y)
		if x >= 0.25 && x <= 0.75 {
			require.InDelta(t, 0.8, y, 1e-9, "at %v", x)
		}
	}
}

// An end is met from as far as the slack, that far included.
func TestAnEndIsMetWithinTheSlack(t *testing.T) {
	m := move.Move{From: move.Value{0}, To: move.Value{1}}
	for phase, want := range map[float64]move.Edge{0: move.Beginning, 0.125: move.Beginning, 0.25: move.Between, 0.375: move.Ending, 0.5: move.Ending, 0.625: move.Ending, 0.75: move.Between, 0.875: move.Beginning, 1: move.Beginning} {
		assert.Equal(t, want, m.EdgeAt(phase, 0.125), "there and back, at %v", phase)
	}
	m.Way = move.Steady
	for phase, want := range map[float64]move.Edge{0: move.Beginning, 0.125: move.Beginning, 0.25: move.Between, 0.75: move.Between, 0.875: move.Ending, 1: move.Ending} {
		assert.Equal(t, want, m.EdgeAt(phase, 0.125), "steadily, at %v", phase)
	}
}

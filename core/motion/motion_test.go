package motion_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/motion"
	"mobanta/core/vec"
)

// Whatever weights and joints a file has, places are numbers; what does not add up is counted and evened out.
func TestRandomWeightsGiveNoNaN(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	strange := []float32{0, -1, float32(math.NaN()), float32(math.Inf(1)), 1e38, 1e-40, 0.25}
	m := motion.Still([]vec.V{{0, 0, 0}, {0, 1, 0}, {1, 1, 0}, {5, 5, 5}}, []int{-1, 0, 1, 2})
	const n = 10_000
	p := motion.Piece{Rest: make([]vec.V, n), Joints: make([][motion.MaxJoints]uint16, n), Weights: make([][motion.MaxJoints]float32, n)}
	for i := range n {
		p.Rest[i] = vec.V{r.Float32(), r.Float32(), r.Float32()}
		var w [motion.MaxJoints]float32
		for k := range w {
			p.Joints[i][k] = uint16(r.IntN(4))
			if w[k] = r.Float32(); r.IntN(3) == 0 {
				w[k] = strange[r.IntN(len(strange))]
			}
		}
		even, uneven := motion.Even(w)
		if p.Weights[i] = even; uneven {
			m.Uneven++
		}
		sum := 0.0
		for _, v := range even {
			require.GreaterOrEqual(t, v, float32(0))
			sum += float64(v)
		}
		require.True(t, math.Abs(sum-1) < 1e-5 || sum == 0)
	}
	m.Pieces = []motion.Piece{p}
	m.Clips = []motion.Clip{{Name: "c", Length: 1, Channels: []motion.Channel{{Node: 2, Path: motion.Turn, Size: 4, Times: []float32{0, 1}, Values: []float32{0, 0, 0, 0, 1, 0, 0, 0}},
		{Node: 1, Path: motion.Scale, Size: 3, Times: []float32{0, 1}, Values: []float32{0, 0, 0, -3, 1, 1e9}}}}}
	for _, at := range []float64{0, 0.3, 1} {
		for _, v := range m.Pose(&m.Clips[0], at, n) {
			require.True(t, v.Finite())
		}
	}
	assert.Greater(t, m.Uneven, 1000)
}

// A channel is at its keys what they say, before and after them what the nearest says, and between them what its way
// makes of them.
func TestChannelsGoFromKeyToKey(t *testing.T) {
	at := func(c motion.Channel, seconds float32) []float32 {
		out := make([]float32, c.Size)
		c.At(out, seconds)
		return out
	}
	line := motion.Channel{Path: motion.Place, Size: 3, Times: []float32{1, 2, 4}, Values: []float32{0, 0, 0, 1, 2, 3, 5, 2, -1}}
	for seconds, want := range map[float32][]float32{0: {0, 0, 0}, 1: {0, 0, 0}, 1.5: {0.5, 1, 1.5}, 2: {1, 2, 3}, 3: {3, 2, 1}, 4: {5, 2, -1}, 99: {5, 2, -1}} {
		assert.InDeltaSlice(t, want, at(line, seconds), 1e-6, "%v", seconds)
	}
	step := line
	step.Way = motion.Step
	assert.Equal(t, []float32{0, 0, 0}, at(step, 1.99))
	assert.Equal(t, []float32{1, 2, 3}, at(step, 2))
	// t³ between 1 and 3, whose slope is 3t²: a cubic spline is it exactly.
	cube := motion.Channel{Path: motion.Place, Way: motion.Cubic, Size: 2, Times: []float32{1, 3, 4}, Values: []float32{0, 0, 1, -1, 3, -3, 27, -27, 27, -27, 27, -27, 48, -48, 64, -64, 0, 0}}
	for _, x := range []float32{1, 1.5, 2, 2.7, 3, 3.2, 3.9, 4} {
		assert.InDelta(t, x*x*x, at(cube, x)[0], 1e-4)
		assert.InDelta(t, -x*x*x, at(cube, x)[1], 1e-4)
	}
	assert.InDelta(t, 64, at(cube, 8)[0], 1e-6)
	s := float32(math.Sqrt(0.5))
	turn := motion.Channel{Path: motion.Turn, Size: 4, Times: []float32{0, 1}, Values: []float32{0, 0, 0, 1, 0, 0, -s, -s}} // the same quarter turn, said the other way
	half := at(turn, 0.5)
	sin, cos := math.Sincos(math.Pi / 8)
	assert.InDeltaSlice(t, []float32{0, 0, float32(sin), float32(cos)}, half, 1e-6, "along the shorter arc")
	near := motion.Channel{Path: motion.Turn, Size: 4, Times: []float32{0, 1}, Values: []float32{0, 0, 0, 1, 0, 0, 0.001, 1}}
	assert.InDelta(t, 0.0005, at(near, 0.5)[2], 1e-6)
	assert.Equal(t, []float32{7}, func() []float32 { out := []float32{7}; (&motion.Channel{Size: 1}).At(out, 1); return out }(), "no keys, nothing written")
}

// Nodes depend on each other; what has a matrix stands by it until a clip moves it; pieces without a skin go with their
// node, and their targets with its weights.
func TestPoses(t *testing.T) {
	m := &motion.Motion{Nodes: []motion.Node{
		{Parent: -1, Place: vec.V{1, 0, 0}, Turn: motion.Quat{0, 0, 0, 1}, Scale: vec.V{2, 2, 2}},
		{Parent: 0, Matrix: &vec.M{X: vec.V{0, 1, 0}, Y: vec.V{-1, 0, 0}, Z: vec.V{0, 0, 1}, O: vec.V{0, 0, 3}}, Scale: vec.V{1, 1, 1}, Turn: motion.Quat{0, 0, 0, 1}, Morph: []float32{0, 0.5}},
	}}
	m.Pieces = []motion.Piece{{First: 1, Node: 1, Skin: -1, Rest: []vec.V{{1, 0, 0}}, Targets: [][]vec.V{nil, {{0, 2, 0}}}}}
	m.Clips = []motion.Clip{{Name: "c", Length: 1, Channels: []motion.Channel{{Node: 1, Path: motion.Place, Size: 3, Times: []float32{0}, Values: []float32{0, 5, 0}}, {Node: 1, Path: motion.Morph, Size: 2, Times: []float32{0}, Values: []float32{9, 0}}}}}
	rest := m.Pose(nil, 0, 2)
	assert.Equal(t, vec.V{}, rest[0], "what belongs to no piece")
	assert.InDelta(t, 0, rest[1].Sub(vec.V{-1, 2, 6}).Len(), 1e-5, "turned by its matrix, doubled, moved: %v", rest[1])
	now := m.Pose(m.Clip("c"), 0.3, 2)
	assert.InDelta(t, 0, now[1].Sub(vec.V{3, 10, 0}).Len(), 1e-5, "%v", now[1])
	assert.Equal(t, rest[1], m.Pose(nil, 0, 2)[1], "a pose changes nothing")
	assert.Nil(t, m.Clip("none"))
}

// A turn is q p q*, about any axis; and joints bend what depends on them, from bind pose on.
func TestTurnsAndSkins(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 8))
	for range 50 {
		axis := vec.V{r.Float32() - 0.5, r.Float32() - 0.5, r.Float32() - 0.5}.Unit()
		sin, cos := math.Sincos(r.Float64() * 3)
		q := axis.Mul(float32(sin))
		w := float32(cos)
		p, o := vec.V{r.Float32(), r.Float32(), r.Float32()}, vec.V{r.Float32(), 0, 1}
		turned := p.Add(q.Cross(p).Mul(2 * w)).Add(q.Cross(q.Cross(p)).Mul(2))
		m := motion.Still([]vec.V{o, o.Add(vec.V{0, 1, 0})}, []int{-1, 0})
		m.Pieces = []motion.Piece{
			{Skin: 0, Rest: []vec.V{o.Add(p)}, Joints: [][motion.MaxJoints]uint16{{0}}, Weights: [][motion.MaxJoints]float32{{1}}},
			{First: 1, Skin: -1, Node: 0, Rest: []vec.V{p}},
			{First: 2, Skin: 0, Rest: []vec.V{p}, Joints: [][motion.MaxJoints]uint16{{}}, Weights: [][motion.MaxJoints]float32{{}}},
		}
		m.Clips = []motion.Clip{{Name: "t", Length: 1, Channels: []motion.Channel{{Node: 0, Path: motion.Turn, Size: 4, Times: []float32{0}, Values: []float32{q[0], q[1], q[2], w}}}}}
		got := m.Pose(&m.Clips[0], 0, 3)
		require.InDelta(t, 0, got[0].Sub(o.Add(turned)).Len(), 1e-5)
		require.InDelta(t, 0, got[1].Sub(o.Add(turned)).Len(), 1e-5, "and what stands on the node itself")
		require.Equal(t, p, got[2], "what hangs on nothing stays")
		require.InDelta(t, 0, m.Pose(nil, 0, 3)[0].Sub(o.Add(p)).Len(), 1e-6, "bind pose is as it stands")
	}
}

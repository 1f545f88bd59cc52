package frame_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/frame"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
)

// strip draws the node x of a network.
func strip(t *testing.T, w, h int, nodes ...network.Node) func(x, y int) uint8 {
	t.Helper()
	net := &network.Network{Nodes: nodes}
	require.NoError(t, net.Settle(node.Catalogue{}))
	job, err := frame.Strip(net, "x", nil, w, h, 10*h, nil)
	require.NoError(t, err)
	pix := make([]byte, 4*w*h)
	require.NoError(t, picture.NewRenderer(2).Render(context.Background(), job, func(r *picture.Result) { r.RGBA(pix, r.Bounds()) }))
	return func(x, y int) uint8 {
		require.EqualValues(t, 255, pix[4*(y*w+x)+3], "the strip fills its picture")
		return pix[4*(y*w+x)]
	}
}

func typed(pairs map[string]any) (in map[string]network.Input) {
	in = map[string]network.Input{}
	for k, v := range pairs {
		in[k] = network.Input{Value: v}
	}
	return in
}

func TestAStripShowsATextureAtItsSize(t *testing.T) {
	// A checker of tenths: ten squares from end to end, the first about the middle of the model.
	at := strip(t, 600, 40, network.Node{ID: "x", Kind: "checker", In: typed(map[string]any{"sizes": [3]float64{0.1, 0.1, 0.1}})})
	changes := []int{}
	for x := 1; x < 600; x++ {
		if a, b := at(x-1, 10), at(x, 10); (a < 128) != (b < 128) {
			changes = append(changes, x)
		}
	}
	require.GreaterOrEqual(t, len(changes), 9)
	for i := 1; i < len(changes); i++ {
		assert.InDelta(t, 60, changes[i]-changes[i-1], 1.5)
	}
	at(0, 0)
	at(599, 39)
}

func TestAStripShowsReliefInLight(t *testing.T) {
	waves := network.Node{ID: "w", Kind: "waves", In: typed(map[string]any{"spacing": 0.2, "axis": [3]float64{1, 0, 0}})}
	at := strip(t, 400, 30, waves, network.Node{ID: "x", Kind: "bump", In: map[string]network.Input{"height": {Wires: []network.Ref{{Node: "w", Port: "tone"}}}, "depth": {Value: 0.05}}})
	low, high := uint8(255), uint8(0)
	for x := range 400 {
		v := at(x, 15)
		low, high = min(low, v), max(high, v)
	}
	assert.Greater(t, int(high)-int(low), 40, "slopes towards the light are brighter than those away from it")
	for _, k := range (node.Catalogue{}).All() {
		assert.Equal(t, k.Strip != node.NoStrip, node.StripOf(&network.Node{Kind: k.Spec.Kind}) != node.NoStrip)
	}
	assert.Equal(t, node.NoStrip, node.StripOf(&network.Node{Kind: "group:g1"}))
}

// A pattern is printed over all tones, as fine as on the page: here of ten times the strip's height.
func TestAStripShowsAPatternOverAllTones(t *testing.T) {
	at := strip(t, 600, 60, network.Node{ID: "l", Kind: "facing"}, network.Node{ID: "b", Kind: "ramp", In: map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "l", Port: "tone"}}}}},
		network.Node{ID: "x", Kind: "halftone", In: map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "l", Port: "tone"}}}, "ink": {Value: color.C{}}, "density": {Value: 100.0}, "angle": {Value: 0.0}}})
	mean := func(x0, x1 int) float64 {
		sum := 0.0
		for y := range 60 {
			for x := x0; x < x1; x++ {
				sum += float64(color.FromBytes(at(x, y), 0, 0)[0])
			}
		}
		return sum / float64(60*(x1-x0))
	}
	assert.InDelta(t, 0.1, mean(30, 90), 0.03)
	assert.InDelta(t, 0.5, mean(270, 330), 0.03)
	assert.InDelta(t, 0.9, mean(510, 570), 0.03)
	turns := 0
	for x := 281; x < 361; x++ {
		if (at(x-1, 33) < 128) != (at(x, 33) < 128) {
			turns++
		}
	}
	assert.InDelta(t, 2*80/6, turns, 3, "a hundred cells in 600 lines are 6 pixels each")
	printed := strip(t, 300, 30, network.Node{ID: "b", Kind: "ramp"}, network.Node{ID: "x", Kind: "halftone", Set: map[string]any{"inks": "ramp", "laid": "sides"}, In: map[string]network.Input{"paper": {Wires: []network.Ref{{Node: "b", Port: "colour"}}}}})
	assert.EqualValues(t, 0x2B, printed(2, 15), "the darkest band's own colour")
}

package eval_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
)

// A node never hands on NaN or infinity, nor more than MaxValue: every kind, with
// every choice of its settings, fed with what is typed, and with the most that other
// nodes can hand on.
func TestWhatNodesHandOnIsBounded(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	_, env := setup(t)
	env.Scene.Stage.Lights = append(env.Scene.Stage.Lights, stage.NewLight("pt", "pt", light.Point))
	r := rand.New(rand.NewPCG(5, 6))
	typed := []float64{0, math.Copysign(0, -1), 1, -1, 0.5, 1e6, -1e6, 1e-6, -1e-30, 1.0000001, 0.3}
	for _, kind := range (node.Catalogue{}).All() {
		if kind.Spec.Kind == network.FinishKind {
			continue
		}
		for round := range 16 {
			n := &network.Network{Nodes: []network.Node{
				{ID: "big", Kind: "formula", Set: map[string]any{"text": "exp(99.) * (vec3(a, -a, a * a) - 0.5)", "gives": "vector", "inputs": []network.Argument{{Key: "a", Type: network.Tone}}}},
				{ID: "light", Kind: "diffuse-light"},
				{ID: "x", Kind: kind.Spec.Kind},
			}}
			n.Nodes[0].In = map[string]network.Input{"a": {Wires: []network.Ref{{Node: "light", Port: "tone"}}}}
			d := n.Node("x")
			for _, s := range cat.Of(d).Settings {
				switch s.Type {
				case network.Choice:
					d.Set = with(d.Set, s.Key, s.Choices[r.IntN(len(s.Choices))].Key)
				case network.Toggle:
					d.Set = with(d.Set, s.Key, r.IntN(2) == 0)
				case network.Number:
					d.Set = with(d.Set, s.Key, []float64{s.Min, s.Max, s.Min + (s.Max-s.Min)*r.Float64()}[r.IntN(3)])
				}
			}
			for _, p := range cat.Of(d).Inputs {
				val := func() float64 { return typed[r.IntN(len(typed))] }
				in := network.Input{Wires: []network.Ref{{Node: "big", Port: "value"}}}
				if round%2 == 0 && !p.Hidden && p.Type != network.Lines {
					switch p.Type {
					case network.Tone:
						in = network.Input{Value: val()}
					case network.Color:
						in = network.Input{Value: color.C{float32(val()), float32(val()), float32(val())}}
					default:
						in = network.Input{Value: [3]float64{val(), val(), val()}}
					}
				} else if p.Type == network.Lines {
					continue
				}
				d.In = withInput(d.In, p.Key, in)
			}
			if n.Settle(cat) != nil {
				continue // choices that do not go together
			}
			p, err := eval.Compile(n, cat)
			require.NoError(t, err)
			for _, o := range cat.Of(d).Outputs {
				target, _, err := p.Output(network.Ref{Node: "x", Port: o.Key})
				require.NoError(t, err)
				out, err := p.Run(context.Background(), env, []eval.Target{target})
				require.NoError(t, err)
				for k, plane := range out[0] {
					for i, v := range plane {
						if !(v >= -node.MaxValue && v <= node.MaxValue) {
							t.Fatalf("%s.%s[%d] is %v at sample %d: %+v", kind.Spec.Kind, o.Key, k, v, i, d)
						}
					}
				}
			}
		}
	}
}

func with(m map[string]any, key string, v any) map[string]any {
	if m == nil {
		m = map[string]any{}
	}
	m[key] = v
	return m
}

func withInput(m map[string]network.Input, key string, in network.Input) map[string]network.Input {
	if m == nil {
		m = map[string]network.Input{}
	}
	m[key] = in
	return m
}

// Directions that are wired in have length 1 wherever they are read, whatever length
// they came with.
func TestDirectionsAreMadeUnitInOnePlace(t *testing.T) {
	_, env := setup(t)
	for _, kind := range (node.Catalogue{}).All() {
		spec := kind.Spec
		if spec.Input("normal") == nil {
			continue
		}
		require.True(t, spec.Input("normal").Unit, spec.Kind)
		var want [][]node.Plane
		for _, length := range []float64{1, 0.97, 3, 1e-20, 1e5} {
			n := &network.Network{Nodes: []network.Node{
				{ID: "normal", Kind: "normal"},
				{ID: "scaled", Kind: "formula", Set: map[string]any{"text": fmt.Sprintf("v * %v", length), "gives": "vector", "inputs": []network.Argument{{Key: "v", Type: network.Vector}}}, In: map[string]network.Input{"v": {Wires: []network.Ref{{Node: "normal", Port: "vector"}}}}},
				{ID: "x", Kind: spec.Kind, In: map[string]network.Input{"normal": {Wires: []network.Ref{{Node: "scaled", Port: "value"}}}}},
			}}
			require.NoError(t, n.Settle(cat), length)
			out := run(t, n, env, "x")
			if want == nil {
				want = out
			}
			for k := range want[0] {
				for i := range want[0][k] {
					require.InDelta(t, want[0][k][i], out[0][k][i], 2e-3, "%s with normals of length %v", spec.Kind, length)
				}
			}
		}
	}
}

func TestBound(t *testing.T) {
	inf := float32(math.Inf(1))
	above, below := math.Nextafter32(node.MaxValue, inf), math.Nextafter32(node.MaxValue, 0)
	for _, n := range []int{1, 2, 8, 13} { // each place of four pairs, of those left over, and the last
		for at := range n {
			for v, want := range map[float32]float32{inf: node.MaxValue, -inf: -node.MaxValue, float32(math.NaN()): 0, 1e13: node.MaxValue, above: node.MaxValue, -above: -node.MaxValue, -node.MaxValue: -node.MaxValue, below: below, -3e38: -node.MaxValue, node.MaxValue: node.MaxValue, -1e12: -1e12, 1e-40: 1e-40} {
				p := make([]float32, n)
				p[at] = v
				node.Bound(p)
				assert.Equal(t, want, p[at], "%v at %d of %d", v, at, n)
			}
		}
	}
	node.Bound(nil)
}

package main

import (
	"context"
	"fmt"
	"math"
	"testing"

	"mobanta/core/eval"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
)

// formulaAgainstNodes times a Formula beside nodes that do the same maths.
func formulaAgainstNodes() error {
	wire := func(s string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(s)}} }
	op := func(id, name string, a, b network.Input) network.Node {
		return network.Node{ID: id, Kind: "maths", Set: map[string]any{"operation": name}, In: map[string]network.Input{"a": a, "b": b}}
	}
	value := func(v float64) network.Input { return network.Input{Value: v} }
	net := &network.Network{Nodes: []network.Node{
		{ID: "place", Kind: "coordinates"},
		{ID: "parts", Kind: "split", Set: map[string]any{"space": "xyz"}, In: map[string]network.Input{"colour": wire("place.vector")}},
		op("m1", "multiply", wire("parts.x"), value(9)),
		op("m2", "add", wire("m1.value"), wire("parts.y")),
		{ID: "m3", Kind: "maths", Set: map[string]any{"operation": "fraction"}, In: map[string]network.Input{"a": wire("m2.value")}},
		op("m4", "multiply", wire("m3.value"), wire("parts.z")),
		op("m5", "subtract", wire("m4.value"), value(0.25)),
		{ID: "m6", Kind: "maths", Set: map[string]any{"operation": "abs"}, In: map[string]network.Input{"a": wire("m5.value")}},
		op("m7", "max", wire("m6.value"), wire("parts.x")),
		{ID: "m8", Kind: "soft-step", In: map[string]network.Input{"tone": wire("m7.value"), "threshold": value(0.3), "softness": value(0.2)}},
		{ID: "f", Kind: "formula", Set: map[string]any{"text": "smoothstep(0.2, 0.4, max(abs(fract(x * 9.0 + y) * z - 0.25), x))",
			"inputs": []network.Argument{{Key: "x", Type: network.Tone}, {Key: "y", Type: network.Tone}, {Key: "z", Type: network.Tone}}},
			In: map[string]network.Input{"x": wire("parts.x"), "y": wire("parts.y"), "z": wire("parts.z")}},
	}}
	var cat node.Catalogue
	if err := net.Settle(cat); err != nil {
		return err
	}
	p, err := eval.Compile(net, cat)
	if err != nil {
		return err
	}
	set, sc, err := ball()
	if err != nil {
		return err
	}
	set.Resolve(sample.Pos|sample.Normal|sample.Eye|sample.UV, 1)
	env := eval.Env{Set: set, Scene: &node.Scene{Scene: sc}, Workers: 1}
	run := func(ref string) (float64, []float32, error) {
		t, _, err := p.Output(network.ParseRef(ref))
		if err != nil {
			return 0, nil, err
		}
		out, err := p.Run(context.Background(), env, []eval.Target{t})
		if err != nil {
			return 0, nil, err
		}
		base := testing.Benchmark(func(b *testing.B) {
			for b.Loop() {
				p.Run(context.Background(), env, []eval.Target{t})
			}
		})
		return float64(base.NsPerOp()) / float64(set.N), out[0][0], nil
	}
	// The least of several runs: what both read is taken off, and noise would tell.
	below, a, b := math.MaxFloat64, math.MaxFloat64, math.MaxFloat64
	for range 5 {
		floor, _, err := run("parts.x")
		if err != nil {
			return err
		}
		below = min(below, floor)
		nodes, x, err := run("m8.tone")
		if err != nil {
			return err
		}
		formula, y, err := run("f.value")
		if err != nil {
			return err
		}
		for i := range x {
			if math.Abs(float64(x[i]-y[i])) > 1e-5 {
				return fmt.Errorf("sample %d: nodes say %v, the formula %v", i, x[i], y[i])
			}
		}
		a, b = min(a, nodes), min(b, formula)
	}
	a, b = a-below, b-below
	fmt.Printf("formula / the same nodes    %.2f × (%.0f ns against %.0f ns a sample, one core; wanted ≤ 1.5)\n", b/a, b, a)
	return nil
}

package main

import (
	"context"
	"fmt"
	"math"
	"slices"
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
	}}
	// The same sum eight times, each on the result of the one before: as nodes and as formulas.
	const chain = 8
	x, fx := "parts.x", "parts.x"
	for k := range chain {
		id := func(s string) string { return fmt.Sprint(s, "-", k) }
		net.Nodes = append(net.Nodes,
			op(id("m1"), "multiply", wire(x), value(9)),
			op(id("m2"), "add", wire(id("m1")+".value"), wire("parts.y")),
			network.Node{ID: id("m3"), Kind: "maths", Set: map[string]any{"operation": "fraction"}, In: map[string]network.Input{"a": wire(id("m2") + ".value")}},
			op(id("m4"), "multiply", wire(id("m3")+".value"), wire("parts.z")),
			op(id("m5"), "subtract", wire(id("m4")+".value"), value(0.25)),
			network.Node{ID: id("m6"), Kind: "maths", Set: map[string]any{"operation": "abs"}, In: map[string]network.Input{"a": wire(id("m5") + ".value")}},
			op(id("m7"), "max", wire(id("m6")+".value"), wire(x)),
			network.Node{ID: id("m8"), Kind: "soft-step", In: map[string]network.Input{"tone": wire(id("m7") + ".value"), "threshold": value(0.3), "softness": value(0.2)}},
			network.Node{ID: id("f"), Kind: "formula", Set: map[string]any{"text": "smoothstep(0.2, 0.4, max(abs(fract(x * 9.0 + y) * z - 0.25), x))",
				"inputs": []network.Argument{{Key: "x", Type: network.Tone}, {Key: "y", Type: network.Tone}, {Key: "z", Type: network.Tone}}},
				In: map[string]network.Input{"x": wire(fx), "y": wire("parts.y"), "z": wire("parts.z")}})
		x, fx = id("m8")+".tone", id("f")+".value"
	}
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
	env := eval.Env{Points: set, Scene: &node.Scene{Scene: sc}, Workers: 1}
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
	// They give the same; further on differences of rounding grow.
	_, u, err := run("m8-0.tone")
	if err != nil {
		return err
	}
	_, v, err := run("f-0.value")
	if err != nil {
		return err
	}
	for i := range u {
		if math.Abs(float64(u[i]-v[i])) > 1e-5 {
			return fmt.Errorf("sample %d: nodes say %v, the formula %v", i, u[i], v[i])
		}
	}
	// What both read is taken off, round by round; the median round counts.
	var nodes, formulas []float64
	for range 7 {
		below, _, err := run("parts.x")
		if err != nil {
			return err
		}
		a, _, err := run(x)
		if err != nil {
			return err
		}
		b, _, err := run(fx)
		if err != nil {
			return err
		}
		nodes, formulas = append(nodes, a-below), append(formulas, b-below)
	}
	slices.Sort(nodes)
	slices.Sort(formulas)
	a, b := nodes[len(nodes)/2]/chain, formulas[len(formulas)/2]/chain
	fmt.Printf("formula / the same nodes    %.2f × (%.0f ns against %.0f ns a sample, one core; wanted ≤ 1.5)\n", b/a, b, a)
	return nil
}

package main

import (
	"context"
	"fmt"
	"time"

	"mobanta/core/eval"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/trace"
)

// everyKind prints what a sample costs in each kind of node, all its outputs, as it
// comes, its first input wired, or the tone of what prints, and the rest typed; on one core, over a ball at 960×600.
// What feeds it is taken off. Rays are sent anew each time.
func everyKind() error {
	set, sc, err := ball()
	if err != nil {
		return err
	}
	var cat node.Catalogue
	rays := trace.Of(sc.Geometry, nil, 2)
	set.Resolve(sample.Weights|sample.Pos|sample.Normal|sample.Flat|sample.Eye|sample.UV|sample.Page|sample.Foot, 2)
	cost := func(n *network.Network, id string) (float64, error) {
		p, err := eval.Compile(n, cat)
		if err != nil {
			return 0, err
		}
		var targets []eval.Target
		outputs := cat.Of(n.Node(id)).Outputs
		if cat.Kind(n.Node(id).Kind).Concerns.Printed != "" {
			outputs = outputs[:1]
		}
		for _, o := range outputs {
			t, _, err := p.Output(network.Ref{Node: id, Port: o.Key})
			if err != nil {
				return 0, err
			}
			targets = append(targets, t)
		}
		best := time.Duration(1 << 62)
		for k, spent := 0, time.Duration(0); k < 3 || k < 40 && spent < 150*time.Millisecond; k++ {
			found := shade.NewFindings(set, nil)
			scene := &node.Scene{Scene: sc, Tracer: &shade.Tracer{Scene: sc, Rays: rays, Workers: 1}}
			start := time.Now()
			if _, err := p.Run(context.Background(), eval.Env{Points: set, Found: found, Scene: scene, Workers: 1}, targets); err != nil {
				return 0, err
			}
			took := time.Since(start)
			best, spent = min(best, took), spent+took
		}
		return float64(best.Nanoseconds()) / float64(set.N), nil
	}
	fmt.Println("a sample of each kind of node, one core:")
	fed := map[network.Type]float64{}
	for _, k := range cat.All() {
		n := &network.Network{Nodes: []network.Node{
			{ID: "tone", Kind: "facing"}, {ID: "place", Kind: "coordinates"},
			{ID: "paint", Kind: "join", In: map[string]network.Input{"x": {Wires: []network.Ref{{Node: "tone"}}}}},
			{ID: "x", Kind: k.Spec.Kind, In: map[string]network.Input{}}}}
		from := map[network.Type]string{network.Tone: "tone", network.Color: "paint", network.Vector: "place"}
		feed := network.Type("")
		for _, p := range cat.Of(&n.Nodes[3]).Inputs {
			if f := from[p.Type]; f != "" && !p.Hidden {
				n.Nodes[3].In[p.Key], feed = network.Input{Wires: []network.Ref{{Node: f}}}, p.Type
				break
			}
		}
		if k.Concerns.Printed != "" { // what is printed follows a tone, and is asked for alone
			n.Nodes[3].In = map[string]network.Input{"tone": {Wires: []network.Ref{{Node: "tone"}}}}
			feed = network.Tone
		}
		if err := n.Settle(cat); err != nil {
			return err
		}
		if len(k.Spec.Outputs) == 0 || k.Lines != nil && feed == "" {
			continue
		}
		if feed != "" && fed[feed] == 0 {
			var err error
			if fed[feed], err = cost(n, from[feed]); err != nil {
				return err
			}
		}
		ns, err := cost(n, "x")
		if err != nil {
			return err
		}
		fmt.Printf("  %-16s %6.0f ns\n", k.Spec.Name, max(0, ns-fed[feed]))
	}
	return nil
}

package network

import (
	"fmt"
	"strings"
)

// PassKind is the kind, followed by a type, of the nodes that Flatten puts in
// for what a bypassed node hands on: one input and one output, "value".
const PassKind = "pass:"

// Flatten returns a network that computes the same without groups and bypasses.
// A node within a group gets the id "outer/inner", what a bypassed node hands on
// as PORT becomes a node "id~PORT".
func (c Grouped) Flatten(n *Network) (*Network, error) {
	order, err := c.Order()
	if err != nil {
		return nil, err
	}
	count := map[string]int{}
	total := func(n *Network) int {
		sum := 0
		for i := range n.Nodes {
			if g := c.GroupOf(&n.Nodes[i]); g != nil {
				sum += count[g.ID]
			} else {
				sum++
			}
		}
		return sum
	}
	for _, g := range order {
		count[g.ID] = min(total(&g.Network), maxFlattened+1)
	}
	if t := total(n); t > maxFlattened {
		return nil, fmt.Errorf("network: once its groups are opened the look has more than %d nodes", maxFlattened)
	}
	f := &flattener{c: c, out: &Network{}}
	if err := f.nodes(&scope{net: n}); err != nil {
		return nil, err
	}
	return f.out, nil
}

// At returns where Flatten puts an output of a node; path is that of the group
// node that it is within, "" for the look itself.
func (c Grouped) At(n *Network, path string, r Ref) (Ref, bool) {
	sc := &scope{net: n}
	if path != "" {
		for _, id := range strings.Split(path, "/") {
			d := sc.net.Node(id)
			if d == nil {
				return Ref{}, false
			}
			g := c.GroupOf(d)
			if g == nil {
				return Ref{}, false
			}
			sc = newScope(sc, d, g)
		}
	}
	f := &flattener{c: c}
	return f.source(sc, r)
}

type flattener struct {
	c   Grouped
	out *Network
}

// scope is a network on the way down into groups.
type scope struct {
	prefix  string
	net     *Network
	outer   *scope // nil for the look itself
	node    *Node  // in outer, that stands for this
	exposed map[Ref]string
}

func newScope(outer *scope, d *Node, g *Group) *scope {
	sc := &scope{prefix: outer.prefix + d.ID + "/", net: &g.Network, outer: outer, node: d, exposed: map[Ref]string{}}
	for _, e := range g.Inputs {
		for _, t := range e.To {
			sc.exposed[t] = e.Key
		}
	}
	return sc
}

// source follows a wire back to the output that it comes from in the flat
// network; ok is false where a bypass leaves nothing.
func (f *flattener) source(sc *scope, r Ref) (Ref, bool) {
	d := sc.net.Node(r.Node)
	if d == nil {
		return Ref{}, false
	}
	spec := f.c.Of(d)
	out := spec.Output(r.Port)
	if out == nil {
		return Ref{}, false
	}
	if d.Off {
		if passed(spec, out.Type) == nil {
			return Ref{}, false
		}
		return Ref{sc.prefix + d.ID + "~" + out.Key, "value"}, true
	}
	if g := f.c.GroupOf(d); g != nil {
		for _, e := range g.Outputs {
			if e.Key == out.Key {
				return f.source(newScope(sc, d, g), e.To[0])
			}
		}
		return Ref{}, false
	}
	return Ref{sc.prefix + d.ID, out.Key}, true
}

// input returns what feeds an input in the flat network.
func (f *flattener) input(sc *scope, d *Node, key string) Input {
	if outer, ok := sc.exposed[Ref{d.ID, key}]; ok {
		if in := f.input(sc.outer, sc.node, outer); len(in.Wires) > 0 || in.Value != nil {
			return in
		}
	}
	in := d.In[key]
	if len(in.Wires) == 0 {
		return in
	}
	var out Input
	for _, w := range in.Wires {
		if r, ok := f.source(sc, w); ok {
			out.Wires = append(out.Wires, r)
		}
	}
	return out
}

// value returns the value of a setting in the flat network, nil for its default.
func (f *flattener) value(sc *scope, d *Node, key string) any {
	if outer, ok := sc.exposed[Ref{d.ID, key}]; ok {
		if v := f.value(sc.outer, sc.node, outer); v != nil {
			return v
		}
	}
	return d.Set[key]
}

func (f *flattener) nodes(sc *scope) error {
	for i := range sc.net.Nodes {
		d := &sc.net.Nodes[i]
		spec := f.c.Of(d)
		if spec == nil {
			return fmt.Errorf("network: node %q is of the unknown kind %.60q", d.ID, d.Kind)
		}
		if d.Off {
			f.pass(sc, d, spec)
			continue
		}
		if g := f.c.GroupOf(d); g != nil {
			if err := f.nodes(newScope(sc, d, g)); err != nil {
				return err
			}
			continue
		}
		flat := Node{ID: sc.prefix + d.ID, Kind: d.Kind, Name: d.Name}
		for j := range spec.Settings {
			if v := f.value(sc, d, spec.Settings[j].Key); v != nil {
				flat.Choose(spec.Settings[j].Key, v)
			}
		}
		for j := range spec.Inputs {
			if in := f.input(sc, d, spec.Inputs[j].Key); len(in.Wires) > 0 || in.Value != nil {
				flat.Feed(spec.Inputs[j].Key, in)
			}
		}
		f.out.Nodes = append(f.out.Nodes, flat)
	}
	return nil
}

// pass puts in what a bypassed node hands on.
func (f *flattener) pass(sc *scope, d *Node, spec *Spec) {
	for i := range spec.Outputs {
		out := &spec.Outputs[i]
		from := passed(spec, out.Type)
		if from == nil {
			continue
		}
		flat := Node{ID: sc.prefix + d.ID + "~" + out.Key, Kind: PassKind + string(out.Type)}
		in := f.input(sc, d, from.Key)
		if len(in.Wires) == 0 && out.Type != Lines {
			in = Input{Value: Converted(d.Constant(from), from.Type, out.Type)}
		}
		flat.Feed("value", in)
		f.out.Nodes = append(f.out.Nodes, flat)
	}
}

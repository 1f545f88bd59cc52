package network

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"mobanta/core/names"
)

// Add appends a node of the given kind and returns its id.
func (n *Network) Add(cat Catalogue, kind string) (string, error) {
	spec := cat.Spec(kind)
	if spec == nil {
		return "", fmt.Errorf("network: there is no kind of node %.60q", kind)
	}
	if len(n.Nodes) >= MaxNodes {
		return "", fmt.Errorf("network: a network holds at most %d nodes", MaxNodes)
	}
	if spec.Kind == FinishKind && n.Finish() != nil {
		return "", fmt.Errorf("network: there is a %s already", spec.Name)
	}
	id := n.newID()
	n.Nodes = append(n.Nodes, Node{ID: id, Kind: spec.Kind})
	return id, nil
}

// Insert puts node id into the wire that feeds the input to: what fed it now
// feeds the node's first input that can take it, and the node's first output
// that fits feeds the input. Where several wires may lead, one that the node cannot
// take stays beside it.
func (n *Network) Insert(cat Catalogue, id string, to Ref) error {
	d, dst := n.Node(id), n.Node(to.Node)
	if d == nil || dst == nil {
		return fmt.Errorf("network: there is no such node")
	}
	p := cat.Of(dst).Input(to.Port)
	if p == nil {
		return fmt.Errorf("network: there is no input %.40q", to.Port)
	}
	out := fit(cat.Of(d).Outputs, p.Type, func(q Type) (Type, Type) { return q, p.Type })
	if out == nil {
		return fmt.Errorf("network: %s gives nothing that %s could take", d.Title(cat), p.Name)
	}
	if wires := dst.In[p.Key].Wires; len(wires) > 0 {
		src, err := n.output(cat, wires[len(wires)-1])
		if err != nil {
			return err
		}
		if in := fit(cat.Of(d).Inputs, src.Type, func(q Type) (Type, Type) { return src.Type, q }); in != nil {
			if err := n.Connect(cat, wires[len(wires)-1], Ref{id, in.Key}); err != nil {
				return err
			}
			if p.Many {
				n.disconnectOne(dst, p.Key, wires[len(wires)-1])
			}
		}
	}
	return n.Connect(cat, Ref{id, out.Key}, to)
}

// After puts node id behind an output: it reads the output, and what read that reads the node,
// as far as types convert. What the node itself reads stays as it is.
func (n *Network) After(cat Catalogue, id string, from Ref) error {
	d := n.Node(id)
	src, err := n.output(cat, from)
	if err != nil {
		return err
	}
	if d == nil {
		return fmt.Errorf("network: there is no such node")
	}
	in := fit(cat.Of(d).Inputs, src.Type, func(q Type) (Type, Type) { return src.Type, q })
	if in == nil {
		return fmt.Errorf("network: %s takes nothing that %s gives", d.Title(cat), src.Name)
	}
	type reader struct {
		to   Ref
		take Type
	}
	var readers []reader
	for i := range n.Nodes {
		other := &n.Nodes[i]
		if other.ID == from.Node || other.ID == id {
			continue
		}
		for _, p := range cat.Of(other).Inputs {
			if slices.Contains(other.In[p.Key].Wires, from) {
				readers = append(readers, reader{Ref{other.ID, p.Key}, p.Type})
			}
		}
	}
	if err := n.Connect(cat, from, Ref{id, in.Key}); err != nil {
		return err
	}
	if len(readers) > 0 && fit(cat.Of(n.Node(id)).Outputs, readers[0].take, func(q Type) (Type, Type) { return q, readers[0].take }) == nil {
		return fmt.Errorf("network: %s gives nothing that could go on", d.Title(cat))
	}
	for _, r := range readers {
		out := fit(cat.Of(n.Node(id)).Outputs, r.take, func(q Type) (Type, Type) { return q, r.take })
		if out == nil {
			continue
		}
		n.rewire(n.Node(r.to.Node), r.to.Port, from, Ref{id, out.Key})
	}
	return nil
}

// fit returns the first port of type want, or else the first that converts. A place or a
// direction that need not be wired is where another would go.
func fit(ports []Port, want Type, pair func(Type) (from, to Type)) *Port {
	for i := range ports {
		if ports[i].Type == want && (!ports[i].Hidden || want == Vector) {
			return &ports[i]
		}
	}
	for i := range ports {
		if _, ok := Convert(pair(ports[i].Type)); ok && !ports[i].Hidden {
			return &ports[i]
		}
	}
	return nil
}

// Connect wires the output from to the input to, in place of what fed it, or
// beside it where the input takes many. Types that do not convert and wires that
// would close a cycle are refused.
func (n *Network) Connect(cat Catalogue, from, to Ref) error {
	dst := n.Node(to.Node)
	if dst == nil {
		return fmt.Errorf("network: there is no node %.40q to wire to", to.Node)
	}
	spec := cat.Of(dst)
	out, err := n.output(cat, from)
	if err != nil {
		return fmt.Errorf("network: %w", err)
	}
	from.Port = out.Key
	var p *Port
	if to.Port == "" {
		p = fit(spec.Inputs, out.Type, func(q Type) (Type, Type) { return out.Type, q })
	} else {
		p = spec.Input(to.Port)
	}
	if p == nil {
		return fmt.Errorf("network: %s has no input %.40q", dst.Title(cat), to.Port)
	}
	if _, ok := Convert(out.Type, p.Type); !ok && !n.adapt(dst, spec, out.Type) {
		return fmt.Errorf("network: %s of %s carries %s, but %s of %s takes %s: no conversion makes sense",
			out.Name, n.Node(from.Node).Title(cat), out.Type, p.Name, dst.Title(cat), p.Type)
	}
	if n.reads(from.Node, to.Node) {
		return fmt.Errorf("network: %s would feed itself through %s", dst.Title(cat), n.Node(from.Node).Title(cat))
	}
	n.adapt(dst, spec, out.Type)
	in := Input{Wires: []Ref{from}}
	if p.Many {
		old := dst.In[p.Key].Wires
		if slices.Contains(old, from) {
			return nil
		}
		if len(old) >= maxWires {
			return fmt.Errorf("network: %s takes at most %d wires", p.Name, maxWires)
		}
		in.Wires = append(slices.Clone(old), from)
	}
	dst.Feed(p.Key, in)
	return nil
}

// adapt makes a node that carries any type carry t, if nothing is wired to it
// or from it yet; it tells whether it does.
func (n *Network) adapt(d *Node, spec *Spec, t Type) bool {
	if spec.Adapts == "" {
		return false
	}
	s := spec.Setting(spec.Adapts)
	if d.Value(s) == string(t) {
		return true
	}
	if _, err := s.Parse(string(t)); err != nil || n.isWired(d) {
		return false
	}
	if d.Set == nil {
		d.Set = map[string]any{}
	}
	d.Set[s.Key] = string(t)
	for key, in := range d.In { // values typed in for the other type
		if in.Value != nil {
			delete(d.In, key)
		}
	}
	return true
}

func (n *Network) isWired(d *Node) bool {
	for _, in := range d.In {
		if len(in.Wires) > 0 {
			return true
		}
	}
	for i := range n.Nodes {
		for _, in := range n.Nodes[i].In {
			for _, w := range in.Wires {
				if w.Node == d.ID {
					return true
				}
			}
		}
	}
	return false
}

// Feed puts an input in the place of what the node has there; a swatch is followed no longer.
func (d *Node) Feed(key string, in Input) {
	delete(d.Swatches, key)
	if d.In == nil {
		d.In = map[string]Input{}
	}
	d.In[key] = in
}

// reads tells whether node a reads node b, directly or through others, or is b.
func (n *Network) reads(a, b string) bool {
	seen := map[string]bool{}
	var walk func(id string) bool
	walk = func(id string) bool {
		if id == b {
			return true
		}
		d := n.Node(id)
		if d == nil || seen[id] {
			return false
		}
		seen[id] = true
		for _, in := range d.In {
			for _, w := range in.Wires {
				if walk(w.Node) {
					return true
				}
			}
		}
		return false
	}
	return walk(a)
}

// Disconnect takes the wire from the given output off the input to, all its
// wires if from is zero. The input goes back to its default.
func (n *Network) Disconnect(from, to Ref) error {
	dst := n.Node(to.Node)
	if dst == nil || len(dst.In[to.Port].Wires) == 0 {
		return fmt.Errorf("network: nothing is wired to %s", to)
	}
	if from == (Ref{}) {
		delete(dst.In, to.Port)
		return nil
	}
	if !slices.Contains(dst.In[to.Port].Wires, from) {
		return fmt.Errorf("network: %s is not wired to %s", from, to)
	}
	n.disconnectOne(dst, to.Port, from)
	return nil
}

func (n *Network) disconnectOne(dst *Node, key string, from Ref) {
	rest := slices.DeleteFunc(slices.Clone(dst.In[key].Wires), func(r Ref) bool { return r == from })
	if len(rest) == 0 {
		delete(dst.In, key)
	} else {
		dst.In[key] = Input{Wires: rest}
	}
}

// Remove deletes a node and heals the network: what the node read goes on to
// where it fed, if one of its wired inputs has a type that fits. It returns a
// sentence about what was healed, "" if nothing was.
func (n *Network) Remove(cat Catalogue, id string) (healed string, err error) {
	d := n.Node(id)
	if d == nil {
		return "", fmt.Errorf("network: there is no node %.40q", id)
	}
	if d.Kind == FinishKind {
		return "", fmt.Errorf("network: a look ends in its Finish: it cannot be removed")
	}
	spec := cat.Of(d)
	var sources []Ref // what the node read, in the order of its inputs
	for _, p := range spec.Inputs {
		sources = append(sources, d.In[p.Key].Wires...)
	}
	var joined, lost []string
	title := d.Title(cat)
	for i := range n.Nodes {
		dst := &n.Nodes[i]
		for _, key := range slices.Sorted(maps.Keys(dst.In)) {
			p := cat.Of(dst).Input(key)
			for _, w := range slices.Clone(dst.In[key].Wires) {
				if w.Node != id {
					continue
				}
				n.disconnectOne(dst, key, w)
				heir := n.heir(cat, sources, spec.Output(w.Port).Type, p.Type)
				if heir != nil && !slices.Contains(dst.In[key].Wires, *heir) {
					dst.Feed(key, Input{Wires: append(slices.Clone(dst.In[key].Wires), *heir)})
					joined = append(joined, fmt.Sprintf("%s now feeds %s", n.Node(heir.Node).Title(cat), dst.Title(cat)))
				} else if heir == nil {
					lost = append(lost, fmt.Sprintf("%s of %s is unwired", p.Name, dst.Title(cat)))
				}
			}
		}
	}
	n.Nodes = slices.DeleteFunc(n.Nodes, func(d Node) bool { return d.ID == id })
	n.forget(id)
	if len(joined)+len(lost) == 0 {
		return "", nil
	}
	return fmt.Sprintf("%s removed: %s.", title, strings.Join(append(joined, lost...), "; ")), nil
}

// heir picks, of what a removed node read, the source that best stands in for an
// output of type gave at an input of type takes: the same type first.
func (n *Network) heir(cat Catalogue, sources []Ref, gave, takes Type) *Ref {
	for _, want := range []func(t Type) bool{
		func(t Type) bool { return t == gave },
		func(t Type) bool { return t == takes },
		func(t Type) bool { _, ok := Convert(t, takes); return ok },
	} {
		for i := range sources {
			if out, err := n.output(cat, sources[i]); err == nil && want(out.Type) {
				if _, ok := Convert(out.Type, takes); ok {
					return &sources[i]
				}
			}
		}
	}
	return nil
}

// SetValue gives a setting a value, decoded JSON or as Parse gives it; nil sets
// it back to its default.
func (n *Network) SetValue(cat Catalogue, id, key string, v any) error {
	d := n.Node(id)
	if d == nil {
		return fmt.Errorf("network: there is no node %.40q", id)
	}
	spec := cat.Of(d)
	s := spec.Setting(key)
	if s == nil {
		return fmt.Errorf("network: %s has no setting %.40q; it has %s", spec.Name, key, settingKeys(spec))
	}
	if v != nil {
		var err error
		if v, err = s.Parse(v); err != nil {
			return fmt.Errorf("network: %w", err)
		}
	}
	delete(d.Swatches, key)
	if v == nil || reflect.DeepEqual(v, s.Default) {
		delete(d.Set, key)
	} else {
		d.Choose(key, v)
	}
	if spec.Check != nil {
		return spec.Check(d)
	}
	return nil
}

// SetConstant gives an unwired input a value; nil sets it back to its default.
// A wired input is refused, for the value would not show.
func (n *Network) SetConstant(cat Catalogue, id, key string, v any) error {
	d := n.Node(id)
	if d == nil {
		return fmt.Errorf("network: there is no node %.40q", id)
	}
	spec := cat.Of(d)
	p := spec.Input(key)
	if p == nil {
		return fmt.Errorf("network: %s has no input %.40q; it has %s", spec.Name, key, portKeys(spec.Inputs))
	}
	if len(d.In[key].Wires) > 0 {
		return fmt.Errorf("network: %s of %s is wired: take the wire off to type a value", p.Name, d.Title(cat))
	}
	if v == nil {
		delete(d.In, key)
		delete(d.Swatches, key)
		return nil
	}
	v, err := p.ParseConstant(v)
	if err != nil {
		return fmt.Errorf("network: %w", err)
	}
	d.Feed(key, Input{Value: v})
	return nil
}

// Rename gives a node a name of its own, "" for its kind's.
func (n *Network) Rename(id, name string) error {
	d := n.Node(id)
	if d == nil {
		return fmt.Errorf("network: there is no node %.40q", id)
	}
	var err error
	d.Name, err = names.Label(name)
	return err
}

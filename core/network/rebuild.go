package network

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/names"
)

// CanBypass returns why a node of that spec cannot be bypassed, or nil.
func CanBypass(s *Spec) error {
	if s.Kind == FinishKind {
		return fmt.Errorf("%s is where the look ends and cannot be bypassed", s.Name)
	}
	for i := range s.Outputs {
		if s.Outputs[i].Type != Lines && passed(s, s.Outputs[i].Type) == nil {
			return fmt.Errorf("%s has no input that could go on as its %s: it cannot be bypassed", s.Name, s.Outputs[i].Name)
		}
	}
	return nil
}

// passed returns the input that a bypassed node hands on as an output of type t:
// the first of that type, or else the first that converts; nil for none.
func passed(s *Spec, t Type) *Port {
	if t == Lines { // which cannot be typed, so that its inputs are hidden until they are wired
		for i := range s.Inputs {
			if s.Inputs[i].Type == Lines {
				return &s.Inputs[i]
			}
		}
		return nil
	}
	return fit(s.Inputs, t, func(in Type) (Type, Type) { return in, t })
}

// SetOff bypasses a node, or takes it in again.
func (n *Network) SetOff(cat Catalogue, id string, off bool) error {
	d := n.Node(id)
	if d == nil {
		return fmt.Errorf("network: there is no node %.40q", id)
	}
	if off {
		if err := CanBypass(cat.Of(d)); err != nil {
			return fmt.Errorf("network: %w", err)
		}
	}
	d.Off = off
	return nil
}

// Swap changes what two inputs of a node are fed with. Empty keys mean the first
// two inputs that can be swapped.
func (n *Network) Swap(cat Catalogue, id, a, b string) error {
	d := n.Node(id)
	if d == nil {
		return fmt.Errorf("network: there is no node %.40q", id)
	}
	spec := cat.Of(d)
	p, q := spec.Input(a), spec.Input(b)
	if a == "" && b == "" {
		for i := range spec.Inputs {
			for j := i + 1; j < len(spec.Inputs) && q == nil; j++ {
				if x, y := &spec.Inputs[i], &spec.Inputs[j]; x.Type == y.Type && !x.Hidden && !y.Hidden && !x.Many && !y.Many {
					p, q = x, y
				}
			}
		}
	}
	if p == nil || q == nil || p == q {
		return fmt.Errorf("network: %s has no two inputs to swap", d.Title(cat))
	}
	from, to := d.In[p.Key], d.In[q.Key]
	for _, move := range []struct {
		in Input
		to *Port
	}{{from, q}, {to, p}} {
		if move.to.Many || move.to.Hidden && len(move.in.Wires) == 0 && move.in.Value != nil {
			return fmt.Errorf("network: %s and %s of %s cannot be swapped", p.Name, q.Name, d.Title(cat))
		}
		for _, w := range move.in.Wires {
			out, err := n.output(cat, w)
			if err != nil {
				return fmt.Errorf("network: %w", err)
			}
			if _, ok := Convert(out.Type, move.to.Type); !ok {
				return fmt.Errorf("network: %s takes %s, not %s", move.to.Name, move.to.Type, out.Type)
			}
		}
		if v := move.in.Value; v != nil && p.Type != q.Type {
			return fmt.Errorf("network: a value of %s does not fit %s", p.Type, q.Type)
		}
	}
	// What stands at its default is typed out, since the other input's may differ; a
	// default of another type, or one that cannot be typed, does not go along.
	whole := func(in Input, of *Port) Input {
		if len(in.Wires) == 0 && in.Value == nil && p.Type == q.Type && !p.Hidden && !q.Hidden && p.Type != Lines {
			in.Value = of.Default
		}
		return in
	}
	from, to = whole(from, p), whole(to, q)
	sp, sq := d.Swatches[p.Key], d.Swatches[q.Key]
	for key, in := range map[string]Input{p.Key: to, q.Key: from} {
		if len(in.Wires) == 0 && in.Value == nil {
			delete(d.In, key)
		} else {
			d.Feed(key, in)
		}
	}
	d.follow(p.Key, sq)
	d.follow(q.Key, sp)
	return nil
}

// follow makes the colour of that key follow a swatch, or none.
func (d *Node) follow(key, swatch string) {
	if swatch == "" {
		delete(d.Swatches, key)
		return
	}
	if d.Swatches == nil {
		d.Swatches = map[string]string{}
	}
	d.Swatches[key] = swatch
}

// Replace makes a node one of another kind. Wires, values and settings stay where
// the new kind has something of the same key, or failing that an input or output
// of the same type. It returns a sentence about what did not fit, "" if all did.
func (n *Network) Replace(cat Catalogue, id, kind string) (lost string, err error) {
	d := n.Node(id)
	spec := cat.Spec(kind)
	switch {
	case d == nil:
		return "", fmt.Errorf("network: there is no node %.40q", id)
	case spec == nil:
		return "", fmt.Errorf("network: there is no kind of node %.60q", kind)
	case (d.Kind == FinishKind) != (spec.Kind == FinishKind):
		return "", errors.New("network: Finish is where the look ends and stays what it is")
	}
	old, before := cat.Of(d), *d
	*d = Node{ID: id, Kind: spec.Kind, Name: before.Name, Note: before.Note}
	for key, v := range before.Set {
		if s := spec.Setting(key); s != nil {
			if v, err := s.Parse(v); err == nil {
				d.Choose(key, v)
			}
		}
	}
	// A node that carries any type first learns what it is to carry.
	for i := range old.Inputs {
		if wires := before.In[old.Inputs[i].Key].Wires; len(wires) > 0 && spec.Adapts != "" {
			if out, err := n.output(cat, wires[0]); err == nil && out.Type != Lines {
				if _, err := spec.Setting(spec.Adapts).Parse(string(out.Type)); err == nil {
					d.Choose(spec.Adapts, string(out.Type))
					break
				}
			}
		}
	}
	spec = cat.Of(d)
	var gone []string
	ins := counterparts(old.Inputs, spec.Inputs)
	for i := range old.Inputs {
		in, ok := before.In[old.Inputs[i].Key]
		if !ok {
			continue
		}
		q := ins[i]
		if q == nil {
			gone = append(gone, "its "+old.Inputs[i].Name)
			continue
		}
		if in.Value != nil {
			if v, err := q.ParseConstant(in.Value); err == nil {
				d.Feed(q.Key, Input{Value: v})
			}
			continue
		}
		for _, w := range in.Wires {
			if err := n.Connect(cat, w, Ref{id, q.Key}); err != nil {
				gone = append(gone, "its "+old.Inputs[i].Name)
			}
		}
	}
	outs := counterparts(old.Outputs, spec.Outputs)
	for i := range n.Nodes {
		dst := &n.Nodes[i]
		for _, key := range slices.Sorted(maps.Keys(dst.In)) {
			p := cat.Of(dst).Input(key)
			wires := slices.Clone(dst.In[key].Wires)
			for _, w := range wires {
				if w.Node != id {
					continue
				}
				k := slices.IndexFunc(old.Outputs, func(o Port) bool { return o.Key == w.Port })
				if k >= 0 && outs[k] != nil && p != nil {
					if _, ok := Convert(outs[k].Type, p.Type); ok {
						n.rewire(dst, key, w, Ref{id, outs[k].Key})
						continue
					}
				}
				n.disconnectOne(dst, key, w)
				gone = append(gone, fmt.Sprintf("the wire to %s", dst.Title(cat)))
			}
		}
	}
	n.Prune(cat)
	if len(gone) > 0 {
		lost = fmt.Sprintf("%s does not take over %s.", spec.Name, strings.Join(gone, ", "))
	}
	return lost, nil
}

// Choose gives a setting a value.
func (d *Node) Choose(key string, v any) {
	if d.Set == nil {
		d.Set = map[string]any{}
	}
	d.Set[key] = v
}

// counterparts finds for each old port the new one that takes its place: that of
// the same key, or else the first free one of its type, or the first free one
// that converts; nil for none.
func counterparts(old, now []Port) []*Port {
	out := make([]*Port, len(old))
	taken := map[string]bool{}
	for _, fits := range []func(a, b *Port) bool{
		func(a, b *Port) bool { return a.Key == b.Key && (a.Type == Lines) == (b.Type == Lines) },
		func(a, b *Port) bool { return a.Type == b.Type && a.Hidden == b.Hidden },
		func(a, b *Port) bool { _, ok := Convert(a.Type, b.Type); return ok && !a.Hidden && !b.Hidden },
	} {
		for i := range old {
			for j := range now {
				if out[i] == nil && !taken[now[j].Key] && fits(&old[i], &now[j]) {
					out[i], taken[now[j].Key] = &now[j], true
				}
			}
		}
	}
	return out
}

// rewire puts one wire in another's place.
func (n *Network) rewire(dst *Node, key string, old, now Ref) {
	wires := slices.Clone(dst.In[key].Wires)
	for k := range wires {
		if wires[k] == old {
			wires[k] = now
		}
	}
	wires = slices.Compact(wires)
	dst.Feed(key, Input{Wires: wires})
}

// Prune takes away what no longer fits the specs of the nodes: inputs, settings
// and wires of ports that have gone. It returns what it took off, in words.
func (n *Network) Prune(cat Catalogue) []string {
	var gone []string
	for i := range n.Nodes {
		d := &n.Nodes[i]
		spec := cat.Of(d)
		for _, key := range slices.Sorted(maps.Keys(d.Set)) {
			if s := spec.Setting(key); s == nil {
				delete(d.Set, key)
			} else if _, err := s.Parse(d.Set[key]); err != nil {
				delete(d.Set, key)
			}
		}
		for _, key := range slices.Sorted(maps.Keys(d.In)) {
			p := spec.Input(key)
			if p == nil {
				if len(d.In[key].Wires) > 0 {
					gone = append(gone, fmt.Sprintf("an input of %s", d.Title(cat)))
				}
				delete(d.In, key)
				continue
			}
			if v := d.In[key].Value; v != nil {
				if v, err := p.ParseConstant(v); err == nil {
					d.In[key] = Input{Value: v}
				} else {
					delete(d.In, key)
				}
				continue
			}
			for _, w := range slices.Clone(d.In[key].Wires) {
				out, err := n.output(cat, w)
				if err == nil {
					if _, ok := Convert(out.Type, p.Type); ok {
						continue
					}
				}
				n.disconnectOne(d, key, w)
				gone = append(gone, fmt.Sprintf("a wire to %s of %s", p.Name, d.Title(cat)))
			}
			if wires := d.In[key].Wires; len(wires) > 1 && !p.Many {
				d.In[key] = Input{Wires: wires[:1]}
			}
		}
		for key := range d.Swatches {
			if !d.holdsColor(spec, key) {
				delete(d.Swatches, key)
			}
		}
		for key := range d.Bands {
			if !d.holdsRamp(spec, key) {
				delete(d.Bands, key)
			}
		}
		if d.Off && CanBypass(spec) != nil {
			d.Off = false
		}
	}
	n.Dials = slices.DeleteFunc(n.Dials, func(l Dial) bool { return n.checkDial(cat, l) != nil })
	return gone
}

// forget takes a node that has gone out of sections and dials.
func (n *Network) forget(id string) {
	for i := range n.Sections {
		s := &n.Sections[i]
		s.Nodes = slices.DeleteFunc(slices.Clone(s.Nodes), func(e string) bool { return e == id })
	}
	n.Sections = slices.DeleteFunc(n.Sections, func(s Section) bool { return len(s.Nodes) == 0 })
	n.Dials = slices.DeleteFunc(n.Dials, func(l Dial) bool { return l.Node == id })
}

// Fragment returns copies of the given nodes with the wires among them, and, if
// outside is set, also those that come from other nodes.
func (n *Network) Fragment(ids []string, outside bool) Network {
	all := n.Clone()
	out := Network{}
	in := map[string]bool{}
	for _, id := range ids {
		in[id] = true
	}
	for _, d := range all.Nodes {
		if !in[d.ID] || d.Kind == FinishKind {
			continue
		}
		if !outside {
			for key, input := range d.In {
				wires := slices.DeleteFunc(slices.Clone(input.Wires), func(w Ref) bool { return !in[w.Node] })
				switch {
				case len(input.Wires) == 0:
				case len(wires) == 0:
					delete(d.In, key)
				default:
					d.In[key] = Input{Wires: wires}
				}
			}
		}
		out.Nodes = append(out.Nodes, d)
	}
	for _, s := range all.Sections {
		s.Nodes = slices.DeleteFunc(s.Nodes, func(id string) bool { return !in[id] })
		if len(s.Nodes) > 0 {
			out.Sections = append(out.Sections, s)
		}
	}
	return out
}

// Paste adds the nodes of a fragment under new ids and returns them. Wires from
// nodes that the fragment does not hold stay where this network has a node of
// that id; what does not fit is left out.
func (n *Network) Paste(cat Catalogue, f Network) ([]string, error) {
	if len(n.Nodes)+len(f.Nodes) > MaxNodes {
		return nil, fmt.Errorf("network: a network holds at most %d nodes", MaxNodes)
	}
	f = f.Clone()
	f.Nodes = slices.DeleteFunc(f.Nodes, func(d Node) bool { return d.Kind == FinishKind })
	renamed := map[string]string{}
	var ids []string
	from := len(n.Nodes)
	for _, d := range f.Nodes {
		spec := cat.Spec(d.Kind)
		if spec == nil {
			return nil, fmt.Errorf("network: node %q is of the unknown kind %.60q", d.ID, d.Kind)
		}
		id := n.newID()
		renamed[d.ID] = id
		ids = append(ids, id)
		d.ID, d.Kind = id, spec.Kind
		n.Nodes = append(n.Nodes, d)
	}
	for i := from; i < len(n.Nodes); i++ {
		d := &n.Nodes[i]
		for key, in := range d.In {
			if len(in.Wires) == 0 {
				continue
			}
			wires := slices.Clone(in.Wires)
			for k, w := range wires {
				if to, ok := renamed[w.Node]; ok {
					wires[k].Node = to
				}
			}
			d.In[key] = Input{Wires: wires}
		}
	}
	for _, s := range f.Sections {
		var nodes []string
		for _, id := range s.Nodes {
			if to := renamed[id]; to != "" {
				nodes = append(nodes, to)
			}
		}
		if len(nodes) > 0 {
			n.Sections = append(n.Sections, Section{ID: n.sectionID(), Name: s.Name, Note: s.Note, Folded: s.Folded, Nodes: nodes})
		}
	}
	n.Prune(cat)
	return ids, nil
}

// Renumbered returns a copy of n for a place where ids were given already: nodes,
// sections and dials whose ids were among them get new ones.
func (n *Network) Renumbered(given map[string]int) Network {
	out := n.Clone()
	out.Given = given
	r := renumbering{given, maps.Clone(given), map[string]string{}}
	if given == nil {
		r.highest = map[string]int{}
	}
	for i := range out.Nodes {
		r.keep(out.Nodes[i].ID)
	}
	for i := range out.Sections {
		r.keep(out.Sections[i].ID)
	}
	for i := range out.Dials {
		r.keep(out.Dials[i].ID)
	}
	for i := range out.Nodes {
		out.Nodes[i].ID = r.now(out.Nodes[i].ID, "n")
	}
	for i := range out.Nodes {
		d := &out.Nodes[i]
		for key, in := range d.In {
			wires := slices.Clone(in.Wires)
			for k := range wires {
				wires[k].Node = r.now(wires[k].Node, "n")
			}
			d.In[key] = Input{Wires: wires, Value: in.Value}
		}
	}
	for i := range out.Sections {
		s := &out.Sections[i]
		s.ID = r.now(s.ID, "s")
		for k := range s.Nodes {
			s.Nodes[k] = r.now(s.Nodes[k], "n")
		}
	}
	for i := range out.Dials {
		l := &out.Dials[i]
		l.ID, l.Node = r.now(l.ID, "d"), r.now(l.Node, "n")
	}
	return out
}

// renumbering gives new ids for old ones.
type renumbering struct {
	given   map[string]int
	highest map[string]int    // by the letters of new ids
	of      map[string]string // old → new
}

// keep keeps an id that was never given.
func (r *renumbering) keep(id string) {
	letters, number := Numbered(id)
	if max(1, number) <= r.given[letters] {
		return
	}
	r.of[id] = id
	r.highest[letters] = max(r.highest[letters], number)
}

// now returns the id that stands for an old one.
func (r *renumbering) now(id, letters string) string {
	if r.of[id] == "" {
		to := NextID(letters, func(letters string) int { return r.highest[letters] })
		letters, number := Numbered(to)
		r.highest[letters] = number
		r.of[id] = to
	}
	return r.of[id]
}

func (n *Network) sectionID() string {
	return n.freeID("s")
}

// freeID returns an id with those letters that no section and no dial has or had.
func (n *Network) freeID(letters string) string {
	return NextID(letters, func(letters string) int {
		highest := n.Given[letters]
		for i := range n.Sections {
			highest = max(highest, number(n.Sections[i].ID, letters))
		}
		for i := range n.Dials {
			highest = max(highest, number(n.Dials[i].ID, letters))
		}
		return highest
	})
}

// DialID returns the id for a new dial.
func (n *Network) DialID() string { return n.freeID("d") }

// Section returns the section of that id, nil if there is none.
func (n *Network) Section(id string) *Section {
	for i := range n.Sections {
		if n.Sections[i].ID == id {
			return &n.Sections[i]
		}
	}
	return nil
}

// SectionOf returns the section that a node is in, nil for none.
func (n *Network) SectionOf(node string) *Section {
	for i := range n.Sections {
		if slices.Contains(n.Sections[i].Nodes, node) {
			return &n.Sections[i]
		}
	}
	return nil
}

// Gather puts nodes into a new section, out of those that they were in, and
// returns its id. Finish stays outside.
func (n *Network) Gather(ids []string, name string) (string, error) {
	var nodes []string
	for _, id := range ids {
		if d := n.Node(id); d != nil && d.Kind != FinishKind && !slices.Contains(nodes, id) {
			nodes = append(nodes, id)
		}
	}
	if len(nodes) == 0 {
		return "", errors.New("network: a section needs nodes: choose some first")
	}
	name, err := names.Label(name)
	if err != nil {
		return "", err
	}
	if name == "" {
		name = fmt.Sprintf("Section %d", len(n.Sections)+1)
	}
	for _, id := range nodes {
		n.leave(id)
	}
	id := n.sectionID()
	n.Sections = append(n.Sections, Section{ID: id, Name: name, Nodes: nodes})
	return id, nil
}

func (n *Network) leave(id string) {
	for i := range n.Sections {
		s := &n.Sections[i]
		s.Nodes = slices.DeleteFunc(slices.Clone(s.Nodes), func(e string) bool { return e == id })
	}
	n.Sections = slices.DeleteFunc(n.Sections, func(s Section) bool { return len(s.Nodes) == 0 })
}

// Move puts a node into a section, or out of all with an empty section.
func (n *Network) Move(node, section string) error {
	if n.Node(node) == nil || n.Node(node).Kind == FinishKind {
		return fmt.Errorf("network: there is no node %.40q to move", node)
	}
	if section != "" && n.Section(section) == nil {
		return fmt.Errorf("network: there is no section %.40q", section)
	}
	if s := n.SectionOf(node); s != nil && s.ID == section {
		return nil
	}
	// The target may be the one that would be emptied, so put it in first.
	if section != "" {
		s := n.Section(section)
		s.Nodes = append(slices.Clone(s.Nodes), node)
		for i := range n.Sections {
			if o := &n.Sections[i]; o.ID != section {
				o.Nodes = slices.DeleteFunc(slices.Clone(o.Nodes), func(e string) bool { return e == node })
			}
		}
		n.Sections = slices.DeleteFunc(n.Sections, func(s Section) bool { return len(s.Nodes) == 0 })
		return nil
	}
	n.leave(node)
	return nil
}

// Follow gives a colour setting or an unwired colour input the colour of a
// swatch and notes that it follows it.
func (n *Network) Follow(cat Catalogue, id, key, swatch string, c color.C) error {
	d := n.Node(id)
	if d == nil {
		return fmt.Errorf("network: there is no node %.40q", id)
	}
	if !d.holdsColor(cat.Of(d), key) {
		return fmt.Errorf("network: %s has no colour %.40q of its own", d.Title(cat), key)
	}
	d.follow(key, swatch)
	d.Paint(cat, key, c)
	return nil
}

// Paint sets the colour of a setting or an input that follows a swatch.
func (d *Node) Paint(cat Catalogue, key string, c color.C) {
	if cat.Of(d).Setting(key) != nil {
		d.Choose(key, c)
		return
	}
	if d.In == nil {
		d.In = map[string]Input{}
	}
	d.In[key] = Input{Value: c}
}

// Readers returns the node itself and all that read it, directly or through
// others: what it cannot be wired to read.
func (n *Network) Readers(id string) map[string]bool {
	out := map[string]bool{id: true}
	order, err := n.Order()
	if err != nil {
		return out
	}
	for _, i := range order {
		d := &n.Nodes[i]
		for _, in := range d.In {
			for _, w := range in.Wires {
				if out[w.Node] {
					out[d.ID] = true
				}
			}
		}
	}
	return out
}

package network

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/names"
)

// Limits on groups.
const (
	MaxGroups    = 200
	maxWithin    = 32 // groups within groups
	maxExposed   = 64
	maxFlattened = 10_000 // nodes of a look once all groups are opened
)

// GroupPrefix begins the kind of a node that stands for a group; the group's id
// follows.
const GroupPrefix = "group:"

// Group is nodes made into one reusable node. Its network has no Finish.
type Group struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Note    string    `json:"note,omitempty"`
	Inputs  []Exposed `json:"inputs,omitempty"`
	Outputs []Exposed `json:"outputs,omitempty"`
	Network

	// Shown tells as Given does what keys the exposed inputs and outputs had.
	Shown map[string]int `json:"-"`
}

// Exposed is a port or a setting that a group shows on its outside.
type Exposed struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	// To lists, for an input, the inner inputs that it feeds, all of one type, or
	// the one inner setting that it sets; for an output, the one inner output.
	To  []Ref   `json:"to"`
	Min float64 `json:"min,omitempty"` // of a tone's slider; both 0 for the inner one's
	Max float64 `json:"max,omitempty"`
}

// Clone returns a deep copy.
func (g *Group) Clone() Group {
	out := *g
	out.Network = g.Network.Clone()
	out.Inputs, out.Outputs = slices.Clone(g.Inputs), slices.Clone(g.Outputs)
	for _, list := range [2][]Exposed{out.Inputs, out.Outputs} {
		for i := range list {
			list[i].To = slices.Clone(list[i].To)
		}
	}
	return out
}

// Grouped is a catalogue in which a project's groups are kinds too. It remembers
// the specs of groups that it was asked for: make a new one after a group has
// changed. It is for one goroutine at a time.
type Grouped struct {
	Base   Catalogue
	groups []Group
	specs  map[string]*Spec // by group; nil while it is being made
}

// NewGrouped returns the catalogue of the kinds of base and of groups.
func NewGrouped(base Catalogue, groups []Group) Grouped {
	return Grouped{base, groups, make(map[string]*Spec, len(groups))}
}

// Group returns the group of that id, nil if there is none.
func (c Grouped) Group(id string) *Group {
	for i := range c.groups {
		if c.groups[i].ID == id {
			return &c.groups[i]
		}
	}
	return nil
}

// GroupOf returns the group that a node stands for, nil for any other node.
func (c Grouped) GroupOf(d *Node) *Group {
	if id, ok := strings.CutPrefix(d.Kind, GroupPrefix); ok {
		return c.Group(id)
	}
	return nil
}

// Spec implements Catalogue.
func (c Grouped) Spec(kind string) *Spec {
	if id, ok := strings.CutPrefix(kind, GroupPrefix); ok {
		if g := c.Group(id); g != nil {
			return c.spec(g)
		}
		return nil
	}
	return c.Base.Spec(kind)
}

// Of implements Catalogue.
func (c Grouped) Of(d *Node) *Spec {
	if strings.HasPrefix(d.Kind, GroupPrefix) {
		return c.Spec(d.Kind)
	}
	return c.Base.Of(d)
}

// spec returns the spec of the node that stands for g. Exposures whose target
// has gone are left out, and so are those of a group within itself. What was found
// once is not looked for again: groups that hold groups twice, and so on, would
// take a time that doubles with each.
func (c Grouped) spec(g *Group) *Spec {
	if s, ok := c.specs[g.ID]; ok && s != nil {
		return s
	}
	s := &Spec{Kind: GroupPrefix + g.ID, Name: g.Name, Family: "group", Purpose: g.Note, Words: []string{"group"}}
	if s.Purpose == "" {
		s.Purpose = fmt.Sprintf("%d nodes made one.", len(g.Nodes))
	}
	if _, looking := c.specs[g.ID]; looking {
		return s
	}
	c.specs[g.ID] = nil
	defer func() { c.specs[g.ID] = s }()
	inner := c.Of
	for _, e := range g.Inputs {
		if len(e.To) == 0 {
			continue
		}
		d := g.Node(e.To[0].Node)
		if d == nil {
			continue
		}
		of := inner(d)
		if of == nil {
			continue
		}
		if p := of.Input(e.To[0].Port); p != nil {
			q := *p
			q.Key, q.Name = e.Key, e.Name
			if q.Type != Lines && !q.Hidden {
				q.Default = d.Constant(p)
			}
			if e.Min < e.Max {
				q.Min, q.Max = e.Min, e.Max
			}
			s.Inputs = append(s.Inputs, q)
		} else if v := of.Setting(e.To[0].Port); v != nil {
			w := *v
			w.Key, w.Name, w.Default = e.Key, e.Name, d.Value(v)
			if w.Type == Number && e.Min < e.Max {
				w.Min, w.Max = max(w.Min, e.Min), min(w.Max, e.Max)
			}
			s.Settings = append(s.Settings, w)
		}
	}
	for _, e := range g.Outputs {
		if len(e.To) == 0 {
			continue
		}
		if d := g.Node(e.To[0].Node); d != nil {
			if of := inner(d); of != nil {
				if p := of.Output(e.To[0].Port); p != nil {
					q := *p
					q.Key, q.Name = e.Key, e.Name
					s.Outputs = append(s.Outputs, q)
				}
			}
		}
	}
	return s
}

// SettleGroups checks groups that came from outside and makes their values ours.
func SettleGroups(base Catalogue, groups []Group) error {
	if len(groups) > MaxGroups {
		return fmt.Errorf("network: %d groups, more than the %d that are allowed", len(groups), MaxGroups)
	}
	c := NewGrouped(base, groups)
	seen := map[string]bool{}
	for i := range groups {
		g := &groups[i]
		if !idPattern.MatchString(g.ID) || seen[g.ID] {
			return fmt.Errorf("network: group %d needs an id of its own", i+1)
		}
		seen[g.ID] = true
		if err := tidy(&g.Name, &g.Note, names.Name); err != nil {
			return fmt.Errorf("network: group %q: %w", g.ID, err)
		}
	}
	order, err := c.Order()
	if err != nil {
		return err
	}
	for _, g := range order { // those that are held before those that hold them
		if err := c.settleGroup(g); err != nil {
			return fmt.Errorf("network: group %.40q: %w", g.Name, err)
		}
	}
	return nil
}

// Order returns the groups so that each comes after those that it holds; a group
// that holds itself is an error.
func (c Grouped) Order() ([]*Group, error) {
	var out []*Group
	const looking = -1
	depth := map[string]int{} // how many groups within groups each has, itself counted
	var visit func(g *Group) error
	visit = func(g *Group) error {
		switch {
		case depth[g.ID] == looking:
			return fmt.Errorf("network: group %s would hold itself", g.Name)
		case depth[g.ID] > 0:
			return nil
		}
		depth[g.ID] = looking
		deepest := 0
		for i := range g.Nodes {
			if h := c.GroupOf(&g.Nodes[i]); h != nil {
				if err := visit(h); err != nil {
					return err
				}
				deepest = max(deepest, depth[h.ID])
			}
		}
		if depth[g.ID] = deepest + 1; deepest >= maxWithin {
			return fmt.Errorf("network: groups hold groups more than %d deep", maxWithin)
		}
		out = append(out, g)
		return nil
	}
	for i := range c.groups {
		if err := visit(&c.groups[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (c Grouped) settleGroup(g *Group) error {
	if g.Finish() != nil {
		return errors.New("a group has no Finish: the look that uses it has")
	}
	if err := g.Network.Settle(c); err != nil {
		return err
	}
	if g.Finish() != nil { // by its name
		return errors.New("a group has no Finish: the look that uses it has")
	}
	if len(g.Inputs) > maxExposed || len(g.Outputs) > maxExposed {
		return fmt.Errorf("more than %d inputs or outputs are exposed", maxExposed)
	}
	seen, fed := map[string]bool{}, map[Ref]bool{}
	for i := range g.Inputs {
		e := &g.Inputs[i]
		if err := checkExposed(e, seen); err != nil {
			return err
		}
		var kind Type
		for k, t := range e.To {
			d := g.Node(t.Node)
			if d == nil || fed[t] {
				return fmt.Errorf("input %s feeds %s, which is not there or is fed already", e.Name, t)
			}
			fed[t] = true
			of := c.Of(d)
			p := of.Input(t.Port)
			switch {
			case p != nil && k > 0 && p.Type != kind:
				return fmt.Errorf("input %s feeds a %s and a %s", e.Name, kind, p.Type)
			case p != nil:
				kind = p.Type
			case of.Setting(t.Port) == nil || len(e.To) > 1:
				return fmt.Errorf("input %s feeds %s, which is neither an input nor one setting", e.Name, t)
			}
		}
	}
	clear(seen)
	for i := range g.Outputs {
		e := &g.Outputs[i]
		if err := checkExposed(e, seen); err != nil {
			return err
		}
		if len(e.To) != 1 {
			return fmt.Errorf("output %s comes from %d places", e.Name, len(e.To))
		}
		out, err := g.output(c, e.To[0])
		if err != nil {
			return err
		}
		e.To[0].Port = out.Key
	}
	return nil
}

func checkExposed(e *Exposed, seen map[string]bool) error {
	if !idPattern.MatchString(e.Key) || seen[e.Key] {
		return fmt.Errorf("%.40q is no key of its own for an input or output", e.Key)
	}
	seen[e.Key] = true
	var err error
	if e.Name, err = names.Name(e.Name); err != nil {
		return fmt.Errorf("input or output %s: %w", e.Key, err)
	}
	if len(e.To) == 0 {
		return fmt.Errorf("%s leads nowhere", e.Name)
	}
	if !(e.Min <= e.Max && e.Min >= -1e6 && e.Max <= 1e6) {
		return fmt.Errorf("%s runs from %v to %v", e.Name, e.Min, e.Max)
	}
	return nil
}

// PruneGroup takes off what no longer fits: exposures of what has gone, and what
// Network.Prune takes off. It returns what it did in words.
func (c Grouped) PruneGroup(g *Group) []string {
	gone := g.Network.Prune(c)
	keep := func(list []Exposed, output bool) []Exposed {
		var out []Exposed
		for _, e := range list {
			var to []Ref
			var kind Type
			for _, t := range e.To {
				d := g.Node(t.Node)
				if d == nil {
					continue
				}
				of := c.Of(d)
				switch p := of.Input(t.Port); {
				case output && of.Output(t.Port) != nil, !output && p == nil && of.Setting(t.Port) != nil:
					to = append(to, t)
				case !output && p != nil && (kind == "" || kind == p.Type):
					to, kind = append(to, t), p.Type
				}
			}
			if e.To = to; len(to) > 0 {
				out = append(out, e)
			} else {
				gone = append(gone, fmt.Sprintf("%s of group %s", e.Name, g.Name))
			}
		}
		return out
	}
	g.Inputs, g.Outputs = keep(g.Inputs, false), keep(g.Outputs, true)
	clear(c.specs)
	return gone
}

// Expose shows an input or a setting of an inner node on the group's outside,
// under a key of its own; name may be empty for the port's.
func (c Grouped) Expose(g *Group, at Ref, output bool, name string) (string, error) {
	d := g.Node(at.Node)
	if d == nil {
		return "", fmt.Errorf("network: there is no node %.40q", at.Node)
	}
	of := c.Of(d)
	list := &g.Inputs
	called := ""
	switch {
	case output:
		list = &g.Outputs
		if p := of.Output(at.Port); p != nil {
			called = p.Name
		}
	case of.Input(at.Port) != nil:
		called = of.Input(at.Port).Name
	case of.Setting(at.Port) != nil:
		called = of.Setting(at.Port).Name
	}
	if called == "" {
		return "", fmt.Errorf("network: %s has nothing named %.40q to show outside", d.Title(c), at.Port)
	}
	for _, e := range *list {
		if slices.Contains(e.To, at) {
			return "", fmt.Errorf("network: %s of %s is shown outside already, as %s", called, d.Title(c), e.Name)
		}
	}
	if len(*list) >= maxExposed {
		return "", fmt.Errorf("network: a group shows at most %d inputs", maxExposed)
	}
	name, err := names.Label(name)
	if err != nil {
		return "", err
	}
	if name == "" {
		name = called
	}
	defer clear(c.specs)
	e := Exposed{Key: exposedKey(*list, g.Shown, at.Port), Name: name, To: []Ref{at}}
	*list = append(slices.Clone(*list), e)
	return e.Key, nil
}

// exposedKey returns a key after that of the inner port which no entry of the list
// has, and which was never given: tone, tone2, tone3…
func exposedKey(list []Exposed, given map[string]int, key string) string {
	base, _ := Numbered(key)
	if len(base) > 48 || !idPattern.MatchString(base) {
		base = "port"
	}
	highest := func(letters string) int {
		v := given[letters]
		for _, e := range list {
			if e.Key == letters {
				v = max(v, 1)
			}
			v = max(v, number(e.Key, letters))
		}
		return v
	}
	if highest(base) == 0 {
		return base
	}
	return NextID(base, highest)
}

// Make takes nodes out of a network into a group and puts a node that stands for
// it in their place. What they read from outside becomes the group's inputs, what
// is read of them its outputs. It returns the group and the node's id.
func (c Grouped) Make(n *Network, ids []string, groupID, name string) (Group, string, error) {
	in := map[string]bool{}
	for _, id := range ids {
		if d := n.Node(id); d != nil && d.Kind != FinishKind {
			in[id] = true
		}
	}
	if len(in) == 0 {
		return Group{}, "", errors.New("network: a group needs nodes: choose some first")
	}
	if between := n.between(in); between != "" {
		return Group{}, "", fmt.Errorf("network: %s lies between these nodes: take it into the group too", n.Node(between).Title(c))
	}
	name, err := names.Label(name)
	if err != nil {
		return Group{}, "", err
	}
	if name == "" {
		name = "Group"
	}
	g := Group{ID: groupID, Name: name}
	inside := slices.Sorted(maps.Keys(in))
	g.Network = n.Fragment(inside, false)
	node := Node{ID: n.newID(), Kind: GroupPrefix + groupID}
	c.exposeInputs(n, in, &g, &node)
	if err := c.exposeOutputs(n, in, &g, node.ID); err != nil {
		return g, "", err
	}
	if len(g.Inputs) > maxExposed || len(g.Outputs) > maxExposed {
		return g, "", fmt.Errorf("network: a group shows at most %d inputs and outputs", maxExposed)
	}
	if len(g.Outputs) == 0 { // nothing reads them yet: show what the last of them gives
		for i := len(g.Nodes) - 1; i >= 0 && len(g.Outputs) == 0; i-- {
			for _, p := range c.Of(&g.Nodes[i]).Outputs {
				g.Outputs = append(g.Outputs, Exposed{Key: exposedKey(g.Outputs, nil, p.Key), Name: p.Name, To: []Ref{{g.Nodes[i].ID, p.Key}}})
			}
		}
	}
	section := ""
	for _, id := range inside {
		if s := n.SectionOf(id); s != nil {
			section = s.ID
		}
		n.forget(id)
	}
	first := slices.IndexFunc(n.Nodes, func(d Node) bool { return in[d.ID] })
	n.Nodes = slices.DeleteFunc(n.Nodes, func(d Node) bool { return in[d.ID] })
	n.Nodes = slices.Insert(n.Nodes, min(first, len(n.Nodes)), node)
	if n.Section(section) != nil {
		if err := n.Move(node.ID, section); err != nil {
			return g, "", err
		}
	}
	return g, node.ID, nil
}

// exposeInputs shows outside what nodes that go into a group read from others, one input for each source and type, and wires
// the node that stands for the group to it.
func (c Grouped) exposeInputs(n *Network, in map[string]bool, g *Group, node *Node) {
	bySource := map[string]int{} // source and type → exposed input
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if !in[d.ID] {
			continue
		}
		for _, p := range c.Of(d).Inputs {
			var outside []Ref
			for _, w := range d.In[p.Key].Wires {
				if !in[w.Node] {
					outside = append(outside, w)
				}
			}
			if len(outside) == 0 {
				continue
			}
			at := Ref{d.ID, p.Key}
			source := fmt.Sprint(outside, p.Type)
			if k, ok := bySource[source]; ok {
				g.Inputs[k].To = append(g.Inputs[k].To, at)
				continue
			}
			key := exposedKey(g.Inputs, nil, p.Key)
			bySource[source] = len(g.Inputs)
			g.Inputs = append(g.Inputs, Exposed{Key: key, Name: p.Name, To: []Ref{at}})
			node.Feed(key, Input{Wires: outside})
		}
	}
}

// exposeOutputs shows outside what others read of nodes that go into a group, and lets them read the node that stands for it.
func (c Grouped) exposeOutputs(n *Network, in map[string]bool, g *Group, node string) error {
	renamed := map[Ref]string{}
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if in[d.ID] {
			continue
		}
		for _, key := range slices.Sorted(maps.Keys(d.In)) {
			for _, w := range d.In[key].Wires {
				if !in[w.Node] {
					continue
				}
				if renamed[w] == "" {
					out, err := n.output(c, w)
					if err != nil {
						return fmt.Errorf("network: %w", err)
					}
					renamed[w] = exposedKey(g.Outputs, nil, w.Port)
					g.Outputs = append(g.Outputs, Exposed{Key: renamed[w], Name: out.Name, To: []Ref{w}})
				}
				n.rewire(d, key, w, Ref{node, renamed[w]})
			}
		}
	}
	return nil
}

// Rehang makes what outer shows of nodes that have gone into inner lead there, to
// the node id that stands for inner in outer.
func (c Grouped) Rehang(outer, inner *Group, id string) {
	for _, output := range []bool{false, true} {
		list, own := &outer.Inputs, &inner.Inputs
		if output {
			list, own = &outer.Outputs, &inner.Outputs
		}
		for i := range *list {
			e := &(*list)[i]
			e.To = slices.Clone(e.To)
			for k, t := range e.To {
				if inner.Node(t.Node) == nil {
					continue
				}
				at := slices.IndexFunc(*own, func(x Exposed) bool { return slices.Contains(x.To, t) })
				if at < 0 {
					if _, err := c.Expose(inner, t, output, e.Name); err != nil {
						continue // it has gone; PruneGroup takes it off
					}
					at = len(*own) - 1
				}
				e.To[k] = Ref{id, (*own)[at].Key}
			}
			e.To = slices.Compact(e.To)
		}
	}
}

// between returns a node outside the set that reads one of it and is read by
// another, directly or through others; "" if there is none.
func (n *Network) between(in map[string]bool) string {
	order, err := n.Order()
	if err != nil {
		return ""
	}
	below := map[string]bool{} // outside, reads one of the set
	for _, i := range order {
		d := &n.Nodes[i]
		between := "" // the least id, that the same is said each time
		for _, input := range d.In {
			for _, w := range input.Wires {
				switch {
				case in[d.ID] && below[w.Node] && (between == "" || w.Node < between):
					between = w.Node
				case !in[d.ID] && (in[w.Node] || below[w.Node]):
					below[d.ID] = true
				}
			}
		}
		if between != "" {
			return between
		}
	}
	return ""
}

// Dissolve puts the nodes of a group in place of a node that stands for it and
// returns their ids.
func (c Grouped) Dissolve(n *Network, id string) ([]string, error) {
	d := n.Node(id)
	if d == nil {
		return nil, fmt.Errorf("network: there is no node %.40q", id)
	}
	g := c.GroupOf(d)
	if g == nil {
		return nil, fmt.Errorf("network: %s is no group", d.Title(c))
	}
	outer, section := *d, n.SectionOf(id)
	inner := g.Network.Clone()
	ids, err := n.Paste(c, inner)
	if err != nil {
		return nil, err
	}
	renamed := map[string]string{}
	for k := range inner.Nodes {
		renamed[inner.Nodes[k].ID] = ids[k]
	}
	spec := c.Of(&outer)
	for _, e := range g.Inputs {
		for _, t := range e.To {
			to := n.Node(renamed[t.Node])
			switch p, s := spec.Input(e.Key), spec.Setting(e.Key); {
			case p != nil && len(outer.In[e.Key].Wires) > 0:
				in := to.In[t.Port]
				to.Feed(t.Port, Input{Wires: append(slices.Clone(in.Wires), outer.In[e.Key].Wires...)})
			case p != nil && outer.In[e.Key].Value != nil:
				to.Feed(t.Port, Input{Value: outer.In[e.Key].Value})
			case s != nil && outer.Set[e.Key] != nil:
				to.Choose(t.Port, outer.Set[e.Key])
			}
		}
	}
	for i := range n.Nodes {
		dst := &n.Nodes[i]
		for _, key := range slices.Sorted(maps.Keys(dst.In)) {
			for _, w := range slices.Clone(dst.In[key].Wires) {
				if w.Node != id {
					continue
				}
				k := slices.IndexFunc(g.Outputs, func(e Exposed) bool { return e.Key == w.Port })
				if k < 0 {
					n.disconnectOne(dst, key, w)
					continue
				}
				to := g.Outputs[k].To[0]
				n.rewire(dst, key, w, Ref{renamed[to.Node], to.Port})
			}
		}
	}
	if section != nil {
		sid := section.ID
		for _, e := range ids {
			if n.SectionOf(e) == nil {
				if err := n.Move(e, sid); err != nil {
					return nil, err
				}
			}
		}
	}
	n.Nodes = slices.DeleteFunc(n.Nodes, func(d Node) bool { return d.ID == id })
	n.forget(id)
	n.Prune(c)
	return ids, nil
}

// Uses tells how often each group is used in a network, directly.
func (n *Network) Uses() map[string]int {
	out := map[string]int{}
	for i := range n.Nodes {
		if id, ok := strings.CutPrefix(n.Nodes[i].Kind, GroupPrefix); ok {
			out[id]++
		}
	}
	return out
}

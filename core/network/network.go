package network

import (
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Limits on one network.
const (
	MaxNodes = 2000
	maxName  = 100
	maxWires = 64 // into one input
)

// Network is a shading network: nodes in the order in which they were made.
type Network struct {
	Nodes []Node `json:"nodes"`
}

// Node is one step of a network.
type Node struct {
	ID   string           `json:"id"`
	Kind string           `json:"kind"`
	Name string           `json:"name,omitempty"` // the artist's own; empty for the kind's
	Set  map[string]any   `json:"set,omitempty"`  // settings that differ from the default, as Setting.Parse gives them
	In   map[string]Input `json:"in,omitempty"`   // inputs that are wired or differ from the default
}

// Input is what an input is fed with: wires, or a constant.
type Input struct {
	Wires []Ref
	Value any // float64, color.C or [3]float64; nil when wired
}

// Ref names an output of a node.
type Ref struct{ Node, Port string }

// String returns "node.port".
func (r Ref) String() string { return r.Node + "." + r.Port }

// MarshalJSON writes wires as "node.port", or a list of such, and a constant as itself.
func (in Input) MarshalJSON() ([]byte, error) {
	switch len(in.Wires) {
	case 0:
		return json.Marshal(in.Value)
	case 1:
		return json.Marshal(in.Wires[0].String())
	}
	list := make([]string, len(in.Wires))
	for i, w := range in.Wires {
		list[i] = w.String()
	}
	return json.Marshal(list)
}

// UnmarshalJSON reads what MarshalJSON writes; constants stay as decoded until
// Settle knows the port. A string that is no hex colour is a wire.
func (in *Input) UnmarshalJSON(data []byte) error {
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		return err
	}
	*in = Input{}
	switch v := v.(type) {
	case string:
		if !strings.HasPrefix(v, "#") {
			in.Wires = []Ref{ParseRef(v)}
			return nil
		}
	case []any:
		if len(v) > 0 {
			if _, ok := v[0].(string); ok {
				for _, e := range v {
					s, ok := e.(string)
					if !ok {
						return fmt.Errorf("network: a list of wires holds %.40s", printed(e))
					}
					in.Wires = append(in.Wires, ParseRef(s))
				}
				return nil
			}
		}
	}
	in.Value = v
	return nil
}

// ParseRef reads "node.port" or "node" for its first output.
func ParseRef(s string) Ref {
	if i := strings.LastIndexByte(s, '.'); i >= 0 {
		return Ref{s[:i], s[i+1:]}
	}
	return Ref{Node: s}
}

// Clone returns a deep copy of n: nothing that is done to one shows in the other.
// Values are never changed in place, so they are shared.
func (n *Network) Clone() Network {
	out := Network{Nodes: slices.Clone(n.Nodes)}
	for i := range out.Nodes {
		out.Nodes[i].Set = maps.Clone(out.Nodes[i].Set)
		out.Nodes[i].In = maps.Clone(out.Nodes[i].In)
	}
	return out
}

// Node returns the node of that id, nil if there is none.
func (n *Network) Node(id string) *Node {
	for i := range n.Nodes {
		if n.Nodes[i].ID == id {
			return &n.Nodes[i]
		}
	}
	return nil
}

// Find returns the node of that id or, failing that, of that name, its own or
// its kind's, without regard to case; nil if there is none.
func (n *Network) Find(cat Catalogue, name string) *Node {
	if d := n.Node(name); d != nil {
		return d
	}
	for i := range n.Nodes {
		if strings.EqualFold(n.Nodes[i].Title(cat), name) || n.Nodes[i].Kind == name {
			return &n.Nodes[i]
		}
	}
	return nil
}

// Finish returns the network's end, nil if it has none.
func (n *Network) Finish() *Node {
	for i := range n.Nodes {
		if n.Nodes[i].Kind == FinishKind {
			return &n.Nodes[i]
		}
	}
	return nil
}

// FinishKind is the kind of the node where a network ends; there is one at most.
const FinishKind = "finish"

// Title returns the node's name, its kind's if it has none of its own.
func (d *Node) Title(cat Catalogue) string {
	if d.Name != "" {
		return d.Name
	}
	if s := cat.Spec(d.Kind); s != nil {
		return s.Name
	}
	return d.Kind
}

// Value returns the setting's value, its default if it was never set.
func (d *Node) Value(s *Setting) any {
	if v, ok := d.Set[s.Key]; ok {
		return v
	}
	return s.Default
}

// Constant returns the value of an unwired input.
func (d *Node) Constant(p *Port) any {
	if in, ok := d.In[p.Key]; ok && in.Value != nil {
		return in.Value
	}
	return p.Default
}

var idPattern = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_-]{0,63}$`)

// Settle makes a network that came from outside one of ours: kinds by key or by
// name, settings and constants parsed, ports filled in. The error names the node
// and what is wrong with it.
func (n *Network) Settle(cat Catalogue) error {
	if len(n.Nodes) > MaxNodes {
		return fmt.Errorf("network: %d nodes, more than the %d that are allowed", len(n.Nodes), MaxNodes)
	}
	seen := map[string]bool{}
	finish := false
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if !idPattern.MatchString(d.ID) {
			return fmt.Errorf("network: node %d has the id %.40q: an id is a letter, then letters, digits, - or _", i+1, d.ID)
		}
		if seen[d.ID] {
			return fmt.Errorf("network: two nodes have the id %q", d.ID)
		}
		seen[d.ID] = true
		spec := cat.Spec(d.Kind)
		if spec == nil {
			return fmt.Errorf("network: node %q is of the unknown kind %.60q", d.ID, d.Kind)
		}
		d.Kind = spec.Kind
		if len(d.Name) > maxName {
			return fmt.Errorf("network: the name of node %q is too long", d.ID)
		}
		if d.Kind == FinishKind {
			if finish {
				return fmt.Errorf("network: node %q is a second %s", d.ID, spec.Name)
			}
			finish = true
		}
	}
	for i := range n.Nodes {
		if err := n.settle(cat, &n.Nodes[i]); err != nil {
			return fmt.Errorf("network: node %q: %w", n.Nodes[i].ID, err)
		}
	}
	if _, err := n.Order(); err != nil {
		return err
	}
	return nil
}

func (n *Network) settle(cat Catalogue, d *Node) error {
	spec := cat.Spec(d.Kind)
	for _, key := range slices.Sorted(maps.Keys(d.Set)) {
		s := spec.Setting(key)
		if s == nil {
			return fmt.Errorf("%s has no setting %.40q; it has %s", spec.Name, key, settingKeys(spec))
		}
		v, err := s.Parse(d.Set[key])
		if err != nil {
			return err
		}
		d.Set[key] = v
	}
	for _, key := range slices.Sorted(maps.Keys(d.In)) {
		p := spec.Input(key)
		if p == nil {
			return fmt.Errorf("%s has no input %.40q; it has %s", spec.Name, key, portKeys(spec.Inputs))
		}
		in := d.In[key]
		if len(in.Wires) == 0 {
			v, err := p.ParseConstant(in.Value)
			if err != nil {
				return err
			}
			d.In[key] = Input{Value: v}
			continue
		}
		if len(in.Wires) > 1 && !p.Many {
			return fmt.Errorf("%s takes one wire, not %d", p.Name, len(in.Wires))
		}
		if len(in.Wires) > maxWires {
			return fmt.Errorf("%s takes at most %d wires", p.Name, maxWires)
		}
		wires := slices.Clone(in.Wires)
		for k, w := range wires {
			out, err := n.output(cat, w)
			if err != nil {
				return err
			}
			if _, ok := Convert(out.Type, p.Type); !ok {
				return fmt.Errorf("%s carries %s, but %s takes %s", w, out.Type, p.Name, p.Type)
			}
			wires[k].Port = out.Key
		}
		d.In[key] = Input{Wires: wires}
	}
	return nil
}

// output returns the port that r names, or why there is none.
func (n *Network) output(cat Catalogue, r Ref) (*Port, error) {
	src := n.Node(r.Node)
	if src == nil {
		return nil, fmt.Errorf("there is no node %.40q to wire from", r.Node)
	}
	spec := cat.Spec(src.Kind)
	if out := spec.Output(r.Port); out != nil {
		return out, nil
	}
	if len(spec.Outputs) == 0 {
		return nil, fmt.Errorf("%s has no outputs", spec.Name)
	}
	return nil, fmt.Errorf("%s has no output %.40q; it has %s", spec.Name, r.Port, portKeys(spec.Outputs))
}

func settingKeys(s *Spec) string {
	var keys []string
	for _, v := range s.Settings {
		keys = append(keys, v.Key)
	}
	if keys == nil {
		return "none"
	}
	return strings.Join(keys, ", ")
}

func portKeys(ports []Port) string {
	var keys []string
	for _, p := range ports {
		keys = append(keys, p.Key)
	}
	if keys == nil {
		return "none"
	}
	return strings.Join(keys, ", ")
}

// Order returns the indices of the nodes so that every node comes after those
// it reads, otherwise in the order in which they stand; the error names a cycle.
func (n *Network) Order() ([]int, error) {
	index := make(map[string]int, len(n.Nodes))
	for i := range n.Nodes {
		index[n.Nodes[i].ID] = i
	}
	state := make([]uint8, len(n.Nodes)) // 1 while its inputs are walked, 2 when done
	order := make([]int, 0, len(n.Nodes))
	var visit func(i int) error
	visit = func(i int) error {
		switch state[i] {
		case 1:
			return fmt.Errorf("network: node %q would feed itself", n.Nodes[i].ID)
		case 2:
			return nil
		}
		state[i] = 1
		d := &n.Nodes[i]
		for _, key := range slices.Sorted(maps.Keys(d.In)) {
			for _, w := range d.In[key].Wires {
				if j, ok := index[w.Node]; ok {
					if err := visit(j); err != nil {
						return err
					}
				}
			}
		}
		state[i] = 2
		order = append(order, i)
		return nil
	}
	for i := range n.Nodes {
		if err := visit(i); err != nil {
			return nil, err
		}
	}
	return order, nil
}

// newID returns an id that no node has: n1, n2…
func (n *Network) newID() string {
	highest := 0
	for i := range n.Nodes {
		if v, err := strconv.Atoi(strings.TrimPrefix(n.Nodes[i].ID, "n")); err == nil && v < 1e9 {
			highest = max(highest, v)
		}
	}
	for k := highest + 1; ; k++ {
		if id := "n" + strconv.Itoa(k); n.Node(id) == nil {
			return id
		}
	}
}

package materialx

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
)

// Network is a network that was read from a document.
type Network struct {
	Name    string
	Network network.Network
	Groups  []network.Group
	Remarks names.Remarks // what could not be read, by name
}

// Read reads the material of a document: the first surface whose colour comes from a graph, or the first graph. Nodes that were
// written here and are as they were come back as what they were; of others each becomes a node that computes the same.
func Read(data []byte) (*Network, error) {
	d, err := Parse(data)
	if err != nil {
		return nil, err
	}
	r := &reader{doc: d, out: &Network{}, groups: map[string]ownGroup{}, given: map[string]bool{}}
	for _, s := range d.Skipped {
		r.remark("%s: passed over", s)
	}
	r.ownGroups()
	if err := r.material(); err != nil {
		return nil, err
	}
	if err := network.SettleGroups(node.Catalogue{}, r.out.Groups); err != nil {
		return nil, fmt.Errorf("materialx: %w", err)
	}
	if err := r.out.Network.Settle(network.NewGrouped(node.Catalogue{}, r.out.Groups)); err != nil {
		return nil, fmt.Errorf("materialx: what the document says is no network: %w", err)
	}
	return r.out, nil
}

type reader struct {
	doc    *Document
	out    *Network
	groups map[string]ownGroup // by id: all that the document holds of ours
	number int
	net    network.Network
	given  map[string]bool // ids
}

// ownGroup is a group that was written here, and the category of the nodes that stand for it.
type ownGroup struct {
	network.Group
	category string
}

// ownGroups reads the groups that were written here and are as they were. They are checked for circles and for their depth
// before anything follows what they hold.
func (r *reader) ownGroups() {
	var all []network.Group
	for i := range r.doc.NodeDefs {
		def := &r.doc.NodeDefs[i]
		if def.Ours == "" {
			continue
		}
		k := slices.IndexFunc(r.doc.Graphs, func(g Graph) bool { return g.NodeDef == def.Name })
		g := ownGroup{category: def.Node}
		if k < 0 || json.Unmarshal([]byte(def.Ours), &g.Group) != nil || r.groups[g.ID].ID != "" ||
			sum(append(slices.Clone(r.doc.Graphs[k].Nodes), Node{Category: fmt.Sprint(len(def.Inputs), len(def.Outputs))}), nil) != def.Sum {
			r.remark("The group %s was changed since it was written here, and cannot be read", def.Node)
			continue
		}
		r.groups[g.ID] = g
		all = append(all, g.Group)
	}
	if len(all) > network.MaxGroups {
		r.remark("The document holds %d groups, more than the %d that are allowed: none is read", len(all), network.MaxGroups)
		clear(r.groups)
	} else if _, err := network.NewGrouped(node.Catalogue{}, all).Order(); err != nil {
		r.remark("The groups of the document cannot be read: %s", strings.TrimPrefix(err.Error(), "network: "))
		clear(r.groups)
	}
}

func (r *reader) remark(format string, of ...any) { r.out.Remarks.Add(100, format, of...) }

// colours are the inputs of surfaces that come nearest to a drawn colour, the first that is there counting.
var colours = map[string][]string{"surface_unlit": {"emission_color"}, "standard_surface": {"base_color", "emission_color"}, "gltf_pbr": {"base_color", "emissive"}, "open_pbr_surface": {"base_color", "emission_color"}, "UsdPreviewSurface": {"diffuseColor", "emissiveColor"}}

// material finds what is to be read, and reads it.
func (r *reader) material() error {
	byName := map[string]*Graph{}
	for i := range r.doc.Graphs {
		byName[r.doc.Graphs[i].Name] = &r.doc.Graphs[i]
	}
	for i := range r.doc.Nodes {
		n := &r.doc.Nodes[i]
		wants, ok := colours[n.Category]
		if !ok {
			continue
		}
		for _, want := range wants {
			k := slices.IndexFunc(n.Inputs, func(in Input) bool { return in.Name == want })
			if k < 0 {
				continue
			}
			if n.Category != "surface_unlit" {
				r.remark("%s, a %s: its %s is drawn as it is, without light", n.Name, n.Category, want)
			}
			in := n.Inputs[k]
			g := byName[in.NodeGraph]
			if g == nil { // nodes that lie in the document itself
				g = &Graph{Name: n.Name, Nodes: r.doc.Nodes}
				g.Outputs = []Input{{Name: "colour", Type: in.Type, NodeName: in.NodeName, Output: in.Output, Value: in.Value}}
				return r.graph(g, "colour", "")
			}
			opacity := ""
			if o := slices.IndexFunc(n.Inputs, func(in Input) bool { return in.Name == "opacity" && in.NodeGraph == g.Name }); o >= 0 {
				opacity = n.Inputs[o].Output
			}
			return r.graph(g, in.Output, opacity)
		}
	}
	for i := range r.doc.Graphs {
		if g := &r.doc.Graphs[i]; g.NodeDef == "" && len(g.Outputs) > 0 {
			return r.graph(g, g.Outputs[0].Name, "")
		}
	}
	return errors.New("materialx: the document has neither a surface whose colour comes from nodes nor a graph of them")
}

// graph reads a graph as the network of a look.
func (r *reader) graph(g *Graph, colour, opacity string) error {
	r.out.Name = strings.TrimPrefix(g.Name, "NG_")
	s := r.scope(g)
	s.restore()
	end := network.Node{ID: "finish", Kind: network.FinishKind, In: map[string]network.Input{}}
	for _, o := range g.Outputs {
		key := ""
		switch o.Name {
		case colour:
			key = "colour"
		case opacity:
			key = "opacity"
		default:
			continue
		}
		in, err := s.input(&o, nil)
		if err != nil {
			return err
		}
		if key == "opacity" && len(in.Wires) == 0 && in.Value == 1.0 {
			continue
		}
		if len(in.Wires) == 0 {
			in.Value = asType(in.Value, map[string]network.Type{"colour": network.Color, "opacity": network.Tone}[key])
		}
		end.In[key] = in
	}
	s.net.Nodes = append(s.net.Nodes, end)
	r.out.Network = s.net
	return nil
}

// read is what a node of the document has become: an output of one of ours, or a value.
type read struct {
	ref   network.Ref
	value any
	going bool
}

type readScope struct {
	*reader
	g     *Graph
	nodes map[string]*Node
	done  map[string]read // name, or name and output
	// Of what a node that the document defines holds: its definition, what its inputs are fed with there, and how deep it lies.
	def   *NodeDef
	bound func(name string) (read, bool, error)
	depth int
}

// scope returns a graph to be read.
func (r *reader) scope(g *Graph) *readScope {
	s := &readScope{reader: r, g: g, nodes: map[string]*Node{}, done: map[string]read{}}
	for i := range g.Nodes {
		s.nodes[g.Nodes[i].Name] = &g.Nodes[i]
	}
	return s
}

// restore takes back the nodes that were written here and whose pieces are as they were.
func (s *readScope) restore() {
	for i := range s.g.Nodes {
		n := &s.g.Nodes[i]
		if n.Ours == "" || n.Of == "" || i > 0 && s.g.Nodes[i-1].Of == n.Of { // the first of its pieces tells of all
			continue
		}
		var pieces []Node
		for k := i; k < len(s.g.Nodes) && s.g.Nodes[k].Of == n.Of; k++ {
			pieces = append(pieces, s.g.Nodes[k])
		}
		var m mark
		if sum(pieces, s.g.Inputs) != n.Sum || json.Unmarshal([]byte(n.Ours), &m) != nil || m.Node.ID == "" || len(m.Node.ID) > 64 || s.given[m.Node.ID] {
			s.remark("%s was changed since it was written here: it is read piece by piece", n.Name)
			continue
		}
		if strings.HasPrefix(m.Node.Kind, network.GroupPrefix) && !s.restoreGroup(n.Category, strings.TrimPrefix(m.Node.Kind, network.GroupPrefix)) {
			continue
		}
		s.given[m.Node.ID] = true
		s.net.Nodes = append(s.net.Nodes, m.Node)
		for key, at := range m.Outs {
			s.done[at] = read{ref: network.Ref{Node: m.Node.ID, Port: key}}
		}
	}
	// One that reads what is not there any more is read piece by piece too: then what the document says counts.
	for again := true; again; {
		again = false
		s.net.Nodes = slices.DeleteFunc(s.net.Nodes, func(d network.Node) bool {
			for _, in := range d.In {
				for _, w := range in.Wires {
					if s.given[w.Node] {
						continue
					}
					delete(s.given, d.ID)
					maps.DeleteFunc(s.done, func(_ string, r read) bool { return r.ref.Node == d.ID })
					again = true
					return true
				}
			}
			return false
		})
	}
}

// restoreGroup takes back a group with those that it holds, and tells whether it can be had.
func (s *readScope) restoreGroup(category, id string) bool {
	if slices.ContainsFunc(s.out.Groups, func(g network.Group) bool { return g.ID == id }) {
		return true
	}
	g, ok := s.groups[id]
	if !ok || category != "" && g.category != category {
		return false
	}
	for i := range g.Nodes {
		if inner, ok := strings.CutPrefix(g.Nodes[i].Kind, network.GroupPrefix); ok && !s.restoreGroup("", inner) {
			return false
		}
	}
	s.out.Groups = append(s.out.Groups, g.Group)
	return true
}

// input returns what an input of a node, or, with no node, an output of the graph, is fed with.
func (s *readScope) input(in *Input, n *Node) (network.Input, error) {
	v, err := s.value(in, n)
	return wire(v), err
}

func (s *readScope) value(in *Input, n *Node) (read, error) {
	switch {
	case in.NodeName != "":
		return s.node(in.NodeName, in.Output)
	case in.InterfaceName != "":
		if s.bound != nil {
			if v, ok, err := s.bound(in.InterfaceName); ok || err != nil {
				return v, err
			}
		}
		inputs := s.g.Inputs
		if s.def != nil {
			inputs = s.def.Inputs
		}
		for i := range inputs {
			if e := &inputs[i]; e.Name == in.InterfaceName {
				return s.literal(e, n), nil
			}
		}
	}
	return s.literal(in, n), nil
}

// literal returns a value that the document has as text, its colours as linear light.
func (s *readScope) literal(in *Input, n *Node) read {
	v, ok := parsed(in.Value, in.Type)
	if !ok && in.Value != "" {
		of := s.g.Name
		if n != nil {
			of = n.Name
		}
		s.remark("%s of %s is %.40q, which is no %s: the usual value stands in its place", in.Name, of, in.Value, in.Type)
	}
	if !ok {
		text := "0"
		if n != nil {
			if usual, has := library[n.Category].values[in.Name]; has {
				text = usual
			}
		}
		v, _ = parsed(spread(text, in.Type), in.Type)
		return read{value: v}
	}
	c, isColor := v.(color.C)
	if !isColor {
		return read{value: v}
	}
	space := in.ColorSpace
	for _, more := range []func() string{func() string {
		if n == nil {
			return ""
		}
		return n.ColorSpace
	}, func() string { return s.g.ColorSpace }, func() string { return s.doc.ColorSpace }} {
		if space == "" {
			space = more()
		}
	}
	c, known := linear(c, space)
	if !known {
		s.remark("%s: the colour space %.40q is not known here; its numbers are taken for linear light", in.Name, space)
	}
	return read{value: c}
}

// defined returns what a node stands for that the document itself defines: a graph, and its definition; nil for others.
func (s *readScope) defined(n *Node) (*Graph, *NodeDef) {
	for i := range s.doc.NodeDefs {
		def := &s.doc.NodeDefs[i]
		if def.Node != n.Category {
			continue
		}
		for k := range s.doc.Graphs {
			if s.doc.Graphs[k].NodeDef == def.Name && (len(def.Outputs) != 1 || def.Outputs[0].Type == n.Type) {
				return &s.doc.Graphs[k], def
			}
		}
	}
	return nil, nil
}

// Limits on what a document may come to, by nodes that it defines within each other.
const (
	maxWithin = 16
	maxRead   = 5000
)

// inside reads what a node stands for that the document defines, with its inputs fed as the node's are.
func (a *asked) inside(g *Graph, def *NodeDef) (read, error) {
	if a.depth >= maxWithin {
		return read{}, fmt.Errorf("materialx: nodes that the document defines lie more than %d deep in each other", maxWithin)
	}
	s := a.scope(g)
	s.def, s.depth = def, a.depth+1
	s.bound = func(name string) (read, bool, error) {
		for i := range a.n.Inputs {
			if a.n.Inputs[i].Name == name {
				v, err := a.value(&a.n.Inputs[i], a.n)
				return v, true, err
			}
		}
		return read{}, false, nil
	}
	for i := range g.Outputs {
		if o := &g.Outputs[i]; o.Name == a.output || a.output == "" && len(g.Outputs) == 1 {
			return s.value(o, nil)
		}
	}
	return read{}, fmt.Errorf("materialx: %s has no output %.40q", def.Node, a.output)
}

// put adds a node of ours.
func (s *reader) put(kind, name string, set map[string]any, in map[string]network.Input) string {
	id := ""
	for id == "" || s.given[id] {
		s.number++
		id = fmt.Sprint("x", s.number)
	}
	s.given[id] = true
	for k, v := range in {
		if len(v.Wires) == 0 && v.Value == nil {
			delete(in, k)
		}
	}
	s.net.Nodes = append(s.net.Nodes, network.Node{ID: id, Kind: kind, Name: name, Set: set, In: in})
	return id
}

// node returns what a node of the document has become.
func (s *readScope) node(name, output string) (read, error) {
	key := strings.TrimSuffix(name+"."+output, ".")
	if v, ok := s.done[key]; ok {
		if v.going {
			return v, fmt.Errorf("materialx: %s reads itself", name)
		}
		return v, nil
	}
	n := s.nodes[name]
	if n == nil {
		return read{}, fmt.Errorf("materialx: there is no node %.60q", name)
	}
	s.done[key] = read{going: true}
	if s.number > maxRead {
		return read{}, fmt.Errorf("materialx: the document comes to more than %d nodes", maxRead)
	}
	v, err := s.become(n, output)
	if err != nil {
		return v, err
	}
	s.done[key] = v
	return v, nil
}

// title returns what a node that is read is called.
func (s *readScope) title(n *Node) string {
	name := strings.ReplaceAll(n.Name, "_", " ")
	if len(name) > 60 {
		name = name[:60]
	}
	return name
}

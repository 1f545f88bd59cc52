package page

import (
	"slices"
	"strings"

	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/store"
)

// Result is a kind of node, or a group, that a search has found.
type Result struct {
	Name, Family, Purpose string
	Edit                  string // as JSON
	Fits                  bool   // whether it can stand where it was asked for
	Key                   string // names its picture
}

// Search is what a search for a node asks.
type Search struct {
	Words    string
	From, To string // the ports that it shall be wired to; "" for none
	Replace  string // the node in whose place it shall stand, "" for none
}

// Find lists what the words could mean, to be added, put into a wire, or put in
// a node's place, also from the groups kept in the library. What would be refused
// stands last, and pale.
func (d *Desk) Find(s Search, kept []store.Entry) ([]Result, error) {
	from, to, replace := s.From, s.To, s.Replace
	make := func(kind string) (string, *project.Edit, error) {
		e := &project.Edit{Op: "node.add", Kind: kind, From: from, To: to, Look: d.Look.ID}
		pairs := []any{"kind", kind, "from", from, "to", to}
		if replace != "" {
			e = &project.Edit{Op: "node.replace", Kind: kind, Node: replace, Look: d.Look.ID}
			pairs = []any{"kind", kind, "node", replace}
		}
		if d.Group != nil {
			e.Group = d.Group.ID
		}
		text, err := d.Vals(e.Op, pairs...)
		return text, e, err
	}
	var out []Result
	add := func(spec *network.Spec, key string, edit string, e *project.Edit) {
		_, err := d.Project.Clone().Apply(e)
		out = append(out, Result{spec.Name, spec.Family, spec.Purpose, edit, err == nil, key})
	}
	for _, k := range cat.Search(s.Words) {
		if k.Spec.Kind == network.FinishKind {
			continue
		}
		text, e, err := make(k.Spec.Kind)
		if err != nil {
			return nil, err
		}
		add(&k.Spec, k.Spec.Kind, text, e)
	}
	for i := range d.Project.Groups {
		g := &d.Project.Groups[i]
		if !matches(s.Words, "group "+g.Name+" "+g.Note) || d.Group != nil && d.Group.ID == g.ID {
			continue
		}
		text, e, err := make(network.GroupPrefix + g.ID)
		if err != nil {
			return nil, err
		}
		add(d.Cat.Spec(network.GroupPrefix+g.ID), g.ID, text, e)
	}
	if replace == "" {
		for _, e := range kept {
			if !matches(s.Words, "group library "+e.Name) {
				continue
			}
			text, err := d.Vals("group.bring", "from", from, "to", to, "kind", LibraryPrefix+e.ID)
			if err != nil {
				return nil, err
			}
			out = append(out, Result{e.Name, "group", "From the library: comes into this project.", text, true, e.ID})
		}
	}
	slices.SortStableFunc(out, func(a, b Result) int {
		switch {
		case a.Fits == b.Fits:
			return 0
		case a.Fits:
			return -1
		}
		return 1
	})
	return out, nil
}

// LibraryPrefix stands before the id of an entry of the library where a kind is named.
const LibraryPrefix = "library:"

func matches(query, text string) bool {
	text = strings.ToLower(text)
	for _, w := range strings.Fields(strings.ToLower(query)) {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

// Source is an output that an input could be wired to.
type Source struct {
	Ref, Name, Port string
	How             string // the conversion, "" for none
	Wired           bool
}

// Sources lists what an input could be fed with, without closing a circle.
func (d *Desk) Sources(id, key string) []Source {
	dst := d.Net.Node(id)
	if dst == nil {
		return nil
	}
	in := d.Cat.Of(dst).Input(key)
	if in == nil {
		return nil
	}
	below := d.Net.Readers(id)
	var out []Source
	for i := range d.Net.Nodes {
		n := &d.Net.Nodes[i]
		if below[n.ID] {
			continue
		}
		for _, o := range d.Cat.Of(n).Outputs {
			how, ok := network.Convert(o.Type, in.Type)
			if !ok && d.Cat.Of(dst).Adapts == "" {
				continue
			}
			ref := network.Ref{Node: n.ID, Port: o.Key}
			out = append(out, Source{ref.String(), n.Title(d.Cat), o.Name, how, slices.Contains(dst.In[key].Wires, ref)})
		}
	}
	return out
}

// Feeds names what an input is fed by, one for each wire.
func (d *Desk) Feeds(n *network.Node, key string) []Source {
	var out []Source
	p := d.Cat.Of(n).Input(key)
	for _, w := range n.In[key].Wires {
		src := d.Net.Node(w.Node)
		if src == nil || p == nil {
			continue
		}
		s := Source{Ref: w.String(), Name: src.Title(d.Cat), Wired: true}
		if o := d.Cat.Of(src).Output(w.Port); o != nil {
			s.Port = o.Name
			s.How, _ = network.Convert(o.Type, p.Type)
		}
		out = append(out, s)
	}
	return out
}

// Picker is what the picker of a source shows.
type Picker struct {
	Desk    *Desk
	To      string // the input
	Title   string // of its node
	Port    *network.Port
	Wired   bool
	Sources []Source
}

// Picker lists what an input, "n5.tone", could be fed with, by words; nil if there is no
// such input.
func (d *Desk) Picker(input, words string) *Picker {
	to := network.ParseRef(input)
	n := d.Net.Node(to.Node)
	if n == nil || d.Cat.Of(n).Input(to.Port) == nil {
		return nil
	}
	list := slices.DeleteFunc(d.Sources(to.Node, to.Port), func(s Source) bool { return !matches(words, s.Name+" "+s.Port) })
	slices.SortStableFunc(list, func(a, b Source) int { // a node of that name before an output of that name
		switch x, y := matches(words, a.Name), matches(words, b.Name); {
		case x == y:
			return 0
		case x:
			return -1
		}
		return 1
	})
	return &Picker{d, to.String(), n.Title(d.Cat), d.Cat.Of(n).Input(to.Port), len(n.In[to.Port].Wires) > 0, list}
}

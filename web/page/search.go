package page

import (
	"cmp"
	"slices"
	"strings"

	"mobanta/core/find"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/store"
)

// Result is a kind of node, or a group, that a search has found.
type Result struct {
	Name, Family, Purpose string
	Edit                  string // as JSON
	Fits                  bool   // whether it can stand where it was asked for
	Key                   string // names its picture
	Guess                 bool   // nothing goes by what was typed: this comes nearest
	Loose                 string // the edit that adds it beside the network, where Edit does more; else ""
	Start                 bool   // a starting point: it takes the place of the look's network
	To                    string // what is no node: where it is; see Place
}

// Search is what a search for a node asks.
type Search struct {
	Words    string
	From, To string // the ports that it shall be wired to; "" for none
	Replace  string // the node in whose place it shall stand, "" for none
	Chosen   string // the node that is chosen: what can goes behind it
	Starts   []Start
}

// Start is a look to start from.
type Start struct {
	ID, Name string
	Own      string // id in the library, "" for those that ship with the studio
}

// Find lists what the words could mean, to be added, put into a wire, or put in
// a node's place, also from the groups kept in the library; where a node would stand free also starting points, and where things
// are that are no nodes. What changes a tone or a colour goes
// behind the chosen node; what gives a mask is also there with the ways in which it goes into
// the look. What would be refused stands last, and pale.
func (d *Desk) Find(s Search, kept []store.Entry) ([]Result, error) {
	f := &finder{Desk: d, Search: s, free: s.From == "" && s.To == "" && s.Replace == ""}
	// What could be meant, with how well it fits, and what puts it into the list.
	type candidate struct {
		score float64
		put   func() error
	}
	var all []candidate
	found := cat.Search(f.Words)
	guessed := len(found) > 0 && found[0].Guess
	for _, k := range found {
		if k.Spec.Kind == network.FinishKind {
			continue
		}
		all = append(all, candidate{k.Score, func() error { return f.putKind(k) }})
	}
	kinds := len(all)
	for _, g := range d.named(s, kept, f.free) {
		all = append(all, candidate{g.score, func() error { return f.putNamed(g) }})
	}
	if guessed && len(all) > kinds {
		all, guessed = all[kinds:], false
	}
	slices.SortStableFunc(all, func(a, b candidate) int { return cmp.Compare(b.score, a.score) })
	for _, c := range all {
		if err := c.put(); err != nil {
			return nil, err
		}
	}
	if guessed {
		for i := range f.out {
			f.out[i].Guess = true
		}
	}
	slices.SortStableFunc(f.out, func(a, b Result) int {
		switch {
		case a.Fits == b.Fits:
			return 0
		case a.Fits:
			return -1
		}
		return 1
	})
	return f.out, nil
}

// finder is at work on what a search finds.
type finder struct {
	*Desk
	Search
	free bool // whether a node would stand free
	out  []Result
}

// add lists what an edit does, by the values that ask for it; it tells whether the edit would be accepted.
func (f *finder) add(name string, spec *network.Spec, purpose, key string, e *project.Edit, pairs ...any) (bool, error) {
	e.Look = f.Look.ID
	if f.Group != nil {
		e.Group = f.Group.ID
	}
	text, err := f.Vals(e.Op, pairs...)
	if err != nil {
		return false, err
	}
	_, err = f.Project.Clone().Apply(e)
	f.out = append(f.out, Result{Name: name, Family: spec.Family, Purpose: purpose, Edit: text, Fits: err == nil, Key: key})
	return err == nil, nil
}

// kind lists a kind, or a group, by its key.
func (f *finder) kind(spec *network.Spec, kind, key string) error {
	if f.Replace != "" {
		_, err := f.add(spec.Name, spec, spec.Purpose, key, &project.Edit{Op: "node.replace", Kind: kind, Node: f.Replace}, "kind", kind, "node", f.Replace)
		return err
	}
	loose := []any{"kind", kind, "from", f.From, "to", f.To}
	if end := f.Net.Finish(); f.free && f.Group == nil && end != nil && len(spec.Outputs) > 0 && spec.Outputs[0].Type == network.Lines { // lines lie on all others
		last := end.ID + ".lines"
		if _, err := f.add(spec.Name, spec, spec.Purpose, key, &project.Edit{Op: "node.add", Kind: kind, To: last}, "kind", kind, "to", last); err != nil {
			return err
		}
		var err error
		f.out[len(f.out)-1].Loose, err = f.Vals("node.add", loose...)
		return err
	}
	if behind := f.behind(f.Chosen); f.free && behind != "" && f.continues(behind, spec) {
		fits, err := f.add(spec.Name, spec, spec.Purpose, key, &project.Edit{Op: "node.add", Kind: kind, From: behind, After: true}, "kind", kind, "from", behind, "after", true)
		if err != nil {
			return err
		}
		if fits {
			last := &f.out[len(f.out)-1]
			last.Loose, err = f.Vals("node.add", loose...)
			return err
		}
		f.out = f.out[:len(f.out)-1]
	}
	_, err := f.add(spec.Name, spec, spec.Purpose, key, &project.Edit{Op: "node.add", Kind: kind, From: f.From, To: f.To}, loose...)
	return err
}

// putKind lists a kind of node, and the ways in which what it gives goes into the look.
func (f *finder) putKind(k node.Found) error {
	if err := f.kind(&k.Spec, k.Spec.Kind, k.Spec.Kind); err != nil {
		return err
	}
	if !f.free || strings.TrimSpace(f.Words) == "" {
		return nil
	}
	for _, w := range k.Ways {
		behind := f.behind(f.Chosen)
		if _, err := f.add(k.Spec.Name+", "+w.Name(), &k.Spec, w.Purpose(), k.Spec.Kind+"/"+string(w), &project.Edit{Op: "way.add", Kind: k.Spec.Kind, Key: string(w), From: behind}, "kind", k.Spec.Kind, "key", string(w), "from", behind); err != nil {
			return err
		}
	}
	return nil
}

// putNamed lists what goes by a name.
func (f *finder) putNamed(g named) error {
	switch {
	case g.group != nil:
		return f.kind(f.Cat.Spec(network.GroupPrefix+g.group.ID), network.GroupPrefix+g.group.ID, g.group.ID)
	case g.kept != nil:
		text, err := f.Vals("group.bring", "from", f.From, "to", f.To, "kind", LibraryPrefix+g.kept.ID)
		f.out = append(f.out, Result{Name: g.kept.Name, Family: "group", Purpose: "From the library: comes into this project.", Edit: text, Fits: true, Key: g.kept.ID})
		return err
	case g.start != nil:
		text, err := f.Vals("look.replace", "kind", g.start.ID, "name", g.start.Name)
		if err != nil {
			return err
		}
		loose, err := vals("op", "look.add", "kind", g.start.ID)
		f.out = append(f.out, Result{Name: g.start.Name, Family: "starting point", Purpose: "Gives " + f.Look.Name + " its network; with Shift it becomes a look of its own.", Edit: text, Loose: loose, Fits: true, Key: g.start.ID, Start: true})
		return err
	}
	f.out = append(f.out, Result{Name: g.place.Name, Family: "not a node", Purpose: g.place.Says, Fits: true, To: g.place.To})
	return nil
}

// behind returns the output behind which a node goes that is added while another is chosen: what
// its card shows; "" for none.
func (d *Desk) behind(chosen string) string {
	n := d.Net.Node(chosen)
	if n == nil || n.Kind == network.FinishKind {
		return ""
	}
	ref := d.Main(chosen)
	if out := d.Cat.Of(n).Output(network.ParseRef(ref).Port); out == nil || out.Type == network.Lines {
		return ""
	}
	return ref
}

// continues tells whether a kind changes what an output gives into something of the same type:
// then it goes behind it. What would have to be converted is not meant so.
func (d *Desk) continues(ref string, spec *network.Spec) bool {
	if spec.Family != "tone" && spec.Family != "colour" && spec.Family != "pattern" && spec.Family != "group" || len(spec.Outputs) == 0 {
		return false
	}
	r := network.ParseRef(ref)
	t := d.Cat.Of(d.Net.Node(r.Node)).Output(r.Port).Type
	for i := range spec.Inputs {
		if p := &spec.Inputs[i]; !p.Hidden {
			return spec.Adapts != "" || p.Type == t && spec.Outputs[0].Type == t
		}
	}
	return false
}

// LibraryPrefix stands before the id of an entry of the library where a kind is named.
const LibraryPrefix = "library:"

// matches tells whether each word of a query stands in a text.
func matches(query, text string) bool {
	text = strings.ToLower(text)
	for _, w := range strings.Fields(strings.ToLower(query)) {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

// named is what goes by a name beside the kinds of node: one of these.
type named struct {
	score float64
	group *network.Group
	kept  *store.Entry
	start *Start
	place *Place
}

// named returns what words could mean beside kinds: groups of the project and the library, and where a node would stand free
// starting points and places. For no words all groups.
func (d *Desk) named(s Search, kept []store.Entry, free bool) (out []named) {
	var all []named
	var list []find.Thing
	for i := range d.Project.Groups {
		if g := &d.Project.Groups[i]; d.Group == nil || d.Group.ID != g.ID {
			all, list = append(all, named{group: g}), append(list, find.Thing{Name: g.Name, Words: []string{"group"}, Says: g.Note})
		}
	}
	for i := range kept {
		if s.Replace == "" {
			all, list = append(all, named{kept: &kept[i]}), append(list, find.Thing{Name: kept[i].Name, Words: []string{"group", "library"}})
		}
	}
	if strings.TrimSpace(s.Words) == "" {
		return all
	}
	for i := range s.Starts {
		if free {
			all, list = append(all, named{start: &s.Starts[i]}), append(list, find.Thing{Name: s.Starts[i].Name, Words: []string{"starting point", "preset"}})
		}
	}
	for _, h := range find.New(list).Find(s.Words) {
		if h.All {
			all[h.Thing].score = h.Score
			out = append(out, all[h.Thing])
		}
	}
	if free {
		for _, h := range placeIndex().Find(s.Words) {
			if h.All {
				out = append(out, named{score: h.Score, place: &places[h.Thing]})
			}
		}
	}
	return out
}

// Source is an output that an input could be wired to.
type Source struct {
	Ref, Name, Port string
	How             string // the conversion, "" for none
	Wired           bool
	far             int // how many wires lead from its node to that of the input; see wiresTo
}

// Sources lists what an input could be fed with, without closing a circle: what needs no
// conversion first, then what is nearest in the network.
func (d *Desk) Sources(id, key string) []Source {
	dst := d.Net.Node(id)
	if dst == nil {
		return nil
	}
	in := d.Cat.Of(dst).Input(key)
	if in == nil {
		return nil
	}
	below, far := d.Net.Readers(id), d.wiresTo(id)
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
			out = append(out, Source{ref.String(), n.Title(d.Cat), o.Name, how, slices.Contains(dst.In[key].Wires, ref), far[n.ID]})
		}
	}
	slices.SortStableFunc(out, func(a, b Source) int {
		if (a.How == "") != (b.How == "") {
			if a.How == "" {
				return -1
			}
			return 1
		}
		return a.far - b.far
	})
	return out
}

// wiresTo counts for each node the wires on the shortest way to the node id, whichever way they
// run; for those that hang together with it by none, more than any way has.
func (d *Desk) wiresTo(id string) map[string]int {
	beside := map[string][]string{}
	far := map[string]int{}
	for i := range d.Net.Nodes {
		n := &d.Net.Nodes[i]
		far[n.ID] = len(d.Net.Nodes)
		for _, in := range n.In {
			for _, w := range in.Wires {
				beside[n.ID] = append(beside[n.ID], w.Node)
				beside[w.Node] = append(beside[w.Node], n.ID)
			}
		}
	}
	far[id] = 0
	for next := []string{id}; len(next) > 0; next = next[1:] {
		for _, n := range beside[next[0]] {
			if far[n] > far[next[0]]+1 {
				far[n] = far[next[0]] + 1
				next = append(next, n)
			}
		}
	}
	return far
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

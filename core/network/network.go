package network

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/names"
)

// Limits on one network.
const (
	MaxNodes    = 2000
	maxWires    = 64     // into one input
	maxAllWires = 20_000 // in all
	maxDials    = 200
)

// Network is a shading network: nodes in the order in which they were made.
type Network struct {
	Nodes    []Node    `json:"nodes"`
	Sections []Section `json:"sections,omitempty"`
	Dials    []Dial    `json:"dials,omitempty"`

	// Given tells, by the letters that ids begin with, the highest number that one
	// ever had: no id is given twice, not even after an undo. It may be nil and is
	// never changed in place.
	Given map[string]int `json:"-"`
}

// Section is a named set of nodes that can be folded to one card. A node is in
// one section at most.
type Section struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Note   string   `json:"note,omitempty"`
	Folded bool     `json:"folded,omitempty"`
	Nodes  []string `json:"nodes"`
}

// Dial is a setting or an input of a node on the look's front.
type Dial struct {
	ID   string  `json:"id"`
	Name string  `json:"name"`
	Node string  `json:"node"`
	Key  string  `json:"key"`           // of the setting or the input
	Min  float64 `json:"min,omitempty"` // of its slider, for a number; both 0 for the setting's own
	Max  float64 `json:"max,omitempty"`
}

// Node is one step of a network.
type Node struct {
	ID   string           `json:"id"`
	Kind string           `json:"kind"`
	Name string           `json:"name,omitempty"` // the artist's own; empty for the kind's
	Note string           `json:"note,omitempty"`
	Off  bool             `json:"off,omitempty"` // bypassed: each output hands on an input
	Set  map[string]any   `json:"set,omitempty"` // settings that differ from the default, as Setting.Parse gives them
	In   map[string]Input `json:"in,omitempty"`  // inputs that are wired or differ from the default
	// Swatches names, for settings and inputs that hold a colour, the project's
	// swatch that it follows. The colour itself is in Set or In as well.
	Swatches map[string]string `json:"swatch,omitempty"`
	// Bands names, for settings that hold stops, the project's band set that their
	// edges follow.
	Bands map[string]string `json:"bands,omitempty"`
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
	out := Network{Nodes: slices.Clone(n.Nodes), Given: n.Given}
	for i := range out.Nodes {
		out.Nodes[i].Set = maps.Clone(out.Nodes[i].Set)
		out.Nodes[i].In = maps.Clone(out.Nodes[i].In)
		out.Nodes[i].Swatches = maps.Clone(out.Nodes[i].Swatches)
		out.Nodes[i].Bands = maps.Clone(out.Nodes[i].Bands)
	}
	out.Sections = slices.Clone(n.Sections)
	for i := range out.Sections {
		out.Sections[i].Nodes = slices.Clone(out.Sections[i].Nodes)
	}
	out.Dials = slices.Clone(n.Dials)
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

// Read returns the outputs that some input reads.
func (n *Network) Read() map[Ref]bool {
	out := map[Ref]bool{}
	for i := range n.Nodes {
		for _, in := range n.Nodes[i].In {
			for _, w := range in.Wires {
				out[w] = true
			}
		}
	}
	return out
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
	if s := cat.Of(d); s != nil {
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
	if n.Nodes == nil {
		n.Nodes = []Node{}
	}
	seen := make(map[string]int, len(n.Nodes))
	finish, wires := false, 0
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if !idPattern.MatchString(d.ID) {
			return fmt.Errorf("network: node %d has the id %.40q: an id is a letter, then letters, digits, - or _", i+1, d.ID)
		}
		if _, twice := seen[d.ID]; twice {
			return fmt.Errorf("network: two nodes have the id %q", d.ID)
		}
		seen[d.ID] = i
		for _, in := range d.In {
			if wires += len(in.Wires); wires > maxAllWires {
				return fmt.Errorf("network: more than %d wires", maxAllWires)
			}
		}
		spec := cat.Spec(d.Kind)
		if spec == nil {
			return fmt.Errorf("network: node %q is of the unknown kind %.60q", d.ID, d.Kind)
		}
		d.Kind = spec.Kind
		if err := tidy(&d.Name, &d.Note, names.Label); err != nil {
			return fmt.Errorf("network: node %q: %w", d.ID, err)
		}
		if d.Kind == FinishKind {
			if finish {
				return fmt.Errorf("network: node %q is a second %s", d.ID, spec.Name)
			}
			finish = true
		}
	}
	// Settings first: the ports that wires are checked against may depend on them.
	specs := make([]*Spec, len(n.Nodes))
	for i := range n.Nodes {
		d := &n.Nodes[i]
		if err := settleSettings(cat, d); err != nil {
			return fmt.Errorf("network: node %q: %w", d.ID, err)
		}
		specs[i] = cat.Of(d)
	}
	source := func(id string) (*Node, *Spec) {
		i, ok := seen[id]
		if !ok {
			return nil, nil
		}
		return &n.Nodes[i], specs[i]
	}
	for i := range n.Nodes {
		if err := settleInputs(&n.Nodes[i], specs[i], source); err != nil {
			return fmt.Errorf("network: node %q: %w", n.Nodes[i].ID, err)
		}
	}
	if err := n.settleFront(cat); err != nil {
		return err
	}
	if _, err := n.Order(); err != nil {
		return err
	}
	return nil
}

// tidy makes a name and a note what such may be; rule is that for the name.
func tidy(name, note *string, rule func(string) (string, error)) (err error) {
	if *name, err = rule(*name); err == nil {
		*note, err = names.Note(*note)
	}
	return err
}

func settleSettings(cat Catalogue, d *Node) error {
	spec := cat.Spec(d.Kind)
	// What depends on another setting, as a choice among what it lists, comes last, once
	// that is known.
	late := func(key string) bool {
		s := spec.Setting(key)
		return s == nil || s.Type == Choice && len(s.Choices) == 0
	}
	keys := slices.Sorted(maps.Keys(d.Set))
	slices.SortStableFunc(keys, func(a, b string) int {
		switch {
		case late(a) == late(b):
			return 0
		case late(a):
			return 1
		}
		return -1
	})
	for _, key := range keys {
		s := spec.Setting(key)
		if late(key) {
			s = cat.Of(d).Setting(key)
		}
		if s == nil {
			return fmt.Errorf("%s has no setting %.40q; it has %s", spec.Name, key, settingKeys(spec))
		}
		v, err := s.Parse(d.Set[key])
		if err != nil {
			return err
		}
		d.Set[key] = v
	}
	if spec.Check != nil {
		return spec.Check(d)
	}
	return nil
}

// settleInputs settles the inputs of a node of that spec; source gives a node of
// the network with its spec.
func settleInputs(d *Node, spec *Spec, source func(id string) (*Node, *Spec)) error {
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
			src, of := source(w.Node)
			out, err := output(src, of, w)
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
	if d.Off {
		if err := CanBypass(spec); err != nil {
			return err
		}
	}
	for key := range d.Swatches {
		if !d.holdsColor(spec, key) {
			return fmt.Errorf("%s has no colour %.40q that could follow a swatch", spec.Name, key)
		}
	}
	for key := range d.Bands {
		if !d.holdsRamp(spec, key) {
			return fmt.Errorf("%s has no ramp %.40q that could follow a band set", spec.Name, key)
		}
	}
	return nil
}

// holdsRamp tells whether the setting of that key holds a ramp.
func (d *Node) holdsRamp(spec *Spec, key string) bool {
	s := spec.Setting(key)
	return s != nil && s.Type == Stops
}

// holdsColor tells whether the setting or the unwired input of that key holds a
// colour of its own.
func (d *Node) holdsColor(spec *Spec, key string) bool {
	if s := spec.Setting(key); s != nil {
		return s.Type == Swatch
	}
	p := spec.Input(key)
	return p != nil && p.Type == Color && len(d.In[key].Wires) == 0
}

// settleFront checks sections and dials.
func (n *Network) settleFront(cat Catalogue) error {
	in, ids, there := map[string]string{}, map[string]bool{}, map[string]bool{}
	for i := range n.Nodes {
		there[n.Nodes[i].ID] = true
	}
	if len(n.Sections) > MaxNodes {
		return fmt.Errorf("network: %d sections, more than the %d that are allowed", len(n.Sections), MaxNodes)
	}
	for i := range n.Sections {
		s := &n.Sections[i]
		if !idPattern.MatchString(s.ID) || ids[s.ID] {
			return fmt.Errorf("network: section %d needs an id of its own", i+1)
		}
		ids[s.ID] = true
		if err := tidy(&s.Name, &s.Note, names.Label); err != nil {
			return fmt.Errorf("network: section %q: %w", s.ID, err)
		}
		for _, id := range s.Nodes {
			if !there[id] {
				return fmt.Errorf("network: section %q names the node %.40q, which is not there", s.ID, id)
			}
			if in[id] != "" {
				return fmt.Errorf("network: node %q is in two sections", id)
			}
			in[id] = s.ID
		}
	}
	if len(n.Dials) > maxDials {
		return fmt.Errorf("network: %d dials, more than the %d that are allowed", len(n.Dials), maxDials)
	}
	for i := range n.Dials {
		l := &n.Dials[i]
		if !idPattern.MatchString(l.ID) || ids[l.ID] {
			return fmt.Errorf("network: dial %d needs an id of its own", i+1)
		}
		ids[l.ID] = true
		var err error
		if l.Name, err = names.Name(l.Name); err != nil {
			return fmt.Errorf("network: dial %q: %w", l.ID, err)
		}
		if err := n.checkDial(cat, *l); err != nil {
			return err
		}
	}
	return nil
}

func (n *Network) checkDial(cat Catalogue, l Dial) error {
	if !(math.Abs(l.Min) <= 1e6 && math.Abs(l.Max) <= 1e6 && l.Min <= l.Max) {
		return fmt.Errorf("network: dial %q runs from %v to %v", l.Name, l.Min, l.Max)
	}
	d := n.Node(l.Node)
	if d == nil {
		return fmt.Errorf("network: dial %q turns the node %.40q, which is not there", l.Name, l.Node)
	}
	spec := cat.Of(d)
	if p := spec.Input(l.Key); spec.Setting(l.Key) == nil && (p == nil || p.Hidden || p.Type == Lines) {
		return fmt.Errorf("network: dial %q: %s has nothing named %.40q to turn", l.Name, spec.Name, l.Key)
	}
	return nil
}

// output returns the port that r names, or why there is none.
func (n *Network) output(cat Catalogue, r Ref) (*Port, error) {
	if src := n.Node(r.Node); src != nil {
		return output(src, cat.Of(src), r)
	}
	return output(nil, nil, r)
}

// output returns the port of a node of that spec that r names; src is nil where r
// names no node.
func output(src *Node, spec *Spec, r Ref) (*Port, error) {
	if src == nil {
		return nil, fmt.Errorf("there is no node %.40q to wire from", r.Node)
	}
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

// newID returns an id that no node has or had: n1, n2…
func (n *Network) newID() string {
	return NextID("n", func(letters string) int {
		highest := n.Given[letters]
		for i := range n.Nodes {
			highest = max(highest, number(n.Nodes[i].ID, letters))
		}
		return highest
	})
}

// maxNumber is the highest number in an id that counts as one.
const maxNumber = 999_999_999

// Numbered takes an id apart into the letters that it begins with and the number
// that follows them; one without such a number has the number 0.
func Numbered(id string) (letters string, number int) {
	at := len(strings.TrimRight(id, "0123456789"))
	if v, err := strconv.Atoi(id[at:]); err == nil && v <= maxNumber && id[at] != '0' {
		return id[:at], v
	}
	return id, 0
}

// number returns the number of an id with those letters, 0 for any other.
func number(id, letters string) int {
	if l, v := Numbered(id); l == letters {
		return v
	}
	return 0
}

// NextID returns the id with those letters whose number comes after the highest one
// that they ever had. Letters whose numbers have run out, as a file from elsewhere
// may have it, get an underscore more.
func NextID(letters string, highest func(letters string) int) string {
	for highest(letters) >= maxNumber {
		letters += "_"
	}
	return letters + strconv.Itoa(highest(letters)+1)
}

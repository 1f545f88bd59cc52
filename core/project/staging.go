package project

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/move"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Staging is a state of a project that is kept under a name: how it is lit and seen, what is turned, and who wears what.
type Staging struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Note   string `json:"note,omitempty"`
	Chosen bool   `json:"chosen,omitempty"`
	// Leaves are the aspects of its state that it leaves as they are when it is gone to.
	Leaves []Aspect `json:"leaves,omitempty"`
	State
}

// Aspect is a part of a state that a staging may hold or leave.
type Aspect string

// The aspects.
const (
	Lights   Aspect = "lights"
	View     Aspect = "camera"
	Dials    Aspect = "dials"
	Switches Aspect = "switches"
	Colours  Aspect = "swatches"
	Wearing  Aspect = "looks"
)

// Aspects lists all aspects, in the order in which they are shown.
var Aspects = []Aspect{Lights, View, Dials, Switches, Colours, Wearing}

// State is what a staging holds: the document's own values, and the moves of them.
type State struct {
	Lights   []stage.Light                `json:"lights"`
	Camera   stage.Camera                 `json:"camera"`
	Turned   []Turned                     `json:"turned,omitempty"`
	Swatches map[string]color.C           `json:"swatches,omitempty"` // by id
	Worn     map[string]map[string]string `json:"worn,omitempty"`     // model → part → look
	Moves    []move.Move                  `json:"moves,omitempty"`
}

// Turned is a value on a look's front, or the side that a switch takes.
type Turned struct {
	Look   string          `json:"look,omitempty"`  // whose network holds the node, or
	Group  string          `json:"group,omitempty"` // the group whose does
	Node   string          `json:"node"`
	Key    string          `json:"key"` // of the setting or the input
	Switch bool            `json:"switch,omitempty"`
	Value  json.RawMessage `json:"value"`            // null for the default
	Swatch string          `json:"swatch,omitempty"` // that it follows
}

// Limits on stagings.
const (
	MaxStagings = 100
	maxTurned   = 20_000 // of a staging
)

// Staging returns the staging of that id, nil if there is none.
func (p *Project) Staging(id string) *Staging {
	for i := range p.Stagings {
		if p.Stagings[i].ID == id {
			return &p.Stagings[i]
		}
	}
	return nil
}

// FindStaging returns the staging of that id or name, nil if there is none.
func (p *Project) FindStaging(name string) *Staging {
	if t := p.Staging(name); t != nil {
		return t
	}
	for i := range p.Stagings {
		if strings.EqualFold(p.Stagings[i].Name, name) {
			return &p.Stagings[i]
		}
	}
	return nil
}

// Holds tells whether going to the staging changes an aspect.
func (t *Staging) Holds(a Aspect) bool { return !slices.Contains(t.Leaves, a) }

// Knobs returns the values that stagings hold and proof sheets vary: what is on the fronts, and the switches of all networks.
func (p *Project) Knobs() []Turned {
	var out []Turned
	add := func(n *network.Network, look, group string) {
		for i := range n.Nodes {
			d := &n.Nodes[i]
			if key := node.ConcernsOf(d).Chooses; key != "" {
				out = append(out, Turned{Look: look, Group: group, Node: d.ID, Key: key, Switch: true})
			}
		}
		for _, l := range n.Dials {
			d := n.Node(l.Node)
			if d != nil && len(d.In[l.Key].Wires) == 0 && !slices.ContainsFunc(out, func(k Turned) bool {
				return k.Look == look && k.Group == group && k.Node == l.Node && k.Key == l.Key
			}) {
				out = append(out, Turned{Look: look, Group: group, Node: l.Node, Key: l.Key})
			}
		}
	}
	for i := range p.Looks {
		add(&p.Looks[i].Network, p.Looks[i].ID, "")
	}
	for i := range p.Groups {
		add(&p.Groups[i].Network, "", p.Groups[i].ID)
	}
	return out
}

// net returns the network that holds a knob, nil if it is not there any more.
func (k *Turned) net(p *Project) *network.Network {
	if k.Group != "" {
		if g := p.Catalogue().Group(k.Group); g != nil {
			return &g.Network
		}
		return nil
	}
	if l := p.Look(k.Look); l != nil {
		return &l.Network
	}
	return nil
}

// read takes in the value that the knob has; it tells whether there is one.
func (k *Turned) read(p *Project) bool {
	n := k.net(p)
	if n == nil || n.Node(k.Node) == nil {
		return false
	}
	d := n.Node(k.Node)
	var v any
	if spec := p.Catalogue().Of(d); spec.Setting(k.Key) != nil {
		v = d.Set[k.Key]
	} else {
		v = d.In[k.Key].Value
	}
	data, err := json.Marshal(v)
	k.Value, k.Swatch = data, d.Swatches[k.Key]
	return err == nil
}

// put gives the knob its value in p; it tells whether that could be done.
func (k *Turned) put(p *Project) bool {
	n := k.net(p)
	if n == nil || n.Node(k.Node) == nil {
		return false
	}
	var v any
	if json.Unmarshal(k.Value, &v) != nil {
		return false
	}
	cat, d := p.Catalogue(), n.Node(k.Node)
	if s := cat.Of(d).Setting(k.Key); s != nil {
		if s.Type == network.Stops && d.Bands[k.Key] != "" { // edges are the set's, colours the staging's
			stops, ok := s.Default.([]color.Stop)
			if v != nil {
				parsed, err := s.Parse(v)
				if err != nil {
					return false
				}
				stops, ok = parsed.([]color.Stop)
			}
			if set := p.BandSet(d.Bands[k.Key]); set != nil && ok {
				v = set.moved(stops)
			}
		}
		if n.SetValue(cat, k.Node, k.Key, v) != nil {
			return false
		}
	} else if len(d.In[k.Key].Wires) > 0 || n.SetConstant(cat, k.Node, k.Key, v) != nil {
		return false
	}
	if w := p.Swatch(k.Swatch); w != nil {
		return n.Follow(cat, k.Node, k.Key, w.ID, w.Color) == nil
	}
	return true
}

// picture returns the hash of the picture that the knob's value is, "" for any other value.
func (k *Turned) picture(p *Project) (hash string) {
	if n := k.net(p); n != nil && n.Node(k.Node) != nil {
		if s := p.Catalogue().Of(n.Node(k.Node)).Setting(k.Key); s != nil && s.Type == network.Picture && json.Unmarshal(k.Value, &hash) == nil {
			return hash
		}
	}
	return ""
}

// state returns the state that p is in.
func (p *Project) state() State {
	q := p.Clone()
	s := State{Lights: q.Stage.Lights, Camera: q.Stage.Camera, Moves: slices.DeleteFunc(q.Moves, func(m move.Move) bool { return aspectOf(m.Of) == "" })}
	if len(s.Moves) == 0 {
		s.Moves = nil
	}
	for _, k := range p.Knobs() {
		if k.read(p) {
			s.Turned = append(s.Turned, k)
		}
	}
	if len(p.Swatches) > 0 {
		s.Swatches = map[string]color.C{}
		for _, w := range p.Swatches {
			s.Swatches[w.ID] = w.Color
		}
	}
	if len(q.Stage.Models) > 0 {
		s.Worn = map[string]map[string]string{}
		for i := range q.Stage.Models {
			s.Worn[q.Stage.Models[i].ID] = q.Stage.Models[i].Looks
		}
	}
	return s
}

// StateNow returns the state that p is in, for staging.add.
func (p *Project) StateNow() *State {
	s := p.state()
	return &s
}

// aspectOf returns the aspect that what a move drives belongs to, "" for what no staging holds.
func aspectOf(of move.Of) Aspect {
	return map[string]Aspect{"camera": View, "light": Lights, "dial": Dials, "swatch": Colours}[of.What]
}

// assume takes the state of a staging, as far as it holds it; it returns how many values found nothing to go to.
func (p *Project) assume(t *Staging) (lost int) {
	if t.Holds(Lights) {
		p.Stage.Lights = slices.Clone(t.Lights)
		for i := range p.Stage.Lights {
			p.Stage.Lights[i].Parts = slices.Clone(t.Lights[i].Parts)
		}
	}
	if t.Holds(View) {
		p.Stage.Camera = t.Camera
	}
	if t.Holds(Colours) {
		for _, id := range slices.Sorted(maps.Keys(t.Swatches)) {
			if w := p.Swatch(id); w != nil {
				w.Color = t.Swatches[id]
				p.repaint(w)
			} else {
				lost++
			}
		}
	}
	for i := range t.Turned {
		k := &t.Turned[i]
		if k.Switch && t.Holds(Switches) || !k.Switch && t.Holds(Dials) {
			if !k.put(p) {
				lost++
			}
		}
	}
	if t.Holds(Wearing) {
		for i := range p.Stage.Models {
			m := &p.Stage.Models[i]
			for part, look := range t.Worn[m.ID] {
				if _, ok := m.Looks[part]; !ok || look != "" && p.Look(look) == nil {
					lost++
					continue
				}
				m.Looks[part] = look
			}
		}
	}
	held := func(m move.Move) bool { a := aspectOf(m.Of); return a != "" && t.Holds(a) }
	p.Moves = slices.DeleteFunc(p.Moves, held)
	for _, m := range t.Moves {
		if held(m) && p.Movable(m.Of) != nil {
			p.Moves = append(p.Moves, m)
		}
	}
	if len(p.Moves) == 0 {
		p.Moves = nil
	}
	return lost
}

// With returns the project as it is once a staging is gone to. What the staging holds and the project does not is left out.
func (p *Project) With(t *Staging) *Project {
	q := p.Clone()
	q.assume(t)
	return q
}

// Dressed returns the project with all parts that wear a look wearing another, which is no look of the project.
func (p *Project) Dressed(l Look) *Project {
	q := p.Clone()
	q.Looks = append(q.Looks, l)
	for i := range q.Stage.Models {
		for part, worn := range q.Stage.Models[i].Looks {
			if worn != "" {
				q.Stage.Models[i].Looks[part] = l.ID
			}
		}
	}
	return q
}

// checkered is a look that shows texture coordinates: fields of a sixteenth, their colours by where they lie.
func checkered() Look {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	return Look{ID: "checker", Name: "UV as a checker", Network: network.Network{Nodes: []network.Node{
		{ID: "uv", Kind: "coordinates", Set: map[string]any{"space": "uv"}},
		{ID: "tint", Kind: "formula", Set: map[string]any{"text": "mix(vec3(0.30, 0.36, 0.42), vec3(0.95, 0.93, 0.80), vec3(fract(uv.x), fract(uv.y), 0.5))", "inputs": []network.Argument{{Key: "uv", Type: network.Vector}}}, In: map[string]network.Input{"uv": wire("uv.vector")}},
		{ID: "fields", Kind: "checker", In: map[string]network.Input{"place": wire("uv.vector"), "sizes": {Value: [3]float64{1.0 / 16, 1.0 / 16, 0}}, "first": wire("tint.value"), "second": {Value: color.MustHex("#22262E")}}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("fields.colour")}},
	}}}
}

// Side returns the project as a name says, and what that is called: "now", "checker" for its texture coordinates, "came" with its
// models unmended and "mended" with all of them mended, "staging/" with a staging, or "look/" with a look that all parts wear then.
func (p *Project) Side(of string) (*Project, string, error) {
	kind, id, _ := strings.Cut(of, "/")
	switch t, l := p.Staging(id), p.Look(id); {
	case of == "now":
		return p, "Now", nil
	case of == "checker":
		return p.Dressed(checkered()), "UV as a checker", nil
	case of == "came":
		return p.mending(0), "Models as they came", nil
	case of == "mended":
		return p.mending(mesh.MendFaces), "Models mended", nil
	case (kind == "staging" || kind == "take") && t != nil: // as they were called
		return p.With(t), t.Name, nil
	case kind == "look" && l != nil:
		q := p.Clone()
		for i := range q.Stage.Models {
			for part := range q.Stage.Models[i].Looks {
				q.Stage.Models[i].Looks[part] = l.ID
			}
		}
		return q, l.Name, nil
	}
	return nil, "", fmt.Errorf("project: there is no %.60q to show any more", of)
}

// mending returns the project with that mended of all its models.
func (p *Project) mending(m mesh.Mends) *Project {
	q := p.Clone()
	for i := range q.Stage.Models {
		if q.Stage.Models[i].File != "" {
			far := mesh.Mends(mesh.MendFar) // where it stands is no matter of before and after
			q.Stage.Models[i].Form.Mend = m&^far | q.Stage.Models[i].Form.Mend&far
		}
	}
	return q
}

// Alone returns the project with some of its models alone, by id, all that wear a look for none named, and the camera framing
// them in a picture of that aspect: what is made of models rather than of the picture.
func (p *Project) Alone(ids []string, files stage.Files, aspect float64) (*Project, error) {
	q := p.Clone()
	q.Stage.Camera = p.Moment().Stage.Camera
	q.Unmove("camera")
	q.Stage.Backdrop.Floor = false
	q.Stage.Models = slices.DeleteFunc(q.Stage.Models, func(m stage.Model) bool {
		if len(ids) > 0 {
			return !slices.Contains(ids, m.ID)
		}
		for _, look := range m.Looks {
			if look != "" {
				return false
			}
		}
		return true
	})
	box := vec.EmptyBox()
	for i := range q.Stage.Models {
		b, err := stage.BoxOf(&q.Stage.Models[i], files)
		if err != nil {
			return nil, err
		}
		if !b.Empty() {
			box = box.Grow(b.Min).Grow(b.Max)
		}
	}
	q.Stage.Camera = q.Stage.Camera.Frame(box, aspect)
	return q, nil
}

// At tells whether the project is in the state of a staging, as far as the staging holds it.
func (p *Project) At(t *Staging) bool { return bytes.Equal(p.StateKey(), p.With(t).StateKey()) }

// StateKey names the state that a project is in: two that are in the same have the same.
func (p *Project) StateKey() []byte {
	key, err := json.Marshal(p.state())
	if err != nil {
		return nil // of numbers that are none, which no document has
	}
	return key
}

// checkStagings returns what is wrong with the stagings of a document, or nil, and makes their values ours.
func (p *Project) checkStagings() error {
	if len(p.Stagings) > MaxStagings {
		return fmt.Errorf("project: a project holds at most %d stagings, not %d", MaxStagings, len(p.Stagings))
	}
	ids := map[string]bool{}
	for i := range p.Stagings {
		t := &p.Stagings[i]
		err := own(ids, t.ID)
		if err == nil {
			err = setName(&t.Name, t.Name)
		}
		if err == nil {
			err = setNote(&t.Note, t.Note)
		}
		if err == nil && slices.ContainsFunc(t.Leaves, func(a Aspect) bool { return !slices.Contains(Aspects, a) }) {
			err = fmt.Errorf("it leaves something that no staging holds")
		}
		if err == nil && len(t.Turned) > maxTurned {
			err = fmt.Errorf("%d values, more than the %d that are allowed", len(t.Turned), maxTurned)
		}
		if err == nil && len(t.Moves) > move.Max {
			err = fmt.Errorf("at most %d moves, not %d", move.Max, len(t.Moves))
		}
		if err == nil {
			st := stage.New()
			st.Lights, st.Camera = t.Lights, t.Camera
			if err = st.Settle(); err == nil {
				t.Lights = st.Lights
			}
		}
		for k := range t.Turned {
			if v := &t.Turned[k]; err == nil && !json.Valid(v.Value) { // none at all
				err = errors.New("a value is none")
			}
		}
		if err != nil {
			return fmt.Errorf("project: staging %d: %w", i+1, err)
		}
	}
	return nil
}

// takeOf runs an edit on the staging that it names.
func stagingOf(f func(p *Project, t *Staging, e *Edit, o *Outcome) error) func(*Project, *Edit, *Outcome) error {
	return func(p *Project, e *Edit, o *Outcome) error {
		t := p.Staging(e.ID)
		if t == nil {
			return fmt.Errorf("project: there is no staging %.40q any more", e.ID)
		}
		return f(p, t, e, o)
	}
}

// addStaging keeps the state that the project is in.
func addStaging(p *Project, e *Edit, o *Outcome) error {
	if len(p.Stagings) >= MaxStagings {
		return fmt.Errorf("project: a project holds at most %d stagings: remove one that is not wanted any more", MaxStagings)
	}
	name := e.Name
	if err := setLabel(&name, name); err != nil {
		return err
	}
	if name == "" {
		name = fmt.Sprintf("Staging %d", len(p.Stagings)+1)
	}
	name = freeName(name, func(s string) bool {
		return slices.ContainsFunc(p.Stagings, func(t Staging) bool { return t.Name == s })
	})
	o.Created = p.freshID("staging")
	o.Label = "kept " + name
	s := p.state()
	if e.State != nil {
		s = *e.State
	}
	p.Stagings = append(p.Stagings, Staging{ID: o.Created, Name: name, State: s})
	return nil
}

func goToStaging(p *Project, t *Staging, _ *Edit, o *Outcome) error {
	o.Label = "went to " + t.Name
	if n := p.assume(t); n > 0 {
		o.Note = fmt.Sprintf("%d values of %s found nothing to go to any more.", n, t.Name)
		if n == 1 {
			o.Note = fmt.Sprintf("One value of %s found nothing to go to any more.", t.Name)
		}
	}
	return nil
}

func updateStaging(p *Project, t *Staging, _ *Edit, o *Outcome) error {
	o.Label = "updated " + t.Name
	t.State = p.state()
	return nil
}

// setStaging changes a staging's name, note, whether it is chosen, or whether it holds an aspect, which e.Key names.
func setStaging(_ *Project, t *Staging, e *Edit, o *Outcome) error {
	switch e.Key {
	case "name":
		return setName(&t.Name, e.Name)
	case "note":
		s, ok := e.Value.(string)
		if !ok {
			return errors.New("project: a note is text")
		}
		return setNote(&t.Note, s)
	case "chosen":
		o.Label = "marked " + t.Name
		return flagged("the mark of a staging", e.Value, &t.Chosen)
	}
	a := Aspect(e.Key)
	if !slices.Contains(Aspects, a) {
		return fmt.Errorf("project: a staging has no %.20q", e.Key)
	}
	var holds bool
	if err := flagged("what a staging holds", e.Value, &holds); err != nil {
		return err
	}
	t.Leaves = slices.DeleteFunc(slices.Clone(t.Leaves), func(b Aspect) bool { return a == b })
	if !holds {
		t.Leaves = append(t.Leaves, a)
	}
	if len(t.Leaves) == 0 {
		t.Leaves = nil
	}
	if len(t.Leaves) == len(Aspects) {
		return fmt.Errorf("project: %s would hold nothing", t.Name)
	}
	return nil
}

func moveStaging(p *Project, t *Staging, e *Edit, _ *Outcome) error {
	i := slices.IndexFunc(p.Stagings, func(u Staging) bool { return u.ID == t.ID })
	return moved(p.Stagings, i, e.Index)
}

func removeStaging(p *Project, t *Staging, _ *Edit, o *Outcome) error {
	o.Label = "removed " + t.Name
	id := t.ID
	p.Stagings = slices.DeleteFunc(p.Stagings, func(u Staging) bool { return u.ID == id })
	if len(p.Stagings) == 0 {
		p.Stagings = nil
	}
	return nil
}

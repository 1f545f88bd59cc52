// Package project holds one piece of work, a stage and its looks, as one document, and the edits that artists make to it.
package project

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/move"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
)

// Version is the version of the document that this program writes.
const Version = 1

// MaxLooks limits the looks of one project.
const MaxLooks = 100

// Project is one piece of work.
type Project struct {
	Version int         `json:"version"`
	Name    string      `json:"name"`
	Stage   stage.Stage `json:"stage"`
	Looks   []Look      `json:"looks"`
	// Groups are nodes made one, for all looks of the project.
	Groups   []network.Group `json:"groups,omitempty"`
	Swatches []Swatch        `json:"swatches,omitempty"`
	BandSets []BandSet       `json:"bandSets,omitempty"`
	// Moves are what the project does over its loop; see Moment.
	Moves []move.Move `json:"moves,omitempty"`
	// Stagings are states of it that are kept under a name.
	Stagings []Staging `json:"stagings,omitempty"`
	// Drawn is the version of how pictures are drawn that its artist knows of; see Drawing. Documents from before there were
	// versions have none.
	Drawn int `json:"drawn,omitempty"`
	// Takes are stagings of an older document, which called them so; settling makes them Stagings.
	Takes []Staging `json:"takes,omitempty"`
	// Dismissed are the keys of remarks that the artist does not want to see again.
	Dismissed []string `json:"dismissed,omitempty"`

	// Given are the ids that were given so far; see Given. It is not part of the
	// document, which an undo takes back.
	Given Given `json:"-"`
}

// Swatch is a colour of the project's palette; what follows it changes with it.
type Swatch struct {
	ID    string  `json:"id"`
	Name  string  `json:"name,omitempty"`
	Color color.C `json:"color"`
}

// MaxSwatches limits a project's palette.
const MaxSwatches = 512

// Catalogue returns the kinds of node that looks of the project may use: all
// kinds, and its groups.
func (p *Project) Catalogue() network.Grouped {
	return network.NewGrouped(node.Catalogue{}, p.Groups)
}

// Swatch returns the swatch of that id, nil if there is none.
func (p *Project) Swatch(id string) *Swatch {
	for i := range p.Swatches {
		if p.Swatches[i].ID == id {
			return &p.Swatches[i]
		}
	}
	return nil
}

// networks returns the networks of all looks and groups.
func (p *Project) networks() []*network.Network {
	var out []*network.Network
	for i := range p.Looks {
		out = append(out, &p.Looks[i].Network)
	}
	for i := range p.Groups {
		out = append(out, &p.Groups[i].Network)
	}
	return out
}

// Look is one shading network with a name.
type Look struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	network.Network
}

// New returns an empty project with one look, ready to wear.
func New(name string) *Project {
	return &Project{Version: Version, Drawn: Drawing, Name: name, Stage: stage.New(), Looks: []Look{{ID: "look1", Name: "First look", Network: NewLook()}}}
}

// NewLook returns the network that a new look starts with: light cut into four
// visible bands, and ink lines.
func NewLook() network.Network {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	return network.Network{Nodes: []network.Node{
		{ID: "n1", Kind: "diffuse-light"},
		{ID: "n2", Kind: "ramp", In: map[string]network.Input{"tone": wire("n1.tone")}},
		{ID: "n3", Kind: "edge-lines"},
		{ID: "n4", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("n2.colour"), "lines": wire("n3.lines")}},
	}}
}

// Clone returns a deep copy.
func (p *Project) Clone() *Project {
	q := *p
	q.Given = p.Given.clone()
	q.Stage.Models = slices.Clone(p.Stage.Models)
	for i := range q.Stage.Models {
		looks := map[string]string{}
		for k, v := range q.Stage.Models[i].Looks {
			looks[k] = v
		}
		q.Stage.Models[i].Looks = looks
		if b := q.Stage.Models[i].Blobs; b != nil {
			c := *b
			c.Balls = slices.Clone(b.Balls)
			q.Stage.Models[i].Blobs = &c
		}
	}
	q.Stage.Press = p.Stage.Press.Clone()
	q.Stage.Glow.Looks = slices.Clone(p.Stage.Glow.Looks)
	q.Stage.Grade.Strip = slices.Clone(p.Stage.Grade.Strip)
	q.Stage.Lights = slices.Clone(p.Stage.Lights)
	for i := range q.Stage.Lights {
		q.Stage.Lights[i].Parts = slices.Clone(p.Stage.Lights[i].Parts)
	}
	q.Looks = slices.Clone(p.Looks)
	for i := range q.Looks {
		q.Looks[i].Network = q.Looks[i].Network.Clone()
	}
	q.Groups = slices.Clone(p.Groups)
	for i := range q.Groups {
		q.Groups[i] = q.Groups[i].Clone()
	}
	q.Swatches = slices.Clone(p.Swatches)
	q.BandSets, q.Dismissed = slices.Clone(p.BandSets), slices.Clone(p.Dismissed)
	for i := range q.BandSets {
		q.BandSets[i].Edges = slices.Clone(q.BandSets[i].Edges)
	}
	q.Stagings = slices.Clone(p.Stagings) // their states are never changed in place
	q.Moves = slices.Clone(p.Moves)
	for i := range q.Moves {
		m := &q.Moves[i]
		m.From, m.To, m.Curve = slices.Clone(m.From), slices.Clone(m.To), slices.Clone(m.Curve)
	}
	return &q
}

// Look returns the look of that id, nil if there is none.
func (p *Project) Look(id string) *Look {
	for i := range p.Looks {
		if p.Looks[i].ID == id {
			return &p.Looks[i]
		}
	}
	return nil
}

// FindLook returns the look of that id or name, nil if there is none.
func (p *Project) FindLook(name string) *Look {
	if l := p.Look(name); l != nil {
		return l
	}
	for i := range p.Looks {
		if strings.EqualFold(p.Looks[i].Name, name) {
			return &p.Looks[i]
		}
	}
	return nil
}

// Networks returns the looks' networks by id, flat: without groups and bypasses.
func (p *Project) Networks() (map[string]*network.Network, error) {
	out := make(map[string]*network.Network, len(p.Looks))
	cat := p.Catalogue()
	for i := range p.Looks {
		flat, err := cat.Flatten(&p.Looks[i].Network)
		if err != nil {
			return nil, fmt.Errorf("project: look %.40q: %w", p.Looks[i].Name, err)
		}
		out[p.Looks[i].ID] = flat
	}
	return out, nil
}

// Settle checks a document that came from outside and makes its values ours: what
// has been settled is the same when it is settled again.
func (p *Project) Settle() error {
	if p.Version != Version {
		return fmt.Errorf("project: version %d of the document is not known here, only %d", p.Version, Version)
	}
	p.Drawn = max(0, min(p.Drawn, Drawing))
	if p.Takes != nil {
		p.Stagings, p.Takes = append(p.Takes, p.Stagings...), nil
	}
	if err := setName(&p.Name, p.Name); err != nil {
		return err
	}
	if len(p.Looks) > MaxLooks {
		return fmt.Errorf("project: %d looks, more than the %d that are allowed", len(p.Looks), MaxLooks)
	}
	if len(p.Looks) == 0 { // there is always one to wear
		p.Looks = New("").Looks
	}
	nodes := 0
	for _, n := range p.networks() {
		if nodes += len(n.Nodes); nodes > maxNodes {
			return fmt.Errorf("project: more than %d nodes in all looks and groups", maxNodes)
		}
	}
	if err := network.SettleGroups(node.Catalogue{}, p.Groups); err != nil {
		return fmt.Errorf("project: %w", err)
	}
	ids := map[string]bool{}
	if len(p.Swatches) > MaxSwatches {
		return fmt.Errorf("project: %d swatches, more than the %d that are allowed", len(p.Swatches), MaxSwatches)
	}
	for i := range p.Swatches {
		w := &p.Swatches[i]
		if err := own(ids, w.ID); err != nil {
			return fmt.Errorf("project: swatch %d: %w", i+1, err)
		}
		if err := setLabel(&w.Name, w.Name); err != nil {
			return fmt.Errorf("project: swatch %d: %w", i+1, err)
		}
	}
	clear(ids)
	if err := p.checkBandSets(); err != nil {
		return err
	}
	if len(p.Dismissed) > maxDismissed {
		return fmt.Errorf("project: %d dismissed remarks, more than the %d that are allowed", len(p.Dismissed), maxDismissed)
	}
	for _, key := range p.Dismissed {
		if len(key) > maxRemark {
			return errors.New("project: a dismissed remark is not one")
		}
	}
	cat := p.Catalogue()
	for i := range p.Looks {
		l := &p.Looks[i]
		if err := own(ids, l.ID); err != nil {
			return fmt.Errorf("project: look %d: %w", i+1, err)
		}
		if err := setName(&l.Name, l.Name); err != nil {
			return fmt.Errorf("project: look %d: %w", i+1, err)
		}
		if err := l.Network.Settle(cat); err != nil {
			return fmt.Errorf("project: look %.40q: %w", l.Name, err)
		}
		if l.Network.Finish() == nil {
			return fmt.Errorf("project: look %.40q has no Finish", l.Name)
		}
	}
	p.loosen()
	if _, err := p.Networks(); err != nil {
		return err
	}
	if err := p.Stage.Settle(); err != nil {
		return err
	}
	if err := p.checkMoves(); err != nil {
		return err
	}
	return p.checkStagings()
}

// own notes an id, which must be one of its own.
func own(ids map[string]bool, id string) error {
	if id == "" || len(id) > 64 || ids[id] || names.Line(id) != id {
		return errors.New("it needs an id of its own")
	}
	ids[id] = true
	return nil
}

// loosen lets go of swatches and band sets that are not there: the colours and the
// edges stay what they are.
func (p *Project) loosen() {
	for _, n := range p.networks() {
		for i := range n.Nodes {
			d := &n.Nodes[i]
			maps.DeleteFunc(d.Swatches, func(_, id string) bool { return p.Swatch(id) == nil })
			maps.DeleteFunc(d.Bands, func(_, id string) bool { return p.BandSet(id) == nil })
			for key, v := range d.Set {
				stops, ok := v.([]color.Stop)
				if !ok || !slices.ContainsFunc(stops, func(s color.Stop) bool { return s.Swatch != "" && p.Swatch(s.Swatch) == nil }) {
					continue
				}
				stops = slices.Clone(stops)
				for k := range stops {
					if p.Swatch(stops[k].Swatch) == nil {
						stops[k].Swatch = ""
					}
				}
				d.Set[key] = stops
			}
		}
	}
}

// setName gives something a name, setLabel one that may be none, and setNote a note.
func setName(to *string, name string) (err error) {
	*to, err = names.Name(name)
	return err
}

func setLabel(to *string, name string) (err error) {
	*to, err = names.Label(name)
	return err
}

func setNote(to *string, note string) (err error) {
	*to, err = names.Note(note)
	return err
}

// Located is where a node of a rendered look stands in the project.
type Located struct {
	Net  *network.Network
	Node *network.Node
	Path string // of the group that it is within, "" for the look itself
	Edit Edit   // one on that node, its Op left open
}

// Locate finds the node that Networks gives the id flat in a look; ok is false for
// what stands in for a bypassed node and for what is not there.
func (p *Project) Locate(look, flat string) (l Located, ok bool) {
	of := p.Look(look)
	if of == nil {
		return l, false
	}
	cat := p.Catalogue()
	l = Located{Net: &of.Network, Edit: Edit{Look: look}}
	ids := strings.Split(flat, "/")
	for _, id := range ids[:len(ids)-1] {
		d := l.Net.Node(id)
		if d == nil || cat.GroupOf(d) == nil {
			return l, false
		}
		g := cat.GroupOf(d)
		l.Net, l.Edit.Look, l.Edit.Group = &g.Network, "", g.ID
	}
	l.Path = strings.Join(ids[:len(ids)-1], "/")
	l.Edit.Node = ids[len(ids)-1]
	l.Node = l.Net.Node(l.Edit.Node)
	return l, l.Node != nil
}

// Pictures returns the hashes of all pictures that the project or a staging of it shows, each
// once: those of looks and groups, of skies, and of the backdrop.
func (p *Project) Pictures() []string {
	out := network.Pictures(p.Catalogue(), p.networks()...)
	add := func(hash string) {
		if hash != "" && !slices.Contains(out, hash) {
			out = append(out, hash)
		}
	}
	for i := range p.Stage.Lights {
		add(p.Stage.Lights[i].Picture)
	}
	add(p.Stage.Backdrop.Picture)
	for i := range p.Stagings {
		t := &p.Stagings[i]
		for k := range t.Lights {
			add(t.Lights[k].Picture)
		}
		for k := range t.Turned {
			add(t.Turned[k].picture(p))
		}
	}
	return out
}

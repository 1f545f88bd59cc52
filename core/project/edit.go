package project

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Edit is one change as the interface asks for it. Which fields count depends on Op.
type Edit struct {
	Op     string   `json:"op"`
	Look   string   `json:"look,omitempty"`
	Node   string   `json:"node,omitempty"`
	Key    string   `json:"key,omitempty"`
	Kind   string   `json:"kind,omitempty"`
	Name   string   `json:"name,omitempty"`
	From   string   `json:"from,omitempty"` // an output, "node.port"
	To     string   `json:"to,omitempty"`   // an input, "node.port"
	ID     string   `json:"id,omitempty"`   // a model or a light
	Part   string   `json:"part,omitempty"`
	Parts  []string `json:"parts,omitempty"` // model.add: the parts of the model
	Index  int      `json:"index,omitempty"` // ramp.*: which stop; list.*: which entry; from 0
	Nodes  []string `json:"nodes,omitempty"` // the chosen nodes
	Group  string   `json:"group,omitempty"` // edits the group's network in place of a look's
	Aspect float64  `json:"aspect,omitempty"`
	After  bool     `json:"after,omitempty"` // node.add: what reads From shall read the new node
	Value  any      `json:"value,omitempty"`

	// Network is a whole look, for look.add, or a fragment, for node.paste, with
	// the groups that it uses.
	Network *network.Network `json:"network,omitempty"`
	Groups  []network.Group  `json:"groups,omitempty"`
	// Pictures are those that a model brings, for model.add: part → hash of a stored file.
	// Parts with one wear a look of their own that it colours.
	Pictures map[string]string `json:"-"`
	// Clips are the animations that a model brings, for model.add; it plays the first.
	Clips []stage.FileClip `json:"-"`
	// Form is what is done to the mesh of a file, for model.add.
	Form mesh.Form `json:"-"`
	// At is where a model from a file is placed, for model.add.
	At vec.V `json:"-"`
	// Colors are those of a palette, for swatch.bring.
	Colors []Swatch `json:"colors,omitempty"`
	// State is what a staging holds, for staging.add; nil for the state that the project is in.
	State *State `json:"-"`
	// Box is the box of the stage as the edits before this one leave it; the caller that has the meshes fills it in where
	// NeedsBox says so.
	Box *vec.Box `json:"-"`
}

// Outcome is what an edit did.
type Outcome struct {
	Label   string // for undo: "moved a stop of Copper bands"
	Note    string // what the artist should know, "" for nothing
	Created string // id of what was made
	// Passing says that of several such edits in a row only the last is worth a step of undo.
	Passing bool
	// Several are the ids of the nodes that were made, where there may be more than one.
	Several []string
}

type operation struct {
	label  string
	apply  func(p *Project, e *Edit, o *Outcome) error
	shapes bool // whether ports may come and go
	own    bool // whether it works on the document's own values of what moves drive, and on the moves
}

// Apply makes the edit. After an error p may be half changed: apply to a Clone.
func (p *Project) Apply(e *Edit) (Outcome, error) {
	op, ok := operations[e.Op]
	if !ok {
		return Outcome{}, fmt.Errorf("project: %.40q is not something that can be done", e.Op)
	}
	p.remember() // what is there may go with this edit
	o := Outcome{Label: op.label}
	var before beforeEdit
	if !op.own {
		before = p.enter()
	}
	if err := op.apply(p, e, &o); err != nil {
		return Outcome{}, err
	}
	if note := p.leave(before); note != "" && o.Note == "" {
		o.Note = note
	}
	if err := p.Stage.Check(); err != nil {
		return Outcome{}, err
	}
	if op.shapes {
		if err := p.settleShapes(&o); err != nil {
			return Outcome{}, err
		}
	}
	p.remember()
	o.Label = names.Clip(o.Label, maxLabel)
	return o, nil
}

// maxLabel limits what is said of an edit for undo, in letters.
const maxLabel = 2 * names.MaxName

// settleShapes takes off what no longer fits after ports may have changed.
func (p *Project) settleShapes(o *Outcome) error {
	var gone []string
	for i := range p.Groups {
		gone = append(gone, p.Catalogue().PruneGroup(&p.Groups[i])...)
	}
	cat := p.Catalogue()
	for i := range p.Looks {
		gone = append(gone, p.Looks[i].Prune(cat)...)
	}
	if len(gone) > 0 {
		o.Note = strings.TrimSpace(o.Note + " Taken off: " + strings.Join(gone, ", ") + ".")
	}
	if err := network.SettleGroups(node.Catalogue{}, p.Groups); err != nil {
		return err
	}
	_, err := p.Networks()
	return err
}

var operations = map[string]operation{}

// plain is an operation that leaves all ports what they are, shaping one that
// may not.
func plain(label string, apply func(p *Project, e *Edit, o *Outcome) error) operation {
	return operation{label: label, apply: apply}
}

// taking is an operation on stagings, which hold values as the document has them.
func taking(label string, apply func(p *Project, e *Edit, o *Outcome) error) operation {
	return operation{label: label, apply: apply, shapes: true, own: true}
}

func shaping(label string, apply func(p *Project, e *Edit, o *Outcome) error) operation {
	return operation{label: label, apply: apply, shapes: true}
}

func init() {
	for _, of := range []map[string]operation{lookOperations(), sharedOperations(), stageOperations()} {
		maps.Copy(operations, of)
	}
}

// lookOperations returns what is done to looks, their nodes, wires, ramps and sections.
func lookOperations() map[string]operation {
	return map[string]operation{
		"project.rename": plain("renamed the project", func(p *Project, e *Edit, o *Outcome) error {
			return setName(&p.Name, e.Name)
		}),
		"look.add":       shaping("added a look", addLook),
		"look.duplicate": plain("duplicated a look", duplicateLook),
		"look.rename": plain("renamed a look", func(p *Project, e *Edit, o *Outcome) error {
			l := p.Look(e.Look)
			if l == nil {
				return errNoLook(e.Look)
			}
			return setName(&l.Name, e.Name)
		}),
		"look.remove":  plain("removed a look", removeLook),
		"look.replace": shaping("took a starting point", replaceLook),
		"look.assign":  plain("assigned a look", assign),
		"look.wear":    plain("put on a look", wear),

		"node.add":    shaping("added a node", inNetwork(addNode)),
		"way.add":     shaping("put in a mask", inNetwork(addWay)),
		"node.remove": shaping("removed a node", inNetwork(removeNodes)),
		"node.rename": plain("renamed a node", inNetwork(func(p *Project, n *network.Network, e *Edit, o *Outcome) error { return n.Rename(e.Node, e.Name) })),
		"node.note":   plain("wrote a note", inNetwork(writeNote)),
		"node.set": shaping("changed a setting", inNetwork(func(p *Project, n *network.Network, e *Edit, o *Outcome) error {
			o.title(p, n, e.Node, "changed")
			return n.SetValue(p.Catalogue(), e.Node, e.Key, e.Value)
		})),
		"node.input": plain("changed a value", inNetwork(func(p *Project, n *network.Network, e *Edit, o *Outcome) error {
			o.title(p, n, e.Node, "changed")
			return n.SetConstant(p.Catalogue(), e.Node, e.Key, e.Value)
		})),
		"node.off":       plain("bypassed a node", inNetwork(bypass)),
		"node.swap":      plain("swapped two inputs", inNetwork(swap)),
		"node.replace":   shaping("replaced a node", inNetwork(replaceNode)),
		"node.duplicate": shaping("duplicated nodes", inNetwork(duplicateNodes)),
		"node.paste":     shaping("pasted nodes", inNetwork(pasteNodes)),
		"wire": shaping("wired", inNetwork(func(p *Project, n *network.Network, e *Edit, o *Outcome) error {
			to := network.ParseRef(e.To)
			if !strings.Contains(e.To, ".") {
				to = network.Ref{Node: e.To}
			}
			o.title(p, n, to.Node, "wired")
			return n.Connect(p.Catalogue(), network.ParseRef(e.From), to)
		})),
		"unwire": shaping("took a wire off", inNetwork(func(p *Project, n *network.Network, e *Edit, o *Outcome) error {
			var from network.Ref
			if e.From != "" {
				from = network.ParseRef(e.From)
			}
			return n.Disconnect(from, network.ParseRef(e.To))
		})),
		"list.add":    shaping("added to a list", inNetwork(addToList)),
		"list.remove": shaping("took from a list", inNetwork(removeFromList)),
		"list.move":   shaping("reordered a list", inNetwork(moveInList)),
		"list.set":    shaping("changed a list", inNetwork(setInList)),

		"ramp.flip":   plain("flipped a ramp", rampEdit(func(s []color.Stop, e *Edit) ([]color.Stop, error) { return color.Flip(s), nil })),
		"ramp.spread": plain("spread a ramp evenly", rampEdit(func(s []color.Stop, e *Edit) ([]color.Stop, error) { return color.Spread(s), nil })),
		"ramp.add":    plain("added a band", rampEdit(addStop)),
		"ramp.remove": plain("removed a band", rampEdit(func(s []color.Stop, e *Edit) ([]color.Stop, error) {
			if e.Index < 0 || e.Index >= len(s) || len(s) == 1 {
				return nil, errors.New("project: a ramp keeps at least one band")
			}
			return slices.Delete(s, e.Index, e.Index+1), nil
		})),
		"ramp.stop":    plain("changed a band", rampEdit(setStop)),
		"ramp.tighten": plain("tightened a ramp", rampEdit(tightenStops)),
		"ramp.fit":     plain("fitted to the light", rampEdit(fitStops)),
		"ramp.colors":  plain("took a palette for a ramp", rampEdit(paintStops)),

		"bands.make":   plain("made a band set", rampOf(makeBands)),
		"bands.join":   plain("joined a band set", rampOf(joinBands)),
		"bands.leave":  plain("left a band set", rampOf(leaveBands)),
		"bands.rename": plain("renamed a band set", renameBands),
		"bands.remove": plain("removed a band set", removeBands),

		"section.gather":   plain("gathered a section", inNetwork(gather)),
		"section.dissolve": plain("dissolved a section", inNetwork(dissolveSection)),
		"section.set":      plain("changed a section", inNetwork(setSection)),
		"section.move":     plain("moved nodes between sections", inNetwork(moveToSection)),
	}
}

// sharedOperations returns what is done to groups, dials, swatches and the project's remarks.
func sharedOperations() map[string]operation {
	return map[string]operation{
		"group.make":     shaping("made a group", inNetwork(makeGroup)),
		"group.dissolve": shaping("dissolved a group", inNetwork(dissolveGroup)),
		"group.single":   shaping("made a group single", inNetwork(singleGroup)),
		"group.set":      shaping("changed a group", setGroup),
		"group.remove":   shaping("removed a group", removeGroup),
		"group.expose":   shaping("showed an input outside", expose),
		"group.unexpose": shaping("hid an input of a group", unexpose),
		"group.port":     shaping("changed an input of a group", setExposed),
		"group.bring":    shaping("brought in a group", bringGroup),

		"dial.add":    plain("put a dial on the front", inNetwork(addDial)),
		"dial.remove": plain("took a dial off the front", inNetwork(removeDial)),
		"dial.set":    plain("changed a dial", inNetwork(setDial)),
		"dial.move":   plain("moved a dial", inNetwork(moveDial)),

		"swatch.add":    plain("added a swatch", addSwatch),
		"swatch.remove": plain("removed a swatch", removeSwatch),
		"swatch.set":    plain("changed a swatch", setSwatch),
		"swatch.use":    plain("took a swatch", inNetwork(useSwatch)),
		"swatch.bring":  plain("brought in a palette", bringSwatches),

		"drawing.accept": plain("accepted how pictures are drawn", acceptDrawing),

		"check.dismiss": plain("dismissed a remark", dismiss),
		"check.restore": plain("brought remarks back", func(p *Project, e *Edit, o *Outcome) error {
			p.Dismissed = nil
			return nil
		}),
	}
}

// stageOperations returns what is done to the stage, to what is done to the picture afterwards, to moves and stagings.
func stageOperations() map[string]operation {
	return map[string]operation{
		"model.add":    plain("brought in a model", addModel),
		"model.remove": plain("removed a model", removeModel),
		"model.set":    plain("changed a model", setModel),
		"blob.set":     plain("changed blobs", setBlobs),
		"ball.add":     plain("added a ball", addBall),
		"ball.set":     plain("changed a ball", setBall),
		"ball.remove":  plain("removed a ball", removeBall),
		"light.add":    plain("added a light", addLight),
		"light.remove": plain("removed a light", removeLight),
		"light.set":    plain("changed a light", setLight),
		"camera.set":   plain("moved the camera", setCamera),
		"camera.frame": plain("framed the stage", frame),
		"backdrop.set": plain("changed the backdrop", setBackdrop),
		"glow.set":     plain("changed the glow", setGlow),
		"grade.set":    plain("changed the grade", setGrade),
		"view.set":     plain("changed the view", setView),
		"press.set":    plain("changed the press", setPress),
		"ink.add":      plain("added an ink", addInk),
		"ink.set":      plain("changed an ink", setInk),
		"ink.move":     plain("moved an ink", moveInk),
		"ink.remove":   plain("removed an ink", removeInk),
		"time.set":     plain("moved in time", setTime),

		"move.add":       plain("added a move", addMove),
		"move.set":       plain("changed a move", setMove),
		"move.remove":    plain("removed a move", removeMove),
		"move.turntable": plain("put on a turntable", addTurntable),
		"move.day":       plain("gave the light a day", addDay),

		"staging.add":    taking("kept a staging", addStaging),
		"staging.go":     taking("went to a staging", stagingOf(goToStaging)),
		"staging.update": taking("updated a staging", stagingOf(updateStaging)),
		"staging.set":    taking("changed a staging", stagingOf(setStaging)),
		"staging.move":   taking("moved a staging", stagingOf(moveStaging)),
		"staging.remove": taking("removed a staging", stagingOf(removeStaging)),
	}
}

// title makes the label say which node.
func (o *Outcome) title(p *Project, n *network.Network, id, verb string) {
	if d := n.Node(id); d != nil {
		o.Label = verb + " " + d.Title(p.Catalogue())
	}
}

func errNoLook(id string) error { return fmt.Errorf("project: there is no look %.40q any more", id) }

// inNetwork runs an edit on the network that it names, a look's or a group's.
func inNetwork(f func(p *Project, n *network.Network, e *Edit, o *Outcome) error) func(*Project, *Edit, *Outcome) error {
	return func(p *Project, e *Edit, o *Outcome) error {
		if e.Group != "" {
			g := p.Catalogue().Group(e.Group)
			if g == nil {
				return fmt.Errorf("project: there is no group %.40q any more", e.Group)
			}
			return f(p, &g.Network, e, o)
		}
		l := p.Look(e.Look)
		if l == nil {
			return errNoLook(e.Look)
		}
		return f(p, &l.Network, e, o)
	}
}

// NeedsBox tells whether the edit places something by the box of the stage.
func (e *Edit) NeedsBox() bool {
	switch e.Op {
	case "camera.frame", "light.add":
		return true
	case "model.add":
		return e.Kind == floor
	case "light.set":
		return e.Key == "kind"
	case "backdrop.set":
		return e.Key == "floor"
	}
	return false
}

// freeName returns the name, or the name with the first number from 2 on with which
// it is not taken.
func freeName(base string, taken func(name string) bool) string {
	name := base
	for k := 2; taken(name); k++ {
		name = fmt.Sprintf("%s %d", names.Clip(base, names.MaxName-8), k)
	}
	return name
}

func (p *Project) newLook(name string, n network.Network) (*Look, error) {
	if len(p.Looks) >= MaxLooks {
		return nil, fmt.Errorf("project: a project holds at most %d looks", MaxLooks)
	}
	if err := setLabel(&name, name); err != nil {
		return nil, err
	}
	if name == "" {
		name = fmt.Sprintf("Look %d", len(p.Looks)+1)
	}
	name = freeName(name, func(s string) bool { return slices.ContainsFunc(p.Looks, func(l Look) bool { return l.Name == s }) })
	n.Given = nil // it is another network now
	p.Looks = append(p.Looks, Look{ID: p.freshID("look"), Name: name, Network: n})
	return &p.Looks[len(p.Looks)-1], nil
}

func addLook(p *Project, e *Edit, o *Outcome) error {
	n := NewLook()
	if e.Network != nil {
		var err error
		if n, err = p.adopt(e.Network, e.Groups); err != nil {
			return err
		}
		if n.Finish() == nil {
			return errors.New("project: the look has no Finish")
		}
	}
	l, err := p.newLook(e.Name, n)
	if err == nil {
		o.Created = l.ID
		// Whatever wears no look yet wears the new one, so that it can be seen.
		for i := range p.Stage.Models {
			for part, look := range p.Stage.Models[i].Looks {
				if look == "" {
					p.Stage.Models[i].Looks[part] = l.ID
				}
			}
		}
	}
	return err
}

func duplicateLook(p *Project, e *Edit, o *Outcome) error {
	src := p.Look(e.Look)
	if src == nil {
		return errNoLook(e.Look)
	}
	l, err := p.newLook(src.Name, src.Network.Clone())
	if err == nil {
		o.Created = l.ID
	}
	return err
}

func removeLook(p *Project, e *Edit, o *Outcome) error {
	if p.Look(e.Look) == nil {
		return errNoLook(e.Look)
	}
	if len(p.Looks) == 1 {
		return errors.New("project: a project keeps at least one look")
	}
	p.Looks = slices.DeleteFunc(p.Looks, func(l Look) bool { return l.ID == e.Look })
	if g := &p.Stage.Glow; slices.Contains(g.Looks, e.Look) {
		if g.Looks = slices.DeleteFunc(slices.Clone(g.Looks), func(id string) bool { return id == e.Look }); len(g.Looks) == 0 {
			g.Looks, g.On = nil, false // not the whole picture instead
			o.Note = "Nothing glows any more. "
		}
	}
	heir, moved := p.Looks[0], 0
	for i := range p.Stage.Models {
		for part, look := range p.Stage.Models[i].Looks {
			if look == e.Look {
				p.Stage.Models[i].Looks[part] = heir.ID
				moved++
			}
		}
	}
	if moved > 0 {
		o.Note += fmt.Sprintf("%d parts that wore it now wear %s.", moved, heir.Name)
	}
	return nil
}

func assign(p *Project, e *Edit, o *Outcome) error {
	if e.Look != "" && p.Look(e.Look) == nil {
		return errNoLook(e.Look)
	}
	m, err := p.model(e.ID)
	if err != nil {
		return err
	}
	if e.Part != "" {
		if _, ok := m.Looks[e.Part]; !ok {
			return fmt.Errorf("project: %s has no part %.40q", m.Name, e.Part)
		}
		m.Looks[e.Part] = e.Look
		return nil
	}
	for part := range m.Looks {
		m.Looks[part] = e.Look
	}
	return nil
}

// wear puts a look onto the parts that wear the look e.ID or, where none does, onto
// all parts.
func wear(p *Project, e *Edit, o *Outcome) error {
	l := p.Look(e.Look)
	if l == nil {
		return errNoLook(e.Look)
	}
	o.Label = "put on " + l.Name
	put := func(on func(worn string) bool) (n int) {
		for i := range p.Stage.Models {
			for part, worn := range p.Stage.Models[i].Looks {
				if on(worn) {
					p.Stage.Models[i].Looks[part] = l.ID
					n++
				}
			}
		}
		return n
	}
	was := p.Look(e.ID)
	if was != nil && was != l {
		if n := put(func(worn string) bool { return worn == was.ID }); n > 0 {
			o.Note = fmt.Sprintf("%s is on the parts that wore %s.", l.Name, was.Name)
			return nil
		}
	}
	if put(func(string) bool { return true }) == 0 {
		return errors.New("project: there is no part of a model to put it on: bring in a model first")
	}
	o.Note = l.Name + " is on all parts."
	return nil
}

// Worn tells whether any part wears a look.
func (p *Project) Worn(look string) bool {
	for i := range p.Stage.Models {
		for _, worn := range p.Stage.Models[i].Looks {
			if worn == look {
				return true
			}
		}
	}
	return false
}

// Limits on the remarks that a project remembers as dismissed.
const (
	maxDismissed = 1000
	maxRemark    = 500 // bytes of a remark's key
)

func dismiss(p *Project, e *Edit, o *Outcome) error {
	if e.ID == "" || len(e.ID) > maxRemark || names.Line(e.ID) != e.ID {
		return errors.New("project: which remark is not said")
	}
	if len(p.Dismissed) >= maxDismissed {
		p.Dismissed = p.Dismissed[1:]
	}
	p.Dismissed = append(p.Dismissed, e.ID)
	return nil
}

// Operations returns the names of all that can be done, sorted.
func Operations() []string { return slices.Sorted(maps.Keys(operations)) }

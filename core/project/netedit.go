package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
)

// chosen returns the nodes that an edit is about: its list, or its one.
func (e *Edit) chosen() []string {
	if len(e.Nodes) > 0 {
		return e.Nodes
	}
	if e.Node != "" {
		return []string{e.Node}
	}
	return nil
}

// adopt makes a network that came from outside one of the project's: its groups
// come in under ids that are free, and it is settled.
func (p *Project) adopt(n *network.Network, groups []network.Group) (network.Network, error) {
	in := n.Clone()
	renamed := map[string]string{}
	rename := func(n *network.Network) {
		for i := range n.Nodes {
			if id, ok := strings.CutPrefix(n.Nodes[i].Kind, network.GroupPrefix); ok && renamed[id] != "" {
				n.Nodes[i].Kind = network.GroupPrefix + renamed[id]
			}
		}
	}
	from := len(p.Groups)
	ordered, err := network.NewGrouped(p.Catalogue().Base, groups).Order()
	if err != nil {
		return in, err
	}
	for _, of := range ordered { // those within others first
		g := of.Clone()
		rename(&g.Network)
		if same := p.sameGroup(&g); same != "" {
			renamed[g.ID] = same
			continue
		}
		id := g.ID
		g.ID, g.Given, g.Shown = p.freshID("g"), nil, nil
		renamed[id] = g.ID
		p.Groups = append(p.Groups, g)
	}
	for i := from; i < len(p.Groups); i++ {
		p.dropLights(&p.Groups[i].Network)
	}
	rename(&in)
	p.dropLights(&in)
	if err := network.SettleGroups(p.Catalogue().Base, p.Groups); err != nil {
		return in, err
	}
	err = in.Settle(p.Catalogue())
	return in, err
}

func replaceLook(p *Project, e *Edit, o *Outcome) error {
	if p.Look(e.Look) == nil {
		return errNoLook(e.Look)
	}
	if e.Network == nil {
		return errors.New("project: there is no network to take")
	}
	n, err := p.adopt(e.Network, e.Groups)
	if err == nil && n.Finish() == nil {
		err = errors.New("project: the look has no Finish")
	}
	if err != nil {
		return err
	}
	if e.Name != "" {
		o.Label = "took the starting point " + names.Clip(e.Name, names.MaxName)
	}
	l := p.Look(e.Look)
	l.Network = n.Renumbered(l.Given)
	return nil
}

func addNode(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	cat := p.Catalogue()
	id, err := n.Add(cat, e.Kind)
	if err != nil {
		return err
	}
	if e.Group != "" && n.Finish() != nil {
		return errors.New("project: a group has no Finish: the look that uses it has")
	}
	// A group that would hold itself is refused before its ports are asked for.
	if err := network.SettleGroups(cat.Base, p.Groups); err != nil {
		return err
	}
	o.Created = id
	o.title(p, n, id, "added")
	if e.From != "" && e.After {
		if err := n.After(cat, id, network.ParseRef(e.From)); err != nil {
			return err
		}
		return beside(n, cat, id)
	}
	if e.From != "" {
		if err := n.Connect(cat, network.ParseRef(e.From), network.Ref{Node: id}); err != nil {
			return err
		}
	}
	if e.To != "" {
		if err = n.Insert(cat, id, network.ParseRef(e.To)); err == nil {
			err = beside(n, cat, id)
		}
	}
	return err
}

// beside wires a node that has been put behind one that cuts bands to what those are cut from, if
// it is of a kind that reads that too.
func beside(n *network.Network, cat network.Grouped, id string) error {
	d := n.Node(id)
	k := node.Catalogue{}.Kind(d.Kind)
	if k == nil || k.Beside == "" || len(d.In[k.Beside].Wires) > 0 {
		return nil
	}
	for _, p := range cat.Of(d).Inputs {
		for _, w := range d.In[p.Key].Wires {
			src := n.Node(w.Node)
			if wires := src.In[node.CutInput(src)].Wires; node.CutInput(src) != "" && len(wires) == 1 {
				return n.Connect(cat, wires[0], network.Ref{Node: id, Port: k.Beside})
			}
		}
	}
	return nil
}

func removeNodes(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	ids := e.chosen()
	if len(ids) == 0 {
		return errors.New("project: choose a node to remove")
	}
	var notes []string
	for _, id := range ids {
		if len(ids) > 1 {
			if d := n.Node(id); d == nil || d.Kind == network.FinishKind {
				continue
			}
			o.Label = fmt.Sprintf("removed %d nodes", len(ids))
		} else {
			o.title(p, n, id, "removed")
		}
		note, err := n.Remove(p.Catalogue(), id)
		if err != nil {
			return err
		}
		if note != "" && len(ids) == 1 {
			notes = append(notes, note)
		}
	}
	o.Note = strings.Join(notes, " ")
	return nil
}

func writeNote(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d := n.Node(e.Node)
	if d == nil {
		return fmt.Errorf("project: there is no node %.40q", e.Node)
	}
	o.title(p, n, e.Node, "wrote a note on")
	note, _ := e.Value.(string)
	return setNote(&d.Note, note)
}

func bypass(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	ids := e.chosen()
	off, ok := e.Value.(bool)
	if !ok { // the other way round than the first
		if len(ids) == 0 || n.Node(ids[0]) == nil {
			return errors.New("project: choose a node to bypass")
		}
		off = !n.Node(ids[0]).Off
	}
	for _, id := range ids {
		if err := n.SetOff(p.Catalogue(), id, off); err != nil {
			return err
		}
		o.title(p, n, id, map[bool]string{true: "bypassed", false: "took in again"}[off])
	}
	return nil
}

func swap(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	o.title(p, n, e.Node, "swapped two inputs of")
	return n.Swap(p.Catalogue(), e.Node, e.From, e.To)
}

func replaceNode(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	o.title(p, n, e.Node, "replaced")
	note, err := n.Replace(p.Catalogue(), e.Node, e.Kind)
	o.Note = note
	return err
}

func duplicateNodes(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	ids := e.chosen()
	wires, _ := e.Value.(bool)
	made, err := n.Paste(p.Catalogue(), n.Fragment(ids, wires))
	if err == nil && len(made) == 0 {
		err = errors.New("project: choose nodes to duplicate; Finish cannot be")
	}
	if err != nil {
		return err
	}
	o.Created, o.Several = made[0], made
	if len(made) == 1 {
		o.title(p, n, ids[0], "duplicated")
	}
	return nil
}

func pasteNodes(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	if e.Network == nil {
		return errors.New("project: there are no nodes to paste")
	}
	// Wires from nodes that did not come along are checked by Paste, not here.
	f := e.Network.Fragment(nodeIDs(e.Network), false)
	group := e.Group
	in, err := p.adopt(&f, e.Groups)
	if err != nil {
		return err
	}
	if group != "" { // adopting may have moved the groups
		n = &p.Catalogue().Group(group).Network
	}
	made, err := n.Paste(p.Catalogue(), in)
	if err == nil && len(made) == 0 {
		err = errors.New("project: there are no nodes to paste; Finish cannot be")
	}
	if err != nil {
		return err
	}
	o.Created, o.Several = made[0], made
	o.Label = fmt.Sprintf("pasted %d nodes", len(made))
	return nil
}

func nodeIDs(n *network.Network) (ids []string) {
	for i := range n.Nodes {
		ids = append(ids, n.Nodes[i].ID)
	}
	return ids
}

func gather(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	id, err := n.Gather(e.chosen(), e.Name)
	o.Created = id
	return err
}

func dissolveSection(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	if n.Section(e.ID) == nil {
		return fmt.Errorf("project: there is no section %.40q any more", e.ID)
	}
	o.Label = "dissolved " + n.Section(e.ID).Name
	n.Sections = slices.DeleteFunc(n.Sections, func(s network.Section) bool { return s.ID == e.ID })
	return nil
}

func setSection(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	s := n.Section(e.ID)
	if s == nil {
		return fmt.Errorf("project: there is no section %.40q any more", e.ID)
	}
	switch e.Key {
	case "name":
		return setName(&s.Name, e.Name)
	case "note":
		note, _ := e.Value.(string)
		return setNote(&s.Note, note)
	case "folded":
		folded, ok := e.Value.(bool)
		if !ok {
			folded = !s.Folded
		}
		s.Folded = folded
		o.Label = map[bool]string{true: "folded ", false: "opened "}[folded] + s.Name
		return nil
	}
	return fmt.Errorf("project: a section has no %.20q", e.Key)
}

func moveToSection(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	for _, id := range e.chosen() {
		if err := n.Move(id, e.ID); err != nil {
			return err
		}
	}
	return nil
}

// moved moves an entry of a list in place.
func moved[T any](list []T, from, to int) error {
	if from < 0 || from >= len(list) || to < 0 || to >= len(list) {
		return errors.New("project: there is no such place in the list")
	}
	v := list[from]
	if from < to {
		copy(list[from:to], list[from+1:to+1])
	} else {
		copy(list[to+1:from+1], list[to:from])
	}
	list[to] = v
	return nil
}

package project

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"mobanta/core/network"
)

// sameGroup returns the id of a group of the project that is the same to the letter
// but for its id, one of the same id first; "" for none.
func (p *Project) sameGroup(g *network.Group) string {
	plain := func(g network.Group) string {
		g.ID = ""
		text, err := json.Marshal(&g)
		if err != nil {
			return ""
		}
		return string(text)
	}
	text, found := plain(*g), ""
	for i := range p.Groups {
		own := &p.Groups[i]
		if own.Name != g.Name || len(own.Nodes) != len(g.Nodes) || plain(*own) != text {
			continue
		}
		if own.ID == g.ID {
			return own.ID
		}
		found = cmp.Or(found, own.ID)
	}
	return found
}

// UsedGroups returns the groups that a network uses, those within others too.
func (p *Project) UsedGroups(n *network.Network) []network.Group {
	cat := p.Catalogue()
	seen := map[string]bool{}
	var out []network.Group
	var walk func(n *network.Network)
	walk = func(n *network.Network) {
		for i := range n.Nodes {
			if g := cat.GroupOf(&n.Nodes[i]); g != nil && !seen[g.ID] {
				seen[g.ID] = true
				walk(&g.Network)
				out = append(out, g.Clone())
			}
		}
	}
	walk(n)
	return out
}

// group returns the group of that id.
func (p *Project) group(id string) (*network.Group, error) {
	if g := p.Catalogue().Group(id); g != nil {
		return g, nil
	}
	return nil, fmt.Errorf("project: there is no group %.40q any more", id)
}

func (p *Project) freeGroupID() string {
	return p.freshID("g")
}

func makeGroup(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	if len(p.Groups) >= network.MaxGroups {
		return fmt.Errorf("project: a project holds at most %d groups", network.MaxGroups)
	}
	g, id, err := p.Catalogue().Make(n, e.chosen(), p.freeGroupID(), e.Name)
	if err != nil {
		return err
	}
	if e.Group != "" { // what that group shows of the nodes it goes on showing
		outer, err := p.group(e.Group)
		if err != nil {
			return err
		}
		p.Catalogue().Rehang(outer, &g, id)
	}
	p.Groups = append(p.Groups, g)
	o.Created, o.Label = id, "made the group "+g.Name
	return nil
}

func dissolveGroup(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	o.title(p, n, e.Node, "dissolved")
	ids, err := p.Catalogue().Dissolve(n, e.Node)
	o.Several = ids
	if len(ids) > 0 {
		o.Created = ids[0]
	}
	return err
}

// singleGroup gives one use of a group a copy of its own.
func singleGroup(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d := n.Node(e.Node)
	if d == nil {
		return fmt.Errorf("project: there is no node %.40q", e.Node)
	}
	g := p.Catalogue().GroupOf(d)
	if g == nil {
		return fmt.Errorf("project: %s is no group", d.Title(p.Catalogue()))
	}
	if len(p.Groups) >= network.MaxGroups {
		return fmt.Errorf("project: a project holds at most %d groups", network.MaxGroups)
	}
	own := g.Clone()
	own.ID = p.freeGroupID()
	own.Name = freeName(g.Name, func(name string) bool {
		return slices.ContainsFunc(p.Groups, func(o network.Group) bool { return o.Name == name })
	})
	own.Given, own.Shown = nil, nil
	d.Kind = network.GroupPrefix + own.ID
	p.Groups = append(p.Groups, own)
	o.Label = "made " + g.Name + " single"
	return nil
}

func setGroup(p *Project, e *Edit, o *Outcome) error {
	g, err := p.group(e.Group)
	if err != nil {
		return err
	}
	switch e.Key {
	case "name":
		return setName(&g.Name, e.Name)
	case "note":
		note, _ := e.Value.(string)
		return setNote(&g.Note, note)
	}
	return fmt.Errorf("project: a group has no %.20q", e.Key)
}

func removeGroup(p *Project, e *Edit, o *Outcome) error {
	g, err := p.group(e.Group)
	if err != nil {
		return err
	}
	uses := 0
	for _, n := range p.networks() {
		uses += n.Uses()[g.ID]
	}
	if uses > 0 {
		return fmt.Errorf("project: %s is used %d times: dissolve or remove those first", g.Name, uses)
	}
	o.Label = "removed the group " + g.Name
	p.Groups = slices.DeleteFunc(p.Groups, func(h network.Group) bool { return h.ID == e.Group })
	return nil
}

// bringGroup brings in a group from elsewhere and puts a node for it into the
// look, unless the edit names none.
func bringGroup(p *Project, e *Edit, o *Outcome) error {
	if len(e.Groups) == 0 {
		return errors.New("project: there is no group to bring in")
	}
	last := e.Groups[len(e.Groups)-1]
	in, err := p.adopt(&network.Network{Nodes: []network.Node{{ID: "n1", Kind: network.GroupPrefix + last.ID}}}, e.Groups)
	if err != nil {
		return err
	}
	o.Label = "brought in the group " + last.Name
	if e.Look == "" {
		return nil
	}
	add := *e
	add.Kind = in.Nodes[0].Kind
	return inNetwork(addNode)(p, &add, o)
}

func expose(p *Project, e *Edit, o *Outcome) error {
	g, err := p.group(e.Group)
	if err != nil {
		return err
	}
	output := e.Value == "output"
	key, err := p.Catalogue().Expose(g, network.Ref{Node: e.Node, Port: e.Key}, output, e.Name)
	o.Created = key
	return err
}

// exposed returns the list that an edit is about and the place in it.
func exposed(g *network.Group, e *Edit) (*[]network.Exposed, int, error) {
	list := &g.Inputs
	if e.Kind == "output" {
		list = &g.Outputs
	}
	i := slices.IndexFunc(*list, func(x network.Exposed) bool { return x.Key == e.ID })
	if i < 0 {
		return nil, 0, fmt.Errorf("project: %s shows nothing named %.40q outside", g.Name, e.ID)
	}
	*list = slices.Clone(*list)
	return list, i, nil
}

func unexpose(p *Project, e *Edit, o *Outcome) error {
	g, err := p.group(e.Group)
	if err != nil {
		return err
	}
	list, i, err := exposed(g, e)
	if err == nil {
		*list = slices.Delete(*list, i, i+1)
	}
	return err
}

func setExposed(p *Project, e *Edit, o *Outcome) error {
	g, err := p.group(e.Group)
	if err != nil {
		return err
	}
	list, i, err := exposed(g, e)
	if err != nil {
		return err
	}
	x := &(*list)[i]
	switch e.Key {
	case "name":
		return setName(&x.Name, e.Name)
	case "min":
		return number(e.Value, &x.Min)
	case "max":
		return number(e.Value, &x.Max)
	case "place":
		return moved(*list, i, e.Index)
	}
	return fmt.Errorf("project: an input of a group has no %.20q", e.Key)
}

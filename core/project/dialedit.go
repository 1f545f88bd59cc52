package project

import (
	"fmt"
	"slices"

	"mobanta/core/names"
	"mobanta/core/network"
)

func addDial(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d := n.Node(e.Node)
	if d == nil {
		return fmt.Errorf("project: there is no node %.40q", e.Node)
	}
	cat := p.Catalogue()
	of := cat.Of(d)
	name := e.Name
	if err := setLabel(&name, name); err != nil {
		return err
	}
	if name == "" {
		if s, in := of.Setting(e.Key), of.Input(e.Key); s != nil {
			name = d.Title(cat) + ", " + s.Name
		} else if in != nil {
			name = d.Title(cat) + ", " + in.Name
		}
	}
	for _, l := range n.Dials {
		if l.Node == e.Node && l.Key == e.Key {
			return fmt.Errorf("project: it is on the front already, as %s", l.Name)
		}
	}
	o.Created = n.DialID()
	n.Dials = append(n.Dials, network.Dial{ID: o.Created, Name: names.Clip(name, names.MaxName), Node: e.Node, Key: e.Key})
	return n.Settle(cat)
}

func dialAt(n *network.Network, id string) (int, error) {
	i := slices.IndexFunc(n.Dials, func(l network.Dial) bool { return l.ID == id })
	if i < 0 {
		return 0, fmt.Errorf("project: there is no dial %.40q any more", id)
	}
	n.Dials = slices.Clone(n.Dials)
	return i, nil
}

func removeDial(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	i, err := dialAt(n, e.ID)
	if err == nil {
		n.Dials = slices.Delete(n.Dials, i, i+1)
	}
	return err
}

func setDial(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	i, err := dialAt(n, e.ID)
	if err != nil {
		return err
	}
	switch l := &n.Dials[i]; e.Key {
	case "name":
		err = setName(&l.Name, e.Name)
	case "min":
		err = number(e.Value, &l.Min)
	case "max":
		err = number(e.Value, &l.Max)
	default:
		err = fmt.Errorf("project: a dial has no %.20q", e.Key)
	}
	if err != nil {
		return err
	}
	return n.Settle(p.Catalogue())
}

func moveDial(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	i, err := dialAt(n, e.ID)
	if err != nil {
		return err
	}
	return moved(n.Dials, i, e.Index)
}

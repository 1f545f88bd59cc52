package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
)

func addSwatch(p *Project, e *Edit, o *Outcome) error {
	c := color.MustHex("#D4843F")
	if e.Value != nil {
		var err error
		if c, err = color.FromAny(e.Value); err != nil {
			return err
		}
	}
	return p.putSwatches([]Swatch{{Name: strings.TrimSpace(e.Name), Color: c}}, o)
}

func bringSwatches(p *Project, e *Edit, o *Outcome) error {
	if len(e.Colors) == 0 {
		return errors.New("project: the palette holds no colours")
	}
	o.Label = fmt.Sprintf("brought in %d swatches", len(e.Colors))
	return p.putSwatches(e.Colors, o)
}

func (p *Project) putSwatches(list []Swatch, o *Outcome) error {
	if len(p.Swatches)+len(list) > MaxSwatches {
		return fmt.Errorf("project: a project holds at most %d swatches", MaxSwatches)
	}
	for _, w := range list {
		if err := setLabel(&w.Name, w.Name); err != nil {
			return err
		}
		w.ID = p.freshID("c")
		o.Created = w.ID
		p.Swatches = append(p.Swatches, w)
	}
	return nil
}

func removeSwatch(p *Project, e *Edit, o *Outcome) error {
	if p.Swatch(e.ID) == nil {
		return fmt.Errorf("project: there is no swatch %.40q any more", e.ID)
	}
	p.Swatches = slices.DeleteFunc(p.Swatches, func(w Swatch) bool { return w.ID == e.ID })
	p.loosen()
	return nil
}

func setSwatch(p *Project, e *Edit, o *Outcome) error {
	w := p.Swatch(e.ID)
	if w == nil {
		return fmt.Errorf("project: there is no swatch %.40q any more", e.ID)
	}
	if e.Key == "name" {
		return setLabel(&w.Name, e.Name)
	}
	c, err := color.FromAny(e.Value)
	if err != nil {
		return err
	}
	w.Color = c
	if w.Name != "" {
		o.Label = "changed the swatch " + w.Name
	}
	p.repaint(w)
	return nil
}

// repaint gives all that follows a swatch its colour.
func (p *Project) repaint(w *Swatch) {
	for _, n := range p.networks() {
		for i := range n.Nodes {
			d := &n.Nodes[i]
			for key, id := range d.Swatches {
				if id == w.ID {
					d.Paint(p.Catalogue(), key, w.Color)
				}
			}
			for key, v := range d.Set {
				stops, ok := v.([]color.Stop)
				if !ok || !slices.ContainsFunc(stops, func(s color.Stop) bool { return s.Swatch == w.ID }) {
					continue
				}
				stops = slices.Clone(stops)
				for k := range stops {
					if stops[k].Swatch == w.ID {
						stops[k].Color = w.Color
					}
				}
				d.Set[key] = stops
			}
		}
	}
}

// useSwatch makes a colour follow a swatch: that of a setting or an input, or of
// a ramp's stop, e.Index.
func useSwatch(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	w, d := p.Swatch(e.ID), n.Node(e.Node)
	if w == nil || d == nil {
		return errors.New("project: the swatch or the node is not there any more")
	}
	cat := p.Catalogue()
	of := cat.Of(d)
	if s := of.Setting(e.Key); s != nil && s.Type == network.Stops {
		stops := slices.Clone(d.Value(s).([]color.Stop))
		if e.Index < 0 || e.Index >= len(stops) {
			return fmt.Errorf("project: the ramp has no band %d", e.Index+1)
		}
		stops[e.Index].Color, stops[e.Index].Swatch = w.Color, w.ID
		return n.SetValue(cat, e.Node, e.Key, stops)
	}
	return n.Follow(cat, e.Node, e.Key, w.ID, w.Color)
}

package project

import (
	"errors"
	"fmt"
	"slices"

	"mobanta/core/color"
	"mobanta/core/names"
	"mobanta/core/pattern"
	"mobanta/core/press"
)

// setPress sets what the whole press is like: on, set (of inks), paper, tooth, gain, slip, rough or
// limit.
func setPress(p *Project, e *Edit, o *Outcome) error {
	k := &p.Stage.Press
	switch e.Key {
	case "on":
		on, ok := e.Value.(bool)
		if !ok {
			return errors.New("project: the press is on or off")
		}
		if on && len(k.Inks) == 0 {
			*k = press.New(press.Sets[0])
		}
		k.On = on
		o.Label = map[bool]string{true: "printed the picture", false: "stopped printing"}[on]
		return nil
	case "set":
		for _, s := range press.Sets {
			if s.Key == e.Value {
				fresh := press.New(s)
				k.On, k.Limit, k.Inks = true, fresh.Limit, fresh.Inks
				if k.Paper == (color.C{}) {
					k.Paper = fresh.Paper
				}
				o.Label = "set inks: " + s.Name
				return nil
			}
		}
		return fmt.Errorf("project: there is no set of inks %.40q", fmt.Sprint(e.Value))
	case "paper":
		c, err := color.FromAny(e.Value)
		if err == nil {
			k.Paper = c
		}
		return err
	}
	to := map[string]*float64{"tooth": &k.Tooth, "gain": &k.Gain, "slip": &k.Slip, "rough": &k.Rough, "limit": &k.Limit}[e.Key]
	if to == nil {
		return fmt.Errorf("project: a press has no %.20q", e.Key)
	}
	return number(e.Value, to)
}

func addInk(p *Project, e *Edit, o *Outcome) error {
	k := &p.Stage.Press
	id := ""
	for n := 1; id == "" || k.Ink(id) != nil; n++ {
		id = fmt.Sprintf("ink%d", n)
	}
	angles := []float64{45, 75, 15, 0, 60, 30, 90, 52}
	k.Inks = append(k.Inks, press.Ink{ID: id, Name: "Ink", Color: color.MustHex("#C8452E"), Spot: pattern.Round, Density: 60, Angle: angles[len(k.Inks)%len(angles)]})
	o.Created = id
	return nil
}

// inkOf returns the ink that an edit is about.
func inkOf(p *Project, e *Edit) (*press.Ink, error) {
	k := p.Stage.Press.Ink(e.ID)
	if k == nil {
		return nil, fmt.Errorf("project: there is no ink %.40q", e.ID)
	}
	return k, nil
}

func setInk(p *Project, e *Edit, o *Outcome) error {
	k, err := inkOf(p, e)
	if err != nil {
		return err
	}
	o.Label = "changed ink " + k.Name
	switch e.Key {
	case "name":
		v, _ := e.Value.(string)
		k.Name, err = names.Name(v)
		return err
	case "spot":
		v, _ := e.Value.(string)
		k.Spot = pattern.Spot(v)
		return nil // the check knows the spots
	case "off":
		off, ok := e.Value.(bool)
		if !ok {
			return errors.New("project: an ink is on or off")
		}
		k.Off = off
		return nil
	case "color":
		c, err := color.FromAny(e.Value)
		if err == nil {
			k.Color = c
		}
		return err
	}
	to := map[string]*float64{"opacity": &k.Opacity, "density": &k.Density, "angle": &k.Angle}[e.Key]
	if to == nil {
		return fmt.Errorf("project: an ink has no %.20q", e.Key)
	}
	return number(e.Value, to)
}

// moveInk prints an ink sooner or later: as number Index.
func moveInk(p *Project, e *Edit, o *Outcome) error {
	k, err := inkOf(p, e)
	if err != nil {
		return err
	}
	inks := &p.Stage.Press.Inks
	if e.Index < 0 || e.Index >= len(*inks) {
		return errors.New("project: an ink is moved to a place among the others")
	}
	moved := *k
	*inks = slices.DeleteFunc(*inks, func(k press.Ink) bool { return k.ID == e.ID })
	*inks = slices.Insert(*inks, e.Index, moved)
	return nil
}

func removeInk(p *Project, e *Edit, o *Outcome) error {
	k, err := inkOf(p, e)
	if err != nil {
		return err
	}
	o.Label = "removed ink " + k.Name
	p.Stage.Press.Inks = slices.DeleteFunc(p.Stage.Press.Inks, func(k press.Ink) bool { return k.ID == e.ID })
	if len(p.Stage.Press.Inks) == 0 {
		p.Stage.Press.Inks = nil // as it is read again, where nothing else of a press was set
	}
	return nil
}

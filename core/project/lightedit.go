package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func (p *Project) light(id string) (*stage.Light, error) {
	for i := range p.Stage.Lights {
		if p.Stage.Lights[i].ID == id {
			return &p.Stage.Lights[i], nil
		}
	}
	return nil, fmt.Errorf("project: there is no light %.40q any more", id)
}

var kindNames = map[light.Kind]string{light.Sun: "Sun", light.Point: "Point", light.Disc: "Disc", light.Rectangle: "Rectangle", light.Sky: "Sky", light.Headlamp: "Headlamp"}

// KindName returns the name of a kind of light as it is shown.
func KindName(k light.Kind) string { return kindNames[k] }

// addLight adds a light of the kind asked for. One that stands at a place stands
// beside the box of the stage, facing its middle, if the caller knows the box.
func addLight(p *Project, e *Edit, o *Outcome) error {
	kind := light.Kind(e.Kind)
	if kind == "" {
		kind = light.Sun
	}
	if kindNames[kind] == "" {
		return fmt.Errorf("project: there is no kind of light %.20q", e.Kind)
	}
	o.Created = p.freshID("light")
	name := p.lightName(kind)
	l := stage.NewLight(o.Created, name, kind)
	if len(p.Stage.Lights) > 0 && kind != light.Sky {
		l.Strength = 0.5
	}
	if kind == light.Sun && len(p.Stage.Lights) > 0 {
		l.Azimuth, l.Elevation = 140, 20
	}
	if kind == light.Sky {
		l.Strength = 0.3
	}
	stand(p, &l, e.Box)
	o.Label = "added " + name
	p.Stage.Lights = append(p.Stage.Lights, l)
	return nil
}

// lightName is the name of a new light of a kind.
func (p *Project) lightName(kind light.Kind) string {
	return freeName(kindNames[kind], func(name string) bool {
		return slices.ContainsFunc(p.Stage.Lights, func(l stage.Light) bool { return l.Name == name })
	})
}

// stand puts a light that has just come to have a place at one from which it
// shines at the box.
func stand(p *Project, l *stage.Light, box *vec.Box) {
	if !l.Kind.Placed() {
		return
	}
	center, size := p.Stage.Camera.Target, p.Stage.Camera.Distance*0.3
	if box != nil && !box.Empty() {
		center, size = box.Center(), max(box.Diagonal(), stage.Least)
	}
	l.Azimuth, l.Elevation = 40, 40
	l.At = center.Add(vec.Direction(l.Azimuth, l.Elevation).Mul(size))
	l.Reach = size
	if l.Kind != light.Point {
		l.Size, l.Height = size/4, size/4
	}
}

// removeLight removes a light, also from the lists of the nodes that read it.
func removeLight(p *Project, e *Edit, o *Outcome) error {
	l, err := p.light(e.ID)
	if err != nil {
		return err
	}
	o.Label = "removed " + l.Name
	name := l.Name
	p.Stage.Lights = slices.DeleteFunc(p.Stage.Lights, func(l stage.Light) bool { return l.ID == e.ID })
	alone := 0
	for _, n := range p.networks() {
		for i := range n.Nodes {
			list, ok := n.Nodes[i].Set["lights"].([]string)
			if !ok || !slices.Contains(list, e.ID) {
				continue
			}
			list = slices.DeleteFunc(slices.Clone(list), func(id string) bool { return id == e.ID })
			if n.Nodes[i].Set["lights"] = list; len(list) == 0 {
				alone++
			}
		}
	}
	if alone > 0 {
		o.Note = fmt.Sprintf("%d nodes that read %s alone now read all lights.", alone, name)
		if alone == 1 {
			o.Note = fmt.Sprintf("A node that read %s alone now reads all lights.", name)
		}
	}
	return nil
}

// dropLights takes lights that are not on the stage off the nodes of a network that
// comes from elsewhere: those that pick none any more read all.
func (p *Project) dropLights(n *network.Network) {
	for i := range n.Nodes {
		list, ok := n.Nodes[i].Set["lights"].([]string)
		if !ok {
			continue
		}
		n.Nodes[i].Set["lights"] = slices.DeleteFunc(slices.Clone(list), func(id string) bool {
			_, err := p.light(id)
			return err != nil
		})
	}
}

func setLight(p *Project, e *Edit, o *Outcome) error {
	l, err := p.light(e.ID)
	if err != nil {
		return err
	}
	o.Label = "changed " + l.Name
	if e.Key != "fields" {
		return setLightField(p, l, e.Key, e, e.Value)
	}
	fields, ok := e.Value.(map[string]any) // several at once, as it is dragged
	if !ok {
		return errors.New("project: a light is changed by its fields")
	}
	o.Label = "moved " + l.Name
	for k, v := range fields {
		if err := setLightField(p, l, k, e, v); err != nil {
			return err
		}
	}
	return nil
}

func setLightField(p *Project, l *stage.Light, key string, e *Edit, v any) error {
	flag := func(to *bool) error {
		on, ok := v.(bool)
		if !ok {
			return fmt.Errorf("project: %s is on or off", key)
		}
		*to = on
		return nil
	}
	var err error
	switch key {
	case "name":
		return setName(&l.Name, e.Name)
	case "kind":
		kind, _ := v.(string)
		return changeKind(p, l, light.Kind(kind), e.Box)
	case "azimuth":
		return number(v, &l.Azimuth)
	case "elevation":
		return number(v, &l.Elevation)
	case "strength":
		return number(v, &l.Strength)
	case "size":
		return number(v, &l.Size)
	case "height":
		return number(v, &l.Height)
	case "reach":
		return number(v, &l.Reach)
	case "at":
		return vector(v, &l.At)
	case "color":
		l.Color, err = color.FromAny(v)
		return err
	case "below":
		l.Below, err = color.FromAny(v)
		return err
	case "shadows":
		return flag(&l.Shadows)
	case "fade":
		if err := flag(&l.Fade); err != nil {
			return err
		}
		if l.Fade && l.Reach == 0 {
			l.Reach = max(stage.Least, l.At.Sub(p.Stage.Camera.Target).Len())
		}
		return nil
	case "blend":
		return flag(&l.Blend)
	case "picture":
		hash, ok := v.(string)
		if !ok {
			return errors.New("project: a picture is named by its hash")
		}
		l.Picture = hash
		return nil
	case "part": // lights that part too, or no longer
		id, _ := v.(string)
		return p.togglePart(l, id)
	case "parts":
		l.Parts = nil
		return nil
	case "direction": // azimuth and elevation at once
		var d vec.V
		if err := vector(v, &d); err != nil {
			return err
		}
		if d.Unit() == (vec.V{}) {
			return errors.New("project: a direction has a length")
		}
		l.Azimuth, l.Elevation = vec.Angles(d)
		return nil
	}
	return fmt.Errorf("project: a light has no %.20q", key)
}

// changeKind makes a light one of another kind; what both have stays. A name that
// is only that of the old kind goes with it.
func changeKind(p *Project, l *stage.Light, kind light.Kind, box *vec.Box) error {
	if kindNames[kind] == "" {
		return fmt.Errorf("project: there is no kind of light %.20q", kind)
	}
	was := l.Kind
	if rest, ok := strings.CutPrefix(l.Name, kindNames[was]); ok && was != kind && strings.Trim(rest, " 0123456789") == "" {
		l.Name = p.lightName(kind)
	}
	l.Kind, l.Size = kind, 0
	switch {
	case kind.Placed() && !was.Placed():
		az, el := l.Azimuth, l.Elevation
		stand(p, l, box)
		if was.Aimed() { // it stands where it shone from
			center := l.At.Sub(vec.Direction(l.Azimuth, l.Elevation).Mul(l.Reach))
			l.At = center.Add(vec.Direction(az, el).Mul(l.Reach))
			l.Azimuth, l.Elevation = az, el
		}
		l.Fade = true
	case kind == light.Disc || kind == light.Rectangle:
		l.Size, l.Height = max(l.Reach/4, stage.Least), max(l.Reach/4, stage.Least)
	}
	if kind == light.Headlamp {
		l.Shadows = false
	}
	return nil
}

// togglePart makes a light shine on a part alone, on one more, or on one less.
func (p *Project) togglePart(l *stage.Light, id string) error {
	there := func(id string) bool {
		return slices.ContainsFunc(p.Stage.Models, func(m stage.Model) bool {
			for part := range m.Looks {
				if stage.PartID(m.ID, part) == id {
					return true
				}
			}
			return false
		})
	}
	if !there(id) {
		return fmt.Errorf("project: there is no part %.60q any more", id)
	}
	list := slices.DeleteFunc(slices.Clone(l.Parts), func(e string) bool { return !there(e) })
	if i := slices.Index(list, id); i >= 0 {
		list = slices.Delete(list, i, i+1)
	} else {
		list = append(list, id)
	}
	slices.Sort(list)
	l.Parts = list
	return nil
}

package project

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func (p *Project) model(id string) (*stage.Model, error) {
	for i := range p.Stage.Models {
		if p.Stage.Models[i].ID == id {
			return &p.Stage.Models[i], nil
		}
	}
	return nil, fmt.Errorf("project: there is no model %.40q any more", id)
}

// hashPattern is what stored files are named by.
var hashPattern = regexp.MustCompile(`^[0-9a-f]{64}$`)

// floor is the solid that comes in below what stands there.
const floor = "plane"

func addModel(p *Project, e *Edit, o *Outcome) error {
	look := e.Look
	if p.Look(look) == nil {
		look = p.Looks[0].ID
	}
	m := stage.Model{ID: p.freshID("model"), Scale: 1, Looks: map[string]string{}}
	if err := setLabel(&m.Name, e.Name); err != nil {
		return err
	}
	parts := e.Parts
	s := mesh.FindSolid(e.Kind)
	if b, name := newBlobs(e.Kind); b != nil {
		m.Blobs, parts = b, []string{"Blobs"}
		if m.Name == "" {
			m.Name = freeName(name, func(name string) bool {
				return slices.ContainsFunc(p.Stage.Models, func(m stage.Model) bool { return m.Name == name })
			})
		}
	} else if e.Kind != "" && s == nil {
		return fmt.Errorf("project: there is no solid %.40q", e.Kind)
	}
	if s != nil {
		m.Solid, parts = s.Key, nil
		for _, part := range s.Make().Parts {
			parts = append(parts, part.Name)
		}
		if m.Name == "" {
			m.Name = freeName(s.Name, func(name string) bool {
				return slices.ContainsFunc(p.Stage.Models, func(m stage.Model) bool { return m.Name == name })
			})
		}
		if b := e.Box; s.Key == floor && b != nil && !b.Empty() { // wide enough for a shadow at 45°
			size, c := b.Max.Sub(b.Min), b.Center()
			m.At, m.Scale = vec.V{c[0], b.Min[1], c[2]}, max(size[0], size[1], size[2], 1e-6)
		}
	} else if m.Blobs == nil {
		m.File, _ = e.Value.(string)
		m.Clips, m.Form, m.At = slices.Clone(e.Clips), e.Form, e.At
		if len(m.Clips) > 0 {
			m.Clip.Name = m.Clips[0].Name
		}
		if !hashPattern.MatchString(m.File) {
			return errors.New("project: a model is a solid or a stored file")
		}
	}
	if m.Name == "" {
		m.Name = "Model"
	}
	coloured := map[string]string{} // hash → look
	for _, part := range parts {
		m.Looks[part] = look
		hash := e.Pictures[part]
		if hash == "" || len(p.Looks) >= MaxLooks && coloured[hash] == "" {
			continue
		}
		if coloured[hash] == "" {
			l, err := p.pictured(look, m.Name, hash)
			if err != nil {
				return err
			}
			coloured[hash] = l.ID
		}
		m.Looks[part] = coloured[hash]
	}
	o.Created, o.Label = m.ID, "brought in "+m.Name
	p.Stage.Models = append(p.Stage.Models, m)
	return nil
}

// pictured adds a look like another, whose colour is multiplied by a picture that is laid
// by texture coordinates.
func (p *Project) pictured(look, name, hash string) (*Look, error) {
	l, err := p.newLook(name, p.Look(look).Network.Clone())
	if err != nil {
		return nil, err
	}
	w := ways{cat: p.Catalogue(), n: &l.Network}
	image := w.add("image")
	w.set(image, "picture", hash)
	w.over("", network.Ref{Node: image, Port: "colour"}, network.Ref{}, "multiply")
	return l, w.err
}

func removeModel(p *Project, e *Edit, o *Outcome) error {
	m, err := p.model(e.ID)
	if err != nil {
		return err
	}
	o.Label = "removed " + m.Name
	var alone []string
	for i := range p.Stage.Lights {
		l := &p.Stage.Lights[i]
		if len(l.Parts) == 0 {
			continue
		}
		rest := slices.DeleteFunc(slices.Clone(l.Parts), func(id string) bool { return strings.HasPrefix(id, stage.PartID(m.ID, "")) })
		if len(rest) > 0 {
			l.Parts = rest
		} else { // an empty list would mean all parts
			alone = append(alone, l.Name)
		}
	}
	if len(alone) > 0 {
		o.Note = fmt.Sprintf("%s was limited to it and lights nothing now.", strings.Join(alone, " and "))
	}
	p.Stage.Models = slices.DeleteFunc(p.Stage.Models, func(m stage.Model) bool { return m.ID == e.ID })
	return nil
}

func setModel(p *Project, e *Edit, o *Outcome) error {
	m, err := p.model(e.ID)
	if err != nil {
		return err
	}
	o.Label = "changed " + m.Name
	switch e.Key {
	case "name":
		return setName(&m.Name, e.Name)
	case "scale":
		return number(e.Value, &m.Scale)
	case "at":
		return vector(e.Value, &m.At)
	case "turn":
		return vector(e.Value, &m.Turn)
	case "clip":
		m.Clip.Name, _ = e.Value.(string)
		if m.Clip.Name != "" && !slices.ContainsFunc(m.Clips, func(c stage.FileClip) bool { return c.Name == m.Clip.Name }) {
			return fmt.Errorf("project: %s has no clip %.40q", m.Name, m.Clip.Name)
		}
		return nil
	case "speed":
		return number(e.Value, &m.Clip.Speed)
	case "offset":
		return number(e.Value, &m.Clip.Offset)
	case "steps":
		steps := 0.0
		if err := number(e.Value, &steps); err != nil {
			return err
		}
		if m.Form.Steps = int(steps); float64(m.Form.Steps) != steps {
			return errors.New("project: steps are whole numbers")
		}
		return formed(m)
	case "creases":
		c, _ := e.Value.(string)
		m.Form.Creases = mesh.Creases(c)
		return formed(m)
	case "angle":
		if err := number(e.Value, &m.Form.Angle); err != nil {
			return err
		}
		return formed(m)
	case "uv":
		u, _ := e.Value.(string)
		m.Form.UV = mesh.Unwrapping(u)
		return formed(m)
	case "cone":
		if err := number(e.Value, &m.Form.Cone); err != nil {
			return err
		}
		return formed(m)
	case "smooth":
		on, ok := e.Value.(bool)
		if !ok {
			return errors.New("project: a model is drawn smooth or not")
		}
		m.Form.Smooth = on
		return formed(m)
	case "mend":
		keys, ok := e.Value.(string)
		if !ok {
			return errors.New("project: what is mended of a model is a list of names")
		}
		if err := m.Form.Mend.UnmarshalText([]byte(keys)); err != nil {
			return fmt.Errorf("project: %w", err)
		}
		return nil
	case "made":
		on, ok := e.Value.(bool)
		if !ok {
			return errors.New("project: normals are made anew or not")
		}
		m.Form.Made = on
		return nil
	}
	return fmt.Errorf("project: a model has no %.20q", e.Key)
}

func number[F float32 | float64](v any, to *F) error {
	f, ok := v.(float64)
	if !ok {
		return fmt.Errorf("project: %.40v is not a number", v)
	}
	if *to = F(f); !(math.Abs(float64(*to)) <= math.MaxFloat32) {
		return fmt.Errorf("project: %v is too large a number", f)
	}
	return nil
}

// formed returns why a model cannot have its form, or nil.
func formed(m *stage.Model) error {
	if err := m.Form.Check(); err != nil {
		return fmt.Errorf("project: %w", err)
	}
	return nil
}

func vector(v any, to *vec.V) error {
	list, _ := v.([]any)
	if len(list) != 3 {
		return fmt.Errorf("project: %.40v are not three numbers", v)
	}
	for k := range to {
		if err := number(list[k], &to[k]); err != nil {
			return err
		}
	}
	return nil
}

func setCamera(p *Project, e *Edit, o *Outcome) error {
	c := &p.Stage.Camera
	fields, ok := e.Value.(map[string]any)
	if !ok {
		return errors.New("project: a camera is changed by its fields")
	}
	for k, v := range fields {
		var err error
		switch k {
		case "azimuth":
			err = number(v, &c.Azimuth)
		case "elevation":
			if err = number(v, &c.Elevation); err == nil {
				c.Elevation = max(-89.9, min(89.9, c.Elevation))
			}
		case "distance":
			err = number(v, &c.Distance)
		case "angle":
			err = number(v, &c.Angle)
		case "target":
			err = vector(v, &c.Target)
		case "ortho":
			c.Ortho, ok = v.(bool)
			if !ok {
				err = errors.New("project: orthographic is on or off")
			}
		default:
			err = fmt.Errorf("project: a camera has no %.20q", k)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func frame(p *Project, e *Edit, o *Outcome) error {
	if e.Box == nil || !(e.Aspect > 0.01 && e.Aspect < 100) {
		return errors.New("project: nothing to frame")
	}
	p.Stage.Camera = p.Stage.Camera.Frame(*e.Box, e.Aspect)
	return nil
}

func setTime(p *Project, e *Edit, o *Outcome) error {
	t := &p.Stage.Time
	switch e.Key {
	case "at":
		o.Passing = true
		return number(e.Value, &t.At)
	case "length":
		return number(e.Value, &t.Length)
	case "rate":
		return number(e.Value, &t.Rate)
	case "first":
		return number(e.Value, &t.First)
	case "last":
		return number(e.Value, &t.Last)
	case "once":
		return flagged("playing once", e.Value, &t.Once)
	case "hold":
		hold := 0.0
		if err := number(e.Value, &hold); err != nil {
			return err
		}
		if t.Hold = int(hold); float64(t.Hold) != hold {
			return errors.New("project: frames are held for a whole number of frames")
		}
		return nil
	}
	return fmt.Errorf("project: time has no %.20q", e.Key)
}

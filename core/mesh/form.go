package mesh

import (
	"context"
	"errors"
	"fmt"

	"mobanta/core/unwrap"
)

// MaxSteps is how often a model may be subdivided.
const MaxSteps = 4

// Form is what is done to a model's mesh before it is shown.
type Form struct {
	Steps   int     `json:"steps,omitempty"`   // of subdivision
	Smooth  bool    `json:"smooth,omitempty"`  // whether it is drawn smooth, in place of subdivided: see Mesh.Smooth
	Creases Creases `json:"creases,omitempty"` // which edges stay sharp
	Angle   float64 `json:"angle,omitempty"`   // in degrees, over which an edge is a crease; 0 is DefaultCrease
	Made    bool    `json:"made,omitempty"`    // whether normals are made anew, whatever the file's
	// UV says whether it is unwrapped, before all else; Cone by how many degrees charts bend at most from their middle, 0
	// for unwrap.DefaultCone.
	UV   Unwrapping `json:"uv,omitempty"`
	Cone float64    `json:"cone,omitempty"`
	Mend Mends      `json:"mend,omitempty"` // what is mended first; package mend does it
}

// Crease returns the angle over which an edge is a crease.
func (f Form) Crease() float64 {
	if f.Angle == 0 {
		return DefaultCrease
	}
	return f.Angle
}

// Bend returns by how many degrees charts bend at most from their middle.
func (f Form) Bend() float64 {
	if f.Cone == 0 {
		return unwrap.DefaultCone
	}
	return f.Cone
}

// Key tells the form from all others; it is empty for a mesh as it comes.
func (f Form) Key() string {
	if f == (Form{}) {
		return ""
	}
	key := fmt.Sprintf(" %d %s %g %v", f.Steps, f.Creases, f.Crease(), f.Made)
	if f.Smooth {
		key += " smooth"
	}
	if f.Mend != 0 {
		key += " mended " + f.Mend.String()
	}
	if f.UV != UVOfFile {
		key += fmt.Sprintf(" %s %g", f.UV, f.Cone)
	}
	return key
}

// Check returns why the form cannot be made, or nil.
func (f Form) Check() error {
	switch {
	case f.Steps < 0 || f.Steps > MaxSteps:
		return fmt.Errorf("a model is subdivided in 0 to %d steps, not %d", MaxSteps, f.Steps)
	case f.Creases != ByAngle && f.Creases != ByFile && f.Creases != None:
		return fmt.Errorf("there are no creases %.20q", f.Creases)
	case f.Mend&^MendAll != 0:
		return errors.New("what is to be mended is not known")
	case f.Angle != 0 && !(f.Angle >= 1 && f.Angle <= 180):
		return errors.New("the angle of creases is 1 to 180 degrees")
	case f.UV != UVOfFile && f.UV != UVMissing && f.UV != UVAnew:
		return fmt.Errorf("texture coordinates are the file's, made where they are missing, or made anew, not %.20q", string(f.UV))
	}
	return unwrap.Options{Cone: f.Cone}.Check()
}

// Surface returns the mesh, which is mended already, in a form, made ready. A context that ends stops what takes long of it.
func (m *Mesh) Surface(ctx context.Context, f Form) (*Surface, error) {
	if err := m.Check(); err != nil {
		return nil, err
	}
	crease := f.Crease()
	if f.Creases == None {
		crease = 180
	}
	if f.Made && f.Creases != ByFile {
		bare := *m
		bare.Normals, bare.Corners = nil, make([]Corner, len(m.Corners))
		for i, c := range m.Corners {
			bare.Corners[i] = Corner{c.Pos, c.UV, -1}
		}
		m = &bare
	}
	if f.UV != UVOfFile {
		var err error
		if m, err = m.Unwrapped(ctx, f.UV == UVAnew, f.Cone); err != nil {
			return nil, err
		}
	}
	if f.Smooth {
		return m.smooth(f.Creases, crease)
	}
	fine, taken := m.Subdivide(f.Steps, f.Creases, crease)
	s, err := NewSurface(fine, crease)
	if err == nil {
		s.Steps, s.From = taken, m
		if taken > 0 && m.Motion != nil {
			s.rough = &rough{mesh: m, halves: m.halves(f.Creases, crease), steps: taken, tris: len(m.Corners) == 3*len(m.FaceEnd)}
		}
	}
	return s, err
}

// smooth is Surface for what is drawn smooth.
func (m *Mesh) smooth(creases Creases, crease float64) (*Surface, error) {
	fine, r := m.smoothed(creases, crease)
	s, err := NewSurface(fine, crease)
	if err == nil && r.steps > 0 {
		s.Smooth, s.From = true, m
		if m.Motion != nil {
			s.rough = r
		}
	}
	return s, err
}

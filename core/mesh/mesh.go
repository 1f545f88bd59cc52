// Package mesh holds polygon meshes and makes them ready to render: normals, triangles, the regions that creases bound,
// and solids made from nothing.
package mesh

import (
	"errors"
	"fmt"

	"mobanta/core/color"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// MaxTriangles limits one model, so that a file cannot claim all memory.
const MaxTriangles = 2_000_000

// ErrEmpty is returned for a model without a single face.
var ErrEmpty = errors.New("mesh: the model has no faces")

// Mesh is a surface of polygons. Each face is a run of corners; each corner
// refers to a position and, where the file gave them, to a texture coordinate
// and a normal.
type Mesh struct {
	Positions []vec.V
	UVs       [][2]float32
	Normals   []vec.V // unit length
	Corners   []Corner
	FaceEnd   []int32 // Corners[FaceEnd[i-1]:FaceEnd[i]] are the corners of face i
	FacePart  []int32 // index into Parts, for each face
	Parts     []Part
	// Paint is what the file painted on the positions: red, green, blue and opacity, 0 to 1,
	// as the file has them; nil if nothing. Where PaintEncoded the colours are sRGB.
	Paint        [][4]float32
	PaintEncoded bool
	// Motion is how the positions move, as the file has it; nil for not at all.
	Motion *motion.Motion
}

// Corner is one corner of a face; UV and Normal are -1 where there is none.
type Corner struct{ Pos, UV, Normal int32 }

// Part is a piece of a model that takes one look.
type Part struct {
	Name  string
	Color color.C // the base colour of the file's material, for looks that vary by part
}

// Face returns the corners of face i.
func (m *Mesh) Face(i int) []Corner {
	from := int32(0)
	if i > 0 {
		from = m.FaceEnd[i-1]
	}
	return m.Corners[from:m.FaceEnd[i]]
}

// AddFace appends a face to part with the given corners.
func (m *Mesh) AddFace(part int32, corners ...Corner) {
	m.Corners = append(m.Corners, corners...)
	m.FaceEnd = append(m.FaceEnd, int32(len(m.Corners)))
	m.FacePart = append(m.FacePart, part)
}

// AddPart appends a part and returns its index.
func (m *Mesh) AddPart(name string, c color.C) int32 {
	m.Parts = append(m.Parts, Part{Name: name, Color: c})
	return int32(len(m.Parts) - 1)
}

// Join appends all of o, its parts included, moved by at.
func (m *Mesh) Join(o *Mesh, at vec.M) {
	dp, du, dn, dpart := int32(len(m.Positions)), int32(len(m.UVs)), int32(len(m.Normals)), int32(len(m.Parts))
	dc := int32(len(m.Corners))
	for _, p := range o.Positions {
		m.Positions = append(m.Positions, at.Point(p))
	}
	if len(m.Paint) > 0 || len(o.Paint) > 0 {
		m.PaintEncoded = m.PaintEncoded || len(m.Paint) == 0 && o.PaintEncoded
		m.PaintUpTo(int(dp))
		m.Paint = append(m.Paint, o.Paint...)
		m.PaintUpTo(len(m.Positions))
	}
	m.UVs = append(m.UVs, o.UVs...)
	for _, n := range o.Normals {
		m.Normals = append(m.Normals, at.Normal(n).Unit())
	}
	for _, c := range o.Corners {
		c.Pos += dp
		if c.UV >= 0 {
			c.UV += du
		}
		if c.Normal >= 0 {
			c.Normal += dn
		}
		m.Corners = append(m.Corners, c)
	}
	for i, end := range o.FaceEnd {
		m.FaceEnd = append(m.FaceEnd, end+dc)
		m.FacePart = append(m.FacePart, o.FacePart[i]+dpart)
	}
	m.Parts = append(m.Parts, o.Parts...)
}

// PaintUpTo paints what is not painted of the first n positions white.
func (m *Mesh) PaintUpTo(n int) {
	for len(m.Paint) < n {
		m.Paint = append(m.Paint, [4]float32{1, 1, 1, 1})
	}
}

// Bounds returns the box around all positions.
func (m *Mesh) Bounds() vec.Box {
	b := vec.EmptyBox()
	for _, p := range m.Positions {
		b = b.Grow(p)
	}
	return b
}

// Triangles returns how many triangles the faces come to.
func (m *Mesh) Triangles() int {
	return max(0, len(m.Corners)-2*len(m.FaceEnd))
}

// Check returns why m cannot be rendered, or nil: it must have faces of at least
// three corners, finite numbers, indices within range and at most MaxTriangles.
func (m *Mesh) Check() error {
	if len(m.FaceEnd) == 0 {
		return ErrEmpty
	}
	if n := m.Triangles(); n > MaxTriangles {
		return fmt.Errorf("mesh: the model has %d triangles, more than the %d that can be shown", n, MaxTriangles)
	}
	if len(m.FacePart) != len(m.FaceEnd) {
		return fmt.Errorf("mesh: %d faces but %d part numbers", len(m.FaceEnd), len(m.FacePart))
	}
	if len(m.Paint) > 0 && len(m.Paint) != len(m.Positions) {
		return fmt.Errorf("mesh: %d painted values for %d positions", len(m.Paint), len(m.Positions))
	}
	for i, p := range m.Positions {
		if !p.Finite() || p.Dot(p) > 1e30 {
			return fmt.Errorf("mesh: position %d is not a usable place: %v", i+1, p)
		}
	}
	from := int32(0)
	for i, end := range m.FaceEnd {
		if end-from < 3 || int(end) > len(m.Corners) {
			return fmt.Errorf("mesh: face %d has %d corners", i+1, end-from)
		}
		if p := m.FacePart[i]; p < 0 || int(p) >= len(m.Parts) {
			return fmt.Errorf("mesh: face %d belongs to part %d of %d", i+1, p+1, len(m.Parts))
		}
		for _, c := range m.Corners[from:end] {
			if c.Pos < 0 || int(c.Pos) >= len(m.Positions) {
				return fmt.Errorf("mesh: face %d refers to position %d of %d", i+1, c.Pos+1, len(m.Positions))
			}
			if int(c.UV) >= len(m.UVs) || c.UV < -1 {
				return fmt.Errorf("mesh: face %d refers to texture coordinate %d of %d", i+1, c.UV+1, len(m.UVs))
			}
			if int(c.Normal) >= len(m.Normals) || c.Normal < -1 {
				return fmt.Errorf("mesh: face %d refers to normal %d of %d", i+1, c.Normal+1, len(m.Normals))
			}
		}
		from = end
	}
	return nil
}

// normal returns the unit normal of face i by Newell's method, zero for a face
// without area.
func (m *Mesh) normal(i int) vec.V {
	var x, y, z float64
	f := m.Face(i)
	prev := m.Positions[f[len(f)-1].Pos]
	for _, c := range f {
		p := m.Positions[c.Pos]
		x += (float64(prev[1]) - float64(p[1])) * (float64(prev[2]) + float64(p[2]))
		y += (float64(prev[2]) - float64(p[2])) * (float64(prev[0]) + float64(p[0]))
		z += (float64(prev[0]) - float64(p[0])) * (float64(prev[1]) + float64(p[1]))
		prev = p
	}
	return vec.V{float32(x), float32(y), float32(z)}.Unit()
}

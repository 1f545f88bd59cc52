package meshfile

import (
	"fmt"
	"io"
	"strconv"

	"mobanta/core/color"
	"mobanta/core/mesh"
)

// WriteOBJ writes m as Wavefront OBJ: its positions, texture coordinates and
// normals, one group for each part, and what is painted on its positions, but for
// opacity, as sRGB.
func WriteOBJ(w io.Writer, m *mesh.Mesh) error { return WriteOBJWith(w, m, "", nil) }

// WriteOBJWith is WriteOBJ with a file of materials, and the material of each part, "" for none.
func WriteOBJWith(w io.Writer, m *mesh.Mesh, library string, material []string) error {
	out := objWriter{w: w}
	if library != "" {
		out.text("mtllib ", library)
	}
	for i, p := range m.Positions {
		out.numbers("v", p[:])
		if len(m.Paint) > 0 {
			c := color.C{m.Paint[i][0], m.Paint[i][1], m.Paint[i][2]}
			if !m.PaintEncoded {
				c = c.Encoded()
			}
			out.numbers("", c[:])
		}
		out.end()
	}
	for _, t := range m.UVs {
		out.numbers("vt", t[:])
		out.end()
	}
	for _, n := range m.Normals {
		out.numbers("vn", n[:])
		out.end()
	}
	part := int32(-1)
	for i := range m.FaceEnd {
		if p := m.FacePart[i]; p != part {
			part = p
			out.text("g ", m.Parts[p].Name)
			if material != nil && material[p] != "" {
				out.text("usemtl ", material[p])
			}
		}
		out.line = append(out.line, 'f')
		for _, c := range m.Face(i) {
			out.corner(c)
		}
		out.end()
	}
	out.flush()
	return out.err
}

// objWriter writes lines of an OBJ file, many at a time: most of a file are numbers, and there are millions of them.
type objWriter struct {
	w    io.Writer
	line []byte
	err  error // the first that came up
}

func (o *objWriter) flush() {
	if o.err == nil {
		if _, err := o.w.Write(o.line); err != nil {
			o.err = fmt.Errorf("meshfile: %w", err)
		}
	}
	o.line = o.line[:0]
}

// end ends a line.
func (o *objWriter) end() {
	if o.line = append(o.line, '\n'); len(o.line) > 1<<15 {
		o.flush()
	}
}

func (o *objWriter) text(head, name string) {
	o.line = append(append(o.line, head...), name...)
	o.end()
}

// numbers adds numbers to a line, as short as tells them apart.
func (o *objWriter) numbers(head string, of []float32) {
	o.line = append(o.line, head...)
	for _, v := range of {
		o.line = strconv.AppendFloat(append(o.line, ' '), float64(v), 'g', -1, 32)
	}
}

// corner adds a corner of a face to a line; indices count from 1.
func (o *objWriter) corner(c mesh.Corner) {
	index := func(head string, v int32) {
		o.line = strconv.AppendInt(append(o.line, head...), int64(v)+1, 10)
	}
	index(" ", c.Pos)
	switch {
	case c.UV >= 0 && c.Normal >= 0:
		index("/", c.UV)
		index("/", c.Normal)
	case c.UV >= 0:
		index("/", c.UV)
	case c.Normal >= 0:
		index("//", c.Normal)
	}
}

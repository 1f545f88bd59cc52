package meshfile

import (
	"bufio"
	"fmt"
	"io"

	"mobanta/core/color"
	"mobanta/core/mesh"
)

// WriteOBJ writes m as Wavefront OBJ: its positions, texture coordinates and
// normals, one group for each part, and what is painted on its positions, but for
// opacity, as sRGB.
func WriteOBJ(w io.Writer, m *mesh.Mesh) error { return WriteOBJWith(w, m, "", nil) }

// WriteOBJWith is WriteOBJ with a file of materials, and the material of each part, "" for none.
func WriteOBJWith(w io.Writer, m *mesh.Mesh, library string, material []string) error {
	out := bufio.NewWriter(w)
	if library != "" {
		fmt.Fprintf(out, "mtllib %s\n", library)
	}
	for i, p := range m.Positions {
		fmt.Fprintf(out, "v %g %g %g", p[0], p[1], p[2])
		if len(m.Paint) > 0 {
			c := color.C{m.Paint[i][0], m.Paint[i][1], m.Paint[i][2]}
			if !m.PaintEncoded {
				c = c.Encoded()
			}
			fmt.Fprintf(out, " %g %g %g", c[0], c[1], c[2])
		}
		out.WriteString("\n")
	}
	for _, t := range m.UVs {
		fmt.Fprintf(out, "vt %g %g\n", t[0], t[1])
	}
	for _, n := range m.Normals {
		fmt.Fprintf(out, "vn %g %g %g\n", n[0], n[1], n[2])
	}
	part := int32(-1)
	for i := range m.FaceEnd {
		if p := m.FacePart[i]; p != part {
			part = p
			fmt.Fprintf(out, "g %s\n", m.Parts[p].Name)
			if material != nil && material[p] != "" {
				fmt.Fprintf(out, "usemtl %s\n", material[p])
			}
		}
		out.WriteString("f")
		for _, c := range m.Face(i) {
			fmt.Fprintf(out, " %d", c.Pos+1)
			switch {
			case c.UV >= 0 && c.Normal >= 0:
				fmt.Fprintf(out, "/%d/%d", c.UV+1, c.Normal+1)
			case c.UV >= 0:
				fmt.Fprintf(out, "/%d", c.UV+1)
			case c.Normal >= 0:
				fmt.Fprintf(out, "//%d", c.Normal+1)
			}
		}
		out.WriteString("\n")
	}
	if err := out.Flush(); err != nil {
		return fmt.Errorf("meshfile: %w", err)
	}
	return nil
}

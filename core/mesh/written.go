package mesh

import "mobanta/core/vec"

// Triangles returns the surface as a mesh of triangles to be written to a file, with its normals and paint, its vertices at
// these places, nil for where they are; only then it moves as it did. Its texture coordinates are its own, or where lay, if
// it is not nil, puts its triangles.
func (s *Surface) Triangles(at []vec.V, lay [][3][2]float32) (*Mesh, error) {
	m := s.Mesh
	out := &Mesh{Positions: m.Positions, UVs: s.UV, Normals: s.Normal, Parts: m.Parts, Paint: m.Paint, PaintEncoded: m.PaintEncoded}
	if at != nil {
		out.Positions = append([]vec.V(nil), m.Positions...)
		for v, p := range at {
			out.Positions[s.of[v]] = p
		}
		out.Normals = s.NormalsAt(at)
	} else if s.rough == nil {
		out.Motion = m.Motion
	}
	number := map[[2]float32]int32{}
	if lay != nil {
		out.UVs = nil
	}
	for t, tri := range s.Tri {
		var corners [3]Corner
		for k, v := range tri {
			corners[k] = Corner{Pos: s.of[v], UV: -1, Normal: v}
			switch {
			case lay != nil:
				uv := lay[t][k]
				n, ok := number[uv]
				if !ok {
					n = int32(len(out.UVs))
					number[uv] = n
					out.UVs = append(out.UVs, uv)
				}
				corners[k].UV = n
			case s.UV != nil:
				corners[k].UV = v
			}
		}
		out.AddFace(s.TriPart[t], corners[:]...)
	}
	return out, out.Check()
}

package mend

import (
	"math"
	"slices"

	"mobanta/core/mesh"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

const (
	looks    = 48     // faces of a piece from which rays go out at most
	allLooks = 20_000 // of all pieces, about; of more pieces than that the first
	rays     = 12     // from each side of one
	sure     = 2      // how much more of the sky the back must see than the front for a piece to be inside out
)

// turned turns faces round that look inward. Within a piece, whose faces share edges, most of the area decides which way is the
// same; then rays decide which of its sides is outside: the one that sees more of the sky (Takayama et al. 2014, "A simple method
// for correcting facet orientations in polygon meshes based on ray casting"). What sees none of it on either side stays as it
// is: the inside of a wall looks inward.
func turned(m *mesh.Mesh) (*mesh.Mesh, int) {
	weld := mesh.Weld(m.Positions)
	n := len(m.FaceEnd)
	type link struct {
		to    int32
		other bool // whether it is turned the other way round
	}
	links := make([][]link, n)
	runs(sides(m, weld), func(run []side) {
		if len(run) == 2 && run[0].face != run[1].face {
			a, b, other := run[0].face, run[1].face, run[0].back == run[1].back
			links[a], links[b] = append(links[a], link{b, other}), append(links[b], link{a, other})
		}
	})
	turn, piece := make([]bool, n), make([]int32, n) // the piece that each face is in, counted from 1
	var order []int32                                // the faces, piece by piece
	var ends []int                                   // in order, of the pieces
	for first := range piece {
		if piece[first] > 0 {
			continue
		}
		from := len(order)
		order = append(order, int32(first))
		piece[first] = int32(len(ends)) + 1
		for k := from; k < len(order); k++ {
			f := order[k]
			for _, l := range links[f] {
				if piece[l.to] == 0 {
					piece[l.to], turn[l.to] = piece[f], turn[f] != l.other
					order = append(order, l.to)
				}
			}
		}
		ends = append(ends, len(order))
	}
	sky := newSky(m, max(1, min(looks, allLooks/len(ends))))
	count, from := 0, 0
	for i, end := range ends {
		faces := order[from:end]
		from = end
		all, against := float32(0), float32(0)
		for _, f := range faces {
			a := sky.area[f].Len()
			if all += a; turn[f] {
				against += a
			}
		}
		swap := 2*against > all
		if i < allLooks && sky.insideOut(faces, func(f int32) bool { return turn[f] != swap }) {
			swap = !swap
		}
		for _, f := range faces {
			if turn[f] = turn[f] != swap; turn[f] {
				count++
			}
		}
	}
	if count == 0 {
		return m, 0
	}
	return reversed(m, turn), count
}

// sky finds out which side of a face is outside.
type sky struct {
	m     *mesh.Mesh
	tree  *trace.Tree
	area  []vec.V // of each face, along its normal
	far   float32 // further than anything
	looks int     // faces of a piece from which rays go out
}

func newSky(m *mesh.Mesh, looks int) *sky {
	var tri [][3]int32
	area := make([]vec.V, len(m.FaceEnd))
	for i := range m.FaceEnd {
		f := m.Face(i)
		for k := 2; k < len(f); k++ {
			tri = append(tri, [3]int32{f[0].Pos, f[k-1].Pos, f[k].Pos})
		}
		area[i], _ = areaOf(m, i)
	}
	return &sky{m, trace.NewTree(m.Positions, tri, 1), area, 2 * m.Bounds().Diagonal(), looks}
}

// insideOut tells whether a piece, some of whose faces are turned round, looks inward.
func (s *sky) insideOut(piece []int32, turned func(f int32) bool) bool {
	// The largest of every so many faces: small ones lie in corners, where either side sees little.
	step := (len(piece) + s.looks - 1) / s.looks
	front, back := float32(0), float32(0)
	for k := 0; k < len(piece); k += step {
		f := piece[k]
		for _, g := range piece[k:min(len(piece), k+step)] {
			if s.area[g].Len() > s.area[f].Len() {
				f = g
			}
		}
		normal, most := s.area[f].Unit(), s.area[f].Len()
		if turned(f) {
			normal = normal.Mul(-1)
		}
		mid, off := s.middle(f), normal.Mul(1e-4*s.far)
		u, v := vec.Across(normal)
		for r := range rays {
			// Spread over the half sphere, more along the normal: by the cosine, round and round by the golden angle.
			h := math.Sqrt((float64(r) + 0.5) / rays)
			w, angle := math.Sqrt(1-h*h), 2.399963*float64(r)
			dir := normal.Mul(float32(h)).Add(u.Mul(float32(w * math.Cos(angle)))).Add(v.Mul(float32(w * math.Sin(angle))))
			if !s.tree.Occluded(mid.Add(off), dir, s.far) {
				front += most
			}
			if !s.tree.Occluded(mid.Sub(off), dir.Mul(-1), s.far) {
				back += most
			}
		}
	}
	return back > sure*front
}

// middle returns a place within a face: the middle of the first of its triangles that has an area.
func (s *sky) middle(f int32) (mid vec.V) {
	face := s.m.Face(int(f))
	for k := 2; k < len(face); k++ {
		a, b, c := s.m.Positions[face[0].Pos], s.m.Positions[face[k-1].Pos], s.m.Positions[face[k].Pos]
		if mid = a.Add(b).Add(c).Mul(1.0 / 3); b.Sub(a).Cross(c.Sub(a)).Len() > 0 {
			break
		}
	}
	return mid
}

// reversed returns a mesh with some faces turned round; normals of the file that would lie on their backs then are turned too.
func reversed(m *mesh.Mesh, turn []bool) *mesh.Mesh {
	out := *m
	out.Corners = slices.Clone(m.Corners)
	out.Normals = slices.Clip(m.Normals)
	against := map[int32]int32{}
	for i, t := range turn {
		if !t {
			continue
		}
		f := out.Face(i)
		slices.Reverse(f)
		normal, _ := areaOf(&out, i)
		for k, c := range f {
			if c.Normal < 0 || out.Normals[c.Normal].Dot(normal) >= 0 {
				continue
			}
			to, ok := against[c.Normal]
			if !ok {
				to = int32(len(out.Normals))
				out.Normals = append(out.Normals, out.Normals[c.Normal].Mul(-1))
				against[c.Normal] = to
			}
			f[k].Normal = to
		}
	}
	return &out
}

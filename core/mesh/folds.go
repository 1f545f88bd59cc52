package mesh

import (
	"math"
	"slices"

	"mobanta/core/disjoint"
)

// foldLeast is how long a fold must be, with those that it goes on in, in parts of the model's diagonal: less is a crumb of a line.
const foldLeast = 0.03

// foldReach is over how many edges a fold is looked for between two faces, and folds are told of faces.
const foldReach = 4

// Folds are the edges of a surface that bend by more than an angle but end within it, so that both their sides are of one region:
// there a region's border does not tell of the crease. Where the normals of the file go over an edge smoothly nothing is folded: the
// polygons are few, and what they stand for is round.
type Folds struct {
	s      *Surface
	cosine float32
	sharp  []bool // by corner: whether the edge that it starts bends so, and is no fold too short
	near   []bool // by face: whether one of its edges, or of those near it, is a fold
	some   bool
}

// Folds returns the folds of the surface over an angle in degrees. What is returned is shared.
func (s *Surface) Folds(degrees float64) *Folds {
	regions := s.Regions(degrees)
	s.mu.Lock()
	defer s.mu.Unlock()
	if f, ok := s.folds[degrees]; ok {
		return f
	}
	t, m := s.topology, s.Mesh
	f := &Folds{s: s, cosine: float32(math.Cos(degrees*math.Pi/180)) - 1e-6, near: make([]bool, len(m.FaceEnd))}
	of := make([]int32, len(m.FaceEnd)) // face → its region
	for i, face := range s.TriFace {
		of[face] = regions[i]
	}
	var ring []int32
	add := func(face int32) {
		if !f.near[face] {
			f.near[face] = true
			ring = append(ring, face)
		}
	}
	f.sharp = make([]bool, len(m.Corners))
	var folds []int32 // the corner that starts each
	runs := disjoint.New(len(m.Positions))
	for c := range int32(len(m.Corners)) {
		q := t.mate[c]
		if q <= c || f.smooth(c) {
			continue
		}
		f.sharp[c], f.sharp[q] = true, true
		if a, b := t.faceOf[c], t.faceOf[q]; of[a] == of[b] && m.FacePart[a] == m.FacePart[b] {
			folds = append(folds, c)
			runs.Join(t.weld[m.Corners[c].Pos], t.weld[m.Corners[t.next[c]].Pos])
		}
	}
	long := map[int32]float32{}
	at := func(c int32) int32 { return runs.Find(t.weld[m.Corners[c].Pos]) }
	for _, c := range folds {
		long[at(c)] += m.Positions[m.Corners[c].Pos].Sub(m.Positions[m.Corners[t.next[c]].Pos]).Len()
	}
	for _, c := range folds {
		if long[at(c)] < foldLeast*s.Box.Diagonal() {
			f.sharp[c], f.sharp[t.mate[c]] = false, false
			continue
		}
		add(t.faceOf[c])
		add(t.faceOf[t.mate[c]])
	}
	f.some = len(ring) > 0
	for range foldReach {
		for _, face := range slices.Clone(ring) {
			for c := s.firstCorner(face); c < m.FaceEnd[face]; c++ {
				if q := t.mate[c]; q >= 0 {
					add(t.faceOf[q])
				}
			}
		}
	}
	if s.folds == nil || len(s.folds) >= 8 {
		s.folds = map[float64]*Folds{}
	}
	s.folds[degrees] = f
	return f
}

// round is the cosine of the angle up to which normals of the file at one corner are one.
const round = 0.95

// smooth tells whether the edge that starts at corner c, which has two faces, is no fold.
func (f *Folds) smooth(c int32) bool {
	t, m := f.s.topology, f.s.Mesh
	if t.smooth(m, c, f.cosine) {
		return true
	}
	q := t.mate[c]
	alike := func(a, b int32) bool {
		i, j := m.Corners[a].Normal, m.Corners[b].Normal
		return i >= 0 && j >= 0 && m.Normals[i].Dot(m.Normals[j]) > round
	}
	if t.weld[m.Corners[c].Pos] != t.weld[m.Corners[q].Pos] { // the faces run along it in opposite directions
		return alike(c, t.next[q]) && alike(t.next[c], q)
	}
	return alike(c, q) && alike(t.next[c], t.next[q])
}

// firstCorner returns the number of the first corner of a face.
func (s *Surface) firstCorner(face int32) int32 {
	if face == 0 {
		return 0
	}
	return s.Mesh.FaceEnd[face-1]
}

// Between tells whether a fold lies between two triangles of one region that are near each other: whether one comes from one to
// the other over few edges, and of those ways each over a fold.
func (f *Folds) Between(a, b int32) bool {
	from, to := f.s.TriFace[a], f.s.TriFace[b]
	if !f.some || from == to || !f.near[from] || !f.near[to] {
		return false
	}
	t, m := f.s.topology, f.s.Mesh
	type step struct {
		face   int32
		folded bool
	}
	// Round by round; a face that is reached without a fold after it was with one is looked at again.
	var room [96]step
	seen := append(room[:0], step{from, false})
	found := false
	for first, round := 0, 0; round < foldReach && first < len(seen); round++ {
		last := len(seen)
		for ; first < last; first++ {
			at := seen[first]
			for c := f.s.firstCorner(at.face); c < m.FaceEnd[at.face]; c++ {
				q := t.mate[c]
				if q < 0 {
					continue
				}
				next := step{t.faceOf[q], at.folded || f.sharp[c]}
				if m.FacePart[next.face] != m.FacePart[from] {
					continue
				}
				if next.face == to {
					if !next.folded {
						return false
					}
					found = true
					continue
				}
				if len(seen) == cap(seen) {
					return found
				}
				if !slices.ContainsFunc(seen, func(s step) bool { return s.face == next.face && (!s.folded || next.folded) }) {
					seen = append(seen, next)
				}
			}
		}
	}
	return found
}

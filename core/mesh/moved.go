package mesh

import (
	"math"

	"mobanta/core/vec"
)

// maxKept limits what is kept of a surface by Keep.
const maxKept = 8

// kept is what is remembered with a surface.
type kept struct {
	key  string
	made any
}

// Keep returns what was made of the surface under a key before, or makes it. Only what
// was asked for last is remembered, and only as long as the surface itself.
func (s *Surface) Keep(key string, make func() (any, error)) (any, error) {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	for i, k := range s.kept {
		if k.key == key {
			copy(s.kept[1:i+1], s.kept[:i])
			s.kept[0] = k
			return k.made, nil
		}
	}
	made, err := make()
	if err != nil {
		return nil, err
	}
	s.kept = append([]kept{{key, made}}, s.kept[:min(len(s.kept), maxKept-1)]...)
	return made, nil
}

// Always returns what was made of the surface under a key before, or makes it: what depends on the surface alone is kept
// as long as the surface itself.
func (s *Surface) Always(key string, make func() any) any {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	if s.always == nil {
		s.always = map[string]any{}
	}
	if s.always[key] == nil {
		s.always[key] = make()
	}
	return s.always[key]
}

// welded returns for each vertex the first vertex that stood at its place at rest.
func (s *Surface) welded() []int32 {
	s.weldOnce.Do(func() { s.weld = Weld(s.Pos) })
	return s.weld
}

// Together returns places of the vertices in which those that stood at one place at rest
// stand at one place, the mean of theirs: seams of texture coordinates and creases, where
// a place has several vertices, are not torn.
func (s *Surface) Together(pos []vec.V) []vec.V {
	weld := s.welded()
	sum, n := make([]vec.V, len(pos)), make([]float32, len(pos))
	apart := false
	for i, p := range pos {
		w := weld[i]
		sum[w], n[w] = sum[w].Add(p), n[w]+1
		apart = apart || p != pos[w]
	}
	if !apart {
		return pos
	}
	out := make([]vec.V, len(pos))
	for i := range pos {
		w := weld[i]
		out[i] = sum[w].Mul(1 / n[w])
	}
	return out
}

// Stand returns the places of the vertices when the positions of the mesh as its file has it are elsewhere: before it is
// subdivided. It returns nil for positions of another mesh.
func (s *Surface) Stand(pos []vec.V) []vec.V {
	if s.rough != nil {
		if len(pos) != len(s.rough.mesh.Positions) {
			return nil
		}
		pos = s.rough.at(pos)
	}
	if len(pos) != len(s.Mesh.Positions) {
		return nil
	}
	out := make([]vec.V, len(s.of))
	for v, p := range s.of {
		out[v] = pos[p]
	}
	return out
}

// Positions returns how many positions Stand takes.
func (s *Surface) Positions() int {
	if s.rough != nil {
		return len(s.rough.mesh.Positions)
	}
	return len(s.Mesh.Positions)
}

// smoothed returns for each vertex the number of those that it is smooth together with, also across seams, and how many
// numbers there are: they stand at one place and share a normal at rest.
func (s *Surface) smoothed() ([]int32, int32) {
	weld := s.welded()
	s.joinOnce.Do(func() {
		type at struct {
			weld   int32
			normal vec.V
		}
		seen := make(map[at]int32, len(weld))
		s.join = make([]int32, len(weld))
		for v := range s.join {
			k := at{weld[v], s.Normal[v]}
			n, ok := seen[k]
			if !ok {
				n = int32(len(seen))
				seen[k] = n
			}
			s.join[v] = n
		}
		s.joins = int32(len(seen))
	})
	return s.join, s.joins
}

// NormalsAt returns the normals of the vertices once they stand at other places. What
// was smooth at rest is smooth, also across seams; what was a crease is one. Where
// nothing can be said a normal stays as it was.
func (s *Surface) NormalsAt(pos []vec.V) []vec.V {
	join, n := s.smoothed()
	sum := make([]vec.V, n)
	for _, t := range s.Tri {
		var e [3]vec.V // its sides, from each corner to the next
		for k := range 3 {
			e[k] = pos[t[(k+1)%3]].Sub(pos[t[k]]).Unit()
		}
		n := pos[t[1]].Sub(pos[t[0]]).Cross(pos[t[2]].Sub(pos[t[0]])).Unit()
		if n == (vec.V{}) {
			continue
		}
		for k := range 3 { // weighted by the angle at the corner (Thürmer and Wüthrich 1998)
			at := join[t[k]]
			sum[at] = sum[at].Add(n.Mul(angle(e[k], e[(k+2)%3].Mul(-1))))
		}
	}
	out := make([]vec.V, len(pos))
	for i := range pos {
		if out[i] = sum[join[i]].Unit(); out[i] == (vec.V{}) {
			out[i] = s.Normal[i]
		}
	}
	return out
}

// angle returns the angle between two unit vectors.
func angle(a, b vec.V) float32 { return float32(math.Acos(float64(max(-1, min(1, a.Dot(b)))))) }

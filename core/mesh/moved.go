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

// welded returns for each vertex the first vertex that stood at its place at rest.
func (s *Surface) welded() []int32 {
	s.weldOnce.Do(func() { s.weld = weld(s.Pos) })
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

// NormalsAt returns the normals of the vertices once they stand at other places. What
// was smooth at rest is smooth, also across seams; what was a crease is one. Where
// nothing can be said a normal stays as it was.
func (s *Surface) NormalsAt(pos []vec.V) []vec.V {
	type at struct {
		weld   int32
		normal vec.V
	}
	weld := s.welded()
	sum := make(map[at]vec.V, len(pos))
	key := func(v int32) at { return at{weld[v], s.Normal[v]} } // vertices that were smooth together share a normal
	for _, t := range s.Tri {
		for k := range 3 {
			a, b, c := pos[t[k]], pos[t[(k+1)%3]], pos[t[(k+2)%3]]
			u, v := b.Sub(a).Unit(), c.Sub(a).Unit()
			n := u.Cross(v)
			if l := n.Len(); l > 0 { // weighted by the angle at the corner (Thürmer and Wüthrich 1998)
				key := key(t[k])
				sum[key] = sum[key].Add(n.Mul(angle(u, v) / l))
			}
		}
	}
	out := make([]vec.V, len(pos))
	for i := range pos {
		if out[i] = sum[key(int32(i))].Unit(); out[i] == (vec.V{}) {
			out[i] = s.Normal[i]
		}
	}
	return out
}

// angle returns the angle between two unit vectors.
func angle(a, b vec.V) float32 { return float32(math.Acos(float64(max(-1, min(1, a.Dot(b)))))) }

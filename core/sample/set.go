package sample

import (
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Attr is a set of attributes of a sample.
type Attr uint8

// The attributes that a set can hold besides its pixel and triangle.
const (
	Pos    Attr = 1 << iota // place, world space
	Normal                  // smooth unit normal, world space, turned to the eye's side of the surface
	Flat                    // unit normal of the triangle, likewise
	Eye                     // unit direction to the eye
	UV                      // texture coordinates, 0,0 where the model has none
)

// Set is a struct of arrays of surface points. All arrays that are present have
// length N; those of attributes that nobody asked for are nil.
type Set struct {
	N     int
	View  stage.View
	At    [2]float32 // place within the pixel
	Pixel []int32    // row × width + column
	Tri   []int32
	Part  []int32 // index into the scene's parts
	Has   Attr
	Pos   [3][]float32
	Norm  [3][]float32
	Flat  [3][]float32
	Eye   [3][]float32
	UV    [2][]float32

	geo *stage.Geometry
}

// Select returns one set of samples for each group: the pixels of vis that keep
// tells to keep (all, if keep is nil), sorted by the group of their part. Parts
// with a group below 0 are left out. Samples are in the order of their pixels.
func Select(vis *Visibility, scene *stage.Scene, view stage.View, groups int, group []int, keep func(pixel int32) bool) []*Set {
	counts := make([]int, groups)
	each := func(f func(g int, i, t, part int32)) {
		for i, t := range vis.Tri {
			if t < 0 || keep != nil && !keep(int32(i)) {
				continue
			}
			part := scene.TriPart[t]
			if g := group[part]; g >= 0 {
				f(g, int32(i), t, part)
			}
		}
	}
	each(func(g int, _, _, _ int32) { counts[g]++ })
	out := make([]*Set, groups)
	for g, n := range counts {
		out[g] = &Set{View: view, At: vis.Jitter, geo: scene.Geometry,
			Pixel: make([]int32, 0, n), Tri: make([]int32, 0, n), Part: make([]int32, 0, n)}
	}
	each(func(g int, i, t, part int32) {
		s := out[g]
		s.Pixel, s.Tri, s.Part = append(s.Pixel, i), append(s.Tri, t), append(s.Part, part)
	})
	for _, s := range out {
		s.N = len(s.Pixel)
	}
	return out
}

const resolveBatch = 4096

// Resolve fills in the attributes that s does not have yet, on up to workers cores.
func (s *Set) Resolve(want Attr, workers int) {
	want &^= s.Has
	if want == 0 {
		return
	}
	s.Has |= want
	grow := func(a Attr, planes ...*[]float32) {
		if want&a != 0 {
			for _, p := range planes {
				*p = make([]float32, s.N)
			}
		}
	}
	grow(Pos, &s.Pos[0], &s.Pos[1], &s.Pos[2])
	grow(Normal, &s.Norm[0], &s.Norm[1], &s.Norm[2])
	grow(Flat, &s.Flat[0], &s.Flat[1], &s.Flat[2])
	grow(Eye, &s.Eye[0], &s.Eye[1], &s.Eye[2])
	grow(UV, &s.UV[0], &s.UV[1])
	Parallel(workers, (s.N+resolveBatch-1)/resolveBatch, func(job int) {
		for i := job * resolveBatch; i < min(s.N, (job+1)*resolveBatch); i++ {
			s.resolve(i, want)
		}
	})
}

func (s *Set) resolve(i int, want Attr) {
	g := s.geo
	px := s.Pixel[i]
	x, y := float32(px%int32(s.View.W))+s.At[0], float32(px/int32(s.View.W))+s.At[1]
	origin, dir := s.View.Ray(x, y)
	if want&Eye != 0 {
		for k := range 3 {
			s.Eye[k][i] = -dir[k]
		}
	}
	if want == Eye {
		return
	}
	t := g.Tri[s.Tri[i]]
	a, b, c := g.Pos[t[0]], g.Pos[t[1]], g.Pos[t[2]]
	u, v, back := barycentric(origin, dir, a, b, c)
	w := 1 - u - v
	if want&Pos != 0 {
		for k := range 3 {
			s.Pos[k][i] = a[k]*w + b[k]*u + c[k]*v
		}
	}
	side := float32(1)
	if back {
		side = -1
	}
	if want&Normal != 0 {
		n := g.Normal[t[0]].Mul(w).Add(g.Normal[t[1]].Mul(u)).Add(g.Normal[t[2]].Mul(v)).Unit()
		if n == (vec.V{}) {
			n = g.FlatNormal(s.Tri[i])
		}
		for k := range 3 {
			s.Norm[k][i] = n[k] * side
		}
	}
	if want&Flat != 0 {
		n := g.FlatNormal(s.Tri[i])
		for k := range 3 {
			s.Flat[k][i] = n[k] * side
		}
	}
	if want&UV != 0 {
		for k := range 2 {
			s.UV[k][i] = g.UV[t[0]][k]*w + g.UV[t[1]][k]*u + g.UV[t[2]][k]*v
		}
	}
}

// barycentric returns the weights of b and c where the ray meets the plane of
// the triangle (Möller and Trumbore 1997), kept within the triangle; back tells
// that the ray meets its back.
func barycentric(origin, dir, a, b, c vec.V) (u, v float32, back bool) {
	e1, e2 := b.Sub(a), c.Sub(a)
	p := dir.Cross(e2)
	det := e1.Dot(p)
	if det == 0 || det-det != 0 {
		return 1.0 / 3, 1.0 / 3, false
	}
	s := origin.Sub(a)
	u = s.Dot(p) / det
	v = dir.Dot(s.Cross(e1)) / det
	// Samples that a snapped edge let in lie a hair outside.
	u, v = max(0, min(1, u)), max(0, min(1, v))
	if u != u || v != v {
		return 1.0 / 3, 1.0 / 3, false
	}
	if sum := u + v; sum > 1 {
		u, v = u/sum, v/sum
	}
	return u, v, det < 0
}

// NormalAt returns the smooth normal and the place of the point seen at a pixel
// of vis; ok is false where there is none.
func NormalAt(vis *Visibility, scene *stage.Scene, view stage.View, x, y int) (normal, place, eye vec.V, ok bool) {
	if x < 0 || y < 0 || x >= vis.W || y >= vis.H || vis.Tri[y*vis.W+x] < 0 {
		return
	}
	i := int32(y*vis.W + x)
	s := &Set{N: 1, View: view, At: vis.Jitter, Pixel: []int32{i}, Tri: []int32{vis.Tri[i]}, geo: scene.Geometry}
	s.Resolve(Pos|Normal|Eye, 1)
	at := func(p [3][]float32) vec.V { return vec.V{p[0][0], p[1][0], p[2][0]} }
	return at(s.Norm), at(s.Pos), at(s.Eye), true
}

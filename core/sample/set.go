package sample

import (
	"sync"

	"mobanta/core/parallel"
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

	// Base is the set of the same parts as the first position in each pixel saw
	// them; nil for that set itself, and for those that have nothing to do with one.
	Base *Set
	// Level tells how well what is found by chance is to be known: 0 for a first
	// picture, 1 for one that has settled.
	Level int

	geo *stage.Geometry

	mu    sync.Mutex
	found map[string]*Found
	grid  *Grid
	whole *Set    // that this one was picked from
	from  []int32 // which of its samples
}

// Found is what has been found out by rays at the samples of a set.
type Found struct {
	Level  int
	Planes [][]float32 // each of length N
}

// maxFound limits what is kept of a set: lights that have moved on leave theirs.
const maxFound = 24

// Found returns what was kept under a name, nil for nothing. A set that was
// picked from another takes part in what the other has.
func (s *Set) Found(name string) *Found {
	s.mu.Lock()
	f, whole := s.found[name], s.whole
	s.mu.Unlock()
	if whole == nil {
		return f
	}
	all := whole.Found(name)
	if all == nil || f != nil && f.Level >= all.Level {
		return f
	}
	f = &Found{Level: all.Level, Planes: make([][]float32, len(all.Planes))}
	for k, p := range all.Planes {
		f.Planes[k] = make([]float32, s.N)
		for i, at := range s.from {
			f.Planes[k][i] = p[at]
		}
	}
	s.Keep(name, f)
	return f
}

// Keep keeps what has been found out under a name.
func (s *Set) Keep(name string, f *Found) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.found == nil || len(s.found) >= maxFound {
		s.found = map[string]*Found{}
	}
	s.found[name] = f
}

// Grid tells which sample lies at a pixel.
type Grid struct {
	x0, y0, w, h int
	at           []int32
}

// Grid returns the grid of a set that has at most one sample in each pixel.
func (s *Set) Grid() *Grid {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.grid != nil {
		return s.grid
	}
	g := &Grid{x0: s.View.W, y0: s.View.H}
	x1, y1 := 0, 0
	for _, p := range s.Pixel {
		x, y := int(p)%s.View.W, int(p)/s.View.W
		g.x0, g.y0, x1, y1 = min(g.x0, x), min(g.y0, y), max(x1, x+1), max(y1, y+1)
	}
	g.w, g.h = max(0, x1-g.x0), max(0, y1-g.y0)
	g.at = make([]int32, g.w*g.h)
	for i := range g.at {
		g.at[i] = -1
	}
	for i, p := range s.Pixel {
		g.at[(int(p)/s.View.W-g.y0)*g.w+int(p)%s.View.W-g.x0] = int32(i)
	}
	s.grid = g
	return g
}

// At returns the sample at a pixel, -1 if there is none.
func (g *Grid) At(x, y int) int32 {
	if x -= g.x0; x < 0 || x >= g.w {
		return -1
	}
	if y -= g.y0; y < 0 || y >= g.h {
		return -1
	}
	return g.at[y*g.w+x]
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

// Pick returns the set of some of the samples, in the order given; one may be
// picked more than once.
func (s *Set) Pick(samples []int32) *Set {
	out := &Set{View: s.View, At: s.At, geo: s.geo, N: len(samples), Level: s.Level, whole: s, from: samples,
		Pixel: make([]int32, len(samples)), Tri: make([]int32, len(samples)), Part: make([]int32, len(samples))}
	for i, k := range samples {
		out.Pixel[i], out.Tri[i], out.Part[i] = s.Pixel[k], s.Tri[k], s.Part[k]
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
	parallel.Do(workers, (s.N+resolveBatch-1)/resolveBatch, func(job int) {
		for i := job * resolveBatch; i < min(s.N, (job+1)*resolveBatch); i++ {
			s.resolve(i, want)
		}
	})
}

// resolve works in scalars throughout: small arrays would go through memory.
func (s *Set) resolve(i int, want Attr) {
	g, view := s.geo, &s.View
	px := s.Pixel[i]
	w := int32(view.W)
	sx := (float32(px%w) + s.At[0] - float32(view.W)/2) / view.Scale
	sy := (float32(view.H)/2 - float32(px/w) - s.At[1]) / view.Scale
	dx := view.Right[0]*sx + view.Up[0]*sy
	dy := view.Right[1]*sx + view.Up[1]*sy
	dz := view.Right[2]*sx + view.Up[2]*sy
	ox, oy, oz := view.Eye[0], view.Eye[1], view.Eye[2]
	if view.Ortho {
		ox, oy, oz = ox+dx, oy+dy, oz+dz
		dx, dy, dz = -view.Back[0], -view.Back[1], -view.Back[2]
	} else {
		dx, dy, dz = dx-view.Back[0], dy-view.Back[1], dz-view.Back[2]
		l := 1 / vec.Sqrt(dx*dx+dy*dy+dz*dz)
		dx, dy, dz = dx*l, dy*l, dz*l
	}
	if want&Eye != 0 {
		s.Eye[0][i], s.Eye[1][i], s.Eye[2][i] = -dx, -dy, -dz
	}
	if want == Eye {
		return
	}
	t := &g.Tri[s.Tri[i]]
	a, b, c := &g.Pos[t[0]], &g.Pos[t[1]], &g.Pos[t[2]]
	// Where the ray meets the plane of the triangle (Möller and Trumbore 1997).
	ax, ay, az := a[0], a[1], a[2]
	e1x, e1y, e1z := b[0]-ax, b[1]-ay, b[2]-az
	e2x, e2y, e2z := c[0]-ax, c[1]-ay, c[2]-az
	qx, qy, qz := dy*e2z-dz*e2y, dz*e2x-dx*e2z, dx*e2y-dy*e2x
	det := e1x*qx + e1y*qy + e1z*qz
	inv := 1 / det
	rx, ry, rz := ox-ax, oy-ay, oz-az
	u := (rx*qx + ry*qy + rz*qz) * inv
	kx, ky, kz := ry*e1z-rz*e1y, rz*e1x-rx*e1z, rx*e1y-ry*e1x
	v := (dx*kx + dy*ky + dz*kz) * inv
	u, v = within(u, v)
	if want&Pos != 0 {
		s.Pos[0][i], s.Pos[1][i], s.Pos[2][i] = ax+e1x*u+e2x*v, ay+e1y*u+e2y*v, az+e1z*u+e2z*v
	}
	side := float32(1)
	if det < 0 { // the ray meets the back
		side = -1
	}
	if want&Normal != 0 {
		m := 1 - u - v
		na, nb, nc := &g.Normal[t[0]], &g.Normal[t[1]], &g.Normal[t[2]]
		nx := na[0]*m + nb[0]*u + nc[0]*v
		ny := na[1]*m + nb[1]*u + nc[1]*v
		nz := na[2]*m + nb[2]*u + nc[2]*v
		if l := nx*nx + ny*ny + nz*nz; l > 1e-12 {
			l = side / vec.Sqrt(l)
			s.Norm[0][i], s.Norm[1][i], s.Norm[2][i] = nx*l, ny*l, nz*l
		} else {
			n := g.FlatNormal(s.Tri[i])
			s.Norm[0][i], s.Norm[1][i], s.Norm[2][i] = n[0]*side, n[1]*side, n[2]*side
		}
	}
	if want&Flat != 0 {
		n := g.FlatNormal(s.Tri[i])
		s.Flat[0][i], s.Flat[1][i], s.Flat[2][i] = n[0]*side, n[1]*side, n[2]*side
	}
	if want&UV != 0 {
		m := 1 - u - v
		for k := range 2 {
			s.UV[k][i] = g.UV[t[0]][k]*m + g.UV[t[1]][k]*u + g.UV[t[2]][k]*v
		}
	}
}

// within keeps barycentric weights inside the triangle: samples that a snapped
// edge let in lie a hair outside, and a triangle seen edge on has no place.
func within(u, v float32) (float32, float32) {
	if !(u >= 0) {
		u = 0
	}
	if !(v >= 0) {
		v = 0
	}
	if sum := u + v; sum > 1 {
		if sum-sum != 0 {
			return 1.0 / 3, 1.0 / 3
		}
		u, v = u/sum, v/sum
	}
	return u, v
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

// Picked returns the set that s was picked from, nil if it was not.
func (s *Set) Picked() *Set { return s.whole }

package sample

import (
	"sync"

	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Attr is a set of attributes of points.
type Attr uint16

// The attributes that points can have besides their triangle. Any goroutine may
// resolve them, at any time before it reads them, through Points.Resolve; while
// kernels run they only read. From what each is made, and what it is where there is
// nothing to make it from, stands beside it.
const (
	Weights Attr = 1 << iota // barycentric weights of the second and third corner, and the side that is seen; from where the points came from
	Pos                      // place, world space; from the weights
	Normal                   // smooth unit normal, world space, turned to the side that is seen; from the weights
	Flat                     // unit normal of the triangle, likewise; from the triangle
	Eye                      // unit direction to the eye; from the view. Without one the eye looks straight at each point
	UV                       // texture coordinates; from the weights, 0,0 where the model has none. Seen from a side: the place across it
	Page                     // place on the page in picture heights from its lower left corner; from the pixel, or the place as the view shows it; 0,0 without a view
	Foot                     // length on the surface, in world units, of one step of the pixels or texels that the points came from; 0 for points that cover nothing
	Rest                     // place in the model's own space at rest; from the weights. Not there where nothing has moved: then it follows from the place
	Part                     // which part the point is on: always there
)

// before tells what else must be known to resolve an attribute.
var before = [...]struct{ attr, needs Attr }{
	{Pos, Weights}, {Normal, Weights | Eye}, {Flat, Weights}, {UV, Weights}, {Rest, Weights}, {Page, Weights | Pos}, {Foot, Weights | Pos | Flat | Eye},
}

// Points are points on the surfaces of a scene, as a struct of arrays. All arrays
// that are present have length N; those of attributes that nobody asked for are nil.
type Points struct {
	N       int
	View    stage.View // from where they are looked at; of no width if from nowhere
	Tri     []int32
	PartOf  []int32      // index into the scene's parts
	Weights [2][]float32 // of the triangle's second and third corner; of points that were shifted they may lie outside 0..1
	Back    []bool       // whether the triangle's back is seen; with Weights
	Pos     [3][]float32
	Norm    [3][]float32
	Flat    [3][]float32
	Eye     [3][]float32
	UV      [2][]float32
	Page    [2][]float32
	Foot    []float32
	Rest    [3][]float32 // nil where the geometry has not moved

	geo    *stage.Geometry
	origin origin

	mu       sync.Mutex
	has      Attr
	grid     *Grid
	variants map[Variant]*Points
}

// origin is where points came from.
type origin interface {
	// ready makes ready what the points themselves, or others that they depend on, must
	// know before attributes are resolved.
	ready(p *Points, want Attr, workers int)
	// place returns, for the points from lo up to hi, their weights and sides.
	place(p *Points, lo, hi int)
	// page tells where on the page point i lies, in picture heights; ok is false
	// where that follows from its place in space.
	page(p *Points, i int) (x, y float32, ok bool)
	// foot returns the length of one step at point i, whose attributes are there.
	foot(p *Points, i int) float32
	// chance returns two numbers for point i, from 0 up to 1, which move by fixed
	// steps from one point to the next, so that neighbours fill in for each other.
	chance(p *Points, i int) (u, v float32)
	// pick returns the origin of some of the points.
	pick(points []int32) origin
}

// Sees tells whether the points are looked at from somewhere.
func (p *Points) Sees() bool { return p.View.W > 0 }

// Chance returns two numbers for point i, each from 0 up to 1: where in the unit
// square the rays that are sent from it begin.
func (p *Points) Chance(i int) (u, v float32) { return p.origin.chance(p, i) }

// Pick returns some of the points, in the order given; one may be picked more than
// once. Pixels picked from pixels are on the same grid, but do not fill it.
func (p *Points) Pick(points []int32) *Points {
	n := len(points)
	out := &Points{View: p.View, geo: p.geo, N: n, origin: p.origin.pick(points), Tri: make([]int32, n), PartOf: make([]int32, n)}
	for i, k := range points {
		out.Tri[i], out.PartOf[i] = p.Tri[k], p.PartOf[k]
	}
	if p.Pixels() == nil { // weights that only the whole knows
		p.Resolve(Weights, 1)
		out.has = Weights
		out.Weights, out.Back = [2][]float32{make([]float32, n), make([]float32, n)}, make([]bool, n)
		for i, k := range points {
			out.Weights[0][i], out.Weights[1][i], out.Back[i] = p.Weights[0][k], p.Weights[1][k], p.Back[k]
		}
	}
	return out
}

// Bytes returns how much memory the points take.
func (p *Points) Bytes() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	n := 4*(len(p.Tri)+len(p.PartOf)+len(p.Weights[0])+len(p.Weights[1])+len(p.UV[0])+len(p.UV[1])+len(p.Page[0])+len(p.Page[1])+len(p.Foot)) + len(p.Back)
	for _, a := range [...]*[3][]float32{&p.Pos, &p.Norm, &p.Flat, &p.Eye, &p.Rest} {
		n += 4 * (len(a[0]) + len(a[1]) + len(a[2]))
	}
	if o, ok := p.origin.(*Pixels); ok {
		n += 4 * (len(o.Pixel) + len(o.own[0]) + len(o.own[1]))
	}
	if p.grid != nil {
		n += 4 * len(p.grid.at)
	}
	for _, v := range p.variants {
		n += v.Bytes()
	}
	return n
}

// Forget lets go of attributes that can be resolved anew.
func (p *Points) Forget() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if _, ok := p.origin.(*Pixels); !ok {
		return // they may be all that is known of the points
	}
	p.has, p.grid, p.variants = 0, nil, nil
	p.Weights, p.Back, p.UV, p.Page, p.Foot = [2][]float32{}, nil, [2][]float32{}, [2][]float32{}, nil
	p.Pos, p.Norm, p.Flat, p.Eye, p.Rest = [3][]float32{}, [3][]float32{}, [3][]float32{}, [3][]float32{}, [3][]float32{}
}

const resolveBatch = 4096

// Resolve fills in the attributes that p does not have yet, on up to workers cores.
func (p *Points) Resolve(want Attr, workers int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, b := range before {
		if want&^p.has&b.attr != 0 {
			want |= b.needs
		}
	}
	want &^= p.has | Part
	if want == 0 {
		return
	}
	p.origin.ready(p, want, workers)
	p.has |= want
	if o, ok := p.origin.(*fromSide); ok {
		if want&UV != 0 {
			p.UV = o.across(p, workers)
		}
		return
	}
	grow := func(a Attr, planes ...*[]float32) {
		if want&a != 0 {
			for _, q := range planes {
				*q = make([]float32, p.N)
			}
		}
	}
	if want&Weights != 0 && p.Weights[0] == nil {
		grow(Weights, &p.Weights[0], &p.Weights[1])
		p.Back = make([]bool, p.N)
	}
	grow(Pos, &p.Pos[0], &p.Pos[1], &p.Pos[2])
	grow(Normal, &p.Norm[0], &p.Norm[1], &p.Norm[2])
	grow(Flat, &p.Flat[0], &p.Flat[1], &p.Flat[2])
	grow(Eye, &p.Eye[0], &p.Eye[1], &p.Eye[2])
	grow(UV, &p.UV[0], &p.UV[1])
	grow(Page, &p.Page[0], &p.Page[1])
	grow(Foot, &p.Foot)
	if p.geo.Moved {
		grow(Rest, &p.Rest[0], &p.Rest[1], &p.Rest[2])
	}
	parallel.Do(workers, (p.N+resolveBatch-1)/resolveBatch, func(job int) {
		lo, hi := job*resolveBatch, min(p.N, (job+1)*resolveBatch)
		if want&(Weights|Eye) != 0 {
			if o, ok := p.origin.(*Pixels); ok {
				o.look(p, want, lo, hi)
			} else {
				p.place(want, lo, hi)
			}
		}
		if rest := want &^ (Weights | Eye); rest != 0 {
			for i := lo; i < hi; i++ {
				p.resolve(i, rest)
			}
		}
	})
}

// place finds weights and directions to the eye of points that are no pixels.
func (p *Points) place(want Attr, lo, hi int) {
	if want&Weights != 0 {
		p.origin.place(p, lo, hi)
	}
	if want&Eye == 0 {
		return
	}
	for i := lo; i < hi; i++ {
		e := p.towards(i)
		p.Eye[0][i], p.Eye[1][i], p.Eye[2][i] = e[0], e[1], e[2]
	}
}

// towards returns the direction from point i to the eye.
func (p *Points) towards(i int) vec.V {
	switch {
	case !p.Sees():
		return p.geo.FlatNormal(p.Tri[i])
	case p.View.Ortho:
		return p.View.Back
	}
	return p.View.Eye.Sub(p.at(i)).Unit()
}

// at returns the place of point i, whose weights are known.
func (p *Points) at(i int) vec.V {
	t := &p.geo.Tri[p.Tri[i]]
	a := p.geo.Pos[t[0]]
	return a.Add(p.geo.Pos[t[1]].Sub(a).Mul(p.Weights[0][i])).Add(p.geo.Pos[t[2]].Sub(a).Mul(p.Weights[1][i]))
}

// resolve works out attributes of a point whose weights are known. It works in
// scalars throughout: small arrays would go through memory.
func (p *Points) resolve(i int, want Attr) {
	g := p.geo
	t := &g.Tri[p.Tri[i]]
	u, v := p.Weights[0][i], p.Weights[1][i]
	if want&Pos != 0 {
		a, b, c := &g.Pos[t[0]], &g.Pos[t[1]], &g.Pos[t[2]]
		ax, ay, az := a[0], a[1], a[2]
		p.Pos[0][i], p.Pos[1][i], p.Pos[2][i] = ax+(b[0]-ax)*u+(c[0]-ax)*v, ay+(b[1]-ay)*u+(c[1]-ay)*v, az+(b[2]-az)*u+(c[2]-az)*v
	}
	side := float32(1)
	if p.Back[i] {
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
			p.Norm[0][i], p.Norm[1][i], p.Norm[2][i] = nx*l, ny*l, nz*l
		} else {
			n := g.FlatNormal(p.Tri[i])
			p.Norm[0][i], p.Norm[1][i], p.Norm[2][i] = n[0]*side, n[1]*side, n[2]*side
		}
	}
	if want&Flat != 0 {
		n := g.FlatNormal(p.Tri[i])
		p.Flat[0][i], p.Flat[1][i], p.Flat[2][i] = n[0]*side, n[1]*side, n[2]*side
	}
	if want&UV != 0 {
		m := 1 - u - v
		for k := range 2 {
			p.UV[k][i] = g.UV[t[0]][k]*m + g.UV[t[1]][k]*u + g.UV[t[2]][k]*v
		}
	}
	if want&Rest != 0 && g.Moved {
		q := p.rest(i, &g.Models[p.model(i)])
		p.Rest[0][i], p.Rest[1][i], p.Rest[2][i] = q[0], q[1], q[2]
	}
	if want&Page != 0 {
		p.Page[0][i], p.Page[1][i] = p.paged(i)
	}
	if want&Foot != 0 {
		p.Foot[i] = p.origin.foot(p, i)
	}
}

// paged returns the place of point i on the page.
func (p *Points) paged(i int) (x, y float32) {
	if x, y, ok := p.origin.page(p, i); ok || !p.Sees() {
		return x, y
	}
	q := p.View.Camera(vec.V{p.Pos[0][i], p.Pos[1][i], p.Pos[2][i]})
	if !p.View.Ortho && q[2] < p.View.Near {
		return 0, 0
	}
	px, py, _ := p.View.Project(q)
	h := float32(p.View.H)
	return px / h, 1 - py/h
}

// clampWeights keeps barycentric weights inside the triangle: samples that a snapped
// edge let in lie a hair outside, and a triangle seen edge on has no place.
func clampWeights(u, v float32) (float32, float32) {
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

// Corners returns the vertices of the triangle that point i lies on, by their numbers in
// the surface of its model, and its weights there. They are known.
func (p *Points) Corners(i int) (v [3]int32, w [3]float32) {
	t, first := &p.geo.Tri[p.Tri[i]], int32(p.geo.Models[p.model(i)].FirstVertex)
	a, b := p.Weights[0][i], p.Weights[1][i]
	return [3]int32{t[0] - first, t[1] - first, t[2] - first}, [3]float32{1 - a - b, a, b}
}

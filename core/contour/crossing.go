package contour

import (
	"math"
	"slices"
	"sync/atomic"

	"mobanta/core/parallel"
	"mobanta/core/vec"
)

// cut is where two triangles cut through each other: a straight piece that lies on both.
type cut struct {
	tri    [2]int32
	p      [2]vec.V
	edge   int32            // of one triangle that lies in the other's plane; -1 for none
	node   [2]int32         // the numbers of its ends, which others share
	normal [2]vec.V         // of both surfaces in its middle
	w      [2][2][2]float32 // of both triangles, at both ends: weights
	lift   float32          // see node
	within float32
}

// cuts are all that there are, with what does not depend on the eye.
type cuts struct {
	all   []cut
	nodes int
}

// crossings adds the pieces along which surfaces cut through each other that do not hang together: where
// one folds into itself there is nothing that a hand would draw. They depend on the geometry alone and are
// kept with it.
func (f *finder) crossings(workers int) {
	found := f.geo.Keep("cuts", func() any { return f.Mesh.findCuts(workers) }).(*cuts)
	number := make([]int32, found.nodes) // of each node, and one more
	for i := range found.all {
		c := &found.all[i]
		if c.edge >= 0 && !f.edges[c.edge].smooth {
			continue // what stands on something ends there anyway
		}
		// The surface that faces the eye has the line; the first if both do.
		best, open := -1, vec.V{}
		bestFaces := false
		d := toEye(f.view, c.p[0].Mix(c.p[1], 0.5))
		for s, t := range c.tri {
			faces := c.normal[s].Dot(d) > 0
			if faces {
				open = open.Add(c.normal[s])
			}
			if f.want.On[f.geo.TriPart[t]] && (best < 0 || faces && !bestFaces) {
				best, bestFaces = s, faces
			}
		}
		if best < 0 {
			continue
		}
		t := c.tri[best]
		p := piece{kind: Crossing, part: f.geo.TriPart[t], tri: t, whole: [2]int32{f.wholeOf(c.tri[0]), f.wholeOf(c.tri[1])}, w: c.w[best]}
		for k, at := range c.node {
			if number[at] == 0 {
				number[at] = f.add(c.p[k], vec.V{}, c.lift, true) + 1
			}
			n := &f.nodes[number[at]-1]
			n.n, n.within = n.n.Add(open), max(n.within, c.within)
			p.end[k] = number[at] - 1
		}
		if p.end[0] != p.end[1] {
			f.pieces = append(f.pieces, p)
		}
	}
}

// findCuts finds all cuts.
func (m *Mesh) findCuts(workers int) *cuts {
	out := &cuts{all: m.cuts(workers)}
	places := welder{at: map[[3]int64]int32{}, cell: 4e-6 * float64(m.geo.Size)}
	for i := range out.all {
		c := &out.all[i]
		for k := range 2 {
			n, ok := places.find(c.p[k], int32(out.nodes))
			if !ok {
				out.nodes++
			}
			c.node[k] = n
		}
		middle := c.p[0].Mix(c.p[1], 0.5)
		for s, t := range c.tri {
			v, w := m.geo.Tri[t], m.weightsAt(t, middle)
			c.normal[s] = m.normal[v[0]].Mul(1 - w[0] - w[1]).Add(m.normal[v[1]].Mul(w[0])).Add(m.normal[v[2]].Mul(w[1])).Unit()
			for k := range 2 {
				c.w[s][k] = m.weightsAt(t, c.p[k])
			}
			bow := m.bow(t)
			c.lift, c.within = max(c.lift, 0.2*bow+1e-4*m.geo.Size), max(c.within, 1.5*bow)
		}
		c.lift = min(c.lift, 0.01*m.geo.Size)
	}
	return out
}

// bow returns how far a triangle bends, as its normals say: the largest product of a side's length and of
// the angle by which the normals at its ends differ. An eighth of it lies between the face and the surface.
func (m *Mesh) bow(t int32) (bow float32) {
	v := m.geo.Tri[t]
	for k := range 3 {
		a, b := v[k], v[(k+1)%3]
		n, d := m.normal[a].Sub(m.normal[b]), m.geo.Pos[a].Sub(m.geo.Pos[b])
		if square := n.Dot(n) * d.Dot(d); square > bow { // as long as the chord of the angle
			bow = square
		}
	}
	return vec.Sqrt(bow)
}

// welder finds places that are nearly the same: edges that cross each other do so in two triangles each.
type welder struct {
	at   map[[3]int64]int32
	cell float64
}

// find returns the number of a place that was there before about p; otherwise p gets the number next.
func (w *welder) find(p vec.V, next int32) (n int32, ok bool) {
	var lo, hi [3]int64
	for k, x := range p {
		lo[k], hi[k] = int64(math.Floor(float64(x)/w.cell-0.25)), int64(math.Floor(float64(x)/w.cell+0.25))
	}
	for x := lo[0]; x <= hi[0]; x++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for z := lo[2]; z <= hi[2]; z++ {
				if n, ok := w.at[[3]int64{x, y, z}]; ok {
					return n, true
				}
			}
		}
	}
	for x := lo[0]; x <= hi[0]; x++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for z := lo[2]; z <= hi[2]; z++ {
				w.at[[3]int64{x, y, z}] = next
			}
		}
	}
	return next, false
}

// weightsAt returns the weights of a triangle's second and third corner at a place in its plane.
func (m *Mesh) weightsAt(t int32, p vec.V) [2]float32 {
	v := m.geo.Tri[t]
	p0 := m.geo.Pos[v[0]]
	u, w, _ := along(m.geo.Pos[v[1]].Sub(p0), m.geo.Pos[v[2]].Sub(p0), p.Sub(p0))
	u, w = max(0, u), max(0, w)
	if s := u + w; s > 1 {
		u, w = u/s, w/s
	}
	return [2]float32{u, w}
}

// along returns how far a direction goes along each of two, as far as it lies in their plane; ok is false where they span none.
func along(e1, e2, d vec.V) (u, w float32, ok bool) {
	g11, g12, g22, h1, h2 := e1.Dot(e1), e1.Dot(e2), e2.Dot(e2), d.Dot(e1), d.Dot(e2)
	det := g11*g22 - g12*g12
	if det == 0 {
		return 0, 0, false
	}
	return (h1*g22 - h2*g12) / det, (h2*g11 - h1*g12) / det, true
}

// maxCuts limits how many pairs of triangles are kept that cut each other, and maxTests how many are
// looked at.
const (
	maxCuts  = 1 << 18
	maxTests = 1 << 27
)

// cuts finds all pairs of triangles that cut each other and share no corner, by a tree of boxes.
func (m *Mesh) cuts(workers int) []cut {
	n := len(m.geo.Tri)
	if n == 0 {
		return nil
	}
	b := &boxes{tri: make([]int32, n), lo: make([]vec.V, n), hi: make([]vec.V, n), whole: make([]int32, n)}
	for t := range m.geo.Tri {
		v := m.geo.Tri[t]
		b.tri[t], b.whole[t] = int32(t), m.wholeOf(int32(t))
		lo, hi := m.geo.Pos[v[0]], m.geo.Pos[v[0]]
		for _, k := range v[1:] {
			for a, x := range m.geo.Pos[k] {
				lo[a], hi[a] = min(lo[a], x), max(hi[a], x)
			}
		}
		b.lo[t], b.hi[t] = lo, hi
	}
	if n = b.near(); n == 0 {
		return []cut{}
	}
	b.grow(0, n)
	if b.nodes[0].whole >= 0 {
		return []cut{}
	}
	// Pairs of boxes that overlap, until there are enough to be shared among cores.
	type pair struct{ a, b int32 }
	todo := []pair{{0, 0}}
	for k := 0; k < len(todo) && len(todo) < 4096; {
		p := todo[k]
		if b.nodes[p.a].leaf() && b.nodes[p.b].leaf() {
			k++
			continue
		}
		todo[k] = todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		b.open(p.a, p.b, func(x, y int32) { todo = append(todo, pair{x, y}) })
	}
	found := make([][]cut, len(todo))
	var tests atomic.Int64
	parallel.Do(workers, len(todo), func(i int) {
		var walk func(x, y int32)
		walk = func(x, y int32) {
			p, q := &b.nodes[x], &b.nodes[y]
			if !p.leaf() || !q.leaf() {
				b.open(x, y, walk)
				return
			}
			for i1, s := range b.tri[p.from:p.to] {
				others := b.tri[q.from:q.to]
				if x == y {
					others = b.tri[int(p.from)+i1+1 : q.to]
				}
				if tests.Add(int64(len(others))) > maxTests {
					return
				}
				for _, t := range others {
					if b.apart(s, t) || b.whole[s] == b.whole[t] {
						continue
					}
					if c, ok := m.cut(min(s, t), max(s, t)); ok {
						found[i] = append(found[i], c)
					}
				}
			}
		}
		walk(todo[i].a, todo[i].b)
	})
	all := slices.Concat(found...)
	slices.SortFunc(all, func(a, b cut) int {
		if a.tri[0] != b.tri[0] {
			return int(a.tri[0]) - int(b.tri[0])
		}
		return int(a.tri[1]) - int(b.tri[1])
	})
	return all[:min(len(all), maxCuts)]
}

// boxes is a tree of boxes about triangles.
type boxes struct {
	tri    []int32
	lo, hi []vec.V // of each triangle
	whole  []int32
	nodes  []boxNode
}

type boxNode struct {
	lo, hi   vec.V
	from, to int32    // its triangles
	kid      [2]int32 // 0 for a leaf
	whole    int32    // that all its triangles are of; -1 for several
}

// maxNear is of how many wholes it is looked at whether a triangle is near any of them.
const maxNear = 64

// near moves to the front the triangles that the box about another whole reaches, and returns how many there are.
func (b *boxes) near() int {
	type box struct {
		lo, hi vec.V
		whole  int32
	}
	var wholes []box
	at := map[int32]int{}
	for t, w := range b.whole {
		i, ok := at[w]
		if !ok {
			if len(wholes) == maxNear {
				return len(b.tri)
			}
			i = len(wholes)
			at[w] = i
			wholes = append(wholes, box{b.lo[t], b.hi[t], w})
		}
		for a := range 3 {
			wholes[i].lo[a], wholes[i].hi[a] = min(wholes[i].lo[a], b.lo[t][a]), max(wholes[i].hi[a], b.hi[t][a])
		}
	}
	n := 0
	for i, t := range b.tri {
		for k := range wholes {
			w := &wholes[k]
			lo, hi := &b.lo[t], &b.hi[t]
			if w.whole != b.whole[t] && lo[0] <= w.hi[0] && hi[0] >= w.lo[0] && lo[1] <= w.hi[1] && hi[1] >= w.lo[1] && lo[2] <= w.hi[2] && hi[2] >= w.lo[2] {
				b.tri[i], b.tri[n] = b.tri[n], t
				n++
				break
			}
		}
	}
	return n
}

// grow adds the node of a run of triangles and those below it, and returns its number.
func (b *boxes) grow(from, to int) int32 {
	at := len(b.nodes)
	n := boxNode{from: int32(from), to: int32(to), lo: b.lo[b.tri[from]], hi: b.hi[b.tri[from]], whole: b.whole[b.tri[from]]}
	for _, t := range b.tri[from+1 : to] {
		for a := range 3 {
			if x := b.lo[t][a]; x < n.lo[a] { // branches are cheaper than min and max here
				n.lo[a] = x
			}
			if x := b.hi[t][a]; x > n.hi[a] {
				n.hi[a] = x
			}
		}
		if b.whole[t] != n.whole {
			n.whole = -1
		}
	}
	b.nodes = append(b.nodes, n)
	if to-from <= 6 {
		return int32(at)
	}
	axis := 0
	for a := range 3 {
		if n.hi[a]-n.lo[a] > n.hi[axis]-n.lo[axis] {
			axis = a
		}
	}
	// By where the middles lie; by halves where that parts nothing.
	middle := n.lo[axis] + n.hi[axis]
	run := b.tri[from:to]
	k := 0
	for i, t := range run {
		if b.lo[t][axis]+b.hi[t][axis] < middle {
			run[i], run[k] = run[k], run[i]
			k++
		}
	}
	if few := len(run) / 16; k <= few || k >= len(run)-few {
		slices.SortFunc(run, func(s, t int32) int {
			if d := b.lo[s][axis] + b.hi[s][axis] - b.lo[t][axis] - b.hi[t][axis]; d != 0 {
				return int(math.Copysign(1, float64(d)))
			}
			return int(s - t)
		})
		k = len(run) / 2
	}
	left := b.grow(from, from+k)
	right := b.grow(from+k, to)
	b.nodes[at].kid = [2]int32{left, right}
	return int32(at)
}

// open calls f for the pairs below a pair of nodes, not both leaves, that may hold triangles that meet.
func (b *boxes) open(x, y int32, f func(x, y int32)) {
	p, q := &b.nodes[x], &b.nodes[y]
	meet := func(x, y int32) {
		p, q := &b.nodes[x], &b.nodes[y]
		if p.whole >= 0 && p.whole == q.whole {
			return
		}
		for a := range 3 {
			if p.lo[a] > q.hi[a] || q.lo[a] > p.hi[a] {
				return
			}
		}
		f(x, y)
	}
	switch {
	case x == y:
		for _, kid := range p.kid {
			if b.nodes[kid].whole < 0 {
				f(kid, kid)
			}
		}
		meet(p.kid[0], p.kid[1])
	case q.leaf() || !p.leaf() && p.to-p.from >= q.to-q.from:
		meet(p.kid[0], y)
		meet(p.kid[1], y)
	default:
		meet(x, q.kid[0])
		meet(x, q.kid[1])
	}
}

func (n *boxNode) leaf() bool { return n.kid[0] == 0 }

// apart tells whether the boxes of two triangles do not meet.
func (b *boxes) apart(s, t int32) bool {
	for a := range 3 {
		if b.lo[s][a] > b.hi[t][a] || b.lo[t][a] > b.hi[s][a] {
			return true
		}
	}
	return false
}

// cut returns where two triangles cut through each other; ok is false where they do not, share a
// corner or lie in one plane.
func (m *Mesh) cut(s, t int32) (c cut, ok bool) {
	for _, a := range m.geo.Tri[s] {
		for _, b := range m.geo.Tri[t] {
			if m.knot[a] == m.knot[b] {
				return c, false
			}
		}
	}
	c.tri, c.edge = [2]int32{s, t}, -1
	n := 0
	flush := 1e-6 * float64(m.geo.Size)
	for _, pair := range [2][2]int32{{s, t}, {t, s}} {
		of, through := m.geo.Tri[pair[0]], m.geo.Tri[pair[1]]
		q := [3]vec.V{m.geo.Pos[through[0]], m.geo.Pos[through[1]], m.geo.Pos[through[2]]}
		normal := cross64(sub64(q[1], q[0]), sub64(q[2], q[0]))
		var d [3]float64
		on := [3]bool{}
		for k, v := range of {
			d[k] = dot64(normal, sub64(m.geo.Pos[v], q[0]))
			on[k] = math.Abs(d[k]) < flush*math.Sqrt(dot64(normal, normal))
		}
		for k := range 3 {
			if on[k] && on[(k+1)%3] && !on[(k+2)%3] {
				c.edge = m.of[pair[0]][k]
			}
		}
		for k := range 3 {
			j := (k + 1) % 3
			if (d[k] > 0) == (d[j] > 0) || n == 2 {
				continue
			}
			// From the same end whichever triangle it is of, so that both find the same place.
			a, b, da, db := of[k], of[j], d[k], d[j]
			if m.knot[a] > m.knot[b] {
				a, b, da, db = b, a, db, da
			}
			p := m.geo.Pos[a].Mix(m.geo.Pos[b], float32(da/(da-db)))
			// On which side of each edge of the triangle the way from a to b passes; triangles that share an
			// edge are of two minds about it, so that none of them or both is never the answer.
			ab := sub64(m.geo.Pos[b], m.geo.Pos[a])
			var passes [3]bool
			for e := range 3 {
				x, y := through[e], through[(e+1)%3]
				turned := m.knot[x] > m.knot[y]
				if turned {
					x, y = y, x
				}
				volume := dot64(cross64(ab, sub64(m.geo.Pos[x], m.geo.Pos[a])), sub64(m.geo.Pos[y], m.geo.Pos[a]))
				passes[e] = (volume >= 0) != turned
			}
			if passes[0] != passes[1] || passes[1] != passes[2] {
				continue
			}
			c.p[n] = p
			n++
		}
	}
	return c, n == 2 && c.p[0] != c.p[1]
}

type v64 [3]float64

func sub64(a, b vec.V) v64 {
	return v64{float64(a[0]) - float64(b[0]), float64(a[1]) - float64(b[1]), float64(a[2]) - float64(b[2])}
}

func cross64(a, b v64) v64 {
	return v64{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

func dot64(a, b v64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

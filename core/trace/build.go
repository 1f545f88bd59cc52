package trace

import (
	"math"
	"slices"

	"mobanta/core/parallel"
	"mobanta/core/vec"
)

// wide is how many boxes a node holds, and how many triangles a leaf.
const wide = 8

// node is eight boxes side by side. A child at or above 0 is a node; below 0 it
// is the leaf ^child. A place that is not used holds an empty box.
type node struct {
	box   [3][2][wide]float32 // axis; least, greatest
	child [wide]int32
	_     [8]int32 // a node begins at a cache line
}

// leaf is up to eight triangles side by side; a place that is not used is NaN.
type leaf struct {
	at [3][3][wide]float32 // corner; axis
	id [wide]int32
}

// Tree is a hierarchy of boxes over triangles. It never changes once built and
// is safe for use by several goroutines.
type Tree struct {
	nodes  []node
	leaves []leaf
	box    vec.Box
}

// prim is a triangle while the tree is built.
type prim struct {
	lo, hi vec.V
	id     int32
}

// Limits of the build.
const (
	bins     = 16
	few      = 64 // triangles are sorted into fewer bins, very few into fewer still
	sahDepth = 28 // below it ranges are cut in half, so that no tree grows deeper than maxDepth
	maxDepth = 52
	sampled  = 1 << 12 // of more triangles than that some stand for all
	leafCost = 0.9     // of eight triangles, where a node of eight boxes costs 1
)

// NewTree builds the tree of triangles, on up to workers cores: boxes are cut in
// two where the surface area heuristic over binned middles says (Wald 2007), and
// of the tree of pairs those boxes are kept, eight to a node, with which a ray is
// expected to have the least to do (Ylitie, Karras and Laine 2017).
func NewTree(pos []vec.V, tri [][3]int32, workers int) *Tree {
	t := &Tree{box: vec.EmptyBox()}
	prims := make([]prim, len(tri))
	const chunk = 1 << 14
	jobs := (len(tri) + chunk - 1) / chunk
	odd := make([]bool, jobs)
	parallel.Do(workers, jobs, func(job int) {
		for i := job * chunk; i < min(len(tri), (job+1)*chunk); i++ {
			v := &tri[i]
			p := &prims[i]
			p.id, p.lo, p.hi = int32(i), pos[v[0]], pos[v[0]]
			grow(&p.lo, &p.hi, &pos[v[1]], &pos[v[1]])
			grow(&p.lo, &p.hi, &pos[v[2]], &pos[v[2]])
			odd[job] = odd[job] || !pos[v[0]].Finite() || !pos[v[1]].Finite() || !pos[v[2]].Finite()
		}
	})
	if slices.Contains(odd, true) {
		prims = slices.DeleteFunc(prims, func(p prim) bool {
			v := &tri[p.id]
			return !pos[v[0]].Finite() || !pos[v[1]].Finite() || !pos[v[2]].Finite()
		})
	}
	if len(prims) == 0 {
		return t
	}
	pairs := pairs(prims, workers)
	t.box = vec.Box{Min: pairs[0].box.lo, Max: pairs[0].box.hi}
	c := &collapse{pairs: pairs, cost: make([][wide]float32, len(pairs)), cut: make([][wide + 1]uint8, len(pairs)),
		nodes: make([]node, 0, len(pairs)/8+1)}
	c.weigh()
	c.node(0) // the root is the first node
	t.nodes, t.leaves = c.nodes, make([]leaf, len(c.leaves))
	parallel.Do(workers, (len(c.leaves)+1023)/1024, func(job int) {
		for i := job * 1024; i < min(len(c.leaves), (job+1)*1024); i++ {
			t.leaves[i].fill(pos, tri, prims[c.leaves[i][0]:c.leaves[i][1]])
		}
	})
	return t
}

func grow(lo, hi, a, b *vec.V) {
	for k := range lo {
		if a[k] < lo[k] {
			lo[k] = a[k]
		}
		if b[k] > hi[k] {
			hi[k] = b[k]
		}
	}
}

// pair is a node of the tree of pairs, over the triangles from lo up to hi; those
// of at most eight are not cut.
type pair struct {
	box    bounds
	lo, hi int32
	kids   [2]int32 // further on in the list; none if they are 0
}

// builder makes the pairs of a range of triangles, which it reorders.
type builder struct {
	prims []prim
	lump  int // ranges up to this size are left for others; 0 for none
	later []lump
	pairs []pair
}

// lump is a range that is built apart, and where it goes.
type lump struct {
	span
	depth  int
	parent int32
	side   int
}

// pairs returns the tree of pairs, each before those below it.
func pairs(prims []prim, workers int) []pair {
	top := &builder{prims: prims, lump: max(1<<12, len(prims)/16)}
	top.pair(top.span(0, len(prims)), 0)
	parts := make([]builder, len(top.later))
	parallel.Do(workers, len(parts), func(i int) {
		l := &top.later[i]
		parts[i] = builder{prims: prims, pairs: make([]pair, 0, (l.hi-l.lo)/2+8)}
		parts[i].pair(l.span, l.depth)
	})
	total := len(top.pairs)
	for i := range parts {
		total += len(parts[i].pairs)
	}
	out := append(make([]pair, 0, total), top.pairs...)
	for i, l := range top.later {
		first := int32(len(out))
		out[l.parent].kids[l.side] = first
		for _, p := range parts[i].pairs {
			if p.kids[0] != 0 {
				p.kids[0], p.kids[1] = p.kids[0]+first, p.kids[1]+first
			}
			out = append(out, p)
		}
	}
	return out
}

// pair makes the pairs of a span and returns the number of the first.
func (b *builder) pair(s span, depth int) int32 {
	me := int32(len(b.pairs))
	b.pairs = append(b.pairs, pair{box: s.box, lo: int32(s.lo), hi: int32(s.hi)})
	if s.hi-s.lo <= wide {
		return me
	}
	left, right := b.split(&s, depth)
	for side, k := range [2]span{left, right} {
		if b.lump > 0 && k.hi-k.lo <= b.lump {
			b.later = append(b.later, lump{k, depth + 1, me, side})
			continue
		}
		kid := b.pair(k, depth+1)
		b.pairs[me].kids[side] = kid
	}
	return me
}

// collapse makes wide nodes of pairs.
type collapse struct {
	pairs  []pair
	cost   [][wide]float32   // of a pair as at most i+1 nodes and leaves
	cut    [][wide + 1]uint8 // of i nodes and leaves, how many are the first kid's; 0 for as with one less
	nodes  []node
	leaves [][2]int32 // the triangles of each, from and up to
}

// weigh finds out what every pair costs, those below before those above.
func (c *collapse) weigh() {
	for i := len(c.pairs) - 1; i >= 0; i-- {
		p := &c.pairs[i]
		a := area(&p.box)
		cost, cut := &c.cost[i], &c.cut[i]
		if p.kids[0] == 0 {
			for k := range cost {
				cost[k] = a * leafCost
			}
			continue
		}
		l, r := &c.cost[p.kids[0]], &c.cost[p.kids[1]]
		var shared [wide + 1]float32
		for n := 2; n <= wide; n++ {
			best := float32(math.Inf(1))
			for k := 1; k < n; k++ {
				if v := l[k-1] + r[n-k-1]; v < best {
					best, cut[n] = v, uint8(k)
				}
			}
			shared[n] = best
		}
		cost[0] = a + shared[wide]
		for n := 2; n < wide; n++ {
			if cost[n-1] = shared[n]; cost[n-2] <= shared[n] {
				cost[n-1], cut[n] = cost[n-2], 0
			}
		}
		cost[wide-1] = min(shared[wide], cost[wide-2])
	}
}

// kids appends what stands for pair i in at most n places of a node.
func (c *collapse) kids(out []int32, i int32, n int) []int32 {
	for n > 1 && n < wide && c.cut[i][n] == 0 {
		n--
	}
	p := &c.pairs[i]
	if n == 1 || p.kids[0] == 0 {
		return append(out, i)
	}
	k := int(c.cut[i][n])
	return c.kids(c.kids(out, p.kids[0], k), p.kids[1], n-k)
}

// node makes the node of pair i and what depends on it, and returns its number.
func (c *collapse) node(i int32) int32 {
	var room [wide]int32
	kids := c.kids(room[:0], i, wide)
	me := int32(len(c.nodes))
	c.nodes = append(c.nodes, node{})
	for k := range wide {
		box, child := nowhere(), int32(0)
		if k < len(kids) {
			p := &c.pairs[kids[k]]
			box = p.box
			if p.kids[0] == 0 {
				child = ^int32(len(c.leaves))
				c.leaves = append(c.leaves, [2]int32{p.lo, p.hi})
			} else {
				child = c.node(kids[k])
			}
		}
		out := &c.nodes[me]
		for a := range 3 {
			out.box[a][0][k], out.box[a][1][k] = box.lo[a], box.hi[a]
		}
		out.child[k] = child
	}
	return me
}

// span is a range of triangles with its bounds and those of the middles.
type span struct {
	lo, hi   int
	box, mid bounds
}

type bounds struct{ lo, hi vec.V }

func nowhere() bounds {
	inf := float32(math.Inf(1))
	return bounds{vec.V{inf, inf, inf}, vec.V{-inf, -inf, -inf}}
}

func (b *builder) span(lo, hi int) span {
	s := span{lo: lo, hi: hi, box: nowhere(), mid: nowhere()}
	for i := lo; i < hi; i++ {
		p := &b.prims[i]
		grow(&s.box.lo, &s.box.hi, &p.lo, &p.hi)
		c := middle(p)
		grow(&s.mid.lo, &s.mid.hi, &c, &c)
	}
	return s
}

// area returns half the surface area of a box.
func area(b *bounds) float32 {
	x, y, z := b.hi[0]-b.lo[0], b.hi[1]-b.lo[1], b.hi[2]-b.lo[2]
	return x*y + y*z + z*x
}

func (l *leaf) fill(pos []vec.V, tri [][3]int32, prims []prim) {
	nan := float32(math.NaN())
	for i := range wide {
		if i >= len(prims) {
			for c := range 3 {
				for k := range 3 {
					l.at[c][k][i] = nan
				}
			}
			l.id[i] = -1
			continue
		}
		l.id[i] = prims[i].id
		for c, v := range tri[prims[i].id] {
			for k := range 3 {
				l.at[c][k][i] = pos[v][k]
			}
		}
	}
}

type bin struct {
	bounds
	n int32
}

// split sorts the triangles of a span into two.
func (b *builder) split(s *span, depth int) (left, right span) {
	prims := b.prims[s.lo:s.hi]
	lo := s.mid.lo
	axis, at, scale := -1, 0, vec.V{}
	if depth < sahDepth {
		axis, at, scale = cut(prims, &s.mid)
	}
	if axis < 0 {
		half := s.lo + len(prims)/2
		return b.span(s.lo, half), b.span(half, s.hi)
	}
	left, right = span{lo: s.lo, box: nowhere(), mid: nowhere()}, span{hi: s.hi, box: nowhere(), mid: nowhere()}
	i, j := 0, len(prims)-1
	for i <= j {
		p := &prims[i]
		c := middle(p)
		if int((c[axis]-lo[axis])*scale[axis]) < at {
			grow(&left.box.lo, &left.box.hi, &p.lo, &p.hi)
			grow(&left.mid.lo, &left.mid.hi, &c, &c)
			i++
		} else {
			grow(&right.box.lo, &right.box.hi, &p.lo, &p.hi)
			grow(&right.mid.lo, &right.mid.hi, &c, &c)
			prims[i], prims[j] = prims[j], prims[i]
			j--
		}
	}
	left.hi, right.lo = s.lo+i, s.lo+i
	return left, right
}

// cut returns where triangles are best cut in two: the axis, below 0 for nowhere,
// and the first bin of the second half.
func cut(prims []prim, mid *bounds) (axis, at int, scale vec.V) {
	count := bins
	switch {
	case len(prims) < few/4:
		count = bins / 4
	case len(prims) < few:
		count = bins / 2
	}
	var all [3][bins]bin
	lo := mid.lo
	for k := range 3 {
		for i := range all[k][:count] {
			all[k][i].bounds = nowhere()
		}
		if d := mid.hi[k] - mid.lo[k]; d > 0 && float32(bins)/d < math.MaxFloat32 {
			scale[k] = float32(count) * 0.99999 / d
		}
	}
	for i := 0; i < len(prims); i += 1 + len(prims)/sampled {
		p := &prims[i]
		c := middle(p)
		for k := range 3 {
			e := &all[k][int((c[k]-lo[k])*scale[k])&(bins-1)]
			grow(&e.lo, &e.hi, &p.lo, &p.hi)
			e.n++
		}
	}
	best := float32(math.Inf(1))
	axis = -1
	for k := range 3 {
		if scale[k] == 0 {
			continue
		}
		var right [bins]float32 // cost of all from that bin on, below 0 for none
		sum := bin{bounds: nowhere()}
		for i := count - 1; i > 0; i-- {
			right[i] = sum.add(&all[k][i])
		}
		sum = bin{bounds: nowhere()}
		for i := 0; i < count-1; i++ {
			left := sum.add(&all[k][i])
			if left >= 0 && right[i+1] >= 0 && left+right[i+1] < best {
				best, axis, at = left+right[i+1], k, i+1
			}
		}
	}
	return axis, at, scale
}

// add takes another bin in and returns the cost of what is there: its area times
// its number, below 0 if it is empty.
func (s *bin) add(e *bin) float32 {
	if e.n > 0 {
		grow(&s.lo, &s.hi, &e.lo, &e.hi)
		s.n += e.n
	}
	if s.n == 0 {
		return -1
	}
	return area(&s.bounds) * float32(s.n)
}

// middle returns twice the middle of a triangle's box.
func middle(p *prim) vec.V {
	return vec.V{p.lo[0] + p.hi[0], p.lo[1] + p.hi[1], p.lo[2] + p.hi[2]}
}

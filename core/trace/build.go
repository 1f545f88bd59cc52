package trace

import (
	"math"
	"slices"

	"mobanta/core/sample"
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
	fewBins  = 8       // for less than few triangles
	few      = 64      // triangles are sorted into fewer bins, very few into fewer still
	sampled  = 1 << 14 // of more triangles than that some stand for all
	sahDepth = 20      // below it ranges are cut in half, so that no tree grows deeper than maxDepth
	maxDepth = 30
)

// NewTree builds the tree of triangles, on up to workers cores: boxes are split
// where the surface area heuristic over binned middles says (Wald 2007), the
// largest first, until eight of them make a node (Wald, Benthin and Boulos 2008).
func NewTree(pos []vec.V, tri [][3]int32, workers int) *Tree {
	t := &Tree{box: vec.EmptyBox()}
	prims := make([]prim, len(tri))
	const chunk = 1 << 14
	jobs := (len(tri) + chunk - 1) / chunk
	odd := make([]bool, jobs)
	sample.Parallel(workers, jobs, func(job int) {
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
	top := &builder{prims: prims, lump: max(1<<12, len(prims)/16)}
	all := top.span(0, len(prims))
	t.box = vec.Box{Min: all.box.lo, Max: all.box.hi}
	top.node(all, 0) // the root is the first node
	parts := make([]builder, len(top.later))
	sample.Parallel(workers, len(parts), func(i int) {
		l := &top.later[i]
		parts[i] = builder{prims: prims, nodes: make([]node, 0, (l.hi-l.lo)/12+8), leaves: make([][2]int32, 0, (l.hi-l.lo)/5+8)}
		parts[i].node(l.span, l.depth)
	})
	leaves := top.leaves
	t.nodes = top.nodes
	for i, l := range top.later {
		first, firstLeaf := int32(len(t.nodes)), int32(len(leaves))
		t.nodes[l.parent].child[l.slot] = first
		for k := range parts[i].nodes {
			n := &parts[i].nodes[k]
			for c, ref := range n.child {
				switch {
				case n.box[0][0][c] > n.box[0][1][c]:
				case ref >= 0:
					n.child[c] = ref + first
				default:
					n.child[c] = ^(^ref + firstLeaf)
				}
			}
		}
		t.nodes, leaves = append(t.nodes, parts[i].nodes...), append(leaves, parts[i].leaves...)
	}
	t.leaves = make([]leaf, len(leaves))
	sample.Parallel(workers, (len(leaves)+1023)/1024, func(job int) {
		for i := job * 1024; i < min(len(leaves), (job+1)*1024); i++ {
			t.leaves[i].fill(pos, tri, prims[leaves[i][0]:leaves[i][1]])
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

// builder makes the nodes of a range of triangles, which it reorders.
type builder struct {
	prims  []prim
	lump   int // ranges up to this size are left for others; 0 for none
	later  []lump
	nodes  []node
	leaves [][2]int32 // the triangles of each, from and up to
}

// lump is a range that is built apart, and where its root goes.
type lump struct {
	span
	depth  int
	parent int32
	slot   int
}

// span is a range of triangles with its bounds and those of the middles.
type span struct {
	lo, hi   int
	box, mid bounds
	area     float32
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
	s.area = area(&s.box)
	return s
}

// area returns half the surface area of a box.
func area(b *bounds) float32 {
	x, y, z := b.hi[0]-b.lo[0], b.hi[1]-b.lo[1], b.hi[2]-b.lo[2]
	return x*y + y*z + z*x
}

// node makes a node of a span and returns its number.
func (b *builder) node(all span, depth int) int32 {
	var spans [wide]span
	spans[0] = all
	n := 1
	for n < wide {
		best := -1
		for i := range spans[:n] {
			if s := &spans[i]; s.hi-s.lo > wide && (best < 0 || s.area > spans[best].area) {
				best = i
			}
		}
		if best < 0 {
			break
		}
		spans[best], spans[n] = b.split(&spans[best], depth)
		n++
	}
	me := int32(len(b.nodes))
	b.nodes = append(b.nodes, node{})
	for i := range wide {
		box, child := nowhere(), int32(0)
		if i < n {
			s := &spans[i]
			box = s.box
			switch size := s.hi - s.lo; {
			case size <= wide:
				child = ^int32(len(b.leaves))
				b.leaves = append(b.leaves, [2]int32{int32(s.lo), int32(s.hi)})
			case b.lump > 0 && size <= b.lump:
				b.later = append(b.later, lump{*s, depth + 1, me, i})
			default:
				child = b.node(*s, depth+1)
			}
		}
		out := &b.nodes[me]
		for k := range 3 {
			out.box[k][0][i], out.box[k][1][i] = box.lo[k], box.hi[k]
		}
		out.child[i] = child
	}
	return me
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
	left.area, right.area = area(&left.box), area(&right.box)
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

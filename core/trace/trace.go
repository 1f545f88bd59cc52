// Package trace answers whether anything stands in the way of a ray, by a bounding-volume hierarchy over the triangles
// of a stage.
package trace

import (
	"math"

	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Tree is a bounding-volume hierarchy. It never changes once built and is safe
// for use by several goroutines.
type Tree struct {
	nodes []bvhNode
	tris  []triangle
}

// bvhNode holds the boxes of its two children and where they are.
type bvhNode struct {
	box   [2][6]float32 // for each axis the lower plane, then the upper
	child [2]int32 // ≥ 0: a node; < 0: a leaf, its first triangle is ^child
	count [2]int32 // triangles of a leaf; 0 for a child that holds nothing
}

type triangle struct{ a, e1, e2 vec.V }

const (
	leafSize = 4
	bins     = 12
	maxDepth = 64
)

type builder struct {
	tree  *Tree
	geo   *stage.Geometry
	boxes []vec.Box
	mid   []vec.V
	order []int32
}

// New builds the hierarchy of all triangles of geo by the surface area heuristic
// over bins (Wald 2007).
func New(geo *stage.Geometry) *Tree {
	n := len(geo.Tri)
	b := &builder{tree: &Tree{}, geo: geo, boxes: make([]vec.Box, n), mid: make([]vec.V, n), order: make([]int32, n)}
	for i, t := range geo.Tri {
		b.boxes[i] = vec.EmptyBox().Grow(geo.Pos[t[0]]).Grow(geo.Pos[t[1]]).Grow(geo.Pos[t[2]])
		b.mid[i] = b.boxes[i].Center()
		b.order[i] = int32(i)
	}
	b.tree.nodes = append(b.tree.nodes, bvhNode{})
	if n > 0 {
		b.split(0, 0, n, 0)
	}
	return b.tree
}

// split fills node with the triangles order[lo:hi].
func (b *builder) split(node int, lo, hi, depth int) {
	m := b.partition(lo, hi, depth)
	for side, r := range [2][2]int{{lo, m}, {m, hi}} {
		box := vec.EmptyBox()
		for _, t := range b.order[r[0]:r[1]] {
			box = box.Union(b.boxes[t])
		}
		// A hair larger, so that rounding in the slab test loses nothing.
		pad := box.Diagonal() * 1e-6
		for k := range 3 {
			b.tree.nodes[node].box[side][2*k] = box.Min[k] - pad
			b.tree.nodes[node].box[side][2*k+1] = box.Max[k] + pad
		}
		count := r[1] - r[0]
		if count <= leafSize || depth >= maxDepth-2 {
			b.tree.nodes[node].child[side] = ^int32(len(b.tree.tris))
			b.tree.nodes[node].count[side] = int32(count)
			for _, t := range b.order[r[0]:r[1]] {
				v := b.geo.Tri[t]
				p := b.geo.Pos[v[0]]
				b.tree.tris = append(b.tree.tris, triangle{p, b.geo.Pos[v[1]].Sub(p), b.geo.Pos[v[2]].Sub(p)})
			}
			continue
		}
		next := len(b.tree.nodes)
		b.tree.nodes = append(b.tree.nodes, bvhNode{})
		b.tree.nodes[node].child[side] = int32(next)
		b.split(next, r[0], r[1], depth+1)
	}
}

// partition sorts order[lo:hi] into two and returns where the second begins.
func (b *builder) partition(lo, hi, depth int) int {
	list := b.order[lo:hi]
	span := vec.EmptyBox()
	for _, t := range list {
		span = span.Grow(b.mid[t])
	}
	axis, ext := 0, span.Max.Sub(span.Min)
	for k := 1; k < 3; k++ {
		if ext[k] > ext[axis] {
			axis = k
		}
	}
	half := lo + len(list)/2
	if !(ext[axis] > 0) || len(list) < 2 {
		return half
	}
	scale := bins / ext[axis] * 0.9999
	var count [bins]int
	var box [bins]vec.Box
	for i := range box {
		box[i] = vec.EmptyBox()
	}
	bin := func(t int32) int { return int((b.mid[t][axis] - span.Min[axis]) * scale) }
	for _, t := range list {
		i := bin(t)
		count[i]++
		box[i] = box[i].Union(b.boxes[t])
	}
	var right [bins]float32
	acc, n := vec.EmptyBox(), 0
	for i := bins - 1; i > 0; i-- {
		acc, n = acc.Union(box[i]), n+count[i]
		right[i] = area(acc) * float32(n)
	}
	best, cost := -1, float32(math.Inf(1))
	acc, n = vec.EmptyBox(), 0
	for i := range bins - 1 {
		acc, n = acc.Union(box[i]), n+count[i]
		if n > 0 && n < len(list) {
			if c := area(acc)*float32(n) + right[i+1]; c < cost {
				best, cost = i, c
			}
		}
	}
	if best < 0 || depth > maxDepth/2 {
		return half
	}
	i, j := 0, len(list)-1
	for i <= j {
		if bin(list[i]) <= best {
			i++
		} else {
			list[i], list[j] = list[j], list[i]
			j--
		}
	}
	return lo + i
}

func area(b vec.Box) float32 {
	if b.Empty() {
		return 0
	}
	d := b.Max.Sub(b.Min)
	return d[0]*d[1] + d[1]*d[2] + d[2]*d[0]
}

// Occluded tells whether a triangle lies on the ray from origin along the unit
// vector dir, nearer than limit. It is written in scalars throughout: arrays
// would go through memory.
func (t *Tree) Occluded(origin, dir vec.V, limit float32) bool {
	if len(t.tris) == 0 {
		return false
	}
	ox, oy, oz := origin[0], origin[1], origin[2]
	ix, iy, iz := inverse(dir[0]), inverse(dir[1]), inverse(dir[2])
	sx, sy, sz := sign(ix), sign(iy), sign(iz)
	var stack [maxDepth + 2]int32
	top := 1
	for top > 0 {
		top--
		n := &t.nodes[stack[top]]
		for side := range 2 {
			b := &n.box[side]
			t0, t1 := (b[sx]-ox)*ix, (b[1-sx]-ox)*ix
			y0, y1 := (b[2+sy]-oy)*iy, (b[3-sy]-oy)*iy
			if t0 > y1 || y0 > t1 {
				continue
			}
			if y0 > t0 {
				t0 = y0
			}
			if y1 < t1 {
				t1 = y1
			}
			z0, z1 := (b[4+sz]-oz)*iz, (b[5-sz]-oz)*iz
			if t0 > z1 || z0 > t1 || t1 < 0 || z1 < 0 || t0 > limit || z0 > limit {
				continue
			}
			c := n.child[side]
			if c >= 0 {
				stack[top] = c
				top++
				continue
			}
			for i := ^c; i < ^c+n.count[side]; i++ {
				if t.tris[i].hit(origin, dir, limit) {
					return true
				}
			}
		}
	}
	return false
}

// sign returns which plane of a slab a ray meets first: 0 the lower, 1 the upper.
func sign(inv float32) int {
	if inv < 0 {
		return 1
	}
	return 0
}

// inverse returns 1/d, kept finite so that no 0·∞ enters the slab test.
func inverse(d float32) float32 {
	if d < 1e-20 && d > -1e-20 {
		return float32(math.Copysign(1e20, float64(d)))
	}
	return 1 / d
}

// hit is the test of Möller and Trumbore (1997), from both sides.
func (t *triangle) hit(o, d vec.V, limit float32) bool {
	dx, dy, dz := d[0], d[1], d[2]
	ax, ay, az := t.e1[0], t.e1[1], t.e1[2]
	bx, by, bz := t.e2[0], t.e2[1], t.e2[2]
	px, py, pz := dy*bz-dz*by, dz*bx-dx*bz, dx*by-dy*bx
	det := ax*px + ay*py + az*pz
	if det == 0 {
		return false
	}
	inv := 1 / det
	sx, sy, sz := o[0]-t.a[0], o[1]-t.a[1], o[2]-t.a[2]
	u := (sx*px + sy*py + sz*pz) * inv
	if !(u >= -1e-6 && u <= 1+1e-6) {
		return false
	}
	qx, qy, qz := sy*az-sz*ay, sz*ax-sx*az, sx*ay-sy*ax
	v := (dx*qx + dy*qy + dz*qz) * inv
	if !(v >= -1e-6 && u+v <= 1+1e-6) {
		return false
	}
	dist := (bx*qx + by*qy + bz*qz) * inv
	return dist > 0 && dist < limit
}

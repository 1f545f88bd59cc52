package trace

import (
	"math/bits"
	"unsafe"
)

// The plain walks. The assembly does the same operations in the same order;
// products are rounded before they are added, so that the two agree to the bit
// and an edge looks the same from both of its sides.

const stackSize = (wide-1)*maxDepth + wide

// boxes returns which boxes of n the ray meets, as bits, and where.
func (r *ray) boxes(n *node, far float32, at *[wide]float32) (mask uint32) {
	for i := range wide {
		near, end := float32(0), far
		for k := range 3 {
			side := r.near[k] / planeAt & 1
			a := (n.box[k][side][i] - r.o[k]) * r.inv[k]
			b := (n.box[k][1-side][i] - r.o[k]) * r.out[k]
			near, end = max(near, a), min(end, b)
		}
		at[i] = near
		if near <= end {
			mask |= 1 << i
		}
	}
	return mask
}

// triangle tests one triangle of a leaf; t is at or below 0 where the ray misses it.
func (r *ray) triangle(l *leaf, i int) (t, u, v float32) {
	var c [3][3]float32
	for k := range 3 {
		x := l.at[k][r.axis[0]/planeAt][i] - r.oAxis[0]
		y := l.at[k][r.axis[1]/planeAt][i] - r.oAxis[1]
		z := l.at[k][r.axis[2]/planeAt][i] - r.oAxis[2]
		c[k] = [3]float32{x - float32(r.shear[0]*z), y - float32(r.shear[1]*z), z}
	}
	a, b, d := &c[0], &c[1], &c[2]
	e0 := float32(d[0]*b[1]) - float32(d[1]*b[0])
	e1 := float32(a[0]*d[1]) - float32(a[1]*d[0])
	e2 := float32(b[0]*a[1]) - float32(b[1]*a[0])
	if !(min(e0, e1, e2) >= 0 || max(e0, e1, e2) <= 0) {
		return 0, 0, 0
	}
	det := float32(e0+e1) + e2
	if det == 0 {
		return 0, 0, 0
	}
	sum := float32(float32(e0*a[2])+float32(e1*b[2])) + float32(e2*d[2])
	return float32(sum*r.shear[2]) / det, e1 / det, e2 / det
}

func anyGo(nodes *node, leaves *leaf, r *ray) bool {
	var stack [stackSize]int32
	var at [wide]float32
	n := 1 // the root
	for n > 0 {
		n--
		ref := stack[n]
		if ref < 0 {
			l := nth(leaves, ^ref)
			for i := range wide {
				if t, _, _ := r.triangle(l, i); t > 0 && t < r.far {
					return true
				}
			}
			continue
		}
		nd := nth(nodes, ref)
		for m := r.boxes(nd, r.far, &at); m != 0; m &= m - 1 {
			stack[n] = nd.child[bits.TrailingZeros32(m)]
			n++
		}
	}
	return false
}

type waiting struct {
	ref int32
	at  float32
}

func nearGo(nodes *node, leaves *leaf, r *ray, f *found) {
	var stack [stackSize]waiting
	var at [wide]float32
	far := r.far
	n := 1
	for n > 0 {
		n--
		w := stack[n]
		if w.at >= far {
			continue
		}
		if w.ref < 0 {
			l := nth(leaves, ^w.ref)
			for i := range wide {
				if t, u, v := r.triangle(l, i); t > 0 && t < far {
					far = t
					*f = found{t, u, v, l.id[i]}
				}
			}
			continue
		}
		nd := nth(nodes, w.ref)
		first := n // of those that are pushed now; the nearest is to come off first
		best := first
		for m := r.boxes(nd, far, &at); m != 0; m &= m - 1 {
			i := bits.TrailingZeros32(m)
			stack[n] = waiting{nd.child[i], at[i]}
			if at[i] < stack[best].at {
				best = n
			}
			n++
		}
		if n > first {
			stack[best], stack[n-1] = stack[n-1], stack[best]
		}
	}
}

// nth returns element i of an array that begins at first.
func nth[T any](first *T, i int32) *T {
	return (*T)(unsafe.Add(unsafe.Pointer(first), uintptr(i)*unsafe.Sizeof(*first)))
}

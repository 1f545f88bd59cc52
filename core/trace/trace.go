// Package trace answers what a ray meets: anything at all, or what first. The triangles of each model lie in a tree of
// boxes of its own, eight to a node; where the processor has AVX2 the trees are walked in assembly, otherwise by a plain
// twin that gives the same answers to the bit.
package trace

import "mobanta/core/vec"

// Hit is what a ray meets first.
type Hit struct {
	T    float32 // distance in lengths of the ray's direction
	Tri  int32   // number of the triangle
	U, V float32 // weights of its second and third corner
}

// ray is a ray made ready: for the boxes, and for the watertight test of
// triangles (Woop, Benthin and Wald 2013), which looks along the axis that the
// ray runs along most.
type ray struct {
	o     [3]float32
	inv   [3]float32
	far   float32
	shear [3]float32
	near  [3]int64 // bytes in a node to the planes that the ray meets first, by axis
	axis  [3]int64 // bytes in a corner of a leaf to the sheared axes and the main one
	oAxis [3]float32
	out   [3]float32 // inv, and slack, for the planes through which the ray leaves
}

const (
	// Rounding of the three operations behind a distance to a plane, twice (Ize 2013):
	// no box is missed that the ray touches.
	slack   = 1 + 5e-7
	tiny    = 1e-18 // a direction's component below counts as this, so that no distance is NaN
	planeAt = wide * 4
)

// set makes r ready; dir is not zero.
func (r *ray) set(o, dir vec.V, far float32) {
	r.o, r.far = o, far
	r.inv[0], r.near[0] = slope(dir[0], 0)
	r.inv[1], r.near[1] = slope(dir[1], 2*planeAt)
	r.inv[2], r.near[2] = slope(dir[2], 4*planeAt)
	r.out = [3]float32{r.inv[0] * slack, r.inv[1] * slack, r.inv[2] * slack}
	dx, dy, dz := max(dir[0], -dir[0]), max(dir[1], -dir[1]), max(dir[2], -dir[2])
	x, y, z := 0, 1, 2 // z is the main one
	if dx > dz {
		x, y, z = 1, 2, 0
		dz = dx
	}
	if dy > dz {
		x, y, z = 2, 0, 1
	}
	w := 1 / dir[z]
	r.shear = [3]float32{dir[x] * w, dir[y] * w, w}
	r.axis = [3]int64{int64(x * planeAt), int64(y * planeAt), int64(z * planeAt)}
	r.oAxis = [3]float32{o[x], o[y], o[z]}
}

// slope returns what a distance along an axis is multiplied by to give one along
// the ray, and where in a node the planes are that a ray of that direction meets
// first.
func slope(d float32, at int64) (inv float32, near int64) {
	if d > tiny {
		return 1 / d, at
	}
	if d < -tiny {
		return 1 / d, at + planeAt
	}
	return 1 / tiny, at
}

// found is what a walk for the nearest hit brings back.
type found struct {
	t, u, v float32
	id      int32
}

// any tells whether the ray meets a triangle of a tree that is not empty.
func (t *Tree) any(r *ray) bool {
	if assembly {
		return anyAVX2(&t.nodes[0], &t.leaves[0], r)
	}
	return anyGo(&t.nodes[0], &t.leaves[0], r)
}

// first returns what the ray meets first in a tree that is not empty.
func (t *Tree) first(r *ray) found {
	f := found{id: -1}
	if assembly {
		nearAVX2(&t.nodes[0], &t.leaves[0], r, &f)
	} else {
		nearGo(&t.nodes[0], &t.leaves[0], r, &f)
	}
	return f
}

// Occluded tells whether the ray from o meets a triangle at a distance above 0
// and below far, in lengths of dir. Not even a ray through an edge that two
// triangles share slips between them. A direction of zero meets nothing.
func (t *Tree) Occluded(o, dir vec.V, far float32) bool {
	if len(t.nodes) == 0 || dir == (vec.V{}) {
		return false
	}
	var r ray
	r.set(o, dir, far)
	return t.any(&r)
}

// Nearest returns what the ray from o meets first at a distance above 0 and
// below far; ok is false if that is nothing.
func (t *Tree) Nearest(o, dir vec.V, far float32) (h Hit, ok bool) {
	if len(t.nodes) == 0 || dir == (vec.V{}) {
		return Hit{}, false
	}
	var r ray
	r.set(o, dir, far)
	f := t.first(&r)
	return Hit{f.t, f.id, f.u, f.v}, f.id >= 0
}

package contour

import (
	"math"

	"mobanta/core/vec"
)

const (
	// weak is the part of the angle from which on an edge is a crease that is enough between two creases.
	weak = 0.5
	// straightOn is the cosine of the angle by which a way between creases may turn at a corner of the mesh.
	straightOn = 0.7
	// longest is how many edges such a way has at most.
	longest = 64
)

// bridge makes creases of edges that bend a little less than one must, where they go on in one line from the end of a crease to
// another and are no longer than that on the page: as the weak edges of a picture belong to it that strong ones lead on to (Canny
// 1986). Ends of creases are knots at which only one of them ends.
func (f *finder) bridge(creases []int32, most float32) {
	if len(creases) == 0 || !(f.want.Bridge > 0) {
		return
	}
	ends, is := map[int32]int{}, make(map[int32]bool, len(creases))
	for _, i := range creases {
		is[i] = true
		for _, k := range f.edges[i].knot {
			ends[k]++
		}
	}
	less := float32(math.Cos(weak*f.want.Bends*math.Pi/180)) + 1e-6
	at := map[int32][]int32{} // weak edges by knot
	for _, i := range f.rough {
		e := &f.edges[i]
		if is[i] || e.tri[1] < 0 || e.bend < most || e.bend >= less || f.geo.TriPart[e.tri[0]] != f.geo.TriPart[e.tri[1]] || len(f.beside[i]) > 0 {
			continue
		}
		if _, ok := f.on(e); !ok || !f.faces(e, 0) || !f.faces(e, 1) {
			continue
		}
		for _, k := range e.knot {
			at[k] = append(at[k], i)
		}
	}
	if len(at) == 0 {
		return
	}
	done := map[int32]bool{}
	for _, i := range creases {
		e := &f.edges[i]
		for end, knot := range e.knot {
			if ends[knot] == 1 && len(at[knot]) > 0 {
				for _, j := range f.way(knot, f.page(e, end).Sub(f.page(e, 1-end)), at, ends) {
					if side, ok := f.on(&f.edges[j]); ok && !done[j] {
						done[j] = true
						f.edgePiece(Crease, int(j), side, 0, 1)
					}
				}
			}
		}
	}
}

// page returns where an end of an edge lies on the page, in pixels.
func (f *finder) page(e *edge, end int) vec.V {
	x, y, _ := f.view.Project(f.view.Camera(f.geo.Pos[f.vertex(e, 0, end)]))
	return vec.V{x, y, 0}
}

// way returns the weak edges that go on from a knot, in the direction of a crease that ends there, to where another one is; none where
// there is no such way.
func (f *finder) way(knot int32, ahead vec.V, at map[int32][]int32, ends map[int32]int) (out []int32) {
	long := float32(0)
	for len(out) < longest {
		best, next, far := int32(-1), int32(0), vec.V{}
		most := float32(straightOn)
		for _, i := range at[knot] {
			e := &f.edges[i]
			end := 1
			if e.knot[1] == knot {
				end = 0
			}
			d := f.page(e, end).Sub(f.page(e, 1-end))
			if c := d.Unit().Dot(ahead.Unit()); c > most {
				best, next, far, most = i, e.knot[end], d, c
			}
		}
		if best < 0 {
			return nil
		}
		if long += far.Len(); long > f.want.Bridge {
			return nil
		}
		if out = append(out, best); ends[next] > 0 {
			return out
		}
		knot, ahead = next, far
	}
	return nil
}

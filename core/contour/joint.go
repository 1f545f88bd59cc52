package contour

import (
	"cmp"
	"slices"
	"sort"

	"mobanta/core/joint"
	"mobanta/core/vec"
)

// Edges at which one triangle ends and others upon it.

// beside is a stretch of an edge at which one triangle ends, and another that does upon it: so nothing ends there.
type beside struct {
	from, to float32
	edge     int32      // of the other
	there    [2]float32 // where from and to lie along that
	owns     bool       // whether a line along both is this edge's: of the shorter one, whose ends are what others meet
	smooth   bool       // as of an edge
	bend     float32
}

// meet finds where triangles that end lie upon each other; see package joint.
func (m *Mesh) meet() {
	m.beside = map[int32][]beside{}
	geo := m.geo
	sides := make([][]joint.Segment, len(geo.Models))
	edges := make([][]int32, len(geo.Models))
	for i := range m.edges {
		if e := &m.edges[i]; e.tri[1] < 0 && !e.many {
			of := sort.Search(len(geo.Models), func(k int) bool { return geo.Models[k].FirstTri > int(e.tri[0]) }) - 1
			sides[of] = append(sides[of], joint.Segment{A: geo.Pos[m.first[e.knot[0]]], B: geo.Pos[m.first[e.knot[1]]]})
			edges[of] = append(edges[of], int32(i))
		}
	}
	for of, list := range sides {
		box := vec.EmptyBox()
		for _, s := range list {
			box = box.Grow(s.A).Grow(s.B)
		}
		for _, p := range joint.Find(list, joint.Reach*box.Diagonal()) {
			a, b := edges[of][p.One], edges[of][p.Other]
			if m.edges[a].tri[0] == m.edges[b].tri[0] {
				continue
			}
			one, other := [2]float32{snapped(p.From), snapped(p.To)}, [2]float32{snapped(p.OtherFrom), snapped(p.OtherTo)}
			owns := one[1]-one[0] >= other[1]-other[0]
			if p.Opposed {
				other[0], other[1] = other[1], other[0]
			}
			m.beside[a] = append(m.beside[a], beside{from: one[0], to: one[1], edge: b, there: other, owns: owns})
			if p.Opposed {
				other[0], other[1] = other[1], other[0]
				one[0], one[1] = one[1], one[0]
			}
			m.beside[b] = append(m.beside[b], beside{from: other[0], to: other[1], edge: a, there: one, owns: !owns})
		}
	}
	for _, list := range m.beside {
		slices.SortFunc(list, func(a, b beside) int { return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.edge, b.edge)) })
	}
}

// snapped is a part of the way along an edge, which ends where it nearly does.
func snapped(t float32) float32 {
	switch {
	case t < sliver:
		return 0
	case t > 1-sliver:
		return 1
	}
	return t
}

// sliver is how much of an edge may stay open for it to count as closed.
const sliver = 0.02

// open tells whether a triangle ends along an edge: nothing lies upon a part of it.
func (m *Mesh) open(i int32) bool {
	bare, at := float32(0), float32(0)
	for _, b := range m.beside[i] {
		bare += max(0, b.from-at)
		at = max(at, b.to)
	}
	return bare+max(0, 1-at) > sliver
}

// bends fills in how the surface bends where two edges lie upon each other.
func (m *Mesh) bends(e *edge, b *beside) {
	o := &m.edges[b.edge]
	b.bend, b.smooth = 1, true
	p, q := m.flat[e.tri[0]], m.flat[o.tri[0]]
	if p == (vec.V{}) || q == (vec.V{}) {
		return // a face without area has no say
	}
	turned := m.way(e).Dot(m.way(o)) < 0
	if b.bend = p.Dot(q); !turned {
		b.bend = -b.bend
	}
	for k, t := range [2]float32{b.from, b.to} {
		b.smooth = b.smooth && turned && m.normalAt(e, t).Dot(m.normalAt(o, b.there[k])) > same
	}
}

// way returns the direction of an edge as its first triangle runs round; not unit.
func (m *Mesh) way(e *edge) vec.V {
	v := m.geo.Tri[e.tri[0]]
	return m.geo.Pos[v[(e.from[0]+1)%3]].Sub(m.geo.Pos[v[e.from[0]]])
}

// normalAt returns the normal a part of the way along an edge, as its first triangle has it.
func (m *Mesh) normalAt(e *edge, t float32) vec.V {
	return m.normal[m.vertex(e, 0, 0)].Mix(m.normal[m.vertex(e, 0, 1)], t).Unit()
}

// joints finds the lines along an edge at which one triangle ends, and others upon it: a border where none does, and a contour,
// a crease or a seam as along any edge. What is one line after the other is one piece.
func (f *finder) joints(number int, list []beside, most float32) {
	e := &f.edges[number]
	part := f.geo.TriPart[e.tri[0]]
	if !f.want.On[part] {
		return
	}
	hidden := !f.faces(e, 0) && f.solid[f.whole[e.knot[0]]] // on the far side of something solid, if what lies beside it is too
	kind, from, at := Kinds, float32(0), float32(0)
	next := func(now Kind, begin, end float32) {
		if now != kind || begin > at+sliver {
			if kind != Kinds {
				f.edgePiece(kind, number, 0, from, at)
			}
			kind, from = now, begin
		}
		at = max(at, end)
	}
	border := func(end float32) {
		if now := Border; end-at > sliver {
			if !f.want.Of[Border] || hidden {
				now = Kinds
			}
			next(now, at, end)
		}
	}
	for _, b := range list {
		border(b.from)
		next(f.across(e, &b, hidden, most), b.from, b.to)
	}
	border(1)
	next(Kinds, 2, 2)
}

// across tells what line runs where an edge lies upon another: Kinds for none, or for one that is the other's.
func (f *finder) across(e *edge, b *beside, hidden bool, most float32) Kind {
	o := &f.edges[b.edge]
	part, other := f.geo.TriPart[e.tri[0]], f.geo.TriPart[o.tri[0]]
	if !b.owns && f.want.On[other] || hidden && !f.faces(o, 0) {
		return Kinds
	}
	at := func(e *edge, t float32) float32 {
		a, b := f.facing[f.vertex(e, 0, 0)], f.facing[f.vertex(e, 0, 1)]
		return a + (b-a)*t
	}
	towards := at(e, (b.from+b.to)/2) > 0
	switch {
	case f.want.Of[Contour] && !b.smooth && towards != (at(o, (b.there[0]+b.there[1])/2) > 0):
		return Contour
	case f.want.Of[Seam] && part != other:
		return Seam
	case f.want.Of[Crease] && b.bend < most:
		return Crease
	}
	return Kinds
}

package contour

import (
	"cmp"
	"slices"

	"mobanta/core/stage"
)

const (
	// past is by how much the ends of two pieces of one curve may run past each other, in gaps that are closed.
	past = 5
	// aside is how far they may lie beside each other, in pixels and in parts of how far they run past each other.
	aside, asideOf = 1.5, 0.12
	// astray is the cosine of the angle by which they may turn away from each other.
	astray = 0.94
	// deep is by which part their depths may differ.
	deep = 0.02
)

// end is an end of a curve.
type end struct {
	curve  int
	last   bool    // whether it is where its places end, not where they begin
	x, y   float32 // of its place
	dx, dy float32 // outward along the curve, unit
	near   float32
}

// pair is two ends that go on in one line.
type pair struct {
	a, b  end
	far   float32 // from one to the other
	along float32 // outward from a: below 0 where they run past each other
}

// pairsOf returns the pairs of ends that meet, the nearest first.
func pairsOf(curves []Curve, scene *stage.Scene, gap float32) (pairs []pair) {
	g := map[[2]int32][]end{}
	var ends []end
	cell := func(x, y float32) [2]int32 { return [2]int32{int32(x / (past * gap)), int32(y / (past * gap))} }
	for i, c := range curves {
		if c.Kind != Contour || c.Closed || len(c.Places) < 3 {
			continue
		}
		for _, last := range []bool{false, true} {
			e := c.end(i, last, 3*gap)
			k := cell(e.x, e.y)
			g[k] = append(g[k], e)
			ends = append(ends, e)
		}
	}
	for _, a := range ends { // in their order, or the curves would not be the same each time
		k := cell(a.x, a.y)
		for dx := int32(-1); dx <= 1; dx++ {
			for dy := int32(-1); dy <= 1; dy++ {
				for _, b := range g[[2]int32{k[0] + dx, k[1] + dy}] {
					if a.before(b) && scene.Parts[curves[a.curve].Part].Model == scene.Parts[curves[b.curve].Part].Model {
						if along, off, ok := a.meets(b, gap); ok {
							pairs = append(pairs, pair{a, b, max(along, -along) + off, along})
						}
					}
				}
			}
		}
	}
	slices.SortStableFunc(pairs, func(p, q pair) int {
		return cmp.Compare(p.far, q.far)
	})
	return pairs
}

// joined makes one curve of contours that are one: whose ends, which go on in one line, run past each other by a little, or leave a
// gap that is no longer than what is closed where a curve is hidden. Where a smooth surface folds over a little at its rim, as about
// a corner at which very many faces meet, its contour goes forth, back behind itself and forth again. A curve both of whose ends meet
// so is a ring.
func joined(curves []Curve, scene *stage.Scene, gap float32) []Curve {
	if !(gap > 0) {
		return curves
	}
	curves = slices.Clone(curves)
	pairs := pairsOf(curves, scene, gap)
	if len(pairs) == 0 {
		return curves
	}
	// Each curve that has become part of another says of which, and whether its ends were turned round there.
	done := map[[2]int]bool{}
	key := func(e end) [2]int {
		if e.last {
			return [2]int{e.curve, 1}
		}
		return [2]int{e.curve, 0}
	}
	type home struct {
		curve int
		back  bool
	}
	at := make([]home, len(curves))
	for i := range at {
		at[i].curve = i
	}
	gone := make([]bool, len(curves))
	for _, p := range pairs {
		if done[key(p.a)] || done[key(p.b)] {
			continue
		}
		one, other := at[p.a.curve], at[p.b.curve]
		if one.curve == other.curve {
			if c, ok := closed(curves[one.curve], -p.along); ok {
				curves[one.curve] = c
				done[key(p.a)], done[key(p.b)] = true, true
			}
			continue
		}
		// One's end comes last, other's first.
		front, behind := slices.Clone(curves[one.curve].Places), slices.Clone(curves[other.curve].Places)
		turnFront, turnBehind := p.a.last == one.back, p.b.last != other.back
		if turnFront {
			slices.Reverse(front)
		}
		if turnBehind {
			slices.Reverse(behind)
		}
		front = without(front, -p.along)
		if len(front) == 0 {
			continue
		}
		done[key(p.a)], done[key(p.b)] = true, true
		curves[one.curve].Places = append(front, behind...)
		gone[other.curve] = true
		for i := range at {
			switch at[i].curve {
			case one.curve:
				at[i].back = at[i].back != turnFront
			case other.curve:
				at[i] = home{one.curve, at[i].back != turnBehind}
			}
		}
	}
	out := curves[:0]
	for i, c := range curves {
		if !gone[i] {
			out = append(out, c)
		}
	}
	return out
}

// end returns an end of a curve, by its number. Which way it goes is told over a length of it, as a contour that turns back behind
// itself may show a little of that.
func (c *Curve) end(number int, last bool, long float32) end {
	n := len(c.Places)
	at := func(k int) *Place {
		if last {
			k = n - 1 - k
		}
		return &c.Places[k]
	}
	p := at(0)
	e := end{curve: number, last: last, x: p.X, y: p.Y, near: p.Near}
	k := 1
	for k+1 < n && long > 0 {
		long -= apart(at(k), at(k-1))
		k++
	}
	if l := apart(p, at(k)); l > 0 {
		e.dx, e.dy = (p.X-at(k).X)/l, (p.Y-at(k).Y)/l
	}
	return e
}

// before orders the ends of curves.
func (e end) before(o end) bool {
	return e.curve < o.curve || e.curve == o.curve && !e.last && o.last
}

// meets tells whether two ends are of one curve: how far it is from e to o, outward along e, and how far beside it.
func (e end) meets(o end, gap float32) (along, off float32, ok bool) {
	if e.dx*o.dx+e.dy*o.dy > -astray {
		return 0, 0, false
	}
	x, y := o.x-e.x, o.y-e.y
	along, off = x*e.dx+y*e.dy, x*e.dy-y*e.dx
	off = max(off, -off)
	far := max(along, -along)
	near := max(e.near, o.near)
	ok = along <= gap && along >= -past*gap && off <= max(aside, asideOf*far) && max(e.near-o.near, o.near-e.near) <= deep*max(near, -near)
	return along, off, ok
}

// without returns places without those at their end over a length, as far as it is above 0; nil if nothing would be left.
func without(places []Place, long float32) []Place {
	for n := len(places); n > 1; n-- {
		if long <= 0 {
			return places[:n]
		}
		long -= apart(&places[n-1], &places[n-2])
	}
	return nil
}

// closed returns a curve as a ring, without what of it runs past its beginning.
func closed(c Curve, over float32) (Curve, bool) {
	places := without(slices.Clone(c.Places), over)
	if len(places) < 8 {
		return c, false
	}
	c.Places, c.Closed = append(places, places[0]), true
	return c, true
}

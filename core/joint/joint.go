// Package joint finds where borders of surfaces lie upon each other: one long side of a face beside two short ones (a T-joint),
// or the sides of faces whose corners were rounded apart. Segments come in, pairs of them with the stretch that they share go out.
package joint

import (
	"math"

	"mobanta/core/vec"
)

// Segment is a border from one place to another.
type Segment struct{ A, B vec.V }

// Pair is two segments that lie upon each other for a stretch.
type Pair struct {
	One, Other         int32   // their numbers, One < Other
	From, To           float32 // the stretch, in parts of One's length from its A
	OtherFrom, OtherTo float32 // the same of Other; From <= To of both
	Opposed            bool    // whether they run in opposite directions, as the sides of two faces that look the same way do
}

// Reach is how far borders of a model may be apart to lie upon each other, in parts of its diagonal: less than anybody sees, and
// more than what corners are rounded by.
const Reach = 3e-5

const (
	// least is how long a stretch must be for it to count, in parts of the shorter segment.
	least = 0.02
	// slant is by how much two that lie upon each other may turn away from each other, as a sine.
	slant = 0.02
	// most limits the pairs that are looked at, for each segment on average: beyond it no more are found.
	most = 64
)

// Find returns all pairs of segments that are nowhere further than reach from each other along the stretch that they share, each
// pair once, ordered by One. What is hardly longer than reach has no direction, and no pair.
func Find(segments []Segment, reach float32) []Pair {
	lines := make([]ray, len(segments))
	total, used := 0.0, 0
	for i, s := range segments {
		lines[i] = rayOf(s)
		if lines[i].long > 2*float64(reach) {
			total += lines[i].long
			used++
		}
	}
	if used < 2 {
		return nil
	}
	g := grid{cell: max(total/float64(used), 8*float64(reach)), at: make(map[[3]int32][]int32, 2*used)}
	for i := range lines {
		if lines[i].long > 2*float64(reach) {
			g.put(int32(i), &lines[i])
		}
	}
	var out []Pair
	seen := make([]int32, len(lines)) // the segment for which each was looked at last, counted from 1
	left := most * used
	for i := range lines {
		if lines[i].long <= 2*float64(reach) {
			continue
		}
		g.near(&lines[i], float64(reach), func(j int32) bool {
			if j <= int32(i) || seen[j] == int32(i)+1 {
				return true
			}
			seen[j] = int32(i) + 1
			if left--; left < 0 {
				return false
			}
			if p, ok := share(&lines[i], &lines[j], float64(reach)); ok {
				p.One, p.Other = int32(i), j
				out = append(out, p)
			}
			return true
		})
	}
	return out
}

// ray is a segment as its beginning, its direction and its length.
type ray struct {
	from, way [3]float64
	long      float64
}

func rayOf(s Segment) (r ray) {
	for k := range 3 {
		r.from[k] = float64(s.A[k])
		r.way[k] = float64(s.B[k]) - float64(s.A[k])
	}
	r.long = math.Sqrt(dot(r.way, r.way))
	if r.long > 0 {
		for k := range 3 {
			r.way[k] /= r.long
		}
	}
	return r
}

func dot(a, b [3]float64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// at returns the place at a length along a segment.
func (r *ray) at(t float64) (p [3]float64) {
	for k := range 3 {
		p[k] = r.from[k] + t*r.way[k]
	}
	return p
}

// along returns how far along a segment's line a place lies.
func (r *ray) along(p [3]float64) float64 {
	return dot(r.way, [3]float64{p[0] - r.from[0], p[1] - r.from[1], p[2] - r.from[2]})
}

// away returns how far a place lies from a segment's line, squared.
func (r *ray) away(p [3]float64) float64 {
	q := r.at(r.along(p))
	d := [3]float64{p[0] - q[0], p[1] - q[1], p[2] - q[2]}
	return dot(d, d)
}

// share returns the stretch that two segments share.
func share(a, b *ray, reach float64) (Pair, bool) {
	turn := dot(a.way, b.way)
	if 1-turn*turn > slant*slant {
		return Pair{}, false
	}
	from, to := a.along(b.from), a.along(b.at(b.long))
	from, to = max(0, min(from, to)), min(a.long, max(from, to))
	if to-from <= max(reach, least*min(a.long, b.long)) {
		return Pair{}, false
	}
	for _, t := range [2]float64{from, to} {
		if b.away(a.at(t)) > reach*reach {
			return Pair{}, false
		}
	}
	first, last := b.along(a.at(from)), b.along(a.at(to))
	if turn < 0 {
		first, last = last, first
	}
	part := func(t float64) float32 { return float32(max(0, min(1, t/b.long))) }
	return Pair{From: float32(from / a.long), To: float32(to / a.long), OtherFrom: part(first), OtherTo: part(last), Opposed: turn < 0}, true
}

// grid holds segments by the cells of space that they pass.
type grid struct {
	cell float64
	at   map[[3]int32][]int32
}

// cells calls f with places along a segment, so many that each of it lies within a quarter of a cell of one.
func (g *grid) cells(r *ray, f func(p [3]float64)) {
	n := max(1, int(math.Ceil(2*r.long/g.cell)))
	for k := range n + 1 {
		f(r.at(r.long * float64(k) / float64(n)))
	}
}

func (g *grid) of(v float64) int32 {
	return int32(max(-1<<30, min(1<<30, math.Floor(v/g.cell))))
}

func (g *grid) put(i int32, r *ray) {
	g.cells(r, func(p [3]float64) {
		key := [3]int32{g.of(p[0]), g.of(p[1]), g.of(p[2])}
		if list := g.at[key]; len(list) == 0 || list[len(list)-1] != i {
			g.at[key] = append(list, i)
		}
	})
}

// near calls f with the segments near one, some of them several times, until f returns false.
func (g *grid) near(r *ray, reach float64, f func(j int32) bool) {
	out := g.cell/2 + reach // of two that lie upon each other, places are put down no further apart
	on := true
	g.cells(r, func(p [3]float64) {
		var lo, hi [3]int32
		for k := range 3 {
			lo[k], hi[k] = g.of(p[k]-out), g.of(p[k]+out)
		}
		for x := lo[0]; x <= hi[0]; x++ {
			for y := lo[1]; y <= hi[1]; y++ {
				for z := lo[2]; z <= hi[2]; z++ {
					for _, j := range g.at[[3]int32{x, y, z}] {
						if on = on && f(j); !on {
							return
						}
					}
				}
			}
		}
	})
}

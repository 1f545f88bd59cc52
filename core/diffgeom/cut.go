package diffgeom

import (
	"mobanta/core/mesh"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

// cut is a shape whose triangles are cut into pieces, by halves of their longest sides.
type cut struct {
	shape *shape.Shape // of the pieces
	roots []int32      // of each triangle the first halving, or, where it is whole, the complement of its piece; nil where all are
	halve []halving
	tri   []int32      // of each vertex of the pieces: in which triangle it lies
	place [][3]float32 // and where in that, as weights of its corners
}

// halving parts a triangle, or what is left of it, from the middle of the side that follows a corner to the corner across.
type halving struct {
	side int8
	kids [2]int32 // with the side's first half and with its second: a halving, or the complement of a piece
}

// maxCut is into how many pieces a shape is cut at most.
const maxCut = 120_000

// cutTo cuts a shape until at rest no side is longer than that; longer, where the pieces would become too many. Whether a side is
// halved depends on nothing but its length, so the pieces of two triangles meet at the same places of the side between them.
func cutTo(sh *shape.Shape, longest float64) *cut {
	if !(longest > 0) || len(sh.Rest.Tri) >= maxCut {
		return &cut{shape: sh}
	}
	for ; ; longest *= 1.2 {
		c := &cutter{cut: cut{shape: &shape.Shape{Rest: &mesh.Surface{}, Key: sh.Key}}, longest: float32(longest), number: map[[3]float32]int32{}}
		if c.all(sh) {
			if len(c.halve) == 0 {
				return &cut{shape: sh}
			}
			out := c.shape
			out.Rest.Pos, out.Rest.Normal = out.Pos, out.Normal
			return &c.cut
		}
	}
}

// cutter cuts.
type cutter struct {
	cut
	longest float32
	number  map[[3]float32]int32 // of the vertices of one triangle's pieces, by where they lie in it
	on      int32
}

// corner is one of a piece.
type corner struct {
	rest, pos, normal vec.V
	place             [3]float32
}

// all cuts all triangles; it stops where the pieces become too many, and tells whether they did not.
func (c *cutter) all(sh *shape.Shape) bool {
	for t, tri := range sh.Rest.Tri {
		var at [3]corner
		for k, v := range tri {
			at[k] = corner{rest: sh.Rest.Pos[v], pos: sh.Pos[v], normal: sh.Normal[v]}
			at[k].place[k] = 1
		}
		c.on = int32(t)
		clear(c.number)
		c.roots = append(c.roots, c.part(at))
		if len(c.shape.Rest.Tri) > maxCut {
			return false
		}
	}
	return true
}

// part cuts what is left of a triangle and returns it as a halving has its kids.
func (c *cutter) part(at [3]corner) int32 {
	side, most := -1, c.longest
	for k := range 3 {
		if long := at[(k+1)%3].rest.Sub(at[k].rest).Len(); long > most {
			side, most = k, long
		}
	}
	if side < 0 || len(c.shape.Rest.Tri) > maxCut {
		var tri [3]int32
		for k := range at {
			tri[k] = c.vertex(&at[k])
		}
		c.shape.Rest.Tri = append(c.shape.Rest.Tri, tri)
		return ^int32(len(c.shape.Rest.Tri) - 1)
	}
	i, j := side, (side+1)%3
	a, b := &at[i], &at[j]
	middle := corner{rest: a.rest.Add(b.rest).Mul(0.5), pos: a.pos.Add(b.pos).Mul(0.5), normal: a.normal.Add(b.normal).Unit()}
	for k := range 3 {
		middle.place[k] = (a.place[k] + b.place[k]) / 2
	}
	n := int32(len(c.halve))
	c.halve = append(c.halve, halving{side: int8(side)})
	first, second := at, at
	first[j], second[i] = middle, middle
	one := c.part(first)
	two := c.part(second)
	c.halve[n].kids = [2]int32{one, two}
	return n
}

// vertex returns the number of a corner.
func (c *cutter) vertex(at *corner) int32 {
	n, ok := c.number[at.place]
	if !ok {
		n = int32(len(c.shape.Pos))
		c.number[at.place] = n
		c.shape.Pos, c.shape.Normal = append(c.shape.Pos, at.pos), append(c.shape.Normal, at.normal)
		c.tri, c.place = append(c.tri, c.on), append(c.place, at.place)
	}
	return n
}

// corners calls f with each vertex of the pieces, the triangle in which it lies and where.
func (c *cut) corners(f func(v, tri int32, w [3]float32)) {
	if c.roots != nil {
		for v, t := range c.tri {
			f(int32(v), t, c.place[v])
		}
		return
	}
	for t, tri := range c.shape.Rest.Tri {
		for k, v := range tri {
			var w [3]float32
			w[k] = 1
			f(v, int32(t), w)
		}
	}
}

// at returns the piece in which a place of a triangle lies, and where in that; both as weights of corners.
func (c *cut) at(tri int, w [3]float32) (piece int32, in [3]float32) {
	if c.roots == nil {
		return int32(tri), w
	}
	n := c.roots[tri]
	for n >= 0 {
		h := &c.halve[n]
		i, j := h.side, (h.side+1)%3
		// The middle counts for as much of both.
		if w[i] >= w[j] {
			w[i], w[j] = w[i]-w[j], 2*w[j]
			n = h.kids[0]
		} else {
			w[i], w[j] = 2*w[i], w[j]-w[i]
			n = h.kids[1]
		}
	}
	return ^n, w
}

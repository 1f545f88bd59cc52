package diffgeom

import (
	"math"
	"slices"

	"mobanta/core/disjoint"
	"mobanta/core/mesh"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

// cut is a shape whose triangles are cut into pieces: the sides of each of a connected part of it into as many.
type cut struct {
	shape  *shape.Shape // of the pieces
	first  []int32      // of each triangle its first piece
	sides  []int32      // of each triangle into how many each of its sides is cut
	vertex []int32      // of each triangle the first vertex of its pieces, row by row; nil where none is cut
}

const (
	maxCut    = 120_000 // that a shape is cut into, where it has fewer triangles
	mostSides = 128     // into how many a side is cut at most
)

// cutTo cuts a shape until at rest no side is longer than that; longer, where the pieces would become too many.
func cutTo(sh *shape.Shape, longest float64) *cut {
	tris := sh.Rest.Tri
	c := &cut{first: make([]int32, len(tris)), sides: make([]int32, len(tris))}
	of, n := knots(sh, false)
	sets := disjoint.New(n)
	for _, t := range tris {
		sets.Join(of[t[0]], of[t[1]])
		sets.Join(of[t[0]], of[t[2]])
	}
	longs := make([]float64, n)
	for _, t := range tris {
		s := sets.Find(of[t[0]])
		for k := range 3 {
			longs[s] = max(longs[s], float64(sh.Rest.Pos[t[(k+1)%3]].Sub(sh.Rest.Pos[t[k]]).Len()))
		}
	}
	for ; ; longest *= 1.1 {
		pieces, most := 0, int32(1)
		for i, t := range tris {
			sides := int32(1)
			if long := longs[sets.Find(of[t[0]])]; longest > 0 {
				sides = int32(max(1, min(mostSides, math.Ceil(long/longest))))
			}
			c.first[i], c.sides[i] = int32(pieces), sides
			pieces += int(sides) * int(sides)
			most = max(most, c.sides[i])
		}
		if most == 1 {
			c.shape = sh
			return c
		}
		if pieces <= maxCut {
			break
		}
	}
	out := &shape.Shape{Rest: &mesh.Surface{}, Key: sh.Key}
	c.vertex = make([]int32, len(tris))
	for i, t := range tris {
		n := int(c.sides[i])
		c.vertex[i] = int32(len(out.Pos))
		number := make([]int32, (n+1)*(n+1))
		for j := range n + 1 {
			for i := range n + 1 - j {
				number[j*(n+1)+i] = int32(len(out.Pos))
				p, q := between(sh, t, n, i, j)
				out.Pos, out.Normal = append(out.Pos, p), append(out.Normal, q)
			}
		}
		for j := range n {
			row, next := number[j*(n+1):], number[(j+1)*(n+1):]
			for i := range n - j {
				out.Rest.Tri = append(out.Rest.Tri, [3]int32{row[i], row[i+1], next[i]})
				if i+j < n-1 {
					out.Rest.Tri = append(out.Rest.Tri, [3]int32{next[i+1], next[i], row[i+1]})
				}
			}
		}
	}
	out.Rest.Pos, out.Rest.Normal = out.Pos, out.Normal
	c.shape = out
	return c
}

// between returns the place, and the normal, i parts of n on the way to a triangle's second corner and j to its third. Along a side
// they are the same to the bit whichever triangle is asked.
func between(sh *shape.Shape, t [3]int32, n, i, j int) (p, normal vec.V) {
	mix := func(a, b int32, part int) (p, normal vec.V) {
		if slices.Compare(sh.Pos[a][:], sh.Pos[b][:]) > 0 {
			a, b, part = b, a, n-part
		}
		switch part {
		case 0:
			return sh.Pos[a], sh.Normal[a]
		case n:
			return sh.Pos[b], sh.Normal[b]
		}
		w := float32(part) / float32(n)
		return sh.Pos[a].Mix(sh.Pos[b], w), sh.Normal[a].Mix(sh.Normal[b], w).Unit()
	}
	switch {
	case j == 0:
		return mix(t[0], t[1], i)
	case i == 0:
		return mix(t[0], t[2], j)
	case i+j == n:
		return mix(t[1], t[2], j)
	}
	u, v := float32(i)/float32(n), float32(j)/float32(n)
	at := func(of []vec.V) vec.V { return of[t[0]].Mul(1 - u - v).Add(of[t[1]].Mul(u)).Add(of[t[2]].Mul(v)) }
	return at(sh.Pos), at(sh.Normal).Unit()
}

// corners calls f with each vertex of a triangle's pieces, and where it lies in the triangle.
func (c *cut) corners(tri int, f func(v int32, w [3]float64)) {
	if c.vertex == nil {
		for k, v := range c.shape.Rest.Tri[tri] {
			var w [3]float64
			w[k] = 1
			f(v, w)
		}
		return
	}
	n, v := int(c.sides[tri]), c.vertex[tri]
	for j := range n + 1 {
		for i := range n + 1 - j {
			a, b := float64(i)/float64(n), float64(j)/float64(n)
			f(v, [3]float64{1 - a - b, a, b})
			v++
		}
	}
}

// at returns the piece in which a place of a triangle lies, and where in that; both as weights of corners.
func (c *cut) at(tri int, w [3]float32) (piece int32, in [3]float32) {
	n := c.sides[tri]
	if n == 1 {
		return c.first[tri], w
	}
	u, v := w[1]*float32(n), w[2]*float32(n)
	i := max(0, min(n-1, int32(u)))
	j := max(0, min(n-1-i, int32(v)))
	u, v = u-float32(i), v-float32(j)
	piece = c.first[tri] + 2*n*j - j*j + 2*i // 2(n-k)-1 pieces lie in row k
	if u+v <= 1 || i+j == n-1 {
		return piece, [3]float32{1 - u - v, u, v}
	}
	return piece + 1, [3]float32{u + v - 1, 1 - u, 1 - v}
}

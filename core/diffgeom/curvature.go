package diffgeom

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Curvature is how a shape bends about each place, over a radius: its mean curvature,
// positive where it bulges, times the radius. Where the surface is smooth it comes from
// how normals turn; along creases from the angle between the two sides (the normal
// cycle: Cohen-Steiner and Morvan 2003).
type Curvature struct {
	Smooth  []float32 // per vertex: the smooth part, smoothed along the surface
	radius  float64
	creases []crease
	cells   map[cell][]int32 // → creases that may reach into it
}

// crease is a piece of an edge between two sides.
type crease struct {
	from, along vec.V // along is of length 1
	length      float32
	a, b        vec.V   // the sides' normals
	bend        float32 // half the angle between them; negative in a hollow
}

type cell [3]int32

// maxPieces limits the pieces of creases: of more, some stand for others.
const maxPieces = 1 << 18

// CurvatureOf returns the curvature of a shape over a radius greater than 0. It is kept
// with the surface, and must not be changed.
func CurvatureOf(sh *shape.Shape, radius float64, workers int) *Curvature {
	made, _ := sh.Rest.Keep(fmt.Sprintf("curvature %g %s", radius, sh.Key), func() (any, error) {
		c := &Curvature{radius: radius, cells: map[cell][]int32{}}
		c.smooth(sh, workers)
		c.crease(sh)
		return c, nil
	})
	return made.(*Curvature)
}

// smooth fills in the smooth part. Over a triangle the normals of whose corners are
// given, the mean curvature comes to half the flow of the normal out over its edges.
func (c *Curvature) smooth(sh *shape.Shape, workers int) {
	s := NewSheet(sh, true)
	sum := make([]float64, len(s.Area))
	for _, t := range sh.Rest.Tri {
		p := [3]vec.V{sh.Pos[t[0]], sh.Pos[t[1]], sh.Pos[t[2]]}
		n := p[1].Sub(p[0]).Cross(p[2].Sub(p[0])).Unit()
		m := 0.0
		for k := range 3 {
			i, j := k, (k+1)%3
			out := p[j].Sub(p[i]).Cross(n) // as long as the edge, in the plane, away from the triangle
			m += float64(sh.Normal[t[i]].Add(sh.Normal[t[j]]).Dot(out)) / 4
		}
		if m-m != 0 {
			continue
		}
		for _, v := range t {
			sum[s.Of[v]] += m / 3
		}
	}
	for i, a := range s.Area {
		if a > 0 {
			sum[i] /= a
		} else {
			sum[i] = 0
		}
	}
	s.Spread(sum, c.radius, workers)
	c.Smooth = make([]float32, len(sh.Pos))
	for v := range c.Smooth {
		c.Smooth[v] = float32(sum[s.Of[v]] * c.radius)
	}
}

// crease finds the edges where normals jump, and the cells that they reach into.
func (c *Curvature) crease(sh *shape.Shape) {
	of, n := knots(sh, false)
	// Only at places with several normals can one jump.
	normal, split := make([]vec.V, n), make([]bool, n)
	for v, k := range of {
		if normal[k] == (vec.V{}) {
			normal[k] = sh.Normal[v]
		}
		split[k] = split[k] || normal[k] != sh.Normal[v]
	}
	type edge struct {
		ends   uint64
		corner int32 // it starts at, by triangle
	}
	var edges []edge
	for t, tri := range sh.Rest.Tri {
		for k := range 3 {
			a, b := of[tri[k]], of[tri[(k+1)%3]]
			if a != b && (split[a] || split[b]) {
				edges = append(edges, edge{uint64(min(a, b))<<32 | uint64(max(a, b)), int32(3*t + k)})
			}
		}
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Or(cmp.Compare(a.ends, b.ends), cmp.Compare(a.corner, b.corner)) })
	each := func(f func(e crease)) {
		for i := 0; i < len(edges); {
			j := i + 1
			for j < len(edges) && edges[j].ends == edges[i].ends {
				j++
			}
			if j-i == 2 {
				if e, ok := jump(sh, edges[i].corner, edges[i+1].corner); ok {
					f(e)
				}
			}
			i = j
		}
	}
	pieces := 0.0
	each(func(e crease) { pieces += math.Ceil(float64(e.length) / (2 * c.radius)) })
	every, at := max(1, math.Ceil(pieces/maxPieces)), 0.0
	each(func(e crease) {
		// In pieces as long as they reach, so that each touches few cells.
		n := math.Ceil(float64(e.length) / (2 * c.radius))
		part := e
		part.length = e.length / float32(n)
		part.bend *= float32(every)
		for at < n {
			part.from = e.from.Add(e.along.Mul(part.length * float32(at)))
			c.put(part)
			at += every
		}
		at -= n
	})
}

// jump returns the crease along an edge that two triangles share, given by the corners
// that it starts at; ok is false where normals go on.
func jump(sh *shape.Shape, a, b int32) (e crease, ok bool) {
	side := func(c int32) (from, to, third, n vec.V) {
		t, k := sh.Rest.Tri[c/3], c%3
		i, j := t[k], t[(k+1)%3]
		return sh.Pos[i], sh.Pos[j], sh.Pos[t[(k+2)%3]], sh.Normal[i].Add(sh.Normal[j]).Unit()
	}
	from, to, third, n := side(a)
	_, _, other, m := side(b)
	if n == m || n == (vec.V{}) || m == (vec.V{}) {
		return e, false
	}
	e = crease{from: from, along: to.Sub(from), a: n, b: m, bend: float32(math.Acos(float64(max(-1, min(1, n.Dot(m))))) / 2)}
	e.length = e.along.Len()
	if !(e.length > 0) || e.bend < 1e-4 {
		return e, false
	}
	e.along = e.along.Mul(1 / e.length)
	if n.Dot(other.Sub(from))+m.Dot(third.Sub(from)) > 0 { // either side lies above the plane of the other
		e.bend = -e.bend
	}
	return e, true
}

// put adds a piece to the cells within its reach.
func (c *Curvature) put(e crease) {
	c.creases = append(c.creases, e)
	to := e.from.Add(e.along.Mul(e.length))
	r := float32(c.radius)
	var lo, hi cell
	for k := range 3 {
		lo[k], hi[k] = c.cellAt(min(e.from[k], to[k])-r), c.cellAt(max(e.from[k], to[k])+r)
	}
	for x := lo[0]; x <= hi[0]; x++ {
		for y := lo[1]; y <= hi[1]; y++ {
			for z := lo[2]; z <= hi[2]; z++ {
				key := cell{x, y, z}
				c.cells[key] = append(c.cells[key], int32(len(c.creases)-1))
			}
		}
	}
}

func (c *Curvature) cellAt(x float32) int32 {
	return int32(max(-1<<30, min(1<<30, math.Floor(float64(x)/c.radius))))
}

// Creased returns what creases add at a place of the surface whose normal is given: of
// those within the radius, less and less with the distance, where the normal is that of
// one of their sides.
func (c *Curvature) Creased(p, normal vec.V) float32 {
	if len(c.cells) == 0 {
		return 0
	}
	r := c.radius
	sum := 0.0
	for _, i := range c.cells[cell{c.cellAt(p[0]), c.cellAt(p[1]), c.cellAt(p[2])}] {
		e := &c.creases[i]
		d := p.Sub(e.from)
		along := float64(d.Dot(e.along))
		q := 1 - (float64(d.Dot(d))-along*along)/(r*r)
		if q <= 0 {
			continue
		}
		reach := r * math.Sqrt(min(1, q))
		lo, hi := max(-along, -reach), min(float64(e.length)-along, reach)
		if lo >= hi {
			continue
		}
		// The integral of (1 − s²/r²)² along the piece, s being the distance.
		whole := func(x float64) float64 {
			y := x * x / (r * r)
			return x * (q*q - q*y*2/3 + y*y/5)
		}
		near := max(0, min(1, float64(max(normal.Dot(e.a), normal.Dot(e.b)))))
		sum += float64(e.bend) * near * (whole(hi) - whole(lo))
	}
	return float32(sum * 3 / (math.Pi * r)) // over the integral of the same over a disc, πr²/3, times the radius
}

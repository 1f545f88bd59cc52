package sample

import (
	"math"

	"mobanta/core/stage"
	"mobanta/core/vec"
)

// given is the origin of points whose weights were known from the start; it tells
// how far it is to the next of them.
type given struct {
	step []float32 // of each, in world units
	num  []int32   // of each, for chance; its own number in the first of all
}

func (o *given) ready(*Points, Attr, int) {}

func (o *given) place(*Points, int, int) {}

func (o *given) page(*Points, int) (x, y float32, ok bool) { return 0, 0, false }

func (o *given) foot(_ *Points, i int) float32 { return o.step[i] }

func (o *given) chance(_ *Points, i int) (u, v float32) { return spread(float64(o.num[i]), 0) }

func (o *given) pick(points []int32) origin {
	out := &given{step: make([]float32, len(points)), num: make([]int32, len(points))}
	for i, k := range points {
		out.step[i], out.num[i] = o.step[k], o.num[k]
	}
	return out
}

// add puts in a point with weights u and v.
func (p *Points) add(sc *stage.Scene, t int32, u, v, step float32) {
	o := p.origin.(*given)
	o.step, o.num = append(o.step, step), append(o.num, int32(p.N))
	p.Tri, p.PartOf = append(p.Tri, t), append(p.PartOf, sc.TriPart[t])
	p.Weights[0], p.Weights[1], p.Back = append(p.Weights[0], u), append(p.Weights[1], v), append(p.Back, false)
	p.N++
}

func without(sc *stage.Scene, view *stage.View) *Points {
	p := &Points{geo: sc.Geometry, origin: &given{}, has: Weights}
	if view != nil {
		p.View = *view
	}
	return p
}

// One returns a single point of a triangle, with the weights of its second and third
// corner and its footprint in world units. view may be nil: then the eye looks
// straight at it.
func One(sc *stage.Scene, view *stage.View, tri int32, u, v, foot float32) *Points {
	p := without(sc, view)
	p.add(sc, tri, u, v, foot)
	return p
}

// Place is a place on a triangle: the weights of its second and third corner.
type Place struct {
	Tri     int32
	Weights [2]float32
}

// At returns a point for each of some places, as the eye looks at them; each covers what a pixel does
// that looks straight at it.
func At(sc *stage.Scene, view *stage.View, places []Place) *Points {
	p := without(sc, view)
	for _, at := range places {
		v := sc.Tri[at.Tri]
		a, b := at.Weights[0], at.Weights[1]
		pos := sc.Pos[v[0]].Mul(1 - a - b).Add(sc.Pos[v[1]].Mul(a)).Add(sc.Pos[v[2]].Mul(b))
		far := float32(1)
		if !view.Ortho {
			far = max(view.Near, view.Camera(pos)[2])
		}
		p.add(sc, at.Tri, a, b, far/view.Scale)
	}
	return p
}

// Vertices returns one point for each vertex of the scene that a triangle uses, and
// which vertices they are. They cover nothing.
func Vertices(sc *stage.Scene, view *stage.View) (p *Points, vertex []int32) {
	p = without(sc, view)
	seen := make([]bool, len(sc.Pos))
	for t, tri := range sc.Tri {
		for k, v := range tri {
			if seen[v] {
				continue
			}
			seen[v] = true
			w := [3]float32{}
			w[k] = 1
			p.add(sc, int32(t), w[1], w[2], 0)
			vertex = append(vertex, v)
		}
	}
	return p, vertex
}

// Texels returns one point for each texel of a picture of w × h, laid over the texture
// coordinates from 0 to 1, whose middle lies in a triangle of one of the parts that
// keep tells to keep; and which texels they are, row by row from the top. Where
// triangles overlap the first one has the texel.
func Texels(sc *stage.Scene, view *stage.View, w, h int, keep func(part int32) bool) (p *Points, texel []int32) {
	p = without(sc, view)
	taken := make([]bool, w*h)
	for t, tri := range sc.Tri {
		if !keep(sc.TriPart[t]) || !sc.Parts[sc.TriPart[t]].UV {
			continue
		}
		var x, y [3]float64 // of the corners, in texels
		for k, v := range tri {
			x[k], y[k] = float64(sc.UV[v][0])*float64(w), (1-float64(sc.UV[v][1]))*float64(h)
		}
		e1x, e1y, e2x, e2y := x[1]-x[0], y[1]-y[0], x[2]-x[0], y[2]-y[0]
		det := e1x*e2y - e1y*e2x
		if det == 0 || det-det != 0 {
			continue
		}
		a, b, c := sc.Pos[tri[0]], sc.Pos[tri[1]], sc.Pos[tri[2]]
		step := texelStep(b.Sub(a), c.Sub(a), e1x/det, e1y/det, e2x/det, e2y/det)
		x0, x1 := whole(min(x[0], x[1], x[2])-0.5, w), whole(max(x[0], x[1], x[2])+0.5, w)
		y0, y1 := whole(min(y[0], y[1], y[2])-0.5, h), whole(max(y[0], y[1], y[2])+0.5, h)
		for j := y0; j < y1; j++ {
			for i := x0; i < x1; i++ {
				dx, dy := float64(i)+0.5-x[0], float64(j)+0.5-y[0]
				u, v := (dx*e2y-dy*e2x)/det, (dy*e1x-dx*e1y)/det
				if taken[j*w+i] || u < 0 || v < 0 || u+v > 1 {
					continue
				}
				taken[j*w+i] = true
				p.add(sc, int32(t), float32(u), float32(v), step)
				texel = append(texel, int32(j*w+i))
			}
		}
	}
	return p, texel
}

// texelStep is the longer of the ways on a triangle, with sides b and c, to the next
// texel across and down; the other numbers are the rows of its map to texels, over
// its determinant.
func texelStep(b, c vec.V, bx, by, cx, cy float64) float32 {
	across := b.Mul(float32(cy)).Sub(c.Mul(float32(by)))
	down := c.Mul(float32(bx)).Sub(b.Mul(float32(cx)))
	return max(across.Len(), down.Len())
}

// whole returns x as a whole number from 0 to n.
func whole(x float64, n int) int {
	return int(max(0, min(float64(n), math.Floor(x+0.5))))
}

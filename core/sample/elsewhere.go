package sample

import (
	"math"

	"mobanta/core/stage"
	"mobanta/core/vec"
)

// given is the origin of points whose weights were known from the start; it tells
// how far it is to the next of them.
type given struct {
	step   []float32 // of each, in world units
	num    []int32   // of each, for chance; its own number in the first of all
	across int       // how many numbers there are in a row; 0 for all
}

func (o *given) ready(*Points, Attr, int) {}

func (o *given) place(*Points, int, int) {}

func (o *given) page(*Points, int) (x, y float32, ok bool) { return 0, 0, false }

func (o *given) foot(_ *Points, i int) float32 { return o.step[i] }

func (o *given) chance(_ *Points, i int) (u, v float32) {
	if n := int(o.num[i]); o.across > 0 {
		return spread(float64(n%o.across), float64(n/o.across))
	}
	return spread(float64(o.num[i]), 0)
}

func (o *given) pick(points []int32) origin {
	out := &given{step: make([]float32, len(points)), num: make([]int32, len(points)), across: o.across}
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

// Texels says which texels of a picture of W × H are asked for, and where in each.
type Texels struct {
	W, H int
	Rows [2]int     // from the first up to, without it, the second, counted from the top; both 0 for all
	At   [2]float64 // place within a texel, 0 to 1; ½, ½ is its middle
	// Lay gives the texture coordinates of a triangle's corners; nil for those of the scene.
	Lay func(t int32) [3][2]float32
	// Only holds for each texel of these rows whether it is asked for; nil for all.
	Only []bool
	// Taken holds for each texel of these rows whether a triangle has it already; nil for none has. It is brought up to date.
	Taken []bool
	// Over counts the texels in which a triangle lies over another's that had them: well within it, not at its borders.
	Over int
	// Wide counts triangles that reach over more than maxTiles pictures, which are left out.
	Wide int
}

// maxTiles is over how many pictures, laid side by side, a triangle may reach.
const maxTiles = 2

// Points returns one point for each texel whose place lies in a triangle of one of the parts that keep tells to
// keep; and which texels they are, row by row from the top. Texture coordinates from 0 to 1 are the picture; beyond,
// it repeats. Where triangles overlap the first one has the texel.
func (x *Texels) Points(sc *stage.Scene, view *stage.View, keep func(part int32) bool) (p *Points, texel []int32) {
	p = without(sc, view)
	p.origin.(*given).across = x.W
	if x.Rows == [2]int{} {
		x.Rows[1] = x.H
	}
	top, rows := x.Rows[0], x.Rows[1]-x.Rows[0]
	if x.Taken == nil {
		x.Taken = make([]bool, x.W*rows)
	}
	w, h := float64(x.W), float64(x.H)
	for t, tri := range sc.Tri {
		if !keep(sc.TriPart[t]) || x.Lay == nil && !sc.Parts[sc.TriPart[t]].UV {
			continue
		}
		uv := [3][2]float32{sc.UV[tri[0]], sc.UV[tri[1]], sc.UV[tri[2]]}
		if x.Lay != nil {
			uv = x.Lay(int32(t))
		}
		var ax, ay [3]float64 // of the corners, in texels
		for k, p := range uv {
			ax[k], ay[k] = float64(p[0])*w, (1-float64(p[1]))*h
		}
		// The picture that the triangle's middle lies in.
		ox, oy := math.Floor((ax[0]+ax[1]+ax[2])/3/w)*w, math.Floor((ay[0]+ay[1]+ay[2])/3/h)*h
		for k := range ax {
			ax[k], ay[k] = ax[k]-ox, ay[k]-oy
		}
		e1x, e1y, e2x, e2y := ax[1]-ax[0], ay[1]-ay[0], ax[2]-ax[0], ay[2]-ay[0]
		det := e1x*e2y - e1y*e2x
		if det == 0 || det-det != 0 {
			continue
		}
		if max(ax[0], ax[1], ax[2])-min(ax[0], ax[1], ax[2]) > maxTiles*w || max(ay[0], ay[1], ay[2])-min(ay[0], ay[1], ay[2]) > maxTiles*h {
			x.Wide++
			continue
		}
		y0, y1 := int(math.Ceil(min(ay[0], ay[1], ay[2])-x.At[1])), int(math.Floor(max(ay[0], ay[1], ay[2])-x.At[1]))
		if y0 >= 0 && y1 < x.H && (y1 < top || y0 >= top+rows) {
			continue
		}
		a, b, c := sc.Pos[tri[0]], sc.Pos[tri[1]], sc.Pos[tri[2]]
		step := texelStep(b.Sub(a), c.Sub(a), e1x/det, e1y/det, e2x/det, e2y/det)
		x0, x1 := int(math.Ceil(min(ax[0], ax[1], ax[2])-x.At[0])), int(math.Floor(max(ax[0], ax[1], ax[2])-x.At[0]))
		for j := y0; j <= y1; j++ {
			row := ((j%x.H)+x.H)%x.H - top
			if row < 0 || row >= rows {
				continue
			}
			for i := x0; i <= x1; i++ {
				dx, dy := float64(i)+x.At[0]-ax[0], float64(j)+x.At[1]-ay[0]
				u, v := (dx*e2y-dy*e2x)/det, (dy*e1x-dx*e1y)/det
				if u < 0 || v < 0 || u+v > 1 {
					continue
				}
				at := row*x.W + ((i%x.W)+x.W)%x.W
				if x.Only != nil && !x.Only[at] {
					continue
				}
				if x.Taken[at] {
					if min(u, v, 1-u-v) > 1e-3 {
						x.Over++
					}
					continue
				}
				x.Taken[at] = true
				p.add(sc, int32(t), float32(u), float32(v), step)
				at += top * x.W
				o := p.origin.(*given)
				o.num[len(o.num)-1] = int32(at)
				texel = append(texel, int32(at))
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

package sample

import (
	"math"

	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Pixels is the origin of points that a camera sees through pixels.
type Pixels struct {
	At    [2]float32 // place within the pixel
	Pixel []int32    // row × width + column, of the part of the picture that is drawn
	part  bool       // whether the points were picked from others
	own   [2][]float32
}

// Place returns the place within its pixel of point i.
func (o *Pixels) Place(i int) (x, y float32) {
	if o.own[0] != nil {
		return o.own[0][i], o.own[1][i]
	}
	return o.At[0], o.At[1]
}

// Strew moves each point to a place of its own within its pixel: the k-th of n that fill
// the pixel evenly and each of its sides in equal steps, turned over by another amount
// from pixel to pixel (Cranley and Patterson 1976), so that the mean over an area is right
// for patterns of any direction. The point goes on the plane of the triangle that it was
// on. To be called before anything is resolved.
func (p *Points) Strew(k, n int) {
	o := p.Pixels()
	o.own = [2][]float32{make([]float32, p.N), make([]float32, p.N)}
	row := rank(k, n)
	for i, px := range o.Pixel {
		x, y := p.View.Counted(px)
		u, v := spread(float64(x), float64(y))
		o.own[0][i] = fraction((float64(k)+0.5)/float64(n) + float64(u))
		o.own[1][i] = fraction((float64(row)+0.5)/float64(n) + float64(v))
	}
}

// rank tells which of n equal steps the k-th multiple of the golden ratio comes in when
// all n are sorted: a lattice that fills the square.
func rank(k, n int) (r int) {
	golden := func(i int) float64 { f := float64(i) * 0.6180339887498949; return f - math.Floor(f) }
	for i := range n {
		if golden(i) < golden(k) {
			r++
		}
	}
	return r
}

// Pixels tells through which pixels the points are seen; nil for points that came
// from elsewhere.
func (p *Points) Pixels() *Pixels {
	o, _ := p.origin.(*Pixels)
	return o
}

// Seen returns points for each of several groups: those that vis shows at the pixels
// that keep tells to keep (all, if keep is nil), sorted by the group of their part.
// Parts with a group below 0 are left out. Points are in the order of their pixels.
func Seen(vis *Visibility, scene *stage.Scene, view stage.View, groups int, group []int, keep func(pixel int32) bool) []*Points {
	counts := make([]int, groups)
	each := func(f func(g int, i, t, part int32)) {
		for i, t := range vis.Tri {
			if t < 0 || keep != nil && !keep(int32(i)) {
				continue
			}
			part := scene.TriPart[t]
			if g := group[part]; g >= 0 {
				f(g, int32(i), t, part)
			}
		}
	}
	each(func(g int, _, _, _ int32) { counts[g]++ })
	out, pixels := make([]*Points, groups), make([]*Pixels, groups)
	for g, n := range counts {
		pixels[g] = &Pixels{At: vis.Jitter, Pixel: make([]int32, 0, n)}
		out[g] = &Points{View: view, geo: scene.Geometry, origin: pixels[g], Tri: make([]int32, 0, n), PartOf: make([]int32, 0, n)}
	}
	each(func(g int, i, t, part int32) {
		p, o := out[g], pixels[g]
		o.Pixel, p.Tri, p.PartOf = append(o.Pixel, i), append(p.Tri, t), append(p.PartOf, part)
	})
	for _, p := range out {
		p.N = len(p.Tri)
	}
	return out
}

// SeenAt returns the points that vis shows at some pixels, in their order; each must
// show one.
func SeenAt(vis *Visibility, scene *stage.Scene, view stage.View, pixels []int32) *Points {
	p := &Points{N: len(pixels), View: view, geo: scene.Geometry, origin: &Pixels{At: vis.Jitter, Pixel: pixels, part: true},
		Tri: make([]int32, len(pixels)), PartOf: make([]int32, len(pixels))}
	for i, at := range pixels {
		p.Tri[i] = vis.Tri[at]
		p.PartOf[i] = scene.TriPart[p.Tri[i]]
	}
	return p
}

func (o *Pixels) pick(points []int32) origin {
	out := &Pixels{At: o.At, Pixel: make([]int32, len(points)), part: true}
	for i, k := range points {
		out.Pixel[i] = o.Pixel[k]
	}
	for c, own := range o.own {
		if own != nil {
			out.own[c] = make([]float32, len(points))
			for i, k := range points {
				out.own[c][i] = own[k]
			}
		}
	}
	return out
}

func (o *Pixels) ready(*Points, Attr, int) {}

func (o *Pixels) place(*Points, int, int) {} // see look

func (o *Pixels) page(p *Points, i int) (x, y float32, ok bool) {
	px, py := p.View.Counted(o.Pixel[i])
	h := float32(p.View.H)
	dx, dy := o.Place(i)
	return (float32(px) + dx) / h, 1 - (float32(py)+dy)/h, true
}

// chance moves by fixed steps from pixel to pixel (Roberts 2018).
func (o *Pixels) chance(p *Points, i int) (u, v float32) {
	px, py := p.View.Counted(o.Pixel[i])
	x, y := o.Place(i)
	return spread(float64(px)+float64(x), float64(py)+float64(y))
}

// spread returns the chance numbers of a place on a grid of unit steps.
func spread(x, y float64) (u, v float32) {
	return fraction(x*0.8191725133961645 + y*0.6710436067037893), fraction(x*0.5497004779019703 + y*0.7548776662466927 + 0.5)
}

func fraction(x float64) float32 { return float32(x - math.Floor(x)) }

// foot is the longer of the ways that a point makes on the plane of its triangle
// while the pixel moves by one to the right or up.
func (o *Pixels) foot(p *Points, i int) float32 {
	return pixelStep(p, i)
}

func pixelStep(p *Points, i int) float32 {
	v := &p.View
	at := vec.V{p.Pos[0][i], p.Pos[1][i], p.Pos[2][i]}
	n := vec.V{p.Flat[0][i], p.Flat[1][i], p.Flat[2][i]}
	e := vec.V{p.Eye[0][i], p.Eye[1][i], p.Eye[2][i]}
	far := float32(1)
	if !v.Ortho {
		far = max(v.Near, v.Camera(at)[2])
	}
	longest := float32(0)
	cos := n.Dot(e)
	for _, d := range [2]vec.V{v.Right, v.Up} {
		if cos > 1e-3 { // seen edge on a pixel covers more than can be said
			d = d.Sub(e.Mul(n.Dot(d) / cos))
		} else {
			d = d.Mul(1e3)
		}
		longest = max(longest, d.Dot(d))
	}
	return min(vec.Sqrt(longest)*far/v.Scale, p.geo.Size)
}

// maxBeyond limits how far beyond its triangle a point that was strewn may lie: a
// triangle that is seen nearly edge on says nothing of what is beside it.
const maxBeyond = 8

// look finds where the rays through pixels meet the planes of their triangles, and
// the directions to the eye (Möller and Trumbore 1997).
func (o *Pixels) look(p *Points, want Attr, lo, hi int) {
	g, view := p.geo, &p.View
	frame := view.Frame()
	w, left, top := int32(frame.Dx()), int32(frame.Min.X), int32(frame.Min.Y)
	ax, ay := o.At[0], o.At[1]
	for i := lo; i < hi; i++ {
		px := o.Pixel[i]
		if o.own[0] != nil {
			ax, ay = o.own[0][i], o.own[1][i]
		}
		sx := (float32(left+px%w) + ax - float32(view.W)/2) / view.Scale
		sy := (float32(view.H)/2 - float32(top+px/w) - ay) / view.Scale
		dx := view.Right[0]*sx + view.Up[0]*sy
		dy := view.Right[1]*sx + view.Up[1]*sy
		dz := view.Right[2]*sx + view.Up[2]*sy
		ox, oy, oz := view.Eye[0], view.Eye[1], view.Eye[2]
		if view.Ortho {
			ox, oy, oz = ox+dx, oy+dy, oz+dz
			dx, dy, dz = -view.Back[0], -view.Back[1], -view.Back[2]
		} else {
			dx, dy, dz = dx-view.Back[0], dy-view.Back[1], dz-view.Back[2]
			l := 1 / vec.Sqrt(dx*dx+dy*dy+dz*dz)
			dx, dy, dz = dx*l, dy*l, dz*l
		}
		if want&Eye != 0 {
			p.Eye[0][i], p.Eye[1][i], p.Eye[2][i] = -dx, -dy, -dz
		}
		if want&Weights == 0 {
			continue
		}
		t := &g.Tri[p.Tri[i]]
		a, b, c := &g.Pos[t[0]], &g.Pos[t[1]], &g.Pos[t[2]]
		bx, by, bz := a[0], a[1], a[2]
		e1x, e1y, e1z := b[0]-bx, b[1]-by, b[2]-bz
		e2x, e2y, e2z := c[0]-bx, c[1]-by, c[2]-bz
		qx, qy, qz := dy*e2z-dz*e2y, dz*e2x-dx*e2z, dx*e2y-dy*e2x
		det := e1x*qx + e1y*qy + e1z*qz
		inv := 1 / det
		rx, ry, rz := ox-bx, oy-by, oz-bz
		u := (rx*qx + ry*qy + rz*qz) * inv
		kx, ky, kz := ry*e1z-rz*e1y, rz*e1x-rx*e1z, rx*e1y-ry*e1x
		v := (dx*kx + dy*ky + dz*kz) * inv
		if o.own[0] == nil || !(max(u, -u) < maxBeyond && max(v, -v) < maxBeyond) {
			u, v = clampWeights(u, v)
		}
		p.Weights[0][i], p.Weights[1][i] = u, v
		p.Back[i] = det < 0 // the ray meets the back
	}
}

// Grid tells which point is seen through a pixel.
type Grid struct {
	x0, y0, w, h int
	at           []int32
}

// Grid returns the grid of points with at most one behind each pixel; nil for points
// that are not seen through pixels, or do not fill their grid since they were picked
// from others: nothing can be said of what lies beside them.
func (p *Points) Grid() *Grid {
	o := p.Pixels()
	if o == nil || o.part {
		return nil
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.grid != nil {
		return p.grid
	}
	g := &Grid{x0: p.View.W, y0: p.View.H}
	x1, y1 := 0, 0
	for _, px := range o.Pixel {
		x, y := p.View.Counted(px)
		g.x0, g.y0, x1, y1 = min(g.x0, x), min(g.y0, y), max(x1, x+1), max(y1, y+1)
	}
	g.w, g.h = max(0, x1-g.x0), max(0, y1-g.y0)
	g.at = make([]int32, g.w*g.h)
	for i := range g.at {
		g.at[i] = -1
	}
	for i, px := range o.Pixel {
		x, y := p.View.Counted(px)
		g.at[(y-g.y0)*g.w+x-g.x0] = int32(i)
	}
	p.grid = g
	return g
}

// At returns the point behind a pixel of the picture, -1 if there is none.
func (g *Grid) At(x, y int) int32 {
	if x -= g.x0; x < 0 || x >= g.w {
		return -1
	}
	if y -= g.y0; y < 0 || y >= g.h {
		return -1
	}
	return g.at[y*g.w+x]
}

// HalfWay fills lo and hi, for the points from number from on, with bounds of values
// half-way to those of the pixels on either side that show the same part. The points
// have a grid.
func (p *Points) HalfWay(values []float32, from int, lo, hi []float32) {
	grid, pixels := p.Grid(), p.Pixels().Pixel
	for k := range lo {
		i := from + k
		x, y := p.View.Counted(pixels[i])
		v := values[i]
		r := float32(0)
		for _, axis := range [2][2]int32{{grid.At(x-1, y), grid.At(x+1, y)}, {grid.At(x, y-1), grid.At(x, y+1)}} {
			most := float32(0)
			for _, j := range axis {
				if j >= 0 && p.PartOf[j] == p.PartOf[i] {
					d := values[j] - v
					most = max(most, d, -d)
				}
			}
			r += most / 2
		}
		lo[k], hi[k] = v-r, v+r
	}
}

// NormalAt returns the smooth normal and the place of the point seen at a pixel
// of vis; ok is false where there is none.
func NormalAt(vis *Visibility, scene *stage.Scene, view stage.View, x, y int) (normal, place, eye vec.V, ok bool) {
	if x < 0 || y < 0 || x >= vis.W || y >= vis.H || vis.Tri[y*vis.W+x] < 0 {
		return
	}
	p := SeenAt(vis, scene, view, []int32{int32(y*vis.W + x)})
	p.Resolve(Pos|Normal|Eye, 1)
	at := func(q [3][]float32) vec.V { return vec.V{q[0][0], q[1][0], q[2][0]} }
	return at(p.Norm), at(p.Pos), at(p.Eye), true
}

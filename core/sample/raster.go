// Package sample finds the visible points of a picture and holds them as sample sets: arrays of surface points over
// which networks are evaluated.
package sample

import (
	"context"
	"image"
	"math"
	"sync"

	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Visibility tells for each pixel of a picture which triangle is seen there.
type Visibility struct {
	W, H   int         // of the part of the picture that is drawn
	Min    image.Point // where that lies in the picture
	Jitter [2]float32  // place within the pixel that was looked at, 0..1
	Tri    []int32     // row by row from the top; triangle number, -1 where there is none
	Near   []float32   // nearness as stage.View.Project gives it; only greater and smaller matter where Tri is -1
}

const (
	tileSize = stage.Grain
	subpixel = 256       // vertices are snapped to 1/subpixel of a pixel
	guard    = 1_000_000 // pixels beyond the picture up to which triangles are not cut
	chunks   = 16        // pieces in which triangles are sorted into tiles; fixed, so that order does not depend on cores
)

// Projector holds the vertices of a scene as a camera sees them, to be drawn
// from several places within the pixel.
type Projector struct {
	geo  *stage.Geometry
	view stage.View
	x, y []int32   // in subpixels
	near []float32 // NaN where the vertex lies behind the near plane or beyond the guard

	bins *sync.Pool // of *[][]bin, by chunk and tile, from one picture to the next
}

// NewProjector projects the vertices of geo on up to workers cores.
func NewProjector(geo *stage.Geometry, view stage.View, workers int) *Projector {
	n := len(geo.Pos)
	p := &Projector{geo: geo, view: view, x: make([]int32, n), y: make([]int32, n), near: make([]float32, n), bins: &sync.Pool{}}
	nan := float32(math.NaN())
	parallel.Do(workers, (n+8191)/8192, func(job int) {
		for i := job * 8192; i < min(n, (job+1)*8192); i++ {
			q := view.Camera(geo.Pos[i])
			if !view.Ortho && q[2] < view.Near {
				p.near[i] = nan
				continue
			}
			x, y, near := view.Project(q)
			if !(abs(x) < guard && abs(y) < guard) {
				near = nan
			}
			p.x[i], p.y[i], p.near[i] = snap(x), snap(y), near
		}
	})
	return p
}

// Turned returns a projector of the same vertices that draws another part of the picture; see stage.View.Area.
func (p *Projector) Turned(area image.Rectangle) *Projector {
	out := *p
	out.view.Area = area
	return &out
}

// Shows tells whether the projector's vertices are those of geo as view sees them, whichever part of the picture it is
// about.
func (p *Projector) Shows(geo *stage.Geometry, view stage.View) bool {
	view.Area = p.view.Area
	return p.geo == geo && p.view == view
}

// Bytes returns how much memory the projector takes.
func (p *Projector) Bytes() int { return 12 * len(p.near) }

func abs(x float32) float32 { return max(x, -x) }

// snap returns pixels as whole subpixels; what cannot be said so is 0.
func snap(x float32) int32 {
	if !(abs(x) < 2*guard) {
		return 0
	}
	return int32(math.Floor(float64(x)*subpixel + 0.5))
}

// corner is a vertex on the picture, in subpixels from the first sample.
type corner struct {
	x, y int32
	near float32
}

type drawn struct {
	v   [3]corner
	tri int32
}

type bin struct {
	plain []int32 // triangles with all vertices in sight
	cut   []drawn // pieces of those that were clipped
}

// Draw returns what is seen through the given place within each pixel, (0.5,
// 0.5) being the middle. It stops early, with the context's error, when ctx ends.
// The place is rounded to a subpixel.
func (p *Projector) Draw(ctx context.Context, at [2]float32, workers int) (*Visibility, error) {
	return p.DrawInto(ctx, nil, at, workers)
}

// DrawInto is Draw into the memory of old, which may be nil, or of a picture of another size, and is not to be used again.
func (p *Projector) DrawInto(ctx context.Context, old *Visibility, at [2]float32, workers int) (*Visibility, error) {
	frame := p.view.Frame()
	w, h := frame.Dx(), frame.Dy()
	jitter := [2]int32{snap(at[0]), snap(at[1])}
	at = [2]float32{float32(jitter[0]) / subpixel, float32(jitter[1]) / subpixel}
	vis := old
	if vis == nil || len(vis.Tri) != w*h {
		vis = &Visibility{Tri: make([]int32, w*h), Near: make([]float32, w*h)}
	}
	vis.W, vis.H, vis.Min, vis.Jitter = w, h, frame.Min, at
	tiles := image.Rect(frame.Min.X/tileSize, frame.Min.Y/tileSize, (frame.Max.X+tileSize-1)/tileSize, (frame.Max.Y+tileSize-1)/tileSize)
	n := tiles.Dx() * tiles.Dy()
	kept, _ := p.bins.Get().(*[][]bin)
	if kept == nil || len((*kept)[0]) != n {
		all := make([][]bin, chunks)
		for c := range all {
			all[c] = make([]bin, n)
		}
		kept = &all
	}
	defer p.bins.Put(kept)
	bins := *kept
	nt := len(p.geo.Tri)
	parallel.Do(workers, chunks, func(c int) {
		for i := range bins[c] {
			b := &bins[c][i]
			b.plain, b.cut = b.plain[:0], b.cut[:0]
		}
		if ctx.Err() != nil {
			return
		}
		for t := c * nt / chunks; t < (c+1)*nt/chunks; t++ {
			p.sort(bins[c], tiles, int32(t), jitter)
		}
	})
	parallel.Do(workers, n, func(tile int) {
		if ctx.Err() != nil {
			return
		}
		x0, y0 := (tiles.Min.X+tile%tiles.Dx())*tileSize, (tiles.Min.Y+tile/tiles.Dx())*tileSize
		x1, y1 := min(x0+tileSize, frame.Max.X), min(y0+tileSize, frame.Max.Y)
		for y := y0; y < y1; y++ {
			row := (y-frame.Min.Y)*w - frame.Min.X
			for i := row + x0; i < row+x1; i++ {
				vis.Tri[i] = -1
				vis.Near[i] = -math.MaxFloat32
			}
		}
		for c := range bins {
			b := &bins[c][tile]
			for _, t := range b.plain {
				vis.fill(p.corners(t, jitter), t, x0, y0, x1, y1)
			}
			for i := range b.cut {
				vis.fill(b.cut[i].v, b.cut[i].tri, x0, y0, x1, y1)
			}
		}
	})
	return vis, ctx.Err()
}

func (p *Projector) corners(t int32, jitter [2]int32) (out [3]corner) {
	for k, v := range p.geo.Tri[t] {
		out[k] = corner{p.x[v] - jitter[0], p.y[v] - jitter[1], p.near[v]}
	}
	return out
}

// sort puts a triangle into the bins of the tiles that its box touches.
func (p *Projector) sort(bins []bin, in image.Rectangle, t int32, jitter [2]int32) {
	v := p.corners(t, jitter)
	if sum := v[0].near + v[1].near + v[2].near; sum != sum {
		for _, piece := range p.clip(t, jitter) {
			tiles(&piece, in, func(i int) { bins[i].cut = append(bins[i].cut, drawn{piece, t}) })
		}
		return
	}
	tiles(&v, in, func(i int) { bins[i].plain = append(bins[i].plain, t) })
}

// tiles calls f for every tile of those from in.Min up to in.Max that the samples within the
// triangle's box touch; a box that lies between two rows or columns of samples touches none.
func tiles(v *[3]corner, in image.Rectangle, f func(i int)) {
	x0, x1 := (min(v[0].x, v[1].x, v[2].x)+subpixel-1)>>8, max(v[0].x, v[1].x, v[2].x)>>8
	y0, y1 := (min(v[0].y, v[1].y, v[2].y)+subpixel-1)>>8, max(v[0].y, v[1].y, v[2].y)>>8
	if x0 > x1 || y0 > y1 || x1 < 0 || y1 < 0 {
		return
	}
	i0, i1 := max(in.Min.X, max(0, int(x0))/tileSize), min(in.Max.X-1, int(x1)/tileSize)
	for j := max(in.Min.Y, max(0, int(y0))/tileSize); j <= min(in.Max.Y-1, int(y1)/tileSize); j++ {
		for i := i0; i <= i1; i++ {
			f((j-in.Min.Y)*in.Dx() + i - in.Min.X)
		}
	}
}

// clip cuts a triangle at the near plane and the guard (Sutherland and Hodgman
// 1974) and returns what is left as triangles on the picture.
func (p *Projector) clip(t int32, jitter [2]int32) [][3]corner {
	v := &p.view
	var poly []vec.V
	for _, i := range p.geo.Tri[t] {
		poly = append(poly, v.Camera(p.geo.Pos[i]))
	}
	const edge = guard / 2
	planes := []func(q vec.V) float32{}
	for _, s := range []float32{1, -1} {
		for axis := range 2 {
			planes = append(planes, func(q vec.V) float32 {
				if v.Ortho {
					return edge - s*v.Scale*q[axis]
				}
				return edge*q[2] - s*v.Scale*q[axis]
			})
		}
	}
	if !v.Ortho {
		planes = append([]func(q vec.V) float32{func(q vec.V) float32 { return q[2] - v.Near }}, planes...)
	}
	for _, side := range planes {
		var out []vec.V
		for i, a := range poly {
			b := poly[(i+1)%len(poly)]
			da, db := side(a), side(b)
			if da >= 0 {
				out = append(out, a)
			}
			if (da >= 0) != (db >= 0) {
				out = append(out, a.Mix(b, da/(da-db)))
			}
		}
		poly = out
	}
	var tris [][3]corner
	var pts []corner
	for _, q := range poly {
		x, y, near := v.Project(q)
		if x-x != 0 || y-y != 0 || near-near != 0 {
			return nil
		}
		pts = append(pts, corner{snap(x) - jitter[0], snap(y) - jitter[1], near})
	}
	for i := 1; i+1 < len(pts); i++ {
		tris = append(tris, [3]corner{pts[0], pts[i], pts[i+1]})
	}
	return tris
}

// fill draws one triangle into the tile from (x0, y0) up to (x1, y1). Edges are
// exact in integers, and a sample on a shared edge belongs to one side only.
func (vis *Visibility) fill(v [3]corner, tri int32, x0, y0, x1, y1 int) {
	fx := [3]int64{int64(v[0].x), int64(v[1].x), int64(v[2].x)}
	fy := [3]int64{int64(v[0].y), int64(v[1].y), int64(v[2].y)}
	area := (fx[1]-fx[0])*(fy[2]-fy[0]) - (fy[1]-fy[0])*(fx[2]-fx[0])
	if area == 0 {
		return
	}
	if area < 0 {
		fx[1], fx[2], fy[1], fy[2], v[1], v[2] = fx[2], fx[1], fy[2], fy[1], v[2], v[1]
		area = -area
	}
	ix0 := max(x0, int(-(-min(fx[0], fx[1], fx[2]) >> 8)))
	ix1 := min(x1-1, int(max(fx[0], fx[1], fx[2])>>8))
	iy0 := max(y0, int(-(-min(fy[0], fy[1], fy[2]) >> 8)))
	iy1 := min(y1-1, int(max(fy[0], fy[1], fy[2])>>8))
	if ix0 > ix1 || iy0 > iy1 {
		return
	}
	// e[k] is twice the area beyond the edge opposite to vertex k.
	var e, dx, dy [3]int64
	px, py := int64(ix0)*subpixel, int64(iy0)*subpixel
	for k := range 3 {
		a, b := (k+1)%3, (k+2)%3
		ex, ey := fx[b]-fx[a], fy[b]-fy[a]
		e[k] = ex*(py-fy[a]) - ey*(px-fx[a])
		if !(ey > 0 || ey == 0 && ex > 0) {
			e[k]--
		}
		dx[k], dy[k] = -ey*subpixel, ex*subpixel
	}
	inv := 1 / float64(area)
	z0, z1, z2 := float64(v[0].near), float64(v[1].near), float64(v[2].near)
	zrow := (float64(e[0])*z0 + float64(e[1])*z1 + float64(e[2])*z2) * inv
	zdx := float32((float64(dx[0])*z0 + float64(dx[1])*z1 + float64(dx[2])*z2) * inv)
	zdy := (float64(dy[0])*z0 + float64(dy[1])*z1 + float64(dy[2])*z2) * inv
	for y := iy0; y <= iy1; y++ {
		a, b, c := e[0], e[1], e[2]
		row := (y-vis.Min.Y)*vis.W - vis.Min.X
		tris, nears := vis.Tri[row+ix0:row+ix1+1], vis.Near[row+ix0:row+ix1+1]
		z := float32(zrow)
		for i := range tris {
			if a|b|c >= 0 {
				if zi := z + zdx*float32(i); zi > nears[i] {
					nears[i], tris[i] = zi, tri
				}
			}
			a, b, c = a+dx[0], b+dx[1], c+dx[2]
		}
		e[0], e[1], e[2] = e[0]+dy[0], e[1]+dy[1], e[2]+dy[2]
		zrow += zdy
	}
}

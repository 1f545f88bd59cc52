package sample

import (
	"image"
	"math"
)

// Packed is a Visibility that is put by: of each row only the stretch from the first to
// the last pixel that shows a triangle. It never changes.
type Packed struct {
	w, h   int
	min    image.Point
	jitter [2]float32
	from   []int32 // by row: where the stretch begins
	start  []int32 // by row, and one more: where it lies in tri and near
	tri    []int32
	near   []float32
}

// Pack returns vis packed.
func (vis *Visibility) Pack() *Packed {
	p := &Packed{w: vis.W, h: vis.H, min: vis.Min, jitter: vis.Jitter, from: make([]int32, vis.H), start: make([]int32, vis.H+1)}
	for y := range vis.H {
		row := vis.Tri[y*vis.W : (y+1)*vis.W]
		a, b := 0, len(row)
		for a < b && row[a] < 0 {
			a++
		}
		for b > a && row[b-1] < 0 {
			b--
		}
		p.from[y], p.start[y+1] = int32(a), p.start[y]+int32(b-a)
	}
	n := p.start[vis.H]
	p.tri, p.near = make([]int32, n), make([]float32, n)
	for y := range vis.H {
		at := y*vis.W + int(p.from[y])
		copy(p.tri[p.start[y]:p.start[y+1]], vis.Tri[at:])
		copy(p.near[p.start[y]:p.start[y+1]], vis.Near[at:])
	}
	return p
}

// Unpack returns what was packed, in the place of old, which may be nil and is lost.
func (p *Packed) Unpack(old *Visibility) *Visibility {
	if old == nil || len(old.Tri) != p.w*p.h {
		old = &Visibility{Tri: make([]int32, p.w*p.h), Near: make([]float32, p.w*p.h)}
	}
	old.W, old.H, old.Min, old.Jitter = p.w, p.h, p.min, p.jitter
	for y := range p.h {
		tri, near := old.Tri[y*p.w:(y+1)*p.w], old.Near[y*p.w:(y+1)*p.w]
		a, n := int(p.from[y]), int(p.start[y+1]-p.start[y])
		copy(tri[a:], p.tri[p.start[y]:p.start[y+1]])
		copy(near[a:], p.near[p.start[y]:p.start[y+1]])
		for _, rest := range [2][2]int{{0, a}, {a + n, p.w}} {
			for x := rest[0]; x < rest[1]; x++ {
				tri[x], near[x] = -1, -math.MaxFloat32
			}
		}
	}
	return old
}

// Bytes returns how much memory it takes.
func (p *Packed) Bytes() int { return 8*len(p.tri) + 8*len(p.from) }

// Package line finds edges on a picture's own buffers and draws them as ink.
package line

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/node"
	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/stage"
)

// Ink is how a line is drawn at one place.
type Ink struct {
	Color   color.C
	Width   float32 // thousandths of the picture's height
	Opacity float32 // 0..1
}

// Layer is one Edge lines node of one look.
type Layer struct {
	Edges node.EdgeLines
	// Part tells whether the layer draws the edges of a part of the scene.
	Part func(part int32) bool
	// Ink returns the ink at a pixel that shows such a part; ok is false where
	// nothing is drawn.
	Ink func(pixel int32) (ink Ink, ok bool)

	regions []int32
}

// Sheet gathers lines: premultiplied red, green, blue and cover, four floats for
// each pixel, summed over passes.
type Sheet struct {
	W, H   int
	Pix    []float32
	Passes int
}

// NewSheet returns an empty sheet.
func NewSheet(w, h int) *Sheet { return &Sheet{W: w, H: h, Pix: make([]float32, 4*w*h)} }

// edgel is a place on an edge, in pixels, with its ink made ready.
type edgel struct {
	x, y, r float32
	ink     Ink
}

const band = 32 // rows that one job draws

// Add finds the layers' lines on vis and adds them to the sheet as one pass, a
// later layer on top of those before it.
func (s *Sheet) Add(vis *sample.Visibility, scene *stage.Scene, view stage.View, layers []Layer, workers int) {
	bands := (s.H + band - 1) / band
	draws := make([][]int, len(scene.Parts)) // part → its layers
	for i := range layers {
		if layers[i].Edges.Crease {
			layers[i].regions = scene.Regions(layers[i].Edges.Angle)
		}
		for p := range draws {
			if layers[i].Part(int32(p)) {
				draws[p] = append(draws[p], i)
			}
		}
	}
	found := make([]finder, bands)
	parallel.Do(workers, bands, func(b int) {
		found[b] = finder{vis: vis, scene: scene, view: view, layers: layers, draws: draws, unit: float32(s.H) / 1000,
			out: make([][]edgel, len(layers))}
		found[b].rows(b*band, min(s.H, (b+1)*band))
	})
	reach := 0
	for b := range found {
		reach = max(reach, int(found[b].widest)/band+1)
	}
	parallel.Do(workers, bands, func(b int) {
		under, over := newStrip(s.W, b*band, min(s.H, (b+1)*band)), (*strip)(nil)
		for i := range layers {
			at := under
			if i > 0 {
				if over == nil {
					over = newStrip(s.W, under.y0, under.y1)
				}
				over.clear()
				at = over
			}
			for k := max(0, b-reach); k <= min(bands-1, b+reach); k++ {
				for j := range found[k].out[i] {
					at.stamp(&found[k].out[i][j])
				}
			}
			if i > 0 {
				under.lay(over)
			}
		}
		for y := under.y0; y < under.y1; y++ {
			sp := under.span[y-under.y0]
			from, to := 4*(y*s.W+sp[0]), 4*(y*s.W+sp[1])
			if from < to {
				src := under.pix[4*((y-under.y0)*s.W+sp[0]):]
				for p := range s.Pix[from:to] {
					s.Pix[from+p] += src[p]
				}
			}
		}
	})
	s.Passes++
}

// strip is some rows in the making, with the span of each that has been drawn on.
type strip struct {
	w, y0, y1 int
	pix       []float32
	span      [][2]int // from, to; empty if from >= to
}

func newStrip(w, y0, y1 int) *strip {
	s := &strip{w: w, y0: y0, y1: y1, pix: make([]float32, 4*w*(y1-y0)), span: make([][2]int, y1-y0)}
	s.clear()
	return s
}

func (s *strip) clear() {
	for j, sp := range s.span {
		if sp[0] < sp[1] {
			clear(s.pix[4*(j*s.w+sp[0]) : 4*(j*s.w+sp[1])])
		}
		s.span[j] = [2]int{s.w, 0}
	}
}

// lay puts o over s.
func (s *strip) lay(o *strip) {
	for j, sp := range o.span {
		if sp[0] >= sp[1] {
			continue
		}
		for p := 4 * (j*s.w + sp[0]); p < 4*(j*s.w+sp[1]); p += 4 {
			rest := 1 - o.pix[p+3]
			for c := p; c < p+4; c++ {
				s.pix[c] = o.pix[c] + s.pix[c]*rest
			}
		}
		s.span[j] = [2]int{min(s.span[j][0], sp[0]), max(s.span[j][1], sp[1])}
	}
}

// stamp draws a disc, keeping the greatest cover.
func (s *strip) stamp(e *edgel) {
	out := e.r + 0.5
	j0, j1 := max(s.y0, int(math.Ceil(float64(e.y-out-0.5)))), min(s.y1-1, int(math.Floor(float64(e.y+out-0.5))))
	inner := max(0, e.r-0.5)
	thin := min(1, 2*e.r)
	for j := j0; j <= j1; j++ {
		dy := float32(j) + 0.5 - e.y
		d := out*out - dy*dy
		if d <= 0 {
			continue
		}
		half := float32(math.Sqrt(float64(d)))
		i0, i1 := max(0, int(math.Ceil(float64(e.x-half-0.5)))), min(s.w-1, int(math.Floor(float64(e.x+half-0.5))))
		if i0 > i1 {
			continue
		}
		sp := &s.span[j-s.y0]
		sp[0], sp[1] = min(sp[0], i0), max(sp[1], i1+1)
		row := s.pix[4*((j-s.y0)*s.w+i0):]
		for i := i0; i <= i1; i++ {
			dx := float32(i) + 0.5 - e.x
			q := dx*dx + dy*dy
			cover := thin
			if q > inner*inner {
				cover = min(thin, out-float32(math.Sqrt(float64(q))))
			}
			cover *= e.ink.Opacity
			if p := row[4*(i-i0) : 4*(i-i0)+4]; cover > p[3] {
				p[0], p[1], p[2], p[3] = e.ink.Color[0]*cover, e.ink.Color[1]*cover, e.ink.Color[2]*cover, cover
			}
		}
	}
}

// finder looks for the edges of all layers in some rows.
type finder struct {
	vis    *sample.Visibility
	scene  *stage.Scene
	view   stage.View
	layers []Layer
	draws  [][]int   // part → its layers
	unit   float32   // pixels in a thousandth of the height
	out    [][]edgel // by layer
	widest float32
}

func (f *finder) rows(y0, y1 int) {
	v := f.vis
	for y := y0; y < y1; y++ {
		row := v.Tri[y*v.W : (y+1)*v.W]
		var below []int32
		if y+1 < v.H {
			below = v.Tri[(y+1)*v.W : (y+2)*v.W]
		}
		for x, t := range row {
			if x+1 < v.W && row[x+1] != t {
				f.pair(y*v.W+x, 1, x, y)
			}
			if below != nil && below[x] != t {
				f.pair(y*v.W+x, v.W, x, y)
			}
		}
	}
}

// pair looks at pixel p and the one step further; (x, y) is the place of p.
func (f *finder) pair(p, step, x, y int) {
	q := p + step
	owner := p
	if f.vis.Near[q] > f.vis.Near[p] {
		owner = q
	}
	for _, i := range f.draws[f.scene.TriPart[f.vis.Tri[owner]]] {
		l := &f.layers[i]
		if !f.edge(l, p, q, step) {
			continue
		}
		ink, ok := l.Ink(int32(owner))
		r := ink.Width * f.unit / 2
		if !ok || !(r > 0) || !(ink.Opacity > 0) {
			continue
		}
		e := edgel{x: float32(x) + f.vis.Jitter[0], y: float32(y) + f.vis.Jitter[1], r: min(r, maxRadius), ink: ink}
		e.ink.Opacity = min(1, ink.Opacity)
		if step == 1 {
			e.x += 0.5
		} else {
			e.y += 0.5
		}
		f.widest = max(f.widest, e.r+1)
		f.out[i] = append(f.out[i], e)
	}
}

// maxRadius limits what one place on an edge can cost, in pixels.
const maxRadius = 100

func (f *finder) edge(l *Layer, p, q, step int) bool {
	e := &l.Edges
	a, b := f.vis.Tri[p], f.vis.Tri[q]
	if a < 0 || b < 0 {
		return e.Outer
	}
	pa, pb := f.scene.TriPart[a], f.scene.TriPart[b]
	switch {
	case f.scene.Parts[pa].Model != f.scene.Parts[pb].Model:
		return e.Outer
	case pa != pb:
		return e.Parts
	case e.Crease && l.regions[a] != l.regions[b]:
		return true
	}
	return e.Depth && f.jump(float32(e.Jump)*f.scene.Size, p, q, step)
}

// jump tells whether the depth at q is not what the surface at p leads to, nor
// the other way round: nearness is linear over the picture within a plane.
func (f *finder) jump(least float32, p, q, step int) bool {
	near := f.vis.Near
	depth := f.view.Depth
	bound := least // of the difference in nearness: 1/a − 1/b = (b − a)/ab
	if !f.view.Ortho {
		bound *= near[p] * near[q]
	}
	if d := near[p] - near[q]; d < bound && d > -bound {
		return false
	}
	lead := func(from, back int) float32 {
		if back < 0 || back >= len(near) || f.vis.Tri[back] < 0 {
			return near[from]
		}
		return 2*near[from] - near[back]
	}
	off := func(at int, predicted float32) bool {
		if !f.view.Ortho && predicted <= 0 {
			return true
		}
		d := depth(predicted) - depth(near[at])
		return d >= least || d <= -least
	}
	return off(q, lead(p, p-step)) && off(p, lead(q, q+step))
}

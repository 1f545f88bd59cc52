// Package line finds edges on a picture's own buffers and draws them as ink.
package line

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/node"
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
	found := make([][][]edgel, len(layers)) // layer → band of the edge → edgels
	widest := make([]float32, bands)
	for i := range layers {
		found[i] = make([][]edgel, bands)
		if layers[i].Edges.Crease {
			layers[i].regions = scene.Regions(layers[i].Edges.Angle)
		}
	}
	sample.Parallel(workers, bands, func(b int) {
		for i := range layers {
			f := finder{vis: vis, scene: scene, view: view, layer: &layers[i], unit: float32(s.H) / 1000}
			f.rows(b*band, min(s.H, (b+1)*band))
			found[i][b] = f.out
			widest[b] = max(widest[b], f.widest)
		}
	})
	reach := 0
	for _, r := range widest {
		reach = max(reach, int(r)/band+1)
	}
	sample.Parallel(workers, bands, func(b int) {
		y0, y1 := b*band, min(s.H, (b+1)*band)
		var under []float32
		for i := range layers {
			buf := make([]float32, 4*s.W*(y1-y0))
			drew := false
			for k := max(0, b-reach); k <= min(bands-1, b+reach); k++ {
				for j := range found[i][k] {
					drew = stamp(buf, s.W, y0, y1, &found[i][k][j]) || drew
				}
			}
			switch {
			case !drew:
			case under == nil:
				under = buf
			default:
				for p := 0; p < len(buf); p += 4 {
					rest := 1 - buf[p+3]
					for c := range 4 {
						under[p+c] = buf[p+c] + under[p+c]*rest
					}
				}
			}
		}
		for p, v := range under {
			s.Pix[4*s.W*y0+p] += v
		}
	})
	s.Passes++
}

// stamp draws a disc into the rows y0 to y1, keeping the greatest cover.
func stamp(buf []float32, w, y0, y1 int, e *edgel) bool {
	out := e.r + 0.5
	j0, j1 := max(y0, int(math.Ceil(float64(e.y-out-0.5)))), min(y1-1, int(math.Floor(float64(e.y+out-0.5))))
	drew := false
	for j := j0; j <= j1; j++ {
		dy := float32(j) + 0.5 - e.y
		d := out*out - dy*dy
		if d <= 0 {
			continue
		}
		half := float32(math.Sqrt(float64(d)))
		i0, i1 := max(0, int(math.Ceil(float64(e.x-half-0.5)))), min(w-1, int(math.Floor(float64(e.x+half-0.5))))
		inner := max(0, e.r-0.5)
		for i := i0; i <= i1; i++ {
			dx := float32(i) + 0.5 - e.x
			q := dx*dx + dy*dy
			cover := e.ink.Opacity
			if q > inner*inner {
				cover *= min(1, out-float32(math.Sqrt(float64(q))), 2*e.r)
			}
			p := 4 * ((j-y0)*w + i)
			if cover > buf[p+3] {
				buf[p], buf[p+1], buf[p+2], buf[p+3] = e.ink.Color[0]*cover, e.ink.Color[1]*cover, e.ink.Color[2]*cover, cover
				drew = true
			}
		}
	}
	return drew
}

// finder looks for the edges of one layer in some rows.
type finder struct {
	vis    *sample.Visibility
	scene  *stage.Scene
	view   stage.View
	layer  *Layer
	unit   float32 // pixels in a thousandth of the height
	out    []edgel
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
	part := f.scene.TriPart[f.vis.Tri[owner]]
	if !f.layer.Part(part) || !f.edge(p, q, step) {
		return
	}
	ink, ok := f.layer.Ink(int32(owner))
	r := ink.Width * f.unit / 2
	if !ok || !(r > 0) || !(ink.Opacity > 0) {
		return
	}
	e := edgel{x: float32(x) + f.vis.Jitter[0], y: float32(y) + f.vis.Jitter[1], r: min(r, maxRadius), ink: ink}
	e.ink.Opacity = min(1, ink.Opacity)
	if step == 1 {
		e.x += 0.5
	} else {
		e.y += 0.5
	}
	f.widest = max(f.widest, e.r+1)
	f.out = append(f.out, e)
}

// maxRadius limits what one place on an edge can cost, in pixels.
const maxRadius = 100

func (f *finder) edge(p, q, step int) bool {
	e := &f.layer.Edges
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
	case e.Crease && f.layer.regions[a] != f.layer.regions[b]:
		return true
	}
	return e.Depth && f.jump(p, q, step)
}

// jump tells whether the depth at q is not what the surface at p leads to, nor
// the other way round: nearness is linear over the picture within a plane.
func (f *finder) jump(p, q, step int) bool {
	least := float32(f.layer.Edges.Jump) * f.scene.Size()
	near := f.vis.Near
	depth := f.view.Depth
	if d := depth(near[p]) - depth(near[q]); d < least && d > -least {
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

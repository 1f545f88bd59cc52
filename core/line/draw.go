package line

import (
	"image"
	"math"

	"mobanta/core/color"
	"mobanta/core/parallel"
	"mobanta/core/vec"
)

// Ink is how a line is drawn at one place.
type Ink struct {
	Color   color.C
	Width   float32 // thousandths of the picture's height
	Opacity float32 // 0..1
}

// Stroke is a chain of places with the ink at each.
type Stroke struct {
	Chain  Chain
	Ink    []Ink
	Joined bool    // whether it is drawn from place to place, and not at each alone
	Part   int32   // whose line it is
	Shift  float32 // how far it lies away from its surface, in halves of its width
}

// Sheet gathers the lines of a picture or of a part of it: premultiplied red, green, blue
// and cover, four floats for each pixel, summed over passes.
type Sheet struct {
	W, H   int
	Min    image.Point // where it lies in the picture; Y is a multiple of band
	High   int         // of the picture
	Pix    []float32
	Passes int
}

// NewSheet returns an empty sheet.
func NewSheet(w, h int) *Sheet { return NewPart(image.Rect(0, 0, w, h), h) }

// NewPart returns an empty sheet for a part of a picture that is high pixels high; the part
// begins at a multiple of stage.Grain.
func NewPart(part image.Rectangle, high int) *Sheet {
	return &Sheet{W: part.Dx(), H: part.Dy(), Min: part.Min, High: high, Pix: make([]float32, 4*part.Dx()*part.Dy())}
}

// edgel is a place of a line, in pixels, with its ink made ready; or the way from it to the next.
type edgel struct {
	x, y, r float32
	ink     Ink
	to      *edgel // nil for the place alone
}

const band = 32 // rows that one job draws

// MaxRadius limits what one place of a line can cost, in pixels.
const MaxRadius = 100

// Add adds the strokes of several layers to the sheet as one pass, a later layer on
// top of those before it.
func (s *Sheet) Add(layers [][]Stroke, workers int) {
	bands := (s.H + band - 1) / band
	marks := make([][][]edgel, bands) // by band in which they lie, and layer
	for b := range marks {
		marks[b] = make([][]edgel, len(layers))
	}
	unit, widest := float32(s.High)/1000, float32(0)
	for i, strokes := range layers {
		for _, stroke := range strokes {
			var last *edgel
			for k, at := range stroke.Chain {
				ink := stroke.Ink[k]
				r := min(MaxRadius, ink.Width*unit/2)
				if !(r > 0) || !(ink.Opacity > 0) {
					last = nil
					continue
				}
				ink.Opacity = min(1, ink.Opacity)
				e := edgel{x: at.X + at.out[0]*r*stroke.Shift, y: at.Y + at.out[1]*r*stroke.Shift, r: r, ink: ink}
				if stroke.Joined {
					was := last
					last = &edgel{x: e.x, y: e.y, r: e.r, ink: e.ink}
					if was == nil {
						continue
					}
					e = *was
					e.to = last
					widest = max(widest, max(e.r, last.r)+max(abs(last.x-e.x), abs(last.y-e.y))+1)
				}
				widest = max(widest, e.r+1)
				if e.clears(s) {
					continue
				}
				b := max(0, min(bands-1, (int(e.y)-s.Min.Y)/band))
				marks[b][i] = append(marks[b][i], e)
			}
		}
	}
	reach := int(widest)/band + 1
	parallel.Do(workers, bands, func(b int) {
		under, over := newStrip(s, b*band, min(s.H, (b+1)*band)), (*strip)(nil)
		for i := range layers {
			at := under
			if i > 0 {
				if over == nil {
					over = newStrip(s, b*band, min(s.H, (b+1)*band))
				}
				over.clear()
				at = over
			}
			for k := max(0, b-reach); k <= min(bands-1, b+reach); k++ {
				for j := range marks[k][i] {
					if e := &marks[k][i][j]; e.to != nil {
						at.join(e)
					} else {
						at.stamp(e)
					}
				}
			}
			if i > 0 {
				under.lay(over)
			}
		}
		for j, sp := range under.span {
			y := b*band + j
			from, to := 4*(y*s.W+sp[0]), 4*(y*s.W+sp[1])
			if from < to {
				src := under.pix[4*(j*s.W+sp[0]):]
				for p := range s.Pix[from:to] {
					s.Pix[from+p] += src[p]
				}
			}
		}
	})
	s.Passes++
}

// clears tells whether what is drawn lies wholly above, below or beside a sheet.
func (e *edgel) clears(s *Sheet) bool {
	x0, y0, x1, y1 := e.x, e.y, e.x, e.y
	out := e.r + 2
	if e.to != nil {
		x0, y0, x1, y1 = min(x0, e.to.x), min(y0, e.to.y), max(x1, e.to.x), max(y1, e.to.y)
		out = max(e.r, e.to.r) + 2
	}
	return x1+out < float32(s.Min.X) || y1+out < float32(s.Min.Y) || x0-out > float32(s.Min.X+s.W) || y0-out > float32(s.Min.Y+s.H)
}

// strip is some rows in the making, with the span of each that has been drawn on.
type strip struct {
	w              int
	x0, x1, y0, y1 int // in the picture
	pix            []float32
	far            []float32 // of each pixel that has cover: the square of how far its place is
	span           [][2]int  // from, to, from x0 on; empty if from >= to
}

// newStrip returns some rows of a sheet, empty.
func newStrip(of *Sheet, from, to int) *strip {
	s := &strip{w: of.W, x0: of.Min.X, x1: of.Min.X + of.W, y0: of.Min.Y + from, y1: of.Min.Y + to,
		pix: make([]float32, 4*of.W*(to-from)), far: make([]float32, of.W*(to-from)), span: make([][2]int, to-from)}
	s.clear()
	return s
}

// nearer tells whether what is drawn at a pixel goes before what is there: it covers more, or as much from nearer by. Where
// both are as near, the brighter ink does, so that it does not matter which is drawn first.
func nearer(p []float32, cover, q, far float32, ink *color.C) bool {
	switch {
	case cover != p[3]:
		return cover > p[3]
	case !(cover > 0):
		return false
	case q != far:
		return q < far
	}
	for k := range ink {
		if v := ink[k] * cover; v != p[k] {
			return v > p[k]
		}
	}
	return false
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

// stamp draws a disc, keeping the greatest cover, and of equal covers the ink of the
// nearest place: where ink changes along a line it does so where the line is.
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
		i0, i1 := max(s.x0, int(math.Ceil(float64(e.x-half-0.5)))), min(s.x1-1, int(math.Floor(float64(e.x+half-0.5))))
		if i0 > i1 {
			continue
		}
		sp := &s.span[j-s.y0]
		sp[0], sp[1] = min(sp[0], i0-s.x0), max(sp[1], i1+1-s.x0)
		row, far := s.pix[4*((j-s.y0)*s.w+i0-s.x0):], s.far[(j-s.y0)*s.w+i0-s.x0:]
		for i := i0; i <= i1; i++ {
			dx := float32(i) + 0.5 - e.x
			q := dx*dx + dy*dy
			cover := thin
			if q > inner*inner {
				cover = min(thin, out-float32(math.Sqrt(float64(q))))
			}
			cover *= e.ink.Opacity
			if p := row[4*(i-i0) : 4*(i-i0)+4]; cover >= p[3] && nearer(p, cover, q, far[i-i0], &e.ink.Color) {
				far[i-i0] = q
				p[0], p[1], p[2], p[3] = e.ink.Color[0]*cover, e.ink.Color[1]*cover, e.ink.Color[2]*cover, cover
			}
		}
	}
}

// join draws the way from a place to the next: as wide at each end as there, and evenly between.
func (s *strip) join(e *edgel) {
	o := e.to
	out := max(e.r, o.r) + 0.5
	j0, j1 := max(s.y0, int(math.Ceil(float64(min(e.y, o.y)-out-0.5)))), min(s.y1-1, int(math.Floor(float64(max(e.y, o.y)+out-0.5))))
	i0, i1 := max(s.x0, int(math.Ceil(float64(min(e.x, o.x)-out-0.5)))), min(s.x1-1, int(math.Floor(float64(max(e.x, o.x)+out-0.5))))
	if i0 > i1 {
		return
	}
	vx, vy := o.x-e.x, o.y-e.y
	square := vx*vx + vy*vy
	by := float32(0)
	if square > 0 {
		by = 1 / square
	}
	for j := j0; j <= j1; j++ {
		dy := float32(j) + 0.5 - e.y
		row, far := s.pix[4*((j-s.y0)*s.w+i0-s.x0):], s.far[(j-s.y0)*s.w+i0-s.x0:]
		drawn := false
		for i := i0; i <= i1; i++ {
			dx := float32(i) + 0.5 - e.x
			t := (dx*vx + dy*vy) * by
			if !(t > 0) {
				t = 0
			} else if t > 1 {
				t = 1
			}
			px, py := dx-t*vx, dy-t*vy
			q := px*px + py*py
			r := e.r + (o.r-e.r)*t
			if q >= (r+0.5)*(r+0.5) {
				continue
			}
			cover := r + 0.5
			if q > 0 {
				cover -= vec.Sqrt(q)
			}
			if thin := min(1, 2*r); cover > thin {
				cover = thin
			}
			cover *= e.ink.Opacity + (o.ink.Opacity-e.ink.Opacity)*t
			if p := row[4*(i-i0) : 4*(i-i0)+4]; cover >= p[3] {
				ink := color.C{}
				for k := range ink {
					ink[k] = e.ink.Color[k] + (o.ink.Color[k]-e.ink.Color[k])*t
				}
				if !nearer(p, cover, q, far[i-i0], &ink) {
					continue
				}
				far[i-i0] = q
				p[0], p[1], p[2], p[3] = ink[0]*cover, ink[1]*cover, ink[2]*cover, cover
				drawn = true
			}
		}
		if drawn {
			sp := &s.span[j-s.y0]
			sp[0], sp[1] = min(sp[0], i0-s.x0), max(sp[1], i1+1-s.x0)
		}
	}
}

func abs(x float32) float32 { return max(x, -x) }

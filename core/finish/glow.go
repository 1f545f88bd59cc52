package finish

import (
	"math"

	"mobanta/core/lanes"
	"mobanta/core/parallel"
)

// The light of a glow falls off as a sum of normal distributions: a narrow one for the rim of what is bright, wide ones
// for the haze around it. A wide one is made on a grid almost as coarse as it is wide, blurred there, and read smoothly by
// cubic B-splines; what gathering and reading add to the width is left out of the blur. So its cost does not grow with
// the radius, it is round, and it is the same at any size of the picture (compared with recursive filters, which are as
// fast but leave crosses about a point, and with triangles for reading, which leave the grid to be seen).
var lobes = [...]struct{ width, share float64 }{{0.35, 0.4}, {0.8, 0.35}, {1.9, 0.25}}

// Reach returns how far from its source light falls that can be seen, in pixels of a picture of a height.
func (g *Glow) Reach(height int) int {
	return int(math.Ceil(3.2*lobes[len(lobes)-1].width*g.sigma(height))) + 3
}

// sigma returns the length that lobes are measured in, in pixels: half of the light falls within the radius.
func (g *Glow) sigma(height int) float64 {
	r := g.Radius
	if r == 0 {
		r = DefaultRadius
	}
	// The share of a normal distribution of width s within r is 1 - exp(-r²/2s²); for the lobes
	// above half of all falls within 0.7448 of their unit.
	return r / 1000 * float64(height) / 0.7448
}

// Light is the light that a glow spreads over a picture.
type Light struct {
	W, H  int
	light grid
	cols  columns
}

// columns is where in a row of a grid places along a row of the picture read: the first of the values of four cells, and
// their weights.
type columns struct {
	at     []int
	weight [][4]float32
}

// columns returns where n places read, the first at x and each step further, in pixels.
func (g *grid) columns(n int, x, step float64) columns {
	out := columns{make([]int, n), make([][4]float32, n)}
	for i := range n {
		u := (x+float64(i)*step)/float64(g.d) - 0.5 + margin
		c := int(math.Floor(u))
		out.at[i], out.weight[i] = 3*max(0, min(g.w-4, c-1)), basis(float32(u-float64(c)))
	}
	return out
}

// add adds what places read in a row of a grid: three values each.
func (c columns) add(dst, line []float32) {
	for i, at := range c.at {
		o, w := dst[3*i:3*i+3:3*i+3], &c.weight[i]
		p := line[at : at+12 : at+12]
		o[0] += w[0]*p[0] + w[1]*p[3] + w[2]*p[6] + w[3]*p[9]
		o[1] += w[0]*p[1] + w[1]*p[4] + w[2]*p[7] + w[3]*p[10]
		o[2] += w[0]*p[2] + w[1]*p[5] + w[2]*p[8] + w[3]*p[11]
	}
}

// Spread spreads the light of a picture of w × h pixels. bright gives row y of what shines: three values a pixel. It is
// called once for each row, from several goroutines.
func (g *Glow) Spread(w, h, workers int, bright func(y int, row []float32)) *Light {
	out := &Light{W: w, H: h}
	if g.Strength == 0 {
		return out
	}
	src := make([]float32, 3*w*h)
	parallel.Do(workers, (h+15)/16, func(job int) {
		for y := 16 * job; y < min(h, 16*job+16); y++ {
			bright(y, src[3*w*y:3*w*(y+1)])
		}
	})
	sigma := g.sigma(h)
	// Gathered from the picture to ever coarser grids, and read back from each into the finer one.
	grids := []grid{{d: 1, w: w, h: h, pix: src}}
	on := [len(lobes)]int{} // the grid of each lobe
	for i, l := range lobes {
		last := &grids[len(grids)-1]
		if d := int(l.width * sigma / coarseness); d > last.d {
			grids = append(grids, last.gathered(d, w, h, workers))
		}
		on[i] = len(grids) - 1
	}
	if on[0] > 0 {
		grids[0].pix = nil // nothing is blurred at full size
	}
	var sum grid
	for k := len(grids) - 1; k >= 0 && grids[k].pix != nil; k-- {
		at := &grids[k]
		read := 0.0 // what reading it back to the pixels widens
		for _, r := range grids[1 : k+1] {
			read += float64(r.d*r.d) / 3
		}
		here := grid{d: at.d, w: at.w, h: at.h, pix: make([]float32, len(at.pix))}
		for i, l := range lobes {
			if s := l.width * sigma; on[i] == k {
				taps := sharp(s * s)
				if at.d > 1 {
					taps = normal(max(0, s*s-at.spread-read)/float64(at.d*at.d), 1)
				}
				at.blur(here.pix, taps, float32(l.share*g.Strength), workers)
			}
		}
		if sum.pix != nil {
			d, own := float64(here.d), float64(here.own())
			cols := sum.columns(here.w, (0.5-own)*d, d)
			parallel.Do(workers, here.h, func(j int) {
				cols.add(here.pix[3*here.w*j:3*here.w*(j+1)], sum.line((float64(j)-own+0.5)*d))
			})
		}
		sum = here
	}
	out.light = sum
	if sum.d > 1 {
		out.cols = sum.columns(w, 0.5, 1)
	}
	return out
}

// grid is light on cells of d pixels a side; it is wider than it would be by spread, in pixels squared.
type grid struct {
	d, w, h int
	pix     []float32 // 3 × w × h
	spread  float64
}

// more adds a row times t to another.
func more(to, row []float32, t float32) { lanes.Affine(to, to, row, 1, t, 0) }

// own returns how many of its cells lie before the picture begins.
func (g *grid) own() int {
	if g.d > 1 {
		return margin
	}
	return 0
}

// gathered returns the light on a coarser grid over a picture of W × H pixels, each cell's spread over the four by four
// about it.
func (g *grid) gathered(d, W, H, workers int) grid {
	out := grid{d: d, w: (W+d-1)/d + 2*margin, h: (H+d-1)/d + 2*margin, spread: g.spread + float64(d*d)/3}
	own := g.own()
	// at returns where among the coarse cells the middle of a fine one lies, and the weights of the four about it.
	at := func(i int) (first int, w [4]float32) {
		x := ((float64(i-own)+0.5)*float64(g.d))/float64(d) - 0.5 + margin
		f := math.Floor(x)
		return int(f) - 1, basis(float32(x - f))
	}
	k := float32(g.d*g.d) / float32(d*d) // what a fine cell holds is a share of what a coarse one does
	first, weights := make([]int, g.w), make([][4]float32, g.w)
	for i := range first {
		first[i], weights[i] = at(i)
		for n := range weights[i] {
			weights[i][n] *= k
		}
	}
	half := make([]float32, 3*out.w*g.h)
	parallel.Do(workers, (g.h+7)/8, func(job int) { // along rows
		for j := 8 * job; j < min(g.h, 8*job+8); j++ {
			in, to := g.pix[3*g.w*j:3*g.w*(j+1)], half[3*out.w*j:3*out.w*(j+1)]
			for i := range first {
				a, b, c := in[3*i], in[3*i+1], in[3*i+2]
				if a == 0 && b == 0 && c == 0 {
					continue // most of a picture does not glow
				}
				p := to[3*first[i] : 3*first[i]+12 : 3*first[i]+12]
				w := &weights[i]
				p[0], p[1], p[2] = p[0]+w[0]*a, p[1]+w[0]*b, p[2]+w[0]*c
				p[3], p[4], p[5] = p[3]+w[1]*a, p[4]+w[1]*b, p[5]+w[1]*c
				p[6], p[7], p[8] = p[6]+w[2]*a, p[7]+w[2]*b, p[8]+w[2]*c
				p[9], p[10], p[11] = p[9]+w[3]*a, p[10]+w[3]*b, p[11]+w[3]*c
			}
		}
	})
	out.pix = make([]float32, 3*out.w*out.h)
	into := make([][]reader, out.h) // the fine rows that a coarse one gathers
	for j := range g.h {
		f, w := at(j)
		for n, v := range w {
			if f+n >= 0 && f+n < out.h { // beyond it a margin holds nothing
				into[f+n] = append(into[f+n], reader{j, v})
			}
		}
	}
	parallel.Do(workers, out.h, func(j int) {
		to := out.pix[3*out.w*j : 3*out.w*(j+1)]
		for _, r := range into[j] {
			more(to, half[3*out.w*r.row:3*out.w*(r.row+1)], r.weight)
		}
	})
	return out
}

// reader is a row and how much of it counts.
type reader struct {
	row    int
	weight float32
}

// coarseness is how many cells the width of a lobe is at least: fewer, and the grid begins to be seen.
const coarseness = 1.3

// margin is how many cells a coarse grid has beyond each rim of the picture.
const margin = 3

// blur adds the light times share, blurred by half of a row of weights, from the middle on.
func (g *grid) blur(dst []float32, taps []float32, share float32, workers int) {
	half := make([]float32, len(g.pix))
	r := len(taps) - 1
	parallel.Do(workers, g.h, func(j int) { // along rows
		in, to := g.pix[3*g.w*j:3*g.w*(j+1)], half[3*g.w*j:3*g.w*(j+1)]
		for x := range to {
			to[x] = in[x] * taps[0] * share
		}
		for k := 1; k <= r && k < g.w; k++ {
			t, n := taps[k]*share, len(to)-3*k
			more(to[:n], in[3*k:], t)
			more(to[3*k:], in[:n], t)
		}
	})
	parallel.Do(workers, g.h, func(j int) { // and down
		to := dst[3*g.w*j : 3*g.w*(j+1)]
		for k := max(-r, -j); k <= min(r, g.h-1-j); k++ {
			more(to, half[3*g.w*(j+k):3*g.w*(j+k+1)], taps[max(k, -k)])
		}
	})
}

// sharp returns half of a row of weights, from the middle on: what falls on a pixel of the light of one so many further,
// spread by a normal distribution of a variance in pixels squared. The light between the middles of pixels is had by cubic
// convolution (Keys 1981), which is right to the third order: so a glow of a pixel or two begins at a rim where it is, and
// not a part of a pixel further out.
func sharp(variance float64) []float32 {
	sigma := math.Sqrt(max(1e-6, variance))
	keys := func(x float64) float64 {
		switch x = math.Abs(x); {
		case x < 1:
			return 1.5*x*x*x - 2.5*x*x + 1
		case x < 2:
			return -0.5*x*x*x + 2.5*x*x - 4*x + 2
		}
		return 0
	}
	const steps = 64 // to a pixel
	n := int(math.Ceil(3.6*sigma)) + 2
	w, sum := make([]float64, n+1), 0.0
	for k := range w {
		for i := -2 * steps; i <= 2*steps; i++ {
			u := float64(i) / steps
			w[k] += keys(u) * math.Exp(-(float64(k)-u)*(float64(k)-u)/(2*sigma*sigma))
		}
		if sum += w[k]; k > 0 {
			sum += w[k]
		}
	}
	out := make([]float32, n+1)
	for k := range out {
		out[k] = float32(w[k] / sum)
	}
	return out
}

// normal returns half of a row of weights, from the middle on, that add up to share over both sides and have a variance.
func normal(variance float64, share float32) []float32 {
	if variance < 0.4 { // three do, to the variance asked for
		return []float32{float32(1-variance) * share, float32(variance/2) * share}
	}
	sigma := math.Sqrt(variance)
	n := int(math.Ceil(3.6 * sigma))
	w := make([]float64, n+1)
	// Samples of a normal distribution a little narrower or wider, so that their own variance is the one asked for.
	for s, turn := sigma, 0; turn < 4; turn++ {
		sum, second := 0.0, 0.0
		for k := range w {
			w[k] = math.Exp(-float64(k*k) / (2 * s * s))
			f := w[k]
			if k > 0 {
				f *= 2
			}
			sum, second = sum+f, second+f*float64(k*k)
		}
		for k := range w {
			w[k] /= sum
		}
		s *= math.Sqrt(variance / (second / sum))
	}
	out := make([]float32, n+1)
	for k := range out {
		out[k] = float32(w[k]) * share
	}
	return out
}

// Row writes the light that falls on the pixels from x0 on of row y: three values a pixel.
func (l *Light) Row(dst []float32, x0, y int) {
	clear(dst)
	if l.light.pix == nil {
		return
	}
	if l.light.d == 1 {
		for i, v := range l.light.pix[3*(l.light.w*y+x0):][:len(dst)] {
			dst[i] = max(0, v) // a glow takes no light away; see sharp
		}
		return
	}
	n := len(dst) / 3
	columns{l.cols.at[x0 : x0+n], l.cols.weight[x0 : x0+n]}.add(dst, l.light.line(float64(y)+0.5))
}

// line returns a row of the grid at a height of the picture, in pixels.
func (g *grid) line(y float64) []float32 {
	v := y/float64(g.d) - 0.5 + margin
	j := int(math.Floor(v))
	line := make([]float32, 3*g.w)
	for k, w := range basis(float32(v - float64(j))) {
		more(line, g.pix[3*g.w*max(0, min(g.h-1, j+k-1)):], w)
	}
	return line
}

// basis returns the weights of the four cells about a place t of the way between the middle two: the cubic B-spline.
func basis(t float32) [4]float32 {
	u := 1 - t
	return [4]float32{u * u * u / 6, (4 - 6*t*t + 3*t*t*t) / 6, (4 - 6*u*u + 3*u*u*u) / 6, t * t * t / 6}
}

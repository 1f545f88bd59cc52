package finish

import (
	"math"

	"mobanta/core/parallel"
)

// The light of a glow falls off as a sum of normal distributions: a narrow one for the rim of what is bright, wide ones
// for the haze around it. A wide one is made on a grid as coarse as half its width, blurred there, and read smoothly by
// cubic B-splines; what gathering and reading add to the width is left out of the blur. So its cost does not grow with
// the radius, it is round, and it is the same at any size of the picture (compared with recursive filters, which are as
// fast but leave crosses about a point, and with triangles for reading, which leave the grid to be seen).
var lobes = [...]struct{ width, share float64 }{{0.35, 0.4}, {0.8, 0.35}, {1.9, 0.25}}

// Reach returns how far from its source light falls that can be seen, in pixels of a picture of a height.
func (g *Glow) Reach(height int) int {
	return int(math.Ceil(3.2*lobes[len(lobes)-1].width*g.sigma(height))) + 2
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
	W, H   int
	layers []layer
}

// layer is one lobe, on its grid of w × h cells of d pixels a side.
type layer struct {
	d, w, h int
	pix     []float32 // 3 × w × h
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
	for _, l := range lobes {
		out.layers = append(out.layers, spread(src, w, h, l.width*sigma, float32(l.share*g.Strength), workers))
	}
	return out
}

// spread returns a lobe of a width in pixels.
func spread(src []float32, w, h int, sigma float64, share float32, workers int) layer {
	d := max(1, int(sigma/2))
	l := layer{d: d, w: (w + d - 1) / d, h: (h + d - 1) / d}
	narrow := sigma * sigma / float64(d*d)
	if d > 1 {
		narrow -= 1.0/3 + (1-1/float64(d*d))/12 // what reading and gathering widen
	}
	taps := normal(math.Sqrt(max(0, narrow)), share)
	cells := make([]float32, 3*l.w*l.h)
	inv := 1 / float32(d*d)
	parallel.Do(workers, l.h, func(j int) {
		row := cells[3*l.w*j : 3*l.w*(j+1)]
		for y := j * d; y < min(h, (j+1)*d); y++ {
			p := src[3*w*y : 3*w*(y+1)]
			if d == 1 {
				copy(row, p)
				continue
			}
			for i := range l.w {
				var a, b, c float32
				for k := 3 * i * d; k < min(len(p), 3*(i+1)*d); k += 3 {
					a, b, c = a+p[k], b+p[k+1], c+p[k+2]
				}
				row[3*i], row[3*i+1], row[3*i+2] = row[3*i]+a*inv, row[3*i+1]+b*inv, row[3*i+2]+c*inv
			}
		}
	})
	half := make([]float32, len(cells))
	r := len(taps) - 1
	parallel.Do(workers, l.h, func(j int) { // along rows
		in, to := cells[3*l.w*j:3*l.w*(j+1)], half[3*l.w*j:3*l.w*(j+1)]
		for x := range to {
			to[x] = in[x] * taps[0]
		}
		for k := 1; k <= r && k < l.w; k++ {
			t, n := taps[k], len(to)-3*k
			a, b := to[:n], in[3*k:]
			for x := range a {
				a[x] += t * b[x]
			}
			a, b = to[3*k:], in[:n]
			for x := range a {
				a[x] += t * b[x]
			}
		}
	})
	l.pix = make([]float32, len(cells))
	for k := range taps {
		taps[k] /= share // once is enough
	}
	parallel.Do(workers, l.h, func(j int) { // and down
		to := l.pix[3*l.w*j : 3*l.w*(j+1)]
		for k := max(-r, -j); k <= min(r, l.h-1-j); k++ {
			t, in := taps[max(k, -k)], half[3*l.w*(j+k):3*l.w*(j+k+1)]
			for x := range to {
				to[x] += t * in[x]
			}
		}
	})
	return l
}

// normal returns half of a row of weights, from the middle on, that add up to share over both sides.
func normal(sigma float64, share float32) []float32 {
	n := int(math.Ceil(3.5 * sigma))
	w := make([]float64, n+1)
	sum := 0.0
	for k := range w {
		if sigma > 0 {
			// Over the cell, not at its middle: right for narrow ones too.
			w[k] = math.Erf((float64(k)+0.5)/sigma/math.Sqrt2) - math.Erf((float64(k)-0.5)/sigma/math.Sqrt2)
		} else {
			w[k] = 1
		}
		if sum += w[k]; k > 0 {
			sum += w[k]
		}
	}
	out := make([]float32, n+1)
	for k := range out {
		out[k] = float32(w[k]/sum) * share
	}
	return out
}

// Row writes the light that falls on the pixels from x0 on of row y: three values a pixel.
func (l *Light) Row(dst []float32, x0, y int) {
	clear(dst)
	var line []float32
	for i := range l.layers {
		a := &l.layers[i]
		if a.d == 1 {
			row := a.pix[3*a.w*y:]
			for k := range dst {
				dst[k] += row[3*x0+k]
			}
			continue
		}
		// First down: a row of the grid at this height; then along it.
		v := (float64(y)+0.5)/float64(a.d) - 0.5
		j := int(math.Floor(v))
		wy := basis(float32(v - float64(j)))
		if len(line) < 3*a.w {
			line = make([]float32, 3*a.w)
		}
		at := line[:3*a.w]
		clear(at)
		for k, w := range wy {
			row := a.pix[3*a.w*max(0, min(a.h-1, j+k-1)):][:3*a.w]
			for x := range at {
				at[x] += w * row[x]
			}
		}
		inv := 1 / float32(a.d)
		weights := make([][4]float32, a.d) // the same from cell to cell
		first := (a.d - a.d%2) / 2         // of a cell, the pixel from which on it is beyond the middle
		for s := range weights {
			f := (float32(s)+0.5)*inv - 0.5
			if f < 0 {
				f++
			}
			weights[s] = basis(f)
		}
		for x := range len(dst) / 3 {
			cell, s := (x0+x)/a.d, (x0+x)%a.d
			c := cell - 1
			if s < first {
				c--
			}
			w := &weights[s]
			o := dst[3*x : 3*x+3 : 3*x+3]
			if c >= 0 && c+3 < a.w {
				p := at[3*c : 3*c+12 : 3*c+12]
				o[0] += w[0]*p[0] + w[1]*p[3] + w[2]*p[6] + w[3]*p[9]
				o[1] += w[0]*p[1] + w[1]*p[4] + w[2]*p[7] + w[3]*p[10]
				o[2] += w[0]*p[2] + w[1]*p[5] + w[2]*p[8] + w[3]*p[11]
				continue
			}
			for k, f := range w {
				p := 3 * max(0, min(a.w-1, c+k))
				o[0], o[1], o[2] = o[0]+f*at[p], o[1]+f*at[p+1], o[2]+f*at[p+2]
			}
		}
	}
}

// basis returns the weights of the four cells about a place t of the way between the middle two: the cubic B-spline.
func basis(t float32) [4]float32 {
	u := 1 - t
	return [4]float32{u * u * u / 6, (4 - 6*t*t + 3*t*t*t) / 6, (4 - 6*u*u + 3*u*u*u) / 6, t * t * t / 6}
}

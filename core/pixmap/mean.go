package pixmap

import (
	"math"
	"sync"

	"mobanta/core/color"
)

// smaller is a picture in halves of its size (Williams 1983), made when first asked for.
type smaller struct {
	once   sync.Once
	levels []*Pixmap // from half the size on
}

// maxTaps is how many places are read along a footprint that is longer than wide.
const maxTaps = 8

// Mean returns the colour of the piece about (u, v) that a pixel covers: along long and
// along short, in parts of the picture, the one across the other. What covers less than
// a pixel of the picture is read by Lookup.
func (p *Pixmap) Mean(u, v float64, long, short [2]float64, r Reading) (c color.C, alpha float32) {
	for k := range 2 { // of more than a few pictures it is the same
		long[k], short[k] = max(-4, min(4, bounded(long[k]))), max(-4, min(4, bounded(short[k])))
	}
	l, s := math.Hypot(long[0]*float64(p.W), long[1]*float64(p.H)), math.Hypot(short[0]*float64(p.W), short[1]*float64(p.H))
	if s > l {
		l, s, long = s, l, short
	}
	if !(l > 1) {
		return p.Lookup(u, v, r)
	}
	s = max(1, s, l/maxTaps)
	taps := math.Ceil(l/s - 1e-9)
	r.Nearest = false
	level := math.Log2(s)
	whole := math.Floor(level)
	near, far := p.level(int(whole), r.Data), p.level(int(whole)+1, r.Data)
	part := float32(level - whole)
	for t := range int(taps) {
		k := (float64(t)+0.5)/taps - 0.5
		x, y := bounded(u)+k*long[0], bounded(v)+k*long[1]
		a, aa := near.Lookup(x, y, r)
		b, ba := far.Lookup(x, y, r)
		for i := range c {
			c[i] += a[i] + (b[i]-a[i])*part
		}
		alpha += aa + (ba-aa)*part
	}
	n := 1 / float32(taps)
	return color.C{c[0] * n, c[1] * n, c[2] * n}, alpha * n
}

// level returns the picture in so many halves, at most those that there are.
func (p *Pixmap) level(k int, data bool) *Pixmap {
	if k <= 0 {
		return p
	}
	s := &p.colors
	if data {
		s = &p.numbers
	}
	s.once.Do(func() {
		for q := p; q.W > 1 || q.H > 1; {
			q = q.half(data)
			s.levels = append(s.levels, q)
		}
	})
	if len(s.levels) == 0 {
		return p
	}
	return s.levels[min(k, len(s.levels))-1]
}

// half returns the picture in half its size, by the mean over what each pixel covers, in
// linear light where it holds colours, which count as far as they are opaque.
func (p *Pixmap) half(data bool) *Pixmap {
	out := &Pixmap{W: max(1, p.W/2), H: max(1, p.H/2), Shared: p.Shared}
	out.Pix = make([]byte, 4*out.W*out.H)
	cols, rows := covers(p.W, out.W), covers(p.H, out.H)
	at := p.At
	if data {
		at = p.data
	}
	for y := range out.H {
		for x := range out.W {
			var sum, bare color.C
			var opaque, all float32
			for _, r := range rows[y] {
				for _, q := range cols[x] {
					c, a := at(q.at, r.at)
					w := q.weight * r.weight
					for k := range sum {
						sum[k], bare[k] = sum[k]+c[k]*w*a, bare[k]+c[k]*w
					}
					opaque, all = opaque+a*w, all+w
				}
			}
			c, by := sum, opaque
			if data || p.Shared || !(opaque > 0) {
				c, by = bare, all
			}
			for k := range c {
				c[k] /= by
			}
			out.put(x, y, c, opaque/all, data)
		}
	}
	return out
}

// put writes a pixel as At or data reads it.
func (p *Pixmap) put(x, y int, c color.C, alpha float32, data bool) {
	if p.Shared {
		p.Set(x, y, c)
		return
	}
	q := p.Pix[4*(y*p.W+x):][:4]
	if data {
		for k, v := range c {
			q[k] = byte(max(0, min(255, v*255+0.5)))
		}
	} else {
		q[0], q[1], q[2] = color.Byte(c[0]), color.Byte(c[1]), color.Byte(c[2])
	}
	q[3] = byte(max(0, min(255, alpha*255+0.5)))
}

// cover is a pixel and how much of it is covered.
type cover struct {
	at     int
	weight float32
}

// covers returns, for each of m pixels in place of n, which of them it covers.
func covers(n, m int) [][]cover {
	out := make([][]cover, m)
	size := float64(n) / float64(m)
	for i := range out {
		lo, hi := float64(i)*size, float64(i+1)*size
		for k := int(lo); k < n && float64(k) < hi-1e-9; k++ {
			out[i] = append(out[i], cover{k, float32(min(hi, float64(k+1)) - max(lo, float64(k)))})
		}
	}
	return out
}

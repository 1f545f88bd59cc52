package delivery

import (
	"cmp"
	"image/color"
	"slices"

	core "mobanta/core/color"
)

// The palette of a moving picture of 256 colours: all that it has, where they are so few. Otherwise the colours that much of it
// has, which are those of the looks, as they are; what is left, edges mostly, shares the rest of the palette by median cut
// (Heckbert 1982) in OKLab.

const (
	// most is how many colours a palette has, besides the transparent one.
	most = 255
	// exactly is how many of them are kept for colours as they are.
	exactly = 160
	// often is the share of all pixels from which on a colour is kept as it is.
	often = 0.0004
	// many is how many colours are counted; more of them are counted without their lowest bits.
	many = 1 << 18
)

// rgb is a colour in bytes, one and a half bits opaque at least.
type rgb [3]byte

// palette returns the palette of all frames, its last colour transparent, and whether every colour is in it.
func (m *movie) palette() (color.Palette, bool, error) {
	count := map[rgb]int{}
	total, coarse := 0, false
	for k := range m.frames {
		img, err := m.decoded(k)
		if err != nil {
			return nil, false, err
		}
		last, run := rgb{}, 0
		for i := 0; i < len(img.Pix); i += 4 {
			if img.Pix[i+3] < 128 {
				continue
			}
			c := rgb(img.Pix[i : i+3])
			if coarse {
				for k := range c {
					c[k] &^= 3
				}
			}
			total++
			if c == last {
				run++
				continue
			}
			if run > 0 {
				count[last] += run
			}
			last, run = c, 1
		}
		if run > 0 {
			count[last] += run
		}
		if len(count) > many && !coarse {
			coarse = true
			fewer := map[rgb]int{}
			for c, n := range count {
				for k := range c {
					c[k] &^= 3
				}
				fewer[c] += n
			}
			count = fewer
		}
	}
	type entry struct {
		c rgb
		n int
	}
	all := make([]entry, 0, len(count))
	for c, n := range count {
		all = append(all, entry{c, n})
	}
	slices.SortFunc(all, func(a, b entry) int { return cmp.Or(b.n-a.n, slices.Compare(a.c[:], b.c[:])) })
	var out color.Palette
	put := func(c rgb) { out = append(out, color.RGBA{c[0], c[1], c[2], 255}) }
	exact := len(all) <= most && !coarse
	for len(all) > 0 && (exact || len(out) < exactly && float64(all[0].n) >= often*float64(total)) {
		put(all[0].c)
		all = all[1:]
	}
	if len(all) > 0 {
		boxes := [][]sample{{}}
		for _, e := range all {
			lab := core.FromBytes(e.c[0], e.c[1], e.c[2]).Oklab()
			boxes[0] = append(boxes[0], sample{lab, e.c, e.n})
		}
		for len(out)+len(boxes) < most {
			widest, axis, at := float32(0), 0, -1
			for i, b := range boxes {
				if w, a := spread(b); w > widest {
					widest, axis, at = w, a, i
				}
			}
			if at < 0 {
				break
			}
			a, b := halved(boxes[at], axis)
			boxes[at] = a
			boxes = append(boxes, b)
		}
		for _, b := range boxes {
			put(mean(b))
		}
	}
	return append(out, color.RGBA{}), exact, nil
}

// sample is a colour and how many pixels have it.
type sample struct {
	lab [3]float32
	c   rgb
	n   int
}

// spread returns how wide a box is along its longest side, times the root of what it weighs, and which side that is.
func spread(b []sample) (w float32, axis int) {
	if len(b) < 2 {
		return 0, 0
	}
	lo, hi, n := b[0].lab, b[0].lab, 0
	for _, s := range b {
		n += s.n
		for k, v := range s.lab {
			lo[k], hi[k] = min(lo[k], v), max(hi[k], v)
		}
	}
	for k := range lo {
		if d := hi[k] - lo[k]; d > w {
			w, axis = d, k
		}
	}
	weight := float32(1)
	for n >>= 1; n > 0; n >>= 2 {
		weight *= 2
	}
	return w * w * weight, axis
}

// halved parts a box along a side into two that weigh as much.
func halved(b []sample, axis int) (x, y []sample) {
	slices.SortFunc(b, func(p, q sample) int {
		return cmp.Or(cmp.Compare(p.lab[axis], q.lab[axis]), slices.Compare(p.c[:], q.c[:]))
	})
	all, sum := 0, 0
	for _, s := range b {
		all += s.n
	}
	for i := range len(b) - 1 {
		if sum += b[i].n; 2*sum >= all {
			return b[:i+1], b[i+1:]
		}
	}
	return b[:len(b)-1], b[len(b)-1:]
}

// mean returns the mean colour of a box.
func mean(b []sample) rgb {
	var lab [3]float64
	n := 0.0
	for _, s := range b {
		for k, v := range s.lab {
			lab[k] += float64(v) * float64(s.n)
		}
		n += float64(s.n)
	}
	c := core.FromOklab([3]float32{float32(lab[0] / n), float32(lab[1] / n), float32(lab[2] / n)})
	return rgb{core.Byte(c[0]), core.Byte(c[1]), core.Byte(c[2])}
}

// matcher finds the nearest colour of a palette.
type matcher struct {
	palette color.Palette
	lab     [][3]float32
	known   map[rgb]uint8
	clear   uint8
}

// newMatcher returns the matcher of a palette whose last colour is transparent.
func newMatcher(p color.Palette) *matcher {
	m := &matcher{palette: p, known: map[rgb]uint8{}, clear: uint8(len(p) - 1)}
	for i, c := range p[:len(p)-1] {
		v := c.(color.RGBA)
		m.lab = append(m.lab, core.FromBytes(v.R, v.G, v.B).Oklab())
		m.known[rgb{v.R, v.G, v.B}] = uint8(i)
	}
	return m
}

// index returns the number of the colour that is nearest to a pixel's.
func (m *matcher) index(px [4]byte) uint8 {
	if px[3] < 128 {
		return m.clear
	}
	c := rgb(px[:3])
	if i, ok := m.known[c]; ok {
		return i
	}
	lab := core.FromBytes(c[0], c[1], c[2]).Oklab()
	best, at := float32(0), 0
	for i, q := range m.lab {
		d := float32(0)
		for k := range q {
			d += (q[k] - lab[k]) * (q[k] - lab[k])
		}
		if i == 0 || d < best {
			best, at = d, i
		}
	}
	m.known[c] = uint8(at)
	return uint8(at)
}

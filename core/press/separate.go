package press

import (
	"math"

	"mobanta/core/color"
)

// Separate returns the shares of ink whose mean colour comes as near to a colour as can be: by least
// squares, evenly to the eye, as little ink as that takes, and no more than the limit.
func (r *Ready) Separate(c color.C) (s Shares) {
	n := len(r.inks)
	if n == 0 {
		return s
	}
	weight := seenBy(&c)
	best, least := s, math.Inf(1)
	for _, start := range [2]float32{0, 0.5} {
		at := Shares{}
		for k := range n {
			at[k] = start
		}
		r.descend(&at, c, &weight, 40)
		if off := r.off(&at, c, &weight); off < least-1e-9 {
			best, least = at, off
		}
	}
	return best
}

// lutSide is how many steps of each channel, as they are encoded, are separated from the ground.
const lutSide = 17

// separate is Separate from what neighbouring colours came to, for pictures with many colours.
func (r *Ready) separate(c color.C) (s Shares) {
	if len(r.inks) == 0 {
		return s
	}
	e := c.Encoded()
	var low [3]int
	var part [3]float32
	for k, v := range e {
		x := max(0, min(1, v)) * (lutSide - 1)
		low[k] = min(int(x), lutSide-2)
		part[k] = x - float32(low[k])
	}
	for corner := range 8 {
		w, at := float32(1), 0
		var enc [3]float32
		for k := range low {
			i := low[k] + corner>>k&1
			if corner>>k&1 == 1 {
				w *= part[k]
			} else {
				w *= 1 - part[k]
			}
			at, enc[k] = at*lutSide+i, float32(i)/(lutSide-1)
		}
		if w == 0 {
			continue
		}
		node := r.lut[at].Load()
		if node == nil {
			got := r.Separate(color.FromEncoded(enc))
			node = &got
			r.lut[at].Store(node)
		}
		for k, v := range node {
			s[k] += w * v
		}
	}
	weight := seenBy(&c)
	r.descend(&s, c, &weight, 4)
	return s
}

// seenBy bounds a colour to what can be, and returns how much differences of its channels count: as
// they are seen, by how fast the cube root rises there.
func seenBy(c *color.C) (weight [3]float64) {
	for k := range c {
		c[k] = max(0, min(1, c[k]))
		weight[k] = 1 / (3 * math.Pow(max(0.01, float64(c[k])), 2.0/3))
	}
	return weight
}

// lean is how much more ink counts against what it mends, so that of two ways to a colour the one
// with less is taken.
const lean = 2e-6

// strict is how much ink over the limit counts, against colours that are missed.
const strict = 300

// off is what is to be small.
func (r *Ready) off(s *Shares, c color.C, weight *[3]float64) (sum float64) {
	m := r.Mean(s)
	for k, w := range weight {
		d := w * float64(m[k]-c[k])
		sum += d * d
	}
	ink := 0.0
	for k := range r.inks {
		sum += lean * float64(s[k]) * float64(s[k])
		ink += float64(s[k])
	}
	if r.limit > 0 && ink > float64(r.limit) {
		d := strict * (ink - float64(r.limit))
		sum += d * d
	}
	return sum
}

// descend improves shares in so many steps (Levenberg and Marquardt), each held within 0 to 1.
func (r *Ready) descend(s *Shares, c color.C, weight *[3]float64, steps int) {
	n := len(r.inks)
	damp, now := 1e-3, r.off(s, c, weight)
	for range steps {
		var slope [MaxInks][3]float64 // of the colour by each share
		for k := range n {
			// The colour is nearly linear in each share.
			less, more := *s, *s
			less[k], more[k] = max(0, s[k]-0.1), min(1, s[k]+0.1)
			lo, hi := r.Mean(&less), r.Mean(&more)
			for i := range lo {
				slope[k][i] = weight[i] * float64(hi[i]-lo[i]) / float64(more[k]-less[k])
			}
		}
		m := r.Mean(s)
		ink := 0.0
		for k := range n {
			ink += float64(s[k])
		}
		over := r.limit > 0 && ink > float64(r.limit)
		var fixed [MaxInks]bool
		better := false
		for range n + 2 {
			var a [MaxInks][MaxInks + 1]float64
			for j := range n {
				if fixed[j] {
					a[j][j] = 1
					continue
				}
				for k := range n {
					if fixed[k] {
						continue
					}
					for i := range 3 {
						a[j][k] += slope[j][i] * slope[k][i]
					}
					if over {
						a[j][k] += strict * strict
					}
				}
				a[j][j] += lean + damp
				for i := range 3 {
					a[j][n] += slope[j][i] * weight[i] * float64(c[i]-m[i])
				}
				a[j][n] -= lean * float64(s[j])
				if over {
					a[j][n] -= strict * strict * (ink - float64(r.limit))
				}
			}
			solve(&a, n)
			again := false
			next := *s
			for k := range n {
				v := s[k] + float32(a[k][n])
				if v < 0 && s[k] <= 0 || v > 1 && s[k] >= 1 { // it would leave: the others go on without it
					if !fixed[k] {
						fixed[k], again = true, true
					}
					v = s[k]
				}
				next[k] = max(0, min(1, v))
			}
			if again {
				continue
			}
			if off := r.off(&next, c, weight); off < now {
				better = now-off > 1e-12
				*s, now = next, off
				damp = max(1e-9, damp/8)
			} else {
				better = damp < 1e3
				damp *= 6
			}
			break
		}
		if !better {
			return
		}
	}
}

// solve turns the last column of n equations into their solution (Gauss and Jordan).
func solve(a *[MaxInks][MaxInks + 1]float64, n int) {
	for k := range n {
		at := k
		for j := k + 1; j < n; j++ {
			if math.Abs(a[j][k]) > math.Abs(a[at][k]) {
				at = j
			}
		}
		a[k], a[at] = a[at], a[k]
		if a[k][k] == 0 {
			continue
		}
		for j := range n {
			if j == k {
				continue
			}
			f := a[j][k] / a[k][k]
			for i := k; i <= n; i++ {
				a[j][i] -= f * a[k][i]
			}
		}
	}
	for k := range n {
		if a[k][k] != 0 {
			a[k][n] /= a[k][k]
		}
	}
}

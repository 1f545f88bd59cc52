package press

import (
	"math"
	"sync"
)

// overlap is how much more often two or three screens cover the same place than chance would have them. Screens of like density
// whose angles lie a third of a right angle apart, as the usual ones of process inks do, are such: the beat of two of them is
// the third, so where two cover each other the third lies or does not, all over the picture. On a grid of shares of each, in
// steps of 1/(overlapSide-1), the first varying slowest.
type overlap struct {
	inks   []int
	excess []float32 // the mixed central moment of what they cover
}

const (
	overlapSide   = 11
	overlapPlaces = 1 << 13 // places in a picture at which screens are looked at
)

// waves are the two directions in which a screen repeats, in cells a picture's height, and those across.
func (l *plate) waves(lines int) [4][2]float64 {
	f := float64(l.perPixel) * float64(lines)
	x, y := f*float64(l.cos), f*float64(l.sin)
	return [4][2]float64{{x, y}, {-y, x}, {-x, -y}, {y, -x}}
}

// beating returns which inks' screens have a beat longer than the picture: pairs that repeat alike, then triples of which two
// beat as the third repeats.
func (r *Ready) beating(lines int) (out [][]int) {
	long := func(x, y float64) bool { return math.Hypot(x, y) < 1 }
	n := len(r.inks)
	for i := range n {
		for j := i + 1; j < n; j++ {
			a := r.inks[i].waves(lines)[0]
			like := false
			for _, b := range r.inks[j].waves(lines) {
				like = like || long(a[0]+b[0], a[1]+b[1])
			}
			if like {
				out = append(out, []int{i, j})
			}
			for k := j + 1; k < n; k++ {
				found := false
				for _, b := range r.inks[j].waves(lines) {
					for _, c := range r.inks[k].waves(lines) {
						found = found || long(a[0]+b[0]+c[0], a[1]+b[1]+c[1])
					}
				}
				if found {
					out = append(out, []int{i, j, k})
				}
			}
		}
	}
	return out
}

// measure finds out how the screens of a press overlap on a picture of so many lines.
func (r *Ready) measure(lines int) []overlap {
	beats := r.beating(lines)
	if len(beats) == 0 {
		return nil
	}
	// What each screen covers at each place, less its mean, for each share.
	var off [MaxInks][][]float32
	for _, inks := range beats {
		for _, k := range inks {
			if off[k] == nil {
				off[k] = r.looked(k, lines)
			}
		}
	}
	out := make([]overlap, 0, len(beats))
	for _, inks := range beats {
		o := overlap{inks: inks}
		for _, a := range off[inks[0]] {
			for _, b := range off[inks[1]] {
				if len(inks) == 2 {
					o.excess = append(o.excess, meanOf(a, b))
					continue
				}
				both := make([]float32, overlapPlaces)
				for i := range both {
					both[i] = a[i] * b[i]
				}
				for _, c := range off[inks[2]] {
					o.excess = append(o.excess, meanOf(both, c))
				}
			}
		}
		out = append(out, o)
	}
	return out
}

// looked returns what screen k covers of pixels strewn evenly over a picture of so many lines, less its mean there, for each step
// of its share.
func (r *Ready) looked(k, lines int) [][]float32 {
	l := &r.inks[k]
	out := make([][]float32, overlapSide)
	for step := range out {
		share, sum := float32(step)/(overlapSide-1), 0.0
		out[step] = make([]float32, overlapPlaces)
		for i := range out[step] {
			_, x := math.Modf(float64(i) * 0.7548776662466927)
			_, y := math.Modf(float64(i) * 0.5698402909980532)
			u, v := l.at(float32(int(x*float64(lines))), float32(int(y*float64(lines))), lines)
			out[step][i] = l.screen.At(u, v, share)
			sum += float64(out[step][i])
		}
		for i := range out[step] {
			out[step][i] -= float32(sum / overlapPlaces)
		}
	}
	return out
}

func meanOf(a, b []float32) float32 {
	sum := 0.0
	for i, v := range a {
		sum += float64(v * b[i])
	}
	return float32(sum / float64(len(a)))
}

// of returns how much more they cover together at these shares.
func (o *overlap) of(s *Shares) float32 {
	var low [3]int
	var part [3]float32
	for i, k := range o.inks {
		x := max(0, min(1, s[k])) * (overlapSide - 1)
		low[i] = min(int(x), overlapSide-2)
		part[i] = x - float32(low[i])
	}
	sum := float32(0)
	for corner := range 1 << len(o.inks) {
		w, at := float32(1), 0
		for i := range o.inks {
			if corner>>i&1 == 1 {
				w *= part[i]
			} else {
				w *= 1 - part[i]
			}
			at = at*overlapSide + low[i] + corner>>i&1
		}
		if w > 0 {
			sum += w * o.excess[at]
		}
	}
	return sum
}

// lazily is what is measured once, when the first colour is parted.
type lazily struct {
	once sync.Once
	list []overlap
}

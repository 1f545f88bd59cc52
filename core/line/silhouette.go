package line

import (
	"slices"

	"mobanta/core/parallel"
	"mobanta/core/vec"
)

// Round says what a silhouette goes round.
type Round string

// What silhouettes go round.
const (
	RoundParts  Round = "part"
	RoundModels Round = "model"
	RoundAll    Round = "all"
)

// Silhouette is lines round parts, models, or all that there is. The surface in front has the line.
type Silhouette struct {
	Round Round
	Shift float32 // where the line lies: 0 on the border, 1 outside of it, -1 inside
}

// Find implements Rule.
func (s Silhouette) Find(in *Seen, on func(part int32) bool) []Chain {
	parts := make([]bool, len(in.Scene.Parts))
	for p := range parts {
		parts[p] = on(int32(p))
	}
	bands := in.between()
	found := make([][]Place, len(bands))
	parallel.Do(in.Workers, len(bands), func(b int) {
		f := finder{in: in, vis: in.Vis}
		for _, at := range bands[b] {
			if parts[at.part] && s.apart(in, at) {
				f.put(at)
			}
		}
		found[b] = f.out
	})
	chains := eased(Link(slices.Concat(found...), in.Vis.W, in.Vis.H))
	for _, c := range chains {
		c.faceOut()
	}
	return chains
}

// apart tells whether a border is one that the silhouette runs along.
func (s Silhouette) apart(in *Seen, b border) bool {
	p, q := b.pixel, b.pixel+1
	if b.down {
		q = b.pixel + int32(in.Vis.W)
	}
	t, u := in.Vis.Tri[p], in.Vis.Tri[q]
	if t < 0 || u < 0 {
		return true
	}
	a, c := in.Scene.TriPart[t], in.Scene.TriPart[u]
	switch s.Round {
	case RoundAll:
		return false
	case RoundModels:
		return in.Scene.Parts[a].Model != in.Scene.Parts[c].Model
	}
	return a != c
}

// faceOut says of each place of a chain which way is away from its surface: the mean of the ways over the borders of some
// pixels about it, of which there are as many across as down as the line is steep.
func (c Chain) faceOut() {
	const reach = 6
	n := len(c)
	ring := n > 2*reach && c.Ring()
	raw := make([][2]float32, n)
	for i := range c {
		raw[i] = c[i].out
	}
	for i := range c {
		var x, y float32
		for k := i - reach; k <= i+reach; k++ {
			at := k
			if ring {
				at = (k + n) % n
			} else if k < 0 || k >= n {
				continue
			}
			x, y = x+raw[at][0], y+raw[at][1]
		}
		if l := vec.Sqrt(x*x + y*y); l > 0 {
			c[i].out = [2]float32{x / l, y / l}
		}
	}
}

// Package line finds lines in what a camera sees, links them into chains, and draws them with ink. What is found, and
// with which ink it is drawn, are two questions: the ink is asked for at each place that was found.
package line

import (
	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/stage"
)

// Rule says where lines run.
type Rule interface {
	// Find returns the chains of places that the rule's lines run through. Places lie on
	// the parts that the seen tells to look at.
	Find(in *Seen) []Chain
}

// Seen is what a rule looks at: one position of a picture.
type Seen struct {
	Vis     *sample.Visibility
	Scene   *stage.Scene
	View    stage.View
	Workers int
	// Part tells whether the edges of a part of the scene are asked for.
	Part func(part int32) bool
}

// Place is where a line runs.
type Place struct {
	X, Y  float32  // in pixels from the top left corner
	Pixel int32    // that shows the surface which the line belongs to
	ends  [2]int32 // corners between pixels from which and to which the line runs here
}

// Chain is places of a line in the order in which it runs through them.
type Chain []Place

// Edges finds edges between the pixels of a picture, on its own buffers (Saito and
// Takahashi 1990).
type Edges struct {
	Outer  bool    // along the border between a model and what lies behind it
	Parts  bool    // where one part meets another
	Crease bool    // where the surface bends by more than Angle
	Angle  float64 // degrees
	Depth  bool    // where the surface jumps in depth in front of itself
	Jump   float64 // the least jump, in sizes of the stage
}

// Find implements Rule. Where two looks meet, the surface in front has the edge.
func (e Edges) Find(in *Seen) []Chain {
	bands := (in.Vis.H + band - 1) / band
	found := make([]finder, bands)
	parts := make([]bool, len(in.Scene.Parts))
	for p := range parts {
		parts[p] = in.Part(int32(p))
	}
	var regions []int32
	if e.Crease {
		regions = in.Scene.Regions(e.Angle)
	}
	parallel.Do(in.Workers, bands, func(b int) {
		found[b] = finder{edges: e, in: in, vis: in.Vis, parts: parts, regions: regions}
		found[b].rows(b*band, min(in.Vis.H, (b+1)*band))
	})
	var all []Place
	for b := range found {
		all = append(all, found[b].out...)
	}
	return Link(all, in.Vis.W, in.Vis.H)
}

// finder looks for edges in some rows.
type finder struct {
	edges   Edges
	in      *Seen
	vis     *sample.Visibility
	parts   []bool
	regions []int32
	out     []Place
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
	if !f.parts[f.in.Scene.TriPart[f.vis.Tri[owner]]] || !f.edge(p, q, step) {
		return
	}
	at := Place{X: float32(x) + f.vis.Jitter[0], Y: float32(y) + f.vis.Jitter[1], Pixel: int32(owner)}
	w := f.vis.W + 1
	if step == 1 {
		at.X += 0.5
		at.ends = [2]int32{int32(y*w + x + 1), int32((y+1)*w + x + 1)}
	} else {
		at.Y += 0.5
		at.ends = [2]int32{int32((y+1)*w + x), int32((y+1)*w + x + 1)}
	}
	f.out = append(f.out, at)
}

func (f *finder) edge(p, q, step int) bool {
	e := &f.edges
	a, b := f.vis.Tri[p], f.vis.Tri[q]
	if a < 0 || b < 0 {
		return e.Outer
	}
	sc := f.in.Scene
	pa, pb := sc.TriPart[a], sc.TriPart[b]
	switch {
	case sc.Parts[pa].Model != sc.Parts[pb].Model:
		return e.Outer
	case pa != pb:
		return e.Parts
	case e.Crease && f.regions[a] != f.regions[b]:
		return true
	}
	return e.Depth && f.jump(float32(e.Jump)*sc.Size, p, q, step)
}

// jump tells whether the depth at q is not what the surface at p leads to, nor
// the other way round: nearness is linear over the picture within a plane.
func (f *finder) jump(least float32, p, q, step int) bool {
	near := f.vis.Near
	depth := f.in.View.Depth
	bound := least // of the difference in nearness: 1/a − 1/b = (b − a)/ab
	if !f.in.View.Ortho {
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
		if !f.in.View.Ortho && predicted <= 0 {
			return true
		}
		d := depth(predicted) - depth(near[at])
		return d >= least || d <= -least
	}
	return off(q, lead(p, p-step)) && off(p, lead(q, q+step))
}

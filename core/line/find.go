// Package line finds lines in what a camera sees, links them into chains, and draws them with ink. What is found, and
// with which ink it is drawn, are two questions: the ink is asked for at each place that was found.
package line

import (
	"slices"
	"sync"

	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/stage"
)

// Rule says where lines run.
type Rule interface {
	// Find returns the chains of places that the rule's lines run through, on those parts
	// of the scene that on tells to look at.
	Find(in *Seen, on func(part int32) bool) []Chain
}

// Seen is what rules look at: one position of a picture.
type Seen struct {
	Vis     *sample.Visibility
	Scene   *stage.Scene
	View    stage.View
	Workers int

	once    sync.Once
	borders [][]border // by bands of rows; of all rules
}

// border is where two pixels beside each other show different triangles.
type border struct {
	pixel int32 // the left or upper one
	part  int32 // of the surface in front, whose border it is
	down  bool  // to the pixel below, not to the one on the right
	far   bool  // the further pixel shows what is in front
}

// between returns the borders in the picture, by bands of rows.
func (in *Seen) between() [][]border {
	in.once.Do(func() {
		v := in.Vis
		in.borders = make([][]border, (v.H+band-1)/band)
		parallel.Do(in.Workers, len(in.borders), func(b int) {
			var out []border
			put := func(p, q int, down bool) {
				far := v.Near[q] > v.Near[p]
				if a, b := v.Tri[p], v.Tri[q]; a >= 0 && b >= 0 && in.Scene.TriPart[a] != in.Scene.TriPart[b] {
					far = in.behind(p, q)
				}
				front := p
				if far {
					front = q
				}
				out = append(out, border{int32(p), in.Scene.TriPart[v.Tri[front]], down, far})
			}
			for y := b * band; y < min(v.H, (b+1)*band); y++ {
				row := v.Tri[y*v.W : (y+1)*v.W]
				below := row
				if y+1 < v.H {
					below = v.Tri[(y+1)*v.W : (y+2)*v.W]
				}
				for x, t := range row {
					if x+1 < v.W && row[x+1] != t {
						put(y*v.W+x, y*v.W+x+1, false)
					}
					if below[x] != t {
						put(y*v.W+x, (y+1)*v.W+x, true)
					}
				}
			}
			in.borders[b] = out
		})
	})
	return in.borders
}

// meets is by how much the depths of two surfaces differ at most where they meet, in sizes of the stage.
const meets = 1e-4

// behind tells whether the part that is seen at p lies behind the other that is seen at q, beside it: half-way between them, where
// each is led on to as it goes (nearness is linear over the picture within a plane). Where they meet, as along a cut, neither lies
// before the other; the one that comes nearer away from there has the line, and if neither does by much the first: where in a pixel
// the cut runs has no say, or they would have it in turn.
func (in *Seen) behind(p, q int) bool {
	v := in.Vis
	ax, ay := in.slope(p)
	bx, by := in.slope(q)
	nx, ny := bx-ax, by-ay
	over := nx // by how much more nearness grows there from pixel to pixel
	a, b := v.Near[p]+ax/2, v.Near[q]-bx/2
	if q != p+1 {
		over, a, b = ny, v.Near[p]+ay/2, v.Near[q]-by/2
	}
	bound := meets * in.Scene.Size
	if !in.View.Ortho {
		bound *= v.Near[p] * v.Near[q]
	}
	// The cut may run anywhere between the two.
	if d := a - b; max(d, -d) > bound+0.55*max(over, -over) {
		return b > a
	}
	// Along where they meet both go on alike, so that what they differ by lies across it, from p's side to q's.
	if over < 0 {
		nx, ny = -nx, -ny
	}
	// By how much nearer q's comes away from there than p's.
	if d := (ax+bx)*nx + (ay+by)*ny; d*d > 0.04*(nx*nx+ny*ny)*(ax*ax+ay*ay+bx*bx+by*by) {
		return d > 0
	}
	return in.Scene.TriPart[v.Tri[q]] < in.Scene.TriPart[v.Tri[p]]
}

// slope returns by how much the part that is seen at a pixel comes nearer from pixel to pixel, to the right and down; 0 where it is
// one pixel wide.
func (in *Seen) slope(at int) (x, y float32) {
	v := in.Vis
	part := func(i int) int32 { return in.Scene.TriPart[v.Tri[i]] }
	along := func(step int, first, last bool) float32 {
		switch {
		case !first && v.Tri[at-step] >= 0 && part(at-step) == part(at):
			return v.Near[at] - v.Near[at-step]
		case !last && v.Tri[at+step] >= 0 && part(at+step) == part(at):
			return v.Near[at+step] - v.Near[at]
		}
		return 0
	}
	return along(1, at%v.W == 0, at%v.W == v.W-1), along(v.W, at/v.W == 0, at/v.W == v.H-1)
}

// Place is where a line runs.
type Place struct {
	X, Y  float32    // in pixels from the picture's top left corner
	Pixel int32      // of what is drawn of it, that shows the surface which the line belongs to
	out   [2]float32 // away from that surface, unit
	ends  [2]int32   // corners between pixels from which and to which the line runs here
	round bool       // whether it is of a chain that ends where it began, with nothing else there
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
	Change float32 // of a tone that is wired, from pixel to pixel; 0 for Levels
	Levels []float32
}

// Find implements Rule. Where two looks meet, the surface in front has the edge.
func (e Edges) Find(in *Seen, on func(part int32) bool) []Chain {
	parts := make([]bool, len(in.Scene.Parts))
	for p := range parts {
		parts[p] = on(int32(p))
	}
	var regions []int32
	var folded func(a, b int32) bool
	if e.Crease {
		regions, folded = in.Scene.Regions(e.Angle), in.Scene.Folds(e.Angle)
	}
	bands := in.between()
	found := make([][]Place, len(bands))
	parallel.Do(in.Workers, len(bands), func(b int) {
		f := finder{edges: e, in: in, vis: in.Vis, regions: regions, folded: folded}
		for _, at := range bands[b] {
			if parts[at.part] {
				f.look(at)
			}
		}
		found[b] = f.out
	})
	return eased(Link(slices.Concat(found...), in.Vis.W, in.Vis.H))
}

// eased takes the steps of pixels out of chains: on a slant they made lines thicker than was asked.
func eased(of []Chain) []Chain {
	for _, c := range of {
		c.ease()
	}
	return of
}

// Masked is a rule that also looks at a tone that is wired.
type Masked interface {
	Rule
	// Within returns the chains of places where the tone, by pixel, changes along a surface; it is no number where
	// there is none of it.
	Within(in *Seen, tone []float32) []Chain
	// Mask names the node's input; "" for none.
	Mask() string
}

// Mask implements Masked.
func (e Edges) Mask() string { return Mask }

// Mask is the input of a node by whose changes lines run.
const Mask = "mask"

// Within implements Masked: where the tone jumps by more than Change from pixel to pixel, or, if that is 0, where it
// passes one of Levels.
func (e Edges) Within(in *Seen, tone []float32) []Chain {
	return isolines(in, tone, e.Change, e.Levels)
}

// isolines is Edges.Within.
func isolines(in *Seen, tone []float32, change float32, levels []float32) (out []Chain) {
	w, h := in.Vis.W, in.Vis.H
	f := finder{in: in, vis: in.Vis}
	if change > 0 {
		levels = []float32{0}
	}
	for _, level := range levels {
		var places []Place
		look := func(x, y, step int, down bool) {
			p := y*w + x
			a, b := tone[p], tone[p+step]
			at := Place{X: float32(in.Vis.Min.X+x) + 0.5, Y: float32(in.Vis.Min.Y+y) + 0.5, Pixel: int32(p)}
			t := float32(0.5)
			if change > 0 {
				if d := a - b; !(d > change || d < -change) {
					return
				}
			} else {
				if a != a || b != b || (a > level) == (b > level) {
					return
				}
				t = (level - a) / (b - a)
			}
			// From one surface to another a tone does not change: it is another one.
			if r, s := in.Vis.Tri[p], in.Vis.Tri[p+step]; in.Scene.TriPart[r] != in.Scene.TriPart[s] || r != s && f.jump(leastJump*in.Scene.Size, p, p+step, step) {
				return
			}
			if t > 0.5 {
				at.Pixel += int32(step)
			}
			if down {
				at.Y += t
				at.ends = [2]int32{int32((y+1)*(w+1) + x), int32((y+1)*(w+1) + x + 1)}
			} else {
				at.X += t
				at.ends = [2]int32{int32(y*(w+1) + x + 1), int32((y+1)*(w+1) + x + 1)}
			}
			places = append(places, at)
		}
		for y := range h {
			for x := range w {
				if x+1 < w {
					look(x, y, 1, false)
				}
				if y+1 < h {
					look(x, y, w, true)
				}
			}
		}
		out = append(out, eased(Link(places, w, h))...)
	}
	return out
}

// leastJump is the jump in depth, in sizes of the stage, across which a surface does not go on.
const leastJump = 0.01

// ease takes the steps of pixels out of a chain; its ends stay, and what it is of.
func (c Chain) ease() {
	n := len(c)
	if n < 3 {
		return
	}
	ring := c.Ring()
	for range eases {
		before, first := c[n-1], c[0]
		if !ring {
			before = c[0]
		}
		for i := range c {
			after := first
			if i+1 < n {
				after = c[i+1]
			}
			was := c[i]
			if ring || i > 0 && i+1 < n {
				c[i].X, c[i].Y = was.X/2+(before.X+after.X)/4, was.Y/2+(before.Y+after.Y)/4
			}
			before = was
		}
	}
}

// eases is how often a chain is eased: places then are means over about four to either side.
const eases = 4

// Ring tells whether a chain ends where it began. One that comes back to where other lines meet does not: what a line is
// like depends on what is near, not on whether it closes elsewhere.
func (c Chain) Ring() bool { return len(c) > 6 && c[0].round }

// finder looks for edges in some rows.
type finder struct {
	edges   Edges
	in      *Seen
	vis     *sample.Visibility
	regions []int32
	folded  func(a, b int32) bool // whether a crease lies between two triangles of one region
	out     []Place
}

// look notes the place of a border if it is an edge.
func (f *finder) look(b border) {
	p, step := int(b.pixel), 1
	if b.down {
		step = f.vis.W
	}
	if f.edge(p, p+step, step) {
		f.put(b)
	}
}

// put notes the place of a border.
func (f *finder) put(b border) {
	p, step := int(b.pixel), 1
	if b.down {
		step = f.vis.W
	}
	x, y := p%f.vis.W, p/f.vis.W
	at := Place{X: float32(f.vis.Min.X+x) + f.vis.Jitter[0], Y: float32(f.vis.Min.Y+y) + f.vis.Jitter[1], Pixel: b.pixel}
	if b.far {
		at.Pixel += int32(step)
	}
	away := float32(1)
	if b.far {
		away = -1
	}
	w := f.vis.W + 1
	if b.down {
		at.Y, at.out[1] = at.Y+0.5, away
		at.ends = [2]int32{int32((y+1)*w + x), int32((y+1)*w + x + 1)}
	} else {
		at.X, at.out[0] = at.X+0.5, away
		at.ends = [2]int32{int32(y*w + x + 1), int32((y+1)*w + x + 1)}
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
	case e.Crease && (f.regions[a] != f.regions[b] || f.folded(a, b)):
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
	w := f.vis.W
	lead := func(from, back int) float32 {
		if back < 0 || back >= len(near) || back%w != from%w && back/w != from/w || f.vis.Tri[back] < 0 { // past the rim
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

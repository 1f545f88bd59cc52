// Package unwrap gives surfaces texture coordinates: it cuts them into charts that bend little, lays these flat with
// little stretch, and packs them into a square.
package unwrap

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"mobanta/core/parallel"
	"mobanta/core/vec"
)

// Options says how a surface is cut and packed.
type Options struct {
	Cone   float64 // degrees: how far the normals of one chart lie at most from their middle; 0 for DefaultCone
	Margin float64 // between charts, in parts of the picture's side; 0 for DefaultMargin
	// Workers is on how many cores charts are laid flat; 0 for one.
	Workers int
}

// What options are unless they say otherwise, and what they may be.
const (
	DefaultCone   = 60.0
	MaxCone       = 80.0
	LeastCone     = 5.0
	DefaultMargin = 1.0 / 512
	MaxMargin     = 1.0 / 16
)

// MaxTriangles limits what is unwrapped: finer models are for tools that hold them whole.
const MaxTriangles = 500_000

// Check returns what is wrong with options, or nil.
func (o Options) Check() error {
	switch {
	case o.Cone != 0 && !(o.Cone >= LeastCone && o.Cone <= MaxCone):
		return fmt.Errorf("unwrap: a chart bends by %g to %g degrees from its middle, not %g", LeastCone, MaxCone, o.Cone)
	case !(o.Margin >= 0 && o.Margin <= MaxMargin):
		return fmt.Errorf("unwrap: the margin is 0 to %g of the picture's side, not %g", MaxMargin, o.Margin)
	}
	return nil
}

// Surface is what is unwrapped: polygons that were cut into triangles.
type Surface struct {
	Pos  []vec.V
	Tri  [][3]int32 // by numbers of Pos
	Face []int32    // of each triangle: the polygon it is a piece of; those of one are together on the texture
	Part []int32    // of each triangle; charts do not go from one part to another
}

// Layout is where the triangles of a surface lie on the texture.
type Layout struct {
	UV      [][3][2]float32 // of each triangle's corners, from 0 to 1; the same for corners that are the same place of one chart
	Chart   []int32         // of each triangle
	Charts  int
	Used    float64 // share of the square that triangles cover
	Stretch float64 // by Stretch
}

// ErrTooMany is that a surface has more triangles than are unwrapped.
var ErrTooMany = errors.New("unwrap: the model has more than 500,000 triangles")

// Limits on the work, counted in steps and not timed, so that a surface is laid the same way on any machine and on any
// number of cores. What charts of a usual surface take is a third of that, or less.
const (
	flattening = 20_000 // times that a link between two vertices is looked at, for each triangle
	splittings = 24     // rounds in which charts that do not lie flat are parted; each halves them, about
	meetings   = 2_000  // pairs of edges that are held against each other, for each edge of a border
	gatherings = 500    // faces that are looked at while charts are joined, for each face
)

// Of unwraps a surface. A context that ends stops it, with the context's error. It always ends: charts that do not lie flat
// however they are parted are cut by direction, and then into single polygons.
func Of(ctx context.Context, s Surface, o Options) (*Layout, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	if len(s.Tri) > MaxTriangles {
		return nil, ErrTooMany
	}
	if o.Cone == 0 {
		o.Cone = DefaultCone
	}
	if o.Margin == 0 {
		o.Margin = DefaultMargin
	}
	workers := max(1, o.Workers)
	w := newWork(&s)
	todo, err := w.cut(ctx, math.Cos(o.Cone*math.Pi/180))
	if err != nil {
		return nil, err
	}
	var flat []*chart
	left := flattening * len(s.Tri)
	for round := 0; len(todo) > 0; round++ {
		left -= w.flattenAll(ctx, todo, left, workers)
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		var again []*chart
		for _, c := range todo {
			switch {
			case c.good:
				flat = append(flat, c)
			case len(c.faces) == 1: // which is no polygon that can be drawn: each of its triangles has a place, whatever they look like
				w.fold(c)
				flat = append(flat, c)
			case round < splittings:
				again = append(again, w.split(c)...)
			case round == splittings:
				again = append(again, w.byDirection(c)...)
			default:
				for _, f := range c.faces {
					again = append(again, &chart{faces: []int32{f}, axis: w.axis([]int32{f})})
				}
			}
		}
		todo = again
	}
	side, err := pack(ctx, flat, o.Margin, workers)
	if err != nil {
		return nil, err
	}
	more, reach := flat, side
	for range partings {
		parted := false
		if more, parted = w.part(ctx, more, reach, left, workers); !parted {
			break
		}
		if reach, err = pack(ctx, more, o.Margin, workers); err != nil {
			return nil, err
		}
		if reach < side*0.99 { // or it is not worth the cuts
			flat, side = more, reach
		}
	}
	out := &Layout{UV: make([][3][2]float32, len(s.Tri)), Chart: make([]int32, len(s.Tri)), Charts: len(flat)}
	for k, c := range flat {
		for i, t := range c.tris {
			out.Chart[t] = int32(k)
			for j := range 3 {
				p := c.uv[c.tri[i][j]]
				out.UV[t][j] = [2]float32{float32(p[0] / side), float32(p[1] / side)}
			}
		}
	}
	out.Used = used(out.UV)
	out.Stretch = Stretch(&s, out.UV)
	return out, nil
}

// flattenAll lays charts flat and returns how many links were looked at; about as many as are left, at most.
func (w *work) flattenAll(ctx context.Context, list []*chart, left, workers int) int {
	triangles := 0
	for _, c := range list {
		for _, f := range c.faces {
			triangles += len(w.tris[f])
		}
	}
	looked := make([]int, len(list))
	parallel.Do(workers, len(list), func(i int) {
		if ctx.Err() == nil {
			looked[i] = w.flatten(ctx, list[i], max(0, left)/max(1, triangles))
		}
	})
	sum := 0
	for _, n := range looked {
		sum += n
	}
	return sum
}

// Few large charts leave gaps that nothing fills: they are parted, up to so often, while less than enough of the square is used.
const (
	partings = 1
	enough   = 0.72
	large    = 0.04 // of all
)

// part parts the large charts in two if less of a square of that side is used than is enough.
func (w *work) part(ctx context.Context, flat []*chart, side float64, left, workers int) (out []*chart, parted bool) {
	area := make([]float64, len(flat))
	total := 0.0
	for i, c := range flat {
		for k := range c.tri {
			area[i] += c.area(k) / 2
		}
		total += area[i]
	}
	if total >= enough*side*side || len(flat) < 6 { // simple forms stay whole
		return flat, false
	}
	pieces := make([][]*chart, len(flat))
	var todo []*chart
	for i, c := range flat {
		if area[i] >= large*total && len(c.faces) >= 16 {
			pieces[i] = w.split(c)
			todo = append(todo, pieces[i]...)
		}
	}
	w.flattenAll(ctx, todo, left, workers)
	for i, c := range flat {
		kept := *c
		kept.uv = slices.Clone(c.uv)
		if pieces[i] == nil || slices.ContainsFunc(pieces[i], func(p *chart) bool { return !p.good }) {
			out = append(out, &kept)
			continue
		}
		out, parted = append(out, pieces[i]...), true
	}
	return out, parted
}

// used returns the sum of the areas of triangles on the texture.
func used(uv [][3][2]float32) (sum float64) {
	for _, t := range uv {
		sum += math.Abs(area2(at64(t[0]), at64(t[1]), at64(t[2]))) / 2
	}
	return sum
}

func at64(p [2]float32) [2]float64 { return [2]float64{float64(p[0]), float64(p[1])} }

// area2 is twice the area of a triangle, above 0 where it goes round as it should.
func area2(a, b, c [2]float64) float64 {
	return (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0])
}

// Stretch returns how much a texture is stretched over a surface: the L² norm of Sander, Snyder, Gortler and Hoppe
// (Texture mapping progressive meshes, 2001), with the texture as large as the surface: 1 for none.
func Stretch(s *Surface, uv [][3][2]float32) float64 {
	var sum, surface, texture float64
	for i, t := range s.Tri {
		a, b, c := s.Pos[t[0]], s.Pos[t[1]], s.Pos[t[2]]
		q := stretch2(a, b, c, at64(uv[i][0]), at64(uv[i][1]), at64(uv[i][2]))
		area := float64(b.Sub(a).Cross(c.Sub(a)).Len()) / 2
		flat := math.Abs(area2(at64(uv[i][0]), at64(uv[i][1]), at64(uv[i][2]))) / 2
		if !(area > 0) || !(flat > 0) {
			continue
		}
		sum, surface, texture = sum+q*area, surface+area, texture+flat
	}
	if !(surface > 0) {
		return 1
	}
	return math.Sqrt(sum/surface) * math.Sqrt(texture/surface)
}

// stretch2 is the mean of the squares of the singular values of the map from a triangle on the texture to one in space.
func stretch2(p, q, r vec.V, a, b, c [2]float64) float64 {
	d := area2(a, b, c)
	if d == 0 {
		return 0
	}
	var s, t [3]float64
	for k := range 3 {
		x, y, z := float64(p[k]), float64(q[k]), float64(r[k])
		s[k] = (x*(b[1]-c[1]) + y*(c[1]-a[1]) + z*(a[1]-b[1])) / d
		t[k] = (x*(c[0]-b[0]) + y*(a[0]-c[0]) + z*(b[0]-a[0])) / d
	}
	return (s[0]*s[0] + s[1]*s[1] + s[2]*s[2] + t[0]*t[0] + t[1]*t[1] + t[2]*t[2]) / 2
}

// work is a surface that is being unwrapped.
type work struct {
	s      *Surface
	weld   []int32     // of each position: one for all that stand at the same place
	faces  []face      // polygons
	of     []int32     // of each triangle: its face
	tris   [][]int32   // of each face
	beside [][3]int32  // of each triangle: the one across each edge, -1 for none
	smooth []direction // of each face: its normal, evened out
}

type direction [3]float64

func (a direction) dot(b direction) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
func (a direction) plus(b direction, k float64) direction {
	return direction{a[0] + b[0]*k, a[1] + b[1]*k, a[2] + b[2]*k}
}
func (a direction) unit() direction {
	l := math.Sqrt(a.dot(a))
	if !(l > 0) {
		return direction{}
	}
	return direction{a[0] / l, a[1] / l, a[2] / l}
}

type face struct {
	normal direction // unit
	area   float64
	middle direction
	part   int32
	beside []int32 // faces across edges
	shared []float64
}

func newWork(s *Surface) *work {
	w := &work{s: s, weld: make([]int32, len(s.Pos)), of: make([]int32, len(s.Tri)), beside: make([][3]int32, len(s.Tri))}
	first := make(map[vec.V]int32, len(s.Pos))
	for i, p := range s.Pos {
		p = vec.V{p[0] + 0, p[1] + 0, p[2] + 0} // one 0 of the two
		if k, ok := first[p]; ok {
			w.weld[i] = k
		} else {
			first[p], w.weld[i] = int32(i), int32(i)
		}
	}
	number := map[int32]int32{}
	for t, f := range s.Face {
		k, ok := number[f]
		if !ok {
			k = int32(len(w.faces))
			number[f] = k
			w.faces = append(w.faces, face{part: s.Part[t]})
			w.tris = append(w.tris, nil)
		}
		w.of[t] = k
		w.tris[k] = append(w.tris[k], int32(t))
	}
	for t := range s.Tri {
		a, b, c := w.corner(t, 0), w.corner(t, 1), w.corner(t, 2)
		n := cross(b.plus(a, -1), c.plus(a, -1))
		f := &w.faces[w.of[t]]
		size := math.Sqrt(n.dot(n)) / 2
		f.normal = f.normal.plus(n, 0.5)
		f.middle = f.middle.plus(a.plus(b, 1).plus(c, 1), size/3)
		f.area += size
	}
	for i := range w.faces {
		f := &w.faces[i]
		f.normal = f.normal.unit()
		if f.area > 0 {
			f.middle = direction{f.middle[0] / f.area, f.middle[1] / f.area, f.middle[2] / f.area}
		} else {
			f.middle = w.corner(int(w.tris[i][0]), 0)
		}
	}
	w.joinEdges()
	w.even()
	return w
}

func (w *work) corner(t, k int) direction {
	p := w.s.Pos[w.s.Tri[t][k]]
	return direction{float64(p[0]), float64(p[1]), float64(p[2])}
}

func cross(a, b direction) direction {
	return direction{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// joinEdges finds what lies across edges that two triangles of one part share, going round them in opposite ways.
func (w *work) joinEdges() {
	type half struct{ t, k int32 }
	open := make(map[[2]int32]half, 3*len(w.s.Tri)/2)
	many := map[[2]int32]bool{} // of which there are several, or that are done
	for t := range w.beside {
		w.beside[t] = [3]int32{-1, -1, -1}
	}
	for t, tri := range w.s.Tri {
		for k := range 3 {
			e := [2]int32{w.weld[tri[k]], w.weld[tri[(k+1)%3]]}
			if e[0] == e[1] {
				continue
			}
			if _, there := open[e]; there {
				many[e] = true
				continue
			}
			open[e] = half{int32(t), int32(k)}
		}
	}
	for t, tri := range w.s.Tri {
		for k := range 3 {
			e := [2]int32{w.weld[tri[k]], w.weld[tri[(k+1)%3]]}
			back := [2]int32{e[1], e[0]}
			other, there := open[back]
			if !there || many[e] || many[back] || open[e] != (half{int32(t), int32(k)}) || w.s.Part[t] != w.s.Part[other.t] {
				continue
			}
			w.beside[t][k] = other.t
			f, g := w.of[t], w.of[other.t]
			if f != g {
				a, b := w.corner(t, k), w.corner(t, (k+1)%3)
				d := b.plus(a, -1)
				w.faces[f].beside = append(w.faces[f].beside, g)
				w.faces[f].shared = append(w.faces[f].shared, math.Sqrt(d.dot(d)))
			}
		}
	}
}

// even evens out normals, so that what is rough is cut as the form beneath it is.
func (w *work) even() {
	w.smooth = make([]direction, len(w.faces))
	for i := range w.faces {
		w.smooth[i] = w.faces[i].normal
	}
	const sharp = 0.5 // cosine of 60 degrees: over edges that bend more nothing is evened out
	for range 3 {
		next := make([]direction, len(w.faces))
		for i := range w.faces {
			f := &w.faces[i]
			n := direction{}.plus(w.smooth[i], f.area)
			for _, g := range f.beside {
				if w.smooth[i].dot(w.smooth[g]) > sharp {
					n = n.plus(w.smooth[g], w.faces[g].area)
				}
			}
			if next[i] = n.unit(); next[i] == (direction{}) {
				next[i] = w.smooth[i]
			}
		}
		w.smooth = next
	}
}

// chart is a piece of the surface that is laid flat.
type chart struct {
	faces []int32
	axis  direction
	tris  []int32    // triangles of the surface
	tri   [][3]int32 // the same, by the chart's own vertices
	pos   []direction
	uv    [][2]float64
	rim   [][2]int32 // edges of its border; known once it is packed
	good  bool       // whether it lies flat, none of it on another
}

// charts gathers faces that were numbered, those below 0 left out.
func (w *work) charts(number []int32) (out []*chart) {
	at := map[int32]*chart{}
	for f, c := range number {
		if c < 0 {
			continue
		}
		if at[c] == nil {
			at[c] = &chart{}
			out = append(out, at[c])
		}
		at[c].faces = append(at[c].faces, int32(f))
	}
	for _, c := range out {
		c.axis = w.axis(c.faces)
	}
	return out
}

// axis returns the mean normal of faces.
func (w *work) axis(faces []int32) (n direction) {
	for _, f := range faces {
		n = n.plus(w.smooth[f], w.faces[f].area)
	}
	if n = n.unit(); n == (direction{}) {
		n = w.smooth[faces[0]]
		if n == (direction{}) {
			n = direction{0, 0, 1}
		}
	}
	return n
}

// split returns a chart that could not be laid flat as two, about the two faces that lie farthest apart, and what hangs
// together with neither. A chart has its faces in the order of their numbers.
func (w *work) split(c *chart) []*chart {
	far := func(from int32) (best int32) {
		most := -1.0
		for _, f := range c.faces {
			d := w.faces[f].middle.plus(w.faces[from].middle, -1)
			if v := d.dot(d) * (1.2 - w.smooth[f].dot(w.smooth[from])); v > most {
				best, most = f, v
			}
		}
		return best
	}
	a := far(c.faces[0])
	b := far(a)
	if a == b {
		b = c.faces[0]
		if a == b {
			b = c.faces[1]
		}
	}
	number := w.grow([]int32{a, b}, c.faces, func(seed int, f int32) (float64, bool) {
		from := [2]int32{a, b}[seed]
		d := w.faces[f].middle.plus(w.faces[from].middle, -1)
		return d.dot(d), true
	})
	rest := []int32{}
	groups := make([][]int32, 2)
	for i, f := range c.faces {
		if number[i] < 0 {
			rest = append(rest, f)
			continue
		}
		groups[number[i]] = append(groups[number[i]], f)
	}
	return w.asCharts(append(groups, w.connected(rest)...))
}

// byDirection parts a chart by the side of a box that each face looks to most nearly: what is seen from there is turned
// over nowhere.
func (w *work) byDirection(c *chart) []*chart {
	var sides [6][]int32
	for _, f := range c.faces {
		n, k := w.faces[f].normal, 0
		for axis := range 3 {
			if math.Abs(n[axis]) > math.Abs(n[k]) {
				k = axis
			}
		}
		if n[k] < 0 {
			k += 3
		}
		sides[k] = append(sides[k], f)
	}
	var groups [][]int32
	for _, faces := range sides {
		groups = append(groups, w.connected(faces)...)
	}
	out := w.asCharts(groups)
	for _, c := range out {
		c.axis = direction{}
		for _, f := range c.faces {
			c.axis = c.axis.plus(w.faces[f].normal, 1)
		}
		if c.axis = c.axis.unit(); c.axis == (direction{}) {
			c.axis = w.axis(c.faces)
		}
	}
	return out
}

func (w *work) asCharts(groups [][]int32) (out []*chart) {
	for _, g := range groups {
		if len(g) > 0 {
			out = append(out, &chart{faces: g, axis: w.axis(g)})
		}
	}
	return out
}

// connected parts faces into those that hang together.
func (w *work) connected(faces []int32) (out [][]int32) {
	in := make(map[int32]bool, len(faces))
	for _, f := range faces {
		in[f] = true
	}
	for _, f := range faces {
		if !in[f] {
			continue
		}
		in[f] = false
		group := []int32{f}
		for k := 0; k < len(group); k++ {
			for _, g := range w.faces[group[k]].beside {
				if in[g] {
					in[g] = false
					group = append(group, g)
				}
			}
		}
		slices.Sort(group)
		out = append(out, group)
	}
	return out
}

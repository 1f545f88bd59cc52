package diffgeom

import (
	"container/heap"
	"fmt"
	"math"
	"slices"
	"sync"

	"mobanta/core/disjoint"
	"mobanta/core/parallel"
	"mobanta/core/shape"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// MaxPieces is into how many pieces a part may be split for fits.
const MaxPieces = 24

// Fits are forms that fit a part of a shape, one for each of the pieces into which it was split, and how much each counts at each
// vertex.
type Fits struct {
	of   []*Fit
	near [][mostNear]share // per vertex of the shape, those that count most; nil for one piece
}

// mostNear is how many pieces count at a vertex at most.
const mostNear = 3

// share is how much a piece counts.
type share struct {
	piece int32
	part  float32
}

// FitsOf fits forms of a kind to a part of a shape that is split into so many pieces, at most MaxPieces: at rest, by how far it is
// along the surface, so that the limbs of an animal become pieces of their own. Over a radius, in units of the shape, one piece's
// form goes over into the next. They are kept with the surface, and must not be changed.
func FitsOf(sh *shape.Shape, part int32, kind string, pieces int, radius float64, workers int) *Fits {
	if pieces <= 1 {
		return &Fits{of: []*Fit{FitOf(sh, part, kind)}}
	}
	made, _ := sh.Rest.Keep(fmt.Sprintf("fits %s %d %g %s", kind, pieces, radius, sh.Key), func() (any, error) { return &sync.Map{}, nil })
	fits := made.(*sync.Map)
	if f, ok := fits.Load(part); ok {
		return f.(*Fits)
	}
	f, _ := fits.LoadOrStore(part, fitPieces(sh, part, kind, min(pieces, MaxPieces), radius, workers))
	return f.(*Fits)
}

// Normal returns the normal of the forms where a point of the part stands for it, as Fit.Normal does; corners are the vertices of its
// triangle, and w how much of each it has.
func (f *Fits) Normal(p, eye vec.V, corners [3]int32, w [3]float32) (n vec.V, ok bool) {
	if f.near == nil {
		return f.of[0].Normal(p, eye)
	}
	var counts [3 * mostNear]share
	m := 0
	for k, v := range corners {
	shares:
		for _, s := range f.near[v] {
			if s.part == 0 {
				continue
			}
			for i := range m {
				if counts[i].piece == s.piece {
					counts[i].part += w[k] * s.part
					continue shares
				}
			}
			counts[m] = share{s.piece, w[k] * s.part}
			m++
		}
	}
	for _, s := range counts[:m] { // of a piece without a form it is nothing
		of, _ := f.of[s.piece].Normal(p, eye)
		n = n.Add(of.Mul(s.part))
	}
	n = n.Unit()
	return n, n != (vec.V{})
}

func fitPieces(sh *shape.Shape, part int32, kind string, pieces int, radius float64, workers int) *Fits {
	rest := &shape.Shape{Rest: sh.Rest, Pos: sh.Rest.Pos, Normal: sh.Rest.Normal}
	sheet := NewSheet(rest, false)
	of := split(rest, sheet, part, pieces)
	spots, total := make([][]spot, pieces), make([]float64, pieces)
	for t, tri := range sh.Rest.Tri {
		if sh.Rest.TriPart[t] != part {
			continue
		}
		a := area(sh, tri) / 3
		for _, v := range tri { // a triangle across belongs to both sides, by its corners
			p := of[sheet.Of[v]]
			spots[p] = append(spots[p], spot{sh.Pos[v], sh.Normal[v], a})
			total[p] += a
		}
	}
	f := &Fits{near: make([][mostNear]share, len(sh.Pos))}
	counts := make([][mostNear]share, len(sheet.Area))
	values := make([]float64, len(sheet.Area))
	for p := range spots {
		f.of = append(f.of, fitTo(spots[p], total[p], kind))
		if !(total[p] > 0) {
			continue
		}
		for k, o := range of {
			values[k] = 0
			if o == int32(p) {
				values[k] = 1
			}
		}
		sheet.Spread(values, radius, workers)
		for k, v := range values {
			if v < 0.02 {
				continue
			}
			add, s := share{int32(p), float32(v)}, &counts[k]
			for i := range s { // the greatest first
				if add.part > s[i].part {
					add, s[i] = s[i], add
				}
			}
		}
	}
	for v, k := range sheet.Of {
		f.near[v] = counts[k]
	}
	return f
}

// split tells for each knot in which piece of a part it lies, -1 where it is none of the part's: those are nearest to each piece's
// middle along the surface. How far that is is measured half-way through the body (Shapira, Shamir and Cohen-Or 2008 measure how
// thick it is so), and the way over a hollow counts for more than it is long: so pieces go all round limbs and trunk. Middles are
// moved to the middle of what they got, some rounds (Lloyd 1982). The first are as far from each other as can be.
func split(sh *shape.Shape, s *Sheet, part int32, pieces int) []int32 {
	n := len(s.Area)
	p := &splitter{sheet: s, in: make([]bool, n), ways: ways{start: s.start, to: s.to, long: make([]float32, len(s.to)), far: make([]float32, n), of: make([]int32, n)}}
	pos, normal := make([]vec.V, n), make([]vec.V, n)
	for v, k := range s.Of {
		pos[k], normal[k] = sh.Pos[v], normal[k].Add(sh.Normal[v])
	}
	for k := range normal {
		normal[k] = normal[k].Unit()
	}
	for t, tri := range sh.Rest.Tri {
		if sh.Rest.TriPart[t] == part {
			for _, v := range tri {
				p.in[s.Of[v]] = true
			}
		}
	}
	p.deep = halfWay(sh, s, pos, normal, p.in)
	p.measure(pos, normal)
	middles := p.begin(pieces)
	for range max(2, min(splitRounds, splitKnots/max(1, n))) {
		p.ways.reach(middles)
		middles = p.moved(middles)
	}
	p.ways.reach(middles)
	of := p.ways.of
	for k := range of { // what hangs together with none goes to the middle that is nearest in space
		switch {
		case !p.in[k]:
			of[k] = -1
		case of[k] < 0:
			near := float32(math.Inf(1))
			for i, m := range middles {
				if d := pos[k].Sub(pos[m]).Len(); d < near {
					near, of[k] = d, int32(i)
				}
			}
		}
	}
	return of
}

// splitter splits the part that is in.
type splitter struct {
	sheet *Sheet
	in    []bool
	deep  []vec.V // see halfWay
	ways  ways
}

// measure says of each link how long it is.
func (p *splitter) measure(pos, normal []vec.V) {
	g := &p.ways
	for k := range p.in {
		for l := g.start[k]; l < g.start[k+1]; l++ {
			j := g.to[l]
			if !p.in[k] || !p.in[j] {
				g.long[l] = float32(math.Inf(1))
				continue
			}
			d := pos[j].Sub(pos[k])
			long := d.Len()
			hollow := float32(0) // by how much the normals turn towards each other
			if long > 0 {
				hollow = max(0, -normal[j].Sub(normal[k]).Dot(d)/long)
			}
			g.long[l] = (p.deep[j].Sub(p.deep[k]).Len() + round*long) * (1 + 4*hollow)
		}
	}
}

// begin returns the first middles, at most so many and at least one. What hangs together gets as many as its area asks for; what is
// too small for one goes with what is nearest.
func (p *splitter) begin(pieces int) (middles []int32) {
	sets, area, total := disjoint.New(len(p.in)), make([]float64, len(p.in)), 0.0
	for k, in := range p.in {
		for l := p.ways.start[k]; in && l < p.ways.start[k+1]; l++ {
			if p.in[p.ways.to[l]] {
				sets.Join(int32(k), p.ways.to[l])
			}
		}
	}
	for k, in := range p.in {
		if in {
			area[sets.Find(int32(k))] += p.sheet.Area[k]
			total += p.sheet.Area[k]
		}
	}
	for set, a := range area {
		due := 0
		if total > 0 {
			due = int(math.Round(float64(pieces) * a / total))
		}
		if due = min(due, pieces-len(middles)); due > 0 {
			middles = append(middles, p.apart(sets, int32(set), due)...)
		}
	}
	if len(middles) == 0 { // very many small ones: one of them all
		middles = []int32{int32(max(0, slices.Index(p.in, true)))}
	}
	return middles
}

// apart returns knots of a set, at most so many, that are as far from each other as can be.
func (p *splitter) apart(sets disjoint.Sets, set int32, many int) (out []int32) {
	for from := []int32{set}; len(out) < many; from = out {
		p.ways.reach(from)
		at, most := int32(-1), float32(0)
		for k, far := range p.ways.far {
			if p.in[k] && far > most && sets.Find(int32(k)) == set {
				at, most = int32(k), far
			}
		}
		if at < 0 {
			if len(out) == 0 {
				return from
			}
			break
		}
		out = append(out, at)
	}
	return out
}

// moved returns the middles of what is nearest to each of some; the middle along the surface would be dearer to find, what is nearest
// to that in space is nearly the same.
func (p *splitter) moved(middles []int32) []int32 {
	sum, weight := make([]vec.V, len(middles)), make([]float64, len(middles))
	for k, of := range p.ways.of {
		if p.in[k] && of >= 0 {
			sum[of], weight[of] = sum[of].Add(p.deep[k].Mul(float32(p.sheet.Area[k]))), weight[of]+p.sheet.Area[k]
		}
	}
	best, next := make([]float32, len(middles)), slices.Clone(middles)
	for i := range best {
		best[i] = float32(math.Inf(1))
	}
	for k, of := range p.ways.of {
		if p.in[k] && of >= 0 && weight[of] > 0 {
			if d := p.deep[k].Sub(sum[of].Mul(float32(1 / weight[of]))).Len(); d < best[of] {
				best[of], next[of] = d, int32(k)
			}
		}
	}
	return next
}

const (
	splitRounds = 8       // how often middles are moved
	splitKnots  = 800_000 // how many knots they are moved over in all, but for two rounds
	round       = 0.1     // how much of the way along the surface counts beside that half-way through the body
)

// halfWay returns for each knot that is in where it is half as far to the other side of the body: by the median of some rays
// inward, made even among neighbours.
func halfWay(sh *shape.Shape, s *Sheet, pos, normal []vec.V, in []bool) []vec.V {
	n, out := len(pos), make([]vec.V, len(pos))
	tree := trace.NewTree(sh.Pos, sh.Rest.Tri, parallel.Cores())
	size := sh.Rest.Box.Diagonal()
	parallel.Do(parallel.Cores(), (n+chunk-1)/chunk, func(job int) {
		for k := job * chunk; k < min(n, (job+1)*chunk); k++ {
			out[k] = pos[k]
			if !in[k] || normal[k] == (vec.V{}) {
				continue
			}
			u := normal[k].Cross(vec.V{0.48, 0.6, 0.64})
			if u.Dot(u) < 0.01 {
				u = normal[k].Cross(vec.V{1, 0, 0})
			}
			u = u.Unit()
			v := normal[k].Cross(u)
			var far []float32
			for r := range 7 {
				d := normal[k].Mul(-1)
				if r > 0 {
					sin, cos := math.Sincos(float64(r) * math.Pi / 3)
					d = d.Add(u.Mul(0.5 * float32(cos))).Add(v.Mul(0.5 * float32(sin))).Unit()
				}
				if h, ok := tree.Nearest(pos[k].Add(d.Mul(1e-4*size)), d, size); ok {
					far = append(far, h.T)
				}
			}
			if len(far) > 3 {
				slices.Sort(far)
				out[k] = pos[k].Sub(normal[k].Mul(far[len(far)/2] / 2))
			}
		}
	})
	next := make([]vec.V, n)
	for range 6 {
		for k := range n {
			sum, w := out[k], float32(1)
			for l := s.start[k]; l < s.start[k+1]; l++ {
				if j := s.to[l]; in[j] {
					sum, w = sum.Add(out[j]), w+1
				}
			}
			next[k] = sum.Mul(1 / w)
		}
		out, next = next, out
	}
	return out
}

// ways are the ways along a sheet.
type ways struct {
	start, to []int32
	long      []float32 // of each link; infinite for none
	far       []float32 // from the nearest of the places of reach
	of        []int32   // which of them that is, -1 for none
	queue     reached
}

// reach finds how far all is from some places, and from which (Dijkstra 1959).
func (g *ways) reach(from []int32) {
	for k := range g.far {
		g.far[k], g.of[k] = float32(math.Inf(1)), -1
	}
	for i, k := range from {
		if g.far[k] > 0 {
			g.far[k], g.of[k] = 0, int32(i)
			heap.Push(&g.queue, at{k, 0})
		}
	}
	for len(g.queue) > 0 {
		a := heap.Pop(&g.queue).(at)
		if a.far > g.far[a.knot] {
			continue
		}
		for l := g.start[a.knot]; l < g.start[a.knot+1]; l++ {
			if j, far := g.to[l], a.far+g.long[l]; far < g.far[j] {
				g.far[j], g.of[j] = far, g.of[a.knot]
				heap.Push(&g.queue, at{j, far})
			}
		}
	}
}

// at is a knot, and how far it is.
type at struct {
	knot int32
	far  float32
}

// reached is a priority queue, the nearest first.
type reached []at

func (r reached) Len() int { return len(r) }
func (r reached) Less(i, j int) bool {
	return r[i].far < r[j].far || r[i].far == r[j].far && r[i].knot < r[j].knot
}
func (r reached) Swap(i, j int) { r[i], r[j] = r[j], r[i] }
func (r *reached) Push(x any)   { *r = append(*r, x.(at)) }
func (r *reached) Pop() any {
	n := len(*r) - 1
	x := (*r)[n]
	*r = (*r)[:n]
	return x
}

package sample

import (
	"strings"

	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Variant says where, from some points, others lie: at what a node is evaluated in
// their place. Each letter is one step further: u and v go a small way along the
// surface, U and V the same way back, x, y and z look at it from a side. It is empty for the points themselves.
type Variant string

// The variants of one step.
const (
	AsIs   Variant = ""
	AlongU Variant = "u" // by Step along the first direction of Points.Frame
	AlongV Variant = "v" // by Step along the second
	BackU  Variant = "U" // as AlongU, to the other side
	BackV  Variant = "V"
	FromX  Variant = "x" // with the place across the X axis of the model as texture coordinates
	FromY  Variant = "y"
	FromZ  Variant = "z"
)

const sides = "xyz"

// Then returns the variant that w is of the points of v. Only the last side counts.
func (v Variant) Then(w Variant) Variant {
	if strings.Contains(sides, string(w)) && w != AsIs {
		v = Variant(strings.Map(func(r rune) rune {
			if strings.ContainsRune(sides, r) {
				return -1
			}
			return r
		}, string(v)))
	}
	return v + w
}

// Shifts returns how many of a variant's steps go along the surface.
func (v Variant) Shifts() int {
	return strings.Count(string(v), "u") + strings.Count(string(v), "v") + strings.Count(string(v), "U") + strings.Count(string(v), "V")
}

// Variant returns the points that v makes of p, as many and in the same order. They
// are made once.
func (p *Points) Variant(v Variant) *Points {
	if v == AsIs {
		return p
	}
	before := p.Variant(v[:len(v)-1])
	step := v[len(v)-1:]
	before.mu.Lock()
	defer before.mu.Unlock()
	out := before.variants[step]
	if out != nil {
		return out
	}
	out = &Points{N: p.N, View: p.View, PartOf: p.PartOf, geo: p.geo}
	switch step {
	case AlongU, AlongV, BackU, BackV:
		out.Tri = make([]int32, p.N) // they may lie on another triangle
		out.origin = &shifted{of: before, second: step == AlongV || step == BackV, back: step == BackU || step == BackV}
	default:
		out.Tri = before.Tri
		out.origin = &fromSide{of: before, axis: strings.Index(sides, string(step))}
	}
	if before.variants == nil {
		before.variants = map[Variant]*Points{}
	}
	before.variants[step] = out
	return out
}

// Frame returns two directions along the surface at a point with that normal, at
// right angles to it and to each other.
func Frame(normal vec.V) (u, v vec.V) { return vec.Across(normal) }

// Step returns how far point i is shifted, in world units: half its footprint. It
// has Foot.
func (p *Points) Step(i int) float32 { return max(p.Foot[i]/2, p.geo.Size*1e-5) }

// shifted is the origin of points that were shifted along the surface.
type shifted struct {
	of     *Points
	second bool // along the second direction of Frame, not the first
	back   bool // against it
}

func (o *shifted) ready(p *Points, want Attr, workers int) {
	if want&(Weights|Foot) != 0 {
		o.of.Resolve(Weights|Normal|Foot, workers)
		p.geo.Beside()
		p.geo.FlatNormals()
	}
}

func (o *shifted) page(*Points, int) (x, y float32, ok bool) { return 0, 0, false }
func (o *shifted) foot(_ *Points, i int) float32             { return o.of.Foot[i] }
func (o *shifted) chance(_ *Points, i int) (u, v float32)    { return o.of.Chance(i) }
func (o *shifted) pick(points []int32) origin {
	return &shifted{o.of.Pick(points), o.second, o.back}
}

// maxCrossed limits how many triangles a shift leads through.
const maxCrossed = 16

// place walks from the points that were shifted, straight on over the triangles. At
// the surface's borders, at creases and at seams, where values jump, the triangle
// goes on as a plane.
func (o *shifted) place(p *Points, lo, hi int) {
	g := p.geo
	beside, flats := g.Beside(), g.FlatNormals()
	for i := lo; i < hi; i++ {
		n := vec.V{o.of.Norm[0][i], o.of.Norm[1][i], o.of.Norm[2][i]}
		d, second := Frame(n)
		if o.second {
			d = second
		}
		if o.back {
			d = d.Mul(-1)
		}
		t := o.of.Tri[i]
		flat := flats[t]
		if cos := flat.Dot(n); cos > 0.1 || cos < -0.1 {
			d = d.Sub(n.Mul(flat.Dot(d) / cos)) // so that it lies d along, seen from above
		} else {
			d = d.Sub(flat.Mul(flat.Dot(d)))
		}
		p.Tri[i], p.Weights[0][i], p.Weights[1][i] = walk(g, beside, flats, t, o.of.Weights[0][i], o.of.Weights[1][i], d.Mul(o.of.Step(i)))
		p.Back[i] = o.of.Back[i]
	}
}

// walk returns where one comes to from a point of triangle t along d, which lies in
// its plane.
func walk(g *stage.Geometry, beside [][3]int32, flats []vec.V, t int32, u, v float32, d vec.V) (int32, float32, float32) {
	for range maxCrossed {
		c := g.Tri[t]
		e1, e2 := g.Pos[c[1]].Sub(g.Pos[c[0]]), g.Pos[c[2]].Sub(g.Pos[c[0]])
		a, b, m := e1.Dot(e1), e2.Dot(e2), e1.Dot(e2)
		det := a*b - m*m
		if !(det > 1e-6*a*b) { // a sliver: its sides say too little of directions
			return t, u, v
		}
		x, y := d.Dot(e1), d.Dot(e2)
		du, dv := (x*b-y*m)/det, (y*a-x*m)/det
		// Over which edge, and after which part of the way: the weight of the corner
		// across from it falls to nothing there.
		w := [3]float32{1 - u - v, u, v}
		dw := [3]float32{-du - dv, du, dv}
		edge, part := -1, float32(1)
		for k := range 3 {
			if dw[k] < 0 {
				if s := max(0, -w[k]/dw[k]); s < part {
					edge, part = (k+1)%3, s
				}
			}
		}
		if edge < 0 || beside[t][edge] < 0 {
			return t, u + du, v + dv
		}
		next := beside[t][edge]
		// The crossing as a place on the shared edge, and the rest of the way turned
		// about that edge into the next triangle's plane.
		from, to := c[edge], c[(edge+1)%3]
		along := w[(edge+1)%3] + dw[(edge+1)%3]*part
		if sum := w[edge] + dw[edge]*part + along; sum > 0 {
			along /= sum
		}
		line := g.Pos[to].Sub(g.Pos[from]).Unit()
		n1, n2 := flats[t], flats[next]
		out1, out2 := line.Cross(n1), line.Cross(n2)
		rest := d.Mul(1 - part)
		d = line.Mul(rest.Dot(line)).Add(out2.Mul(rest.Dot(out1)))
		u, v = 0, 0
		for k, corner := range g.Tri[next] {
			s := float32(0)
			if corner == from {
				s = 1 - along
			} else if corner == to {
				s = along
			}
			if k == 1 {
				u = s
			} else if k == 2 {
				v = s
			}
		}
		t = next
		if n2 == (vec.V{}) {
			break
		}
	}
	return t, u, v
}

// fromSide is the origin of points that are looked at along an axis of their model.
type fromSide struct {
	of   *Points
	axis int
}

func (o *fromSide) page(p *Points, i int) (x, y float32, ok bool) { return o.of.origin.page(o.of, i) }
func (o *fromSide) foot(_ *Points, i int) float32                 { return o.of.Foot[i] }
func (o *fromSide) chance(_ *Points, i int) (u, v float32)        { return o.of.Chance(i) }
func (o *fromSide) pick(points []int32) origin                    { return &fromSide{o.of.Pick(points), o.axis} }

func (o *fromSide) place(*Points, int, int) {}

// ready takes all but the texture coordinates from the points that are looked at.
func (o *fromSide) ready(p *Points, want Attr, workers int) {
	f := o.of
	f.Resolve(want&^UV|Weights, workers)
	p.Tri, p.Weights, p.Back, p.Pos, p.Norm, p.Flat, p.Eye, p.Page, p.Foot, p.Rest = f.Tri, f.Weights, f.Back, f.Pos, f.Norm, f.Flat, f.Eye, f.Page, f.Foot, f.Rest
}

// across returns the places of the points across the axis, in their model's own
// space: its middle at ½, its diagonal as 1, with the model's Y axis up where it is
// not the one looked along.
func (o *fromSide) across(p *Points, workers int) (uv [2][]float32) {
	uv = [2][]float32{make([]float32, p.N), make([]float32, p.N)}
	g := p.geo
	parallel.Do(workers, (p.N+resolveBatch-1)/resolveBatch, func(job int) {
		for i := job * resolveBatch; i < min(p.N, (job+1)*resolveBatch); i++ {
			m := &g.Models[p.model(i)]
			q := p.rest(i, m).Sub(m.Surface.Box.Center())
			if d := m.Surface.Box.Diagonal(); d > 0 {
				q = q.Mul(1 / d)
			}
			switch o.axis {
			case 0:
				uv[0][i], uv[1][i] = 0.5-q[2], 0.5+q[1]
			case 1:
				uv[0][i], uv[1][i] = 0.5+q[0], 0.5-q[2]
			default:
				uv[0][i], uv[1][i] = 0.5+q[0], 0.5+q[1]
			}
		}
	})
	return uv
}

// rest returns where point i lies in its model's own space at rest. Its weights are known.
func (p *Points) rest(i int, m *stage.Placed) vec.V {
	if !p.geo.Moved {
		return m.Inverse.Point(p.at(i))
	}
	at, t := m.Surface.Pos, &p.geo.Tri[p.Tri[i]]
	a, b, c := at[int(t[0])-m.FirstVertex], at[int(t[1])-m.FirstVertex], at[int(t[2])-m.FirstVertex]
	return a.Add(b.Sub(a).Mul(p.Weights[0][i])).Add(c.Sub(a).Mul(p.Weights[1][i]))
}

// model returns the model that point i is on: the last one that begins at or before
// its triangle.
func (p *Points) model(i int) int {
	k := len(p.geo.Models) - 1
	for k > 0 && int(p.Tri[i]) < p.geo.Models[k].FirstTri {
		k--
	}
	return k
}

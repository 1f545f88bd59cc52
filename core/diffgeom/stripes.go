package diffgeom

import (
	"fmt"
	"math"

	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Flow is, per knot of a shape's sheet, the direction in which it bends most, along the surface and
// smoothed over it: there are two such directions, one the other's opposite, and either is given.
// Where it bends alike every way, as a ball does, it runs round the upright axis.
type Flow struct {
	cut    *cut
	sheet  *Sheet // of its pieces
	Way    []vec.V
	Normal []vec.V
}

// level is how much the direction round the upright axis counts, in parts of how much the shape
// bends on average.
const level = 0.08

// FlowOf returns the flow of a shape, smoothed over a radius, of pieces of its triangles that are no longer than that; 0 for
// triangles as they are. It is kept with the surface, and must not be changed.
func FlowOf(sh *shape.Shape, radius, longest float64, workers int) *Flow {
	made, _ := sh.Rest.Keep(fmt.Sprintf("flow %g %g %s", radius, longest, sh.Key), func() (any, error) {
		return newFlow(sh, radius, longest, workers), nil
	})
	return made.(*Flow)
}

func newFlow(sh *shape.Shape, radius, longest float64, workers int) *Flow {
	whole := NewSheet(sh, false)
	tensor := bendsOf(sh, whole, radius, workers)
	c := cutTo(sh, longest)
	s := whole
	if c.shape != sh {
		s = NewSheet(c.shape, false)
	}
	n := len(s.Area)
	f := &Flow{cut: c, sheet: s, Way: make([]vec.V, n), Normal: make([]vec.V, n)}
	for v, k := range s.Of {
		f.Normal[k] = f.Normal[k].Add(c.shape.Normal[v])
	}
	for k := range f.Normal {
		f.Normal[k] = f.Normal[k].Unit()
	}
	// Between the corners of a triangle the tensor goes over evenly from one to the next.
	done := make([]bool, n)
	c.corners(func(v, t int32, w [3]float32) {
		k := s.Of[v]
		if done[k] {
			return
		}
		done[k] = true
		var at [6]float64
		for e := range at {
			for m, v := range sh.Rest.Tri[t] {
				at[e] += float64(w[m]) * tensor[e][whole.Of[v]]
			}
		}
		f.Way[k] = along(f.Normal[k], at)
	})
	if c.shape != sh {
		f.even(workers)
	}
	return f
}

// evenSweeps is how often the directions of neighbours are made more alike.
const evenSweeps = 24

// even makes directions more like those beside them: where one goes over into one across it, lines turn over some of their spacings
// and not at once, where all of them would have to end.
func (f *Flow) even(workers int) {
	s, next := f.sheet, make([]vec.V, len(f.Way))
	over := stretches(len(f.Way), workers)
	for range evenSweeps {
		over(func(lo, hi int) float64 {
			for i := lo; i < hi; i++ {
				var sum [6]float64
				for l := s.start[i]; l < s.start[i+1]; l++ {
					d := f.Way[s.to[l]]
					x, y, z, w := float64(d[0]), float64(d[1]), float64(d[2]), s.pull[l]
					for k, v := range [6]float64{x * x, y * y, z * z, x * y, x * z, y * z} {
						sum[k] += w * v
					}
				}
				next[i] = along(f.Normal[i], sum)
			}
			return 0
		})
		f.Way, next = next, f.Way
	}
}

// bendsOf estimates the second fundamental form of each triangle from the normals of its corners (Rusinkiewicz 2004), takes what is
// not alike every way of it as a tensor in space per knot, and spreads its components as heat is spread, so that directions need not
// be told from their opposites. It returns xx, yy, zz, xy, xz, yz.
func bendsOf(sh *shape.Shape, s *Sheet, radius float64, workers int) *[6][]float64 {
	n := len(s.Area)
	var tensor [6][]float64
	for k := range tensor {
		tensor[k] = make([]float64, n)
	}
	bend, area := 0.0, 0.0
	eachBend(sh, func(t [3]int32, u, v vec.V, a, e, g, m float64) {
		x, y := (e-g)/2, m // twice the angle of the direction that bends most, and by how much
		size := math.Hypot(x, y)
		bend, area = bend+size*a, area+a
		// The larger one counts without its sign: hollows are drawn as swellings are.
		if e+g < 0 {
			x, y = -x, -y
		}
		half := math.Atan2(y, x) / 2
		d := u.Mul(float32(math.Cos(half))).Add(v.Mul(float32(math.Sin(half))))
		for k := range t {
			add(&tensor, s.Of[t[k]], d, size*a/3)
		}
	})
	mean := level * bend / max(area, 1e-300)
	if !(mean > 0) {
		mean = 1
	}
	normal := make([]vec.V, n)
	for v, k := range s.Of {
		normal[k] = normal[k].Add(sh.Normal[v])
	}
	for k := range normal {
		round := vec.V{0, 1, 0}.Cross(normal[k].Unit())
		// Near the poles it says little.
		add(&tensor, int32(k), round.Unit(), mean*s.Area[k]*float64(round.Dot(round)))
	}
	s.spreadTensor(&tensor, radius, workers)
	return &tensor
}

// second returns the second fundamental form of a triangle along u and v in its plane, from the
// normals of its corners, by least squares over its edges.
func second(p, normal [3]vec.V, u, v vec.V) (e, g, m float64, ok bool) {
	var a [6][7]float64
	for k := range 3 {
		d, dn := p[(k+1)%3].Sub(p[k]), normal[(k+1)%3].Sub(normal[k])
		x, y := float64(d.Dot(u)), float64(d.Dot(v))
		for _, row := range [2][4]float64{{x, y, 0, float64(dn.Dot(u))}, {0, x, y, float64(dn.Dot(v))}} {
			for i := range 3 {
				for j := range 3 {
					a[i][j] += row[i] * row[j]
				}
				a[i][6] += row[i] * row[3]
			}
		}
	}
	x, ok := solve(&a, 3)
	return x[0], x[2], x[1], ok
}

// add adds a line of some weight at a knot.
func add(t *[6][]float64, k int32, d vec.V, w float64) {
	x, y, z := float64(d[0]), float64(d[1]), float64(d[2])
	for i, v := range [6]float64{x * x, y * y, z * z, x * y, x * z, y * z} {
		t[i][k] += w * v
	}
}

// along returns the direction across a normal along which a tensor is largest.
func along(n vec.V, t [6]float64) vec.V {
	u := n.Cross(vec.V{0, 1, 0})
	if u.Dot(u) < 0.01 {
		u = n.Cross(vec.V{1, 0, 0})
	}
	u = u.Unit()
	v := n.Cross(u)
	at := func(a, b vec.V) float64 {
		x, y, z := float64(b[0]), float64(b[1]), float64(b[2])
		return float64(a[0])*(t[0]*x+t[3]*y+t[4]*z) + float64(a[1])*(t[3]*x+t[1]*y+t[5]*z) + float64(a[2])*(t[4]*x+t[5]*y+t[2]*z)
	}
	half := math.Atan2(2*at(u, v), at(u, u)-at(v, v)) / 2
	return u.Mul(float32(math.Cos(half))).Add(v.Mul(float32(math.Sin(half))))
}

// Stripes are lines on a surface, evenly apart, which run along a flow and end or begin within it
// where it spreads or closes (Knöppel, Crane, Pinkall and Schröder 2015, "Stripe patterns on
// surfaces"): at the corners of each piece of a triangle how many there are from a place on; the same line has
// other numbers in other triangles, by whole ones, and may be counted the other way there.
type Stripes struct {
	cut   *cut
	at    [][3]float32 // at the corners of each piece
	lines *lines
}

// StripesOf returns the stripes along a flow turned by an angle in degrees, so many in a unit of
// length. They are kept with the surface, and must not be changed.
func StripesOf(sh *shape.Shape, f *Flow, angle, many float64, workers int) *Stripes {
	made, _ := sh.Rest.Keep(fmt.Sprintf("stripes %g %g %s", angle, many, sh.Key), func() (any, error) {
		return newStripes(f, angle, many, workers), nil
	})
	return made.(*Stripes)
}

const (
	stripeRounds = 2  // of inverse iteration, from phases that go on as far as the flow says along a tree: more make the lines no more even
	stripeSteps  = 60 // of conjugate gradients in each, at most
)

func newStripes(f *Flow, angle, many float64, workers int) *Stripes {
	s, sh := f.sheet, f.cut.shape
	pos, across := make([]vec.V, len(s.Area)), make([]vec.V, len(s.Area))
	sin, cos := math.Sincos(angle * math.Pi / 180)
	for v, k := range s.Of {
		pos[k] = sh.Pos[v]
	}
	for k, w := range f.Way {
		side := f.Normal[k].Cross(w)
		// Lines run along w turned; they follow one another across it.
		across[k] = side.Mul(float32(cos)).Sub(w.Mul(float32(sin)))
	}
	x := newConnection(s, pos, across, many, workers).smoothest()
	out := &Stripes{cut: f.cut, at: make([][3]float32, len(sh.Rest.Tri))}
	torn := make([]bool, len(sh.Rest.Tri)) // where the way round is not the sum of its parts
	for t, tri := range sh.Rest.Tri {
		var way [3]vec.V
		var phase [3]float64 // in stripes
		for c, v := range tri {
			k := s.Of[v]
			way[c], phase[c] = across[k], math.Atan2(imag(x[k]), real(x[k]))/(2*math.Pi)
			if c > 0 && way[c].Dot(way[0]) < 0 { // as the first corner sees it
				way[c], phase[c] = way[c].Mul(-1), -phase[c]
			}
		}
		at := phase[0]
		out.at[t][0] = float32(at)
		for c := 1; c < 3; c++ { // as many whole stripes on as the flow says
			d := sh.Pos[tri[c]].Sub(sh.Pos[tri[0]])
			expect := at + many/2*float64(way[0].Add(way[c]).Dot(d))
			out.at[t][c] = float32(phase[c] + math.Round(expect-phase[c]))
		}
		d := sh.Pos[tri[2]].Sub(sh.Pos[tri[1]])
		expect := float64(out.at[t][1]) + many/2*float64(way[1].Add(way[2]).Dot(d))
		torn[t] = math.Abs(phase[2]+math.Round(expect-phase[2])-float64(out.at[t][2])) > 0.5
	}
	out.lines = linesOf(f.cut, s.Of, out.at, torn, many)
	return out
}

// connection is the Hermitian matrix of the phases of stripes: its quadratic form tells by how much they fail to go on from
// each place to its neighbours as far as the flow says.
type connection struct {
	sheet *Sheet
	// Of each link: by how much the stripes go on along it, whether the far end's direction is the opposite, how heavy it is.
	turn []complex128
	flip []bool
	pull []float64
	diag []float64 // the matrix's diagonal
	over func(work func(lo, hi int) float64) float64
}

// newConnection returns the matrix of stripes of which there are so many per unit across the directions of the places.
func newConnection(s *Sheet, pos, across []vec.V, many float64, workers int) *connection {
	n := len(s.Area)
	m := &connection{s, make([]complex128, len(s.to)), make([]bool, len(s.to)), make([]float64, len(s.to)), make([]float64, n), stretches(n, workers)}
	mean := 0.0
	for _, w := range s.pull {
		mean += w / float64(len(s.pull))
	}
	for i := range n {
		for l := s.start[i]; l < s.start[i+1]; l++ {
			j := s.to[l]
			x := across[j]
			if x.Dot(across[i]) < 0 {
				x, m.flip[l] = x.Mul(-1), true
			}
			w := math.Pi * many * float64(across[i].Add(x).Dot(pos[j].Sub(pos[i])))
			sn, cs := math.Sincos(w)
			m.turn[l] = complex(cs, -sn)
			m.pull[l] = max(s.pull[l], 1e-3*mean)
			m.diag[i] += m.pull[l]
		}
		if m.diag[i] == 0 {
			m.diag[i] = 1
		}
	}
	return m
}

// apply puts the product of the matrix and x into out and returns the product of that with x.
func (m *connection) apply(x, out []complex128) float64 {
	s := m.sheet
	return m.over(func(lo, hi int) (sum float64) {
		for i := lo; i < hi; i++ {
			v := complex(m.diag[i]*(1+1e-9), 0) * x[i]
			for l := s.start[i]; l < s.start[i+1]; l++ {
				y := x[s.to[l]]
				if m.flip[l] {
					y = complex(real(y), -imag(y))
				}
				v -= complex(m.pull[l], 0) * m.turn[l] * y
			}
			out[i] = v
			sum += real(v)*real(x[i]) + imag(v)*imag(x[i])
		}
		return sum
	})
}

// smoothest returns the vector of which the matrix makes least, weighed by areas: inverse iteration.
func (m *connection) smoothest() []complex128 {
	s, n := m.sheet, len(m.diag)
	x, b := make([]complex128, n), make([]complex128, n)
	r, d, q := make([]complex128, n), make([]complex128, n), make([]complex128, n)
	m.begin(x)
	for range stripeRounds {
		norm := math.Sqrt(m.over(func(lo, hi int) (sum float64) {
			for i := lo; i < hi; i++ {
				sum += s.Area[i] * (real(x[i])*real(x[i]) + imag(x[i])*imag(x[i]))
			}
			return sum
		}))
		if !(norm > 0) {
			break
		}
		for i := range x {
			x[i] /= complex(norm, 0)
			b[i] = complex(s.Area[i], 0) * x[i]
		}
		m.solve(x, b, r, d, q)
	}
	return x
}

// begin fills in phases that go on as far as the flow says from each place to those that are reached from it.
func (m *connection) begin(x []complex128) {
	s := m.sheet
	for first := range x {
		if x[first] != 0 {
			continue
		}
		x[first] = 1
		for queue := []int32{int32(first)}; len(queue) > 0; {
			j := queue[0]
			queue = queue[1:]
			for l := s.start[j]; l < s.start[j+1]; l++ {
				if i := s.to[l]; x[i] == 0 {
					y := x[j] * complex(real(m.turn[l]), -imag(m.turn[l]))
					if m.flip[l] { // turn is told as the near end counts
						y = complex(real(y), -imag(y))
					}
					x[i] = y
					queue = append(queue, i)
				}
			}
		}
	}
}

// solve brings x nearer to the solution of A·x = b from where it is, scaled as well as can be: conjugate gradients with the
// diagonal as the preconditioner. r, d and q are room to work in.
func (m *connection) solve(x, b, r, d, q []complex128) {
	xAx := m.apply(x, q)
	xb := 0.0
	for i := range x {
		xb += real(x[i])*real(b[i]) + imag(x[i])*imag(b[i])
	}
	if xAx > 0 {
		for i := range x {
			x[i] *= complex(xb/xAx, 0)
			q[i] *= complex(xb/xAx, 0)
		}
	}
	rz, first := 0.0, 0.0
	for i := range r {
		r[i] = b[i] - q[i]
		d[i] = r[i] / complex(m.diag[i], 0)
		rz += (real(r[i])*real(r[i]) + imag(r[i])*imag(r[i])) / m.diag[i]
	}
	first = rz
	for range stripeSteps {
		if rz <= 1e-6*first || rz == 0 {
			break
		}
		dq := m.apply(d, q)
		if !(dq > 0) {
			break
		}
		a := complex(rz/dq, 0)
		next := m.over(func(lo, hi int) (sum float64) {
			for i := lo; i < hi; i++ {
				x[i] += a * d[i]
				r[i] -= a * q[i]
				sum += (real(r[i])*real(r[i]) + imag(r[i])*imag(r[i])) / m.diag[i]
			}
			return sum
		})
		by := complex(next/rz, 0)
		for i := range d {
			d[i] = r[i]/complex(m.diag[i], 0) + by*d[i]
		}
		rz = next
	}
}

package diffgeom

import (
	"math"
	"sync"

	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Fit is a simple form that lies closest to a part of a shape: a ball, an egg, a capsule
// or a plane.
type Fit struct {
	kind    string
	center  vec.V
	axes    [3]vec.V // of the egg; the first is that of the capsule, the last the plane's normal
	radii   vec.V    // of the egg, along the axes; of the others the first counts
	half    float32  // of the capsule: from its middle to the middle of an end
	outside float32  // 1, or -1 where the part's normals point to the inside
	known   bool
}

// The kinds of fits.
const (
	Ball    = "ball"
	Egg     = "egg"
	Capsule = "capsule"
	Plane   = "plane"
)

// FitPart fits a form of a kind to a part of a shape, by its area.
func FitPart(sh *shape.Shape, part int32, kind string) *Fit {
	spots, total := spotsOf(sh, part)
	return fitTo(spots, total, kind)
}

// fitTo fits a form of a kind to spots.
func fitTo(spots []spot, total float64, kind string) *Fit {
	f := &Fit{kind: kind, outside: 1}
	if !(total > 0) {
		return f
	}
	var spread [3]float64
	f.center, f.axes, spread = spreadOf(spots, total)
	size := math.Sqrt(spread[0] + spread[1] + spread[2])
	if !(size > 0) {
		return f
	}
	switch kind {
	case Plane:
		turn := 0.0
		for _, s := range spots {
			turn += s.area * float64(s.normal.Dot(f.axes[2]))
		}
		if turn < 0 {
			f.outside = -1
		}
		f.known = true
		return f
	case Capsule:
		// The mean distance from the axis between the middles of its ends, and the rest of how far the part goes along it; first as
		// if it had no ends.
		most := float32(0)
		for _, s := range spots {
			x := s.at.Sub(f.center).Dot(f.axes[0])
			most = max(most, x, -x)
		}
		f.half = most
		for range 6 {
			r := 0.0
			for _, s := range spots {
				d := s.at.Sub(f.center)
				r += s.area * float64(d.Sub(f.axes[0].Mul(max(-f.half, min(f.half, d.Dot(f.axes[0]))))).Len()) / total
			}
			f.radii[0], f.half = float32(r), max(0, most-float32(r))
		}
	case Ball, Egg:
		f.quadric(spots, spread, size)
	}
	out := 0.0
	for _, s := range spots {
		out += s.area * float64(s.normal.Dot(f.normal(s.at)))
	}
	if out < 0 {
		f.outside = -1
	}
	f.known = f.radii[0] > 0
	return f
}

// spot is a corner of a triangle, which stands for a third of its area.
type spot struct {
	at, normal vec.V
	area       float64
}

// spotsOf returns the corners of a part's triangles, and the part's area.
func spotsOf(sh *shape.Shape, part int32) (spots []spot, total float64) {
	for t, tri := range sh.Rest.Tri {
		if sh.Rest.TriPart[t] != part {
			continue
		}
		a := area(sh, tri) / 3
		for _, v := range tri {
			spots = append(spots, spot{sh.Pos[v], sh.Normal[v], a})
		}
		total += 3 * a
	}
	return spots, total
}

// spreadOf returns the middle of spots, and the axes and variances of how they are spread about it, the largest first.
func spreadOf(spots []spot, total float64) (center vec.V, axes [3]vec.V, spread [3]float64) {
	var mean [3]float64
	for _, s := range spots {
		for k := range mean {
			mean[k] += s.area * float64(s.at[k])
		}
	}
	for k := range mean {
		mean[k] /= total
	}
	center = vec.V{float32(mean[0]), float32(mean[1]), float32(mean[2])}
	var cov [3][3]float64
	for _, s := range spots {
		d := s.at.Sub(center)
		for i := range 3 {
			for j := range 3 {
				cov[i][j] += s.area * float64(d[i]) * float64(d[j]) / total
			}
		}
	}
	axes, spread = principal(cov)
	return center, axes, spread
}

// quadric fits a ball or an egg along the axes: least squares of A·x² + B·y² + C·z² + D·x + E·y + F·z = 1 (Taubin 1991 has
// better ones for pieces; whole parts need none); for a ball A = B = C.
func (f *Fit) quadric(spots []spot, spread [3]float64, size float64) {
	n := 6
	if f.kind == Ball {
		n = 4
	}
	var m [6][7]float64
	for _, s := range spots {
		d := s.at.Sub(f.center)
		var row [6]float64
		for k := range 3 {
			x := float64(d.Dot(f.axes[k])) / size
			if f.kind == Ball {
				row[0] += x * x
				row[1+k] = x
			} else {
				row[k], row[3+k] = x*x, x
			}
		}
		for i := range n {
			for j := range n {
				m[i][j] += s.area * row[i] * row[j]
			}
			m[i][6] += s.area * row[i]
		}
	}
	x, ok := solve(&m, n)
	square, line := [3]float64{x[0], x[1], x[2]}, [3]float64{x[3], x[4], x[5]}
	if f.kind == Ball {
		square, line = [3]float64{x[0], x[0], x[0]}, [3]float64{x[1], x[2], x[3]}
	}
	rhs, middle := 1.0, f.center
	for k := range 3 {
		ok = ok && square[k] > 1e-6
		c := -line[k] / (2 * square[k])
		rhs += square[k] * c * c
		middle = middle.Add(f.axes[k].Mul(float32(c * size)))
	}
	for k := range 3 {
		f.radii[k] = float32(size * math.Sqrt(rhs/square[k]))
		if !ok { // the corners of a box, a saddle: as far as it is spread
			f.radii[k] = float32(size)
			if f.kind == Egg {
				f.radii[k] = float32(math.Sqrt(3 * max(spread[k], spread[0]*1e-4)))
			}
		}
	}
	if ok {
		f.center = middle
	}
}

// Normal returns the normal of the form where a point of the part stands for it: where
// the line of sight, along eye, meets it, so that bands look as they would on the form
// itself; without an eye, or past the rim, right beside the point. ok is false where no
// form was found.
func (f *Fit) Normal(p, eye vec.V) (n vec.V, ok bool) {
	if !f.known {
		return n, false
	}
	switch f.kind {
	case Ball, Egg:
		p = f.sight(p, eye)
	case Capsule:
		p = f.sightOfCapsule(p, eye)
	}
	n = f.normal(p).Mul(f.outside)
	return n, n != (vec.V{})
}

// sight returns where the line through p along eye meets the egg, on the side of the
// eye; the place closest to the egg where it misses it.
func (f *Fit) sight(p, eye vec.V) vec.V {
	if eye == (vec.V{}) {
		return p
	}
	// In the space in which the egg is a ball of radius 1.
	var o, d vec.V
	for k := range 3 {
		o[k], d[k] = p.Sub(f.center).Dot(f.axes[k])/f.radii[k], eye.Dot(f.axes[k])/f.radii[k]
	}
	a, b, c := d.Dot(d), o.Dot(d), o.Dot(o)-1
	t := -b / a
	if root := b*b - a*c; root > 0 {
		t += f.outside * vec.Sqrt(root) / a
	}
	if t-t != 0 {
		return p
	}
	return p.Add(eye.Mul(t))
}

// sightOfCapsule is sight for a capsule: where the line meets its side, or else the ball about the end that it passes.
func (f *Fit) sightOfCapsule(p, eye vec.V) vec.V {
	if eye == (vec.V{}) {
		return p
	}
	o, axis, r := p.Sub(f.center), f.axes[0], f.radii[0]
	meets := func(a, b, c float32) float32 { // the root of a·t² + 2b·t + c on the side of the eye, or what is nearest to one
		return (-b + f.outside*vec.Sqrt(max(0, b*b-a*c))) / a
	}
	ox, dx := o.Dot(axis), eye.Dot(axis)
	side, way := o.Sub(axis.Mul(ox)), eye.Sub(axis.Mul(dx))
	end := dx * f.outside // at which it ends that looks along it
	if a := way.Dot(way); a > 1e-8 {
		t := meets(a, way.Dot(side), side.Dot(side)-r*r)
		if end = ox + t*dx; max(end, -end) <= f.half {
			return p.Add(eye.Mul(t))
		}
	}
	half := f.half
	if end < 0 {
		half = -half
	}
	o = o.Sub(axis.Mul(half))
	return p.Add(eye.Mul(meets(1, eye.Dot(o), o.Dot(o)-r*r)))
}

// normal returns the normal at the place of the form that is beside p, outward.
func (f *Fit) normal(p vec.V) vec.V {
	d := p.Sub(f.center)
	switch f.kind {
	case Plane:
		return f.axes[2]
	case Capsule:
		x := max(-f.half, min(f.half, d.Dot(f.axes[0])))
		return d.Sub(f.axes[0].Mul(x)).Unit()
	}
	var n vec.V
	for k := range 3 {
		n = n.Add(f.axes[k].Mul(d.Dot(f.axes[k]) / (f.radii[k] * f.radii[k])))
	}
	return n.Unit()
}

// principal returns the axes of a symmetric matrix, at right angles, and its spread along
// them, greatest first (Jacobi's rotations).
func principal(m [3][3]float64) (axes [3]vec.V, spread [3]float64) {
	v := [3][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
	for range 50 {
		p, q := 0, 1
		for _, at := range [2][2]int{{0, 2}, {1, 2}} {
			if math.Abs(m[at[0]][at[1]]) > math.Abs(m[p][q]) {
				p, q = at[0], at[1]
			}
		}
		if math.Abs(m[p][q]) <= 1e-15*(math.Abs(m[0][0])+math.Abs(m[1][1])+math.Abs(m[2][2])) {
			break
		}
		angle := math.Atan2(2*m[p][q], m[q][q]-m[p][p]) / 2
		sin, cos := math.Sincos(angle)
		for k := range 3 {
			a, b := m[k][p], m[k][q]
			m[k][p], m[k][q] = cos*a-sin*b, sin*a+cos*b
		}
		for k := range 3 {
			a, b := m[p][k], m[q][k]
			m[p][k], m[q][k] = cos*a-sin*b, sin*a+cos*b
			a, b = v[k][p], v[k][q]
			v[k][p], v[k][q] = cos*a-sin*b, sin*a+cos*b
		}
	}
	order := [3]int{0, 1, 2}
	for i := range 2 {
		for j := i + 1; j < 3; j++ {
			if m[order[j]][order[j]] > m[order[i]][order[i]] {
				order[i], order[j] = order[j], order[i]
			}
		}
	}
	for k, o := range order {
		axes[k] = vec.V{float32(v[0][o]), float32(v[1][o]), float32(v[2][o])}.Unit()
		spread[k] = max(0, m[o][o])
	}
	return axes, spread
}

// solve solves n equations, the right-hand sides in the last column, by elimination with
// the largest pivots.
func solve(m *[6][7]float64, n int) (x [6]float64, ok bool) {
	for c := range n {
		best := c
		for r := c + 1; r < n; r++ {
			if math.Abs(m[r][c]) > math.Abs(m[best][c]) {
				best = r
			}
		}
		m[c], m[best] = m[best], m[c]
		if !(math.Abs(m[c][c]) > 1e-12*math.Abs(m[0][0])) {
			return x, false
		}
		for r := range n {
			if r == c {
				continue
			}
			k := m[r][c] / m[c][c]
			for j := c; j < 7; j++ {
				m[r][j] -= k * m[c][j]
			}
		}
	}
	for i := range n {
		x[i] = m[i][6] / m[i][i]
	}
	return x, true
}

// FitOf is FitPart, kept with the surface. What it returns must not be changed.
func FitOf(sh *shape.Shape, part int32, kind string) *Fit {
	made, _ := sh.Rest.Keep("fits "+kind+" "+sh.Key, func() (any, error) { return &sync.Map{}, nil })
	fits := made.(*sync.Map)
	if f, ok := fits.Load(part); ok {
		return f.(*Fit)
	}
	f, _ := fits.LoadOrStore(part, FitPart(sh, part, kind))
	return f.(*Fit)
}

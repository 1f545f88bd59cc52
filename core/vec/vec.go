// Package vec holds float32 vectors, matrices, rays and boxes in a right-handed space whose Y axis points up.
package vec

import "math"

// V is a place or a direction.
type V [3]float32

// Add returns a + b.
func (a V) Add(b V) V { return V{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }

// Sub returns a - b.
func (a V) Sub(b V) V { return V{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

// Mul returns a scaled by s.
func (a V) Mul(s float32) V { return V{a[0] * s, a[1] * s, a[2] * s} }

// Dot returns the scalar product of a and b.
func (a V) Dot(b V) float32 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// Cross returns the vector product of a and b.
func (a V) Cross(b V) V {
	return V{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// Len returns the Euclidean length of a.
func (a V) Len() float32 { return Sqrt(a.Dot(a)) }

// Unit returns a scaled to length 1; the zero vector and vectors too short to
// measure in float32 stay zero.
func (a V) Unit() V {
	l := a.Dot(a)
	if !(l > 1e-38) || l > math.MaxFloat32 {
		x, y, z := float64(a[0]), float64(a[1]), float64(a[2])
		d := math.Sqrt(x*x + y*y + z*z)
		if !(d > 0) || math.IsInf(d, 0) {
			return V{}
		}
		return V{float32(x / d), float32(y / d), float32(z / d)}
	}
	return a.Mul(1 / Sqrt(l))
}

// Mix returns a + (b-a)·t.
func (a V) Mix(b V, t float32) V { return a.Add(b.Sub(a).Mul(t)) }

// Reflect returns the mirror direction of a about the unit normal n, both
// pointing away from the surface.
func (a V) Reflect(n V) V { return n.Mul(2 * n.Dot(a)).Sub(a) }

// Finite tells whether no component is NaN or infinite.
func (a V) Finite() bool {
	for _, c := range a {
		if c-c != 0 {
			return false
		}
	}
	return true
}

// Sqrt is the float32 square root.
func Sqrt(x float32) float32 { return float32(math.Sqrt(float64(x))) }

// Direction returns the unit vector at the given azimuth and elevation in
// degrees: azimuth 0 is +Z, growing towards +X; elevation 90 is +Y.
func Direction(azimuth, elevation float64) V {
	a, e := azimuth*math.Pi/180, elevation*math.Pi/180
	return V{float32(math.Cos(e) * math.Sin(a)), float32(math.Sin(e)), float32(math.Cos(e) * math.Cos(a))}
}

// Angles is the inverse of Direction for a direction of any length: azimuth in
// (-180, 180], elevation in [-90, 90].
func Angles(d V) (azimuth, elevation float64) {
	x, y, z := float64(d[0]), float64(d[1]), float64(d[2])
	return math.Atan2(x, z) * 180 / math.Pi, math.Atan2(y, math.Hypot(x, z)) * 180 / math.Pi
}

// Box is an axis-aligned box. The zero Box is not empty; start from EmptyBox.
type Box struct{ Min, Max V }

// EmptyBox returns the box that holds nothing, ready to Grow.
func EmptyBox() Box {
	inf := float32(math.Inf(1))
	return Box{V{inf, inf, inf}, V{-inf, -inf, -inf}}
}

// Empty tells whether b holds no point.
func (b Box) Empty() bool { return !(b.Min[0] <= b.Max[0]) }

// Grow returns the smallest box that holds b and p.
func (b Box) Grow(p V) Box {
	for i := range p {
		b.Min[i] = min(b.Min[i], p[i])
		b.Max[i] = max(b.Max[i], p[i])
	}
	return b
}

// Union returns the smallest box that holds both.
func (b Box) Union(o Box) Box {
	if o.Empty() {
		return b
	}
	return b.Grow(o.Min).Grow(o.Max)
}

// Center returns the middle of b, the origin if b is empty.
func (b Box) Center() V {
	if b.Empty() {
		return V{}
	}
	return b.Min.Mul(0.5).Add(b.Max.Mul(0.5))
}

// Diagonal returns the length of b's diagonal, 0 if b is empty.
func (b Box) Diagonal() float32 {
	if b.Empty() {
		return 0
	}
	return b.Max.Sub(b.Min).Len()
}

// Corners returns the eight corners of b.
func (b Box) Corners() (c [8]V) {
	for i := range c {
		c[i] = b.Min
		for k := range 3 {
			if i>>k&1 == 1 {
				c[i][k] = b.Max[k]
			}
		}
	}
	return c
}

// Across returns two unit vectors that are perpendicular to the unit vector n and
// to each other (Duff et al. 2017).
func Across(n V) (a, b V) {
	s := float32(math.Copysign(1, float64(n[2])))
	k := -1 / (s + n[2])
	m := n[0] * n[1] * k
	return V{1 + s*n[0]*n[0]*k, s * m, -s * n[0]}, V{m, s + n[1]*n[1]*k, -n[1]}
}

package vec

import "math"

// M is an affine map: the columns X, Y, Z of its linear part and the place O
// of the origin, so that a point p goes to X·p[0] + Y·p[1] + Z·p[2] + O.
type M struct{ X, Y, Z, O V }

// Identity returns the map that moves nothing.
func Identity() M { return M{X: V{1, 0, 0}, Y: V{0, 1, 0}, Z: V{0, 0, 1}} }

// Point maps a place.
func (m M) Point(p V) V { return m.Dir(p).Add(m.O) }

// Dir maps a direction: the linear part alone.
func (m M) Dir(d V) V {
	return m.X.Mul(d[0]).Add(m.Y.Mul(d[1])).Add(m.Z.Mul(d[2]))
}

// Then returns the map that applies m first and n after it.
func (m M) Then(n M) M { return M{n.Dir(m.X), n.Dir(m.Y), n.Dir(m.Z), n.Point(m.O)} }

// Det returns the determinant of the linear part; negative means mirrored.
func (m M) Det() float32 { return m.X.Dot(m.Y.Cross(m.Z)) }

// Normal maps a surface normal by the cofactor matrix, which is right for
// uneven scaling and mirrored maps; the result is not of unit length.
func (m M) Normal(n V) V {
	s := float32(1)
	if m.Det() < 0 {
		s = -1
	}
	return m.Y.Cross(m.Z).Mul(n[0] * s).Add(m.Z.Cross(m.X).Mul(n[1] * s)).Add(m.X.Cross(m.Y).Mul(n[2] * s))
}

// Inverse returns the inverse map; ok is false when m flattens space.
func (m M) Inverse() (inv M, ok bool) {
	d := m.Det()
	if d == 0 || d-d != 0 {
		return Identity(), false
	}
	a, b, c := m.Y.Cross(m.Z).Mul(1/d), m.Z.Cross(m.X).Mul(1/d), m.X.Cross(m.Y).Mul(1/d)
	inv = M{X: V{a[0], b[0], c[0]}, Y: V{a[1], b[1], c[1]}, Z: V{a[2], b[2], c[2]}}
	inv.O = inv.Dir(m.O).Mul(-1)
	return inv, inv.X.Finite() && inv.Y.Finite() && inv.Z.Finite() && inv.O.Finite()
}

// Place returns the map that scales, then turns by the Euler angles in degrees
// about X, Y and Z in that order, then moves to at.
func Place(at, turn V, scale float32) M {
	m := M{X: V{scale, 0, 0}, Y: V{0, scale, 0}, Z: V{0, 0, scale}}
	for axis, deg := range turn {
		m = m.Then(turnAbout(axis, float64(deg)))
	}
	m.O = at
	return m
}

func turnAbout(axis int, deg float64) M {
	s, c := math.Sincos(deg * math.Pi / 180)
	m := Identity()
	cols := [3]*V{&m.X, &m.Y, &m.Z}
	a, b := (axis+1)%3, (axis+2)%3
	cols[a][a], cols[a][b] = float32(c), float32(s)
	cols[b][a], cols[b][b] = float32(-s), float32(c)
	return m
}

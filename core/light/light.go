// Package light holds what shines on a stage, made ready: from where each light comes at a place, how strong it is
// there, and through which rays its shadow is found.
package light

import (
	"fmt"
	"math"

	"mobanta/core/color"
	"mobanta/core/vec"
)

// Kind is a kind of light.
type Kind string

// The kinds of light.
const (
	Sun       Kind = "sun"       // from infinitely far away
	Point     Kind = "point"     // a ball, or a mere point
	Disc      Kind = "disc"      // flat and round, shines to one side
	Rectangle Kind = "rectangle" // flat, shines to one side
	Sky       Kind = "sky"       // from all sides
	Headlamp  Kind = "headlamp"  // from where the eye is
)

// Kinds lists the kinds in the order in which they are offered.
var Kinds = []Kind{Sun, Point, Disc, Rectangle, Sky, Headlamp}

// Placed tells whether lights of the kind stand at a place.
func (k Kind) Placed() bool { return k == Point || k == Disc || k == Rectangle }

// Aimed tells whether lights of the kind have a direction of their own.
func (k Kind) Aimed() bool { return k == Sun || k == Disc || k == Rectangle }

// Source is a light made ready.
type Source struct {
	ID, Name string
	Kind     Kind
	Color    color.C // of its light, without strength
	Strength float32 // the tone on a surface that faces it; of those with Fade, at the distance Reach
	Shadows  bool
	Parts    []bool // which parts of the scene it lights; nil for all

	Dir   vec.V   // sun: unit, towards it; disc and rectangle: unit, against the way they shine
	At    vec.V   // place of point, disc and rectangle
	U, V  vec.V   // disc and rectangle: unit, across
	Size  float32 // sun: sine of half its angle; point and disc: radius; rectangle: half its width
	High  float32 // rectangle: half its height
	Fade  bool    // inverse square
	Reach float32
	Dome  *Dome  // sky
	Image string // sky: the hash of the picture that its Dome is made of

	ref float32 // length of the irradiance vector at Reach straight ahead
}

// Key tells the source from all that shine otherwise; its name makes no difference.
func (s *Source) Key() string {
	return fmt.Sprint(s.ID, s.Kind, s.Color, s.Strength, s.Shadows, s.Parts, s.Dir, s.At, s.Size, s.High, s.Fade, s.Reach, s.Sky())
}

// Sky tells the source's sky from all others; it is empty for other kinds.
func (s *Source) Sky() string {
	if d := s.Dome; d != nil {
		return fmt.Sprint(s.Image, d.Pictured(), d.top, d.bottom, d.sin, d.cos, d.gain)
	}
	return ""
}

// Ready fills in what can be worked out once; to be called after the fields are set.
func (s *Source) Ready() {
	s.Dir = s.Dir.Unit()
	side := vec.V{0, 1, 0}
	if s.Dir[1] > 0.99 || s.Dir[1] < -0.99 {
		side = vec.V{0, 0, -1}
	}
	s.U = side.Cross(s.Dir).Unit()
	s.V = s.Dir.Cross(s.U)
	s.ref = 1
	if s.Kind.Placed() && s.Fade {
		if s.ref = 1 / (s.Reach * s.Reach); s.Kind != Point {
			_, s.ref, _ = s.vector(s.At.Sub(s.Dir.Mul(s.Reach)))
		}
	}
}

// Soft tells whether shadows of the light have a penumbra.
func (s *Source) Soft() bool { return s.Kind == Sky || s.Kind != Headlamp && s.Size > 0 }

// Incident is how light falls at places: a struct of arrays.
type Incident struct {
	X, Y, Z []float32 // unit direction to the middle of the light
	E       []float32 // tone on a surface that faces it, strength included
	Cap     []float32 // sine squared of half the angle that it seems wide
}

// NewIncident returns room for n places.
func NewIncident(n int) *Incident {
	return Within(make([]float32, 5*n))
}

// Within returns an Incident in the given room, for a fifth as many places.
func Within(all []float32) *Incident {
	n := len(all) / 5
	return &Incident{all[:n], all[n : 2*n], all[2*n : 3*n], all[3*n : 4*n], all[4*n:]}
}

// Fall fills in for the places (px, py, pz), seen from the directions (ex, ey,
// ez), all of the same length as in's arrays. For a sky it gives what a surface
// that faces up receives; see Dome.
func (s *Source) Fall(in *Incident, px, py, pz, ex, ey, ez []float32) {
	n := len(px)
	x, y, z, e, c := in.X[:n], in.Y[:n], in.Z[:n], in.E[:n], in.Cap[:n]
	switch s.Kind {
	case Sun, Sky:
		dir, size := s.Dir, s.Size*s.Size
		if s.Kind == Sky {
			dir, size = vec.V{0, 1, 0}, 1
		}
		for i := range x {
			x[i], y[i], z[i], e[i], c[i] = dir[0], dir[1], dir[2], s.Strength, size
		}
	case Headlamp:
		copy(x, ex)
		copy(y, ey)
		copy(z, ez)
		for i := range e {
			e[i], c[i] = s.Strength, 0
		}
	case Point:
		s.ball(in, px, py, pz)
	default:
		for i := range x {
			d, e1, cap := s.vector(vec.V{px[i], py[i], pz[i]})
			if !s.Fade && e1 > 0 {
				e1 = 1
			} else {
				e1 /= s.ref
			}
			x[i], y[i], z[i], e[i], c[i] = d[0], d[1], d[2], e1*s.Strength, cap
		}
	}
}

// ball is Fall for a ball of even brightness, whose irradiance falls with the square
// of the distance; a point is the limit of small balls.
func (s *Source) ball(in *Incident, px, py, pz []float32) {
	n := len(px)
	x, y, z, e, c := in.X[:n], in.Y[:n], in.Z[:n], in.E[:n], in.Cap[:n]
	py, pz = py[:n], pz[:n]
	// Nearer than this counts as this: the light is as strong as it gets.
	r2, strength, least := s.Size*s.Size, s.Strength, float32(1e-30)
	if s.Fade {
		strength /= s.ref
		least = max(least, 1e-12*s.Reach*s.Reach)
	}
	for i := range px {
		dx, dy, dz := s.At[0]-px[i], s.At[1]-py[i], s.At[2]-pz[i]
		d2 := max(dx*dx+dy*dy+dz*dz, r2, least)
		inv := 1 / d2
		k := vec.Sqrt(inv)
		x[i], y[i], z[i], e[i], c[i] = dx*k, dy*k, dz*k, strength, min(1, r2*inv)
		if s.Fade {
			e[i] = strength * inv
		}
	}
}

// At1 is Fall for one place.
func (s *Source) At1(p, eye vec.V) (dir vec.V, e, cap float32) {
	in := Incident{make([]float32, 1), make([]float32, 1), make([]float32, 1), make([]float32, 1), make([]float32, 1)}
	s.Fall(&in, p[0:1], p[1:2], p[2:3], eye[0:1], eye[1:2], eye[2:3])
	return vec.V{in.X[0], in.Y[0], in.Z[0]}, in.E[0], in.Cap[0]
}

// vector returns the irradiance vector of a disc or rectangle at p, for a radiance
// that would give 1 if it came from the whole hemisphere: its direction and its
// length, and the cap that gives as much.
func (s *Source) vector(p vec.V) (dir vec.V, length, cap float32) {
	q := p.Sub(s.At)
	switch s.Kind {
	case Disc:
		// Configuration factors of a disc for elements parallel and perpendicular to
		// it (Hamilton and Morgan 1952).
		z := -float64(q.Dot(s.Dir))
		if z <= 0 {
			return s.Dir, 0, 0
		}
		across := q.Add(s.Dir.Mul(float32(z)))
		rho, a := float64(across.Len()), float64(s.Size)
		sum := rho*rho + z*z + a*a
		root := math.Sqrt(max(1e-30*sum*sum, sum*sum-4*a*a*rho*rho))
		ahead := 0.5 * (1 - (sum-2*a*a)/root)
		beside := 0.0
		if rho > 1e-6*a {
			beside = z / (2 * rho) * (sum/root - 1)
		}
		f := s.Dir.Mul(float32(ahead)).Sub(across.Unit().Mul(float32(beside)))
		l := f.Len()
		return f.Unit(), l, min(1, l)
	}
	if q.Dot(s.Dir) >= 0 {
		return s.Dir, 0, 0
	}
	return s.polygon(p)
}

// polygon is the irradiance vector of the rectangle (Lambert 1760): half the sum
// over its edges of the angle that each spans times the normal of the plane
// through it and p.
func (s *Source) polygon(p vec.V) (dir vec.V, length, cap float32) {
	u, v := s.U.Mul(s.Size), s.V.Mul(s.High)
	var c [4][3]float64
	for i, k := range [4][2]float32{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
		q := s.At.Add(u.Mul(k[0])).Add(v.Mul(k[1])).Sub(p)
		x, y, z := float64(q[0]), float64(q[1]), float64(q[2])
		l := 1 / max(1e-200, math.Sqrt(x*x+y*y+z*z))
		c[i] = [3]float64{x * l, y * l, z * l}
	}
	var f [3]float64
	for i := range c {
		a, b := &c[i], &c[(i+1)%4]
		x, y, z := a[1]*b[2]-a[2]*b[1], a[2]*b[0]-a[0]*b[2], a[0]*b[1]-a[1]*b[0]
		sin := math.Sqrt(x*x + y*y + z*z)
		if sin < 1e-12 {
			continue
		}
		k := math.Atan2(sin, a[0]*b[0]+a[1]*b[1]+a[2]*b[2]) / sin / (2 * math.Pi)
		f[0], f[1], f[2] = f[0]+x*k, f[1]+y*k, f[2]+z*k
	}
	w := vec.V{float32(f[0]), float32(f[1]), float32(f[2])}
	if w.Dot(s.At.Sub(p)) < 0 {
		w = w.Mul(-1)
	}
	l := w.Len()
	if l == 0 {
		return s.Dir, 0, 0
	}
	return w.Unit(), l, min(1, l)
}

// Lambert returns the irradiance from a cap of the sky whose sine squared of half
// the angle is cap, on a surface whose normal meets the direction to the cap's
// middle at the given cosine; 1 where it faces the cap. Where the horizon cuts
// through the cap, the part above counts (Snyder 1996).
func Lambert(cos, cap float32) float32 {
	if cap <= 0 || cos > 0 && cos*cos >= cap {
		return max(0, cos)
	}
	if cos < 0 && cos*cos >= cap {
		return 0
	}
	c, s2 := float64(cos), float64(min(cap, 0.999999))
	sin := math.Sqrt(max(0, 1-c*c))
	x := math.Sqrt(1/s2 - 1)
	y := -x * c / max(sin, 1e-12)
	y = max(-1, min(1, y))
	w := sin * math.Sqrt(1-y*y)
	return float32(max(0, ((c*math.Acos(y)-x*w)*s2+math.Atan(w/x))/math.Pi/s2))
}

// Aim is a light as seen from one place: what is needed to send rays to it.
type Aim struct {
	mid, a, b vec.V
	kind      aimKind
	Far       float32 // how far rays reach, in lengths of their direction
}

type aimKind uint8

const (
	one   aimKind = iota // one ray is all there is
	round                // about a direction: x and y in the unit disk
	plate                // flat: x and y in the unit disk
	panel                // flat: x and y in the square from -1 to 1
)

// Aim returns the light as seen from p, where the surface has the normal n and is
// seen from direction eye. Rays to a sky are spread by the cosine about n.
func (s *Source) Aim(p, n, eye vec.V) (a Aim) {
	const horizon = 1e30
	a.Far = horizon
	about := func(d vec.V, sin float32) {
		x, y := vec.Across(d)
		a.mid, a.a, a.b, a.kind = d, x.Mul(sin), y.Mul(sin), round
	}
	switch s.Kind {
	case Sun:
		if a.mid = s.Dir; s.Size > 0 {
			about(s.Dir, s.Size)
		}
	case Headlamp:
		a.mid = eye
	case Sky:
		about(n, 1)
	case Point:
		q := s.At.Sub(p)
		d := q.Len()
		if s.Size <= 0 || d <= s.Size {
			a.mid, a.Far = q, 1
			break
		}
		// Up to the front of the ball, which may stand inside a model of a lamp.
		about(q.Mul(1/d), s.Size/d)
		a.Far = d - s.Size
	case Disc:
		a = s.flat(p, s.Size, plate)
	case Rectangle:
		a = s.flat(p, s.High, panel)
	}
	return a
}

// flat is the aim at a disc or rectangle. Directions are about as long as 1, so that
// rays over very large or small stages lose nothing to rounding.
func (s *Source) flat(p vec.V, high float32, kind aimKind) Aim {
	mid, k := s.At.Sub(p), float32(1)
	if d := mid.Len(); d > 0 {
		k = 1 / d
	}
	return Aim{mid.Mul(k), s.U.Mul(s.Size * k), s.V.Mul(high * k), kind, 0.9999 / k}
}

// Square tells whether the places of the light are those of a square.
func (a *Aim) Square() bool { return a.kind == panel }

// Above tells whether all of the light stands well above the horizon of a surface
// with the normal n.
func (a *Aim) Above(n vec.V) bool {
	mid, x, y := a.mid.Dot(n), a.a.Dot(n), a.b.Dot(n)
	return mid > 0 && x*x+y*y < 0.04*mid*mid
}

// Ray returns the direction to the place (x, y) of the light, in the unit disk,
// or, for a Square one, from -1 to 1: equal areas are equal parts of the light as
// seen from there.
func (a *Aim) Ray(x, y float32) vec.V {
	side := vec.V{a.a[0]*x + a.b[0]*y, a.a[1]*x + a.b[1]*y, a.a[2]*x + a.b[2]*y}
	switch a.kind {
	case one:
		return a.mid
	case round:
		k := vec.Sqrt(max(0, 1-side[0]*side[0]-side[1]*side[1]-side[2]*side[2]))
		return vec.V{side[0] + a.mid[0]*k, side[1] + a.mid[1]*k, side[2] + a.mid[2]*k}
	}
	return vec.V{side[0] + a.mid[0], side[1] + a.mid[1], side[2] + a.mid[2]}
}

// Disk maps the unit square to the unit disk, equal areas to equal areas
// (Shirley and Chiu 1997).
func Disk(u, v float32) (x, y float32) {
	a, b := 2*float64(u)-1, 2*float64(v)-1
	switch {
	case a == 0 && b == 0:
		return 0, 0
	case a*a > b*b:
		s, c := math.Sincos(math.Pi / 4 * b / a)
		return float32(a * c), float32(a * s)
	}
	s, c := math.Sincos(math.Pi/2 - math.Pi/4*a/b)
	return float32(b * c), float32(b * s)
}

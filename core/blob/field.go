package blob

import (
	"math"

	"mobanta/core/vec"
)

// Field is the density of balls: that of one falls from 1 at its middle to 0 at its reach as (1 - q)³ of the squared
// distance q (Wyvill, McPheeters and Wyvill 1986 use a polynomial like it), and those of all add up. The surface lies
// where it comes to what a ball alone has at its radius: one ball is a ball. Sums of exponentials, which were compared,
// never end, swell where many balls lie upon each other, and cost three times as much.
type Field struct {
	balls []source
	level float32
}

// source is a ball of a field.
type source struct {
	at   vec.V
	inv  float32 // 1 over its reach, squared
	sign float32
	size float32
	far  float32 // its reach
}

// NewField returns the field of balls that melt.
func NewField(balls []Ball, melt float64) *Field {
	if melt == 0 {
		melt = DefaultMelt
	}
	melt = max(melt, 0.05)
	k := 1 + melt
	f := &Field{level: float32(math.Pow(1-1/(k*k), 3))}
	for _, b := range balls {
		reach := b.Size * float32(k)
		s := source{at: b.At, inv: 1 / (reach * reach), sign: 1, size: b.Size, far: reach}
		if b.Hollow {
			s.sign = -1
		}
		f.balls = append(f.balls, s)
	}
	return f
}

// of returns how much denser than at the surface some balls, by number, are at a place: above 0 within.
func (f *Field) of(p vec.V, list []int32) float32 {
	sum := -f.level
	for _, i := range list {
		sum += f.balls[i].at1(p)
	}
	return sum
}

func (s *source) at1(p vec.V) float32 {
	x, y, z := p[0]-s.at[0], p[1]-s.at[1], p[2]-s.at[2]
	q := 1 - (x*x+y*y+z*z)*s.inv
	if q <= 0 {
		return 0
	}
	return s.sign * q * q * q
}

// normal returns the direction in which the density falls, of unit length.
func (f *Field) normal(p vec.V, list []int32) vec.V {
	var g vec.V
	for _, i := range list {
		s := &f.balls[i]
		d := p.Sub(s.at)
		if q := 1 - d.Dot(d)*s.inv; q > 0 {
			g = g.Add(d.Mul(s.sign * q * q * s.inv))
		}
	}
	if n := g.Unit(); n != (vec.V{}) {
		return n
	}
	return vec.V{0, 1, 0}
}

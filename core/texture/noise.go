// Package texture holds the patterns that fill space: gradient noise, cells, and waves, each
// with the mean that it has over what a pixel covers.
package texture

import (
	"math"

	"mobanta/core/names"
)

// Seed moves a texture to another stretch of the same stuff: whole numbers of cells.
type Seed struct{ x, y, z int32 }

// SeedOf returns the seed that a number stands for; that of 0 moves nothing.
func SeedOf(v float32) Seed {
	if v == 0 || v != v {
		return Seed{}
	}
	h := mix(math.Float32bits(v))
	return Seed{int32(h & 1023), int32(h >> 10 & 1023), int32(h >> 20 & 1023)}
}

// Next returns another seed that depends on s alone.
func (s Seed) Next() Seed { return Seed{s.x + 37, s.y + 113, s.z + 71} }

// SeedAt returns the seed that n times Next comes to.
func SeedAt(s Seed, n int) Seed {
	k := int32(n)
	return Seed{s.x + 37*k, s.y + 113*k, s.z + 71*k}
}

// mix scatters the bits of a number (Wellons 2018, "lowbias32").
func mix(h uint32) uint32 {
	h ^= h >> 16
	h *= 0x7feb352d
	h ^= h >> 15
	h *= 0x846ca68b
	return h ^ h>>16
}

// edge is a direction to the middle of a cube's edge, as Perlin's reference has them, and
// the same turned by a quarter within its plane.
type edge struct{ x, y, z, tx, ty, tz float32 }

// edges are the sixteen directions of the reference, of which four are there twice.
var edges = [16]edge{
	{1, 1, 0, -1, 1, 0}, {-1, 1, 0, -1, -1, 0}, {1, -1, 0, 1, 1, 0}, {-1, -1, 0, 1, -1, 0},
	{1, 0, 1, -1, 0, 1}, {-1, 0, 1, -1, 0, -1}, {1, 0, -1, 1, 0, 1}, {-1, 0, -1, 1, 0, -1},
	{0, 1, 1, 0, -1, 1}, {0, -1, 1, 0, -1, -1}, {0, 1, -1, 0, 1, 1}, {0, -1, -1, 0, 1, -1},
	{1, 1, 0, -1, 1, 0}, {0, -1, 1, 0, -1, -1}, {-1, 1, 0, -1, -1, 0}, {0, -1, -1, 0, 1, -1},
}

// far is where noise ends: beyond it float32 knows no places within a cell any more.
const far = 1 << 20

// Noise returns gradient noise at a place, in cells (Perlin 2002, "Improving noise"): from
// about -1 to 1, 0 at whole numbers, its mean 0. It repeats after 256 cells. 0 for what is
// no place.
func Noise(x, y, z float32, s Seed) float32 {
	if !(x > -far && x < far && y > -far && y < far && z > -far && z < far) {
		return 0
	}
	ix, iy, iz := floor(x), floor(y), floor(z)
	x, y, z = x-float32(ix), y-float32(iy), z-float32(iz)
	u, v, w := fade(x), fade(y), fade(z)
	// Eight bits wrap as the reference does with its permutation twice in a row.
	i, j, k := uint8(ix+s.x), uint8(iy+s.y), uint8(iz+s.z)
	a, b := perm[i]+j, perm[i+1]+j
	aa, ab, ba, bb := perm[a]+k, perm[a+1]+k, perm[b]+k, perm[b+1]+k
	x1, y1, z1 := x-1, y-1, z-1
	at := func(h uint8, x, y, z float32) float32 {
		g := &edges[perm[h]&15]
		return g.x*x + g.y*y + g.z*z
	}
	n00 := mixed(at(aa, x, y, z), at(ba, x1, y, z), u)
	n10 := mixed(at(ab, x, y1, z), at(bb, x1, y1, z), u)
	n01 := mixed(at(aa+1, x, y, z1), at(ba+1, x1, y, z1), u)
	n11 := mixed(at(ab+1, x, y1, z1), at(bb+1, x1, y1, z1), u)
	return mixed(mixed(n00, n10, v), mixed(n01, n11, v), w)
}

// mixed lies between a and b; the product is rounded before it is added, as eightAVX2 does.
func mixed(a, b, t float32) float32 { return a + float32((b-a)*t) }

// Turned is Noise whose directions have turned, each within a plane of its own and one way or
// the other (after Perlin and Neyret 2001), half of them twice as fast as the others: cos and sin
// are those of the angle. It changes without moving, and comes back after a whole turn. At one speed
// it would be its own negative half-way, dark where it was bright.
func Turned(x, y, z float32, s Seed, cos, sin float32) float32 {
	if !(x > -far && x < far && y > -far && y < far && z > -far && z < far) {
		return 0
	}
	ix, iy, iz := floor(x), floor(y), floor(z)
	x, y, z = x-float32(ix), y-float32(iy), z-float32(iz)
	u, v, w := fade(x), fade(y), fade(z)
	cos2, sin2 := cos*cos-sin*sin, 2*sin*cos
	var n [8]float32
	for c := range n {
		dx, dy, dz := c&1, c>>1&1, c>>2
		h := perm[perm[perm[uint8(ix+s.x+int32(dx))]+uint8(iy+s.y+int32(dy))]+uint8(iz+s.z+int32(dz))]
		g, o, t := &edges[h&15], cos, sin
		if h&32 != 0 {
			o, t = cos2, sin2
		}
		if h&16 != 0 {
			t = -t
		}
		px, py, pz := x-float32(dx), y-float32(dy), z-float32(dz)
		n[c] = (g.x*px+g.y*py+g.z*pz)*o + (g.tx*px+g.ty*py+g.tz*pz)*t
	}
	return mixed(mixed(mixed(n[0], n[1], u), mixed(n[2], n[3], u), v), mixed(mixed(n[4], n[5], u), mixed(n[6], n[7], u), v), w)
}

func fade(t float32) float32 { return t * t * t * (float32(t*(float32(t*6)-15)) + 10) }

func floor(x float32) int32 {
	i := int32(x)
	if float32(i) > x {
		i--
	}
	return i
}

// Shape says what is made of noise.
type Shape uint8

// The shapes of noise.
const (
	Plain  Shape = iota
	Ridged       // sharp crests where the noise is 0
	Billow       // sharp valleys there
)

// String returns its name.
func (s Shape) String() string { return names.Nth(int(s), "plain", "ridged", "billow") }

// swing is by how much the size of noise is stretched for Ridged and Billow, so that their
// mean is ½, crests that are cut off included (found over four million places).
const swing = 2.401

// of returns a shape's value from 0 to 1, its mean ½.
func (s Shape) of(n float32) float32 {
	switch s {
	case Ridged:
		return max(0, 1-swing*max(n, -n))
	case Billow:
		return min(1, swing*max(n, -n))
	}
	return 0.5 + 0.5*n
}

// Fractal is noise upon noise, each of smaller cells than the one before.
type Fractal struct {
	Octaves int // 1 and more
	Shape   Shape
}

// settle returns the fractal's value, from 0 to 1, for a sum of octaves about 0, the squares of
// their amounts and the amounts. The sum spreads as one octave does, however many there are; a
// little less where crests would be cut off, and with them the mean.
func (f Fractal) settle(sum, square, all float32) float32 {
	size := float32(math.Sqrt(float64(square)))
	if f.Shape != Plain {
		size = float32(0.7*size) + float32(0.3*all)
	}
	return max(0, min(1, 0.5+sum/size))
}

// turn turns a place about the diagonal of the axes by a third of a right angle and moves
// it, so that the cells of one octave do not lie in those of another.
func turn(x, y, z float32) (u, v, w float32) {
	const a, b, c = 0.9106836025, 0.3333333333, -0.2440169359 // of 30 degrees
	row := func(p, q, r float32) float32 { return float32(p*x) + float32(q*y) + float32(r*z) }
	return row(a, c, b) + 17.31, row(b, a, c) + 5.77, row(c, b, a) + 29.13
}

// Seen returns how much of a pattern is left whose cells a pixel covers by foot of their
// length: all while they are four pixels long, nothing when two.
func Seen(foot float32) float32 {
	t := max(0, min(1, (0.5-foot)*4))
	return t * t * (3 - 2*t)
}

// Chance returns a number from 0 up to 1 that depends on a whole number and a seed alone.
func Chance(n uint32, s Seed) float32 { return ChanceOf(n, s.Key()) }

// Key returns the seed as one number, for ChanceOf.
func (s Seed) Key() uint32 {
	return uint32(s.x)*0x8da6b343 ^ uint32(s.y)*0xd8163841 ^ uint32(s.z)*0xcb1ab31f
}

// ChanceOf is Chance for the key of a seed.
func ChanceOf(n, key uint32) float32 { return float32(mix(n^key)>>8) / (1 << 24) }

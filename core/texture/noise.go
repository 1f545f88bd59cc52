// Package texture holds the patterns that fill space: gradient noise, cells, and waves, each
// with the mean that it has over what a pixel covers.
package texture

import "math"

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

// Next returns another seed that hangs on s alone.
func (s Seed) Next() Seed { return Seed{s.x + 37, s.y + 113, s.z + 71} }

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
	i, j, k := uint32(ix+s.x)&255, uint32(iy+s.y)&255, uint32(iz+s.z)&255
	a, b := uint32(perm[i])+j, uint32(perm[i+1])+j
	aa, ab, ba, bb := uint32(perm[a])+k, uint32(perm[a+1])+k, uint32(perm[b])+k, uint32(perm[b+1])+k
	x1, y1, z1 := x-1, y-1, z-1
	at := func(h uint8, x, y, z float32) float32 {
		g := &edges[h&15]
		return g.x*x + g.y*y + g.z*z
	}
	n000, n100, n010, n110 := at(perm[aa], x, y, z), at(perm[ba], x1, y, z), at(perm[ab], x, y1, z), at(perm[bb], x1, y1, z)
	n001, n101, n011, n111 := at(perm[aa+1], x, y, z1), at(perm[ba+1], x1, y, z1), at(perm[ab+1], x, y1, z1), at(perm[bb+1], x1, y1, z1)
	n00, n10, n01, n11 := n000+(n100-n000)*u, n010+(n110-n010)*u, n001+(n101-n001)*u, n011+(n111-n011)*u
	n0, n1 := n00+(n10-n00)*v, n01+(n11-n01)*v
	return n0 + (n1-n0)*w
}

// Turned is Noise whose directions have turned, each within a plane of its own and one way or
// the other (after Perlin and Neyret 2001): cos and sin are those of the angle. It changes
// without moving, and comes back after a whole turn.
func Turned(x, y, z float32, s Seed, cos, sin float32) float32 {
	if !(x > -far && x < far && y > -far && y < far && z > -far && z < far) {
		return 0
	}
	ix, iy, iz := floor(x), floor(y), floor(z)
	x, y, z = x-float32(ix), y-float32(iy), z-float32(iz)
	u, v, w := fade(x), fade(y), fade(z)
	var n [8]float32
	for c := range n {
		dx, dy, dz := c&1, c>>1&1, c>>2
		h := perm[uint32(perm[uint32(perm[uint32(ix+s.x+int32(dx))&255])+uint32(iy+s.y+int32(dy))&255])+uint32(iz+s.z+int32(dz))&255]
		g, t := &edges[h&15], sin
		if h&16 != 0 {
			t = -t
		}
		px, py, pz := x-float32(dx), y-float32(dy), z-float32(dz)
		n[c] = (g.x*px+g.y*py+g.z*pz)*cos + (g.tx*px+g.ty*py+g.tz*pz)*t
	}
	n00, n10, n01, n11 := n[0]+(n[1]-n[0])*u, n[2]+(n[3]-n[2])*u, n[4]+(n[5]-n[4])*u, n[6]+(n[7]-n[6])*u
	n0, n1 := n00+(n10-n00)*v, n01+(n11-n01)*v
	return n0 + (n1-n0)*w
}

func fade(t float32) float32 { return t * t * t * (t*(t*6-15) + 10) }

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
	Octaves  int     // 1 and more
	Gain     float32 // how much each counts against the one before
	Finer    float32 // how many times finer each is (the lacunarity)
	Shape    Shape
	Cos, Sin float32 // of the angle by which directions have turned; 1 and 0 for none
}

// At returns the fractal at a place in cells of the first octave: from 0 to 1, its mean ½.
// foot is how much of a cell a pixel covers: octaves that it cannot show fade to their mean.
func (f *Fractal) At(x, y, z, foot float32, s Seed) float32 {
	sum, amount, square, all := float32(0), float32(1), float32(0), float32(0)
	for k := 0; ; k++ {
		if seen := Seen(foot); seen > 0 {
			var n float32
			if f.Sin == 0 && f.Cos == 1 {
				n = Noise(x, y, z, s)
			} else {
				n = Turned(x, y, z, s, f.Cos, f.Sin)
			}
			sum += (f.Shape.of(n) - 0.5) * amount * seen
		}
		square, all = square+amount*amount, all+amount
		if k+1 >= f.Octaves {
			break
		}
		amount *= f.Gain
		x, y, z = turn(x*f.Finer, y*f.Finer, z*f.Finer)
		foot *= f.Finer
	}
	// The sum spreads as one octave does, however many there are; a little less where crests
	// would be cut off, and with them the mean.
	size := float32(math.Sqrt(float64(square)))
	if f.Shape != Plain {
		size = 0.7*size + 0.3*all
	}
	return max(0, min(1, 0.5+sum/size))
}

// turn turns a place about the diagonal of the axes by a third of a right angle and moves
// it, so that the cells of one octave do not lie in those of another.
func turn(x, y, z float32) (u, v, w float32) {
	const a, b, c = 0.9106836025, 0.3333333333, -0.2440169359 // of 30 degrees
	return a*x + c*y + b*z + 17.31, b*x + a*y + c*z + 5.77, c*x + b*y + a*z + 29.13
}

// Seen returns how much of a pattern is left whose cells a pixel covers by foot of their
// length: all while they are four pixels long, nothing when two.
func Seen(foot float32) float32 {
	t := max(0, min(1, (0.5-foot)*4))
	return t * t * (3 - 2*t)
}

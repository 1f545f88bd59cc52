package texture

import (
	"math"
	"slices"
	"sync"

	"mobanta/core/names"
)

// Measure is how far apart two places are.
type Measure uint8

// The measures of cells.
const (
	Straight Measure = iota // as the crow flies
	Blocks                  // along the axes, one after the other
	Square                  // along the longest of the axes
)

// String returns its name.
func (m Measure) String() string { return names.Nth(int(m), "straight", "blocks", "square") }

// Near is what Cells finds: all lengths are in cells.
type Near struct {
	First, Second float32    // how far the nearest centre is and the one after it (Worley 1996)
	Border        float32    // how far the border of the cell is, exact for Straight; half of what Second is further than First for the others
	Centre        [3]float32 // of the cell, from the place that was asked about
	ID            uint32     // of the cell
}

// Tone returns one of three numbers from 0 to 1 that belong to the cell.
func (n *Near) Tone(k int) float32 {
	return float32(mix(n.ID+uint32(k)*0x9e3779b9)>>8) / (1 << 24)
}

// Ask says what Cells is to find beside the nearest centre, which it always does.
type Ask uint8

// What may be asked.
const (
	ForSecond Ask = 1 << iota
	ForBorder
)

// rings are cells about one, by how far they lie: those at most one away along each axis,
// two, and so on.
var rings = func() (out [5][][3]int32) {
	for x := int32(-4); x <= 4; x++ {
		for y := int32(-4); y <= 4; y++ {
			for z := int32(-4); z <= 4; z++ {
				r := max(x, -x, y, -y, z, -z)
				out[r] = append(out[r], [3]int32{x, y, z})
			}
		}
	}
	for _, ring := range out { // the nearest first
		slices.SortStableFunc(ring, func(a, b [3]int32) int {
			return int(a[0]*a[0] + a[1]*a[1] + a[2]*a[2] - b[0]*b[0] - b[1]*b[1] - b[2]*b[2])
		})
	}
	return out
}()

// Cells finds the cell that a place lies in: space parted among centres, of which one lies in
// each unit cube: jitter 0 puts it into the middle, 1 anywhere. It looks at as many cubes as it
// takes to be sure. A place beyond those that float32 knows is a centre by itself.
func Cells(x, y, z, jitter float32, m Measure, s Seed, ask Ask) (n Near) {
	if !(x > -far && x < far && y > -far && y < far && z > -far && z < far) {
		return n
	}
	w := searchAt(x, y, z, jitter, m, s)
	bound := &w.first
	if ask&ForSecond != 0 || ask&ForBorder != 0 && m != Straight {
		bound = &w.second
	}
	from := 0
	if m == Straight {
		w.about(bound)
		from = 2
	}
	for r := from; r < len(rings); r++ {
		if r > 0 && w.beyond(r) >= *bound {
			break
		}
		for _, c := range rings[r] {
			w.look(c[0], c[1], c[2], *bound)
		}
	}
	n.First, n.ID, n.Centre = w.length(w.first), w.id, w.centre
	if bound == &w.second {
		n.Second = w.length(w.second)
	}
	switch {
	case ask&ForBorder == 0:
	case m == Straight:
		n.Border = w.border(n.First)
	default:
		n.Border = (n.Second - n.First) / 2
	}
	return n
}

// search is the way to the nearest centres. Lengths are squared for Straight.
type search struct {
	x, y, z       float32 // the place within its cube
	jitter, low   float32 // centres lie from low to 1-low within theirs
	ix, iy, iz    int32
	measure       Measure
	first, second float32
	centre        [3]float32 // from the place
	id            uint32
	cube          [3]int32 // in which it lies, from that of the place; known after about
}

// searchAt starts a search about a place that float32 knows.
func searchAt(x, y, z, jitter float32, m Measure, s Seed) search {
	ix, iy, iz := floor(x), floor(y), floor(z)
	jitter = max(0, min(1, jitter))
	return search{x: x - float32(ix), y: y - float32(iy), z: z - float32(iz), jitter: jitter, low: 0.5 - 0.5*jitter, ix: ix + s.x, iy: iy + s.y, iz: iz + s.z,
		measure: m, first: math.MaxFloat32, second: math.MaxFloat32}
}

// centreOf returns the centre in a cube, from the place, and the number of the cube.
func (w *search) centreOf(cx, cy, cz int32) (x, y, z float32, id uint32) {
	h := mix(uint32(w.ix+cx)*0x8da6b343 ^ uint32(w.iy+cy)*0xd8163841 ^ uint32(w.iz+cz)*0xcb1ab31f)
	const k = 1.0 / 1024
	x = float32(cx) + w.low + (float32(h&1023)+0.5)*k*w.jitter - w.x
	y = float32(cy) + w.low + (float32(h>>10&1023)+0.5)*k*w.jitter - w.y
	z = float32(cz) + w.low + (float32(h>>20&1023)+0.5)*k*w.jitter - w.z
	return x, y, z, h
}

// far returns how far two places are by the measure.
func (w *search) far(x, y, z float32) float32 {
	switch w.measure {
	case Blocks:
		return max(x, -x) + max(y, -y) + max(z, -z)
	case Square:
		return max(x, -x, y, -y, z, -z)
	}
	return x*x + y*y + z*z
}

func (w *search) length(d float32) float32 {
	if w.measure == Straight {
		return float32(math.Sqrt(float64(d)))
	}
	return d
}

// gap returns how far one coordinate lies at least from a centre c cubes on.
func (w *search) gap(c int32, x float32) float32 {
	return max(0, float32(c)+w.low-x, x-float32(c)-1+w.low)
}

// beyond returns how far centres r cubes on and more are at least.
func (w *search) beyond(r int) float32 {
	k := int32(r)
	d := min(w.gap(k, w.x), w.gap(-k, w.x), w.gap(k, w.y), w.gap(-k, w.y), w.gap(k, w.z), w.gap(-k, w.z))
	if w.measure == Straight {
		return d * d
	}
	return d
}

// look sees whether the centre in a cube is among the nearest, which are nearer than bound.
func (w *search) look(cx, cy, cz int32, bound float32) {
	if w.far(w.gap(cx, w.x), w.gap(cy, w.y), w.gap(cz, w.z)) >= bound {
		return
	}
	x, y, z, id := w.centreOf(cx, cy, cz)
	switch d := w.far(x, y, z); {
	case d < w.first:
		w.second, w.first, w.centre, w.id = w.first, d, [3]float32{x, y, z}, id
	case d < w.second:
		w.second = d
	}
}

// about looks at the cubes about the place for Straight, those on the side to which it is nearer
// first: the same as look does, without a call for each.
func (w *search) about(bound *float32) {
	var step [3][3]int32     // by axis: none, to the nearer side, to the other
	var gap [3][3]float32    // squared
	var origin [3][3]float32 // of the cube's centres, from the place
	for k, x := range [3]float32{w.x, w.y, w.z} {
		near := int32(1)
		if x < 0.5 {
			near = -1
		}
		step[k] = [3]int32{0, near, -near}
		for i, c := range step[k] {
			if g := float32(c) + w.low - x; g > 0 { // max of floats is dearer than branches
				gap[k][i] = g * g
			} else if g = x - float32(c) - 1 + w.low; g > 0 {
				gap[k][i] = g * g
			}
			origin[k][i] = float32(c) + w.low - x
		}
	}
	const part = 1.0 / 1024
	jitter := part * w.jitter
	half := jitter / 2
	first, second := w.first, w.second
	least := first
	two := bound == &w.second
	for i := range 3 {
		hx := uint32(w.ix+step[0][i]) * 0x8da6b343
		for j := range 3 {
			gxy := gap[0][i] + gap[1][j]
			if two {
				least = second
			} else {
				least = first
			}
			if gxy >= least {
				continue
			}
			hxy := hx ^ uint32(w.iy+step[1][j])*0xd8163841
			for k := range 3 {
				if two {
					least = second
				} else {
					least = first
				}
				if gxy+gap[2][k] >= least {
					continue
				}
				h := hxy ^ uint32(w.iz+step[2][k])*0xcb1ab31f
				h ^= h >> 16
				h *= 0x7feb352d
				h ^= h >> 15
				h *= 0x846ca68b
				h ^= h >> 16
				x := origin[0][i] + float32(h&1023)*jitter + half
				y := origin[1][j] + float32(h>>10&1023)*jitter + half
				z := origin[2][k] + float32(h>>20&1023)*jitter + half
				if d := x*x + y*y + z*z; d < first {
					second, first = first, d
					w.centre, w.id, w.cube = [3]float32{x, y, z}, h, [3]int32{step[0][i], step[1][j], step[2][k]}
				} else if d < second {
					second = d
				}
			}
		}
	}
	w.first, w.second = first, second
}

// border returns how far the nearest plane is that parts the cell from another: half-way
// between its centre a and another b, at right angles to the way from one to the other. A
// centre at d has its plane no nearer than half of what d is further than a.
func (w *search) border(first float32) float32 {
	best := float32(math.MaxFloat32)
	a := w.centre
	for r := range rings {
		if d := w.beyond(r); r > 0 && w.length(d)-first >= 2*best {
			break
		}
		for _, c := range rings[r] {
			gx, gy, gz := w.gap(c[0], w.x), w.gap(c[1], w.y), w.gap(c[2], w.z)
			if least := 2*best + first; gx*gx+gy*gy+gz*gz >= least*least {
				continue
			}
			x, y, z, id := w.centreOf(c[0], c[1], c[2])
			dx, dy, dz := x-a[0], y-a[1], z-a[2]
			d2 := dx*dx + dy*dy + dz*dz
			if id == w.id && d2 < 1e-6 { // it is the cell itself
				continue
			}
			best = min(best, ((x*x+y*y+z*z)-w.first)/(2*float32(math.Sqrt(float64(d2)))))
		}
	}
	return max(0, best)
}

// means are what cells give on average: how far the first and second centres and the border
// are, by measure and by jitter in eighths.
var means = sync.OnceValue(func() (out [3][9][3]float32) {
	const n = 3000
	for m := range out {
		for j := range out[m] {
			for k := range n {
				// Places that fill space evenly (the additive recurrence R3: Roberts 2018).
				x, y, z := 97*part(float64(k)*0.8191725133961645), 97*part(float64(k)*0.6710436067037893), 97*part(float64(k)*0.5497004779019703)
				near := Cells(x, y, z, float32(j)/8, Measure(m), Seed{}, ForSecond|ForBorder)
				for i, v := range [3]float32{near.First, near.Second, near.Border} {
					out[m][j][i] += v / n
				}
			}
		}
	}
	return out
})

func part(x float64) float32 { return float32(x - math.Floor(x)) }

// Mean returns what Cells gives on average of First, Second and Border.
func Mean(jitter float32, m Measure) (first, second, border float32) {
	t := means()[m]
	x := max(0, min(1, jitter)) * 8
	i := min(7, int(x))
	f := x - float32(i)
	at := func(k int) float32 { return t[i][k] + (t[i+1][k]-t[i][k])*f }
	return at(0), at(1), at(2)
}

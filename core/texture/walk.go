package texture

import (
	"math"
	"slices"
)

// Walk finds the cells of places one after the other that lie near each other, as those of pixels
// do. It remembers cells with the centres about them, the nearest first: of a place that lies in
// one of them a few of those say so, and how far its border is. It gives what Cells gives, and the
// same to the bit whatever it was asked before. The zero Walk is ready.
type Walk struct {
	jitter float32
	seed   Seed
	cells  [16]cell
	last   *cell
}

// cell is a centre and those about it.
type cell struct {
	id     uint32
	cube   [3]int32 // in which the centre lies, seed included
	n      int
	reach  float32 // all centres nearer than twice this to the cell's own are known
	around [48]neighbour
}

// neighbour is the way from a cell's centre to another.
type neighbour struct {
	way  [3]float32 // of length 1
	half float32    // half of how far it is: there is the plane that parts the two
}

// fine is how much of a cell a pixel covers at most for it to be worth while to look at all
// centres about a cell.
const fine = 1.0 / 16

// Cells is the function of that name; foot is how much of a cell a pixel covers.
func (k *Walk) Cells(x, y, z, jitter, foot float32, m Measure, s Seed, ask Ask) (n Near) {
	if m != Straight || !(foot <= fine) || !(x > -far && x < far && y > -far && y < far && z > -far && z < far) {
		return Cells(x, y, z, jitter, m, s, ask)
	}
	if jitter != k.jitter || s != k.seed { // another stuff: what is known is of no use
		k.jitter, k.seed, k.last = jitter, s, nil
		for i := range k.cells {
			k.cells[i].n = 0
		}
	}
	w := searchAt(x, y, z, jitter, m, s)
	if k.last != nil && k.last.read(&w, ask, &n) {
		return n
	}
	w.about(&w.first)
	cube := [3]int32{w.ix + w.cube[0], w.iy + w.cube[1], w.iz + w.cube[2]}
	k.last = &k.cells[w.id&uint32(len(k.cells)-1)]
	if k.last.id != w.id || k.last.cube != cube || k.last.n == 0 {
		k.last.find(&w, cube)
	}
	if k.last.read(&w, ask, &n) {
		return n
	}
	return Cells(x, y, z, jitter, m, s, ask)
}

// find makes c the cell that w has found, with all centres about it.
func (c *cell) find(w *search, cube [3]int32) {
	c.id, c.cube = w.id, cube
	v := *w // seen from the cube of the centre
	v.ix, v.iy, v.iz = cube[0], cube[1], cube[2]
	v.x, v.y, v.z = 0, 0, 0
	x, y, z, _ := v.centreOf(0, 0, 0)
	v.x, v.y, v.z = x, y, z
	var ways [124][3]float32
	var order [124]uint64 // by length squared, whose bits rise with it, and then the index
	n := 0
	for _, ring := range rings[1:3] { // so far away that no centre nearer than 2 is missed
		for _, at := range ring {
			x, y, z, _ := v.centreOf(at[0], at[1], at[2])
			if d := x*x + y*y + z*z; d < 4 && d > 1e-12 {
				ways[n], order[n] = [3]float32{x, y, z}, uint64(math.Float32bits(d))<<32|uint64(n)
				n++
			}
		}
	}
	slices.Sort(order[:n])
	c.n, c.reach = min(n, len(c.around)), 1
	for i, key := range order[:n] {
		d := float32(math.Sqrt(float64(math.Float32frombits(uint32(key >> 32)))))
		if i == len(c.around) {
			c.reach = d / 2
			break
		}
		w := &ways[uint8(key)]
		c.around[i] = neighbour{[3]float32{w[0] / d, w[1] / d, w[2] / d}, d / 2}
	}
}

// read finds what was asked about a place, of which w knows only where it is, and tells whether c
// could say it: whether it lies in the cell, not too far from its centre.
func (c *cell) read(w *search, ask Ask, n *Near) bool {
	r := w.from(c)
	d := r[0]*r[0] + r[1]*r[1] + r[2]*r[2]
	first := float32(math.Sqrt(float64(d)))
	border, second, square := float32(0), float32(0), float32(math.MaxFloat32)
	if ask&ForBorder != 0 {
		border = math.MaxFloat32
	}
	if ask&ForSecond != 0 {
		second = math.MaxFloat32
	}
	enough := first // how far away planes may be that still say something
	if ask != 0 {
		enough = math.MaxFloat32
	}
	known := c.reach
	for i := range c.around[:c.n] {
		o := &c.around[i]
		if o.half >= enough {
			known = enough
			break
		}
		along := r[0]*o.way[0] + r[1]*o.way[1] + r[2]*o.way[2] + o.half
		if along < 0 {
			return false
		}
		if ask&ForBorder != 0 && along < border {
			border = along
			enough = max(first+border, (first+second)/2)
		}
		if ask&ForSecond != 0 { // how far its centre is, squared: |r + 2·half·way|²
			if e := d + 4*o.half*along; e < square {
				square = e
				second = float32(math.Sqrt(float64(e)))
				enough = max(first+border, (first+second)/2)
			}
		}
	}
	if known < enough {
		return false
	}
	*n = Near{First: first, Second: second, Border: border, Centre: r, ID: c.id}
	return true
}

// from returns the way from the place to a cell's centre, to the bit as about finds it.
func (w *search) from(c *cell) [3]float32 {
	const part = 1.0 / 1024
	jitter := part * w.jitter
	half := jitter / 2
	return [3]float32{
		float32(c.cube[0]-w.ix) + w.low - w.x + float32(c.id&1023)*jitter + half,
		float32(c.cube[1]-w.iy) + w.low - w.y + float32(c.id>>10&1023)*jitter + half,
		float32(c.cube[2]-w.iz) + w.low - w.z + float32(c.id>>20&1023)*jitter + half,
	}
}

package pattern

import (
	"unsafe"

	"mobanta/core/lanes"
)

// look is where a screen is looked at and what is read of it, as eight_amd64.s has it.
type look struct {
	x, y, asked, ink *float32
	table            unsafe.Pointer // of pairs of numbers
	from             *float32       // for ranks, those of Ink
	soft             float32        // for ranks, over how many edges fade
	scale            float32        // places a cell
	mask             int32          // places along a side, less one
	next, row        int32          // how far it is to the next place and the next row, in bytes
}

// Fill says of each place what At says of it; all are rows of one length.
func (k *Ink) Fill(x, y, asked, ink []float32) {
	n := 0
	switch {
	case k.flat:
		for i, a := range asked {
			ink[i] = lanes.Part(a)
		}
		return
	case lanes.Wide && len(asked) >= 8:
		n = len(asked) &^ 7
		x, y, ink := x[:len(asked)], y[:len(asked)], ink[:len(asked)]
		l := look{x: &x[0], y: &y[0], asked: &asked[0], ink: &ink[0], soft: k.soft}
		if k.ranks == nil {
			l.table, l.scale, l.mask, l.next = unsafe.Pointer(&k.table[0]), float32(k.size), int32(k.size-1), 4*(levels+1)
			l.row = l.next * int32(k.size)
			tableAVX2(&l, n)
		} else {
			l.table, l.from, l.scale, l.mask, l.next, l.row = unsafe.Pointer(&k.ranks[0]), &k.from[0], k.scale, int32(k.side-1), 8, 8*int32(k.side)
			ranksAVX2(&l, n)
		}
	}
	for i := n; i < len(asked); i++ {
		ink[i] = k.At(x[i], y[i], asked[i])
	}
}

// At returns the share of ink, 0 to 1, in what a pixel covers at a place in cells where the share
// of ink that is asked is a.
func (k *Ink) At(u, v, a float32) float32 {
	switch {
	case !(a > 0):
		return 0
	case a >= 1:
		return 1
	case k.flat:
		return a
	case k.ranks == nil:
		return k.read(u, v, a)
	}
	z := a * (2 * levels)
	i := min(int(z), 2*levels-1)
	from := towards(k.from[i], k.from[i+1], z-float32(i))
	b := about(u*k.scale-0.5, v*k.scale-0.5, k.side)
	at := func(part int) float32 {
		t := k.ranks
		return b.between(t[b.low+b.left][part], t[b.low+b.right][part], t[b.high+b.left][part], t[b.high+b.right][part])
	}
	return fade(from-at(0), hypot(k.soft, at(1)))
}

// read looks the pattern up where cells are small.
func (k *Ink) read(u, v, a float32) float32 {
	z := level(a)
	i := min(int(z), levels-1)
	b := about(u*float32(k.size)-0.5, v*float32(k.size)-0.5, k.size)
	at := func(level int) float32 {
		t := k.table[level:]
		return b.between(t[(b.low+b.left)*(levels+1)], t[(b.low+b.right)*(levels+1)], t[(b.high+b.left)*(levels+1)], t[(b.high+b.right)*(levels+1)])
	}
	return lanes.Part(towards(at(i), at(i+1), z-float32(i)))
}

// beside is which places of a cell lie about one that is between them, and where among them it lies.
type beside struct {
	left, right, low, high int
	x, y                   float32
}

// about returns those about a place, of a cell with so many along each side.
func about(x, y float32, side int) (b beside) {
	ix, iy := floor(x), floor(y)
	b.x, b.y = x-float32(ix), y-float32(iy)
	b.left, b.right, b.low, b.high = ix&(side-1), (ix+1)&(side-1), iy&(side-1)*side, (iy+1)&(side-1)*side
	return b
}

// between returns what lies there of what is known at the four.
func (b *beside) between(lowLeft, lowRight, highLeft, highRight float32) float32 {
	return towards(towards(lowLeft, lowRight, b.x), towards(highLeft, highRight, b.x), b.y)
}

func towards(a, b, t float32) float32 { return a + float32((b-a)*t) }

// fade rises from 0 to 1 over a width about 0, smoothly.
func fade(x, wide float32) float32 {
	t := lanes.Part(x/wide + 0.5)
	return float32(t*t) * (3 - 2*t)
}

// level returns where in a table the pattern for a share of ink is: evenly by the size of dots
// that are small, and of holes that are.
func level(a float32) float32 {
	if a < 0.5 {
		return levels * sqrt(a/2)
	}
	return levels * (1 - sqrt((1-a)/2))
}

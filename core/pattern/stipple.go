package pattern

import (
	"math"
	"math/rand/v2"
	"sync"
)

const (
	// StippleCells is how many dots lie side by side in a stipple before it comes again, at most.
	StippleCells = 20
	stippleSide  = 512 // places along each side that are known
	StippleSizes = 40  // sizes of dots that have screens of their own, up to 2 spacings; those between are of two
)

// scattered are places in a square that goes on at its other side, each the farthest
// from those before it of many by chance: the first few of them, however many, are spread evenly
// and keep a distance (Mitchell 1991, "Spectrally optimal sampling for distribution ray tracing").
var scattered = sync.OnceValue(func() (out [][2]float64) {
	const n = 256 // places that are looked at, along each side
	near := make([]float64, n*n)
	r := rand.New(rand.NewPCG(20, 11))
	for i := range near {
		near[i] = math.Inf(1)
	}
	for len(out) < StippleCells*StippleCells {
		at, best := 0, -1.0
		// Of a few by chance the farthest, of all the farthest only where there are many: else all
		// would follow from the first, and stand in rows.
		for range 20 + 2*len(out) {
			if i := r.IntN(n * n); near[i] > best {
				best, at = near[i], i
			}
		}
		x, y := (float64(at%n)+r.Float64())/n, (float64(at/n)+r.Float64())/n
		out = append(out, [2]float64{x, y})
		for i := range near {
			near[i] = min(near[i], torus((float64(i%n)+0.5)/n-x, (float64(i/n)+0.5)/n-y))
		}
	}
	return out
})

// torus returns how far two places are apart, squared, in a square that goes on at its other side.
func torus(dx, dy float64) float64 {
	dx -= math.Round(dx)
	dy -= math.Round(dy)
	return dx*dx + dy*dy
}

var stipples [StippleSizes + 1]struct {
	once   sync.Once
	screen *Screen
}

// leastSize is the smallest of StippleSizes.
const leastSize = 4

// StippleSize returns which of StippleSizes a dot is, or the next smaller one, that is so large across, in spacings, and how
// far it is on to the next: as much of the ink of that screen as t says, and of this one the rest, is as much ink as is asked,
// with dots that large.
func StippleSize(across float32) (size int, t float32) {
	at := across / 2 * StippleSizes
	if !(at > leastSize) {
		return leastSize, 0
	}
	if at >= StippleSizes {
		return StippleSizes, 0
	}
	size = int(at)
	if t = at - float32(size); t < 1e-3 || t > 1-1e-3 { // what is one of them but for rounding
		return int(at + 0.5), 0
	}
	return size, t
}

// Stipple returns the screen whose ink comes as dots of a size, one after the other, each as far from
// those before it as can be. Between them the rest fills last. A cell is one spacing of all dots.
func Stipple(size int) *Screen {
	s := &stipples[size]
	s.once.Do(func() { s.screen = stippled(float64(size) * 2 / StippleSizes) })
	return s.screen
}

func stippled(size float64) *Screen {
	const n = stippleSide
	radius := size / 2 / StippleCells
	key, second := make([]float64, n*n), make([]float64, n*n)
	for i := range key {
		key[i], second[i] = math.Inf(1), math.Inf(1)
	}
	dots := scattered()
	// A dot grows while the next few come, so that ink comes evenly.
	grow := 8.0 / float64(len(dots))
	reach := int(math.Ceil(3 * n / StippleCells))
	nearly := radius * radius * (1 + 1e-9)                                 // beyond it no rounding makes a distance less than the radius
	across, down := make([]float64, 2*reach+1), make([]float64, 2*reach+1) // how far places are from a dot, squared
	for k, dot := range dots {
		order := float64(k) / float64(len(dots))
		cx, cy := int(dot[0]*n), int(dot[1]*n)
		for d := range across {
			across[d] = torus((float64(cx+d-reach)+0.5)/n-dot[0], 0)
			down[d] = torus(0, (float64(cy+d-reach)+0.5)/n-dot[1])
		}
		for dy, y2 := range down {
			row := (cy + dy - reach) & (n - 1) * n
			for dx, x2 := range across {
				i, far := row+(cx+dx-reach)&(n-1), x2+y2
				if far < nearly {
					if d := math.Sqrt(far); d < radius {
						key[i] = min(key[i], order+grow*d*d/radius/radius)
					}
				}
				if far < second[i] {
					second[i] = far
				}
			}
		}
	}
	for i, v := range second {
		second[i] = math.Sqrt(v)
	}
	for i, v := range key {
		if math.IsInf(v, 1) { // where no dot comes: the nearer the sooner
			key[i] = 3 + second[i]
		}
	}
	return ranked(n, StippleCells, key, second)
}

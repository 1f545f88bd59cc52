package texture

import (
	"math"

	"mobanta/core/lanes"
)

// Eight is eight places, in cells, each with the seed of its stretch, and what a fractal is to be
// like there. They are looked at together, since a processor does that in little more time than one.
type Eight struct {
	x, y, z    [8]float32
	sx, sy, sz [8]int32
	cos, sin   [8]float32 // of the angle by which directions have turned
	turned     bool       // whether any has

	Gain  [8]float32 // how much each octave counts against the one before
	Finer [8]float32 // how many times finer each is (the lacunarity)
	Foot  [8]float32 // how much of a cell a pixel covers
}

// Put sets one of the places.
func (e *Eight) Put(k int, x, y, z float32, s Seed) {
	e.x[k], e.y[k], e.z[k] = x, y, z
	e.sx[k], e.sy[k], e.sz[k] = s.x, s.y, s.z
}

// Next goes on to the next seed for all.
func (e *Eight) Next() {
	for k := range e.sx {
		s := Seed{e.sx[k], e.sy[k], e.sz[k]}.Next()
		e.sx[k], e.sy[k], e.sz[k] = s.x, s.y, s.z
	}
}

// Turn says by how many whole turns directions have turned at one of the places, for Fractal.
func (e *Eight) Turn(k int, turns float32) {
	sin, cos := math.Sincos(2 * math.Pi * (float64(turns) - math.Floor(float64(turns))))
	e.cos[k], e.sin[k] = float32(cos), float32(sin)
	e.turned = e.turned || sin != 0 || cos != 1
}

// Noise gives what Noise gives at each of the places, to the bit.
func (e *Eight) Noise(out *[8]float32) {
	if lanes.Wide {
		eightAVX2(e, out)
		return
	}
	for k := range out {
		out[k] = Noise(e.x[k], e.y[k], e.z[k], Seed{e.sx[k], e.sy[k], e.sz[k]})
	}
}

// octave gives the noise at each of the places, turned where that was said.
func (e *Eight) octave(out *[8]float32) {
	if !e.turned {
		e.Noise(out)
		return
	}
	for k := range out {
		out[k] = Turned(e.x[k], e.y[k], e.z[k], Seed{e.sx[k], e.sy[k], e.sz[k]}, e.cos[k], e.sin[k])
	}
}

// turn makes the places finer and turns them as turn does.
func (e *Eight) turn() {
	if lanes.Wide {
		turnAVX2(e, &e.Finer)
		return
	}
	for k, by := range e.Finer {
		e.x[k], e.y[k], e.z[k] = turn(e.x[k]*by, e.y[k]*by, e.z[k]*by)
	}
}

// Fractal gives the fractal at each of the places: from 0 to 1, its mean ½. Octaves that a pixel
// cannot show fade to their mean. The places and footprints are lost.
func (e *Eight) Fractal(f Fractal, out *[8]float32) {
	var sum, square, all, amount, n, seen [8]float32
	for k := range amount {
		amount[k], seen[k] = 1, 1
	}
	for octave := 0; ; octave++ {
		any := true
		if widest(&e.Foot) > 0.25 {
			any = false
			for k, v := range e.Foot {
				seen[k] = Seen(v)
				any = any || seen[k] > 0
			}
		}
		if any {
			e.octave(&n)
		}
		for k, a := range amount {
			if seen[k] > 0 {
				sum[k] += float32((f.Shape.of(n[k]) - 0.5) * a * seen[k])
			}
			square[k] += float32(a * a)
			all[k] += a
		}
		if octave+1 >= f.Octaves {
			break
		}
		for k, by := range e.Finer {
			amount[k] *= e.Gain[k]
			e.Foot[k] *= by
		}
		e.turn()
	}
	for k := range out {
		out[k] = f.settle(sum[k], square[k], all[k])
	}
}

// widest returns the largest of eight.
func widest(of *[8]float32) float32 {
	most := of[0]
	for _, v := range of {
		if v > most {
			most = v
		}
	}
	return most
}

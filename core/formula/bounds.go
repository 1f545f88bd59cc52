package formula

import "math"

// Folds tells whether the expression may vary between two places that it agrees at,
// as a fraction or a comparison does and a sum does not.
func (p *Program) Folds() bool {
	for _, s := range p.steps {
		switch s.code {
		case opInput, opConst, opAdd, opSub, opNeg, opMul, opMin, opMax, opMix, opSqrt, opExp, opExp2, opLog, opLog2, opDiv, opPow, opAsin, opAcos, opAtan, opSinh, opTanh, opAsinh, opAcosh, opAtanh, opInverseSqrt:
		default:
			return true
		}
	}
	return false
}

// Bounds computes, for inputs that lie anywhere from lo to hi, between which values
// the components of the result lie (interval arithmetic: Moore 1966). The planes are
// as in Run. What cannot be said is from -infinity to infinity. The bounds may be too
// wide, as where an input occurs twice, and are never too narrow but for rounding.
func (p *Program) Bounds(lo, hi [][]float32, outLo, outHi [][]float32) {
	if len(outLo) == 0 {
		return
	}
	total := len(outLo[0])
	room := make([]span, len(p.steps))
	for i := range room {
		room[i] = span{make([]float32, batch), make([]float32, batch)}
	}
	var scratch corners
	for from := 0; from < total; from += batch {
		n := min(batch, total-from)
		at := func(i int32) span { return span{room[i].lo[:n], room[i].hi[:n]} }
		for i, s := range p.steps {
			out := at(int32(i))
			switch s.code {
			case opInput:
				copy(out.lo, lo[s.a][from:from+n])
				copy(out.hi, hi[s.a][from:from+n])
			case opConst:
				for k := range n {
					out.lo[k], out.hi[k] = math.Float32frombits(s.k), math.Float32frombits(s.k)
				}
			default:
				s.bound(out, [3]span{at(s.a), at(s.b), at(s.c)}, &scratch)
			}
		}
		for k, o := range p.out {
			copy(outLo[k][from:from+n], room[o].lo[:n])
			copy(outHi[k][from:from+n], room[o].hi[:n])
		}
	}
}

// span is a lower and an upper bound for each place of a batch.
type span struct{ lo, hi []float32 }

// corners is scratch for what a step gives at the ends of its operands.
type corners struct{ out [batch]float32 }

// operands tells how many operands a step has.
func (c code) operands() int {
	switch {
	case c == opMix, c == opSmoothstep, c == opSelect:
		return 3
	case binary[c] != nil, c == opAdd, c == opSub, c == opMul, c == opDiv, c == opMin, c == opMax:
		return 2
	}
	return 1
}

// whole tells whether a step works on the bits of whole numbers, or makes them.
func (c code) whole() bool { return c >= opIntAdd }

var infinity = float32(math.Inf(1))

// bound computes a step. Most rise or fall all the way in each operand, so that their
// extremes lie where the operands have theirs; the others are looked at one by one.
func (s step) bound(out span, in [3]span, room *corners) {
	n := len(out.lo)
	count := s.code.operands()
	varies := [3]bool{}
	for k := range count {
		for i := range n {
			if math.Float32bits(in[k].lo[i]) != math.Float32bits(in[k].hi[i]) {
				varies[k] = true
				break
			}
		}
	}
	s.run(out.lo, in[0].lo, in[1].lo, in[2].lo)
	copy(out.hi, out.lo)
	if !varies[0] && !varies[1] && !varies[2] {
		return
	}
	if !s.code.whole() {
		for c := 1; c < 1<<count; c++ {
			var at [3][]float32
			skip := false
			for k := range 3 {
				at[k] = in[k].lo
				if c>>k&1 == 1 {
					at[k], skip = in[k].hi, skip || !varies[k]
				}
			}
			if skip {
				continue
			}
			got := room.out[:n]
			s.run(got, at[0], at[1], at[2])
			for i, v := range got {
				out.lo[i], out.hi[i] = min(out.lo[i], v), max(out.hi[i], v)
			}
		}
	}
	for i := range n {
		a := interval{in[0].lo[i], in[0].hi[i]}
		var b, c interval
		if count > 1 {
			b = interval{in[1].lo[i], in[1].hi[i]}
		}
		if count > 2 {
			c = interval{in[2].lo[i], in[2].hi[i]}
		}
		if a.point() && (count < 2 || b.point()) && (count < 3 || c.point()) {
			continue
		}
		o := interval{out.lo[i], out.hi[i]}
		if s.odd(&o, a, b, c) {
			out.lo[i], out.hi[i] = o.lo, o.hi
		} else if o.lo-o.lo != 0 || o.hi-o.hi != 0 {
			out.lo[i], out.hi[i] = -infinity, infinity
		}
	}
}

type interval struct{ lo, hi float32 }

func (a interval) point() bool { return math.Float32bits(a.lo) == math.Float32bits(a.hi) }

// holds tells whether v lies within.
func (a interval) holds(v float32) bool { return a.lo <= v && v <= a.hi }

// passes tells whether one of the numbers from + k·every lies within.
func (a interval) passes(from, every float64) bool {
	return math.Floor((float64(a.hi)-from)/every) > math.Ceil((float64(a.lo)-from)/every)-1
}

// odd corrects o, the extremes at the ends of the operands, for steps whose extremes
// may lie elsewhere; false for all other steps.
func (s step) odd(o *interval, a, b, c interval) bool {
	all := interval{-infinity, infinity}
	either := interval{0, 1}
	switch s.code {
	case opAbs, opCosh:
		if a.holds(0) {
			o.lo = 0
			if s.code == opCosh {
				o.lo = 1
			}
		}
	case opFract:
		if math.Floor(float64(a.lo)) != math.Floor(float64(a.hi)) {
			*o = either
		}
	case opSin, opCos:
		shift := 0.0
		if s.code == opCos {
			shift = math.Pi / 2
		}
		if a.passes(math.Pi/2-shift, 2*math.Pi) {
			o.hi = 1
		}
		if a.passes(-math.Pi/2-shift, 2*math.Pi) {
			o.lo = -1
		}
	case opTan:
		if a.passes(math.Pi/2, math.Pi) {
			*o = all
		}
	case opDiv:
		if b.holds(0) {
			*o = all
		}
	case opMod:
		switch {
		case !b.point():
			*o = all
		case b.lo != 0 && math.Floor(float64(a.lo/b.lo)) != math.Floor(float64(a.hi/b.lo)):
			*o = interval{min(0, b.lo), max(0, b.lo)}
		}
	case opInverseSqrt, opLog, opLog2: // 0 for what they are not known of
		if a.lo <= 0 && a.hi > 0 {
			*o = all
		}
	case opPow:
		if a.lo < 0 || a.holds(0) && b.lo < 0 {
			*o = all
		}
	case opAtan2:
		switch {
		case a.holds(0) && b.holds(0), a.holds(0) && b.lo < 0:
			*o = interval{-math.Pi, math.Pi}
		}
	case opSmoothstep:
		if !a.point() || !b.point() {
			*o = either
		}
	case opSelect:
		switch {
		case c.lo != 0 && c.point():
			*o = a
		case c.point():
			*o = b
		default:
			*o = interval{min(a.lo, b.lo), max(a.hi, b.hi)}
		}
		return true
	case opLess:
		*o = sure(a.hi < b.lo, a.lo >= b.hi)
	case opLessEqual:
		*o = sure(a.hi <= b.lo, a.lo > b.hi)
	case opEqual:
		*o = sure(false, a.hi < b.lo || b.hi < a.lo)
	case opNotEqual:
		*o = sure(a.hi < b.lo || b.hi < a.lo, false)
	case opXor, opIsNaN, opIsInf:
		*o = either
	case opIntToFloat, opUintToFloat:
		*o = all
	case opFloatToInt, opFloatToUint:
		if f := (interval{o.lo, s.end(a.hi)}); !f.point() {
			*o = unlike
		}
	case opIntLess, opIntLessEqual, opUintLess, opUintLessEqual, opBitsEqual, opBitsNotEqual:
		*o = either
	default:
		if s.code.whole() {
			*o = unlike
			return true
		}
		return false
	}
	return true
}

// unlike are the bounds of a whole number that is not known: two that differ.
var unlike = interval{whole(0), whole(1)}

// end computes a step of one operand on a single number.
func (s step) end(x float32) float32 { return one(s, x, 0, 0) }

// sure returns the bounds of a truth.
func sure(yes, no bool) interval {
	switch {
	case yes:
		return interval{1, 1}
	case no:
		return interval{0, 0}
	}
	return interval{0, 1}
}

package formula

import (
	"cmp"
	"math"
	"sync"
)

// code is what one step does, component by component.
type code byte

const (
	opInput code = iota // a: number of the plane
	opConst             // k
	opAdd
	opSub
	opMul
	opDiv
	opNeg
	opMin
	opMax
	opMod
	opPow
	opStep
	opAtan2
	opMix        // a + (b - a)·c
	opSmoothstep // a, b the edges, c the value
	opSelect     // c ? a : b
	opLess
	opLessEqual
	opEqual
	opNotEqual
	opAnd
	opOr
	opXor
	opNot
	opAbs
	opSign
	opFloor
	opCeil
	opTrunc
	opRound
	opRoundEven
	opFract
	opSqrt
	opInverseSqrt
	opExp
	opExp2
	opLog
	opLog2
	opSin
	opCos
	opTan
	opAsin
	opAcos
	opAtan
	opSinh
	opCosh
	opTanh
	opAsinh
	opAcosh
	opAtanh
	opIsNaN
	opIsInf

	// On whole numbers, 32 bits that wrap. A plane holds their bits.
	opIntAdd
	opIntSub
	opIntMul
	opIntNeg
	opIntDiv
	opIntMod
	opIntMin
	opIntMax
	opIntAbs
	opIntSign
	opIntLess
	opIntLessEqual
	opUintDiv
	opUintMod
	opUintMin
	opUintMax
	opUintLess
	opUintLessEqual
	opBitsEqual
	opBitsNotEqual
	opBitAnd
	opBitOr
	opBitXor
	opBitNot
	opShiftLeft
	opShiftRight
	opUintShiftRight
	opIntToFloat
	opUintToFloat
	opFloatToInt
	opFloatToUint
)

// step computes one plane from up to three others.
type step struct {
	code    code
	a, b, c int32
	k       uint32 // the bits of a constant
}

// Program is an expression made ready to run. It never changes.
type Program struct {
	Type  Type
	steps []step  // in order; operands are numbers of earlier steps
	out   []int32 // the steps that are the components of the result
	slot  []int32 // step → plane of the scratch
	slots int
	pool  sync.Pool
}

// unary holds the steps of one operand that have no loop of their own.
var unary = map[code]func(x float32) float32{
	opSign: func(x float32) float32 {
		switch {
		case x > 0:
			return 1
		case x < 0:
			return -1
		}
		return 0
	},
	opCeil:      func(x float32) float32 { return float32(math.Ceil(float64(x))) },
	opTrunc:     func(x float32) float32 { return float32(math.Trunc(float64(x))) },
	opRound:     func(x float32) float32 { return float32(math.Floor(float64(x) + 0.5)) },
	opRoundEven: func(x float32) float32 { return float32(math.RoundToEven(float64(x))) },
	opInverseSqrt: func(x float32) float32 {
		if !(x > 0) {
			return 0
		}
		return float32(1 / math.Sqrt(float64(x)))
	},
	opExp:   wide(math.Exp),
	opExp2:  wide(math.Exp2),
	opLog:   func(x float32) float32 { return logOf(x, math.Log) },
	opLog2:  func(x float32) float32 { return logOf(x, math.Log2) },
	opSin:   wide(math.Sin),
	opCos:   wide(math.Cos),
	opTan:   wide(math.Tan),
	opAsin:  func(x float32) float32 { return float32(math.Asin(float64(max(-1, min(1, x))))) },
	opAcos:  func(x float32) float32 { return float32(math.Acos(float64(max(-1, min(1, x))))) },
	opAtan:  wide(math.Atan),
	opSinh:  wide(math.Sinh),
	opCosh:  wide(math.Cosh),
	opTanh:  wide(math.Tanh),
	opAsinh: wide(math.Asinh),
	opAcosh: func(x float32) float32 { return float32(math.Acosh(float64(max(1, x)))) },
	opAtanh: func(x float32) float32 { return float32(math.Atanh(float64(max(-0.9999999, min(0.9999999, x))))) },
	opNot:   func(x float32) float32 { return 1 - x },
	opIsNaN: func(x float32) float32 { return truth(x != x) },
	opIsInf: func(x float32) float32 { return truth(math.IsInf(float64(x), 0)) },

	opIntNeg:      func(x float32) float32 { return whole(-number(x)) },
	opIntAbs:      func(x float32) float32 { return whole(max(number(x), -number(x))) },
	opIntSign:     func(x float32) float32 { return whole(int32(cmp.Compare(number(x), 0))) },
	opBitNot:      func(x float32) float32 { return whole(^number(x)) },
	opIntToFloat:  func(x float32) float32 { return float32(number(x)) },
	opUintToFloat: func(x float32) float32 { return float32(math.Float32bits(x)) },
	opFloatToInt:  func(x float32) float32 { return whole(int32(max(math.MinInt32, min(math.MaxInt32, defined(x))))) },
	opFloatToUint: func(x float32) float32 {
		return math.Float32frombits(uint32(int64(max(math.MinInt32, min(math.MaxUint32, defined(x))))))
	},
}

// number returns the whole number whose bits a plane holds as x, and whole is its
// inverse.
func number(x float32) int32 { return int32(math.Float32bits(x)) }
func whole(n int32) float32  { return math.Float32frombits(uint32(n)) }

// defined returns x without its fraction, 0 for what is no number.
func defined(x float32) float64 {
	if x != x {
		return 0
	}
	return math.Trunc(float64(x))
}

func signed(f func(x, y int32) int32) func(x, y float32) float32 {
	return func(x, y float32) float32 { return whole(f(number(x), number(y))) }
}

func unsigned(f func(x, y uint32) uint32) func(x, y float32) float32 {
	return func(x, y float32) float32 {
		return math.Float32frombits(f(math.Float32bits(x), math.Float32bits(y)))
	}
}

// binary holds the steps of two operands that have no loop of their own.
var binary = map[code]func(x, y float32) float32{
	opMod: func(x, y float32) float32 {
		if y == 0 {
			return 0
		}
		return x - y*float32(math.Floor(float64(x/y)))
	},
	opPow: func(x, y float32) float32 {
		if x == 0 && y < 0 { // as a division by 0
			return 0
		}
		return float32(math.Pow(float64(x), float64(y)))
	},
	opStep:      func(x, y float32) float32 { return truth(y >= x) },
	opAtan2:     func(x, y float32) float32 { return float32(math.Atan2(float64(x), float64(y))) },
	opLess:      func(x, y float32) float32 { return truth(x < y) },
	opLessEqual: func(x, y float32) float32 { return truth(x <= y) },
	opEqual:     func(x, y float32) float32 { return truth(x == y) },
	opNotEqual:  func(x, y float32) float32 { return truth(x != y) },
	opAnd:       func(x, y float32) float32 { return x * y },
	opOr:        func(x, y float32) float32 { return max(x, y) },
	opXor:       func(x, y float32) float32 { return truth(x != y) },

	opIntAdd: signed(func(x, y int32) int32 { return x + y }),
	opIntSub: signed(func(x, y int32) int32 { return x - y }),
	opIntMul: signed(func(x, y int32) int32 { return x * y }),
	opIntDiv: signed(func(x, y int32) int32 {
		if y == 0 {
			return 0
		}
		return x / y
	}),
	opIntMod: signed(func(x, y int32) int32 {
		if y == 0 {
			return 0
		}
		return x % y
	}),
	opIntMin: signed(func(x, y int32) int32 { return min(x, y) }),
	opIntMax: signed(func(x, y int32) int32 { return max(x, y) }),
	opUintDiv: unsigned(func(x, y uint32) uint32 {
		if y == 0 {
			return 0
		}
		return x / y
	}),
	opUintMod: unsigned(func(x, y uint32) uint32 {
		if y == 0 {
			return 0
		}
		return x % y
	}),
	opUintMin:        unsigned(func(x, y uint32) uint32 { return min(x, y) }),
	opUintMax:        unsigned(func(x, y uint32) uint32 { return max(x, y) }),
	opBitAnd:         unsigned(func(x, y uint32) uint32 { return x & y }),
	opBitOr:          unsigned(func(x, y uint32) uint32 { return x | y }),
	opBitXor:         unsigned(func(x, y uint32) uint32 { return x ^ y }),
	opShiftLeft:      unsigned(func(x, y uint32) uint32 { return x << (y & 31) }),
	opShiftRight:     signed(func(x, y int32) int32 { return x >> (y & 31) }),
	opUintShiftRight: unsigned(func(x, y uint32) uint32 { return x >> (y & 31) }),
	opIntLess:        func(x, y float32) float32 { return truth(number(x) < number(y)) },
	opIntLessEqual:   func(x, y float32) float32 { return truth(number(x) <= number(y)) },
	opUintLess:       func(x, y float32) float32 { return truth(math.Float32bits(x) < math.Float32bits(y)) },
	opUintLessEqual:  func(x, y float32) float32 { return truth(math.Float32bits(x) <= math.Float32bits(y)) },
	opBitsEqual:      func(x, y float32) float32 { return truth(number(x) == number(y)) },
	opBitsNotEqual:   func(x, y float32) float32 { return truth(number(x) != number(y)) },
}

func wide(f func(float64) float64) func(float32) float32 {
	return func(x float32) float32 { return float32(f(float64(x))) }
}

func logOf(x float32, f func(float64) float64) float32 {
	if !(x > 0) {
		return 0
	}
	return float32(f(float64(x)))
}

func truth(b bool) float32 {
	if b {
		return 1
	}
	return 0
}

// one computes a step on single numbers, for folding constants.
func one(s step, a, b, c float32) float32 {
	p := [4][]float32{{a}, {b}, {c}, {0}}
	s.run(p[3], p[0], p[1], p[2])
	return p[3][0]
}

// run computes a step over planes of equal length.
func (s step) run(out, a, b, c []float32) {
	n := len(out)
	switch s.code {
	case opAdd:
		a, b = a[:n], b[:n]
		for i := range out {
			out[i] = a[i] + b[i]
		}
	case opSub:
		a, b = a[:n], b[:n]
		for i := range out {
			out[i] = a[i] - b[i]
		}
	case opMul:
		a, b = a[:n], b[:n]
		for i := range out {
			out[i] = a[i] * b[i]
		}
	case opDiv:
		a, b = a[:n], b[:n]
		for i := range out {
			if d := b[i]; d != 0 {
				out[i] = a[i] / d
			} else {
				out[i] = 0
			}
		}
	case opNeg:
		a = a[:n]
		for i := range out {
			out[i] = -a[i]
		}
	default:
		s.runOther(out, a, b, c)
	}
}

// runOther is run for what is not arithmetic.
func (s step) runOther(out, a, b, c []float32) {
	n := len(out)
	switch s.code {
	case opMin:
		a, b = a[:n], b[:n]
		for i := range out {
			out[i] = min(a[i], b[i])
		}
	case opMax:
		a, b = a[:n], b[:n]
		for i := range out {
			out[i] = max(a[i], b[i])
		}
	case opMix:
		a, b, c = a[:n], b[:n], c[:n]
		for i := range out {
			out[i] = a[i] + (b[i]-a[i])*c[i]
		}
	case opSmoothstep:
		a, b, c = a[:n], b[:n], c[:n]
		for i := range out {
			lo, hi := a[i], b[i]
			if lo == hi {
				out[i] = truth(c[i] >= lo)
				continue
			}
			t := max(0, min(1, (c[i]-lo)/(hi-lo)))
			out[i] = t * t * (3 - 2*t)
		}
	case opSelect:
		a, b, c = a[:n], b[:n], c[:n]
		for i := range out {
			if c[i] != 0 {
				out[i] = a[i]
			} else {
				out[i] = b[i]
			}
		}
	case opAbs:
		a = a[:n]
		for i := range out {
			out[i] = math.Float32frombits(math.Float32bits(a[i]) &^ (1 << 31))
		}
	case opFloor:
		a = a[:n]
		for i := range out {
			out[i] = float32(math.Floor(float64(a[i])))
		}
	case opFract:
		a = a[:n]
		for i := range out {
			out[i] = a[i] - float32(math.Floor(float64(a[i])))
		}
	case opSqrt:
		a = a[:n]
		for i := range out {
			out[i] = float32(math.Sqrt(float64(max(0, a[i]))))
		}
	default:
		if f := unary[s.code]; f != nil {
			a = a[:n]
			for i := range out {
				out[i] = f(a[i])
			}
			return
		}
		f := binary[s.code]
		a, b = a[:n], b[:n]
		for i := range out {
			out[i] = f(a[i], b[i])
		}
	}
}

const batch = 512

// allot gives every step a plane of the scratch; planes are used again once the
// last step that reads them is past. Constants keep theirs.
func (p *Program) allot() {
	last := make([]int, len(p.steps))
	for i, s := range p.steps {
		last[i] = i
		if s.code > opConst {
			for _, o := range [3]int32{s.a, s.b, s.c} {
				last[o] = i
			}
		}
	}
	for _, o := range p.out {
		last[o] = len(p.steps)
	}
	p.slot = make([]int32, len(p.steps))
	var free []int32
	take := func() int32 {
		if n := len(free); n > 0 {
			s := free[n-1]
			free = free[:n-1]
			return s
		}
		p.slots++
		return int32(p.slots - 1)
	}
	for i, s := range p.steps {
		switch s.code {
		case opInput:
			p.slot[i] = -1
			continue
		case opConst:
			p.slots++
			p.slot[i] = int32(p.slots - 1)
			continue
		}
		p.slot[i] = take()
		ops := [3]int32{s.a, s.b, s.c}
		for k, o := range ops {
			if last[o] == i && p.steps[o].code > opConst && (k == 0 || o != ops[0]) && (k < 2 || o != ops[1]) {
				free = append(free, p.slot[o])
			}
		}
	}
	p.pool.New = func() any {
		planes := make([][]float32, p.slots)
		all := make([]float32, p.slots*batch)
		for i := range planes {
			planes[i] = all[i*batch : (i+1)*batch]
		}
		for i, s := range p.steps {
			if s.code == opConst {
				for k := range planes[p.slot[i]] {
					planes[p.slot[i]][k] = math.Float32frombits(s.k)
				}
			}
		}
		return &planes
	}
}

// Run writes the result's components into out, one plane each, for the planes of
// the inputs: three for a vector, one for a number, in their order. All planes
// have the length of out[0]. Results that are no number are 0, infinite ones the
// largest number. It is safe for use by several goroutines.
func (p *Program) Run(in, out [][]float32) {
	pooled := p.pool.Get().(*[][]float32)
	defer p.pool.Put(pooled)
	scratch := *pooled
	total := len(out[0])
	for lo := 0; lo < total; lo += batch {
		n := min(batch, total-lo)
		plane := func(i int32) []float32 {
			if s := &p.steps[i]; s.code == opInput {
				return in[s.a][lo : lo+n]
			}
			return scratch[p.slot[i]][:n]
		}
		for i, s := range p.steps {
			if s.code > opConst {
				s.run(scratch[p.slot[i]][:n], plane(s.a), plane(s.b), plane(s.c))
			}
		}
		for k, o := range p.out {
			to := out[k][lo : lo+n]
			for i, v := range plane(o)[:n] {
				if v-v != 0 {
					if v != v {
						v = 0
					}
					v = max(-math.MaxFloat32, min(math.MaxFloat32, v))
				}
				to[i] = v
			}
		}
	}
}

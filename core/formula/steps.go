package formula

import "math"

// Step is one step of a program, as others may write it: what it does to earlier steps.
type Step struct {
	Op    string  // "input", "constant", "add"; see Steps
	Of    []int   // earlier steps
	Value float32 // of a constant
	Input int     // of an input: which component, counted over all inputs in their order, three for each vector
}

// stepNames are what steps on floats are called. What works on whole numbers and their bits has no name.
var stepNames = map[code]string{
	opInput: "input", opConst: "constant", opAdd: "add", opSub: "subtract", opMul: "multiply", opDiv: "divide", opNeg: "negate", opMin: "min", opMax: "max", opMod: "modulo", opPow: "power", opStep: "step", opAtan2: "atan2",
	opMix: "mix", opSmoothstep: "smoothstep", opSelect: "select", opLess: "less", opLessEqual: "atmost", opEqual: "equal", opNotEqual: "unequal", opAnd: "and", opOr: "or", opXor: "unequal", opNot: "not",
	opAbs: "abs", opSign: "sign", opFloor: "floor", opCeil: "ceil", opTrunc: "truncate", opRound: "round", opRoundEven: "round", opFract: "fract", opSqrt: "sqrt", opInverseSqrt: "inversesqrt", opExp: "exp", opExp2: "exp2", opLog: "log", opLog2: "log2",
	opSin: "sin", opCos: "cos", opTan: "tan", opAsin: "asin", opAcos: "acos", opAtan: "atan", opSinh: "sinh", opCosh: "cosh", opTanh: "tanh",
}

// Steps returns the steps of a program in their order, and those that are the components of its result; false if it has some
// that are not on floats, or test what no number of a picture is. Truths are 0 and 1. mix(a, b, t) is a + (b - a)·t, step and
// smoothstep have their edges first, select(a, b, c) is a where c is true.
func (p *Program) Steps() (steps []Step, out []int, ok bool) {
	for _, s := range p.steps {
		name := stepNames[s.code]
		if name == "" {
			return nil, nil, false
		}
		e := Step{Op: name}
		switch s.code {
		case opInput:
			e.Input = int(s.a)
		case opConst:
			e.Value = math.Float32frombits(s.k)
		default:
			e.Of = []int{int(s.a), int(s.b), int(s.c)}[:s.code.operands()]
		}
		steps = append(steps, e)
	}
	for _, o := range p.out {
		out = append(out, int(o))
	}
	return steps, out, true
}

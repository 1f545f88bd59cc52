package formula

import (
	"math"
	"sort"
)

// function is one of the built-in functions of the language.
type function struct {
	least, most int
	signature   string
	call        func(p *parser, at int, name string, args []value) (value, error)
}

// Function tells of a built-in function, for completion.
type Function struct{ Name, Signature string }

// Functions lists the built-in functions by name, constructors included.
func Functions() []Function {
	var out []Function
	for name, f := range functions {
		out = append(out, Function{name, f.signature})
	}
	for _, t := range []string{"vec2", "vec3", "vec4", "float", "int", "uint"} {
		out = append(out, Function{t, t + "(numbers…)"})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

var functions map[string]function

func init() {
	functions = map[string]function{
		"radians":     scaled(math.Pi / 180),
		"degrees":     scaled(180 / math.Pi),
		"sin":         each1(opSin),
		"cos":         each1(opCos),
		"tan":         each1(opTan),
		"asin":        each1(opAsin),
		"acos":        each1(opAcos),
		"sinh":        each1(opSinh),
		"cosh":        each1(opCosh),
		"tanh":        each1(opTanh),
		"asinh":       each1(opAsinh),
		"acosh":       each1(opAcosh),
		"atanh":       each1(opAtanh),
		"exp":         each1(opExp),
		"exp2":        each1(opExp2),
		"log":         each1(opLog),
		"log2":        each1(opLog2),
		"sqrt":        each1(opSqrt),
		"inversesqrt": each1(opInverseSqrt),
		"floor":       each1(opFloor),
		"ceil":        each1(opCeil),
		"trunc":       each1(opTrunc),
		"round":       each1(opRound),
		"roundEven":   each1(opRoundEven),
		"fract":       each1(opFract),
		"abs":         kept1(opAbs),
		"sign":        kept1(opSign),

		"floatBitsToInt":  bits(Float, Int),
		"floatBitsToUint": bits(Float, Uint),
		"intBitsToFloat":  bits(Int, Float),
		"uintBitsToFloat": bits(Uint, Float),
		"isnan":           test1(opIsNaN),
		"isinf":           test1(opIsInf),
		"pow":             each2("pow(x, y)", opPow, false),
		"mod":             each2("mod(x, y)", opMod, true),
		"min":             each2("min(x, y)", opMin, true),
		"max":             each2("max(x, y)", opMax, true),
		"step":            {2, 2, "step(edge, x)", stepped},
		"atan":            {1, 2, "atan(y, x) or atan(slope)", atan},
		"clamp":           {3, 3, "clamp(x, low, high)", clamp},
		"mix":             {3, 3, "mix(a, b, share)", mix},
		"smoothstep":      {3, 3, "smoothstep(low, high, x)", smoothstep},
		"length":          {1, 1, "length(v)", geometric(func(p *parser, a []value) value { return p.length(a[0]) })},
		"distance":        {2, 2, "distance(a, b)", geometric(func(p *parser, a []value) value { return p.length(p.each(opSub, a[0].t, a[0], a[1])) })},
		"dot":             {2, 2, "dot(a, b)", geometric(func(p *parser, a []value) value { return p.dot(a[0], a[1]) })},
		"cross":           {2, 2, "cross(a, b)", cross},
		"normalize": {1, 1, "normalize(v)", geometric(func(p *parser, a []value) value {
			return p.each(opDiv, a[0].t, a[0], p.length(a[0]))
		})},
		"faceforward": {3, 3, "faceforward(n, i, reference)", geometric(func(p *parser, a []value) value {
			back := p.each(opLess, Type{Bool, 1}, p.dot(a[2], a[1]), p.float(0))
			return p.each(opSelect, a[0].t, a[0], p.each(opNeg, a[0].t, a[0]), back)
		})},
		"reflect": {2, 2, "reflect(i, n)", geometric(func(p *parser, a []value) value {
			twice := p.each(opMul, Type{Float, 1}, p.float(2), p.dot(a[1], a[0]))
			return p.each(opSub, a[0].t, a[0], p.each(opMul, a[0].t, a[1], twice))
		})},
		"refract":          {3, 3, "refract(i, n, eta)", refract},
		"lessThan":         compared("lessThan", opLess, false),
		"lessThanEqual":    compared("lessThanEqual", opLessEqual, false),
		"greaterThan":      compared("greaterThan", opLess, true),
		"greaterThanEqual": compared("greaterThanEqual", opLessEqual, true),
		"equal":            compared("equal", opEqual, false),
		"notEqual":         compared("notEqual", opNotEqual, false),
		"any":              folded("any", opOr),
		"all":              folded("all", opAnd),
		"not": {1, 1, "not(v)", func(p *parser, at int, name string, a []value) (value, error) {
			if a[0].t.Base != Bool || a[0].t.N == 1 {
				return a[0], p.fail(at, "not takes a bvec, not a %s", a[0].t)
			}
			return p.each(opNot, a[0].t, a[0]), nil
		}},
	}
	for name, f := range functions {
		if f.signature == "" {
			f.signature = name + "(x)"
			functions[name] = f
		}
	}
}

func (p *parser) float(k float32) value { return value{Type{Float, 1}, []int32{p.constant(k)}} }

// floats takes whole numbers for floats; anything else that is no float is an error.
func (p *parser) floats(at int, name string, args []value) error {
	for i := range args {
		if args[i].t.Base == Bool {
			return p.fail(at, "%s takes numbers, not a %s", name, args[i].t)
		}
		args[i] = p.toFloat(args[i])
	}
	return nil
}

func each1(c code) function {
	return function{1, 1, "", func(p *parser, at int, name string, a []value) (value, error) {
		if err := p.floats(at, name, a); err != nil {
			return a[0], err
		}
		return p.each(c, a[0].t, a[0]), nil
	}}
}

// kept1 is for functions that whole numbers stay whole in.
func kept1(c code) function {
	return function{1, 1, "", func(p *parser, at int, name string, a []value) (value, error) {
		if a[0].t.Base == Bool || a[0].t.Base == Uint {
			return a[0], p.fail(at, "%s takes numbers that may be negative, not a %s", name, a[0].t)
		}
		return p.each(by(a[0].t.Base, c), a[0].t, a[0]), nil
	}}
}

// bits is for functions that take the bits of one base for those of another.
func bits(from, to Base) function {
	return function{1, 1, "", func(p *parser, at int, name string, a []value) (value, error) {
		if a[0].t.Base != from {
			return a[0], p.fail(at, "%s does not go with a %s", name, a[0].t)
		}
		return value{Type{to, a[0].t.N}, a[0].at}, nil
	}}
}

func test1(c code) function {
	return function{1, 1, "", func(p *parser, at int, name string, a []value) (value, error) {
		if err := p.floats(at, name, a); err != nil {
			return a[0], err
		}
		return p.each(c, Type{Bool, a[0].t.N}, a[0]), nil
	}}
}

func scaled(k float64) function {
	return function{1, 1, "", func(p *parser, at int, name string, a []value) (value, error) {
		if err := p.floats(at, name, a); err != nil {
			return a[0], err
		}
		return p.each(opMul, a[0].t, a[0], p.float(float32(k))), nil
	}}
}

// each2 is for functions of two numbers or vectors; the second may be a number
// beside a vector if loose is set.
func each2(signature string, c code, loose bool) function {
	return function{2, 2, signature, func(p *parser, at int, name string, a []value) (value, error) {
		whole := a[0].t.whole() && a[0].t.Base == a[1].t.Base && (c == opMin || c == opMax)
		if !whole {
			if err := p.floats(at, name, a); err != nil {
				return a[0], err
			}
		}
		if a[0].t.N != a[1].t.N && !(loose && a[1].t.N == 1) {
			return a[0], p.fail(at, "%s does not go with a %s and a %s", name, a[0].t, a[1].t)
		}
		return p.each(by(a[0].t.Base, c), a[0].t, a[0], a[1]), nil
	}}
}

func stepped(p *parser, at int, name string, a []value) (value, error) {
	if err := p.floats(at, name, a); err != nil {
		return a[0], err
	}
	if a[0].t.N != 1 && a[0].t.N != a[1].t.N {
		return a[0], p.fail(at, "step does not go with a %s and a %s", a[0].t, a[1].t)
	}
	return p.each(opStep, a[1].t, a[0], a[1]), nil
}

func atan(p *parser, at int, name string, a []value) (value, error) {
	if err := p.floats(at, name, a); err != nil {
		return a[0], err
	}
	if len(a) == 1 {
		return p.each(opAtan, a[0].t, a[0]), nil
	}
	if a[0].t != a[1].t {
		return a[0], p.fail(at, "atan does not go with a %s and a %s", a[0].t, a[1].t)
	}
	return p.each(opAtan2, a[0].t, a[0], a[1]), nil
}

func clamp(p *parser, at int, name string, a []value) (value, error) {
	whole := a[0].t.whole() && a[0].t.Base == a[1].t.Base && a[0].t.Base == a[2].t.Base
	if !whole {
		if err := p.floats(at, name, a); err != nil {
			return a[0], err
		}
	}
	if a[1].t != a[2].t || a[1].t.N != 1 && a[1].t.N != a[0].t.N {
		return a[0], p.fail(at, "clamp does not go with a %s, a %s and a %s", a[0].t, a[1].t, a[2].t)
	}
	t := a[0].t
	return p.each(by(t.Base, opMin), t, p.each(by(t.Base, opMax), t, a[0], a[1]), a[2]), nil
}

func mix(p *parser, at int, name string, a []value) (value, error) {
	if a[2].t.Base == Bool {
		cond := a[2]
		if err := p.floats(at, name, a[:2]); err != nil {
			return a[0], err
		}
		if a[0].t != a[1].t || cond.t.N != a[0].t.N {
			return a[0], p.fail(at, "mix does not go with a %s, a %s and a %s", a[0].t, a[1].t, cond.t)
		}
		return p.each(opSelect, a[0].t, a[1], a[0], cond), nil
	}
	if err := p.floats(at, name, a); err != nil {
		return a[0], err
	}
	if a[0].t != a[1].t || a[2].t.N != 1 && a[2].t.N != a[0].t.N {
		return a[0], p.fail(at, "mix does not go with a %s, a %s and a %s", a[0].t, a[1].t, a[2].t)
	}
	return p.each(opMix, a[0].t, a[0], a[1], a[2]), nil
}

func smoothstep(p *parser, at int, name string, a []value) (value, error) {
	if err := p.floats(at, name, a); err != nil {
		return a[0], err
	}
	if a[0].t != a[1].t || a[0].t.N != 1 && a[0].t.N != a[2].t.N {
		return a[0], p.fail(at, "smoothstep does not go with a %s, a %s and a %s", a[0].t, a[1].t, a[2].t)
	}
	return p.each(opSmoothstep, a[2].t, a[0], a[1], a[2]), nil
}

func (p *parser) dot(a, b value) value {
	t := Type{Float, 1}
	prod := p.each(opMul, a.t, a, b)
	sum := value{t, prod.at[:1]}
	for _, at := range prod.at[1:] {
		sum = p.each(opAdd, t, sum, value{t, []int32{at}})
	}
	return sum
}

func (p *parser) length(v value) value { return p.each(opSqrt, Type{Float, 1}, p.dot(v, v)) }

// geometric is for functions of vectors that are all alike.
func geometric(f func(p *parser, a []value) value) func(p *parser, at int, name string, a []value) (value, error) {
	return func(p *parser, at int, name string, a []value) (value, error) {
		if err := p.floats(at, name, a); err != nil {
			return a[0], err
		}
		for _, v := range a[1:] {
			if v.t != a[0].t {
				return v, p.fail(at, "%s does not go with a %s and a %s", name, a[0].t, v.t)
			}
		}
		return f(p, a), nil
	}
}

func cross(p *parser, at int, name string, a []value) (value, error) {
	if err := p.floats(at, name, a); err != nil {
		return a[0], err
	}
	if a[0].t != (Type{Float, 3}) || a[1].t != a[0].t {
		return a[0], p.fail(at, "cross takes two vec3, not a %s and a %s", a[0].t, a[1].t)
	}
	t := Type{Float, 1}
	comp := func(v value, i int) value { return value{t, v.at[i : i+1]} }
	out := value{t: a[0].t}
	for i := range 3 {
		j, k := (i+1)%3, (i+2)%3
		d := p.each(opSub, t, p.each(opMul, t, comp(a[0], j), comp(a[1], k)), p.each(opMul, t, comp(a[0], k), comp(a[1], j)))
		out.at = append(out.at, d.at[0])
	}
	return out, nil
}

func refract(p *parser, at int, name string, a []value) (value, error) {
	if err := p.floats(at, name, a); err != nil {
		return a[0], err
	}
	if a[0].t != a[1].t || a[2].t.N != 1 {
		return a[0], p.fail(at, "refract does not go with a %s, a %s and a %s", a[0].t, a[1].t, a[2].t)
	}
	i, n, eta, one := a[0], a[1], a[2], Type{Float, 1}
	d := p.dot(n, i)
	k := p.each(opSub, one, p.float(1), p.each(opMul, one, p.each(opMul, one, eta, eta), p.each(opSub, one, p.float(1), p.each(opMul, one, d, d))))
	across := p.each(opAdd, one, p.each(opMul, one, eta, d), p.each(opSqrt, one, k))
	bent := p.each(opSub, i.t, p.each(opMul, i.t, i, eta), p.each(opMul, i.t, n, across))
	return p.each(opSelect, i.t, p.float(0), bent, p.each(opLess, Type{Bool, 1}, k, p.float(0))), nil
}

func compared(name string, c code, swap bool) function {
	return function{2, 2, name + "(a, b)", func(p *parser, at int, name string, a []value) (value, error) {
		x, y, err := p.alike(at, name, a[0], a[1])
		if err != nil {
			return x, err
		}
		if x.t != y.t || x.t.N == 1 || x.t.Base == Bool && c != opEqual && c != opNotEqual {
			return x, p.fail(at, "%s takes two vectors that are alike, not a %s and a %s", name, x.t, y.t)
		}
		if swap {
			x, y = y, x
		}
		return p.each(by(x.t.Base, c), Type{Bool, x.t.N}, x, y), nil
	}}
}

func folded(name string, c code) function {
	return function{1, 1, name + "(v)", func(p *parser, at int, name string, a []value) (value, error) {
		if a[0].t.Base != Bool || a[0].t.N == 1 {
			return a[0], p.fail(at, "%s takes a bvec, not a %s", name, a[0].t)
		}
		out := value{Type{Bool, 1}, a[0].at[:1]}
		for _, k := range a[0].at[1:] {
			out = p.each(c, out.t, out, value{out.t, []int32{k}})
		}
		return out, nil
	}}
}

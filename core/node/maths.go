package node

import (
	"cmp"
	"math"

	"mobanta/core/formula"
	"mobanta/core/network"
)

// carries is the setting of nodes that work on tones and on vectors alike.
func carries(types ...network.Type) network.Setting {
	s := network.Setting{Key: "carries", Name: "Works on", Type: network.Choice, Default: string(types[0]), Help: "The first wire sets it."}
	names := map[network.Type]string{network.Tone: "Tones", network.Color: "Colours", network.Vector: "Vectors", network.Lines: "Lines"}
	for _, t := range types {
		s.Choices = append(s.Choices, network.Option{Key: string(t), Name: names[t]})
	}
	return s
}

// carried returns the type that a node works on.
func carried(d *network.Node, s *network.Spec) network.Type {
	t, _ := d.Value(s.Setting("carries")).(string)
	return network.Type(t)
}

// operation is one of the things that Maths does, component by component or on
// whole vectors.
type operation struct {
	key, name string
	unary     bool
	each      func(a, b float32) float32
	vector    func(a, b [3]float32) [3]float32 // needs vectors
	folds     string                           // of those that fold: the same as a formula
	tone      bool                             // a vector operation that gives a tone, in the first component
}

var operations = []operation{
	{key: "add", name: "a + b", each: func(a, b float32) float32 { return a + b }},
	{key: "subtract", name: "a − b", each: func(a, b float32) float32 { return a - b }},
	{key: "multiply", name: "a × b", each: func(a, b float32) float32 { return a * b }},
	{key: "divide", name: "a ÷ b", each: Divide},
	{key: "power", name: "a to the power b", each: Power},
	{key: "min", name: "Smaller of both", each: func(a, b float32) float32 { return min(a, b) }},
	{key: "max", name: "Larger of both", each: func(a, b float32) float32 { return max(a, b) }},
	{key: "modulo", name: "Rest of a ÷ b", each: Modulo, folds: "mod(a, b)"},
	{key: "abs", name: "Without its sign", unary: true, folds: "abs(a)", each: func(a, _ float32) float32 { return max(a, -a) }},
	{key: "sign", name: "Sign", unary: true, folds: "sign(a)", each: func(a, _ float32) float32 {
		switch {
		case a > 0:
			return 1
		case a < 0:
			return -1
		}
		return 0
	}},
	{key: "floor", name: "Rounded down", unary: true, folds: "floor(a)", each: func(a, _ float32) float32 { return floor(a) }},
	{key: "ceil", name: "Rounded up", unary: true, folds: "ceil(a)", each: func(a, _ float32) float32 { return -floor(-a) }},
	{key: "round", name: "Rounded", unary: true, folds: "floor(a + 0.5)", each: func(a, _ float32) float32 { return floor(a + 0.5) }},
	{key: "fraction", name: "Fraction", unary: true, folds: "fract(a)", each: func(a, _ float32) float32 { return a - floor(a) }},
	{key: "root", name: "Square root", unary: true, each: func(a, _ float32) float32 { return float32(math.Sqrt(float64(max(0, a)))) }},
	{key: "sine", name: "Sine, of turns", unary: true, folds: "sin(6.283185307 * a)", each: func(a, _ float32) float32 { return float32(math.Sin(2 * math.Pi * float64(a))) }},
	{key: "cosine", name: "Cosine, of turns", unary: true, folds: "cos(6.283185307 * a)", each: func(a, _ float32) float32 { return float32(math.Cos(2 * math.Pi * float64(a))) }},
	{key: "invert", name: "1 − a", unary: true, each: func(a, _ float32) float32 { return 1 - a }},
	{key: "dot", name: "Dot product", tone: true, vector: func(a, b [3]float32) [3]float32 { return [3]float32{a[0]*b[0] + a[1]*b[1] + a[2]*b[2]} }},
	{key: "cross", name: "Cross product", vector: func(a, b [3]float32) [3]float32 {
		return [3]float32{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
	}},
	{key: "length", name: "Length", unary: true, tone: true, vector: func(a, _ [3]float32) [3]float32 { return [3]float32{length(a)} }},
	{key: "normalise", name: "To length 1", unary: true, vector: func(a, _ [3]float32) [3]float32 {
		l := length(a)
		if !(l > 0) {
			return [3]float32{}
		}
		return [3]float32{a[0] / l, a[1] / l, a[2] / l}
	}},
}

// asFormula holds the operations that do not fold.
var asFormula = map[string]string{"add": "a + b", "subtract": "a - b", "multiply": "a * b", "divide": "a / b", "power": "pow(a, b)", "min": "min(a, b)", "max": "max(a, b)", "root": "sqrt(a)", "invert": "1.0 - a"}

// formula returns the operation as one, for its bounds; nil for those of vectors.
func (op *operation) formula() *formula.Program {
	text := cmp.Or(op.folds, asFormula[op.key])
	if text == "" {
		return nil
	}
	args := []network.Argument{{Key: "a", Type: network.Tone}, {Key: "b", Type: network.Tone}}
	if op.unary {
		args = args[:1]
	}
	p, err := compiled(text, args)
	if err != nil {
		return nil
	}
	return p
}

func length(a [3]float32) float32 {
	x, y, z := float64(a[0]), float64(a[1]), float64(a[2])
	return float32(math.Sqrt(x*x + y*y + z*z))
}

func floor(a float32) float32 { return float32(math.Floor(float64(a))) }

// Divide returns a/b, and 0 for a division by 0.
func Divide(a, b float32) float32 {
	if b == 0 {
		return 0
	}
	return finite(a / b)
}

// Power returns a to the power b. A negative a with a b that is not whole, and 0
// to a negative power, give 0.
func Power(a, b float32) float32 {
	if a == 0 && b < 0 {
		return 0
	}
	return finite(float32(math.Pow(float64(a), float64(b))))
}

// Modulo returns the rest of a/b with the sign of b, a − b·floor(a/b); 0 for b 0.
func Modulo(a, b float32) float32 {
	if b == 0 {
		return 0
	}
	return finite(a - b*floor(a/b))
}

// finite returns v, 0 for NaN, and the largest number for infinity.
func finite(v float32) float32 {
	if v != v {
		return 0
	}
	return max(-math.MaxFloat32, min(math.MaxFloat32, v))
}

func findOperation(key string) *operation {
	for i := range operations {
		if operations[i].key == key {
			return &operations[i]
		}
	}
	return &operations[0]
}

var _ = register(360, &Kind{
	Spec: network.Spec{
		Kind: "maths", Name: "Maths", Family: "tone", Adapts: "carries",
		Purpose: "Sums, products, powers, rounding, sines, and the products of vectors.",
		Words:   []string{"math", "add", "subtract", "multiply", "divide", "power", "minimum", "maximum", "modulo", "absolute", "sine", "cosine", "dot", "cross", "length", "normalize", "invert", "calculate"},
		Source:  "By component. A division by 0, the root of a negative and 0 to a negative power give 0; a rest has the sign of b.",
		Inputs: []network.Port{
			{Key: "a", Name: "a", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			{Key: "b", Name: "b", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
		},
		Outputs: []network.Port{{Key: "value", Name: "value", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "operation", Name: "Operation", Type: network.Choice, Default: "multiply", Choices: operationChoices()},
			carries(network.Tone, network.Vector),
		},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		op := findOperation(d.Value(s.Setting("operation")).(string))
		t := carried(d, s)
		if op.vector != nil {
			t = network.Vector
		}
		s.Inputs = []network.Port{s.Inputs[0], s.Inputs[1]}
		for i := range s.Inputs {
			if s.Inputs[i].Type = t; t == network.Vector {
				s.Inputs[i].Default = network.Converted(s.Inputs[i].Default, network.Tone, t)
			}
		}
		if op.unary {
			s.Inputs = s.Inputs[:1]
		}
		out := s.Outputs[0]
		if out.Type = t; op.tone {
			out.Type = network.Tone
		}
		s.Outputs = []network.Port{out}
	},
	Prepare: func(get func(string) any) any { return findOperation(get("operation").(string)) },
	Folds:   func(data any) bool { return data.(*operation).folds != "" },
	Bounds: func(c *Call, lo, hi, outLo, outHi [][]Plane) {
		op := c.Data.(*operation)
		for k := range outLo[0] {
			a, b := []Plane{lo[0][min(k, len(lo[0])-1)]}, []Plane{hi[0][min(k, len(hi[0])-1)]}
			if !op.unary {
				a, b = append(a, lo[1][min(k, len(lo[1])-1)]), append(b, hi[1][min(k, len(hi[1])-1)])
			}
			if p := op.formula(); p != nil {
				p.Bounds(a, b, outLo[0][k:k+1], outHi[0][k:k+1])
				continue
			}
			for i := range outLo[0][k] { // vectors as wholes
				outLo[0][k][i], outHi[0][k][i] = float32(math.Inf(-1)), float32(math.Inf(1))
			}
		}
	},
	GLSL: func(g *GLSL) {
		g.Use("safe")
		a, b := g.In("a"), ""
		if !g.Data.(*operation).unary {
			b = g.In("b")
		}
		text := map[string]string{"add": "%s + %s", "subtract": "%s - %s", "multiply": "%s * %s", "divide": "divide(%s, %s)", "power": "power(%s, %s)", "min": "min(%s, %s)", "max": "max(%s, %s)",
			"modulo": "modulo(%s, %s)", "abs": "abs(%s)%.0s", "sign": "sign(%s)%.0s", "floor": "floor(%s)%.0s", "ceil": "ceil(%s)%.0s", "round": "floor(%s + 0.5)%.0s", "fraction": "fract(%s)%.0s",
			"root": "sqrt(max(%s * 1.0, 0.0))%.0s", "sine": "sin(6.283185307 * fract(%s))%.0s", "cosine": "cos(6.283185307 * fract(%s))%.0s", "invert": "1.0 - %s%.0s", "dot": "dot(%s, %s)", "cross": "cross(%s, %s)", "length": "length(%s)%.0s", "normalise": "unit(%s)%.0s"}
		g.Out("value", text[g.Data.(*operation).key], a, b)
	},
	MaterialX: func(m *MaterialX) {
		op := m.Data.(*operation)
		a := m.In("a")
		t := a.Type
		one := map[string]string{"abs": "absval", "sign": "sign", "floor": "floor", "ceil": "ceil", "round": "round", "fraction": "fract", "root": "sqrt", "invert": "invert", "normalise": "normalize"}[op.key]
		two := map[string]string{"add": "add", "subtract": "subtract", "multiply": "multiply", "divide": "divide", "power": "power", "min": "min", "max": "max", "modulo": "modulo", "cross": "crossproduct"}[op.key]
		switch {
		case one != "":
			m.Out("value", m.Put(one, t, "in", a))
		case two != "":
			m.Out("value", m.Put(two, t, "in1", a, "in2", m.In("b")))
		case op.key == "dot":
			m.Out("value", m.Dot(a, m.In("b")))
		case op.key == "length":
			m.Out("value", m.Put("magnitude", XFloat, "in", a))
		default:
			m.Out("value", m.Put(map[string]string{"sine": "sin", "cosine": "cos"}[op.key], t, "in", m.Times(a, XNumber(2*math.Pi))))
		}
	},
	Run: func(c *Call) {
		op := c.Data.(*operation)
		a := c.In[0]
		b := a
		if !op.unary {
			b = c.In[1]
		}
		if op.vector == nil {
			for k, out := range c.Out[0] {
				x, y := a[k][:len(out)], b[k][:len(out)]
				switch op.key {
				case "add":
					for i := range out {
						out[i] = x[i] + y[i]
					}
				case "multiply":
					for i := range out {
						out[i] = x[i] * y[i]
					}
				default:
					for i := range out {
						out[i] = op.each(x[i], y[i])
					}
				}
			}
			return
		}
		for i := range c.N {
			r := op.vector([3]float32{a[0][i], a[1][i], a[2][i]}, [3]float32{b[0][i], b[1][i], b[2][i]})
			for k, out := range c.Out[0] {
				out[i] = r[k]
			}
		}
	},
})

func operationChoices() (out []network.Option) {
	for _, o := range operations {
		out = append(out, network.Option{Key: o.key, Name: o.name})
	}
	return out
}

package node

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
)

// XType is a type of MaterialX.
type XType string

// The types that networks have there.
const (
	XFloat  XType = "float"
	XColor  XType = "color3"
	XVector XType = "vector3"
	XUV     XType = "vector2"
	XInt    XType = "integer"
	XBool   XType = "boolean"
	XString XType = "string"
)

// XTypeOf returns the type of MaterialX for a type of port.
func XTypeOf(t network.Type) XType {
	switch t {
	case network.Color:
		return XColor
	case network.Vector:
		return XVector
	}
	return XFloat
}

// XArg is what feeds an input in MaterialX: a node, an input of the graph about it, or a value.
type XArg struct {
	Type      XType
	Node      string // its name
	Output    string // of a node that has several
	Interface string // an input of the graph
	Value     string
}

// XNode is a node of MaterialX.
type XNode struct {
	Category, Name string
	Type           XType
	Inputs         []XInput
}

// XInput is an input of a node.
type XInput struct {
	Name string
	Arg  XArg
}

// MaterialX is one node being written as nodes of MaterialX 1.39.
type MaterialX struct {
	Data  any
	Name  string
	Lamps []int
	Scene *Scene
	Size  float64 // the diagonal of the model that wears the look

	get   func(key string) any
	in    func(key string) (XArg, bool)
	file  func(hash string) string
	Nodes []XNode
	Outs  map[string]XArg
	Left  []string
	Why   string // it cannot be written after all
}

// NewMaterialX returns a node to be written: in gives what feeds an input, and whether anything does; file the name of the
// file of a picture.
func NewMaterialX(name string, get func(string) any, in func(string) (XArg, bool), file func(string) string) *MaterialX {
	return &MaterialX{Name: name, get: get, in: in, file: file, Outs: map[string]XArg{}}
}

// In returns what feeds an input.
func (m *MaterialX) In(key string) XArg {
	a, _ := m.in(key)
	return a
}

// Or returns what feeds an input, or something else where nothing does.
func (m *MaterialX) Or(key string, otherwise func() XArg) XArg {
	if a, ok := m.in(key); ok {
		return a
	}
	return otherwise()
}

// Choice returns a setting that is a choice.
func (m *MaterialX) Choice(key string) string { return m.get(key).(string) }

// Put adds a node and returns its result. Inputs are names and arguments in turn.
func (m *MaterialX) Put(category string, t XType, inputs ...any) XArg {
	n := XNode{Category: category, Name: m.Name, Type: t}
	if len(m.Nodes) > 0 {
		n.Name = fmt.Sprintf("%s_%d", m.Name, len(m.Nodes)+1)
	}
	for i := 0; i < len(inputs); i += 2 {
		n.Inputs = append(n.Inputs, XInput{inputs[i].(string), inputs[i+1].(XArg)})
	}
	m.Nodes = append(m.Nodes, n)
	return XArg{Type: t, Node: n.Name}
}

// Out gives an output.
func (m *MaterialX) Out(key string, a XArg) { m.Outs[key] = a }

// Leave tells that something of the node does not travel; Cannot that it does not at all, as it is set.
func (m *MaterialX) Leave(format string, of ...any) {
	if s := fmt.Sprintf(format, of...); !slices.Contains(m.Left, s) {
		m.Left = append(m.Left, s)
	}
}

// Cannot tells that the node does not travel as it is set, and why.
func (m *MaterialX) Cannot(format string, of ...any) { m.Why = fmt.Sprintf(format, of...) }

// XNumber, XThree, XWhole, XYes and XWord are values.
func XNumber(v float64) XArg { return XArg{Type: XFloat, Value: xnum(v)} }

// XThree is a vector or a colour.
func XThree(t XType, v [3]float32) XArg {
	return XArg{Type: t, Value: xnum(float64(v[0])) + ", " + xnum(float64(v[1])) + ", " + xnum(float64(v[2]))}
}

// XWhole is a whole number.
func XWhole(v int) XArg { return XArg{Type: XInt, Value: strconv.Itoa(v)} }

// XYes is a truth value.
func XYes(v bool) XArg { return XArg{Type: XBool, Value: strconv.FormatBool(v)} }

// XWord is a text.
func XWord(s string) XArg { return XArg{Type: XString, Value: s} }

func xnum(v float64) string {
	if v == 0 || math.IsNaN(v) { // one 0 of the two
		return "0"
	}
	return strconv.FormatFloat(v, 'g', 7, 64)
}

// rec709 are the weights of luminance here; the standard's own are those of other primaries.
var rec709 = XThree(XColor, [3]float32{0.2126, 0.7152, 0.0722})

// As converts a value.
func (m *MaterialX) As(a XArg, t XType) XArg {
	switch {
	case a.Type == t:
		return a
	case a.Node == "" && a.Interface == "" && a.Type != XFloat && t != XFloat: // three numbers by another name
		a.Type = t
		return a
	case a.Node == "" && a.Interface == "" && a.Type == XFloat:
		return XArg{Type: t, Value: a.Value + ", " + a.Value + ", " + a.Value}
	case t == XFloat && a.Type == XColor:
		return m.Put("extract", XFloat, "in", m.Put("luminance", XColor, "in", a, "lumacoeffs", rec709), "index", XWhole(0))
	case t == XFloat:
		return m.Put("magnitude", XFloat, "in", a)
	}
	return m.Put("convert", t, "in", a)
}

// Sum, Less, Times, Over and Clamped are sums of values of one type; the second may be a number.
func (m *MaterialX) Sum(a, b XArg) XArg { return m.Put("add", a.Type, "in1", a, "in2", b) }

// Less is a - b.
func (m *MaterialX) Less(a, b XArg) XArg { return m.Put("subtract", a.Type, "in1", a, "in2", b) }

// Times is a product.
func (m *MaterialX) Times(a, b XArg) XArg { return m.Put("multiply", a.Type, "in1", a, "in2", b) }

// Over is a quotient.
func (m *MaterialX) Over(a, b XArg) XArg { return m.Put("divide", a.Type, "in1", a, "in2", b) }

// Clamped keeps a value between 0 and 1.
func (m *MaterialX) Clamped(a XArg) XArg {
	return m.Put("clamp", a.Type, "in", a, "low", XNumber(0), "high", XNumber(1))
}

// Dot is a product of vectors.
func (m *MaterialX) Dot(a, b XArg) XArg { return m.Put("dotproduct", XFloat, "in1", a, "in2", b) }

// AtLeast is one value where a is b or more, and another elsewhere.
func (m *MaterialX) AtLeast(a, b, yes, no XArg) XArg {
	return m.Put("ifgreatereq", yes.Type, "value1", a, "value2", b, "in1", yes, "in2", no)
}

// SoftStep is 0 below a tone and 1 above, with an edge of that width.
func (m *MaterialX) SoftStep(tone, at, soft XArg) XArg {
	if soft.Node == "" && soft.Interface == "" {
		if v, _ := strconv.ParseFloat(soft.Value, 64); v <= 0 {
			return m.AtLeast(tone, at, XNumber(1), XNumber(0))
		}
	}
	half := m.Times(soft, XNumber(0.5))
	return m.Put("smoothstep", XFloat, "in", tone, "low", m.Less(at, half), "high", m.Sum(at, half))
}

// Rest is the place in the model's own space, its diagonal as 1.
func (m *MaterialX) Rest() XArg {
	return m.Times(m.Put("position", XVector, "space", XWord("object")), XNumber(1/max(1e-9, m.Size)))
}

// placeIn is what is wired to the input "place", or Rest.
func (m *MaterialX) placeIn() XArg { return m.Or("place", m.Rest) }

// normalIn is what is wired to the input "normal", or the surface's own.
func (m *MaterialX) normalIn() XArg {
	return m.Or("normal", func() XArg { return m.Put("normal", XVector, "space", XWord("world")) })
}

// facing is the facing ratio.
func (m *MaterialX) facing() XArg {
	in := []any{"faceforward", XYes(true)}
	if n, ok := m.in("normal"); ok {
		in = append(in, "normal", n)
	}
	return m.Put("facingratio", XFloat, in...)
}

// Ramp is the colour of a ramp at a tone.
func (m *MaterialX) Ramp(stops []color.Stop, mixing color.Mixing, tone XArg) XArg {
	s := slices.Clone(stops)
	color.SortStops(s)
	if len(s) == 0 {
		s = []color.Stop{{}}
	}
	c := XThree(XColor, s[0].Color)
	for i := 1; i < len(s); i++ {
		at, to := float64(s[i].At), XThree(XColor, s[i].Color)
		a, b := at, at
		switch s[i].Edge {
		case color.Soft:
			a, b = at-float64(s[i].Softness)/2, at+float64(s[i].Softness)/2
		case color.Linear, color.Smooth, color.Ease:
			a = float64(s[i-1].At)
		}
		if b-a < 1e-6 {
			c = m.Put("ifgreatereq", XColor, "value1", tone, "value2", XNumber(at), "in1", to, "in2", c)
			continue
		}
		if mixing != color.MixLinear && mixing != "" {
			m.Leave("mixing other than in linear light")
		}
		var t XArg
		if s[i].Edge == color.Soft || s[i].Edge == color.Smooth {
			t = m.Put("smoothstep", XFloat, "in", tone, "low", XNumber(a), "high", XNumber(b))
		} else if t = m.Clamped(m.Put("remap", XFloat, "in", tone, "inlow", XNumber(a), "inhigh", XNumber(b))); s[i].Edge == color.Ease {
			t = m.Times(t, t)
		}
		c = m.Put("mix", XColor, "fg", to, "bg", c, "mix", t)
	}
	if len(s) == 1 {
		return m.Put("constant", XColor, "value", c)
	}
	return c
}

// lamps gathers what suns and points give: answer says which part of a light's strength the place gives back, for the unit
// vector to it.
func (m *MaterialX) lamps(d *lightData, answer func(to XArg) XArg) {
	tone, col := XNumber(0), XThree(XColor, color.C{})
	if d.Shadows && d.Direct {
		m.Leave("cast shadows")
	}
	if d.Bounced {
		m.Leave("bounced light")
	}
	for _, k := range m.Lamps {
		l := &m.Scene.Lights[k]
		share, ok := m.lamp(l, answer)
		if !ok {
			continue
		}
		if l.Parts != nil {
			m.Leave("that %q lights some parts alone", l.Name)
		}
		tint := m.Times(XThree(XColor, l.Color), share)
		switch {
		case tone.Node == "":
			tone, col = share, tint
		case d.brightest:
			col = m.Put("ifgreater", XColor, "value1", share, "value2", tone, "in1", tint, "in2", col)
			tone = m.Put("max", XFloat, "in1", tone, "in2", share)
		default:
			tone, col = m.Sum(tone, share), m.Sum(col, tint)
		}
	}
	if tone.Node == "" {
		tone, col = m.Put("constant", XFloat, "value", tone), m.Put("constant", XColor, "value", col)
	}
	m.Out("tone", tone)
	m.Out("colour", col)
}

func (m *MaterialX) lamp(l *light.Source, answer func(to XArg) XArg) (XArg, bool) {
	var to XArg
	strength := XNumber(float64(l.Strength))
	switch l.Kind {
	case light.Sun:
		to = XThree(XVector, l.Dir)
		if l.Size > 0 {
			m.Leave("the width of %q", l.Name)
		}
	case light.Headlamp:
		to = m.Times(m.Put("viewdirection", XVector, "space", XWord("world")), XNumber(-1))
	case light.Point, light.Disc, light.Rectangle:
		if l.Kind != light.Point || l.Size > 0 {
			m.Leave("the width of %q", l.Name)
		}
		way := m.Less(XThree(XVector, l.At), m.Put("position", XVector, "space", XWord("world")))
		to = m.Put("normalize", XVector, "in", way)
		if l.Fade {
			far := m.Put("magnitude", XFloat, "in", way)
			strength = m.Over(XNumber(float64(l.Strength*l.Reach*l.Reach)), m.Put("max", XFloat, "in1", m.Times(far, far), "in2", XNumber(1e-9)))
		}
	default:
		m.Leave("the light of the sky %q", l.Name)
		return XArg{}, false
	}
	return m.Times(m.Put("max", XFloat, "in1", answer(to), "in2", XNumber(0)), strength), true
}

// mode lays a colour over another, as much as amount says.
func (m *MaterialX) mode(mode *color.Mode, base, over, amount XArg) XArg {
	key := "normal"
	if mode != nil {
		key = mode.Key
	}
	mixed := func(c XArg) XArg { return m.Put("mix", XColor, "fg", c, "bg", base, "mix", amount) }
	switch key {
	case "normal":
		return mixed(over)
	case "multiply":
		return mixed(m.Times(base, over))
	case "screen", "overlay", "difference":
		return mixed(m.Put(key, XColor, "fg", over, "bg", base, "mix", XNumber(1)))
	case "add", "linear-light":
		if key == "linear-light" {
			over = m.Less(m.Times(over, XNumber(2)), XNumber(1))
		}
		return mixed(m.Put("max", XColor, "in1", m.Sum(base, over), "in2", XNumber(0)))
	case "subtract":
		return mixed(m.Put("max", XColor, "in1", m.Less(base, over), "in2", XNumber(0)))
	case "divide":
		return mixed(m.Over(base, m.Put("max", XColor, "in1", over, "in2", XNumber(1e-6))))
	case "darken":
		return mixed(m.Put("min", XColor, "in1", base, "in2", over))
	case "lighten":
		return mixed(m.Put("max", XColor, "in1", base, "in2", over))
	case "color-dodge":
		return mixed(m.Put("dodge", XColor, "fg", over, "bg", base, "mix", XNumber(1)))
	case "color-burn":
		return mixed(m.Put("burn", XColor, "fg", over, "bg", base, "mix", XNumber(1)))
	case "hard-light":
		return mixed(m.Put("overlay", XColor, "fg", base, "bg", over, "mix", XNumber(1)))
	case "exclusion":
		return mixed(m.Less(m.Sum(base, over), m.Times(m.Times(base, over), XNumber(2))))
	}
	m.Leave("the mode %q, in whose place the colour covers", mode.Name)
	return mixed(over)
}

// component is one number of a colour or a vector.
func (m *MaterialX) component(a XArg, k int) XArg {
	if a.Node == "" && a.Interface == "" {
		parts := strings.Split(a.Value, ",")
		return XArg{Type: XFloat, Value: strings.TrimSpace(parts[min(k, len(parts)-1)])}
	}
	return m.Put("extract", XFloat, "in", a, "index", XWhole(k))
}

// step is a step of a formula on numbers; see formula.Program.Steps.
func (m *MaterialX) step(op string, a, b, c XArg) XArg {
	one := map[string]string{"abs": "absval", "sign": "sign", "floor": "floor", "ceil": "ceil", "fract": "fract", "sqrt": "sqrt", "exp": "exp", "log": "ln", "sin": "sin", "cos": "cos", "tan": "tan", "asin": "asin", "acos": "acos", "not": "invert"}
	two := map[string]string{"add": "add", "subtract": "subtract", "multiply": "multiply", "divide": "divide", "min": "min", "max": "max", "modulo": "modulo", "power": "power", "and": "min", "or": "max"}
	tests := map[string][2]XArg{"less": {b, a}, "atmost": {b, a}, "step": {b, a}, "equal": {a, b}, "unequal": {a, b}, "select": {c, XNumber(0.5)}}
	yes, no := XNumber(1), XNumber(0)
	if one[op] != "" {
		return m.Put(one[op], XFloat, "in", a)
	}
	if two[op] != "" {
		return m.Put(two[op], XFloat, "in1", a, "in2", b)
	}
	category := "ifgreatereq"
	switch op {
	case "less":
		category = "ifgreater"
	case "equal":
		category = "ifequal"
	case "unequal":
		category, yes, no = "ifequal", no, yes
	case "select":
		category, yes, no = "ifgreater", a, b
	}
	if t, ok := tests[op]; ok {
		return m.Put(category, XFloat, "value1", t[0], "value2", t[1], "in1", yes, "in2", no)
	}
	exp := func(v XArg) XArg { return m.Put("exp", XFloat, "in", v) }
	switch op {
	case "negate":
		return m.Less(XNumber(0), a)
	case "atan2":
		return m.Put("atan2", XFloat, "iny", a, "inx", b)
	case "atan":
		return m.Put("atan2", XFloat, "iny", a, "inx", XNumber(1))
	case "mix":
		return m.Put("mix", XFloat, "fg", b, "bg", a, "mix", c)
	case "smoothstep":
		return m.Put("smoothstep", XFloat, "in", c, "low", a, "high", b)
	case "truncate":
		return m.Times(m.Put("sign", XFloat, "in", a), m.Put("floor", XFloat, "in", m.Put("absval", XFloat, "in", a)))
	case "round":
		return m.Put("floor", XFloat, "in", m.Sum(a, XNumber(0.5)))
	case "inversesqrt":
		return m.Over(XNumber(1), m.Put("sqrt", XFloat, "in", a))
	case "exp2":
		return m.Put("power", XFloat, "in1", XNumber(2), "in2", a)
	case "log2":
		return m.Over(m.Put("ln", XFloat, "in", a), XNumber(math.Ln2))
	case "sinh":
		return m.Times(m.Less(exp(a), exp(m.Less(XNumber(0), a))), XNumber(0.5))
	case "cosh":
		return m.Times(m.Sum(exp(a), exp(m.Less(XNumber(0), a))), XNumber(0.5))
	case "tanh":
		twice := exp(m.Times(a, XNumber(2)))
		return m.Over(m.Less(twice, XNumber(1)), m.Sum(twice, XNumber(1)))
	}
	m.Cannot("it has a step that has no counterpart there: %s", op)
	return XNumber(0)
}

// isX tells whether an argument is a number that is typed in, and which.
func isX(a XArg) (float64, bool) {
	if a.Node != "" || a.Interface != "" || strings.Contains(a.Value, ",") {
		return 0, false
	}
	v, err := strconv.ParseFloat(a.Value, 64)
	return v, err == nil
}

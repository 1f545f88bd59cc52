package node

import (
	"errors"
	"fmt"
	"strings"
	"sync"

	"mobanta/core/formula"
	"mobanta/core/network"
)

var _ = register(380, &Kind{
	Spec: network.Spec{
		Kind: "formula", Name: "Formula", Family: "tone",
		Purpose: "One expression of your own over inputs of your own, for what no other node does.",
		Words:   []string{"expression", "code", "script", "glsl", "custom", "calculate", "vec3", "function"},
		Source:  "The expression grammar of the OpenGL ES Shading Language 3.00 (Khronos); divisions by 0, roots and logarithms of negatives give 0.",
		Inputs:  []network.Port{{Key: "a", Name: "a", Type: network.Tone, Default: 0.5, Min: 0, Max: 1}},
		Outputs: []network.Port{{Key: "value", Name: "value", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "text", Name: "Formula", Type: network.Expr, Default: "smoothstep(0.2, 0.8, a)"},
			{Key: "inputs", Name: "Inputs", Type: network.Arguments, Default: []network.Argument{{Key: "a", Type: network.Tone}, {Key: "b", Type: network.Tone}}},
			{Key: "gives", Name: "A vec3 is", Type: network.Choice, Default: string(network.Color), Choices: []network.Option{
				{Key: string(network.Color), Name: "a colour"}, {Key: string(network.Vector), Name: "a vector"}}},
		},
		Check: func(d *network.Node) error {
			_, err := compiled(d.Value(&formulaSettings[0]).(string), d.Value(&formulaSettings[1]).([]network.Argument))
			return err
		},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		args := d.Value(&s.Settings[1]).([]network.Argument)
		s.Inputs = nil
		for _, a := range args {
			s.Inputs = append(s.Inputs, network.Port{Key: a.Key, Name: a.Key, Type: a.Type, Default: network.Converted(0.5, network.Tone, a.Type), Min: 0, Max: 1})
		}
		out := network.Port{Key: "value", Name: "value", Type: network.Tone}
		if p, err := compiled(d.Value(&s.Settings[0]).(string), args); err == nil && p.Type.N > 1 {
			out.Type = network.Type(d.Value(&s.Settings[2]).(string))
		}
		s.Outputs = []network.Port{out}
	},
	Prepare: func(get func(string) any) any {
		p, err := compiled(get("text").(string), get("inputs").([]network.Argument))
		if err != nil {
			return (*formula.Program)(nil)
		}
		return p
	},
	Folds: func(data any) bool { p := data.(*formula.Program); return p != nil && p.Folds() },
	Bounds: func(c *Call, lo, hi, outLo, outHi [][]Plane) {
		bounded(c.Data.(*formula.Program), lo, hi, outLo[0], outHi[0])
	},
	Brief: func(a *About) string { return a.Setting("text").(string) },
	GLSL: func(g *GLSL) {
		p := g.Data.(*formula.Program)
		if p == nil {
			g.Out("value", "0.0")
			return
		}
		g.Leave("that a division by 0 and a root of a negative are 0")
		var args, with []string
		for _, a := range g.get("inputs").([]network.Argument) {
			kind := "float"
			if a.Type != network.Tone {
				kind = "vec3"
			}
			args, with = append(args, kind+" "+a.Key), append(with, g.In(a.Key))
		}
		g.Function(map[int]string{1: "float", 2: "vec2", 3: "vec3"}[p.Type.N], strings.Join(args, ", "), asFloats(g.get("text").(string)))
		call := fmt.Sprintf("%sformula(%s)", g.Name, strings.Join(with, ", "))
		if p.Type.N == 2 {
			call = "vec3(" + call + ", 0.0)"
		}
		g.Out("value", "%s", call)
	},
	MaterialX: func(m *MaterialX) {
		p := m.Data.(*formula.Program)
		steps, out, ok := []formula.Step(nil), []int(nil), false
		if p != nil {
			steps, out, ok = p.Steps()
		}
		if !ok {
			m.Cannot("it works on whole numbers and their bits")
			return
		}
		var in []XArg // component by component
		for _, a := range m.get("inputs").([]network.Argument) {
			v := m.In(a.Key)
			if a.Type == network.Tone {
				in = append(in, v)
				continue
			}
			for k := range 3 {
				in = append(in, m.component(v, k))
			}
		}
		done := make([]XArg, len(steps))
		for i, s := range steps {
			var of [3]XArg
			for k, at := range s.Of {
				of[k] = done[at]
			}
			switch s.Op {
			case "input":
				done[i] = in[s.Input]
			case "constant":
				done[i] = XNumber(float64(s.Value))
			default:
				done[i] = m.step(s.Op, of[0], of[1], of[2])
			}
		}
		if len(out) == 1 {
			m.Out("value", m.Put("dot", XFloat, "in", done[out[0]]))
			return
		}
		t := XColor
		if m.Choice("gives") == string(network.Vector) {
			t = XVector
		}
		third := XNumber(0)
		if len(out) > 2 {
			third = done[out[2]]
		}
		m.Out("value", m.Put("combine3", t, "in1", done[out[0]], "in2", done[out[1]], "in3", third))
	},
	Run: func(c *Call) {
		p := c.Data.(*formula.Program)
		if p == nil { // refused before it comes here
			return
		}
		var in []Plane
		for _, planes := range c.In {
			in = append(in, planes...)
		}
		out := c.Out[0]
		for k := p.Type.N; k < len(out); k++ { // a vec2 has no third
			clear(out[k])
		}
		p.Run(in, out[:min(len(out), p.Type.N)])
	},
})

// bounded is formula.Program.Bounds for the inputs of a node.
func bounded(p *formula.Program, lo, hi [][]Plane, outLo, outHi []Plane) {
	var a, b []Plane
	for k := range lo {
		a, b = append(a, lo[k]...), append(b, hi[k]...)
	}
	n := min(len(outLo), p.Type.N)
	p.Bounds(a, b, outLo[:n], outHi[:n])
}

// formulaSettings are the settings, for Check, which cannot name its own kind.
var formulaSettings = []network.Setting{
	{Key: "text", Default: "smoothstep(0.2, 0.8, a)"},
	{Key: "inputs", Default: []network.Argument{{Key: "a", Type: network.Tone}, {Key: "b", Type: network.Tone}}},
}

// CheckFormula returns the type that an expression over the inputs gives, or what
// is wrong with it: a *formula.Error where a place can be named.
func CheckFormula(text string, args []network.Argument) (formula.Type, error) {
	p, err := compiled(text, args)
	if err != nil {
		return formula.Type{}, err
	}
	return p.Type, nil
}

// programs keeps what was compiled: ports are asked for often.
var programs = struct {
	sync.Mutex
	m map[string]*formula.Program
}{m: map[string]*formula.Program{}}

func compiled(text string, args []network.Argument) (*formula.Program, error) {
	key := fmt.Sprintln(args) + text
	programs.Lock()
	p := programs.m[key]
	programs.Unlock()
	if p != nil {
		return p, nil
	}
	var in []formula.Input
	for _, a := range args {
		if err := formula.CheckName(a.Key); err != nil {
			return nil, err
		}
		in = append(in, formula.Input{Name: a.Key, Vector: a.Type != network.Tone})
	}
	p, err := formula.Parse(text, in)
	if err != nil {
		return nil, err
	}
	if p.Type.N > 3 {
		return nil, errors.New("formula: a node gives one number or three, not a vec4: add .xyz")
	}
	programs.Lock()
	defer programs.Unlock()
	if len(programs.m) >= 500 { // of networks that are long closed
		clear(programs.m)
	}
	programs.m[key] = p
	return p, nil
}

// asFloats returns an expression whose whole numbers are written as floats, for where none is taken for one by itself; one that
// works on whole numbers stays as it is.
func asFloats(text string) string {
	for _, word := range []string{"int", "<<", ">>", "%", "^", "~", "floatBits"} {
		if strings.Contains(text, word) {
			return text
		}
	}
	var out strings.Builder
	word := func(c byte) bool {
		return c == '_' || c == '.' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
	}
	for i := 0; i < len(text); {
		c := text[i]
		if !word(c) {
			out.WriteByte(c)
			i++
			continue
		}
		from := i
		for i < len(text) && (word(text[i]) || (text[i] == '+' || text[i] == '-') && c >= '0' && c <= '9' && (text[i-1] == 'e' || text[i-1] == 'E')) {
			i++
		}
		token := text[from:i]
		out.WriteString(token)
		if c >= '0' && c <= '9' && !strings.ContainsAny(token, ".eExXuUfF") && (from == 0 || text[from-1] != '[') {
			out.WriteString(".0")
		}
	}
	return out.String()
}

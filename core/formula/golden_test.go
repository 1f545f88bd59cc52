package formula_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"mobanta/core/formula"
	"mobanta/core/golden"
)

// What formulas mean and how they are refused: every function and operator with operands of all
// types, drawn at random, and the bounds of what comes out of a range of inputs.
func TestFormulasMeanWhatTheyMeant(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	operands := strings.Fields("a b 0.5 2.0 -1.5 2 -3 5u true a<b c vec2(a,b) vec4(c,1) ivec2(3,-2) uvec2(7u,2u) bvec3(true,a<b,false) ivec3(1,2,3) c.zy vec3(0.5) 1e30")
	any := func() string { return operands[r.IntN(len(operands))] }
	var texts []string
	for _, f := range formula.Functions() {
		for n, wrong := 0, 0; n < 22 && wrong < 60; {
			args := []string{any()}
			for range r.IntN(4) {
				args = append(args, []string{any(), args[0]}[r.IntN(2)])
			}
			text := f.Name + "(" + strings.Join(args, ", ") + ")"
			if _, err := formula.Parse(text, inputs); err != nil && strings.Contains(err.Error(), "argument") {
				if wrong++; wrong > 1 {
					continue // of these one is enough
				}
			}
			texts = append(texts, text)
			n++
		}
	}
	for _, op := range strings.Fields("+ - * / % < > <= >= == != && || ^^ & | ^ << >>") {
		for range 24 {
			x, y := any(), any()
			if r.IntN(3) == 0 {
				y = x
			}
			texts = append(texts, "("+x+") "+op+" ("+y+")")
		}
	}
	for range 60 {
		texts = append(texts, fmt.Sprintf("%s ? %s : %s", []string{"true", "a<b", any()}[r.IntN(3)], any(), any()))
		texts = append(texts, fmt.Sprintf("(%s)[%s]", any(), []string{"0", "1", "2", "3", "-1", "1u", "a", "0.5"}[r.IntN(8)]))
		texts = append(texts, fmt.Sprintf("(%s).%s", any(), []string{"x", "y", "z", "w", "xy", "rgb", "stq", "xg", "xxxx", "xyzwx"}[r.IntN(10)]))
		texts = append(texts, []string{"-", "!", "~", "+"}[r.IntN(4)]+"("+any()+")")
		texts = append(texts, fmt.Sprintf("%s; %s", any(), any()))
	}
	texts = append(texts, "", "(", "a +", "a b", "1.2.3", "0x1F + 0", "1e", "a // rest", "/* a */ b", "/* a", "a ! b", "((a)", "a)", "sin", "sin()", "nothing(a)", "unknown", "a = 2.0", "float x = a; x", "c.q", "1u - 2u", "2147483647 + 1", "07 + 1", "08", "1.f", "1uf", ".5", "5.", "$", "é")
	var lines []string
	for _, text := range texts {
		p, err := formula.Parse(text, inputs)
		if err != nil {
			lines = append(lines, text+" → "+err.Error())
			continue
		}
		n := p.Type.N
		made := func(m int) (out [][]float32) {
			for range n {
				out = append(out, make([]float32, m))
			}
			return out
		}
		out := made(2)
		p.Run([][]float32{{0.25, 0.75}, {2, -0.5}, {1, 0.5}, {2, -1}, {3, 0}}, out)
		line := fmt.Sprintf("%s → %v", text, p.Type)
		for _, v := range out {
			line += fmt.Sprintf(" %.5g/%.5g", v[0], v[1])
		}
		if p.Folds() {
			lo, hi := made(1), made(1)
			p.Bounds([][]float32{{0.2}, {-0.5}, {0.5}, {-1}, {0}}, [][]float32{{0.3}, {2}, {1}, {2}, {3}}, lo, hi)
			for k := range lo {
				line += fmt.Sprintf(" [%.4g %.4g]", lo[k][0], hi[k][0])
			}
		}
		lines = append(lines, line)
	}
	golden.Text(t, "formulas", lines)
}

package formula

import (
	"fmt"
	"math"
	"sort"
	"strconv"
	"strings"
)

// value is an expression that has been lowered: the steps of its components.
type value struct {
	t  Type
	at []int32
}

// Parse reads an expression over the given inputs. The error is an *Error.
func Parse(text string, inputs []Input) (*Program, error) {
	if len(text) > MaxLength {
		return nil, &Error{0, fmt.Sprintf("the formula is %d bytes long, more than the %d that are allowed", len(text), MaxLength)}
	}
	p := &parser{text: text, known: map[step]int32{}, inputs: map[string]value{}, prog: &Program{}}
	plane := int32(0)
	for _, in := range inputs {
		v := value{t: Type{Float, 1}}
		if in.Vector {
			v.t.N = 3
		}
		for range v.t.N {
			v.at = append(v.at, p.add(step{code: opInput, a: plane}))
			plane++
		}
		p.inputs[in.Name] = v
	}
	v, err := p.whole()
	if err != nil {
		return nil, err
	}
	p.prog.Type, p.prog.out = v.t, p.toFloat(v).at // a node gives floats
	p.prog.trim()
	p.prog.allot()
	return p.prog, nil
}

// trim takes out the steps that no result depends on.
func (p *Program) trim() {
	used := make([]bool, len(p.steps))
	for _, o := range p.out {
		used[o] = true
	}
	for i := len(p.steps) - 1; i >= 0; i-- {
		if s := p.steps[i]; used[i] && s.code > opConst {
			used[s.a], used[s.b], used[s.c] = true, true, true
		}
	}
	now := make([]int32, len(p.steps))
	var kept []step
	for i, s := range p.steps {
		if !used[i] {
			continue
		}
		if s.code > opConst {
			s.a, s.b, s.c = now[s.a], now[s.b], now[s.c]
		}
		now[i] = int32(len(kept))
		kept = append(kept, s)
	}
	for k, o := range p.out {
		p.out[k] = now[o]
	}
	p.steps = kept
}

type parser struct {
	text   string
	at     int // of the token
	tok    string
	kind   tokenKind
	end    int // behind the token
	depth  int
	prog   *Program
	known  map[step]int32 // equal steps are computed once
	inputs map[string]value
}

type tokenKind byte

const (
	tokEnd tokenKind = iota
	tokName
	tokNumber
	tokSign
)

func (p *parser) fail(at int, format string, args ...any) error {
	return &Error{at, fmt.Sprintf(format, args...)}
}

var signs = []string{"<<", ">>", "<=", ">=", "==", "!=", "&&", "||", "^^", "+", "-", "*", "/", "%", "<", ">", "!", "~", "&", "|", "^", "?", ":", "(", ")", "[", "]", ".", ","}

// next reads the next token.
func (p *parser) next() error {
	for p.end < len(p.text) {
		c := p.text[p.end]
		rest := p.text[p.end:]
		switch {
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			p.end++
		case strings.HasPrefix(rest, "//"):
			if i := strings.IndexByte(rest, '\n'); i >= 0 {
				p.end += i
			} else {
				p.end = len(p.text)
			}
		case strings.HasPrefix(rest, "/*"):
			i := strings.Index(rest, "*/")
			if i < 0 {
				return p.fail(p.end, "the remark is not closed by */")
			}
			p.end += i + 2
		default:
			return p.token(c)
		}
	}
	p.at, p.tok, p.kind = len(p.text), "", tokEnd
	return nil
}

func (p *parser) token(c byte) error {
	p.at = p.end
	letter := func(c byte) bool { return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }
	digit := func(c byte) bool { return c >= '0' && c <= '9' }
	i := p.at
	switch {
	case letter(c):
		for i < len(p.text) && (letter(p.text[i]) || digit(p.text[i])) {
			i++
		}
		p.kind = tokName
	case digit(c) || c == '.' && i+1 < len(p.text) && digit(p.text[i+1]):
		for i < len(p.text) && (letter(p.text[i]) || digit(p.text[i]) || p.text[i] == '.' ||
			(p.text[i] == '+' || p.text[i] == '-') && (p.text[i-1] == 'e' || p.text[i-1] == 'E') && !strings.HasPrefix(p.text[p.at:], "0x")) {
			i++
		}
		p.kind = tokNumber
	default:
		p.kind = tokSign
		for _, s := range signs {
			if strings.HasPrefix(p.text[i:], s) {
				p.tok, p.end = s, i+len(s)
				if after := p.text[p.end:]; strings.HasPrefix(after, "=") && strings.Contains("+-*/%&|^<<>>", s) {
					return p.fail(i, "a formula is one expression: it cannot change a value with %s=", s)
				}
				return nil
			}
		}
		if c == '=' {
			return p.fail(i, "a formula is one expression: it cannot set a value with =; to compare, write ==")
		}
		if c == ';' {
			return p.fail(i, "a formula is one expression, without ;")
		}
		r := []rune(p.text[i:])[0]
		return p.fail(i, "%q means nothing in a formula", string(r))
	}
	p.tok, p.end = p.text[p.at:i], i
	return nil
}

func (p *parser) whole() (value, error) {
	if err := p.next(); err != nil {
		return value{}, err
	}
	if p.kind == tokEnd {
		return value{}, p.fail(0, "the formula is empty")
	}
	v, err := p.expression()
	if err != nil {
		return v, err
	}
	if p.kind != tokEnd {
		if p.tok == "," {
			return v, p.fail(p.at, "a comma stands between the arguments of a function only")
		}
		return v, p.fail(p.at, "%q is not expected here: an operator is missing, or there is one bracket too many", p.tok)
	}
	return v, nil
}

// add appends a step, or finds it: equal steps are computed once, and constants
// beforehand.
func (p *parser) add(s step) int32 {
	if s.code > opConst {
		get := func(i int32) (float32, bool) {
			return math.Float32frombits(p.prog.steps[i].k), p.prog.steps[i].code == opConst
		}
		a, ca := get(s.a)
		b, cb := get(s.b)
		c, cc := get(s.c)
		if ca && cb && cc {
			s = step{code: opConst, k: math.Float32bits(one(s, a, b, c))}
		}
	}
	if i, ok := p.known[s]; ok {
		return i
	}
	i := int32(len(p.prog.steps))
	p.prog.steps = append(p.prog.steps, s)
	p.known[s] = i
	return i
}

func (p *parser) constant(k float32) int32 { return p.add(step{code: opConst, k: math.Float32bits(k)}) }

// toFloat returns whole numbers as floats; anything else stays what it is.
func (p *parser) toFloat(v value) value {
	switch v.t.Base {
	case Int:
		return p.each(opIntToFloat, Type{Float, v.t.N}, v)
	case Uint:
		return p.each(opUintToFloat, Type{Float, v.t.N}, v)
	}
	return v
}

// by returns the step that does on that base what c does on floats.
func by(b Base, c code) code {
	to, ok := onWhole[c]
	switch {
	case ok && b == Int:
		return to[0]
	case ok && b == Uint:
		return to[1]
	}
	return c
}

// onWhole holds what takes the place of steps on floats, for int and for uint.
var onWhole = map[code][2]code{
	opAdd: {opIntAdd, opIntAdd}, opSub: {opIntSub, opIntSub}, opMul: {opIntMul, opIntMul}, opNeg: {opIntNeg, opIntNeg},
	opDiv: {opIntDiv, opUintDiv}, opIntMod: {opIntMod, opUintMod}, opMin: {opIntMin, opUintMin}, opMax: {opIntMax, opUintMax},
	opLess: {opIntLess, opUintLess}, opLessEqual: {opIntLessEqual, opUintLessEqual}, opEqual: {opBitsEqual, opBitsEqual}, opNotEqual: {opBitsNotEqual, opBitsNotEqual},
	opShiftRight: {opShiftRight, opUintShiftRight}, opAbs: {opIntAbs, opIntAbs}, opSign: {opIntSign, opIntSign},
}

// each applies a step to the components of up to three values of n components;
// single numbers stand for all.
func (p *parser) each(c code, t Type, args ...value) value {
	out := value{t: t}
	pick := func(v value, k int) int32 { return v.at[min(k, len(v.at)-1)] }
	for k := range t.N {
		s := step{code: c, a: pick(args[0], k)}
		s.b, s.c = s.a, s.a
		if len(args) > 1 {
			s.b, s.c = pick(args[1], k), pick(args[1], k)
		}
		if len(args) > 2 {
			s.c = pick(args[2], k)
		}
		out.at = append(out.at, p.add(s))
	}
	return out
}

func (p *parser) expression() (value, error) {
	if p.depth++; p.depth > maxDepth {
		return value{}, p.fail(p.at, "brackets are nested more than %d deep", maxDepth)
	}
	defer func() { p.depth-- }()
	if len(p.prog.steps) > maxOps {
		return value{}, p.fail(p.at, "the formula takes more than %d steps", maxOps)
	}
	cond, err := p.operators(0)
	if err != nil || p.tok != "?" || p.kind != tokSign {
		return cond, err
	}
	at := p.at
	if cond.t != (Type{Bool, 1}) {
		return cond, p.fail(at, "what stands before ? must be true or false, not a %s", cond.t)
	}
	if err := p.next(); err != nil {
		return cond, err
	}
	a, err := p.expression()
	if err != nil {
		return a, err
	}
	if err := p.expect(":"); err != nil {
		return a, err
	}
	b, err := p.expression()
	if err != nil {
		return b, err
	}
	if a, b, err = p.alike(at, "?:", a, b); err != nil || a.t != b.t {
		if err == nil {
			err = p.fail(at, "? chooses between a %s and a %s: both must be the same", a.t, b.t)
		}
		return a, err
	}
	return p.each(opSelect, a.t, a, b, cond), nil
}

func (p *parser) expect(sign string) error {
	if p.kind != tokSign || p.tok != sign {
		if p.kind == tokEnd {
			return p.fail(p.at, "%q is missing at the end", sign)
		}
		return p.fail(p.at, "%q is expected here, not %q", sign, p.tok)
	}
	return p.next()
}

// levels holds the binary operators, those that bind least first.
var levels = [][]string{{"||"}, {"^^"}, {"&&"}, {"|"}, {"^"}, {"&"}, {"==", "!="}, {"<", ">", "<=", ">="}, {"<<", ">>"}, {"+", "-"}, {"*", "/", "%"}}

func (p *parser) operators(level int) (value, error) {
	if level == len(levels) {
		return p.prefix()
	}
	a, err := p.operators(level + 1)
	for err == nil && p.kind == tokSign {
		op := ""
		for _, s := range levels[level] {
			if s == p.tok {
				op = s
			}
		}
		if op == "" {
			return a, nil
		}
		at := p.at
		if err = p.next(); err != nil {
			return a, err
		}
		var b value
		if b, err = p.operators(level + 1); err == nil {
			a, err = p.binary(at, op, a, b)
		}
	}
	return a, err
}

// alike makes whole numbers floats where the other side is one.
func (p *parser) alike(at int, op string, a, b value) (value, value, error) {
	if a.t.whole() && b.t.Base == Float {
		a = p.toFloat(a)
	}
	if b.t.whole() && a.t.Base == Float {
		b = p.toFloat(b)
	}
	if a.t.Base != b.t.Base || a.t.N != b.t.N && a.t.N != 1 && b.t.N != 1 {
		return a, b, p.fail(at, "%s does not go with a %s and a %s", op, a.t, b.t)
	}
	return a, b, nil
}

var binaryCodes = map[string]code{"+": opAdd, "-": opSub, "*": opMul, "/": opDiv, "%": opIntMod, "<": opLess, "<=": opLessEqual,
	"|": opBitOr, "^": opBitXor, "&": opBitAnd, "<<": opShiftLeft, ">>": opShiftRight, "||": opOr, "^^": opXor, "&&": opAnd}

func (p *parser) binary(at int, op string, a, b value) (value, error) {
	if (op == "<<" || op == ">>") && a.t.whole() && b.t.whole() && (a.t.N == b.t.N || b.t.N == 1) {
		return p.each(by(a.t.Base, binaryCodes[op]), a.t, a, b), nil // the number of places may be of the other kind
	}
	a, b, err := p.alike(at, op, a, b)
	if err != nil {
		return a, err
	}
	t := Type{a.t.Base, max(a.t.N, b.t.N)}
	wrong := func(want string) (value, error) {
		return a, p.fail(at, "%s works on %s, not on a %s and a %s", op, want, a.t, b.t)
	}
	switch op {
	case "||", "&&", "^^":
		if t != (Type{Bool, 1}) {
			return wrong("two conditions")
		}
	case "==", "!=":
		if a.t != b.t {
			return wrong("two of the same type")
		}
		eq := p.all(p.each(by(t.Base, opEqual), Type{Bool, t.N}, a, b))
		if op == "!=" {
			return p.each(opNot, eq.t, eq), nil
		}
		return eq, nil
	case "<", ">", "<=", ">=":
		if t.N != 1 || t.Base == Bool {
			return wrong("two numbers")
		}
		if op[0] == '>' {
			a, b, op = b, a, "<"+op[1:]
		}
		return p.each(by(a.t.Base, binaryCodes[op]), Type{Bool, 1}, a, b), nil
	case "%", "|", "^", "&", "<<", ">>":
		if !t.whole() || op == "<<" || op == ">>" {
			return wrong("whole numbers")
		}
	default:
		if t.Base == Bool {
			return wrong("numbers")
		}
	}
	return p.each(by(t.Base, binaryCodes[op]), t, a, b), nil
}

// all returns whether all components are true.
func (p *parser) all(v value) value {
	out := value{Type{Bool, 1}, v.at[:1]}
	for _, at := range v.at[1:] {
		out = p.each(opAnd, out.t, out, value{out.t, []int32{at}})
	}
	return out
}

func (p *parser) prefix() (value, error) {
	if p.kind == tokSign {
		at, op := p.at, p.tok
		switch op {
		case "+", "-", "!", "~":
			if p.depth++; p.depth > maxDepth {
				return value{}, p.fail(at, "signs are nested more than %d deep", maxDepth)
			}
			defer func() { p.depth-- }()
			if err := p.next(); err != nil {
				return value{}, err
			}
			v, err := p.prefix()
			if err != nil {
				return v, err
			}
			switch {
			case op == "!" && v.t == (Type{Bool, 1}):
				return p.each(opNot, v.t, v), nil
			case op == "~" && v.t.whole():
				return p.each(opBitNot, v.t, v), nil
			case op == "-" && v.t.Base != Bool:
				return p.each(by(v.t.Base, opNeg), v.t, v), nil
			case op == "+" && v.t.Base != Bool:
				return v, nil
			}
			return v, p.fail(at, "%s does not go with a %s", op, v.t)
		}
	}
	v, err := p.primary()
	for err == nil && p.kind == tokSign && (p.tok == "." || p.tok == "[") {
		if p.tok == "." {
			v, err = p.swizzle(v)
		} else {
			v, err = p.index(v)
		}
	}
	return v, err
}

func (p *parser) swizzle(v value) (value, error) {
	if err := p.next(); err != nil {
		return v, err
	}
	if p.kind != tokName {
		return v, p.fail(p.at, "after the point stand components such as .x or .rgb")
	}
	name, at := p.tok, p.at
	if v.t.N == 1 {
		return v, p.fail(at, "a %s has no components", v.t)
	}
	out := value{t: Type{v.t.Base, len(name)}}
	if len(name) > 4 {
		return v, p.fail(at, "%q has more than four components", name)
	}
	for _, set := range []string{"xyzw", "rgba", "stpq"} {
		out.at = out.at[:0]
		for _, c := range name {
			if i := strings.IndexRune(set, c); i >= 0 && i < v.t.N {
				out.at = append(out.at, v.at[i])
			}
		}
		if len(out.at) == len(name) {
			return out, p.next()
		}
	}
	return v, p.fail(at, "%q are no components of a %s", name, v.t)
}

func (p *parser) index(v value) (value, error) {
	at := p.at
	if err := p.next(); err != nil {
		return v, err
	}
	i, err := p.expression()
	if err != nil {
		return v, err
	}
	if err := p.expect("]"); err != nil {
		return v, err
	}
	if v.t.N == 1 {
		return v, p.fail(at, "a %s has no components", v.t)
	}
	if i.t.N != 1 || !i.t.whole() || p.prog.steps[i.at[0]].code != opConst {
		return v, p.fail(at, "the number of a component must be a whole number, the same for all points")
	}
	k := int32(p.prog.steps[i.at[0]].k)
	if k < 0 || int(k) >= v.t.N {
		return v, p.fail(at, "a %s has no component %v", v.t, k)
	}
	return value{Type{v.t.Base, 1}, v.at[int(k) : int(k)+1]}, nil
}

func (p *parser) primary() (value, error) {
	at, tok := p.at, p.tok
	switch p.kind {
	case tokEnd:
		return value{}, p.fail(at, "something is missing at the end")
	case tokNumber:
		v, err := p.number(tok)
		if err != nil {
			return v, err
		}
		return v, p.next()
	case tokSign:
		if tok != "(" {
			return value{}, p.fail(at, "a value is expected here, not %q", tok)
		}
		if err := p.next(); err != nil {
			return value{}, err
		}
		v, err := p.expression()
		if err != nil {
			return v, err
		}
		return v, p.expect(")")
	}
	if err := p.next(); err != nil {
		return value{}, err
	}
	switch tok {
	case "true", "false":
		return value{Type{Bool, 1}, []int32{p.constant(truth(tok == "true"))}}, nil
	}
	if p.kind == tokSign && p.tok == "(" {
		return p.call(at, tok)
	}
	if v, ok := p.inputs[tok]; ok {
		return v, nil
	}
	if _, ok := functions[tok]; ok {
		return value{}, p.fail(at, "%s is a function: it needs brackets behind it", tok)
	}
	var names []string
	for n := range p.inputs {
		names = append(names, n)
	}
	sort.Strings(names)
	if len(names) == 0 {
		return value{}, p.fail(at, "nothing is named %q here: the formula has no inputs yet", tok)
	}
	return value{}, p.fail(at, "nothing is named %q here; the inputs are %s", tok, strings.Join(names, ", "))
}

func (p *parser) number(tok string) (value, error) {
	low := strings.ToLower(tok)
	hex := strings.HasPrefix(low, "0x")
	if !hex && strings.ContainsAny(low, ".ef") {
		f, err := strconv.ParseFloat(strings.TrimSuffix(low, "f"), 32)
		if err != nil {
			return value{}, p.fail(p.at, "%q is not a number", tok)
		}
		return value{Type{Float, 1}, []int32{p.constant(float32(f))}}, nil
	}
	digits, base := strings.TrimSuffix(low, "u"), Int
	if digits != low {
		base = Uint
	}
	n, err := strconv.ParseUint(digits, 0, 32) // what has its highest bit set is a negative int
	if err != nil || strings.ContainsAny(low, "_") || strings.ContainsAny(low, "bo") && !hex {
		return value{}, p.fail(p.at, "%q is not a number", tok)
	}
	return value{Type{base, 1}, []int32{p.add(step{code: opConst, k: uint32(n)})}}, nil
}

func (p *parser) call(at int, name string) (value, error) {
	if err := p.next(); err != nil { // the bracket
		return value{}, err
	}
	var args []value
	for p.kind != tokSign || p.tok != ")" {
		v, err := p.expression()
		if err != nil {
			return v, err
		}
		args = append(args, v)
		if p.kind == tokSign && p.tok == "," {
			if err := p.next(); err != nil {
				return v, err
			}
			if p.kind == tokSign && p.tok == ")" {
				return v, p.fail(p.at, "a value is expected after the comma")
			}
			continue
		}
		if p.kind != tokSign || p.tok != ")" {
			return v, p.expect(")")
		}
	}
	if err := p.next(); err != nil {
		return value{}, err
	}
	if t, ok := typeNames[name]; ok {
		return p.construct(at, t, args)
	}
	f, ok := functions[name]
	if !ok {
		if _, in := p.inputs[name]; in {
			return value{}, p.fail(at, "%s is an input, not a function", name)
		}
		return value{}, p.fail(at, "there is no function %q", name)
	}
	if len(args) < f.least || len(args) > f.most {
		return value{}, p.fail(at, "%s takes %s, not %d", name, counted(f.least, f.most), len(args))
	}
	v, err := f.call(p, at, name, args)
	return v, err
}

func counted(least, most int) string {
	switch {
	case least == most && least == 1:
		return "1 argument"
	case least == most:
		return fmt.Sprintf("%d arguments", least)
	}
	return fmt.Sprintf("%d or %d arguments", least, most)
}

// construct makes a value of type t out of the components of others.
func (p *parser) construct(at int, t Type, args []value) (value, error) {
	var comps []value
	for _, a := range args {
		for k := range a.t.N {
			comps = append(comps, value{Type{a.t.Base, 1}, a.at[k : k+1]})
		}
	}
	if len(comps) == 1 {
		for len(comps) < t.N {
			comps = append(comps, comps[0])
		}
	}
	switch {
	case len(args) == 0 || len(comps) < t.N:
		return value{}, p.fail(at, "a %s needs %d numbers, not %d", t, t.N, len(comps))
	case len(comps)-args[len(args)-1].t.N >= t.N && len(args) > 1, len(comps) > t.N && len(args) > 1 && args[len(args)-1].t.N == 1:
		return value{}, p.fail(at, "a %s takes %d numbers, not %d", t, t.N, len(comps))
	}
	out := value{t: t}
	for _, c := range comps[:t.N] {
		one := Type{t.Base, 1}
		switch {
		case t.Base == Float:
			c = p.toFloat(c)
		case t.Base == Bool && c.t.Base != Bool:
			c = p.each(by(c.t.Base, opNotEqual), one, c, value{c.t, []int32{p.constant(0)}})
		case t.Base == Int && !c.t.whole():
			c = p.each(opFloatToInt, one, c)
		case t.Base == Uint && !c.t.whole():
			c = p.each(opFloatToUint, one, c)
		}
		out.at = append(out.at, c.at[0])
	}
	return out, nil
}

package materialx

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/formula"
	"mobanta/core/network"
	"mobanta/core/node"
)

// asked is a node of a document whose counterpart is wanted.
type asked struct {
	*readScope
	n      *Node
	of     network.Type // what it gives
	title  string
	output string
}

// entry returns an input of the node: the document's, or what the standard says where the document says nothing; nil for what is
// the surface's own then, or none.
func (a *asked) entry(name string) *Input {
	for i := range a.n.Inputs {
		if a.n.Inputs[i].Name == name {
			return &a.n.Inputs[i]
		}
	}
	std := library[a.n.Category]
	v, ok := std.values[name]
	if !ok {
		return nil
	}
	kind := std.inputs[name][0]
	if kind == "T" || kind == "F" {
		kind = a.n.Type
	}
	return &Input{Name: name, Type: kind, Value: spread(v, kind)}
}

// fed returns what feeds an input, as one of ours of a type takes it; nothing for the surface's own.
func (a *asked) fed(name string, t network.Type) (network.Input, error) {
	e := a.entry(name)
	if e == nil {
		return network.Input{}, nil
	}
	in, err := a.input(e, a.n)
	if err == nil && len(in.Wires) == 0 {
		in.Value = asType(in.Value, t)
	}
	return in, err
}

// text returns a value that is a word or a whole number.
func (a *asked) text(name, otherwise string) string {
	if e := a.entry(name); e != nil && e.Value != "" {
		return e.Value
	}
	return otherwise
}

func given(id, port string) read { return read{ref: network.Ref{Node: id, Port: port}} }

func wire(r read) network.Input {
	if r.ref.Node == "" {
		return network.Input{Value: r.value}
	}
	return network.Input{Wires: []network.Ref{r.ref}}
}

// wired returns an input if something is wired to it, nothing else.
func wired(in network.Input) network.Input {
	if len(in.Wires) == 0 {
		return network.Input{}
	}
	return in
}

// readers make nodes of ours of those of the standard that are no plain expressions.
var readers map[string]func(a *asked) (read, error)

func init() {
	readers = map[string]func(a *asked) (read, error){
		"constant": (*asked).constant, "dot": (*asked).through, "convert": (*asked).through,
		"position": (*asked).coordinates, "texcoord": (*asked).coordinates, "normal": (*asked).normal, "facingratio": (*asked).facing, "geomcolor": (*asked).painted,
		"time":    func(a *asked) (read, error) { return given(a.put("time", a.title, nil, nil), "seconds"), nil },
		"frame":   func(a *asked) (read, error) { return given(a.put("time", a.title, nil, nil), "frame"), nil },
		"noise2d": (*asked).noise, "noise3d": (*asked).noise, "fractal2d": (*asked).noise, "fractal3d": (*asked).noise,
		"worleynoise2d": (*asked).cells, "worleynoise3d": (*asked).cells, "cellnoise2d": (*asked).cells, "cellnoise3d": (*asked).cells,
		"image": (*asked).image, "tiledimage": (*asked).image, "normalmap": (*asked).relief, "bump": (*asked).relief,
		"extract": (*asked).extract, "separate2": (*asked).extract, "separate3": (*asked).extract, "separate4": (*asked).extract,
		"combine3": (*asked).combine, "combine4": (*asked).combine,
		"screen": (*asked).blend, "overlay": (*asked).blend, "difference": (*asked).blend, "mix": (*asked).mix,
		"switch": (*asked).choose, "checkerboard": (*asked).checkerboard, "place2d": (*asked).place2d,
		"rgbtohsv": (*asked).hsv, "hsvadjust": (*asked).adjustHSV,
	}
}

// expressions are nodes as formulas over their inputs: {x} is the input of that name, {x|v} as many numbers as the node gives,
// {uv} the place on the surface, or what is wired to texcoord.
var expressions = map[string]string{
	"add": "{in1} + {in2|v}", "subtract": "{in1} - {in2|v}", "multiply": "{in1} * {in2|v}", "divide": "{in1} / {in2|v}", "modulo": "mod({in1}, {in2|v})", "fract": "fract({in})", "invert": "{amount|v} - {in}", "absval": "abs({in})", "sign": "sign({in})",
	"floor": "floor({in})", "ceil": "ceil({in})", "round": "floor({in} + 0.5)", "power": "pow({in1}, {in2|v})", "safepower": "sign({in1}) * pow(abs({in1}), {in2|v})", "sin": "sin({in})", "cos": "cos({in})", "tan": "tan({in})", "asin": "asin({in})", "acos": "acos({in})",
	"atan2": "atan({iny}, {inx})", "sqrt": "sqrt({in})", "ln": "log({in})", "exp": "exp({in})", "clamp": "clamp({in}, {low|v}, {high|v})", "min": "min({in1}, {in2|v})", "max": "max({in1}, {in2|v})", "trianglewave": "2.0 * abs({in} - floor({in} + 0.5))",
	"normalize": "normalize({in})", "magnitude": "length({in})", "distance": "distance({in1}, {in2})", "dotproduct": "dot({in1}, {in2})", "crossproduct": "cross({in1}, {in2})", "reflect": "reflect({in}, {normal})",
	"remap":      "{outlow|v} + ({in} - {inlow|v}) / ({inhigh|v} - {inlow|v}) * ({outhigh|v} - {outlow|v})",
	"smoothstep": "smoothstep({low|v}, {high|v}, {in})", "contrast": "({in} - {pivot|v}) * {amount|v} + {pivot|v}", "luminance": "vec3(dot({in}, {lumacoeffs}))", "saturate": "mix(vec3(dot({in}, {lumacoeffs})), {in}, {amount})",
	"plus": "mix({bg}, {bg} + {fg}, {mix})", "minus": "mix({bg}, {bg} - {fg}, {mix})", "mix": "mix({bg}, {fg}, {mix|v})", "screen": "mix({bg}, 1.0 - (1.0 - {bg}) * (1.0 - {fg}), {mix})", "difference": "mix({bg}, abs({bg} - {fg}), {mix})",
	"overlay": "mix({bg}, {bg} < 0.5 ? 2.0 * {bg} * {fg} : 1.0 - 2.0 * (1.0 - {bg}) * (1.0 - {fg}), {mix})",
	"burn":    "step({0.000001|v}, abs({fg})) * mix({bg}, 1.0 - (1.0 - {bg}) / {fg}, {mix})", "dodge": "step({0.000001|v}, abs(1.0 - {fg})) * mix({bg}, {bg} / (1.0 - {fg}), {mix})",
	"inside": "{in} * {mask}", "outside": "{in} * (1.0 - {mask})", "combine2": "vec3({in1}, {in2}, 0.0)",
	"ifgreater": "{value1} > {value2} ? {in1} : {in2}", "ifgreatereq": "{value1} >= {value2} ? {in1} : {in2}", "ifequal": "{value1} == {value2} ? {in1} : {in2}",
	"ramplr": "mix({valuel}, {valuer}, clamp({uv}.x, 0.0, 1.0))", "ramptb": "mix({valueb}, {valuet}, clamp({uv}.y, 0.0, 1.0))", "splitlr": "{uv}.x < {center} ? {valuel} : {valuer}", "splittb": "{uv}.y < {center} ? {valueb} : {valuet}",
	"ramp4":    "mix(mix({valuebl}, {valuebr}, clamp({uv}.x, 0.0, 1.0)), mix({valuetl}, {valuetr}, clamp({uv}.x, 0.0, 1.0)), clamp({uv}.y, 0.0, 1.0))",
	"rotate2d": "vec3(cos(radians({amount})) * {in}.x + sin(radians({amount})) * {in}.y, cos(radians({amount})) * {in}.y - sin(radians({amount})) * {in}.x, 0.0)",
	"rotate3d": "{in} * cos(radians({amount})) + cross({in}, normalize({axis})) * sin(radians({amount})) + normalize({axis}) * dot(normalize({axis}), {in}) * (1.0 - cos(radians({amount})))",
	"hsvtorgb": fromHSV("{in}"),
}

// fromHSV is a colour of hue, saturation and value, all in linear light, hue in turns (Smith 1978).
func fromHSV(v string) string {
	return v + ".z * mix(vec3(1.0), clamp(abs(fract(" + v + ".x + vec3(0.0, 2.0 / 3.0, 1.0 / 3.0)) * 6.0 - 3.0) - 1.0, 0.0, 1.0), " + v + ".y)"
}

// become makes a node of ours, or several, of one of the document.
func (s *readScope) become(n *Node, output string) (read, error) {
	a := &asked{s, n, typeIn(n.Type), s.title(n), output}
	if g, def := s.defined(n); g != nil {
		return a.inside(g, def)
	}
	if f := readers[n.Category]; f != nil {
		return f(a)
	}
	text, ok := expressions[n.Category]
	switch {
	case n.Category == "range":
		within := "({in} - {inlow|v}) / ({inhigh|v} - {inlow|v})"
		if a.text("doclamp", "false") == "true" {
			within = "clamp(" + within + ", 0.0, 1.0)"
		}
		text, ok = "{outlow|v} + sign("+within+") * pow(abs("+within+"), 1.0 / {gamma|v}) * ({outhigh|v} - {outlow|v})", true
	case !ok:
		s.remark("%s, a %s, is not known here: a middle value stands in its place", n.Name, n.Category)
		return read{value: asType(0.5, a.of)}, nil
	}
	return a.expression(text)
}

// expression makes a Formula of an expression over the inputs of the node; see expressions.
func (a *asked) expression(text string) (read, error) {
	c := &calculation{asked: a}
	var b strings.Builder
	for {
		before, rest, more := strings.Cut(text, "{")
		b.WriteString(before)
		if !more {
			break
		}
		var name string
		name, text, _ = strings.Cut(rest, "}")
		name, wide := strings.CutSuffix(name, "|v")
		word, t, err := c.operand(name)
		if err != nil {
			return read{}, err
		}
		if wide && a.of != network.Tone && t == network.Tone {
			word = "vec3(" + word + ")"
		}
		b.WriteString(word)
	}
	return c.put(b.String())
}

// calculation is a Formula in the making.
type calculation struct {
	*asked
	args []network.Argument
	in   map[string]network.Input
}

// operand returns what an input is called in the formula, and of what type it is there.
func (c *calculation) operand(name string) (string, network.Type, error) {
	if name[0] >= '0' && name[0] <= '9' {
		return name, network.Tone, nil
	}
	if name == "uv" {
		in, err := c.uv()
		return c.bind("uv", network.Vector, in), network.Vector, err
	}
	e := c.entry(name)
	if e == nil { // the surface's own, of which there is no value
		in := wire(given(c.asked.put("normal", "", map[string]any{"space": "world"}, nil), "vector"))
		return c.bind(name, network.Vector, in), network.Vector, nil
	}
	t := typeIn(e.Type)
	in, err := c.input(e, c.n)
	if err == nil && len(in.Wires) == 0 {
		in.Value = asType(in.Value, t)
	}
	return c.bind(name, t, in), t, err
}

// bind has an input of the formula fed, and returns what it is called.
func (c *calculation) bind(name string, t network.Type, in network.Input) string {
	key := map[string]string{"in1": "a", "in2": "b", "in": "v"}[name]
	if key == "" {
		key = name
	}
	if formula.CheckName(key) != nil {
		key = "v_" + key
	}
	if c.in == nil {
		c.in = map[string]network.Input{}
	}
	if _, there := c.in[key]; !there {
		c.args = append(c.args, network.Argument{Key: key, Type: t})
		c.in[key] = in
	}
	return key
}

// put adds the formula.
func (c *calculation) put(text string) (read, error) {
	if _, err := node.CheckFormula(text, c.args); err != nil {
		c.remark("%s, a %s of a %s, is not known here: a middle value stands in its place", c.n.Name, c.n.Category, c.n.Type)
		return read{value: asType(0.5, c.of)}, nil
	}
	if c.args == nil {
		c.args = []network.Argument{}
	}
	set := map[string]any{"text": text, "inputs": c.args}
	if c.of == network.Vector {
		set["gives"] = string(network.Vector)
	}
	return given(c.asked.put("formula", c.title, set, c.in), "value"), nil
}

// uv returns the place by texture coordinates, or what is wired to the node's texcoord.
func (a *asked) uv() (network.Input, error) {
	in, err := a.fed("texcoord", network.Vector)
	if err == nil && len(in.Wires) == 0 && in.Value == nil {
		in = wire(given(a.put("coordinates", "", map[string]any{"space": "uv"}, nil), "vector"))
	}
	return in, err
}

func (a *asked) constant() (read, error) {
	e := a.entry("value")
	v, err := a.value(e, a.n)
	if c, ok := v.value.(color.C); ok && err == nil && v.ref.Node == "" && e.InterfaceName == "" {
		return given(a.put("colour", a.title, map[string]any{"colour": c}, nil), "colour"), nil
	}
	return v, err
}

func (a *asked) through() (read, error) {
	e := a.entry("in")
	if e == nil {
		return read{value: asType(0.0, a.of)}, nil
	}
	v, err := a.value(e, a.n)
	if err == nil && v.ref.Node == "" {
		v.value = asType(v.value, a.of)
	}
	return v, err
}

// space returns the space that a node names, as ours is called.
func (a *asked) space() string {
	if s := a.text("space", "object"); s != "model" {
		return s
	}
	return "object"
}

func (a *asked) coordinates() (read, error) {
	space := "uv"
	if a.n.Category == "position" {
		space = a.space()
		a.remark("%s: places are counted in diagonals here, not in lengths of the file", a.n.Name)
	}
	return given(a.put("coordinates", a.title, map[string]any{"space": space}, nil), "vector"), nil
}

func (a *asked) normal() (read, error) {
	return given(a.put("normal", a.title, map[string]any{"space": a.space()}, nil), "vector"), nil
}

func (a *asked) facing() (read, error) {
	f := given(a.put("facing", a.title, nil, map[string]network.Input{}), "tone")
	if a.text("invert", "false") != "true" {
		return f, nil
	}
	return given(a.put("maths", "", map[string]any{"operation": "invert"}, map[string]network.Input{"a": wire(f)}), "value"), nil
}

func (a *asked) painted() (read, error) {
	port := "colour"
	if a.of == network.Tone {
		port = "opacity"
	}
	return given(a.put("painted-values", a.title, nil, nil), port), nil
}

// place returns what is wired to where a noise is asked.
func (a *asked) place() (network.Input, error) {
	from := "position"
	if strings.HasSuffix(a.n.Category, "2d") {
		from = "texcoord"
	}
	in, err := a.fed(from, network.Vector)
	return wired(in), err
}

func (a *asked) noise() (read, error) {
	place, err := a.place()
	if err != nil {
		return read{}, err
	}
	octaves := 1.0
	in := map[string]network.Input{"place": place, "size": {Value: 1.0}}
	if strings.HasPrefix(a.n.Category, "fractal") {
		if octaves, err = strconv.ParseFloat(a.text("octaves", "3"), 64); err != nil {
			octaves = 3
		}
		for key, from := range map[string]string{"finer": "lacunarity", "gain": "diminish"} {
			if in[key], err = a.fed(from, network.Tone); err != nil {
				return read{}, err
			}
		}
	}
	a.remark("%s: the noise is another of the same kind", a.n.Name)
	port, kind := "tone", network.Tone
	if a.of != network.Tone {
		port, kind = "colour", network.Color
	}
	id := a.put("noise", a.title, map[string]any{"octaves": max(1, min(12, octaves))}, in)
	// About 0 there, about ½ here.
	c := &calculation{asked: &asked{a.readScope, a.n, a.of, "", ""}}
	n := c.bind("noise", kind, wire(given(id, port)))
	text := "2.0 * " + n + " - 1.0"
	if e := a.entry("amplitude"); e.NodeName != "" || e.InterfaceName != "" || strings.Trim(e.Value, "1, ") != "" {
		word, _, err := c.operand("amplitude")
		if err != nil {
			return read{}, err
		}
		text = "(" + text + ") * " + word
	}
	if e := a.entry("pivot"); e != nil && (e.NodeName != "" || e.InterfaceName != "" || strings.Trim(e.Value, "0., ") != "") {
		word, _, err := c.operand("pivot")
		if err != nil {
			return read{}, err
		}
		text += " + " + word
	}
	return c.put(text)
}

func (a *asked) cells() (read, error) {
	place, err := a.place()
	if err != nil {
		return read{}, err
	}
	jitter, err := a.fed("jitter", network.Tone)
	if err != nil {
		return read{}, err
	}
	a.remark("%s: the cells are others of the same kind", a.n.Name)
	in := func() map[string]network.Input {
		return map[string]network.Input{"place": place, "size": {Value: 1.0}, "jitter": jitter}
	}
	if strings.HasPrefix(a.n.Category, "cell") {
		return given(a.put("cells", a.title, nil, in()), "id"), nil
	}
	if a.n.Type == "float" {
		return given(a.put("cells", a.title, nil, in()), "nearest"), nil
	}
	second := a.put("cells", a.title, map[string]any{"edge": "second"}, in()) // the nearest and the second as one
	return given(a.put("join", "", map[string]any{"space": "xyz"}, map[string]network.Input{"x": wire(given(second, "nearest")), "y": wire(given(second, "edge")), "z": {Value: 0.0}}), "colour"), nil
}

func (a *asked) image() (read, error) {
	a.remark("%s: its picture %q is not in the document; choose it", a.n.Name, a.text("file", ""))
	wrap := map[string]string{"clamp": "clamp", "constant": "clamp", "mirror": "mirror"}[a.text("uaddressmode", "periodic")]
	if wrap == "" {
		wrap = "repeat"
	}
	set := map[string]any{"beyond": wrap}
	if a.text("filtertype", "linear") == "closest" {
		set["pixels"] = "nearest"
	}
	place, err := a.fed("texcoord", network.Vector)
	if err != nil {
		return read{}, err
	}
	return given(a.put("image", a.title, set, map[string]network.Input{"place": wired(place)}), "colour"), nil
}

func (a *asked) relief() (read, error) {
	kind, key, depth := "normal-map", "map", "strength"
	from, t := "in", network.Color
	if a.n.Category == "bump" {
		kind, key, depth, from, t = "bump", "height", "depth", "height", network.Tone
	}
	height, err := a.fed(from, t)
	if err != nil {
		return read{}, err
	}
	scale, err := a.fed("scale", network.Tone)
	if err != nil {
		return read{}, err
	}
	return given(a.put(kind, a.title, nil, map[string]network.Input{key: height, depth: scale}), "normal"), nil
}

func (a *asked) extract() (read, error) {
	k := map[string]int{"outr": 0, "outx": 0, "outg": 1, "outy": 1, "outb": 2, "outz": 2, "outa": 3, "outw": 3}[a.output]
	if a.n.Category == "extract" {
		k, _ = strconv.Atoi(a.text("index", "0"))
	}
	in, err := a.fed("in", network.Vector)
	if err != nil {
		return read{}, err
	}
	if k > 2 {
		a.remark("%s: opacity is not carried on; it is 1", a.title)
		return read{value: 1.0}, nil
	}
	k = max(0, k)
	if len(in.Wires) == 0 {
		v, _ := in.Value.([3]float64)
		return read{value: v[k]}, nil
	}
	return given(a.put("split", a.title, map[string]any{"space": "xyz"}, map[string]network.Input{"colour": in}), string("xyz"[k])), nil
}

func (a *asked) combine() (read, error) {
	space := "xyz"
	if a.of == network.Color {
		space = "rgb"
	}
	list := map[string]network.Input{}
	for i, key := range "xyz" {
		in, err := a.fed(fmt.Sprint("in", i+1), network.Tone)
		if err != nil {
			return read{}, err
		}
		list[string(key)] = in
	}
	return given(a.put("join", a.title, map[string]any{"space": space}, list), "colour"), nil
}

// laid lays one colour over another in one of our modes.
func (a *asked) laid(mode string) (read, error) {
	list := map[string]network.Input{}
	for _, e := range []struct {
		key, from string
		t         network.Type
	}{{"base", "bg", network.Color}, {"over", "fg", network.Color}, {"amount", "mix", network.Tone}} {
		in, err := a.fed(e.from, e.t)
		if err != nil {
			return read{}, err
		}
		list[e.key] = in
	}
	var set map[string]any
	if mode != "" {
		set = map[string]any{"mode": mode}
	}
	return given(a.put("blend", a.title, set, list), "colour"), nil
}

func (a *asked) blend() (read, error) {
	if a.of != network.Color {
		return a.expression(expressions[a.n.Category])
	}
	return a.laid(a.n.Category)
}

func (a *asked) mix() (read, error) {
	if a.of == network.Color && a.entry("mix").Type == "float" {
		return a.laid("")
	}
	return a.expression(expressions["mix"])
}

// choose takes one of ten inputs by number, nothing beyond them.
func (a *asked) choose() (read, error) {
	var b strings.Builder
	for k := 1; k <= 10; k++ {
		name := fmt.Sprint("in", k)
		if slices.ContainsFunc(a.n.Inputs, func(e Input) bool { return e.Name == name }) {
			fmt.Fprintf(&b, "{which} < %d.0 ? {%s} : ", k, name)
		} else {
			fmt.Fprintf(&b, "{which} < %d.0 ? {0.0|v} : ", k)
		}
	}
	return a.expression(b.String() + "{0.0|v}")
}

func (a *asked) checkerboard() (read, error) {
	fields := "mod(dot(floor({uv} * {uvtiling} - {uvoffset}), vec3(1.0, 1.0, 0.0)), 2.0)"
	return a.expression("mix({color1}, {color2}, " + fields + ")")
}

func (a *asked) place2d() (read, error) {
	turned := func(v string) string { // clockwise, as rotate2d
		return "vec3(dot(" + v + ", vec3(cos(radians({rotate})), sin(radians({rotate})), 0.0)), dot(" + v + ", vec3(-sin(radians({rotate})), cos(radians({rotate})), 0.0)), 0.0)"
	}
	text := turned("(({uv} - {pivot}) / {scale})") + " - {offset} + {pivot}"
	if a.text("operationorder", "0") == "1" {
		text = turned("({uv} - {pivot} - {offset})") + " / {scale} + {pivot}"
	}
	return a.expression(text)
}

// hsv returns hue in turns, saturation and value of a colour in linear light (Smith 1978).
func (a *asked) hsv() (read, error) {
	in, err := a.fed("in", network.Color)
	if err != nil {
		return read{}, err
	}
	single := func(text string, more map[string]network.Input) read {
		c := &calculation{asked: &asked{a.readScope, a.n, network.Tone, "", ""}}
		c.bind("v", network.Color, in)
		for _, k := range []string{"hi", "lo"} {
			if e, ok := more[k]; ok {
				c.bind(k, network.Tone, e)
			}
		}
		r, _ := c.put(text)
		return r
	}
	ends := map[string]network.Input{"hi": wire(single("max(v.x, max(v.y, v.z))", nil)), "lo": wire(single("min(v.x, min(v.y, v.z))", nil))}
	hue := single("hi <= lo ? 0.0 : fract((v.x >= hi ? (v.y - v.z) / (hi - lo) : v.y >= hi ? 2.0 + (v.z - v.x) / (hi - lo) : 4.0 + (v.x - v.y) / (hi - lo)) / 6.0)", ends)
	c := &calculation{asked: &asked{a.readScope, a.n, network.Color, a.title, ""}}
	c.bind("hue", network.Tone, wire(hue))
	c.bind("hi", network.Tone, ends["hi"])
	c.bind("lo", network.Tone, ends["lo"])
	return c.put("vec3(hue, hi > 0.0 ? (hi - lo) / hi : 0.0, hi)")
}

func (a *asked) adjustHSV() (read, error) {
	hsv, err := a.hsv()
	if err != nil {
		return read{}, err
	}
	by, err := a.fed("amount", network.Vector)
	if err != nil {
		return read{}, err
	}
	c := &calculation{asked: &asked{a.readScope, a.n, network.Vector, "", ""}}
	c.bind("hsv", network.Color, wire(hsv))
	c.bind("by", network.Vector, by)
	turned, err := c.put("vec3(hsv.x + by.x, hsv.y * by.y, hsv.z * by.z)")
	if err != nil {
		return read{}, err
	}
	back := &calculation{asked: &asked{a.readScope, a.n, network.Color, a.title, ""}}
	back.bind("c", network.Vector, wire(turned))
	return back.put(fromHSV("c"))
}

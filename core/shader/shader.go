// Package shader writes looks as shaders of the OpenGL ES Shading Language 3.00, and as pages that show a model with them.
package shader

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/texture"
)

// Program is a look as shaders.
type Program struct {
	Look             string // its name
	Vertex, Fragment string
	Uniforms         []Uniform
	Textures         []Texture
	Baked            []Baked // values of vertices, as attributes baked0, baked1…
	Remarks          names.Remarks
	Lines            bool // whether it draws lines, which are left out
}

// Uniform is a value that may be changed while the shader runs.
type Uniform struct {
	Name  string    `json:"name"`
	Label string    `json:"label"`
	Type  string    `json:"type"` // float or vec3; the latter is a colour in linear light
	Value []float64 `json:"value"`
	Min   float64   `json:"min"`
	Max   float64   `json:"max"`
}

// Texture is a picture that the shader reads.
type Texture struct {
	Name    string
	Hash    string
	Wrap    string // as pixmap.Wrap
	Nearest bool
	Data    bool // numbers as they are, not sRGB
}

// Baked is an output of a node that does not travel.
type Baked struct {
	Ref  network.Ref
	Type network.Type
}

// maxBaked is how many values of vertices a shader has room for.
const maxBaked = 8

// Of writes a look of a project that has been made ready.
func Of(p *project.Project, job scene.Job, look string) (*Program, error) {
	net, l := job.Looks[look], p.Look(look)
	if net == nil || l == nil {
		return nil, fmt.Errorf("shader: there is no look %.40q", look)
	}
	end := net.Finish()
	if end == nil {
		return nil, fmt.Errorf("shader: %q has no Finish", l.Name)
	}
	w := &writer{p: p, l: l, net: net, scene: &node.Scene{Scene: job.Scene, Time: node.At(job.Scene.Stage.Time)}, out: &Program{Look: l.Name}, done: map[string]map[string]string{}, names: map[string]string{}, taken: map[string]bool{}}
	cat := node.Catalogue{}
	spec := cat.Of(end)
	colour, err := w.input(end, spec.Input("colour"), sample.AsIs)
	if err != nil {
		return nil, err
	}
	opacity, err := w.input(end, spec.Input("opacity"), sample.AsIs)
	if err != nil {
		return nil, err
	}
	if w.out.Lines = len(end.In["lines"].Wires) > 0; w.out.Lines {
		w.remark("%s: its lines are drawn on pictures, and are left out.", l.Name)
	}
	if len(end.In[node.Displacing].Wires) > 0 {
		w.remark("%s: the surface is as it is moved now.", l.Name)
	}
	w.body = append(w.body, fmt.Sprintf("return vec4(%s, %s);", colour, opacity))
	w.out.Fragment, w.out.Vertex = w.fragment(), w.vertex()
	return w.out, nil
}

// writer is a look being written.
type writer struct {
	p      *project.Project
	l      *project.Look
	net    *network.Network
	scene  *node.Scene
	out    *Program
	done   map[string]map[string]string // node and variant → output → expression
	names  map[string]string            // node → what its variables begin with
	taken  map[string]bool
	uses   []string
	before []string
	body   []string
	points []sample.Variant
}

func (w *writer) remark(format string, of ...any) { w.out.Remarks.Add(0, format, of...) }

// name returns what the variables of a node begin with: what the artist calls it.
func (w *writer) name(d *network.Node) string {
	if n, ok := w.names[d.ID]; ok {
		return n
	}
	n := w.free(slug(d.Title(node.Catalogue{})))
	w.names[d.ID] = n
	return n
}

// free returns a name that is not taken yet, and takes it.
func (w *writer) free(base string) string {
	n := base
	for k := 2; w.taken[n]; k++ {
		n = fmt.Sprint(base, k)
	}
	w.taken[n] = true
	return n
}

// slug returns a name as shaders have it: letters and digits, words after the first with a capital.
func slug(s string) string {
	var out strings.Builder
	up := false
	for _, r := range s {
		if r < 128 && (unicode.IsLetter(r) || unicode.IsDigit(r)) {
			if up {
				r = unicode.ToUpper(r)
			} else if out.Len() == 0 {
				r = unicode.ToLower(r)
			}
			out.WriteRune(r)
			up = false
		} else if out.Len() > 0 {
			up = true
		}
	}
	if out.Len() == 0 || !unicode.IsLetter(rune(out.String()[0])) {
		return "n" + out.String()
	}
	if n := out.String(); n == "gl" || n == "webgl" { // which the language keeps for itself
		return n + "0_"
	}
	return out.String() + "_"
}

// point returns the name of the point at a variant.
func (w *writer) point(v sample.Variant) string {
	if v == sample.AsIs {
		return "p"
	}
	name := "p_" + string(v)
	if !slices.Contains(w.points, v) {
		w.points = append(w.points, v)
		from := w.point(v[:len(v)-1])
		how := map[byte]string{'u': "alongU(%s)", 'v': "alongV(%s)", 'U': "backU(%s)", 'V': "backV(%s)", 'x': "fromX(%s)", 'y': "fromY(%s)", 'z': "fromZ(%s)"}[v[len(v)-1]]
		w.body = append(w.body, fmt.Sprintf("Point %s = "+how+";", name, from))
		w.uses = append(w.uses, "beside")
	}
	return name
}

// maxDepth is how often a node may be evaluated beside the point, beside that, and so on.
const maxDepth = 2

// input returns what feeds an input; "" for a hidden one that is not wired.
func (w *writer) input(d *network.Node, port *network.Port, v sample.Variant) (string, error) {
	wires := d.In[port.Key].Wires
	if len(wires) == 0 {
		return w.constant(d, port), nil
	}
	src := w.net.Node(wires[0].Node)
	outs, err := w.node(src, v)
	if err != nil {
		return "", err
	}
	out := node.Catalogue{}.Of(src).Output(wires[0].Port)
	s := converted(outs[out.Key], out.Type, port.Type)
	if port.Unit {
		s = "unit(" + s + ")"
	}
	return s, nil
}

// converted writes the conversion of a value.
func converted(s string, from, to network.Type) string {
	switch {
	case from == to:
		return s
	case from == network.Tone:
		return "vec3(" + s + ")"
	case from == network.Color && to == network.Tone:
		return "luminance(" + s + ")"
	case to == network.Tone:
		return "length(" + s + ")"
	}
	return s
}

// constant returns what is typed in.
func (w *writer) constant(d *network.Node, port *network.Port) string {
	return w.typed(d, port.Key, port.Name, d.Constant(port), port.Min, port.Max)
}

// typed returns a value as an expression: a uniform where the look has a dial for it or it follows a swatch; nothing for what
// is no value.
func (w *writer) typed(d *network.Node, key, name string, value any, low, high float64) string {
	switch v := value.(type) {
	case float64:
		if u := w.dial(d, key, name, "float", []float64{v}, low, high); u != "" {
			return u
		}
		return node.Float(v)
	case color.C:
		if u := w.painted(d, key, v); u != "" {
			return u
		}
		return node.Vec3(v)
	case [3]float64:
		return node.Vec3([3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
	}
	return ""
}

// dial returns the uniform of a dial on the look's front; "" if there is none.
func (w *writer) dial(d *network.Node, key, name, kind string, value []float64, lo, hi float64) string {
	for i := range w.l.Network.Dials {
		dial := &w.l.Network.Dials[i]
		if dial.Node != d.ID || dial.Key != key {
			continue
		}
		if dial.Min != dial.Max {
			lo, hi = dial.Min, dial.Max
		}
		return w.uniform("dial_"+dial.ID, Uniform{Label: dial.Name, Type: kind, Value: value, Min: lo, Max: hi})
	}
	return ""
}

// painted returns the uniform of the swatch that a colour follows, or of a dial; "" if there is none.
func (w *writer) painted(d *network.Node, key string, c color.C) string {
	value := []float64{float64(c[0]), float64(c[1]), float64(c[2])}
	if own := w.l.Network.Node(d.ID); own != nil { // a flat network knows no swatches
		if s := w.p.Swatch(own.Swatches[key]); s != nil {
			return w.swatch(s.ID, c)
		}
	}
	return w.dial(d, key, key, "vec3", value, 0, 1)
}

func (w *writer) swatch(id string, c color.C) string {
	s := w.p.Swatch(id)
	if s == nil {
		return ""
	}
	name := s.Name
	if name == "" {
		name = s.Color.Hex()
	}
	return w.uniform("swatch_"+id, Uniform{Label: name, Type: "vec3", Value: []float64{float64(c[0]), float64(c[1]), float64(c[2])}, Max: 1})
}

// uniform returns the name of a uniform, which is made if there is none of that key.
func (w *writer) uniform(key string, u Uniform) string {
	at, ok := w.names["uniform "+key]
	if !ok {
		kind, _, _ := strings.Cut(key, "_")
		at = w.free(kind + "_" + strings.TrimSuffix(slug(u.Label), "_"))
		w.names["uniform "+key] = at
		u.Name = at
		w.out.Uniforms = append(w.out.Uniforms, u)
	}
	return at
}

// node writes a node at a variant and returns its outputs.
func (w *writer) node(d *network.Node, v sample.Variant) (map[string]string, error) {
	cat := node.Catalogue{}
	kind, spec := cat.Kind(d.Kind), cat.Of(d)
	if kind == nil {
		return nil, fmt.Errorf("shader: there is no kind %.40q", d.Kind)
	}
	key := d.ID + " " + string(v)
	if outs, ok := w.done[key]; ok {
		return outs, nil
	}
	get := func(key string) any { return d.Value(spec.Setting(key)) }
	var data any
	if kind.Prepare != nil {
		data = kind.Prepare(get)
	}
	if strings.HasPrefix(d.Kind, network.PassKind) {
		s, err := w.input(d, &spec.Inputs[0], v)
		w.done[key] = map[string]string{"value": s}
		return w.done[key], err
	}
	if kind.GLSL == nil {
		return w.stays(d, kind, spec, key)
	}
	name := w.name(d)
	if v != sample.AsIs {
		name += string(v) + "_"
	}
	var failed error
	in := func(key string, v sample.Variant) string {
		port := spec.Input(key)
		if port == nil {
			return "0.0"
		}
		s, err := w.input(d, port, v)
		if err != nil && failed == nil {
			failed = err
		}
		return s
	}
	// What feeds it is written before it is.
	inputs := map[string]string{}
	for i := range spec.Inputs {
		if p := &spec.Inputs[i]; p.Type != network.Lines {
			inputs[p.Key] = in(p.Key, v)
		}
	}
	others := map[string]string{}
	other := func(key string, o sample.Variant) string {
		at := v.Then(o)
		if at.Shifts() > maxDepth {
			return inputs[key]
		}
		if _, ok := others[key+string(o)]; !ok {
			others[key+string(o)] = in(key, at)
		}
		return others[key+string(o)]
	}
	g := node.NewGLSL(name, w.point(v), get, func(key string) string { return inputs[key] }, other,
		func(key string) string { return w.setting(d, spec.Setting(key)) },
		func(key string, stops []color.Stop, mixing color.Mixing) string { return w.ramp(d, key, stops, mixing) }, w.picture)
	g.Data, g.Scene = data, w.scene
	if kind.Light != nil {
		r := kind.Light(data)
		g.Lamps = r.Of(w.scene.Lights)
	}
	kind.GLSL(g)
	if failed != nil {
		return nil, failed
	}
	title := d.Title(cat)
	if title != spec.Name {
		title += ", " + spec.Name
	}
	if len(g.Body) > 0 {
		w.body = append(w.body, "", "// "+comment(title))
		w.body = append(w.body, g.Body...)
	}
	w.before, w.uses = append(w.before, g.Before...), append(w.uses, g.Uses...)
	for _, s := range g.Left {
		w.remark("%s: %s without %s.", w.l.Name, d.Title(cat), s)
	}
	w.done[key] = w.outputs(d, spec, name, g.Outs)
	return w.done[key], nil
}

// outputs returns what a node's outputs are in the program, by their keys; what is more than a name gets one.
func (w *writer) outputs(d *network.Node, spec *network.Spec, name string, written map[string]string) map[string]string {
	outs := map[string]string{}
	for i := range spec.Outputs {
		o := &spec.Outputs[i]
		s, ok := written[o.Key]
		if !ok {
			s = map[bool]string{true: "0.0", false: "vec3(0.0)"}[o.Type == network.Tone]
		}
		if !w.net.Read()[network.Ref{Node: d.ID, Port: o.Key}] && i > 0 {
			continue
		}
		if strings.ContainsAny(s, " (") {
			out := name + o.Key
			if w.taken[out] || len(out) < 3 {
				out = w.free(out)
			}
			w.taken[out] = true
			w.body = append(w.body, fmt.Sprintf("%s %s = %s;", map[bool]string{true: "float", false: "vec3"}[o.Type == network.Tone], ident(out), s))
			s = ident(out)
		}
		outs[o.Key] = s
	}
	return outs
}

// comment returns a text that a line of a comment may hold: a backslash at its end would go on to the next.
func comment(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == '\\' {
			return ' '
		}
		return r
	}, s)
}

// ident returns a name without two lines in a row, which GLSL keeps for itself, or a hyphen.
func ident(s string) string {
	s = strings.ReplaceAll(s, "-", "")
	for strings.Contains(s, "__") {
		s = strings.ReplaceAll(s, "__", "_")
	}
	return s
}

// setting returns a setting as an expression.
func (w *writer) setting(d *network.Node, s *network.Setting) string {
	if v := w.typed(d, s.Key, s.Name, d.Value(s), s.Min, s.Max); v != "" {
		return v
	}
	return "0.0"
}

// stays writes a node that does not travel: what it comes to at the vertices, as an attribute.
func (w *writer) stays(d *network.Node, kind *node.Kind, spec *network.Spec, key string) (map[string]string, error) {
	outs := map[string]string{}
	read := w.net.Read()
	for _, o := range spec.Outputs {
		if !read[network.Ref{Node: d.ID, Port: o.Key}] {
			continue
		}
		if o.Type == network.Lines {
			continue
		}
		if len(w.out.Baked) >= maxBaked {
			w.remark("%s: there is no room for more values of vertices; %s is left at the middle.", w.l.Name, d.Title(node.Catalogue{}))
			outs[o.Key] = map[bool]string{true: "0.5", false: "vec3(0.5)"}[o.Type == network.Tone]
			continue
		}
		at := fmt.Sprintf("vBaked%d", len(w.out.Baked))
		w.out.Baked = append(w.out.Baked, Baked{network.Ref{Node: d.ID, Port: o.Key}, o.Type})
		if o.Type == network.Tone {
			at += ".x"
		}
		outs[o.Key] = at
		w.remark("%s: %s stays as it is now, vertex by vertex. %s", w.l.Name, d.Title(node.Catalogue{}), kind.Stays)
	}
	w.done[key] = outs
	return outs, nil
}

// ramp writes a function from tone to colour and returns its name.
func (w *writer) ramp(d *network.Node, key string, stops []color.Stop, mixing color.Mixing) string {
	id := "ramp " + d.ID + " " + key
	if n, ok := w.names[id]; ok {
		return n
	}
	name := w.free(ident(strings.TrimSuffix(w.name(d), "_") + "_" + slug(key) + "At"))
	w.names[id] = name
	to, from := "%s", "%s"
	switch mixing {
	case color.MixSRGB:
		to, from = "encoded(%s)", "decoded(%s)"
		w.uses = append(w.uses, "srgb")
	case color.MixOklab:
		to, from = "oklab(%s)", "fromOklab(%s)"
		w.uses = append(w.uses, "oklab")
	}
	s := slices.Clone(stops)
	color.SortStops(s)
	if len(s) == 0 {
		s = []color.Stop{{}}
	}
	lines := []string{fmt.Sprintf("vec3 %s(float t) {", name)}
	for i, stop := range s {
		c := node.Vec3(stop.Color)
		if u := w.swatch(stop.Swatch, stop.Color); u != "" {
			c = u
		}
		c = fmt.Sprintf(to, c)
		said := ""
		if stop.Name != "" {
			said = " // " + comment(stop.Name)
		}
		if i == 0 {
			lines = append(lines, fmt.Sprintf("  vec3 c = %s;%s", c, said))
			continue
		}
		at := float64(stop.At)
		a, b := at, at
		switch stop.Edge {
		case color.Soft:
			a, b = at-float64(stop.Softness)/2, at+float64(stop.Softness)/2
		case color.Linear, color.Smooth, color.Ease:
			a = float64(s[i-1].At)
		}
		t := fmt.Sprintf("clamp((t - %s) / %s, 0.0, 1.0)", node.Float(a), node.Float(b-a))
		switch {
		case b-a < 1e-6:
			lines = append(lines, fmt.Sprintf("  if (t >= %s) c = %s;%s", node.Float(at), c, said))
			continue
		case stop.Edge == color.Soft || stop.Edge == color.Smooth:
			t = fmt.Sprintf("smoothstep(%s, %s, t)", node.Float(a), node.Float(b))
		case stop.Edge == color.Ease:
			t = "pow(" + t + ", 2.0)"
		}
		lines = append(lines, fmt.Sprintf("  c = mix(c, %s, %s);%s", c, t, said))
	}
	lines = append(lines, fmt.Sprintf("  return "+from+";", "c"), "}")
	w.before = append(w.before, strings.Join(lines, "\n"))
	return name
}

// picture returns the name of the sampler of a picture.
func (w *writer) picture(hash, wrap string, nearest, data bool) string {
	for _, t := range w.out.Textures {
		if t.Hash == hash && t.Wrap == wrap && t.Nearest == nearest && t.Data == data {
			return t.Name
		}
	}
	t := Texture{fmt.Sprintf("picture%d", len(w.out.Textures)), hash, wrap, nearest, data}
	w.out.Textures = append(w.out.Textures, t)
	return t.Name
}

// fragment puts the fragment shader together.
func (w *writer) fragment() string {
	var b strings.Builder
	b.WriteString("#version 300 es\nprecision highp float;\nprecision highp int;\n\n")
	fmt.Fprintf(&b, "// %s\n\n", comment(w.l.Name))
	b.WriteString(heading)
	for _, u := range w.out.Uniforms {
		fmt.Fprintf(&b, "uniform %s %s; // %s\n", u.Type, u.Name, comment(u.Label))
	}
	for _, t := range w.out.Textures {
		fmt.Fprintf(&b, "uniform sampler2D %s;\n", t.Name)
	}
	for i := range w.out.Baked {
		fmt.Fprintf(&b, "in vec3 vBaked%d;\n", i)
	}
	b.WriteString("\n")
	lib := node.Library(append([]string{"base", "srgb"}, w.uses...))
	lib = strings.ReplaceAll(lib, "PERMUTATION", permutation())
	lib = strings.ReplaceAll(lib, "[LAMPS]", fmt.Sprintf("[%d]", max(1, len(w.scene.Lights))))
	b.WriteString(lib)
	b.WriteString("\n")
	for _, s := range w.before {
		b.WriteString(s + "\n\n")
	}
	b.WriteString("// The look: colour in linear light, and opacity.\nvec4 look(Point p) {\n")
	for _, line := range w.body {
		if line == "" {
			b.WriteString("\n")
			continue
		}
		b.WriteString("  " + line + "\n")
	}
	b.WriteString("}\n\n")
	b.WriteString(ending)
	return b.String()
}

// vertex puts the vertex shader together.
func (w *writer) vertex() string {
	var in, out, set strings.Builder
	for i := range w.out.Baked {
		fmt.Fprintf(&in, "in vec3 baked%d;\n", i)
		fmt.Fprintf(&out, "out vec3 vBaked%d;\n", i)
		fmt.Fprintf(&set, "  vBaked%d = baked%d;\n", i, i)
	}
	return strings.NewReplacer("BAKED_IN\n", in.String(), "BAKED_OUT\n", out.String(), "BAKED_SET\n", set.String()).Replace(vertexText)
}

// permutation returns Perlin's permutation, four numbers to a word.
func permutation() string {
	perm := texture.Permutation()
	var out []string
	for i := 0; i < 256; i += 4 {
		out = append(out, fmt.Sprintf("%du", uint32(perm[i])|uint32(perm[i+1])<<8|uint32(perm[i+2])<<16|uint32(perm[i+3])<<24))
	}
	return strings.Join(out, ", ")
}

// LampCode is what the shaders call a kind of light.
func LampCode(k light.Kind) int {
	return map[light.Kind]int{light.Sun: 0, light.Point: 1, light.Disc: 2, light.Rectangle: 2, light.Headlamp: 3, light.Sky: 4}[k]
}

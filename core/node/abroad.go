package node

import (
	_ "embed"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/sample"
)

// What kinds are in other languages of shading. A kind says it in its own file: GLSL by Kind.GLSL, MaterialX by
// Kind.MaterialX, or why it stays here by Kind.Stays.

// GLSL is one node being written in the OpenGL ES Shading Language 3.00: a kind reads what feeds it as expressions and gives
// its outputs as such. Tones are floats, colours vec3 in linear light, vectors vec3.
type GLSL struct {
	Data  any    // from Prepare
	Name  string // begins the names of its variables
	Point string // of the struct that says where it is evaluated: see library.glsl
	Lamps []int  // of kinds that read lights: which of the scene's
	Scene *Scene

	get     func(key string) any
	in      func(key string) string
	other   func(key string, v sample.Variant) string
	number  func(key string) string
	ramp    func(key string, stops []color.Stop, mixing color.Mixing) string
	picture func(hash string, wrap string, nearest, data bool) string
	Body    []string
	Outs    map[string]string
	Uses    []string
	Before  []string // lines that stand before the look
	Left    []string // what of it does not travel
}

// NewGLSL returns a node to be written. get gives settings, in what feeds an input, "" for a hidden one that is not wired,
// other the same at another variant of the point, number a setting as a number, perhaps a uniform, ramp the name of a
// function from tone to colour, and picture that of a sampler.
func NewGLSL(name, point string, get func(string) any, in func(string) string, other func(string, sample.Variant) string, number func(string) string,
	ramp func(string, []color.Stop, color.Mixing) string, picture func(hash, wrap string, nearest, data bool) string) *GLSL {
	return &GLSL{Name: name, Point: point, get: get, in: in, other: other, number: number, ramp: ramp, picture: picture, Outs: map[string]string{}}
}

// In returns what feeds an input; "" for a hidden one that is not wired.
func (g *GLSL) In(key string) string { return g.in(key) }

// Or returns what feeds an input, or something else where nothing does.
func (g *GLSL) Or(key, otherwise string) string {
	if s := g.in(key); s != "" {
		return s
	}
	return otherwise
}

// Other returns what feeds an input at another variant of the point.
func (g *GLSL) Other(key string, v sample.Variant) string { return g.other(key, v) }

// Choice returns a setting that is a choice.
func (g *GLSL) Choice(key string) string { return g.get(key).(string) }

// Is tells whether a toggle is on.
func (g *GLSL) Is(key string) bool { return g.get(key).(bool) }

// Number returns a setting as an expression.
func (g *GLSL) Number(key string) string { return g.number(key) }

// Of returns a field of the point.
func (g *GLSL) Of(field string) string { return g.Point + "." + field }

// Use says which functions of the library the text needs.
func (g *GLSL) Use(names ...string) { g.Uses = append(g.Uses, names...) }

// Let gives a value a name.
func (g *GLSL) Let(kind, format string, of ...any) string {
	name := fmt.Sprintf("%s%d", g.Name, len(g.Body))
	g.Body = append(g.Body, fmt.Sprintf("%s %s = %s;", kind, name, fmt.Sprintf(format, of...)))
	return name
}

// Do adds a statement.
func (g *GLSL) Do(format string, of ...any) { g.Body = append(g.Body, fmt.Sprintf(format, of...)) }

// Out gives an output.
func (g *GLSL) Out(key, format string, of ...any) { g.Outs[key] = fmt.Sprintf(format, of...) }

// Leave tells that something of the node does not travel.
func (g *GLSL) Leave(format string, of ...any) {
	if s := fmt.Sprintf(format, of...); !slices.Contains(g.Left, s) {
		g.Left = append(g.Left, s)
	}
}

// Ramp returns the name of a function from tone to colour.
func (g *GLSL) Ramp(key string, stops []color.Stop, mixing color.Mixing) string {
	return g.ramp(key, stops, mixing)
}

// Float returns a number as GLSL writes it.
func Float(v float64) string {
	s := strconv.FormatFloat(v, 'g', 9, 64)
	if !strings.ContainsAny(s, ".e") {
		s += ".0"
	}
	if strings.HasPrefix(s, "-") {
		return "(" + s + ")"
	}
	return s
}

// Vec3 returns three numbers as GLSL writes them.
func Vec3(v [3]float32) string {
	return "vec3(" + Float(float64(v[0])) + ", " + Float(float64(v[1])) + ", " + Float(float64(v[2])) + ")"
}

//go:embed library.glsl
var library string

// parts of the library: each begins with a line "//// name: what it needs".
var libraryHead = regexp.MustCompile(`(?m)^//// ([a-z0-9]+):(.*)\n`)

// Library returns the functions of those names and all that they need, in an order in which they can be read.
func Library(names []string) string {
	type part struct {
		needs []string
		text  string
	}
	all := map[string]part{}
	heads := libraryHead.FindAllStringSubmatchIndex(library, -1)
	var order []string
	for i, h := range heads {
		end := len(library)
		if i+1 < len(heads) {
			end = heads[i+1][0]
		}
		name := library[h[2]:h[3]]
		order = append(order, name)
		all[name] = part{strings.Fields(library[h[4]:h[5]]), strings.TrimSpace(library[h[1]:end])}
	}
	wanted := map[string]bool{}
	var want func(name string)
	want = func(name string) {
		if p, ok := all[name]; ok && !wanted[name] {
			wanted[name] = true
			for _, n := range p.needs {
				want(n)
			}
		}
	}
	for _, n := range names {
		want(n)
	}
	var out []string
	for _, n := range order {
		if wanted[n] {
			out = append(out, all[n].text)
		}
	}
	return strings.Join(out, "\n\n") + "\n"
}

// lamps writes a reading that gathers what several lights give: answer writes, for light number k of those that are read, a
// float of which part of its strength the point gives back; sky is the same for a sky, a vec3 over which lies its tone, "" for
// those that a sky says nothing to.
func (g *GLSL) lamps(d *lightData, normal string, answer func(lamp string, k int) string, sky func(k int) string) {
	tone, col, best := g.Let("float", "0.0"), g.Let("vec3", "vec3(0.0)"), ""
	if d.brightest {
		best = g.Let("float", "0.0")
	}
	if d.Shadows && d.Direct {
		g.Leave("cast shadows")
	}
	if d.Bounced {
		g.Leave("bounced light")
	}
	if d.Direct {
		g.Use("lamp")
		for _, k := range g.Lamps {
			l := &g.Scene.Lights[k]
			var share, tint string
			if l.Kind == light.Sky {
				if l.Dome.Pictured() {
					g.Leave("the picture of the sky %q", l.Name)
				}
				c := g.Let("vec3", "%s", sky(k))
				share = g.Let("float", "luminance(%s)", c)
				tint = fmt.Sprintf("(%s > 1e-9 ? %s / %s : vec3(1.0))", share, c, share)
				share = g.Let("float", "max(0.0, %s) * lamps[%d].strength", share, k)
			} else {
				lamp := g.Let("Fall", "fall(lamps[%d], %s, %s)", k, g.Of("pos"), g.Of("eye"))
				share = g.Let("float", "max(0.0, %s) * %s.strength", answer(lamp, k), lamp)
				tint = fmt.Sprintf("lamps[%d].colour", k)
			}
			if l.Parts != nil {
				g.Do("if ((lampParts[%d] >> part & 1) == 0) %s = 0.0;", k, share)
			}
			if best != "" {
				g.Do("if (%s > %s) { %s = %s; %s = %s; %s = %s * %s; }", share, best, best, share, tone, share, col, share, tint)
			} else {
				g.Do("%s += %s; %s += %s * %s;", tone, share, col, share, tint)
			}
		}
	}
	g.Out("tone", "%s", tone)
	g.Out("colour", "%s", col)
}

// normalIn is what is wired to the input "normal", or the surface's own.
func (g *GLSL) normalIn() string { return g.Or("normal", g.Of("normal")) }

// placeIn is what is wired to the input "place", or the place in the model's own space, and how far a pixel reaches along each
// axis of it.
func (g *GLSL) placeIn() (at, foot string) {
	if s := g.In("place"); s != "" {
		g.Use("reach")
		at = g.Let("vec3", "%s", s)
		return at, g.Let("vec3", "reach(%s)", at)
	}
	return g.Of("rest"), g.Of("foot")
}

// Travel tells where a kind goes, for a table.
type Travel struct {
	Kind            *Kind
	GLSL, MaterialX bool
	Lines           bool   // it draws lines, which are left out
	Why             string // it stays, where it does
}

// Travels returns where the kinds go, in the order of the catalogue.
func (Catalogue) Travels() (out []Travel) {
	for _, k := range kinds {
		if k.Spec.Kind != network.FinishKind {
			out = append(out, Travel{k, k.GLSL != nil, k.MaterialX != nil, k.Lines != nil, k.Stays})
		}
	}
	return out
}

// Function puts before the look a function of the node's own, NAME_formula, that gives an expression over arguments.
func (g *GLSL) Function(kind, args, text string) {
	g.Const("%s %sformula(%s) { return %s; }", kind, g.Name, args, text)
}

// Const puts a line before the look.
func (g *GLSL) Const(format string, of ...any) {
	g.Before = append(g.Before, fmt.Sprintf(format, of...))
}

// mode writes a colour laid over another in a mode; nil is normal.
func (g *GLSL) mode(m *color.Mode, base, over string) string {
	if m == nil {
		return over
	}
	text, ok := map[string]string{"normal": "%[2]s", "multiply": "%[1]s * %[2]s", "screen": "%[1]s + %[2]s - %[1]s * %[2]s", "overlay": "hardLight(%[2]s, %[1]s)", "darken": "min(%[1]s, %[2]s)", "lighten": "max(%[1]s, %[2]s)",
		"color-dodge": "dodge(%[1]s, %[2]s)", "color-burn": "burn(%[1]s, %[2]s)", "hard-light": "hardLight(%[1]s, %[2]s)", "soft-light": "softLight(%[1]s, %[2]s)", "difference": "abs(%[1]s - %[2]s)", "exclusion": "%[1]s + %[2]s - 2.0 * %[1]s * %[2]s",
		"hue": "setLuma(setSat(%[2]s, sat(%[1]s)), luma(%[1]s))", "saturation": "setLuma(setSat(%[1]s, sat(%[2]s)), luma(%[1]s))", "color": "setLuma(%[2]s, luma(%[1]s))", "luminosity": "setLuma(%[1]s, luma(%[2]s))",
		"add": "%[1]s + %[2]s", "subtract": "max(vec3(0.0), %[1]s - %[2]s)", "divide": "min(%[1]s / max(%[2]s, vec3(1e-6)), vec3(1e6))", "linear-light": "max(vec3(0.0), %[1]s + 2.0 * %[2]s - 1.0)"}[m.Key]
	if !ok {
		g.Leave("the mode %q", m.Name)
		return over
	}
	if m.Key == "normal" {
		return over
	}
	g.Use("modes")
	s := g.Let("vec3", "%s", over)
	return "(" + fmt.Sprintf(text, base, s) + ")"
}

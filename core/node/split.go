package node

import (
	"fmt"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
)

// space is a way to take a colour or a vector apart into three tones.
type space struct {
	key, name string
	parts     [3][2]string // key and name
	apart     func(c color.C) [3]float32
	together  func(v [3]float32) color.C
}

var spaces = []space{
	{"rgb", "Red, green, blue", [3][2]string{{"x", "red"}, {"y", "green"}, {"z", "blue"}},
		func(c color.C) [3]float32 { return c }, func(v [3]float32) color.C { return v }},
	{"hsv", "Hue, saturation, value", [3][2]string{{"x", "hue"}, {"y", "satur."}, {"z", "value"}}, color.C.HSV, color.FromHSV},
	{"oklch", "OKLCH: lightness, chroma, hue", [3][2]string{{"x", "light"}, {"y", "chroma"}, {"z", "hue"}}, color.C.OKLCH, color.FromOKLCH},
	{"xyz", "X, Y, Z of a vector", [3][2]string{{"x", "x"}, {"y", "y"}, {"z", "z"}},
		func(c color.C) [3]float32 { return c }, func(v [3]float32) color.C { return v }},
}

func findSpace(key any) *space {
	for i := range spaces {
		if spaces[i].key == key {
			return &spaces[i]
		}
	}
	return &spaces[0]
}

func spaceSetting() network.Setting {
	s := network.Setting{Key: "space", Name: "Parts", Type: network.Choice, Default: "rgb"}
	for _, p := range spaces {
		s.Choices = append(s.Choices, network.Option{Key: p.key, Name: p.name})
	}
	return s
}

// partPorts returns the ports of the three parts.
func partPorts(s *space) (out []network.Port) {
	for _, p := range s.parts {
		out = append(out, network.Port{Key: p[0], Name: p[1], Type: network.Tone, Default: 0.5, Min: 0, Max: 1})
	}
	return out
}

// whole returns the type that a space takes apart.
func whole(s *space) (network.Type, string) {
	if s.key == "xyz" {
		return network.Vector, "vector"
	}
	return network.Color, "colour"
}

var _ = register(440, &Kind{
	Spec: network.Spec{
		Kind: "split", Name: "Split", Family: "colour",
		Purpose:  "Takes a colour or a vector apart into three tones.",
		Words:    []string{"separate", "channels", "components", "rgb", "hsv", "oklch", "xyz", "hue", "red", "green", "blue"},
		Source:   "HSV of the encoded colour (Smith 1978), hue in turns; OKLCH from OKLab (Ottosson 2020), hue in turns.",
		Inputs:   []network.Port{{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#D4843F")}},
		Outputs:  partPorts(&spaces[0]),
		Settings: []network.Setting{spaceSetting()},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		sp := findSpace(d.Value(s.Setting("space")))
		in := s.Inputs[0]
		in.Type, in.Name = whole(sp)
		in.Default = network.Converted(in.Default, network.Color, in.Type)
		s.Inputs, s.Outputs = []network.Port{in}, partPorts(sp)
	},
	Prepare: func(get func(string) any) any { return findSpace(get("space")) },
	GLSL: func(g *GLSL) {
		text := map[string]string{"hsv": "hsv(%s)", "oklch": "oklch(%s)"}[g.Data.(*space).key]
		if text == "" {
			text = "%s"
		}
		g.Use(g.Data.(*space).key)
		v := g.Let("vec3", text, g.In("colour"))
		for _, k := range "xyz" {
			g.Out(string(k), "%s.%c", v, k)
		}
	},
	MaterialX: func(m *MaterialX) {
		if k := m.Data.(*space).key; k != "rgb" && k != "xyz" {
			m.Cannot("parts other than red, green and blue are those of encoded colours")
			return
		}
		for i, key := range "xyz" {
			m.Out(string(key), m.Put("extract", XFloat, "in", m.In("colour"), "index", XWhole(i)))
		}
	},
	Run: func(c *Call) {
		sp := c.Data.(*space)
		in := c.In[0]
		for i := range c.N {
			v := sp.apart(color.C{in[0][i], in[1][i], in[2][i]})
			for k, out := range c.Out {
				if out != nil {
					out[0][i] = v[k]
				}
			}
		}
	},
})

var _ = register(450, &Kind{
	Spec: network.Spec{
		Kind: "join", Name: "Join", Family: "colour",
		Purpose:  "Makes a colour or a vector of three tones.",
		Words:    []string{"combine", "channels", "components", "rgb", "hsv", "oklch", "xyz", "hue", "merge"},
		Source:   "The inverse of Split.",
		Inputs:   partPorts(&spaces[0]),
		Outputs:  []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: []network.Setting{spaceSetting()},
	},
	Ports: func(d *network.Node, s *network.Spec) {
		sp := findSpace(d.Value(s.Setting("space")))
		out := s.Outputs[0]
		out.Type, out.Name = whole(sp)
		s.Inputs, s.Outputs = partPorts(sp), []network.Port{out}
	},
	Prepare: func(get func(string) any) any { return findSpace(get("space")) },
	GLSL: func(g *GLSL) {
		text := map[string]string{"hsv": "fromHSV(%s)", "oklch": "fromOKLCH(%s)"}[g.Data.(*space).key]
		if text == "" {
			text = "%s"
		}
		g.Use(g.Data.(*space).key)
		g.Out("colour", text, fmt.Sprintf("vec3(%s, %s, %s)", g.In("x"), g.In("y"), g.In("z")))
	},
	MaterialX: func(m *MaterialX) {
		t := XColor
		switch m.Data.(*space).key {
		case "rgb":
		case "xyz":
			t = XVector
		default:
			m.Cannot("parts other than red, green and blue are those of encoded colours")
			return
		}
		m.Out("colour", m.Put("combine3", t, "in1", m.In("x"), "in2", m.In("y"), "in3", m.In("z")))
	},
	Run: func(c *Call) {
		sp := c.Data.(*space)
		x, y, z, out := c.In[0][0], c.In[1][0], c.In[2][0], c.Out[0]
		for i := range c.N {
			v := sp.together([3]float32{x[i], y[i], z[i]})
			out[0][i], out[1][i], out[2][i] = v[0], v[1], v[2]
		}
	},
})

var _ = register(420, &Kind{
	Spec: network.Spec{
		Kind: "colour-adjust", Name: "Colour adjust", Family: "colour",
		Purpose: "Turns the hue; changes saturation, value, gamma and contrast; tints.",
		Words:   []string{"hue", "saturation", "value", "brightness", "contrast", "gamma", "tint", "grading", "recolour", "hsv"},
		Source:  "Hue, saturation and value of the encoded colour (Smith 1978); then encoded to the power 1 ÷ gamma, contrast about the middle of the encoded range, and a multiplied tint.",
		Inputs: []network.Port{
			{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#D4843F")},
			{Key: "hue", Name: "hue turn", Type: network.Tone, Default: 0.0, Min: -0.5, Max: 0.5, Help: "In turns: ½ is the opposite hue."},
			{Key: "saturation", Name: "satur.", Type: network.Tone, Default: 1.0, Min: 0, Max: 2},
			{Key: "value", Name: "value", Type: network.Tone, Default: 1.0, Min: 0, Max: 2},
			{Key: "gamma", Name: "gamma", Type: network.Tone, Default: 1.0, Min: 0.1, Max: 4},
			{Key: "contrast", Name: "contrast", Type: network.Tone, Default: 1.0, Min: 0, Max: 3},
			{Key: "tint", Name: "tint", Type: network.Color, Default: color.C{1, 1, 1}},
		},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
	},
	GLSL: func(g *GLSL) {
		g.Use("hsv", "safe")
		c := g.Let("vec3", "%s", g.In("colour"))
		h, s, v := g.In("hue"), g.In("saturation"), g.In("value")
		q := g.Let("vec3", "hsv(%s)", c)
		g.Do("if (%s != 0.0 || %s != 1.0 || %s != 1.0) %s = fromHSV(vec3(%s.x + %s, clamp(%s.y * %s, 0.0, 1.0), %s.z * max(0.0, %s)));", h, s, v, c, q, h, q, s, q, v)
		gamma, contrast := g.In("gamma"), g.In("contrast")
		g.Do("if (%[1]s != 1.0 || %[2]s != 1.0) %[3]s = decoded(max(vec3(0.0), (power(max(vec3(0.0), encoded(%[3]s)), vec3(1.0 / max(%[1]s, 1e-3))) - 0.5) * %[2]s + 0.5));", gamma, contrast, c)
		g.Out("colour", "%s * %s", c, g.In("tint"))
	},
	Stays: "It works on encoded colours.",
	Run: func(c *Call) {
		in, n := c.In, c.N
		r, g, b := in[0][0][:n], in[0][1][:n], in[0][2][:n]
		tr, tg, tb := in[6][0][:n], in[6][1][:n], in[6][2][:n]
		o0, o1, o2 := c.Out[0][0][:n], c.Out[0][1][:n], c.Out[0][2][:n]
		still := !slices.Contains(c.Const[1:6], false)
		var last, made color.C
		var lastSet [5]float32
		for i := range n {
			// Drawn pictures are flat: most samples are like the one before.
			v := color.C{r[i], g[i], b[i]}
			same := i > 0 && v[0] == last[0] && v[1] == last[1] && v[2] == last[2]
			if same && !still {
				same = lastSet == [5]float32{in[1][0][i], in[2][0][i], in[3][0][i], in[4][0][i], in[5][0][i]}
			}
			if !same {
				last, lastSet = v, [5]float32{in[1][0][i], in[2][0][i], in[3][0][i], in[4][0][i], in[5][0][i]}
				made = adjusted(v, lastSet)
			}
			o0[i], o1[i], o2[i] = made[0]*tr[i], made[1]*tg[i], made[2]*tb[i]
		}
	},
})

// adjusted returns a colour with its hue turned and its saturation, value, gamma
// and contrast changed; what changes nothing leaves it as it is, to the bit.
func adjusted(c color.C, set [5]float32) color.C {
	if hue, sat, val := set[0], set[1], set[2]; hue != 0 || sat != 1 || val != 1 {
		v := c.HSV()
		c = color.FromHSV([3]float32{v[0] + hue, max(0, min(1, v[1]*sat)), v[2] * max(0, val)})
	}
	if gamma, contrast := set[3], set[4]; gamma != 1 || contrast != 1 {
		e := c.Encoded()
		for k, v := range e {
			v = Power(max(0, v), 1/max(gamma, 1e-3))
			e[k] = max(0, (v-0.5)*contrast+0.5)
		}
		c = color.FromEncoded(e)
	}
	return c
}

var _ = register(430, &Kind{
	Spec: network.Spec{
		Kind: "palette-strip", Name: "Palette strip", Family: "colour",
		Purpose: "Reads colours off a palette, along it by one tone and across by another.",
		Words:   []string{"palette", "lookup", "lut", "gradient map", "colour map", "ramp texture", "strip"},
		Inputs: []network.Port{
			{Key: "along", Name: "along", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "across", Name: "across", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			{Key: "offset", Name: "offset", Type: network.Tone, Default: 0.0, Min: -1, Max: 1},
		},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: []network.Setting{
			{Key: "strip", Name: "Colours", Type: network.Strip, Default: color.Strip{{color.MustHex("#1E2330"), color.MustHex("#3C4F6B"), color.MustHex("#7C93A6"), color.MustHex("#D9D2B8"), color.MustHex("#F6F1DF")}},
				Help: "One row of colours, or several for the second tone."},
			{Key: "smooth", Name: "Blend", Type: network.Toggle, Default: false, Help: "Blends from colour to colour instead of flat cells."},
		},
	},
	Prepare: func(get func(string) any) any {
		return stripData{get("strip").(color.Strip), get("smooth").(bool)}
	},
	Brief: func(a *About) string { return Counted(len(a.Setting("strip").(color.Strip)[0]), "colour") },
	GLSL: func(g *GLSL) {
		d := g.Data.(stripData)
		rows, cols := len(d.strip), len(d.strip[0])
		var all []string
		for _, row := range d.strip {
			for _, c := range row {
				all = append(all, Vec3(c))
			}
		}
		table := g.Name + "strip"
		g.Const("const vec3 %s[%d] = vec3[%d](%s);", table, len(all), len(all), strings.Join(all, ", "))
		at := g.Let("vec2", "vec2(%s + %s, %s) * vec2(%d.0, %d.0)", g.In("along"), g.In("offset"), g.In("across"), cols, rows)
		most := fmt.Sprintf("vec2(%d.0, %d.0)", cols-1, rows-1)
		if !d.smooth {
			i := g.Let("ivec2", "ivec2(clamp(%s, vec2(0.0), %s))", at, most)
			g.Out("colour", "%s[%s.y * %d + %s.x]", table, i, cols, i)
			return
		}
		f := g.Let("vec2", "clamp(%s - 0.5, vec2(0.0), %s)", at, most)
		i := g.Let("ivec2", "ivec2(%s)", f)
		j := g.Let("ivec2", "min(%s + 1, ivec2(%d, %d))", i, cols-1, rows-1)
		g.Out("colour", "mix(mix(%[1]s[%[2]s.y * %[4]d + %[2]s.x], %[1]s[%[2]s.y * %[4]d + %[3]s.x], fract(%[5]s.x)), mix(%[1]s[%[3]s.y * %[4]d + %[2]s.x], %[1]s[%[3]s.y * %[4]d + %[3]s.x], fract(%[5]s.x)), fract(%[5]s.y))", table, i, j, cols, f)
	},
	Stays: "Tables are pictures there.",
	Run: func(c *Call) {
		d := c.Data.(stripData)
		u, v, off, out := c.In[0][0], c.In[1][0], c.In[2][0], c.Out[0]
		for i := range c.N {
			p := d.strip.At(u[i]+off[i], v[i], d.smooth)
			out[0][i], out[1][i], out[2][i] = p[0], p[1], p[2]
		}
	},
})

type stripData struct {
	strip  color.Strip
	smooth bool
}

package materialx

import (
	"math"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
)

// components is how many numbers a value of a type has.
func components(kind string) int {
	switch kind {
	case "color3", "vector3":
		return 3
	case "color4", "vector4":
		return 4
	case "vector2":
		return 2
	}
	return 1
}

// parsed returns a value as a float64, a color.C or a [3]float64; false for a text that is no value of the type. Of a fourth
// component nothing is known here.
func parsed(text, kind string) (any, bool) {
	if kind == "boolean" {
		switch strings.TrimSpace(text) {
		case "true":
			return 1.0, true
		case "false":
			return 0.0, true
		}
		return 0.0, false
	}
	var v [4]float64
	parts := strings.Split(text, ",")
	ok := len(parts) == components(kind)
	for i, f := range parts {
		x, err := strconv.ParseFloat(strings.TrimSpace(f), 64)
		if err != nil || x-x != 0 {
			ok = false
		} else if i < 4 {
			v[i] = x
		}
	}
	switch typeIn(kind) {
	case network.Color:
		return color.C{float32(v[0]), float32(v[1]), float32(v[2])}, ok
	case network.Vector:
		return [3]float64{v[0], v[1], v[2]}, ok
	}
	return v[0], ok
}

// spread returns a value of the table for a type: one number stands for all components.
func spread(value, kind string) string {
	if n := components(kind); n > 1 && !strings.Contains(value, ",") {
		return strings.Repeat(value+",", n-1) + value
	}
	return value
}

// asType returns a value as an input of a type takes it.
func asType(v any, t network.Type) any {
	from := network.Tone
	switch v.(type) {
	case color.C:
		from = network.Color
	case [3]float64:
		from = network.Vector
	}
	return network.Converted(v, from, t)
}

// typeIn returns the type of ours for one of theirs.
func typeIn(t string) network.Type {
	switch t {
	case "color3", "color4":
		return network.Color
	case "vector2", "vector3", "vector4":
		return network.Vector
	}
	return network.Tone
}

// toRec709 are primaries of others as linear light of Rec. 709, of which the values of the standard's colour spaces are: from
// AP1 as the Academy adapts it, from Adobe RGB (1998) and Display P3, which have the same white.
var toRec709 = map[string][9]float64{
	"ap1":   {1.7050509, -0.6217921, -0.0832588, -0.1302564, 1.1408047, -0.0105483, -0.0240034, -0.1289690, 1.1529724},
	"adobe": {1.3983557, -0.3983558, 0, 0, 1, 0, 0, -0.0429289, 1.0429289},
	"p3":    {1.2249402, -0.2249402, 0, -0.0420570, 1.0420570, 0, -0.0196376, -0.0786361, 1.0982736},
}

// colorSpaces are those of the standard, with how they are encoded and what primaries they have.
var colorSpaces = map[string]struct {
	decode    func(float64) float64
	primaries string
}{
	"lin_rec709": {}, "lin_srgb": {}, "none": {}, "": {},
	"srgb_texture": {color.Decode, ""}, "g22_rec709": {gamma(2.2), ""}, "g18_rec709": {gamma(1.8), ""},
	"acescg": {nil, "ap1"}, "lin_ap1": {nil, "ap1"}, "g22_ap1": {gamma(2.2), "ap1"},
	"adobergb": {gamma(563.0 / 256), "adobe"}, "lin_adobergb": {nil, "adobe"},
	"srgb_displayp3": {color.Decode, "p3"}, "lin_displayp3": {nil, "p3"},
}

func gamma(g float64) func(float64) float64 {
	return func(v float64) float64 { return math.Copysign(math.Pow(math.Abs(v), g), v) }
}

// linear returns a colour of a colour space as linear light of Rec. 709; false for a space that is not known.
func linear(c color.C, space string) (color.C, bool) {
	s, ok := colorSpaces[space]
	if !ok {
		return c, false
	}
	v := [3]float64{float64(c[0]), float64(c[1]), float64(c[2])}
	if s.decode != nil {
		for i := range v {
			v[i] = s.decode(v[i])
		}
	}
	if m, ok := toRec709[s.primaries]; ok {
		v = [3]float64{m[0]*v[0] + m[1]*v[1] + m[2]*v[2], m[3]*v[0] + m[4]*v[1] + m[5]*v[2], m[6]*v[0] + m[7]*v[1] + m[8]*v[2]}
	}
	return color.C{float32(v[0]), float32(v[1]), float32(v[2])}, true
}

package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/texture"
	"mobanta/core/vec"
)

var gradient = &Kind{
	Spec: network.Spec{
		Kind: "gradient", Name: "Gradient", Family: "texture",
		Purpose: "Rises evenly along a direction, out from a point or an axis, or round an axis.",
		Words:   []string{"linear", "radial", "spherical", "angular", "sweep", "fall-off", "from top to bottom", "height", "clock", "dial"},
		Inputs: []network.Port{
			{Key: "place", Name: "place", Type: network.Vector, Hidden: true, Help: "Where it is laid. Unwired: the box about the part, from 0 to 1."},
			{Key: "from", Name: "from", Type: network.Vector, Default: [3]float64{0.5, 0, 0.5}, Help: "Where it is 0; a place on the axis."},
			{Key: "to", Name: "to", Type: network.Vector, Default: [3]float64{0.5, 1, 0.5}, Help: "Where it is 1; which way the axis goes."},
			{Key: "reach", Name: "reach", Type: network.Tone, Default: 0.5, Min: 0.01, Max: 2, Help: "Out from an axis: how far it is 1."}},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{{Key: "form", Name: "Form", Type: network.Choice, Default: "along", Choices: []network.Option{{Key: "along", Name: "Along"}, {Key: "back", Name: "There and back"}, {Key: "point", Name: "Out from a point"},
			{Key: "axis", Name: "Out from an axis"}, {Key: "round", Name: "Round an axis"}}, Help: "Its course is shaped by a ramp after it."}},
	},
	NeedsFor: func(_ any, wired func(string) bool) sample.Attr {
		if wired("place") {
			return 0
		}
		return sample.Pos | sample.Rest | sample.Part
	},
	Ways:    []Way{Masked, Multiplied, Varied},
	Prepare: func(get func(string) any) any { return get("form") },
	Run: func(c *Call) {
		out := c.Out[0][0]
		from, to, reach := c.In[1], c.In[2], c.In[3][0]
		for i := range c.N {
			var p vec.V
			if in := c.In[0]; in != nil {
				p = vec.V{in[0][i], in[1][i], in[2][i]}
			} else {
				k := c.Lo + i
				p = c.box(i, vec.V{c.Points.Pos[0][k], c.Points.Pos[1][k], c.Points.Pos[2][k]})
			}
			a := vec.V{from[0][i], from[1][i], from[2][i]}
			way := vec.V{to[0][i], to[1][i], to[2][i]}.Sub(a)
			p = p.Sub(a)
			long := way.Len()
			if !(long > 1e-9) {
				out[i] = 0
				continue
			}
			axis := way.Mul(1 / long)
			h := p.Dot(axis)
			t := h / long
			switch c.Data {
			case "back":
				t = 1 - max(2*t-1, 1-2*t)
			case "point":
				t = p.Len() / long
			case "axis":
				t = p.Sub(axis.Mul(h)).Len() / max(leastSize, reach[i])
			case "round":
				x, y := vec.Across(axis)
				t = float32(math.Atan2(float64(p.Dot(y)), float64(p.Dot(x)))/(2*math.Pi)) + 0.5
			}
			out[i] = max(0, min(1, t))
		}
	},
}

var checker = &Kind{
	Spec: network.Spec{
		Kind: "checker", Name: "Checker", Family: "texture",
		Purpose: "Two colours in turn, as on a chequered board.",
		Words:   []string{"chequer", "checkerboard", "chess", "squares", "tiles", "test pattern", "plaid"},
		Source:  "The mean over what a pixel covers: a product of one square wave for each axis.",
		Inputs: []network.Port{placeInput(),
			{Key: "sizes", Name: "sizes", Type: network.Vector, Default: [3]float64{0.1, 0.1, 0.1}, Help: "Of a field along each axis, in parts of the model's diagonal; 0 does not change along that axis."},
			{Key: "first", Name: "first", Type: network.Color, Default: color.MustHex("#E8DCC0")}, {Key: "second", Name: "second", Type: network.Color, Default: color.MustHex("#3A4A58")}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}, {Key: "tone", Name: "tone", Type: network.Tone, Help: "0 in the first, 1 in the second."}},
	},
	NeedsFor:  laidNeeds,
	Elsewhere: laidElsewhere,
	Run: func(c *Call) {
		sizes, first, second := c.In[1], c.In[2], c.In[3]
		for i := range c.N {
			l := c.laid(i)
			var at, foot [3]float32
			for k := range at {
				if s := sizes[k][i]; s > 0 {
					s = max(leastSize, s)
					at[k], foot[k] = l.at[k]/s, l.foot[k]/s
				} else {
					at[k] = 0.5
				}
			}
			t := 1 - texture.Checker(at, foot)
			if out := c.Out[0]; out != nil {
				for k := range out {
					out[k][i] = first[k][i] + (second[k][i]-first[k][i])*t
				}
			}
			if out := c.Out[1]; out != nil {
				out[0][i] = t
			}
		}
	},
}

var triplanar = &Kind{
	Spec: network.Spec{
		Kind: "triplanar", Name: "Triplanar", Family: "texture",
		Purpose: "Lays an image from three sides, blended by which way the surface looks: for models without UVs.",
		Words:   []string{"box mapping", "no uvs", "three sides", "project", "cubic projection"},
		Inputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color, Default: color.MustHex("#9AA5B1"), Help: "What reads texture coordinates, such as Image, reads here the place as it is seen from each side."}, normalInput(),
			{Key: "sharpness", Name: "sharpness", Type: network.Tone, Default: 0.7, Min: 0, Max: 1, Help: "How quickly one side goes over into another."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
	},
	NeedsFor: normalUnless(sample.Part),
	Elsewhere: func(_ any, input int) []sample.Variant {
		if input == 0 {
			return []sample.Variant{sample.FromX, sample.FromY, sample.FromZ}
		}
		return nil
	},
	Run: func(c *Call) {
		nx, ny, nz := c.normal(1)
		sharp, out := c.In[2][0], c.Out[0]
		if len(c.More) < 3 {
			for k := range out {
				copy(out[k], c.In[0][k])
			}
			return
		}
		for i := range c.N {
			m := &c.Scene.Models[c.Scene.Parts[c.Points.PartOf[c.Lo+i]].Model]
			n := m.Inverse.Dir(vec.V{nx[i], ny[i], nz[i]}).Unit()
			power := 1 + 15*float64(max(0, min(1, sharp[i])))
			var w [3]float32
			sum := float32(0)
			for k := range w {
				w[k] = float32(math.Pow(math.Abs(float64(n[k])), power))
				sum += w[k]
			}
			if !(sum > 0) {
				w, sum = [3]float32{1, 1, 1}, 3
			}
			for k := range out {
				out[k][i] = (w[0]*c.Elsewhere(0)[k][i] + w[1]*c.Elsewhere(1)[k][i] + w[2]*c.Elsewhere(2)[k][i]) / sum
			}
		}
	},
}

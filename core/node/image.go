package node

import (
	"fmt"
	"mobanta/core/network"
	"mobanta/core/pixmap"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(150, &Kind{
	Spec: network.Spec{
		Kind: "image", Name: "Image", Family: "texture",
		Purpose: "A picture laid on the surface.",
		Words:   []string{"texture", "picture", "bitmap", "photo", "map", "png", "jpeg", "webp"},
		Inputs:  []network.Port{{Key: "place", Name: "place", Type: network.Vector, Hidden: true, Help: "0..1 from the picture's lower left corner. Unwired: the model's UVs."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}, {Key: "alpha", Name: "alpha", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "picture", Name: "Picture", Type: network.Picture, Default: ""},
			{Key: "beyond", Name: "Beyond its edge", Type: network.Choice, Default: string(pixmap.Repeat), Choices: []network.Option{{Key: string(pixmap.Repeat), Name: "Repeat"}, {Key: string(pixmap.Clamp), Name: "Clamp"}, {Key: string(pixmap.Mirror), Name: "Mirror"}}},
			{Key: "pixels", Name: "Between pixels", Type: network.Choice, Default: "smooth", Choices: []network.Option{{Key: "smooth", Name: "Smooth"}, {Key: "nearest", Name: "Nearest"}}},
			{Key: "holds", Name: "It holds", Type: network.Choice, Default: "srgb", Choices: []network.Option{{Key: "srgb", Name: "Colours (sRGB)"}, {Key: "data", Name: "Data"}}},
		},
	},
	NeedsFor: func(_ any, wired func(string) bool) sample.Attr {
		if wired("place") {
			return sample.Normal | sample.Eye | sample.Foot
		}
		return sample.UV | sample.Weights | sample.Normal | sample.Eye | sample.Foot
	},
	Elsewhere: laidElsewhere,
	Prepare: func(get func(string) any) any {
		return imageData{get("picture").(string), pixmap.Reading{Wrap: pixmap.Wrap(get("beyond").(string)), Nearest: get("pixels") == "nearest", Data: get("holds") == "data"}}
	},
	Brief: func(a *About) string {
		if a.Setting("picture").(string) == "" {
			return "no picture yet"
		}
		return a.Choice("beyond")
	},
	Concerns: Concerns{UV: "place"},
	Strip:    OnLength,
	GLSL: func(g *GLSL) {
		d := g.Data.(imageData)
		uv := g.Of("uv")
		if s := g.In("place"); s != "" {
			uv = fmt.Sprintf("(%s).xy", s)
		}
		c := g.Let("vec4", "texture(%s, %s)", g.picture(d.picture, string(d.reading.Wrap), d.reading.Nearest, d.reading.Data), uv)
		g.Out("colour", "%s.rgb", c)
		g.Out("alpha", "%s.a", c)
	},
	MaterialX: func(m *MaterialX) {
		d := m.Data.(imageData)
		wrap := map[pixmap.Wrap]string{pixmap.Repeat: "periodic", pixmap.Clamp: "clamp", pixmap.Mirror: "mirror"}[d.reading.Wrap]
		filter := "linear"
		if d.reading.Nearest {
			filter = "closest"
		}
		in := []any{"file", XArg{Type: "filename", Value: m.file(d.picture)}, "uaddressmode", XWord(wrap), "vaddressmode", XWord(wrap), "filtertype", XWord(filter)}
		if at, ok := m.in("place"); ok {
			in = append(in, "texcoord", m.Put("convert", XUV, "in", at))
		}
		c := m.Put("image", "color4", in...)
		m.Out("colour", m.Put("convert", XColor, "in", c))
		m.Out("alpha", m.Put("extract", XFloat, "in", c, "index", XWhole(3)))
	},
	Run: func(c *Call) {
		d := c.Data.(imageData)
		var u, v Plane
		if in := c.In[0]; in != nil {
			u, v = in[0], in[1]
		} else {
			u, v = c.Points.UV[0][c.Lo:c.Lo+c.N], c.Points.UV[1][c.Lo:c.Lo+c.N]
		}
		pic := c.Scene.picture(d.picture)
		for i := range c.N {
			col, alpha := missing, float32(1)
			if pic != nil {
				long, short := c.covered(i)
				col, alpha = pic.Mean(float64(u[i]), float64(v[i]), long, short, d.reading)
			}
			if o := c.Out[0]; o != nil {
				o[0][i], o[1][i], o[2][i] = col[0], col[1], col[2]
			}
			if o := c.Out[1]; o != nil {
				o[0][i] = alpha
			}
		}
	},
})

type imageData struct {
	picture string
	reading pixmap.Reading
}

// covered returns what the pixel of the batch's point i covers of the place that is wired
// to the first input, or of the texture coordinates: along the way in which the surface
// leans away from the eye, where it is longest, and across.
func (c *Call) covered(i int) (long, short [2]float64) {
	p, k := c.Points, c.Lo+i
	foot := p.Foot[k]
	if !(foot > 0) {
		return long, short
	}
	n, eye := vec.V{p.Norm[0][k], p.Norm[1][k], p.Norm[2][k]}, vec.V{p.Eye[0][k], p.Eye[1][k], p.Eye[2][k]}
	cos := n.Dot(eye)
	fu, fv := sample.Frame(n)
	a := eye.Sub(n.Mul(cos)).Unit()
	if a == (vec.V{}) {
		a = fu
	}
	au, av := a.Dot(fu), a.Dot(fv)
	var du, dv [2]float32 // of the place, by the length of the footprint along fu and fv
	if in := c.In[0]; in != nil {
		if c.Const[0] || len(c.More) < 2 {
			return long, short
		}
		step := foot / p.Step(k)
		for o := range du {
			du[o], dv[o] = (c.Elsewhere(0)[o][i]-in[o][i])*step, (c.Elsewhere(1)[o][i]-in[o][i])*step
		}
	} else {
		t := c.Scene.Tri[p.Tri[k]]
		e1, e2 := c.Scene.Pos[t[1]].Sub(c.Scene.Pos[t[0]]), c.Scene.Pos[t[2]].Sub(c.Scene.Pos[t[0]])
		x, y, m := e1.Dot(e1), e2.Dot(e2), e1.Dot(e2)
		det := x*y - m*m
		if !(det > 1e-6*x*y) {
			return long, short
		}
		along := func(d vec.V) (out [2]float32) {
			d = d.Mul(foot)
			w1, w2 := (d.Dot(e1)*y-d.Dot(e2)*m)/det, (d.Dot(e2)*x-d.Dot(e1)*m)/det
			for o := range out {
				out[o] = w1*(c.Scene.UV[t[1]][o]-c.Scene.UV[t[0]][o]) + w2*(c.Scene.UV[t[2]][o]-c.Scene.UV[t[0]][o])
			}
			return out
		}
		du, dv = along(fu), along(fv)
	}
	if cos < 0 {
		cos = -cos
	}
	for o := range long {
		long[o], short[o] = float64(du[o]*au+dv[o]*av), float64((dv[o]*au-du[o]*av)*cos)
	}
	return long, short
}

package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/pixmap"
	"mobanta/core/sample"
)

var imageKind = &Kind{
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
			return 0
		}
		return sample.UV
	},
	Prepare: func(get func(string) any) any {
		return imageData{get("picture").(string), pixmap.Reading{Wrap: pixmap.Wrap(get("beyond").(string)), Nearest: get("pixels") == "nearest", Data: get("holds") == "data"}}
	},
	Folds: func(data any) bool { return data.(imageData).picture != "" },
	// Where a pixel covers more than a texel or two, the picture may hold anything there.
	Bounds: func(c *Call, lo, hi, outLo, outHi [][]Plane) {
		pic := c.Scene.picture(c.Data.(imageData).picture)
		if pic == nil {
			return
		}
		u, v := make([]Plane, 2), make([]Plane, 2)
		if c.In[0] != nil {
			u, v = lo[0], hi[0]
		} else {
			for k := range 2 {
				u[k], v[k] = make(Plane, c.N), make(Plane, c.N)
				c.Points.HalfWay(c.Points.UV[k], c.Lo, u[k], v[k])
			}
		}
		for o := range outLo {
			for k := range outLo[o] {
				for i := range c.N {
					if a, b := (v[0][i]-u[0][i])*float32(pic.W), (v[1][i]-u[1][i])*float32(pic.H); !(a <= 1.5 && b <= 1.5) {
						outLo[o][k][i], outHi[o][k][i] = float32(math.Inf(-1)), float32(math.Inf(1))
					} else {
						outLo[o][k][i], outHi[o][k][i] = c.Out[o][k][i], c.Out[o][k][i]
					}
				}
			}
		}
	},
	Brief: func(a *About) string {
		if a.Setting("picture").(string) == "" {
			return "no picture yet"
		}
		return a.Choice("beyond")
	},
	Concerns: Concerns{UV: "place"},
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
				col, alpha = pic.Lookup(float64(u[i]), float64(v[i]), d.reading)
			}
			if o := c.Out[0]; o != nil {
				o[0][i], o[1][i], o[2][i] = col[0], col[1], col[2]
			}
			if o := c.Out[1]; o != nil {
				o[0][i] = alpha
			}
		}
	},
}

type imageData struct {
	picture string
	reading pixmap.Reading
}

package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/pixmap"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(250, &Kind{
	Spec: network.Spec{
		Kind: "matcap", Name: "Matcap", Family: "light",
		Purpose: "Light that follows the camera: a picture of a lit ball, or a ramp, laid on by how the surface is turned to the eye.",
		Words:   []string{"lit sphere", "sphere map", "material capture", "environment", "spherical", "fake reflection"},
		Source:  "The normal in the space of the eye, turned so that the middle of the ball faces the eye at every pixel (Sloan et al. 2001).",
		Inputs:  []network.Port{normalInput(), {Key: "rotation", Name: "rotation", Type: network.Tone, Default: 0.0, Min: -180, Max: 180, Help: "Degrees, anticlockwise."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}, {Key: "vector", Name: "vector", Type: network.Vector, Help: "Where on the ball, 0..1 from its lower left."}},
		Settings: []network.Setting{
			{Key: "by", Name: "Laid on", Type: network.Choice, Default: "height", Choices: []network.Option{{Key: "picture", Name: "Picture of a ball"}, {Key: "height", Name: "Ramp, from below to above"}, {Key: "rim", Name: "Ramp, from rim to middle"}}},
			{Key: "picture", Name: "Picture", Type: network.Picture, Default: ""},
			{Key: "stops", Name: "Stops", Type: network.Stops, Default: []color.Stop{
				{At: 0, Color: color.MustHex("#33384A"), Edge: color.Step}, {At: 0.4, Color: color.MustHex("#7C8794"), Edge: color.Step}, {At: 0.72, Color: color.MustHex("#E9E3D2"), Edge: color.Step}}},
		},
	},
	NeedsFor: normalUnless(sample.Eye),
	Eyed:     always,
	Prepare: func(get func(string) any) any {
		return matcapData{get("by").(string), get("picture").(string), color.NewRamp(get("stops").([]color.Stop), color.MixLinear)}
	},
	GLSL: func(g *GLSL) {
		d := g.Data.(matcapData)
		n, e := g.Let("vec3", "%s", g.normalIn()), g.Of("eye")
		right := g.Let("vec3", "unit(cross(eyeUp, %s))", e)
		a := g.Let("float", "radians(%s)", g.In("rotation"))
		q := g.Let("vec2", "mat2(cos(%[1]s), -sin(%[1]s), sin(%[1]s), cos(%[1]s)) * vec2(dot(%[2]s, %[3]s), dot(%[2]s, cross(%[4]s, %[3]s)))", a, n, right, e)
		g.Out("vector", "vec3(0.5 + %s / 2.0, 0.0)", q)
		switch d.by {
		case "picture":
			g.Out("colour", "texture(%s, 0.5 + %s / 2.0).rgb", g.picture(d.picture, string(pixmap.Clamp), false, false), q)
		case "rim":
			g.Out("colour", "%s(sqrt(max(0.0, 1.0 - dot(%[2]s, %[2]s))))", g.Ramp("stops", g.get("stops").([]color.Stop), color.MixLinear), q)
		default:
			g.Out("colour", "%s(0.5 + %s.y / 2.0)", g.Ramp("stops", g.get("stops").([]color.Stop), color.MixLinear), q)
		}
	},
	Stays: "Other programs know no space of the eye.",
	Run: func(c *Call) {
		d := c.Data.(matcapData)
		nx, ny, nz := c.normal(0)
		ex, ey, ez := c.planes(&c.Points.Eye)
		pic := c.Scene.picture(d.picture)
		up := c.Points.View.Up
		for i := range c.N {
			n, e := vec.V{nx[i], ny[i], nz[i]}, vec.V{ex[i], ey[i], ez[i]}
			right := up.Cross(e).Unit()
			sin, cos := math.Sincos(float64(c.In[1][0][i]) * math.Pi / 180)
			a, b := n.Dot(right), n.Dot(e.Cross(right))
			x, y := a*float32(cos)+b*float32(sin), b*float32(cos)-a*float32(sin)
			if v := c.Out[1]; v != nil {
				v[0][i], v[1][i], v[2][i] = 0.5+x/2, 0.5+y/2, 0
			}
			if c.Out[0] == nil {
				continue
			}
			var col color.C
			switch d.by {
			case "picture":
				col = missing
				if pic != nil {
					col, _ = pic.Lookup(float64(0.5+x/2), float64(0.5+y/2), pixmap.Reading{Wrap: pixmap.Clamp})
				}
			case "rim":
				col = d.ramp.At(vec.Sqrt(max(0, 1-x*x-y*y)))
			default:
				col = d.ramp.At(0.5 + y/2)
			}
			c.Out[0][0][i], c.Out[0][1][i], c.Out[0][2][i] = col[0], col[1], col[2]
		}
	},
})

type matcapData struct {
	by, picture string
	ramp        *color.Ramp
}

// missing is what is seen of a picture that is not there: a middle grey.
var missing = color.FromBytes(0x80, 0x80, 0x80)

// picture returns the picture of that hash, nil if it is not there.
func (s *Scene) picture(hash string) *pixmap.Pixmap {
	if hash == "" || s == nil || s.Scene == nil || s.Files == nil {
		return nil
	}
	p, err := s.Files.Picture(hash)
	if err != nil {
		return nil
	}
	return p
}

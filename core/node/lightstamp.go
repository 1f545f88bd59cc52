package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

var _ = register(270, &Kind{
	Spec: network.Spec{
		Kind: "light-stamp", Name: "Light stamp", Family: "light",
		Purpose: "A shape or a picture laid where a light would be mirrored: a window, a star, a hard bar of shine.",
		Words:   []string{"highlight shape", "window highlight", "specular shape", "gobo", "star", "glint", "decal", "sparkle", "catchlight"},
		Source:  "The half-angle vector in the tangent plane, moved, turned, stretched and split (Anjyo and Hiramitsu 2003).",
		Inputs: []network.Port{normalInput(),
			{Key: "size", Name: "size", Type: network.Tone, Default: 0.25, Min: 0, Max: 1, Help: "Half of its width, as the sine of the angle that the normal turns by."},
			{Key: "softness", Name: "softness", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "Of a shape's edge, in parts of its size."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color, Help: "The light's colour, times the picture's."}, {Key: "tone", Name: "tone", Type: network.Tone, Help: "Where it lies."}},
		Settings: append([]network.Setting{
			{Key: "shape", Name: "Shape", Type: network.Choice, Default: "window", Choices: []network.Option{{Key: "round", Name: "Round"}, {Key: "square", Name: "Square"}, {Key: "window", Name: "Window"}, {Key: "star", Name: "Star"}, {Key: "ring", Name: "Ring"}, {Key: "bar", Name: "Bar"}, {Key: "picture", Name: "Picture"}}},
			{Key: "picture", Name: "Picture", Type: network.Picture, Default: ""},
			{Key: "stretch", Name: "Stretch", Type: network.Number, Default: 1.0, Min: 0.1, Max: 10, Help: "Width over height."},
			{Key: "turn", Name: "Turn", Type: network.Number, Default: 0.0, Min: -360, Max: 360, Unit: "°"},
			{Key: "right", Name: "Right", Type: network.Number, Default: 0.0, Min: -4, Max: 4, Help: "Moves it, in its own sizes."},
			{Key: "up", Name: "Up", Type: network.Number, Default: 0.0, Min: -4, Max: 4},
			{Key: "split", Name: "Split", Type: network.Number, Default: 0.0, Min: 0, Max: 4, Help: "Parts the two halves by that many sizes."},
		}, whichLights()...),
	},
	Needs:   lit,
	Eyed:    always,
	Unseen:  true,
	Dear:    true,
	Light:   func(data any) Reading { return data.(*stampData).Reading },
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any {
		num := func(key string) float32 { return float32(get(key).(float64)) }
		d := &stampData{Reading: reading(get), shape: get("shape").(string), picture: get("picture").(string),
			stretch: float32(math.Sqrt(float64(num("stretch")))), right: num("right"), up: num("up"), split: num("split")}
		s, c := math.Sincos(get("turn").(float64) * math.Pi / 180)
		d.sin, d.cos = float32(s), float32(c)
		return d
	},
	Brief: func(a *About) string { return a.Choice("shape") + ", size " + a.Input("size") },
	GLSL: func(g *GLSL) {
		g.Use("lamp", "softstep", "stamp")
		d := g.Data.(*stampData)
		n, e, size := g.Let("vec3", "%s", g.normalIn()), g.Of("eye"), g.Let("float", "%s", g.In("size"))
		soft := g.Let("float", "max(0.0, %s) / 2.0", g.In("softness"))
		col, tone := g.Let("vec3", "vec3(0.0)"), g.Let("float", "0.0")
		shape := map[string]int{"round": 0, "square": 1, "window": 2, "star": 3, "ring": 4, "bar": 5}[d.shape]
		for _, k := range g.Lamps {
			l := &g.Scene.Lights[k]
			if l.Kind == light.Sky {
				continue
			}
			f := g.Let("Fall", "fall(lamps[%d], %s, %s)", k, g.Of("pos"), e)
			if l.Parts != nil {
				g.Do("if ((lampParts[%d] >> part & 1) == 0) %s.strength = 0.0;", k, f)
			}
			q := g.Let("vec2", "stampAt(%s, %s, %s.to, %s, vec2(%s, %s), vec2(%s, %s), %s, %s)", n, e, f, size, Float(float64(d.right)), Float(float64(d.up)), Float(float64(d.cos)), Float(float64(d.sin)), Float(float64(d.split)), Float(float64(d.stretch)))
			c := g.Let("vec4", "vec4(vec3(1.0), softstep(stampInside(%d, %s), -%s, %s))", shape, q, soft, soft)
			if d.shape == "picture" {
				g.Do("%s = max(abs(%s.x), abs(%s.y)) > 1.0 ? vec4(0.0) : texture(%s, 0.5 + %s / 2.0);", c, q, q, g.picture(d.picture, string(pixmap.Clamp), false, false), q)
			}
			g.Do("if (%s.x > 1e8) %s.a = 0.0;", q, c)
			g.Do("%[1]s += (%[2]s.rgb * lamps[%[3]d].colour * %[4]s.strength - %[1]s) * %[2]s.a; %[5]s += (1.0 - %[5]s) * %[2]s.a;", col, c, k, f, tone)
		}
		g.Out("colour", "%s", col)
		g.Out("tone", "%s", tone)
	},
	Stays: "Other programs tell nothing of lights.",
	Run: func(c *Call) {
		d := c.Data.(*stampData)
		for _, out := range c.Out {
			for _, p := range out {
				clear(p)
			}
		}
		in := light.NewIncident(c.N)
		pic := c.Scene.picture(d.picture)
		for _, li := range c.lights(&d.Reading) {
			l := &c.Scene.Lights[li]
			if l.Kind == light.Sky {
				continue
			}
			c.fall(l, in)
			for i := range c.N {
				if l.Parts != nil && !l.Parts[c.Points.PartOf[c.Lo+i]] {
					continue
				}
				col, t := d.at(c, in, pic, i)
				if t <= 0 {
					continue
				}
				// What lies above covers what is below.
				if o := c.Out[0]; o != nil {
					for k := range o {
						o[k][i] += (col[k]*l.Color[k]*in.E[i] - o[k][i]) * t
					}
				}
				if o := c.Out[1]; o != nil {
					o[0][i] += (1 - o[0][i]) * t
				}
			}
		}
	},
})

type stampData struct {
	Reading
	shape, picture   string
	stretch          float32 // square root of width over height
	sin, cos         float32
	right, up, split float32
}

// at returns the colour of the stamp at sample i of the batch, and how much it covers.
func (d *stampData) at(c *Call, in *light.Incident, pic *pixmap.Pixmap, i int) (col color.C, cover float32) {
	nx, ny, nz := c.normal(0)
	n, e := vec.V{nx[i], ny[i], nz[i]}, at3(c, i)
	l := vec.V{in.X[i], in.Y[i], in.Z[i]}
	size := c.In[1][0][i]
	if n.Dot(l) <= 0 || n.Dot(e) <= 0 || size < 1e-4 {
		return col, 0
	}
	h := l.Add(e).Unit()
	if h.Dot(n) <= 0 {
		return col, 0
	}
	right := c.Points.View.Up.Cross(n).Unit()
	if right == (vec.V{}) {
		right = c.Points.View.Right
	}
	// Where the spot is seen lies against the way in which the half vector leans.
	x, y := -h.Dot(right)/size, -h.Dot(n.Cross(right))/size
	x, y = x-d.right, y-d.up
	x, y = x*d.cos+y*d.sin, y*d.cos-x*d.sin
	switch {
	case x > d.split/2:
		x -= d.split / 2
	case x < -d.split/2:
		x += d.split / 2
	case d.split > 0:
		return col, 0
	}
	x, y = x/d.stretch, y*d.stretch
	if d.shape == "picture" {
		if x < -1 || x > 1 || y < -1 || y > 1 {
			return col, 0
		}
		if pic == nil {
			return missing, 1
		}
		return pic.Lookup(float64(0.5+x/2), float64(0.5+y/2), pixmap.Reading{Wrap: pixmap.Clamp})
	}
	soft := max(0, c.In[2][0][i])
	return color.C{1, 1, 1}, smoothstep(inside(d.shape, x, y), -soft/2, soft/2)
}

func at3(c *Call, i int) vec.V {
	k := c.Lo + i
	return vec.V{c.Points.Eye[0][k], c.Points.Eye[1][k], c.Points.Eye[2][k]}
}

// inside returns how far (x, y) lies within a shape of half width 1: above 0 inside.
func inside(shape string, x, y float32) float32 {
	r := vec.Sqrt(x*x + y*y)
	ax, ay := max(x, -x), max(y, -y)
	switch shape {
	case "square":
		return 1 - max(ax, ay)
	case "window": // four panes
		return min(1-max(ax, ay), ax-0.09, ay-0.09)
	case "star":
		// Five points: the distance to the edge of a star of inner radius 0.42.
		a := math.Mod(math.Atan2(float64(x), float64(y))+4*math.Pi, 2*math.Pi/5) - math.Pi/5
		s, c := math.Sincos(math.Abs(a))
		px, py := r*float32(c), r*float32(s) // along the hollow, and away from it
		tipX, tipY := float32(math.Cos(math.Pi/5)), float32(math.Sin(math.Pi/5))
		dx, dy := tipX-0.42, tipY
		return (dx*py - dy*(px-0.42)) / vec.Sqrt(dx*dx+dy*dy)
	case "ring":
		return min(1-r, r-0.72)
	case "bar":
		return min(1-ay, 0.22-ax)
	}
	return 1 - r
}

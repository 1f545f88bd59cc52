package node

import (
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

var _ = register(30, &Kind{
	Spec: network.Spec{
		Kind: "coordinates", Name: "Coordinates", Family: "surface",
		Purpose: "The place of each point, in a space of your choice: what textures and gradients are laid along.",
		Words:   []string{"position", "place", "uv", "texture coordinates", "object space", "world space", "screen", "reflection"},
		Outputs: []network.Port{{Key: "vector", Name: "place", Type: network.Vector}},
		Settings: []network.Setting{{Key: "space", Name: "Space", Type: network.Choice, Default: "object", Choices: []network.Option{
			{Key: "object", Name: "Object"}, {Key: "world", Name: "World"}, {Key: "eye", Name: "Eye"}, {Key: "uv", Name: "UV"},
			{Key: "box", Name: "Box"}, {Key: "page", Name: "Page"}, {Key: "reflection", Name: "Reflection"}},
			Help: "Object and world are in units of the stage's size; box runs from 0 to 1 over the part's bounds; page in picture heights from its lower left corner."}},
	},
	NeedsFor: func(data any, _ func(string) bool) sample.Attr {
		switch data {
		case "uv":
			return sample.UV
		case "page":
			return sample.Page
		case "reflection":
			return sample.Normal | sample.Eye
		}
		return sample.Pos | sample.Rest | sample.Part
	},
	Eyed:    func(data any) bool { return data == "eye" || data == "page" || data == "reflection" },
	Prepare: func(get func(string) any) any { return get("space") },
	GLSL: func(g *GLSL) {
		switch g.Choice("space") {
		case "uv":
			g.Out("vector", "vec3(%s, 0.0)", g.Of("uv"))
		case "page":
			g.Out("vector", "vec3(%s, 0.0)", g.Of("page"))
		case "reflection":
			g.Out("vector", "reflect(-%s, %s)", g.Of("eye"), g.Of("normal"))
		case "world":
			g.Out("vector", "%s / stageSize", g.Of("pos"))
		case "eye":
			g.Out("vector", "vec3(dot(%[1]s - eyePlace, eyeRight), dot(%[1]s - eyePlace, eyeUp), -dot(%[1]s - eyePlace, eyeBack)) / stageSize", g.Of("pos"))
		case "box":
			g.Out("vector", "%s", g.Of("box"))
		default:
			g.Out("vector", "%s", g.Of("rest"))
		}
	},
	MaterialX: func(m *MaterialX) {
		switch m.Choice("space") {
		case "object":
			m.Out("vector", m.Rest())
		case "world":
			m.Out("vector", m.Times(m.Put("position", XVector, "space", XWord("world")), XNumber(1/float64(m.Scene.Size))))
		case "uv":
			m.Out("vector", m.Put("convert", XVector, "in", m.Put("texcoord", XUV, "index", XWhole(0))))
		case "reflection":
			m.Out("vector", m.Put("reflect", XVector, "in", m.Put("viewdirection", XVector, "space", XWord("world")), "normal", m.Put("normal", XVector, "space", XWord("world"))))
		default:
			m.Cannot("coordinates of the %s are not known there", m.Choice("space"))
		}
	},
	Run: func(c *Call) {
		out := c.Out[0]
		put := func(i int, v vec.V) { out[0][i], out[1][i], out[2][i] = v[0], v[1], v[2] }
		p := c.Points
		if c.Data == "uv" || c.Data == "page" {
			from := &p.UV
			if c.Data == "page" {
				from = &p.Page
			}
			copy(out[0], from[0][c.Lo:c.Lo+c.N])
			copy(out[1], from[1][c.Lo:c.Lo+c.N])
			clear(out[2])
			return
		}
		if c.Data == "reflection" {
			nx, ny, nz := c.planes(&p.Norm)
			ex, ey, ez := c.planes(&p.Eye)
			for i := range c.N {
				put(i, vec.V{ex[i], ey[i], ez[i]}.Reflect(vec.V{nx[i], ny[i], nz[i]}))
			}
			return
		}
		px, py, pz := c.planes(&p.Pos)
		size := 1 / c.Scene.Size
		switch c.Data {
		case "world":
			for i := range c.N {
				out[0][i], out[1][i], out[2][i] = px[i]*size, py[i]*size, pz[i]*size
			}
		case "eye":
			for i := range c.N {
				put(i, p.View.Camera(vec.V{px[i], py[i], pz[i]}).Mul(size))
			}
		case "box":
			for i := range c.N {
				put(i, c.box(i, vec.V{px[i], py[i], pz[i]}))
			}
		default:
			for i := range c.N {
				out[0][i], out[1][i], out[2][i] = c.object(i)
			}
		}
	},
})

// own is the space of the model that a part belongs to, as kernels ask for it point by
// point: neighbours nearly always lie on one part.
type own struct {
	part     int32 // and one more; 0 for none yet
	m        *stage.Placed
	inverse  vec.M
	diagonal float32 // 1 over the model's diagonal, 1 for a model without one
	scale    float32 // lengths of the stage in parts of the diagonal
}

// space returns the own space of the batch's point i.
func (c *Call) space(i int) *own {
	part := c.Points.PartOf[c.Lo+i]
	if o := &c.own; o.part == part+1 {
		return o
	}
	m := &c.Scene.Models[c.Scene.Parts[part].Model]
	c.own = own{part + 1, m, m.Inverse, 1, m.Inverse.X.Len()}
	if d := m.Surface.Box.Diagonal(); d > 0 {
		c.own.diagonal, c.own.scale = 1/d, c.own.scale/d
	}
	return &c.own
}

// object returns the place of the batch's point i in its model's own space: its diagonal as
// 1, where it was before the model moved.
func (c *Call) object(i int) (x, y, z float32) {
	o, k := c.space(i), c.Lo+i
	if rest := &c.Points.Rest; rest[0] != nil {
		return rest[0][k] * o.diagonal, rest[1][k] * o.diagonal, rest[2][k] * o.diagonal
	}
	p, m := &c.Points.Pos, &o.inverse
	x, y, z = p[0][k], p[1][k], p[2][k]
	return (m.X[0]*x + m.Y[0]*y + m.Z[0]*z + m.O[0]) * o.diagonal, (m.X[1]*x + m.Y[1]*y + m.Z[1]*z + m.O[1]) * o.diagonal, (m.X[2]*x + m.Y[2]*y + m.Z[2]*z + m.O[2]) * o.diagonal
}

// box returns the place of the batch's point i, which is at p, in the box about its part: from
// 0 to 1, where it was before the model moved.
func (c *Call) box(i int, p vec.V) (v vec.V) {
	part := &c.Scene.Parts[c.Points.PartOf[c.Lo+i]]
	if rest := &c.Points.Rest; rest[0] != nil {
		p = c.Scene.Models[part.Model].Matrix.Point(vec.V{rest[0][c.Lo+i], rest[1][c.Lo+i], rest[2][c.Lo+i]})
	}
	for k := range v {
		if d := part.Box.Max[k] - part.Box.Min[k]; d > 0 {
			v[k] = (p[k] - part.Box.Min[k]) / d
		}
	}
	return v
}

package node

import (
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var coordinates = &Kind{
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
	Prepare: func(get func(string) any) any { return get("space") },
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
		for i := range c.N {
			p := vec.V{px[i], py[i], pz[i]}
			switch c.Data {
			case "world":
				put(i, p.Mul(size))
			case "eye":
				put(i, c.Points.View.Camera(p).Mul(size))
			case "box":
				put(i, c.box(i, p))
			default:
				put(i, c.object(i, p))
			}
		}
	},
}

// object returns the place of the batch's point i, which is at p, in its model's own space: its
// diagonal as 1, where it was before the model moved.
func (c *Call) object(i int, p vec.V) vec.V {
	m := &c.Scene.Models[c.Scene.Parts[c.Points.PartOf[c.Lo+i]].Model]
	q := m.Inverse.Point(p)
	if rest := &c.Points.Rest; rest[0] != nil {
		q = vec.V{rest[0][c.Lo+i], rest[1][c.Lo+i], rest[2][c.Lo+i]}
	}
	if d := m.Surface.Box.Diagonal(); d > 0 {
		q = q.Mul(1 / d)
	}
	return q
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

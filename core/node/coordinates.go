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
			Help: "Object and world are in units of the stage's size; box runs from 0 to 1 over the part's bounds; page from 0 to 1 over the picture's height."}},
	},
	Needs:   sample.Pos | sample.Normal | sample.Eye | sample.UV,
	Prepare: func(get func(string) any) any { return get("space") },
	Run: func(c *Call) {
		out := c.Out[0]
		put := func(i int, v vec.V) { out[0][i], out[1][i], out[2][i] = v[0], v[1], v[2] }
		px, py, pz := c.planes(&c.Set.Pos)
		nx, ny, nz := c.planes(&c.Set.Norm)
		ex, ey, ez := c.planes(&c.Set.Eye)
		view := &c.Set.View
		size := 1 / c.Scene.Size
		for i := range c.N {
			p := vec.V{px[i], py[i], pz[i]}
			part := &c.Scene.Parts[c.Set.Part[c.Lo+i]]
			switch c.Data {
			case "world":
				put(i, p.Mul(size))
			case "eye":
				put(i, view.Camera(p).Mul(size))
			case "uv":
				put(i, vec.V{c.Set.UV[0][c.Lo+i], c.Set.UV[1][c.Lo+i], 0})
			case "box":
				var v vec.V
				for k := range v {
					if d := part.Box.Max[k] - part.Box.Min[k]; d > 0 {
						v[k] = (p[k] - part.Box.Min[k]) / d
					}
				}
				put(i, v)
			case "page":
				// Aspect-corrected: both axes in picture heights, the middle of the picture at ½ of its width.
				at := c.Set.Pixel[c.Lo+i]
				h := float32(view.H)
				put(i, vec.V{(float32(at%int32(view.W)) + c.Set.At[0]) / h, 1 - (float32(at/int32(view.W))+c.Set.At[1])/h, 0})
			case "reflection":
				put(i, vec.V{ex[i], ey[i], ez[i]}.Reflect(vec.V{nx[i], ny[i], nz[i]}))
			default: // object: the model's own space, its diagonal as 1
				m := &c.Scene.Models[part.Model]
				q := m.Inverse.Point(p)
				if d := m.Surface.Box.Diagonal(); d > 0 {
					q = q.Mul(1 / d)
				}
				put(i, q)
			}
		}
	},
}

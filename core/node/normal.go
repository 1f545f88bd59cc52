package node

import (
	"fmt"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

type normalData struct {
	flat  bool
	space string
}

var _ = register(40, &Kind{
	Spec: network.Spec{
		Kind: "normal", Name: "Normal", Family: "surface",
		Purpose: "The direction that the surface faces at each point.",
		Words:   []string{"direction", "facing", "flat shading", "faceted", "orientation"},
		Outputs: []network.Port{{Key: "vector", Name: "normal", Type: network.Vector}},
		Settings: []network.Setting{
			{Key: "shape", Name: "Shape", Type: network.Choice, Default: "smooth", Choices: []network.Option{{Key: "smooth", Name: "Smooth"}, {Key: "flat", Name: "Flat"}},
				Help: "Smooth follows the rounded form; flat is one direction for each face."},
			{Key: "space", Name: "Space", Type: network.Choice, Default: "world", Choices: []network.Option{{Key: "world", Name: "World"}, {Key: "object", Name: "Object"}, {Key: "eye", Name: "Eye"}}},
		},
	},
	NeedsFor: func(data any, _ func(string) bool) sample.Attr {
		if data.(normalData).flat {
			return sample.Flat | sample.Part
		}
		return sample.Normal | sample.Part
	},
	Eyed: func(data any) bool { return data.(normalData).space == "eye" },
	Prepare: func(get func(string) any) any {
		return normalData{flat: get("shape") == "flat", space: get("space").(string)}
	},
	GLSL: func(g *GLSL) {
		n := g.Of("normal")
		if g.Choice("shape") == "flat" {
			n = g.Of("flatNormal")
		}
		switch g.Choice("space") {
		case "object":
			n = fmt.Sprintf("unit(%s * toWorld)", n)
		case "eye":
			n = fmt.Sprintf("vec3(dot(%[1]s, eyeRight), dot(%[1]s, eyeUp), dot(%[1]s, eyeBack))", n)
		}
		g.Out("vector", "%s", n)
	},
	MaterialX: func(m *MaterialX) {
		if m.Choice("shape") == "flat" || m.Choice("space") == "eye" {
			m.Cannot("normals of faces and of the eye are not known there")
			return
		}
		m.Out("vector", m.Put("normal", XVector, "space", XWord(m.Choice("space"))))
	},
	Run: func(c *Call) {
		d := c.Data.(normalData)
		from := &c.Points.Norm
		if d.flat {
			from = &c.Points.Flat
		}
		x, y, z := c.planes(from)
		out := c.Out[0]
		view := &c.Points.View
		for i := range c.N {
			n := vec.V{x[i], y[i], z[i]}
			switch d.space {
			case "object":
				// The transposed map takes normals back, as the cofactor takes them out.
				m := &c.Scene.Models[c.Scene.Parts[c.Points.PartOf[c.Lo+i]].Model].Matrix
				n = vec.V{m.X.Dot(n), m.Y.Dot(n), m.Z.Dot(n)}.Unit()
			case "eye":
				n = vec.V{n.Dot(view.Right), n.Dot(view.Up), n.Dot(view.Back)}
			}
			out[0][i], out[1][i], out[2][i] = n[0], n[1], n[2]
		}
	},
})

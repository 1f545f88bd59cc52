package node

import (
	"fmt"
	"math"

	"mobanta/core/network"
	"mobanta/core/sample"
)

var _ = register(50, &Kind{
	Spec: network.Spec{
		Kind: "facing", Name: "Facing", Family: "surface",
		Purpose: "How much the surface faces the eye: 1 where it looks at you, 0 at the rim.",
		Words:   []string{"facing ratio", "fresnel", "rim", "edge", "view angle", "silhouette", "reflectance"},
		Source:  "Ratio: |N·V|. Fresnel: the unpolarised reflectance of a dielectric, exact (Born and Wolf, Principles of Optics, 1.5.2).",
		Inputs:  []network.Port{normalInput()},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "measure", Name: "Measure", Type: network.Choice, Default: "ratio", Choices: []network.Option{{Key: "ratio", Name: "Facing ratio"}, {Key: "fresnel", Name: "Fresnel"}},
				Help: "Fresnel is the share of light that glass or water mirrors: low in the middle, 1 at the rim."},
			{Key: "ior", Name: "Index of refraction", Type: network.Number, Default: 1.5, Min: 0.05, Max: 10,
				Help: "For Fresnel: 1.33 water, 1.5 glass; below 1 the view is from inside, and grazing light is mirrored wholly."},
		},
	},
	Eyed:     always,
	NeedsFor: normalUnless(sample.Eye),
	Ways:     []Way{Multiplied, Masked},
	Prepare: func(get func(string) any) any {
		if get("measure") == "fresnel" {
			return get("ior").(float64)
		}
		return 0.0
	},
	GLSL: func(g *GLSL) {
		f := g.Let("float", "min(1.0, abs(dot(%s, %s)))", g.normalIn(), g.Of("eye"))
		if g.Choice("measure") == "fresnel" {
			g.Use("fresnel")
			f = fmt.Sprintf("fresnel(%s, %s)", f, g.Number("ior"))
		}
		g.Out("tone", "%s", f)
	},
	MaterialX: func(m *MaterialX) {
		if m.Choice("measure") == "fresnel" {
			m.Cannot("Fresnel is no node there")
			return
		}
		m.Out("tone", m.facing())
	},
	Run: func(c *Call) {
		ior := c.Data.(float64)
		out := c.Out[0][0]
		facingRatio(c, 0, out)
		if ior > 0 {
			for i, cos := range out {
				out[i] = float32(Fresnel(float64(cos), ior))
			}
		}
	},
})

// facingRatio writes |N·V| for the normals wired to an input, or the surface's own.
func facingRatio(c *Call, input int, out Plane) {
	nx, ny, nz := c.normal(input)
	ex, ey, ez := c.planes(&c.Points.Eye)
	nx, ny, nz, ex, ey, ez = nx[:len(out)], ny[:len(out)], nz[:len(out)], ex[:len(out)], ey[:len(out)], ez[:len(out)]
	for i := range out {
		d := nx[i]*ex[i] + ny[i]*ey[i] + nz[i]*ez[i]
		if d < 0 {
			d = -d
		}
		if d > 1 {
			d = 1
		}
		out[i] = d
	}
}

// Fresnel returns the share of unpolarised light that the plane border of a
// dielectric mirrors, 0 to 1, for the cosine of the angle of incidence and the
// index of refraction beyond over that before; 1 under total internal reflection.
func Fresnel(cos, ior float64) float64 {
	t := 1 - (1-cos*cos)/(ior*ior)
	if t < 0 {
		return 1
	}
	ct := math.Sqrt(t)
	s := (cos - ior*ct) / (cos + ior*ct)
	p := (ior*cos - ct) / (ior*cos + ct)
	r := (s*s + p*p) / 2
	if !(r >= 0) { // 0/0: no border at all, seen edge on
		return 0
	}
	return min(r, 1)
}

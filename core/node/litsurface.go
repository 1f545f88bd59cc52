package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/vec"
)

var _ = register(290, &Kind{
	Spec: network.Spec{
		Kind: "lit-surface", Name: "Lit surface", Family: "light",
		Purpose: "A plain lit material, for looks that mix drawn and real.",
		Words:   []string{"pbr", "material", "metal", "plastic", "roughness", "gltf", "realistic"},
		Source:  "The metallic-roughness model of glTF 2.0: Lambert and GGX (Walter et al. 2007), Fresnel as Schlick 1994; sheen as Estevez and Kulla 2017; the sky's mirror image as Karis 2014.",
		Inputs: []network.Port{normalInput(),
			{Key: "base", Name: "base colour", Type: network.Color, Default: color.MustHex("#B9BABC")},
			{Key: "roughness", Name: "roughness", Type: network.Tone, Default: 0.5, Min: 0, Max: 1},
			{Key: "metalness", Name: "metalness", Type: network.Tone, Default: 0.0, Min: 0, Max: 1},
			{Key: "sheen", Name: "sheen", Type: network.Color, Default: color.C{}, Help: "Of cloth: a pale gleam towards the edge."},
			{Key: "transmission", Name: "transmission", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "How much light from behind comes through, as through a thin leaf."},
			{Key: "glow", Name: "glow", Type: network.Color, Default: color.C{}, Help: "Light of its own."}},
		Outputs: []network.Port{{Key: "colour", Name: "colour", Type: network.Color}},
		Settings: append(whichLights(),
			network.Setting{Key: "shadows", Name: "Cast shadows", Type: network.Toggle, Default: true},
			network.Setting{Key: "bounce", Name: "Bounced light", Type: network.Toggle, Default: false}),
	},
	Needs:   lit,
	Eyed:    always,
	Dear:    true,
	Light:   func(data any) Reading { return data.(Reading) },
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any {
		r := reading(get)
		r.Shadows, r.Bounced = get("shadows").(bool), get("bounce").(bool)
		return r
	},
	Brief: func(a *About) string { return "rough " + a.Input("roughness") },
	Stays: "Other programs have a lit material of their own.",
	Run: func(c *Call) {
		r := c.Data.(Reading)
		nx, ny, nz := c.normal(0)
		in := light.NewIncident(c.N)
		out := c.Out[0]
		for k, p := range out {
			copy(p, c.In[6][k])
		}
		for k, li := range c.lights(&r) {
			l := &c.Scene.Lights[li]
			open := c.share(k)
			c.fall(l, in)
			for i := range c.N {
				if l.Parts != nil && !l.Parts[c.Points.PartOf[c.Lo+i]] {
					continue
				}
				s := float32(1)
				if open != nil {
					s = open[i]
				}
				m := c.material(i, vec.V{nx[i], ny[i], nz[i]})
				var got color.C
				if l.Kind == light.Sky {
					got = m.underSky(l)
					for b := range got {
						got[b] *= s * l.Strength
					}
				} else {
					got = m.under(vec.V{in.X[i], in.Y[i], in.Z[i]}, in.Cap[i], s)
					for b := range got {
						got[b] *= in.E[i] * l.Color[b]
					}
				}
				for b := range out {
					out[b][i] += got[b]
				}
			}
		}
		if l := c.lighting(); r.Bounced && l != nil && l.Bounced != nil {
			for b := range out {
				in := l.Bounced[b][c.Lo : c.Lo+c.N]
				for i := range in {
					out[b][i] += in[i] * c.In[1][b][i] * (1 - c.In[3][0][i])
				}
			}
		}
	},
})

// material is a lit surface at one sample.
type material struct {
	n, e      vec.V
	matt, f0  color.C // what scatters, what mirrors straight on
	sheen     color.C
	rough, nv float32
	through   float32
	lobe      lobe
}

func (c *Call) material(i int, n vec.V) material {
	metal, rough := unit(c.In[3][0][i]), max(0.03, unit(c.In[2][0][i]))
	m := material{n: n, e: at3(c, i), rough: rough, through: unit(c.In[5][0][i]), lobe: newLobe(float64(rough))}
	m.nv = max(1e-3, n.Dot(m.e))
	for k := range m.matt {
		base := max(0, c.In[1][k][i])
		m.matt[k] = base * (1 - metal)
		m.f0[k] = 0.04 + (base-0.04)*metal
		m.sheen[k] = max(0, c.In[4][k][i])
	}
	return m
}

func unit(x float32) float32 { return max(0, min(1, x)) }

// under returns what comes back of light of strength 1 from a direction, of which
// a share comes through.
func (m *material) under(to vec.V, wide, share float32) (out color.C) {
	nl := m.n.Dot(to)
	matt := light.Lambert(nl, wide)
	if m.through > 0 {
		behind := max(0, -nl) * m.through
		for k := range out {
			out[k] += m.matt[k] * behind
		}
	}
	r := m.e.Reflect(m.n)
	x, y, z := bent(to[0], to[1], to[2], r[0], r[1], r[2], wide)
	b := vec.V{x, y, z}
	h := b.Add(m.e).Unit()
	nh, eh := m.n.Dot(h), max(0, m.e.Dot(h))
	bl := m.n.Dot(b)
	spec, cloth := float32(0), float32(0)
	if bl > 0 && nh > 0 {
		spec = m.lobe.reflected(min(1, nh), bl, m.nv)
		sin2 := max(0, 1-nh*nh)
		inv := 1 / max(0.05, m.rough*m.rough)
		d := (2 + inv) * float32(math.Pow(float64(sin2), float64(inv)/2)) / (2 * math.Pi)
		cloth = math.Pi * d * bl / (4 * max(1e-4, bl+m.nv-bl*m.nv))
	}
	f, more := fifth(1-eh), lost(albedos(), m.rough, m.nv)
	for k := range out {
		fresnel := m.f0[k] + (1-m.f0[k])*f
		again := 1 + m.f0[k]*(more-1) // what meets several facets
		out[k] += share * (m.matt[k]*(1-m.through)*(1-fresnel)*matt + fresnel*spec*again + m.sheen[k]*cloth)
	}
	return out
}

// underSky returns what comes back of a sky of strength 1.
func (m *material) underSky(l *light.Source) (out color.C) {
	d, mirror := l.Dome.Irradiance(m.n), l.Dome.Mirrored(m.e.Reflect(m.n), m.rough)
	// The share that a rough mirror gives back of an even surrounding.
	x := 1 - m.rough
	a := min(x*x, float32(math.Exp2(float64(-9.28*m.nv))))*x + 0.0425 - 0.0275*m.rough
	scale, bias := 1.04-0.572*m.rough-1.04*a, 1.04*a-0.04+0.022*m.rough
	for k := range out {
		share := unit(m.f0[k]*scale + bias)
		out[k] = m.matt[k]*(1-share)*d[k] + mirror[k]*share
	}
	return out
}

// fifth is x to the fifth power.
func fifth(x float32) float32 {
	x = unit(x)
	return x * x * x * x * x
}

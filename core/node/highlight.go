package node

import (
	"fmt"
	"math"

	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/vec"
)

var _ = register(230, &Kind{
	Spec: network.Spec{
		Kind: "highlight", Name: "Highlight", Family: "light",
		Purpose: "The spot where a light is mirrored towards the eye, as a tone that peaks at 1.",
		Words:   []string{"specular", "gloss", "shine", "glint", "spot", "half angle", "blinn", "ggx", "microfacet", "sparkle"},
		Source:  "Half-angle (Blinn 1977): (N·H)^e with e = 2/roughness⁴ − 2. GGX with Smith's masking (Walter et al. 2007; Heitz 2014), α = roughness²; with its energy kept, what meets several facets too (Turquin 2019). Wide lights: the place nearest the mirror direction (Karis 2013).",
		Inputs:  []network.Port{normalInput()},
		Outputs: toneAndColor(),
		Settings: append([]network.Setting{
			{Key: "roughness", Name: "Roughness", Type: network.Number, Default: 0.35, Min: 0.02, Max: 1, Help: "Small is a tight spot, 1 is spread over the whole lit side."},
			{Key: "model", Name: "Falls off", Type: network.Choice, Default: "half-angle", Choices: []network.Option{{Key: "half-angle", Name: "Half-angle"}, {Key: "ggx", Name: "GGX, long tail"}}},
			{Key: "peak", Name: "Keeps", Type: network.Choice, Default: "peak", Choices: []network.Option{{Key: "peak", Name: "Peak at 1"}, {Key: "energy", Name: "Energy"}},
				Help: "With its energy kept, a tight spot is as much brighter as it is smaller."},
		}, lightSettings()...),
	},
	Needs:   lit,
	Eyed:    always,
	Unseen:  true,
	Dear:    true,
	Light:   func(data any) Reading { return data.(highlightData).Reading },
	Whole:   sendRays,
	WholeOf: raysNeed,
	Prepare: func(get func(string) any) any {
		return highlightData{prepareLight(get, get("roughness").(float64)), get("model") == "ggx", get("peak") == "energy"}
	},
	Brief:    func(a *About) string { return "rough " + a.Number("roughness") },
	Concerns: Concerns{Roughness: "roughness"},
	GLSL: func(g *GLSL) {
		d := g.Data.(highlightData)
		if d.energy {
			g.Leave("energy that is kept: the peak is")
		}
		n, r := g.Let("vec3", "%s", g.normalIn()), g.Let("float", "max(1e-4, %[1]s * %[1]s)", g.Number("roughness"))
		eye := g.Of("eye")
		g.lamps(&d.lightData, n, func(lamp string, k int) string {
			l := g.Let("vec3", "bent(%[1]s.to, reflect(-%[2]s, %[3]s), %[1]s.cap)", lamp, eye, n)
			h := g.Let("float", "dot(unit(%s + %s), %s)", l, eye, n)
			v := fmt.Sprintf("pow(max(1e-6, min(1.0, %[1]s)), max(0.0, 2.0 / (%[2]s * %[2]s) - 2.0))", h, r)
			if d.ggx {
				q := g.Let("float", "%[1]s * %[1]s * (%[2]s * %[2]s - 1.0) + 1.0", h, r)
				v = fmt.Sprintf("pow(%[2]s * %[2]s / %[1]s, 2.0)", q, r)
			}
			return fmt.Sprintf("(dot(%s, %s) <= 0.0 || %s <= 0.0 ? 0.0 : %s)", n, l, h, v)
		}, func(k int) string {
			m := fmt.Sprintf("reflect(-%s, %s).y", eye, n)
			return fmt.Sprintf("mix(skyAt(lamps[%d], 0.5 + %s / 2.0), skyAt(lamps[%d], 0.5 + %s / 3.0), %s)", k, m, k, m, g.Number("roughness"))
		})
	},
	MaterialX: func(m *MaterialX) {
		d := m.Data.(highlightData)
		if d.ggx || d.energy {
			m.Leave("falling off as GGX does, and energy that is kept")
		}
		n, eye := m.normalIn(), m.Put("viewdirection", XVector, "space", XWord("world"))
		e := newLobe(float64(d.amount)).exponent
		m.lamps(&d.lightData, func(to XArg) XArg {
			h := m.Put("normalize", XVector, "in", m.Less(to, eye)) // the direction there is from the eye
			lit := m.AtLeast(m.Dot(n, to), XNumber(0), XNumber(1), XNumber(0))
			return m.Times(m.Put("power", XFloat, "in1", m.Put("max", XFloat, "in1", m.Dot(n, h), "in2", XNumber(1e-6)), "in2", XNumber(e)), lit)
		})
	},
	Run: func(c *Call) {
		d := c.Data.(highlightData)
		nx, ny, nz := c.normal(0)
		ex, ey, ez := c.planes(&c.Points.Eye)
		lobe := newLobe(float64(d.amount))
		e, least := lobe.exponent, lobe.least
		table := albedos()
		energy := float32((e + 8) / 8) // what makes the normalised Blinn lobe of the same share
		nx, ny, nz, ex, ey, ez = nx[:c.N], ny[:c.N], nz[:c.N], ex[:c.N], ey[:c.N], ez[:c.N]
		var plain narrow
		if !d.ggx && !d.energy {
			plain = func(dir vec.V, share Plane) {
				lx, ly, lz := dir[0], dir[1], dir[2]
				nx, ny, nz, ex, ey, ez := nx[:len(share)], ny[:len(share)], nz[:len(share)], ex[:len(share)], ey[:len(share)], ez[:len(share)]
				for i := range share {
					x, y, z := nx[i], ny[i], nz[i]
					hx, hy, hz := lx+ex[i], ly+ey[i], lz+ez[i]
					nh := hx*x + hy*y + hz*z
					hh := hx*hx + hy*hy + hz*hz
					share[i] = 0
					if x*lx+y*ly+z*lz <= 0 || nh <= 0 || !(hh > 1e-12) || least > 0 && nh*nh < least*least*hh {
						continue
					}
					share[i] = float32(math.Exp(e * math.Log(min(float64(nh)/math.Sqrt(float64(hh)), 1))))
				}
			}
		}
		d.read(c, func(l *light.Source, in *light.Incident, share Plane, tint [3]Plane) bool {
			if l.Kind == light.Sky {
				mirrored(l, d.amount, nx, ny, nz, ex, ey, ez, share, tint)
				return true
			}
			n := len(share)
			nx, ny, nz, ex, ey, ez := nx[:n], ny[:n], nz[:n], ex[:n], ey[:n], ez[:n]
			inX, inY, inZ, wide := in.X[:n], in.Y[:n], in.Z[:n], in.Cap[:n]
			for i := range share {
				x, y, z := nx[i], ny[i], nz[i]
				lx, ly, lz := inX[i], inY[i], inZ[i]
				share[i] = 0
				if wide[i] > 0 {
					k := 2 * (x*ex[i] + y*ey[i] + z*ez[i])
					lx, ly, lz = bent(lx, ly, lz, x*k-ex[i], y*k-ey[i], z*k-ez[i], wide[i])
				}
				hx, hy, hz := lx+ex[i], ly+ey[i], lz+ez[i]
				nh := hx*x + hy*y + hz*z
				hh := hx*hx + hy*hy + hz*hz
				nl := x*lx + y*ly + z*lz
				if nl <= 0 || nh <= 0 || !(hh > 1e-12) {
					continue
				}
				if d.ggx {
					cos := min(1, nh/vec.Sqrt(hh))
					if !d.energy {
						share[i] = lobe.distribution(cos) / lobe.distribution(1)
						continue
					}
					nv := x*ex[i] + y*ey[i] + z*ez[i]
					share[i] = lobe.reflected(cos, nl, nv) * lost(table, d.amount, nv)
					continue
				}
				if least > 0 && nh*nh < least*least*hh {
					continue
				}
				v := float32(math.Exp(e * math.Log(min(float64(nh)/math.Sqrt(float64(hh)), 1))))
				if d.energy {
					v *= energy * nl
				}
				share[i] = v
			}
			return false
		}, plain)
	},
})

type highlightData struct {
	lightData
	ggx, energy bool
}

// lobe is a highlight of some roughness.
type lobe struct {
	alpha2   float32 // roughness to the fourth
	exponent float64 // of the cosine, for the half-angle form
	least    float32 // below that cosine it is less than e^-20
}

func newLobe(roughness float64) lobe {
	a := max(1e-4, roughness*roughness)
	e := max(0, 2/(a*a)-2)
	return lobe{float32(a * a), e, float32(1 - 20/max(e, 1e-3))}
}

// distribution is GGX, the share of facets turned by an angle of that cosine.
func (l *lobe) distribution(nh float32) float32 {
	d := nh*nh*(l.alpha2-1) + 1
	return l.alpha2 / (math.Pi * d * d)
}

// reflected is what a perfect mirror of facets gives back of light from a point,
// where a white matt surface that faces the light gives 1: π times the reflectance
// times N·L.
func (l *lobe) reflected(nh, nl, nv float32) float32 {
	nv = max(nv, 1e-4)
	gl := nv * vec.Sqrt(nl*nl*(1-l.alpha2)+l.alpha2)
	gv := nl * vec.Sqrt(nv*nv*(1-l.alpha2)+l.alpha2)
	return math.Pi * l.distribution(nh) * nl / (2 * max(1e-9, gl+gv))
}

// mirrored fills in the sky as a surface of that roughness shows it.
func mirrored(l *light.Source, rough float32, nx, ny, nz, ex, ey, ez, share Plane, tint [3]Plane) {
	for i := range share {
		n := vec.V{nx[i], ny[i], nz[i]}
		r := vec.V{ex[i], ey[i], ez[i]}.Reflect(n)
		col, t := under(l.Dome.Mirrored(r, rough))
		share[i], tint[0][i], tint[1][i], tint[2][i] = t, col[0], col[1], col[2]
	}
}

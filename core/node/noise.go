package node

import (
	"fmt"
	"math"
	"slices"

	"mobanta/core/network"
	"mobanta/core/texture"
)

var _ = register(100, &Kind{
	Spec: network.Spec{
		Kind: "noise", Name: "Noise", Family: "texture",
		Purpose: "Soft chance values that fill space: clouds, stains, grain; ridged for bark and veins.",
		Words:   []string{"perlin", "fractal", "clouds", "turbulence", "grain", "random", "stains", "marble", "bark", "dirt", "fbm", "blotches", "mottled", "grunge"},
		Source:  "Perlin, Improving noise (SIGGRAPH 2002), at its published permutation; changing by turned directions, after Perlin and Neyret, Flow noise (2001). Octaves fade as a pixel outgrows them.",
		Inputs: []network.Port{placeInput(), sizeInput(0.12, "How large its largest pieces are."),
			{Key: "gain", Name: "gain", Type: network.Tone, Default: 0.5, Min: 0, Max: 1, Help: "How much each finer octave counts against the one before."},
			{Key: "finer", Name: "finer by", Type: network.Tone, Default: 2.0, Min: 1, Max: 4, Help: "How many times finer each octave is than the one before (lacunarity)."},
			{Key: "distortion", Name: "distortion", Type: network.Tone, Default: 0.0, Min: 0, Max: 2, Help: "How far the place is moved about by noise first, in sizes."},
			{Key: "change", Name: "change", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "Changes it in place; at 1 it is as at 0. Wire the loop of Time to it."},
			seedInput()},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone, Help: "0 to 1, ½ on average."}, {Key: "colour", Name: "colour", Type: network.Color, Help: "Three of them that have nothing to do with each other."}},
		Settings: []network.Setting{
			{Key: "octaves", Name: "Octaves", Type: network.Number, Default: 3.0, Min: 1, Max: 12, Help: "How many lie upon each other."},
			{Key: "shape", Name: "Shape", Type: network.Choice, Default: "plain", Choices: []network.Option{{Key: "plain", Name: "Plain"}, {Key: "ridged", Name: "Ridged"}, {Key: "billow", Name: "Billowed"}}},
		},
	},
	NeedsFor:  laidNeeds,
	Elsewhere: laidElsewhere,
	Concerns:  Concerns{Grain: "size"},
	Prepare: func(get func(string) any) any {
		shape := map[any]texture.Shape{"plain": texture.Plain, "ridged": texture.Ridged, "billow": texture.Billow}[get("shape")]
		return texture.Fractal{Octaves: int(math.Round(get("octaves").(float64))), Shape: shape}
	},
	Ways:  []Way{Masked, Varied, Raised, Multiplied},
	Brief: func(a *About) string { return a.Choice("shape") + ", size " + a.Input("size") },
	Strip: OnLength,
	GLSL: func(g *GLSL) {
		g.Use("fractal")
		f := g.Data.(texture.Fractal)
		at, foot := g.placeIn()
		size := g.Let("float", "max(1e-4, %s)", g.In("size"))
		at, wide := g.Let("vec3", "%s / %s", at, size), g.Let("float", "max(%[1]s.x, max(%[1]s.y, %[1]s.z)) / %[2]s", foot, size)
		seed, d := g.Let("ivec3", "seedOf(%s)", g.In("seed")), g.Let("float", "%s", g.In("distortion"))
		g.Do("if (%[1]s != 0.0) %[2]s += %[1]s * seen(%[3]s) * vec3(noise(%[2]s, %[4]s + 2 * NEXT, vec2(1.0, 0.0)), noise(%[2]s, %[4]s + 3 * NEXT, vec2(1.0, 0.0)), noise(%[2]s, %[4]s + 4 * NEXT, vec2(1.0, 0.0)));", d, at, wide, seed)
		of := func(k int) string {
			return fmt.Sprintf("fractal(%s, %s + %d * NEXT, %s, %d, %d, clamp(%s, 0.0, 1.0), clamp(%s, 1.0, 8.0), %s)", at, seed, k, wide, max(1, f.Octaves), f.Shape, g.In("gain"), g.In("finer"), g.In("change"))
		}
		g.Out("tone", "%s", of(0))
		g.Out("colour", "vec3(%s, %s, %s)", of(0), of(1), of(2))
	},
	MaterialX: func(m *MaterialX) {
		f := m.Data.(texture.Fractal)
		m.Leave("its very pattern: the noise there is another of the same kind")
		at := m.Over(m.placeIn(), m.In("size"))
		if v, ok := isX(m.In("seed")); !ok || v != 0 {
			at = m.Sum(at, m.As(m.Times(m.In("seed"), XNumber(371)), XVector))
		}
		for _, key := range [2]string{"distortion", "change"} {
			if v, ok := isX(m.In(key)); !ok || v != 0 {
				m.Leave("its %s", key)
			}
		}
		make := func(t XType) XArg {
			n := m.Put("fractal3d", t, "amplitude", XNumber(1), "octaves", XWhole(max(1, f.Octaves)), "lacunarity", m.In("finer"), "diminish", m.In("gain"), "position", at)
			switch f.Shape {
			case texture.Ridged:
				return m.Clamped(m.Put("invert", t, "in", m.Times(m.Put("absval", t, "in", n), XNumber(2.4))))
			case texture.Billow:
				return m.Clamped(m.Times(m.Put("absval", t, "in", n), XNumber(2.4)))
			}
			return m.Sum(m.Times(n, XNumber(0.5)), XNumber(0.5))
		}
		m.Out("tone", make(XFloat))
		m.Out("colour", make(XColor))
	},
	Run: func(c *Call) {
		f := c.Data.(texture.Fractal)
		size, gain, finer, distortion, change, seeds := c.In[1][0], c.In[2][0], c.In[3][0], c.In[4][0], c.In[5][0], c.In[6][0]
		seeded, seed := float32(0), texture.SeedOf(0)
		turns := slices.ContainsFunc(change[:c.N], func(v float32) bool { return v != 0 })
		px, py, pz, wide := c.wide()
		for from := 0; from < c.N; from += 8 {
			var e texture.Eight
			var at [3][8]float32
			var start [8]texture.Seed
			var foot, tone [8]float32
			n, distorted := min(8, c.N-from), false
			for j := range n {
				i := from + j
				k := 1 / max(leastSize, size[i])
				if seeds[i] != seeded {
					seeded = seeds[i]
					seed = texture.SeedOf(seeded)
				}
				start[j], foot[j] = seed, wide[i]*k
				e.Gain[j], e.Finer[j] = max(0, min(1, gain[i])), max(1, min(8, finer[i]))
				if turns {
					e.Turn(j, change[i])
				}
				at[0][j], at[1][j], at[2][j] = px[i]*k, py[i]*k, pz[i]*k
				distorted = distorted || distortion[i] != 0
			}
			put := func(next int) {
				e.Foot = foot
				for j, s := range start {
					for range next {
						s = s.Next()
					}
					e.Put(j, at[0][j], at[1][j], at[2][j], s)
				}
			}
			if distorted {
				put(1)
				for a := range at {
					e.Next()
					e.Noise(&tone)
					for j := range n {
						at[a][j] += distortion[from+j] * texture.Seen(foot[j]) * tone[j]
					}
				}
			}
			for a, out := range [4][]float32{channel(c.Out[0], 0), channel(c.Out[1], 0), channel(c.Out[1], 1), channel(c.Out[1], 2)} {
				if out == nil {
					continue
				}
				put(max(0, a-1))
				e.Fractal(f, &tone)
				copy(out[from:from+n], tone[:])
			}
		}
	},
})

// channel returns one channel of an output, nil if nobody reads it.
func channel(out [][]float32, k int) []float32 {
	if out == nil {
		return nil
	}
	return out[k]
}

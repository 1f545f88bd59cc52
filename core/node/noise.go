package node

import (
	"math"

	"mobanta/core/network"
	"mobanta/core/texture"
)

var noise = &Kind{
	Spec: network.Spec{
		Kind: "noise", Name: "Noise", Family: "texture",
		Purpose: "Soft chance values that fill space: clouds, stains, grain; ridged for bark and veins.",
		Words:   []string{"perlin", "fractal", "clouds", "turbulence", "grain", "random", "stains", "marble", "bark", "dirt", "fbm"},
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
	Run: func(c *Call) {
		f := c.Data.(texture.Fractal)
		size, gain, finer, distortion, change, seeds := c.In[1][0], c.In[2][0], c.In[3][0], c.In[4][0], c.In[5][0], c.In[6][0]
		turned, seeded := float32(0), float32(0)
		f.Cos = 1
		seed := texture.SeedOf(0)
		for i := range c.N {
			l := c.laid(i)
			k := 1 / max(leastSize, size[i])
			f.Gain, f.Finer = max(0, min(1, gain[i])), max(1, min(8, finer[i]))
			if change[i] != turned {
				turned = change[i]
				sin, cos := math.Sincos(2 * math.Pi * float64(turned-float32(math.Floor(float64(turned)))))
				f.Sin, f.Cos = float32(sin), float32(cos)
			}
			if seeds[i] != seeded {
				seeded = seeds[i]
				seed = texture.SeedOf(seeded)
			}
			x, y, z, foot := l.at[0]*k, l.at[1]*k, l.at[2]*k, l.widest()*k
			if d := distortion[i]; d != 0 {
				s := seed.Next()
				for _, p := range [3]*float32{&x, &y, &z} {
					s = s.Next()
					*p += d * texture.Seen(foot) * texture.Noise(l.at[0]*k, l.at[1]*k, l.at[2]*k, s)
				}
			}
			if out := c.Out[0]; out != nil {
				out[0][i] = f.At(x, y, z, foot, seed)
			}
			if out := c.Out[1]; out != nil {
				s := seed
				for a := range 3 {
					out[a][i] = f.At(x, y, z, foot, s)
					s = s.Next()
				}
			}
		}
	},
}

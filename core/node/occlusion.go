package node

import (
	"context"
	"fmt"

	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/shade"
)

var _ = register(10, &Kind{
	Spec: network.Spec{
		Kind: "occlusion", Name: "Occlusion", Family: "surface",
		Purpose: "How open each place is: 1 in the open, dark in crevices, corners and under things.",
		Words:   []string{"ambient occlusion", "crevices", "creases", "dirt", "corners", "contact shadow", "cavity", "grime", "ao", "thickness", "worn edges"},
		Source:  "Share of rays, spread by the cosine over a cone, that meet nothing within reach (Zhukov, Iones and Kronin 1998, “obscurances”).",
		Inputs: []network.Port{normalInput(),
			{Key: "reach", Name: "reach", Type: network.Tone, Default: 0.2, Min: 0.005, Max: 1, Help: "How far away things still darken, in parts of the model's diagonal."},
			{Key: "cone", Name: "cone", Type: network.Tone, Default: 1.0, Min: 0.02, Max: 1, Help: "How wide it looks about: 1 is half a sphere."}},
		Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}},
		Settings: []network.Setting{
			{Key: "about", Name: "Looks", Type: network.Choice, Default: "normal", Choices: []network.Option{{Key: "normal", Name: "Straight out"}, {Key: "mirror", Name: "Where the eye is mirrored"}}},
			{Key: "side", Name: "Side", Type: network.Choice, Default: "outside", Choices: []network.Option{{Key: "outside", Name: "Outside"}, {Key: "inside", Name: "Inside"}}, Help: "Inside it looks into the model: thin places and ridges come out bright."},
			{Key: "of", Name: "In the way", Type: network.Choice, Default: "all", Choices: []network.Option{{Key: "all", Name: "Everything"}, {Key: "own", Name: "Its own part"}}},
		},
	},
	NeedsFor: func(data any, wired func(string) bool) sample.Attr {
		return sample.Pos | sample.Normal | sample.Eye | sample.Part
	},
	Eyed:    func(data any) bool { return data.(occlusionData).mirror },
	Chance:  true,
	Dear:    true,
	WholeOf: func(any, Reading) []string { return []string{"normal", "reach", "cone"} },
	Prepare: func(get func(string) any) any {
		return occlusionData{get("about") == "mirror", get("side") == "inside", get("of") == "own"}
	},
	Whole: func(ctx context.Context, w *Whole) (any, error) {
		d := w.Data.(occlusionData)
		if w.Scene.Tracer == nil || w.Points.N == 0 {
			return nil, nil
		}
		w.Points.Resolve(sample.Pos|sample.Normal|sample.Eye, w.Scene.Tracer.Workers)
		at := &shade.Site{Points: w.Points, Found: w.Found}
		if w.In[0] != nil {
			at.Normal, at.Key = w.In[0], w.Key[0]
		}
		read := func(k int) (of func(i int) float32, key string) {
			if p := w.In[k]; p != nil {
				return func(i int) float32 { return p[0][i] }, w.Key[k]
			}
			v := w.Typed[k][0]
			return func(int) float32 { return v }, fmt.Sprint(v)
		}
		reach, a := read(1)
		cone, b := read(2)
		sizes := make([]float32, len(w.Scene.Models)) // of the models' diagonals, as they stand
		for i := range sizes {
			m := &w.Scene.Models[i]
			sizes[i] = m.Surface.Box.Diagonal() * m.Matrix.X.Len()
		}
		return w.Scene.Tracer.Open(ctx, at, &shade.Opening{Mirror: d.mirror, Inside: d.inside, Own: d.own, Cone: cone, Key: a + "/" + b,
			Reach: func(i int) float32 { return reach(i) * sizes[w.Scene.Parts[w.Points.PartOf[i]].Model] }})
	},
	Concerns: Concerns{Darkens: true},
	Ways:     []Way{Multiplied},
	Brief:    func(a *About) string { return a.Choice("side") + ", reach " + a.Input("reach") },
	Stays:    "It sends rays.",
	Run: func(c *Call) {
		out := c.Out[0][0]
		open, _ := c.Found.([]float32)
		for i := range out {
			if out[i] = 1; open != nil {
				out[i] = open[c.Lo+i]
			}
		}
	},
})

type occlusionData struct{ mirror, inside, own bool }

package node

import (
	"context"

	"mobanta/core/diffgeom"
	"mobanta/core/network"
	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

var _ = register(20, &Kind{
	Spec: network.Spec{
		Kind: "curvature", Name: "Curvature", Family: "surface",
		Purpose: "Where the surface bends: ridges and edges bright in one tone, hollows and grooves in the other.",
		Words:   []string{"ridges", "edges", "convex", "concave", "hollows", "cavity", "worn edges", "edge wear", "pointiness", "grooves", "highlights on edges"},
		Source:  "Mean curvature × radius: on smooth stretches from how normals turn over each triangle, spread along the surface as heat is; at creases by the normal cycle (Cohen-Steiner and Morvan 2003). 1 ÷ R × radius on a ball of radius R, about 0.8 on the edge of a box.",
		Inputs: []network.Port{
			{Key: "strength", Name: "strength", Type: network.Tone, Default: 1.0, Min: 0, Max: 10, Help: "Both tones are multiplied by it."},
		},
		Outputs: []network.Port{
			{Key: "convex", Name: "convex", Type: network.Tone, Help: "Above 0 where it bulges: ridges, edges, knobs."},
			{Key: "concave", Name: "concave", Type: network.Tone, Help: "Above 0 where it is hollow: grooves, dents, inner corners."},
			{Key: "both", Name: "both", Type: network.Tone, Help: "Above 0 wherever it bends."}},
		Settings: []network.Setting{
			{Key: "radius", Name: "Radius", Type: network.Number, Default: 0.02, Min: 0.002, Max: 0.5, Help: "Over how far it looks, in parts of the model's diagonal: how wide edges come out."},
		},
	},
	Needs:   sample.Pos | sample.Normal | sample.Part,
	Dear:    true,
	Prepare: func(get func(string) any) any { return get("radius").(float64) },
	Whole: func(_ context.Context, w *Whole) (any, error) {
		radius := w.Data.(float64)
		out := make([]*diffgeom.Curvature, len(w.Scene.Models))
		for i, used := range worn(w) {
			if m := &w.Scene.Models[i]; used {
				out[i] = diffgeom.CurvatureOf(m.Shape, radius*float64(m.Surface.Box.Diagonal()), parallel.Cores())
			}
		}
		return out, nil
	},
	Ways:  []Way{Multiplied, Masked},
	Sinks: "concave",
	Brief: func(a *About) string { return "over " + a.Number("radius") },
	Stays: "It looks about on the mesh.",
	Run: func(c *Call) {
		of, strength := c.Found.([]*diffgeom.Curvature), c.In[0][0]
		px, py, pz := c.planes(&c.Points.Pos)
		nx, ny, nz := c.planes(&c.Points.Norm)
		for i := range c.N {
			k := c.Lo + i
			model := c.Scene.Parts[c.Points.PartOf[k]].Model
			m, bend := &c.Scene.Models[model], of[model]
			normal := m.Inverse.Dir(vec.V{nx[i], ny[i], nz[i]}).Unit()
			if c.Points.Back[k] {
				normal = normal.Mul(-1)
			}
			at, w := c.Points.Corners(k)
			v := bend.Smooth[at[0]]*w[0] + bend.Smooth[at[1]]*w[1] + bend.Smooth[at[2]]*w[2]
			v += bend.Creased(m.Inverse.Point(vec.V{px[i], py[i], pz[i]}), normal)
			if c.Points.Back[k] { // what bulges on one side is hollow on the other
				v = -v
			}
			v *= strength[i]
			for o, t := range [3]float32{max(0, v), max(0, -v), max(v, -v)} {
				if out := c.Out[o]; out != nil {
					out[0][i] = t
				}
			}
		}
	},
})

// worn tells which models the points of a whole-set step lie on.
func worn(w *Whole) []bool {
	out := make([]bool, len(w.Scene.Models))
	for _, p := range w.Points.PartOf {
		out[w.Scene.Parts[p].Model] = true
	}
	return out
}

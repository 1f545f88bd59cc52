package node

import (
	"context"
	"math"

	"mobanta/core/diffgeom"
	"mobanta/core/network"
	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

// Softener is the kind that gives normals of a simpler form, for those who offer it.
const Softener = "soft-form"

// smoothed is the choice of Soft form that is no simple form.
const smoothed = "smooth"

var _ = register(210, &Kind{
	Spec: network.Spec{
		Kind: Softener, Name: "Soft form", Family: "relief",
		Purpose: "Normals of a simpler form, for clean bands on a rough model: wire it to the normal of a light.",
		Words:   []string{"smooth normals", "clean bands", "low poly", "jagged bands", "broken bands", "face shading", "round", "simplify", "transfer normals", "proxy shape", "even out", "jagged shadows", "terminator"},
		Source:  "Normals spread along the surface as heat is, or those of a form fitted to the part by least squares, met along the line of sight, so that bands run as on the form itself.",
		Inputs: []network.Port{
			{Key: "amount", Name: "amount", Type: network.Tone, Default: 1.0, Min: 0, Max: 1, Help: "0: the normal as it is. Wire a mask to it to keep some places."},
			normalInput()},
		Outputs: []network.Port{{Key: "normal", Name: "normal", Type: network.Vector}},
		Settings: []network.Setting{
			{Key: "form", Name: "Form", Type: network.Choice, Default: smoothed, Choices: []network.Option{{Key: smoothed, Name: "Itself, smoothed"}, {Key: diffgeom.Ball, Name: "A ball"}, {Key: diffgeom.Egg, Name: "An egg"}, {Key: diffgeom.Capsule, Name: "A capsule"}, {Key: diffgeom.Plane, Name: "A plane"}}, Pictured: true, Help: "The ball, egg, capsule or plane is fitted to each part by itself."},
			{Key: "pieces", Name: "Pieces", Type: network.Number, Default: 1.0, Min: 1, Max: diffgeom.MaxPieces, Help: "Into how many pieces each part is split, with a form of its own for each: 1 for a head, 8 to 16 for an animal with its limbs."},
			{Key: "radius", Name: "Radius", Type: network.Number, Default: 0.05, Min: 0.002, Max: 1, Help: "Over how far the model's own normals are smoothed, or one piece's form goes over into the next, in parts of the diagonal."},
		},
	},
	Needs: sample.Normal | sample.Eye | sample.Pos | sample.Part,
	Dear:  true,
	Prepare: func(get func(string) any) any {
		return softData{get("form").(string), int(math.Round(get("pieces").(float64))), get("radius").(float64)}
	},
	Whole: func(_ context.Context, w *Whole) (any, error) {
		d, found := w.Data.(softData), softFound{}
		used := worn(w)
		if d.form == smoothed {
			found.normals = make([][]vec.V, len(used))
			for i := range used {
				if m := &w.Scene.Models[i]; used[i] {
					found.normals[i] = diffgeom.Smooth(m.Shape, d.radius*float64(m.Surface.Box.Diagonal()), parallel.Cores())
				}
			}
			return found, nil
		}
		found.fits = make([]*diffgeom.Fits, len(w.Scene.Parts))
		first := 0
		for i := range used {
			m := &w.Scene.Models[i]
			for k := range m.Surface.Mesh.Parts {
				if used[i] {
					found.fits[first+k] = diffgeom.FitsOf(m.Shape, int32(k), d.form, d.pieces, d.radius*float64(m.Surface.Box.Diagonal()), parallel.Cores())
				}
			}
			first += len(m.Surface.Mesh.Parts)
		}
		return found, nil
	},
	Brief: func(a *About) string {
		if a.Choice("form") != "Itself, smoothed" {
			if pieces := int(math.Round(a.Setting("pieces").(float64))); pieces > 1 {
				return a.Choice("form") + " for each of " + Counted(pieces, "piece")
			}
			return a.Choice("form")
		}
		return "smoothed over " + a.Number("radius")
	},
	Stays: "It knows the whole form.",
	Run: func(c *Call) {
		found, amount, out, p := c.Found.(softFound), c.In[0][0], c.Out[0], c.Points
		nx, ny, nz := c.normal(1)
		px, py, pz := c.planes(&p.Pos)
		ex, ey, ez := c.planes(&p.Eye)
		for i := range c.N {
			k := c.Lo + i
			n := vec.V{nx[i], ny[i], nz[i]}
			a := max(0, min(1, amount[i]))
			part := p.PartOf[k]
			model := c.Scene.Parts[part].Model
			m := &c.Scene.Models[model]
			soft, ok := vec.V{}, false
			switch {
			case !(a > 0):
			case found.fits != nil:
				eye := vec.V{}
				if p.Sees() {
					eye = m.Inverse.Dir(vec.V{ex[i], ey[i], ez[i]}).Unit()
				}
				at, w := p.Corners(k)
				soft, ok = found.fits[part].Normal(m.Inverse.Point(vec.V{px[i], py[i], pz[i]}), eye, at, w)
			default:
				at, w := p.Corners(k)
				of := found.normals[model]
				soft = of[at[0]].Mul(w[0]).Add(of[at[1]].Mul(w[1])).Add(of[at[2]].Mul(w[2])).Unit()
				ok = soft != (vec.V{})
			}
			if ok {
				soft = m.Matrix.Dir(soft).Unit()
				if p.Back[k] {
					soft = soft.Mul(-1)
				}
				if mixed := n.Add(soft.Sub(n).Mul(a)).Unit(); mixed != (vec.V{}) {
					n = mixed
				}
			}
			out[0][i], out[1][i], out[2][i] = n[0], n[1], n[2]
		}
	},
})

type softData struct {
	form   string
	pieces int
	radius float64
}

// softFound is what Soft form reads: normals by model and vertex, or fits by part.
type softFound struct {
	normals [][]vec.V
	fits    []*diffgeom.Fits
}

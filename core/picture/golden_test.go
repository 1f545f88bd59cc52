package picture_test

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/eval"
	"mobanta/core/golden"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// Small pictures of a still life in two looks, with soft light, stripes finer than pixels and
// lines: each first, at four and at sixteen positions, after a change, in part clear, and as a
// peek; and what is answered about them.
func TestPicturesStayAsTheyAre(t *testing.T) {
	const w, h = 56, 42
	st := stage.New()
	lamp := stage.NewLight("lamp", "lamp", light.Rectangle)
	lamp.At, lamp.Size, lamp.Azimuth, lamp.Elevation = vec.V{2, 2.4, 1.5}, 1.4, 40, 45
	st.Lights[0].Size, st.Lights = 8, append(st.Lights, lamp)
	sc := stagetest.With(t, &st, mesh.Torus(1, 0.3, 36, 16), mesh.Sphere(0.7, 32, 16), mesh.Cuboid(vec.V{3, 0.1, 3}))
	st.Models[2].At, st.Models[2].Looks = vec.V{0, -0.7, 0}, map[string]string{"Cube": "striped"}
	st.Models[1].Looks = map[string]string{"Sphere": "striped"}
	sc = stagetest.Again(t, sc)
	st.Camera.Azimuth, st.Camera.Elevation = 25, 28
	st.Camera = st.Camera.Frame(sc.Box, float64(w)/h)
	plain := look(t, `{"id":"light","kind":"Diffuse light","set":{"shadows":true}},{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"},"set":{"stops":[{"at":0,"color":"#3D2230"},{"at":0.3,"color":"#D4843F","edge":"soft","softness":0.1},{"at":0.7,"color":"#F8D79B"}]}},
		{"id":"spot","kind":"Highlight"},{"id":"step","kind":"Soft step","in":{"tone":"spot.tone","threshold":0.5}},{"id":"mix","kind":"Blend","in":{"base":"bands.colour","over":"#FFFFFF","amount":"step.tone"}},
		{"id":"ink","kind":"Edge lines","in":{"width":14.0,"colour":"#102030"}},{"id":"end","kind":"Finish","in":{"colour":"mix.colour","lines":"ink.lines"}}`)
	striped := look(t, `{"id":"page","kind":"Coordinates","set":{"space":"page"}},{"id":"on","kind":"Formula","set":{"text":"fract(p.x * 90.0) < 0.35 ? 1.0 : 0.1","inputs":[{"key":"p","type":"vector"}]},"in":{"p":"page.vector"}},
		{"id":"light","kind":"Diffuse light","set":{"shadows":true,"bounce":"both"}},{"id":"mix","kind":"Blend","in":{"base":"#E8DCC0","over":"#402818","amount":"on"}},
		{"id":"lit","kind":"Blend","in":{"base":"mix.colour","over":"light.colour","amount":0.5},"set":{"mode":"multiply"}},
		{"id":"ink","kind":"Edge lines","in":{"width":8.0,"colour":"#803010"},"set":{"crease":true}},{"id":"end","kind":"Finish","in":{"colour":"lit.colour","opacity":0.8,"lines":"ink.lines"}}`)
	looks := map[string]*network.Network{stagetest.Look: plain, "striped": striped}
	var values []float32
	keep := func(res *picture.Result) {
		pix := make([]byte, 4*w*h)
		res.RGBA(pix, res.Bounds())
		for k := range 4 {
			for i := range w * h {
				values = append(values, float32(pix[4*i+k])/255)
			}
		}
	}
	ctx := context.Background()
	draw := func(r *picture.Renderer, j scene.Job) {
		first := true
		require.NoError(t, r.Render(ctx, j, func(res *picture.Result) {
			if first || res.Done {
				keep(res)
			}
			first = false
		}))
	}
	r := picture.NewRenderer(2)
	whole := scene.Job{Scene: sc, Looks: looks, W: w, H: h, Samples: 16}
	draw(r, whole)
	lines := answers(ctx, t, r)

	turned := *sc.Stage
	turned.Camera.Azimuth += 7
	turned.Backdrop.None = true
	later := *sc
	later.Stage = &turned
	clear := whole
	clear.Scene, clear.Samples = &later, 4
	draw(r, clear)
	peek := whole
	peek.Peek, peek.Samples = &scene.Peek{Look: "striped", Ref: network.ParseRef("light.colour")}, 4
	draw(r, peek)
	peek.Peek = &scene.Peek{Look: stagetest.Look, Ref: network.ParseRef("spot.tone")}
	draw(r, peek)
	quick := whole
	quick.Quick, quick.Samples = true, 1
	draw(picture.NewRenderer(2), quick)
	golden.Picture(t, "pictures", w, values)
	golden.Text(t, "answers", lines)
}

// answers asks a renderer all that it can be asked of the picture it has.
func answers(ctx context.Context, t *testing.T, r *picture.Renderer) (lines []string) {
	put := func(format string, a ...any) { lines = append(lines, fmt.Sprintf(format, a...)) }
	var wants []picture.Want
	for _, ref := range []string{"light.tone", "bands.colour", "spot.tone", "mix.colour", "ink.lines", "gone.tone"} {
		wants = append(wants, picture.Want{Name: ref, Ref: network.ParseRef(ref)})
	}
	for _, name := range []string{stagetest.Look, "striped"} {
		cards, err := r.Cards(ctx, name, append(wants, picture.Want{Name: "end", Finish: true}), 12, 9, map[string]eval.Key{})
		require.NoError(t, err)
		for _, c := range cards {
			put("card %s of %s, %.3f to %.3f: %x", c.Name, name, c.Min, c.Max, c.Pix[:4*24])
		}
		ranges, err := r.Ranges(ctx, name)
		require.NoError(t, err)
		refs := slices.SortedFunc(maps.Keys(ranges), func(a, b network.Ref) int { return slices.Compare([]byte(a.String()), []byte(b.String())) })
		for _, ref := range refs {
			put("range of %s in %s: %.4f", ref, name, ranges[ref])
		}
		h, err := r.Histogram(ctx, name, "bands", "tone", 16)
		put("histogram of %s: %v %v", name, h, err)
		tones, err := r.Tones(ctx, name, "bands", "tone")
		put("tones of %s: %d %v", name, len(tones), err)
	}
	for k := range 24 {
		u, v := float64(k*7%24)/18, float64(k)/24
		tr, err := r.Trail(ctx, u, v)
		if err != nil {
			put("trail at %.2f %.2f: %v", u, v, err)
			continue
		}
		line := fmt.Sprintf("trail at %.2f %.2f: %d %d of %s, shown %v, finish %.3f, cover %.3f, lines %.3f, passes %d:", u, v, tr.X, tr.Y, tr.Part.ID, tr.Shown, tr.Finish, tr.Cover, tr.Lines, tr.Passes)
		for _, s := range tr.Steps {
			line += " " + s.ID
			for _, o := range s.Outs {
				line += fmt.Sprintf(" %.3f", o.V)
			}
		}
		g, ok, err := r.Grip(ctx, u, v, "")
		part, on := r.PartAt(u, v)
		lines = append(lines, line, fmt.Sprintf("  grip %v %v %v, part %s %v", g, ok, err, part.ID, on))
		if ok {
			tone, err := r.Held(ctx, g, u+0.01, v)
			put("  held %.4f %v", tone, err)
		}
	}
	put("small: %x", r.Small(6, 4).Pix)
	return lines
}

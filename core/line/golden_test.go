package line_test

import (
	"context"
	"fmt"
	"hash/fnv"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/golden"
	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// Where lines run on a small still life that reaches over the picture's rims, in which order,
// and how they are drawn.
func TestLinesStayAsTheyAre(t *testing.T) {
	two := mesh.Cuboid(vec.V{0.8, 1.4, 0.6})
	two.Parts = append(two.Parts, mesh.Part{Name: "lid"})
	for f := range two.FacePart {
		two.FacePart[f] = int32(f % 2)
	}
	const w, h = 72, 60
	rules := []line.Edges{{Outer: true}, {Parts: true}, {Crease: true, Angle: 25}, {Depth: true, Jump: 0.01}, {Outer: true, Parts: true, Crease: true, Angle: 60, Depth: true, Jump: 0.05}}
	var text []string
	var pixels []float32
	for k, cam := range []stage.Camera{{Azimuth: 25, Elevation: 20, Distance: 4.5, Angle: 26}, {Azimuth: -60, Elevation: 50, Distance: 5, Angle: 24, Ortho: true}} {
		st := stage.New()
		sc := stagetest.With(t, &st, mesh.Torus(1, 0.35, 40, 20), two, mesh.Sphere(0.45, 24, 12))
		st.Camera = cam
		view := cam.View(w, h)
		at := [2]float32{0.5 - 0.3*float32(k), 0.5 + 0.2*float32(k)}
		vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), at, 2)
		require.NoError(t, err)
		for r, rule := range rules {
			chains := rule.Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, func(p int32) bool { return int(p)%4 != r })
			sum, places := fnv.New32a(), 0
			under, over := []line.Stroke{}, []line.Stroke{}
			for c, chain := range chains {
				places += len(chain)
				s := line.Stroke{Chain: chain}
				for i, p := range chain {
					fmt.Fprint(sum, p.X, p.Y, p.Pixel, " ")
					s.Ink = append(s.Ink, line.Ink{Color: color.C{1, float32(r) / 8, 0.5}, Width: 12 + 60*float32(i%17)/17, Opacity: 0.4 + float32(c%3)/3})
				}
				if c%2 == 0 {
					under = append(under, s)
				} else {
					over = append(over, s)
				}
			}
			text = append(text, fmt.Sprintf("camera %d, rule %d: %d chains of %d places %08x", k, r, len(chains), places, sum.Sum32()))
			sheet := line.NewSheet(w, h)
			sheet.Add([][]line.Stroke{under, over}, 2)
			for i, v := range sheet.Pix {
				if i%4 == 1 || i%4 == 3 {
					pixels = append(pixels, v)
				}
			}
		}
	}
	golden.Text(t, "chains", text)
	golden.Picture(t, "lines", 2*w, pixels)
}

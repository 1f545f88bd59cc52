package main

import (
	"context"
	"fmt"
	"time"

	"mobanta/core/color"
	"mobanta/core/contour"
	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
	"mobanta/demo"
)

// lineCosts prints what lines cost at 1920×1080 on two cores: edge lines a pass, pen lines in a first picture, for
// which all that depends on the geometry is found, and in a later one.
func lineCosts() error {
	rings := &mesh.Mesh{}
	for k := range 5 {
		rings.Join(mesh.Torus(1, 0.35, 250, 100), vec.Place(vec.V{float32(k) * 0.7, 0, 0}, vec.V{float32(20 * k), 0, 30}, 1))
	}
	for _, m := range []struct {
		name string
		mesh *mesh.Mesh
		most int
	}{{"the kettle", demo.Kettle(), 120}, {"five rings through each other", rings, 400}} {
		surface, err := mesh.NewSurface(m.mesh, mesh.DefaultCrease)
		if err != nil {
			return err
		}
		st := stage.New()
		st.Models = []stage.Model{{ID: "model", Name: "model", Scale: 1, Looks: map[string]string{}}}
		const w, h = 1920, 1080
		var first, again, draw []float64
		for range 5 {
			sc, err := stage.NewScene(&st, stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return surface, nil }), nil)
			if err != nil {
				return err
			}
			view := st.Camera.Frame(sc.Box, float64(w)/h).View(w, h)
			rays := trace.Of(sc.Geometry, nil, 2)
			want := contour.Wanted{Bends: 35, Step: 2.7, Gap: 4, On: make([]bool, len(sc.Parts))}
			for k := range want.Of {
				want.Of[k] = contour.Kind(k) != contour.Suggestive
			}
			for i := range want.On {
				want.On[i] = true
			}
			pens := line.Pens{Taper: 24, Wobble: 1, Waves: 14}
			for k := range pens.Rows {
				pens.Rows[k] = line.Row{Style: line.Tapered, Width: 1}
			}
			for _, into := range []*[]float64{&first, &again} {
				start := time.Now()
				curves, err := contour.Find(context.Background(), sc, rays, &view, &want, 2)
				if err != nil {
					return err
				}
				ink := inkOf(curves)
				s := line.NewSheet(w, h)
				s.Add([][]line.Stroke{pens.Draw(sc, &view, curves, ink)}, 2)
				*into = append(*into, ms(time.Since(start)))
			}
			vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
			if err != nil {
				return err
			}
			start := time.Now()
			var strokes []line.Stroke
			for _, c := range (line.Edges{Outer: true, Parts: true, Crease: true, Angle: 35, Depth: true, Jump: 0.02}).Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, func(int32) bool { return true }) {
				ink := make([]line.Ink, len(c))
				for i := range ink {
					ink[i] = line.Ink{Color: color.C{}, Width: 5, Opacity: 1}
				}
				strokes = append(strokes, line.Stroke{Chain: c, Ink: ink})
			}
			line.NewSheet(w, h).Add([][]line.Stroke{strokes}, 2)
			draw = append(draw, ms(time.Since(start)))
		}
		fmt.Printf("lines of %s, %d triangles, 1920×1080: pen lines %.0f ms in a first picture, %.0f later, edge lines %.0f ms a pass (wanted ≤ %d, and ≤ 60)\n",
			m.name, len(surface.Tri), middle(first), middle(again), middle(draw), m.most)
	}
	return nil
}

func inkOf(curves []contour.Curve) (ink []line.Ink) {
	for _, c := range curves {
		for range c.Places {
			ink = append(ink, line.Ink{Width: 4, Opacity: 1})
		}
	}
	return ink
}

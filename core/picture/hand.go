package picture

import (
	"context"
	"fmt"

	"mobanta/core/color"
	"mobanta/core/contour"
	"mobanta/core/eval"
	"mobanta/core/line"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/trace"
)

const (
	// curveStep is how far apart the places of a curve are, in pixels, of a picture of curveHeight; of
	// larger ones as much farther, but not beyond curveMost.
	curveStep, curveHeight, curveMost = 2, 800, 4
	// curveGap is the longest gap that is closed, in thousandths of the height.
	curveGap = 4
	// maxCurves is of how many sets of lines curves are remembered.
	maxCurves = 16
)

// byHand returns the strokes of lines that are found on the geometry: they are the same at all positions.
func (r *Renderer) byHand(ctx context.Context, l layer, hand line.Hand) ([]line.Stroke, error) {
	curves, err := r.curvesOf(ctx, l, hand)
	if err != nil || len(curves) == 0 {
		return nil, err
	}
	var places []sample.Place
	for _, c := range curves {
		for _, p := range c.Places {
			places = append(places, sample.Place{Tri: p.Tri, Weights: p.Weights})
		}
	}
	points := sample.At(r.job.Scene, &r.view, places)
	found := shade.NewFindings(points, nil)
	found.Level = r.level
	planes, err := r.eval(ctx, &r.groups[l.group], at{points, found, nil}, []eval.Target{l.target})
	if err != nil {
		return nil, err
	}
	p := planes[0]
	ink := make([]line.Ink, len(places))
	for k := range ink {
		ink[k] = line.Ink{Color: color.C{p[0][k], p[1][k], p[2][k]}, Width: p[3][k], Opacity: p[4][k]}
	}
	return hand.Draw(r.job.Scene, &r.view, curves, ink), nil
}

// curvesOf returns the curves that a set of lines runs along. They are remembered while the eye and the
// models stay.
func (r *Renderer) curvesOf(ctx context.Context, l layer, hand line.Hand) ([]contour.Curve, error) {
	g := &r.groups[l.group]
	want := hand.Want()
	want.On = make([]bool, len(r.groupOf))
	for part, of := range r.groupOf {
		want.On[part] = of == l.group
	}
	want.Step = min(curveMost, max(curveStep, curveStep*float32(r.view.H)/curveHeight))
	want.Gap = curveGap * float32(r.view.H) / 1000
	tone := g.program.Feeds(l.target, line.Tone)
	key := fmt.Sprint(l.group, want)
	if want.Of[contour.Level] = want.Of[contour.Level] && len(tone) > 0; want.Of[contour.Level] {
		key = fmt.Sprint(key, g.program.KeyOf(tone[0], r.moment))
	}
	if got, ok := r.curves[key]; ok {
		return got, nil
	}
	if want.Of[contour.Level] {
		all, vertex := sample.Vertices(r.job.Scene, &r.view)
		var of, picked []int32
		for i, part := range all.PartOf {
			if want.On[part] {
				picked, of = append(picked, int32(i)), append(of, vertex[i])
			}
		}
		points := all.Pick(picked)
		found := shade.NewFindings(points, nil)
		found.Level = 1
		planes, err := r.eval(ctx, g, at{points, found, nil}, tone[:1])
		if err != nil {
			return nil, err
		}
		want.Tone = make([]float32, len(r.job.Scene.Pos))
		for i, v := range of {
			want.Tone[v] = planes[0][0][i]
		}
	}
	if r.rays == nil || r.rays.Geometry != r.job.Scene.Geometry {
		r.rays = trace.Of(r.job.Scene.Geometry, r.rays, r.Workers)
	}
	curves, err := contour.Find(ctx, r.job.Scene, r.rays, &r.view, &want, r.Workers)
	if err != nil {
		return nil, err
	}
	if r.curves == nil || len(r.curves) >= maxCurves {
		r.curves = map[string][]contour.Curve{}
	}
	r.curves[key] = curves
	return curves, nil
}

// Set is the strokes of one set of lines.
type Set struct {
	Look, Node string // ids
	Strokes    []line.Stroke
}

// Sets returns the lines of the picture that was drawn last, in the order in which they are drawn, as its
// first position sees them.
func (r *Renderer) Sets(ctx context.Context) ([]Set, error) {
	layers := r.layers()
	strokes, err := r.strokes(ctx, r.seen, layers, nil)
	if err != nil {
		return nil, err
	}
	var out []Set
	for i, l := range layers {
		g := &r.groups[l.group]
		out = append(out, Set{g.look, g.program.NodeOf(l.target), strokes[i]})
	}
	return out, nil
}

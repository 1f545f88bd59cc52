package picture

import (
	"context"
	"fmt"
	"image"
	"math"

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
	// creaseBridge is how long what is nearly a crease may be to make one line of two creases, in thousandths of the height: three
	// widths of usual lines.
	creaseBridge = 15
	// maxCurves is of how many sets of lines curves are remembered.
	maxCurves = 16
)

// byHand returns the strokes of lines that are found on the geometry: they are the same at all positions.
func (r *inker) byHand(ctx context.Context, l layer, hand line.Hand) ([]line.Stroke, error) {
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
	planes, err := r.eval(ctx, &r.groups[l.group], at{points: points, found: found}, []eval.Target{l.target})
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
func (r *inker) curvesOf(ctx context.Context, l layer, hand line.Hand) ([]contour.Curve, error) {
	g := &r.groups[l.group]
	want := hand.Want()
	want.On = make([]bool, len(r.groupOf))
	for part, of := range r.groupOf {
		want.On[part] = of == l.group
	}
	want.Step = min(curveMost, max(curveStep, curveStep*float32(r.view.H)/curveHeight))
	want.Gap, want.Bridge = curveGap*float32(r.view.H)/1000, creaseBridge*float32(r.view.H)/1000
	tone := g.program.Feeds(l.target, line.Tone)
	key := fmt.Sprint(l.group, want)
	levels := want.Of[contour.Level] && len(tone) > 0
	if levels {
		key = fmt.Sprint(key, g.program.KeyOf(tone[0], r.moment))
	}
	if got, ok := r.curves[key]; ok {
		return got, nil
	}
	if r.rays == nil || r.rays.Geometry != r.job.Scene.Geometry {
		r.rays = trace.Of(r.job.Scene.Geometry, r.rays, r.Workers)
	}
	curves, err := contour.Find(ctx, r.job.Scene, r.rays, &r.view, &want, r.Workers)
	if err != nil {
		return nil, err
	}
	if levels {
		more, err := r.levels(ctx, l, hand)
		if err != nil {
			return nil, err
		}
		curves = append(curves, more...)
	}
	if r.curves == nil || len(r.curves) >= maxCurves {
		r.curves = map[string][]contour.Curve{}
	}
	r.curves[key] = curves
	return curves, nil
}

// levels returns the curves along which the tone that is wired passes a level, as the first position sees it: as
// fine as the picture, however coarse the mesh.
func (r *inker) levels(ctx context.Context, l layer, hand line.Hand) (out []contour.Curve, err error) {
	view := r.view
	view.Area = image.Rectangle{}
	values := make([]float32, view.W*view.H)
	for i := range values {
		values[i] = float32(math.NaN())
	}
	seen, ok, err := r.whole(ctx, l, hand, func(p int32, v float32) { values[p] = v })
	if err != nil || !ok {
		return nil, err
	}
	for _, c := range hand.Within(&line.Seen{Vis: seen, Scene: r.job.Scene, View: view, Workers: r.Workers}, values) {
		pixels := make([]int32, len(c))
		for i, p := range c {
			pixels[i] = p.Pixel
		}
		points := sample.SeenAt(seen, r.job.Scene, view, pixels)
		points.Resolve(sample.Weights, 1)
		curve := contour.Curve{Kind: contour.Level, Part: points.PartOf[0], Closed: c.Ring()}
		for i, p := range c {
			curve.Places = append(curve.Places, contour.Place{X: p.X, Y: p.Y, Tri: points.Tri[i], Weights: [2]float32{points.Weights[0][i], points.Weights[1][i]}})
		}
		if curve.Closed { // a curve's last place is its first
			curve.Places = append(curve.Places, curve.Places[0])
		}
		out = append(out, curve)
	}
	return out, nil
}

package picture

import (
	"context"
	"crypto/sha256"
	"fmt"
	"image"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/contour"
	"mobanta/core/eval"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/shade"
	"mobanta/core/stage"
)

// inker is what a renderer knows of lines: which sets of them the picture has, where they run, and the sheet that they are
// drawn on, position by position.
type inker struct {
	*Renderer
	key    eval.Key                   // of all sets of lines, zero for none
	sheet  *line.Sheet                // nil for no lines
	curves map[string][]contour.Curve // as the eye sees them; see curvesOf
	drawn  [][]line.Stroke            // by layer, those that are the same at all positions
	still  bool                       // whether all lines are
}

// layer is a set of lines of one look.
type layer struct {
	group  int
	target eval.Target // the ink
	rule   line.Rule
}

// layers returns the sets of lines of all looks, in the order in which they are drawn,
// and forgets the lines that there are if they have changed.
func (r *inker) layers() []layer {
	var out []layer
	h := sha256.New()
	for gi := range r.groups {
		g := &r.groups[gi]
		var targets []eval.Target
		if peek := r.job.Peek; peek == nil {
			targets = g.program.Input(g.finish, "lines")
		} else if peek.Look == g.look {
			if t, kind, err := g.program.Output(peek.Ref); err == nil && kind == network.Lines {
				targets = []eval.Target{t}
			}
		}
		for _, t := range targets {
			if rule := g.program.Lines(t); rule != nil {
				fmt.Fprint(h, gi, g.program.KeyOf(t, r.moment))
				out = append(out, layer{gi, t, rule})
			}
		}
	}
	var key eval.Key
	if len(out) > 0 {
		copy(key[:], h.Sum(nil))
	}
	res, frame := &r.result, r.view.Frame()
	whole := image.Rectangle{Max: frame.Size()}
	if key != r.key || len(out) > 0 && (r.sheet == nil || r.sheet.W != whole.Max.X || r.sheet.H != whole.Max.Y || r.sheet.Min != frame.Min) {
		if r.sheet != nil || len(out) > 0 {
			r.unshown = whole
		}
		r.key, r.sheet, res.Ink, res.InkPasses = key, nil, nil, 0
		if len(out) > 0 {
			r.sheet = line.NewPart(frame, r.view.H)
		}
	}
	return out
}

// forget forgets the lines that there are.
func (r *inker) forget() {
	r.key, r.sheet, r.drawn, r.result.Ink, r.result.InkPasses = eval.Key{}, nil, nil, nil, 0
}

// strokes finds the lines of some layers in what position k sees, and the ink at each
// of their places there.
// drawn, which may be nil, keeps those that are the same at all positions.
func (r *inker) strokes(ctx context.Context, vis *sample.Visibility, layers []layer, drawn [][]line.Stroke, workers int) ([][]line.Stroke, error) {
	out := make([][]line.Stroke, len(layers))
	seen := &line.Seen{Vis: vis, Scene: r.job.Scene, View: r.view, Workers: workers}
	for i, l := range layers {
		if hand, ok := l.rule.(line.Hand); ok {
			if drawn != nil && drawn[i] != nil {
				out[i] = drawn[i]
				continue
			}
			var err error
			if out[i], err = r.byHand(ctx, l, hand); err != nil {
				return nil, err
			}
			if drawn != nil {
				drawn[i] = append([]line.Stroke{}, out[i]...)
			}
			continue
		}
		var err error
		if out[i], err = r.strokesOf(ctx, l, vis, l.rule.Find(seen, func(p int32) bool { return r.groupOf[p] == l.group }), workers); err != nil {
			return nil, err
		}
		masked, ok := l.rule.(line.Masked)
		if !ok {
			continue
		}
		var within []line.Stroke // as the first position sees them
		if drawn != nil && drawn[i] != nil {
			within = drawn[i]
		} else {
			chains, err := r.isolines(ctx, l, masked)
			if err != nil {
				return nil, err
			}
			if within, err = r.strokesOf(ctx, l, r.seen, chains, workers); err != nil {
				return nil, err
			}
			if drawn != nil {
				drawn[i] = append([]line.Stroke{}, within...)
			}
		}
		out[i] = append(out[i], within...)
	}
	return out, nil
}

// strokesOf returns chains between pixels with the ink at each of their places.
func (r *inker) strokesOf(ctx context.Context, l layer, vis *sample.Visibility, chains []line.Chain, workers int) (out []line.Stroke, err error) {
	var pixels []int32
	for _, c := range chains {
		for _, at := range c {
			pixels = append(pixels, at.Pixel)
		}
	}
	if len(pixels) == 0 {
		return nil, nil
	}
	shift := float32(0)
	if s, ok := l.rule.(line.Silhouette); ok {
		shift = s.Shift
	}
	g := &r.groups[l.group]
	points := sample.SeenAt(vis, r.job.Scene, r.view, pixels)
	planes, err := r.eval(ctx, g, at{points: points, found: shade.NewFindings(points, g.found), workers: workers}, []eval.Target{l.target})
	if err != nil {
		return nil, err
	}
	ink := make([]line.Ink, len(pixels))
	for k := range ink {
		p := planes[0]
		ink[k] = line.Ink{Color: color.C{p[0][k], p[1][k], p[2][k]}, Width: p[3][k], Opacity: p[4][k]}
	}
	for _, c := range chains {
		out = append(out, line.Stroke{Chain: c, Ink: ink[:len(c)], Part: r.job.Scene.TriPart[vis.Tri[c[0].Pixel]], Shift: shift})
		ink = ink[len(c):]
	}
	return out, nil
}

// isolines returns the chains along which the tone changes that is wired to a set of lines, as the first position sees it.
func (r *inker) isolines(ctx context.Context, l layer, masked line.Masked) ([]line.Chain, error) {
	values := make([]float32, len(r.sampleAt))
	for i := range values {
		values[i] = float32(math.NaN())
	}
	ok, err := r.tone(ctx, l, masked, func(p int32, v float32) { values[p] = v })
	if err != nil || !ok {
		return nil, err
	}
	return masked.Within(&line.Seen{Vis: r.seen, Scene: r.job.Scene, View: r.view, Workers: r.Workers}, values), nil
}

// tone calls put with the tone that is wired to a set of lines, for every pixel that shows its look; ok is false for none.
func (r *inker) tone(ctx context.Context, l layer, masked line.Masked, put func(pixel int32, v float32)) (ok bool, err error) {
	g := &r.groups[l.group]
	tone := g.program.Feeds(l.target, masked.Mask())
	if len(tone) == 0 {
		return false, nil
	}
	planes, err := r.eval(ctx, g, g.all(), tone[:1])
	if err != nil {
		return false, err
	}
	for i, p := range g.set.Pixels().Pixel {
		put(p, planes[0][0][i])
	}
	return true, nil
}

// begin adds the first position to the sheet of lines, unless it is there already.
func (r *inker) begin(ctx context.Context, layers []layer) error {
	if r.sheet == nil || r.sheet.Passes != 0 || len(layers) == 0 {
		return nil
	}
	r.drawn = make([][]line.Stroke, len(layers))
	r.still = !slices.ContainsFunc(layers, func(l layer) bool { _, hand := l.rule.(line.Hand); return !hand })
	strokes, err := r.strokes(ctx, r.seen, layers, r.drawn, r.Workers)
	if err != nil {
		return err
	}
	r.add(strokes)
	return nil
}

// lacks returns the first position that the sheet of lines lacks, of n; n for none.
func (r *inker) lacks(layers []layer, n int) int {
	if r.sheet == nil || len(layers) == 0 || r.still {
		return n
	}
	return r.sheet.Passes
}

// add adds the strokes of the next position to the sheet.
func (r *inker) add(strokes [][]line.Stroke) {
	r.sheet.Add(strokes, r.Workers)
	r.result.Ink, r.result.InkPasses = r.sheet.Pix, r.sheet.Passes
}

// whole calls put with the tone that is wired to a set of lines over the whole picture, though only a part of it is drawn,
// and returns what the first position sees of the whole.
func (r *inker) whole(ctx context.Context, l layer, masked line.Masked, put func(pixel int32, v float32)) (*sample.Visibility, bool, error) {
	if r.view.Area.Empty() {
		ok, err := r.tone(ctx, l, masked, put)
		return r.seen, ok, err
	}
	part := NewRenderer(r.Workers)
	part.Keep, part.cat, part.plain, part.rays = false, r.cat, r.plain, r.rays
	defer part.Close()
	job := r.job
	const side = 16 * stage.Grain
	found := false
	for y := 0; y < job.H; y += side {
		for x := 0; x < job.W; x += side {
			job.Area = image.Rect(x, y, min(x+side, job.W), min(y+side, job.H))
			if err := part.prepare(ctx, job); err != nil {
				return nil, false, err
			}
			part.setLevel(r.level)
			at := part.view.Frame()
			ok, err := part.inker.tone(ctx, l, masked, func(p int32, v float32) {
				px, py := at.Min.X+int(p)%at.Dx(), at.Min.Y+int(p)/at.Dx()
				if image.Pt(px, py).In(job.Area) {
					put(int32(py*job.W+px), v)
				}
			})
			if err != nil {
				return nil, false, err
			}
			found = found || ok
		}
	}
	r.rays = part.rays
	seen, err := part.projector.Turned(image.Rectangle{}).Draw(ctx, Position(0, 1), r.Workers)
	return seen, found, err
}

// Set is the strokes of one set of lines.
type Set struct {
	Look, Node string // ids
	Strokes    []line.Stroke
}

// Sets returns the lines of the picture that was drawn last, in the order in which they are drawn, as its
// first position sees them.
func (r *Renderer) Sets(ctx context.Context) ([]Set, error) {
	layers := r.inker.layers()
	strokes, err := r.inker.strokes(ctx, r.seen, layers, nil, r.Workers)
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

// linesReach returns how many pixels away a line may lie whose ink covers a pixel.
func linesReach(j *scene.Job) int {
	most := float32(0)
	for _, n := range j.Looks {
		for i := range n.Nodes {
			most = max(most, lineReach(&n.Nodes[i], float32(j.H)/1000))
		}
	}
	return int(math.Ceil(float64(most)))
}

// lineReach returns how far from the border that it follows a node's line covers pixels; 0 for one that draws none, or whose
// lines do not depend on pixels.
func lineReach(d *network.Node, unit float32) float32 {
	var cat node.Catalogue
	rule := cat.Rule(d)
	if rule == nil {
		return 0
	}
	if _, ok := rule.(line.Hand); ok {
		return 0
	}
	radius := float32(1)
	for _, key := range [...]string{"width", "scale"} {
		in := cat.Of(d).Input(key)
		v, ok := 0.0, false
		if in != nil && len(d.In[key].Wires) == 0 {
			v, ok = d.Constant(in).(float64)
		}
		if !ok {
			return 2 * line.MaxRadius // it may be as wide as any
		}
		radius *= float32(v)
	}
	radius = min(line.MaxRadius, radius*unit/2)
	if s, ok := rule.(line.Silhouette); ok {
		radius *= 1 + max(s.Shift, -s.Shift)
	}
	return radius + 2
}

package picture

import (
	"context"
	"image"
	"math"

	"mobanta/core/film"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// A part of a picture is drawn as it lies in the whole, to the bit: with a margin as wide as anything about it can reach.

// lightReach is how many pixels away what a pixel shows may hang on: means over soft light and occlusion, what may vary
// between neighbours, the easing of lines and which way is out of them. Each reaches a few pixels, one over the other.
const lightReach = 32

// frameOf returns what is drawn for the part that a job wants, empty for all.
func frameOf(j *scene.Job) image.Rectangle {
	if j.Area.Empty() {
		return image.Rectangle{}
	}
	f := j.Area.Inset(-lightReach - linesReach(j)) // stage.View wants its corner at multiples of Grain
	down := func(v int) int { return max(0, v) / stage.Grain * stage.Grain }
	up := func(v int) int { return (v + stage.Grain - 1) / stage.Grain * stage.Grain }
	return image.Rect(down(f.Min.X), down(f.Min.Y), min(up(f.Max.X), j.W), min(up(f.Max.Y), j.H))
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
// lines do not hang on pixels.
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

// Part returns an area of the picture, in premultiplied linear light before anything is done to it: four values for each
// pixel; and how much of each pixel glows, nil where all or none does. The area is the job's, or within it.
func (r *Renderer) Part(area image.Rectangle) (pix, shine []float32) {
	defer r.work()()
	f, from := &r.result.Film, r.view.Frame().Min
	pix = make([]float32, 0, 4*area.Dx()*area.Dy())
	if f.Shine != nil {
		shine = make([]float32, 0, area.Dx()*area.Dy())
	}
	for y := area.Min.Y; y < area.Max.Y; y++ {
		for x := area.Min.X; x < area.Max.X; x++ {
			i := (y-from.Y)*f.W + x - from.X
			v := f.At(i)
			pix = append(pix, v[:]...)
			if f.Shine != nil {
				shine = append(shine, f.Glows(i))
			}
		}
	}
	return pix, shine
}

// Developed returns a picture made of a film that was put together from parts, developed as the job says. A context that
// ends stops it.
func (r *Renderer) Developed(ctx context.Context, job scene.Job, whole *film.Film) (*Result, error) {
	defer r.work()()
	job.Area = image.Rectangle{}
	job.Samples = 1
	r.job, r.view = job, job.Scene.Stage.Camera.View(job.W, job.H)
	under := r.backdrop()
	r.seen, r.result = nil, Result{Film: *whole, Backdrop: under.Backdrop, Done: true, under: under, workers: r.Workers, shining: r.shining()}
	r.develop()
	return &r.result, ctx.Err()
}

// whole calls put with the tone that is wired to a set of lines over the whole picture, though only a part of it is drawn,
// and returns what the first position sees of the whole.
func (r *Renderer) whole(ctx context.Context, l layer, masked line.Masked, put func(pixel int32, v float32)) (*sample.Visibility, bool, error) {
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
			ok, err := part.tone(ctx, l, masked, func(p int32, v float32) {
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

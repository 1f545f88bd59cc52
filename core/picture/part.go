package picture

import (
	"context"
	"image"

	"mobanta/core/film"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// A part of a picture is drawn as it lies in the whole, to the bit: with a margin as wide as anything about it can reach.

// lightReach is how many pixels away what a pixel shows may depend on: means over soft light and occlusion, what may vary
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

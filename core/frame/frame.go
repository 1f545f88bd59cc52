// Package frame draws a whole picture of a project in one call: for files, for pages, and for whoever draws many.
package frame

import (
	"context"
	"fmt"
	"io"
	"maps"
	"slices"

	"mobanta/core/budget"
	"mobanta/core/parallel"
	"mobanta/core/picture"
	"mobanta/core/priority"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Order says what is wanted.
type Order struct {
	W, H    int
	Samples int           // positions in a pixel, 1 to picture.MaxSamples
	At      *float64      // the moment, in seconds; nil for that of the project
	Clear   bool          // no backdrop: transparent where there is no model
	Camera  *stage.Camera // nil for that of the project
	Peek    *scene.Peek   // what to show in place of the finished picture, or nil
	Lines   bool          // keep the lines as strokes, for formats of vectors
	Workers int           // cores; 0 for all
}

// Format is how a picture is written.
type Format string

// The formats.
const (
	PNG8  Format = "png8"  // sRGB, 8 bits a channel
	PNG16 Format = "png16" // sRGB, 16 bits a channel
	PFM   Format = "pfm"   // linear, 32-bit floats, without transparency
)

// MaxSide limits a picture's width and height.
const MaxSide = 32768

// Check returns what is wrong with an order.
func (o *Order) Check() error {
	switch {
	case o.W < 1 || o.H < 1 || o.W > MaxSide || o.H > MaxSide || o.W*o.H > picture.MaxPixels:
		return fmt.Errorf("frame: %d × %d pixels is not a size that can be drawn; there may be %d million in all", o.W, o.H, picture.MaxPixels>>20)
	case o.Samples < 1 || o.Samples > picture.MaxSamples:
		return fmt.Errorf("frame: positions in a pixel must lie between 1 and %d, not %d", picture.MaxSamples, o.Samples)
	}
	return nil
}

// Easel draws one picture after another, from the same files, and keeps what the next one can use. It is for one goroutine
// at a time.
type Easel struct {
	renderer *picture.Renderer
	scene    *stage.Scene // lends the next picture what is the same
}

// Tell has f called with how much of a picture is drawn, 0 to 1, as it is; nil for nobody.
func (e *Easel) Tell(f func(part float64)) { e.renderer.Told = f }

// NewEasel returns an easel that works on up to so many cores, 0 for all, whenever nothing more urgent is at work.
func NewEasel(workers int, gate *priority.Gate) *Easel {
	if workers < 1 {
		workers = parallel.Cores()
	}
	e := &Easel{renderer: picture.NewRenderer(workers)}
	e.renderer.Keep, e.renderer.Gate, e.renderer.Least = false, gate, priority.Jobs
	return e
}

// Under puts what the easel keeps under a budget that others share.
func (e *Easel) Under(b *budget.Budget) { e.renderer.Under(b) }

// Workers returns on how many cores it works.
func (e *Easel) Workers() int { return e.renderer.Workers }

// Close lets go of what the easel keeps.
func (e *Easel) Close() {
	e.renderer.Close()
	e.scene = nil
}

// Trail returns the values behind a place of the picture that was drawn last, in parts of its height from its top left.
func (e *Easel) Trail(ctx context.Context, u, v float64) (*picture.Trail, error) {
	return e.renderer.Trail(ctx, u, v)
}

// Draw draws a project as ordered, to the end. A context that ends stops it.
func Draw(ctx context.Context, p *project.Project, files stage.Files, o Order) (*Picture, error) {
	return NewEasel(o.Workers, nil).Draw(ctx, p, files, o)
}

// Draw draws a project as ordered, to the end; the picture is good until the next one. A context that ends stops it.
func (e *Easel) Draw(ctx context.Context, p *project.Project, files stage.Files, o Order) (*Picture, error) {
	moment, job, err := e.job(p, files, o)
	if err != nil {
		return nil, err
	}
	if parts := Parts(o.W, o.H); len(parts) > 1 && !o.Lines {
		return e.byParts(ctx, p, files, o, parts)
	}
	r := e.renderer
	out := &Picture{}
	err = r.Render(ctx, job, func(res *picture.Result) {
		if res.Done {
			out.result = *res
		}
	})
	if err != nil {
		return nil, err
	}
	if o.Lines {
		sets, err := r.Sets(ctx)
		if err != nil {
			return nil, err
		}
		out.lines = named(moment, job.Scene, sets)
	}
	return out, nil
}

// job returns what the renderer needs for an order, and the project as ordered.
func (e *Easel) job(p *project.Project, files stage.Files, o Order) (*project.Project, scene.Job, error) {
	if err := o.Check(); err != nil {
		return nil, scene.Job{}, err
	}
	moment := *p
	if o.At != nil {
		moment.Stage.Time.At = *o.At
	}
	if o.Camera != nil {
		moment.Stage.Camera = *o.Camera
	}
	if o.Clear {
		moment.Stage.Backdrop.None = true
	}
	if err := moment.Stage.Check(); err != nil {
		return nil, scene.Job{}, err
	}
	job, err := scene.Of(&moment, files, e.scene)
	if err != nil {
		return nil, scene.Job{}, err
	}
	e.scene = job.Scene
	job.W, job.H, job.Samples, job.Peek, job.Final = o.W, o.H, o.Samples, o.Peek, true
	return &moment, job, nil
}

// Picture is a picture that has been drawn.
type Picture struct {
	DPI    float64 // dots per inch at which it is printed; 0 for none said
	result picture.Result
	lines  []lines // if they were ordered
}

// writers writes a picture in each format.
var writers = map[Format]func(p *Picture, w io.Writer) error{
	PNG8:      func(p *Picture, w io.Writer) error { return p.writePNG(w, 8) },
	PNG16:     func(p *Picture, w io.Writer) error { return p.writePNG(w, 16) },
	PFM:       func(p *Picture, w io.Writer) error { return p.result.WritePFM(w) },
	Plates16:  func(p *Picture, w io.Writer) error { return p.writePlates(w, 16) },
	Plates8:   func(p *Picture, w io.Writer) error { return p.writePlates(w, 8) },
	Plates1:   func(p *Picture, w io.Writer) error { return p.writePlates(w, 1) },
	PlatesPDF: (*Picture).writePDF,
	SVG:       func(p *Picture, w io.Writer) error { return p.writeSVG(w, false) },
	SVGFills:  func(p *Picture, w io.Writer) error { return p.writeSVG(w, true) },
}

// Write writes the picture.
func (p *Picture) Write(w io.Writer, f Format) error {
	write := writers[f]
	if write == nil {
		return fmt.Errorf("frame: a picture is written as one of %s, not as %.20q", slices.Sorted(maps.Keys(writers)), f)
	}
	return write(p, w)
}

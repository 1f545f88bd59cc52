package delivery

import (
	"bytes"
	"context"
	"math"
	"time"

	"mobanta/core/frame"
	"mobanta/core/priority"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/core/stage"
)

// Drawer draws pieces of orders of one project, one after the other. It is for one goroutine at a time.
type Drawer struct {
	project *project.Project
	files   stage.Files
	easel   *frame.Easel
	plan    *proof.Plan // of the order that was drawn last
	planned *proof.Sheet
	staging *project.Project // the project in the state of a staging
	taken   string
	baked   *stage.Scene // lends what is baked next what is the same
	told    func(part float64)
}

// NewDrawer returns a drawer that works on up to so many cores, 0 for all, whenever nothing more urgent is at work.
func NewDrawer(p *project.Project, files stage.Files, workers int, gate *priority.Gate) *Drawer {
	return &Drawer{project: p, files: files, easel: frame.NewEasel(workers, gate)}
}

// Tell has f called with how much of a piece is drawn, 0 to 1, as it is; nil for nobody. It may be called from several goroutines.
func (d *Drawer) Tell(f func(part float64)) { d.told = f }

// telling has what draws one of so many pictures of a piece, which are alike in work, tell of it.
func (d *Drawer) telling(k, of int) func(part float64) {
	return func(part float64) {
		if d.told != nil {
			d.told((float64(k) + part) / float64(of))
		}
	}
}

// under returns the files, whose surfaces are made until ctx ends.
func (d *Drawer) under(ctx context.Context) stage.Files { return stage.Under(ctx, d.files) }

// Easel returns what the drawer draws on.
func (d *Drawer) Easel() *frame.Easel { return d.easel }

// Pieces returns the pieces of an order of the project that has been checked, in the order in which they are to be drawn.
func (d *Drawer) Pieces(o *Order) ([]Piece, error) { return o.Pieces(d.project) }

// of returns the project as an order wants it.
func (d *Drawer) of(o *Order) *project.Project {
	if o.Staging == "" {
		return d.project
	}
	if d.staging == nil || d.taken != o.Staging {
		d.staging, d.taken = o.of(d.project), o.Staging
	}
	return d.staging
}

// moment returns the project as an order wants it, at its moment.
func (d *Drawer) moment(o *Order) *project.Project {
	p := *d.of(o)
	if o.At != nil {
		p.Stage.Time.At = *o.At
	}
	return &p
}

// Minds returns what to mind of an order that has been checked that only the models tell, besides Remarks: that it cannot be
// filled as an error.
func (d *Drawer) Minds(ctx context.Context, o *Order) ([]string, error) {
	if minds := o.kind().minds; minds != nil {
		return minds(ctx, d, o)
	}
	return nil, nil
}

// Draw draws a piece of an order that has been checked and returns its bytes: those of the file itself where the order is
// one piece, a PNG of a frame or a cell, or a packed part of a picture. They depend on nothing but the project, the order and
// the piece.
func (d *Drawer) Draw(ctx context.Context, o *Order, piece Piece) ([]byte, error) {
	d.easel.Tell(d.telling(0, 1))
	defer d.easel.Tell(nil)
	if draw := o.kind().draw; draw != nil {
		return draw(ctx, d, o, piece)
	}
	var buf bytes.Buffer
	err := o.form().write(ctx, d, o, &buf)
	return buf.Bytes(), err
}

func (d *Drawer) png(ctx context.Context, p *project.Project, f frame.Order) ([]byte, error) {
	pic, err := d.easel.Draw(ctx, p, d.under(ctx), f)
	if err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	err = pic.Write(&buf, frame.PNG8)
	return buf.Bytes(), err
}

// small and smaller are how many pixels the pictures have by which time is measured.
const small, smaller = 60_000, 15_000

// Measure draws the picture of an order that has been checked twice, small, to tell how long it takes.
func (d *Drawer) Measure(ctx context.Context, o *Order) (m Measured, err error) {
	draw := func(pixels int) (seconds float64, n int, err error) {
		f := o.frame(o.At)
		k := math.Sqrt(min(1, float64(pixels)/float64(f.W*f.H)))
		f.W, f.H = max(1, int(float64(f.W)*k)), max(1, int(float64(f.H)*k))
		began := time.Now()
		_, err = d.easel.Draw(ctx, d.of(o), d.under(ctx), f)
		return time.Since(began).Seconds(), f.W * f.H, err
	}
	first, _, err := draw(smaller / 4) // which makes ready what others share
	if err != nil {
		return m, err
	}
	a, n, err := draw(smaller)
	if err != nil {
		return m, err
	}
	b, k, err := draw(small)
	if err != nil {
		return m, err
	}
	if k > n {
		m.PerPixel = max(0, (b-a)/float64(k-n))
	}
	m.Fixed = max(0, a-m.PerPixel*float64(n))
	m.Ready = max(0, first-m.Fixed)
	return m, nil
}

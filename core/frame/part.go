package frame

import (
	"context"
	"fmt"
	"image"

	"mobanta/core/film"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/stage"
)

// A large picture is drawn part by part: what one position of a pixel needs while it is drawn is ten times what is left of
// it. Parts are drawn anywhere, in any order, and come to the same film as the whole.

// PartSide is the longest side of the parts of a large picture, in pixels.
const PartSide = 16 * stage.Grain

// maxAtOnce is how many pixels a picture may have that is drawn as a whole.
const maxAtOnce = 5 << 19

// Parts returns the parts in which a picture of w × h pixels is drawn, row by row, about as large as each other: all of it,
// where it is small enough.
func Parts(w, h int) []image.Rectangle {
	if w*h <= maxAtOnce {
		return []image.Rectangle{image.Rect(0, 0, w, h)}
	}
	side := func(n int) int {
		many := (n + PartSide - 1) / PartSide
		return ((n+many-1)/many + stage.Grain - 1) / stage.Grain * stage.Grain
	}
	wide, high := side(w), side(h)
	var out []image.Rectangle
	for y := 0; y < h; y += high {
		for x := 0; x < w; x += wide {
			out = append(out, image.Rect(x, y, min(x+wide, w), min(y+high, h)))
		}
	}
	return out
}

// Part is a part of a picture that has been drawn: four values for each of its pixels, row by row, in premultiplied linear
// light, before anything is done to the picture; and how much of each glows, nil where that is not asked.
type Part struct {
	Area  image.Rectangle
	Pix   []float32
	Shine []float32
}

// Part draws a part of a picture.
func (e *Easel) Part(ctx context.Context, p *project.Project, files stage.Files, o Order, area image.Rectangle) (*Part, error) {
	_, job, err := e.job(p, files, o)
	if err != nil {
		return nil, err
	}
	whole := image.Rect(0, 0, o.W, o.H)
	if area.Empty() || !area.In(whole) {
		return nil, fmt.Errorf("frame: the part %v is none of a picture of %d × %d pixels", area, o.W, o.H)
	}
	if area != whole {
		job.Area = area
	}
	if err := e.renderer.Render(ctx, job, func(*picture.Result) {}); err != nil {
		return nil, err
	}
	out := &Part{Area: area}
	out.Pix, out.Shine = e.renderer.Part(area)
	return out, nil
}

// byParts draws a picture part by part.
func (e *Easel) byParts(ctx context.Context, p *project.Project, files stage.Files, o Order, parts []image.Rectangle) (*Picture, error) {
	whole := NewWhole(o.W, o.H)
	for _, area := range parts {
		part, err := e.Part(ctx, p, files, o, area)
		if err != nil {
			return nil, err
		}
		if err := whole.Put(part); err != nil {
			return nil, err
		}
	}
	return e.Develop(ctx, p, files, o, whole)
}

// Whole is a picture that is put together from its parts.
type Whole struct{ film film.Film }

// NewWhole returns a picture of w × h pixels of which nothing is there yet.
func NewWhole(w, h int) *Whole {
	return &Whole{film.Film{W: w, H: h, Passes: 1, Base: make([]float32, 4*w*h)}}
}

// Put puts a part in its place.
func (w *Whole) Put(p *Part) error {
	f := &w.film
	n := p.Area.Dx() * p.Area.Dy()
	if !p.Area.In(f.Bounds()) || len(p.Pix) != 4*n || p.Shine != nil && len(p.Shine) != n {
		return fmt.Errorf("frame: a part of %v is none of a picture of %d × %d pixels", p.Area, f.W, f.H)
	}
	if p.Shine != nil && f.Shine == nil {
		f.Shine = make([]float32, f.W*f.H)
	}
	for j := range p.Area.Dy() {
		at := (p.Area.Min.Y+j)*f.W + p.Area.Min.X
		copy(f.Base[4*at:], p.Pix[4*j*p.Area.Dx():4*(j+1)*p.Area.Dx()])
		if p.Shine != nil {
			copy(f.Shine[at:], p.Shine[j*p.Area.Dx():(j+1)*p.Area.Dx()])
		}
	}
	return nil
}

// Develop does to a picture that was put together what the project does to it: backdrop, glow, grade, view and press. The
// picture is good until the next.
func (e *Easel) Develop(ctx context.Context, p *project.Project, files stage.Files, o Order, whole *Whole) (*Picture, error) {
	_, job, err := e.job(p, files, o)
	if err != nil {
		return nil, err
	}
	res, err := e.renderer.Developed(ctx, job, &whole.film)
	if err != nil {
		return nil, err
	}
	return &Picture{result: *res}, nil
}

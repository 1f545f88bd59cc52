package delivery

import (
	"context"
	"io"
	"slices"

	"mobanta/core/frame"
	"mobanta/core/press"
	"mobanta/core/project"
)

// What is drawn in one piece as it is written: vectors, and the plates of the press.

func init() {
	register(3, &kind{name: Vectors, wait: 1, exact: true, most: maxWhole, memory: func(pixels, _ int) int { return (kept + drawn) * pixels }},
		Form{Format: Format(frame.SVG), Name: "lines, SVG", Ending: " lines.svg", Media: "image/svg+xml", Help: "the lines alone, as vectors", write: vectors},
		Form{Format: Format(frame.SVGFills), Name: "lines and bands, SVG", Ending: ".svg", Media: "image/svg+xml", Help: "the lines, with the bands under them as flat regions", write: vectors},
	)
	register(4, &kind{name: Plates, wait: 1, most: maxWhole, check: printed},
		Form{Format: Format(frame.Plates16), Name: "plates, PNG of 16 bits", Ending: " plates.zip", Media: "application/zip", Help: "what each ink of the press prints: laid over each other they are the picture", write: single},
		Form{Format: Format(frame.Plates8), Name: "plates, PNG of 8 bits", Ending: " plates 8 bit.zip", Media: "application/zip", Help: "what each ink of the press prints, in 256 steps: too few for the darks, where they are right to 5 of 255", write: single},
		Form{Format: Format(frame.Plates1), Name: "plates, PNG of 1 bit", Ending: " plates 1 bit.zip", Media: "application/zip", Help: "what each ink of the press prints, ink or none", write: single},
		Form{Format: Format(frame.PlatesPDF), Name: "plates, PDF with marks", Ending: " plates.pdf", Media: "application/pdf", Help: "a page for each ink, with marks to lay them on each other", write: single},
	)
}

// printed tells whether the press prints anything.
func printed(o *Order, p *project.Project) error {
	if t := o.of(p); !t.Stage.Press.On || !slices.ContainsFunc(t.Stage.Press.Inks, func(k press.Ink) bool { return !k.Off }) {
		return frame.ErrNoPress
	}
	return nil
}

// single draws a picture of one piece and writes it.
func single(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
	return d.write(ctx, o, o.frame(o.At), w)
}

// vectors writes the lines: one position knows all that they need.
func vectors(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
	f := o.frame(o.At)
	f.Lines, f.Samples = true, 1
	return d.write(ctx, o, f, w)
}

// write draws a picture and writes it in the order's format.
func (d *Drawer) write(ctx context.Context, o *Order, f frame.Order, w io.Writer) error {
	pic, err := d.easel.Draw(ctx, d.of(o), d.under(ctx), f)
	if err != nil {
		return err
	}
	pic.DPI = o.DPI
	return pic.Write(w, frame.Format(o.As))
}

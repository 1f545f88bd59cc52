package delivery

import (
	"context"
	"fmt"
	"io"
	"slices"

	"mobanta/core/project"
)

// Format is what an order is delivered as.
type Format string

// The formats, besides those of package frame.
const (
	Layers    Format = "ora"
	Passes    Format = "passes"
	Frames    Format = "frames"
	APNG      Format = "apng"
	GIF       Format = "gif"
	WebP      Format = "webp"
	WebM      Format = "webm"
	MP4       Format = "mp4"
	SheetPNG  Format = "sheetpng"
	SheetPDF  Format = "sheetpdf"
	SheetOnly Format = "sheet" // cells that are looked at, and no file

	Texture    Format = "texture"
	PaintedGLB Format = "glb"
	PaintedOBJ Format = "obj"
	HTML       Format = "html"
	GLSL       Format = "glsl"
	MaterialX  Format = "mtlx"
)

// Kind names what kind of thing a format is.
type Kind string

// The kinds.
const (
	Picture Kind = "picture"
	Layered Kind = "layers"
	Vectors Kind = "vectors"
	Plates  Kind = "plates"
	Moving  Kind = "moving picture"
	Proof   Kind = "proof sheet"

	Baked        Kind = "texture"
	PaintedModel Kind = "painted model"
	Coded        Kind = "look as code"
)

// kind is how orders of a kind are filled. Each is registered by its own file, with its formats; what is nil is as for one
// picture that is drawn in one piece.
type kind struct {
	name  Kind
	most  int  // pixels; 0 where check tells
	tiled bool // a picture is drawn in parts, each a piece

	exact  bool // it has no pixels for which anything could be too fine
	screen bool // it is looked at, not printed
	wait   int  // see Form.Urgency

	// check returns why an order cannot be filled, and fills in what it leaves open. What all orders share has been checked.
	check func(o *Order, p *project.Project) error
	// pieces parts an order, in the order in which the pieces are to be drawn.
	pieces func(o *Order, p *project.Project) ([]Piece, error)
	// draw returns the bytes of a piece. Without it the format's own write draws the one piece.
	draw func(ctx context.Context, d *Drawer, o *Order, piece Piece) ([]byte, error)
	// file puts the pieces together. Without it the one piece is the file.
	file func(ctx context.Context, d *Drawer, o *Order, w io.WriteSeeker, piece func(n int) ([]byte, error)) error
	// minds returns what is to be minded that only the models tell; that an order cannot be filled as an error.
	minds func(ctx context.Context, d *Drawer, o *Order) ([]string, error)

	memory  func(pixels, part int) int                            // bytes at most, of a picture and its largest part
	seconds func(m Measured, picture float64, pieces int) float64 // besides what makes ready, where a picture takes so long
}

// Form is all that is known of a format.
type Form struct {
	Format
	Name          string
	Ending, Media string
	Help          string
	Kind          Kind // that of the kind which it was registered with

	kind *kind
	// write draws an order of one piece; of a kind that is drawn in several it is nil.
	write     func(ctx context.Context, d *Drawer, o *Order, w io.Writer) error
	pressless bool   // what the press prints is left out of it
	movie     movies // of a moving picture
	code      coding // of a look as code
}

// Forms lists all formats, in the order in which they are offered.
var Forms []Form

// ranks holds the rank of each of Forms.
var ranks []int

// register adds a kind with its formats after those of lower rank.
func register(rank int, k *kind, forms ...Form) {
	at, found := slices.BinarySearch(ranks, rank)
	if found {
		panic(fmt.Sprintf("delivery: two kinds of rank %d", rank))
	}
	for i := range forms {
		forms[i].Kind, forms[i].kind = k.name, k
	}
	Forms = slices.Insert(Forms, at, forms...)
	ranks = slices.Insert(ranks, at, slices.Repeat([]int{rank}, len(forms))...)
}

// Kinds returns all kinds, in the order in which they are offered.
func Kinds() []Kind {
	var out []Kind
	for _, f := range Forms {
		out = append(out, f.Kind)
	}
	return slices.Compact(out)
}

// Form returns what is known of a format; ok is false for one that there is not.
func (f Format) Form() (Form, bool) {
	i := slices.IndexFunc(Forms, func(e Form) bool { return e.Format == f })
	if i < 0 { // one that another version made may lie among the jobs
		return Form{kind: &kind{wait: 1}}, false
	}
	return Forms[i], true
}

// Urgency returns who goes first of what waits: 0 what somebody looks at while it comes, 1 pictures, 2 what takes long.
func (f Form) Urgency() int { return f.kind.wait }

// form returns what is known of the order's format; the order has been checked.
func (o *Order) form() Form {
	f, _ := o.As.Form()
	return f
}

// kind returns how orders of its format are filled; the order has been checked.
func (o *Order) kind() *kind { return o.form().kind }

// Package delivery fills orders: it says what an order is, parts it into pieces that can be drawn anywhere in any order, draws
// them, and makes files of what they came to.
package delivery

import (
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"slices"

	"mobanta/core/bake"
	"mobanta/core/frame"
	"mobanta/core/painted"
	"mobanta/core/picture"
	"mobanta/core/press"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/core/shader"
	"mobanta/core/stage"
)

// Order says what is to be delivered of a project.
type Order struct {
	As      Format       `json:"as"`
	W       int          `json:"w"` // pixels, of the picture, a frame, or a cell of a sheet
	H       int          `json:"h"`
	Samples int          `json:"samples,omitempty"` // positions in a pixel; 0 for DefaultSamples
	DPI     float64      `json:"dpi,omitempty"`     // dots per inch, for print; 0 to say none
	Clear   bool         `json:"clear,omitempty"`   // no backdrop
	Staging string       `json:"staging,omitempty"` // its id; "" for the project as it is
	At      *float64     `json:"at,omitempty"`      // seconds; nil for the project's own moment
	First   int          `json:"first,omitempty"`   // of a moving picture: frames, both counted
	Last    int          `json:"last,omitempty"`    // 0 and 0 for all
	Sheet   *proof.Sheet `json:"sheet,omitempty"`   // of a proof sheet
	Near    int          `json:"near,omitempty"`    // of a proof sheet: the cell that is looked at

	Bake    *bake.Order    `json:"bake,omitempty"`    // of textures
	Painted *painted.Order `json:"painted,omitempty"` // of painted models
	Code    *shader.Order  `json:"code,omitempty"`    // of looks as code
}

// UnmarshalJSON reads an order; older ones say take for staging.
func (o *Order) UnmarshalJSON(data []byte) error {
	type plain Order
	older := struct {
		*plain
		Take string `json:"take"`
	}{plain: (*plain)(o)}
	if err := json.Unmarshal(data, &older); err != nil {
		return err
	}
	if o.Staging == "" {
		o.Staging = older.Take
	}
	return nil
}

// DefaultSamples is how many positions a pixel has unless an order says otherwise.
const DefaultSamples = 16

// Limits on orders.
const (
	maxWhole  = 16 << 20        // pixels of what cannot be drawn part by part
	maxFrame  = 16 << 20        // pixels of a frame
	MaxFrames = stage.MaxFrames // of a moving picture
	maxCell   = 600 * 600       // pixels of a cell
	maxMoving = 8 << 30         // pixels of all frames of a moving picture
	maxGIF    = 1 << 29         // likewise of a GIF, which is put together in memory
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

// Kind is what kind of thing a format is.
type Kind string

// The kinds, in the order in which they are offered.
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

// Form is all that is known of a format.
type Form struct {
	Format
	Kind          Kind
	Name          string
	Ending, Media string
	Help          string
}

// Forms lists all formats.
var Forms = []Form{
	{"png8", Picture, "PNG, 8 bits", ".png", "image/png", "sRGB, for the screen and for most printers"},
	{"png16", Picture, "PNG, 16 bits", ".png", "image/png", "sRGB, for whoever goes on working on it"},
	{"pfm", Picture, "PFM, linear floats", ".pfm", "image/x-portable-floatmap", "light as it was computed, three channels"},
	{Layers, Layered, "OpenRaster, layers", ".ora", "image/openraster", "flats, shadow, highlight, pattern, lines by set, glow, backdrop, and each band as a mask: put together they are the picture"},
	{Passes, Layered, "passes, single files", " passes.zip", "application/zip", "tone, part numbers, depth and normals as PNGs of 16 bits, in a ZIP"},
	{"svg", Vectors, "lines, SVG", " lines.svg", "image/svg+xml", "the lines alone, as vectors"},
	{"svgfills", Vectors, "lines and bands, SVG", ".svg", "image/svg+xml", "the lines, with the bands under them as flat regions"},
	{"plates16", Plates, "plates, PNG of 16 bits", " plates.zip", "application/zip", "what each ink of the press prints: laid over each other they are the picture"},
	{"plates8", Plates, "plates, PNG of 8 bits", " plates 8 bit.zip", "application/zip", "what each ink of the press prints, in 256 steps: too few for the darks, where they are right to 5 of 255"},
	{"plates1", Plates, "plates, PNG of 1 bit", " plates 1 bit.zip", "application/zip", "what each ink of the press prints, ink or none"},
	{"platespdf", Plates, "plates, PDF with marks", " plates.pdf", "application/pdf", "a page for each ink, with marks to lay them on each other"},
	{Frames, Moving, "numbered PNGs in a ZIP", " frames.zip", "application/zip", "every frame as a file"},
	{APNG, Moving, "APNG", ".apng.png", "image/apng", "exact colours, plays in browsers"},
	{GIF, Moving, "GIF", ".gif", "image/gif", "256 colours: exact where the looks have no more"},
	{WebP, Moving, "animated WebP", ".webp", "image/webp", "exact colours, plays in browsers, small"},
	{WebM, Moving, "WebM, video", ".webm", "video/webm", "needs ffmpeg on the machine that serves"},
	{MP4, Moving, "MP4, video", ".mp4", "video/mp4", "needs ffmpeg on the machine that serves"},
	{Texture, Baked, "PNG over the model's UVs", " texture.png", "image/png", "what the look comes to over the texture coordinates; several outputs or parts in a ZIP"},
	{PaintedGLB, PaintedModel, "GLB, painted", " painted.glb", "model/gltf-binary", "the model with what its looks come to as pictures without light, where it stands, as it moves"},
	{PaintedOBJ, PaintedModel, "OBJ, painted", " painted obj.zip", "application/zip", "as it stands now, with its materials and pictures"},
	{HTML, Coded, "HTML, one page that turns it", ".html", "text/html", "the models with their looks as shaders, in one file that needs no network and shows them in any browser"},
	{GLSL, Coded, "GLSL ES 3.00", " glsl.zip", "application/zip", "one look as a vertex and a fragment shader, with the artist's names, its dials, swatches and lights as uniforms"},
	{MaterialX, Coded, "MaterialX 1.39", ".mtlx", "application/xml", "one look as a graph of standard nodes"},
	{SheetPNG, Proof, "sheet, PNG", " sheet.png", "image/png", "all pictures of the sheet with their names"},
	{SheetPDF, Proof, "sheet, PDF", " sheet.pdf", "application/pdf", "all pictures of the sheet with their names, on one page"},
	{SheetOnly, Proof, "cells", "", "", ""},
}

// Form returns what is known of a format; ok is false for one that there is not.
func (f Format) Form() (Form, bool) {
	i := slices.IndexFunc(Forms, func(e Form) bool { return e.Format == f })
	if i < 0 {
		return Form{}, false
	}
	return Forms[i], true
}

// kind returns the kind of the format; the order has been checked.
func (o *Order) kind() Kind {
	f, _ := o.As.Form()
	return f.Kind
}

// ErrNoFFmpeg is that a video is wanted where nothing can make one.
var ErrNoFFmpeg = errors.New("delivery: a video needs ffmpeg, and there is none on the PATH of this machine: install it, or take APNG or animated WebP, which need nothing")

// Check returns why an order cannot be filled, or nil. What it leaves open is filled in.
func (o *Order) Check(p *project.Project) error {
	form, ok := o.As.Form()
	if !ok {
		return fmt.Errorf("delivery: there is no format %.20q", string(o.As))
	}
	if o.Samples == 0 {
		o.Samples = DefaultSamples
	}
	if o.W < 1 || o.H < 1 || o.W > frame.MaxSide || o.H > frame.MaxSide {
		return fmt.Errorf("delivery: a picture has a width and a height of 1 to %d pixels, not %d × %d", frame.MaxSide, o.W, o.H)
	}
	if o.Samples < 1 || o.Samples > picture.MaxSamples {
		return fmt.Errorf("delivery: positions in a pixel lie between 1 and %d, not %d", picture.MaxSamples, o.Samples)
	}
	if !(o.DPI >= 0 && o.DPI <= 10_000) {
		return fmt.Errorf("delivery: dots per inch lie between 1 and 10,000, not %g", o.DPI)
	}
	if o.At != nil && !(*o.At >= 0 && *o.At <= stage.MaxTime) {
		return fmt.Errorf("delivery: time %g lies outside 0 to %d seconds", *o.At, stage.MaxTime)
	}
	if o.Staging != "" && p.Staging(o.Staging) == nil {
		return errors.New("delivery: the staging is not there any more")
	}
	pixels := o.W * o.H
	tooLarge := func(most int) error {
		return fmt.Errorf("delivery: %d × %d are %s pixels; as %s there may be %s", o.W, o.H, millions(pixels), form.Name, millions(most))
	}
	switch form.Kind {
	case Picture:
		if pixels > picture.MaxPixels {
			return tooLarge(picture.MaxPixels)
		}
	case Layered, Vectors, Plates:
		if pixels > maxWhole {
			return tooLarge(maxWhole)
		}
		if t := o.of(p); form.Kind == Plates && (!t.Stage.Press.On || !slices.ContainsFunc(t.Stage.Press.Inks, func(k press.Ink) bool { return !k.Off })) {
			return frame.ErrNoPress
		}
	case Baked, PaintedModel:
		return o.checkBaked(p)
	case Coded:
		if o.Code == nil {
			o.Code = &shader.Order{}
		}
		return o.Code.Check(o.of(p))
	case Moving:
		if pixels > maxFrame {
			return tooLarge(maxFrame)
		}
		return o.checkMoving(p)
	case Proof:
		if pixels > maxCell {
			return tooLarge(maxCell)
		}
		if o.Sheet == nil {
			return errors.New("delivery: a proof sheet needs to be told what it varies")
		}
		plan, err := o.Sheet.Plan(p)
		if err != nil {
			return err
		}
		if n := pixels * plan.Cells(); o.As == SheetPNG && n > picture.MaxPixels {
			return fmt.Errorf("delivery: %d pictures of %d × %d are more than a sheet may hold: make them smaller, or take a PDF", plan.Cells(), o.W, o.H)
		}
		if o.Near < 0 || o.Near >= plan.Cells() {
			o.Near = 0
		}
	}
	return nil
}

func (o *Order) checkMoving(p *project.Project) error {
	if (o.As == GIF || o.As == WebP) && (o.W > 16383 || o.H > 16383) {
		return errors.New("delivery: frames of GIF and WebP have at most 16,383 pixels to a side")
	}
	t := o.of(p).Stage.Time.Filled()
	n := t.Frames()
	if o.First == 0 && o.Last == 0 {
		o.Last = n - 1
	}
	if o.First < 0 || o.Last < o.First || o.Last >= n {
		return fmt.Errorf("delivery: the project has %d frames, counted from 0; there are none from %d to %d", n, o.First, o.Last)
	}
	frames := o.Last - o.First + 1
	if frames > MaxFrames {
		return fmt.Errorf("delivery: a moving picture has at most %d frames, not %d: deliver it in parts", MaxFrames, frames)
	}
	if n := frames * o.W * o.H; n > maxMoving || o.As == GIF && n > maxGIF {
		return fmt.Errorf("delivery: %d frames of %d × %d are more than can be delivered at once: make them smaller, or fewer", frames, o.W, o.H)
	}
	if (o.As == WebM || o.As == MP4) && FFmpeg() == "" {
		return ErrNoFFmpeg
	}
	return nil
}

// millions prints a number of pixels.
func millions(n int) string {
	if n < 1_000_000 {
		return fmt.Sprint(n)
	}
	if m := n / 1_000_000; m >= 1000 {
		return fmt.Sprintf("%d,%03d million", m/1000, m%1000)
	} else if m >= 100 {
		return fmt.Sprintf("%d million", m)
	}
	return fmt.Sprintf("%.3g million", float64(n)/1e6)
}

// of returns the project as the order wants it: in the state of a staging.
func (o *Order) of(p *project.Project) *project.Project {
	if t := p.Staging(o.Staging); t != nil {
		return p.With(t)
	}
	return p
}

// frame returns the order of a picture, or of a frame.
func (o *Order) frame(at *float64) frame.Order {
	return frame.Order{W: o.W, H: o.H, Samples: max(1, o.Samples), Clear: o.Clear, At: at}
}

// Piece is a part of an order that is drawn by itself.
type Piece struct {
	N     int             `json:"n"`              // its number, from 0
	Area  image.Rectangle `json:"area,omitempty"` // of a picture: the part
	Frame int             `json:"frame,omitempty"`
	Cell  int             `json:"cell,omitempty"`
}

// Pieces returns the pieces of an order that has been checked, in the order in which they are to be drawn.
func (o *Order) Pieces(p *project.Project) ([]Piece, error) {
	var out []Piece
	switch o.kind() {
	case Picture:
		for _, area := range frame.Parts(o.W, o.H) {
			out = append(out, Piece{N: len(out), Area: area})
		}
	case Moving:
		for k := o.First; k <= o.Last; k++ {
			out = append(out, Piece{N: len(out), Frame: k})
		}
	case Proof:
		plan, err := o.Sheet.Plan(p)
		if err != nil {
			return nil, err
		}
		for _, c := range plan.Nearest(o.Near) {
			out = append(out, Piece{N: c, Cell: c})
		}
	default:
		out = []Piece{{}}
	}
	return out, nil
}

// Memory returns about how many bytes filling the order takes at most, on one machine.
func (o *Order) Memory() int {
	const kept = 16 + 12 // of each pixel of a whole picture, developed
	const drawn = 150    // of each pixel that is being drawn
	n, most := o.W*o.H, 0
	for _, area := range frame.Parts(o.W, o.H) {
		most = max(most, area.Dx()*area.Dy())
	}
	switch o.kind() {
	case Baked, PaintedModel: // its numbers, those of what is filled in, and a band that is being worked on
		return 24*n + 300<<20
	case Layered: // several films beside each other
		return 5*kept*n + 2*drawn*most
	case Vectors: // which are not drawn in parts
		return (kept + drawn) * n
	}
	return kept*n + 2*drawn*most
}

// Disk returns about how many bytes filling the order takes on the disk at most, in so many pieces.
func (o *Order) Disk(pieces int) int {
	const packed = 3 // bytes of a pixel, of a picture that is not flat
	return 2 * packed * o.W * o.H * max(1, pieces/max(1, o.parts()))
}

// parts returns how many pieces one picture is.
func (o *Order) parts() int {
	if o.kind() == Picture {
		return len(frame.Parts(o.W, o.H))
	}
	return 1
}

// Measured is how long pictures of an order's project take on this machine, in seconds.
type Measured struct {
	Ready    float64 // once, until all is there that pictures share
	Fixed    float64 // of each picture, however small
	PerPixel float64
}

// Seconds returns about how long an order of so many pieces takes.
func (o *Order) Seconds(m Measured, pieces int) float64 {
	picture := m.Fixed + m.PerPixel*float64(o.W*o.H)
	switch o.kind() {
	case Picture: // each part has what is fixed
		picture += m.Fixed * float64(pieces-1)
	case Moving, Proof:
		picture *= float64(pieces)
	case Layered:
		picture *= 8
	case Baked, PaintedModel: // every texel shows a surface, and asks each light anew
		picture *= 3.5
	}
	return m.Ready + picture
}

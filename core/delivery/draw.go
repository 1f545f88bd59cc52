package delivery

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"math"
	"time"

	"github.com/klauspost/compress/s2"

	"mobanta/core/frame"
	"mobanta/core/priority"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/core/scene"
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

// Draw draws a piece of an order that has been checked and returns its bytes: those of the file itself where the order is
// one piece, a PNG of a frame or a cell, or a packed part of a picture. They depend on nothing but the project, the order and
// the piece.
func (d *Drawer) Draw(ctx context.Context, o *Order, piece Piece) ([]byte, error) {
	d.easel.Tell(d.telling(0, 1))
	defer d.easel.Tell(nil)
	switch o.kind() {
	case Picture:
		part, err := d.easel.Part(ctx, d.of(o), d.under(ctx), o.frame(o.At), piece.Area)
		if err != nil {
			return nil, err
		}
		return pack(part), nil
	case Moving:
		p := d.of(o)
		at := p.Stage.Time.Start(piece.Frame)
		return d.png(ctx, p, o.frame(&at))
	case Proof:
		p, err := d.cell(o, piece)
		if err != nil {
			return nil, err
		}
		return d.png(ctx, p, o.frame(o.At))
	}
	var buf bytes.Buffer
	err := d.whole(ctx, o, &buf)
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

// whole draws an order that is one piece.
func (d *Drawer) whole(ctx context.Context, o *Order, w *bytes.Buffer) error {
	f := o.frame(o.At)
	switch o.As {
	case Layers:
		return d.layers(ctx, o, w)
	case Passes:
		return d.passes(ctx, o, w)
	case Texture:
		return d.textures(ctx, o, w)
	case PaintedGLB, PaintedOBJ:
		return d.paintedModel(ctx, o, w)
	case HTML, GLSL, MaterialX:
		_, err := d.coded(ctx, o, w)
		return err
	case Format(frame.SVG), Format(frame.SVGFills): // one position knows all that vectors need
		f.Lines, f.Samples = true, 1
	}
	pic, err := d.easel.Draw(ctx, d.of(o), d.under(ctx), f)
	if err != nil {
		return err
	}
	pic.DPI = o.DPI
	return pic.Write(w, frame.Format(o.As))
}

// A packed part is its rectangle, whether it tells what glows, and its values, as little-endian numbers, packed.

// pack returns a part as bytes.
func pack(p *frame.Part) []byte {
	raw := make([]byte, 0, 20+4*len(p.Pix)+4*len(p.Shine))
	for _, v := range [4]int{p.Area.Min.X, p.Area.Min.Y, p.Area.Max.X, p.Area.Max.Y} {
		raw = binary.LittleEndian.AppendUint32(raw, uint32(v))
	}
	shines := uint32(0)
	if p.Shine != nil {
		shines = 1
	}
	raw = binary.LittleEndian.AppendUint32(raw, shines)
	// Byte by byte of all numbers: what is flat packs to next to nothing.
	all := [2][]float32{p.Pix, p.Shine}
	for shift := 0; shift < 32; shift += 8 {
		for _, list := range all {
			for _, v := range list {
				raw = append(raw, byte(math.Float32bits(v)>>shift))
			}
		}
	}
	return s2.EncodeBetter(nil, raw)
}

// errPart is that the bytes of a part are none.
var errPart = errors.New("delivery: the bytes of a part are damaged")

// unpack returns the part that was packed, of a picture of w × h pixels.
func unpack(data []byte, w, h int) (*frame.Part, error) {
	if n, err := s2.DecodedLen(data); err != nil || n > 20*(w*h+1) || n < 20 {
		return nil, errPart
	}
	raw, err := s2.Decode(nil, data)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errPart, err)
	}
	head := func(k int) int { return int(int32(binary.LittleEndian.Uint32(raw[4*k:]))) }
	p := &frame.Part{Area: image.Rectangle{Min: image.Pt(head(0), head(1)), Max: image.Pt(head(2), head(3))}}
	if p.Area.Empty() || !p.Area.In(image.Rect(0, 0, w, h)) {
		return nil, errPart
	}
	n := 4 * p.Area.Dx() * p.Area.Dy()
	m := 0
	if head(4) == 1 {
		m = n / 4
	}
	if raw = raw[20:]; len(raw) != 4*(n+m) {
		return nil, errPart
	}
	all := make([]float32, n+m)
	for i := range all {
		var bits uint32
		for k := range 4 {
			bits |= uint32(raw[k*(n+m)+i]) << (8 * k)
		}
		all[i] = math.Float32frombits(bits)
	}
	p.Pix = all[:n:n]
	if m > 0 {
		p.Shine = all[n:]
	}
	return p, nil
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

// Stamp names what a cell of a proof sheet shows: two that show the same have the same.
func (d *Drawer) Stamp(o *Order, piece Piece) (string, error) {
	p, err := d.cell(o, piece)
	if err != nil {
		return "", err
	}
	if o.At != nil {
		q := *p
		q.Stage.Time.At = *o.At
		p = &q
	}
	stamp, err := scene.Stamp(p, scene.View{W: o.W, H: o.H})
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%x-%d-%v", stamp[:], o.Samples, o.Clear), nil
}

// cell returns the project of a cell.
func (d *Drawer) cell(o *Order, piece Piece) (*project.Project, error) {
	if d.plan == nil || d.planned != o.Sheet {
		plan, err := o.Sheet.Plan(d.project)
		if err != nil {
			return nil, err
		}
		d.plan, d.planned = plan, o.Sheet
	}
	if piece.Cell < 0 || piece.Cell >= d.plan.Cells() {
		return nil, errors.New("delivery: the sheet has no such cell")
	}
	return d.plan.Cell(piece.Cell)
}

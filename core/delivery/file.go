package delivery

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"

	"mobanta/core/frame"
	"mobanta/core/letters"
	"mobanta/core/names"
	"mobanta/core/proof"
)

// File puts the pieces of an order together and writes what is delivered to a new file of that name. piece returns the bytes of
// a piece by its number. A context that ends stops it.
func (d *Drawer) File(ctx context.Context, o *Order, name string, piece func(n int) ([]byte, error)) (err error) {
	asked := func(n int) ([]byte, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return piece(n)
	}
	if o.As == WebM || o.As == MP4 { // made by another program
		return d.movie(o, asked).video(ctx, o.As, name)
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	defer func() {
		if e := f.Close(); err == nil && e != nil {
			err = fmt.Errorf("delivery: %w", e)
		}
		if err != nil {
			os.Remove(name)
		}
	}()
	switch o.kind() {
	case Picture:
		return d.picture(ctx, o, f, asked)
	case Moving:
		m := d.movie(o, asked)
		switch o.As {
		case Frames:
			return m.zipped(f, o.First)
		case APNG:
			return m.apng(f)
		case GIF:
			return m.gif(f)
		case WebP:
			return m.webp(f)
		}
	case Proof:
		return d.sheet(o, f, asked)
	}
	data, err := asked(0)
	if err == nil {
		_, err = f.Write(data)
	}
	return err
}

// Fill draws all pieces of an order that has been checked and writes what is delivered to a new file of that name. What is
// drawn lies in a folder beside it meanwhile. progress hears how many pieces are drawn, of how many.
func (d *Drawer) Fill(ctx context.Context, o *Order, name string, progress func(done, of int)) error {
	pieces, err := o.Pieces(d.project)
	if err != nil {
		return err
	}
	if o.kind() == Picture && len(pieces) == 1 { // as it is, without packing it
		if err := d.once(ctx, o, name); err != nil {
			return err
		}
		progress(1, 1)
		return nil
	}
	dir, err := os.MkdirTemp(filepath.Dir(name), ".mobanta-pieces-*")
	if err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	defer os.RemoveAll(dir)
	at := func(n int) string { return filepath.Join(dir, strconv.Itoa(n)) }
	for k, piece := range pieces {
		data, err := d.Draw(ctx, o, piece)
		if err == nil {
			err = os.WriteFile(at(piece.N), data, 0o600)
		}
		if err != nil {
			return err
		}
		progress(k+1, len(pieces))
	}
	return d.File(ctx, o, name, func(n int) ([]byte, error) { return os.ReadFile(at(n)) })
}

// once draws a picture of one piece into a file.
func (d *Drawer) once(ctx context.Context, o *Order, name string) error {
	pic, err := d.easel.Draw(ctx, d.of(o), d.under(ctx), o.frame(o.At))
	if err != nil {
		return err
	}
	pic.DPI = o.DPI
	f, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	err = pic.Write(f, frame.Format(o.As))
	if e := f.Close(); err == nil && e != nil {
		err = fmt.Errorf("delivery: %w", e)
	}
	return err
}

// movie returns an order's moving picture.
func (d *Drawer) movie(o *Order, piece func(n int) ([]byte, error)) *movie {
	t := d.of(o).Stage.Time.Filled()
	return &movie{w: o.W, h: o.H, frames: o.Last - o.First + 1, rate: t.Rate, once: t.Once, frame: piece}
}

// picture develops a picture from its parts.
func (d *Drawer) picture(ctx context.Context, o *Order, w io.Writer, piece func(n int) ([]byte, error)) error {
	whole := frame.NewWhole(o.W, o.H)
	for n := range frame.Parts(o.W, o.H) {
		data, err := piece(n)
		if err != nil {
			return err
		}
		part, err := unpack(data, o.W, o.H)
		if err == nil {
			err = whole.Put(part)
		}
		if err != nil {
			return err
		}
	}
	pic, err := d.easel.Develop(ctx, d.of(o), d.under(ctx), o.frame(o.At), whole)
	if err != nil {
		return err
	}
	pic.DPI = o.DPI
	return pic.Write(w, frame.Format(o.As))
}

// The measures of a sheet, in pixels.
const (
	sheetGap    = 12
	sheetMargin = 28
	sheetText   = 15.0
)

// sheet puts the cells of a sheet in rows and columns, with their names.
func (d *Drawer) sheet(o *Order, w io.Writer, piece func(n int) ([]byte, error)) error {
	if o.As == SheetOnly {
		return nil
	}
	plan, err := o.Sheet.Plan(d.project)
	if err != nil {
		return err
	}
	if o.As == SheetPDF {
		return d.sheetPDF(o, plan, w, piece)
	}
	pen := letters.NewPen(sheetText)
	rows := 0 // the width of the names of rows
	for k := range plan.Rows() {
		wide, err := pen.Width(plan.Row(k))
		if err != nil {
			return err
		}
		rows = max(rows, wide)
	}
	if rows > 0 {
		rows += sheetGap
	}
	across, down := plan.Head()
	left, top := sheetMargin+rows, sheetMargin+5*int(sheetText)
	img := image.NewNRGBA(image.Rect(0, 0, left+plan.Columns()*(o.W+sheetGap)-sheetGap+sheetMargin, top+plan.Rows()*(o.H+sheetGap)-sheetGap+sheetMargin))
	draw.Draw(img, img.Rect, image.NewUniform(color.NRGBA{0xf5, 0xf5, 0xf5, 255}), image.Point{}, draw.Src)
	write := func(s string, x, y, most int) error {
		s, err := pen.Fitting(s, most)
		if err != nil {
			return err
		}
		return pen.Write(img, color.NRGBA{0x17, 0x18, 0x1a, 255}, x, y, s)
	}
	title := d.project.Name
	if down != "" {
		title += ": " + down + " by " + across
	} else {
		title += ": " + across
	}
	if err := write(title, sheetMargin, sheetMargin+int(sheetText), img.Rect.Dx()-2*sheetMargin); err != nil {
		return err
	}
	for k := range plan.Columns() {
		if err := write(plan.Column(k), left+k*(o.W+sheetGap), top-int(sheetText)/2, o.W); err != nil {
			return err
		}
	}
	for k := range plan.Rows() {
		if err := write(plan.Row(k), sheetMargin, top+k*(o.H+sheetGap)+o.H/2, rows); err != nil {
			return err
		}
	}
	for n := range plan.Cells() {
		data, err := piece(n)
		if err != nil {
			return err
		}
		cell, err := png.Decode(bytes.NewReader(data))
		if err != nil {
			return fmt.Errorf("delivery: cell %d: %w", n, err)
		}
		at := image.Pt(left+n%plan.Columns()*(o.W+sheetGap), top+n/plan.Columns()*(o.H+sheetGap))
		draw.Draw(img, cell.Bounds().Add(at), cell, image.Point{}, draw.Over)
	}
	return png.Encode(w, img)
}

// sheetPDF writes a sheet as one page, on which a pixel is 1/150 of an inch unless the order says otherwise.
func (d *Drawer) sheetPDF(o *Order, plan *proof.Plan, w io.Writer, piece func(n int) ([]byte, error)) error {
	dpi := o.DPI
	if dpi == 0 {
		dpi = 150
	}
	const margin, gap, text = 12.0, 3.0, 3.2 // millimetres
	cw, ch := float64(o.W)/dpi*25.4, float64(o.H)/dpi*25.4
	doc := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: 100, Ht: 100}})
	page := letters.Page{Doc: doc}
	const points = text / 25.4 * 72
	rows := 0.0
	for k := range plan.Rows() {
		rows = max(rows, page.Width(points, plan.Row(k)))
	}
	if rows > 0 {
		rows += gap
	}
	left, top := margin+rows, margin+4*text
	size := fpdf.SizeType{Wd: left + float64(plan.Columns())*(cw+gap) - gap + margin, Ht: top + float64(plan.Rows())*(ch+gap) - gap + margin}
	// The same sheet is the same file, but for the order in which the library puts images.
	doc.SetCatalogSort(true)
	doc.SetCreationDate(time.Unix(0, 0).UTC())
	doc.SetModificationDate(time.Unix(0, 0).UTC())
	doc.SetAutoPageBreak(false, 0)
	doc.AddPageFormat("P", size)
	across, down := plan.Head()
	if down != "" {
		across = down + " by " + across
	}
	page.Write(1.2*points, margin, margin+text, d.project.Name+": "+across)
	for k := range plan.Columns() {
		page.Write(points, left+float64(k)*(cw+gap), top-text/2, plan.Column(k))
	}
	for k := range plan.Rows() {
		page.Write(points, margin, top+float64(k)*(ch+gap)+ch/2, plan.Row(k))
	}
	for n := range plan.Cells() {
		data, err := piece(n)
		if err != nil {
			return err
		}
		name := fmt.Sprint("cell", n)
		doc.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, bytes.NewReader(data))
		doc.ImageOptions(name, left+float64(n%plan.Columns())*(cw+gap), top+float64(n/plan.Columns())*(ch+gap), cw, ch, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
	}
	if err := doc.Output(w); err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	return nil
}

// Name returns what a delivered file is called, without characters that a folder or a system might mistake.
func (o *Order) Name(name string) string {
	if o.kind() != Coded {
		size := fmt.Sprintf(" %dx%d", o.W, o.H)
		return names.FileName(name, size+o.ending())
	}
	return names.FileName(name, o.ending())
}

// Safe returns the name of a file of the order as it may be given to any system; Name's are such.
func (o *Order) Safe(name string) string {
	return names.FileName(strings.TrimSuffix(name, o.ending()), o.ending())
}

func (o *Order) ending() string {
	f, _ := o.As.Form()
	if o.several() {
		return " textures.zip"
	}
	return f.Ending
}

// Media returns the media type of what is delivered.
func (o *Order) Media() string {
	f, _ := o.As.Form()
	if o.several() {
		return "application/zip"
	}
	return f.Media
}

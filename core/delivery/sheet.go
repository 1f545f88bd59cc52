package delivery

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io"
	"time"

	"github.com/go-pdf/fpdf"

	"mobanta/core/letters"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/core/scene"
)

// Proof sheets: cells, each a picture of the project with something varied.

func init() {
	register(9, &kind{name: Proof, screen: true, most: maxCell,
		check: checkSheet,
		pieces: func(o *Order, p *project.Project) ([]Piece, error) {
			plan, err := o.Sheet.Plan(p)
			if err != nil {
				return nil, err
			}
			var out []Piece
			for _, c := range plan.Nearest(o.Near) {
				out = append(out, Piece{N: c, Cell: c})
			}
			return out, nil
		},
		draw: func(ctx context.Context, d *Drawer, o *Order, piece Piece) ([]byte, error) {
			p, err := d.cell(o, piece)
			if err != nil {
				return nil, err
			}
			return d.png(ctx, p, o.frame(o.At))
		},
		file: func(_ context.Context, d *Drawer, o *Order, w io.WriteSeeker, piece func(n int) ([]byte, error)) error {
			return d.sheet(o, w, piece)
		},
		seconds: alike,
	},
		Form{Format: SheetPNG, Name: "sheet, PNG", Ending: " sheet.png", Media: "image/png", Help: "all pictures of the sheet with their names"},
		Form{Format: SheetPDF, Name: "sheet, PDF", Ending: " sheet.pdf", Media: "application/pdf", Help: "all pictures of the sheet with their names, on one page"},
		Form{Format: SheetOnly, Name: "cells"},
	)
}

// alike is how long as many pictures take as there are pieces.
func alike(_ Measured, picture float64, pieces int) float64 { return picture * float64(pieces) }

// checkSheet checks an order of a proof sheet.
func checkSheet(o *Order, p *project.Project) error {
	if o.Sheet == nil {
		return errors.New("delivery: a proof sheet needs to be told what it varies")
	}
	plan, err := o.Sheet.Plan(p)
	if err != nil {
		return err
	}
	if n := o.W * o.H * plan.Cells(); o.As == SheetPNG && n > picture.MaxPixels {
		return fmt.Errorf("delivery: %d pictures of %d × %d are more than a sheet may hold: make them smaller, or take a PDF", plan.Cells(), o.W, o.H)
	}
	if o.Near < 0 || o.Near >= plan.Cells() {
		o.Near = 0
	}
	return nil
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

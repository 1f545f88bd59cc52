// Package letters writes names of any script on sheets and plates: it has three fonts, parts a text by which of them has its
// letters and by its direction, and writes the parts one after the other, on a picture or a page.
//
// Letters are set one beside the other: Arabic ones in their forms that stand alone, and scripts whose letters join otherwise
// (Devanagari, Thai and their kin) have no font here.
package letters

import (
	_ "embed"
	"fmt"
	"image"
	"image/color"
	"sync"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
	"golang.org/x/text/unicode/bidi"
)

var (
	//go:embed fonts/DejaVuSans.ttf
	sans []byte // Latin, Greek, Cyrillic, Hebrew, Arabic, Georgian, signs
	//go:embed fonts/DroidSansFallbackFull.ttf
	eastern []byte // Chinese and Japanese
	//go:embed fonts/NanumSquareR.ttf
	korean []byte
)

// fonts are the fonts, the one to be tried first ahead.
var fonts = [3]struct {
	name string
	ttf  []byte
	read func() (*sfnt.Font, error)
}{
	{"sans", sans, sync.OnceValues(func() (*sfnt.Font, error) { return opentype.Parse(sans) })},
	{"eastern", eastern, sync.OnceValues(func() (*sfnt.Font, error) { return opentype.Parse(eastern) })},
	{"korean", korean, sync.OnceValues(func() (*sfnt.Font, error) { return opentype.Parse(korean) })},
}

// run is a part of a text, as it is written from left to right, in one font.
type run struct {
	font int
	text string
}

// runs parts a text. What no font has is written as a sign that says so.
func runs(s string) (out []run) {
	var p bidi.Paragraph
	parts := []string{s}
	if _, err := p.SetString(s); err == nil {
		if order, err := p.Order(); err == nil {
			parts = parts[:0]
			for k := range order.NumRuns() {
				r := order.Run(k)
				if r.Direction() == bidi.RightToLeft {
					parts = append(parts, bidi.ReverseString(r.String()))
				} else {
					parts = append(parts, r.String())
				}
			}
		}
	}
	var buf sfnt.Buffer
	for _, part := range parts {
		for _, r := range part {
			at := 0
			for at < len(fonts) && !has(&buf, at, r) {
				at++
			}
			if at == len(fonts) {
				at, r = 0, '\uFFFD'
			}
			if n := len(out); n > 0 && out[n-1].font == at {
				out[n-1].text += string(r)
			} else {
				out = append(out, run{at, string(r)})
			}
		}
	}
	return out
}

func has(buf *sfnt.Buffer, at int, r rune) bool {
	f, err := fonts[at].read()
	if err != nil {
		return false
	}
	k, err := f.GlyphIndex(buf, r)
	return err == nil && k != 0
}

// Pen writes on pictures, in one size. It is not safe for use by several goroutines at once.
type Pen struct {
	faces [len(fonts)]font.Face
	size  float64
}

// NewPen returns a pen for letters of so many pixels.
func NewPen(size float64) *Pen { return &Pen{size: size} }

func (p *Pen) face(at int) (font.Face, error) {
	if p.faces[at] == nil {
		f, err := fonts[at].read()
		if err == nil {
			p.faces[at], err = opentype.NewFace(f, &opentype.FaceOptions{Size: p.size, DPI: 72, Hinting: font.HintingFull})
		}
		if err != nil {
			return nil, fmt.Errorf("letters: %w", err)
		}
	}
	return p.faces[at], nil
}

// Width returns how many pixels wide a text is.
func (p *Pen) Width(s string) (int, error) {
	sum := fixed.Int26_6(0)
	for _, r := range runs(s) {
		f, err := p.face(r.font)
		if err != nil {
			return 0, err
		}
		sum += font.MeasureString(f, r.text)
	}
	return sum.Ceil(), nil
}

// Write writes a text from x on the line y.
func (p *Pen) Write(img *image.NRGBA, ink color.Color, x, y int, s string) error {
	d := font.Drawer{Dst: img, Src: image.NewUniform(ink), Dot: fixed.P(x, y)}
	for _, r := range runs(s) {
		var err error
		if d.Face, err = p.face(r.font); err != nil {
			return err
		}
		d.DrawString(r.text)
	}
	return nil
}

// Fitting returns as much of a text as is at most w pixels wide, with an ellipsis if that is not all.
func (p *Pen) Fitting(s string, w int) (string, error) {
	wide, err := p.Width(s)
	for r := []rune(s); err == nil && wide > w && len(r) > 0; {
		r = r[:len(r)-1]
		s = string(r) + "…"
		wide, err = p.Width(s)
	}
	return s, err
}

// Page writes on the pages of a document, whose units are millimetres. Fonts come into the document when they are first
// needed, with the letters that are used.
type Page struct {
	Doc  *fpdf.Fpdf
	used [len(fonts)]bool
}

func (p *Page) font(at int, points float64) {
	if !p.used[at] {
		p.Doc.AddUTF8FontFromBytes(fonts[at].name, "", fonts[at].ttf)
		p.used[at] = true
	}
	p.Doc.SetFont(fonts[at].name, "", points)
}

// Width returns how wide a text is in letters of so many points.
func (p *Page) Width(points float64, s string) (sum float64) {
	for _, r := range runs(s) {
		p.font(r.font, points)
		sum += p.Doc.GetStringWidth(r.text)
	}
	return sum
}

// Write writes a text from x on the line y, in letters of so many points.
func (p *Page) Write(points, x, y float64, s string) {
	for _, r := range runs(s) {
		p.font(r.font, points)
		p.Doc.Text(x, y, r.text)
		x += p.Doc.GetStringWidth(r.text)
	}
}

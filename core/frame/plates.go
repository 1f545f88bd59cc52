package frame

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"strings"
	"time"
	"unicode"

	"github.com/go-pdf/fpdf"
)

// The formats of plates: what each ink of the press prints, black where there is ink.
const (
	Plates8   Format = "plates8"   // a ZIP file of PNGs, 8 bits
	Plates1   Format = "plates1"   // a ZIP file of PNGs, 1 bit
	PlatesPDF Format = "platespdf" // a page for each plate, with marks to lay them on each other
)

// ErrNoPress is that plates are wanted of a picture that is not printed.
var ErrNoPress = errors.New("frame: the picture is not printed, so there are no plates: switch the press on, and an ink of it")

// plate is one ink as a picture.
type plate struct {
	name string
	img  image.Image
}

// plates returns what each ink prints.
func (p *Picture) plates(bits int) ([]plate, error) {
	inks := p.result.Plates()
	if len(inks) == 0 {
		return nil, ErrNoPress
	}
	var out []plate
	for k, ink := range inks {
		if bits == 1 {
			two := image.NewPaletted(p.result.Bounds(), color.Palette{color.Gray{0}, color.Gray{255}})
			for i, ink := range p.result.PlateBits(k) {
				if !ink {
					two.Pix[i] = 1
				}
			}
			out = append(out, plate{ink.Name, two})
			continue
		}
		covers := p.result.Plate(k)
		for i, v := range covers.Pix {
			covers.Pix[i] = 255 - v
		}
		out = append(out, plate{ink.Name, covers})
	}
	return out, nil
}

// writePlates writes plates as PNG in a ZIP file.
func (p *Picture) writePlates(w io.Writer, bits int) error {
	list, err := p.plates(bits)
	if err != nil {
		return err
	}
	z := zip.NewWriter(w)
	for i, l := range list {
		f, err := z.CreateHeader(&zip.FileHeader{Name: fmt.Sprintf("%d-%s.png", i+1, fileName(l.name)), Method: zip.Store})
		if err != nil {
			return err
		}
		if err := png.Encode(f, l.img); err != nil {
			return err
		}
	}
	return z.Close()
}

// fileName returns a name of letters, digits and hyphens.
func fileName(name string) string {
	s := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return '-'
	}, name)
	return strings.Trim(s, "-")
}

const (
	platesDPI   = 300.0
	platesRoom  = 14.0 // millimetres about the plate, for its marks
	markRadius  = 2.5
	markLength  = 9.0
	millimetres = 25.4
)

// writePDF writes plates as pages, each as large as it is at the picture's dots an inch, or 300, with room about it,
// named, with the same four marks on each.
func (p *Picture) writePDF(w io.Writer) error {
	list, err := p.plates(8)
	if err != nil {
		return err
	}
	b := list[0].img.Bounds()
	dpi := p.DPI
	if dpi == 0 {
		dpi = platesDPI
	}
	wide, high := float64(b.Dx())/dpi*millimetres, float64(b.Dy())/dpi*millimetres
	doc := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: wide + 2*platesRoom, Ht: high + 2*platesRoom}})
	// The same picture is the same file, but for the order in which the library puts images.
	doc.SetCatalogSort(true)
	doc.SetCreationDate(time.Unix(0, 0).UTC())
	doc.SetModificationDate(time.Unix(0, 0).UTC())
	doc.SetMargins(0, 0, 0)
	doc.SetAutoPageBreak(false, 0)
	doc.SetFont("Helvetica", "", 8)
	doc.SetLineWidth(0.1)
	latin := doc.UnicodeTranslatorFromDescriptor("")
	for i, l := range list {
		var buf bytes.Buffer
		if err := png.Encode(&buf, l.img); err != nil {
			return err
		}
		name := fmt.Sprint("plate", i)
		doc.AddPage()
		doc.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, &buf)
		doc.ImageOptions(name, platesRoom, platesRoom, wide, high, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
		for _, m := range [4][2]float64{{platesRoom / 2, platesRoom + high/2}, {platesRoom*1.5 + wide, platesRoom + high/2}, {platesRoom + wide/2, platesRoom / 2}, {platesRoom + wide/2, platesRoom*1.5 + high}} {
			doc.Circle(m[0], m[1], markRadius, "D")
			doc.Line(m[0]-markLength/2, m[1], m[0]+markLength/2, m[1])
			doc.Line(m[0], m[1]-markLength/2, m[0], m[1]+markLength/2)
		}
		doc.Text(platesRoom, platesRoom/2, latin(fmt.Sprintf("%s, %d of %d", l.name, i+1, len(list))))
	}
	return doc.Output(w)
}

package frame

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
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

	"mobanta/core/letters"
)

// The formats of plates: what each ink of the press prints, black where there is ink.
const (
	Plates16  Format = "plates16"  // a ZIP file of PNGs, 16 bits
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

// plates returns what each ink prints, with 16, 8 or 1 bits a pixel. With 16, plates laid over each other are the picture to 1 of
// 255; with 8 they miss it by up to 5 in the darks, where the eye tells small shares apart.
func (p *Picture) plates(bits int) ([]plate, error) {
	inks := p.result.Plates()
	if len(inks) == 0 {
		return nil, ErrNoPress
	}
	var out []plate
	for k, ink := range inks {
		var img image.Image
		b := p.result.Bounds()
		switch bits {
		case 1:
			two := image.NewPaletted(b, color.Palette{color.Gray{0}, color.Gray{255}})
			for i, ink := range p.result.PlateBits(k) {
				if !ink {
					two.Pix[i] = 1
				}
			}
			img = two
		case 8:
			grey := image.NewGray(b)
			for i, v := range p.result.Plate(k) {
				grey.Pix[i] = 255 - uint8(255*v+0.5)
			}
			img = grey
		default:
			grey := image.NewGray16(b)
			for i, v := range p.result.Plate(k) {
				binary.BigEndian.PutUint16(grey.Pix[2*i:], 0xffff-uint16(0xffff*v+0.5))
			}
			img = grey
		}
		out = append(out, plate{ink.Name, img})
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
	doc.SetLineWidth(0.1)
	page := letters.Page{Doc: doc}
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
		page.Write(8, platesRoom, platesRoom/2, fmt.Sprintf("%s, %d of %d", l.name, i+1, len(list)))
	}
	return doc.Output(w)
}

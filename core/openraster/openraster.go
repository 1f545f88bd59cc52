// Package openraster writes pictures of layers as OpenRaster files, an open standard that painting programs read: a ZIP of
// PNGs with a list of how they lie upon each other.
package openraster

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"io"
	"time"

	"golang.org/x/image/draw"
)

// Layer is one layer.
type Layer struct {
	Name   string
	Hidden bool
	Within bool // it changes what lies below, and covers nothing beside it
	At     image.Point
	PNG    []byte // what it shows, from At on; see Pack
}

// Pack returns what can be seen of a picture as a PNG, and where that lies.
func Pack(pix *image.NRGBA) (data []byte, at image.Point, err error) {
	seen := opaqueBounds(pix)
	var buf bytes.Buffer
	if err := png.Encode(&buf, pix.SubImage(seen)); err != nil {
		return nil, at, fmt.Errorf("openraster: %w", err)
	}
	return buf.Bytes(), seen.Min, nil
}

// stack is stack.xml.
type stack struct {
	XMLName xml.Name `xml:"image"`
	Version string   `xml:"version,attr"`
	W       int      `xml:"w,attr"`
	H       int      `xml:"h,attr"`
	XRes    int      `xml:"xres,attr,omitempty"` // pixels per inch
	YRes    int      `xml:"yres,attr,omitempty"`
	Layers  []entry  `xml:"stack>layer"` // the uppermost first
}

type entry struct {
	Name       string `xml:"name,attr"`
	Src        string `xml:"src,attr"`
	X          int    `xml:"x,attr"`
	Y          int    `xml:"y,attr"`
	Opacity    string `xml:"opacity,attr"`
	Visibility string `xml:"visibility,attr"`
	Op         string `xml:"composite-op,attr"`
}

// always is when all entries of a file were made, so that the same picture is the same file.
var always = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// thumbnail is the longest side of the small picture that a file holds, in pixels.
const thumbnail = 256

// Write writes layers, the lowest first, and the picture that they come to, w × h pixels; dpi is how many of them there are to
// an inch, 0 to say none.
func Write(to io.Writer, w, h int, dpi float64, layers []Layer, merged *image.NRGBA) error {
	z := zip.NewWriter(to)
	put := func(name string, method uint16, f func(w io.Writer) error) error {
		e, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: method, Modified: always})
		if err == nil {
			err = f(e)
		}
		if err != nil {
			return fmt.Errorf("openraster: %s: %w", name, err)
		}
		return nil
	}
	// The standard wants the type first and as it is, so that it stands at byte 38: no extra field, and no sizes behind it.
	const kind = "image/openraster"
	e, err := z.CreateRaw(&zip.FileHeader{Name: "mimetype", Method: zip.Store, CRC32: crc32.ChecksumIEEE([]byte(kind)), CompressedSize64: uint64(len(kind)), UncompressedSize64: uint64(len(kind))})
	if err == nil {
		_, err = io.WriteString(e, kind)
	}
	if err != nil {
		return fmt.Errorf("openraster: %w", err)
	}
	list := stack{Version: "0.0.3", W: w, H: h, XRes: int(dpi + 0.5), YRes: int(dpi + 0.5)}
	for i := len(layers) - 1; i >= 0; i-- {
		l := &layers[i]
		e := entry{Name: l.Name, Src: fmt.Sprintf("data/layer%03d.png", i), X: l.At.X, Y: l.At.Y, Opacity: "1.0", Visibility: "visible", Op: "svg:src-over"}
		if l.Hidden {
			e.Visibility = "hidden"
		}
		if l.Within {
			e.Op = "svg:src-atop"
		}
		list.Layers = append(list.Layers, e)
	}
	err = put("stack.xml", zip.Deflate, func(w io.Writer) error {
		if _, err := io.WriteString(w, xml.Header); err != nil {
			return err
		}
		e := xml.NewEncoder(w)
		e.Indent("", " ")
		return e.Encode(list)
	})
	if err != nil {
		return err
	}
	picture := func(name string, img image.Image) error {
		return put(name, zip.Store, func(w io.Writer) error { return png.Encode(w, img) })
	}
	for i := range layers {
		if err := put(fmt.Sprintf("data/layer%03d.png", i), zip.Store, func(w io.Writer) error { _, err := w.Write(layers[i].PNG); return err }); err != nil {
			return err
		}
	}
	if err := picture("mergedimage.png", merged); err != nil {
		return err
	}
	k := min(1, thumbnail/float64(max(w, h)))
	small := image.NewNRGBA(image.Rect(0, 0, max(1, int(float64(w)*k)), max(1, int(float64(h)*k))))
	draw.CatmullRom.Scale(small, small.Rect, merged, merged.Rect, draw.Src, nil)
	if err := picture("Thumbnails/thumbnail.png", small); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("openraster: %w", err)
	}
	return nil
}

// opaqueBounds returns the rectangle that what can be seen lies in, at least one pixel.
func opaqueBounds(img *image.NRGBA) image.Rectangle {
	var r image.Rectangle
	for y := img.Rect.Min.Y; y < img.Rect.Max.Y; y++ {
		row := img.Pix[img.PixOffset(img.Rect.Min.X, y) : img.PixOffset(img.Rect.Max.X-1, y)+4]
		for x := 0; x < len(row); x += 4 {
			if row[x+3] > 0 {
				r = r.Union(image.Rect(img.Rect.Min.X+x/4, y, img.Rect.Min.X+x/4+1, y+1))
			}
		}
	}
	if r.Empty() {
		r = image.Rectangle{Min: img.Rect.Min, Max: img.Rect.Min.Add(image.Pt(1, 1))}
	}
	return r
}

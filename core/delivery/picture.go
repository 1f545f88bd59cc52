package delivery

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"io"
	"math"
	"os"

	"github.com/klauspost/compress/s2"

	"mobanta/core/frame"
	"mobanta/core/picture"
	"mobanta/core/project"
)

// A picture, drawn in parts that lie together in a file of one layer.

func init() {
	register(1, &kind{name: Picture, wait: 1, most: picture.MaxPixels, tiled: true,
		pieces: func(o *Order, _ *project.Project) ([]Piece, error) {
			var out []Piece
			for _, area := range frame.Parts(o.W, o.H) {
				out = append(out, Piece{N: len(out), Area: area})
			}
			return out, nil
		},
		draw: func(ctx context.Context, d *Drawer, o *Order, piece Piece) ([]byte, error) {
			part, err := d.easel.Part(ctx, d.of(o), d.under(ctx), o.frame(o.At), piece.Area)
			if err != nil {
				return nil, err
			}
			return pack(part), nil
		},
		file:    developed,
		seconds: func(m Measured, picture float64, pieces int) float64 { return picture + m.Fixed*float64(pieces-1) }, // each part has what is fixed
	},
		Form{Format: Format(frame.PNG8), Name: "PNG, 8 bits", Ending: ".png", Media: "image/png", Help: "sRGB, for the screen and for most printers"},
		Form{Format: Format(frame.PNG16), Name: "PNG, 16 bits", Ending: ".png", Media: "image/png", Help: "sRGB, for whoever goes on working on it"},
		Form{Format: Format(frame.PFM), Name: "PFM, linear floats", Ending: ".pfm", Media: "image/x-portable-floatmap", Help: "light as it was computed, three channels"},
	)
}

// developed develops a picture from its parts.
func developed(ctx context.Context, d *Drawer, o *Order, w io.WriteSeeker, piece func(n int) ([]byte, error)) error {
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

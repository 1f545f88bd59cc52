package film

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"image"
	"image/png"
	"io"
	"math"

	"mobanta/core/color"
)

// The views are the ends of a chain: they make bytes of values. The plain one, sRGB,
// is the only one so far.

// RGBA writes an area as 8-bit sRGB, four bytes a pixel, not premultiplied, into dst,
// which holds the whole picture. Drawn pictures are flat: a pixel like the one before
// it takes its bytes.
func (c Chain) RGBA(f *Film, dst []byte, area image.Rectangle, workers int) {
	area = area.Intersect(f.Bounds())
	c.Each(f, area, workers, func(y int, row []float32) {
		out := dst[4*(y*f.W+area.Min.X) : 4*(y*f.W+area.Max.X)]
		for p := 0; p < len(row); p += 4 {
			v := row[p : p+4 : p+4]
			if p > 0 && v[0] == row[p-4] && v[1] == row[p-3] && v[2] == row[p-2] && v[3] == row[p-1] {
				copy(out[p:p+4], out[p-4:p])
				continue
			}
			encode(out[p:p+4:p+4], v)
		}
	})
}

// straight returns the colour and the cover of a value, no longer premultiplied.
func straight(v []float32) (col color.C, a float32) {
	col, a = color.C{v[0], v[1], v[2]}, v[3]
	if a > 0 && a < 1 {
		for k := range col {
			col[k] /= a
		}
	}
	return col, a
}

func encode(dst []byte, v []float32) {
	col, a := straight(v)
	dst[0], dst[1], dst[2], dst[3] = color.Byte(col[0]), color.Byte(col[1]), color.Byte(col[2]), uint8(a*255+0.5)
}

// Pixel returns the bytes of one pixel.
func (c Chain) Pixel(f *Film, x, y int) (out [4]byte) {
	encode(out[:], c.Tile(f, image.Rect(x, y, x+1, y+1)).Pix)
	return out
}

// WritePNG writes the picture with 8 or 16 bits a channel, sRGB-encoded.
func (c Chain) WritePNG(f *Film, w io.Writer, bits, workers int) error {
	switch bits {
	case 8:
		img := image.NewNRGBA(f.Bounds())
		c.RGBA(f, img.Pix, f.Bounds(), workers)
		return png.Encode(w, img)
	case 16:
		img := image.NewNRGBA64(f.Bounds())
		c.Each(f, f.Bounds(), workers, func(y int, row []float32) {
			for x := range f.W {
				col, a := straight(row[4*x : 4*x+4])
				p := img.Pix[8*(y*f.W+x):]
				for k, v := range col {
					binary.BigEndian.PutUint16(p[2*k:], color.Word(v))
				}
				binary.BigEndian.PutUint16(p[6:], uint16(max(0, min(1, a))*65535+0.5))
			}
		})
		return png.Encode(w, img)
	}
	return fmt.Errorf("film: a PNG has 8 or 16 bits, not %d", bits)
}

// WritePFM writes the linear values as a colour Portable FloatMap, little endian,
// bottom row first. A tone is written three times. Transparent places are 0.
func (c Chain) WritePFM(f *Film, w io.Writer) error {
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, "PF\n%d %d\n-1.0\n", f.W, f.H)
	var buf [12]byte
	for y := f.H - 1; y >= 0; y-- {
		t := c.Tile(f, image.Rect(0, y, f.W, y+1))
		for p := 0; p < len(t.Pix); p += 4 {
			for k := range 3 {
				binary.LittleEndian.PutUint32(buf[4*k:], math.Float32bits(t.Pix[p+k]))
			}
			out.Write(buf[:])
		}
	}
	return out.Flush()
}

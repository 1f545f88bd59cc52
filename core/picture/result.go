package picture

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"image"
	"image/png"
	"io"
	"math"

	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/parallel"
	"mobanta/core/stage"
)

// Result is a picture in the making. Values are premultiplied linear light.
type Result struct {
	W, H     int
	Backdrop stage.Backdrop
	Passes   int  // positions in a pixel so far
	Done     bool // whether it has settled
	// Dirty is where the picture may differ from what the same renderer showed last.
	Dirty image.Rectangle

	base    []float32 // red, green, blue, cover of the first position
	delta   []float32 // what further positions add to Passes times base; nil at first
	lines   *line.Sheet
	workers int
}

// At returns the linear colour and the cover of pixel i, row by row from the
// top: premultiplied if the backdrop is transparent, laid over it otherwise.
func (r *Result) At(i int) (c color.C, a float32) {
	p := 4 * i
	c, a = color.C(r.base[p:p+3]), r.base[p+3]
	if r.delta != nil {
		if d := r.delta[p : p+4]; d[0] != 0 || d[1] != 0 || d[2] != 0 || d[3] != 0 {
			inv := 1 / float32(r.Passes)
			c = color.C{c[0] + d[0]*inv, c[1] + d[1]*inv, c[2] + d[2]*inv}
			a = max(0, min(1, a+d[3]*inv))
		}
	}
	if !r.Backdrop.None {
		switch {
		case a <= 0:
			c = r.Backdrop.Color
		case a < 1:
			for k := range c {
				c[k] += r.Backdrop.Color[k] * (1 - a)
			}
		}
		a = 1
	}
	if r.lines != nil {
		if l := r.lines.Pix[p : p+4]; l[3] > 0 {
			inv := 1 / float32(r.lines.Passes)
			rest := max(0, 1-l[3]*inv)
			c = color.C{c[0]*rest + l[0]*inv, c[1]*rest + l[1]*inv, c[2]*rest + l[2]*inv}
			a = a*rest + l[3]*inv
		}
	}
	return c, a
}

// RGBA writes the picture as 8-bit sRGB in the plain view, four bytes a pixel,
// not premultiplied; len(dst) == 4·W·H. Only the pixels of area are written.
func (r *Result) RGBA(dst []byte, area image.Rectangle) {
	area = area.Intersect(image.Rect(0, 0, r.W, r.H))
	parallel.Do(r.workers, (area.Dy()+15)/16, func(job int) {
		for y := area.Min.Y + job*16; y < min(area.Max.Y, area.Min.Y+job*16+16); y++ {
			r.encodeRow(dst, y*r.W+area.Min.X, y*r.W+area.Max.X)
		}
	})
}

// Bounds returns the whole picture's rectangle.
func (r *Result) Bounds() image.Rectangle { return image.Rect(0, 0, r.W, r.H) }

// encodeRow writes the pixels from i up to end. Drawn pictures are flat: a pixel
// like the one before it takes its bytes.
func (r *Result) encodeRow(dst []byte, i, end int) {
	var last [4]float32
	known := -1 // the pixel that last was seen at
	for ; i < end; i++ {
		p := 4 * i
		b := r.base[p : p+4 : p+4]
		plain := r.lines == nil || r.lines.Pix[p+3] == 0
		if plain && r.delta != nil {
			d := r.delta[p : p+4 : p+4]
			plain = d[0] == 0 && d[1] == 0 && d[2] == 0 && d[3] == 0
		}
		if plain && known >= 0 && b[0] == last[0] && b[1] == last[1] && b[2] == last[2] && b[3] == last[3] {
			copy(dst[p:p+4], dst[4*known:4*known+4])
			continue
		}
		r.encode(dst[p:p+4:p+4], i)
		if plain {
			last, known = [4]float32(b), i
		}
	}
}

func (r *Result) encode(dst []byte, i int) {
	c, a := r.At(i)
	if a > 0 && a < 1 {
		for k := range c {
			c[k] /= a
		}
	}
	dst[0], dst[1], dst[2], dst[3] = color.Byte(c[0]), color.Byte(c[1]), color.Byte(c[2]), uint8(a*255+0.5)
}

func (r *Result) rows(f func(i int)) {
	parallel.Do(r.workers, (r.H+15)/16, func(job int) {
		for i := job * 16 * r.W; i < min(r.H, job*16+16)*r.W; i++ {
			f(i)
		}
	})
}

// mask returns which pixels need more than one position: those that differ
// visibly from a neighbour before lines are drawn.
func (r *Result) mask() []bool {
	n := r.W * r.H
	code := make([]byte, 4*n)
	bare := *r
	bare.lines = nil
	bare.RGBA(code, r.Bounds())
	const threshold = 6
	differ := func(i, j int) bool {
		for k := range 4 {
			if d := int(code[4*i+k]) - int(code[4*j+k]); d > threshold || d < -threshold {
				return true
			}
		}
		return false
	}
	mask := make([]bool, n)
	for y := range r.H {
		for x := range r.W {
			i := y*r.W + x
			if x+1 < r.W && differ(i, i+1) {
				mask[i], mask[i+1] = true, true
			}
			if y+1 < r.H {
				if differ(i, i+r.W) {
					mask[i], mask[i+r.W] = true, true
				}
				if x+1 < r.W && differ(i, i+r.W+1) {
					mask[i], mask[i+r.W+1] = true, true
				}
				if x > 0 && differ(i, i+r.W-1) {
					mask[i], mask[i+r.W-1] = true, true
				}
			}
		}
	}
	return mask
}

// WritePNG writes the picture with 8 or 16 bits a channel, sRGB-encoded.
func (r *Result) WritePNG(w io.Writer, bits int) error {
	if bits == 8 {
		img := image.NewNRGBA(image.Rect(0, 0, r.W, r.H))
		r.RGBA(img.Pix, r.Bounds())
		return png.Encode(w, img)
	}
	if bits != 16 {
		return fmt.Errorf("picture: a PNG has 8 or 16 bits, not %d", bits)
	}
	img := image.NewNRGBA64(image.Rect(0, 0, r.W, r.H))
	r.rows(func(i int) {
		c, a := r.At(i)
		p := img.Pix[8*i : 8*i+8]
		for k := range c {
			v := c[k]
			if a > 0 && a < 1 {
				v /= a
			}
			binary.BigEndian.PutUint16(p[2*k:], color.Word(v))
		}
		binary.BigEndian.PutUint16(p[6:], uint16(max(0, min(1, a))*65535+0.5))
	})
	return png.Encode(w, img)
}

// WritePFM writes the linear values as a colour Portable FloatMap, little
// endian, bottom row first. A tone is written three times. Transparent places
// are 0.
func (r *Result) WritePFM(w io.Writer) error {
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, "PF\n%d %d\n-1.0\n", r.W, r.H)
	var buf [12]byte
	for y := r.H - 1; y >= 0; y-- {
		for x := range r.W {
			c, _ := r.At(y*r.W + x)
			for k := range c {
				binary.LittleEndian.PutUint32(buf[4*k:], math.Float32bits(c[k]))
			}
			out.Write(buf[:])
		}
	}
	return out.Flush()
}

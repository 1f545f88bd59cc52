// Package pixmap holds pictures that are looked up while rendering: from PNG, JPEG, WebP and Radiance HDR files.
package pixmap

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	imagecolor "image/color"
	_ "image/jpeg" // registers the format
	_ "image/png"  // registers the format
	"math"
	"slices"

	_ "golang.org/x/image/webp" // registers the format

	"mobanta/core/color"
)

// Limits on a picture file.
const (
	MaxBytes  = 64 << 20
	MaxPixels = 32 << 20
	maxMemory = 416 << 20 // while it is read
)

// Pixmap is a picture. It never changes once read.
type Pixmap struct {
	W, H   int
	Shared bool   // Pix is in red, green, blue and a shared exponent, as Radiance has it, otherwise sRGB bytes and alpha
	Pix    []byte // four bytes a pixel, row by row from the top

	colors, numbers smaller
}

// Is tells whether data looks like a picture that Read reads.
func Is(data []byte) bool {
	for _, m := range []string{"\x89PNG", "\xff\xd8\xff", "#?RADIANCE", "#?RGBE"} {
		if bytes.HasPrefix(data, []byte(m)) {
			return true
		}
	}
	return len(data) > 12 && string(data[:4]) == "RIFF" && string(data[8:12]) == "WEBP"
}

// Read reads a picture file.
func Read(data []byte) (*Pixmap, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("pixmap: the picture is larger than %d MB", MaxBytes>>20)
	}
	if bytes.HasPrefix(data, []byte("#?")) {
		return readRadiance(data)
	}
	if err := check(data); err != nil {
		return nil, err
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, errors.New("pixmap: the picture breaks off or is damaged")
	}
	b := img.Bounds()
	p := &Pixmap{W: b.Dx(), H: b.Dy(), Pix: make([]byte, 4*b.Dx()*b.Dy())}
	if n, ok := img.(*image.NRGBA); ok {
		for y := range p.H {
			copy(p.Pix[4*y*p.W:4*(y+1)*p.W], n.Pix[y*n.Stride:])
		}
		return p, nil
	}
	out := image.NRGBA{Pix: p.Pix, Stride: 4 * p.W, Rect: image.Rect(0, 0, p.W, p.H)}
	for y := range p.H {
		for x := range p.W {
			out.Set(x, y, img.At(b.Min.X+x, b.Min.Y+y))
		}
	}
	return p, nil
}

// Pixels returns how many pixels a picture file says that it has, without reading it.
func Pixels(data []byte) (int, error) {
	if bytes.HasPrefix(data, []byte("#?")) {
		w, h, _, err := radianceSize(data)
		return w * h, err
	}
	head, _, err := config(data)
	if err != nil {
		return 0, err
	}
	return head.Width * head.Height, checkSize(head.Width, head.Height)
}

// config reads how large a picture is and of which format. Other formats than ours may be known to
// the program for the sake of libraries that write files.
func config(data []byte) (image.Config, string, error) {
	head, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || !slices.Contains([]string{"png", "jpeg", "webp"}, format) {
		return head, "", fmt.Errorf("pixmap: this is no PNG, JPEG, WebP or Radiance picture")
	}
	return head, format, nil
}

// check tells why a picture is not to be read: for its size, or for the memory that
// its reader would take.
func check(data []byte) error {
	head, format, err := config(data)
	if err != nil {
		return err
	}
	if err := checkSize(head.Width, head.Height); err != nil {
		return err
	}
	bytesEach := 4 + 4 // what the reader makes, and what is kept
	switch {
	case format == "png" && (head.ColorModel == color16 || head.ColorModel == color16a):
		bytesEach = 8 + 4
		if len(data) > 28 && data[28] != 0 { // interlaced: half of it twice
			bytesEach += 4
		}
	case format == "jpeg" && progressive(data): // the coefficients of all channels
		bytesEach = 4*4 + 4 + 4
	}
	if need := head.Width * head.Height * bytesEach; need > maxMemory {
		return fmt.Errorf("pixmap: a picture of this kind and %d × %d pixels takes too much memory to read: save it with 8 bits a channel, not progressive, or smaller", head.Width, head.Height)
	}
	return nil
}

var color16, color16a = imagecolor.RGBA64Model, imagecolor.NRGBA64Model

// progressive tells whether a JPEG file is one that comes in passes.
func progressive(data []byte) bool {
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		switch m := data[at+1]; {
		case m == 0xc2:
			return true
		case m == 0xda || m == 0xc0 || m == 0xc1:
			return false
		case m == 0xff:
			at++
			continue
		}
		at += 2 + int(data[at+2])<<8 + int(data[at+3])
	}
	return false
}

func checkSize(w, h int) error {
	if w < 1 || h < 1 || w > MaxPixels || h > MaxPixels || w*h > MaxPixels {
		return fmt.Errorf("pixmap: %d × %d pixels is not a size that can be read", w, h)
	}
	return nil
}

// At returns the linear colour and the alpha of a pixel.
func (p *Pixmap) At(x, y int) (c color.C, alpha float32) {
	q := p.Pix[4*(y*p.W+x):][:4]
	if p.Shared {
		if q[3] == 0 {
			return color.C{}, 1
		}
		s := float32(math.Ldexp(1, int(q[3])-136))
		return color.C{float32(q[0]) * s, float32(q[1]) * s, float32(q[2]) * s}, 1
	}
	return color.FromBytes(q[0], q[1], q[2]), float32(q[3]) / 255
}

// Set writes a colour, none of it below 0, into a pixel of a Shared picture.
func (p *Pixmap) Set(x, y int, c color.C) {
	q := p.Pix[4*(y*p.W+x):][:4]
	m, e := math.Frexp(float64(max(c[0], c[1], c[2])))
	if !(m > 0) || e < -100 {
		q[0], q[1], q[2], q[3] = 0, 0, 0, 0
		return
	}
	s := float32(math.Ldexp(1, 8-e))
	for k := range c {
		q[k] = byte(min(255, max(0, c[k]*s)+0.5))
	}
	q[3] = byte(min(255, e+128))
}

// data is At with the bytes as numbers from 0 to 1, for pictures that hold no colours.
func (p *Pixmap) data(x, y int) (c color.C, alpha float32) {
	if p.Shared {
		return p.At(x, y)
	}
	q := p.Pix[4*(y*p.W+x):][:4]
	return color.C{float32(q[0]) / 255, float32(q[1]) / 255, float32(q[2]) / 255}, float32(q[3]) / 255
}

// Wrap tells what lies beyond the borders of a picture.
type Wrap string

// The ways to go on beyond the borders.
const (
	Repeat Wrap = "repeat"
	Clamp  Wrap = "clamp"
	Mirror Wrap = "mirror"
)

func (w Wrap) place(i, n int) int {
	switch w {
	case Clamp:
		return max(0, min(n-1, i))
	case Mirror:
		if i = mod(i, 2*n); i >= n {
			return 2*n - 1 - i
		}
		return i
	}
	return mod(i, n)
}

func mod(i, n int) int {
	if i %= n; i < 0 {
		return i + n
	}
	return i
}

// Reading tells how a picture is looked up.
type Reading struct {
	Wrap    Wrap
	Nearest bool // no blending between pixels
	Data    bool // bytes are numbers, not sRGB
}

// Lookup returns the colour at (u, v), which run from 0 to 1 over the picture from
// its lower left corner; NaN reads as 0.
func (p *Pixmap) Lookup(u, v float64, r Reading) (c color.C, alpha float32) {
	at := p.At
	if r.Data {
		at = p.data
	}
	x, y := bounded(u)*float64(p.W), (1-bounded(v))*float64(p.H)
	if r.Nearest {
		return at(r.Wrap.place(int(math.Floor(x)), p.W), r.Wrap.place(int(math.Floor(y)), p.H))
	}
	x, y = x-0.5, y-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := float32(x-fx), float32(y-fy)
	for k, w := range [4]float32{(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty} {
		if w == 0 {
			continue
		}
		d, a := at(r.Wrap.place(int(fx)+k%2, p.W), r.Wrap.place(int(fy)+k/2, p.H))
		for i := range c {
			c[i] += d[i] * w
		}
		alpha += a * w
	}
	return c, alpha
}

// bounded keeps coordinates within what whole numbers can count.
func bounded(x float64) float64 {
	if x != x {
		return 0
	}
	return max(-1e5, min(1e5, x))
}

// Latlong returns the colour of a latitude-longitude picture: u in turns, v from 0
// at the top to 1 at the bottom.
func (p *Pixmap) Latlong(u, v float64) color.C {
	x, y := (u-math.Floor(u))*float64(p.W)-0.5, v*float64(p.H)-0.5
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := float32(x-fx), float32(y-fy)
	var c color.C
	for k, w := range [4]float32{(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty} {
		d, _ := p.At(mod(int(fx)+k%2, p.W), max(0, min(p.H-1, int(fy)+k/2)))
		for i := range c {
			c[i] += d[i] * w
		}
	}
	return c
}

var errRadiance = errors.New("pixmap: the Radiance picture breaks off or is garbled")

// Image returns the picture as eight bits a channel, colours as sRGB.
func (p *Pixmap) Image() *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, p.W, p.H))
	for y := range p.H {
		for x := range p.W {
			c, a := p.At(x, y)
			o := out.PixOffset(x, y)
			for k, v := range c {
				out.Pix[o+k] = color.Byte(v)
			}
			out.Pix[o+3] = byte(max(0, min(1, a))*255 + 0.5)
		}
	}
	return out
}

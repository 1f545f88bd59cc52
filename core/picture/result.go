package picture

import (
	"image"
	"io"
	"slices"

	"mobanta/core/color"
	"mobanta/core/film"
	"mobanta/core/press"
	"mobanta/core/stage"
)

// Result is a picture in the making.
type Result struct {
	film.Film
	Backdrop stage.Backdrop
	Done     bool // whether it has settled
	// Dirty is where the picture may differ from what the same renderer showed last.
	Dirty image.Rectangle

	under     film.Backdrop // of the pixels; Backdrop is what the artist set
	chain     film.Chain
	developed string // what is done to it once it is drawn
	shining   string // the looks that it says the share of
	workers   int
}

// At returns the linear colour and the cover of pixel i, row by row from the top, as
// it is developed: premultiplied if the backdrop is transparent, laid over it
// otherwise.
func (r *Result) At(i int) (c color.C, a float32) { return r.chain.At(&r.Film, i) }

// all returns At for many pixels: a print, and a glow, are made as a whole, not pixel by pixel.
func (r *Result) all() func(i int) (color.C, float32) {
	if len(r.chain) == 1 {
		return r.At
	}
	pix := make([]float32, 4*r.W*r.H)
	r.chain.Each(&r.Film, r.Bounds(), r.workers, func(y int, row []float32) { copy(pix[4*y*r.W:], row[:4*r.W]) })
	return func(i int) (color.C, float32) { return color.C(pix[4*i : 4*i+3]), pix[4*i+3] }
}

// Changed is where the developed picture may differ from what the same renderer showed last.
func (r *Result) Changed() image.Rectangle { return r.chain.Spread(r.Dirty, r.Bounds()) }

// Plates returns the inks that the picture is printed with, none if it is not.
func (r *Result) Plates() []*press.Ink {
	if p, ok := r.press(); ok {
		return p.Inks()
	}
	return nil
}

// press returns the stage that prints, the last of the chain.
func (r *Result) press() (film.Press, bool) {
	p, ok := r.chain[len(r.chain)-1].(film.Press)
	return p, ok
}

// Plate returns how much of each pixel plate k covers, 0 to 1, row by row.
func (r *Result) Plate(k int) []float32 {
	p, _ := r.press()
	p.Plate = k + 1
	out := make([]float32, r.W*r.H)
	append(slices.Clone(r.chain[:len(r.chain)-1]), p).Each(&r.Film, r.Bounds(), r.workers, func(y int, row []float32) {
		for x := range r.W {
			out[y*r.W+x] = max(0, min(1, 1-row[4*x]))
		}
	})
	return out
}

// PlateBits returns which pixels plate k prints where there is ink or none, row by row; see press.Ready.Bits.
func (r *Result) PlateBits(k int) []bool {
	p, _ := r.press()
	return p.Bits(k, r.W, r.H, r.Plate(k))
}

// RGBA writes the picture as 8-bit sRGB as it is viewed, four bytes a pixel,
// not premultiplied; len(dst) == 4·W·H. Only the pixels of area are written.
func (r *Result) RGBA(dst []byte, area image.Rectangle) {
	r.chain.RGBA(&r.Film, dst, area, r.workers)
}

// WritePNG writes the picture with 8 or 16 bits a channel, sRGB-encoded.
func (r *Result) WritePNG(w io.Writer, bits int) error {
	return r.chain.WritePNG(&r.Film, w, bits, r.workers)
}

// WritePFM writes the linear values as a colour Portable FloatMap; see film.Chain. A
// shoulder is for the eye alone: it is left out.
func (r *Result) WritePFM(w io.Writer) error {
	bare := slices.DeleteFunc(slices.Clone(r.chain), func(s film.Stage) bool { return s.Name() == film.ShoulderName })
	return bare.WritePFM(&r.Film, w)
}

// shown returns the bytes of a pixel.
func (r *Result) shown(x, y int) [4]byte {
	return r.chain.Pixel(&r.Film, x, y)
}

// mask returns which pixels need more than one position: those that differ
// visibly from a neighbour in a film before lines are drawn.
func (r *Result) mask(f *film.Film) []bool {
	n := r.W * r.H
	code := make([]byte, 4*n)
	film.Chain{r.under}.RGBA(f, code, r.Bounds(), r.workers)
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

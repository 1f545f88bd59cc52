// Package film holds a picture in linear light, as rendering leaves it, and the chain of stages that develops it: each
// works on values and says how far it spreads what it is given, and a view at the end makes bytes.
package film

import (
	"image"

	"mobanta/core/color"
	"mobanta/core/parallel"
)

// Film is a picture in the making: row by row from the top, red, green, blue and cover
// of each pixel, in premultiplied linear light. Its lines lie over what it shows.
type Film struct {
	W, H      int
	Passes    int       // positions in a pixel so far
	Base      []float32 // what the first position shows; 4 × W × H values
	Delta     []float32 // what further positions add to Passes times Base; nil at first
	Ink       []float32 // of lines, summed over InkPasses positions; nil for none
	InkPasses int
	Shine     []float32 // of looks that glow: how much of each pixel, summed over Passes positions; nil where all or none do
}

// Glows returns how much of pixel i is of looks that glow.
func (f *Film) Glows(i int) float32 {
	if f.Shine == nil {
		return 1
	}
	return f.Shine[i] / float32(f.Passes)
}

// Bounds returns the whole picture's rectangle.
func (f *Film) Bounds() image.Rectangle { return image.Rect(0, 0, f.W, f.H) }

// Refined tells whether further positions than the first have changed pixel i.
func (f *Film) Refined(i int) bool {
	if f.Delta == nil {
		return false
	}
	d := f.Delta[4*i : 4*i+4]
	return d[0] != 0 || d[1] != 0 || d[2] != 0 || d[3] != 0
}

// Lined returns how much of pixel i lines cover.
func (f *Film) Lined(i int) float32 {
	if f.Ink == nil || f.InkPasses == 0 {
		return 0
	}
	return f.Ink[4*i+3] / float32(f.InkPasses)
}

// At returns pixel i.
func (f *Film) At(i int) (v [4]float32) {
	p := 4 * i
	v = [4]float32(f.Base[p : p+4])
	if f.Refined(i) {
		inv := 1 / float32(f.Passes)
		d := f.Delta[p : p+4]
		v = [4]float32{v[0] + d[0]*inv, v[1] + d[1]*inv, v[2] + d[2]*inv, max(0, min(1, v[3]+d[3]*inv))}
	}
	if f.Ink != nil {
		if l := f.Ink[p : p+4]; l[3] > 0 {
			inv := 1 / float32(f.InkPasses)
			rest := max(0, 1-l[3]*inv)
			for k := range v {
				v[k] = v[k]*rest + l[k]*inv
			}
		}
	}
	return v
}

// Bare returns the film without its lines.
func (f *Film) Bare() *Film {
	b := *f
	b.Ink = nil
	return &b
}

// Tile is a rectangle of values, as in a Film.
type Tile struct {
	Rect image.Rectangle
	Pix  []float32 // 4 × Dx × Dy values
}

// row returns row y of the tile, from the left.
func (t *Tile) row(y int) []float32 {
	w := 4 * t.Rect.Dx()
	at := (y - t.Rect.Min.Y) * w
	return t.Pix[at : at+w]
}

// Stage is one step of developing.
type Stage interface {
	// Name says what the stage is, in a word.
	Name() string
	// Reach tells how many pixels away a value may change what the stage makes of
	// another.
	Reach() int
	// Apply works on a tile in place. Values within Reach of its rim come out wrong,
	// but at the rim of the picture.
	Apply(t *Tile)
}

// Chain is stages in their order.
type Chain []Stage

// Reach returns how many pixels away a change of the film shows.
func (c Chain) Reach() (sum int) {
	for _, s := range c {
		sum += s.Reach()
	}
	return sum
}

// Far is implemented by stages that know the whole film, so that what they do to a tile depends on more than what lies
// within Reach.
type Far interface {
	// Far tells how many pixels away a change of the film shows.
	Far() int
}

// Spread returns where the developed picture may change if the film does within area.
func (c Chain) Spread(area, bounds image.Rectangle) image.Rectangle {
	if area.Empty() {
		return area
	}
	reach := c.Reach()
	for _, s := range c {
		if f, ok := s.(Far); ok {
			reach += f.Far()
		}
	}
	return area.Inset(-reach).Intersect(bounds)
}

// Tile develops an area of a film.
func (c Chain) Tile(f *Film, area image.Rectangle) *Tile {
	area = area.Intersect(f.Bounds())
	t := &Tile{Rect: area}
	if !area.Empty() {
		t.Rect = area.Inset(-c.Reach()).Intersect(f.Bounds())
	}
	w := t.Rect.Dx()
	t.Pix = make([]float32, 4*w*t.Rect.Dy())
	for y := t.Rect.Min.Y; y < t.Rect.Max.Y; y++ {
		f.row(t.row(y), y*f.W+t.Rect.Min.X)
	}
	for _, s := range c {
		s.Apply(t)
	}
	if t.Rect == area {
		return t
	}
	out := &Tile{Rect: area, Pix: make([]float32, 0, 4*area.Dx()*area.Dy())}
	for y := area.Min.Y; y < area.Max.Y; y++ {
		out.Pix = append(out.Pix, t.row(y)[4*(area.Min.X-t.Rect.Min.X):4*(area.Max.X-t.Rect.Min.X)]...)
	}
	return out
}

// row fills dst with the pixels from number i on.
func (f *Film) row(dst []float32, i int) {
	copy(dst, f.Base[4*i:])
	if f.Delta == nil && f.Ink == nil {
		return
	}
	for p := 0; p < len(dst); p, i = p+4, i+1 {
		if f.Refined(i) || f.Ink != nil && f.Ink[4*i+3] > 0 {
			v := f.At(i)
			copy(dst[p:p+4], v[:])
		}
	}
}

// At returns one developed pixel, not premultiplied where it covers only in part.
func (c Chain) At(f *Film, i int) (col color.C, a float32) {
	x, y := i%f.W, i/f.W
	t := c.Tile(f, image.Rect(x, y, x+1, y+1))
	return color.C(t.Pix[:3]), t.Pix[3]
}

// rows is how many rows are developed at once.
const rows = 16

// Each develops an area and calls f for each of its rows, with their first pixel, from
// several goroutines.
func (c Chain) Each(film *Film, area image.Rectangle, workers int, f func(y int, row []float32)) {
	area = area.Intersect(film.Bounds())
	height := rows
	if r := c.Reach(); r > 0 {
		height = max(rows, 4*r) // so that margins do not cost more than the rest
	}
	parallel.Do(workers, (area.Dy()+height-1)/height, func(job int) {
		y0 := area.Min.Y + job*height
		t := c.Tile(film, image.Rect(area.Min.X, y0, area.Max.X, min(area.Max.Y, y0+height)))
		for y := t.Rect.Min.Y; y < t.Rect.Max.Y; y++ {
			f(y, t.row(y))
		}
	})
}

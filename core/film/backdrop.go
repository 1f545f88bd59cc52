package film

import (
	"mobanta/core/color"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
)

// Backdrop is the stage that lays what shows where there is no model under the picture.
type Backdrop struct {
	stage.Backdrop
	Pic  *pixmap.Pixmap // that lies on it; nil for none
	W, H int            // of the whole picture; only a backdrop of one colour may leave it out
}

// Name implements Stage.
func (Backdrop) Name() string { return "backdrop" }

// Reach implements Stage.
func (Backdrop) Reach() int { return 0 }

// Apply implements Stage.
func (b Backdrop) Apply(t *Tile) {
	if b.None {
		return
	}
	flat := b.Pic == nil && b.Course == stage.Flat
	c := b.Color
	for y := t.Rect.Min.Y; y < t.Rect.Max.Y; y++ {
		row := t.row(y)
		if b.Course == stage.Upward {
			c = b.Backdrop.At(0, float64(y)+0.5, float64(b.W), float64(b.H))
		}
		for p := 0; p < len(row); p += 4 {
			v := row[p : p+4 : p+4]
			if v[3] >= 1 {
				v[3] = 1
				continue
			}
			under := c
			if !flat {
				under = b.under(c, t.Rect.Min.X+p/4, y)
			}
			rest := 1 - max(0, v[3])
			v[0], v[1], v[2], v[3] = v[0]+under[0]*rest, v[1]+under[1]*rest, v[2]+under[2]*rest, 1
		}
	}
}

// Under returns what lies under pixel (x, y).
func (b Backdrop) Under(x, y int) color.C {
	c := b.Color
	if b.Pic == nil && b.Course == stage.Flat {
		return c
	}
	if b.Course == stage.Upward {
		c = b.Backdrop.At(0, float64(y)+0.5, float64(b.W), float64(b.H))
	}
	return b.under(c, x, y)
}

// under returns what lies under pixel (x, y), where the colour is c but for a round course.
func (b Backdrop) under(c color.C, x, y int) color.C {
	px, py, w, h := float64(x)+0.5, float64(y)+0.5, float64(b.W), float64(b.H)
	if b.Course == stage.Round {
		c = b.Backdrop.At(px, py, w, h)
	}
	if b.Course != stage.Flat {
		c = dither(c, x, y)
	}
	if b.Pic == nil {
		return c
	}
	shape := float64(b.Pic.W) / float64(b.Pic.H)
	u, v := b.Laid(px, py, w, h, shape)
	if u < 0 || v < 0 || u > 1 || v > 1 {
		return c
	}
	u1, v1 := b.Laid(px+1, py+1, w, h, shape)
	over, a := b.Pic.Mean(u, 1-v, [2]float64{u1 - u, 0}, [2]float64{0, v1 - v}, pixmap.Reading{Wrap: pixmap.Clamp})
	return c.Mix(over, a)
}

// dither shifts a colour by less than half a step of a byte, by another amount from pixel to pixel: so a gradient over
// few bytes shows no stripes. The amounts are a fixed pattern without clumps (interleaved gradient noise, Jimenez 2014).
func dither(c color.C, x, y int) color.C {
	f := 0.06711056*float64(x) + 0.00583715*float64(y)
	f = 52.9829189 * (f - float64(int(f)))
	d := (f - float64(int(f)) - 0.5) / 255
	for k := range c {
		c[k] = float32(color.Decode(max(0, min(1, color.Encode(float64(max(0, c[k])))+d))))
	}
	return c
}

package film

import (
	"image"

	"mobanta/core/color"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
)

// Backdrop is the stage that lays what shows where there is no model under the picture.
type Backdrop struct {
	stage.Backdrop
	Pic  *pixmap.Pixmap // that lies on it; nil for none
	W, H int            // of the whole picture; only a backdrop of one colour may leave it out
	At   image.Point    // where the film lies in the picture
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
	way := b.way()
	for y := t.Rect.Min.Y; y < t.Rect.Max.Y; y++ {
		row := t.row(y)
		for p := 0; p < len(row); p += 4 {
			v := row[p : p+4 : p+4]
			if v[3] >= 1 {
				v[3] = 1
				continue
			}
			under := b.Color
			if way != nil || b.Pic != nil {
				under = b.under(way, b.At.X+t.Rect.Min.X+p/4, b.At.Y+y)
			}
			rest := 1 - max(0, v[3])
			v[0], v[1], v[2], v[3] = v[0]+under[0]*rest, v[1]+under[1]*rest, v[2]+under[2]*rest, 1
		}
	}
}

// Under returns what lies under pixel (x, y).
func (b Backdrop) Under(x, y int) color.C { return b.under(b.way(), x, y) }

// ways is in how many steps the course of a backdrop is worked out; between them it runs straight.
const ways = 256

// step is a place of a course: its colour, and by how much that changes with half a byte up or down.
type step struct{ at, dither color.C }

// way returns the course of the backdrop, nil for one colour.
func (b Backdrop) way() []step {
	if b.Course == stage.Flat {
		return nil
	}
	out := make([]step, ways+1)
	for i := range out {
		c := b.Along(float64(i) / ways)
		out[i].at = c
		for k, v := range c {
			e := color.Encode(float64(v))
			out[i].dither[k] = float32((color.Decode(e+0.5/255) - color.Decode(max(0, e-0.5/255))))
		}
	}
	return out
}

// under returns what lies under pixel (x, y) of a backdrop with that course.
func (b Backdrop) under(way []step, x, y int) color.C {
	px, py, w, h := float64(x)+0.5, float64(y)+0.5, float64(b.W), float64(b.H)
	c := b.Color
	if way != nil {
		t := max(0, min(1, b.Part(px, py, w, h))) * ways
		i := min(int(t), ways-1)
		f := float32(t - float64(i))
		p, q := &way[i], &way[i+1]
		// Shifted by less than half a step of a byte, by another amount from pixel to pixel, so that a gradient over few
		// bytes shows no stripes: a fixed pattern without clumps (interleaved gradient noise, Jimenez 2014).
		n := 0.06711056*float64(x) + 0.00583715*float64(y)
		n = 52.9829189 * (n - float64(int(n)))
		d := float32(n-float64(int(n))) - 0.5
		for k := range c {
			c[k] = max(0, p.at[k]+(q.at[k]-p.at[k])*f+d*p.dither[k])
		}
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

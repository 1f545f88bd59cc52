package film

import (
	"image"

	"mobanta/core/color"
	"mobanta/core/finish"
)

// Glow is the stage that lays the light that a picture spreads over it.
type Glow struct {
	light *finish.Light
	tint  color.C
	far   int
	film  *Film // whose glowing looks keep their colours; nil where all is laid over
}

// Shining makes the glow of a film ready. under is what is done to it before; only a film of which all glows shows it.
func Shining(g *finish.Glow, f *Film, under Chain, workers int) Glow {
	t := float32(g.Threshold)
	shine := func(dst, v []float32, share float32) {
		m := max(v[0], v[1], v[2])
		k := share
		if m <= t {
			k = 0
		} else if t > 0 {
			k *= (m - t) / m
		}
		dst[0], dst[1], dst[2] = v[0]*k, v[1]*k, v[2]*k
	}
	out := Glow{tint: g.Tint, far: g.Reach(f.H)}
	if out.tint == (color.C{}) {
		out.tint = color.C{1, 1, 1}
	}
	if g.Around {
		out.film = f
	}
	out.light = g.Spread(f.W, f.H, workers, func(y int, row []float32) {
		if f.Shine != nil { // what the looks themselves show
			for x := range f.W {
				i := y*f.W + x
				if s := f.Glows(i); s > 0 {
					v := f.At(i)
					shine(row[3*x:3*x+3], v[:], s)
				}
			}
			return
		}
		tile := under.Tile(f, image.Rect(0, y, f.W, y+1))
		for x := range f.W {
			shine(row[3*x:3*x+3], tile.Pix[4*x:4*x+4], 1)
		}
	})
	return out
}

// Name implements Stage.
func (Glow) Name() string { return "glow" }

// Reach implements Stage.
func (Glow) Reach() int { return 0 }

// Far implements Far.
func (g Glow) Far() int { return g.far }

// Apply implements Stage. Where nothing lies the light itself covers, as much as it is bright.
func (g Glow) Apply(t *Tile) {
	w := t.Rect.Dx()
	row := make([]float32, 3*w)
	for y := t.Rect.Min.Y; y < t.Rect.Max.Y; y++ {
		g.light.Row(row, t.Rect.Min.X, y)
		out := t.row(y)
		for x := range w {
			a := float32(1)
			if g.film != nil {
				i := y*g.film.W + t.Rect.Min.X + x
				if a -= g.film.Glows(i) * max(0, min(1, g.film.At(i)[3])); a <= 0 {
					continue
				}
			}
			l := row[3*x : 3*x+3]
			v := out[4*x : 4*x+4]
			r, gr, b := a*l[0]*g.tint[0], a*l[1]*g.tint[1], a*l[2]*g.tint[2]
			v[0], v[1], v[2] = v[0]+r, v[1]+gr, v[2]+b
			if v[3] < 1 {
				v[3] += (1 - v[3]) * min(1, max(r, gr, b))
			}
		}
	}
}

// each is the stage that changes each pixel by its own colour alone.
type each struct {
	name string
	f    func(color.C) color.C
}

// Grade returns the stage that grades.
func Grade(g *finish.Graded) Stage { return each{"grade", g.At} }

// Shoulder returns the stage of the soft view.
func Shoulder() Stage { return each{ShoulderName, finish.Shoulder} }

// ShoulderName is the name of the stage of the soft view.
const ShoulderName = "shoulder"

// Name implements Stage.
func (e each) Name() string { return e.name }

// Reach implements Stage.
func (each) Reach() int { return 0 }

// Apply implements Stage. Drawn pictures are flat: what a colour came to is kept for the next one like it.
func (e each) Apply(t *Tile) {
	var was, is color.C
	known := false
	for p := 0; p < len(t.Pix); p += 4 {
		v := t.Pix[p : p+4 : p+4]
		if v[3] <= 0 && v[0] == 0 && v[1] == 0 && v[2] == 0 {
			continue
		}
		c, a := straight(v)
		if !known || c != was {
			was, is, known = c, e.f(c), true
		}
		if a <= 0 || a >= 1 {
			a = 1
		}
		v[0], v[1], v[2] = is[0]*a, is[1]*a, is[2]*a
	}
}

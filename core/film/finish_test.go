package film_test

import (
	"image"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/film"
	"mobanta/core/finish"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
)

// flat is a film of one colour on its left half, and nothing on the right.
func flat(w, h int, c color.C) *film.Film {
	f := &film.Film{W: w, H: h, Passes: 1, Base: make([]float32, 4*w*h)}
	for i := range w * h {
		if i%w < w/2 {
			copy(f.Base[4*i:], []float32{c[0], c[1], c[2], 1})
		}
	}
	return f
}

func dark(w, h int) film.Backdrop {
	return film.Backdrop{Backdrop: stage.Backdrop{Color: color.MustHex("#101820")}, W: w, H: h}
}

// Developed in tiles, wherever they are cut, a picture with all stages is the one that is developed whole; a change of
// the film shows no further than the chain says.
func TestAllStagesAreRightInTiles(t *testing.T) {
	const w, h = 90, 70
	f := noise(w, h)
	f.Shine = make([]float32, w*h)
	for i := range f.Shine {
		f.Shine[i] = float32(i % 5)
	}
	under := film.Chain{film.Backdrop{Backdrop: stage.Backdrop{Color: color.C{0.1, 0.2, 0.3}, Course: stage.Round, Other: color.C{0.5, 0.1, 0}}, W: w, H: h}}
	g := finish.Glow{On: true, Radius: 20, Strength: 0.7, Around: true}
	grade := (&finish.Grade{On: true, Contrast: 0.2, Hue: 20}).Ready()
	chain := append(under, film.Shining(&g, f, under, 2), film.Grade(grade), film.Shoulder())
	whole := chain.Tile(f, f.Bounds())
	for _, area := range []image.Rectangle{image.Rect(3, 4, 5, 60), image.Rect(40, 0, 90, 9), image.Rect(89, 69, 90, 70)} {
		tile := chain.Tile(f, area)
		require.Equal(t, area, tile.Rect)
		for y := area.Min.Y; y < area.Max.Y; y++ {
			for x := area.Min.X; x < area.Max.X; x++ {
				for k := range 4 {
					require.Equal(t, whole.Pix[4*(y*w+x)+k], tile.Pix[4*((y-area.Min.Y)*area.Dx()+x-area.Min.X)+k])
				}
			}
		}
	}
	was, is := make([]byte, 4*w*h), make([]byte, 4*w*h)
	chain.RGBA(f, was, f.Bounds(), 1)
	area := image.Rect(44, 30, 46, 33)
	for y := area.Min.Y; y < area.Max.Y; y++ {
		for x := area.Min.X; x < area.Max.X; x++ {
			f.Base[4*(y*w+x)] += 40
		}
	}
	chain = append(under[:1:1], film.Shining(&g, f, under, 2), film.Grade(grade), film.Shoulder())
	chain.RGBA(f, is, f.Bounds(), 3)
	reach := chain.Spread(area, f.Bounds())
	changed := 0
	for i := range w * h {
		if string(was[4*i:4*i+4]) != string(is[4*i:4*i+4]) {
			changed++
			require.True(t, image.Pt(i%w, i/w).In(reach), "pixel %d, %d", i%w, i/w)
		}
	}
	assert.Greater(t, changed, 100, "it spreads")
}

// A glow adds what it spreads; what lies below its threshold does not shine; around what glows alone it leaves that to
// the bit.
func TestAGlowLiesOverThePicture(t *testing.T) {
	const w, h = 120, 80
	c := color.C{0.9, 0.5, 0.2}
	f := flat(w, h, c)
	under := film.Chain{dark(w, h)}
	at := func(g finish.Glow, x int) color.C {
		c, _ := append(under[:1:1], film.Shining(&g, f, under, 2)).At(f, 40*w+x)
		return c
	}
	back, _ := under.At(f, 40*w+w-1)
	g := finish.Glow{On: true, Radius: 30, Strength: 1}
	assert.Greater(t, at(g, 62)[0], back[0]+0.1, "beside it")
	assert.Greater(t, at(g, 62)[0], at(g, 70)[0], "the less the further")
	assert.Greater(t, at(g, 30)[0], c[0], "and on it")
	g.Around = true
	assert.Equal(t, c, at(g, 30), "but for around it alone")
	assert.Greater(t, at(g, 62)[0], back[0]+0.1)
	assert.Equal(t, back, at(finish.Glow{On: true, Radius: 30, Strength: 1, Threshold: 0.95}, 62))
	half := at(finish.Glow{On: true, Radius: 30, Strength: 1, Threshold: 0.45}, 62)
	full := at(finish.Glow{On: true, Radius: 30, Strength: 1}, 62)
	assert.InDelta(t, (full[0]-back[0])/2, half[0]-back[0], 0.02, "what is above the threshold")
	tinted := at(finish.Glow{On: true, Radius: 30, Strength: 1, Tint: color.C{0, 0, 1}}, 62)
	assert.Equal(t, back[0], tinted[0])
	assert.Greater(t, tinted[2], back[2])
	// Of chosen looks: what is not of them does not shine.
	f.Shine = make([]float32, w*h)
	assert.Equal(t, back, at(finish.Glow{On: true, Radius: 30, Strength: 1}, 62))
	for i := range f.Shine {
		f.Shine[i] = 1
	}
	assert.Greater(t, at(finish.Glow{On: true, Radius: 30, Strength: 1}, 62)[0], back[0]+0.1)
	// Over nothing light itself covers.
	none := film.Chain{film.Backdrop{Backdrop: stage.Backdrop{None: true}}}
	lit := append(none[:1:1], film.Shining(&finish.Glow{On: true, Radius: 30, Strength: 1}, f, none, 1))
	_, a := lit.At(f, 40*w+62)
	assert.Greater(t, a, float32(0.1))
	assert.Less(t, a, float32(1))
}

// A backdrop that goes from one colour to another ends at both, to a step of a byte, and no byte of it stands in a
// stripe of its own.
func TestBackdropsGo(t *testing.T) {
	const w, h = 64, 400
	f := &film.Film{W: w, H: h, Passes: 1, Base: make([]float32, 4*w*h)}
	b := film.Backdrop{Backdrop: stage.Backdrop{Color: color.MustHex("#203040"), Other: color.MustHex("#28384A"), Course: stage.Upward}, W: w, H: h}
	chain := film.Chain{b}
	pix := make([]byte, 4*w*h)
	chain.RGBA(f, pix, f.Bounds(), 2)
	for k, want := range [3]float64{0x20, 0x30, 0x40} {
		assert.InDelta(t, want, float64(pix[4*(w*(h-1)+5)+k]), 1)
	}
	for k, want := range [3]float64{0x28, 0x38, 0x4a} {
		assert.InDelta(t, want, float64(pix[4*5+k]), 1)
	}
	mixed := 0
	for y := range h {
		lo, hi := 255, 0
		mean := 0.0
		for x := range w {
			v := int(pix[4*(y*w+x)])
			lo, hi, mean = min(lo, v), max(hi, v), mean+float64(v)/w
		}
		require.LessOrEqual(t, hi-lo, 1, "at most a step of a byte along a row")
		if hi > lo {
			mixed++
		}
		c := b.Along(1 - (float64(y)+0.5)/h)
		require.InDelta(t, 255*color.Encode(float64(c[0])), mean, 0.12, "the mean of a row is what it must be")
	}
	assert.Greater(t, mixed, h/2)
	round := film.Backdrop{Backdrop: stage.Backdrop{Color: color.C{1, 1, 1}, Course: stage.Round}, W: w, H: h}
	mid, _ := film.Chain{round}.At(f, w*h/2+w/2)
	rim, _ := film.Chain{round}.At(f, 0)
	assert.Greater(t, mid[0], float32(0.95))
	assert.Less(t, rim[0], float32(0.02))
	assert.InDelta(t, mid[0], round.Under(w/2, h/2)[0], 1e-6)
}

// A picture on the backdrop covers all, is seen whole, or lies at its place.
func TestAPictureLiesOnTheBackdrop(t *testing.T) {
	const w, h = 200, 100
	p := &pixmap.Pixmap{W: 100, H: 100, Shared: true, Pix: make([]byte, 4*100*100)}
	for y := range 100 {
		for x := range 100 { // red on the left, green on the right, a blue stripe at the top
			c := color.C{1, 0, 0}
			if x >= 50 {
				c = color.C{0, 1, 0}
			}
			if y < 10 {
				c = color.C{0, 0, 1}
			}
			p.Set(x, y, c)
		}
	}
	f := &film.Film{W: w, H: h, Passes: 1, Base: make([]float32, 4*w*h)}
	at := func(b stage.Backdrop, x, y int) string {
		b.Color = color.MustHex("#808080")
		c, _ := film.Chain{film.Backdrop{Backdrop: b, Pic: p, W: w, H: h}}.At(f, y*w+x)
		return c.Hex()
	}
	for what, c := range map[string]struct {
		b    stage.Backdrop
		want map[[2]int]string
	}{
		"covers":  {stage.Backdrop{}, map[[2]int]string{{2, 50}: "#FF0000", {197, 50}: "#00FF00", {120, 2}: "#00FF00"}},
		"whole":   {stage.Backdrop{Fit: stage.Whole}, map[[2]int]string{{2, 50}: "#808080", {60, 50}: "#FF0000", {140, 50}: "#00FF00", {100, 4}: "#0000FF"}},
		"a place": {stage.Backdrop{Fit: stage.ByPlace, X: 0.5, Y: 0.25, Scale: 0.4}, map[[2]int]string{{100, 50}: "#808080", {140, 30}: "#FF0000", {160, 30}: "#00FF00", {150, 6}: "#0000FF"}},
	} {
		for xy, want := range c.want {
			assert.Equal(t, want, at(c.b, xy[0], xy[1]), "%s at %v", what, xy)
		}
	}
}

// Stages that change each pixel by itself leave what covers in part covering as much.
func TestAGradeKeepsCover(t *testing.T) {
	f := &film.Film{W: 3, H: 1, Passes: 1, Base: []float32{0.2, 0.1, 0, 0.5, 0, 0, 0, 0, 0.4, 0.2, 0, 1}}
	none := film.Backdrop{Backdrop: stage.Backdrop{None: true}}
	chain := film.Chain{none, film.Grade((&finish.Grade{On: true, Exposure: 1}).Ready())}
	c, a := chain.At(f, 0)
	assert.Equal(t, float32(0.5), a)
	assert.InDelta(t, 0.4, c[0], 1e-6, "premultiplied: twice the light, as much cover")
	c, a = chain.At(f, 1)
	assert.Zero(t, a)
	assert.Zero(t, c[0])
	c, _ = chain.At(f, 2)
	assert.InDelta(t, 0.8, c[0], 1e-6)
	assert.False(t, math.IsNaN(float64(c[1])))
}

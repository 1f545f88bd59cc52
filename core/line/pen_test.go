package line_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/contour"
	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// flat returns a scene with one large sheet that faces the eye, and its view.
func flat(t *testing.T, h int) (*stage.Scene, stage.View) {
	sc := stagetest.Of(t, mesh.Grid("sheet", 2, 2, func(u, v float64) vec.V { return vec.V{float32(2*u - 1), float32(2*v - 1), 0} }))
	return sc, stage.Camera{Distance: 5, Angle: 30, Ortho: true}.View(h, h)
}

// curve returns a curve through places on the page, in parts of its height, by n steps.
func curve(h, n int, closed bool, at func(t float64) (x, y float64)) contour.Curve {
	c := contour.Curve{Closed: closed}
	for k := range n + 1 {
		x, y := at(float64(k) / float64(n))
		c.Places = append(c.Places, contour.Place{X: float32(x * float64(h)), Y: float32(y * float64(h)), Weights: [2]float32{float32(0.9 * x), float32(0.05 + 0.05*y)}})
	}
	return c
}

// drawn returns the cover of what a pen draws along curves.
func drawn(t *testing.T, h int, p line.Pens, width float32, curves ...contour.Curve) ([]float32, []line.Stroke) {
	sc, view := flat(t, h)
	n := 0
	for _, c := range curves {
		n += len(c.Places)
	}
	ink := make([]line.Ink, n)
	for i := range ink {
		ink[i] = line.Ink{Color: color.C{0.2, 0.4, 0.6}, Width: width, Opacity: 1}
	}
	strokes := p.Draw(sc, &view, curves, ink)
	s := line.NewSheet(h, h)
	s.Add([][]line.Stroke{strokes}, 2)
	cover := make([]float32, h*h)
	for i := range cover {
		cover[i] = s.Pix[4*i+3]
		if d := 0.6*cover[i] - s.Pix[4*i+2]; d > 1e-5 || d < -1e-5 {
			require.Fail(t, "not of its colour")
		}
	}
	return cover, strokes
}

func held(style line.Style) (p line.Pens) {
	for k := range p.Rows {
		p.Rows[k] = line.Row{Style: style, Width: 1}
	}
	p.Taper, p.Waves, p.Passes = 40, 14, 2
	return p
}

func sum(of []float32) (s float64) {
	for _, v := range of {
		s += float64(v)
	}
	return s
}

// A straight line, a line at 30° and a ring are as wide as was asked at any size, and have no gaps.
func TestAPenIsAsWideAsIsAsked(t *testing.T) {
	for _, h := range []int{540, 1080, 2160} {
		for _, width := range []float32{2, 4, 12} {
			wide := float64(width) * float64(h) / 1000
			for name, c := range map[string]struct {
				curve contour.Curve
				long  float64
			}{
				"straight": {curve(h, 300, false, func(t float64) (float64, float64) { return 0.2 + 0.6*t, 0.4031 }), 0.6},
				"30°":      {curve(h, 300, false, func(t float64) (float64, float64) { return 0.2 + 0.6*t*math.Cos(math.Pi/6), 0.2 + 0.6*t/2 }), 0.6},
				"ring": {curve(h, 600, true, func(t float64) (float64, float64) {
					s, k := math.Sincos(2 * math.Pi * t)
					return 0.5 + 0.3*k, 0.5 + 0.3*s
				}), 2 * math.Pi * 0.3},
			} {
				cover, strokes := drawn(t, h, held(line.Even), width, c.curve)
				require.Len(t, strokes, 1)
				area := c.long * float64(h) * wide
				if !c.curve.Closed {
					area += math.Pi * wide * wide / 4 // its round ends
				}
				assert.InEpsilon(t, area, sum(cover), 0.05, "%s, %v wide on %d lines", name, width, h)
				for _, p := range c.curve.Places {
					x, y := int(p.X), int(p.Y)
					assert.Greater(t, cover[y*h+x], float32(min(0.3, 0.3*wide)), "%s: no gap at %d, %d", name, x, y)
				}
			}
		}
	}
}

// At twice the size, reduced, it is the same picture.
func TestAPensPictureHangsOnNoSize(t *testing.T) {
	for _, style := range []line.Style{line.Even, line.Tapered, line.Swelling, line.Sketched, line.Brush, line.Chisel} {
		p := held(style)
		p.Wobble, p.Overshoot = 3, 8
		at := func(t float64) (float64, float64) { return 0.15 + 0.7*t, 0.5 + 0.2*math.Sin(5*t) }
		small, _ := drawn(t, 400, p, 6, curve(400, 300, false, at))
		large, _ := drawn(t, 800, p, 6, curve(800, 300, false, at))
		off := 0.0
		for y := range 400 {
			for x := range 400 {
				i := 2*y*800 + 2*x
				off += math.Abs(float64(small[y*400+x] - (large[i]+large[i+1]+large[i+800]+large[i+801])/4))
			}
		}
		assert.Less(t, 255*off/(400*400), 2.0, "%s", style)
		assert.Positive(t, sum(small), "%s", style)
	}
}

func TestEachPenIsHeldInItsWay(t *testing.T) {
	const h = 800
	straight := curve(h, 300, false, func(t float64) (float64, float64) { return 0.2 + 0.6*t, 0.5 })
	width := func(cover []float32, part float64) (w float64) { // across the stroke, in pixels
		x := int((0.2 + 0.6*part) * h)
		for y := range h {
			w += float64(cover[y*h+x])
		}
		return w
	}
	of := func(style line.Style) []float32 {
		cover, _ := drawn(t, h, held(style), 10, straight)
		return cover
	}
	full := 10 * h / 1000.0
	even, tapered, swelling, brush := of(line.Even), of(line.Tapered), of(line.Swelling), of(line.Brush)
	for _, part := range []float64{0.02, 0.5, 0.98} {
		assert.InDelta(t, full, width(even, part), 0.3)
	}
	assert.InDelta(t, full, width(tapered, 0.5), 0.3)
	assert.Less(t, width(tapered, 0.02), full/1.5)
	assert.Less(t, width(tapered, 0.98), full/1.5)
	assert.InDelta(t, full*1.25, width(swelling, 0.5), 0.3)
	assert.Less(t, width(swelling, 0.05), full*0.6)
	// A brush begins at one end of the surface, thick, and runs out at the other.
	a, b := width(brush, 0.15), width(brush, 0.95)
	assert.Greater(t, max(a, b), 2*min(a, b))
	// A chisel along its slant is thin, across it thick.
	p := held(line.Chisel)
	p.Slant = 0
	thin, _ := drawn(t, h, p, 10, straight)
	p.Slant = 90
	thick, _ := drawn(t, h, p, 10, straight)
	assert.InDelta(t, full, width(thick, 0.5), 0.3)
	assert.InDelta(t, 0.18*full, width(thin, 0.5), 0.3)
	// A sketching hand draws more than once, and past the ends.
	cover, strokes := drawn(t, h, held(line.Sketched), 4, straight)
	assert.Len(t, strokes, 2)
	assert.Positive(t, cover[h/2*h+int(0.2*h)-3]+cover[(h/2+1)*h+int(0.2*h)-3]+cover[(h/2-1)*h+int(0.2*h)-3])
	none, _ := drawn(t, h, held(line.Even), 0, straight)
	assert.Zero(t, sum(none))
	assert.Zero(t, line.Pens{}.Want().Of[contour.Contour])
}

// What a hand leaves out is about as much as is asked; where it strays depends on the surface and not on the page.
func TestAHandBreaksAndStraysWithTheSurface(t *testing.T) {
	const h = 900
	line1 := func(y float64) contour.Curve {
		return curve(h, 800, false, func(t float64) (float64, float64) { return 0.05 + 0.9*t, y })
	}
	var many []contour.Curve
	for k := range 12 {
		c := line1(0.1 + 0.06*float64(k))
		for i := range c.Places {
			c.Places[i].Weights[1] = float32(k) / 13 // far apart on the surface
		}
		many = append(many, c)
	}
	p := held(line.Even)
	p.Waves = 60
	whole, _ := drawn(t, h, p, 3, many...)
	p.Breaks = 0.3
	broken, _ := drawn(t, h, p, 3, many...)
	assert.InDelta(t, 0.7, sum(broken)/sum(whole), 0.12)

	p = held(line.Even)
	p.Wobble, p.Waves = 8, 14
	at := func(c contour.Curve) []line.Place {
		_, strokes := drawn(t, h, p, 3, c)
		require.Len(t, strokes, 1)
		return strokes[0].Chain
	}
	here, there := line1(0.3), line1(0.3)
	for i := range there.Places {
		there.Places[i].X, there.Places[i].Y = there.Places[i].X+20, there.Places[i].Y+100
	}
	one, two := at(here), at(there)
	strays := 0.0
	for i := range one {
		strays = max(strays, math.Abs(float64(one[i].Y)-0.3*h))
		assert.InDelta(t, one[i].Y+100, two[i].Y, 0.01)
	}
	assert.Greater(t, strays, 2.0)
	p.Seed = 0.7
	assert.NotEqual(t, one, at(here), "another seed, another hand")
}

// Corners part strokes, and each goes on past them as far as is asked; what is shorter than a few widths is no stroke.
func TestStrokesGoPastCorners(t *testing.T) {
	const h = 1000
	corner := curve(h, 200, false, func(t float64) (float64, float64) {
		if t <= 0.5 {
			return 0.2 + 0.8*t, 0.3
		}
		return 0.6, 0.3 + 0.8*(t-0.5)
	})
	corner.Places[100].Corner = true
	p := held(line.Even)
	_, strokes := drawn(t, h, p, 4, corner)
	require.Len(t, strokes, 2)
	p.Overshoot = 12
	cover, _ := drawn(t, h, p, 4, corner)
	assert.Positive(t, cover[300*h+611], "along the first")
	assert.Positive(t, cover[289*h+600], "along the second")
	assert.Zero(t, cover[300*h+616])
	assert.Zero(t, cover[300*h+190], "not at its other end")
	_, none := drawn(t, h, p, 4, curve(h, 4, false, func(t float64) (float64, float64) { return 0.5 + 0.006*t, 0.5 }))
	assert.Empty(t, none, "a speck")
}

// A stroke that turns back at its end is drawn without the hook; one that turns at a corner, or farther from its end, stays.
func TestHooksAreLeftOut(t *testing.T) {
	const h = 1000
	bent := func(back float64) contour.Curve { // straight on, and back by so much in parts of the height
		return curve(h, 400, false, func(t float64) (float64, float64) {
			x := 0.2 + (0.5+back)*t
			if x > 0.7 {
				return 1.4 - x, 0.5 + 0.2*(x-0.7)
			}
			return x, 0.5
		})
	}
	p := held(line.Even)
	below := func(c contour.Curve) (most float32) {
		_, strokes := drawn(t, h, p, 3, c)
		for _, s := range strokes {
			for _, at := range s.Chain {
				most = max(most, at.Y-500)
			}
		}
		return most
	}
	assert.Less(t, below(bent(0.006)), float32(0.5))
	assert.Greater(t, below(bent(0.1)), float32(15))
	corner := bent(0.006)
	for i := range corner.Places {
		if corner.Places[i].X > 699 {
			corner.Places[i].Corner = true
			break
		}
	}
	_, strokes := drawn(t, h, p, 1, corner)
	assert.Len(t, strokes, 2)
}

// The corners of a ring stay sharp, the one at which it begins like the others, and strokes go beyond
// all of them.
func TestARingKeepsItsCorners(t *testing.T) {
	const h = 400
	corners := [5][2]float64{{0.3, 0.3}, {0.7, 0.3}, {0.7, 0.7}, {0.3, 0.7}, {0.3, 0.3}}
	c := curve(h, 400, true, func(t float64) (float64, float64) {
		k := int(min(3, 4*t))
		part := 4*t - float64(k)
		return corners[k][0]*(1-part) + corners[k+1][0]*part, corners[k][1]*(1-part) + corners[k+1][1]*part
	})
	for k := 0; k <= 400; k += 100 {
		c.Places[k].Corner = true
	}
	for _, overshoot := range []float32{0, 8} {
		p := held(line.Even)
		p.Overshoot = overshoot
		cover, strokes := drawn(t, h, p, 10, c)
		assert.Len(t, strokes, 4)
		first := 0.0
		for i, at := range corners {
			x, y := int(at[0]*h), int(at[1]*h)
			around := 0.0
			for dy := -6; dy < 6; dy++ {
				for dx := -6; dx < 6; dx++ {
					around += float64(cover[(y+dy)*h+x+dx])
				}
			}
			if i == 0 {
				first = around
			}
			assert.InDelta(t, first, around, 0.01, "the corner at %v, %v", at[0], at[1])
		}
		want := 2*6*4 - 2*2 + math.Pi // two arms and a round corner
		if over := float64(overshoot) * h / 1000; over > 0 {
			want = 2*((6+over)*4+2*math.Pi) - 4*4 // crossed
		}
		assert.InDelta(t, want, first, 0.5)

	}
}

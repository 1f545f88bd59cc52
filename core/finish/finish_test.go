package finish_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/finish"
	"mobanta/core/parallel"
)

// Light is spread, not made: what comes out is what went in times the strength, whatever the radius and the size.
func TestAGlowKeepsItsEnergy(t *testing.T) {
	for _, h := range []int{150, 311, 600} {
		for _, radius := range []float64{2, 10, 30, 60} {
			g := finish.Glow{On: true, Radius: radius, Strength: 0.7}
			w := h * 8 / 5
			exact := 0.0
			l := g.Spread(w, h, 2, func(j int, row []float32) {
				if j == h/2 {
					row[3*(w/2)], row[3*(w/2)+1] = 100, 50
				}
			})
			row := make([]float32, 3*w)
			for j := range h {
				l.Row(row, 0, j)
				for i := range w {
					exact += float64(row[3*i])
				}
			}
			most := 0.01
			if radius*float64(h)/1000 < 1 { // see sharp
				most = 0.015
			}
			assert.InEpsilon(t, 70, exact, most, "a point, %d lines, radius %v", h, radius)
		}
	}
}

// The glow of a point is round: as bright at all places as far from it, to a hundredth of the brightest; half of the
// light falls within the radius.
func TestTheGlowOfAPointIsRound(t *testing.T) {
	for _, radius := range []float64{8, 30, 90} {
		const w, h = 901, 901
		g := finish.Glow{On: true, Radius: radius, Strength: 1}
		for _, at := range [][2]int{{450, 450}, {437, 461}} { // on the grid and off it
			l := g.Spread(w, h, 2, func(j int, row []float32) {
				if j == at[1] {
					row[3*at[0]] = 1e4
				}
			})
			pix := make([]float32, w*h)
			row := make([]float32, 3*w)
			var all, within float64
			for j := range h {
				l.Row(row, 0, j)
				for i := range w {
					pix[j*w+i] = row[3*i]
					all += float64(row[3*i])
					if math.Hypot(float64(i-at[0]), float64(j-at[1])) < radius/1000*h {
						within += float64(row[3*i])
					}
				}
			}
			top := float64(pix[at[1]*w+at[0]])
			for _, far := range []float64{0.3, 0.7, 1.2, 2} {
				d := far * radius / 1000 * h
				lo, hi := math.Inf(1), 0.0
				for k := range 32 {
					s, c := math.Sincos(float64(k) * math.Pi / 16)
					x, y := float64(at[0])+d*c, float64(at[1])+d*s
					i, j := int(x), int(y)
					fx, fy := x-float64(i), y-float64(j)
					v := (1-fy)*((1-fx)*float64(pix[j*w+i])+fx*float64(pix[j*w+i+1])) + fy*((1-fx)*float64(pix[(j+1)*w+i])+fx*float64(pix[(j+1)*w+i+1]))
					lo, hi = min(lo, v), max(hi, v)
				}
				assert.Less(t, hi-lo, 0.012*top, "radius %v, %v of it away, from %v", radius, far, at)
			}
			assert.InDelta(t, 0.5, within/all, 0.02, "radius %v", radius)
		}
	}
}

// A picture of twice the size has the same glow, once it is reduced.
func TestAGlowIsTheSameAtAnySize(t *testing.T) {
	for _, radius := range []float64{1, 3, 6, 8, 15, 30, 80} { // from a fifth of a pixel on
		g := finish.Glow{On: true, Radius: radius, Strength: 1}
		for _, h := range []int{200, 333} {
			w := h * 3 / 2
			src := make([]float32, 3*4*w*h) // of the large one: a disc with soft rims
			for j := range 2 * h {
				for i := range 2 * w {
					d := math.Hypot((float64(i)+0.5)/float64(2*h)-0.7, (float64(j)+0.5)/float64(2*h)-0.45)
					for c := range 3 {
						src[3*(2*w*j+i)+c] = float32(max(0, min(1, (0.08-d)*float64(h))))
					}
				}
			}
			mean := func(of []float32, i, j, c int) float32 {
				at := func(x, y int) float32 { return of[3*(2*w*y+x)+c] }
				return (at(2*i, 2*j) + at(2*i+1, 2*j) + at(2*i, 2*j+1) + at(2*i+1, 2*j+1)) / 4
			}
			large := g.Spread(2*w, 2*h, 2, func(j int, row []float32) { copy(row, src[3*2*w*j:]) })
			small := g.Spread(w, h, 2, func(j int, row []float32) {
				for i := range w {
					for c := range 3 {
						row[3*i+c] = mean(src, i, j, c)
					}
				}
			})
			out := make([]float32, len(src))
			for j := range 2 * h {
				large.Row(out[3*2*w*j:3*2*w*(j+1)], 0, j)
			}
			row := make([]float32, 3*w)
			worst := 0.0
			for j := range h {
				small.Row(row, 0, j)
				for i := range w {
					worst = max(worst, math.Abs(float64(mean(out, i, j, 0)-row[3*i])))
				}
			}
			most := 1.0 / 255
			if pixels := radius * float64(h) / 1000; pixels < 2 { // of what lies within a pixel a small picture knows the mean alone
				most = 2.5 / 255
			}
			assert.Less(t, worst, most, "radius %v at %d lines", radius, h)
		}
	}
}

// Row begins anywhere.
func TestRowsBeginAnywhere(t *testing.T) {
	g := finish.Glow{On: true, Radius: 40, Strength: 1}
	const w, h = 137, 90
	l := g.Spread(w, h, 1, func(j int, row []float32) { row[3*((j*7)%w)] = 5 })
	whole, part := make([]float32, 3*w), make([]float32, 3*20)
	for j := range h {
		l.Row(whole, 0, j)
		for _, x := range []int{0, 1, 50, w - 20} {
			l.Row(part, x, j)
			assert.Equal(t, whole[3*x:3*x+60], part)
		}
	}
	one, many := g.Spread(w, h, 1, func(j int, row []float32) { row[j] = 3 }), g.Spread(w, h, 5, func(j int, row []float32) { row[j] = 3 })
	a, b := make([]float32, 3*w), make([]float32, 3*w)
	for j := range h {
		one.Row(a, 0, j)
		many.Row(b, 0, j)
		assert.Equal(t, a, b, "the same on any number of cores")
	}
}

func TestAGradeOfNothingIsNone(t *testing.T) {
	assert.Nil(t, (&finish.Grade{On: true}).Ready())
	assert.Nil(t, (&finish.Grade{Exposure: 2}).Ready(), "off")
	// What is asked for alone is done: an exposure leaves hues to the bit.
	g := (&finish.Grade{On: true, Exposure: 1}).Ready()
	assert.Equal(t, color.C{0.5, 0.25, 1.5}, g.At(color.C{0.25, 0.125, 0.75}))
}

func TestGradesByClosedForms(t *testing.T) {
	at := func(g finish.Grade, c color.C) color.C {
		g.On = true
		require.NoError(t, g.Check())
		return g.Ready().At(c)
	}
	near := func(want, got color.C, what string) {
		t.Helper()
		for k := range want {
			assert.InDelta(t, want[k], got[k], 2e-4, what)
		}
	}
	c := color.MustHex("#C07A42")
	near(color.C{0.18, 0.18, 0.18}, at(finish.Grade{Contrast: 0.7}, color.C{0.18, 0.18, 0.18}), "contrast leaves its pivot")
	near(color.C{0.5, 0.5, 0.5}, at(finish.Grade{Contrast: -0.4, Pivot: 0.5}, color.C{0.5, 0.5, 0.5}), "and any other")
	near(color.C{0.5 * 0.25, 0.5, 0.5 * 4}, at(finish.Grade{Contrast: 0.5, Pivot: 0.5}, color.C{0.25, 0.5, 1}), "a power of 2 about it")
	grey := at(finish.Grade{Saturation: -1}, c)
	assert.InDelta(t, c.Oklab()[0], grey.Oklab()[0], 1e-4, "grey is as light")
	assert.InDelta(t, grey[0], grey[1], 2e-3)
	assert.InDelta(t, grey[1], grey[2], 2e-3)
	turned := at(finish.Grade{Hue: 90}, color.C{0.3, 0.25, 0.2}).OKLCH()
	was := color.C{0.3, 0.25, 0.2}.OKLCH()
	assert.InDelta(t, was[0], turned[0], 1e-3)
	assert.InDelta(t, was[1], turned[1], 1e-3)
	assert.InDelta(t, 0.25, math.Mod(float64(turned[2]-was[2])+1, 1), 2e-3, "by a quarter of a turn")
	near(c, at(finish.Grade{Hue: 360}, c), "once round is where it was")
	up := at(finish.Grade{Curves: finish.Curves{All: finish.Curve{0, 0.1, 0}}}, color.FromEncoded([3]float32{0.5, 0, 1})).Encoded()
	assert.InDelta(t, 0.6, up[0], 1e-3, "the middle of the curve")
	assert.InDelta(t, 0, up[1], 1e-3)
	assert.InDelta(t, 1, up[2], 1e-3)
	red := at(finish.Grade{Curves: finish.Curves{Red: finish.Curve{0.2, 0.2, 0}}}, color.C{})
	assert.Greater(t, red[0], float32(0.02))
	assert.Zero(t, red[1])
	blue := color.MustHex("#2040C0")
	dark := at(finish.Grade{Toning: 1, Shadows: blue, Lights: color.C{1, 1, 1}}, color.C{0.002, 0.002, 0.002}).OKLCH()
	assert.InDelta(t, blue.OKLCH()[2], dark[2], 0.03, "shadows take the tint")
	strip := color.Strip{{color.MustHex("#102030"), color.MustHex("#F0E0D0")}}
	near(strip[0][0], at(finish.Grade{Strip: strip, Mapped: 1}, color.C{}), "the dark end of the palette")
	near(strip[0][1], at(finish.Grade{Strip: strip, Mapped: 1}, color.C{1, 1, 1}), "the light end")
}

// A curve rises where its points do, goes through them, and overshoots nothing.
func TestGradeCurves(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 500 {
		c := finish.Curve{r.Float64()*0.4 - 0.2, r.Float64()*0.6 - 0.3, r.Float64()*0.4 - 0.2}
		for k, x := range [3]float64{0, 0.5, 1} {
			assert.InDelta(t, x+c[k], c.At(x), 1e-12)
		}
		lo, hi := min(c.At(0), c.At(0.5), c.At(1)), max(c.At(0), c.At(0.5), c.At(1))
		rising := c.At(0) <= c.At(0.5) && c.At(0.5) <= c.At(1)
		last := c.At(0)
		for k := 1; k <= 200; k++ {
			y := c.At(float64(k) / 200)
			require.GreaterOrEqual(t, y, lo-1e-9)
			require.LessOrEqual(t, y, hi+1e-9)
			if rising {
				require.GreaterOrEqual(t, y, last-1e-12)
			}
			last = y
		}
	}
}

// What is raised evenly runs straight; a palette that is not there maps nothing.
func TestAStraightCurveStaysOne(t *testing.T) {
	for _, x := range []float64{-0.2, 0, 0.1, 0.37, 0.5, 0.8, 1, 1.4} {
		assert.InDelta(t, x+0.1, finish.Curve{0.1, 0.1, 0.1}.At(x), 1e-12)
	}
	g := (&finish.Grade{On: true, Exposure: 1, Mapped: 1}).Ready()
	assert.Equal(t, color.C{0.5, 0.5, 0.5}, g.At(color.C{0.25, 0.25, 0.25}))
}

// The soft view leaves what lies below its knee to the bit, never reaches more than 1, and keeps what is brighter
// brighter.
func TestTheShoulder(t *testing.T) {
	assert.Equal(t, color.C{0.8, 0.3, 0.1}, finish.Shoulder(color.C{0.8, 0.3, 0.1}))
	last := float32(0.79)
	for v := float32(0.8); v < 30; v *= 1.03 {
		c := finish.Shoulder(color.C{v, v / 2, 0})
		assert.GreaterOrEqual(t, c[0], last)
		assert.LessOrEqual(t, c[0], float32(1))
		assert.LessOrEqual(t, c[2], c[1]+1e-6)
		last = c[0]
	}
	assert.InDelta(t, 1, finish.Shoulder(color.C{40, 20, 5})[2], 0.05, "what is very bright is white")
}

func TestFinishIsChecked(t *testing.T) {
	nan := math.NaN()
	for _, g := range []finish.Glow{{Threshold: nan}, {Radius: -1}, {Radius: 1000}, {Strength: 21}, {Tint: color.C{-1, 0, 0}}, {Looks: make([]string, 500)}} {
		assert.Error(t, g.Check(), "%+v", g)
	}
	for _, g := range []finish.Grade{{Exposure: 20}, {Contrast: nan}, {Pivot: 2}, {Saturation: -2}, {Hue: 1e9}, {Toning: 2}, {Mapped: -1}, {Curves: finish.Curves{Green: finish.Curve{0, nan, 0}}}, {Shadows: color.C{float32(nan)}}, {Strip: color.Strip{}}} {
		assert.Error(t, g.Check(), "%+v", g)
	}
	assert.Error(t, finish.View("filmic").Check())
	fresh := finish.NewGlow()
	assert.NoError(t, fresh.Check())
}

func BenchmarkGlow(b *testing.B) {
	const w, h = 960, 600
	src := make([]float32, 3*w*h)
	for i := range src {
		src[i] = float32(i%17) / 17
	}
	for _, radius := range []float64{10, 30, 120} {
		b.Run("", func(b *testing.B) {
			g := finish.Glow{On: true, Radius: radius, Strength: 1}
			for b.Loop() {
				l := g.Spread(w, h, 2, func(y int, row []float32) { copy(row, src[3*w*y:]) })
				parallel.Do(2, h/10, func(job int) { // as a film reads it
					row := make([]float32, 3*w)
					for y := range 10 {
						l.Row(row, 0, 10*job+y)
					}
				})
			}
		})
	}
}

package press

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/pattern"
)

// apart is how far two colours are apart to the eye (CIE 1976 L*a*b*, D65).
func apart(a, b color.C) float64 {
	lab := func(c color.C) [3]float64 {
		r, g, bl := float64(c[0]), float64(c[1]), float64(c[2])
		f := func(t float64) float64 {
			if t > 216.0/24389 {
				return math.Cbrt(t)
			}
			return (24389.0/27*t + 16) / 116
		}
		x, y, z := f((0.4124564*r+0.3575761*g+0.1804375*bl)/0.95047), f(0.2126729*r+0.7151522*g+0.0721750*bl), f((0.0193339*r+0.1191920*g+0.9503041*bl)/1.08883)
		return [3]float64{116*y - 16, 500 * (x - y), 200 * (y - z)}
	}
	p, q := lab(a), lab(b)
	return math.Sqrt((p[0]-q[0])*(p[0]-q[0]) + (p[1]-q[1])*(p[1]-q[1]) + (p[2]-q[2])*(p[2]-q[2]))
}

func TestWhatInksCanMakeIsMade(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	worst := 0.0
	for _, set := range Sets {
		p := New(set)
		p.Limit = 0
		ready := p.Ready(1000)
		for range 800 {
			var s Shares
			for k := range p.Inks {
				s[k] = r.Float32()
			}
			c := ready.Mean(&s)
			got := ready.Separate(c)
			off := apart(c, ready.Mean(&got))
			worst = max(worst, off)
			quick := ready.separate(c)
			off = max(off, apart(c, ready.Mean(&quick)))
			worst = max(worst, off)
			require.Less(t, off, 2.0, "%s: %v of %v, not %v", set.Name, c, s, got)
		}
		white := ready.Separate(p.Paper)
		for _, v := range white {
			assert.Less(t, v, float32(0.01), "paper needs no ink")
		}
	}
	t.Logf("at worst %.2f", worst)
}

func TestInkKeepsToItsLimit(t *testing.T) {
	p := New(Sets[0])
	p.Limit = 2
	ready := p.Ready(1000)
	r := rand.New(rand.NewPCG(7, 2))
	for range 300 {
		s := ready.Separate(color.C{0.2 * r.Float32(), 0.2 * r.Float32(), 0.2 * r.Float32()})
		sum := float32(0)
		for _, v := range s {
			require.True(t, v >= 0 && v <= 1)
			sum += v
		}
		require.LessOrEqual(t, sum, float32(2.02))
	}
	assert.Zero(t, (&Press{Paper: color.C{1, 1, 1}}).Ready(100).Separate(color.C{0.2, 0.2, 0.2}))
}

// On its way to the limit ink comes as near as it may; gain fills the middle of the tones.
func TestLimitAndGain(t *testing.T) {
	p := New(Sets[2])
	p.Limit = 0.5
	ready := p.Ready(400)
	for _, s := range []Shares{ready.Separate(color.C{}), ready.separate(color.C{})} {
		assert.InDelta(t, 0.5, s[0], 0.01, "no more and no less")
	}
	p.Limit, p.Gain = 0, 0.2
	p.Inks[0].Density = 40
	ready = p.Ready(400)
	for _, a := range []float32{0.2, 0.5, 0.8} {
		want := ready.Mean(&Shares{a})
		s := ready.Part(0, 0, 400, 400, 400, func(int, int) color.C { return want })
		sum := 0.0
		for i := range 400 * 400 {
			sum += float64(s.Plate(0, i%400, i/400)) / 160000
		}
		assert.InDelta(t, float64(a+4*0.2*a*(1-a)), sum, 0.01)
	}
}

// Dots stand in the middle of their cells, which begin at the lower left corner; what is asked lies
// evenly between pixels.
func TestPlatesLieWhereTheyShould(t *testing.T) {
	p := New(Sets[2])
	p.Inks[0].Density, p.Inks[0].Angle = 10, 0
	ready := p.Ready(200)
	want := ready.Mean(&Shares{0.3})
	s := ready.Part(0, 0, 100, 200, 200, func(int, int) color.C { return want })
	for k := range 10 {
		assert.InDelta(t, s.Plate(0, 49-k, 109), s.Plate(0, 50+k, 109), 1e-4)
		assert.InDelta(t, s.Plate(0, 49, 109-k), s.Plate(0, 49, 110+k), 1e-4)
	}
	assert.Greater(t, s.Plate(0, 49, 109), float32(0.99))
	assert.Less(t, s.Plate(0, 40, 100), float32(0.01))
	for i := range s.shares {
		s.shares[i][0] = float32(i%100)/400 + float32(i/100)/400
	}
	assert.InDelta(t, (12.25+31.75)/400, s.share(0, 12.25, 31.75), 1e-5)
	assert.InDelta(t, (99.0+199)/400, s.share(0, 150, 900), 1e-5, "at the rim as there")
}

// The plates over each other are the print, and on average the print is the colour.
func TestPlatesOverEachOtherAreThePrint(t *testing.T) {
	p := New(Sets[1])
	p.Slip, p.Rough, p.Tooth, p.Gain = 2, 0.6, 0.3, 0.1
	const n = 240
	ready := p.Ready(n)
	picture := func(x, y int) color.C { return color.C{float32(x) / n, 0.4, float32(y) / n} }
	s := ready.Part(0, 0, n, n, n, picture)
	for y := range n {
		for x := range n {
			c := p.Paper
			for k := range p.Inks {
				m := s.Plate(k, x, y)
				require.True(t, m >= 0 && m <= 1)
				for i := range c {
					c[i] *= 1 - m*(1-p.Inks[k].Color[i])
				}
			}
			for i, v := range s.At(x, y) {
				require.InDelta(t, c[i], v, 1.0/255/8)
			}
		}
	}
	// A part of the picture is printed as the whole is, but for what lies off its rim.
	part := ready.Part(60, 80, 100, 90, n, picture)
	reach := ready.Reach()
	for y := 80 + reach; y < 170-reach; y += 7 {
		for x := 60 + reach; x < 160-reach; x += 7 {
			require.Equal(t, s.At(x, y), part.At(x, y))
		}
	}
	assert.Equal(t, 2, ready.Reach()-0)
	flat := New(Sets[0])
	flat.Limit = 0
	ready = flat.Ready(n)
	want := color.C{0.5, 0.35, 0.3}
	s = ready.Part(0, 0, n, n, n, func(int, int) color.C { return want })
	var sum [3]float64
	for i := range n * n {
		for k, v := range s.At(i%n, i/n) {
			sum[k] += float64(v) / n / n
		}
	}
	for k, v := range sum {
		assert.InDelta(t, want[k], v, 0.012)
	}
}

func TestAnOpaqueInkCovers(t *testing.T) {
	p := Press{Paper: color.C{1, 1, 1}, Inks: []Ink{{ID: "a", Name: "A", Color: color.C{0, 0, 0}, Spot: pattern.Round, Density: 20}, {ID: "b", Name: "B", Color: color.C{1, 1, 0}, Opacity: 1, Spot: pattern.Round, Density: 20}}}
	require.NoError(t, p.Check())
	r := p.Ready(100)
	assert.Equal(t, color.C{1, 1, 0}, r.Mean(&Shares{1, 1}))
	p.Inks[1].Opacity = 0
	assert.Equal(t, color.C{0, 0, 0}, p.Ready(100).Mean(&Shares{1, 1}))
	p.Inks[0].Off = true
	assert.Len(t, p.Ready(100).Inks(), 1)
}

func TestAPressIsChecked(t *testing.T) {
	for name, spoil := range map[string]func(p *Press){
		"tooth": func(p *Press) { p.Tooth = 2 }, "gain": func(p *Press) { p.Gain = math.NaN() }, "slip": func(p *Press) { p.Slip = -1 },
		"id": func(p *Press) { p.Inks[1].ID = p.Inks[0].ID }, "name": func(p *Press) { p.Inks[0].Name = "" }, "spot": func(p *Press) { p.Inks[0].Spot = "heart" },
		"density": func(p *Press) { p.Inks[0].Density = 0 }, "colour": func(p *Press) { p.Inks[0].Color[1] = 2 }, "paper": func(p *Press) { p.Paper[0] = -1 },
		"inks": func(p *Press) { p.Inks = append(p.Inks, make([]Ink, 8)...) },
	} {
		p := New(Sets[0])
		require.NoError(t, p.Check())
		q := p.Clone()
		spoil(&q)
		assert.Error(t, q.Check(), name)
		assert.NoError(t, p.Check(), "the copy is deep")
	}
	p := New(Sets[0])
	assert.NotNil(t, p.Ink("cyan"))
	assert.Nil(t, p.Ink("gold"))
}

func BenchmarkSeparate(b *testing.B) {
	p := New(Sets[0])
	r := p.Ready(1000)
	x := float32(0)
	for b.Loop() {
		x += 0.001
		r.separate(color.C{x - float32(int(x)), 0.3, 0.5})
	}
}

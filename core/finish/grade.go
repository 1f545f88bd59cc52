package finish

import (
	"math"

	"mobanta/core/color"
)

// Plain tells whether the grade changes nothing.
func (g *Grade) Plain() bool {
	return !g.On || g.Exposure == 0 && g.Contrast == 0 && g.Saturation == 0 && g.Hue == 0 && g.Curves == Curves{} && g.Toning == 0 && (g.Mapped == 0 || len(g.Strip) == 0)
}

// Graded is a grade made ready.
type Graded struct {
	g          Grade
	gain       float32
	power      float64
	pivot      float64
	curves     [4]*spline
	cos, sin   float32
	chroma     float32
	dark, pale [3]float32 // tints in OKLab
}

// Ready makes a grade ready; nil for one that changes nothing.
func (g *Grade) Ready() *Graded {
	if g.Plain() {
		return nil
	}
	out := &Graded{g: *g, gain: float32(math.Exp2(g.Exposure)), power: math.Exp2(2 * g.Contrast), pivot: g.Pivot, chroma: float32(1 + g.Saturation),
		dark: g.Shadows.Oklab(), pale: g.Lights.Oklab()}
	if out.pivot == 0 {
		out.pivot = DefaultPivot
	}
	s, c := math.Sincos(g.Hue * math.Pi / 180)
	out.cos, out.sin = float32(c), float32(s)
	for k, c := range g.Curves.list() {
		if *c != (Curve{}) {
			out.curves[k] = c.spline()
		}
	}
	return out
}

// At returns the graded colour: exposure, contrast about the pivot (a power, so that nothing falls below black), the
// curves on encoded values, then in OKLab saturation, hue and the tints, and at last the palette. What is not asked for
// is not done, so that it leaves every bit.
func (g *Graded) At(c color.C) color.C {
	if g.g.Exposure != 0 {
		for k := range c {
			c[k] *= g.gain
		}
	}
	if g.g.Contrast != 0 {
		for k := range c {
			c[k] = float32(g.pivot * math.Pow(max(0, float64(c[k]))/g.pivot, g.power))
		}
	}
	for k := range c {
		all, own := g.curves[0], g.curves[k+1]
		if all == nil && own == nil {
			continue
		}
		v := color.Encode(max(0, float64(c[k])))
		if all != nil {
			v = all.at(v)
		}
		if own != nil {
			v = own.at(v)
		}
		c[k] = float32(color.Decode(max(0, v)))
	}
	if g.g.Saturation != 0 || g.g.Hue != 0 || g.g.Toning != 0 {
		lab := c.Oklab()
		lab[1], lab[2] = g.chroma*(lab[1]*g.cos-lab[2]*g.sin), g.chroma*(lab[1]*g.sin+lab[2]*g.cos)
		if g.g.Toning != 0 {
			l := max(0, min(1, lab[0]))
			d, p := float32(g.g.Toning)*(1-l)*(1-l), float32(g.g.Toning)*l*l
			for k := 1; k < 3; k++ {
				lab[k] += (g.dark[k]-lab[k])*d + (g.pale[k]-lab[k])*p
			}
		}
		c = color.FromOklab(lab)
		for k := range c {
			c[k] = max(0, c[k]) // what no light can be
		}
	}
	if g.g.Mapped != 0 && len(g.g.Strip) > 0 {
		u := float32(color.Encode(float64(max(0, min(1, c.Luminance())))))
		c = c.Mix(g.g.Strip.At(u, 0, true), float32(g.g.Mapped))
	}
	return c
}

// At returns what the curve makes of an encoded value.
func (c Curve) At(x float64) float64 { return c.spline().at(x) }

// spline is a curve through three points that overshoots none (Fritsch and Carlson 1980); beyond its ends it runs
// straight on.
type spline struct{ y, m [3]float64 }

func (c *Curve) spline() *spline {
	s := &spline{y: [3]float64{c[0], 0.5 + c[1], 1 + c[2]}}
	a, b := (s.y[1]-s.y[0])/0.5, (s.y[2]-s.y[1])/0.5
	if a*b > 0 {
		s.m[1] = 2 * a * b / (a + b)
	}
	// At the ends the slope of the parabola, held to what keeps the curve rising where it does.
	s.m[0], s.m[2] = end(a, s.m[1]), end(b, s.m[1])
	return s
}

func end(step, inner float64) float64 {
	m := (3*step - inner) / 2
	if m*step <= 0 {
		return 0
	}
	if math.Abs(m) > 3*math.Abs(step) {
		return 3 * step
	}
	return m
}

func (s *spline) at(x float64) float64 {
	switch {
	case x <= 0:
		return s.y[0] + s.m[0]*x
	case x >= 1:
		return s.y[2] + s.m[2]*(x-1)
	}
	i := 0
	if x > 0.5 {
		i, x = 1, x-0.5
	}
	t := x / 0.5
	u := 1 - t
	return s.y[i]*(1+2*t)*u*u + 0.5*s.m[i]*t*u*u + s.y[i+1]*t*t*(3-2*t) - 0.5*s.m[i+1]*t*t*u
}

// knee is where the shoulder of the soft view begins.
const knee = 0.8

// Shoulder returns a colour as the soft view shows it: below the knee as it is; above, the brightest component comes
// near to 1 step by step, the others keep their share of it, and what is brighter still pales.
func Shoulder(c color.C) color.C {
	m := max(c[0], c[1], c[2])
	if m <= knee {
		return c
	}
	over := float64(m-knee) / (1 - knee)
	to := float32(knee + (1-knee)*(1-math.Exp(-over)))
	pale := float32(1 - math.Exp(-float64(max(0, m-1))/4))
	for k := range c {
		c[k] *= to / m
		c[k] += (to - c[k]) * pale
	}
	return c
}

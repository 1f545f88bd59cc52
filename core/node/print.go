package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/texture"
	"mobanta/core/vec"
)

// Patterns print: of a tone they make a share of ink, lay their pattern on the page or on a
// surface, and put ink on paper where it says. Kinds of them add what the pattern is.

// printInputs are the inputs that all patterns have first; those of the pattern follow them.
func printInputs(more ...network.Port) []network.Port {
	return append([]network.Port{
		{Key: "paper", Name: "paper", Type: network.Color, Default: color.C{1, 1, 1}, Help: "What shows between the ink."},
		{Key: "tone", Name: "tone", Type: network.Tone, Default: 0.5, Min: 0, Max: 1, Help: "1 is paper alone, 0 all ink; over an area as much is inked as lacks from 1."},
		{Key: "ink", Name: "ink", Type: network.Color, Default: color.MustHex("#1A1B24")},
		{Key: "place", Name: "place", Type: network.Vector, Hidden: true, Help: "Where it is laid, by the first two numbers. Unwired: as Laid says."},
		{Key: "full", Name: "all ink at", Type: network.Tone, Default: 0.0, Min: 0, Max: 1, Help: "The tone from which down all is ink."},
		{Key: "none", Name: "no ink at", Type: network.Tone, Default: 1.0, Min: 0, Max: 1, Help: "The tone from which up all is paper."},
		{Key: "weight", Name: "weight", Type: network.Tone, Default: 1.0, Min: 0.2, Max: 4, Help: "2 is as dark as printed twice, 0.5 so that twice would be as dark as asked."}},
		more...)
}

// The places of printInputs, and how many there are.
const (
	printPaper = iota
	printTone
	printInk
	printPlace
	printFull
	printNone
	printWeight
	printOwn // where the pattern's own begin
)

// printOutputs are the outputs that all patterns have.
func printOutputs() []network.Port {
	return []network.Port{{Key: "colour", Name: "colour", Type: network.Color}, {Key: "mask", Name: "ink", Type: network.Tone, Help: "How much of what a pixel covers is ink."}}
}

// printSettings are the settings that all patterns have after their own; more inks than one and the ramp's own may follow.
func printSettings(own []network.Setting, inks ...network.Option) []network.Setting {
	return append(own,
		network.Setting{Key: "laid", Name: "Laid", Type: network.Choice, Default: "page", Choices: []network.Option{{Key: "page", Name: "On the page"}, {Key: "model", Name: "On the page, with the model"}, {Key: "part", Name: "On the page, with the part"},
			{Key: "uv", Name: "On UV"}, {Key: "sides", Name: "From three sides"}},
			Help: "With the model or part: it moves, turns and grows with it, and stays as fine to a factor of the root of 2. From three sides: on the surface, without UV."},
		network.Setting{Key: "inks", Name: "Inks", Type: network.Choice, Default: "one", Choices: append([]network.Option{{Key: "one", Name: "One on paper"}, {Key: "ramp", Name: "The ramp's own"}}, inks...),
			Help: "The ramp's own: of the ramp that is wired to paper each band is printed on the next."})
}

// printData is what patterns are prepared as.
type printData struct {
	laid, inks string
	pattern    any
}

func preparePrint(pattern func(get func(string) any) any) func(get func(string) any) any {
	return func(get func(string) any) any {
		return printData{get("laid").(string), get("inks").(string), pattern(get)}
	}
}

// printNeeds are the attributes of a pattern.
func printNeeds(data any, wired func(string) bool) sample.Attr {
	if wired("place") {
		return 0
	}
	switch data.(printData).laid {
	case "uv":
		return sample.UV | sample.Weights | sample.Normal | sample.Eye | sample.Foot
	case "sides":
		return sample.Pos | sample.Rest | sample.Part | sample.Normal | sample.Foot
	case "page":
		return sample.Page
	}
	return sample.Page | sample.Part
}

func printElsewhere(_ any, input int) []sample.Variant {
	if input == printPlace {
		return []sample.Variant{sample.AlongU, sample.AlongV}
	}
	return nil
}

// sheet is where a point lies on what is printed on, in its units, how much a pixel covers of one,
// and how much of what is seen there is of this sheet.
type sheet struct{ x, y, foot, part float32 }

// sheets returns those on which the batch's point i lies: one, but three at most from three sides.
func (c *Call) sheets(i int, laid string, at *anchor, out *[3]sheet) []sheet {
	k := c.Lo + i
	if in := c.In[printPlace]; in != nil {
		s := sheet{in[0][i], in[1][i], 0, 1}
		if !c.Const[printPlace] && len(c.More) >= 2 {
			u, v := c.Elsewhere(0), c.Elsewhere(1)
			most := float32(0)
			for a := range 2 {
				du, dv := u[a][i]-in[a][i], v[a][i]-in[a][i]
				if d := du*du + dv*dv; d > most {
					most = d
				}
			}
			s.foot = 2 * vec.Sqrt(most)
		}
		out[0] = s
		return out[:1]
	}
	switch laid {
	case "page":
		v := &c.Points.View
		out[0] = sheet{c.Points.Page[0][k] - at.middle[0], c.Points.Page[1][k] - at.middle[1], 0, 1}
		if v.H > 0 {
			out[0].foot = 1 / float32(v.H)
		}
		return out[:1]
	case "uv":
		long, short := c.covered(i)
		foot := max(math.Hypot(long[0], long[1]), math.Hypot(short[0], short[1]))
		out[0] = sheet{c.Points.UV[0][k], c.Points.UV[1][k], float32(foot), 1}
		return out[:1]
	case "sides":
		x, y, z := c.object(i)
		foot, square := c.across(i)
		n, sum := 0, float32(0)
		for a, s := range square {
			w := s * s * s * s
			if w < 1e-3 {
				continue
			}
			p := [3][2]float32{{-z, y}, {x, -z}, {x, y}}[a]
			out[n] = sheet{p[0], p[1], foot, w}
			n, sum = n+1, sum+w
		}
		for a := range n {
			out[a].part /= sum
		}
		return out[:n]
	}
	at.of(c, c.Points.PartOf[k], laid == "part")
	px, py := c.Points.Page[0][k]-at.page[0], c.Points.Page[1][k]-at.page[1]
	out[0] = sheet{(px*at.up[1] - py*at.up[0] + at.shift[0]) * at.scale, (px*at.up[0] + py*at.up[1] + at.shift[1]) * at.scale, at.foot, 1}
	return out[:1]
}

// anchor is how a pattern on the page hangs on a model or a part: at its middle, turned as its own
// upward direction is on the page, as large as it is in steps of octaves, and rolled on as far as
// the middle of a ball about it has moved by its turning.
type anchor struct {
	middle [2]float32 // of the page
	part   int32      // and one more; 0 for none yet
	page   [2]float32 // where it hangs
	up     [2]float32 // which way is up on the page: 0, 1 for one that stands upright
	shift  [2]float32 // how far the pattern is moved on, in heights of the page
	scale  float32    // of the pattern's lengths, from 1/√2 to √2
	foot   float32    // what a pixel covers of them
}

// anchorRadius is how large a ball is on the page, in heights, about which a pattern is as large as
// it is on the page: others are so by octaves.
const anchorRadius = 0.25

// of finds how the pattern hangs on a part, or on its model.
func (a *anchor) of(c *Call, part int32, alone bool) {
	if a.part == part+1 {
		return
	}
	a.part = part + 1
	p := &c.Scene.Parts[part]
	m, view := &c.Scene.Models[p.Model], &c.Points.View
	box := m.Surface.Box
	middle, diagonal := m.Matrix.Point(box.Center()), box.Diagonal()*m.Matrix.X.Len()
	if alone {
		middle, diagonal = p.Box.Center(), p.Box.Diagonal()
	}
	a.page, a.up, a.shift, a.scale, a.foot = a.middle, [2]float32{0, 1}, [2]float32{}, 1, 0
	if view.H <= 0 {
		return
	}
	high := float32(view.H)
	a.foot = 1 / high
	radius := diagonal / (2 * float32(math.Sqrt(3))) // of a ball in that box
	q := view.Camera(middle)
	near := q[2] - radius
	if !view.Ortho && !(near > view.Near) {
		return // the eye is within it
	}
	x, y, _ := view.Project(q)
	a.page = [2]float32{x / high, 1 - y/high}
	size := radius * view.Scale / high
	toEye := view.Back
	if !view.Ortho {
		size /= near
		toEye = view.Eye.Sub(middle)
	}
	d := m.Inverse.Dir(toEye).Unit() // in the model's own space
	if !(size > 0) || d == (vec.V{}) {
		return
	}
	up := m.Matrix.Dir(vec.V{0, 1, 0})
	if r, u := float64(up.Dot(view.Right)), float64(up.Dot(view.Up)); math.Hypot(r, u) > 1e-3*float64(up.Len()) {
		l := math.Hypot(r, u)
		a.up = [2]float32{float32(r / l), float32(u / l)}
	}
	lat, long := math.Asin(float64(max(-1, min(1, d[1])))), math.Atan2(float64(d[0]), float64(d[2]))
	a.shift = [2]float32{size * float32(math.Cos(lat)*long), size * float32(lat)}
	octave := math.Log2(float64(size) / anchorRadius)
	a.scale = float32(math.Exp2(math.Round(octave) - octave))
	a.foot *= a.scale
}

// inked is a pattern: how much ink there is at a place of the sheet, turned and made as fine as the
// pattern's density and angle say, where the share of ink that is asked is a. screen is which of
// several it is, 0 for the first.
type inked func(i int, x, y, foot, a float32, screen int) float32

// spots are what else a pattern says of a place of the sheet; it may be nil.
type spots func(i int, x, y float32)

// print is the kernel of patterns: density and angle are the numbers of their inputs, angle in
// degrees.
func (c *Call) print(density, angle int, ink inked, also spots) {
	d := c.Data.(printData)
	var at anchor
	if v := &c.Points.View; v.H > 0 {
		at.middle = [2]float32{float32(v.W) / float32(2*v.H), 0.5}
	}
	paper, tone, over, full, none, weight := c.In[printPaper], c.In[printTone][0], c.In[printInk], c.In[printFull][0], c.In[printNone][0], c.In[printWeight][0]
	dense, turned := c.In[density][0], c.In[angle][0]
	col, mask := c.Out[0], c.Out[1]
	var bands *bandsOf
	if d.inks == "ramp" && len(c.Feeds) > printPaper {
		if ramp, ok := c.Feeds[printPaper].(*color.Ramp); ok {
			bands = newBands(ramp)
		}
	}
	angles := [4]float32{}
	screens := 1
	if d.inks == "process" {
		angles, screens = processAngles, 4
	}
	var cos, sin [4]float32
	last := float32(math.NaN())
	var room [3]sheet
	for i := range c.N {
		if turned[i] != last {
			last = turned[i]
			for s := range screens {
				b, a := math.Sincos(float64(last+angles[s]) * math.Pi / 180)
				cos[s], sin[s] = float32(a), float32(b)
			}
		}
		on := c.sheets(i, d.laid, &at, &room)
		fine := max(0, min(maxDensity, dense[i]))
		lay := func(a float32, screen int) (m float32) {
			if w := weight[i]; w != 1 && a > 0 && a < 1 {
				a = 1 - float32(math.Pow(float64(1-a), float64(max(0, w))))
			}
			for _, s := range on {
				x, y := s.x*fine, s.y*fine
				m += s.part * ink(i, x*cos[screen]+y*sin[screen], y*cos[screen]-x*sin[screen], s.foot*fine, a, screen)
			}
			return m
		}
		if also != nil {
			x, y := on[0].x*fine, on[0].y*fine
			also(i, x*cos[0]+y*sin[0], y*cos[0]-x*sin[0])
		}
		under, above := color.C{paper[0][i], paper[1][i], paper[2][i]}, color.C{over[0][i], over[1][i], over[2][i]}
		if d.inks == "process" {
			under, m := processed(under, lay)
			if mask != nil {
				mask[0][i] = m
			}
			put(col, i, under)
			continue
		}
		share := float32(0)
		if bands != nil {
			under, above, share = bands.between(tone[i])
		} else if lo, hi := full[i], none[i]; hi > lo {
			share = max(0, min(1, (hi-tone[i])/(hi-lo)))
		} else if tone[i] < lo {
			share = 1
		}
		m := lay(share, 0)
		if mask != nil {
			mask[0][i] = m
		}
		for k := range under {
			under[k] += (above[k] - under[k]) * m
		}
		put(col, i, under)
	}
}

func put(out []Plane, i int, c color.C) {
	if out != nil {
		out[0][i], out[1][i], out[2][i] = c[0], c[1], c[2]
	}
}

// maxDensity limits densities: finer ones are grey at any size of picture.
const maxDensity = 1 << 16

// bandsOf is a ramp to be printed in its own colours.
type bandsOf struct {
	colors  []color.C
	middles []float32 // of the bands
}

func newBands(r *color.Ramp) *bandsOf {
	colors, at := r.Bands()
	b := &bandsOf{colors, make([]float32, len(at))}
	for k := range at {
		end := float32(1)
		if k+1 < len(at) {
			end = at[k+1]
		}
		b.middles[k] = (at[k] + end) / 2
	}
	return b
}

// between returns which two colours a tone lies between, from the middle of each band to that of
// the next, and how much of the darker side's there is.
func (b *bandsOf) between(tone float32) (light, dark color.C, share float32) {
	n := len(b.colors)
	if n == 1 {
		return b.colors[0], b.colors[0], 0
	}
	k := 0
	for k+2 < n && tone >= b.middles[k+1] {
		k++
	}
	lo, hi := b.middles[k], b.middles[k+1]
	if !(hi > lo) {
		hi = lo + 1e-6
	}
	return b.colors[k+1], b.colors[k], max(0, min(1, (hi-tone)/(hi-lo)))
}

// processAngles are by how much the screens of four inks are turned against the first input's
// angle: as far apart as four screens can be for the three that show, the pale one between.
var processAngles = [4]float32{-30, 30, -45, 0} // cyan, magenta, yellow, black

// processed prints a colour with cyan, magenta, yellow and black, each on its screen: what the
// screens leave free of each other comes to the colour on average. m is how much of all inks there is.
func processed(c color.C, lay func(a float32, screen int) float32) (out color.C, m float32) {
	out = color.C{1, 1, 1}
	for k := range c {
		c[k] = max(0, min(1, c[k]))
	}
	light := max(c[0], c[1], c[2])
	black := lay(1-light, 3)
	free := 1 - black
	for k := range c {
		share := float32(0)
		if light > 0 {
			share = 1 - c[k]/light
		}
		ink := lay(share, k)
		out[k] = (1 - ink) * (1 - black)
		free *= 1 - ink
	}
	return out, 1 - free
}

// printChance tells cells from each other.
func printChance(x, y float32) float32 {
	return texture.Chance(uint32(int32(math.Floor(float64(x))))+uint32(int32(math.Floor(float64(y))))*0x8da6b343, texture.Seed{})
}

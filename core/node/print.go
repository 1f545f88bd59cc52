package node

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/lanes"
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
			{Key: "uv", Name: "On UV"}, {Key: "sides", Name: "From three sides"}}, Help: laidHelp},
		network.Setting{Key: "inks", Name: "Inks", Type: network.Choice, Default: "one", Choices: append([]network.Option{{Key: "one", Name: "One on paper"}, {Key: "ramp", Name: "The ramp's own"}}, inks...),
			Help: "The ramp's own: of the ramp that is wired to paper each band is printed on the next."})
}

const laidHelp = "With the model or part: it moves, turns and grows with it, and stays as fine to a factor of the root of 2. From three sides: on the surface, without UV."

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

// printedOnPage tells whether a pattern lies on the page.
func printedOnPage(data any) bool {
	switch data.(printData).laid {
	case "page", "model", "part":
		return true
	}
	return false
}

// printNeeds are the attributes of a pattern.
func printNeeds(data any, wired func(string) bool) sample.Attr {
	if wired("place") {
		return 0
	}
	switch data.(printData).laid {
	case "uv":
		return sample.UV | sample.Weights | sample.Normal | sample.Eye | sample.Foot
	case "sides", alongForm:
		return sample.Pos | sample.Rest | sample.Part | sample.Normal | sample.Foot | sample.Weights
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

// sheet is where the points of a batch lie on what is printed on, in its units from a place on it,
// how much a pixel covers of one, and how much of what is seen there is of this sheet; nil for all.
// x and y may be what others read too.
type sheet struct {
	x, y, foot, part Plane
	from             [2]float32
}

// sheets returns those on which the batch lies: one, but three from three sides. They are scratch.
func (c *Call) sheets(laid string, room func() Plane) []sheet {
	n := c.N
	one := sheet{foot: room()}
	if in := c.In[printPlace]; in != nil {
		one.x, one.y = in[0][:n], in[1][:n]
		clear(one.foot)
		if !c.Const[printPlace] && len(c.More) >= 2 {
			u, v := c.Elsewhere(0), c.Elsewhere(1)
			for i := range n {
				most := float32(0)
				for a := range 2 {
					du, dv := u[a][i]-in[a][i], v[a][i]-in[a][i]
					if d := du*du + dv*dv; d > most {
						most = d
					}
				}
				one.foot[i] = 2 * vec.Sqrt(most)
			}
		}
		return []sheet{one}
	}
	switch laid {
	case "page":
		x0, y0, foot := c.pageMiddle()
		one.x, one.y, one.from = c.Points.Page[0][c.Lo:c.Lo+n], c.Points.Page[1][c.Lo:c.Lo+n], [2]float32{x0, y0}
		for i := range one.foot {
			one.foot[i] = foot
		}
	case "uv":
		one.x, one.y = c.Points.UV[0][c.Lo:c.Lo+n], c.Points.UV[1][c.Lo:c.Lo+n]
		for i := range n {
			long, short := c.covered(i)
			foot := max(long[0]*long[0]+long[1]*long[1], short[0]*short[0]+short[1]*short[1])
			one.foot[i] = float32(math.Sqrt(foot))
		}
	case "sides":
		all := make([]sheet, 3)
		for a := range all {
			all[a] = sheet{x: room(), y: room(), foot: one.foot, part: room()}
		}
		for i := range n {
			x, y, z := c.object(i)
			foot, square := c.across(i)
			one.foot[i] = foot
			var w [3]float32
			sum := float32(0)
			for a, s := range square {
				if w[a] = s * s * s * s; w[a] < 1e-3 {
					w[a] = 0
				}
				sum += w[a]
			}
			for a, p := range [3][2]float32{{-z, y}, {x, -z}, {x, y}} {
				all[a].x[i], all[a].y[i], all[a].part[i] = p[0], p[1], w[a]/sum
			}
		}
		return all
	case alongForm: // where is said by the stripes
		one.x, one.y = room(), room()
		clear(one.x)
		clear(one.y)
		for i := range n {
			one.foot[i], _ = c.across(i)
		}
	default:
		at := c.newAnchor()
		one.x, one.y = room(), room()
		var other sheet // where the pattern also lies behind the model
		for i := range n {
			k := c.Lo + i
			at.of(c, c.Points.PartOf[k], laid == "part")
			px, py := c.Points.Page[0][k]-at.page[0], c.Points.Page[1][k]-at.page[1]
			x, y := px*at.up[1]-py*at.up[0]+at.shift[0], px*at.up[0]+py*at.up[1]+at.shift[1]
			one.x[i], one.y[i], one.foot[i] = x*at.scale, y*at.scale, at.foot
			if at.over > 0 && other.part == nil {
				one.part, other = room(), sheet{x: room(), y: room(), foot: one.foot, part: room()}
				for j := range i {
					one.part[j], other.x[j], other.y[j], other.part[j] = 1, one.x[j], one.y[j], 0
				}
			}
			if other.part != nil {
				one.part[i], other.x[i], other.y[i], other.part[i] = 1-at.over, (x+at.round)*at.scale, one.y[i], at.over
			}
		}
		if other.part != nil {
			return []sheet{one, other}
		}
	}
	return []sheet{one}
}

// pageMiddle returns the middle of the page, in heights from its lower left corner, and how much a
// pixel is of its height.
func (c *Call) pageMiddle() (x, y, foot float32) {
	if v := &c.Points.View; v.H > 0 {
		return float32(v.W) / float32(2*v.H), 0.5, 1 / float32(v.H)
	}
	return 0, 0, 0
}

func (c *Call) newAnchor() (a anchor) {
	a.middle[0], a.middle[1], _ = c.pageMiddle()
	return a
}

// anchor is how a pattern on the page depends on a model or a part: at its middle, turned as its own
// upward direction is on the page, as large as it is in steps of octaves, and rolled on as far as
// the middle of a ball about it has moved by its turning.
type anchor struct {
	middle [2]float32 // of the page
	part   int32      // and one more; 0 for none yet
	page   [2]float32 // where it hangs
	up     [2]float32 // which way is up on the page: 0, 1 for one that stands upright
	shift  [2]float32 // how far the pattern is moved on, in heights of the page
	round  float32    // how much further it would be if it had come the other way round
	over   float32    // how much of it is seen there, up to half of it; see behind
	scale  float32    // of the pattern's lengths, from 1/√2 to √2
	foot   float32    // what a pixel covers of them
}

// anchorRadius is how large a ball is on the page, in heights, about which a pattern is as large as
// it is on the page: others are so by octaves.
const anchorRadius = 0.25

// behind is from which turn away from the model's front on, in radians, the pattern also lies where it would if it had been rolled on
// the other way round. As much of either is seen half a turn away, where the two change places, so that nothing jumps.
const behind = 150 * math.Pi / 180

// of finds how the pattern depends on a part, or on its model.
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
	a.round, a.over = 0, 0
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
	if t := (math.Abs(long) - behind) / (math.Pi - behind); t > 0 {
		a.round, a.over = size*float32(math.Cos(lat)*-math.Copysign(2*math.Pi, long)), float32(t*t*(3-2*t)/2)
	}
	octave := math.Log2(float64(size) / anchorRadius)
	a.scale = float32(math.Exp2(math.Round(octave) - octave))
	a.foot *= a.scale
}

// inked is a pattern: it fills ink with how much there is at places of the sheet, turned and made as
// fine as the pattern's density and angle say, where the share of ink that is asked is asked. screen
// is which of several it is, 0 for the first.
type inked func(x, y, foot, asked, ink Plane, screen int)

// spots is what else a pattern says of a place of the sheet; it may be nil.
type spots func(x, y Plane)

// print is the kernel of patterns: density and angle are the numbers of their inputs, angle in
// degrees.
func (c *Call) print(density, angle int, pattern inked, also spots) {
	d, n := c.Data.(printData), c.N
	scratch := c.room(printRoom * n)
	room := func() (p Plane) {
		p, scratch = scratch[:n:n], scratch[n:]
		return p
	}
	dense, turned := c.In[density][0], c.In[angle][0]
	on := c.sheets(d.laid, room)
	// Branches are cheaper than min and max here, and what is the same for all is worked out once.
	bounded := func(v float32) float32 {
		switch {
		case !(v > 0):
			return 0
		case v > maxDensity:
			return maxDensity
		}
		return v
	}
	foot := on[0].foot // all sheets share what a pixel covers
	for i, fine := 0, bounded(dense[0]); i < n; i++ {
		if !c.Const[density] {
			fine = bounded(dense[i])
		}
		foot[i] *= fine
	}
	u, v, part := room(), room(), room()
	var share Plane
	if on[0].part != nil {
		share = room()
	}
	turn := func(s *sheet, by float32) {
		at := func(i int) (ax, ay float32) {
			sin, cos := math.Sincos(float64(turned[i]+by) * math.Pi / 180)
			fine := bounded(dense[i])
			return fine * float32(cos), fine * float32(sin)
		}
		ax, ay := at(0)
		x0, y0 := s.from[0], s.from[1]
		if c.Const[density] && c.Const[angle] {
			lanes.Affine(u, s.x, s.y, ax, ay, -x0*ax-y0*ay)
			lanes.Affine(v, s.x, s.y, -ay, ax, x0*ay-y0*ax)
			return
		}
		for i := range n {
			if i > 0 && (turned[i] != turned[i-1] || dense[i] != dense[i-1]) {
				ax, ay = at(i)
			}
			x, y := s.x[i]-x0, s.y[i]-y0
			u[i], v[i] = x*ax+y*ay, y*ax-x*ay
		}
	}
	if also != nil {
		turn(mostSeen(on, room), 0)
		also(u, v)
	}
	weight := c.In[printWeight][0]
	// lay fills mask with the ink of a screen where so much is asked; what is asked is lost.
	lay := func(asked, mask Plane, screen int, by float32) {
		for i, w := range weight[:n] {
			if c.Const[printWeight] && w == 1 {
				break
			}
			if w != 1 && asked[i] > 0 && asked[i] < 1 {
				asked[i] = 1 - float32(math.Pow(float64(1-asked[i]), float64(max(0, w))))
			}
		}
		if c.even {
			copy(mask, asked)
			return
		}
		if on[0].part == nil {
			turn(&on[0], by)
			pattern(u, v, on[0].foot, asked, mask, screen)
			return
		}
		// Where sides meet, the ink of each lies on that of the others, as full as ever, and less of it is asked the less of the
		// side is seen: of patterns that know nothing of each other 1−Π(1−a)^part is left, which is a where the parts make 1.
		clear(mask)
		for k := range on {
			shared(asked, on[k].part, share)
			turn(&on[k], by)
			pattern(u, v, on[k].foot, share, part, screen)
			for i, m := range part {
				mask[i] += m * (1 - mask[i])
			}
		}
	}
	mask := room()
	if c.Out[1] != nil {
		mask = c.Out[1][0]
	}
	if d.inks == "process" {
		c.process(lay, room, mask)
		return
	}
	c.ink(d.inks, lay, room, mask)
}

// shared puts what is asked of the part that is seen of a side into out.
func shared(asked, part, out Plane) {
	for i, p := range part {
		switch a := asked[i]; {
		case p == 0 || !(a > 0):
			out[i] = 0
		case p == 1 || a >= 1:
			out[i] = a
		default:
			out[i] = 1 - float32(math.Pow(float64(1-a), float64(p)))
		}
	}
}

// mostSeen returns at each point the sheet of which most is seen there.
func mostSeen(on []sheet, room func() Plane) *sheet {
	if on[0].part == nil {
		return &on[0]
	}
	out := sheet{x: room(), y: room(), from: on[0].from}
	for i := range out.x {
		best := 0
		for k := range on {
			if on[k].part[i] > on[best].part[i] {
				best = k
			}
		}
		out.x[i], out.y[i] = on[best].x[i], on[best].y[i]
	}
	return &out
}

// printRoom is how many planes of scratch print takes at most.
const printRoom = 24

// ink prints with one ink on paper, or with the bands of a ramp on each other.
func (c *Call) ink(inks string, lay func(asked, mask Plane, screen int, by float32), room func() Plane, mask Plane) {
	n := c.N
	paper, over, tone, full, none := c.In[printPaper], c.In[printInk], c.In[printTone][0], c.In[printFull][0], c.In[printNone][0]
	asked := room()
	if inks == "ramp" && len(c.Feeds) > printPaper {
		if ramp, ok := c.Feeds[printPaper].(*color.Ramp); ok {
			bands := newBands(ramp)
			paper, over = []Plane{room(), room(), room()}, []Plane{room(), room(), room()}
			for i := range n {
				var light, dark color.C
				light, dark, asked[i] = bands.between(tone[i])
				put(paper, i, light)
				put(over, i, dark)
			}
			inks = ""
		}
	}
	switch lo, hi := full[0], none[0]; {
	case inks == "":
	case c.Const[printFull] && c.Const[printNone] && hi > lo:
		lanes.Fall(asked, tone, hi, 1/(hi-lo))
	default:
		for i := range n {
			lo, hi, t := full[i], none[i], tone[i]
			switch {
			case t <= lo && (t < lo || hi > lo):
				asked[i] = 1
			case t >= hi:
				asked[i] = 0
			default:
				asked[i] = (hi - t) / (hi - lo)
			}
		}
	}
	lay(asked, mask, 0, 0)
	if out := c.Out[0]; out != nil {
		for k, o := range out {
			lanes.Mix(o[:n], paper[k], over[k], mask)
		}
	}
}

// processAngles are by how much the screens of four inks are turned against the first input's
// angle: as far apart as four screens can be for the three that show, the pale one between.
var processAngles = [4]float32{-30, 30, -45, 0} // cyan, magenta, yellow, black

// process prints the colour of the paper with cyan, magenta, yellow and black, each on its screen:
// what they leave free of each other comes to the colour on average.
func (c *Call) process(lay func(asked, mask Plane, screen int, by float32), room func() Plane, mask Plane) {
	n, paper := c.N, c.In[printPaper]
	asked, inks := room(), [4]Plane{room(), room(), room(), room()}
	bounded := func(k, i int) float32 { return max(0, min(1, paper[k][i])) }
	for screen := range 4 {
		for i := range n {
			light := max(bounded(0, i), bounded(1, i), bounded(2, i))
			switch {
			case screen == 3:
				asked[i] = 1 - light
			case light > 0:
				asked[i] = 1 - bounded(screen, i)/light
			default:
				asked[i] = 0
			}
		}
		lay(asked, inks[screen], screen, processAngles[screen])
	}
	for i := range n {
		free := (1 - inks[0][i]) * (1 - inks[1][i]) * (1 - inks[2][i]) * (1 - inks[3][i])
		mask[i] = 1 - free
		black := 1 - inks[3][i]
		put(c.Out[0], i, color.C{(1 - inks[0][i]) * black, (1 - inks[1][i]) * black, (1 - inks[2][i]) * black})
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

// printChance tells cells from each other.
func printChance(x, y float32) float32 {
	return texture.Chance(uint32(int32(math.Floor(float64(x))))+uint32(int32(math.Floor(float64(y))))*0x8da6b343, texture.Seed{})
}

package line

import (
	"math"

	"mobanta/core/contour"
	"mobanta/core/stage"
	"mobanta/core/texture"
	"mobanta/core/vec"
)

// Hand is a rule whose lines are found on the geometry, in what an eye sees of it, and drawn by a hand.
type Hand interface {
	Masked // of whose levels there are lines too
	// Want says what is looked for; whose lines, and how finely, is filled in by who asks.
	Want() contour.Wanted
	// Draw draws curves with the ink at each of their places, curve by curve.
	Draw(scene *stage.Scene, view *stage.View, curves []contour.Curve, ink []Ink) []Stroke
}

// Tone is the input of a node whose levels a hand draws.
const Tone = "tone"

// Style is how a pen is held.
type Style string

// The styles; None draws nothing.
const (
	None     Style = "none"
	Even     Style = "even"     // as wide everywhere
	Tapered  Style = "tapered"  // thin at both ends
	Swelling Style = "swelling" // thick in the middle
	Sketched Style = "sketched" // drawn several times, past the ends
	Brush    Style = "brush"    // thick where it begins, running out
	Chisel   Style = "chisel"   // thin along its slant, thick across
)

const (
	leastNib   = 0.18 // of a chisel's width, along its slant
	brushRough = 0.35 // by how much the width of a brush varies
	bristles   = 60   // how often it does in the model's diagonal
	swell      = 1.25 // in the middle of a swelling stroke
	swellEnds  = 0.3  // at its ends
	finer      = 4    // how much finer the second octave of what wobbles is
	// Strokes and rings that are shorter, in widths, are specks.
	leastWidths, leastRing = 3, 5
	hook                   = 8    // how long hooks are at most, in thousandths of the height
	smoothing              = 0.35 // of a thousandth of the height: how far a place may be smoothed aside
)

// Row is one kind of curve and its pen.
type Row struct {
	Style Style
	Width float32 // times what the ink says
}

// Pens draws the lines of the geometry.
type Pens struct {
	Rows  [contour.Kinds]Row
	Bends float64 // degrees, see contour.Wanted
	// Levels of the tone that is wired.
	Levels []float32

	Taper     float32 // how long thin ends are, in thousandths of the picture's height
	Wobble    float32 // how far strokes stray, likewise
	Waves     float32 // how often they do in the model's diagonal
	Overshoot float32 // how far they go on past corners, likewise
	Passes    int     // of a sketching hand
	Breaks    float32 // how much is left out, to ½
	Slant     float64 // of the chisel, degrees
	Seed      float32
}

// Find implements Rule; what these draw is not found between pixels.
func (p Pens) Find(*Seen, func(part int32) bool) []Chain { return nil }

// Mask implements Masked.
func (p Pens) Mask() string { return Tone }

// Within implements Masked.
func (p Pens) Within(in *Seen, tone []float32) []Chain { return isolines(in, tone, 0, p.Levels) }

// Want implements Hand.
func (p Pens) Want() contour.Wanted {
	w := contour.Wanted{Bends: p.Bends}
	for k, row := range p.Rows {
		w.Of[k] = row.Style != None && row.Width > 0
	}
	return w
}

// Draw implements Hand.
func (p Pens) Draw(scene *stage.Scene, view *stage.View, curves []contour.Curve, ink []Ink) []Stroke {
	var out []Stroke
	h := drawer{pens: &p, scene: scene, unit: float32(view.H) / 1000}
	left := h.crumbs(curves, ink)
	for i := range curves {
		c := &curves[i]
		n := len(c.Places)
		if !left[i] {
			out = h.curve(out, c, ink[:n])
		}
		ink = ink[n:]
	}
	return out
}

// drawer draws curves.
type drawer struct {
	pens  *Pens
	scene *stage.Scene
	unit  float32 // a thousandth of the picture's height, in pixels
}

// spot is a place of a stroke that is drawn.
type spot struct {
	x, y  float32
	at    vec.V // on the surface, in diagonals of its model
	ink   Ink
	along float32 // from where the stroke begins, in pixels
}

// curve adds the strokes of a curve: from corner to corner. A ring with corners begins at one.
func (h *drawer) curve(out []Stroke, c *contour.Curve, ink []Ink) []Stroke {
	row := h.pens.Rows[c.Kind]
	spots := make([]spot, 0, len(c.Places))
	from := 0
	sharp := c.Closed && c.Places[0].Corner
	cut := sharp
	for i := range c.Places {
		pl := &c.Places[i]
		s := spot{x: pl.X, y: pl.Y, at: h.rest(pl), ink: ink[i]}
		s.ink.Width *= row.Width
		spots = append(spots, s)
		if pl.Corner && i > 0 && i+1 < len(c.Places) {
			out = h.stroke(out, spots[from:], c, row.Style, cut, true)
			from, cut = len(spots)-1, true
		}
	}
	return h.stroke(out, spots[from:], c, row.Style, cut, sharp)
}

// rest returns where a place lies on its model at rest, in its diagonals.
func (h *drawer) rest(p *contour.Place) vec.V {
	m := &h.scene.Models[h.scene.Parts[h.scene.TriPart[p.Tri]].Model]
	v := h.scene.Tri[p.Tri]
	base := int32(m.FirstVertex)
	a, b := p.Weights[0], p.Weights[1]
	pos := m.Surface.Pos
	at := pos[v[0]-base].Mul(1 - a - b).Add(pos[v[1]-base].Mul(a)).Add(pos[v[2]-base].Mul(b))
	if d := m.Surface.Box.Diagonal(); d > 0 {
		return at.Mul(1 / d)
	}
	return at
}

// stroke adds what the pen draws of a run of places; starts and stops tell whether its ends are corners.
func (h *drawer) stroke(out []Stroke, run []spot, c *contour.Curve, style Style, starts, stops bool) []Stroke {
	if len(run) < 2 {
		return out
	}
	run = append([]spot(nil), run...)
	ring := c.Closed && !starts && !stops
	if !ring {
		run = h.unhooked(run, starts, stops)
	}
	h.smooth(run, ring)
	widest := float32(0)
	for i := range run {
		widest = max(widest, run[i].ink.Width*h.unit)
	}
	long := measure(run)
	least := leastWidths * widest
	if ring {
		least = leastRing * widest
	}
	if long < least || !(widest > 0) {
		return out
	}
	// From one end of the surface to the other, whichever way it was found.
	way := vec.V{0.37, -0.84, 0.39}
	if !ring && way.Dot(run[0].at) > way.Dot(run[len(run)-1].at) {
		for i, j := 0, len(run)-1; i < j; i, j = i+1, j-1 {
			run[i], run[j] = run[j], run[i]
		}
		starts, stops = stops, starts
		measure(run)
	}
	passes := 1
	if style == Sketched {
		passes = max(1, h.pens.Passes)
	}
	for pass := range passes {
		for _, s := range h.pass(run, long, style, ring, starts, stops, pass) {
			s.Part = c.Part
			out = append(out, s)
		}
	}
	return out
}

// unhooked leaves out the hooks of a run at its ends that are no corners: what turns back within a few thousandths of the
// height, as contours do where they pass behind themselves.
func (h *drawer) unhooked(run []spot, starts, stops bool) []spot {
	turns := func(a, b, c *spot) bool {
		ux, uy, vx, vy := b.x-a.x, b.y-a.y, c.x-b.x, c.y-b.y
		return ux*vx+uy*vy < -0.2*vec.Sqrt((ux*ux+uy*uy)*(vx*vx+vy*vy))
	}
	long := measure(run)
	reach := min(hook*h.unit, long/3)
	from, to := 0, len(run)
	for i := 1; i+1 < len(run); i++ {
		switch {
		case !turns(&run[i-1], &run[i], &run[i+1]):
		case !starts && run[i].along < reach:
			from = i
		case !stops && run[i].along > long-reach && i+1 < to:
			to = i + 1
		}
	}
	return run[from:to]
}

// measure says of each place how far along it lies, and returns how long the run is, in pixels.
func measure(run []spot) float32 {
	run[0].along = 0
	for i := 1; i < len(run); i++ {
		x, y := run[i].x-run[i-1].x, run[i].y-run[i-1].y
		run[i].along = run[i-1].along + vec.Sqrt(x*x+y*y)
	}
	return run[len(run)-1].along
}

// smooth takes out what is ragged in a run, so little aside that it stays on its form.
func (h *drawer) smooth(run []spot, ring bool) {
	n := len(run)
	if n < 5 {
		return
	}
	most := smoothing * h.unit
	next := make([][2]float32, n)
	was := make([][2]float32, n)
	for i := range run {
		was[i] = [2]float32{run[i].x, run[i].y}
	}
	for range 3 {
		for i := range run {
			a, b := i-1, i+1
			if a < 0 || b >= n {
				if !ring {
					next[i] = [2]float32{run[i].x, run[i].y}
					continue
				}
				a, b = (i-1+n-1)%(n-1), (i+1)%(n-1) // the last place is the first
			}
			next[i] = [2]float32{run[i].x/2 + (run[a].x+run[b].x)/4, run[i].y/2 + (run[a].y+run[b].y)/4}
		}
		for i, p := range next {
			dx, dy := p[0]-was[i][0], p[1]-was[i][1]
			if d := vec.Sqrt(dx*dx + dy*dy); d > most {
				dx, dy = dx*most/d, dy*most/d
			}
			run[i].x, run[i].y = was[i][0]+dx, was[i][1]+dy
		}
	}
}

// pass draws a run once.
func (h *drawer) pass(run []spot, long float32, style Style, ring, starts, stops bool, pass int) []Stroke {
	p := h.pens
	seed := texture.SeedAt(texture.SeedOf(p.Seed), pass)
	wobble := max(0, p.Wobble)
	if style == Sketched {
		wobble += 0.8
	}
	over := max(0, p.Overshoot) * h.unit
	before, after := over, over
	if !starts {
		before = 0
	}
	if !stops {
		after = 0
	}
	if style == Sketched && !ring {
		before, after = before+h.unit*(2+3*chance(run[0].at, seed)), after+h.unit*(2+3*chance(run[len(run)-1].at, seed))
	}
	drawn := make([]spot, 0, len(run)+2)
	n := len(run)
	for i := range run {
		s := run[i]
		dx, dy := heading(run, i, ring)
		if wobble > 0 {
			a := stray(s.at, p.Waves, seed) * wobble * h.unit
			// A ring ends where it began, and so do strokes that meet.
			s.x, s.y = s.x-dy*a, s.y+dx*a
		}
		s.ink.Width *= h.width(&s, long, style, ring, dx, dy, seed)
		if i == 0 && before > 0 {
			t := s
			t.x, t.y = s.x-dx*before, s.y-dy*before
			drawn = append(drawn, t)
		}
		drawn = append(drawn, s)
		if i == n-1 && after > 0 {
			t := s
			t.x, t.y = s.x+dx*after, s.y+dy*after
			drawn = append(drawn, t)
		}
	}
	return h.broken(drawn, seed)
}

// heading returns which way a run goes at one of its places, unit.
func heading(run []spot, i int, ring bool) (x, y float32) {
	n := len(run)
	a, b := max(0, i-2), min(n-1, i+2)
	if ring && n > 5 {
		a, b = (i-2+n-1)%(n-1), (i+2)%(n-1)
	}
	x, y = run[b].x-run[a].x, run[b].y-run[a].y
	if l := vec.Sqrt(x*x + y*y); l > 0 {
		return x / l, y / l
	}
	return 1, 0
}

// width returns how wide the pen is at a place, times what the ink says.
func (h *drawer) width(s *spot, long float32, style Style, ring bool, dx, dy float32, seed texture.Seed) float32 {
	p := h.pens
	taper := min(max(0, p.Taper)*h.unit, long/2)
	ends := float32(1) // thin at both ends
	if near := min(s.along, long-s.along); !ring && near < taper {
		t := near / taper
		ends = 0.08 + 0.92*t*(2-t)
	}
	part := s.along / max(long, 1e-6)
	switch style {
	case Tapered:
		return ends
	case Swelling:
		if ring {
			return 1
		}
		return swellEnds + (swell-swellEnds)*4*part*(1-part)
	case Sketched:
		return ends * (0.7 + 0.5*chance(s.at.Mul(3), seed))
	case Brush:
		rough := 1 + brushRough*2*texture.Noise(s.at[0]*bristles, s.at[1]*bristles, s.at[2]*bristles, seed)
		if ring {
			return rough
		}
		begin := min(1, s.along/max(taper/3, 1e-3))
		return max(0.05, rough*(0.2+0.8*begin)*(1.2-1.05*part*part))
	case Chisel:
		b, a := math.Sincos(p.Slant * math.Pi / 180)
		across := dx*float32(b) + dy*float32(a) // up is against y
		return leastNib + (1-leastNib)*float32(math.Abs(float64(across)))
	}
	return 1
}

// stray returns how far a hand strays at a place of the surface, from about -1 to 1, so that it stays
// with the surface when the eye moves.
func stray(at vec.V, waves float32, seed texture.Seed) float32 {
	p := at.Mul(waves)
	q := p.Mul(finer)
	return 1.6*texture.Noise(p[0], p[1], p[2], seed) + 0.4*texture.Noise(q[0], q[1], q[2], seed.Next())
}

// chance returns a number from 0 to 1 for a place of the surface, which changes little from place to place.
func chance(at vec.V, seed texture.Seed) float32 {
	n := 0.5 + 0.9*texture.Noise(11*at[0]+0.5, 11*at[1]+0.5, 11*at[2]+0.5, seed)
	return max(0, min(1, n))
}

// broken parts a stroke where the hand lifts the pen.
func (h *drawer) broken(run []spot, seed texture.Seed) (out []Stroke) {
	var s Stroke
	s.Joined = true
	flush := func() {
		if len(s.Chain) > 1 {
			out = append(out, s)
		}
		s = Stroke{Joined: true}
	}
	// Of noise about so much lies below: it is nearly normal.
	most := float32(-10)
	if b := float64(min(0.5, h.pens.Breaks)); b > 0 {
		most = float32(math.Sqrt2 * math.Erfinv(2*b-1) * 0.27)
	}
	seed = texture.SeedAt(seed, 7)
	for i := range run {
		r := &run[i]
		if most > -10 {
			at := r.at.Mul(2 * h.pens.Waves)
			if d := texture.Noise(at[0], at[1], at[2], seed) - most; d < 0 {
				flush()
				continue
			} else if d < 0.1 {
				r.ink.Width *= 0.3 + 7*d
			}
		}
		s.Chain = append(s.Chain, Place{X: r.x, Y: r.y, Pixel: -1})
		s.Ink = append(s.Ink, r.ink)
	}
	flush()
	return out
}

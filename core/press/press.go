// Package press prints a picture: it parts colours among inks, screens each on a plate of its own,
// and lays the plates over each other on paper.
package press

import (
	"fmt"
	"math"
	"regexp"
	"sync/atomic"

	"mobanta/core/color"
	"mobanta/core/limits"
	"mobanta/core/names"
	"mobanta/core/pattern"
)

// Press is how a picture is printed.
type Press struct {
	On    bool    `json:"on,omitempty"`
	Paper color.C `json:"paper"`
	Tooth float64 `json:"tooth,omitempty"` // 0 to 1: how much less ink the paper takes in its hollows
	Gain  float64 `json:"gain,omitempty"`  // 0 to 0.5: by how much half tones come out fuller
	Slip  float64 `json:"slip,omitempty"`  // how far plates lie off the first one, in thousandths of the picture's height
	Rough float64 `json:"rough,omitempty"` // 0 to 1: how uneven the edges of ink are
	Limit float64 `json:"limit,omitempty"` // of all inks upon each other, in full layers; 0 for none
	Inks  []Ink   `json:"inks,omitempty"`  // in the order in which they are printed
}

// Ink is one plate.
type Ink struct {
	ID      string       `json:"id"`
	Name    string       `json:"name"`
	Color   color.C      `json:"color"`             // on white paper
	Opacity float64      `json:"opacity,omitempty"` // 0 lets all through that it does not swallow, 1 covers what lies below
	Spot    pattern.Spot `json:"spot"`
	Density float64      `json:"density"` // cells in the height of the picture
	Angle   float64      `json:"angle"`   // degrees
	Off     bool         `json:"off,omitempty"`
}

// Limits on a press.
const (
	MaxInks    = 8
	MaxDensity = 1000
)

var idPattern = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_-]{0,63}$`)

// Spots are the spots that a plate may have, with their names.
var Spots = []struct {
	Key  pattern.Spot
	Name string
}{{pattern.Round, "Round"}, {pattern.Both, "Round, then holes"}, {pattern.Square, "Square"}, {pattern.Diamond, "Diamond"}, {pattern.Ellipse, "Ellipse"}, {pattern.Line, "Line"}, {pattern.Ring, "Ring"}, {pattern.Cross, "Cross"}}

// Check returns what is wrong with a press.
func (p *Press) Check() error {
	for _, c := range []struct {
		what      string
		v, lo, hi float64
	}{{"tooth", p.Tooth, 0, 1}, {"gain", p.Gain, 0, 0.5}, {"slip", p.Slip, 0, 50}, {"roughness", p.Rough, 0, 1}, {"the limit of ink", p.Limit, 0, MaxInks}} {
		if err := limits.Check("press: "+c.what, c.v, c.lo, c.hi); err != nil {
			return err
		}
	}
	if !shows(p.Paper) {
		return fmt.Errorf("press: the paper has a colour that cannot be")
	}
	if len(p.Inks) > MaxInks {
		return fmt.Errorf("press: %d inks, more than the %d that can be printed", len(p.Inks), MaxInks)
	}
	seen := map[string]bool{}
	for i := range p.Inks {
		k := &p.Inks[i]
		if !idPattern.MatchString(k.ID) || seen[k.ID] {
			return fmt.Errorf("press: ink %d has the id %.40q, which is none or is there twice", i+1, k.ID)
		}
		seen[k.ID] = true
		if name, err := names.Name(k.Name); err != nil || name != k.Name {
			return fmt.Errorf("press: ink %d has a name that cannot be", i+1)
		}
		if !shows(k.Color) {
			return fmt.Errorf("press: ink %s has a colour that cannot be", k.ID)
		}
		known := false
		for _, s := range Spots {
			known = known || s.Key == k.Spot
		}
		if !known {
			return fmt.Errorf("press: ink %s has an unknown spot %.20q", k.ID, k.Spot)
		}
		for _, c := range []struct {
			what      string
			v, lo, hi float64
		}{{"opacity", k.Opacity, 0, 1}, {"density", k.Density, 1, MaxDensity}, {"angle", k.Angle, -360, 360}} {
			if err := limits.Check("press: "+c.what+" of "+k.ID, c.v, c.lo, c.hi); err != nil {
				return err
			}
		}
	}
	return nil
}

// shows tells whether a colour can be printed.
func shows(c color.C) bool {
	for _, v := range c {
		if !(v >= 0 && v <= 1) {
			return false
		}
	}
	return true
}

// Clone returns a deep copy.
func (p Press) Clone() Press {
	p.Inks = append([]Ink(nil), p.Inks...)
	return p
}

// Ink returns the ink of that id, nil if there is none.
func (p *Press) Ink(id string) *Ink {
	for i := range p.Inks {
		if p.Inks[i].ID == id {
			return &p.Inks[i]
		}
	}
	return nil
}

// Set is inks that go together.
type Set struct {
	Key, Name string
	Inks      []Ink
	Limit     float64
}

// Sets are those that a press can be set up with.
var Sets = []Set{
	{"process", "Four colours", []Ink{
		{ID: "cyan", Name: "Cyan", Color: color.MustHex("#0E9FD6"), Spot: pattern.Round, Density: 75, Angle: 15},
		{ID: "magenta", Name: "Magenta", Color: color.MustHex("#D92B8A"), Spot: pattern.Round, Density: 75, Angle: 75},
		{ID: "yellow", Name: "Yellow", Color: color.MustHex("#FBE11F"), Spot: pattern.Round, Density: 75, Angle: 0},
		{ID: "black", Name: "Black", Color: color.MustHex("#211F24"), Spot: pattern.Round, Density: 75, Angle: 45}}, 3},
	{"three", "Three spot inks", []Ink{
		{ID: "warm", Name: "Coral", Color: color.MustHex("#EF6A4A"), Spot: pattern.Round, Density: 60, Angle: 20},
		{ID: "cool", Name: "Sea", Color: color.MustHex("#2C8C99"), Spot: pattern.Round, Density: 60, Angle: 75},
		{ID: "dark", Name: "Night", Color: color.MustHex("#1E2138"), Spot: pattern.Round, Density: 60, Angle: 45}}, 0},
	{"black", "Black alone", []Ink{{ID: "black", Name: "Black", Color: color.MustHex("#1B1A1E"), Spot: pattern.Round, Density: 70, Angle: 45}}, 0},
}

// paperColor is what a press prints on when it is first set up.
var paperColor = color.MustHex("#F6F0E2")

// New returns a press with a set of inks, on.
func New(set Set) Press {
	return Press{On: true, Paper: paperColor, Limit: set.Limit, Inks: append([]Ink(nil), set.Inks...)}
}

// Shares are how much of the paper each ink covers, 0 to 1.
type Shares [MaxInks]float32

// Ready is a press made ready for a picture.
type Ready struct {
	inks     []plate
	paper    color.C
	tooth    float32
	gain     float32
	rough    float32
	limit    float32
	lines    int
	overlaps lazily
	lut      [lutSide * lutSide * lutSide]atomic.Pointer[Shares]
}

// plate is an ink made ready.
type plate struct {
	*Ink
	color    color.C
	opacity  float32
	cos, sin float32
	screen   *pattern.Ink
	perPixel float32 // cells a pixel
	dx, dy   float32 // how far it lies off, in pixels
	reach    int
}

// Ready readies a press for a picture of so many lines.
func (p *Press) Ready(lines int) *Ready {
	r := &Ready{paper: p.Paper, tooth: float32(p.Tooth), gain: float32(p.Gain), rough: float32(p.Rough), limit: float32(p.Limit), lines: lines}
	for i := range p.Inks {
		k := &p.Inks[i]
		if k.Off {
			continue
		}
		sin, cos := math.Sincos(k.Angle * math.Pi / 180)
		foot := float32(k.Density / float64(lines))
		l := plate{Ink: k, color: k.Color, opacity: float32(k.Opacity), cos: float32(cos), sin: float32(sin), screen: pattern.Of(k.Spot).Ink(pattern.FootStep(foot), 0), perPixel: foot}
		if i > 0 { // each another way, the golden angle on
			sin, cos := math.Sincos(2.39996 * float64(i))
			far := p.Slip / 1000 * float64(lines)
			l.dx, l.dy = float32(cos*far), float32(sin*far)
			l.reach = int(math.Ceil(far))
		}
		r.inks = append(r.inks, l)
	}
	return r
}

// Inks returns the inks that are printed, in their order.
func (r *Ready) Inks() (out []*Ink) {
	for i := range r.inks {
		out = append(out, r.inks[i].Ink)
	}
	return out
}

// Reach returns how many pixels away a plate may lie off.
func (r *Ready) Reach() (most int) {
	for i := range r.inks {
		most = max(most, r.inks[i].reach)
	}
	if most > 0 {
		most++ // shares are read between pixels
	}
	return most
}

// Over returns what lies below with as much of ink k over it as covers.
func (r *Ready) over(k int, below color.C, covers float32) color.C {
	l := &r.inks[k]
	for c := range below {
		through := below[c] * l.color[c]
		printed := through + (l.color[c]-through)*l.opacity
		below[c] += (printed - below[c]) * covers
	}
	return below
}

// Mean returns the colour that shares of ink come to on average: what is seen is the mean of what lies on each other (Neugebauer),
// screens cover each other by chance (Demichel) but for those that beat, whose overlaps are measured.
func (r *Ready) Mean(s *Shares) color.C {
	c := r.paper
	for k := range r.inks {
		c = r.over(k, c, s[k])
	}
	r.overlaps.once.Do(func() { r.overlaps.list = r.measure(r.lines) })
	for i := range r.overlaps.list {
		o := &r.overlaps.list[i]
		more, by := o.of(s), r.together(o.inks, s)
		for i := range c {
			c[i] += more * by[i]
		}
	}
	return c
}

// together is by how much the colour changes with the product of what some inks cover: the mean is linear in each share, and
// this is its mixed derivative.
func (r *Ready) together(inks []int, s *Shares) (by color.C) {
	below := r.paper
	next := 0
	for k := range r.inks {
		l := &r.inks[k]
		mine := next < len(inks) && inks[next] == k
		for c := range below {
			keeps, puts := l.color[c]*(1-l.opacity), l.color[c]*l.opacity
			switch {
			case mine && next == 0:
				by[c] = below[c]*(keeps-1) + puts
			case mine:
				by[c] *= keeps - 1
			default:
				by[c] *= 1 + s[k]*(keeps-1)
			}
			below[c] += s[k] * (below[c]*(keeps-1) + puts)
		}
		if mine {
			next++
		}
	}
	return by
}

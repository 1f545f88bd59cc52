package diffgeom

import (
	"math"
	"slices"

	"mobanta/core/vec"
)

// Line is one of the stripes where it is asked for, followed over the surface from where it begins to where it ends.
type Line struct {
	Number int32   // the same all along it
	Across float32 // how far the place lies beside its middle, in spacings, from -½ to ½
	Along  float32 // how far the place lies from its beginning, in spacings
	Long   float32 // how long it is, in spacings; 0 where there are stripes but no line can be followed
	Ring   bool    // whether it ends where it begins
	Sure   float32 // 1, and less close to where another line ends or begins, down to 0
}

// lines are the stripes by the lines that they are. A span is what lies nearest to one line in one piece of the surface, and to
// the line's neighbours as well, for those that are drawn a little aside.
type lines struct {
	first []int32      // of each piece its first span, and one more
	low   []int32      // of each piece the number that its first span's line has there
	along [][3]float32 // of each piece: how far its corners lie along its lines from its first one, in spacings
	spans []span
	long  []float32 // of each line
	ring  []bool
	torn  []bool // whether a stripe ends or begins within a piece
}

type span struct {
	line int32   // -1 where none is known
	from float32 // how far along the line the piece's first corner is
	way  float32 // 1, or -1 where the piece counts against the line
}

// reach is how many lines to either side of those of a piece have spans in it too.
const reach = 1

// Line returns the stripe nearest to a place of a triangle that has weights of its corners, shifted by so many spacings.
func (s *Stripes) Line(tri int, w [3]float32, shift float32) Line {
	l := s.lines
	piece, in := s.cut.at(tri, w)
	v := &s.at[piece]
	at, out := v[0]*in[0]+v[1]*in[1]+v[2]*in[2], Line{Sure: 1}
	if l.torn[piece] {
		// A stripe ends in it: waves at its corners, mixed, are the same as the neighbours' along its sides.
		x, y := 0.0, 0.0
		for k, a := range v {
			sin, cos := math.Sincos(2 * math.Pi * float64(a))
			x, y = x+float64(in[k])*cos, y+float64(in[k])*sin
		}
		phase := float32(math.Atan2(y, x) / (2 * math.Pi))
		at = phase + float32(math.Round(float64(at-phase)))
		out.Sure = float32(math.Hypot(x, y))
	}
	at += shift
	k := float32(math.Floor(float64(at) + 0.5))
	out.Number, out.Across = -1, at-k
	first, n := l.first[piece], l.first[piece+1]-l.first[piece]
	c := &l.spans[first+max(0, min(n-1, int32(k)-l.low[piece]))]
	if c.line < 0 {
		return out
	}
	a := &l.along[piece]
	out.Number, out.Long, out.Ring = c.line, l.long[c.line], l.ring[c.line]
	out.Along = max(0, min(out.Long, c.from+c.way*(a[0]*in[0]+a[1]*in[1]+a[2]*in[2])))
	return out
}

// joint is what lies beyond a side of a piece.
type joint struct {
	piece   int32 // -1 for none
	side    int8  // which of its sides it is
	flip    bool  // whether it counts stripes the other way
	against bool  // whether it runs round the other way, so that both run along the side in one direction
	by      float32
}

// number returns which number the line k has beyond the joint.
func (j *joint) number(k float32) float32 {
	if j.flip {
		return j.by - k
	}
	return j.by + k
}

// linesOf follows stripes over pieces of a surface: along the middle of each line first, so that how far along it a place is is
// the length of the line itself; what lies beside it takes on what its neighbour towards the middle has.
func linesOf(c *cut, of []int32, at [][3]float32, torn []bool, many float64) *lines {
	tris := c.shape.Rest.Tri
	l := &lines{first: make([]int32, len(tris)+1), low: make([]int32, len(tris)), along: make([][3]float32, len(tris)), torn: torn}
	for t, tri := range tris {
		a := at[t]
		l.low[t] = int32(math.Floor(float64(min(a[0], a[1], a[2]))+0.5)) - reach
		l.first[t+1] = l.first[t] + int32(math.Floor(float64(max(a[0], a[1], a[2]))+0.5)) + reach + 1 - l.low[t]
		e, f := c.shape.Pos[tri[1]].Sub(c.shape.Pos[tri[0]]), c.shape.Pos[tri[2]].Sub(c.shape.Pos[tri[0]])
		n := e.Cross(f)
		// Across the lines: n × (grown over one side × the other); along them it is turned by a right angle.
		way := e.Mul(a[2] - a[0]).Sub(f.Mul(a[1] - a[0])).Unit()
		if n != (vec.V{}) {
			l.along[t] = [3]float32{0, float32(many) * way.Dot(e), float32(many) * way.Dot(f)}
		}
	}
	l.spans = make([]span, l.first[len(tris)])
	for i := range l.spans {
		l.spans[i].line = -1
	}
	f := &follower{lines: l, at: at, joints: jointsOf(tris, of, int(slices.Max(of))+1, at)}
	f.middles()
	f.besides()
	return l
}

// jointsOf returns for each piece what lies beyond each of its sides, unless nothing does or stripes do not go on.
func jointsOf(tris [][3]int32, of []int32, knots int, at [][3]float32) [][3]joint {
	type side struct {
		to    int32 // the greater knot of its two
		piece int32
		side  int8
		met   bool
	}
	ends := func(t, k int) (a, b int32) { return of[tris[t][k]], of[tris[t][(k+1)%3]] }
	start := make([]int32, knots+1) // of each knot the first of the sides of which it is the lesser knot
	for t := range tris {
		for k := range 3 {
			a, b := ends(t, k)
			start[min(a, b)+1]++
		}
	}
	for k := range knots {
		start[k+1] += start[k]
	}
	sides, filled := make([]side, start[knots]), slices.Clone(start)
	out := make([][3]joint, len(tris))
	for t := range tris {
		for k := range 3 {
			out[t][k].piece = -1
			a, b := ends(t, k)
			low, high := min(a, b), max(a, b)
			mine := side{to: high, piece: int32(t), side: int8(k)}
			for i := start[low]; i < filled[low]; i++ {
				o := &sides[i]
				if o.to != high || o.met {
					continue
				}
				o.met, mine.met = true, true
				// Numbers at the side's two ends, here and there.
				p, q := at[t][k], at[t][(k+1)%3]
				r, s := at[o.piece][o.side], at[o.piece][(o.side+1)%3]
				from, _ := ends(int(o.piece), int(o.side))
				against := from == a
				if !against {
					r, s = s, r
				}
				if by, flip, ok := goesOn(p, q, r, s); ok {
					out[t][k] = joint{o.piece, o.side, flip, against, by}
					if !flip {
						by = -by
					}
					out[o.piece][o.side] = joint{int32(t), int8(k), flip, against, by}
				}
				break
			}
			sides[filled[low]] = mine
			filled[low]++
		}
	}
	return out
}

// goesOn tells how stripes whose numbers are p and q at the ends of a side are r and s beyond it.
func goesOn(p, q, r, s float32) (by float32, flip, ok bool) {
	whole := func(a, b float32) (float32, bool) {
		n := float32(math.Round(float64(a)))
		return n, math.Abs(float64(a-n)) < 0.02 && math.Abs(float64(b-n)) < 0.02
	}
	if by, ok = whole(r-p, s-q); ok {
		return by, false, true
	}
	by, ok = whole(r+p, s+q)
	return by, true, ok
}

// follower follows lines from piece to piece.
type follower struct {
	*lines
	at     [][3]float32
	joints [][3]joint
	queue  []spotOn
}

// spotOn is a line in a piece.
type spotOn struct {
	piece int32
	k     float32
}

func (f *follower) span(s spotOn) *span {
	i := int32(s.k) - f.low[s.piece]
	if i < 0 || i >= f.first[s.piece+1]-f.first[s.piece] {
		return nil
	}
	return &f.spans[f.first[s.piece]+i]
}

// crosses tells where a line leaves a piece over one of its sides, in parts of that.
func (f *follower) crosses(s spotOn, side int) (part float32, ok bool) {
	a, b := f.at[s.piece][side], f.at[s.piece][(side+1)%3]
	if (a >= s.k) == (b >= s.k) {
		return 0, false
	}
	return (s.k - a) / (b - a), true
}

// on returns how far along its lines a place on a side of a piece lies from its first corner.
func (f *follower) on(piece int32, side int, part float32) float32 {
	a, b := f.along[piece][side], f.along[piece][(side+1)%3]
	return a + (b-a)*part
}

// step gives what lies beyond a side of a piece the line that the piece has, from a part of the side on, and returns where it is
// there; not where that is known already.
func (f *follower) step(s spotOn, side int, part float32) (to spotOn, ok bool) {
	j := &f.joints[s.piece][side]
	if j.piece < 0 {
		return to, false
	}
	to = spotOn{j.piece, j.number(s.k)}
	have, give := f.span(s), f.span(to)
	if give == nil || give.line >= 0 {
		return to, false
	}
	// In a piece along is a right angle on from across, as it runs round.
	way, beyond := have.way, 1-part
	if j.flip != j.against {
		way = -way
	}
	if j.against {
		beyond = part
	}
	here := have.from + have.way*f.on(s.piece, side, part)
	*give = span{line: have.line, way: way, from: here - way*f.on(j.piece, int(j.side), beyond)}
	f.queue = append(f.queue, to)
	return to, true
}

// middles follows the middle of each line: from where it begins, then rings.
func (f *follower) middles() {
	for _, rings := range []bool{false, true} {
		for t := range f.at {
			for i := f.first[t]; i < f.first[t+1]; i++ {
				s := spotOn{int32(t), float32(f.low[t] + i - f.first[t])}
				if f.spans[i].line >= 0 {
					continue
				}
				ends, sides := 0, 0
				for side := range 3 {
					if _, ok := f.crosses(s, side); ok {
						sides++
						j := &f.joints[t][side]
						if j.piece < 0 {
							ends++
						}
					}
				}
				if sides == 2 && (ends > 0 || rings) {
					f.follow(s, rings)
				}
			}
		}
	}
}

// follow numbers a new line that begins in a piece.
func (f *follower) follow(s spotOn, ring bool) {
	line := int32(len(f.long))
	begin := float32(math.Inf(1))
	*f.span(s) = span{line: line, way: 1}
	f.queue = append(f.queue, s)
	first := len(f.queue) - 1
	low, high := begin, -begin
	reaches := func(s spotOn) {
		c := f.span(s)
		for side := range 3 {
			if part, ok := f.crosses(s, side); ok {
				at := c.from + c.way*f.on(s.piece, side, part)
				low, high = min(low, at), max(high, at)
			}
		}
	}
	reaches(s)
	for more := true; more; {
		more = false
		for side := range 3 {
			if part, ok := f.crosses(s, side); ok {
				if to, ok := f.step(s, side, part); ok {
					s, more = to, true
					reaches(s)
					break
				}
			}
		}
	}
	for _, s := range f.queue[first:] {
		f.span(s).from -= low
	}
	f.long, f.ring = append(f.long, high-low), append(f.ring, ring)
}

// besides gives what lies beside the lines what is nearer to their middles has.
func (f *follower) besides() {
	for len(f.queue) > 0 {
		now := f.queue
		f.queue = nil
		for _, s := range now {
			for side := range 3 {
				a, b := f.at[s.piece][side], f.at[s.piece][(side+1)%3]
				if min(a, b) > s.k+reach+0.5 || max(a, b) < s.k-reach-0.5 {
					continue
				}
				part := float32(0.5)
				if a != b {
					part = max(0, min(1, (s.k-a)/(b-a)))
				}
				f.step(s, side, part)
			}
		}
	}
}

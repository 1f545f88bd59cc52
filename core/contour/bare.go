package contour

import (
	"math"

	"mobanta/core/trace"
	"mobanta/core/vec"
)

const (
	// bareReach is how far beside a line what it stands for must be seen, in thousandths of the page's height, and bareLong how
	// long a stretch without is left out.
	bareReach, bareLong = 3, 8
	// bareBend is the angle in degrees up to which faces beside a line are one.
	bareBend = 12
)

// bare tells, for the places of a chain that are open, along which stretches no edge of the surface is seen: on both sides the eye
// meets one part, which goes on from one to the other without a bend or a leap. There normals lean, as over a flat face beside a
// round one, but no form turns away; and where what crosses a surface ends within it, nothing of it stands out. Only contours and
// crossings can be bare.
func (f *finder) bare(rays *trace.Scene, l *laid, open []bool) []bool {
	if l.Kind != Contour && l.Kind != Crossing || f.byFaces {
		return nil
	}
	var out []bool
	unit := float32(f.view.H) / 1000
	n := len(l.Places)
	for i := 0; i < n; i += 2 { // every other will do
		if !open[i] || !f.goesOn(rays, l, i, bareReach*unit) {
			continue
		}
		if out == nil {
			out = make([]bool, n)
		}
		out[i] = true
	}
	if out == nil {
		return nil
	}
	for i := 1; i < n; i += 2 {
		out[i] = open[i] && out[i-1] && (i+1 == n || out[i+1] || !open[i+1])
	}
	// Short stretches are as what lies about them: bare ones first, then what is left between long ones and an end.
	f.short(l, out, bareLong*unit, func(int) bool { return true })
	for i := range out {
		out[i] = out[i] || !open[i]
	}
	rest := make([]bool, n)
	for i := range rest {
		rest[i] = !out[i]
	}
	f.short(l, rest, bareLong*unit, func(i int) bool { return i >= 0 && i < n && open[i] })
	for i := range out {
		out[i] = open[i] && !rest[i]
	}
	return out
}

// short clears runs of on that are no longer than most, where beside asks for it at the place before or after them.
func (f *finder) short(l *laid, on []bool, most float32, beside func(i int) bool) {
	for from := 0; from < len(on); {
		if !on[from] {
			from++
			continue
		}
		to, long := from+1, float32(0)
		for ; to < len(on) && on[to]; to++ {
			long += apart(&l.Places[to-1], &l.Places[to])
		}
		if long <= most && (beside(from-1) || beside(to)) {
			for k := from; k < to; k++ {
				on[k] = false
			}
		}
		from = to
	}
}

// tellNot notes that the contour in a triangle is left out, so that an outline of the faces is looked for there.
func (f *finder) tellNot(t int32) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.untold == nil {
		f.untold = map[int32]bool{}
	}
	f.untold[t] = true
}

// goesOn tells whether what the eye sees at a distance on one side of a place is what it sees on the other.
func (f *finder) goesOn(rays *trace.Scene, l *laid, i int, reach float32) bool {
	p := &l.Places[i]
	before, after := &l.Places[max(0, i-1)], &l.Places[min(len(l.Places)-1, i+1)]
	x, y := before.Y-after.Y, after.X-before.X
	long := vec.Sqrt(x*x + y*y)
	if !(long > 0) {
		return false
	}
	x, y = x/long*reach, y/long*reach
	a, ok := f.through(rays, p.X-x, p.Y-y)
	if !ok {
		return false
	}
	b, ok := f.through(rays, p.X+x, p.Y+y)
	if !ok || f.geo.TriPart[a.Tri] != f.geo.TriPart[b.Tri] {
		return false
	}
	// Of a contour faces about one corner: between others there may be room for what is not seen at all, as between waves.
	if l.Kind == Contour && !(f.touch(a.Tri, b.Tri) && f.wholeOf(p.Tri) == f.wholeOf(a.Tri)) {
		return false
	}
	sin, cos := math.Sincos(bareBend * math.Pi / 180)
	even := func(a, b trace.Hit) bool {
		m, n := f.flat[a.Tri], f.flat[b.Tri]
		along := f.at(b).Sub(f.at(a)).Unit()
		return m.Dot(n) > float32(cos) && max(along.Dot(m), -along.Dot(m)) < float32(sin) && max(along.Dot(n), -along.Dot(n)) < float32(sin)
	}
	for _, side := range [2]float32{-0.7 / reach, 0.7 / reach} { // what is narrower, as a wire or a groove, is seen right beside it
		if c, ok := f.through(rays, p.X+x*side, p.Y+y*side); !ok || !even(a, c) {
			return false
		}
	}
	return even(a, b)
}

// through returns what the eye sees at a place of the page.
func (f *finder) through(rays *trace.Scene, x, y float32) (trace.Hit, bool) {
	o, d := f.view.Ray(x, y)
	return rays.Nearest(o, d, 1e6*f.geo.Size)
}

// touch tells whether two triangles are one, or meet at a corner.
func (f *finder) touch(s, t int32) bool {
	for _, a := range f.geo.Tri[s] {
		for _, b := range f.geo.Tri[t] {
			if f.knot[a] == f.knot[b] {
				return true
			}
		}
	}
	return false
}

// at returns where a ray has met a triangle.
func (f *finder) at(h trace.Hit) vec.V {
	v := f.geo.Tri[h.Tri]
	return f.geo.Pos[v[0]].Mul(1 - h.U - h.V).Add(f.geo.Pos[v[1]].Mul(h.U)).Add(f.geo.Pos[v[2]].Mul(h.V))
}

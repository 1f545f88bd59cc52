package contour

import (
	"context"
	"math"
	"slices"

	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// Find returns the curves that are wanted as far as the eye sees them. rays are the scene's. Its error
// is the context's.
func Find(ctx context.Context, scene *stage.Scene, rays *trace.Scene, view *stage.View, want *Wanted, workers int) ([]Curve, error) {
	f := &finder{Mesh: MeshOf(scene.Geometry, workers), view: view, scene: scene, want: want}
	if err := f.find(ctx, workers); err != nil {
		return nil, err
	}
	chains := f.chains()
	found := make([][]Curve, len(chains))
	parallel.Do(workers, len(chains), func(i int) {
		if ctx.Err() == nil {
			found[i] = f.seen(rays, f.laid(chains[i]))
		}
	})
	all := joined(slices.Concat(found...), scene, want.Gap)
	if want.Of[Contour] && ctx.Err() == nil {
		all = append(all, f.outlines(rays, all, workers)...)
	}
	return thinned(all, view), ctx.Err()
}

const (
	// crowd is the side of the cells in which lines crowd, in thousandths of the page's height, and crowded how
	// much length there is in nine of them, in sides, where they would make a blot: four lines beside each other.
	crowd   = 2.2
	crowded = 12
)

// thinned leaves out what would be a blot: creases, crossings and what only hints at form, where there are so many
// that no line can be told from the next, as where a mesh is folded or far away. Contours stay.
func thinned(curves []Curve, view *stage.View) []Curve {
	side := crowd * float32(view.H) / 1000
	w := int(float32(view.W+2*margin)/side) + 3
	length := map[int]float32{}
	cell := func(p *Place) int {
		return int((p.Y+margin)/side+1)*w + int((p.X+margin)/side) + 1
	}
	some := func(k Kind) bool { return k == Crease || k == Crossing || k == Suggestive || k == Level }
	for i := range curves {
		if some(curves[i].Kind) {
			places := curves[i].Places
			for k := 1; k < len(places); k++ {
				length[cell(&places[k])] += apart(&places[k-1], &places[k])
			}
		}
	}
	var out []Curve
	for _, c := range curves {
		if !some(c.Kind) {
			out = append(out, c)
			continue
		}
		from, cut := 0, false
		keep := func(run []Place) { // what is left of a line, if it is still one
			long := float32(0)
			for k := 1; k < len(run); k++ {
				long += apart(&run[k-1], &run[k])
			}
			if long > 6*side {
				out = append(out, Curve{Kind: c.Kind, Part: c.Part, Places: run})
			}
		}
		for k := range c.Places {
			sum, at := float32(0), cell(&c.Places[k])
			for _, row := range [3]int{-w, 0, w} {
				sum += length[at+row-1] + length[at+row] + length[at+row+1]
			}
			if sum < crowded*side {
				continue
			}
			cut = true
			keep(c.Places[from:k])
			from = k + 1
		}
		if !cut {
			out = append(out, c)
		} else {
			keep(c.Places[from:])
		}
	}
	return out
}

// chain is pieces that follow each other; turned tells which are run through from their second end.
type chain struct {
	pieces []int32
	turned []bool
	closed bool
}

// straight is the cosine of the angle by which a curve may bend where more than two pieces meet.
const straight = 0.86

// chains joins pieces of one kind and part where they meet: where just two do, and where more do those
// that go on as straight as any.
func (f *finder) chains() []chain {
	next := make([][2]int32, len(f.pieces)) // what each end of a piece is joined to: twice a piece and its end; -1 for none
	ends := make([][]int32, len(f.nodes))
	for i := range f.pieces {
		next[i] = [2]int32{-1, -1}
		for e, n := range f.pieces[i].end {
			ends[n] = append(ends[n], int32(2*i+e))
		}
	}
	way := func(end int32) (x, y float32) { // from the node along the piece, on the page
		p := &f.pieces[end/2]
		a, b := &f.nodes[p.end[end%2]], &f.nodes[p.end[1-end%2]]
		x, y = b.x-a.x, b.y-a.y
		if l := vec.Sqrt(x*x + y*y); l > 0 {
			return x / l, y / l
		}
		return 0, 0
	}
	alike := func(a, b int32) bool {
		p, q := &f.pieces[a/2], &f.pieces[b/2]
		return p.kind == q.kind && p.part == q.part && a/2 != b/2
	}
	for _, at := range ends {
		for len(at) > 1 {
			best, score := [2]int{-1, -1}, float32(2)
			n := 0
			for i, a := range at {
				for j, b := range at[i+1:] {
					if !alike(a, b) {
						continue
					}
					n++
					ax, ay := way(a)
					bx, by := way(b)
					if d := ax*bx + ay*by; d < score {
						best, score = [2]int{i, i + 1 + j}, d
					}
				}
			}
			if best[0] < 0 || n > 1 && score > -straight {
				break
			}
			a, b := at[best[0]], at[best[1]]
			next[a/2][a%2], next[b/2][b%2] = b, a
			at = slices.Delete(slices.Clone(at), best[1], best[1]+1)
			at = slices.Delete(at, best[0], best[0]+1)
		}
	}
	done := make([]bool, len(f.pieces))
	var out []chain
	run := func(end int32) {
		var c chain
		for at := end; ; {
			done[at/2] = true
			c.pieces, c.turned = append(c.pieces, at/2), append(c.turned, at%2 == 1)
			at = next[at/2][1-at%2]
			if at < 0 {
				break
			}
			if done[at/2] {
				c.closed = at == end
				break
			}
		}
		out = append(out, c)
	}
	for i := range f.pieces {
		for e := range int32(2) {
			if !done[i] && next[i][e] < 0 {
				run(int32(2*i) + e)
			}
		}
	}
	for i := range f.pieces {
		if !done[i] {
			run(int32(2 * i))
		}
	}
	return out
}

// laid is a chain as places on the page, with what is needed to ask whether each is seen.
type laid struct {
	Curve
	at   []spot
	away []bool    // whether it lies off the page, or behind the eye
	edge []float32 // how long the piece is on which it lies, on the page
}

// spot is from where it is asked whether a place is seen.
type spot struct {
	on, off vec.V   // on the surface, and a little off it
	within  float32 // how near what it is on hides nothing
	whole   [2]int32
}

// margin is how far beyond the rim of the page curves are followed, in pixels.
const margin = 40

// cornerCosine is the cosine of the angle from which on a bend is a corner.
const cornerCosine = 0.6

// laid lays a chain on the page.
func (f *finder) laid(c chain) (l laid) {
	first := &f.pieces[c.pieces[0]]
	l.Kind, l.Part, l.Closed = first.kind, first.part, c.closed
	w, h := float32(f.view.W), float32(f.view.H)
	var lastX, lastY float32
	corner := func(n *node, x, y float32) bool { return n.corner && lastX*x+lastY*y < cornerCosine }
	for i, number := range c.pieces {
		p := f.pieces[number]
		if c.turned[i] {
			p.end[0], p.end[1] = p.end[1], p.end[0]
			p.w[0], p.w[1] = p.w[1], p.w[0]
		}
		a, b := &f.nodes[p.end[0]], &f.nodes[p.end[1]]
		dx, dy := b.x-a.x, b.y-a.y
		long := vec.Sqrt(dx*dx + dy*dy)
		away := a.outside || b.outside ||
			max(a.x, b.x) < -margin || min(a.x, b.x) > w+margin || max(a.y, b.y) < -margin || min(a.y, b.y) > h+margin
		steps := 1
		if !away {
			steps = int(max(1, min(4096, math.Ceil(float64(long/f.want.Step)))))
		}
		if long > 0 {
			if len(l.Places) > 0 && corner(a, dx/long, dy/long) {
				l.Places[len(l.Places)-1].Corner = true
			}
			lastX, lastY = dx/long, dy/long
		}
		ax, ay := tangent(a, dx, dy, long)
		bx, by := tangent(b, dx, dy, long)
		bend := math.Acos(float64(max(-1, min(1, ax*bx+ay*by))))
		reach := long / float32(math.Pow(math.Cos(bend/4), 2)) // as a piece of a circle is bent
		from := 1
		if len(l.Places) == 0 {
			from = 0
		}
		for k := from; k <= steps; k++ {
			t := float32(k) / float32(steps)
			s := 1 - t
			h00, h10, h01, h11 := (1+2*t)*s*s, t*s*s, t*t*(3-2*t), -t*t*s
			pl := Place{Tri: p.tri, Near: a.near*s + b.near*t, Normal: a.n.Unit().Mix(b.n.Unit(), t).Unit()}
			pl.X = h00*a.x + h01*b.x + reach*(h10*ax+h11*bx)
			pl.Y = h00*a.y + h01*b.y + reach*(h10*ay+h11*by)
			// Along a straight piece weights are not even on the page but for its depth.
			part := t
			if !f.view.Ortho && pl.Near > 0 {
				part = t * b.near / pl.Near
			}
			for e := range 2 {
				pl.Weights[e] = p.w[0][e]*(1-part) + p.w[1][e]*part
			}
			// Many pieces of a fine mesh are shorter than what can be told.
			if k == steps && k > 0 && i+1 < len(c.pieces) && !b.corner && apart(&l.Places[len(l.Places)-1], &pl) < 0.5*f.want.Step {
				continue
			}
			out := away || pl.X < -margin || pl.Y < -margin || pl.X > w+margin || pl.Y > h+margin
			l.Places, l.away, l.edge = append(l.Places, pl), append(l.away, out), append(l.edge, long)
			on := f.space(&pl)
			l.at = append(l.at, spot{on, on.Add(pl.Normal.Mul(a.lift*s + b.lift*t)), a.within*s + b.within*t, p.whole})
		}
	}
	if l.Closed && len(l.Places) > 2 {
		begins, n := &f.pieces[c.pieces[0]], len(l.Places)
		a, b := &f.nodes[begins.end[0]], &f.nodes[begins.end[1]]
		if c.turned[0] {
			a, b = b, a
		}
		dx, dy := b.x-a.x, b.y-a.y
		if long := vec.Sqrt(dx*dx + dy*dy); long > 0 && corner(a, dx/long, dy/long) {
			l.Places[0].Corner, l.Places[n-1].Corner = true, true
		}
		l.turn(max(0, slices.IndexFunc(l.Places, func(p Place) bool { return p.Corner })))
	}
	return l
}

// turn makes a ring begin, and end, at one of its places.
func (l *laid) turn(at int) {
	if at > 0 && at+1 < len(l.Places) {
		l.Places, l.at = turned(l.Places, at), turned(l.at, at)
		l.away, l.edge = turned(l.away, at), turned(l.edge, at)
	}
}

// turned returns a ring, whose last is its first, from another of its own on.
func turned[T any](ring []T, at int) []T {
	n := len(ring) - 1
	return slices.Concat(ring[at:n], ring[:at+1])
}

// tangent returns which way a curve runs at a node, towards the other end of a piece.
func tangent(n *node, dx, dy, long float32) (x, y float32) {
	if !(long > 0) {
		return 0, 0
	}
	dx, dy = dx/long, dy/long
	along := n.tx*dx + n.ty*dy
	switch {
	case along > 0.5:
		return n.tx, n.ty
	case along < -0.5:
		return -n.tx, -n.ty
	}
	return dx, dy
}

// space returns where a place lies in space.
func (f *finder) space(p *Place) vec.V {
	v := f.view
	x, y := (p.X-float32(v.W)/2)/v.Scale, (float32(v.H)/2-p.Y)/v.Scale
	if v.Ortho {
		return v.Eye.Add(v.Right.Mul(x)).Add(v.Up.Mul(y)).Add(v.Back.Mul(p.Near))
	}
	far := float32(1)
	if p.Near > 0 {
		far = 1 / p.Near
	}
	return v.Eye.Add(v.Right.Mul(x * far)).Add(v.Up.Mul(y * far)).Sub(v.Back.Mul(far))
}

// shown tells whether the eye sees a place: from a little off the surface, since faces lie within the
// surface that they stand for; or from the surface itself, where nothing but the faces about it is in the way:
// what lies off it may be in something that it stands on.
func (f *finder) shown(rays *trace.Scene, at *spot) bool {
	step := 2e-5 * f.geo.Size
	way := func(p vec.V) (d vec.V, far float32) {
		d = toEye(f.view, p)
		if far = d.Len(); f.view.Ortho {
			far = 4 * f.geo.Size
		}
		return d.Unit(), far
	}
	d, far := way(at.off)
	if !rays.Occluded(at.off.Add(d.Mul(step)), d, far-2*step) {
		return true
	}
	if at.within == 0 {
		d, far = way(at.on)
		return !rays.Occluded(at.on.Add(d.Mul(step)), d, far-2*step)
	}
	for _, from := range [2]vec.V{at.off, at.on} {
		d, far := way(from)
		past := step
		for range 6 {
			h, ok := rays.Nearest(from.Add(d.Mul(past)), d, far-past-step)
			if !ok {
				return true
			}
			if whole := f.wholeOf(h.Tri); past+h.T > at.within || whole != at.whole[0] && whole != at.whole[1] {
				break
			}
			past += h.T + 1e-6*f.geo.Size
		}
	}
	return false
}

// seen returns the pieces of a chain that the eye sees.
func (f *finder) seen(rays *trace.Scene, l laid) []Curve {
	n := len(l.Places)
	open := make([]bool, n)
	any, all := false, true
	for i := range open {
		open[i] = !l.away[i] && f.shown(rays, &l.at[i])
		any, all = any || open[i], all && open[i]
	}
	if !any || n < 2 {
		return nil
	}
	if bare := f.bare(rays, &l, open); bare != nil {
		for i, b := range bare {
			if b {
				open[i], l.away[i], all = false, true, false
				f.tellNot(l.Places[i].Tri)
			}
		}
	}
	if all {
		return []Curve{l.Curve}
	}
	if !slices.Contains(open, true) {
		return nil
	}
	turn := func(seen bool) {
		at := slices.Index(open, seen)
		l.turn(at)
		open = turned(open, at)
	}
	if l.Closed {
		turn(true) // so that no gap lies across its ends
	}
	f.close(&l, open)
	if !slices.Contains(open, false) {
		return []Curve{l.Curve}
	}
	if l.Closed {
		turn(false) // the pieces of a ring begin behind what hides it
		l.Closed = false
	}
	var out []Curve
	var run []Place
	flush := func() {
		if len(run) > 1 {
			out = append(out, Curve{Kind: l.Kind, Part: l.Part, Places: run})
		}
		run = nil
	}
	for i := range n {
		switch {
		case open[i] && i > 0 && !open[i-1]:
			if end, ok := f.edgeOf(rays, &l, i, i-1); ok {
				run = append(run, end)
			}
			run = append(run, l.Places[i])
		case open[i]:
			run = append(run, l.Places[i])
		case i > 0 && open[i-1]:
			if end, ok := f.edgeOf(rays, &l, i-1, i); ok {
				run = append(run, end)
			}
			flush()
		}
	}
	flush()
	return out
}

// close opens what is hidden, on the page, between two places of a chain that are seen, where it is no longer than the least gap.
func (f *finder) close(l *laid, open []bool) {
	for i := 1; i < len(open); i++ {
		if open[i] || !open[i-1] {
			continue
		}
		gap, k := float32(0), i
		for k < len(open) && !open[k] && !l.away[k] && gap <= f.want.Gap {
			gap += apart(&l.Places[k-1], &l.Places[k])
			k++
		}
		if k < len(open) && open[k] && gap <= f.want.Gap {
			for j := i; j < k; j++ {
				open[j] = true
			}
		}
	}
}

func apart(a, b *Place) float32 {
	x, y := a.X-b.X, a.Y-b.Y
	return vec.Sqrt(x*x + y*y)
}

// edgeOf returns the place at which the eye loses sight of a curve between a place that it sees and
// the next, which it does not.
func (f *finder) edgeOf(rays *trace.Scene, l *laid, seen, hidden int) (Place, bool) {
	if l.away[hidden] {
		return Place{}, false
	}
	a, b := l.Places[seen], l.Places[hidden]
	lo, hi := float32(0), float32(1)
	for range 4 {
		t := (lo + hi) / 2
		p, q := &l.at[seen], &l.at[hidden]
		if f.shown(rays, &spot{p.on.Mix(q.on, t), p.off.Mix(q.off, t), p.within, p.whole}) {
			lo = t
		} else {
			hi = t
		}
	}
	out := a
	out.X, out.Y, out.Near, out.Corner = a.X+(b.X-a.X)*lo, a.Y+(b.Y-a.Y)*lo, a.Near+(b.Near-a.Near)*lo, false
	return out, lo > 0
}

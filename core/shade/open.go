package shade

import (
	"context"
	"fmt"
	"math"

	"mobanta/core/trace"
	"mobanta/core/vec"
)

// Opening says which rays tell how open a place is.
type Opening struct {
	Reach, Cone func(i int) float32 // of point i: how far rays go, world units; how wide they spread, 0 to 1 for half a sphere
	Mirror      bool                // about the direction in which the eye would be mirrored, not about the normal
	Inside      bool                // into the model
	Own         bool                // only its own part stands in the way
	Key         string              // tells all this from all else
}

const (
	firstOpen  = 8
	settleOpen = 64
	aloneOpen  = 32
)

// Open returns for each point how much is open about it: 1 where no ray meets anything, 0
// where all do. Rays are spread by the cosine over a cone. What is found is kept with the
// points, under the opening and the normals, as shadows are.
func (t *Tracer) Open(ctx context.Context, at *Site, q *Opening) ([]float32, error) {
	key := at.name(fmt.Sprint("open", q.Mirror, q.Inside, q.Own, q.Key))
	f := at.Found.get(key)
	if f != nil && f.level >= at.Found.Level {
		return f.planes[0], nil
	}
	out := &found{level: at.Found.Level, planes: [][]float32{make([]float32, at.Points.N)}}
	share := out.planes[0]
	var base *found
	if at.Found.base != nil {
		base = at.Found.base.get(key)
	}
	rays, rounds := firstOpen, 3
	if at.Found.Level > 0 {
		rays, rounds = settleOpen, 2
	}
	switch {
	case base != nil:
		t.takeOver(ctx, at, base, out, func(i int) { share[i] = t.openness(at, i, q, aloneOpen) })
	case at.Points.Grid() == nil: // nothing is known of what lies beside a point
		t.each(ctx, at, func(i int) { share[i] = t.openness(at, i, q, rays) })
	default:
		t.each(ctx, at, func(i int) { share[i] = t.openness(at, i, q, rays) })
		if ctx.Err() == nil {
			out.planes = smooth(ctx, at.Points, out.planes, rays, rounds, t.Workers)
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	at.Found.keep(key, out)
	return out.planes[0], nil
}

// openness sends n rays from point i and returns the share of them that meet nothing.
func (t *Tracer) openness(site *Site, i int, q *Opening, n int) float32 {
	set := site.Points
	p, own, nrm := at(&set.Pos, i), at(&set.Norm, i), vec.V(site.turned(i))
	axis := nrm
	if q.Mirror {
		eye := at(&set.Eye, i)
		axis = eye.Reflect(nrm)
	}
	if q.Inside {
		own, nrm, axis = own.Mul(-1), nrm.Mul(-1), axis.Mul(-1)
	}
	reach, cone := q.Reach(i), max(0, min(1, q.Cone(i)))
	if !(reach > 0) {
		return 1
	}
	from := t.lifted(set, i, p, own)
	a, b := vec.Across(axis)
	wide := float32(math.Sin(float64(cone) * math.Pi / 2))
	u, v := set.Chance(i)
	spin := newSpiral(u, v, n)
	open, sent := 0, 0
	for range n {
		x, y := spin.next()
		x, y = x*wide, y*wide
		d := a.Mul(x).Add(b.Mul(y)).Add(axis.Mul(vec.Sqrt(max(0, 1-x*x-y*y))))
		if d.Dot(nrm) <= 0 { // a mirrored cone may dip below the surface
			continue
		}
		sent++
		if !t.meets(from, d, reach, q.Own, set.PartOf[i]) {
			open++
		}
	}
	if sent == 0 {
		return 0
	}
	return float32(open) / float32(sent)
}

// meets tells whether a ray meets anything within reach; if own, anything of that part.
func (t *Tracer) meets(from, d vec.V, reach float32, own bool, part int32) bool {
	if !own {
		return t.Rays.Occluded(from, d, reach)
	}
	const most = 16 // surfaces of other parts on the way
	for range most {
		var h trace.Hit
		var ok bool
		if h, ok = t.Rays.Nearest(from, d, reach); !ok {
			return false
		}
		if t.Scene.TriPart[h.Tri] == part {
			return true
		}
		step := h.T + t.Scene.Size*1e-5
		from, reach = from.Add(d.Mul(step)), reach-step
		if !(reach > 0) {
			return false
		}
	}
	return false
}

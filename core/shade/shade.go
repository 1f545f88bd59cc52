// Package shade finds out by rays how much of each light reaches the samples of a set, and what light other surfaces
// throw on them. What it finds is kept beside the points: a light that stays where it is is not traced again.
package shade

import (
	"context"
	"fmt"
	"math"

	"mobanta/core/light"
	"mobanta/core/parallel"
	"mobanta/core/priority"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// Tracer shades the samples of a scene.
type Tracer struct {
	Scene   *stage.Scene
	Rays    *trace.Scene
	Workers int
}

// How many rays are sent to a soft light, by the set's level.
const (
	firstRays  = 1
	probeRays  = 4  // to find the penumbrae
	settleRays = 89 // in them
	skyProbe   = 16 // as probeRays, to a sky
	skyRays    = 96 // as settleRays
	aloneRays  = 16 // where there is no base to go by
	candidates = 8  // places among which a single ray chooses
	chunk      = 1024
)

// name tells one light's shadows from another's.
func name(l *light.Source) string {
	switch l.Kind {
	case light.Sun:
		return fmt.Sprint(l.Kind, l.Dir, l.Size)
	case light.Point:
		return fmt.Sprint(l.Kind, l.At, l.Size)
	case light.Sky:
		return fmt.Sprint(l.Kind, l.Sky())
	}
	return fmt.Sprint(l.Kind, l.At, l.Dir, l.Size, l.High)
}

// Share returns how much of a light's own light comes through to each point, 0 to
// 1; 0 on the side that faces away. The plane may be shared: do not write to it.
func (t *Tracer) Share(ctx context.Context, at *Site, l *light.Source) ([]float32, error) {
	key := at.name(name(l))
	f := at.Found.get(key)
	if f != nil && f.level >= at.Found.Level {
		return f.planes[0], nil
	}
	out := &found{level: at.Found.Level, planes: [][]float32{make([]float32, at.Points.N)}}
	share := out.planes[0]
	var base *found
	if at.Found.base != nil && l.Soft() {
		base = at.Found.base.get(key)
	}
	switch {
	case !l.Soft():
		out.level = 1 // one ray is all there is to know
		t.each(ctx, at, func(i int) { share[i] = t.open(at, i, l, 1) })
	case base != nil:
		t.takeOver(ctx, at, base, out, func(i int) { share[i] = t.open(at, i, l, aloneRays) })
	case at.Points.Grid() == nil: // nothing is known of what lies beside a point
		rays := firstRays
		if at.Found.Level > 0 {
			rays = aloneRays
		}
		t.each(ctx, at, func(i int) { share[i] = t.open(at, i, l, rays) })
	default:
		t.settle(ctx, at, l, out)
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	at.Found.keep(key, out)
	return out.planes[0], nil
}

// takeOver fills in what the base has found, blended from the pixels about each point; put does
// where it has nothing.
func (t *Tracer) takeOver(ctx context.Context, at *Site, base, out *found, put func(i int)) {
	from := at.Found.base.points
	grid := from.Grid()
	t.each(ctx, at, func(i int) {
		var room [3]float32
		v := room[:len(out.planes)]
		if !between(at.Points, i, from, grid, base.planes, v) {
			put(i)
			return
		}
		for k := range v {
			out.planes[k][i] = v[k]
		}
	})
}

// settle finds out the shares of a whole set: by a few rays each, and, for level 1,
// by many where those few do not agree.
func (t *Tracer) settle(ctx context.Context, at *Site, l *light.Source, out *found) {
	share, set := out.planes[0], at.Points
	if at.Found.Level == 0 {
		// One ray at every other pixel, as on a chequerboard; what lies between takes
		// the mean of its neighbours on the same stretch of surface.
		grid := set.Grid()
		t.each(ctx, at, func(i int) {
			if even(set, i) {
				share[i] = t.open(at, i, l, firstRays)
			}
		})
		t.each(ctx, at, func(i int) {
			if even(set, i) {
				return
			}
			x, y := pixel(set, i)
			sum, n := float32(0), float32(0)
			for _, d := range around[:4] {
				if k := grid.At(x+d[0], y+d[1]); k >= 0 && alike(set, i, set, int(k)) {
					sum, n = sum+share[k], n+1
				}
			}
			if share[i] = sum / max(1, n); n == 0 {
				share[i] = t.open(at, i, l, firstRays)
			}
		})
		if ctx.Err() == nil {
			out.planes = smooth(ctx, set, out.planes, firstRays, 1, t.Workers)
		}
		return
	}
	raw, grid := make([]float32, set.N), set.Grid()
	probe, rays, rounds := probeRays, settleRays, 1
	if l.Kind == light.Sky {
		probe, rays, rounds = skyProbe, skyRays, 2
	}
	t.each(ctx, at, func(i int) { raw[i] = t.open(at, i, l, probe) })
	t.each(ctx, at, func(i int) {
		if share[i] = raw[i]; uneven(set, i, grid, raw) {
			share[i] = t.open(at, i, l, rays)
		}
	})
	if ctx.Err() == nil {
		out.planes = smooth(ctx, set, out.planes, rays, rounds, t.Workers)
	}
}

// even tells whether a sample lies on a black field of the chequerboard.
func even(set *sample.Points, i int) bool {
	x, y := pixel(set, i)
	return (x+y)%2 == 0
}

// pixel returns through which pixel point i is seen.
func pixel(set *sample.Points, i int) (x, y int) {
	return set.View.Counted(set.Pixels().Pixel[i])
}

// each calls f for every point on all cores, until ctx ends.
func (t *Tracer) each(ctx context.Context, at *Site, f func(i int)) {
	n, work := at.Points.N, priority.Of(ctx)
	parallel.Do(t.Workers, (n+chunk-1)/chunk, func(job int) {
		work.Yield(ctx)
		if ctx.Err() != nil {
			return
		}
		for i := job * chunk; i < min(n, (job+1)*chunk); i++ {
			f(i)
		}
	})
}

func at(p *[3][]float32, i int) vec.V { return vec.V{p[0][i], p[1][i], p[2][i]} }

// open sends n rays to a light and returns the share of it that they reach.
// Places of the light count by what they give the surface, whichever way its normals
// were turned; the rays begin on the surface as it is.
func (t *Tracer) open(site *Site, i int, l *light.Source, n int) float32 {
	set := site.Points
	p, nrm, eye := at(&set.Pos, i), vec.V(site.turned(i)), at(&set.Eye, i)
	switch l.Kind {
	case light.Sun:
		if c := l.Dir.Dot(nrm); c <= -l.Size {
			return 0
		}
	case light.Point:
		d := l.At.Sub(p)
		if d.Dot(nrm) <= -l.Size {
			return 0
		}
	case light.Disc, light.Rectangle:
		d := l.At.Sub(p)
		if d.Dot(l.Dir) <= 0 || d.Dot(nrm) <= -max(l.Size, l.High)*1.5 {
			return 0
		}
	}
	from := t.lifted(set, i, p, at(&set.Norm, i))
	aim := l.Aim(from, nrm, eye)
	if !l.Soft() {
		dir := aim.Ray(0, 0)
		if dir.Dot(nrm) <= 0 {
			return 0
		}
		return t.clear(from, dir, aim.Far)
	}
	u, v := set.Chance(i)
	switch {
	case n == 1:
		dir, ok := pick(l, &aim, nrm, u, v, candidates)
		if !ok {
			return 0
		}
		return t.clear(from, dir, aim.Far)
	case l.Kind == light.Sky && l.Dome.Pictured():
		return t.openSky(l.Dome, &aim, from, nrm, u, v, n)
	}
	var spin spiral
	var grid lattice
	if aim.Square() {
		grid = newLattice(u, v, n)
	} else {
		spin = newSpiral(u, v, n)
	}
	var sum, all float32
	for range n {
		var x, y float32
		if aim.Square() {
			x, y = grid.next()
		} else {
			x, y = spin.next()
		}
		dir := aim.Ray(x, y)
		if w := worth(l, dir, nrm); w > 0 {
			all += w
			sum += w * t.clear(from, dir, aim.Far)
		}
	}
	if !(all > 0) {
		return 0
	}
	return sum / all
}

// worth is what the place of a light in a direction gives a surface, by the measure
// in which aim spreads its rays.
func worth(l *light.Source, dir, nrm vec.V) float32 {
	w := dir.Dot(nrm)
	switch l.Kind {
	case light.Sky:
		return l.Dome.Tone(dir)
	case light.Disc, light.Rectangle:
		d2 := dir.Dot(dir)
		w *= dir.Dot(l.Dir) / (d2 * d2)
	}
	return w
}

// pick returns the direction of a single ray to a light, which cannot count for more
// or less: of count places of the light it goes to one, by chance in proportion to
// what they give (Talbot, Cline and Egbert 2005). ok is false if they give nothing.
func pick(l *light.Source, aim *light.Aim, nrm vec.V, u, v float32, count int) (dir vec.V, ok bool) {
	var all float32
	chance := fraction(float64(u)*97 + float64(v)*31)
	if l.Kind != light.Sky && aim.Above(nrm) {
		count = 1 // they give about the same
	}
	for range count {
		var d vec.V
		var w float32
		switch {
		case l.Kind == light.Sky && l.Dome.Pictured():
			if dir, _, density := l.Dome.Seek(u, v); density > 0 {
				d, w = dir, dir.Dot(nrm)
			}
		case aim.Square():
			d = aim.Ray(2*u-1, 2*v-1)
			w = worth(l, d, nrm)
		default:
			d = aim.Ray(light.Disk(u, v))
			w = worth(l, d, nrm)
		}
		u, v = next(u, v)
		if !(w > 0) {
			continue
		}
		all += w
		if p := w / all; chance < p {
			dir, chance = d, chance/p
		} else {
			chance = (chance - p) / (1 - p)
		}
	}
	if all == 0 && l.Kind == light.Sky { // what is bright lies below the horizon
		return aim.Ray(light.Disk(u, v)), true
	}
	return dir, all > 0
}

// clear returns 1 if nothing stands in the way of a ray, or 0.
func (t *Tracer) clear(from, dir vec.V, far float32) float32 {
	if t.Rays.Occluded(from, dir, far) {
		return 0
	}
	return 1
}

// openSky is open for a sky from a picture, whose light may come from a few small
// places: some of the rays are spread by the cosine, the others go where the
// picture is bright, and each counts by how likely both ways are to send it (the
// balance heuristic: Veach and Guibas 1995).
func (t *Tracer) openSky(dome *light.Dome, aim *light.Aim, from, nrm vec.V, u, v float32, n int) float32 {
	even := n / 3
	var sum, all float32
	send := func(dir vec.V, tone, density float32) {
		cos := dir.Dot(nrm)
		w := tone * cos / (float32(even)*cos/math.Pi + float32(n-even)*density)
		if !(cos > 0 && w > 0) {
			return
		}
		all += w
		sum += w * t.clear(from, dir, aim.Far)
	}
	grid := newLattice(v, u, n-even)
	for range n - even {
		x, y := grid.next()
		if dir, tone, density := dome.Seek((x+1)/2, (y+1)/2); density > 0 {
			send(dir, tone, density)
		}
	}
	spin := newSpiral(u, v, even)
	for range even {
		dir := aim.Ray(spin.next())
		tone, density := dome.Sought(dir)
		send(dir, tone, density)
	}
	if !(all > 0) {
		return 0
	}
	return sum / all
}

// spiral gives points that fill the unit disk evenly: each turned by the golden
// angle against the one before, each at a greater radius (Vogel 1979).
type spiral struct {
	cos, sin float32 // of the next point's angle
	r2, step float32 // its radius squared
}

const (
	goldenCos = -0.7373688780783197
	goldenSin = 0.6754902942615238
)

// newSpiral begins a spiral of n points at a chance turn and radius, both from 0
// to 1.
func newSpiral(turn, radius float32, n int) spiral {
	s, c := math.Sincos(2 * math.Pi * float64(turn))
	step := 1 / float32(n)
	return spiral{float32(c), float32(s), radius * step, step}
}

func (s *spiral) next() (x, y float32) {
	r := vec.Sqrt(s.r2)
	x, y = s.cos*r, s.sin*r
	s.r2 += s.step
	s.cos, s.sin = s.cos*goldenCos-s.sin*goldenSin, s.cos*goldenSin+s.sin*goldenCos
	return x, y
}

// lattice gives points that fill the square from -1 to 1 evenly: equal steps along
// one side and steps of the golden ratio along the other, moved as a whole and
// wrapped round (the Fibonacci lattice: Zaremba 1966; moved: Cranley and Patterson
// 1976). In penumbrae it errs a third less than the recurrence R2 does.
type lattice struct{ x, y, step float32 }

// newLattice begins a lattice of n points, moved by u and v, from 0 to 1.
func newLattice(u, v float32, n int) lattice { return lattice{u, v, 1 / float32(n)} }

func (l *lattice) next() (x, y float32) {
	x, y = 2*l.x-1, 2*l.y-1
	if l.x += l.step; l.x >= 1 {
		l.x--
	}
	if l.y += 0.6180339887; l.y >= 1 {
		l.y--
	}
	return x, y
}

func fraction(x float64) float32 { return float32(x - math.Floor(x)) }

// next is the additive recurrence R2 (Roberts 2018), which fills the square evenly.
func next(u, v float32) (float32, float32) {
	if u += 0.75487766; u >= 1 {
		u--
	}
	if v += 0.56984029; v >= 1 {
		v--
	}
	return u, v
}

// lifted returns the place from which sample i looks for lights: on the rounded
// surface that the normals describe instead of the flat triangle, and a hair
// above it, so that facets throw no shadow on themselves (Hanika 2021).
func (t *Tracer) lifted(set *sample.Points, i int, p, n vec.V) vec.V {
	sc := t.Scene
	tri := &sc.Tri[set.Tri[i]]
	a, b, e := &sc.Pos[tri[0]], &sc.Pos[tri[1]], &sc.Pos[tri[2]]
	ux, uy, uz := b[0]-a[0], b[1]-a[1], b[2]-a[2]
	vx, vy, vz := e[0]-a[0], e[1]-a[1], e[2]-a[2]
	wx, wy, wz := p[0]-a[0], p[1]-a[1], p[2]-a[2]
	fx, fy, fz := uy*vz-uz*vy, uz*vx-ux*vz, ux*vy-uy*vx
	lift := sc.Size * 2e-5
	x, y, z := p[0]+n[0]*lift, p[1]+n[1]*lift, p[2]+n[2]*lift
	area := fx*fx + fy*fy + fz*fz
	if !(area > 0) {
		return vec.V{x, y, z}
	}
	w1 := ((wy*vz-wz*vy)*fx + (wz*vx-wx*vz)*fy + (wx*vy-wy*vx)*fz) / area
	w2 := ((uy*wz-uz*wy)*fx + (uz*wx-ux*wz)*fy + (ux*wy-uy*wx)*fz) / area
	side := float32(1)
	if fx*n[0]+fy*n[1]+fz*n[2] < 0 {
		side = -1
	}
	for k, w := range [3]float32{1 - w1 - w2, w1, w2} {
		v, m := &sc.Pos[tri[k]], &sc.Normal[tri[k]]
		below := ((p[0]-v[0])*m[0] + (p[1]-v[1])*m[1] + (p[2]-v[2])*m[2]) * side
		if below < 0 {
			below *= w * side
			x, y, z = x-m[0]*below, y-m[1]*below, z-m[2]*below
		}
	}
	return vec.V{x, y, z}
}

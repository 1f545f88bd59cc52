package shade

import (
	"context"
	"fmt"

	"mobanta/core/light"
	"mobanta/core/vec"
)

// How many rays look for light from other surfaces, by the set's level.
const (
	firstBounces  = 4
	settleBounces = 48
	aloneBounces  = 24
	// Places of a light among which the ray from a surface that throws light chooses.
	bounceCandidates = 2
)

// Bounced returns the light that the surfaces around throw on each sample once
// the lights have fallen on them: red, green and blue, 1 being that of a white
// surrounding in full light. Surfaces have the colours of their parts. The planes
// may be shared: do not write to them.
func (t *Tracer) Bounced(ctx context.Context, at *Site, lights []int) ([][]float32, error) {
	key := "bounced"
	for _, k := range lights {
		l := &t.Scene.Lights[k]
		key += fmt.Sprint(name(l), l.Color, l.Strength, l.Reach, l.Fade, l.Shadows, l.Parts)
	}
	key = at.name(key)
	f, n := at.Found.get(key), at.Points.N
	if f != nil && f.level >= at.Found.Level {
		return f.planes, nil
	}
	out := &found{level: at.Found.Level, planes: [][]float32{make([]float32, n), make([]float32, n), make([]float32, n)}}
	put := func(i int, rays int) {
		c := t.gather(at, i, lights, rays)
		for k := range c {
			out.planes[k][i] = c[k]
		}
	}
	var base *found
	if at.Found.base != nil {
		base = at.Found.base.get(key)
	}
	if base != nil {
		t.takeOver(ctx, at, base, out, func(i int) { put(i, aloneBounces) })
	} else {
		rays := firstBounces
		if at.Found.Level > 0 {
			rays = settleBounces
		}
		t.each(ctx, at, func(i int) { put(i, rays) })
		if ctx.Err() == nil && at.Points.Grid() != nil {
			out.planes = smooth(ctx, at.Points, out.planes, rays, 3, t.Workers)
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	at.Found.keep(key, out)
	return out.planes, nil
}

// gather sends rays over the hemisphere, spread by the cosine, and returns the
// mean of the light that comes back along them.
func (t *Tracer) gather(site *Site, i int, lights []int, rays int) (sum vec.V) {
	set := site.Points
	n := vec.V(site.turned(i))
	from := t.lifted(set, i, at(&set.Pos, i), at(&set.Norm, i))
	a, b := vec.Across(n)
	u, v := set.Chance(i)
	spin := newSpiral(u, v, rays)
	for range rays {
		x, y := spin.next()
		d := a.Mul(x).Add(b.Mul(y)).Add(n.Mul(vec.Sqrt(max(0, 1-x*x-y*y))))
		u, v = next(u, v)
		if h, ok := t.Rays.Nearest(from, d, 1e30); ok {
			sum = sum.Add(t.thrown(h.Tri, h.U, h.V, d, lights, u, v))
		}
	}
	return sum.Mul(1 / float32(rays))
}

// thrown returns the light that a surface throws back against the ray that met
// it: what falls on it, times the colour of its part.
func (t *Tracer) thrown(tri int32, wu, wv float32, dir vec.V, lights []int, u, v float32) (sum vec.V) {
	sc := t.Scene
	c := sc.Tri[tri]
	p := sc.Pos[c[0]].Mul(1 - wu - wv).Add(sc.Pos[c[1]].Mul(wu)).Add(sc.Pos[c[2]].Mul(wv))
	flat := sc.FlatNormal(tri)
	n := sc.Normal[c[0]].Mul(1 - wu - wv).Add(sc.Normal[c[1]].Mul(wu)).Add(sc.Normal[c[2]].Mul(wv)).Unit()
	if flat.Dot(dir) > 0 {
		flat, n = flat.Mul(-1), n.Mul(-1)
	}
	from := p.Add(flat.Mul(sc.Size * 1e-4))
	eye := dir.Mul(-1)
	part := sc.TriPart[tri]
	for _, k := range lights {
		l := &sc.Lights[k]
		if l.Parts != nil && !l.Parts[part] {
			continue
		}
		to, e, cap := l.At1(p, eye)
		var got vec.V
		if l.Kind == light.Sky {
			got = vec.V(l.Dome.Irradiance(n)).Mul(l.Strength)
		} else if w := light.Lambert(to.Dot(n), cap) * e; w > 0 {
			got = vec.V(l.Color).Mul(w)
		}
		if got == (vec.V{}) {
			continue
		}
		if l.Shadows {
			aim := l.Aim(from, n, eye)
			if way, ok := pick(l, &aim, n, u, v, bounceCandidates); !ok || way.Dot(flat) <= 0 || t.Rays.Occluded(from, way, aim.Far) {
				continue
			}
		}
		sum = sum.Add(got)
	}
	for k, a := range sc.Parts[part].Color {
		sum[k] *= min(a, 0.95)
	}
	return sum
}

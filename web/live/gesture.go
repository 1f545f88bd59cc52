package live

import (
	"errors"
	"math"

	"mobanta/core/light"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// aim is what the hand points into: the stage as it was when the hand went down,
// and its surfaces. It never changes once made.
type aim struct {
	scene *stage.Scene
	rays  *trace.Scene
	w, h  int
}

// gesture returns the edit that a movement of the hand stands for, from the
// stage as it was when the hand went down.
func gesture(st *stage.Stage, a aim, m said) (project.Edit, error) {
	for _, f := range [4]float64{m.X, m.Y, m.X0, m.Y0} {
		if !(math.Abs(f) < 1e4) {
			return project.Edit{}, errors.New("the hand is nowhere")
		}
	}
	dx, dy := m.X-m.X0, m.Y-m.Y0
	c := st.Camera
	view := c.View(1000, 1000)
	camera := func(fields map[string]any) (project.Edit, error) {
		return project.Edit{Op: "camera.set", Value: fields}, nil
	}
	switch m.Tool {
	case "turn":
		return camera(map[string]any{"azimuth": math.Mod(c.Azimuth-dx*200, 360), "elevation": c.Elevation + dy*200})
	case "pan":
		reach := 2 * float64(c.Distance) * math.Tan(float64(c.Angle)*math.Pi/360) // height of the picture at the target
		return camera(map[string]any{"target": list(c.Target.Sub(view.Right.Mul(float32(dx * reach))).Add(view.Up.Mul(float32(dy * reach))))})
	case "zoom":
		return camera(map[string]any{"distance": max(stage.Least, min(stage.Far, float64(c.Distance)*math.Exp(dy*2)))})
	case "time": // X is how far into the loop
		t := st.Time
		k := max(0, min(t.Frames()-1, int(m.X*float64(t.Frames()))))
		return project.Edit{Op: "time.set", Key: "at", Value: t.Start(k)}, nil
	case "ball", "light":
		for i := range st.Lights {
			if st.Lights[i].ID == m.Light {
				return moveLight(st, &st.Lights[i], a, view, m)
			}
		}
		return project.Edit{}, errors.New("there is no light to move: add one in the stage panel")
	}
	return project.Edit{}, errors.New("there is no such tool")
}

// moveLight returns the edit that moves a light as the hand says.
func moveLight(st *stage.Stage, l *stage.Light, a aim, view stage.View, m said) (project.Edit, error) {
	switch l.Kind {
	case light.Headlamp:
		return project.Edit{}, errors.New(l.Name + " is a headlamp: it moves with the eye")
	case light.Sky:
		return project.Edit{}, errors.New(l.Name + " is a sky: it has no place to move to")
	}
	middle := st.Camera.Target
	if a.scene != nil && !a.scene.Box.Empty() {
		middle = a.scene.Box.Center()
	}
	// From where it shines now, as seen from the middle of the stage.
	from := vec.Direction(l.Azimuth, l.Elevation)
	if l.Kind == light.Point {
		from = l.At.Sub(middle).Unit()
	}
	switch {
	case m.Tool == "ball":
		// The light stands over the place on the ball under the pointer; beyond the
		// ball's edge it comes from behind. x and y run from -1 to 1 over the ball.
		r, z := math.Hypot(m.X, m.Y), 0.0
		if r < 1 {
			z = math.Sqrt(1 - r*r)
		} else {
			z = -min(1, r-1)
		}
		return a.from(l, view.Right.Mul(float32(m.X)).Sub(view.Up.Mul(float32(m.Y))).Add(view.Back.Mul(float32(z))).Unit(), middle), nil
	case m.Mode == "highlight":
		p, n, ok := a.hit(st, m.X, m.Y)
		if !ok {
			return project.Edit{}, errNothing
		}
		return a.from(l, view2(st, a, m.X, m.Y).Mul(-1).Reflect(n), p), nil
	case m.Mode == "shadow":
		return a.shadow(st, l, m, middle)
	case m.Mode == "itself" && l.Kind.Placed():
		v := st.Camera.View(max(1, a.w), max(1, a.h))
		ahead, dx, dy := v.Camera(l.At)[2], m.X-m.X0, m.Y-m.Y0
		start := l.At
		if _, _, seen := v.Mark(l.At); !seen {
			// It comes to the hand, from outside the picture; from behind the eye it comes
			// as far ahead as what the camera looks at.
			if !v.Ortho && ahead <= v.Near {
				ahead = st.Camera.Distance
			}
			start = v.Eye.Sub(v.Back.Mul(ahead))
			dx, dy = m.X-float64(v.W)/float64(v.H)/2, m.Y-0.5
		}
		k := float32(v.H) / v.Scale
		if !v.Ortho {
			k *= ahead
		}
		to := start.Add(v.Right.Mul(float32(dx) * k)).Sub(v.Up.Mul(float32(dy) * k))
		fields := map[string]any{"at": list(to)}
		if l.Kind != light.Point { // it keeps looking at what it looked at
			if d := l.At.Sub(middle).Dot(from); d > 0 {
				fields["direction"] = list(to.Sub(l.At.Sub(from.Mul(d))))
			}
		}
		return lightEdit(l, fields), nil
	}
	// Across the whole picture, as if it were one large ball; the middle is where the
	// camera stands.
	d := vec.V{from.Dot(view.Right), from.Dot(view.Up), from.Dot(view.Back)}
	az, el := vec.Angles(d)
	e := vec.Direction(az+(m.X-m.X0)*144, max(-89, min(89, el-(m.Y-m.Y0)*144)))
	return a.from(l, view.Right.Mul(e[0]).Add(view.Up.Mul(e[1])).Add(view.Back.Mul(e[2])), middle), nil
}

// errNothing says that the hand points at nothing that tells where the light
// should go; the light stays.
var errNothing = errors.New("the hand points at no surface")

// from returns the edit after which a light shines on the place p from direction
// d; what stands at a place keeps its distance.
func (a aim) from(l *stage.Light, d, p vec.V) project.Edit {
	fields := map[string]any{}
	if l.Kind != light.Point {
		fields["direction"] = list(d)
	}
	if l.Kind.Placed() {
		fields["at"] = list(p.Add(d.Mul(max(l.At.Sub(p).Len(), stage.Least))))
	}
	return lightEdit(l, fields)
}

func lightEdit(l *stage.Light, fields map[string]any) project.Edit {
	return project.Edit{Op: "light.set", ID: l.ID, Key: "fields", Value: fields}
}

func list(v vec.V) []any { return []any{float64(v[0]), float64(v[1]), float64(v[2])} }

// view2 returns the direction of the ray through a place of the picture.
func view2(st *stage.Stage, a aim, x, y float64) vec.V {
	v := st.Camera.View(max(1, a.w), max(1, a.h))
	_, d := v.Ray(float32(x)*float32(v.H), float32(y)*float32(v.H))
	return d
}

// hit returns the place and the normal of what the picture shows at (x, y), in
// picture heights from the top left corner.
func (a aim) hit(st *stage.Stage, x, y float64) (p, n vec.V, ok bool) {
	if a.rays == nil {
		return p, n, false
	}
	v := st.Camera.View(max(1, a.w), max(1, a.h))
	o, d := v.Ray(float32(x)*float32(v.H), float32(y)*float32(v.H))
	if v.Ortho {
		o = o.Sub(d.Mul(a.scene.Size + v.Eye.Sub(a.scene.Box.Center()).Len()))
	}
	h, ok := a.rays.Nearest(o, d, 1e30)
	if !ok {
		return p, n, false
	}
	return o.Add(d.Mul(h.T)), a.normal(h, d), true
}

// normal returns the smooth normal where a ray along d met a surface, turned
// against the ray.
func (a aim) normal(h trace.Hit, d vec.V) vec.V {
	t := a.scene.Tri[h.Tri]
	n := a.scene.Normal[t[0]].Mul(1 - h.U - h.V).Add(a.scene.Normal[t[1]].Mul(h.U)).Add(a.scene.Normal[t[2]].Mul(h.V)).Unit()
	if a.scene.FlatNormal(h.Tri).Dot(d) > 0 {
		n = n.Mul(-1)
	}
	return n
}

// shadow returns the edit that takes the edge of a shadow to the pointer: where
// the hand went down in a shadow that something throws, or right beside one, that
// edge; otherwise the line where the form itself turns from the light.
func (a aim) shadow(st *stage.Stage, l *stage.Light, m said, middle vec.V) (project.Edit, error) {
	p, n, ok := a.hit(st, m.X, m.Y)
	if !ok {
		return project.Edit{}, errNothing
	}
	to := func(p vec.V) vec.V {
		if l.Kind == light.Sun {
			return vec.Direction(l.Azimuth, l.Elevation)
		}
		return l.At.Sub(p).Unit()
	}
	if q, ok := a.occluder(st, l, m, to); ok {
		if d := q.Sub(p); d.Dot(n) > 0 {
			if l.Kind.Placed() { // along the line from the pointer through what throws the shadow
				return lightEdit(l, map[string]any{"at": list(p.Add(d.Unit().Mul(max(l.At.Sub(p).Len(), d.Len()*1.01)))), "direction": list(d)}), nil
			}
			return a.from(l, d.Unit(), p), nil
		}
	}
	// The direction nearest to the light's that runs along the surface there.
	d := to(p)
	if d = d.Sub(n.Mul(d.Dot(n))).Unit(); d == (vec.V{}) {
		return project.Edit{}, errNothing
	}
	return a.from(l, d, p), nil
}

// occluder returns the place that throws the edge of a shadow near to where the
// hand went down.
func (a aim) occluder(st *stage.Stage, l *stage.Light, m said, to func(vec.V) vec.V) (q vec.V, ok bool) {
	const reach, rings = 0.03, 6 // in picture heights
	type place struct {
		p  vec.V
		at vec.V // of what stands in the light, if it is dark
	}
	look := func(x, y float64) (out place, dark, ok bool) {
		p, n, ok := a.hit(st, x, y)
		if !ok || to(p).Dot(n) <= 0.02 {
			return out, false, false
		}
		from := p.Add(n.Mul(a.scene.Size * 1e-4))
		h, dark := a.rays.Nearest(from, to(p), 1e30)
		return place{p, from.Add(to(p).Mul(h.T))}, dark, true
	}
	first, dark, ok := look(m.X0, m.Y0)
	if !ok {
		return q, false
	}
	// The nearest place that is dark where this is lit, or the other way round; then
	// the edge in between, by halves.
	for ring := 1; ring <= rings; ring++ {
		for k := range 16 {
			s, c := math.Sincos(float64(k) * math.Pi / 8)
			r := reach * float64(ring) / rings
			x, y := m.X0+c*r, m.Y0+s*r
			other, is, there := look(x, y)
			if !there || is == dark {
				continue
			}
			if dark {
				q = first.at
			} else {
				q = other.at
			}
			lo, hi := 0.0, 1.0
			for range 12 {
				mid := (lo + hi) / 2
				at, is, there := look(m.X0+c*r*mid, m.Y0+s*r*mid)
				if there && is == dark {
					lo = mid
				} else {
					hi = mid
				}
				if there && is {
					q = at.at
				}
			}
			return q, true
		}
	}
	return q, false
}

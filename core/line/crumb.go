package line

import (
	"math"

	"mobanta/core/contour"
	"mobanta/core/disjoint"
	"mobanta/core/vec"
)

const (
	// crumb is how long a stroke that is joined to nothing must be for a hand to draw it, in its widths.
	crumb = 3
	// joins is how near its end must lie to another stroke to be joined to it, in pixels.
	joins = 1.5
)

// crumbs tells which curves no hand would draw: shorter than a few widths of their pen, all of them together that hang together,
// and joined to nothing else. Rings are none: an eye is small.
func (h *drawer) crumbs(curves []contour.Curve, ink []Ink) []bool {
	out := make([]bool, len(curves))
	length := make([]float32, len(curves))
	any := false
	from := 0
	for i := range curves {
		c := &curves[i]
		for k := 1; k < len(c.Places); k++ {
			length[i] += hypot(c.Places[k].X-c.Places[k-1].X, c.Places[k].Y-c.Places[k-1].Y)
		}
		if n := len(c.Places); n > 0 {
			wide := ink[from+n/2].Width * h.pens.Rows[c.Kind].Width * h.unit
			out[i] = !c.Closed && length[i] < crumb*wide
			any = any || out[i]
			from += n
		}
	}
	if !any {
		return out
	}
	type cell struct{ x, y int32 }
	at := func(x, y float32) cell {
		return cell{int32(math.Floor(float64(x / joins))), int32(math.Floor(float64(y / joins)))}
	}
	near := func(p, q *contour.Place) bool { return hypot(p.X-q.X, p.Y-q.Y) <= joins }
	type end struct {
		curve int32
		place *contour.Place
	}
	ends := map[cell][]end{} // that lie in a cell or beside it
	for i := range curves {
		if c := &curves[i]; out[i] {
			for _, p := range [2]*contour.Place{&c.Places[0], &c.Places[len(c.Places)-1]} {
				here := at(p.X, p.Y)
				for dy := int32(-1); dy <= 1; dy++ {
					for dx := int32(-1); dx <= 1; dx++ {
						there := cell{here.x + dx, here.y + dy}
						ends[there] = append(ends[there], end{int32(i), p})
					}
				}
			}
		}
	}
	sets := disjoint.New(len(curves))
	joined := make([]bool, len(curves))
	for i := range curves {
		c := &curves[i]
		for k := range c.Places {
			if p := &c.Places[k]; !out[i] {
				for _, e := range ends[at(p.X, p.Y)] {
					joined[e.curve] = joined[e.curve] || near(p, e.place)
				}
			} else if k == 0 || k == len(c.Places)-1 {
				for _, e := range ends[at(p.X, p.Y)] {
					if near(p, e.place) {
						sets.Join(int32(i), e.curve)
					}
				}
			}
		}
	}
	whole, bound := make([]float32, len(curves)), make([]bool, len(curves)) // of those that hang together
	for i := range curves {
		if out[i] {
			s := sets.Find(int32(i))
			whole[s], bound[s] = whole[s]+length[i], bound[s] || joined[i]
		}
	}
	from = 0
	for i := range curves {
		n := len(curves[i].Places)
		if out[i] {
			s := sets.Find(int32(i))
			wide := ink[from+n/2].Width * h.pens.Rows[curves[i].Kind].Width * h.unit
			out[i] = !bound[s] && whole[s] < crumb*wide
		}
		from += n
	}
	return out
}

func hypot(x, y float32) float32 { return vec.Sqrt(x*x + y*y) }

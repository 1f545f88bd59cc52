package contour

import (
	"math"

	"mobanta/core/stage"
	"mobanta/core/vec"
)

// arc is a side of a triangle bent to meet the normals at its ends (after Vlachos, Peters, Boyd and Mitchell
// 2001, whose control points lie too near for wide turns).
type arc struct {
	p [4]vec.V // control points of a cubic
	n [2]vec.V
	m vec.V // the normal's control point in the middle
}

// curved returns the arc of a smooth edge.
func (f *finder) curved(e *edge) (a arc) {
	v, w := f.vertex(e, 0, 0), f.vertex(e, 0, 1)
	p, q := f.geo.Pos[v], f.geo.Pos[w]
	a.n = [2]vec.V{f.normal[v], f.normal[w]}
	d := q.Sub(p)
	// As long as the control points of a circle's arc are that turns as far.
	turned := math.Acos(float64(max(-1, min(1, a.n[0].Dot(a.n[1])))))
	reach := d.Len() / 3 / float32(math.Pow(math.Cos(turned/4), 2))
	t, u := d.Sub(a.n[0].Mul(d.Dot(a.n[0]))).Unit(), d.Sub(a.n[1].Mul(d.Dot(a.n[1]))).Unit()
	a.p = [4]vec.V{p, p.Add(t.Mul(reach)), q.Sub(u.Mul(reach)), q}
	sum := a.n[0].Add(a.n[1])
	if square := d.Dot(d); square > 0 {
		sum = sum.Sub(d.Mul(2 * d.Dot(sum) / square))
	}
	a.m = sum.Unit()
	return a
}

func (a *arc) at(t float32) (p, n vec.V) {
	s := 1 - t
	for k := range 3 {
		p[k] = s*s*s*a.p[0][k] + 3*s*s*t*a.p[1][k] + 3*s*t*t*a.p[2][k] + t*t*t*a.p[3][k]
		n[k] = s*s*a.n[0][k] + 2*s*t*a.m[k] + t*t*a.n[1][k]
	}
	return p, n.Unit()
}

// root returns where the arc turns away from the eye (by the rule of false position, after Dowell and
// Jarratt 1971).
func (a *arc) root(v *stage.View) float32 {
	value := func(t float32) float32 {
		p, n := a.at(t)
		return n.Dot(toEye(v, p).Unit())
	}
	lo, hi := float32(0), float32(1)
	flo, fhi := value(lo), value(hi)
	if (flo > 0) == (fhi > 0) {
		return 0.5
	}
	t := float32(0.5)
	for range 12 {
		t = lo + (hi-lo)*flo/(flo-fhi)
		f := value(t)
		if f > -2e-5 && f < 2e-5 {
			break
		}
		if (f > 0) == (flo > 0) {
			lo, flo = t, f
			fhi /= 2
		} else {
			hi, fhi = t, f
			flo /= 2
		}
	}
	return max(0, min(1, t))
}

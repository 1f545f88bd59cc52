package diffgeom

import (
	"fmt"

	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Bends is how a surface bends at each vertex, every way along it: the second fundamental form as a
// symmetric tensor in space, xx, yy, zz, xy, xz, yz, in one by the unit of length; positive where the
// surface bulges.
type Bends [][6]float32

// BendsOf returns how a shape bends, smoothed over a radius; creases part it. It is kept with the
// surface, and must not be changed.
func BendsOf(sh *shape.Shape, radius float64, workers int) Bends {
	made, _ := sh.Rest.Keep(fmt.Sprintf("bends %g %s", radius, sh.Key), func() (any, error) {
		s := NewSheet(sh, true)
		var tensor [6][]float64
		for k := range tensor {
			tensor[k] = make([]float64, len(s.Area))
		}
		eachBend(sh, func(t [3]int32, u, v vec.V, area, e, g, m float64) {
			for k := range t { // e·uu + g·vv + m·(uv + vu)
				add(&tensor, s.Of[t[k]], u, (e-m)*area/3)
				add(&tensor, s.Of[t[k]], v, (g-m)*area/3)
				add(&tensor, s.Of[t[k]], u.Add(v), m*area/3)
			}
		})
		s.spreadTensor(&tensor, radius, workers)
		out := make(Bends, len(sh.Pos))
		for v, i := range s.Of {
			for k := range tensor {
				out[v][k] = float32(tensor[k][i])
			}
		}
		return out, nil
	})
	return made.(Bends)
}

// eachBend calls f for each triangle that has an area, with two directions across each other in its plane and the second
// fundamental form along them: e and g along each, m for both.
func eachBend(sh *shape.Shape, f func(t [3]int32, u, v vec.V, area, e, g, m float64)) {
	for _, t := range sh.Rest.Tri {
		p := [3]vec.V{sh.Pos[t[0]], sh.Pos[t[1]], sh.Pos[t[2]]}
		a := area(sh, t)
		e1 := p[1].Sub(p[0])
		u := e1.Unit()
		v := e1.Cross(p[2].Sub(p[0])).Cross(e1).Unit()
		if !(a > 0) || u == (vec.V{}) || v == (vec.V{}) {
			continue
		}
		if e, g, m, ok := second(p, [3]vec.V{sh.Normal[t[0]], sh.Normal[t[1]], sh.Normal[t[2]]}, u, v); ok {
			f(t, u, v, a, e, g, m)
		}
	}
}

// Along returns by how much the surface bends at a vertex in a direction, which need not be unit:
// its curvature there, times the square of the direction's length.
func (b Bends) Along(vertex int32, d vec.V) float32 {
	t := &b[vertex]
	return d[0]*d[0]*t[0] + d[1]*d[1]*t[1] + d[2]*d[2]*t[2] + 2*(d[0]*d[1]*t[3]+d[0]*d[2]*t[4]+d[1]*d[2]*t[5])
}

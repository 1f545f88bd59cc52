package diffgeom

import (
	"math"

	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Tangents are, per vertex of a shape, the direction in which the first texture coordinate
// grows along the surface, at right angles to the normal, and on which side of it the
// second grows: 1 or -1, as MikkTSpace (Mikkelsen 2008) has them: the directions of the
// triangles about, those of the same hand, by their angles at the vertex. They are zero
// where coordinates say nothing.
type Tangents struct {
	Along []vec.V
	Side  []float32
}

// TangentsOf returns the tangents of a shape; nil if it has no texture coordinates. They
// are kept with the surface, and must not be changed.
func TangentsOf(sh *shape.Shape) *Tangents {
	uv := sh.Rest.UV
	if uv == nil {
		return nil
	}
	made, _ := sh.Rest.Keep("tangents "+sh.Key, func() (any, error) {
		n := len(sh.Pos)
		var sum [2][]vec.V // of those whose second coordinate grows to the left, to the right
		for k := range sum {
			sum[k] = make([]vec.V, n)
		}
		for _, t := range sh.Rest.Tri {
			e1, e2 := sh.Pos[t[1]].Sub(sh.Pos[t[0]]), sh.Pos[t[2]].Sub(sh.Pos[t[0]])
			u1, v1, u2, v2 := uv[t[1]][0]-uv[t[0]][0], uv[t[1]][1]-uv[t[0]][1], uv[t[2]][0]-uv[t[0]][0], uv[t[2]][1]-uv[t[0]][1]
			area := u1*v2 - u2*v1
			if area == 0 || area != area {
				continue
			}
			hand := 0
			if area < 0 {
				hand = 1
			}
			way := e1.Mul(v2).Sub(e2.Mul(v1)).Mul(1 / area).Unit()
			for k := range 3 {
				a, b := sh.Pos[t[(k+1)%3]].Sub(sh.Pos[t[k]]).Unit(), sh.Pos[t[(k+2)%3]].Sub(sh.Pos[t[k]]).Unit()
				normal := sh.Normal[t[k]]
				flat := way.Sub(normal.Mul(way.Dot(normal))).Unit()
				angle := float32(math.Acos(float64(max(-1, min(1, a.Dot(b))))))
				sum[hand][t[k]] = sum[hand][t[k]].Add(flat.Mul(angle))
			}
		}
		out := &Tangents{make([]vec.V, n), make([]float32, n)}
		for v := range out.Along {
			out.Side[v] = 1
			if sum[1][v].Dot(sum[1][v]) > sum[0][v].Dot(sum[0][v]) {
				sum[0][v], out.Side[v] = sum[1][v], -1
			}
			out.Along[v] = sum[0][v].Unit()
		}
		return out, nil
	})
	return made.(*Tangents)
}

// Package diffgeom reads how a surface bends, and what simple form it has: curvature, normals smoothed along it, and balls,
// eggs, capsules and planes that fit it. All is in the space of the model; lengths are in its units.
package diffgeom

import (
	"fmt"
	"math"

	"mobanta/core/parallel"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Sheet is a surface as one piece: vertices that stand at one place are one knot of it,
// or, where creases part it, those that share a normal too.
type Sheet struct {
	Of   []int32 // vertex → knot
	Area []float64

	start []int32 // knot, and one more → its links
	to    []int32
	pull  []float64 // weight of each link, at least 0
}

// NewSheet returns the sheet of a shape; parted, its creases are borders.
func NewSheet(sh *shape.Shape, parted bool) *Sheet {
	of, n := knots(sh, parted)
	s := &Sheet{Of: of}
	s.Area = make([]float64, n)
	count := make([]int32, n+1)
	tris := sh.Rest.Tri
	for _, t := range tris {
		for k := range 3 {
			count[s.Of[t[k]]] += 2
		}
	}
	s.start = make([]int32, n+1)
	for k := range n {
		s.start[k+1] = s.start[k] + count[k]
	}
	s.to, s.pull = make([]int32, s.start[n]), make([]float64, s.start[n])
	fill := append([]int32(nil), s.start[:n]...)
	link := func(a, b int32, w float64) {
		s.to[fill[a]], s.pull[fill[a]] = b, w
		fill[a]++
	}
	for _, t := range tris {
		a := area(sh, t)
		for k := range 3 {
			s.Area[s.Of[t[k]]] += a / 3
			// Half the cotangent of the angle across from an edge (Pinkall and Polthier
			// 1993), none where it is blunt, so that nothing is ever overshot.
			i, j := s.Of[t[(k+1)%3]], s.Of[t[(k+2)%3]]
			w := 0.0
			if a > 0 {
				p := sh.Pos[t[k]]
				w = max(0, float64(sh.Pos[t[(k+1)%3]].Sub(p).Dot(sh.Pos[t[(k+2)%3]].Sub(p)))/(4*a))
			}
			if i == j || !(w < 1e6) {
				w = 0
			}
			link(i, j, w)
			link(j, i, w)
		}
	}
	return s
}

// knots returns for each vertex the number of its knot, and how many there are.
func knots(sh *shape.Shape, parted bool) (of []int32, n int) {
	type at struct{ p, n vec.V }
	known := make(map[at]int32, len(sh.Pos))
	of = make([]int32, len(sh.Pos))
	for v, p := range sh.Pos {
		key := at{p: p}
		if parted {
			key.n = sh.Normal[v]
		}
		k, ok := known[key]
		if !ok {
			k = int32(len(known))
			known[key] = k
		}
		of[v] = k
	}
	return of, len(known)
}

// area returns the area of a triangle.
func area(sh *shape.Shape, t [3]int32) float64 {
	a := sh.Pos[t[0]]
	l := float64(sh.Pos[t[1]].Sub(a).Cross(sh.Pos[t[2]].Sub(a)).Len()) / 2
	if !(l < math.MaxFloat32) {
		return 0
	}
	return l
}

// steps is in how many equal times heat spreads; the more, the more its spread is that of
// a bell.
const steps = 2

// Spread smooths values at the knots along the sheet, in place, over a radius: as heat
// spreads in the time after which it has come half a radius, root mean square. The
// mean over the area stays. It solves implicit steps by conjugate gradients.
func (s *Sheet) Spread(values []float64, radius float64, workers int) {
	time := radius * radius / 16 / steps
	if !(time > 0) {
		return
	}
	h := s.heat(time)
	mass, diag := h.mass, h.diag
	n := len(values)
	over := stretches(n, workers)
	r, z, d, q := make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
	apply := func(x, out []float64, i int) {
		v := mass[i] * x[i]
		for l := h.start[i]; l < h.start[i+1]; l++ {
			v += h.weight[l] * (x[i] - x[h.to[l]])
		}
		out[i] = v
	}
	for range steps {
		// What is sought begins as what there is, so that what is even stays so.
		rz := over(func(lo, hi int) (sum float64) {
			for i := lo; i < hi; i++ {
				apply(values, q, i)
				r[i] = mass[i]*values[i] - q[i]
				z[i] = r[i] / diag[i]
				d[i] = z[i]
				sum += r[i] * z[i]
			}
			return sum
		})
		first := rz
		for range 300 {
			if !(rz > first*1e-14) || rz < 1e-290 {
				break
			}
			dq := over(func(lo, hi int) (sum float64) {
				for i := lo; i < hi; i++ {
					apply(d, q, i)
					sum += d[i] * q[i]
				}
				return sum
			})
			if !(dq > 0) {
				break
			}
			alpha := rz / dq
			next := over(func(lo, hi int) (sum float64) {
				for i := lo; i < hi; i++ {
					values[i] += alpha * d[i]
					r[i] -= alpha * q[i]
					z[i] = r[i] / diag[i]
					sum += r[i] * z[i]
				}
				return sum
			})
			beta := next / rz
			rz = next
			over(func(lo, hi int) float64 {
				for i := lo; i < hi; i++ {
					d[i] = z[i] + beta*d[i]
				}
				return 0
			})
		}
	}
}

// SpreadThree spreads three lists of values as Spread does each, to the bit, in one go: what takes the time is to fetch the
// links and the neighbours, which is done once for all three.
func (s *Sheet) SpreadThree(values [3][]float64, radius float64, workers int) {
	time := radius * radius / 16 / steps
	if !(time > 0) {
		return
	}
	h := s.heat(time)
	mass, diag := h.mass, h.diag
	n := len(mass)
	over := stretchesOfThree(n, workers)
	x, r, z, d, q := make([][3]float64, n), make([][3]float64, n), make([][3]float64, n), make([][3]float64, n), make([][3]float64, n)
	for i := range x {
		x[i] = [3]float64{values[0][i], values[1][i], values[2][i]}
	}
	for range steps {
		rz := over(func(lo, hi int) (sum [3]float64) {
			h.applyThree(x, q, lo, hi)
			for i := lo; i < hi; i++ {
				for k := range 3 {
					r[i][k] = mass[i]*x[i][k] - q[i][k]
					z[i][k] = r[i][k] / diag[i]
					d[i][k] = z[i][k]
					sum[k] += r[i][k] * z[i][k]
				}
			}
			return sum
		})
		first := rz
		on := [3]bool{true, true, true}
		for range 300 {
			for k := range on {
				on[k] = on[k] && rz[k] > first[k]*1e-14 && !(rz[k] < 1e-290)
			}
			if on == ([3]bool{}) {
				break
			}
			dq := over(func(lo, hi int) (sum [3]float64) {
				h.applyThree(d, q, lo, hi)
				for i := lo; i < hi; i++ {
					for k := range 3 {
						sum[k] += d[i][k] * q[i][k]
					}
				}
				return sum
			})
			var alpha [3]float64
			for k := range on {
				on[k] = on[k] && dq[k] > 0
				alpha[k] = rz[k] / dq[k]
			}
			next := over(func(lo, hi int) (sum [3]float64) {
				for i := lo; i < hi; i++ {
					x, r, z, d, q := &x[i], &r[i], &z[i], &d[i], &q[i]
					for k := range 3 {
						if on[k] {
							x[k] += alpha[k] * d[k]
							r[k] -= alpha[k] * q[k]
							z[k] = r[k] / diag[i]
							sum[k] += r[k] * z[k]
						}
					}
				}
				return sum
			})
			var beta [3]float64
			for k := range on {
				beta[k], rz[k] = next[k]/rz[k], next[k]
			}
			over(func(lo, hi int) (sum [3]float64) {
				for i := lo; i < hi; i++ {
					for k := range 3 {
						if on[k] {
							d[i][k] = z[i][k] + beta[k]*d[i][k]
						}
					}
				}
				return sum
			})
		}
	}
	for i, v := range x {
		values[0][i], values[1][i], values[2][i] = v[0], v[1], v[2]
	}
}

// heat is the matrix of an implicit step of heat: areas on its diagonal, and a weight for each pair of knots with a link.
type heat struct {
	mass, diag []float64 // of each knot: its area, a little above 0, and that with the weights of its links
	start      []int32   // knot, and one more → its links
	to         []int32
	weight     []float64 // above 0
}

// heat returns the matrix for a step of some time. The two triangles at an edge bring a link each: they become one, and what
// pulls at nothing is left out, as what the solvers do most is to fetch links.
func (s *Sheet) heat(time float64) *heat {
	least := 0.0 // area of knots that no triangle has would make the sum singular
	for _, a := range s.Area {
		least += a
	}
	n := len(s.Area)
	least = least/float64(n)*1e-9 + 1e-300
	h := &heat{mass: make([]float64, n), diag: make([]float64, n), start: make([]int32, n+1)}
	at := make([]int, n) // 1 more than where the link to a knot stands
	for k := range n {
		h.mass[k] = s.Area[k] + least
		h.diag[k] = h.mass[k]
		first := len(h.to)
		for l := s.start[k]; l < s.start[k+1]; l++ {
			w := time * s.pull[l]
			if !(w > 0) {
				continue
			}
			h.diag[k] += w
			if i := at[s.to[l]] - 1; i >= first {
				h.weight[i] += w
				continue
			}
			h.to, h.weight = append(h.to, s.to[l]), append(h.weight, w)
			at[s.to[l]] = len(h.to)
		}
		h.start[k+1] = int32(len(h.to))
	}
	return h
}

// applyThree puts, for the knots from lo up to hi, the product of the matrix and x into out.
func (h *heat) applyThree(x, out [][3]float64, lo, hi int) {
	for i := lo; i < hi; i++ {
		m, v := h.mass[i], &x[i]
		v0, v1, v2 := v[0], v[1], v[2]
		s0, s1, s2 := m*v0, m*v1, m*v2
		from, end := h.start[i], h.start[i+1]
		to, w := h.to[from:end], h.weight[from:end]
		for l, j := range to {
			y, w := &x[j], w[l]
			s0 += w * (v0 - y[0])
			s1 += w * (v1 - y[1])
			s2 += w * (v2 - y[2])
		}
		out[i] = [3]float64{s0, s1, s2}
	}
}

// spreadTensor makes of a symmetric tensor summed at the knots its mean over their areas, spread over a radius; in place.
func (s *Sheet) spreadTensor(sum *[6][]float64, radius float64, workers int) {
	for k := range sum {
		for i, a := range s.Area {
			if a > 0 {
				sum[k][i] /= a
			}
		}
	}
	s.SpreadThree([3][]float64(sum[:3]), radius, workers)
	s.SpreadThree([3][]float64(sum[3:]), radius, workers)
}

// Smooth returns, per vertex, the normals of a shape smoothed along it over a radius,
// creases included. Where they come to nothing a normal stays as it was. What is
// returned is shared: it must not be changed.
func Smooth(sh *shape.Shape, radius float64, workers int) []vec.V {
	made, _ := sh.Rest.Keep(fmt.Sprintf("smooth %g %s", radius, sh.Key), func() (any, error) { return smooth(sh, radius, workers), nil })
	return made.([]vec.V)
}

func smooth(sh *shape.Shape, radius float64, workers int) []vec.V {
	s := NewSheet(sh, false)
	var sum [3][]float64
	for k := range sum {
		sum[k] = make([]float64, len(s.Area))
	}
	for _, t := range sh.Rest.Tri {
		a := area(sh, t)
		for _, v := range t {
			for k := range sum {
				sum[k][s.Of[v]] += a * float64(sh.Normal[v][k])
			}
		}
	}
	for k := range sum {
		for i, a := range s.Area {
			if a > 0 {
				sum[k][i] /= 3 * a
			}
		}
	}
	s.SpreadThree(sum, radius, workers)
	out := make([]vec.V, len(sh.Pos))
	for v := range out {
		i := s.Of[v]
		x, y, z := sum[0][i], sum[1][i], sum[2][i]
		l := math.Sqrt(x*x + y*y + z*z)
		if !(l > 1e-9) {
			out[v] = sh.Normal[v]
			continue
		}
		out[v] = vec.V{float32(x / l), float32(y / l), float32(z / l)}
	}
	return out
}

// stretchesOfThree is stretches for three sums at once.
func stretchesOfThree(n, workers int) (over func(f func(lo, hi int) [3]float64) (sum [3]float64)) {
	jobs := (n + chunk - 1) / chunk
	part := make([][3]float64, jobs)
	return func(f func(lo, hi int) [3]float64) (sum [3]float64) {
		parallel.Do(workers, jobs, func(j int) { part[j] = f(j*chunk, min(n, (j+1)*chunk)) })
		for _, p := range part {
			for k := range sum {
				sum[k] += p[k]
			}
		}
		return sum
	}
}

// chunk is how long stretches are.
const chunk = 4096

// stretches returns what runs f on stretches of n numbers, on several cores, and adds up what it
// returns in their order, so that the sum is the same on any number of them.
func stretches(n, workers int) (over func(f func(lo, hi int) float64) (sum float64)) {
	jobs := (n + chunk - 1) / chunk
	part := make([]float64, jobs)
	return func(f func(lo, hi int) float64) (sum float64) {
		parallel.Do(workers, jobs, func(j int) { part[j] = f(j*chunk, min(n, (j+1)*chunk)) })
		for _, p := range part {
			sum += p
		}
		return sum
	}
}

// Package trace answers whether anything stands between a place and a light.
package trace

import (
	"math"

	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Sun answers for one direction of parallel light. All its rays run alongside
// each other, so that a ray is a single place in the plane across them: the
// triangles are sorted into a grid over that plane, and a question looks at the
// few of one cell. The answer is exact, the same as that of a ray against every
// triangle. A Sun never changes once built and is safe for use by several
// goroutines.
type Sun struct {
	u, v, dir vec.V // across the light, and towards it
	mid       vec.V
	x0, y0    float32
	scale     float32 // cells in a unit
	n         int     // cells along a side
	top       []float32
	start     []int32 // of each cell's run in list
	list      []flat  // copies, so that a cell lies together in memory
}

// flat is a triangle in the plane across the light: a corner, the matrix that
// takes an offset from it to barycentric weights, and the height along the light.
type flat struct {
	x, y           float32
	ux, uy, vx, vy float32
	h, hu, hv, top float32
}

// reach is the cells of a triangle's box; none if i0 > i1.
type reach struct{ i0, i1, j0, j1 int16 }

const (
	minCells   = 16
	maxCells   = 1024
	maxEntries = 4_000_000 // in all cells; a coarser grid is taken beyond
	slack      = 2e-6      // of a triangle's size, so that no light leaks between two
)

// NewSun sorts the triangles of geo for light from direction dir, a unit vector
// towards the light, on up to workers cores.
func NewSun(geo *stage.Geometry, dir vec.V, workers int) *Sun {
	side := vec.V{0, 1, 0}
	if dir[1] > 0.9 || dir[1] < -0.9 {
		side = vec.V{1, 0, 0}
	}
	s := &Sun{dir: dir, u: side.Cross(dir).Unit(), mid: geo.Box.Center()}
	s.v = dir.Cross(s.u)
	nt := len(geo.Tri)
	if nt == 0 {
		return s
	}
	tris, reaches := make([]flat, nt), make([]reach, nt)
	x1, y1 := float32(-math.MaxFloat32), float32(-math.MaxFloat32)
	s.x0, s.y0 = math.MaxFloat32, math.MaxFloat32
	for _, c := range geo.Box.Corners() {
		x, y, _ := s.place(c)
		s.x0, s.y0, x1, y1 = min(s.x0, x), min(s.y0, y), max(x1, x), max(y1, y)
	}
	s.n = max(minCells, min(maxCells, int(2.5*math.Sqrt(float64(nt)))))
	size := max(x1-s.x0, y1-s.y0) * 1.0001
	if !(size > 0) {
		size = 1
	}
	place := make([][3]float32, len(geo.Pos))
	sample.Parallel(workers, (len(place)+8191)/8192, func(job int) {
		for i := job * 8192; i < min(len(place), (job+1)*8192); i++ {
			x, y, h := s.place(geo.Pos[i])
			place[i] = [3]float32{x, y, h}
		}
	})
	for {
		s.scale = float32(s.n) / size
		total := make([]int, (nt+8191)/8192)
		sample.Parallel(workers, len(total), func(job int) {
			for i := job * 8192; i < min(nt, (job+1)*8192); i++ {
				t := geo.Tri[i]
				total[job] += s.flatten(&tris[i], &reaches[i], &place[t[0]], &place[t[1]], &place[t[2]])
			}
		})
		sum := 0
		for _, v := range total {
			sum += v
		}
		if sum <= maxEntries || s.n == 1 {
			s.fill(tris, reaches, sum)
			return s
		}
		s.n = max(1, s.n/2)
	}
}

func (s *Sun) place(p vec.V) (x, y, h float32) {
	q := p.Sub(s.mid)
	return q.Dot(s.u), q.Dot(s.v), q.Dot(s.dir)
}

// flatten makes one triangle ready and returns how many cells it touches.
func (s *Sun) flatten(f *flat, r *reach, a, b, c *[3]float32) int {
	e1x, e1y, e2x, e2y := b[0]-a[0], b[1]-a[1], c[0]-a[0], c[1]-a[1]
	det := e1x*e2y - e1y*e2x
	*f = flat{x: a[0], y: a[1], h: a[2], hu: b[2] - a[2], hv: c[2] - a[2], top: max(a[2], b[2], c[2])}
	inv := 1 / det
	if det == 0 || inv-inv != 0 {
		*r = reach{1, 0, 1, 0} // it has no breadth across the light
		return 0
	}
	f.ux, f.uy, f.vx, f.vy = e2y*inv, -e2x*inv, -e1y*inv, e1x*inv
	*r = reach{s.cell(min(a[0], b[0], c[0]) - s.x0), s.cell(max(a[0], b[0], c[0]) - s.x0),
		s.cell(min(a[1], b[1], c[1]) - s.y0), s.cell(max(a[1], b[1], c[1]) - s.y0)}
	return (int(r.i1) - int(r.i0) + 1) * (int(r.j1) - int(r.j0) + 1)
}

func (s *Sun) cell(d float32) int16 { return int16(max(0, min(s.n-1, int(d*s.scale)))) }

// fill lists the triangles of every cell.
func (s *Sun) fill(tris []flat, reaches []reach, total int) {
	cells := s.n * s.n
	s.start, s.list, s.top = make([]int32, cells+1), make([]flat, total), make([]float32, cells)
	for i := range s.top {
		s.top[i] = -math.MaxFloat32
	}
	each := func(f func(cell int, t *flat)) {
		for i, r := range reaches {
			for j := int(r.j0); j <= int(r.j1); j++ {
				for c := j*s.n + int(r.i0); c <= j*s.n+int(r.i1); c++ {
					f(c, &tris[i])
				}
			}
		}
	}
	each(func(c int, t *flat) {
		s.start[c+1]++
		s.top[c] = max(s.top[c], t.top)
	})
	for c := range cells {
		s.start[c+1] += s.start[c]
	}
	at := append([]int32(nil), s.start...)
	each(func(c int, t *flat) {
		s.list[at[c]] = *t
		at[c]++
	})
}

// Hidden tells whether a triangle lies between p and the light.
func (s *Sun) Hidden(p vec.V) bool {
	if len(s.start) == 0 {
		return false
	}
	x, y, h := s.place(p)
	fi, fj := (x-s.x0)*s.scale, (y-s.y0)*s.scale
	if !(fi >= 0 && fj >= 0 && fi < float32(s.n) && fj < float32(s.n)) {
		return false
	}
	c := int(fj)*s.n + int(fi)
	if s.top[c] <= h {
		return false
	}
	cell := s.list[s.start[c]:s.start[c+1]]
	for i := range cell {
		if f := &cell[i]; f.top > h && f.over(x, y, h) {
			return true
		}
	}
	return false
}

// over tells whether the triangle covers (x, y) above the height h.
func (f *flat) over(x, y, h float32) bool {
	dx, dy := x-f.x, y-f.y
	u := dx*f.ux + dy*f.uy
	if u < -slack || u > 1+slack {
		return false
	}
	v := dx*f.vx + dy*f.vy
	return v >= -slack && u+v <= 1+slack && f.h+u*f.hu+v*f.hv > h
}

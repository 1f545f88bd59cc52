package unwrap

import (
	"context"
	"math"
	"slices"

	"mobanta/core/disjoint"
)

// What a chart must keep to be taken as it lies.
const (
	maxStretch = 1.25 // of a chart that can be parted
	easing     = 12   // rounds of Liu et al.
	solving    = 200  // rounds of conjugate gradients in each
)

// flatten lays a chart flat: seen along its axis first, and then as rigidly as can be (Liu, Zhang, Xu, Gotsman and
// Gortler, A local/global approach to mesh parameterization, 2008). It is good if no triangle is turned over and its border
// does not cross itself: what is turned over nowhere and has a border that winds once has no place twice.
//
// For each of its triangles so many links between vertices are looked at, at most, however many are wanted; it returns how
// many were in all.
func (w *work) flatten(ctx context.Context, c *chart, most int) (looked int) {
	w.parts(c)
	c.project()
	plain := slices.Clone(c.uv)
	projected := c.turned() == 0
	if !c.even() && most > 0 {
		looked = c.rigid(ctx, most*len(c.tri))
	}
	if c.turned() > 0 || c.blown() {
		c.uv = plain
		if !projected {
			return looked
		}
	}
	if !c.crosses() {
		c.good = len(c.faces) == 1 || c.stretch() <= maxStretch
	}
	return looked
}

// fold lays a face that cannot be seen as it is: a polygon whose border crosses itself, or that has no area. Its corners lie
// on a circle, so that its triangles lie beside each other however they were cut.
func (w *work) fold(c *chart) {
	c.good = true
	next := map[int32]int32{}
	for _, e := range c.border() {
		next[e[0]] = e[1]
	}
	var loop []int32
	if len(c.tri) > 0 {
		for v, start := c.tri[0][0], c.tri[0][0]; len(loop) <= len(c.pos); {
			loop = append(loop, v)
			n, ok := next[v]
			if !ok || n == start {
				break
			}
			v = n
		}
	}
	c.uv = make([][2]float64, len(c.pos))
	if len(loop) != len(c.pos) {
		return // all at one place
	}
	area := 0.0
	for _, f := range c.faces {
		area += w.faces[f].area
	}
	r := math.Sqrt(area / math.Pi)
	for i, v := range loop {
		a := 2 * math.Pi * float64(i) / float64(len(loop))
		c.uv[v] = [2]float64{r * math.Cos(a), r * math.Sin(a)}
	}
}

// parts makes the chart a mesh of its own: corners are one vertex where edges join them, so a place at which two pieces
// touch in a point alone is two.
func (w *work) parts(c *chart) {
	c.tris = c.tris[:0]
	for _, f := range c.faces {
		c.tris = append(c.tris, w.tris[f]...)
	}
	at := make(map[int32]int32, len(c.tris)) // triangle of the surface → of the chart
	for i, t := range c.tris {
		at[t] = int32(i)
	}
	corners := disjoint.New(3 * len(c.tris)) // those that are one vertex
	for i, t := range c.tris {
		for k := range int32(3) {
			o := w.beside[t][k]
			j, in := at[o]
			if o < 0 || !in || o < t {
				continue
			}
			p, q := w.weld[w.s.Tri[t][k]], w.weld[w.s.Tri[t][(k+1)%3]]
			for m := range int32(3) {
				if w.weld[w.s.Tri[o][m]] == q && w.weld[w.s.Tri[o][(m+1)%3]] == p {
					corners.Join(int32(3*i)+k, 3*j+(m+1)%3)
					corners.Join(int32(3*i)+(k+1)%3, 3*j+m)
				}
			}
		}
	}
	number := map[int32]int32{}
	c.tri, c.pos = make([][3]int32, len(c.tris)), nil
	for i, t := range c.tris {
		for k := range int32(3) {
			r := corners.Find(int32(3*i) + k)
			v, ok := number[r]
			if !ok {
				v = int32(len(c.pos))
				number[r] = v
				c.pos = append(c.pos, w.corner(int(t), int(k)))
			}
			c.tri[i][k] = v
		}
	}
}

// project lays the chart as it is seen along its axis.
func (c *chart) project() {
	n := c.axis
	side := direction{1, 0, 0}
	if n[0]*n[0] > 0.5 {
		side = direction{0, 1, 0}
	}
	x := side.plus(n, -side.dot(n)).unit()
	y := cross(n, x)
	c.uv = make([][2]float64, len(c.pos))
	for i, p := range c.pos {
		c.uv[i] = [2]float64{p.dot(x), p.dot(y)}
	}
}

// area returns twice the area of triangle i in space.
func (c *chart) area(i int) float64 {
	t := c.tri[i]
	n := cross(c.pos[t[1]].plus(c.pos[t[0]], -1), c.pos[t[2]].plus(c.pos[t[0]], -1))
	return math.Sqrt(n.dot(n))
}

// turned returns how many triangles are turned over, or have lost their area; slivers do not count.
func (c *chart) turned() (n int) {
	least := 0.0
	for i := range c.tri {
		least += c.area(i)
	}
	least *= 1e-9 / float64(max(1, len(c.tri)))
	for i, t := range c.tri {
		if a := c.area(i); a > least && !(area2(c.uv[t[0]], c.uv[t[1]], c.uv[t[2]]) > a*1e-3) {
			n++
		}
	}
	return n
}

// blown tells whether the chart's area is nowhere near what it is in space, as where rounding has won.
func (c *chart) blown() bool {
	var space, flat float64
	for i, t := range c.tri {
		space, flat = space+c.area(i), flat+math.Abs(area2(c.uv[t[0]], c.uv[t[1]], c.uv[t[2]]))
	}
	return !(flat > space/4 && flat < space*4)
}

// even tells whether the chart, as it is seen along its axis, keeps all lengths: it is flat.
func (c *chart) even() bool {
	for i, t := range c.tri {
		if area2(c.uv[t[0]], c.uv[t[1]], c.uv[t[2]]) < c.area(i)*(1-1e-5) {
			return false
		}
	}
	return true
}

// stretch is Stretch of the chart alone.
func (c *chart) stretch() float64 {
	var sum, space, flat float64
	for i, t := range c.tri {
		a, b := c.area(i), area2(c.uv[t[0]], c.uv[t[1]], c.uv[t[2]])
		if !(a > 0) || !(b > 0) {
			continue
		}
		x, y, z := c.uv[t[0]], c.uv[t[1]], c.uv[t[2]]
		var q float64
		for k := range 3 {
			p0, p1, p2 := c.pos[t[0]][k], c.pos[t[1]][k], c.pos[t[2]][k]
			s := (p0*(y[1]-z[1]) + p1*(z[1]-x[1]) + p2*(x[1]-y[1])) / b
			r := (p0*(z[0]-y[0]) + p1*(x[0]-z[0]) + p2*(y[0]-x[0])) / b
			q += (s*s + r*r) / 2
		}
		sum, space, flat = sum+q*a, space+a, flat+b
	}
	if !(space > 0) {
		return 1
	}
	return math.Sqrt(sum/space) * math.Sqrt(flat/space)
}

// link is what one vertex is to another in the sum that is made least.
type link struct {
	to     int32
	weight float64
}

// rigid moves the vertices so that each triangle is as nearly as can be what it is in space, turned. It looks at links most
// times, about, and returns how often it did.
func (c *chart) rigid(ctx context.Context, most int) (looked int) {
	n := len(c.pos)
	type flatTriangle struct {
		x   [3][2]float64 // laid flat by itself
		cot [3]float64    // of the angle across from edge k to k+1
	}
	rest := make([]flatTriangle, len(c.tri))
	weights := make([]map[int32]float64, n)
	for i := range weights {
		weights[i] = map[int32]float64{}
	}
	for i, t := range c.tri {
		a := c.pos[t[0]]
		e, f := c.pos[t[1]].plus(a, -1), c.pos[t[2]].plus(a, -1)
		long := math.Sqrt(e.dot(e))
		if !(long > 0) {
			continue
		}
		x := e.dot(f) / long
		y := c.area(i) / long
		r := &rest[i]
		r.x = [3][2]float64{{0, 0}, {long, 0}, {x, y}}
		for k := range 3 {
			p, q, o := r.x[k], r.x[(k+1)%3], r.x[(k+2)%3]
			ux, uy, vx, vy := p[0]-o[0], p[1]-o[1], q[0]-o[0], q[1]-o[1]
			cos, sin := ux*vx+uy*vy, math.Abs(ux*vy-uy*vx)
			cot := 1e3
			if sin > 1e-12*math.Abs(cos) {
				cot = cos / sin
			}
			r.cot[k] = max(0.02, min(50, cot)) // what is blunt pulls too, or the sum has no least
			v, u := t[k], t[(k+1)%3]
			weights[v][u] += r.cot[k]
			weights[u][v] += r.cot[k]
		}
	}
	links := make([][]link, n)
	diagonal := make([]float64, n)
	for i, m := range weights {
		for to, k := range m {
			links[i] = append(links[i], link{to, k})
		}
		slices.SortFunc(links[i], func(a, b link) int { return int(a.to - b.to) })
		for _, l := range links[i] {
			diagonal[i] += l.weight
		}
		if diagonal[i] == 0 {
			diagonal[i] = 1
		}
	}
	each := n // links, and one for the vertex itself
	for _, l := range links {
		each += len(l)
	}
	right := make([][2]float64, n)
	for k := range easing {
		rounds := min(solving, (most-looked)/each)
		if rounds < 1 || k > 0 && ctx.Err() != nil {
			break
		}
		clear(right)
		for i, t := range c.tri {
			r := &rest[i]
			var along, across float64
			for k := range 3 {
				v, u := t[k], t[(k+1)%3]
				dx, dy := c.uv[v][0]-c.uv[u][0], c.uv[v][1]-c.uv[u][1]
				ex, ey := r.x[k][0]-r.x[(k+1)%3][0], r.x[k][1]-r.x[(k+1)%3][1]
				along += r.cot[k] * (dx*ex + dy*ey)
				across += r.cot[k] * (dy*ex - dx*ey)
			}
			l := math.Hypot(along, across)
			if !(l > 0) {
				continue
			}
			cos, sin := along/l, across/l
			for k := range 3 {
				v, u := t[k], t[(k+1)%3]
				ex, ey := r.x[k][0]-r.x[(k+1)%3][0], r.x[k][1]-r.x[(k+1)%3][1]
				px, py := r.cot[k]*(cos*ex-sin*ey), r.cot[k]*(sin*ex+cos*ey)
				right[v][0], right[v][1] = right[v][0]+px, right[v][1]+py
				right[u][0], right[u][1] = right[u][0]-px, right[u][1]-py
			}
		}
		moved, done := solve(links, diagonal, right, c.uv, rounds)
		looked += done * each
		if moved < 1e-4 {
			break
		}
	}
	return looked
}

// solve finds the places for which each vertex, weighed against those that it is linked with, comes to what is on the
// right, from those that it is given (conjugate gradients, scaled by the diagonal), in so many rounds at most. It returns how
// far it moved them, by their extent, and after how many rounds.
func solve(links [][]link, diagonal []float64, right, uv [][2]float64, most int) (far float64, rounds int) {
	n := len(uv)
	times := func(out, in [][2]float64) {
		for i := range in {
			x, y := diagonal[i]*in[i][0], diagonal[i]*in[i][1]
			for _, l := range links[i] {
				x -= l.weight * in[l.to][0]
				y -= l.weight * in[l.to][1]
			}
			out[i] = [2]float64{x, y}
		}
	}
	dot := func(a, b [][2]float64) (s [2]float64) {
		for i := range a {
			s[0] += a[i][0] * b[i][0]
			s[1] += a[i][1] * b[i][1]
		}
		return s
	}
	r, z, p, ap := make([][2]float64, n), make([][2]float64, n), make([][2]float64, n), make([][2]float64, n)
	was := slices.Clone(uv)
	times(ap, uv)
	for i := range r {
		r[i] = [2]float64{right[i][0] - ap[i][0], right[i][1] - ap[i][1]}
		z[i] = [2]float64{r[i][0] / diagonal[i], r[i][1] / diagonal[i]}
	}
	copy(p, z)
	rz := dot(r, z)
	first := rz
	for ; rounds < most; rounds++ {
		if rz[0] <= 1e-10*first[0] && rz[1] <= 1e-10*first[1] {
			break
		}
		times(ap, p)
		pap := dot(p, ap)
		var step [2]float64
		for k := range step {
			if pap[k] > 1e-12*rz[k] { // else what is left is rounding: all moved alike
				step[k] = rz[k] / pap[k]
			}
		}
		for i := range uv {
			for k := range 2 {
				uv[i][k] += step[k] * p[i][k]
				r[i][k] -= step[k] * ap[i][k]
				z[i][k] = r[i][k] / diagonal[i]
			}
		}
		next := dot(r, z)
		var keep [2]float64
		for k := range keep {
			if rz[k] > 0 {
				keep[k] = next[k] / rz[k]
			}
		}
		for i := range p {
			p[i] = [2]float64{z[i][0] + keep[0]*p[i][0], z[i][1] + keep[1]*p[i][1]}
		}
		rz = next
	}
	moved, reach := 0.0, 0.0
	for i := range uv {
		moved = max(moved, math.Abs(uv[i][0]-was[i][0]), math.Abs(uv[i][1]-was[i][1]))
		reach = max(reach, math.Abs(uv[i][0]-uv[0][0]), math.Abs(uv[i][1]-uv[0][1]))
	}
	return moved / max(reach, 1e-30), rounds + 1
}

// border returns the edges that one triangle of the chart alone has.
func (c *chart) border() (out [][2]int32) {
	type edge [2]int32
	seen := make(map[edge]bool, 3*len(c.tri))
	for _, t := range c.tri {
		for k := range 3 {
			seen[edge{t[k], t[(k+1)%3]}] = true
		}
	}
	for _, t := range c.tri {
		for k := range 3 {
			if !seen[edge{t[(k+1)%3], t[k]}] {
				out = append(out, [2]int32{t[k], t[(k+1)%3]})
			}
		}
	}
	return out
}

// crosses tells whether the border of the chart crosses itself.
func (c *chart) crosses() bool {
	edges := c.border()
	if len(edges) == 0 {
		return true // it is closed: it cannot lie flat
	}
	lo, hi := c.bounds()
	cells := max(1, int(math.Sqrt(float64(len(edges)))))
	size := max(hi[0]-lo[0], hi[1]-lo[1]) / float64(cells)
	if !(size > 0) {
		return false
	}
	grid, left := map[[2]int32][]int32{}, meetings*len(edges)
	for i, e := range edges {
		a, b := c.uv[e[0]], c.uv[e[1]]
		if a[1] > b[1] {
			a, b = b, a
		}
		x, y := (a[0]-lo[0])/size, (a[1]-lo[1])/size
		dx, dy := (b[0]-a[0])/size, (b[1]-a[1])/size
		for row := int32(y); row <= int32(y+dy); row++ {
			// The cells of the row through which the edge goes, and a hair more.
			from, to := x, x+dx
			if dy > 0 {
				from, to = x+dx*max(0, min(1, (float64(row)-1e-6-y)/dy)), x+dx*max(0, min(1, (float64(row+1)+1e-6-y)/dy))
			}
			for at := int32(max(0, min(from, to)-1e-6)); at <= int32(max(from, to)+1e-6); at++ {
				cell := [2]int32{at, row}
				if left -= len(grid[cell]); left < 0 {
					return true // it cannot be told: what is parted has fewer
				}
				for _, j := range grid[cell] {
					if cross2(c.uv, e, edges[j]) {
						return true
					}
				}
				grid[cell] = append(grid[cell], int32(i))
			}
		}
	}
	return false
}

// cross2 tells whether two edges that share no vertex meet.
func cross2(uv [][2]float64, e, f [2]int32) bool {
	if e[0] == f[0] || e[0] == f[1] || e[1] == f[0] || e[1] == f[1] {
		return false
	}
	a, b, p, q := uv[e[0]], uv[e[1]], uv[f[0]], uv[f[1]]
	return (area2(a, b, p) > 0) != (area2(a, b, q) > 0) && (area2(p, q, a) > 0) != (area2(p, q, b) > 0)
}

// bounds returns the corners of the box about the chart.
func (c *chart) bounds() (lo, hi [2]float64) {
	lo, hi = [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, p := range c.uv {
		for k, v := range p {
			lo[k], hi[k] = min(lo[k], v), max(hi[k], v)
		}
	}
	return lo, hi
}

package mesh

import (
	"math"

	"mobanta/core/vec"
)

// Creases says which edges stay sharp when a mesh is subdivided, or gets normals.
type Creases string

// The ways to tell.
const (
	ByAngle Creases = ""     // edges that bend by more than an angle
	ByFile  Creases = "file" // edges at which the file's normals jump
	None    Creases = "none" // none but borders
)

// halves is a mesh as half edges: each runs along its face, from its vertex to the next
// one's. Faces of level 0 have any number; below they have as many as the scheme says.
type halves struct {
	vert  []int32
	twin  []int32 // the half that runs back along the same edge; -1 at a border
	next  []int32 // level 0 alone; nil where faces have side halves each
	prev  []int32
	side  int32
	sharp []bool
	uv    [][2]float32 // per half edge; nil if there are none
	pos   []place
	paint [][4]float32 // per vertex; nil if there are none
	part  []int32      // per face
	face  []int32      // per half edge; level 0 alone

	unit   float64 // see leaning
	corner []bool  // of the vertices of level 0: whether a crease turns sharply there; nil if that is not asked
}

// place is a position that can be summed up closely.
type place [3]float64

func (a place) add(b place) place   { return place{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }
func (a place) mul(k float64) place { return place{a[0] * k, a[1] * k, a[2] * k} }
func (a place) cross(b place) (c place) {
	return place{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}
func (a place) vec() vec.V { return vec.V{float32(a[0]), float32(a[1]), float32(a[2])} }

func (h *halves) after(i int32) int32 {
	if h.next != nil {
		return h.next[i]
	}
	if i%h.side == h.side-1 {
		return i - h.side + 1
	}
	return i + 1
}

func (h *halves) before(i int32) int32 {
	if h.prev != nil {
		return h.prev[i]
	}
	if i%h.side == 0 {
		return i + h.side - 1
	}
	return i - 1
}

func (h *halves) faceOf(i int32) int32 {
	if h.face != nil {
		return h.face[i]
	}
	return i / h.side
}

// Subdivide returns the mesh after so many steps of subdivision, its vertices at their
// places on the limit surface: by Catmull and Clark (1978), or where all faces are
// triangles by Loop (1987). Edges that creases tells of, and borders, stay sharp (Hoppe
// et al. 1994); where three and more of them meet, or one side of the surface meets itself
// the other way round, the vertex stays where it is. Texture coordinates and painted
// values are cut evenly. It does not take as many steps as would come to more than
// MaxTriangles, and returns how many it took.
func (m *Mesh) Subdivide(steps int, creases Creases, degrees float64) (*Mesh, int) {
	tris := true
	from := int32(0)
	for _, end := range m.FaceEnd {
		tris = tris && end-from == 3
		from = end
	}
	taken, faces := 0, m.Triangles()
	if !tris {
		faces = 2 * len(m.Corners) // a quadrilateral at each corner, four times as many at each step after
	} else {
		faces *= 4
	}
	for taken < steps && faces <= MaxTriangles {
		faces, taken = faces*4, taken+1
	}
	if taken == 0 {
		return m, 0
	}
	out := m.halves(creases, degrees).subdivided(m, taken, tris)
	out.Motion = m.Motion
	return out, taken
}

// subdivided returns the mesh after so many steps, with the parts of m.
func (h *halves) subdivided(m *Mesh, steps int, tris bool) *Mesh {
	for range steps {
		if tris {
			h = h.loop()
		} else {
			h = h.catmullClark()
		}
	}
	return h.mesh(m, tris)
}

// rough is a mesh before it is subdivided, so that it can be again once its positions are elsewhere: what is a crease is
// what was one at rest, so the positions that come out are the same ones.
type rough struct {
	mesh   *Mesh
	halves *halves
	steps  int
	tris   bool
	fit    bool    // whether it is drawn smooth: see Smooth
	field  *halves // then, of its normals
}

// at returns the positions of the subdivided mesh when those of the rough one are elsewhere.
func (r *rough) at(pos []vec.V) []vec.V {
	h := *r.halves
	h.pos = make([]place, len(pos))
	for i, p := range pos {
		h.pos[i] = place{float64(p[0]), float64(p[1]), float64(p[2])}
	}
	h.uv, h.paint = nil, nil
	if r.fit {
		return h.fit(r.tris).subdivided(r.mesh, r.steps, r.tris).Positions
	}
	return h.subdivided(r.mesh, r.steps, r.tris).Positions
}

// halves returns the mesh as half edges.
func (m *Mesh) halves(creases Creases, degrees float64) *halves {
	return newTopology(m).halves(m, creases, degrees)
}

func (t *topology) halves(m *Mesh, creases Creases, degrees float64) *halves {
	n := len(m.Corners)
	h := &halves{vert: make([]int32, n), twin: t.mate, next: t.next, prev: make([]int32, n), sharp: make([]bool, n), face: t.faceOf, part: m.FacePart}
	h.pos = make([]place, len(m.Positions))
	for i, p := range m.Positions {
		h.pos[i] = place{float64(p[0]), float64(p[1]), float64(p[2])}
	}
	if len(m.Paint) > 0 {
		h.paint = m.Paint
	}
	if len(m.UVs) > 0 {
		h.uv = make([][2]float32, n)
	}
	for c := range int32(n) {
		h.vert[c] = t.weld[m.Corners[c].Pos]
		h.prev[t.next[c]] = c
		if uv := m.Corners[c].UV; uv >= 0 {
			h.uv[c] = m.UVs[uv]
		}
	}
	cosine := float32(math.Cos(degrees*math.Pi/180)) - 1e-6
	normal := func(c int32) vec.V {
		if k := m.Corners[c].Normal; k >= 0 {
			return m.Normals[k]
		}
		return vec.V{}
	}
	for c := range int32(n) {
		q := h.twin[c]
		if q >= 0 && h.vert[c] == h.vert[q] { // the same way round: no surface with two sides
			h.twin[c], h.twin[q], q = -1, -1, -1
		}
		switch {
		case q < 0:
			h.sharp[c] = true
		case creases == ByAngle:
			h.sharp[c] = !t.smooth(m, c, cosine)
		case creases == ByFile:
			h.sharp[c] = normal(c).Dot(normal(t.next[q])) < 0.999 && normal(c) != (vec.V{}) || normal(t.next[c]).Dot(normal(q)) < 0.999 && normal(q) != (vec.V{})
		}
	}
	return h
}

// rim is what a vertex has about it.
type rim struct {
	n      int      // half edges that leave it
	sharps int      // sharp edges
	ends   [2]int32 // the vertices beyond the first two of them
}

// rims returns what each vertex has about it.
func (h *halves) rims() []rim {
	out := make([]rim, len(h.pos))
	for v, corner := range h.corner {
		if corner {
			out[v].sharps++ // so it is kept where it is, as where several creases meet
		}
	}
	for i, v := range h.vert {
		out[v].n++
		if !h.sharp[i] || h.twin[i] >= 0 && int32(i) > h.twin[i] {
			continue
		}
		w := h.vert[h.after(int32(i))]
		for _, e := range [2][2]int32{{v, w}, {w, v}} {
			r := &out[e[0]]
			if r.sharps < 2 {
				r.ends[r.sharps] = e[1]
			}
			r.sharps++
		}
	}
	return out
}

// edges numbers the edges: of each half edge, and how many there are.
func (h *halves) edges() (of []int32, n int32) {
	of = make([]int32, len(h.vert))
	for i := range of {
		if t := h.twin[i]; t >= 0 && t < int32(i) {
			of[i] = of[t]
		} else {
			of[i] = n
			n++
		}
	}
	return of, n
}

// halfway returns the mean of two texture coordinates.
func halfway(a, b [2]float32) [2]float32 { return [2]float32{(a[0] + b[0]) / 2, (a[1] + b[1]) / 2} }

// mixed returns the mean of two painted values.
func mixed(a, b [4]float32) [4]float32 {
	return [4]float32{(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2, (a[3] + b[3]) / 2}
}

// catmullClark returns the mesh after one step: the vertices, then the points of faces,
// then those of edges. Half edge h becomes the quadrilateral 4h to 4h + 3 (Dupuy and
// Vanhoey 2021).
func (h *halves) catmullClark() *halves {
	n := int32(len(h.vert))
	nv, nf := int32(len(h.pos)), int32(len(h.part))
	edgeOf, ne := h.edges()
	out := &halves{corner: h.corner, side: 4, vert: make([]int32, 4*n), twin: make([]int32, 4*n), sharp: make([]bool, 4*n), part: make([]int32, n), pos: make([]place, nv+nf+ne)}
	size := make([]float64, nf)
	for i, v := range h.vert {
		f := h.faceOf(int32(i))
		out.pos[nv+f] = out.pos[nv+f].add(h.pos[v])
		size[f]++
	}
	for f := range nf {
		out.pos[nv+f] = out.pos[nv+f].mul(1 / size[f])
	}
	rims := h.rims()
	for i := range n {
		next, prev, f := h.after(i), h.before(i), h.faceOf(i)
		v, w := h.vert[i], h.vert[next]
		e, t := nv+nf+edgeOf[i], h.twin[i]
		mid := h.pos[v].add(h.pos[w]).mul(0.5)
		switch {
		case t >= 0 && t < i: // done
		case h.sharp[i]:
			out.pos[e] = mid
		default:
			out.pos[e] = mid.add(out.pos[nv+f].add(out.pos[nv+h.faceOf(t)]).mul(0.5)).mul(0.5)
		}
		if r := &rims[v]; r.sharps < 2 {
			k := float64(r.n)
			out.pos[v] = out.pos[v].add(out.pos[nv+f].add(mid.mul(2)).mul(1 / (k * k)))
		}
		c := 4 * i
		out.vert[c], out.vert[c+1], out.vert[c+2], out.vert[c+3] = v, e, nv+f, nv+nf+edgeOf[prev]
		out.twin[c], out.twin[c+3] = -1, -1
		if t >= 0 {
			out.twin[c] = 4*h.after(t) + 3
		}
		if t := h.twin[prev]; t >= 0 {
			out.twin[c+3] = 4 * t
		}
		out.twin[c+1], out.twin[c+2] = 4*next+2, 4*prev+1
		out.sharp[c], out.sharp[c+3] = h.sharp[i], h.sharp[prev]
		out.part[i] = h.part[f]
	}
	for v := range nv {
		out.pos[v] = rims[v].kept(h, v, out.pos[v], func(k float64) float64 { return (k - 3) / k })
	}
	if h.uv != nil {
		middle := make([][2]float32, nf)
		for i, uv := range h.uv {
			f := h.faceOf(int32(i))
			middle[f][0], middle[f][1] = middle[f][0]+uv[0]/float32(size[f]), middle[f][1]+uv[1]/float32(size[f])
		}
		out.uv = make([][2]float32, 4*n)
		for i := range n {
			out.uv[4*i], out.uv[4*i+1], out.uv[4*i+2], out.uv[4*i+3] = h.uv[i], halfway(h.uv[i], h.uv[h.after(i)]), middle[h.faceOf(i)], halfway(h.uv[h.before(i)], h.uv[i])
		}
	}
	if h.paint != nil {
		out.paint = make([][4]float32, len(out.pos))
		copy(out.paint, h.paint)
		for i, v := range h.vert {
			f := h.faceOf(int32(i))
			for k := range 4 {
				out.paint[nv+f][k] += h.paint[v][k] / float32(size[f])
			}
			out.paint[nv+nf+edgeOf[i]] = mixed(h.paint[v], h.paint[h.vert[h.after(int32(i))]])
		}
	}
	return out
}

// kept returns where vertex v goes: what its ring says and the part of its own place
// where it is smooth, along the crease where it lies on one, nowhere where several meet.
func (r *rim) kept(h *halves, v int32, ring place, own func(n float64) float64) place {
	switch {
	case r.n == 0 || r.sharps > 2:
		return h.pos[v]
	case r.sharps == 2:
		return h.pos[v].mul(0.75).add(h.pos[r.ends[0]].add(h.pos[r.ends[1]]).mul(0.125))
	}
	return ring.add(h.pos[v].mul(own(float64(r.n))))
}

// beta is the weight that Loop gives each neighbour of a vertex of n.
func beta(n float64) float64 {
	c := 3.0/8 + math.Cos(2*math.Pi/n)/4
	return (5.0/8 - c*c) / n
}

// loop returns the mesh after one step: the vertices, then the points of edges. Triangle
// t becomes those at its corners, 4t to 4t + 2, and the one in the middle.
func (h *halves) loop() *halves {
	n := int32(len(h.vert))
	nv := int32(len(h.pos))
	edgeOf, ne := h.edges()
	out := &halves{corner: h.corner, side: 3, vert: make([]int32, 4*n), twin: make([]int32, 4*n), sharp: make([]bool, 4*n), part: make([]int32, 4*len(h.part)), pos: make([]place, nv+ne)}
	rims := h.rims()
	if h.uv != nil {
		out.uv = make([][2]float32, 4*n)
	}
	if h.paint != nil {
		out.paint = make([][4]float32, nv+ne)
		copy(out.paint, h.paint)
	}
	for i := range n {
		t, k := i/3, i%3
		next, prev := h.after(i), h.before(i)
		v, w, g := h.vert[i], h.vert[next], h.twin[i]
		e := nv + edgeOf[i]
		switch {
		case g >= 0 && g < i: // done
		case h.sharp[i]:
			out.pos[e] = h.pos[v].add(h.pos[w]).mul(0.5)
		default:
			out.pos[e] = h.pos[v].add(h.pos[w]).mul(3.0 / 8).add(h.pos[h.vert[prev]].add(h.pos[h.vert[h.before(g)]]).mul(1.0 / 8))
		}
		if r := &rims[v]; r.sharps < 2 {
			out.pos[v] = out.pos[v].add(h.pos[w].mul(beta(float64(r.n))))
		}
		c, m := 3*(4*t+k), 3*(4*t+3)
		out.vert[c], out.vert[c+1], out.vert[c+2], out.vert[m+k] = v, e, nv+edgeOf[prev], e
		out.twin[c], out.twin[c+2] = -1, -1
		if g >= 0 {
			out.twin[c] = 3*(4*(g/3)+(g+1)%3) + 2
			if g%3 == 2 {
				out.twin[c] = 3*(4*(g/3)) + 2
			}
		}
		if g := h.twin[prev]; g >= 0 {
			out.twin[c+2] = 3 * (4*(g/3) + g%3)
		}
		out.twin[c+1], out.twin[m+(k+2)%3] = m+(k+2)%3, c+1
		out.sharp[c], out.sharp[c+2] = h.sharp[i], h.sharp[prev]
		out.part[4*t+k], out.part[4*t+3] = h.part[t], h.part[t]
		if h.uv != nil {
			a, b := halfway(h.uv[i], h.uv[next]), halfway(h.uv[prev], h.uv[i])
			out.uv[c], out.uv[c+1], out.uv[c+2], out.uv[m+k] = h.uv[i], a, b, a
		}
		if h.paint != nil {
			out.paint[e] = mixed(h.paint[v], h.paint[w])
		}
	}
	for v := range nv {
		out.pos[v] = rims[v].kept(h, v, out.pos[v], func(k float64) float64 { return 1 - k*beta(k) })
	}
	return out
}

// mesh returns the half edges as a mesh with the parts of m: vertices at their places on
// the limit surface, with its normals where it is smooth.
func (h *halves) mesh(m *Mesh, tris bool) *Mesh {
	out := &Mesh{Parts: m.Parts, FacePart: h.part, PaintEncoded: m.PaintEncoded, Paint: h.paint}
	n, nv := int32(len(h.vert)), int32(len(h.pos))
	rims := h.rims()
	start := make([]int32, nv) // a half edge that leaves each vertex
	for i, v := range h.vert {
		start[v] = int32(i)
	}
	out.Positions, out.Normals = make([]vec.V, nv), make([]vec.V, nv)
	for v := range nv {
		limit, normal := h.limit(v, start[v], &rims[v], tris)
		out.Positions[v], out.Normals[v] = limit.vec(), normal
	}
	out.Corners = make([]Corner, n)
	out.FaceEnd = make([]int32, n/h.side)
	for f := range out.FaceEnd {
		out.FaceEnd[f] = int32(f+1) * h.side
	}
	// Texture coordinates that are the same at one vertex are one.
	var first, chain []int32
	if h.uv != nil {
		first = make([]int32, nv)
		for i := range first {
			first[i] = -1
		}
	}
	for i, v := range h.vert {
		c := Corner{Pos: v, UV: -1, Normal: v}
		if out.Normals[v] == (vec.V{}) {
			c.Normal = -1
		}
		if h.uv != nil {
			c.UV = first[v]
			for c.UV >= 0 && out.UVs[c.UV] != h.uv[i] {
				c.UV = chain[c.UV]
			}
			if c.UV < 0 {
				c.UV = int32(len(out.UVs))
				out.UVs, chain, first[v] = append(out.UVs, h.uv[i]), append(chain, first[v]), c.UV
			}
		}
		out.Corners[i] = c
	}
	return out
}

// limit returns where vertex v comes to in the end, and the normal there (Halstead, Kass
// and DeRose 1993; Hoppe et al. 1994), which is zero where the surface is not smooth.
func (h *halves) limit(v, start int32, r *rim, tris bool) (place, vec.V) {
	at := h.pos[v]
	switch {
	case r.n == 0 || r.sharps > 2:
		return at, vec.V{}
	case r.sharps == 2:
		return at.mul(2.0 / 3).add(h.pos[r.ends[0]].add(h.pos[r.ends[1]]).mul(1.0 / 6)), vec.V{}
	}
	k := float64(r.n)
	var ring, corners, u, w place
	turn := 2 * math.Pi / k
	a := 1 + math.Cos(turn) + math.Cos(turn/2)*math.Sqrt(2*(9+math.Cos(turn)))
	i := start
	for j := range r.n {
		next := h.after(i)
		e := h.pos[h.vert[next]]
		ring = ring.add(e)
		sin, cos := math.Sincos(turn * float64(j))
		if tris {
			u, w = u.add(e.mul(cos)), w.add(e.mul(sin))
		} else {
			f := h.pos[h.vert[h.after(next)]]
			corners = corners.add(f)
			sin2, cos2 := math.Sincos(turn * float64(j+1))
			u = u.add(e.mul(a * cos)).add(f.mul(cos + cos2))
			w = w.add(e.mul(a * sin)).add(f.mul(sin + sin2))
		}
		if i = h.twin[h.before(i)]; i < 0 || i == start && j < r.n-1 { // no ring: the surface meets itself in this vertex
			return at, vec.V{}
		}
	}
	n := u.cross(w)
	size := math.Sqrt(n[0]*n[0] + n[1]*n[1] + n[2]*n[2])
	normal := vec.V{}
	if size > 0 {
		normal = n.mul(1 / size).vec()
	}
	if tris {
		own := 3 / (8 * beta(k))
		return at.mul(own).add(ring).mul(1 / (own + k)), normal
	}
	return at.mul(k * k).add(ring.mul(4)).add(corners).mul(1 / (k * (k + 5))), normal
}

package mesh

import (
	"math"

	"mobanta/core/disjoint"
	"mobanta/core/vec"
)

const (
	// smoothTriangles is how many triangles a mesh that is drawn smooth comes to at most, unless it has as many by itself.
	smoothTriangles = 400_000
	// fitRounds is how often places are fitted at most, and fitted how far off they may stay, in parts of the mesh's diagonal.
	fitRounds = 40
	fitted    = 1e-5
	// swing is how far from its place a vertex may be put, in parts of its shortest edge.
	swing = 0.5
)

// Smooth returns a mesh whose surface is smooth and goes through the positions of m: subdivided as by Subdivide, but from places
// found such that the limit surface comes back to those of m (progressive interpolation: Chen, Luo and Cheng 2008). Its normals
// are those of m at them, and between them subdivided and fitted likewise, which is smoother than what the surface itself has
// (subdivision shading: Alexa and Boubekeur 2008). Creases and borders become smooth curves through their positions, but at
// corners, where they turn by more than degrees, and where sides lie upon each other. Flat faces stay flat. It takes as many steps as keep it below smoothTriangles,
// and returns how many.
func (m *Mesh) Smooth(creases Creases, degrees float64) (*Mesh, int) {
	out, r := m.smoothed(creases, degrees)
	return out, r.steps
}

// smoothed returns what Smooth does, and what it was made by.
func (m *Mesh) smoothed(creases Creases, degrees float64) (*Mesh, *rough) {
	r := m.smoothing(creases, degrees)
	if r.steps == 0 {
		return m, r
	}
	h, field := r.halves.fit(r.tris), r.field.fit(r.tris)
	for range r.steps {
		if r.tris {
			h, field = h.loop(), field.loop()
		} else {
			h, field = h.catmullClark(), field.catmullClark()
		}
	}
	out := h.mesh(m, r.tris)
	out.Motion = m.Motion
	out.Normals = make([]vec.V, len(field.pos))
	for v, n := range field.limits(r.tris) {
		out.Normals[v] = n.vec().Unit()
	}
	for i, v := range field.vert {
		out.Corners[i].Normal = v
		if out.Normals[v] == (vec.V{}) {
			out.Corners[i].Normal = -1
		}
	}
	return out, r
}

// smoothing returns what Smooth does.
func (m *Mesh) smoothing(creases Creases, degrees float64) *rough {
	r := &rough{mesh: m, tris: len(m.Corners) == 3*len(m.FaceEnd), fit: true}
	faces := 4 * m.Triangles()
	if !r.tris {
		faces = 2 * len(m.Corners)
	}
	for r.steps < MaxSteps && faces <= smoothTriangles {
		faces, r.steps = faces*4, r.steps+1
	}
	if r.steps == 0 {
		return r
	}
	t := newTopology(m)
	h := t.halves(m, creases, degrees)
	h.unit = float64(m.Bounds().Diagonal())
	h.unit *= h.unit
	normals := t.cornerNormals(m, degrees)
	for i, c := range m.Corners {
		if c.Normal >= 0 {
			normals[i] = m.Normals[c.Normal]
		}
	}
	// Where a flat face ends the surface begins to bend all at once: what lies beyond must not make waves in it.
	flat := make([]bool, len(m.FaceEnd))
	for f := range flat {
		flat[f] = true
	}
	for c, n := range normals {
		f := t.faceOf[c]
		flat[f] = flat[f] && n.Dot(t.normal[f]) > level
	}
	for c := range h.sharp {
		if g := t.across[c]; g >= 0 && flat[g] != flat[t.faceOf[c]] {
			h.sharp[c] = true
		}
	}
	h.findCorners(degrees)
	for _, j := range t.joints(m) { // sides that lie upon each other stay straight, or cracks would open between them
		for _, c := range [2]int32{j.c, j.q} {
			h.corner[h.vert[c]], h.corner[h.vert[h.after(c)]] = true, true
		}
	}
	for i, c := range m.Corners {
		if c.Normal < 0 {
			normals[i] = h.leaning(int32(i))
		}
	}
	r.halves, r.field = h, h.normals(normals)
	return r
}

// leaning returns what the corner of a face adds to the normal of its vertex: weighted so that the normals of a mesh whose
// positions lie on a ball are exactly the ball's (Max 1999, "Weights for computing vertex normals from facet normals").
func (h *halves) leaning(c int32) vec.V {
	p := h.pos[h.vert[c]]
	a, b := h.pos[h.vert[h.after(c)]].sub(p), h.pos[h.vert[h.before(c)]].sub(p)
	l := a.dot(a) * b.dot(b)
	if l == 0 {
		return vec.V{}
	}
	n := a.cross(b).mul(1 / l)
	// In float32, whatever the size of the mesh: what counts is how the corners of one vertex compare.
	return n.mul(h.unit).vec()
}

// level is the cosine of the angle between a flat face and its normals, but for rounding.
const level = 0.99999

// normals returns the normals of the corners of level 0 as half edges of their own, which end at creases.
func (h *halves) normals(of []vec.V) *halves {
	out := *h
	out.uv, out.paint = nil, nil
	out.twin = append([]int32(nil), h.twin...)
	sets := disjoint.New(len(h.vert))
	for i, q := range h.twin {
		switch c := int32(i); {
		case q < 0:
		case h.sharp[c]:
			out.twin[c] = -1
		case q > c:
			sets.Join(c, h.after(q))
			sets.Join(h.after(c), q)
		}
	}
	rims := h.rims()
	number := make([]int32, len(h.vert))
	out.vert, out.pos, out.corner = make([]int32, len(h.vert)), nil, nil
	for i := range h.vert {
		k := sets.Find(int32(i))
		if number[k] == 0 {
			out.pos, out.corner = append(out.pos, place{}), append(out.corner, rims[h.vert[i]].sharps > 2)
			number[k] = int32(len(out.pos))
		}
		v := number[k] - 1
		out.vert[i] = v
		out.pos[v] = out.pos[v].add(place{float64(of[i][0]), float64(of[i][1]), float64(of[i][2])})
	}
	for v, n := range out.pos {
		if l := math.Sqrt(n.dot(n)); l > 0 {
			out.pos[v] = n.mul(1 / l)
		}
	}
	return &out
}

// findCorners finds the vertices at which a crease or a border turns by more than an angle.
func (h *halves) findCorners(degrees float64) {
	h.corner = make([]bool, len(h.pos))
	cosine := math.Cos(degrees * math.Pi / 180)
	for v, r := range h.rims() {
		if r.sharps == 2 {
			a, b := h.pos[v].sub(h.pos[r.ends[0]]), h.pos[r.ends[1]].sub(h.pos[v])
			h.corner[v] = a.dot(b) < cosine*math.Sqrt(a.dot(a)*b.dot(b))
		}
	}
}

// fit returns the mesh with its vertices where they must stand for the limit surface to go through where they do now.
func (h *halves) fit(tris bool) *halves {
	out := *h
	out.pos = append([]place(nil), h.pos...)
	box := vec.EmptyBox()
	for _, p := range h.pos {
		box = box.Grow(p.vec())
	}
	near := fitted * float64(box.Diagonal())
	room, rims := h.room(), h.ringed()
	limits := make([]place, len(h.pos))
	for range fitRounds {
		worst := 0.0
		out.around(limits, rims, tris)
		for v, p := range h.pos {
			was := out.pos[v]
			off := was.add(p.sub(limits[v])).sub(p)
			if l := off.dot(off); l > room[v]*room[v] {
				off = off.mul(room[v] / math.Sqrt(l))
			}
			out.pos[v] = p.add(off)
			d := out.pos[v].sub(was)
			worst = max(worst, d.dot(d))
		}
		if worst <= near*near {
			break
		}
	}
	return &out
}

// room returns how far each vertex may stand from its place: a part of its shortest edge. Where a long edge follows a short one
// the surface would swing over else; there it goes by the place instead of through it.
func (h *halves) room() []float64 {
	out := make([]float64, len(h.pos))
	for v := range out {
		out[v] = math.Inf(1)
	}
	for i, v := range h.vert {
		w := h.vert[h.after(int32(i))]
		d := h.pos[v].sub(h.pos[w])
		l := swing * math.Sqrt(d.dot(d))
		if l > 0 {
			out[v], out[w] = min(out[v], l), min(out[w], l)
		}
	}
	return out
}

// limits returns where each vertex comes to in the end, after a step of subdivision: all faces are as the scheme says.
func (h *halves) limits(tris bool) []place {
	rims := h.rims()
	start := make([]int32, len(h.pos))
	for i, v := range h.vert {
		start[v] = int32(i)
	}
	out := make([]place, len(h.pos))
	for v := range out {
		out[v], _ = h.limit(int32(v), start[v], &rims[v], tris)
	}
	return out
}

// ringed is rims, of which those that are no ring, where the surface meets itself in the vertex, count as many creases.
func (h *halves) ringed() []rim {
	rims := h.rims()
	start := make([]int32, len(h.pos))
	for i, v := range h.vert {
		start[v] = int32(i)
	}
	for v := range rims {
		r := &rims[v]
		if r.n == 0 || r.sharps >= 2 {
			continue
		}
		i := start[v]
		for j := range r.n {
			if i = h.twin[h.before(i)]; i < 0 || i == start[v] && j < r.n-1 {
				r.sharps = 3
				break
			}
		}
	}
	return rims
}

// around fills in where each vertex comes to in the end, of faces with any number of sides: by the masks of limit, which for
// Catmull and Clark are those of the step that makes quadrilaterals and of the limit after it in one.
func (h *halves) around(out []place, rims []rim, tris bool) {
	clear(out)
	var middle []place // of faces
	var sides []float64
	if !tris {
		middle, sides = make([]place, len(h.part)), make([]float64, len(h.part))
		for i, v := range h.vert {
			f := h.faceOf(int32(i))
			middle[f], sides[f] = middle[f].add(h.pos[v]), sides[f]+1
		}
		for f := range middle {
			middle[f] = middle[f].mul(1 / sides[f])
		}
	}
	for i, v := range h.vert {
		w := h.pos[h.vert[h.after(int32(i))]]
		if !tris {
			w = w.mul(2).add(middle[h.faceOf(int32(i))].mul(4))
		}
		out[v] = out[v].add(w)
	}
	for v := range out {
		at, r := h.pos[v], &rims[v]
		k := float64(r.n)
		switch {
		case r.n == 0 || r.sharps > 2:
			out[v] = at
		case r.sharps == 2:
			out[v] = at.mul(2.0 / 3).add(h.pos[r.ends[0]].add(h.pos[r.ends[1]]).mul(1.0 / 6))
		case tris:
			own := 3 / (8 * beta(k))
			out[v] = at.mul(own).add(out[v]).mul(1 / (own + k))
		default:
			out[v] = at.mul(k*k - k).add(out[v]).mul(1 / (k * (k + 5)))
		}
	}
}

func (a place) sub(b place) place   { return place{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }
func (a place) dot(b place) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

const (
	// coarseBend is the angle in degrees by which faces that are shaded as one surface bend at an edge for bands of light to
	// break there, and coarseShare which part of all such edges, by length, must.
	coarseBend  = 15
	coarseShare = 0.12
	// coarseRim is how far a rim of straight pieces may lie within the round one that it stands for, in parts of the diagonal: a
	// pixel of a picture of 1,600 lines that the model fills.
	coarseRim = 1.0 / 1600
)

// SmoothForm returns the form in which the mesh is drawn smooth: its creases are those of its normals, where the file has some.
func (m *Mesh) SmoothForm() Form {
	if len(m.Normals) > 0 {
		return Form{Smooth: true, Creases: ByFile}
	}
	return Form{Smooth: true}
}

// across returns about how wide face f is across one of its sides, which is so long.
func (m *Mesh) across(f int32, long float64) float64 {
	face := m.Face(int(f))
	var sum place
	at := func(c Corner) place {
		p := m.Positions[c.Pos]
		return place{float64(p[0]), float64(p[1]), float64(p[2])}
	}
	first := at(face[0])
	for k := 2; k < len(face); k++ {
		sum = sum.add(at(face[k-1]).sub(first).cross(at(face[k]).sub(first)))
	}
	twice := math.Sqrt(sum.dot(sum)) // its area
	if len(face) > 3 {
		twice /= 2
	}
	return twice / max(long, 1e-300)
}

// Coarse tells whether bands of light would break at the polygons of the mesh, or its rim show corners: faces that are shaded as one
// surface bend by much, or are wide for how they bend, at many of their edges. It returns the form in which they do not. Models of
// flat faces, and those of so many that Smooth adds none, are not coarse.
func (m *Mesh) Coarse() (Form, bool) {
	form := m.SmoothForm()
	r := m.smoothing(form.Creases, form.Crease())
	if r.steps == 0 {
		return Form{}, false
	}
	t := newTopology(m)
	cosine := math.Cos(coarseBend * math.Pi / 180)
	all, bent := 0.0, 0.0
	rim := coarseRim * float64(m.Bounds().Diagonal())
	for c, q := range r.halves.twin {
		if q < int32(c) || r.halves.sharp[c] {
			continue
		}
		a, b := t.normal[t.faceOf[c]], t.normal[t.faceOf[q]]
		if a == (vec.V{}) || b == (vec.V{}) {
			continue
		}
		d := r.halves.pos[r.halves.vert[c]].sub(r.halves.pos[r.halves.vert[q]])
		long := math.Sqrt(d.dot(d))
		all += long
		cos := float64(a.Dot(b))
		// Chords as wide as the faces, each turned against the next, lie within their circle by an eighth of width times turn.
		wide := (m.across(t.faceOf[c], long) + m.across(t.faceOf[q], long)) / 2
		if cos < cosine || wide*math.Acos(min(1, cos))/8 > rim {
			bent += long
		}
	}
	return form, all > 0 && bent > coarseShare*all
}

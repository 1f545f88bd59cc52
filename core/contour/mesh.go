// Package contour finds lines on the geometry of a scene, where a hand would draw them: contours, creases, borders, where
// parts meet or cut through each other, and where a tone passes a level. It tells which of their length the eye sees, and
// joins what it finds into curves on the page.
package contour

import (
	"cmp"
	"math"
	"slices"

	"mobanta/core/disjoint"
	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Mesh is the edges of a geometry. Vertices of a model that stand at one place are one knot.
type Mesh struct {
	geo    *stage.Geometry
	knot   []int32 // of each vertex
	first  []int32 // a vertex of each knot
	edges  []edge
	of     [][3]int32        // triangle → its edges, the k-th from corner k to the next
	rough  []int32           // the edges along which there may be lines of their own: all but those of smooth surfaces that are plain
	whole  []int32           // of each knot: a number that all have that hang together
	normal []vec.V           // of each vertex; see turns
	flat   []vec.V           // of each triangle: its unit normal, 0 for one so thin that where it faces is chance
	fans   map[int32][]int32 // of the first edge of each place at which more than two triangles meet: all of them
	solid  []bool            // of each of these: whether it is closed and its normals look outward

	beside map[int32][]beside // edges where a triangle ends → what lies upon them, in the order of from
}

// edge is where two triangles meet, or where one ends.
type edge struct {
	knot   [2]int32
	tri    [2]int32 // the second is -1 where there is none
	from   [2]uint8 // the corner of each triangle from which it runs on to the next corner
	turned bool     // whether the second runs along it from the other end, as it mostly does
	many   bool     // whether more than two triangles meet
	smooth bool     // whether both sides have the same normals along it
	bend   float32  // the cosine of the angle between the faces
}

// same is the cosine of the angle within which two normals are one.
const same = 0.9999

// plain is an angle, in degrees, by which smooth surfaces bend along most of their edges at most.
const plain = 10

// MeshOf returns the edges of a geometry. They are kept with it.
func MeshOf(geo *stage.Geometry, workers int) *Mesh {
	return geo.Keep("edges", func() any { return newMesh(geo, workers) }).(*Mesh)
}

func newMesh(geo *stage.Geometry, workers int) *Mesh {
	m := &Mesh{geo: geo, fans: map[int32][]int32{}, knot: make([]int32, len(geo.Pos)), of: make([][3]int32, len(geo.Tri))}
	m.join()
	m.link()
	m.meet()
	m.whole = m.wholes()
	m.turns()
	const piece = 4096
	m.flat = make([]vec.V, len(geo.Tri))
	parallel.Do(workers, (len(m.flat)+piece-1)/piece, func(job int) {
		for t := job * piece; t < min(len(m.flat), (job+1)*piece); t++ {
			m.flat[t] = m.flatOf(int32(t))
		}
	})
	parallel.Do(workers, (len(m.edges)+piece-1)/piece, func(job int) {
		for i := job * piece; i < min(len(m.edges), (job+1)*piece); i++ {
			m.bend(&m.edges[i])
		}
	})
	for i, list := range m.beside {
		for k := range list {
			m.bends(&m.edges[i], &list[k])
		}
	}
	m.solid = m.solids()
	for i := range m.edges {
		if e := &m.edges[i]; e.tri[1] < 0 || !e.smooth || e.bend < float32(math.Cos(plain*math.Pi/180)) || geo.TriPart[e.tri[0]] != geo.TriPart[e.tri[1]] {
			m.rough = append(m.rough, int32(i))
		}
	}
	m.spread()
	return m
}

// join gives vertices of a model that lie at one place one knot.
func (m *Mesh) join() {
	geo := m.geo
	for i := range geo.Models {
		from, to := geo.Models[i].FirstVertex, len(geo.Pos)
		if i+1 < len(geo.Models) {
			to = geo.Models[i+1].FirstVertex
		}
		at := make(map[vec.V]int32, to-from)
		for v := from; v < to; v++ {
			k, ok := at[geo.Pos[v]]
			if !ok {
				k = int32(len(m.first))
				at[geo.Pos[v]] = k
				m.first = append(m.first, int32(v))
			}
			m.knot[v] = k
		}
	}
}

// link finds the edges: a side of a triangle, or two that lie upon each other.
func (m *Mesh) link() {
	geo := m.geo
	// Each side of a triangle goes into the bucket of the lower of its knots.
	type side struct {
		high, tri int32
		corner    uint8
	}
	start := make([]int32, len(m.first)+1)
	ends := func(t, k int) (a, b int32) { return m.knot[geo.Tri[t][k]], m.knot[geo.Tri[t][(k+1)%3]] }
	// A triangle of which corners coincide is none: its sides, there and back, would have their neighbours meet three.
	void := func(t int) bool {
		v := geo.Tri[t]
		a, b, c := m.knot[v[0]], m.knot[v[1]], m.knot[v[2]]
		return a == b || b == c || c == a
	}
	for t := range geo.Tri {
		for k := range 3 {
			if a, b := ends(t, k); !void(t) {
				start[min(a, b)+1]++
			}
		}
	}
	for i := 1; i < len(start); i++ {
		start[i] += start[i-1]
	}
	sides := make([]side, start[len(start)-1])
	fill := slices.Clone(start)
	for t := range geo.Tri {
		for k := range 3 {
			if a, b := ends(t, k); !void(t) {
				low := min(a, b)
				sides[fill[low]] = side{max(a, b), int32(t), uint8(k)}
				fill[low]++
			}
			m.of[t][k] = -1
		}
	}
	m.edges = make([]edge, 0, len(geo.Tri)*3/2)
	for low := range m.first {
		bucket := sides[start[low]:start[low+1]]
		slices.SortFunc(bucket, func(a, b side) int { return cmp.Or(cmp.Compare(a.high, b.high), cmp.Compare(a.tri, b.tri)) })
		for i := 0; i < len(bucket); {
			j := i + 1
			for j < len(bucket) && bucket[j].high == bucket[i].high {
				j++
			}
			many := j-i > 2
			if many {
				for _, s := range bucket[i:j] {
					m.fans[int32(len(m.edges))] = append(m.fans[int32(len(m.edges))], s.tri)
				}
			}
			for ; i < j; i += 2 {
				s := bucket[i]
				a, b := ends(int(s.tri), int(s.corner))
				e := edge{knot: [2]int32{a, b}, tri: [2]int32{s.tri, -1}, from: [2]uint8{s.corner, 0}, bend: 1, many: many}
				m.of[s.tri][s.corner] = int32(len(m.edges))
				if i+1 < j {
					o := bucket[i+1]
					e.tri[1], e.from[1] = o.tri, o.corner
					oa, _ := ends(int(o.tri), int(o.corner))
					e.turned = oa != a
					m.of[o.tri][o.corner] = int32(len(m.edges))
				}
				m.edges = append(m.edges, e)
			}
			i = j
		}
	}
}

// spread lets an edge of more than two triangles bend as far as any two of them do, whichever way they face: some lie twice.
func (m *Mesh) spread() {
	for i, tris := range m.fans {
		for k, s := range tris {
			for _, t := range tris[k+1:] {
				if d := m.flat[s].Dot(m.flat[t]); m.flat[s] != (vec.V{}) && m.flat[t] != (vec.V{}) {
					m.edges[i].bend = min(m.edges[i].bend, max(d, -d))
				}
			}
		}
	}
}

// bend fills in how an edge bends.
func (m *Mesh) bend(e *edge) {
	if e.tri[1] < 0 || e.many {
		return
	}
	a, b := m.flat[e.tri[0]], m.flat[e.tri[1]]
	if a == (vec.V{}) || b == (vec.V{}) {
		e.smooth = true // a face without area has no say
	} else if e.bend = a.Dot(b); !e.turned {
		e.bend = -e.bend
	}
	alike := true
	for end := range 2 {
		p, q := m.normal[m.vertex(e, 0, end)], m.normal[m.vertex(e, 1, end)]
		alike = alike && p.Dot(q) > same
	}
	e.smooth = alike && e.turned && !e.many
}

// flatOf returns a triangle's unit normal, 0 if it is a sliver.
func (m *Mesh) flatOf(t int32) vec.V {
	const thinnest = 3e-3 // its height, in parts of its longest side
	v := m.geo.Tri[t]
	p, q, r := m.geo.Pos[v[0]], m.geo.Pos[v[1]], m.geo.Pos[v[2]]
	a, b, c := q.Sub(p), r.Sub(p), r.Sub(q)
	n := a.Cross(b)
	long, square := n.Len(), a.Dot(a)
	if d := b.Dot(b); d > square {
		square = d
	}
	if d := c.Dot(c); d > square {
		square = d
	}
	if !(long > thinnest*square) {
		return vec.V{}
	}
	return n.Mul(1 / long)
}

// vertex returns the vertex at an end of an edge, on one of its sides.
func (m *Mesh) vertex(e *edge, side, end int) int32 {
	if side == 1 && e.turned {
		end = 1 - end
	}
	return m.geo.Tri[e.tri[side]][(int(e.from[side])+end)%3]
}

// turns fills in the normals by which surfaces turn away from the eye: those of the geometry, but for models that are drawn
// smooth. Their normals are those that light asks for, smoother than the surface: a contour by them would lie behind its rim.
func (m *Mesh) turns() {
	geo := m.geo
	m.normal = geo.Normal
	own := false
	for i := range geo.Models {
		if !geo.Models[i].Surface.Smooth {
			continue
		}
		if !own {
			m.normal, own = slices.Clone(geo.Normal), true
		}
		from, to, tris := geo.Models[i].FirstVertex, len(geo.Pos), len(geo.Tri)
		if i+1 < len(geo.Models) {
			to, tris = geo.Models[i+1].FirstVertex, geo.Models[i+1].FirstTri
		}
		// The vertices of a knot with the same normal are on one side of all creases.
		type side struct {
			knot   int32
			normal vec.V
		}
		sides := make(map[side]int32, to-from)
		first := make([]int32, to-from)
		for v := from; v < to; v++ {
			k := side{m.knot[v], geo.Normal[v]}
			at, ok := sides[k]
			if !ok {
				at = int32(v)
				sides[k] = at
			}
			first[v-from] = at
			m.normal[v] = vec.V{}
		}
		for t := geo.Models[i].FirstTri; t < tris; t++ {
			v := geo.Tri[t]
			for k := range 3 {
				p := geo.Pos[v[k]]
				a, b := geo.Pos[v[(k+1)%3]].Sub(p), geo.Pos[v[(k+2)%3]].Sub(p)
				if d, e := a.Dot(a), b.Dot(b); d > 0 && e > 0 { // by Max's weights (1999)
					at := first[int(v[k])-from]
					m.normal[at] = m.normal[at].Add(a.Mul(1 / d).Cross(b.Mul(1 / e)))
				}
			}
		}
		for v := from; v < to; v++ {
			n := m.normal[first[v-from]].Unit()
			if n == (vec.V{}) {
				n = geo.Normal[v]
			}
			m.normal[v] = n
		}
	}
}

// wholes returns for each knot a number that all knots have that hang together with it.
func (m *Mesh) wholes() []int32 {
	of := disjoint.New(len(m.first))
	for i := range m.edges {
		of.Join(m.edges[i].knot[0], m.edges[i].knot[1])
		for _, b := range m.beside[int32(i)] {
			of.Join(m.edges[i].knot[0], m.edges[b.edge].knot[0])
		}
	}
	for i := range of {
		of[i] = of.Find(int32(i))
	}
	return of
}

// solids tells which wholes are closed, and hold what their faces turn their backs to.
func (m *Mesh) solids() []bool {
	volume := make([]float64, len(m.first))
	for t, v := range m.geo.Tri {
		// About a corner of the whole itself, so that nothing is lost far out.
		o := m.geo.Pos[m.first[m.wholeOf(int32(t))]]
		a, b, c := sub64(m.geo.Pos[v[0]], o), sub64(m.geo.Pos[v[1]], o), sub64(m.geo.Pos[v[2]], o)
		n := m.normal[v[0]].Add(m.normal[v[1]]).Add(m.normal[v[2]])
		by := dot64(a, cross64(b, c))
		if n.Dot(m.flat[t]) < 0 {
			by = -by
		}
		volume[m.wholeOf(int32(t))] += by
	}
	out := make([]bool, len(m.first))
	for i, v := range volume {
		out[i] = v > 0
	}
	for i := range m.edges {
		if e := &m.edges[i]; e.tri[1] < 0 && m.open(int32(i)) || e.many {
			out[m.whole[e.knot[0]]] = false
		}
	}
	return out
}

// wholeOf returns which whole a triangle is of.
func (m *Mesh) wholeOf(t int32) int32 { return m.whole[m.knot[m.geo.Tri[t][0]]] }

// Faceted returns how many edges of smooth surfaces there are on the parts that on tells, and over how many of them the
// faces bend by more than an angle.
func (m *Mesh) Faceted(degrees float64, on func(part int32) bool) (shown, all int) {
	most := float32(math.Cos(degrees * math.Pi / 180))
	for i := range m.edges {
		if e := &m.edges[i]; e.smooth && on(m.geo.TriPart[e.tri[0]]) {
			all++
			if e.bend < most {
				shown++
			}
		}
	}
	return shown, all
}

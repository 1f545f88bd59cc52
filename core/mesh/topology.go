package mesh

import (
	"cmp"
	"math"
	"slices"

	"mobanta/core/disjoint"
	"mobanta/core/joint"
	"mobanta/core/vec"
)

// DefaultCrease is the angle in degrees between two faces beyond which their
// shared edge is drawn sharp, when the file brings no normals.
const DefaultCrease = 40

// topology tells which face lies across each edge. Positions that coincide
// count as one, so seams of texture coordinates are no borders.
type topology struct {
	weld   []int32 // position → the first position at that place
	across []int32 // corner c (the edge from c to the next corner) → the face beyond, -1 at a border or where three faces meet
	mate   []int32 // corner c → the corner that starts the same edge in the face beyond
	faceOf []int32 // corner → its face
	next   []int32 // corner → the next corner of its face
	normal []vec.V // face → unit normal

	jointed bool // whether joints have been looked for
	joined  []joined
}

// joined is two corners whose edges have no face beyond them, but lie upon each other for a stretch.
type joined struct {
	c, q    int32
	opposed bool // whether the edges run in opposite directions, as those of faces that look the same way do
}

// joints returns the borders that lie upon each other: where two short edges lie along a long one nothing ends.
func (t *topology) joints(m *Mesh) []joined {
	if t.jointed {
		return t.joined
	}
	t.jointed = true
	var corners []int32
	var sides []joint.Segment
	for c := range int32(len(m.Corners)) {
		if t.mate[c] < 0 {
			corners = append(corners, c)
			sides = append(sides, joint.Segment{A: m.Positions[m.Corners[c].Pos], B: m.Positions[m.Corners[t.next[c]].Pos]})
		}
	}
	for _, p := range joint.Find(sides, joint.Reach*m.Bounds().Diagonal()) {
		c, q := corners[p.One], corners[p.Other]
		if t.faceOf[c] != t.faceOf[q] {
			t.joined = append(t.joined, joined{c, q, p.Opposed})
		}
	}
	return t.joined
}

func newTopology(m *Mesh) *topology {
	n := len(m.Corners)
	t := &topology{weld: Weld(m.Positions), across: make([]int32, n), mate: make([]int32, n),
		faceOf: make([]int32, n), next: make([]int32, n), normal: make([]vec.V, len(m.FaceEnd))}
	from := int32(0)
	for f, end := range m.FaceEnd {
		for c := from; c < end; c++ {
			t.faceOf[c], t.next[c] = int32(f), c+1
		}
		t.next[end-1] = from
		t.normal[f] = m.normal(f)
		from = end
	}
	// Every edge goes into the bucket of its end with fewer edges, so that a
	// vertex with very many neighbours costs no more than the others.
	degree := make([]int32, len(m.Positions)+1)
	ends := func(c int32) (a, b int32) {
		return t.weld[m.Corners[c].Pos], t.weld[m.Corners[t.next[c]].Pos]
	}
	for c := range int32(n) {
		a, b := ends(c)
		degree[a]++
		degree[b]++
	}
	// A face of which corners coincide, so that nothing lies between them, is beside nothing: its sides, there and back,
	// would have their neighbours meet three faces.
	void := make([]bool, len(m.FaceEnd))
	for f := range void {
		void[f] = t.corners(m, f) < 3
	}
	home := func(c int32) (at, other int32) {
		a, b := ends(c)
		if degree[b] < degree[a] || degree[b] == degree[a] && b < a {
			a, b = b, a
		}
		return a, b
	}
	start := make([]int32, len(m.Positions)+1)
	for c := range int32(n) {
		if at, _ := home(c); !void[t.faceOf[c]] {
			start[at+1]++
		}
	}
	for i := 1; i < len(start); i++ {
		start[i] += start[i-1]
	}
	type entry struct{ other, corner int32 }
	bucket := make([]entry, n)
	fill := slices.Clone(start)
	for c := range int32(n) {
		if at, other := home(c); !void[t.faceOf[c]] {
			bucket[fill[at]] = entry{other, c}
			fill[at]++
		}
	}
	for i := range t.across {
		t.across[i], t.mate[i] = -1, -1
	}
	for v := range len(m.Positions) {
		b := bucket[start[v]:start[v+1]]
		slices.SortFunc(b, func(x, y entry) int {
			return cmp.Or(cmp.Compare(x.other, y.other), cmp.Compare(x.corner, y.corner))
		})
		for i := 0; i < len(b); {
			j := i + 1
			for j < len(b) && b[j].other == b[i].other {
				j++
			}
			if j-i == 2 && b[i].other != int32(v) {
				p, q := b[i].corner, b[i+1].corner
				t.across[p], t.across[q] = t.faceOf[q], t.faceOf[p]
				t.mate[p], t.mate[q] = q, p
			}
			i = j
		}
	}
	return t
}

// corners returns how many corners of a face stand at places of their own: as many as it needs to be one, 3, or fewer.
func (t *topology) corners(m *Mesh, f int) (n int) {
	var at [3]int32
	for _, c := range m.Face(f) {
		w := t.weld[c.Pos]
		if n < 1 || w != at[0] && (n < 2 || w != at[1]) {
			at[n] = w
			if n++; n == 3 {
				break
			}
		}
	}
	return n
}

// Weld returns for each position the first at the same place.
func Weld(positions []vec.V) []int32 {
	first := make(map[vec.V]int32, len(positions))
	out := make([]int32, len(positions))
	for i, p := range positions {
		j, ok := first[p]
		if !ok {
			j = int32(i)
			first[p] = j
		}
		out[i] = j
	}
	return out
}

// smooth tells whether the edge that starts at corner c joins two faces that
// meet at no more than the angle whose cosine is given.
func (t *topology) smooth(m *Mesh, c int32, cosine float32) bool {
	f := t.across[c]
	return f >= 0 && t.flat(t.faceOf[c], f, t.weld[m.Corners[c].Pos] != t.weld[m.Corners[t.mate[c]].Pos], cosine)
}

// flat tells whether two faces beside each other meet at no more than the angle whose cosine is given. Two that run along
// their edge in the same direction, not opposed, face opposite ways, although nothing bends there.
func (t *topology) flat(f, g int32, opposed bool, cosine float32) bool {
	a, b := t.normal[f], t.normal[g]
	if a == (vec.V{}) || b == (vec.V{}) {
		return true // a face without area has no say
	}
	d := a.Dot(b)
	if !opposed {
		d = -d
	}
	return d >= cosine
}

// cornerNormals returns a unit normal for each corner: the face normals around
// the corner's position, weighted by their angle there, as far as they are
// reached over smooth edges (Thürmer and Wüthrich 1998).
func (t *topology) cornerNormals(m *Mesh, creaseDegrees float64) []vec.V {
	cosine := float32(math.Cos(creaseDegrees*math.Pi/180)) - 1e-6
	sets := disjoint.New(len(m.Corners))
	for c := range int32(len(m.Corners)) {
		if q := t.mate[c]; q > c && t.smooth(m, c, cosine) {
			if t.weld[m.Corners[c].Pos] == t.weld[m.Corners[q].Pos] { // faces of opposite winding
				continue
			}
			sets.Join(c, t.next[q])
			sets.Join(t.next[c], q)
		}
	}
	sum := make([]vec.V, len(m.Corners))
	from := int32(0)
	for f, end := range m.FaceEnd {
		for c := from; c < end; c++ {
			prev := c - 1
			if c == from {
				prev = end - 1
			}
			p := m.Positions[m.Corners[c].Pos]
			a := m.Positions[m.Corners[t.next[c]].Pos].Sub(p).Unit()
			b := m.Positions[m.Corners[prev].Pos].Sub(p).Unit()
			angle := angle(a, b)
			r := sets.Find(c)
			sum[r] = sum[r].Add(t.normal[f].Mul(angle))
		}
		from = end
	}
	out := make([]vec.V, len(m.Corners))
	for c := range out {
		n := sum[sets.Find(int32(c))].Unit()
		if n == (vec.V{}) {
			n = t.normal[t.faceOf[c]]
		}
		if n == (vec.V{}) {
			n = vec.V{0, 1, 0}
		}
		out[c] = n
	}
	return out
}

// regions returns for each face the number of its region: faces joined over
// edges that bend by no more than the given angle and do not separate parts.
func (t *topology) regions(m *Mesh, degrees float64) []int32 {
	cosine := float32(math.Cos(degrees*math.Pi/180)) - 1e-6
	sets := disjoint.New(len(m.FaceEnd))
	for c := range int32(len(m.Corners)) {
		if q := t.mate[c]; q > c && t.smooth(m, c, cosine) {
			a, b := t.faceOf[c], t.faceOf[q]
			if m.FacePart[a] == m.FacePart[b] {
				sets.Join(a, b)
			}
		}
	}
	for _, j := range t.joints(m) {
		if a, b := t.faceOf[j.c], t.faceOf[j.q]; m.FacePart[a] == m.FacePart[b] && t.flat(a, b, j.opposed, cosine) {
			sets.Join(a, b)
		}
	}
	out := make([]int32, len(m.FaceEnd))
	for f := range out {
		out[f] = sets.Find(int32(f))
	}
	return out
}

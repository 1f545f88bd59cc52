package mesh

import (
	"cmp"
	"math"
	"slices"

	"mobanta/core/disjoint"
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
}

func newTopology(m *Mesh) *topology {
	n := len(m.Corners)
	t := &topology{weld: weld(m.Positions), across: make([]int32, n), mate: make([]int32, n),
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
	home := func(c int32) (at, other int32) {
		a, b := ends(c)
		if degree[b] < degree[a] || degree[b] == degree[a] && b < a {
			a, b = b, a
		}
		return a, b
	}
	start := make([]int32, len(m.Positions)+1)
	for c := range int32(n) {
		at, _ := home(c)
		start[at+1]++
	}
	for i := 1; i < len(start); i++ {
		start[i] += start[i-1]
	}
	type entry struct{ other, corner int32 }
	bucket := make([]entry, n)
	fill := slices.Clone(start)
	for c := range int32(n) {
		at, other := home(c)
		bucket[fill[at]] = entry{other, c}
		fill[at]++
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

func weld(positions []vec.V) []int32 {
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
	if f < 0 {
		return false
	}
	a, b := t.normal[t.faceOf[c]], t.normal[f]
	if a == (vec.V{}) || b == (vec.V{}) {
		return true // a face without area has no say
	}
	d := a.Dot(b)
	// Two faces that run along the edge in the same direction face opposite
	// ways, although nothing bends there.
	if t.weld[m.Corners[c].Pos] == t.weld[m.Corners[t.mate[c]].Pos] {
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
	out := make([]int32, len(m.FaceEnd))
	for f := range out {
		out[f] = sets.Find(int32(f))
	}
	return out
}

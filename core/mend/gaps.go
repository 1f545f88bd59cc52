package mend

import (
	"cmp"
	"math"
	"slices"

	"mobanta/core/disjoint"
	"mobanta/core/joint"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

const (
	// reach is how wide a crack may be, in parts of the model's diagonal: less than a pixel of a picture of 1,000 lines.
	reach = 5e-4
	// near is how wide it may be in parts of the shortest side at its corners, so that nothing small closes.
	near = 0.25
	// rounded is how far apart numbers are that are meant to be one, in parts of the diagonal, however short the sides are there.
	rounded = 2e-7
	// most limits how many cells of the grid one side is followed through.
	most = 4096
	// mostLooks limits how many positions are looked at beside others: beyond it, in meshes that nobody modelled, gaps stay.
	mostLooks = 10_000_000
)

// gaps closes cracks: corners at borders that nearly meet become one place, and a border that another one's corner nearly lies on
// goes through it (a T-joint). It leaves alone what moves, as what nearly meets at rest may part, and counts the corners that it
// brought together from further apart than numbers are rounded, and those that borders go through.
func gaps(m *mesh.Mesh) (*mesh.Mesh, int) {
	if m.Motion != nil {
		return m, 0
	}
	out := *m
	n, joined := joinCorners(&out)
	split := splitSides(&out)
	if !joined && split == 0 {
		return m, 0
	}
	return &out, n + split
}

// border is the sides that no second face has, and how short the shortest at each of their positions is; 0 for those of no side.
type border struct {
	sides []side
	short []float32
}

func borderOf(m *mesh.Mesh, weld []int32) border {
	b := border{short: make([]float32, len(m.Positions))}
	runs(sides(m, weld), func(run []side) {
		if len(run) > 1 {
			return
		}
		b.sides = append(b.sides, run[0])
		long := m.Positions[run[0].a].Sub(m.Positions[run[0].b]).Len()
		for _, p := range [2]int32{run[0].a, run[0].b} {
			if s := b.short[p]; s == 0 || long < s {
				b.short[p] = long
			}
		}
	})
	return b
}

// room returns how far from a position on the border another may be to be meant to be one with it, in a mesh of that size.
func (b *border) room(p int32, size float32) float32 {
	return max(rounded*size, min(reach*size, near*b.short[p]))
}

// positions returns those on the border, in order.
func (b *border) positions() []int32 {
	var out []int32
	for p, s := range b.short {
		if s > 0 {
			out = append(out, int32(p))
		}
	}
	return out
}

// grid holds positions by the cell that they lie in.
type grid struct {
	cell float64
	at   map[[3]int32][]int32
	left int // positions that may still be looked at
}

func (g *grid) key(p vec.V) (k [3]int32) {
	for a := range k {
		k[a] = int32(max(-1<<30, min(1<<30, math.Floor(float64(p[a])/g.cell))))
	}
	return k
}

// around calls do with the positions in the cell of p and in those beside it.
func (g *grid) around(p vec.V, do func(int32)) {
	c := g.key(p)
	for dx := int32(-1); dx <= 1; dx++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dz := int32(-1); dz <= 1; dz++ {
				list := g.at[[3]int32{c[0] + dx, c[1] + dy, c[2] + dz}]
				if g.left -= 1 + len(list); g.left < 0 {
					return
				}
				for _, q := range list {
					do(q)
				}
			}
		}
	}
}

func gridOf(m *mesh.Mesh, positions []int32, cell float32) *grid {
	g := &grid{float64(cell), make(map[[3]int32][]int32, len(positions)), mostLooks}
	for _, p := range positions {
		k := g.key(m.Positions[p])
		g.at[k] = append(g.at[k], p)
	}
	return g
}

// joinCorners makes one place of positions on the border that nearly meet, the nearest first; their middle. n counts those that
// were further apart than rounding explains.
func joinCorners(m *mesh.Mesh) (n int, joined bool) {
	weld := mesh.Weld(m.Positions)
	b := borderOf(m, weld)
	size := m.Bounds().Diagonal()
	if len(b.sides) == 0 || !(size > 0) {
		return 0, false
	}
	on := b.positions()
	g := gridOf(m, on, reach*size)
	type pair struct {
		far  float32
		p, q int32
	}
	var pairs []pair
	for _, p := range on {
		g.around(m.Positions[p], func(q int32) {
			if q <= p {
				return
			}
			if far := m.Positions[q].Sub(m.Positions[p]).Len(); far <= reach*size && far <= min(b.room(p, size), b.room(q, size)) {
				pairs = append(pairs, pair{far, p, q})
			}
		})
	}
	slices.SortFunc(pairs, func(x, y pair) int {
		return cmp.Or(cmp.Compare(x.far, y.far), cmp.Compare(x.p, y.p), cmp.Compare(x.q, y.q))
	})
	// Small steps may not add up to a long one: what becomes one place fits into a box.
	sets := disjoint.New(len(m.Positions))
	type place struct {
		box   vec.Box
		room  float32
		sum   vec.V
		count int
	}
	places := map[int32]place{}
	at := func(p int32) place {
		if one, ok := places[p]; ok {
			return one
		}
		return place{vec.EmptyBox().Grow(m.Positions[p]), b.room(p, size), m.Positions[p], 1}
	}
	for _, x := range pairs {
		p, q := sets.Find(x.p), sets.Find(x.q)
		if p == q {
			continue
		}
		one, other := at(p), at(q)
		both := place{one.box.Union(other.box), min(one.room, other.room), one.sum.Add(other.sum), one.count + other.count}
		if both.box.Diagonal() > 2*both.room {
			continue
		}
		sets.Join(p, q)
		places[sets.Find(p)] = both
		if joined = true; x.far > joint.Reach*size {
			n++
		}
	}
	if !joined {
		return 0, false
	}
	m.Positions = slices.Clone(m.Positions)
	for p, w := range weld {
		if to, ok := places[sets.Find(w)]; ok {
			m.Positions[p] = to.sum.Mul(1 / float32(to.count))
		}
	}
	joinNormals(m, func(pos int32) (int32, bool) {
		of := sets.Find(weld[pos])
		_, ok := places[of]
		return of, ok
	})
	return n, true
}

// alike is the cosine of the angle by which normals of a place that was made one may lean away from their mean to become one too:
// two halves of a model mirrored have some there that lean.
const alike = 0.8

// joinNormals makes one of the normals of the file at each place that was made one, where they are alike.
func joinNormals(m *mesh.Mesh, of func(pos int32) (place int32, ok bool)) {
	sum := map[int32]vec.V{}
	for _, c := range m.Corners {
		if p, ok := of(c.Pos); ok && c.Normal >= 0 {
			sum[p] = sum[p].Add(m.Normals[c.Normal])
		}
	}
	if len(sum) == 0 {
		return
	}
	differ := map[int32]bool{}
	for _, c := range m.Corners {
		if p, ok := of(c.Pos); ok && c.Normal >= 0 && !(m.Normals[c.Normal].Dot(sum[p].Unit()) >= alike) {
			differ[p] = true
		}
	}
	at := map[int32]int32{}
	m.Corners, m.Normals = slices.Clone(m.Corners), slices.Clip(m.Normals)
	for i, c := range m.Corners {
		p, ok := of(c.Pos)
		if !ok || c.Normal < 0 || differ[p] {
			continue
		}
		to, known := at[p]
		if !known {
			to = int32(len(m.Normals))
			m.Normals = append(m.Normals, sum[p].Unit())
			at[p] = to
		}
		m.Corners[i].Normal = to
	}
}

// through is a position that a side is to go through.
type through struct {
	at   float32 // in parts of the side, from its first position
	p, c int32   // c is the corner that the side begins at
}

// splitSides lets sides on the border go through positions of it that lie on them.
func splitSides(m *mesh.Mesh) int {
	weld := mesh.Weld(m.Positions)
	b := borderOf(m, weld)
	size := m.Bounds().Diagonal()
	if len(b.sides) == 0 || !(size > 0) {
		return 0
	}
	mean := float32(0)
	for _, s := range b.sides {
		mean += m.Positions[s.a].Sub(m.Positions[s.b]).Len() / float32(len(b.sides))
	}
	g := gridOf(m, b.positions(), max(4*reach*size, mean/2))
	var found []through
	known := make([]int32, len(m.Positions)) // the side, counted from 1, for which each was looked at last
	for i, s := range b.sides {
		p, q := m.Positions[s.a], m.Positions[s.b]
		way := q.Sub(p)
		long := way.Len()
		if long <= joint.Reach*size {
			continue
		}
		this := int32(i) + 1
		known[s.a], known[s.b] = this, this
		steps := min(most, 1+int(long/float32(g.cell)))
		for k := range steps + 1 {
			g.around(p.Add(way.Mul(float32(k)/float32(steps))), func(r int32) {
				if known[r] == this {
					return
				}
				known[r] = this
				d := m.Positions[r].Sub(p)
				at := d.Dot(way) / (long * long)
				off := d.Sub(way.Mul(at)).Len()
				if off > reach*size {
					return
				}
				if room := b.room(r, size); off > room || at*long < 4*room || (1-at)*long < 4*room {
					return
				}
				found = append(found, through{at, r, s.at})
			})
		}
	}
	if len(found) == 0 {
		return 0
	}
	by := map[int32][]through{}
	for _, t := range found {
		by[t.c] = append(by[t.c], t)
	}
	cut := *m
	cut.Corners, cut.FaceEnd, cut.FacePart = make([]mesh.Corner, 0, len(m.Corners)+len(found)), nil, nil
	cut.UVs, cut.Normals = slices.Clip(m.UVs), slices.Clip(m.Normals)
	from := int32(0)
	for f, end := range m.FaceEnd {
		face := make([]mesh.Corner, 0, end-from)
		for c := from; c < end; c++ {
			one, next := m.Corners[c], c+1
			if next == end {
				next = from
			}
			other := m.Corners[next]
			face = append(face, one)
			list := by[c]
			// A side that runs from its second position to its first meets them the other way round.
			back := weld[one.Pos] > weld[other.Pos]
			slices.SortFunc(list, func(x, y through) int { return cmp.Or(cmp.Compare(x.at, y.at), cmp.Compare(x.p, y.p)) })
			if back {
				slices.Reverse(list)
			}
			for _, t := range list {
				at := t.at
				if back {
					at = 1 - at
				}
				face = append(face, between(&cut, one, other, t.p, at))
			}
		}
		cut.AddFace(m.FacePart[f], face...)
		from = end
	}
	*m = cut
	return len(found)
}

// between returns a corner at a position between two others, with what lies between theirs.
func between(m *mesh.Mesh, a, b mesh.Corner, pos int32, at float32) mesh.Corner {
	out := mesh.Corner{Pos: pos, UV: -1, Normal: -1}
	if a.UV >= 0 && b.UV >= 0 {
		p, q := m.UVs[a.UV], m.UVs[b.UV]
		out.UV = int32(len(m.UVs))
		m.UVs = append(m.UVs, [2]float32{p[0] + at*(q[0]-p[0]), p[1] + at*(q[1]-p[1])})
	}
	if a.Normal >= 0 && b.Normal >= 0 {
		p, q := m.Normals[a.Normal], m.Normals[b.Normal]
		if n := p.Add(q.Sub(p).Mul(at)).Unit(); n != (vec.V{}) {
			out.Normal = int32(len(m.Normals))
			m.Normals = append(m.Normals, n)
		}
	}
	return out
}

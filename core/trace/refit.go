package trace

import (
	"math"

	"mobanta/core/mesh"
	"mobanta/core/parallel"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// A model's tree is sorted once, at rest in its own space, and kept with its surface. Wherever the model stands and
// however it bends, the tree is refitted: the same triangles in the same leaves, in boxes that are made anew. So what a
// ray meets depends on the moment alone, not on the moments before it; and a model that turns or moves costs no sorting.

// worse is by how much more a ray may have to do in a refitted tree, before it is built anew.
const worse = 1.6

// treeFor returns the tree of a model as it stands in a geometry, its triangles from first up to end.
func treeFor(geo *stage.Geometry, m *stage.Placed, first, end, workers int) *Tree {
	rest := m.Surface.Always("tree of rays", func() any { return restTree(m.Surface, workers) }).(*Tree)
	if !m.Shape.Moved() && m.Matrix == vec.Identity() {
		return rest
	}
	t := rest.Refit(geo.Pos, geo.Tri[first:end], workers)
	if t.work() > worse*rest.work() {
		return NewTree(geo.Pos, geo.Tri[first:end], workers)
	}
	return t
}

func restTree(s *mesh.Surface, workers int) *Tree { return NewTree(s.Pos, s.Tri, workers) }

// Refit returns the tree with its triangles at other places, in the order in which it was built of them.
func (t *Tree) Refit(pos []vec.V, tri [][3]int32, workers int) *Tree {
	out := &Tree{nodes: make([]node, len(t.nodes)), leaves: make([]leaf, len(t.leaves)), box: vec.EmptyBox()}
	boxes := make([]bounds, len(t.leaves))
	const chunk = 512
	parallel.Do(workers, (len(t.leaves)+chunk-1)/chunk, func(job int) {
		for i := job * chunk; i < min(len(t.leaves), (job+1)*chunk); i++ {
			boxes[i] = out.leaves[i].refit(&t.leaves[i], pos, tri)
		}
	})
	around := make([]bounds, len(t.nodes))
	for i := len(t.nodes) - 1; i >= 0; i-- { // what lies below a node comes after it
		n := &out.nodes[i]
		*n = t.nodes[i]
		all := nowhere()
		for k, c := range n.child {
			if !(n.box[0][0][k] <= n.box[0][1][k]) { // not used
				continue
			}
			b := &bounds{}
			if c < 0 {
				b = &boxes[^c]
			} else {
				b = &around[c]
			}
			for a := range 3 {
				n.box[a][0][k], n.box[a][1][k] = b.lo[a], b.hi[a]
			}
			grow(&all.lo, &all.hi, &b.lo, &b.hi)
		}
		around[i] = all
	}
	if len(around) > 0 {
		out.box = vec.Box{Min: around[0].lo, Max: around[0].hi}
	}
	return out
}

// refit fills a leaf as another one is, and returns its box.
func (l *leaf) refit(from *leaf, pos []vec.V, tri [][3]int32) bounds {
	b := nowhere()
	l.id = from.id
	nan := float32(math.NaN())
	for i, id := range from.id {
		if id < 0 {
			for c := range 3 {
				for k := range 3 {
					l.at[c][k][i] = nan
				}
			}
			continue
		}
		for c, v := range tri[id] {
			p := &pos[v]
			grow(&b.lo, &b.hi, p, p)
			for k := range 3 {
				l.at[c][k][i] = p[k]
			}
		}
	}
	return b
}

// work returns how much a ray is expected to have to do, next to one that meets the whole.
func (t *Tree) work() float32 {
	var sum float32
	for i := range t.nodes {
		n := &t.nodes[i]
		for k, c := range n.child {
			if !(n.box[0][0][k] <= n.box[0][1][k]) {
				continue
			}
			b := bounds{vec.V{n.box[0][0][k], n.box[1][0][k], n.box[2][0][k]}, vec.V{n.box[0][1][k], n.box[1][1][k], n.box[2][1][k]}}
			if c < 0 {
				sum += area(&b) * leafCost
			} else {
				sum += area(&b)
			}
		}
	}
	return sum / max(area(&bounds{t.box.Min, t.box.Max}), 1e-30)
}

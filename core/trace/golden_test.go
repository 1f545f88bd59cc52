package trace

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"testing"

	"mobanta/core/golden"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// Trees are built as they were: which boxes, which triangles in which leaf. What rays meet does
// not tell, for a bad tree finds the same, more slowly.
func TestTreesAreBuiltAsTheyWere(t *testing.T) {
	var lines []string
	put := func(name string, pos []vec.V, tri [][3]int32) {
		tree := NewTree(pos, tri, 2)
		h := fnv.New32a()
		deep := depth(tree, 0)
		for i := range tree.nodes {
			fmt.Fprintf(h, "%.5v%v", tree.nodes[i].box, tree.nodes[i].child)
		}
		for i := range tree.leaves {
			fmt.Fprint(h, tree.leaves[i].id)
		}
		lines = append(lines, fmt.Sprintf("%s: %d triangles, %d nodes, %d leaves, %d deep, box %.4v, %08x", name, len(tri), len(tree.nodes), len(tree.leaves), deep, tree.box, h.Sum32()))
	}
	for _, m := range []*mesh.Mesh{mesh.Cuboid(vec.V{1, 2, 3}), mesh.Sphere(1, 5, 3), mesh.Sphere(1, 12, 6), mesh.Torus(1, 0.3, 30, 12), mesh.Sphere(1, 96, 48)} {
		s := surface(t, m)
		put("solid", s.Pos, s.Tri)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for _, n := range []int{1, 2, 7, 8, 9, 16, 17, 40, 63, 64, 65, 200, 900, 5000, 9000} {
		var pos []vec.V
		var tri [][3]int32
		for i := range n {
			at := vec.V{r.Float32(), r.Float32() * r.Float32(), float32(i % 7)}
			size := 0.02 + 0.3*r.Float32()*r.Float32()
			for range 3 {
				pos = append(pos, at.Add(vec.V{r.Float32() - 0.5, r.Float32() - 0.5, r.Float32() - 0.5}.Mul(size)))
			}
			k := int32(3 * i)
			tri = append(tri, [3]int32{k, k + 1, k + 2})
		}
		put("strewn", pos, tri)
		for i := range pos { // all in one place, and all in one line
			pos[i] = vec.V{float32(i % 3), float32(i%3) / 2, 0}
		}
		put("heaped", pos, tri)
		for i := range pos {
			pos[i] = vec.V{float32(i * i), 0.5, 0}
		}
		put("in line", pos, tri)
	}
	golden.Text(t, "trees", lines)
}

func depth(t *Tree, i int32) int {
	most := 0
	if len(t.nodes) == 0 {
		return 0
	}
	for k, c := range t.nodes[i].child {
		if n := &t.nodes[i]; c > 0 && n.box[0][0][k] <= n.box[0][1][k] {
			most = max(most, depth(t, c))
		}
	}
	return 1 + most
}

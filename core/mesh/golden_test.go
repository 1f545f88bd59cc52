package mesh_test

import (
	"fmt"
	"hash/fnv"
	"math"
	"testing"

	"mobanta/core/golden"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// What solids are made of, and which surfaces come of them and of rough meshes at several
// crease angles: their corners, normals and regions.
func TestSurfacesAreWhatTheyWere(t *testing.T) {
	var lines []string
	put := func(format string, a ...any) { lines = append(lines, fmt.Sprintf(format, a...)) }
	meshes := []*mesh.Mesh{mesh.Sphere(1, 7, 4), mesh.Capsule(0.5, 1.5, 6, 3), mesh.Torus(1, 0.3, 6, 5), mesh.Cuboid(vec.V{1, 2, 3}), mesh.Lathe("vase", []vec.V{{0, -1, 0}, {0.6, -1, 0}, {0.3, 0, 0}, {0.5, 1, 0}}, 5),
		mesh.Grid("wave", 5, 4, func(u, v float64) vec.V { return vec.V{float32(u), float32(math.Sin(6*u) * v / 4), float32(v)} })}
	bar := func(open bool) *mesh.Mesh {
		return mesh.Sweep("bar", func(t float64) vec.V { return vec.V{float32(t), float32(t * t), float32(math.Sin(3 * t))} },
			func(u, t float64) (x, y float64) {
				return 0.2 * math.Cos(2*math.Pi*u) * (1 + t), 0.1 * math.Sin(2*math.Pi*u)
			}, vec.V{0, 1, 0}, 4, 5, !open)
	}
	meshes = append(meshes, bar(false), bar(true))
	for i := range mesh.Solids {
		meshes = append(meshes, mesh.Solids[i].Make())
	}
	// By hand: a pentagon that is not convex, a quad whose corners do not lie in a plane, three
	// faces at one edge, a face that is nothing, one turned the other way, a vertex that nothing
	// uses; corners without texture coordinates and normals beside such as have them.
	m := &mesh.Mesh{}
	part, other := m.AddPart("plate", [3]float32{1, 0, 0}), m.AddPart("fin", [3]float32{0, 1, 0})
	m.Positions = []vec.V{{0, 0, 0}, {2, 0, 0}, {2, 2, 0}, {1, 0.5, 0}, {0, 2, 0}, {3, 0, 0.5}, {3, 2, -0.5}, {2, 1, 1}, {2, 1, -1}, {9, 9, 9}}
	m.UVs = [][2]float32{{0, 0}, {1, 0}, {1, 1}}
	corner := func(ids ...int32) (out []mesh.Corner) {
		for _, id := range ids {
			out = append(out, mesh.Corner{Pos: id, UV: -1, Normal: -1})
		}
		return out
	}
	m.AddFace(part, corner(0, 1, 2, 3, 4)...)
	m.AddFace(part, corner(1, 5, 6, 2)...)
	m.AddFace(other, corner(1, 2, 7)...)
	m.AddFace(other, corner(2, 1, 8)...)
	m.AddFace(other, corner(0, 0, 4)...)
	textured := corner(0, 4, 5)
	for k := range textured {
		textured[k].UV = int32(k)
	}
	m.AddFace(other, textured...)
	m.Normals = []vec.V{{0, 0, 1}, {0, 0.6, 0.8}}
	given := corner(1, 2, 9)
	given[0].Normal, given[1].Normal = 0, 1
	m.AddFace(other, given...)
	meshes = append(meshes, m)
	joined := mesh.Cuboid(vec.V{1, 1, 1})
	joined.Join(m, vec.Place(vec.V{1, 2, 3}, vec.V{20, 30, 40}, 0.5))
	meshes = append(meshes, joined)
	for i, m := range meshes {
		for k, p := range m.Parts {
			put("  part %d of %d: %s %v", k, i, p.Name, p.Color)
		}
		put("mesh %d: parts %d, points %d, faces %d, triangles %d, box %.3f, check %v", i, len(m.Parts), len(m.Positions), len(m.FaceEnd), m.Triangles(), m.Bounds(), m.Check())
		for _, crease := range []float64{0, 25, 40, 91, 180} {
			s, err := mesh.NewSurface(m, crease)
			if err != nil {
				put("  crease %v: %v", crease, err)
				continue
			}
			h := fnv.New32a()
			fmt.Fprint(h, s.Tri, s.TriPart)
			for v := range s.Pos {
				fmt.Fprintf(h, "%.4f%.4f", s.Pos[v], s.Normal[v])
			}
			for _, uv := range s.UV {
				fmt.Fprintf(h, "%.4f", uv)
			}
			put("  crease %v: %d vertices, %d triangles, area %.4f, boxes %.2f, normals %.3f %.3f %.3f, %08x", crease, len(s.Pos), len(s.Tri), s.Area(), s.PartBox, s.Normal[0], s.Normal[len(s.Normal)/2], s.Normal[len(s.Normal)-1], h.Sum32())
			count := map[int32]int{}
			for _, r := range s.Regions(crease) {
				count[r]++
			}
			moved := make([]vec.V, len(s.Pos))
			for k, p := range s.Pos {
				moved[k] = p.Add(vec.V{p[1] * p[1], 0.1 * float32(k%3), 0})
			}
			together := s.Together(moved)
			n := s.NormalsAt(together)
			put("    %d regions; moved %.3f %.3f, normals %.3f %.3f", len(count), together[0], together[len(together)/2], n[0], n[len(n)/2])
		}
	}
	golden.Text(t, "surfaces", lines)
}

package meshfile_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// written returns a ring in files of all kinds, every place moved by one: where a kind tells places in 32 bits, as glTF does, by its
// node.
func written(t *testing.T, by [3]float64) map[string][]byte {
	m := mesh.Torus(1, 0.4, 12, 8)
	at := func(p vec.V) (q [3]float64) {
		for k := range q {
			q[k] = float64(p[k]) + by[k]
		}
		return q
	}
	var obj, stl, ply strings.Builder
	fmt.Fprintf(&ply, "ply\nformat ascii 1.0\nelement vertex %d\nproperty double x\nproperty double y\nproperty double z\nelement face %d\nproperty list uchar int vertex_indices\nend_header\n", len(m.Positions), len(m.FaceEnd))
	stl.WriteString("solid ring\n")
	for _, p := range m.Positions {
		q := at(p)
		fmt.Fprintf(&obj, "v %.9f %.9f %.9f\n", q[0], q[1], q[2])
		fmt.Fprintf(&ply, "%.9f %.9f %.9f\n", q[0], q[1], q[2])
	}
	for i := range m.FaceEnd {
		f := m.Face(i)
		obj.WriteString("f")
		fmt.Fprintf(&ply, "%d", len(f))
		for _, c := range f {
			fmt.Fprintf(&obj, " %d", c.Pos+1)
			fmt.Fprintf(&ply, " %d", c.Pos)
		}
		for k := 2; k < len(f); k++ {
			stl.WriteString("facet normal 0 0 0\nouter loop\n")
			for _, c := range []mesh.Corner{f[0], f[k-1], f[k]} {
				q := at(m.Positions[c.Pos])
				fmt.Fprintf(&stl, "vertex %.9f %.9f %.9f\n", q[0], q[1], q[2])
			}
			stl.WriteString("endloop\nendfacet\n")
		}
		obj.WriteString("\n")
		ply.WriteString("\n")
	}
	stl.WriteString("endsolid ring\n")
	var glb, packed bytes.Buffer
	require.NoError(t, meshfile.WriteGLB(&glb, m))
	z := zip.NewWriter(&packed)
	w, err := z.Create("ring.obj")
	require.NoError(t, err)
	_, err = w.Write([]byte(obj.String()))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return map[string][]byte{"ring.obj": []byte(obj.String()), "ring.stl": []byte(stl.String()), "ring.ply": []byte(ply.String()), "ring.zip": packed.Bytes(), "ring.glb": movedBy(t, glb.Bytes(), by)}
}

// movedBy has the nodes of a GLB stand within one that is moved, and that within one that is moved back by half of it.
func movedBy(t *testing.T, glb []byte, by [3]float64) []byte {
	n := binary.LittleEndian.Uint32(glb[12:])
	var doc map[string]any
	require.NoError(t, json.Unmarshal(glb[20:20+n], &doc))
	scene := doc["scenes"].([]any)[0].(map[string]any)
	nodes := doc["nodes"].([]any)
	back, out := []float64{-by[0] / 2, -by[1] / 2, -by[2] / 2}, []float64{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 1.5 * by[0], 1.5 * by[1], 1.5 * by[2], 1}
	nodes = append(nodes, map[string]any{"children": scene["nodes"], "translation": back}, map[string]any{"children": []int{len(nodes)}, "matrix": out})
	doc["nodes"], scene["nodes"] = nodes, []int{len(nodes) - 1}
	js, err := json.Marshal(doc)
	require.NoError(t, err)
	for len(js)%4 != 0 {
		js = append(js, ' ')
	}
	file := binary.LittleEndian.AppendUint32(bytes.Clone(glb[:12]), uint32(len(js)))
	file = append(append(append(file, glb[16:20]...), js...), glb[20+n:]...)
	binary.LittleEndian.PutUint32(file[8:], uint32(len(file)))
	return file
}

// From wherever a model is told, near the origin its places are as exact as if it had been told from there.
func TestModelsThatLieAfarAreReadNear(t *testing.T) {
	home := written(t, [3]float64{})
	for _, by := range [][3]float64{{6_000, 0, 0}, {-50_000, 6_000, 12}, {1e7, 1e7, -1e7}} {
		for name, data := range written(t, by) {
			was, err := meshfile.ReadNear(context.Background(), name, home[name], nil)
			require.NoError(t, err, name)
			require.Equal(t, vec.V{}, was.From, "%s lies near", name)
			m, err := meshfile.ReadNear(context.Background(), name, data, nil)
			require.NoError(t, err, name)
			require.NotEqual(t, vec.V{}, m.From, name)
			require.Equal(t, len(was.Mesh.Positions), len(m.Mesh.Positions), "%s %v: not one corner falls on another", name, by)
			slack := 1e-6
			if by[0] == 1e7 {
				slack = 1e-5 // of OBJ and its like nine digits after the point of 64 bits
			}
			for i, p := range m.Mesh.Positions {
				for k := range p {
					require.InDelta(t, float64(was.Mesh.Positions[i][k])+by[k]-float64(m.From[k]), p[k], slack, "%s %v", name, by)
				}
			}
			as, err := meshfile.Read(context.Background(), name, data, nil)
			require.NoError(t, err)
			assert.Equal(t, vec.V{}, as.From)
			assert.InDelta(t, by[0], as.Mesh.Bounds().Center()[0], max(1, math.Abs(by[0])/1e5), "%s: as its file has it", name)
			assert.True(t, meshfile.Afar(as.Mesh))
			// A document says which of the two its model is.
			for _, mends := range []mesh.Mends{0, mesh.MendFar} {
				s, err := meshfile.Surface(context.Background(), &stage.Model{File: "x", Form: mesh.Form{Mend: mends}}, func(string) (string, []byte, error) { return name, data, nil })
				require.NoError(t, err)
				assert.Equal(t, mends != 0, !meshfile.Afar(s.Mesh), name)
			}
		}
	}
}

func TestAfar(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 1, 1})
	assert.False(t, meshfile.Afar(m))
	for k, by := range []float32{63, -2, 128} {
		long := m.Bounds().Diagonal()
		for i := range m.Positions {
			m.Positions[i][k] += by * long
		}
		assert.Equal(t, k == 2, meshfile.Afar(m))
	}
}

// What moves far from the origin moves near it by as much, once it was brought there.
func TestWhatMovesAfarMovesNear(t *testing.T) {
	var b doc
	pos, in, out := b.put("VEC3", corner...), b.put("SCALAR", 0, 1), b.put("VEC3", 0, 0, 0, 2, -1, 0.5)
	file := b.file(`"scenes":[{"nodes":[0]}],"nodes":[{"children":[1],"translation":[40000,0,5]},{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}],
		"animations":[{"name":"a","channels":[{"sampler":0,"target":{"node":1,"path":"translation"}}],"samplers":[{"input":%d,"output":%d}]}]`, pos, in, out)
	m, err := meshfile.ReadNear(context.Background(), "a.gltf", file, nil)
	require.NoError(t, err)
	require.NotEqual(t, vec.V{}, m.From)
	for _, at := range []float64{0, 0.5, 1} {
		got := m.Mesh.Motion.Pose(&m.Mesh.Motion.Clips[0], at, len(m.Mesh.Positions))
		for v, p := range got {
			want := vec.V(corner[3*v : 3*v+3]).Add(vec.V{40000, 0, 5}.Sub(m.From)).Add(vec.V{2, -1, 0.5}.Mul(float32(at)))
			near(t, want, p, "at %v", at)
			if at == 0 {
				near(t, m.Mesh.Positions[v], p, "at rest")
			}
		}
	}
}

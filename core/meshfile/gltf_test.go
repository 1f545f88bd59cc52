package meshfile_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/vec"
)

// doc puts a glTF file together, one accessor after the other.
type doc struct {
	buf              []byte
	views, accessors []string
}

func (d *doc) view(data []byte) int {
	for len(d.buf)%4 != 0 {
		d.buf = append(d.buf, 0)
	}
	d.views = append(d.views, fmt.Sprintf(`{"buffer":0,"byteOffset":%d,"byteLength":%d}`, len(d.buf), len(data)))
	d.buf = append(d.buf, data...)
	return len(d.views) - 1
}

func (d *doc) add(component int, kind string, count int, data []byte, more string) int {
	d.accessors = append(d.accessors, fmt.Sprintf(`{"bufferView":%d,"componentType":%d,"count":%d,"type":%q%s}`, d.view(data), component, count, kind, more))
	return len(d.accessors) - 1
}

func (d *doc) floats(kind string, count int, v ...float32) int {
	return d.add(5126, kind, count, floats(v...), "")
}

func (d *doc) shorts(kind string, count int, more string, v ...uint16) int {
	var data []byte
	for _, s := range v {
		data = binary.LittleEndian.AppendUint16(data, s)
	}
	return d.add(5123, kind, count, data, more)
}

func (d *doc) file(members string, args ...any) []byte {
	return gltf(d.buf, fmt.Sprintf(members, args...)+fmt.Sprintf(`,"bufferViews":[%s],"accessors":[%s]`, strings.Join(d.views, ","), strings.Join(d.accessors, ",")))
}

// mesh is a file with one mesh on one node.
func (d *doc) mesh(primitive string, args ...any) []byte {
	return d.file(`"nodes":[{"mesh":0}],"meshes":[{"name":"sail","primitives":[`+primitive+`]}]`, args...)
}

// quad are the corners of a unit square, in the order of a strip.
var quad = []float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0}

func triangles(m *mesh.Mesh) (out [][3]vec.V) {
	for f := range m.FaceEnd {
		c := m.Face(f)
		out = append(out, [3]vec.V{m.Positions[c[0].Pos], m.Positions[c[1].Pos], m.Positions[c[2].Pos]})
	}
	return out
}

// area2 is twice the area of a triangle, seen from z.
func area2(t [3]vec.V) float32 { return t[1].Sub(t[0]).Cross(t[2].Sub(t[0]))[2] }

func TestGLTFStripsAndFansFaceOneWay(t *testing.T) {
	var strip, fan doc
	files := map[string][]byte{
		"strip": strip.mesh(`{"attributes":{"POSITION":%d},"mode":5}`, strip.floats("VEC3", 4, quad...)),
		"fan":   fan.mesh(`{"attributes":{"POSITION":%d},"mode":6}`, fan.floats("VEC3", 4, 0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0)),
	}
	for name, data := range files {
		m, err := meshfile.Read(context.Background(), "a.gltf", data, nil)
		require.NoError(t, err, name)
		got := triangles(m.Mesh)
		require.Len(t, got, 2, name)
		for _, tri := range got {
			assert.Equal(t, float32(1), area2(tri), "%s: both triangles are half of the square and face the eye", name)
		}
	}
}

func TestGLTFMirroredNodesKeepTheirOutside(t *testing.T) {
	var d doc
	pos := d.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	nrm := d.floats("VEC3", 3, 0, 0, 1, 0, 0, 1, 0, 0, 1)
	m, err := meshfile.Read(context.Background(), "a.gltf", d.file(`"nodes":[{"mesh":0,"scale":[-1,1,1]}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d,"NORMAL":%d}}]}]`, pos, nrm), nil)
	require.NoError(t, err)
	assert.Greater(t, area2(triangles(m.Mesh)[0]), float32(0))
	assert.Equal(t, vec.V{0, 0, 1}, m.Mesh.Normals[0])
}

func TestGLTFTurnsAndNestsNodes(t *testing.T) {
	// A quarter turn about y takes x to -z; the child's place is turned with it.
	var d doc
	h := math.Sqrt(0.5)
	m, err := meshfile.Read(context.Background(), "a.gltf", d.file(`"nodes":[{"children":[1],"rotation":[0,%v,0,%v]},{"mesh":0,"translation":[2,0,0],"scale":[1,3,1]}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}]`,
		h, h, d.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0)), nil)
	require.NoError(t, err)
	for k, want := range []vec.V{{0, 0, -2}, {0, 0, -3}, {0, 3, -2}} {
		assert.InDelta(t, 0, m.Mesh.Positions[k].Sub(want).Len(), 1e-6, "corner %d is at %v", k, m.Mesh.Positions[k])
	}
}

func TestGLTFTextureCoordinatesOfEveryType(t *testing.T) {
	// v runs down in the file and up here.
	var d doc
	pos := d.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	for name, uv := range map[string]int{
		"floats":           d.floats("VEC2", 3, 0, 0, 1, 0, 0, 0.4),
		"unsigned shorts":  d.shorts("VEC2", 3, `,"normalized":true`, 0, 0, 65535, 0, 0, 26214),
		"unsigned bytes":   d.add(5121, "VEC2", 3, []byte{0, 0, 255, 0, 0, 102}, `,"normalized":true`),
		"signed bytes":     d.add(5120, "VEC2", 3, []byte{0, 0, 127, 0, 0, 51}, `,"normalized":true`),
		"a sparse overlay": d.sparse(3, []byte{1, 2}, 1, 0, 0, 0.4),
	} {
		m, err := meshfile.Read(context.Background(), "a.gltf", d.mesh(`{"attributes":{"POSITION":%d,"TEXCOORD_0":%d}}`, pos, uv), nil)
		require.NoError(t, err, name)
		require.Len(t, m.Mesh.UVs, 3, name)
		for k, want := range [][2]float32{{0, 1}, {1, 1}, {0, 0.6}} {
			assert.InDeltaSlice(t, want[:], m.Mesh.UVs[k][:], 0.002, "%s, corner %d", name, k)
			assert.Equal(t, int32(k), m.Mesh.Face(0)[k].UV, name)
		}
	}
}

// sparse is an accessor of pairs that holds zeros but for those that it replaces.
func (d *doc) sparse(count int, which []byte, values ...float32) int {
	d.accessors = append(d.accessors, fmt.Sprintf(`{"componentType":5126,"count":%d,"type":"VEC2","sparse":{"count":%d,"indices":{"bufferView":%d,"componentType":5121},"values":{"bufferView":%d}}}`,
		count, len(which), d.view(which), d.view(floats(values...))))
	return len(d.accessors) - 1
}

func TestGLTFPartsHaveTheColoursOfTheirMaterials(t *testing.T) {
	var d doc
	pos := d.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	m, err := meshfile.Read(context.Background(), "a.gltf", d.file(`"nodes":[{"name":"boat","mesh":0}],"materials":[{"name":"tar","pbrMetallicRoughness":{"baseColorFactor":[0.1,0.2,0.3,1]}},{"name":"odd","pbrMetallicRoughness":{"baseColorFactor":[7,-1,0.25,1]}}],
		"meshes":[{"primitives":[{"attributes":{"POSITION":%d},"material":0},{"attributes":{"POSITION":%[1]d},"material":1},{"attributes":{"POSITION":%[1]d},"mode":1},{"attributes":{}}]}]`, pos), nil)
	require.NoError(t, err)
	require.Len(t, m.Mesh.Parts, 2)
	assert.Equal(t, "boat tar", m.Mesh.Parts[0].Name)
	assert.Equal(t, color.C{0.1, 0.2, 0.3}, m.Mesh.Parts[0].Color)
	assert.Equal(t, color.C{0.5, 0.5, 0.25}, m.Mesh.Parts[1].Color, "what is no colour is left")
	assert.Contains(t, strings.Join(m.Notes, " "), "Lines or points")
	assert.Contains(t, strings.Join(m.Notes, " "), "has no positions")
}

func TestGLTFSkinsBendByWeight(t *testing.T) {
	// Two joints, the second moved up by 4 since it was bound at height 1: a corner that depends on both goes half the way, its normal as it was.
	var d doc
	identity := []float32{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1}
	lower := append([]float32{}, identity...)
	lower[13] = -1
	pos := d.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0)
	nrm := d.floats("VEC3", 3, 0, 0, 1, 0, 0, 1, 0, 0, 1)
	bind := d.floats("MAT4", 2, append(identity, lower...)...)
	hang := func(joints []uint16, weights ...float32) []byte {
		e := d
		js, ws := e.shorts("VEC4", 3, "", joints...), e.floats("VEC4", 3, weights...)
		return e.file(`"nodes":[{"mesh":0,"skin":0},{},{"translation":[0,5,0]}],"skins":[{"joints":[1,2],"inverseBindMatrices":%d}],
			"meshes":[{"primitives":[{"attributes":{"POSITION":%d,"NORMAL":%d,"JOINTS_0":%d,"WEIGHTS_0":%d}}]}]`, bind, pos, nrm, js, ws)
	}
	m, err := meshfile.Read(context.Background(), "a.gltf", hang([]uint16{0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0}, 1, 0, 0, 0, 1, 0, 0, 0, 0.5, 0.5, 0, 0), nil)
	require.NoError(t, err)
	assert.Equal(t, []vec.V{{0, 0, 0}, {1, 4, 0}, {0, 3, 0}}, m.Mesh.Positions)
	for _, n := range m.Mesh.Normals {
		assert.InDelta(t, 1, n[2], 1e-6)
	}
	_, err = meshfile.Read(context.Background(), "a.gltf", hang([]uint16{0, 0, 0, 0, 2, 0, 0, 0, 0, 0, 0, 0}, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0), nil)
	assert.ErrorContains(t, err, "position 1 hangs on joint 2 of 2")
	m, err = meshfile.Read(context.Background(), "a.gltf", hang(make([]uint16, 12), make([]float32, 12)...), nil)
	require.NoError(t, err)
	assert.Equal(t, vec.V{1, 0, 0}, m.Mesh.Positions[1], "what hangs on nothing stays")
}

func TestGLTFRefusesWhatDoesNotFitTogether(t *testing.T) {
	nan := float32(math.NaN())
	for want, file := range map[string]func(d *doc, pos int) []byte{
		"there are 2 for 3 positions": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d,"NORMAL":%d}}`, pos, d.floats("VEC3", 2, 0, 0, 1, 0, 0, 1))
		},
		"texture coordinates: there are 1 for 3": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d,"TEXCOORD_0":%d}}`, pos, d.floats("VEC2", 1, 0, 0))
		},
		"has 3 components, not 2": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d,"TEXCOORD_0":%[1]d}}`, pos)
		},
		"does not hold indices": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d},"indices":%d}`, pos, d.floats("SCALAR", 3, 0, 1, 2))
		},
		"material 3 of 0 does not exist": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d},"material":3}`, pos)
		},
		"primitive 0 is empty": func(d *doc, pos int) []byte { return d.mesh(`null`) },
		"target 0 has 2 values for 3": func(d *doc, pos int) []byte {
			return d.file(`"nodes":[{"mesh":0,"weights":[1]}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d},"targets":[{"POSITION":%d}]}]}]`, pos, d.floats("VEC3", 2, 1, 1, 1, 1, 1, 1))
		},
		"skin 4 of 0 does not exist": func(d *doc, pos int) []byte {
			return d.file(`"nodes":[{"mesh":0,"skin":4}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}]`, pos)
		},
		"joint 7 of 1 nodes does not exist": func(d *doc, pos int) []byte {
			return d.file(`"nodes":[{"mesh":0,"skin":0}],"skins":[{"joints":[7]}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}]`, pos)
		},
		"1 joints but 0 bind matrices": func(d *doc, pos int) []byte {
			return d.file(`"nodes":[{"mesh":0,"skin":0}],"skins":[{"joints":[0],"inverseBindMatrices":%d}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}]`, d.add(5126, "MAT4", 0, nil, ""), pos)
		},
		"hangs on joint -1 of 1": func(d *doc, pos int) []byte {
			return d.hung(pos, d.add(5120, "VEC4", 3, bytes.Repeat([]byte{255}, 12), ""), d.floats("VEC4", 3, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0))
		},
		"hangs on joint NaN of 1": func(d *doc, pos int) []byte {
			return d.hung(pos, d.floats("VEC4", 3, nan, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0), d.floats("VEC4", 3, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0))
		},
		"3 joints and 2 weights for 3 positions": func(d *doc, pos int) []byte {
			return d.hung(pos, d.add(5121, "VEC4", 3, bytes.Repeat([]byte{0}, 12), ""), d.floats("VEC4", 2, 1, 0, 0, 0, 1, 0, 0, 0))
		},
		"a sparse index lies outside": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d,"TEXCOORD_0":%d}}`, pos, d.sparse(3, []byte{3}, 1, 1))
		},
		"4 sparse values for 3": func(d *doc, pos int) []byte {
			return d.mesh(`{"attributes":{"POSITION":%d,"TEXCOORD_0":%d}}`, pos, d.sparse(3, []byte{0, 1, 2, 2}, 1, 1, 1, 1, 1, 1, 1, 1))
		},
		"no usable place": func(d *doc, pos int) []byte {
			return d.file(`"nodes":[{"mesh":0,"translation":[1e39,0,0]}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}]`, pos)
		},
		"nested more than": func(d *doc, pos int) []byte {
			deep := make([]string, 3000)
			for i := range deep {
				deep[i] = fmt.Sprintf(`{"children":[%d]}`, i+1)
			}
			return d.file(`"nodes":[%s,{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}]`, strings.Join(deep, ","), pos)
		},
	} {
		var d doc
		_, err := meshfile.Read(context.Background(), "a.gltf", file(&d, d.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0)), nil)
		assert.ErrorContains(t, err, want, want)
	}
}

// hung is a file whose mesh depends on one joint.
func (d *doc) hung(pos, joints, weights int) []byte {
	return d.file(`"nodes":[{"mesh":0,"skin":0}],"skins":[{"joints":[0]}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d,"JOINTS_0":%d,"WEIGHTS_0":%d}}]}]`, pos, joints, weights)
}

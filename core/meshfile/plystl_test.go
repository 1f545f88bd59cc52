package meshfile_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/vec"
)

const plyBody = `comment a square and a triangle, painted
obj_info none
element vertex 5
property float x
property float y
property double z
property short quality
property uchar red
property uchar green
property uchar blue
element face 2
property uchar flags
property list uchar int vertex_indices
element edge 1
property int vertex1
property int vertex2
end_header
`

const plyText = "ply\nformat ascii 1.0\n" + plyBody + `0 0 0 7 255 0 0
1 0 0 7 0 255 0
1 1 0 7 0 0 255

0 1 0 7 51 102 153
2 0.5 0.25 -7 255 255 255
1 4 0 1 2 3
0 3
1 4 2
3 4
`

// plyNumbers is the same as numbers of a byte order.
func plyNumbers(order binary.ByteOrder) []byte {
	name := map[binary.ByteOrder]string{binary.LittleEndian: "binary_little_endian", binary.BigEndian: "binary_big_endian"}[order]
	b := bytes.NewBufferString("ply\r\nformat " + name + " 1.0\r\n" + plyBody)
	put := func(v any) { binary.Write(b, order, v) }
	for _, v := range []struct {
		x, y float32
		z    float64
		q    int16
		c    [3]byte
	}{{0, 0, 0, 7, [3]byte{255, 0, 0}}, {1, 0, 0, 7, [3]byte{0, 255, 0}}, {1, 1, 0, 7, [3]byte{0, 0, 255}}, {0, 1, 0, 7, [3]byte{51, 102, 153}}, {2, 0.5, 0.25, -7, [3]byte{255, 255, 255}}} {
		put(v)
	}
	put(uint8(1))
	put(uint8(4))
	put([]int32{0, 1, 2, 3})
	put(uint8(0))
	put(uint8(3))
	put([]int32{1, 4, 2})
	put([]int32{3, 4})
	return b.Bytes()
}

func TestPLY(t *testing.T) {
	for name, data := range map[string][]byte{"text": []byte(plyText), "little": plyNumbers(binary.LittleEndian), "big": plyNumbers(binary.BigEndian)} {
		m, err := meshfile.Read(context.Background(), "a.ply", data, nil)
		require.NoError(t, err, name)
		assert.Equal(t, "ply", m.Format)
		assert.Equal(t, []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {2, 0.5, 0.25}}, m.Mesh.Positions)
		assert.Equal(t, []int32{4, 7}, m.Mesh.FaceEnd, "polygons stay polygons")
		assert.Equal(t, int32(4), m.Mesh.Corners[5].Pos)
		assert.True(t, m.Mesh.PaintEncoded)
		assert.Equal(t, [4]float32{0.2, 0.4, 0.6, 1}, m.Mesh.Paint[3])
		assert.Equal(t, []string{`What the file calls "edge" was left out.`}, m.Notes)
		s, err := mesh.NewSurface(m.Mesh, 40)
		require.NoError(t, err)
		require.Len(t, s.Paint, len(s.Pos))
		for v, p := range s.Pos {
			if p == (vec.V{0, 1, 0}) {
				assert.Equal(t, [4]float32{0.2, 0.4, 0.6, 1}, s.Paint[v])
			}
		}
	}
}

func TestPLYWithNormalsCoordinatesAndStrips(t *testing.T) {
	m, err := meshfile.Read(context.Background(), "x", []byte(`ply
format ascii 1.0
element vertex 5
property float x
property float y
property float z
property float nx
property float ny
property float nz
property float s
property float t
property float red
property float green
property float blue
property float alpha
element tristrips 1
property list int int vertex_indices
end_header
0 0 0 0 0 2 0 0 0.5 0.25 2 0.5
1 0 0 0 0 2 1 0 1 1 1 1
0 1 0 0 0 2 0 1 1 1 1 1
1 1 0 0 0 2 1 1 1 1 1 1
0 2 0 0 0 nan 0 0.5 1 1 1 1
9 0 1 2 3 -1 2 3 4 4
`), nil)
	require.NoError(t, err)
	assert.Equal(t, [][3]int32{{0, 1, 2}, {2, 1, 3}, {2, 3, 4}}, func() (out [][3]int32) {
		for i := range m.Mesh.FaceEnd {
			f := m.Mesh.Face(i)
			out = append(out, [3]int32{f[0].Pos, f[1].Pos, f[2].Pos})
		}
		return out
	}())
	assert.Equal(t, vec.V{0, 0, 1}, m.Mesh.Normals[0])
	assert.Equal(t, vec.V{}, m.Mesh.Normals[4], "none that can be used")
	assert.Equal(t, [2]float32{0, 0.5}, m.Mesh.UVs[4])
	assert.Equal(t, mesh.Corner{Pos: 3, UV: 3, Normal: 3}, m.Mesh.Face(1)[2])
	assert.Equal(t, [4]float32{0.5, 0.25, 1, 0.5}, m.Mesh.Paint[0], "kept within what a colour can be")
}

func TestBrokenPLY(t *testing.T) {
	whole := plyNumbers(binary.LittleEndian)
	swap := func(old, new string) string { return strings.Replace(plyText, old, new, 1) }
	for want, data := range map[string]string{
		"edge 1: the file is cut off":                     string(whole[:len(whole)-1]),
		"vertex 3: the file is cut off":                   string(whole[:strings.Index(string(whole), "end_header\n")+11+2*21+3]),
		"its head has no end":                             "ply\nformat ascii 1.0\nelement vertex 1\n",
		"PLY line 2: the format \"middle\" is not known":  swap("format ascii", "format middle"),
		"the format is not said":                          swap("format ascii 1.0\n", ""),
		"PLY line 26: face 1: it refers to vertex 9 of 5": swap("0 1 2 3\n", "0 1 2 9\n"),
		"it refers to vertex 1.5 of 5":                    swap("0 1 2 3\n", "0 1 1.5 3\n"),
		"PLY line 21: vertex 2: \"one\" is not a number":  swap("1 0 0 7", "one 0 0 7"),
		"its place is not a number":                       swap("1 0 0 7", "nan 0 0 7"),
		"no number of things":                             swap("element vertex 5", "element vertex 5000000000"),
		"no number of things that can be read":            swap("element face 2", "element face -2"),
		"a list of 1e+09 numbers":                         swap("\n1 4 0 1 2 3", "\n1 1000000000 0 1 2 3"),
		"have no place":                                   swap("property float x", "property float across"),
		"have no list of vertices":                        swap("vertex_indices", "corners"),
		"is no property that can be read":                 swap("property short", "property shorter"),
		"cannot count a list":                             swap("list uchar int", "list float int"),
		"a property of nothing":                           "ply\nformat ascii 1.0\nproperty int x\nend_header\n",
		"points without faces":                            "ply\nformat ascii 1.0\nelement vertex 1\nproperty int x\nproperty int y\nproperty int z\nend_header\n1 2 3\n",
		"the PLY file has no faces":                       "ply\nformat ascii 1.0\nend_header\n",
	} {
		_, err := meshfile.Read(context.Background(), "a.ply", []byte(data), nil)
		assert.ErrorContains(t, err, want)
	}
}

// stlNumbers is triangles as numbers.
func stlNumbers(tris ...[3]vec.V) []byte {
	b := bytes.NewBuffer(make([]byte, 80))
	copy(b.Bytes(), "solid as some programs write, though it is not text")
	binary.Write(b, binary.LittleEndian, uint32(len(tris)))
	for _, t := range tris {
		binary.Write(b, binary.LittleEndian, [3]float32{})
		binary.Write(b, binary.LittleEndian, t)
		binary.Write(b, binary.LittleEndian, uint16(0))
	}
	return b.Bytes()
}

const stlText = `solid left  post
  facet normal 0 0 1
    outer loop
      vertex 0 0 0
      vertex 1 0 0
      vertex 1 1 0
    endloop
  endfacet
  FACET NORMAL 0 0 1
    OUTER LOOP
      VERTEX 0 0 0
      VERTEX 1 1 0
      VERTEX 0 1e0 0
    ENDLOOP
  ENDFACET
endsolid left  post
solid
  facet normal 0 0 0
    outer loop
      vertex 0 0 5
      vertex 1 0 5
      vertex 0 1 5
    endloop
  endfacet
endsolid
`

func TestSTL(t *testing.T) {
	m, err := meshfile.Read(context.Background(), "a", []byte(stlText), nil)
	require.NoError(t, err)
	assert.Equal(t, "stl", m.Format)
	assert.Equal(t, []string{"left post", "Model"}, []string{m.Mesh.Parts[0].Name, m.Mesh.Parts[1].Name})
	assert.Equal(t, []int32{0, 0, 1}, m.Mesh.FacePart)
	assert.Len(t, m.Mesh.Positions, 7, "corners that meet are one")
	a, b := [3]vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}}, [3]vec.V{{0, 0, 0}, {1, 1, 0}, {0, 1, 0}}
	n, err := meshfile.Read(context.Background(), "b.STL", stlNumbers(a, b), nil)
	require.NoError(t, err)
	assert.Equal(t, m.Mesh.Positions[:4], n.Mesh.Positions)
	assert.Equal(t, m.Mesh.Corners[:6], n.Mesh.Corners)
}

func TestBrokenSTL(t *testing.T) {
	whole := stlNumbers([3]vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}}, [3]vec.V{{0, 0, 0}, {1, 0, float32(math.NaN())}, {1, 1, 0}})
	swap := func(old, new string) []byte { return []byte(strings.Replace(stlText, old, new, 1)) }
	for want, data := range map[string][]byte{
		"STL triangle 2: a corner is not a number": whole,
		"a face with more than three corners":      swap("vertex 1 1 0\n", "vertex 1 1 0\nvertex 2 2 0\n"),
		"STL line 7: a face with 2 corners":        swap("vertex 1 1 0\n", "\n"),
		"STL line 6: 2 numbers instead of 3":       swap("vertex 1 1 0", "vertex 1 1"),
		"STL line 4: \"zero\" is not a number":     swap("vertex 0", "vertex zero"),
		"STL line 6: the file is cut off":          []byte(stlText[:strings.Index(stlText, "    endloop")]),
		"STL line 1: \"soul\" says nothing":        []byte("soul\n"),
		"the STL file has no triangles":            []byte("solid a\nendsolid a\n"),
		"a face of nothing":                        []byte(strings.TrimPrefix(stlText, "solid left  post\n")),
	} {
		name := "a.stl"
		if want == "STL line 1: \"soul\" says nothing" || want == "a face of nothing" {
			want = "it holds fewer triangles than it says"
		}
		_, err := meshfile.Read(context.Background(), name, data, nil)
		assert.ErrorContains(t, err, want)
	}
	_, err := meshfile.Read(context.Background(), "a.stl", stlNumbers([3]vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}})[:100], nil)
	assert.Error(t, err)
}

// Colours that glTF and OBJ have on their vertices come in; what is not painted is white.
func TestPaintedVertices(t *testing.T) {
	m, err := meshfile.Read(context.Background(), "a.obj", []byte("v 0 0 0\nv 1 0 0 0.5 0.25 2\nv 0 1 0 1\nf 1 2 3\n"), nil)
	require.NoError(t, err)
	assert.Equal(t, [][4]float32{{1, 1, 1, 1}, {0.5, 0.25, 1, 1}, {1, 1, 1, 1}}, m.Mesh.Paint)
	assert.True(t, m.Mesh.PaintEncoded)
	_, err = meshfile.Read(context.Background(), "a.obj", []byte("v 0 0 0 red 1 1\n"), nil)
	assert.ErrorContains(t, err, "OBJ line 1")
	// A primitive that is painted, in bytes with opacity, and one that is not.
	data := append(bytes.Clone(corners), 255, 0, 51, 102, 0, 255, 0, 255, 0, 0, 255, 0)
	painted := func(accessor int) []byte {
		text := fmt.Sprintf(triangle, "", "", `,{"buffer":0,"byteOffset":36,"byteLength":12}`, `,{"bufferView":1,"componentType":5121,"normalized":true,"count":3,"type":"VEC4"}`)
		return gltf(data, strings.Replace(text, `{"attributes":{"POSITION":0}}`, fmt.Sprintf(`{"attributes":{"POSITION":0}},{"attributes":{"POSITION":0,"COLOR_0":%d}},{"attributes":{"POSITION":0}}`, accessor), 1))
	}
	m, err = meshfile.Read(context.Background(), "a.gltf", painted(1), nil)
	require.NoError(t, err)
	white := [4]float32{1, 1, 1, 1}
	assert.Equal(t, [][4]float32{white, white, white, {1, 0, 0.2, 0.4}, {0, 1, 0, 1}, {0, 0, 1, 0}, white, white, white}, m.Mesh.Paint)
	assert.False(t, m.Mesh.PaintEncoded)
	m, err = meshfile.Read(context.Background(), "a.gltf", painted(0), nil) // the places, as colours
	require.NoError(t, err)
	assert.Equal(t, [4]float32{1, 0, 0, 1}, m.Mesh.Paint[4])
	_, err = meshfile.Read(context.Background(), "a.gltf", painted(9), nil)
	assert.ErrorContains(t, err, "painted colours: accessor 9")
}

func TestJoinedMeshesKeepTheirPaint(t *testing.T) {
	bare, painted := mesh.Cuboid(vec.V{1, 1, 1}), mesh.Cuboid(vec.V{1, 1, 1})
	for range painted.Positions {
		painted.Paint = append(painted.Paint, [4]float32{0.1, 0.2, 0.3, 0.4})
	}
	for k, pair := range [][2]*mesh.Mesh{{bare, painted}, {painted, bare}} {
		m := &mesh.Mesh{}
		m.Join(pair[0], vec.Identity())
		m.Join(pair[1], vec.Identity())
		require.NoError(t, m.Check())
		require.Len(t, m.Paint, len(m.Positions))
		last := len(m.Paint) - 1
		assert.Equal(t, []float32{1, 0.1}, []float32{m.Paint[last*k][0], m.Paint[last-last*k][0]})
	}
	painted.Paint = painted.Paint[1:]
	assert.Error(t, painted.Check())
}

func TestPaintIsWrittenToo(t *testing.T) {
	for _, encoded := range []bool{true, false} {
		src := mesh.Cuboid(vec.V{1, 1, 1})
		for i := range src.Positions {
			src.Paint = append(src.Paint, [4]float32{float32(i) / 8, 0.25, 1, 1})
		}
		src.PaintEncoded = encoded
		var buf bytes.Buffer
		require.NoError(t, meshfile.WriteOBJ(&buf, src))
		m, err := meshfile.Read(context.Background(), "a.obj", buf.Bytes(), nil)
		require.NoError(t, err)
		assert.True(t, m.Mesh.PaintEncoded)
		for i, p := range src.Paint {
			want := color.C{p[0], p[1], p[2]}
			if encoded {
				want = color.FromEncoded(want)
			}
			got := color.FromEncoded(color.C{m.Mesh.Paint[i][0], m.Mesh.Paint[i][1], m.Mesh.Paint[i][2]})
			for k := range got {
				assert.InDelta(t, want[k], got[k], 1e-4)
			}
		}
	}
}

// png is a picture of one pixel.
const png = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8z8BQDwAEhQGAhKmMIQAAAABJRU5ErkJggg=="

// The pictures that colour a model come with it, each once, with the parts that it colours;
// one that cannot be had is said, and the model comes without it.
func TestPicturesOfMaterials(t *testing.T) {
	data, err := base64.StdEncoding.DecodeString(png)
	require.NoError(t, err)
	obj := "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\ng one\nusemtl wood\nf 1/1 2/2 3/3\ng two\nusemtl also\nf 1/1 2/2 3/3\ng three\nusemtl plain\nf 1/1 2/2 3/3\ng four\nusemtl gone\nf 1/1 2/2 3/3\n"
	mtl := "newmtl wood\nKd 1 1 1\nmap_Kd -s 2 2 1 -clamp on textures\\wood grain.png\nnewmtl also\nmap_Kd textures/wood grain.png\nnewmtl plain\nKd 1 0 0\nnewmtl gone\nmap_Kd ../../etc/passwd\n"
	files := beside(map[string]string{"a.mtl": mtl, "textures/wood grain.png": string(data)})
	m, err := meshfile.Read(context.Background(), "a.obj", []byte(obj), files)
	require.NoError(t, err)
	require.Len(t, m.Pictures, 2, "one for each name that files are asked for by")
	assert.Equal(t, meshfile.Picture{Name: "wood grain.png", Data: data, Parts: []string{"one"}}, meshfile.Picture{Name: "wood grain.png", Data: m.Pictures[0].Data, Parts: m.Pictures[0].Parts})
	assert.Equal(t, []string{"two"}, m.Pictures[1].Parts)
	require.Len(t, m.Notes, 1)
	assert.Contains(t, m.Notes[0], "passwd")
	// glTF: from a buffer view, from a data URI, from a file beside it.
	for name, image := range map[string]string{"view": `{"bufferView":2,"mimeType":"image/png","name":"grain"}`, "data": `{"uri":"data:image/png;base64,` + png + `","name":"grain"}`, "file": `{"uri":"a%20b.png","name":"grain"}`} {
		buffer := append(append(bytes.Clone(corners), floats(0, 0, 1, 0, 0, 1)...), data...)
		text := fmt.Sprintf(triangle, "", "", fmt.Sprintf(`,{"buffer":0,"byteOffset":36,"byteLength":24},{"buffer":0,"byteOffset":60,"byteLength":%d}`, len(data)), `,{"bufferView":1,"componentType":5126,"count":3,"type":"VEC2"}`)
		text = strings.Replace(text, `{"attributes":{"POSITION":0}}`, `{"attributes":{"POSITION":0,"TEXCOORD_0":1},"material":0},{"attributes":{"POSITION":0},"material":0}`, 1)
		text += `,"materials":[{"name":"wood","pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}],"textures":[{"source":0}],"images":[` + image + `]`
		m, err := meshfile.Read(context.Background(), "a.gltf", gltf(buffer, text), beside(map[string]string{"a b.png": string(data)}))
		require.NoError(t, err, name)
		require.Len(t, m.Pictures, 1, name)
		assert.Equal(t, data, m.Pictures[0].Data)
		assert.Equal(t, "grain", m.Pictures[0].Name)
		assert.Equal(t, []string{m.Mesh.Parts[0].Name}, m.Pictures[0].Parts, "the part without coordinates cannot show it")
		for _, change := range [][2]string{{`"baseColorTexture":{"index":0}`, `"baseColorTexture":{"index":1}`}, {`"baseColorTexture":{"index":0}`, `"baseColorTexture":{"index":-1}`}, {`"source":0`, `"source":1`}, {`"source":0`, `"source":-1`},
			{`[{"source":0}]`, `[{}]`}, {`[{"source":0}]`, `[null]`}, {`"images":[` + image + `]`, `"images":[null]`}, {`"baseColorTexture":{"index":0}`, `"baseColorTexture":{"index":0,"texCoord":1}`}} {
			broken := strings.Replace(text, change[0], change[1], 1)
			require.NotEqual(t, text, broken)
			m, err := meshfile.Read(context.Background(), "a.gltf", gltf(buffer, broken), beside(nil))
			if err == nil {
				assert.Empty(t, m.Pictures, change[1])
			}
		}
		m, err = meshfile.Read(context.Background(), "a.gltf", gltf(buffer, strings.Replace(text, image, `{"uri":"none.png"}`, 1)), beside(nil))
		require.NoError(t, err)
		assert.Empty(t, m.Pictures)
		assert.Contains(t, m.Notes[0], "none.png")
	}
}

func TestLimitsOfPLYAndSTL(t *testing.T) {
	ply := func(properties int) string {
		return "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n" + strings.Repeat("property float q\n", properties-3) +
			"element face 1\nproperty list int int vertex_indices\nend_header\n" + "0 0 0" + strings.Repeat(" 0", properties-3) + "\n1 0 0" + strings.Repeat(" 0", properties-3) + "\n0 1 0" + strings.Repeat(" 0", properties-3) + "\n3 0 1 2\n"
	}
	_, err := meshfile.Read(context.Background(), "a.ply", []byte(ply(256)), nil)
	assert.NoError(t, err)
	_, err = meshfile.Read(context.Background(), "a.ply", []byte(ply(257)), nil)
	assert.ErrorContains(t, err, "more than 256 properties")
	_, err = meshfile.Read(context.Background(), "a.ply", []byte("ply\nformat ascii 1.0\nelement face 0\nproperty int a\nend_header\n"), nil)
	assert.ErrorContains(t, err, "has no faces", "no faces need no list of vertices")
	long := func(n int) string { return stlText + strings.Repeat(" ", n) }
	_, err = meshfile.Read(context.Background(), "a.stl", []byte(long(4<<20)), nil)
	assert.NoError(t, err)
	_, err = meshfile.Read(context.Background(), "a.stl", []byte(long(4<<20+1)), nil)
	assert.ErrorContains(t, err, "longer than 4 MB")
}

func TestBufferViewsThatAreNotThere(t *testing.T) {
	for view, want := range map[string]string{"7": "buffer view 7 of 1 does not exist", "1": "buffer view 1 of 1 does not exist", "-1": "does not exist"} {
		text := strings.Replace(fmt.Sprintf(triangle, "", "", "", ""), `"accessors":[{"bufferView":0`, `"accessors":[{"bufferView":`+view, 1)
		_, err := meshfile.Read(context.Background(), "a.gltf", gltf(corners, text), nil)
		assert.ErrorContains(t, err, want)
	}
}

// Corners of an STL file are joined as a map of positions would join them, both zeros as one.
func TestSTLCornersAreJoined(t *testing.T) {
	r := rand.New(rand.NewPCG(26, 8))
	for range 20 {
		n := 1 + r.IntN(4000)
		data := binary.LittleEndian.AppendUint32(make([]byte, 80), uint32(n))
		known, order := map[vec.V]int32{}, []int32{}
		for range n {
			data = append(data, make([]byte, 12)...)
			for range 3 {
				p := vec.V{float32(r.IntN(12) - 6), float32(r.IntN(12)) / 4, 0}
				if r.IntN(2) == 0 {
					p[2] = float32(math.Copysign(0, -1))
				}
				for _, v := range p {
					data = binary.LittleEndian.AppendUint32(data, math.Float32bits(v))
				}
				at, ok := known[p]
				if !ok {
					at = int32(len(known))
					known[p] = at
				}
				order = append(order, at)
			}
			data = append(data, 0, 0)
		}
		m, err := meshfile.Read(context.Background(), "x.stl", data, nil)
		require.NoError(t, err)
		assert.Len(t, m.Mesh.Positions, len(known))
		for i, c := range m.Mesh.Corners {
			require.Equal(t, order[i], c.Pos)
		}
	}
}

// What is allocated while an STL file is read is bounded by its triangles: a large one takes little more than its mesh does.
func TestReadingSTLTakesLittleMoreThanItsMesh(t *testing.T) {
	const n = 150 // squares along a side, two triangles each
	data := binary.LittleEndian.AppendUint32(make([]byte, 80), 2*n*n)
	for i := range n * n {
		x, y := float32(i%n), float32(i/n)
		for _, c := range [2][6]float32{{x, y, x + 1, y, x + 1, y + 1}, {x, y, x + 1, y + 1, x, y + 1}} {
			data = append(data, make([]byte, 12)...)
			for k := range 3 {
				for _, v := range [3]float32{c[2*k], c[2*k+1], 0} {
					data = binary.LittleEndian.AppendUint32(data, math.Float32bits(v))
				}
			}
			data = append(data, 0, 0)
		}
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, err := meshfile.Read(context.Background(), "grid.stl", data, nil)
	runtime.ReadMemStats(&after)
	require.NoError(t, err)
	each := float64(after.TotalAlloc-before.TotalAlloc) / (2 * n * n)
	t.Logf("%.0f bytes a triangle", each)
	assert.Less(t, each, 120.0)
}

package meshfile_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func Example() {
	m, err := meshfile.Read(context.Background(), "sail.obj", []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), nil)
	fmt.Println(m.Format, m.Mesh.Triangles(), err)
	// Output: obj 1 <nil>
}

func beside(files map[string]string) meshfile.Open {
	return func(name string) ([]byte, error) {
		if s, ok := files[name]; ok {
			return []byte(s), nil
		}
		return nil, errors.New("not there")
	}
}

const crate = `# two parts that share a corner
mtllib harbour.mtl
o crate
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 2 0 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
usemtl wood
f 1/1/1 2/2/1 3/3/1 4/4/1
o flag
usemtl cloth
f -4//1 -1//1 -3//1
`

func TestOBJ(t *testing.T) {
	m, err := meshfile.Read(context.Background(), "crate.obj", []byte(crate), beside(map[string]string{"harbour.mtl": "newmtl wood\nKd 1 0 0\nnewmtl cloth\nKd bad\n"}))
	require.NoError(t, err)
	require.Len(t, m.Mesh.Parts, 2)
	assert.Equal(t, "crate", m.Mesh.Parts[0].Name)
	assert.Equal(t, color.C{1, 0, 0}, m.Mesh.Parts[0].Color)
	assert.Equal(t, "flag", m.Mesh.Parts[1].Name)
	assert.Len(t, m.Mesh.Face(0), 4, "polygons stay as the file has them")
	assert.Equal(t, mesh.Corner{Pos: 1, UV: -1, Normal: 0}, m.Mesh.Face(1)[0], "negative numbers count back")
	assert.Empty(t, m.Notes)

	m, err = meshfile.Read(context.Background(), "crate.obj", []byte(crate), nil)
	require.NoError(t, err)
	assert.Contains(t, m.Notes[0], "harbour.mtl")

	m, err = meshfile.Read(context.Background(), "c.obj", []byte("v 0 0 0 \\\n 0.5\nv 1 0 0\r\nv 0 1 0\nl 1 2\nf 1 \\\n2 3"), nil)
	require.NoError(t, err)
	assert.Equal(t, 1, m.Mesh.Triangles(), "lines that go on, line ends of both kinds, no line end at the end")
	assert.Contains(t, m.Notes[0], "Lines and points")
}

func TestOBJRefusesWithThePlace(t *testing.T) {
	for text, want := range map[string]string{
		"v 0 0\n":                                    "line 1: 2 numbers instead of 3",
		"v 0 0 x\n":                                  `line 1: "x" is not a number`,
		"v 0 NaN 0\n":                                "is not a number",
		"v 0 1e400 0\n":                              "is not a number",
		"v 0 0 0\nv 1 0 0\nf 1 2\n":                  "line 3: a face with 2 corners",
		"v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 99\n":      "line 4: face 1 refers to vertex 99 of 3",
		"v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 0\n":       "refers to vertex 0",
		"v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1/1 2/1 3/1\n": "texture coordinate 1 of 0",
		"v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 3/a/b/c\n": "is not a corner",
		"v 0 0 0\n":                                  "no faces",
		"":                                           "no faces",
	} {
		_, err := meshfile.Read(context.Background(), "a.obj", []byte(text), nil)
		assert.ErrorContains(t, err, want, text)
	}
	_, err := meshfile.Read(context.Background(), "a.txt", []byte("hello"), nil)
	assert.ErrorIs(t, err, meshfile.ErrFormat)
}

// gltf builds a document around the given JSON members, with one buffer.
func gltf(buffer []byte, members string) []byte {
	uri := "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(buffer)
	return fmt.Appendf(nil, `{"asset":{"version":"2.0"},"buffers":[{"byteLength":%d,"uri":%q}],%s}`, len(buffer), uri, members)
}

func glb(text, bin []byte) []byte {
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	for len(bin)%4 != 0 {
		bin = append(bin, 0)
	}
	out := []byte("glTF")
	for _, v := range []int{2, 12 + 8 + len(text) + 8 + len(bin), len(text), 0x4E4F534A} {
		out = binary.LittleEndian.AppendUint32(out, uint32(v))
	}
	out = append(out, text...)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(bin)))
	out = binary.LittleEndian.AppendUint32(out, 0x004E4942)
	return append(out, bin...)
}

func floats(v ...float32) (out []byte) {
	for _, f := range v {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(f))
	}
	return out
}

const triangle = `"scenes":[{"nodes":[0]}],"nodes":[{"name":"sail","mesh":0%s}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}%s}]}],
"bufferViews":[{"buffer":0,"byteLength":36}%s],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}%s]`

var corners = floats(0, 0, 0, 1, 0, 0, 0, 1, 0)

func TestGLTF(t *testing.T) {
	plain := fmt.Sprintf(triangle, "", "", "", "")
	for name, tc := range map[string]struct {
		data  []byte
		open  meshfile.Open
		first vec.V
	}{
		"data URI": {data: gltf(corners, plain)},
		"file beside": {data: fmt.Appendf(nil, `{"asset":{"version":"2.0"},"buffers":[{"byteLength":36,"uri":"sail%%20one.bin"}],%s}`, plain),
			open: beside(map[string]string{"sail one.bin": string(corners)})},
		"GLB":         {data: glb(fmt.Appendf(nil, `{"asset":{"version":"2.0"},"buffers":[{"byteLength":36}],%s}`, plain), corners)},
		"translation": {data: gltf(corners, fmt.Sprintf(triangle, `,"translation":[1,2,3]`, "", "", "")), first: vec.V{1, 2, 3}},
		"matrix": {data: gltf(corners, fmt.Sprintf(triangle, `,"matrix":[2,0,0,0,0,2,0,0,0,0,2,0,5,0,0,1]`, "", "", "")),
			first: vec.V{5, 0, 0}},
		"byte indices": {data: gltf(append(bytes.Clone(corners), 2, 0, 1), fmt.Sprintf(triangle, "", `,"indices":1`, `,{"buffer":0,"byteOffset":36,"byteLength":3}`,
			`,{"bufferView":1,"componentType":5121,"count":3,"type":"SCALAR"}`)), first: vec.V{0, 0, 0}},
		"short indices": {data: gltf(append(bytes.Clone(corners), 0, 0, 1, 0, 2, 0), fmt.Sprintf(triangle, "", `,"indices":1`, `,{"buffer":0,"byteOffset":36,"byteLength":6}`,
			`,{"bufferView":1,"componentType":5123,"count":3,"type":"SCALAR"}`))},
		"int indices": {data: gltf(append(bytes.Clone(corners), 0, 0, 0, 0, 1, 0, 0, 0, 2, 0, 0, 0), fmt.Sprintf(triangle, "", `,"indices":1`, `,{"buffer":0,"byteOffset":36,"byteLength":12}`,
			`,{"bufferView":1,"componentType":5125,"count":3,"type":"SCALAR"}`))},
		"sparse": {data: gltf(append(append(bytes.Clone(corners), 0, 0, 0, 0), floats(7, 8, 9)...), strings.Replace(fmt.Sprintf(triangle, "", "",
			`,{"buffer":0,"byteOffset":36,"byteLength":1},{"buffer":0,"byteOffset":40,"byteLength":12}`, ""),
			`"min":[0,0,0]`, `"sparse":{"count":1,"indices":{"bufferView":1,"componentType":5121},"values":{"bufferView":2}},"min":[0,0,0]`, 1)), first: vec.V{7, 8, 9}},
		"strided": {data: gltf(floats(0, 0, 0, 9, 1, 0, 0, 9, 0, 1, 0, 9), strings.Replace(fmt.Sprintf(triangle, "", "", "", ""), `"byteLength":36`, `"byteLength":48,"byteStride":16`, 1))},
	} {
		m, err := meshfile.Read(context.Background(), "sail", tc.data, tc.open)
		require.NoError(t, err, name)
		assert.Equal(t, 1, m.Mesh.Triangles(), name)
		assert.Equal(t, tc.first, m.Mesh.Positions[0], name)
		assert.Equal(t, "sail", m.Mesh.Parts[0].Name, name)
	}
}

func TestSkinnedAndMorphedModelsComeInAtRest(t *testing.T) {
	// One joint, moved by (0, 5, 0), carries all three corners; a morph target of weight ½ moves the first by (2, 0, 0).
	buf := append(bytes.Clone(corners), floats(2, 0, 0, 0, 0, 0, 0, 0, 0)...)
	buf = append(buf, make([]byte, 12)...)
	buf = append(buf, floats(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0)...)
	m, err := meshfile.Read(context.Background(), "arm.gltf", gltf(buf, `"scenes":[{"nodes":[0,1]}],"nodes":[{"mesh":0,"skin":0,"translation":[9,9,9]},{"translation":[0,5,0]}],
		"skins":[{"joints":[1]}],"meshes":[{"name":"arm","weights":[0.5],"primitives":[{"attributes":{"POSITION":0,"JOINTS_0":2,"WEIGHTS_0":3},"targets":[{"POSITION":1}]}]}],
		"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":36},{"buffer":0,"byteOffset":72,"byteLength":12},{"buffer":0,"byteOffset":84,"byteLength":48}],
		"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5126,"count":3,"type":"VEC3"},
			{"bufferView":2,"componentType":5121,"count":3,"type":"VEC4"},{"bufferView":3,"componentType":5126,"count":3,"type":"VEC4"}]`), nil)
	require.NoError(t, err)
	assert.Equal(t, []vec.V{{1, 5, 0}, {1, 5, 0}, {0, 6, 0}}, m.Mesh.Positions)
}

func TestGLTFRefusesInWords(t *testing.T) {
	plain := fmt.Sprintf(triangle, "", "", "", "")
	with := func(old, new string) []byte { return gltf(corners, strings.Replace(plain, old, new, 1)) }
	head := func(s string) []byte { return []byte(`{"asset":{"version":"2.0"},` + s + `}`) }
	for name, tc := range map[string]struct {
		data []byte
		want string
	}{
		"version 1":          {[]byte(`{"asset":{"version":"1.0"}}`), "version 1.0 is not read"},
		"GLB version 1":      {append([]byte("glTF\x01\x00\x00\x00"), make([]byte, 20)...), "version 1 is not read"},
		"Draco":              {head(`"extensionsRequired":["KHR_draco_mesh_compression"]`), "without mesh compression"},
		"unknown extension":  {head(`"extensionsRequired":["XYZ_magic"]`), "XYZ_magic"},
		"damaged JSON":       {[]byte(`{"asset":{"version":"2.0"},"nodes":[{]}`), "line 1, column 38"},
		"null node":          {head(`"nodes":[null]`), "empty (null) entry"},
		"null mesh":          {head(`"meshes":[null]`), "empty (null) entry"},
		"null accessor":      {head(`"accessors":[null]`), "no component type"},
		"null view":          {head(`"bufferViews":[null]`), "empty (null) entry"},
		"null buffer":        {head(`"buffers":[null]`), "empty (null) entry"},
		"null skin":          {head(`"skins":[null]`), "empty (null) entry"},
		"null material":      {head(`"materials":[null]`), "empty (null) entry"},
		"null scene":         {head(`"scenes":[null]`), "empty (null) entry"},
		"missing buffer":     {head(`"buffers":[{"byteLength":36,"uri":"gone.bin"}],` + plain), "gone.bin"},
		"a path upward":      {head(`"buffers":[{"byteLength":36,"uri":"../../etc/passwd"}],` + plain), "not a file beside the model"},
		"an absolute path":   {head(`"buffers":[{"byteLength":36,"uri":"/etc/passwd"}],` + plain), "not a file beside the model"},
		"a web address":      {head(`"buffers":[{"byteLength":36,"uri":"http://x/y"}],` + plain), "not a file beside the model"},
		"buffer cut off":     {head(`"buffers":[{"byteLength":99,"uri":"data:;base64,AAAA"}],` + plain), "cut off"},
		"absurd count":       {with(`"count":3`, `"count":2000000000`), "claims 2000000000"},
		"negative count":     {with(`"count":3`, `"count":-3`), "claims -3"},
		"count beyond view":  {with(`"count":3`, `"count":4`), "more than its buffer view holds"},
		"view beyond buffer": {with(`"byteLength":36}`, `"byteLength":999}`), "does not fit into its buffer"},
		"accessor missing":   {with(`"POSITION":0`, `"POSITION":7`), "accessor 7 of 1"},
		"mesh missing":       {with(`"mesh":0`, `"mesh":4`), "mesh 4 of 1"},
		"scene missing":      {head(`"scene":3,"scenes":[{"nodes":[]}]`), "scene 3 of 1"},
		"cyclic nodes":       {head(`"scenes":[{"nodes":[0]}],"nodes":[{"children":[1]},{"children":[0]}]`), "its own ancestor"},
		"a circle of nodes":  {head(`"nodes":[{"children":[1]},{"children":[0]}]`), "form a circle"},
		"child missing":      {head(`"scenes":[{"nodes":[0]}],"nodes":[{"children":[5]}]`), "node 5 of 1"},
		"NaN position":       {gltf(floats(0, 0, float32(math.NaN()), 1, 0, 0, 0, 1, 0), plain), "is not a number"},
		"infinite position":  {gltf(floats(0, 0, float32(math.Inf(1)), 1, 0, 0, 0, 1, 0), plain), "is not a number"},
		"no triangles":       {head(`"scenes":[{"nodes":[]}]`), "no triangles"},
		"GLB cut off":        {glb(head(plain), corners)[:60], "cut off"},
		"too many entries":   {append([]byte(`{"asset":{"version":"2.0"},"nodes":[`), bytes.Repeat([]byte("{},"), 300_000)...), "too much in it"},
		"mode 99":            {with(`"attributes"`, `"mode":99,"attributes"`), "unknown mode 99"},
		"mode -1":            {with(`"attributes"`, `"mode":-1,"attributes"`), "unknown mode -1"},
		"an unknown type":    {with(`"VEC3"`, `"VEC9"`), `unknown type "VEC9"`},
		"a short matrix":     {with(`"mesh":0`, `"mesh":0,"matrix":[1,0,0,0,0,1,0,0,0,0,1,0,0,0,0]`), "has 15 numbers, not 16"},
		"a long turn":        {with(`"mesh":0`, `"mesh":0,"rotation":[0,0,0,1,0]`), "rotation has 5 numbers"},
		"a flat scale":       {with(`"mesh":0`, `"mesh":0,"scale":[1,1]`), "scale has 2 numbers"},
		"a long way":         {with(`"mesh":0`, `"mesh":0,"translation":[0,0,0,0]`), "translation has 4 numbers"},
		"index out of range": {gltf(append(bytes.Clone(corners), 0, 1, 9), fmt.Sprintf(triangle, "", `,"indices":1`, `,{"buffer":0,"byteOffset":36,"byteLength":3}`,
			`,{"bufferView":1,"componentType":5121,"count":3,"type":"SCALAR"}`)), "index 2 refers to position 9 of 3"},
	} {
		_, err := meshfile.Read(context.Background(), "a.gltf", tc.data, nil)
		assert.ErrorContains(t, err, tc.want, name)
	}
}

func TestGLTFComponentTypes(t *testing.T) {
	plain := fmt.Sprintf(triangle, "", "", "", "")
	for kind := 5118; kind <= 5128; kind++ {
		_, err := meshfile.Read(context.Background(), "a.gltf", gltf(corners, strings.Replace(plain, "5126", fmt.Sprint(kind), 1)), nil)
		known := kind >= 5120 && kind <= 5126 && kind != 5124
		assert.Equal(t, !known, err != nil && strings.Contains(err.Error(), "no component type that glTF knows"), "%d: %v", kind, err)
	}
	_, err := meshfile.Read(context.Background(), "a.gltf", gltf(corners, strings.Replace(plain, `"componentType":5126,`, "", 1)), nil)
	assert.ErrorContains(t, err, "no component type")
}

// A small file must not take much memory, whatever it claims.
func TestClaimsTakeNoMemory(t *testing.T) {
	plain := fmt.Sprintf(triangle, "", "", "", "")
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for _, count := range []string{"5999999", "6000000", "2147483647"} {
		_, err := meshfile.Read(context.Background(), "a.gltf", gltf(corners, strings.Replace(plain, `"count":3`, `"count":`+count, 1)), nil)
		assert.Error(t, err)
	}
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(8<<20))
}

func TestZIP(t *testing.T) {
	pack := func(files map[string]string) []byte {
		var buf bytes.Buffer
		z := zip.NewWriter(&buf)
		for name, body := range files {
			w, err := z.Create(name)
			require.NoError(t, err)
			w.Write([]byte(body))
		}
		require.NoError(t, z.Close())
		return buf.Bytes()
	}
	m, err := meshfile.Read(context.Background(), "x.zip", pack(map[string]string{"boat/crate.obj": crate, "boat/harbour.mtl": "newmtl wood\nKd 0 1 0"}), nil)
	require.NoError(t, err)
	assert.Equal(t, color.C{0, 1, 0}, m.Mesh.Parts[0].Color)
	_, err = meshfile.Read(context.Background(), "x.zip", pack(map[string]string{"a.obj": crate, "b.obj": crate}), nil)
	assert.ErrorContains(t, err, "holds 2 models")
	_, err = meshfile.Read(context.Background(), "x.zip", pack(map[string]string{"readme.txt": "hello"}), nil)
	assert.ErrorContains(t, err, "holds 0 models")
	_, err = meshfile.Read(context.Background(), "x.zip", []byte("PK\x03\x04 but no more"), nil)
	assert.ErrorContains(t, err, "damaged")
}

func TestWriteOBJReadsBackTheSame(t *testing.T) {
	src := mesh.Torus(1, 0.3, 24, 12)
	var buf bytes.Buffer
	require.NoError(t, meshfile.WriteOBJ(&buf, src))
	m, err := meshfile.Read(context.Background(), "ring.obj", buf.Bytes(), nil)
	require.NoError(t, err)
	assert.Equal(t, src.Positions, m.Mesh.Positions)
	assert.Equal(t, len(src.FaceEnd), len(m.Mesh.FaceEnd))
	assert.Equal(t, src.Parts[0].Name, m.Mesh.Parts[0].Name)
}

func FuzzRead(f *testing.F) {
	f.Add("a.obj", []byte(crate))
	f.Add("a.gltf", gltf(corners, fmt.Sprintf(triangle, "", "", "", "")))
	f.Add("a.glb", glb([]byte(`{"asset":{"version":"2.0"}}`), corners))
	f.Add("a.ply", []byte(plyText))
	f.Add("b.ply", plyNumbers(binary.LittleEndian))
	f.Add("a.stl", []byte(stlText))
	f.Add("b.stl", stlNumbers([3]vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}}))
	f.Add("a.zip", []byte("PK\x03\x04"))
	seeds, _ := filepath.Glob("testdata/seeds/*")
	for _, name := range seeds {
		data, err := os.ReadFile(name)
		require.NoError(f, err)
		f.Add(filepath.Base(name), data)
	}
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		m, err := meshfile.Read(context.Background(), name, data, nil)
		if err != nil {
			if !strings.HasPrefix(err.Error(), "meshfile: ") && !strings.HasPrefix(err.Error(), "mesh: ") {
				t.Errorf("an error of unknown origin: %v", err)
			}
			if strings.Contains(err.Error(), "runtime error") {
				t.Errorf("the reader slipped: %v", err)
			}
			return
		}
		if _, err := mesh.NewSurface(m.Mesh, mesh.DefaultCrease); err != nil {
			t.Errorf("what was read cannot be shown: %v", err)
		}
	})
}

func TestASolidIsMadeOnceWhileItIsInUse(t *testing.T) {
	none := func(string) (string, []byte, error) { return "", nil, os.ErrNotExist }
	of := func(m stage.Model) *mesh.Surface {
		s, err := meshfile.Surface(context.Background(), &m, none)
		require.NoError(t, err)
		return s
	}
	cube := of(stage.Model{Solid: "cube"})
	assert.Same(t, cube, of(stage.Model{Solid: "cube"}))
	assert.NotSame(t, cube, of(stage.Model{Solid: "cone"}))
	assert.NotSame(t, cube, of(stage.Model{Solid: "cube", Form: mesh.Form{Steps: 1}}), "in another form it is another surface")

	gone := make(chan bool)
	runtime.AddCleanup(cube, func(c chan bool) { close(c) }, gone)
	runtime.KeepAlive(cube)
	cube = nil
	require.Eventually(t, func() bool {
		runtime.GC()
		select {
		case <-gone:
			return true
		default:
			return false
		}
	}, 10*time.Second, time.Millisecond, "nothing but who uses it holds a surface")
	assert.NotNil(t, of(stage.Model{Solid: "cube"}))
}

// A file says what it is by how it begins, by its name, or by what it looks like.
func TestWhatAFileIs(t *testing.T) {
	const flat = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
	const solid = "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid\n"
	const ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
	for _, c := range []struct{ name, data, is string }{
		{"a", flat, "obj"}, {"a", "\n\n  \n# made by hand\n\n" + flat, "obj"}, {"a.obj", "# nothing known\nzz 1\n" + flat, "obj"}, {"a", "zz 1\n" + flat, ""}, {"a", "", ""}, {"a", "\n\n", ""},
		{"a", solid, "stl"}, {"A.STL", solid, "stl"}, {"a.obj", ply, "ply"}, {"a", ply, "ply"}, {"a", "plywood\n", ""}, {"a.PLY", flat, "obj"}, {"a", "\xef\xbb\xbf" + flat, "obj"},
	} {
		m, err := meshfile.Read(context.Background(), c.name, []byte(c.data), nil)
		if c.is == "" {
			assert.ErrorIs(t, err, meshfile.ErrFormat, "%s: %.20q", c.name, c.data)
			continue
		}
		if assert.NoError(t, err, "%s: %.20q", c.name, c.data) {
			assert.Equal(t, c.is, m.Format, "%s: %.20q", c.name, c.data)
		}
	}
	for name, is := range map[string]bool{"a.obj": true, "a.GLB": true, "dir/a.ply": true, "a.mtl": false, "obj": false, "a.zip": false, "a.obj.txt": false} {
		assert.Equal(t, is, meshfile.Is(name), name)
	}
}

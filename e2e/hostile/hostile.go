// Package hostile makes files that are meant to cost a reader its time, its memory or its wits.
package hostile

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/adler32"
	"hash/crc32"
	"image"
	"image/jpeg"
	"math"
	"regexp"
	"strings"

	"mobanta/core/exchange"
	"mobanta/core/materialx"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/core/scene"
)

// File is one such file.
type File struct {
	Name string // with the ending that it comes under
	Kind string // model, look, materialx, bundle, picture, palette or nodes
	Want string // what the refusal says, "" for a file that is to be taken
	Make func() []byte
}

// Unspeakable is what no answer may hold: types and words of Go's, and paths of the machine.
var Unspeakable = regexp.MustCompile(`Go (struct|value)|cannot unmarshal|goroutine|runtime error|\.go:\d|/tmp/|/root/|/home/|panic|(^|[ (])json: |strconv|EOF`)

const tri = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"

func rep(s string, n int) []byte { return bytes.Repeat([]byte(s), n) }

func join(parts ...any) []byte {
	var b bytes.Buffer
	for _, p := range parts {
		switch p := p.(type) {
		case string:
			b.WriteString(p)
		case []byte:
			b.Write(p)
		}
	}
	return b.Bytes()
}

func text(s string) func() []byte { return func() []byte { return []byte(s) } }

// Files lists them.
var Files = []File{
	{"continued.obj", "model", "", func() []byte { return join(tri, "f ", rep("1 \\\n", 400_000), "2 3\n") }},
	{"continued-long.obj", "model", "line is longer than", func() []byte { return join(tri, "f ", rep("1 \\\n", 3_000_000), "2 3\n") }},
	{"one-line.obj", "model", "line is longer than", func() []byte { return join(tri, "f ", rep("1 ", 50_000_000)) }},
	{"backslashes.obj", "model", "", func() []byte { return join(rep("\\\n", 5_000_000), "\n", tri, "f 1 2 3\n") }},
	{"long-names.obj", "model", "", func() []byte {
		b := bytes.NewBuffer(join(tri, "g ", rep("x", 1<<20), "\n"))
		for i := range 2000 {
			fmt.Fprintf(b, "usemtl m%d\nf 1 2 3\n", i)
		}
		return b.Bytes()
	}},
	{"too-many-parts.obj", "model", "more than 2000 parts", func() []byte {
		b := bytes.NewBuffer([]byte(tri))
		for i := range 2001 {
			fmt.Fprintf(b, "g m%d\nf 1 2 3\n", i)
		}
		return b.Bytes()
	}},
	{"long-materials.obj", "model", "", func() []byte {
		b := bytes.NewBuffer([]byte(tri))
		for i := range 100 {
			b.Write(join("usemtl ", rep("y", 1<<19), fmt.Sprint(i), "\nf 1 2 3\n"))
		}
		return b.Bytes()
	}},
	{"coordinates.obj", "model", "texture coordinates", func() []byte { return join(tri, rep("vt 0\n", 7_000_000), "f 1 2 3\n") }},
	{"normals.obj", "model", "normals", func() []byte { return join(tri, rep("vn 0 1 0\n", 7_000_000), "f 1 2 3\n") }},
	{"positions.obj", "model", "positions", func() []byte { return join(rep("v 0 0 0\n", 4_100_000), "f 1 2 3\n") }},
	{"triangles.obj", "model", "triangles", func() []byte { return join(tri, rep("f 1 2 3\n", 2_100_000)) }},
	{"one-face.obj", "model", "", func() []byte { return join(tri, "f", rep(" 1 2 3", 300_000), "\n") }},
	{"combs.obj", "model", "", combs},
	{"fans.obj", "model", "", func() []byte {
		b := bytes.NewBuffer([]byte("v 0 0 0\n"))
		for i := range 200_000 {
			fmt.Fprintf(b, "v %d %d 1\nv %d %d 1\nf 1 %d %d\n", i, i%7, i+1, i%5, 2*i+2, 2*i+3)
		}
		return b.Bytes()
	}},
	{"material-files.obj", "model", "", func() []byte {
		b := bytes.NewBuffer([]byte(tri))
		for i := range 300_000 {
			fmt.Fprintf(b, "mtllib a%d.mtl\n", i)
		}
		return join(b.Bytes(), "f 1 2 3\n")
	}},
	{"mark.obj", "model", "", text("\xef\xbb\xbf" + tri + "f 1 2 3\n")},
	{"odd-names.obj", "model", "", text(tri + "g \u202egnp\x07.exe\nf 1 2 3\ng \u200b\nf 1 2 3\ng \xff\xfe\nf 1 2 3\n")},
	{"beyond.obj", "model", "refers to vertex -4 of 3", text(tri + "f -4 -2 -1\n")},
	{"nought.obj", "model", "refers to vertex 0", text(tri + "f 0 1 2\n")},
	{"huge-index.obj", "model", "is not a corner", text(tri + "f 99999999999999999999 1 2\n")},
	{"not-a-number.obj", "model", "is not a number", text("v nan 0 0\n")},
	{"infinite.obj", "model", "is not a number", text("v 1e39 0 0\n")},
	{"far.obj", "model", "not a usable place", text("v 1e16 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")},
	{"tiny.obj", "model", "", text("v 0 0 0\nv 1e-40 0 0\nv 0 1e-40 0\nf 1 2 3\n")},
	{"flat.obj", "model", "", text("v 0 0 0\nf 1 1 1\n")},
	{"no-faces.obj", "model", "no faces", func() []byte { return rep("g a\n", 3_000_000) }},
	{"remarks.obj", "model", "no faces", func() []byte { return rep("# nothing\n", 5_000_000) }},
	{"noise.obj", "model", "obj line", func() []byte { return noise(1 << 20) }},
	{"noise.bin", "model", "not a model", func() []byte { return noise(1 << 20) }},
	{"empty.obj", "model", "no faces", text("")},

	{"morphs.gltf", "model", "so often", morphs},
	{"component-type.gltf", "model", "component type", gltf(`"accessors":[{"componentType":9,"count":3,"type":"VEC3"}]`)},
	{"unsaid-component-type.gltf", "model", "component type", gltf(`"accessors":[{"count":3,"type":"VEC3"}]`)},
	{"accessor-type.gltf", "model", "unknown type", gltf(`"accessors":[{"componentType":5126,"count":3,"type":"VEC9"}]`)},
	{"mode.gltf", "model", "unknown mode 99", gltf(`"meshes":[{"primitives":[{"mode":99,"attributes":{"POSITION":0}}]}]`)},
	{"matrix.gltf", "model", "15 numbers, not 16", gltf(`"nodes":[{"matrix":[1,0,0,0,0,1,0,0,0,0,1,0,0,0,0]}]`)},
	{"rotation.gltf", "model", "3 numbers, not 4", gltf(`"nodes":[{"rotation":[1,0,0]}]`)},
	{"circle.gltf", "model", "own ancestor", gltf(`"scenes":[{"nodes":[0]}],"nodes":[{"children":[1]},{"children":[0]}]`)},
	{"all-circles.gltf", "model", "circle", gltf(`"nodes":[{"children":[1]},{"children":[0]}]`)},
	{"deep-nodes.gltf", "model", "nested more than", func() []byte {
		b := bytes.NewBufferString(`{"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[`)
		for i := range 100_000 {
			fmt.Fprintf(b, `{"children":[%d]},`, i+1)
		}
		return join(b.Bytes(), `{}]}`)
	}},
	{"skins.gltf", "model", "", skins},
	{"claims.gltf", "model", "claims", gltf(`"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"componentType":5126,"count":2147483647,"type":"VEC3"}]`)},
	{"nothing-behind.gltf", "model", "holds none", gltf(`"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"componentType":5126,"count":5000000,"type":"VEC3"}]`)},
	{"stride.gltf", "model", "fit", gltf(`"buffers":[{"byteLength":36,"uri":"data:;base64,` + base64.StdEncoding.EncodeToString(make([]byte, 36)) + `"}],"bufferViews":[{"buffer":0,"byteLength":36,"byteStride":9223372036854775807}],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}]`)},
	{"offset.gltf", "model", "does not fit", gltf(`"buffers":[{"byteLength":3,"uri":"data:;base64,AAAA"}],"bufferViews":[{"buffer":0,"byteOffset":9223372036854775807,"byteLength":9223372036854775807}],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}]`)},
	{"squeezed.gltf", "model", "compressed", gltf(`"extensionsRequired":["KHR_draco_mesh_compression"]`)},
	{"old.gltf", "model", "version 1.0", text(`{"asset":{"version":"1.0"}}`)},
	{"many-objects.gltf", "model", "too much in it", func() []byte { return join(`{"asset":{"version":"2.0"},"extras":[`, rep("{},", 400_000), `{}]}`) }},
	{"deep.gltf", "model", "nested", func() []byte {
		return join(`{"asset":{"version":"2.0"},"extras":`, rep("[", 200_000), rep("]", 200_000), `}`)
	}},
	{"base64.gltf", "model", "buffer 0", gltf(`"buffers":[{"byteLength":3,"uri":"data:;base64,!!!!"}],"bufferViews":[{"buffer":0,"byteLength":3}],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":1,"type":"VEC3"}]`)},
	{"path.gltf", "model", "not a file beside", outside("../../../../etc/passwd")},
	{"address.gltf", "model", "not a file beside", outside("http://127.0.0.1/x.bin")},
	{"escaped-path.gltf", "model", "not a file beside", outside("%2e%2e/%2e%2e/etc/passwd")},
	{"instances.gltf", "model", "more than 2000 parts", func() []byte {
		b := bytes.NewBufferString(`{"asset":{"version":"2.0"},` + one + `,"nodes":[`)
		b.Write(rep(`{"mesh":0},`, 100_000))
		return join(b.Bytes(), `{}]}`)
	}},
	{"mark.gltf", "model", "", func() []byte {
		return join("\xef\xbb\xbf", `{"asset":{"version":"2.0"},`, one, `,"nodes":[{"mesh":0}]}`)
	}},
	{"text-for-number.gltf", "model", "where a whole number belongs", gltf(`"scenes":[{"nodes":[0]}],"nodes":[{"mesh":"x"}]`)},
	{"empty-entries.gltf", "model", "empty (null) entry", gltf(`"nodes":[null],"meshes":[null]`)},
	{"long-text.gltf", "model", "as text", func() []byte { return join(`{"asset":{"version":"2.0"},"extras":"`, rep("A", 140<<20), `"}`) }},
	{"cut.glb", "model", "cut off", text("glTF\x02\x00\x00\x00\xff\xff\xff\x7f\x00\x00\x00\x00JSON")},
	{"chunk.glb", "model", "cut off", text("glTF\x02\x00\x00\x00\x14\x00\x00\x00\xff\xff\xff\x7fJSON")},
	{"no-text.glb", "model", "no JSON chunk", text("glTF\x02\x00\x00\x00\x14\x00\x00\x00\x00\x00\x00\x00BIN\x00")},

	{"claims.ply", "model", "number of things", text("ply\nformat ascii 1.0\nelement vertex 99999999999\nproperty float x\nend_header\n")},
	{"nothing.ply", "model", "cut off", text("ply\nformat binary_little_endian 1.0\nelement vertex 4000000\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n")},
	{"lists.ply", "model", "list of", text("ply\nformat ascii 1.0\nelement junk 1\nproperty list uint double a\nend_header\n4000000000 1\n")},
	{"long-head.ply", "model", "its head has no end", func() []byte { return join("ply\nformat ascii 1.0\n", rep("comment aaaaaaaa\n", 1_000_000)) }},
	{"properties.ply", "model", "more than 256 properties", func() []byte {
		return join("ply\nformat ascii 1.0\nelement vertex 1\n", rep("property float x\n", 3_000))
	}},
	{"strips.ply", "model", "", func() []byte {
		return join("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement tristrips 1\nproperty list uint uint vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n1200000", rep(" 0 1 2", 400_000), "\n")
	}},
	{"claims.stl", "model", "fewer triangles than it says", func() []byte { return join(rep("x", 80), "\xff\xff\xff\x7f", rep("\x00", 50)) }},
	{"solids.stl", "model", "more than 2000 parts", func() []byte { return rep("solid a\nendsolid a\n", 100_000) }},
	{"line.stl", "model", "longer than 4 MB", func() []byte { return join("solid a\nvertex ", rep("1 ", 3_000_000)) }},
	{"bomb.zip", "model", "larger than", func() []byte { return zipped(map[string]func(w *zip.Writer, name string){"a.obj": zeros(1 << 30)}) }},
	{"side-bomb.zip", "model", "", func() []byte {
		return zipped(map[string]func(w *zip.Writer, name string){"a.obj": said(tri + "mtllib b.mtl\nf 1 2 3\n"), "b.mtl": zeros(1 << 30)})
	}},
	{"crowded.zip", "model", "lists too many", func() []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for i := range 200_000 {
			z.CreateHeader(&zip.FileHeader{Name: fmt.Sprint(i)}) // not deflated
		}
		z.Close()
		return b.Bytes()
	}},
	{"zip-in-zip.zip", "model", "not a model", func() []byte {
		return zipped(map[string]func(w *zip.Writer, name string){"a.obj": said(string(zipped(map[string]func(w *zip.Writer, name string){"b.obj": said(tri)})))})
	}},
	{"two.zip", "model", "holds 2 models", func() []byte {
		return zipped(map[string]func(w *zip.Writer, name string){"a.obj": said(tri), "b.obj": said(tri)})
	}},
	{"broken.zip", "model", "damaged", text("PK\x03\x04" + strings.Repeat("x", 100))},

	{"doubling.json", "look", "", doubling},
	{"deep-groups.json", "look", "more than 32 deep", func() []byte { return nested(40, 1) }},
	{"self.json", "look", "hold itself", text(`{"mobanta":"look","version":1,"nodes":[{"id":"a","kind":"group:g"},{"id":"e","kind":"finish"}],"groups":[{"id":"g","name":"G","nodes":[{"id":"a","kind":"group:g"}]}]}`)},
	{"pictures.json", "look", "million pixels together", pictures},
	{"picture-bomb.json", "look", "not a size", func() []byte { return withPictures(bombPNG(60000, 60000)) }},
	{"deep.json", "look", "nested more than", func() []byte { return join(`{"mobanta":"look","version":1,"nodes":`, rep("[", 4<<20)) }},
	{"nodes.json", "look", "more than the 2000", func() []byte {
		return join(`{"mobanta":"look","version":1,"nodes":[`, rep(`{"id":"a","kind":"ramp"},`, 300_000), `{}]}`)
	}},
	{"wires.json", "look", "more than 20000 wires", wires},
	{"brackets.json", "look", "nested more than 64", formula(strings.Repeat("(", 2000) + "a" + strings.Repeat(")", 2000))},
	{"long-formula.json", "look", "more than the 4096", formula("a" + strings.Repeat("+a", 2100))},
	{"line-four.json", "look", "line 4, column", text("{\"mobanta\":\"look\",\"version\":1,\n\"nodes\":[\n{\"id\":\"e\",\"kind\":\"finish\"},\n{\"id\":\"a\",\"kind\":\"ramp\",\"in\":[]}]}")},
	{"unknown.json", "look", `no member "colour"`, text(`{"mobanta":"look","version":1,"colour":"red"}`)},
	{"mark.json", "look", "", text("\xef\xbb\xbf{\"mobanta\":\"look\",\"version\":1,\"name\":\"M\",\"nodes\":[{\"id\":\"e\",\"kind\":\"finish\"}]}")},
	{"long-name.json", "look", "longer than 200 letters", func() []byte {
		return join(`{"mobanta":"look","version":1,"name":"`, rep("n", 4<<20), `","nodes":[{"id":"e","kind":"finish"}]}`)
	}},
	{"later.json", "look", "version 2", text(`{"mobanta":"look","version":2,"nodes":[]}`)},
	{"list.json", "look", "a list, where an object belongs", text(`[1,2,3]`)},
	{"number.json", "look", "1e999", text(`{"mobanta":"look","version":1,"nodes":[{"id":"e","kind":"finish","in":{"opacity":1e999}}]}`)},
	{"infinite-colour.json", "look", "a colour such as", text(`{"mobanta":"look","version":1,"nodes":[{"id":"e","kind":"finish","in":{"colour":[1e300,0,0]}}]}`)},

	{"no-looks.zip", "bundle", "", doc(func(s string) string { i := strings.Index(s, `"looks":[`); return s[:i] + `"looks":[]}` })},
	{"later.zip", "bundle", "later version", doc(func(s string) string { return strings.Replace(s, `"version":1`, `"version":9`, 1) })},
	{"unknown.zip", "bundle", "later version", doc(func(s string) string { return strings.Replace(s, `"version":1`, `"version":1,"shelves":[]`, 1) })},
	{"target.zip", "bundle", "three numbers", doc(func(s string) string { return strings.Replace(s, `"target":[0,0,0]`, `"target":[0,0,0,0]`, 1) })},
	{"height.zip", "bundle", "line 1", doc(func(s string) string { return strings.Replace(s, `"azimuth":`, `"height":1e308,"azimuth":`, 1) })},
	{"names.zip", "bundle", "longer than 200 letters", doc(func(s string) string { return strings.Replace(s, "First look", strings.Repeat("Ж", 201), 1) })},
	{"many-nodes.zip", "bundle", "more than 20000 nodes", manyNodes},
	{"text-bomb.zip", "bundle", "too large", func() []byte {
		return zipped(map[string]func(w *zip.Writer, name string){"bundle.json": said(`{"mobanta":"bundle","version":1,"files":{}}`), "project.json": zeros(1 << 30)})
	}},
	{"no-bundle.zip", "bundle", "not a bundle", text("hello")},
	{"crowded-bundle.zip", "bundle", "not a bundle", func() []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for i := range 100_000 {
			z.CreateHeader(&zip.FileHeader{Name: fmt.Sprint(i)}) // not deflated
		}
		z.Close()
		return b.Bytes()
	}},

	{"bomb.png", "picture", "not a size", func() []byte { return bombPNG(100000, 100000) }},
	{"deep.png", "picture", "too much memory", func() []byte { return header(8000, 4100, 16, 6, 1) }},
	{"cut.png", "picture", "breaks off", func() []byte { return header(4000, 4000, 8, 6, 0) }},
	{"progressive.jpg", "picture", "too much memory", progressive},
	{"cut.hdr", "picture", "breaks off", text("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 5000 +X 5000\n")},
	{"large.hdr", "picture", "not a size", text("#?RADIANCE\n\n-Y 999999 +X 999999\n")},
	{"odd.hdr", "picture", "top left", text("#?RADIANCE\n\n+Y 5 +X 5\n")},
	{"moving.gif", "picture", "no PNG", text("GIF89a\x01\x00\x01\x00\x00\x00\x00;")},
	{"noise.webp", "picture", "", func() []byte { return join("RIFF\xff\xff\xff\x7fWEBPVP8L", noise(10_000)) }},
	{"line.txt", "palette", "cannot be read", func() []byte { return rep("#112233 ", 400_000) }},
	{"many.gpl", "palette", "more than 256 colours", func() []byte { return join("GIMP Palette\n", rep("1 2 3\n", 500_000)) }},
	{"no.gpl", "palette", "does not lie between", text("GIMP Palette\n999 2 3\n")},
	{"large.png", "palette", "too large for a palette", func() []byte { return bombPNG(30000, 30000) }},
	{"self.mtlx", "materialx", "", func() []byte { return grouped("group:") }},
	{"own.mtlx", "materialx", "", func() []byte { return grouped("ramp") }},
	{"circle.mtlx", "materialx", "reads itself", text(graph(`<mix name="a" type="color3"><input name="fg" type="color3" nodename="b"/></mix><mix name="b" type="color3"><input name="fg" type="color3" nodename="a"/></mix>`))},
	{"entities.mtlx", "materialx", "of its own", text(`<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><materialx version="1.39">&b;</materialx>`)},
	{"deep.mtlx", "materialx", "deep", func() []byte {
		return join(`<materialx version="1.39">`, rep("<a>", 200_000), rep("</a>", 200_000), `</materialx>`)
	}},
	{"chain.mtlx", "materialx", "", func() []byte {
		b := bytes.NewBufferString(`<constant name="n0" type="color3"><input name="value" type="color3" value="1, 0, 0"/></constant>`)
		for i := range 1500 {
			fmt.Fprintf(b, `<dot name="n%d" type="color3"><input name="in" type="color3" nodename="n%d"/></dot>`, i+1, i)
		}
		return []byte(graph(b.String() + `<dot name="a" type="color3"><input name="in" type="color3" nodename="n1500"/></dot>`))
	}},
	{"marks.mtlx", "materialx", "", func() []byte {
		return []byte(graph(string(rep(`<constant name="x" type="color3" mobanta="{}" mobanta_of="n1" mobanta_sum="0"><input name="value" type="color3" value="1, 0, 0"/></constant>`, 4000)) + `<constant name="a" type="color3"/>`))
	}},
	{"attributes.mtlx", "materialx", "attributes", func() []byte {
		b := bytes.NewBufferString(`<constant name="a" type="color3"`)
		for i := range 200_000 {
			fmt.Fprintf(b, ` a%d="1"`, i)
		}
		return []byte(graph(b.String() + "/>"))
	}},
	{"prose.txt", "nodes", "are no nodes", text("The keeper lit the lamp.")},
	{"open.txt", "nodes", "ends too early", text(`{"mobanta":"nodes","version":1,"nodes":[`)},
}

// noise is bytes without a pattern.
func noise(n int) []byte {
	out := make([]byte, n)
	x := uint32(2463534242)
	for i := range out {
		x ^= x << 13
		x ^= x >> 17
		x ^= x << 5
		out[i] = byte(x >> 24)
	}
	return out
}

// combs are faces of many corners in which ears are hard to find.
func combs() []byte {
	var b bytes.Buffer
	const teeth = 255
	for i := range teeth {
		fmt.Fprintf(&b, "v %d 0 0\nv %g %d 0\n", i, float64(i)+0.5, 1+i%3)
	}
	face := "f"
	for i := range 2 * teeth {
		face += fmt.Sprint(" ", i+1)
	}
	b.Write(rep(face+"\n", 2000))
	return b.Bytes()
}

func gltf(body string) func() []byte { return text(`{"asset":{"version":"2.0"},` + body + `}`) }

// one is a buffer, a view, an accessor and a mesh of one triangle.
var one = func() string {
	data := base64.StdEncoding.EncodeToString(corners())
	return `"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,` + data + `"}],"bufferViews":[{"buffer":0,"byteLength":36}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}]`
}()

func corners() []byte {
	var out []byte
	for _, f := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0} {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(f))
	}
	return out
}

// morphs have thousands of targets that are all the same numbers.
func morphs() []byte {
	const n = 300_000
	target, weight := `{"POSITION":0},`, `1,`
	return join(`{"asset":{"version":"2.0"},"buffers":[{"byteLength":`, fmt.Sprint(12*n), `,"uri":"data:;base64,`, base64.StdEncoding.EncodeToString(make([]byte, 12*n)),
		`"}],"bufferViews":[{"buffer":0,"byteLength":`, fmt.Sprint(12*n), `}],"accessors":[{"bufferView":0,"componentType":5126,"count":`, fmt.Sprint(n), `,"type":"VEC3"}],"meshes":[{"weights":[`,
		rep(weight, 5000), `1],"primitives":[{"attributes":{"POSITION":0},"targets":[`, rep(target, 5000), `{"POSITION":0}]}]}],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}]}`)
}

// skins are many nodes that depend on one skin of many joints.
func skins() []byte {
	return join(`{"asset":{"version":"2.0"},`, one, `,"skins":[{"joints":[`, rep("0,", 200_000), `0]}],"nodes":[`, rep(`{"mesh":0,"skin":0},`, 1900), `{}]}`)
}

func outside(uri string) func() []byte {
	return gltf(`"buffers":[{"byteLength":3,"uri":"` + uri + `"}],"bufferViews":[{"buffer":0,"byteLength":3}],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":1,"type":"VEC3"}]`)
}

func zipped(files map[string]func(*zip.Writer, string)) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, put := range files {
		put(z, name)
	}
	z.Close()
	return b.Bytes()
}

func said(s string) func(*zip.Writer, string) {
	return func(z *zip.Writer, name string) {
		w, _ := z.Create(name)
		w.Write([]byte(s))
	}
}

// zeros is a file of n zeros. n is a multiple of 1 << 20: a block of as many is deflated once and stands there as often as it is needed.
func zeros(n int) func(*zip.Writer, string) {
	return func(z *zip.Writer, name string) {
		const size = 1 << 20
		block := make([]byte, size)
		sum := crc32.NewIEEE()
		for range n / size {
			sum.Write(block)
		}
		packed := deflated(block, n/size)
		w, _ := z.CreateRaw(&zip.FileHeader{Name: name, Method: zip.Deflate, CRC32: sum.Sum32(), CompressedSize64: uint64(len(packed)), UncompressedSize64: uint64(n)})
		w.Write(packed)
	}
}

// deflated is a block, deflated, so many times.
func deflated(block []byte, times int) []byte {
	var b bytes.Buffer
	w, _ := flate.NewWriter(&b, flate.BestSpeed)
	w.Write(block)
	w.Flush() // it ends with a whole byte, and refers to nothing before it
	one := bytes.Clone(b.Bytes())
	b.Reset()
	w.Close()
	return append(bytes.Repeat(one, times), b.Bytes()...)
}

// nested is a look of groups, each of which holds the one before so many times.
func nested(depth, times int) []byte {
	var b bytes.Buffer
	b.WriteString(`{"mobanta":"look","version":1,"name":"Nested","nodes":[{"id":"e","kind":"finish","in":{"colour":"#112233"}}],"groups":[`)
	for i := range depth {
		if i > 0 {
			b.WriteString(",")
		}
		fmt.Fprintf(&b, `{"id":"g%d","name":"G%d","nodes":[`, i, i)
		kind := "colour"
		if i > 0 {
			kind = fmt.Sprintf("group:g%d", i-1)
		}
		for k := range times {
			if k > 0 {
				b.WriteString(",")
			}
			fmt.Fprintf(&b, `{"id":"n%d","kind":"%s"}`, k, kind)
		}
		b.WriteString(`],"outputs":[{"key":"colour","name":"colour","to":[{"Node":"n0","Port":"colour"}]}]}`)
	}
	b.WriteString("]}")
	return b.Bytes()
}

// doubling would take a time that doubles with each of thirty groups.
func doubling() []byte { return nested(30, 4) }

func withPictures(list ...[]byte) []byte {
	set := map[string][]byte{}
	for _, p := range list {
		set[exchange.Hash(p)] = p
	}
	text, _ := json.Marshal(set)
	return join(`{"mobanta":"look","version":1,"name":"P","nodes":[{"id":"e","kind":"finish"}],"pictures":`, text, `}`)
}

// pictures are sixty of 5,000 by 5,000 pixels, no two of them the same: eight rows and then 78 times 64 that are empty.
func pictures() []byte {
	const side, wide = 5000, 1 + 5000/8 // bytes of a row: a filter, and a bit for each pixel
	first, empty := make([]byte, 8*wide), make([]byte, 64*wide)
	rows := deflated(empty, 78)
	sum := adler32.New()
	var list [][]byte
	for i := range 60 {
		first[1+i/8] |= 0x80 >> (i % 8)
		var b bytes.Buffer
		w, _ := flate.NewWriter(&b, flate.BestSpeed)
		w.Write(first)
		w.Flush()
		sum.Reset()
		sum.Write(first)
		for range 78 {
			sum.Write(empty)
		}
		data := binary.BigEndian.AppendUint32(join("\x78\x9c", b.Bytes(), rows), sum.Sum32())
		list = append(list, join(png(side, side, 1, 0, 0, data), chunk("IEND", nil)))
	}
	return withPictures(list...)
}

// chunk is a part of a PNG.
func chunk(name string, data []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	out = append(append(out, name...), data...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}

// png is a PNG of grey or colours up to the end of its data.
func png(w, h uint32, depth, kind, interlace byte, data []byte) []byte {
	head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, w), h)
	return join("\x89PNG\r\n\x1a\n", chunk("IHDR", append(head, depth, kind, 0, 0, interlace)), chunk("IDAT", data))
}

// header is a PNG that ends behind its header.
func header(w, h uint32, depth, kind, interlace byte) []byte {
	return png(w, h, depth, kind, interlace, []byte{0x78, 0x9c, 1})
}

func bombPNG(w, h uint32) []byte { return header(w, h, 1, 0, 0) }

// progressive is a JPEG that comes in passes and claims to be large.
func progressive() []byte {
	var b bytes.Buffer
	jpeg.Encode(&b, image.NewRGBA(image.Rect(0, 0, 8, 8)), nil)
	data := b.Bytes()
	at := bytes.Index(data, []byte{0xff, 0xc0})
	data[at+1] = 0xc2
	binary.BigEndian.PutUint16(data[at+5:], 5000)
	binary.BigEndian.PutUint16(data[at+7:], 6000)
	return data
}

// wires are layers upon layers, all of them wired.
func wires() []byte {
	var layers, in strings.Builder
	for k := range 64 {
		if k > 0 {
			layers.WriteString(",")
			in.WriteString(",")
		}
		fmt.Fprintf(&layers, `{"key":"k%d","name":"L"}`, k)
		fmt.Fprintf(&in, `"k%d":"c","k%d-mask":"c","k%d-amount":"c"`, k, k, k)
	}
	b := bytes.NewBufferString(`{"mobanta":"look","version":1,"nodes":[{"id":"e","kind":"finish"},{"id":"c","kind":"colour"}`)
	for i := range 900 {
		fmt.Fprintf(b, `,{"id":"l%d","kind":"layers","set":{"layers":[%s]},"in":{%s}}`, i, layers.String(), in.String())
	}
	return join(b.Bytes(), "]}")
}

func graph(nodes string) string {
	return `<?xml version="1.0"?><materialx version="1.39"><nodegraph name="g">` + nodes + `<output name="out" type="color3" nodename="a"/></nodegraph></materialx>`
}

// grouped is a look with a group, written as MaterialX, in which the group's ramp is of another kind: "group:" stands for the
// group itself.
func grouped(kind string) []byte {
	p := project.New("P")
	for _, e := range []project.Edit{{Op: "model.add", Kind: "cube"}, {Op: "group.make", Look: "look1", Nodes: []string{"n1", "n2"}}} {
		if _, err := p.Apply(&e); err != nil {
			return []byte(err.Error())
		}
	}
	job, err := scene.Of(p, meshfile.Files(nil), nil)
	if err != nil {
		return []byte(err.Error())
	}
	made, err := materialx.Of(p, job, "look1", func(network.Ref) []float32 { return []float32{0.5, 0.5, 0.5} })
	if err != nil {
		return []byte(err.Error())
	}
	for i := range made.Document.NodeDefs {
		d := &made.Document.NodeDefs[i]
		if kind == "group:" {
			kind += p.Groups[0].ID
		}
		d.Ours = strings.ReplaceAll(d.Ours, `"kind":"ramp"`, `"kind":"`+kind+`"`)
	}
	var b bytes.Buffer
	if err := made.Document.Write(&b); err != nil {
		return []byte(err.Error())
	}
	return b.Bytes()
}

func formula(expr string) func() []byte {
	return text(`{"mobanta":"look","version":1,"nodes":[{"id":"f","kind":"formula","set":{"text":"` + expr + `"}},{"id":"e","kind":"finish"}]}`)
}

// doc is a bundle whose document has been changed.
func doc(change func(string) string) func() []byte {
	return func() []byte {
		text, _ := project.New("P").Document()
		return zipped(map[string]func(w *zip.Writer, name string){"bundle.json": said(`{"mobanta":"bundle","version":1,"files":{}}`), "project.json": said(change(string(text)))})
	}
}

func manyNodes() []byte {
	p := project.New("P")
	look := p.Looks[0]
	for len(look.Nodes) < 1500 {
		n := look.Nodes[1]
		n.ID = fmt.Sprint("x", len(look.Nodes))
		look.Nodes = append(look.Nodes, n)
	}
	for i := range 20 {
		l := look
		l.ID = fmt.Sprint("l", i)
		p.Looks = append(p.Looks, l)
	}
	text, _ := json.Marshal(p)
	return zipped(map[string]func(w *zip.Writer, name string){"bundle.json": said(`{"mobanta":"bundle","version":1,"files":{}}`), "project.json": said(string(text))})
}

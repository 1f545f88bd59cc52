package meshfile

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"strings"

	"github.com/qmuntal/gltf"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/names"
	"mobanta/core/strictjson"
	"mobanta/core/vec"
)

// understood lists the extensions that may be required: they change nothing
// about the shape, or only how numbers are stored.
var understood = map[string]bool{
	"KHR_mesh_quantization": true, "KHR_texture_transform": true, "KHR_lights_punctual": true, "KHR_materials_unlit": true,
	"KHR_materials_clearcoat": true, "KHR_materials_ior": true, "KHR_materials_sheen": true, "KHR_materials_specular": true,
	"KHR_materials_transmission": true, "KHR_materials_volume": true, "KHR_materials_emissive_strength": true,
	"KHR_materials_iridescence": true, "KHR_materials_anisotropy": true, "KHR_materials_variants": true,
}

const (
	maxObjects = 250_000  // JSON objects in one file
	maxSyntax  = 24 << 20 // bytes of JSON outside strings
	maxDepth   = 512      // nodes within nodes
)

type gltfReader struct {
	doc     *gltf.Document
	bin     []byte
	open    Open
	buffers map[int][]byte
	left    int // bytes of side files that may still be read
	world   []vec.M
	skins   map[int][]vec.M
	m       *mesh.Mesh
	names   naming
	notes   notes
	pics    pictures
	work    *work
	raw     raw
	moves   *moving     // nil where nothing moves
	skinAt  map[int]int // skin of the file → of what moves
}

func isGLTF(_, head []byte) bool { return bytes.HasPrefix(head, []byte("{")) }

func isGLB(data, _ []byte) bool { return bytes.HasPrefix(data, []byte("glTF")) }

func readGLTF(w *work, data []byte, open Open) (*Model, error) {
	return readChunks(w, data, nil, open)
}

// readGLB reads a glTF file that holds its text and its numbers as chunks.
func readGLB(w *work, data []byte, open Open) (*Model, error) {
	js, bin, err := chunks(data)
	if err != nil {
		return nil, err
	}
	return readChunks(w, js, bin, open)
}

// readChunks reads the text of a glTF file, with the numbers beside it or nil.
func readChunks(w *work, js, bin []byte, open Open) (*Model, error) {
	r := &gltfReader{open: open, bin: bin, buffers: map[int][]byte{}, left: maxSideFiles, skins: map[int][]vec.M{}, skinAt: map[int]int{}, m: &mesh.Mesh{}, work: w}
	r.pics.notes = &r.notes
	if err := r.parse(js); err != nil {
		return nil, err
	}
	if err := r.place(); err != nil {
		return nil, err
	}
	for i, n := range r.doc.Nodes {
		if n.Mesh != nil && r.world[i] != (vec.M{}) {
			if err := r.node(i, n); err != nil {
				return nil, fmt.Errorf("meshfile: node %d (%.40q): %w", i, n.Name, err)
			}
		}
	}
	if len(r.m.FaceEnd) == 0 {
		return nil, fmt.Errorf("meshfile: the glTF scene has no triangles")
	}
	if err := r.clips(); err != nil {
		return nil, err
	}
	return &Model{Mesh: r.m, Notes: r.notes.list, Pictures: r.pics.list}, nil
}

// chunks takes a GLB container apart.
func chunks(data []byte) (js, bin []byte, err error) {
	if len(data) < 20 {
		return nil, nil, errors.New("meshfile: the GLB file ends within its header")
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		return nil, nil, fmt.Errorf("meshfile: glTF version %d is not read: save the model as glTF 2.0", v)
	}
	if n := binary.LittleEndian.Uint32(data[8:]); int64(n) > int64(len(data)) {
		return nil, nil, fmt.Errorf("meshfile: the GLB file is cut off: %d of %d bytes are there", len(data), n)
	}
	for at := 12; at+8 <= len(data); {
		n, kind := int64(binary.LittleEndian.Uint32(data[at:])), binary.LittleEndian.Uint32(data[at+4:])
		at += 8
		if n > int64(len(data)-at) {
			return nil, nil, fmt.Errorf("meshfile: the GLB chunk at byte %d is cut off", at-8)
		}
		body := data[at : at+int(n)]
		at += int(n)
		switch {
		case kind == 0x4E4F534A && js == nil:
			js = body
		case kind == 0x004E4942 && bin == nil:
			bin = body
		}
	}
	if js == nil {
		return nil, nil, errors.New("meshfile: the GLB file has no JSON chunk")
	}
	return js, bin, nil
}

// raw is what a glTF file says where the library that reads it would take anything
// for something.
type raw struct {
	Asset struct {
		Version any `json:"version"`
	} `json:"asset"`
	Required  []string `json:"extensionsRequired"`
	Accessors []struct {
		ComponentType *int   `json:"componentType"`
		Type          string `json:"type"`
	} `json:"accessors"`
	Meshes []struct {
		Primitives []struct {
			Mode *int `json:"mode"`
		} `json:"primitives"`
	} `json:"meshes"`
	Nodes []struct {
		Matrix      []float64 `json:"matrix"`
		Rotation    []float64 `json:"rotation"`
		Scale       []float64 `json:"scale"`
		Translation []float64 `json:"translation"`
	} `json:"nodes"`
	Animations []rawAnimation `json:"animations"`
}

// check returns what of it is nothing that glTF 2.0 knows, or nil.
func (h *raw) check() error {
	for i, a := range h.Accessors {
		if a.ComponentType == nil || *a.ComponentType < 5120 || *a.ComponentType > 5126 || *a.ComponentType == 5124 {
			return fmt.Errorf("meshfile: accessor %d is of no component type that glTF knows", i)
		}
		switch a.Type {
		case "SCALAR", "VEC2", "VEC3", "VEC4", "MAT2", "MAT3", "MAT4":
		default:
			return fmt.Errorf("meshfile: accessor %d is of the unknown type %.20q", i, a.Type)
		}
	}
	for i, m := range h.Meshes {
		for k, p := range m.Primitives {
			if p.Mode != nil && (*p.Mode < 0 || *p.Mode > 6) {
				return fmt.Errorf("meshfile: mesh %d: primitive %d is of the unknown mode %d", i, k, *p.Mode)
			}
		}
	}
	for i, n := range h.Nodes {
		for _, v := range []struct {
			name string
			got  []float64
			want int
		}{{"matrix", n.Matrix, 16}, {"rotation", n.Rotation, 4}, {"scale", n.Scale, 3}, {"translation", n.Translation, 3}} {
			if v.got != nil && len(v.got) != v.want {
				return fmt.Errorf("meshfile: node %d: its %s has %d numbers, not %d", i, v.name, len(v.got), v.want)
			}
		}
	}
	return nil
}

func (r *gltfReader) parse(data []byte) error {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if len(data) > maxText {
		return fmt.Errorf("meshfile: the glTF file holds more than %d MB as text: save the model as GLB", maxText>>20)
	}
	if err := weigh(data); err != nil {
		return err
	}
	var head raw
	if err := strictjson.Loose(data, &head); err != nil {
		return fmt.Errorf("meshfile: the glTF file is damaged: %w", err)
	}
	if err := r.work.spend(len(data) / 8); err != nil {
		return fmt.Errorf("meshfile: %w", err)
	}
	if v := fmt.Sprint(head.Asset.Version); !strings.HasPrefix(v, "2.") && v != "2" {
		return fmt.Errorf("meshfile: glTF version %.10s is not read: save the model as glTF 2.0", v)
	}
	for _, e := range head.Required {
		if strings.Contains(e, "draco") || strings.Contains(e, "meshopt") {
			return fmt.Errorf("meshfile: the model is compressed (%.60s): save it without mesh compression", e)
		}
		if !understood[e] {
			return fmt.Errorf("meshfile: the model needs the extension %.60q, which is not known here", e)
		}
	}
	if err := head.check(); err != nil {
		return err
	}
	r.raw = head
	r.doc = new(gltf.Document)
	if err := strictjson.Loose(data, r.doc); err != nil {
		return fmt.Errorf("meshfile: the glTF file is damaged: %w", err)
	}
	if containsNil(r.doc.Nodes) || containsNil(r.doc.Meshes) || containsNil(r.doc.Accessors) || containsNil(r.doc.BufferViews) ||
		containsNil(r.doc.Buffers) || containsNil(r.doc.Skins) || containsNil(r.doc.Materials) || containsNil(r.doc.Scenes) {
		return errors.New("meshfile: the glTF file has an empty (null) entry")
	}
	return nil
}

func containsNil[T any](list []*T) bool {
	for _, p := range list {
		if p == nil {
			return true
		}
	}
	return false
}

// weigh refuses JSON that would take far more memory than it has bytes.
func weigh(data []byte) error {
	objects, syntax, quoted := 0, 0, false
	for i := 0; i < len(data); i++ {
		switch c := data[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case !quoted:
			syntax++
			if c == '{' {
				objects++
			}
		}
	}
	if objects > maxObjects || syntax > maxSyntax {
		return fmt.Errorf("meshfile: the glTF file has too much in it: %d entries", objects)
	}
	return nil
}

// place works out where each node of the scene stands; nodes outside it keep
// the zero matrix.
func (r *gltfReader) place() error {
	nodes := r.doc.Nodes
	r.world = make([]vec.M, len(nodes))
	var roots []int
	switch {
	case len(r.doc.Scenes) > 0:
		s := 0
		if r.doc.Scene != nil {
			s = *r.doc.Scene
		}
		if s < 0 || s >= len(r.doc.Scenes) {
			return fmt.Errorf("meshfile: the file names scene %d of %d", s, len(r.doc.Scenes))
		}
		roots = r.doc.Scenes[s].Nodes
	default: // no scene: all nodes that are nobody's children
		child := make([]bool, len(nodes))
		for _, n := range nodes {
			for _, c := range n.Children {
				if c >= 0 && c < len(nodes) {
					child[c] = true
				}
			}
		}
		for i := range nodes {
			if !child[i] {
				roots = append(roots, i)
			}
		}
	}
	seen := make([]bool, len(nodes))
	var order, parents []int
	from := r.work.from
	// origin is where the parent's origin lies, told from w.from on, in 64 bits: two large numbers may all but cancel there.
	var walk func(list []int, of int, parent vec.M, origin [3]float64, depth int) error
	walk = func(list []int, of int, parent vec.M, origin [3]float64, depth int) error {
		for _, i := range list {
			if i < 0 || i >= len(nodes) {
				return fmt.Errorf("meshfile: node %d of %d does not exist", i, len(nodes))
			}
			if seen[i] {
				return fmt.Errorf("meshfile: node %d (%.40q) is its own ancestor or hangs in two places", i, nodes[i].Name)
			}
			if depth > maxDepth {
				return fmt.Errorf("meshfile: nodes are nested more than %d deep", maxDepth)
			}
			seen[i] = true
			m, at := local(nodes[i]).Then(parent), origin
			if from != (vec.V{}) {
				at = through(parent, moved(nodes[i]), origin)
				m.O = vec.V{float32(at[0]), float32(at[1]), float32(at[2])}
			}
			if !m.X.Finite() || !m.Y.Finite() || !m.Z.Finite() || !m.O.Finite() {
				return fmt.Errorf("meshfile: node %d (%.40q) has no usable place", i, nodes[i].Name)
			}
			r.world[i] = m
			order, parents = append(order, i), append(parents, of)
			if err := walk(nodes[i].Children, i, m, at, depth+1); err != nil {
				return err
			}
		}
		return nil
	}
	if err := walk(roots, -1, vec.Identity(), [3]float64{-float64(from[0]), -float64(from[1]), -float64(from[2])}, 0); err != nil {
		return err
	}
	if len(roots) == 0 && len(nodes) > 0 {
		return errors.New("meshfile: the nodes form a circle: each is a child of another")
	}
	r.movingNodes(order, parents)
	return nil
}

// moved returns by what a node is moved from its parent.
func moved(n *gltf.Node) [3]float64 {
	if m := n.MatrixOrDefault(); m != gltf.DefaultMatrix {
		return [3]float64{m[12], m[13], m[14]}
	}
	return n.TranslationOrDefault()
}

// through maps a place by the linear part of a matrix, and moves it by origin, in 64 bits.
func through(m vec.M, p, origin [3]float64) (out [3]float64) {
	for k := range out {
		out[k] = float64(m.X[k])*p[0] + float64(m.Y[k])*p[1] + float64(m.Z[k])*p[2] + origin[k]
	}
	return out
}

// point maps a place of a mesh by the matrix of its node: in 64 bits where the model is brought near.
func (r *gltfReader) point(m vec.M, p vec.V) vec.V {
	if r.work.from == (vec.V{}) {
		return m.Point(p)
	}
	at := through(m, [3]float64{float64(p[0]), float64(p[1]), float64(p[2])}, [3]float64{float64(m.O[0]), float64(m.O[1]), float64(m.O[2])})
	return vec.V{float32(at[0]), float32(at[1]), float32(at[2])}
}

func local(n *gltf.Node) vec.M {
	if m := n.MatrixOrDefault(); m != gltf.DefaultMatrix {
		return matrix(m)
	}
	q, s, t := n.RotationOrDefault(), n.ScaleOrDefault(), n.TranslationOrDefault()
	x, y, z, w := q[0], q[1], q[2], q[3]
	col := func(k float64, a, b, c float64) vec.V { return vec.V{float32(a * k), float32(b * k), float32(c * k)} }
	return vec.M{
		X: col(s[0], 1-2*(y*y+z*z), 2*(x*y+z*w), 2*(x*z-y*w)),
		Y: col(s[1], 2*(x*y-z*w), 1-2*(x*x+z*z), 2*(y*z+x*w)),
		Z: col(s[2], 2*(x*z+y*w), 2*(y*z-x*w), 1-2*(x*x+y*y)),
		O: col(1, t[0], t[1], t[2]),
	}
}

func matrix[F float32 | float64](m [16]F) vec.M {
	v := func(i int) vec.V { return vec.V{float32(m[i]), float32(m[i+1]), float32(m[i+2])} }
	return vec.M{X: v(0), Y: v(4), Z: v(8), O: v(12)}
}

// node adds the mesh that depends on a node.
func (r *gltfReader) node(i int, n *gltf.Node) error {
	if *n.Mesh < 0 || *n.Mesh >= len(r.doc.Meshes) {
		return fmt.Errorf("mesh %d of %d does not exist", *n.Mesh, len(r.doc.Meshes))
	}
	src := r.doc.Meshes[*n.Mesh]
	weights := src.Weights
	if len(n.Weights) > 0 {
		weights = n.Weights
	}
	var joints []vec.M
	if n.Skin != nil {
		var err error
		if joints, err = r.skin(*n.Skin); err != nil {
			return err
		}
	}
	for k, p := range src.Primitives {
		if p == nil {
			return fmt.Errorf("primitive %d is empty", k)
		}
		if p.Mode == gltf.PrimitivePoints || p.Mode == gltf.PrimitiveLines || p.Mode == gltf.PrimitiveLineLoop || p.Mode == gltf.PrimitiveLineStrip {
			r.notes.add("Lines or points in mesh %.40q were left out.", src.Name)
			continue
		}
		if err := r.work.spend(1); err != nil {
			return err
		}
		name := names.Clip(n.Name, nameLen)
		if name == "" {
			name = names.Clip(src.Name, nameLen)
		}
		c := color.C{0.5, 0.5, 0.5}
		if p.Material != nil {
			if *p.Material < 0 || *p.Material >= len(r.doc.Materials) {
				return fmt.Errorf("primitive %d: material %d of %d does not exist", k, *p.Material, len(r.doc.Materials))
			}
			mat := r.doc.Materials[*p.Material]
			if len(src.Primitives) > 1 && mat.Name != "" {
				name += " " + names.Clip(mat.Name, nameLen)
			}
			if pbr := mat.PBRMetallicRoughness; pbr != nil && pbr.BaseColorFactor != nil {
				for j := range c {
					if v := float32(pbr.BaseColorFactor[j]); v >= 0 && v <= 1 {
						c[j] = v
					}
				}
			}
		}
		before := len(r.m.Parts)
		if err := r.primitive(p, i, n.Skin, r.names.unique(name, "Part"), c, r.world[i], joints, weights); err != nil {
			return fmt.Errorf("primitive %d: %w", k, err)
		}
		if _, laid := p.Attributes[gltf.TEXCOORD_0]; laid && p.Material != nil && len(r.m.Parts) > before {
			r.picture(r.doc.Materials[*p.Material], r.m.Parts[before].Name)
		}
	}
	return nil
}

// picture notes the base colour picture of a material for a part. What is wrong with
// it is said, and the part comes without it.
func (r *gltfReader) picture(mat *gltf.Material, part string) {
	pbr := mat.PBRMetallicRoughness
	if pbr == nil || pbr.BaseColorTexture == nil {
		return
	}
	if pbr.BaseColorTexture.TexCoord != 0 {
		r.notes.add("The picture of %.40q is laid by second texture coordinates, which are not read.", mat.Name)
		return
	}
	t := pbr.BaseColorTexture.Index
	if t < 0 || t >= len(r.doc.Textures) || r.doc.Textures[t] == nil || r.doc.Textures[t].Source == nil {
		return
	}
	s := *r.doc.Textures[t].Source
	if s < 0 || s >= len(r.doc.Images) || r.doc.Images[s] == nil {
		return
	}
	img := r.doc.Images[s]
	name := img.Name
	if name == "" && !strings.HasPrefix(img.URI, "data:") {
		name = img.URI
	}
	if name == "" {
		name = fmt.Sprint("picture ", s+1)
	}
	r.pics.put(fmt.Sprint(s), name, part, func() ([]byte, error) {
		if img.BufferView != nil {
			return r.view(*img.BufferView)
		}
		return r.beside(img.URI)
	})
}

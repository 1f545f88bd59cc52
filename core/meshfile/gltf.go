package meshfile

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"

	"github.com/qmuntal/gltf"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/strict"
	"mobanta/core/text"
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
}

func readGLTF(w *work, format string, data []byte, open Open) (*Model, error) {
	r := &gltfReader{open: open, buffers: map[int][]byte{}, left: maxSideFiles, skins: map[int][]vec.M{}, m: &mesh.Mesh{}, work: w}
	js := data
	if format == "glb" {
		var err error
		if js, r.bin, err = chunks(data); err != nil {
			return nil, err
		}
	}
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
	return &Model{Format: format, Mesh: r.m, Notes: r.notes.list, Pictures: r.pics.list}, nil
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
	if err := strict.Loose(data, &head); err != nil {
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
	r.doc = new(gltf.Document)
	if err := strict.Loose(data, r.doc); err != nil {
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
	var walk func(list []int, parent vec.M, depth int) error
	walk = func(list []int, parent vec.M, depth int) error {
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
			m := local(nodes[i]).Then(parent)
			if !m.X.Finite() || !m.Y.Finite() || !m.Z.Finite() || !m.O.Finite() {
				return fmt.Errorf("meshfile: node %d (%.40q) has no usable place", i, nodes[i].Name)
			}
			r.world[i] = m
			if err := walk(nodes[i].Children, m, depth+1); err != nil {
				return err
			}
		}
		return nil
	}
	if err := walk(roots, vec.Identity(), 0); err != nil {
		return err
	}
	if len(roots) == 0 && len(nodes) > 0 {
		return errors.New("meshfile: the nodes form a circle: each is a child of another")
	}
	return nil
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

// node adds the mesh that hangs on a node.
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
		name := text.Clip(n.Name, nameLen)
		if name == "" {
			name = text.Clip(src.Name, nameLen)
		}
		c := color.C{0.5, 0.5, 0.5}
		if p.Material != nil {
			if *p.Material < 0 || *p.Material >= len(r.doc.Materials) {
				return fmt.Errorf("primitive %d: material %d of %d does not exist", k, *p.Material, len(r.doc.Materials))
			}
			mat := r.doc.Materials[*p.Material]
			if len(src.Primitives) > 1 && mat.Name != "" {
				name += " " + text.Clip(mat.Name, nameLen)
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
		if err := r.primitive(p, r.names.unique(name, "Part"), c, r.world[i], joints, weights); err != nil {
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

// skin returns, for each joint, the map from the mesh at bind pose to the
// world with the skeleton as the file's nodes hold it.
func (r *gltfReader) skin(index int) ([]vec.M, error) {
	if index < 0 || index >= len(r.doc.Skins) {
		return nil, fmt.Errorf("skin %d of %d does not exist", index, len(r.doc.Skins))
	}
	if out, ok := r.skins[index]; ok {
		return out, nil
	}
	s := r.doc.Skins[index]
	if err := r.work.spend(16 * len(s.Joints)); err != nil {
		return nil, fmt.Errorf("skin %d: %w", index, err)
	}
	var inverse []float32
	if s.InverseBindMatrices != nil {
		var err error
		if inverse, err = r.floats(*s.InverseBindMatrices, 16); err != nil {
			return nil, fmt.Errorf("skin %d: %w", index, err)
		}
		if len(inverse) < 16*len(s.Joints) {
			return nil, fmt.Errorf("skin %d has %d joints but %d bind matrices", index, len(s.Joints), len(inverse)/16)
		}
	}
	out := make([]vec.M, len(s.Joints))
	for k, j := range s.Joints {
		if j < 0 || j >= len(r.world) {
			return nil, fmt.Errorf("skin %d: joint %d of %d nodes does not exist", index, j, len(r.world))
		}
		out[k] = r.world[j]
		if inverse != nil {
			out[k] = matrix([16]float32(inverse[16*k : 16*k+16])).Then(out[k])
		}
	}
	r.skins[index] = out
	return out, nil
}

func (r *gltfReader) primitive(p *gltf.Primitive, name string, c color.C, world vec.M, joints []vec.M, weights []float64) error {
	index, ok := p.Attributes[gltf.POSITION]
	if !ok {
		r.notes.add("%s has no positions and was left out.", name)
		return nil
	}
	pos, err := r.vectors(index)
	if err != nil {
		return fmt.Errorf("positions: %w", err)
	}
	if len(r.m.Parts) >= maxParts {
		return fmt.Errorf("the model has more than %d parts", maxParts)
	}
	if err := room(r.m, len(pos), len(pos), len(pos), 0); err != nil {
		return fmt.Errorf("the model is too large: %w", err)
	}
	var normals []vec.V
	if i, ok := p.Attributes[gltf.NORMAL]; ok {
		if normals, err = r.vectors(i); err == nil && len(normals) != len(pos) {
			err = fmt.Errorf("there are %d for %d positions", len(normals), len(pos))
		}
		if err != nil {
			return fmt.Errorf("normals: %w", err)
		}
	}
	var uv []float32
	if i, ok := p.Attributes[gltf.TEXCOORD_0]; ok {
		if uv, err = r.floats(i, 2); err == nil && len(uv) != 2*len(pos) {
			err = fmt.Errorf("there are %d for %d positions", len(uv)/2, len(pos))
		}
		if err != nil {
			return fmt.Errorf("texture coordinates: %w", err)
		}
	}
	paint, err := r.paint(p, len(pos))
	if err != nil {
		return fmt.Errorf("painted colours: %w", err)
	}
	if err := r.morph(p, pos, normals, weights); err != nil {
		return fmt.Errorf("morph targets: %w", err)
	}
	if joints != nil {
		if err := r.pose(p, pos, normals, joints); err != nil {
			return fmt.Errorf("skin: %w", err)
		}
		world = vec.Identity()
	}
	indices, err := r.indices(p, len(pos))
	if err != nil {
		return fmt.Errorf("indices: %w", err)
	}
	m := r.m
	if m.Triangles()+len(indices)/3 > mesh.MaxTriangles {
		return fmt.Errorf("the model has more than %d triangles", mesh.MaxTriangles)
	}
	if err := r.work.spend(len(pos) + len(indices)); err != nil {
		return err
	}
	p0, u0, n0 := int32(len(m.Positions)), int32(len(m.UVs)), int32(len(m.Normals))
	for _, v := range pos {
		m.Positions = append(m.Positions, world.Point(v))
	}
	if paint != nil || len(m.Paint) > 0 {
		m.PaintUpTo(int(p0))
		m.Paint = append(m.Paint, paint...)
		m.PaintUpTo(len(m.Positions))
	}
	for _, v := range normals {
		m.Normals = append(m.Normals, world.Normal(v).Unit())
	}
	for i := 0; i+1 < len(uv); i += 2 {
		m.UVs = append(m.UVs, [2]float32{uv[i], 1 - uv[i+1]})
	}
	part := m.AddPart(name, c)
	mirrored := world.Det() < 0
	for i := 0; i+2 < len(indices); i += 3 {
		var f [3]mesh.Corner
		for k := range f {
			v := indices[i+k]
			f[k] = mesh.Corner{Pos: p0 + v, UV: -1, Normal: -1}
			if uv != nil {
				f[k].UV = u0 + v
			}
			if normals != nil {
				f[k].Normal = n0 + v
			}
		}
		if mirrored {
			f[1], f[2] = f[2], f[1]
		}
		m.AddFace(part, f[:]...)
	}
	return nil
}

// paint returns the colours at n positions, nil if there are none.
func (r *gltfReader) paint(p *gltf.Primitive, n int) ([][4]float32, error) {
	i, ok := p.Attributes[gltf.COLOR_0]
	if !ok {
		return nil, nil
	}
	a, err := r.accessor(i)
	if err != nil {
		return nil, err
	}
	size := 3
	if a.Type == gltf.AccessorVec4 {
		size = 4
	}
	f, err := r.floats(i, size)
	if err != nil {
		return nil, err
	}
	if len(f) != size*n {
		return nil, fmt.Errorf("there are %d for %d positions", len(f)/size, n)
	}
	out := make([][4]float32, n)
	for k := range out {
		out[k] = [4]float32{1, 1, 1, 1}
		for c := range size {
			if v := f[size*k+c]; v == v {
				out[k][c] = max(0, min(1, v))
			}
		}
	}
	return out, nil
}

func (r *gltfReader) morph(p *gltf.Primitive, pos, normals []vec.V, weights []float64) error {
	for k, w := range weights {
		if w == 0 || k >= len(p.Targets) {
			continue
		}
		for name, list := range map[string][]vec.V{gltf.POSITION: pos, gltf.NORMAL: normals} {
			i, ok := p.Targets[k][name]
			if !ok || list == nil {
				continue
			}
			d, err := r.vectors(i)
			if err != nil {
				return err
			}
			if len(d) != len(list) {
				return fmt.Errorf("target %d has %d values for %d", k, len(d), len(list))
			}
			for j := range d {
				list[j] = list[j].Add(d[j].Mul(float32(w)))
			}
		}
	}
	return nil
}

func (r *gltfReader) pose(p *gltf.Primitive, pos, normals []vec.V, joints []vec.M) error {
	ji, ok1 := p.Attributes[gltf.JOINTS_0]
	wi, ok2 := p.Attributes[gltf.WEIGHTS_0]
	if !ok1 || !ok2 {
		return nil
	}
	js, err := r.floats(ji, 4)
	if err != nil {
		return err
	}
	ws, err := r.floats(wi, 4)
	if err != nil {
		return err
	}
	if len(js) != 4*len(pos) || len(ws) != 4*len(pos) {
		return fmt.Errorf("%d joints and %d weights for %d positions", len(js)/4, len(ws)/4, len(pos))
	}
	for i := range pos {
		var m vec.M
		var sum float32
		for k := 4 * i; k < 4*i+4; k++ {
			w := ws[k]
			if w == 0 {
				continue
			}
			if !(js[k] >= 0 && js[k] < float32(len(joints))) {
				return fmt.Errorf("position %d hangs on joint %v of %d", i, js[k], len(joints))
			}
			j := joints[int(js[k])]
			m.X, m.Y = m.X.Add(j.X.Mul(w)), m.Y.Add(j.Y.Mul(w))
			m.Z, m.O = m.Z.Add(j.Z.Mul(w)), m.O.Add(j.O.Mul(w))
			sum += w
		}
		if sum == 0 {
			continue
		}
		pos[i] = m.Point(pos[i]).Mul(1 / sum)
		if normals != nil {
			normals[i] = m.Normal(normals[i]).Unit()
		}
	}
	return nil
}

// indices returns the corners of the triangles, three by three.
func (r *gltfReader) indices(p *gltf.Primitive, n int) ([]int32, error) {
	var raw []int32
	if p.Indices == nil {
		raw = make([]int32, n)
		for i := range raw {
			raw[i] = int32(i)
		}
	} else {
		v, err := r.accessor(*p.Indices)
		if err != nil {
			return nil, err
		}
		if v.Type != gltf.AccessorScalar || v.ComponentType == gltf.ComponentFloat {
			return nil, fmt.Errorf("accessor %d does not hold indices", *p.Indices)
		}
		if err := r.fits(v, *p.Indices); err != nil {
			return nil, err
		}
		if err := r.work.spend(v.Count); err != nil {
			return nil, err
		}
		raw = make([]int32, 0, v.Count)
		err = r.each(v, 1, func(i int, at []byte) {
			raw = append(raw, int32(min(unsigned(at, v.ComponentType), math.MaxInt32)))
		})
		if err != nil {
			return nil, err
		}
		for i, x := range raw {
			if int(x) >= n || x < 0 {
				return nil, fmt.Errorf("index %d refers to position %d of %d", i, x, n)
			}
		}
	}
	var out []int32
	switch p.Mode {
	case gltf.PrimitiveTriangles:
		return raw[:len(raw)/3*3], nil
	case gltf.PrimitiveTriangleStrip:
		for i := 0; i+2 < len(raw); i++ {
			out = append(out, raw[i], raw[i+1+i%2], raw[i+2-i%2])
		}
	case gltf.PrimitiveTriangleFan:
		for i := 1; i+1 < len(raw); i++ {
			out = append(out, raw[0], raw[i], raw[i+1])
		}
	default:
		return nil, fmt.Errorf("primitive mode %d is unknown", p.Mode)
	}
	return out, nil
}

package meshfile

import (
	"fmt"
	"math"
	"slices"

	"github.com/qmuntal/gltf"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

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
	r.movingSkin(index, inverse)
	return out, nil
}

func (r *gltfReader) primitive(p *gltf.Primitive, node int, skin *int, name string, c color.C, world vec.M, joints []vec.M, weights []float64) error {
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
	normals, uv, err := r.surface(p, len(pos))
	if err != nil {
		return err
	}
	paint, err := r.paint(p, len(pos))
	if err != nil {
		return fmt.Errorf("painted colours: %w", err)
	}
	var h *hung
	if joints != nil {
		if h, err = r.hangs(p, len(pos), len(joints)); err != nil {
			return fmt.Errorf("skin: %w", err)
		}
	}
	if r.moves != nil {
		if err := r.movingPiece(p, node, skin, slices.Clone(pos), h, weights); err != nil {
			return fmt.Errorf("morph targets: %w", err)
		}
	}
	if err := r.morph(p, pos, normals, weights); err != nil {
		return fmt.Errorf("morph targets: %w", err)
	}
	if joints != nil {
		h.pose(pos, normals, joints)
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
	for i, v := range pos {
		pos[i] = r.point(world, v)
	}
	addTriangles(m, m.AddPart(name, c), world, pos, normals, uv, paint, indices)
	return nil
}

// surface returns what a primitive says of its n vertices beside where they are: normals and texture coordinates, nil where
// it has none.
func (r *gltfReader) surface(p *gltf.Primitive, n int) (normals []vec.V, uv []float32, err error) {
	if i, ok := p.Attributes[gltf.NORMAL]; ok {
		if normals, err = r.vectors(i); err == nil && len(normals) != n {
			err = fmt.Errorf("there are %d for %d positions", len(normals), n)
		}
		if err != nil {
			return nil, nil, fmt.Errorf("normals: %w", err)
		}
	}
	if i, ok := p.Attributes[gltf.TEXCOORD_0]; ok {
		if uv, err = r.floats(i, 2); err == nil && len(uv) != 2*n {
			err = fmt.Errorf("there are %d for %d positions", len(uv)/2, n)
		}
		if err != nil {
			return nil, nil, fmt.Errorf("texture coordinates: %w", err)
		}
	}
	return normals, uv, nil
}

// addTriangles adds a primitive's triangles, whose places are those of the model already, to a part of a mesh; normals are brought to
// where world puts them. What mirrors turns them round too.
func addTriangles(m *mesh.Mesh, part int32, world vec.M, pos, normals []vec.V, uv []float32, paint [][4]float32, indices []int32) {
	p0, u0, n0 := int32(len(m.Positions)), int32(len(m.UVs)), int32(len(m.Normals))
	m.Positions = append(m.Positions, pos...)
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

// hung is by which joints the positions of a primitive hang.
type hung struct {
	joints  [][motion.MaxJoints]uint16
	weights [][motion.MaxJoints]float32
	uneven  int // positions whose weights did not add up
}

// hangs returns by which of so many joints each of n positions hangs; nil where the file does not say.
func (r *gltfReader) hangs(p *gltf.Primitive, n, joints int) (*hung, error) {
	var h *hung
	for set := range motion.MaxJoints / 4 {
		ji, ok1 := p.Attributes[fmt.Sprintf("JOINTS_%d", set)]
		wi, ok2 := p.Attributes[fmt.Sprintf("WEIGHTS_%d", set)]
		if !ok1 || !ok2 {
			break
		}
		js, err := r.floats(ji, 4)
		if err != nil {
			return nil, err
		}
		ws, err := r.floats(wi, 4)
		if err != nil {
			return nil, err
		}
		if len(js) != 4*n || len(ws) != 4*n {
			return nil, fmt.Errorf("%d joints and %d weights for %d positions", len(js)/4, len(ws)/4, n)
		}
		if h == nil {
			h = &hung{joints: make([][motion.MaxJoints]uint16, n), weights: make([][motion.MaxJoints]float32, n)}
		}
		for i := range n {
			for k := range 4 {
				j, w := js[4*i+k], ws[4*i+k]
				if w == 0 {
					continue
				}
				if !(j >= 0 && j < float32(joints) && j <= math.MaxUint16) {
					return nil, fmt.Errorf("position %d hangs on joint %v of %d", i, j, joints)
				}
				h.joints[i][4*set+k], h.weights[i][4*set+k] = uint16(j), w
			}
		}
	}
	if h != nil {
		for i := range h.weights {
			even, off := motion.Even(h.weights[i])
			if h.weights[i] = even; off {
				h.uneven++
			}
		}
	}
	return h, nil
}

// pose moves positions and normals from bind pose to where the joints have them.
func (h *hung) pose(pos, normals []vec.V, joints []vec.M) {
	if h == nil {
		return
	}
	for i := range pos {
		var m vec.M
		some := false
		for k, w := range h.weights[i] {
			if w == 0 {
				continue
			}
			j := joints[h.joints[i][k]]
			m.X, m.Y = m.X.Add(j.X.Mul(w)), m.Y.Add(j.Y.Mul(w))
			m.Z, m.O = m.Z.Add(j.Z.Mul(w)), m.O.Add(j.O.Mul(w))
			some = true
		}
		if !some {
			continue
		}
		pos[i] = m.Point(pos[i])
		if normals != nil {
			normals[i] = m.Normal(normals[i]).Unit()
		}
	}
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

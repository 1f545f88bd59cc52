package meshfile

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/unlit"
	"github.com/qmuntal/gltf/modeler"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// WriteGLB writes a mesh as binary glTF 2.0: a node for each part, under its name, with what is painted on it, its
// texture coordinates and normals where it has them, and how it moves. Faces become triangles. All positions of a part
// must move in one piece.
func WriteGLB(w io.Writer, m *mesh.Mesh) error { return WriteScene(w, []Placed{{Mesh: m}}, nil) }

// Placed is a mesh that is written with others.
type Placed struct {
	Mesh  *mesh.Mesh
	Name  string // of the node that it stands under; "" for none: it stands where it is
	At    vec.M  // with a name: where it stands
	Paint []int  // of each part: which of the pictures is laid over it, without light; -1 for none; nil for none at all
	Shell *Shell // an outline
}

// Shell is an outline as a second skin: as far out along the normals as the line is to be wide, turned inside out, so that
// what looks away from the eye, and only that, shows about the form.
type Shell struct {
	Width float32 // in the mesh's own lengths
	Color color.C
	Parts []bool // which parts have it; nil for all
}

// WriteScene writes meshes as one binary glTF 2.0, with PNGs that are laid over them as materials without light
// (KHR_materials_unlit). The names of pictures are what they are called in it.
func WriteScene(w io.Writer, list []Placed, pictures []Picture) error {
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Mobanta"
	doc.Scenes[0].Nodes = nil
	g := glbWriter{doc: doc}
	for _, pic := range pictures {
		image, err := modeler.WriteImage(doc, pic.Name, "image/png", bytes.NewReader(pic.Data))
		if err != nil {
			return fmt.Errorf("meshfile: %w", err)
		}
		if len(doc.Samplers) == 0 {
			doc.Samplers = append(doc.Samplers, &gltf.Sampler{MagFilter: gltf.MagLinear, MinFilter: gltf.MinLinearMipMapLinear})
		}
		doc.Textures = append(doc.Textures, &gltf.Texture{Name: pic.Name, Sampler: gltf.Index(0), Source: gltf.Index(image)})
	}
	for i := range list {
		if err := list[i].Mesh.Check(); err != nil {
			return err
		}
		g.begin(&list[i])
		g.motion()
		for k, part := range g.mesh.Parts {
			first := slices.IndexFunc(g.mesh.Parts, func(p mesh.Part) bool { return p.Name == part.Name })
			if first < k {
				continue // parts of one name are one
			}
			if err := g.part(k, false); err != nil {
				return fmt.Errorf("meshfile: part %.40q: %w", part.Name, err)
			}
			if s := g.placed.Shell; s != nil && (s.Parts == nil || s.Parts[k]) {
				if err := g.part(k, true); err != nil {
					return fmt.Errorf("meshfile: the outline of part %.40q: %w", part.Name, err)
				}
			}
		}
		g.clips()
	}
	if g.unlit {
		doc.ExtensionsUsed = append(doc.ExtensionsUsed, unlit.ExtensionName)
	}
	e := gltf.NewEncoder(w)
	e.AsBinary = true
	if err := e.Encode(doc); err != nil {
		return fmt.Errorf("meshfile: %w", err)
	}
	return nil
}

// begin puts in the node that a mesh stands under.
func (g *glbWriter) begin(p *Placed) {
	g.mesh, g.placed, g.under, g.outline, g.maps = p.Mesh, p, -1, -1, nil
	if p.Name != "" {
		x := p.At
		node := &gltf.Node{Name: p.Name, Matrix: matrixOf(&x)}
		g.under = len(g.doc.Nodes)
		g.doc.Nodes = append(g.doc.Nodes, node)
		g.doc.Scenes[0].Nodes = append(g.doc.Scenes[0].Nodes, g.under)
	}
	g.first, g.skins = len(g.doc.Nodes), len(g.doc.Skins)
}

// hang puts a node under the mesh's own, or among the scene's.
func (g *glbWriter) hang(node int) {
	if g.under >= 0 {
		g.doc.Nodes[g.under].Children = append(g.doc.Nodes[g.under].Children, node)
		return
	}
	g.doc.Scenes[0].Nodes = append(g.doc.Scenes[0].Nodes, node)
}

func matrixOf(x *vec.M) [16]float64 {
	return [16]float64{f64(x.X[0]), f64(x.X[1]), f64(x.X[2]), 0, f64(x.Y[0]), f64(x.Y[1]), f64(x.Y[2]), 0, f64(x.Z[0]), f64(x.Z[1]), f64(x.Z[2]), 0, f64(x.O[0]), f64(x.O[1]), f64(x.O[2]), 1}
}

type glbWriter struct {
	doc     *gltf.Document
	mesh    *mesh.Mesh
	placed  *Placed
	under   int           // the node that all of the mesh hangs under; -1 for none
	first   int           // the number of the motion's first node
	skins   int           // that of its first skin
	nodes   map[int][]int // node of the motion → the nodes whose morph targets it moves
	unlit   bool
	outline int     // the material of the mesh's outline; -1 before there is one
	maps    []vec.M // of each position, from its piece's own space; nil where nothing moves, or nobody has asked
}

// motion writes the nodes and skins that parts depend on.
func (g *glbWriter) motion() {
	mo := g.mesh.Motion
	if mo == nil {
		return
	}
	g.nodes = map[int][]int{}
	for i := range mo.Nodes {
		n := &mo.Nodes[i]
		out := &gltf.Node{Name: fmt.Sprint("joint ", i+1)}
		if n.Matrix != nil {
			out.Matrix = matrixOf(n.Matrix)
		} else {
			out.Translation = [3]float64{f64(n.Place[0]), f64(n.Place[1]), f64(n.Place[2])}
			out.Rotation = [4]float64{f64(n.Turn[0]), f64(n.Turn[1]), f64(n.Turn[2]), f64(n.Turn[3])}
			out.Scale = [3]float64{f64(n.Scale[0]), f64(n.Scale[1]), f64(n.Scale[2])}
		}
		g.doc.Nodes = append(g.doc.Nodes, out)
		if n.Parent >= 0 {
			g.doc.Nodes[g.first+n.Parent].Children = append(g.doc.Nodes[g.first+n.Parent].Children, g.first+i)
		} else {
			g.hang(g.first + i)
		}
	}
	for _, s := range mo.Skins {
		out := &gltf.Skin{}
		for _, j := range s.Joints {
			out.Joints = append(out.Joints, g.first+j)
		}
		if s.Inverse != nil {
			var list [][4][4]float32
			for _, x := range s.Inverse {
				list = append(list, [4][4]float32{{x.X[0], x.Y[0], x.Z[0], x.O[0]}, {x.X[1], x.Y[1], x.Z[1], x.O[1]}, {x.X[2], x.Y[2], x.Z[2], x.O[2]}, {0, 0, 0, 1}})
			}
			out.InverseBindMatrices = gltf.Index(modeler.WriteAccessor(g.doc, gltf.TargetNone, list))
		}
		g.doc.Skins = append(g.doc.Skins, out)
	}
}

func f64(f float32) float64 { return float64(f) }

// piece returns the piece of the motion that a position belongs to, nil for one that stands still.
func (g *glbWriter) piece(pos int32) *motion.Piece {
	if g.mesh.Motion == nil {
		return nil
	}
	for i := range g.mesh.Motion.Pieces {
		p := &g.mesh.Motion.Pieces[i]
		if int(pos) >= p.First && int(pos) < p.First+len(p.Rest) {
			return p
		}
	}
	return nil
}

// part writes one part as a node with a mesh of its own, or its outline.
func (g *glbWriter) part(part int, shell bool) error {
	m := g.mesh
	type key struct{ pos, uv, normal int32 }
	seen := map[key]uint32{}
	var from []mesh.Corner
	var indices []uint32
	normals, uvs := true, len(m.UVs) > 0
	for f, of := range m.FacePart {
		if m.Parts[of].Name != m.Parts[part].Name {
			continue
		}
		face := m.Face(f)
		var fan []uint32
		for _, c := range face {
			k := key{c.Pos, c.UV, c.Normal}
			i, ok := seen[k]
			if !ok {
				i = uint32(len(from))
				seen[k] = i
				from = append(from, c)
			}
			normals, uvs = normals && c.Normal >= 0, uvs && c.UV >= 0
			fan = append(fan, i)
		}
		for k := 1; k+1 < len(fan); k++ {
			if shell {
				indices = append(indices, fan[0], fan[k+1], fan[k])
			} else {
				indices = append(indices, fan[0], fan[k], fan[k+1])
			}
		}
	}
	if len(from) == 0 {
		return nil
	}
	piece := g.piece(from[0].Pos)
	pos := make([][3]float32, len(from))
	for i, c := range from {
		if g.piece(c.Pos) != piece {
			return errors.New("it moves in several pieces")
		}
		pos[i] = m.Positions[c.Pos]
		if piece != nil {
			pos[i] = piece.Rest[int(c.Pos)-piece.First]
		}
	}
	if shell {
		g.puff(pos, from, indices)
		normals, uvs = false, false
	}
	attributes := gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(g.doc, pos)}
	if normals {
		list := make([][3]float32, len(from))
		for i, c := range from {
			list[i] = m.Normals[c.Normal]
		}
		attributes[gltf.NORMAL] = modeler.WriteNormal(g.doc, list)
	}
	if uvs {
		list := make([][2]float32, len(from))
		for i, c := range from {
			list[i] = [2]float32{m.UVs[c.UV][0], 1 - m.UVs[c.UV][1]}
		}
		attributes[gltf.TEXCOORD_0] = modeler.WriteTextureCoord(g.doc, list)
	}
	if len(m.Paint) > 0 && g.placed.Paint == nil {
		list := make([][4]float32, len(from))
		for i, c := range from {
			p := m.Paint[c.Pos]
			if m.PaintEncoded { // glTF has it in linear light
				l := color.FromEncoded([3]float32{p[0], p[1], p[2]})
				p[0], p[1], p[2] = l[0], l[1], l[2]
			}
			list[i] = p
		}
		attributes[gltf.COLOR_0] = modeler.WriteColor(g.doc, list)
	}
	name := m.Parts[part].Name
	if shell {
		name += " outline"
	}
	prim := &gltf.Primitive{Attributes: attributes, Indices: gltf.Index(modeler.WriteIndices(g.doc, indices)), Material: gltf.Index(g.material(part, shell))}
	node := &gltf.Node{Name: name, Mesh: gltf.Index(len(g.doc.Meshes))}
	at := len(g.doc.Nodes)
	if piece == nil {
		g.hang(at)
	} else {
		g.moves(piece, prim, node, at, from)
	}
	g.doc.Meshes = append(g.doc.Meshes, &gltf.Mesh{Name: name, Primitives: []*gltf.Primitive{prim}})
	g.doc.Nodes = append(g.doc.Nodes, node)
	return nil
}

// puff moves places out along the normals by the outline's width: the mean of all corners at a place, so that nothing
// comes apart where edges are sharp or textures are cut. The width is one in the mesh's own lengths, whatever the nodes that
// a piece depends on make of its.
func (g *glbWriter) puff(local [][3]float32, from []mesh.Corner, indices []uint32) {
	if g.maps == nil && g.mesh.Motion != nil {
		g.maps = g.mesh.Motion.Maps(len(g.mesh.Positions))
	}
	pos := make([][3]float32, len(from))
	for i, c := range from {
		pos[i] = g.mesh.Positions[c.Pos]
	}
	sum := map[[3]float32]vec.V{}
	for i := 0; i+2 < len(indices); i += 3 {
		// Turned inside out already; by the angle at each corner (Thürmer and Wüthrich 1998).
		a, b, c := vec.V(pos[indices[i]]), vec.V(pos[indices[i+2]]), vec.V(pos[indices[i+1]])
		n := b.Sub(a).Cross(c.Sub(a)).Unit()
		for k, p := range [3]vec.V{a, b, c} {
			q, r := [3]vec.V{b, c, a}[k], [3]vec.V{c, a, b}[k]
			angle := float32(math.Acos(float64(max(-1, min(1, q.Sub(p).Unit().Dot(r.Sub(p).Unit()))))))
			sum[p] = sum[p].Add(n.Mul(angle))
		}
	}
	for i, c := range from {
		by := sum[pos[i]].Unit().Mul(g.placed.Shell.Width)
		if g.maps != nil {
			back, ok := g.maps[c.Pos].Inverse()
			if !ok {
				continue // it is flat, or a point: it has no outside
			}
			by = back.Dir(by)
		}
		local[i] = vec.V(local[i]).Add(by)
	}
}

// material returns the number of the material of a part, or of its outline.
func (g *glbWriter) material(part int, shell bool) int {
	m := g.mesh.Parts[part]
	if shell && g.outline >= 0 {
		return g.outline
	}
	mat := &gltf.Material{Name: m.Name, PBRMetallicRoughness: &gltf.PBRMetallicRoughness{BaseColorFactor: &[4]float64{f64(m.Color[0]), f64(m.Color[1]), f64(m.Color[2]), 1}}}
	bare := func() {
		mat.Extensions = gltf.Extensions{unlit.ExtensionName: unlit.Unlit{}}
		mat.PBRMetallicRoughness.MetallicFactor, mat.PBRMetallicRoughness.RoughnessFactor = gltf.Float(0), gltf.Float(0.9) // where there is no such thing
		g.unlit = true
	}
	switch p := g.placed.Paint; {
	case shell:
		c := g.placed.Shell.Color
		mat.Name, mat.PBRMetallicRoughness.BaseColorFactor = "outline", &[4]float64{f64(c[0]), f64(c[1]), f64(c[2]), 1}
		bare()
		g.outline = len(g.doc.Materials)
	case p != nil && p[part] >= 0:
		mat.PBRMetallicRoughness.BaseColorFactor, mat.PBRMetallicRoughness.BaseColorTexture = nil, &gltf.TextureInfo{Index: p[part]}
		mat.DoubleSided = true
		bare()
	case p != nil:
		bare()
	}
	g.doc.Materials = append(g.doc.Materials, mat)
	return len(g.doc.Materials) - 1
}

// moves writes what a part depends on.
func (g *glbWriter) moves(piece *motion.Piece, prim *gltf.Primitive, node *gltf.Node, at int, from []mesh.Corner) {
	if piece.Skin >= 0 && piece.Joints != nil {
		node.Skin = gltf.Index(g.skins + piece.Skin)
		g.doc.Scenes[0].Nodes = append(g.doc.Scenes[0].Nodes, at)
		all := make([]hanging, len(from))
		for i, c := range from {
			k := int(c.Pos) - piece.First
			all[i] = hangingOf(piece.Joints[k], piece.Weights[k])
		}
		for set := range motion.MaxJoints / 4 {
			joints, weights := make([][4]uint16, len(from)), make([][4]float32, len(from))
			some := set == 0
			for i := range from {
				joints[i], weights[i] = [4]uint16(all[i].joints[4*set:]), [4]float32(all[i].weights[4*set:])
				some = some || weights[i] != [4]float32{}
			}
			if some {
				prim.Attributes[fmt.Sprint("JOINTS_", set)] = modeler.WriteJoints(g.doc, joints)
				prim.Attributes[fmt.Sprint("WEIGHTS_", set)] = modeler.WriteWeights(g.doc, weights)
			}
		}
	} else {
		g.doc.Nodes[g.first+piece.Node].Children = append(g.doc.Nodes[g.first+piece.Node].Children, at)
	}
	for _, t := range piece.Targets {
		list := make([][3]float32, len(from))
		for i, c := range from {
			if t != nil {
				list[i] = t[int(c.Pos)-piece.First]
			}
		}
		prim.Targets = append(prim.Targets, gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(g.doc, list)})
	}
	if len(piece.Targets) > 0 {
		for _, f := range g.mesh.Motion.Nodes[piece.Node].Morph {
			node.Weights = append(node.Weights, f64(f))
		}
		g.nodes[piece.Node] = append(g.nodes[piece.Node], at)
	}
}

// hanging is the joints that a position depends on.
type hanging struct {
	joints  [motion.MaxJoints]uint16
	weights [motion.MaxJoints]float32
}

// hangingOf returns joints and weights as glTF wants them: no joint twice, the heaviest first, those without weight 0, and
// weights that add up to 1.
func hangingOf(joints [motion.MaxJoints]uint16, weights [motion.MaxJoints]float32) (h hanging) {
	n := 0
	sum := 0.0
	for k, w := range weights {
		if !(w > 0) {
			continue
		}
		sum += float64(w)
		at := slices.Index(h.joints[:n], joints[k])
		if at < 0 {
			at = n
			h.joints[at] = joints[k]
			n++
		}
		h.weights[at] += w
	}
	if !(sum > 0) {
		h.weights[0] = 1
		h.joints[0] = joints[0]
		return h
	}
	for i := 1; i < n; i++ {
		for k := i; k > 0 && h.weights[k] > h.weights[k-1]; k-- {
			h.weights[k], h.weights[k-1] = h.weights[k-1], h.weights[k]
			h.joints[k], h.joints[k-1] = h.joints[k-1], h.joints[k]
		}
	}
	rest := float32(1)
	for k := n - 1; k > 0; k-- { // the heaviest takes what rounding leaves
		h.weights[k] = float32(float64(h.weights[k]) / sum)
		rest -= h.weights[k]
	}
	h.weights[0] = rest
	return h
}

// clips writes the animations.
func (g *glbWriter) clips() {
	mo := g.mesh.Motion
	if mo == nil {
		return
	}
	for i := range mo.Clips {
		c := &mo.Clips[i]
		out := &gltf.Animation{Name: c.Name}
		for k := range c.Channels {
			ch := &c.Channels[k]
			var values any = ch.Values
			switch ch.Size {
			case 3:
				if ch.Path != motion.Morph {
					values = inRows[[3]float32](ch.Values, func(v []float32) [3]float32 { return [3]float32(v) }, 3)
				}
			case 4:
				if ch.Path != motion.Morph {
					values = inRows[[4]float32](ch.Values, func(v []float32) [4]float32 { return [4]float32(v) }, 4)
				}
			}
			s := &gltf.AnimationSampler{Input: modeler.WriteAccessor(g.doc, gltf.TargetNone, ch.Times), Output: modeler.WriteAccessor(g.doc, gltf.TargetNone, values),
				Interpolation: [...]gltf.Interpolation{motion.Linear: gltf.InterpolationLinear, motion.Step: gltf.InterpolationStep, motion.Cubic: gltf.InterpolationCubicSpline}[ch.Way]}
			in := g.doc.Accessors[s.Input]
			in.Min, in.Max = []float64{f64(ch.Times[0])}, []float64{f64(ch.Times[len(ch.Times)-1])}
			path := [...]gltf.TRSProperty{motion.Place: gltf.TRSTranslation, motion.Turn: gltf.TRSRotation, motion.Scale: gltf.TRSScale, motion.Morph: gltf.TRSWeights}[ch.Path]
			to := []int{g.first + ch.Node}
			if ch.Path == motion.Morph {
				to = g.nodes[ch.Node]
			}
			for _, n := range to {
				out.Channels = append(out.Channels, &gltf.AnimationChannel{Sampler: len(out.Samplers), Target: gltf.AnimationChannelTarget{Node: gltf.Index(n), Path: path}})
			}
			out.Samplers = append(out.Samplers, s)
		}
		g.doc.Animations = append(g.doc.Animations, out)
	}
}

func inRows[T any](v []float32, row func([]float32) T, n int) []T {
	out := make([]T, 0, len(v)/n)
	for i := 0; i+n <= len(v); i += n {
		out = append(out, row(v[i:i+n]))
	}
	return out
}

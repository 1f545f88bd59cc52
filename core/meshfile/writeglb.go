package meshfile

import (
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/motion"
)

// WriteGLB writes a mesh as binary glTF 2.0: a node for each part, under its name, with what is painted on it, its
// texture coordinates and normals where it has them, and how it moves. Faces become triangles. All positions of a part
// must move in one piece.
func WriteGLB(w io.Writer, m *mesh.Mesh) error {
	if err := m.Check(); err != nil {
		return err
	}
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Mobanta"
	doc.Scenes[0].Nodes = nil
	g := glbWriter{doc: doc, mesh: m}
	g.motion()
	for i, part := range m.Parts {
		first := slices.IndexFunc(m.Parts, func(p mesh.Part) bool { return p.Name == part.Name })
		if first < i {
			continue // parts of one name are one
		}
		if err := g.part(i); err != nil {
			return fmt.Errorf("meshfile: part %.40q: %w", part.Name, err)
		}
	}
	g.clips()
	e := gltf.NewEncoder(w)
	e.AsBinary = true
	if err := e.Encode(doc); err != nil {
		return fmt.Errorf("meshfile: %w", err)
	}
	return nil
}

type glbWriter struct {
	doc   *gltf.Document
	mesh  *mesh.Mesh
	nodes map[int][]int // node of the motion → the nodes whose morph targets it moves
}

// motion writes the nodes and skins that parts hang on; their numbers are those of the motion.
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
			x := n.Matrix
			out.Matrix = [16]float64{f64(x.X[0]), f64(x.X[1]), f64(x.X[2]), 0, f64(x.Y[0]), f64(x.Y[1]), f64(x.Y[2]), 0, f64(x.Z[0]), f64(x.Z[1]), f64(x.Z[2]), 0, f64(x.O[0]), f64(x.O[1]), f64(x.O[2]), 1}
		} else {
			out.Translation = [3]float64{f64(n.Place[0]), f64(n.Place[1]), f64(n.Place[2])}
			out.Rotation = [4]float64{f64(n.Turn[0]), f64(n.Turn[1]), f64(n.Turn[2]), f64(n.Turn[3])}
			out.Scale = [3]float64{f64(n.Scale[0]), f64(n.Scale[1]), f64(n.Scale[2])}
		}
		g.doc.Nodes = append(g.doc.Nodes, out)
		if n.Parent >= 0 {
			g.doc.Nodes[n.Parent].Children = append(g.doc.Nodes[n.Parent].Children, i)
		} else {
			g.doc.Scenes[0].Nodes = append(g.doc.Scenes[0].Nodes, i)
		}
	}
	for _, s := range mo.Skins {
		out := &gltf.Skin{Joints: s.Joints}
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

// part writes one part as a node with a mesh of its own.
func (g *glbWriter) part(part int) error {
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
			indices = append(indices, fan[0], fan[k], fan[k+1])
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
	if len(m.Paint) > 0 {
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
	prim := &gltf.Primitive{Attributes: attributes, Indices: gltf.Index(modeler.WriteIndices(g.doc, indices)), Material: gltf.Index(len(g.doc.Materials))}
	c := m.Parts[part].Color
	g.doc.Materials = append(g.doc.Materials, &gltf.Material{Name: m.Parts[part].Name, PBRMetallicRoughness: &gltf.PBRMetallicRoughness{BaseColorFactor: &[4]float64{f64(c[0]), f64(c[1]), f64(c[2]), 1}}})
	node := &gltf.Node{Name: m.Parts[part].Name, Mesh: gltf.Index(len(g.doc.Meshes))}
	at := len(g.doc.Nodes)
	if piece == nil {
		g.doc.Scenes[0].Nodes = append(g.doc.Scenes[0].Nodes, at)
	} else {
		g.moves(piece, prim, node, at, from)
	}
	g.doc.Meshes = append(g.doc.Meshes, &gltf.Mesh{Name: m.Parts[part].Name, Primitives: []*gltf.Primitive{prim}})
	g.doc.Nodes = append(g.doc.Nodes, node)
	return nil
}

// moves writes what a part hangs on.
func (g *glbWriter) moves(piece *motion.Piece, prim *gltf.Primitive, node *gltf.Node, at int, from []mesh.Corner) {
	if piece.Skin >= 0 && piece.Joints != nil {
		node.Skin = gltf.Index(piece.Skin)
		g.doc.Scenes[0].Nodes = append(g.doc.Scenes[0].Nodes, at)
		for set := range motion.MaxJoints / 4 {
			joints, weights := make([][4]uint16, len(from)), make([][4]float32, len(from))
			some := set == 0
			for i, c := range from {
				k := int(c.Pos) - piece.First
				joints[i], weights[i] = [4]uint16(piece.Joints[k][4*set:]), [4]float32(piece.Weights[k][4*set:])
				some = some || weights[i] != [4]float32{}
			}
			if some {
				prim.Attributes[fmt.Sprint("JOINTS_", set)] = modeler.WriteJoints(g.doc, joints)
				prim.Attributes[fmt.Sprint("WEIGHTS_", set)] = modeler.WriteWeights(g.doc, weights)
			}
		}
	} else {
		g.doc.Nodes[piece.Node].Children = append(g.doc.Nodes[piece.Node].Children, at)
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
			to := []int{ch.Node}
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

package check

import (
	"fmt"
	"math"

	"mobanta/core/mesh"
	"mobanta/core/project"
	"mobanta/core/vec"
)

// lying: a model from a file that counts Z as up, so that what it stands on faces the back.
func lying(in *input) {
	const rest, none = 0.1, 0.01 // parts of how wide it is along and across: of what it stands on, and of what lies below it
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		if m.File == "" || m.Turn != (vec.V{}) {
			continue
		}
		s := in.scene.Models[i].Surface
		foot := s.Always("feet", func() any { return feet(s) }).([3]float64)
		if foot[2] < rest || foot[1] > none {
			continue
		}
		in.remark(Remark{Key: "lying/" + m.ID, Title: "A model that may lie on its back", Stage: true,
			Text: fmt.Sprintf("%s is flat at its back and nowhere below, as models are whose files count Z as up. Here Y is up.", m.Name),
			Mend: "Stand it up", Do: []project.Edit{{Op: "model.set", ID: m.ID, Key: "turn", Value: []any{-90.0, 0.0, 0.0}}}})
	}
}

// feet returns, for each axis, how much of a surface lies flat where it is lowest along it, in parts of how wide it is in the other
// two; 0 for one without thickness.
func feet(s *mesh.Surface) (out [3]float64) {
	size := s.Box.Max.Sub(s.Box.Min)
	for axis := range out {
		a, b := (axis+1)%3, (axis+2)%3
		wide := float64(size[a]) * float64(size[b])
		if !(wide > 0) || size[axis] < 0.02*s.Box.Diagonal() {
			continue
		}
		low := s.Box.Min[axis] + 0.005*size[axis]
		for _, t := range s.Tri {
			p, q, r := s.Pos[t[0]], s.Pos[t[1]], s.Pos[t[2]]
			if max(p[axis], q[axis], r[axis]) > low {
				continue
			}
			if n := q.Sub(p).Cross(r.Sub(p)); n[axis] < 0 {
				out[axis] -= float64(n[axis]) / 2 / wide
			}
		}
	}
	return out
}

// rounded: a model whose file has one normal for all faces at its edges, though they are hard, so that its flat sides are shaded as if
// they bulged.
func rounded(in *input) {
	for i := range in.p.Stage.Models {
		m := &in.p.Stage.Models[i]
		s := in.scene.Models[i].Surface
		if m.File == "" || m.Form.Made || m.Form.Smooth || m.Form.Steps > 0 || len(s.Mesh.Normals) == 0 {
			continue
		}
		if share := s.Always("rounded edges", func() any { return roundedEdges(s.Mesh) }).(float64); share < 0.3 {
			continue
		}
		do := []project.Edit{{Op: "model.set", ID: m.ID, Key: "made", Value: true}}
		if m.Form.Creases != mesh.ByAngle {
			do = append(do, project.Edit{Op: "model.set", ID: m.ID, Key: "creases", Value: string(mesh.ByAngle)})
		}
		in.remark(Remark{Key: "rounded/" + m.ID, Title: "Hard edges shaded as round", Stage: true,
			Text: fmt.Sprintf("The normals in the file of %s go on over its hard edges, so light runs over its flat sides as if they bulged.", m.Name),
			Mend: "Make normals anew, with creases", Do: do})
	}
}

// hardEdge is the cosine of the angle from which on nobody means an edge to be round.
var hardEdge = float32(math.Cos(75 * math.Pi / 180))

// roundedEdges returns how much of the edges of a mesh at which it bends, by length, bends hard though its normals go on over them.
func roundedEdges(m *mesh.Mesh) float64 {
	type side struct {
		face vec.V
		at   [2]vec.V // normals at the lower and the higher position
	}
	open := map[[2]int32]side{}
	hard, all := 0.0, 0.0
	for f := range m.FaceEnd {
		corners := m.Face(f)
		var flat vec.V
		for k := 2; k < len(corners); k++ {
			p := m.Positions[corners[0].Pos]
			flat = flat.Add(m.Positions[corners[k-1].Pos].Sub(p).Cross(m.Positions[corners[k].Pos].Sub(p)))
		}
		flat = flat.Unit()
		for k, c := range corners {
			d := corners[(k+1)%len(corners)]
			if c.Normal < 0 || d.Normal < 0 || c.Pos == d.Pos {
				continue
			}
			if c.Pos > d.Pos {
				c, d = d, c
			}
			key := [2]int32{c.Pos, d.Pos}
			now := side{flat, [2]vec.V{m.Normals[c.Normal].Unit(), m.Normals[d.Normal].Unit()}}
			was, ok := open[key]
			if !ok {
				open[key] = now
				continue
			}
			delete(open, key)
			bend := was.face.Dot(now.face)
			long := float64(m.Positions[c.Pos].Sub(m.Positions[d.Pos]).Len())
			if bend < 0.999 {
				all += long
				if bend < hardEdge && was.at[0].Dot(now.at[0]) > 0.99 && was.at[1].Dot(now.at[1]) > 0.99 {
					hard += long
				}
			}
		}
	}
	if all == 0 {
		return 0
	}
	return hard / all
}

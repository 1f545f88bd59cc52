package mesh

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/vec"
)

// The masks that are used to fit places are those of a step of subdivision and of the limit after it.
func TestMasksAroundAreThoseOfTheLimit(t *testing.T) {
	ball := Sphere(1, 9, 6) // faces of three and of four sides
	quads := Torus(1, 0.4, 9, 7)
	var tris Mesh
	tris.Parts = []Part{{Name: "t"}}
	tris.Positions = ball.Positions
	for f := range ball.FaceEnd {
		c := ball.Face(f)
		for k := 1; k+1 < len(c); k++ {
			tris.Corners = append(tris.Corners, Corner{c[0].Pos, -1, -1}, Corner{c[k].Pos, -1, -1}, Corner{c[k+1].Pos, -1, -1})
			tris.FaceEnd, tris.FacePart = append(tris.FaceEnd, int32(len(tris.Corners))), append(tris.FacePart, 0)
		}
	}
	sheet := Grid("sheet", 4, 3, func(u, v float64) vec.V { return vec.V{float32(u), float32(u * u * v), float32(v)} })
	for name, m := range map[string]*Mesh{"ball": ball, "torus": quads, "triangles": &tris, "sheet": sheet, "cube": Cuboid(vec.V{1, 2, 3})} {
		for _, creases := range []Creases{None, ByAngle} {
			h := m.halves(creases, 30)
			three := len(m.Corners) == 3*len(m.FaceEnd)
			got := make([]place, len(h.pos))
			h.around(got, h.ringed(), three)
			step := h.loop
			if !three {
				step = h.catmullClark
			}
			want := step().limits(three)
			used := map[int32]bool{}
			for _, v := range h.vert {
				used[v] = true
			}
			require.NotEmpty(t, used)
			rims := h.rims()
			for v := range used {
				if rims[v].sharps == 1 { // where a crease ends the step has another mask than the limit
					continue
				}
				d := got[v].sub(want[v])
				assert.InDelta(t, 0, d.dot(d), 1e-20, "%s, creases %q, vertex %d", name, creases, v)
			}
		}
	}
}

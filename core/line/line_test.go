package line_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// cover returns how many pixels of a w × w picture the lines take.
func cover(t *testing.T, sc *stage.Scene, w int, edges node.EdgeLines) float64 {
	t.Helper()
	view := sc.Stage.Camera.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
	require.NoError(t, err)
	s := line.NewSheet(w, w)
	s.Add(vis, sc, view, []line.Layer{{Edges: edges, Part: func(int32) bool { return true },
		Ink: func(int32) (line.Ink, bool) { return line.Ink{Width: 10, Opacity: 1}, true }}}, 2)
	sum := 0.0
	for i := 3; i < len(s.Pix); i += 4 {
		sum += float64(s.Pix[i])
	}
	return sum
}

func TestEachKindOfEdgeIsFoundWhereItIs(t *testing.T) {
	cube := mesh.Cuboid(vec.V{1, 1, 1})
	two := mesh.Cuboid(vec.V{1, 1, 1})
	two.Parts = append(two.Parts, mesh.Part{Name: "lid"})
	for f := range two.FacePart {
		if two.Face(f)[0] != two.Face(0)[0] && f%2 == 0 {
			two.FacePart[f] = 1
		}
	}
	seen := func(m ...*mesh.Mesh) *stage.Scene {
		st := stage.New()
		st.Camera.Azimuth, st.Camera.Elevation = 30, 25
		return stagetest.With(t, &st, m...)
	}
	none := cover(t, seen(cube), 400, node.EdgeLines{})
	assert.Zero(t, none)
	outer := cover(t, seen(cube), 400, node.EdgeLines{Outer: true})
	assert.Positive(t, outer)
	crease := cover(t, seen(cube), 400, node.EdgeLines{Crease: true, Angle: 30})
	assert.Positive(t, crease)
	assert.Less(t, crease, outer, "three edges inside against six around")
	assert.Zero(t, cover(t, seen(cube), 400, node.EdgeLines{Crease: true, Angle: 91}))
	assert.Zero(t, cover(t, seen(mesh.Sphere(1, 128, 64)), 400, node.EdgeLines{Crease: true, Angle: 30}), "a round form has no creases")
	assert.Zero(t, cover(t, seen(cube), 400, node.EdgeLines{Parts: true}))
	assert.Positive(t, cover(t, seen(two), 400, node.EdgeLines{Parts: true}))
	assert.Zero(t, cover(t, seen(cube), 400, node.EdgeLines{Depth: true, Jump: 0.02}), "a slope is no jump")
	ring := seen(mesh.Torus(1, 0.4, 128, 64))
	ring.Stage.Camera.Elevation = 10
	ring.Stage.Camera = ring.Stage.Camera.Frame(ring.Box, 1)
	assert.Positive(t, cover(t, ring, 400, node.EdgeLines{Depth: true, Jump: 0.02}), "one side of a ring stands before the other")
}

func TestLinesScaleWithThePicture(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
	small, large := cover(t, sc, 200, node.EdgeLines{Outer: true}), cover(t, sc, 800, node.EdgeLines{Outer: true})
	assert.InEpsilon(t, 16, large/small, 0.05, "the same share of the picture at four times the size")
}

package meshfile_test

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// An outline is as wide as was asked, in lengths of the model, whatever the nodes scale that a part depends on.
func TestAnOutlineIsAsWideAsAsked(t *testing.T) {
	one := motion.Node{Parent: -1, Turn: motion.Quat{0, 0, 0, 1}, Scale: vec.V{1, 1, 1}}
	node := func(parent int, scale vec.V, turn motion.Quat) motion.Node {
		n := one
		n.Parent, n.Scale, n.Turn = parent, scale, turn
		return n
	}
	quarter := motion.Quat{0, 0, 0.70710678, 0.70710678}
	for name, nodes := range map[string][]motion.Node{
		"as it is":       {one},
		"a hundred":      {node(-1, vec.V{100, 100, 100}, one.Turn)},
		"a hundredth":    {node(-1, vec.V{0.01, 0.01, 0.01}, one.Turn)},
		"uneven, turned": {node(-1, vec.V{4, 1, 0.5}, quarter)},
		"one in another": {node(-1, vec.V{10, 10, 10}, quarter), node(0, vec.V{0.5, 3, 2}, one.Turn)},
	} {
		m := mesh.Cuboid(vec.V{1, 1, 1})
		m.Motion = &motion.Motion{Nodes: nodes, Pieces: []motion.Piece{{Node: len(nodes) - 1, Skin: -1, Rest: append([]vec.V(nil), m.Positions...)}}}
		m.Positions = m.Motion.Pose(nil, 0, len(m.Positions))
		m.Normals = nil
		for i := range m.Corners {
			m.Corners[i].Normal = -1
		}
		plain := vec.EmptyBox()
		for _, p := range m.Positions {
			plain = plain.Grow(p)
		}
		width := 0.05 * plain.Diagonal()
		var buf bytes.Buffer
		require.NoError(t, meshfile.WriteScene(&buf, []meshfile.Placed{{Mesh: m, Name: "cube", At: vec.Identity(), Shell: &meshfile.Shell{Width: width}}}, nil), name)
		back, err := meshfile.Read(context.Background(), "cube.glb", buf.Bytes(), nil)
		require.NoError(t, err, name)
		outer := vec.EmptyBox()
		for _, p := range back.Mesh.Positions {
			outer = outer.Grow(p)
		}
		// A corner of a box goes out along the mean of its faces: by the width, in equal parts to all sides.
		side := width / vec.Sqrt(3)
		for k := range 3 {
			assert.InDelta(t, plain.Min[k]-side, outer.Min[k], float64(width)*0.01, "%s, axis %d", name, k)
			assert.InDelta(t, plain.Max[k]+side, outer.Max[k], float64(width)*0.01, "%s, axis %d", name, k)
		}
	}
}

package line_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// A fold that fades out within a sheet, so that one comes round its end from one side to the other, has a line for as long as it
// bends by more than the crease angle, on coarse meshes and fine ones; below that, and where nothing is folded, there is none.
func TestAFoldThatFadesOutHasALine(t *testing.T) {
	for _, n := range []int{16, 40, 200} {
		sc := folding(t, n, 80, nil)
		view := sc.Stage.Camera.View(400, 400)
		vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
		require.NoError(t, err)
		chains := line.Edges{Crease: true, Angle: 30}.Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, func(int32) bool { return true })
		require.Len(t, chains, 1, "%d", n)
		top, low := float32(400), float32(0)
		for _, p := range chains[0] {
			assert.InDelta(t, 200, p.X, 1.5, "%d: along the fold", n)
			top, low = min(top, p.Y), max(low, p.Y)
		}
		// It bends by 30 degrees where fade is 3/8, at y = 0.2.
		_, py, _ := view.Project(view.Camera(vec.V{0, 0.2, 0}))
		_, end, _ := view.Project(view.Camera(vec.V{0, -1, 0}))
		assert.InDelta(t, py, top, 400.0/float64(n)+3, "%d", n)
		assert.InDelta(t, end, low, 2, "%d", n)
		assert.Zero(t, cover(t, folding(t, n, 40, nil), 200, line.Edges{Crease: true, Angle: 45}), "%d: it bends by less", n)
	}
	// One that is hardly longer than a line is wide has none.
	dent := mesh.Grid("sheet", 60, 60, func(u, v float64) vec.V {
		x, y := 2*u-1, 2*v-1
		return vec.V{float32(x), float32(y), float32(0.05 * math.Max(0, 1-60*(x*x+y*y)) * (1 - math.Abs(x)*8))}
	})
	assert.Less(t, cover(t, stagetest.Of(t, dent), 300, line.Edges{Crease: true, Angle: 20}), cover(t, folding(t, 60, 80, nil), 300, line.Edges{Crease: true, Angle: 20})/5)
	// A file whose normals go over its edges smoothly has few polygons, and no folds; one whose normals jump has them.
	bent := func(_, mid vec.V) vec.V {
		if mid[0] < 0 {
			return vec.V{-0.5, 0, 1}.Unit()
		}
		return vec.V{0.5, 0, 1}.Unit()
	}
	edges := line.Edges{Crease: true, Angle: 30}
	assert.Zero(t, cover(t, folding(t, 16, 80, func(at, _ vec.V) vec.V { return vec.V{at[0] / 2, 0, 1}.Unit() }), 300, edges))
	assert.Positive(t, cover(t, folding(t, 16, 80, bent), 300, edges))
}

// folding is a sheet of n × n faces, folded along its middle by so many degrees at its lower end and ever less upward; normal, if it is
// not nil, gives the normal of the file at a corner of a face whose middle is given.
func folding(t *testing.T, n int, most float64, normal func(at, mid vec.V) vec.V) *stage.Scene {
	m := mesh.Grid("sheet", n, n, func(u, v float64) vec.V {
		x, y := 2*u-1, 2*v-1
		fade := math.Max(0, 0.5-y/1.6) // 1 at the lower end, 0.5 in the middle, 0 at 0.8
		return vec.V{float32(x), float32(y), float32(-math.Abs(x) * math.Tan(most/2*math.Pi/180*fade))}
	})
	for i := range m.FaceEnd {
		if normal == nil {
			break
		}
		f := m.Face(i)
		var mid vec.V
		for _, c := range f {
			mid = mid.Add(m.Positions[c.Pos].Mul(1 / float32(len(f))))
		}
		for k := range f {
			m.Normals = append(m.Normals, normal(m.Positions[f[k].Pos], mid))
			f[k].Normal = int32(len(m.Normals) - 1)
		}
	}
	st := stage.New()
	st.Camera = stage.Camera{Distance: 6, Angle: 25}
	return stagetest.With(t, &st, m)
}

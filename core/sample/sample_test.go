package sample_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

var middle = [2]float32{0.5, 0.5}

func draw(t *testing.T, sc *stage.Scene, view stage.View, at [2]float32, workers int) *sample.Visibility {
	t.Helper()
	vis, err := sample.NewProjector(sc.Geometry, view, workers).Draw(context.Background(), at, workers)
	require.NoError(t, err)
	return vis
}

func TestASphereCoversItsDisc(t *testing.T) {
	for _, ortho := range []bool{false, true} {
		sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
		c := sc.Stage.Camera
		c.Ortho = ortho
		view := c.View(300, 300)
		vis := draw(t, sc, view, middle, 2)
		// Seen from distance d a sphere of radius 1 fills the cone of sine 1/d.
		r := float64(view.Scale)
		if !ortho {
			d := float64(c.Distance)
			r *= 1 / math.Sqrt(d*d-1)
		}
		covered := 0
		for i, tri := range vis.Tri {
			dx, dy := float64(i%300)+0.5-150, float64(i/300)+0.5-150
			in := math.Hypot(dx, dy) < r
			if tri >= 0 {
				covered++
			}
			if math.Abs(math.Hypot(dx, dy)-r) > 1 {
				require.Equal(t, in, tri >= 0, "pixel %d", i)
			}
		}
		assert.InEpsilon(t, math.Pi*r*r, covered, 0.005)
	}
}

func TestEverySampleIsOnTheSphereAndItsNormalPointsOut(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
	view := sc.Stage.Camera.View(200, 200)
	set := sample.Seen(draw(t, sc, view, [2]float32{0.25, 0.75}, 1), sc, view, 1, []int{0}, nil)[0]
	set.Resolve(sample.Pos|sample.Normal|sample.Eye, 2)
	for i := range set.N {
		p := vec.V{set.Pos[0][i], set.Pos[1][i], set.Pos[2][i]}
		n := vec.V{set.Norm[0][i], set.Norm[1][i], set.Norm[2][i]}
		require.InDelta(t, 1, p.Len(), 1e-3)
		require.Greater(t, p.Unit().Dot(n), float32(0.9999))
		x, y, _ := view.Project(view.Camera(p))
		require.InDelta(t, float64(set.Pixels().Pixel[i]%200)+0.25, x, 0.02, "the sample lies where its pixel looks")
		require.InDelta(t, float64(set.Pixels().Pixel[i]/200)+0.75, y, 0.02)
		e := vec.V{set.Eye[0][i], set.Eye[1][i], set.Eye[2][i]}
		require.InDelta(t, 1, view.Eye.Sub(p).Unit().Dot(e), 1e-5)
	}
}

func TestSharedEdgesHaveNoHolesAndNoDoubles(t *testing.T) {
	// A fan of thin triangles that fills the view: every pixel is seen once.
	m := mesh.Grid("sheet", 37, 23, func(u, v float64) vec.V {
		return vec.V{float32(6*u - 3), float32(6*v - 3), float32(0.2 * math.Sin(9*u) * math.Cos(7*v))}
	})
	sc := stagetest.Of(t, m)
	c := sc.Stage.Camera
	c.Distance = 2.5
	for k := range 8 {
		at := [2]float32{float32(k) / 8, float32(k*3%8) / 8}
		for i, tri := range draw(t, sc, c.View(160, 160), at, 2).Tri {
			require.GreaterOrEqual(t, tri, int32(0), "a hole at pixel %d", i)
		}
	}
}

func TestTrianglesAreCutAtTheEye(t *testing.T) {
	// A floor that runs from far ahead to behind the camera.
	floor := mesh.Grid("floor", 1, 1, func(u, v float64) vec.V { return vec.V{float32(2000*u - 1000), -1, float32(1000 - 2000*v)} })
	sc := stagetest.Of(t, floor)
	view := stage.Camera{Distance: 1, Angle: 60, Target: vec.V{0, 0, 0}}.View(100, 100)
	vis := draw(t, sc, view, middle, 1)
	for y := range 100 {
		for x := range 100 {
			below := y > 52 // the horizon is at the middle
			if y < 49 || below {
				require.Equal(t, below, vis.Tri[y*100+x] >= 0, "%d, %d", x, y)
			}
		}
	}
}

func TestTheNearestIsSeen(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 1, 1})
	m.Join(mesh.Cuboid(vec.V{4, 4, 0.1}), vec.Place(vec.V{0, 0, -2}, vec.V{}, 1))
	sc := stagetest.Of(t, m)
	view := sc.Stage.Camera.View(64, 64)
	vis := draw(t, sc, view, middle, 1)
	assert.EqualValues(t, 0, sc.TriPart[vis.Tri[32*64+32]])
	n, place, _, ok := sample.NormalAt(vis, sc, view, 32, 32)
	require.True(t, ok)
	assert.InDelta(t, 1, n[2], 1e-5)
	assert.InDelta(t, 0.5, place[2], 1e-5)
	_, _, _, ok = sample.NormalAt(vis, sc, view, -1, 5)
	assert.False(t, ok)
}

func TestDrawingIsTheSameOnAnyNumberOfCores(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48), mesh.Cuboid(vec.V{1, 1, 1}))
	view := sc.Stage.Camera.View(200, 130)
	one := draw(t, sc, view, middle, 1)
	for range 3 {
		assert.Equal(t, one, draw(t, sc, view, middle, 4))
	}
}

func TestDrawStopsWhenAsked(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 64, 32))
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := sample.NewProjector(sc.Geometry, sc.Stage.Camera.View(100, 100), 1).Draw(ctx, middle, 1)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestSelectSortsByGroupAndKeeps(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 32, 16), mesh.Cuboid(vec.V{4, 0.2, 0.2}))
	view := sc.Stage.Camera.View(80, 80)
	vis := draw(t, sc, view, middle, 1)
	both := sample.Seen(vis, sc, view, 2, []int{0, 1}, nil)
	only := sample.Seen(vis, sc, view, 1, []int{-1, 0}, func(p int32) bool { return p%2 == 0 })
	for _, part := range both[1].PartOf {
		assert.EqualValues(t, 1, part)
	}
	assert.Positive(t, both[0].N)
	assert.Positive(t, only[0].N)
	assert.Less(t, only[0].N, both[1].N)
}

// A floor that runs behind the eye is seen where rays meet it, also from places beside the
// middle of the pixel: what is cut is looked at there too.
func TestWhatIsCutIsLookedAtFromWhereItIs(t *testing.T) {
	floor := &mesh.Mesh{Positions: []vec.V{{-3, 0, 40}, {5, 0, 40}, {2, 0, -30}, {-4, 0, -30}}}
	floor.AddPart("floor", color.C{})
	c := func(i int32) mesh.Corner { return mesh.Corner{Pos: i, UV: -1, Normal: -1} }
	floor.AddFace(0, c(0), c(1), c(2), c(3))
	sc := stagetest.Of(t, floor)
	sc.Stage.Camera = stage.Camera{Target: vec.V{0, 1, 0}, Distance: 6, Angle: 50, Elevation: 4}
	const w, h = 64, 48
	view := sc.Stage.Camera.View(w, h)
	for _, at := range [][2]float32{{0.5, 0.5}, {0.0625, 0.9375}, {0.875, 0.125}} {
		vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), at, 1)
		require.NoError(t, err)
		off, seen := 0, 0
		for i, tri := range vis.Tri {
			o, d := view.Ray(float32(i%w)+at[0], float32(i/w)+at[1])
			met := false
			if d[1] < -1e-6 {
				p := o.Add(d.Mul(-o[1] / d[1]))
				// Between the sides, which run from z = 40 to -30.
				k := (40 - p[2]) / 70
				met = k >= 0 && k <= 1 && p[0] >= -3-k && p[0] <= 5-3*k
			}
			if met {
				seen++
			}
			if met != (tri >= 0) {
				off++
			}
		}
		assert.Greater(t, seen, 500)
		assert.LessOrEqual(t, off, 4, "at %v: but for those right on its border", at)
	}
}

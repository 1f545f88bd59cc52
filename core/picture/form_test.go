package picture_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/picture"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

const twoBands = `{"id":"light","kind":"Diffuse light","in":{"normal":"soft.normal"}},
	{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"},"set":{"stops":[{"at":0,"color":"#000000"},{"at":0.5,"color":"#FFFFFF"}]}},
	{"id":"end","kind":"Finish","in":{"colour":"bands.colour"}}`

// bandEdges returns, row by row, where two bands meet within a stretch that two pictures show
// in full.
func bandEdges(t *testing.T, m *mesh.Mesh, soft string, perspective bool) (edges [][]float64, rims [][2]int) {
	return bandEdgesOf(t, stagetest.Of(t, m), soft, perspective)
}

func bandEdgesOf(t *testing.T, sc *stage.Scene, soft string, perspective bool) (edges [][]float64, rims [][2]int) {
	sc.Stage.Camera.Ortho = !perspective
	sc.Stage.Lights[0].Azimuth, sc.Stage.Lights[0].Elevation = -50, 35
	sc = stagetest.Again(t, sc)
	const w, h = 960, 600
	render(t, picture.NewRenderer(2), job(sc, look(t, soft+twoBands), w, h, 1), func(res *picture.Result) {
		for y := range h {
			var found []float64
			rim := [2]int{w, -1}
			for x := range w {
				c := res.Film.At(y*w + x)
				if c[3] < 1 {
					continue
				}
				rim[0], rim[1] = min(rim[0], x), x
				if before := res.Film.At(y*w + max(0, x-1)); before[3] == 1 && (before[0] > 0.5) != (c[0] > 0.5) {
					found = append(found, float64(x))
				}
			}
			edges, rims = append(edges, found), append(rims, rim)
		}
	})
	return edges, rims
}

// The edge of a hard band on a ball of two hundred triangles lies where it lies on the ball
// itself, once its normals are those of the ball that fits it.
func TestSoftFormOnACoarseBall(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	rough := mesh.Sphere(1, 10, 11)
	require.Equal(t, 200, rough.Triangles())
	for _, perspective := range []bool{false, true} {
		want, rims := bandEdges(t, mesh.Sphere(1, 512, 256), `{"id":"soft","kind":"Bump"},`, perspective)
		worst := func(soft string) float64 {
			got, inner := bandEdges(t, rough, soft, perspective)
			off, rows := 0.0, 0
			for y := range want {
				for _, x := range want[y] {
					// Not where the rim of either is, nor where the edge runs along the row.
					if x < float64(max(rims[y][0], inner[y][0])+3) || x > float64(min(rims[y][1], inner[y][1])-3) || y < 2 || len(want[y-2]) != 1 || len(want[y]) != 1 || math.Abs(want[y-2][0]-x) > 4 {
						continue
					}
					best := math.Inf(1)
					for _, z := range got[y] {
						best = min(best, math.Abs(z-x))
					}
					off, rows = max(off, best), rows+1
				}
			}
			require.Greater(t, rows, 100)
			return off
		}
		assert.LessOrEqual(t, worst(`{"id":"soft","kind":"Soft form","set":{"form":"ball"}},`), 1.5)
		assert.Greater(t, worst(`{"id":"soft","kind":"Soft form","in":{"amount":0},"set":{"form":"ball"}},`), 4.0)
	}
}

// A box stays a box at amount 0, to the bit, and rounds off at 1.
func TestSoftFormOnABox(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1.2, 1}))
	sc.Stage.Camera.Azimuth, sc.Stage.Camera.Elevation, sc.Stage.Lights[0].Azimuth = 30, 20, -40
	sc = stagetest.Again(t, sc)
	pix := func(soft string) []byte {
		out := make([]byte, 4*240*150)
		render(t, picture.NewRenderer(2), job(sc, look(t, soft+twoBands), 240, 150, 4), func(res *picture.Result) { res.RGBA(out, res.Bounds()) })
		return out
	}
	plain := pix(`{"id":"soft","kind":"Bump"},`)
	for _, form := range []string{"smooth", "ball", "egg", "capsule", "plane"} {
		assert.Equal(t, plain, pix(`{"id":"soft","kind":"Soft form","in":{"amount":0},"set":{"form":"`+form+`"}},`), form)
		assert.NotEqual(t, plain, pix(`{"id":"soft","kind":"Soft form","set":{"form":"`+form+`","radius":0.2}},`), form)
	}
}

// Curvature in a picture: the edges of a box are marked on both their sides, as wide as the
// radius says, and its sides are dark.
func TestCurvatureInAPicture(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{2, 2, 2}))
	sc.Stage.Camera.Ortho, sc.Stage.Camera.Azimuth, sc.Stage.Camera.Elevation = true, 0, 0
	net := look(t, `{"id":"bend","kind":"Curvature","set":{"radius":0.05}},{"id":"end","kind":"Finish","in":{"colour":"bend.convex"}}`)
	const w, h = 400, 400
	view := sc.Stage.Camera.View(w, h)
	r := 0.05 * 2 * math.Sqrt(3)
	render(t, picture.NewRenderer(2), job(sc, net, w, h, 1), func(res *picture.Result) {
		seen := 0
		for x := range w {
			c := res.Film.At(h/2*w + x)
			if c[3] < 1 {
				continue
			}
			o, _ := view.Ray(float32(x)+0.5, h/2+0.5)
			d := (1 - math.Abs(float64(o[0]))) / r
			want := 0.0
			if d < 1 {
				want = 0.8 * math.Pow(1-d*d, 2.5)
			}
			assert.InDelta(t, want, float64(c[0]), 0.01, "%v radii from the edge", d)
			seen++
		}
		assert.Greater(t, seen, 100)
	})
}

// Drawn smooth, a ball of 196 triangles has its band edge where the ball itself has it: within a pixel of it in every row, which
// is as near as rows of whole pixels tell, and few pixels of its fill and its bands are other ones.
func TestACoarseBallDrawnSmoothIsTheBall(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, perspective := range []bool{false, true} {
		want, rims := bandEdges(t, mesh.Sphere(1, 512, 256), `{"id":"soft","kind":"Bump"},`, perspective)
		got, inner := bandEdgesOf(t, stagetest.Formed(t, mesh.Form{Smooth: true, Creases: mesh.None}, mesh.Sphere(1, 14, 8)), `{"id":"soft","kind":"Bump"},`, perspective)
		rows, wrong := 0, 0.0
		for y := range want {
			if rims[y][1] < 0 || inner[y][1] < 0 {
				continue
			}
			assert.InDelta(t, rims[y][0], inner[y][0], 6, "row %d: its outline", y)
			assert.InDelta(t, rims[y][1], inner[y][1], 6, "row %d: its outline", y)
			if len(want[y]) != 1 || len(got[y]) != 1 || want[y][0] < float64(rims[y][0]+8) || want[y][0] > float64(rims[y][1]-8) {
				continue
			}
			wrong += math.Abs(want[y][0] - got[y][0])
			rows++
			if y >= 2 && len(want[y-2]) == 1 && math.Abs(want[y-2][0]-want[y][0]) <= 4 { // where the edge does not run along the row
				assert.InDelta(t, want[y][0], got[y][0], 1, "row %d", y)
			}
		}
		require.Greater(t, rows, 100)
		assert.LessOrEqual(t, wrong, 60.0, "pixels in the wrong band")
	}
}

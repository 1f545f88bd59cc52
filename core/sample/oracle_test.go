package sample_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// slow says what is seen through each pixel, the plain way: every triangle is tried there,
// in whole numbers of 1/256 pixel. A place on an edge belongs to the triangle on whose
// right, or under which, it lies; of triangles that are equally near the first one counts.
func slow(sc *stage.Scene, view stage.View, at [2]float32) []int32 {
	snap := func(v float32) int64 { return int64(math.Floor(float64(v)*256 + 0.5)) }
	out := make([]int32, view.W*view.H)
	best := make([]float64, len(out))
	jx, jy := snap(at[0]), snap(at[1])
	for i := range out {
		out[i], best[i] = -1, math.Inf(-1)
	}
	for t, tri := range sc.Tri {
		var x, y [3]int64
		var near [3]float64
		for k, v := range tri {
			px, py, n := view.Project(view.Camera(sc.Pos[v]))
			x[k], y[k], near[k] = snap(px)-jx, snap(py)-jy, float64(n)
		}
		area := (x[1]-x[0])*(y[2]-y[0]) - (y[1]-y[0])*(x[2]-x[0])
		if area == 0 {
			continue
		}
		if area < 0 {
			x[1], x[2], y[1], y[2], near[1], near[2] = x[2], x[1], y[2], y[1], near[2], near[1]
			area = -area
		}
		for p := range out {
			sx, sy := int64(p%view.W)*256, int64(p/view.W)*256
			in, depth := true, 0.0
			for k := range 3 {
				a, b := (k+1)%3, (k+2)%3
				ex, ey := x[b]-x[a], y[b]-y[a]
				side := ex*(sy-y[a]) - ey*(sx-x[a])
				if side < 0 || side == 0 && !(ey > 0 || ey == 0 && ex > 0) {
					in = false
					break
				}
				depth += float64(side) / float64(area) * near[k]
			}
			if in && depth > best[p]+1e-7 {
				out[p], best[p] = int32(t), depth
			}
		}
	}
	return out
}

func TestDrawingAgreesWithThePlainWay(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for round := range 24 {
		// Triangles whose corners fall on whole pixels, halves and quarters, so that many places lie
		// right on edges and corners; and the sheets share their edges.
		m := mesh.Grid("sheet", 5, 4, func(u, v float64) vec.V {
			q := func(s float64) float32 { return float32(math.Round(s*16) / 16) }
			return vec.V{q(4*u - 2 + 0.3*r.Float64()), q(4*v - 2 + 0.3*r.Float64()), q(r.Float64() - 0.5)}
		})
		for range 6 {
			p := m.Positions
			for k := range 3 {
				_ = k
				m.Positions = append(m.Positions, vec.V{float32(r.IntN(64)-32) / 16, float32(r.IntN(64)-32) / 16, float32(r.IntN(8)) / 8})
			}
			n := int32(len(p))
			m.AddFace(0, mesh.Corner{Pos: n, Normal: -1, UV: -1}, mesh.Corner{Pos: n + 1, Normal: -1, UV: -1}, mesh.Corner{Pos: n + 2, Normal: -1, UV: -1})
		}
		sc := stagetest.Of(t, m)
		view := stage.Camera{Distance: 4, Angle: float32(2 * math.Atan(0.5) * 180 / math.Pi), Ortho: round%2 == 0}.View(32, 32) // orthographic: 8 pixels to the unit
		at := [][2]float32{{0, 0}, {0.5, 0.5}, {0.25, 0.75}}[round%3]
		want := slow(sc, view, at)
		got := draw(t, sc, view, at, 1).Tri
		differ := 0
		for p := range want {
			if want[p] != got[p] {
				differ++
				if want[p] >= 0 && got[p] >= 0 {
					continue // two that are equally near, but for rounding
				}
				t.Fatalf("round %d, pixel %d: %d, not %d", round, p, got[p], want[p])
			}
		}
		require.LessOrEqual(t, differ, 4)
	}
}

// Of two triangles in one place the first is seen, from anywhere.
func TestTheFirstOfEqualsIsSeen(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 1, 1})
	faces := len(m.FaceEnd)
	m.Join(mesh.Cuboid(vec.V{1, 1, 1}), vec.Place(vec.V{}, vec.V{}, 1))
	sc := stagetest.Of(t, m)
	view := sc.Stage.Camera.View(50, 50)
	for _, tri := range draw(t, sc, view, middle, 2).Tri {
		require.Less(t, int(tri), 2*faces)
	}
}

// Flat normals are turned to the side that is seen, as smooth ones are.
func TestNormalsLookAtTheEye(t *testing.T) {
	for _, turned := range []bool{false, true} {
		m := mesh.Sphere(1, 32, 16)
		if turned { // inside out
			from := int32(0)
			for _, end := range m.FaceEnd {
				for i, j := from, end-1; i < j; i, j = i+1, j-1 {
					m.Corners[i], m.Corners[j] = m.Corners[j], m.Corners[i]
				}
				from = end
			}
			for i := range m.Normals {
				m.Normals[i] = m.Normals[i].Mul(-1)
			}
		}
		sc := stagetest.Of(t, m)
		view := sc.Stage.Camera.View(60, 60)
		p := seenAll(t, sc, view)
		p.Resolve(all, 1)
		for i := range p.N {
			require.Greater(t, at(&p.Flat, i).Dot(at(&p.Eye, i)), float32(0), "flat")
			require.Greater(t, at(&p.Flat, i).Dot(at(&p.Norm, i)), float32(0.5), "smooth, on the same side")
			require.InDelta(t, 1, at(&p.Flat, i).Len(), 1e-5)
			require.Equal(t, turned, p.Back[i])
		}
	}
}

func seenAll(t *testing.T, sc *stage.Scene, view stage.View) *sample.Points {
	t.Helper()
	return sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, make([]int, len(sc.Parts)), nil)[0]
}

// A triangle that goes far beyond what is not cut covers all of the picture, with perspective and without, from either side.
func TestWhatIsLargeBeyondMeasureIsCut(t *testing.T) {
	for _, ortho := range []bool{false, true} {
		for _, size := range []float32{1e3, 1e5, 1e6} {
			for _, turn := range []float32{0, 180} {
				m := mesh.Grid("ground", 1, 1, func(u, v float64) vec.V { return vec.V{size * float32(2*u-1), size * float32(2*v-1), 0} })
				view := stage.Camera{Distance: 0.5, Angle: 30, Azimuth: float64(turn), Ortho: ortho}.View(24, 16)
				vis, err := sample.NewProjector(stagetest.Of(t, m).Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
				require.NoError(t, err)
				for i, tri := range vis.Tri {
					require.GreaterOrEqual(t, tri, int32(0), "pixel %d, orthographic %v, size %v", i, ortho, size)
				}
			}
		}
	}
}

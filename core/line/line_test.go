package line_test

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// cover returns how many pixels of a w × w picture the lines take.
func cover(t *testing.T, sc *stage.Scene, w int, edges line.Edges) float64 {
	t.Helper()
	view := sc.Stage.Camera.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
	require.NoError(t, err)
	s := line.NewSheet(w, w)
	var strokes []line.Stroke
	for _, c := range edges.Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, func(int32) bool { return true }) {
		strokes = append(strokes, line.Stroke{Chain: c, Ink: slices.Repeat([]line.Ink{{Width: 10, Opacity: 1}}, len(c))})
	}
	s.Add([][]line.Stroke{strokes}, 2)
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
	none := cover(t, seen(cube), 400, line.Edges{})
	assert.Zero(t, none)
	outer := cover(t, seen(cube), 400, line.Edges{Outer: true})
	assert.Positive(t, outer)
	crease := cover(t, seen(cube), 400, line.Edges{Crease: true, Angle: 30})
	assert.Positive(t, crease)
	assert.Less(t, crease, outer, "three edges inside against six around")
	assert.Zero(t, cover(t, seen(cube), 400, line.Edges{Crease: true, Angle: 91}))
	assert.Zero(t, cover(t, seen(mesh.Sphere(1, 128, 64)), 400, line.Edges{Crease: true, Angle: 30}), "a round form has no creases")
	assert.Zero(t, cover(t, seen(cube), 400, line.Edges{Parts: true}))
	assert.Positive(t, cover(t, seen(two), 400, line.Edges{Parts: true}))
	assert.Zero(t, cover(t, seen(cube), 400, line.Edges{Depth: true, Jump: 0.02}), "a slope is no jump")
	ring := seen(mesh.Torus(1, 0.4, 128, 64))
	ring.Stage.Camera.Elevation = 10
	ring.Stage.Camera = ring.Stage.Camera.Frame(ring.Box, 1)
	assert.Positive(t, cover(t, ring, 400, line.Edges{Depth: true, Jump: 0.02}), "one side of a ring stands before the other")
}

func TestLinesScaleWithThePicture(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
	small, large := cover(t, sc, 200, line.Edges{Outer: true}), cover(t, sc, 800, line.Edges{Outer: true})
	assert.InEpsilon(t, 16, large/small, 0.05, "the same share of the picture at four times the size")
}

func find(t *testing.T, sc *stage.Scene, w int, rule line.Rule) []line.Chain {
	t.Helper()
	view := sc.Stage.Camera.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
	require.NoError(t, err)
	all := func(int32) bool { return true }
	chains := rule.Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, all)
	require.Equal(t, chains, rule.Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 1}, all), "on any number of cores")
	return chains
}

// The contour of a ball is one ring, of the ring of a torus two; of a cube one, and its
// creases are three strokes from the corner in front.
func TestPlacesAreLinkedIntoChains(t *testing.T) {
	ball := stagetest.Of(t, mesh.Sphere(1, 256, 128))
	rings := find(t, ball, 300, line.Edges{Outer: true})
	require.Len(t, rings, 1)
	closed := func(c line.Chain) bool {
		a, b := c[0], c[len(c)-1]
		return (a.X-b.X)*(a.X-b.X)+(a.Y-b.Y)*(a.Y-b.Y) <= 1.01
	}
	assert.True(t, closed(rings[0]))
	seen := map[line.Place]bool{}
	for i, p := range rings[0] {
		require.False(t, seen[p], "no place twice")
		seen[p] = true
		if i > 0 {
			q := rings[0][i-1]
			d := (p.X-q.X)*(p.X-q.X) + (p.Y-q.Y)*(p.Y-q.Y)
			require.LessOrEqual(t, d, float32(1.01), "each follows the one before it")
			require.GreaterOrEqual(t, d, float32(0.49))
		}
	}
	ring := stagetest.Of(t, mesh.Torus(1, 0.4, 128, 64))
	ring.Stage.Camera.Azimuth, ring.Stage.Camera.Elevation = 0, 90
	assert.Len(t, find(t, ring, 300, line.Edges{Outer: true}), 2)
	cube := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	cube.Stage.Camera.Azimuth, cube.Stage.Camera.Elevation = 30, 25
	strokes := find(t, cube, 300, line.Edges{Crease: true, Angle: 30})
	long := 0
	for _, c := range strokes {
		if len(c) > 20 {
			long++
		}
	}
	assert.Equal(t, 3, long)
	assert.LessOrEqual(t, len(strokes), 6, "and a few stubs where they meet")
	assert.Empty(t, line.Link(nil, 10, 10))
}

// Edges belong to the surface in front: the lines of what lies behind stop at it.
func TestTheNearerSurfaceHasTheEdge(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 1, 1})
	m.Join(mesh.Cuboid(vec.V{4, 4, 0.1}), vec.Place(vec.V{0, 0, -2}, vec.V{}, 1))
	sc := stagetest.Of(t, m)
	view := sc.Stage.Camera.View(200, 200)
	vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
	require.NoError(t, err)
	between := func(part int32) (n int) {
		for _, c := range (line.Edges{Parts: true}).Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 1}, func(p int32) bool { return p == part }) {
			for _, at := range c {
				assert.Equal(t, part, sc.TriPart[vis.Tri[at.Pixel]])
				n++
			}
		}
		return n
	}
	assert.Greater(t, between(0), 100)
	assert.Zero(t, between(1))
}

// stroke is a straight line of places down a column.
func stroke(x float32, h int, ink line.Ink) line.Stroke {
	var s line.Stroke
	for y := range h {
		s.Chain = append(s.Chain, line.Place{X: x, Y: float32(y) + 0.5})
		s.Ink = append(s.Ink, ink)
	}
	return s
}

func TestInkIsDrawnAsWideAndAsOpaqueAsItSays(t *testing.T) {
	const w, h = 60, 100
	for _, width := range []float32{2, 5, 9.5} { // pixels
		s := line.NewSheet(w, h)
		s.Add([][]line.Stroke{{stroke(30, h, line.Ink{Color: color.C{1, 0.5, 0}, Width: width * 1000 / h, Opacity: 0.6})}}, 2)
		for _, y := range []int{20, 31, 32, 50, 64, 80} { // where bands meet, too
			var sum, most float32
			for x := range w {
				p := s.Pix[4*(y*w+x):]
				sum, most = sum+p[3], max(most, p[3])
				assert.InDelta(t, p[3]*0.5, p[1], 1e-6, "premultiplied")
			}
			assert.InDelta(t, width*0.6, sum, 0.12)
			assert.InDelta(t, 0.6, most, 1e-6)
		}
	}
	// Thinner than a pixel: paler, not broken.
	s := line.NewSheet(w, h)
	s.Add([][]line.Stroke{{stroke(30.5, h, line.Ink{Width: 0.4 * 1000 / h, Opacity: 1})}}, 1)
	assert.InDelta(t, 0.4, s.Pix[4*(50*w+30)+3], 1e-5)
	assert.Zero(t, line.NewSheet(w, h).Passes)
	assert.Equal(t, 1, s.Passes)
	s.Add([][]line.Stroke{{stroke(30.5, h, line.Ink{Width: 0, Opacity: 1}), stroke(10, h, line.Ink{Width: 9, Opacity: 0})}}, 1)
	assert.InDelta(t, 0.4, s.Pix[4*(50*w+30)+3], 1e-5, "no width and no opacity are no ink")
	assert.Zero(t, s.Pix[4*(50*w+10)+3])
}

func TestLaterLayersLieOnTop(t *testing.T) {
	const w, h = 20, 40
	s := line.NewSheet(w, h)
	red, blue := line.Ink{Color: color.C{1, 0, 0}, Width: 8000 / h, Opacity: 1}, line.Ink{Color: color.C{0, 0, 1}, Width: 4000 / h, Opacity: 0.5}
	s.Add([][]line.Stroke{{stroke(10, h, red)}, {stroke(10, h, blue)}}, 1)
	p := s.Pix[4*(20*w+10):]
	assert.InDelta(t, 0.5, p[0], 1e-6)
	assert.InDelta(t, 0.5, p[2], 1e-6)
	assert.InDelta(t, 1, p[3], 1e-6)
	assert.InDelta(t, 1, s.Pix[4*(20*w+7)], 1e-6, "beside it the lower one is as it was")
}

// slowJump says whether the surface jumps between two pixels beside each other, from the
// depths themselves: what the plane through a pixel and the one before it leads to is not
// what is there, seen from either side.
func slowJump(depth func(x, y int) float64, x, y, dx, dy int, least float64) bool {
	d := func(k int) float64 { return depth(x+k*dx, y+k*dy) }
	lead := func(a, back float64) float64 {
		if math.IsInf(back, 0) {
			return a
		}
		return 1 / (2/a - 1/back) // nearness is linear over the picture
	}
	return math.Abs(lead(d(0), d(-1))-d(1)) >= least && math.Abs(lead(d(1), d(2))-d(0)) >= least && math.Abs(d(0)-d(1)) >= least*0.999
}

func TestJumpsAreWhereDepthJumps(t *testing.T) {
	// Plates behind each other at growing distances, of which each hides a part of the next.
	m := mesh.Cuboid(vec.V{0.8, 1.2, 0.02})
	for k := 1; k < 7; k++ {
		m.Join(mesh.Cuboid(vec.V{0.8, 1.2, 0.02}), vec.Place(vec.V{0.35 * float32(k), 0.05 * float32(k), -0.03 * float32(k*k)}, vec.V{}, 1))
	}
	for f := range m.FacePart {
		m.FacePart[f] = 0
	}
	m.Parts = m.Parts[:1]
	sc := stagetest.Of(t, m)
	sc.Stage.Camera.Azimuth, sc.Stage.Camera.Elevation = -15, 10
	sc = stagetest.Again(t, sc)
	const w = 160
	view := sc.Stage.Camera.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	depth := func(x, y int) float64 {
		if x < 0 || y < 0 || x >= w || y >= w || vis.Tri[y*w+x] < 0 {
			return math.Inf(1)
		}
		return 1 / float64(vis.Near[y*w+x])
	}
	for _, jump := range []float64{0.01, 0.03, 0.1} {
		at := map[[2]float32]bool{}
		for _, c := range (line.Edges{Depth: true, Jump: jump}).Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, func(int32) bool { return true }) {
			for _, p := range c {
				x, y := p.Border(w)
				at[[2]float32{x, y}] = true
			}
		}
		found, differ := 0, 0
		for y := range w {
			for x := range w {
				for _, d := range [2][2]int{{1, 0}, {0, 1}} {
					if math.IsInf(depth(x, y), 0) || math.IsInf(depth(x+d[0], y+d[1]), 0) || vis.Tri[y*w+x] == vis.Tri[(y+d[1])*w+x+d[0]] { // a triangle does not jump
						continue
					}
					want := slowJump(depth, x, y, d[0], d[1], jump*float64(sc.Size))
					got := at[[2]float32{float32(x) + 0.5 + float32(d[0])/2, float32(y) + 0.5 + float32(d[1])/2}] // between their middles
					if want {
						found++
					}
					if want != got {
						differ++
					}
				}
			}
		}
		require.Greater(t, found, 60, "jump %v", jump)
		require.LessOrEqual(t, differ, 1+found/100, "jump %v: but for rounding", jump)
	}
}

// Lines wider than the strips that are drawn at once, and lines at the rims of the picture,
// have all their pixels.
func TestWideInkAndInkAtTheRim(t *testing.T) {
	const w, h = 120, 150
	dot := func(x, y, width float32) line.Stroke {
		return line.Stroke{Chain: line.Chain{{X: x, Y: y}}, Ink: []line.Ink{{Color: color.C{1, 1, 1}, Width: width * 1000 / h, Opacity: 1}}}
	}
	for _, c := range [][3]float32{{60, 75, 90}, {60, 33, 70}, {2, 3, 20}, {118, 147, 20}, {60, 64, 8}, {-3, 75, 20}, {60, 31.5, 2}, {60, 32, 130}} {
		s := line.NewSheet(w, h)
		s.Add([][]line.Stroke{{dot(c[0], c[1], c[2])}}, 2)
		r := float64(min(c[2]/2, 100))
		for y := range h {
			for x := range w {
				far := math.Hypot(float64(x)+0.5-float64(c[0]), float64(y)+0.5-float64(c[1]))
				want := max(0, min(1, r+0.5-far))
				require.InDelta(t, want, s.Pix[4*(y*w+x)+3], 2e-3, "disc %v at %d, %d", c, x, y)
			}
		}
	}
}

// Where two parts meet along a cut neither lies before the other: one of them has the whole line, not both in turn from pixel to
// pixel. Where one lies a little before the other it has it.
func TestALineAlongACutIsOfOnePart(t *testing.T) {
	side := func(name string, turn float64, off float32) *mesh.Mesh {
		m := mesh.Grid(name, 3, 7, func(u, v float64) vec.V {
			s, c := math.Sincos(turn * math.Pi / 180)
			return vec.V{float32(c * u), float32(2*v - 1), float32(s*u) + off}
		})
		return m
	}
	for _, bend := range []float64{-50, -20, 20, 50} {
		for _, off := range []float32{0, 0.1} {
			for _, ortho := range []bool{false, true} {
				sc := stagetest.Of(t, side("left", 180-bend, 0), side("right", bend, off))
				for turn := range 4 {
					cam := stage.Camera{Azimuth: 3 * float64(turn), Elevation: 17, Distance: 5, Angle: 30, Ortho: ortho}
					view := cam.View(200, 200)
					vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
					require.NoError(t, err)
					var of [2]int
					for part := range of {
						for _, c := range (line.Edges{Outer: true, Parts: true}).Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 1}, func(p int32) bool { return p == int32(part) }) {
							for _, p := range c {
								x, y := int(p.X), int(p.Y)
								all := true // within, not at the rim
								for d := -4; d <= 4; d++ {
									all = all && vis.Tri[y*200+x+d] >= 0 && vis.Tri[(y+d)*200+x] >= 0
								}
								if all {
									of[part]++
								}
							}
						}
					}
					if off > 0 {
						assert.Greater(t, of[1], 9*of[0], "bent by %v, ortho %v, turned %d", bend, ortho, turn)
					} else {
						assert.Zero(t, min(of[0], of[1]), "bent by %v, ortho %v, turned %d: %v", bend, ortho, turn, of)
					}
					assert.Greater(t, of[0]+of[1], 40)
				}
			}
		}
	}
}

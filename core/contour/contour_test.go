package contour_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/contour"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

const pageW, pageH = 960, 900

// look finds the curves of some kinds as a camera sees them.
func look(t *testing.T, sc *stage.Scene, cam stage.Camera, kinds ...contour.Kind) ([]contour.Curve, stage.View) {
	view := cam.View(pageW, pageH)
	want := contour.Wanted{Bends: 35, Step: 2, Gap: 3, On: make([]bool, len(sc.Parts))}
	for _, k := range kinds {
		want.Of[k] = true
	}
	for i := range want.On {
		want.On[i] = true
	}
	curves, err := contour.Find(context.Background(), sc, trace.Of(sc.Geometry, nil, 2), &view, &want, 2)
	require.NoError(t, err)
	return curves, view
}

func length(curves []contour.Curve) (sum float64) {
	for _, c := range curves {
		for i := 1; i < len(c.Places); i++ {
			sum += math.Hypot(float64(c.Places[i].X-c.Places[i-1].X), float64(c.Places[i].Y-c.Places[i-1].Y))
		}
	}
	return sum
}

// The contour of a ball is one ring, and lies on the circle as which an eye sees the ball, however few
// triangles it has.
func TestABallHasOneRoundContour(t *testing.T) {
	for name, b := range map[string]*mesh.Mesh{"200 triangles": mesh.Sphere(1, 11, 10), "20,000 triangles": mesh.Sphere(1, 120, 84)} {
		for _, ortho := range []bool{false, true} {
			for _, elevation := range []float64{0, 7, 31, 89} {
				cam := stage.Camera{Azimuth: 13, Elevation: elevation, Distance: 4, Angle: 36, Ortho: ortho}
				curves, view := look(t, stagetest.Of(t, b), cam, contour.Contour, contour.Crease, contour.Border)
				require.Len(t, curves, 1, "%s, ortho %v, from %v°", name, ortho, elevation)
				assert.True(t, curves[0].Closed)
				radius := float64(view.Scale)
				if !ortho { // seen from d away it reaches as far as a cone about it
					radius /= math.Sqrt(4*4 - 1)
				}
				for _, p := range curves[0].Places {
					off := math.Hypot(float64(p.X-pageW/2), float64(p.Y-pageH/2)) - radius
					require.InDelta(t, 0, off, 0.5, "%s, ortho %v, from %v°, at %v, %v", name, ortho, elevation, p.X, p.Y)
				}
				assert.InDelta(t, 2*math.Pi*radius, length(curves), 0.005*radius)
			}
		}
	}
}

// placed is solids, each moved.
func placed(t *testing.T, at map[*mesh.Mesh]vec.V) *stage.Scene {
	m := &mesh.Mesh{}
	for solid, to := range at {
		m.Join(solid, vec.Place(to, vec.V{}, 1))
	}
	return stagetest.Of(t, m)
}

// A ball in front of a cube, seen straight on without perspective: the ball's circle whole, and of the cube's
// square what the circle leaves.
func TestWhatIsHiddenIsLeftOut(t *testing.T) {
	sc := placed(t, map[*mesh.Mesh]vec.V{mesh.Sphere(0.5, 96, 64): {0.7, 0, 2}, mesh.Cuboid(vec.V{1.6, 1.6, 1.6}): {}})
	cam := stage.Camera{Target: vec.V{}, Distance: 6, Angle: 30, Ortho: true}
	curves, view := look(t, sc, cam, contour.Contour, contour.Crease, contour.Border, contour.Crossing)
	scale := float64(view.Scale)
	var ball, cube []contour.Curve
	for _, c := range curves {
		if c.Closed {
			ball = append(ball, c)
		} else {
			cube = append(cube, c)
		}
	}
	require.Len(t, ball, 1)
	assert.InDelta(t, 2*math.Pi*0.5*scale, length(ball), 0.01*scale)
	// The circle about 0.7, 0 cuts the side at 0.8 from -√(0.5²-0.1²) on.
	hidden := 2 * math.Sqrt(0.25-0.01)
	assert.InDelta(t, (4*1.6-hidden)*scale, length(cube), 0.01*4*1.6*scale)
	for _, c := range cube {
		for _, p := range c.Places {
			assert.GreaterOrEqual(t, math.Hypot(float64(p.X-pageW/2)/scale-0.7, float64(p.Y-pageH/2)/scale), 0.5-0.005, "nothing behind the ball is drawn")
		}
	}
}

// A ring lying on its side, seen along its axis and from a little above without perspective. Along the axis: two
// circles. From above: of the inner contour what the tube in front leaves is the part beyond its cusps, so that
// nothing that the closed form hides is drawn.
func TestATorusIsDrawnAsItIsSeen(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.35, 160, 80))
	for _, elevation := range []float64{89.9, 25} {
		cam := stage.Camera{Elevation: elevation, Distance: 6, Angle: 30, Ortho: true}
		curves, view := look(t, sc, cam, contour.Contour)
		seen, all := torusContour(elevation*math.Pi/180, float64(view.Scale))
		assert.InDelta(t, seen, length(curves), 0.01*seen, "from %v°, of %v in all", elevation, all)
	}
}

// torusContour returns how long the visible contour of the torus of radii 1 and 0.35 is, and how long with what
// is hidden: by marching along it in fine steps, each seen if no other of a dense set of rays' roots lies before it.
func torusContour(elevation, scale float64) (seen, all float64) {
	const ring, tube = 1.0, 0.35
	sin, cos := math.Sincos(elevation)
	eye := [3]float64{0, sin, cos}
	at := func(u, v float64) [3]float64 {
		r := ring + tube*math.Cos(v)
		return [3]float64{r * math.Cos(u), tube * math.Sin(v), r * math.Sin(u)}
	}
	inside := func(p [3]float64) bool {
		d := math.Hypot(p[0], p[2]) - ring
		return d*d+p[1]*p[1] < tube*tube
	}
	// Across the tube at u the normal is cos u cos v, sin v, sin u cos v: it meets the eye squarely at two v.
	const n = 20000
	for side := range 2 {
		var last [2]float64
		for k := range n + 1 {
			u := 2 * math.Pi * float64(k) / n
			v := math.Atan2(-cos*math.Sin(u), sin) + math.Pi*float64(side)
			p := at(u, v)
			x, y := p[0], p[1]*cos-p[2]*sin
			if k > 0 {
				step := math.Hypot(x-last[0], y-last[1]) * scale
				all += step
				free := true
				for s := 0.004; s < 3.5 && free; s += 0.004 {
					q := [3]float64{p[0] + s*eye[0], p[1] + s*eye[1], p[2] + s*eye[2]}
					free = !inside(q)
				}
				if free {
					seen += step
				}
			}
			last = [2]float64{x, y}
		}
	}
	return seen, all
}

// Two cubes, one turned by 45° through the front of the other: of the square in which it goes through the two sides
// are seen that face the eye, each as long as it is from there.
func TestSurfacesThatCutThroughEachOtherMeetInALine(t *testing.T) {
	m := &mesh.Mesh{}
	m.Join(mesh.Cuboid(vec.V{2, 2, 2}), vec.Place(vec.V{}, vec.V{}, 1))
	m.Join(mesh.Cuboid(vec.V{1, 1, 1}), vec.Place(vec.V{0, 0, 1}, vec.V{0, 0, 45}, 1)) // half of it looks out in front
	sc := stagetest.Of(t, m)
	curves, view := look(t, sc, stage.Camera{Distance: 9, Angle: 30, Ortho: true, Azimuth: 20, Elevation: 40}, contour.Crossing)
	eye, want := vec.Direction(20, 40), 0.0
	for _, side := range []vec.V{{1, 1, 0}, {-1, 1, 0}, {1, -1, 0}, {-1, -1, 0}} {
		if side.Dot(eye) > 0 {
			along := vec.V{-side[1], side[0], 0}.Unit().Dot(eye)
			want += math.Sqrt(1 - float64(along*along))
		}
	}
	assert.InDelta(t, want, length(curves)/float64(view.Scale), 0.01)
	behind, _ := look(t, sc, stage.Camera{Distance: 9, Angle: 30, Ortho: true, Azimuth: 180}, contour.Crossing)
	assert.Empty(t, behind)
	one, _ := look(t, stagetest.Of(t, mesh.Sphere(1, 40, 30)), stage.Camera{Distance: 4, Angle: 30}, contour.Crossing, contour.Seam, contour.Border)
	assert.Empty(t, one)
}

// A sheet ends at its border on all sides, whichever side is seen.
func TestASheetEndsAtItsBorder(t *testing.T) {
	sheet := mesh.Grid("sheet", 8, 8, func(u, v float64) vec.V { return vec.V{float32(2*u - 1), float32(2*v - 1), 0} })
	for _, azimuth := range []float64{0, 180, 30, 210} {
		curves, view := look(t, stagetest.Of(t, sheet), stage.Camera{Distance: 6, Angle: 30, Ortho: true, Azimuth: azimuth}, contour.Border, contour.Contour, contour.Crease)
		assert.InDelta(t, 4+4*math.Abs(math.Cos(azimuth*math.Pi/180)), length(curves)/float64(view.Scale), 0.01, "from %v°", azimuth)
	}
}

// Of parts that are not asked for there are no lines; a context that has ended ends the search.
func TestOnlyWhatIsAskedForIsFound(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 40, 30))
	view := stage.Camera{Distance: 6, Angle: 30}.View(pageW, pageH)
	want := contour.Wanted{Step: 2, Gap: 3, On: []bool{false}}
	want.Of[contour.Contour] = true
	none, err := contour.Find(context.Background(), sc, trace.Of(sc.Geometry, nil, 2), &view, &want, 2)
	require.NoError(t, err)
	assert.Empty(t, none)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = contour.Find(ctx, sc, trace.Of(sc.Geometry, nil, 2), &view, &want, 2)
	assert.ErrorIs(t, err, context.Canceled)
}

// A bell that flares out, seen from a little above, would turn away from an eye that stood higher where it begins to flare. A
// ball has no such place.
func TestFormIsHintedAtWhereItBends(t *testing.T) {
	var profile []vec.V
	for k := range 61 {
		y := float64(k)/30 - 1
		profile = append(profile, vec.V{float32(0.55 - 0.3*math.Tanh(3*y)), float32(y), 0})
	}
	bell := stagetest.Of(t, mesh.Lathe("bell", profile, 120))
	curves, _ := look(t, bell, stage.Camera{Distance: 6, Angle: 30, Elevation: 5}, contour.Suggestive)
	assert.NotEmpty(t, curves)
	ball, _ := look(t, stagetest.Of(t, mesh.Sphere(1, 80, 60)), stage.Camera{Distance: 6, Angle: 30, Elevation: 35}, contour.Suggestive)
	assert.Empty(t, ball)
}

// While the eye goes round slowly lines neither flicker nor jump: their length changes little from frame to frame.
func TestLinesStayFromFrameToFrame(t *testing.T) {
	m := &mesh.Mesh{}
	m.Join(mesh.Torus(1, 0.35, 90, 40), vec.Place(vec.V{}, vec.V{20, 0, 30}, 1))
	m.Join(mesh.Sphere(0.6, 48, 32), vec.Place(vec.V{0.3, 0.2, 0.9}, vec.V{}, 1))
	sc := stagetest.Of(t, m)
	last := 0.0
	for k := range 24 {
		curves, _ := look(t, sc, stage.Camera{Distance: 6, Angle: 30, Azimuth: 20 + 0.5*float64(k), Elevation: 25}, contour.Contour, contour.Crease, contour.Border, contour.Crossing)
		now := length(curves)
		if k > 0 {
			assert.InDelta(t, last, now, 0.02*now, "frame %d", k)
		}
		last = now
	}
}

// Models that are no surface at all give lines or none, and never what is no number.
func TestNothingIsTooOddToBeLookedAt(t *testing.T) {
	odd := &mesh.Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 0}, {0.5, 0, 0}}}
	odd.AddPart("odd", [3]float32{})
	face := func(at ...int32) {
		var corners []mesh.Corner
		for _, p := range at {
			corners = append(corners, mesh.Corner{Pos: p, UV: -1, Normal: -1})
		}
		odd.AddFace(0, corners...)
	}
	face(0, 1, 2)
	face(0, 1, 3) // three on one edge
	face(1, 0, 2)
	face(0, 1, 5) // without area
	face(0, 4, 1) // twice the same place
	face(0, 0, 1)
	for _, elevation := range []float64{0, 40, 89.9} {
		for _, ortho := range []bool{true, false} {
			for _, distance := range []float32{0.1, 1, 5} { // within it too
				curves, _ := look(t, stagetest.Of(t, odd), stage.Camera{Distance: distance, Angle: 50, Elevation: elevation, Ortho: ortho},
					contour.Contour, contour.Crease, contour.Border, contour.Seam, contour.Crossing, contour.Suggestive)
				for _, c := range curves {
					for _, p := range c.Places {
						require.False(t, math.IsNaN(float64(p.X+p.Y+p.Weights[0]+p.Weights[1])) || math.IsInf(float64(p.X+p.Y), 0))
					}
				}
			}
		}
	}
}

// A drum that stands on a plate, its foot in the plate's plane: the rim of its top, both its sides, and the near half of the
// rim on which it stands.
func TestWhatStandsOnAPlaneIsSeenToItsFoot(t *testing.T) {
	drum := mesh.Lathe("drum", []vec.V{{0, 0, 0}, {0.5, 0, 0}, {0.5, 1, 0}, {0, 1, 0}}, 256)
	for _, tilt := range []float32{0, 7} {
		m := &mesh.Mesh{}
		m.Join(drum, vec.Place(vec.V{}, vec.V{0, 0, tilt}, 1))
		plate := &mesh.Mesh{}
		plate.Join(mesh.Cuboid(vec.V{6, 0.2, 6}), vec.Place(vec.V{0, -0.1, 0}, vec.V{}, 1))
		m.Join(plate, vec.Place(vec.V{}, vec.V{0, 0, tilt}, 1))
		sc := stagetest.Of(t, m)
		curves, view := look(t, sc, stage.Camera{Distance: 9, Angle: 30, Ortho: true, Elevation: 30}, contour.Contour, contour.Crease, contour.Border, contour.Crossing)
		drums := 0.0
		for _, c := range curves {
			if sc.Parts[c.Part].Name == "drum" {
				drums += length([]contour.Curve{c})
			}
		}
		if tilt == 0 {
			half := 0.0 // of the rim as an ellipse
			for k := range 1000 {
				a := math.Pi * (float64(k) + 0.5) / 1000
				half += math.Hypot(0.5*math.Sin(a), 0.25*math.Cos(a)) * math.Pi / 1000
			}
			assert.InDelta(t, 3*half+2*math.Cos(math.Pi/6), drums/float64(view.Scale), 0.01*drums/float64(view.Scale))
		} else {
			assert.InDelta(t, 5.35, drums/float64(view.Scale), 0.08, "turned a little, about as much")
		}
	}
}

// A place knows on which triangle it lies, and where in it: what is there falls on the page where the place is, but for how
// far faces lie within the surface that they stand for.
func TestPlacesLieOnTheirTriangles(t *testing.T) {
	m := &mesh.Mesh{}
	m.Join(mesh.Torus(1, 0.35, 90, 40), vec.Place(vec.V{}, vec.V{20, 0, 30}, 1))
	m.Join(mesh.Cuboid(vec.V{1.2, 0.5, 0.9}), vec.Place(vec.V{0.9, 0.2, 0.3}, vec.V{10, 25, 0}, 1))
	sc := stagetest.Of(t, m)
	for _, ortho := range []bool{false, true} {
		curves, view := look(t, sc, stage.Camera{Distance: 5, Angle: 34, Azimuth: 20, Elevation: 25, Ortho: ortho}, contour.Contour, contour.Crease, contour.Crossing)
		kinds := map[contour.Kind]int{}
		for _, c := range curves {
			kinds[c.Kind]++
			for _, p := range c.Places {
				v, a, b := sc.Tri[p.Tri], p.Weights[0], p.Weights[1]
				require.True(t, a >= -1e-4 && b >= -1e-4 && a+b <= 1.0001, "%v %v", a, b)
				at := sc.Pos[v[0]].Mul(1 - a - b).Add(sc.Pos[v[1]].Mul(a)).Add(sc.Pos[v[2]].Mul(b))
				x, y, _ := view.Project(view.Camera(at))
				require.InDelta(t, 0, math.Hypot(float64(x-p.X), float64(y-p.Y)), 2, "kind %d, ortho %v", c.Kind, ortho)
				require.Equal(t, c.Part, sc.TriPart[p.Tri])
			}
		}
		assert.Len(t, kinds, 3)
	}
}

// A ball all of whose normals look one way has no contour as a surface; its faces have an outline, once.
func TestFacesHaveAnOutlineWhereTheSurfaceHasNoContour(t *testing.T) {
	ball := mesh.Sphere(1, 64, 48)
	ball.Normals = []vec.V{{0, 0, 1}}
	for i := range ball.Corners {
		ball.Corners[i].Normal = 0
	}
	sc := stagetest.Of(t, ball)
	curves, view := look(t, sc, stage.Camera{Distance: 6, Angle: 30, Azimuth: 20, Elevation: 15, Ortho: true}, contour.Contour)
	assert.InDelta(t, 2*math.Pi, length(curves)/float64(view.Scale), 0.12)
	for _, c := range curves {
		for _, p := range c.Places {
			assert.InDelta(t, 1, math.Hypot(float64(p.X-pageW/2), float64(p.Y-pageH/2))/float64(view.Scale), 0.01)
		}
	}
	none, _ := look(t, sc, stage.Camera{Distance: 6, Angle: 30, Ortho: true}, contour.Crease, contour.Border)
	assert.Empty(t, none, "only with contours")
	// In front of a wall that is near, it is no outline that shows.
	m := &mesh.Mesh{}
	m.Join(ball, vec.Identity())
	m.Join(mesh.Cuboid(vec.V{9, 9, 0.1}), vec.Place(vec.V{0, 0, 0.02}, vec.V{}, 1))
	wall := m.Parts[1].Name
	near, _ := look(t, stagetest.Of(t, m), stage.Camera{Distance: 20, Angle: 30, Ortho: true}, contour.Contour)
	for _, c := range near {
		assert.Equal(t, wall, m.Parts[c.Part].Name)
	}
}

// What lies beyond the page's rim is not followed.
func TestLinesEndBeyondTheRim(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 120, 80))
	// The ball's circle, of a radius of 1.2 half heights, about the middle of the left rim.
	curves, view := look(t, sc, stage.Camera{Target: vec.V{0.8 * pageW / pageH, 0, 0}, Distance: 6, Angle: 15.3, Ortho: true}, contour.Contour)
	require.NotEmpty(t, curves)
	for _, c := range curves {
		assert.False(t, c.Closed)
		for _, p := range c.Places {
			assert.True(t, p.X > -60 && p.Y > -60 && p.X < pageW+60 && p.Y < pageH+60)
			assert.InDelta(t, float64(view.Scale), math.Hypot(float64(p.X)-(pageW/2-0.8*pageW/pageH*float64(view.Scale)), float64(p.Y-pageH/2)), 0.6)
		}
	}
}

func TestFacetsAreCounted(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 36, 18), mesh.Cuboid(vec.V{1, 1, 1}))
	m := contour.MeshOf(sc.Geometry, 2)
	shown, all := m.Faceted(5, func(int32) bool { return true })
	assert.Greater(t, shown, all/2)
	assert.Equal(t, 36*18*3-2*36-36, all-6, "all edges of the ball, and of the cube the diagonals of its sides")
	none, _ := m.Faceted(30, func(int32) bool { return true })
	assert.Zero(t, none)
	_, cube := m.Faceted(5, func(part int32) bool { return sc.Parts[part].Name != "Sphere" })
	assert.Equal(t, 6, cube)
}

// A ring with corners begins at one of them, so that its strokes run from corner to corner: a cube seen straight from the front, and
// turned.
func TestARingBeginsAtACorner(t *testing.T) {
	for _, azimuth := range []float64{0, 20, 45} {
		sc := stagetest.Of(t, mesh.Cuboid(vec.V{2, 2, 2}))
		curves, view := look(t, sc, stage.Camera{Azimuth: azimuth, Distance: 6, Angle: 30, Ortho: true}, contour.Contour)
		require.Len(t, curves, 1)
		places := curves[0].Places
		require.True(t, curves[0].Closed)
		assert.Equal(t, [2]float32{places[0].X, places[0].Y}, [2]float32{places[len(places)-1].X, places[len(places)-1].Y})
		left, top, corners := float32(pageW), float32(pageH), 0
		for _, p := range sc.Pos {
			x, y, _ := view.Project(view.Camera(p))
			left, top = min(left, x), min(top, y)
		}
		for i, p := range places {
			outer := min(p.X-left, pageW-left-p.X) < 0.01 && min(p.Y-top, pageH-top-p.Y) < 0.01
			assert.Equal(t, outer, p.Corner, "place %d at %v, %v", i, p.X, p.Y)
			if outer {
				corners++
			}
		}
		assert.Equal(t, 5, corners, "the first twice")
		assert.InDelta(t, float64(2*(pageW-2*left)+2*(pageH-2*top)), length(curves), 0.1)
	}
}

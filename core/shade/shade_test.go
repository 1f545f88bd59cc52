package shade

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/pixmap"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// sheet is a flat rectangle of n × n fields from a corner along two edges; it faces
// u × v.
func sheet(o, u, v vec.V, n int) *mesh.Mesh {
	return mesh.Grid("sheet", n, n, func(s, t float64) vec.V { return o.Add(u.Mul(float32(s))).Add(v.Mul(float32(t))) })
}

// seen is the first position's samples of a scene's picture, w × w pixels.
func seen(t testing.TB, sc *stage.Scene, w int, at [2]float32) (*Tracer, *Site) {
	t.Helper()
	view := sc.Stage.Camera.View(w, w)
	vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), at, 2)
	require.NoError(t, err)
	set := sample.Seen(vis, sc, view, 1, make([]int, len(sc.Parts)), nil)[0]
	set.Resolve(sample.Pos|sample.Normal|sample.Eye, 2)
	return &Tracer{Scene: sc, Rays: trace.NewScene(sc.Geometry, nil, 2), Workers: 2}, NewSite(set)
}

var middle = [2]float32{0.5, 0.5}

func lit(t testing.TB, l stage.Light, cam stage.Camera, meshes ...*mesh.Mesh) *stage.Scene {
	t.Helper()
	st := stage.New()
	l.ID, l.Name, l.Shadows = "l", "l", true
	st.Lights = []stage.Light{l}
	sc := stagetest.With(t, &st, meshes...)
	if cam.Distance > 0 {
		st.Camera = cam
	}
	return sc
}

// share returns the shares of the scene's light at the samples of a picture that
// has settled.
func share(t testing.TB, sc *stage.Scene, w int) (*sample.Points, []float32) {
	t.Helper()
	tr, set := seen(t, sc, w, middle)
	set.Found.Level = 1
	out, err := tr.Share(context.Background(), set, &sc.Lights[0])
	require.NoError(t, err)
	return set.Points, out
}

func ExampleTracer_Share() {
	// A ball above the floor throws a shadow straight down.
	st := stage.New()
	st.Lights[0].Elevation = 90
	st.Camera = stage.Camera{Azimuth: 0, Elevation: 25, Distance: 9, Angle: 30}
	st.Models = []stage.Model{{ID: "floor", Solid: "plane", Scale: 3, At: vec.V{0, -1, 0}, Looks: map[string]string{}},
		{ID: "ball", Solid: "sphere", Scale: 0.5, Looks: map[string]string{}}}
	sc, _ := stage.NewScene(&st, stage.Surfaces(func(m *stage.Model) (*mesh.Surface, error) {
		return mesh.NewSurface(mesh.FindSolid(m.Solid).Make(), 40)
	}), nil)
	view := st.Camera.View(64, 64)
	vis, _ := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	set := sample.Seen(vis, sc, view, 1, make([]int, len(sc.Parts)), nil)[0]
	set.Resolve(sample.Pos|sample.Normal|sample.Eye, 1)
	tr := &Tracer{Scene: sc, Rays: trace.NewScene(sc.Geometry, nil, 1), Workers: 1}
	share, _ := tr.Share(context.Background(), NewSite(set), &sc.Lights[0])
	wrong := 0
	for i := range share {
		r := math.Hypot(float64(set.Pos[0][i]), float64(set.Pos[2][i]))
		if set.PartOf[i] == 0 && math.Abs(r-0.5) > 0.02 && (share[i] == 0) != (r < 0.5) {
			wrong++
		}
	}
	fmt.Println(wrong)
	// Output: 0
}

func TestAnEvenSkyOnAnOpenPlane(t *testing.T) {
	sc := lit(t, stage.NewLight("", "", light.Sky), stage.Camera{}, sheet(vec.V{-1, 0, 1}, vec.V{2, 0, 0}, vec.V{0, 0, -2}, 4))
	sc.Stage.Camera.Elevation = 50
	set, s := share(t, sc, 48)
	require.Greater(t, set.N, 300)
	for i := range s {
		assert.Equal(t, float32(1), s[i])
	}
}

func TestAnEvenSkyInARightAngledCorner(t *testing.T) {
	// Floor and wall, both long: at their seam half of the sky is open. At distance d
	// from a wall of height h: ½ (1 + d/√(d² + h²)), the wall being endless.
	const h = 40
	sc := lit(t, stage.NewLight("", "", light.Sky), stage.Camera{Azimuth: 0, Elevation: 35, Target: vec.V{0, 0, 1}, Distance: 9, Angle: 26},
		sheet(vec.V{-400, 0, 400}, vec.V{800, 0, 0}, vec.V{0, 0, -400}, 1), sheet(vec.V{-400, 0, 0}, vec.V{800, 0, 0}, vec.V{0, h, 0}, 1))
	set, s := share(t, sc, 96)
	worst, n := 0.0, 0
	for i := range s {
		if set.PartOf[i] != 0 {
			continue
		}
		d := float64(set.Pos[2][i])
		want := 0.5 * (1 + d/math.Hypot(d, h))
		worst = max(worst, math.Abs(want-float64(s[i])))
		n++
	}
	require.Greater(t, n, 2000)
	assert.Less(t, worst, 0.04, "after smoothing no pixel is far from the closed form")
}

func TestThePenumbraOfASunOfKnownWidth(t *testing.T) {
	// A sheet at height h over x < 0 and a sun straight above, 2α wide: the penumbra is
	// 2 h tan α wide, and within it the share is that of a disk cut by a line.
	const h, degrees = 2.0, 20.0
	l := stage.NewLight("", "", light.Sun)
	l.Elevation, l.Size = 90, degrees
	sc := lit(t, l, stage.Camera{Azimuth: 90, Elevation: 30, Target: vec.V{0, 0, 0}, Distance: 7, Angle: 30},
		sheet(vec.V{-9, 0, 9}, vec.V{18, 0, 0}, vec.V{0, 0, -18}, 1), sheet(vec.V{-40, h, 40}, vec.V{40, 0, 0}, vec.V{0, 0, -80}, 1))
	set, s := share(t, sc, 160)
	reach := h * math.Tan(degrees/2*math.Pi/180)
	var off, sum float64
	n := 0
	for i := range s {
		x := float64(set.Pos[0][i]) / reach
		if set.Pos[1][i] > 0.1 {
			continue
		}
		switch {
		case x < -1.15:
			assert.Less(t, s[i], float32(0.02), "umbra at %v", x)
		case x > 1.15:
			assert.Greater(t, s[i], float32(0.98), "open at %v", x)
		case math.Abs(x) <= 1:
			want := 0.5 + (x*math.Sqrt(1-x*x)+math.Asin(x))/math.Pi
			d := float64(s[i]) - want
			off, sum, n = off+math.Abs(d), sum+d, n+1
		}
	}
	require.Greater(t, n, 500)
	assert.Less(t, off/float64(n), 0.02, "mean distance from the closed form")
	assert.Less(t, math.Abs(sum)/float64(n), 0.012, "no bias")
}

func TestPlacesOnALightFillItEvenly(t *testing.T) {
	// Star discrepancy: no box from the corner holds a share of the points that differs
	// much from its area; chance points would differ by about 1/√n.
	const n = 89
	worst := 0.0
	for _, from := range [][2]float32{{0, 0}, {0.31, 0.77}, {0.999, 0.001}} {
		points := make([][2]float32, n)
		for k, l := 0, newLattice(from[0], from[1], n); k < n; k++ {
			points[k][0], points[k][1] = l.next()
		}
		for a := range 40 {
			for b := range 40 {
				w, h := float32(a+1)/40, float32(b+1)/40
				in := 0
				for _, p := range points {
					require.True(t, p[0] >= -1 && p[0] <= 1 && p[1] >= -1 && p[1] <= 1)
					if (p[0]+1)/2 < w && (p[1]+1)/2 < h {
						in++
					}
				}
				worst = max(worst, math.Abs(float64(in)/n-float64(w*h)))
			}
		}
	}
	assert.Less(t, worst, 0.5/math.Sqrt(n))

	// On the disk: any half of it holds half of the points.
	worst = 0
	for turn := range 60 {
		c, s := math.Cos(float64(turn)*math.Pi/30), math.Sin(float64(turn)*math.Pi/30)
		in, spin := 0, newSpiral(0.2, 0.7, n)
		for range n {
			x, y := spin.next()
			require.LessOrEqual(t, x*x+y*y, float32(1.0001))
			if float64(x)*c+float64(y)*s > 0 {
				in++
			}
		}
		worst = max(worst, math.Abs(float64(in)/n-0.5))
	}
	assert.Less(t, worst, 0.5/math.Sqrt(n))
}

func TestSettledShadowsAreNearThoseOfManyRays(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, kind := range []light.Kind{light.Rectangle, light.Disc, light.Sky} {
		l := stage.NewLight("", "", kind)
		l.At = vec.V{-2, 3, 3}
		l.Azimuth, l.Elevation = vec.Angles(l.At)
		l.Size, l.Height, l.Fade = 2, 1, false
		sc := lit(t, l, stage.Camera{Azimuth: 15, Elevation: 20, Distance: 9, Angle: 28},
			sheet(vec.V{-6, -1, 6}, vec.V{12, 0, 0}, vec.V{0, 0, -12}, 1), mesh.Sphere(1, 48, 24), mesh.Cuboid(vec.V{0.9, 3.5, 0.6}))
		if kind == light.Sky {
			sc.Lights[0].Dome = brightPlace()
		}
		tr, set := seen(t, sc, 160, middle)
		first, err := tr.Share(context.Background(), set, &sc.Lights[0])
		require.NoError(t, err)
		set.Found.Level = 1
		got, err := tr.Share(context.Background(), set, &sc.Lights[0])
		require.NoError(t, err)
		var sum, bias float64
		n, asked := 0, 0
		for i := 0; i < len(got); i += 5 {
			want := tr.open(set, i, &sc.Lights[0], 987)
			bias += float64(first[i] - want)
			asked++
			if want > 0 && want < 1 {
				sum += float64((got[i] - want) * (got[i] - want))
				n++
			}
		}
		assert.InDelta(t, 0, bias/float64(asked), 0.01, "%s: the first picture is grainy, not brighter or darker", kind)
		require.Greater(t, n, 300)
		assert.Less(t, math.Sqrt(sum/float64(n)), 0.015, "%s: root of the mean square", kind)
	}
}

// brightPlace is a sky that is dim but for one small place, as most photographs are.
func brightPlace() *light.Dome {
	pic := &pixmap.Pixmap{W: 64, H: 32, Shared: true, Pix: make([]byte, 4*64*32)}
	for y := range 32 {
		for x := range 64 {
			c := color.C{0.1, 0.15, 0.3}
			if y > 8 && y < 12 && x > 10 && x < 16 {
				c = color.C{40, 26, 12}
			}
			pic.Set(x, y, c)
		}
	}
	return light.NewPictureDome(pic, 0, color.C{1, 1, 1})
}

func TestFlatAndRoundLightsThrowTheShadowsOfTheirShape(t *testing.T) {
	// A square light above a half-open floor: the share rises in a straight line.
	l := stage.NewLight("", "", light.Rectangle)
	l.Elevation, l.Azimuth, l.At, l.Size, l.Height, l.Fade = 90, 0, vec.V{0, 40, 0}, 8, 8, false
	sc := lit(t, l, stage.Camera{Azimuth: 90, Elevation: 30, Distance: 12, Angle: 30},
		sheet(vec.V{-9, 0, 9}, vec.V{18, 0, 0}, vec.V{0, 0, -18}, 1), sheet(vec.V{-40, 10, 40}, vec.V{40, 0, 0}, vec.V{0, 0, -80}, 1))
	set, s := share(t, sc, 128)
	off, n := 0.0, 0
	for i := range s {
		if set.Pos[1][i] > 0.1 {
			continue
		}
		// From x the edge hides the light left of -x·(40-10)/10.
		open := 0.5 + float64(set.Pos[0][i])*3/8
		if open > 0.02 && open < 0.98 && math.Abs(float64(set.Pos[2][i])) < 3 {
			off, n = off+math.Abs(open-float64(s[i])), n+1
		}
	}
	require.Greater(t, n, 300)
	assert.Less(t, off/float64(n), 0.02)
}

func TestSoftLightIsTheSameOnAnyNumberOfCores(t *testing.T) {
	for name, dome := range map[string]*light.Dome{"sun": nil, "sky": brightPlace()} {
		l := stage.NewLight("", "", light.Sun)
		l.Elevation, l.Size = 50, 15
		if dome != nil {
			l = stage.NewLight("", "", light.Sky)
		}
		sc := lit(t, l, stage.Camera{}, mesh.Torus(0.75, 0.3, 64, 32), mesh.Sphere(0.4, 32, 16))
		if dome != nil {
			sc.Lights[0].Dome = dome
		}
		first := map[int][]float32{}
		for _, workers := range []int{1, 2, 3} {
			for _, level := range []int{0, 1} {
				tr, set := seen(t, sc, 96, middle)
				tr.Workers, set.Found.Level = workers, level
				s, err := tr.Share(context.Background(), set, &sc.Lights[0])
				require.NoError(t, err)
				if workers == 1 {
					first[level] = s
				}
				assert.Equal(t, first[level], s, "%s, level %d, on %d cores", name, level, workers)
			}
		}
	}
}

func TestASingleRayChoosesInProportion(t *testing.T) {
	// A wide disc that the horizon cuts in half: rays go to the upper half alone, and there as the cosine
	// has it: their mean height is that of y² over y on the half disc, (π/8) / (2/3).
	l := light.Source{Kind: light.Disc, At: vec.V{0, 0, 100}, Dir: vec.V{0, 0, 1}, Size: 1, Strength: 1}
	l.Ready()
	up, eye := vec.V{0, 1, 0}, vec.V{0, 0, 1}
	aim := l.Aim(vec.V{}, up, eye)
	u, v := float32(0.3), float32(0.6)
	var sum float64
	const n = 20000
	for range n {
		dir, ok := pick(&l, &aim, up, u, v, candidates)
		require.True(t, ok)
		require.Greater(t, dir[1], float32(0))
		sum += float64(100*dir[1]/dir[2]) / n
		u, v = float32(math.Mod(float64(u)+0.1031, 1)), float32(math.Mod(float64(v)+0.2963, 1))
	}
	assert.InDelta(t, math.Pi/8/(2.0/3), sum, 0.03)
	aim = l.Aim(vec.V{}, up.Mul(-1), eye)
	_, ok := pick(&l, &aim, vec.V{0, 0, -1}, 0.2, 0.2, candidates)
	assert.False(t, ok, "all of it lies behind")
}

func TestLaterPositionsTakeTheSoftLightOfTheFirst(t *testing.T) {
	l := stage.NewLight("", "", light.Sun)
	l.Elevation, l.Size = 50, 25
	sc := lit(t, l, stage.Camera{}, mesh.Torus(0.75, 0.3, 96, 48), sheet(vec.V{-2, -0.5, 2}, vec.V{4, 0, 0}, vec.V{0, 0, -4}, 1))
	sc.Stage.Camera.Elevation = 40
	tr, base := seen(t, sc, 128, middle)
	base.Found.Level = 1
	first, err := tr.Share(context.Background(), base, &sc.Lights[0])
	require.NoError(t, err)
	_, later := seen(t, sc, 128, [2]float32{0.1, 0.9})
	later.Found = NewFindings(later.Points, base.Found)
	got, err := tr.Share(context.Background(), later, &sc.Lights[0])
	require.NoError(t, err)
	grid := base.Points.Grid()
	off, n := 0.0, 0
	for i, p := range later.Points.Pixels().Pixel {
		if k := grid.At(int(p)%128, int(p)/128); k >= 0 && alike(later.Points, i, base.Points, int(k)) {
			off, n = off+math.Abs(float64(got[i]-first[k])), n+1
		}
	}
	require.Greater(t, n, 2000)
	assert.Less(t, off/float64(n), 0.02)
	again, err := tr.Share(context.Background(), later, &sc.Lights[0])
	require.NoError(t, err)
	assert.Same(t, &got[0], &again[0], "and is kept: nothing is traced twice")
	some := []int32{5, 7}
	points := base.Points.Pick(some)
	picked := &Site{Points: points, Found: base.Found.Pick(points, some)}
	small, err := tr.Share(context.Background(), picked, &sc.Lights[0])
	require.NoError(t, err)
	assert.Equal(t, []float32{first[5], first[7]}, small, "what was picked takes part in it")
}

func TestBouncedLight(t *testing.T) {
	// A wall in full light beside a floor in none: what reaches the floor is the wall's
	// colour times the share of the hemisphere that the wall takes, ½ at the seam of
	// endless ones, ½ (1 - d/√(d² + h²)) at distance d.
	const h = 30
	l := stage.NewLight("", "", light.Sun)
	l.Azimuth, l.Elevation = 0, 0 // along the floor, straight onto the wall
	wall := sheet(vec.V{-300, 0, 0}, vec.V{600, 0, 0}, vec.V{0, h, 0}, 1)
	wall.Parts[0].Color = color.C{0.8, 0.4, 0}
	sc := lit(t, l, stage.Camera{Azimuth: 0, Elevation: 35, Target: vec.V{0, 0, 1}, Distance: 9, Angle: 26},
		sheet(vec.V{-300, 0, 300}, vec.V{600, 0, 0}, vec.V{0, 0, -300}, 1), wall)
	tr, set := seen(t, sc, 96, middle)
	set.Found.Level = 1
	b, err := tr.Bounced(context.Background(), set, []int{0})
	require.NoError(t, err)
	off, n := 0.0, 0
	for i := range b[0] {
		if set.Points.PartOf[i] != 0 {
			continue
		}
		d := float64(set.Points.Pos[2][i])
		want := 0.5 * (1 - d/math.Hypot(d, h))
		off, n = off+math.Abs(want*0.8-float64(b[0][i])), n+1
		assert.InDelta(t, b[0][i]/2, b[1][i], 1e-5)
		assert.Zero(t, b[2][i])
	}
	require.Greater(t, n, 2000)
	assert.Less(t, off/float64(n), 0.02)
	none, err := tr.Bounced(context.Background(), set, nil)
	require.NoError(t, err)
	assert.Zero(t, none[0][0], "no light, none thrown back")
}

func TestACancelledQuestionLeavesNothingBehind(t *testing.T) {
	sc := lit(t, stage.NewLight("", "", light.Sky), stage.Camera{}, mesh.Sphere(1, 32, 16))
	tr, set := seen(t, sc, 64, middle)
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err := tr.Share(ctx, set, &sc.Lights[0])
	assert.ErrorIs(t, err, context.Canceled)
	_, err = tr.Bounced(ctx, set, []int{0})
	assert.ErrorIs(t, err, context.Canceled)
	s, err := tr.Share(context.Background(), set, &sc.Lights[0])
	require.NoError(t, err)
	assert.Greater(t, s[0], float32(0))
}

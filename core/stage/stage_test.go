package stage_test

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

func ExampleCamera_View() {
	v := stage.Camera{Distance: 4, Angle: 28}.View(200, 100)
	x, y, _ := v.Project(v.Camera(vec.V{0, 0, 0}))
	fmt.Println(x, y)
	// Output: 100 50
}

func TestCheckRefuses(t *testing.T) {
	nan := float32(math.NaN())
	for name, spoil := range map[string]func(s *stage.Stage){
		"two sources":     func(s *stage.Stage) { s.Models[0].File = "x" },
		"no source":       func(s *stage.Stage) { s.Models[0].Solid = "" },
		"unknown solid":   func(s *stage.Stage) { s.Models[0].Solid = "teacup" },
		"scale":           func(s *stage.Stage) { s.Models[0].Scale = 0 },
		"NaN place":       func(s *stage.Stage) { s.Models[0].At[1] = nan },
		"same id":         func(s *stage.Stage) { s.Lights[0].ID = "m" },
		"sun under floor": func(s *stage.Stage) { s.Lights[0].Elevation = -91 },
		"strength":        func(s *stage.Stage) { s.Lights[0].Strength = -1 },
		"camera distance": func(s *stage.Stage) { s.Camera.Distance = 0 },
		"camera angle":    func(s *stage.Stage) { s.Camera.Angle = nan },
		"camera upright":  func(s *stage.Stage) { s.Camera.Elevation = 90 },
		"too many suns":   func(s *stage.Stage) { s.Lights = make([]stage.Light, stage.MaxLights+1) },
	} {
		s := stage.New()
		s.Models = []stage.Model{{ID: "m", Solid: "cube", Scale: 1}}
		require.NoError(t, s.Check())
		spoil(&s)
		assert.Error(t, s.Check(), name)
	}
}

// The ends of the ranges that are documented are in them, as float32 holds them too.
func TestEndsOfRangesBelongToThem(t *testing.T) {
	for v, in := range map[float32]bool{1e-12: true, 1e12: true, 9.9e-13: false, 1.01e12: false, 0: false, -1: false} {
		s := stage.New()
		s.Camera.Distance = v
		assert.Equal(t, in, s.Check() == nil, v)
	}
	for v, in := range map[float64]bool{89.9: true, -89.9: true, 89.91: false, -89.91: false} {
		s := stage.New()
		s.Camera.Elevation = v
		assert.Equal(t, in, s.Check() == nil, v)
	}
}

func TestFrameFitsFromEverySide(t *testing.T) {
	box := vec.Box{Min: vec.V{-1, -2, -3}, Max: vec.V{4, 5, 6}}
	for _, ortho := range []bool{false, true} {
		for az := 0.0; az < 360; az += 50 {
			for _, el := range []float64{-80, 0, 35} {
				for _, aspect := range []float64{0.5, 1, 2.4} {
					c := stage.Camera{Azimuth: az, Elevation: el, Angle: 30, Ortho: ortho, Distance: 1}.Frame(box, aspect)
					v := c.View(int(1000*aspect), 1000)
					most := 0.0
					for _, p := range box.Corners() {
						x, y, _ := v.Project(v.Camera(p))
						most = max(most, math.Abs(float64(x)/float64(v.W)*2-1), math.Abs(float64(y)/float64(v.H)*2-1))
					}
					assert.Less(t, most, 1.0, "all of it is in the picture")
					assert.Greater(t, most, 0.6, "and fills it")
				}
			}
		}
	}
}

func TestRayAndProjectAreInverse(t *testing.T) {
	for _, ortho := range []bool{false, true} {
		v := stage.Camera{Azimuth: 33, Elevation: 12, Target: vec.V{1, 2, 3}, Distance: 7, Angle: 40, Ortho: ortho}.View(640, 400)
		o, d := v.Ray(123.25, 321.5)
		x, y, near := v.Project(v.Camera(o.Add(d.Mul(5))))
		assert.InDelta(t, 123.25, x, 1e-2)
		assert.InDelta(t, 321.5, y, 1e-2)
		assert.InDelta(t, v.Camera(o.Add(d.Mul(5)))[2], v.Depth(near), 1e-4)
	}
}

func TestWhatThePictureDoesNotShowIsMarkedOnItsRim(t *testing.T) {
	for _, ortho := range []bool{false, true} {
		v := stage.Camera{Distance: 4, Angle: 28, Ortho: ortho}.View(200, 100) // looks along -z
		for _, c := range []struct {
			name string
			p    vec.V
			x, y float32
			seen bool
		}{
			{"in the middle", vec.V{0, 0, 0}, 100, 50, true},
			{"far to the right", vec.V{50, 0, 0}, 200, 50, false},
			{"far to the left", vec.V{-50, 0, 0}, 0, 50, false},
			{"far above", vec.V{0, 50, 0}, 100, 0, false},
			{"towards a corner", vec.V{40, -20, 0}, 200, 100, false},
			{"beside the eye", vec.V{3, 0, 4}, 200, 50, false},
		} {
			x, y, seen := v.Mark(c.p)
			assert.InDelta(t, c.x, x, 1e-3, "%s, orthographic %v", c.name, ortho)
			assert.InDelta(t, c.y, y, 1e-3, "%s, orthographic %v", c.name, ortho)
			assert.Equal(t, c.seen, seen, "%s, orthographic %v", c.name, ortho)
		}
	}
	v := stage.Camera{Distance: 4, Angle: 28}.View(200, 100)
	x, y, seen := v.Mark(vec.V{1, 2, 9}) // behind the eye, to its right and more so above
	assert.False(t, seen)
	assert.Zero(t, y)
	assert.InDelta(t, 100+50.0/2, x, 1e-3)
	x, y, seen = v.Mark(v.Eye)
	assert.Equal(t, []any{float32(100), float32(100), false}, []any{x, y, seen})
}

func TestGeometryIsLentWhereNothingMoved(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 16, 8), mesh.Cuboid(vec.V{1, 1, 1}))
	sc.Stage.Lights[0].Azimuth = 50
	again := stagetest.Again(t, sc)
	assert.Same(t, sc.Geometry, again.Geometry)
	assert.NotEqual(t, sc.Lights[0].Dir, again.Lights[0].Dir)
	sc.Stage.Models[1].At = vec.V{3, 0, 0}
	moved := stagetest.Again(t, sc)
	assert.NotSame(t, sc.Geometry, moved.Geometry)
	assert.InDelta(t, 3.5, moved.Box.Max[0], 1e-5)
}

func TestBoundsAreTheBoxOfTheScene(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 16, 8), mesh.Cuboid(vec.V{1, 1, 1}))
	m := &sc.Stage.Models[1]
	m.At, m.Turn, m.Scale = vec.V{3, -2, 0}, vec.V{30, 40, 50}, 2
	sc = stagetest.Again(t, sc)
	missing := ""
	files := stage.Surfaces(func(m *stage.Model) (*mesh.Surface, error) {
		if m.ID == missing {
			return nil, errors.New("it cannot be read")
		}
		return sc.Models[slices.IndexFunc(sc.Stage.Models, func(o stage.Model) bool { return o.ID == m.ID })].Surface, nil
	})
	assert.Equal(t, sc.Box, stage.Bounds(sc.Stage, files))
	missing = m.ID
	assert.Equal(t, sc.Models[0].Surface.Box, stage.Bounds(sc.Stage, files), "what cannot be read is left out")
	missing, sc.Stage.Models = "", nil
	assert.True(t, stage.Bounds(sc.Stage, files).Empty())
}

func TestRegionsOfDifferentModelsDiffer(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 16, 8), mesh.Sphere(0.5, 16, 8))
	seen := map[int32]int{}
	for i, r := range sc.Regions(30) {
		m := sc.Parts[sc.TriPart[i]].Model
		if old, ok := seen[r]; ok {
			require.Equal(t, old, m)
		}
		seen[r] = m
	}
	assert.Len(t, seen, 2)
}

// sky gives one picture, once it is there.
type sky struct {
	stage.Surfaces
	there bool
	reads int
}

func (s *sky) Picture(string) (*pixmap.Pixmap, error) {
	if !s.there {
		return nil, stage.ErrNoPicture
	}
	s.reads++
	p := &pixmap.Pixmap{W: 8, H: 4, Shared: true, Pix: make([]byte, 4*8*4)}
	for i := range 32 {
		p.Set(i%8, i/8, color.C{2, 1, float32(i % 8)})
	}
	return p, nil
}

func TestASkyPictureIsReadOnceAndMayComeLate(t *testing.T) {
	st := stage.New()
	l := stage.NewLight("sky", "Sky", light.Sky)
	l.Picture = "some picture"
	st.Lights = []stage.Light{l}
	files := &sky{}
	scene := func(old *stage.Scene) *stage.Scene {
		copied := st
		copied.Lights = []stage.Light{st.Lights[0]}
		sc, err := stage.NewScene(&copied, files, old)
		require.NoError(t, err)
		return sc
	}
	sc := scene(nil)
	assert.False(t, sc.Lights[0].Dome.Pictured(), "without its picture it is of its colour")
	files.there = true
	sc = scene(sc)
	require.True(t, sc.Lights[0].Dome.Pictured())
	same := scene(sc)
	assert.Same(t, sc.Lights[0].Dome, same.Lights[0].Dome)
	st.Lights[0].Azimuth, st.Lights[0].Color = 90, color.C{1, 0, 0}
	turned := scene(same)
	assert.Equal(t, 1, files.reads, "what is worked out from a picture is kept while the sky turns")
	up := vec.V{0, 1, 0}
	assert.InDelta(t, 1, turned.Lights[0].Dome.Irradiance(up).Luminance(), 1e-4, "tone 1 in any colour")
	assert.Zero(t, turned.Lights[0].Dome.Irradiance(up)[1])
	a, b := sc.Lights[0].Dome.Radiance(vec.V{0, 0, 1}), turned.Lights[0].Dome.Radiance(vec.V{1, 0, 0})
	assert.InEpsilon(t, a[0]/sc.Lights[0].Dome.Irradiance(up)[0], b[0]/turned.Lights[0].Dome.Irradiance(up)[0], 1e-4, "the middle of the picture has turned to +X")
}

func TestLightsOutOfBounds(t *testing.T) {
	for name, spoil := range map[string]func(l *stage.Light){
		"a kind that is not":  func(l *stage.Light) { l.Kind = "torch" },
		"a sun too wide":      func(l *stage.Light) { l.Size = 91 },
		"a disc of no size":   func(l *stage.Light) { l.Kind, l.Size = light.Disc, 0 },
		"no reach":            func(l *stage.Light) { l.Kind, l.Fade = light.Point, true },
		"a place nowhere":     func(l *stage.Light) { l.At[1] = float32(math.NaN()) },
		"a dark colour":       func(l *stage.Light) { l.Color[2] = -1 },
		"too long a list":     func(l *stage.Light) { l.Parts = make([]string, 20_000) },
		"a rectangle no high": func(l *stage.Light) { l.Kind, l.Size = light.Rectangle, 1 },
	} {
		st := stage.New()
		spoil(&st.Lights[0])
		assert.Error(t, st.Check(), name)
	}
}

func TestWhatIsKeptWithAGeometryIsMadeOnce(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	made := 0
	for range 2 {
		for k, name := range []string{"a", "b"} {
			assert.Equal(t, 10+k, sc.Keep(name, func() any { made++; return 10 + k }))
		}
	}
	assert.Equal(t, 2, made)
}

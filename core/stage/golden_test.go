package stage_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/golden"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// Where cameras see points, which stages are refused, and what scenes are made of.
func TestStagesAreWhatTheyWere(t *testing.T) {
	var lines []string
	put := func(format string, a ...any) { lines = append(lines, fmt.Sprintf(format, a...)) }

	box := vec.Box{Min: vec.V{-1, -0.5, -2}, Max: vec.V{1.5, 2, 0.5}}
	for _, c := range []stage.Camera{{Azimuth: 20, Elevation: 15, Distance: 6, Angle: 28}, {Azimuth: -130, Elevation: -40, Distance: 3, Angle: 90, Target: vec.V{1, 2, 3}},
		{Azimuth: 75, Elevation: 60, Distance: 5, Angle: 35, Ortho: true}, {Elevation: 89.9, Distance: 0.01, Angle: 150}} {
		for _, size := range [][2]int{{160, 100}, {90, 120}} {
			v := c.View(size[0], size[1])
			put("%v\n  view %.4v, framed %.4v", c, v, c.Frame(box, float64(size[0])/float64(size[1])))
			corners := box.Corners()
			for _, p := range append(corners[:], vec.V{}, c.Target, v.Eye, v.Eye.Add(v.Back), vec.V{0, 9, 0}, vec.V{0, -9, 0}, vec.V{20, 0, 1}) {
				x, y, seen := v.Mark(p)
				q := v.Camera(p)
				line := fmt.Sprintf("  %.3v marked at %.3f %.3f %v, camera %.3f", p, x, y, seen, q)
				if v.Ortho || q[2] > v.Near {
					x, y, near := v.Project(q)
					o, d := v.Ray(x, y)
					line += fmt.Sprintf(", seen at %.3f %.3f, near %.4f deep %.3f, ray %.3f %.3f", x, y, near, v.Depth(near), o, d)
				}
				lines = append(lines, line)
			}
		}
	}
	put("an empty box leaves the camera: %v", stage.Camera{Distance: 2, Angle: 30}.Frame(vec.EmptyBox(), 1))

	// Numbers at the ends of their ranges and beyond.
	at := func(name string, change func(s *stage.Stage)) {
		s := stage.New()
		s.Models = []stage.Model{{ID: "a", Name: "A", Solid: "cube", Scale: 1, Looks: map[string]string{}}}
		s.Lights = nil
		for _, k := range light.Kinds {
			s.Lights = append(s.Lights, stage.NewLight(string(k), string(k), k))
		}
		change(&s)
		put("%s: %v", name, s.Check())
	}
	for _, v := range []float32{-36001, -36000, -90.001, -90, -89.9, -1, 0, 1e-7, 1e-6, 1, 1.1, 89.9, 90, 90.1, 149, 150, 151, 1000, 1001, 36000, 36001, 1e6, 1.1e6, 1e9, 1.1e9} {
		f := float64(v)
		for name, change := range map[string]func(s *stage.Stage){
			"camera azimuth": func(s *stage.Stage) { s.Camera.Azimuth = f }, "camera elevation": func(s *stage.Stage) { s.Camera.Elevation = f }, "camera distance": func(s *stage.Stage) { s.Camera.Distance = v },
			"camera target": func(s *stage.Stage) { s.Camera.Target[1] = v }, "camera angle": func(s *stage.Stage) { s.Camera.Angle = v },
			"scale": func(s *stage.Stage) { s.Models[0].Scale = v }, "place": func(s *stage.Stage) { s.Models[0].At[2] = v }, "turn": func(s *stage.Stage) { s.Models[0].Turn[0] = v },
			"sun size": func(s *stage.Stage) { s.Lights[0].Size = v }, "point size": func(s *stage.Stage) { s.Lights[1].Size = v }, "disc size": func(s *stage.Stage) { s.Lights[2].Size = v },
			"rectangle height": func(s *stage.Stage) { s.Lights[3].Height = v }, "disc height": func(s *stage.Stage) { s.Lights[2].Height = v }, "point reach": func(s *stage.Stage) { s.Lights[1].Reach = v },
			"sun reach": func(s *stage.Stage) { s.Lights[0].Reach = v }, "light elevation": func(s *stage.Stage) { s.Lights[0].Elevation = f }, "light azimuth": func(s *stage.Stage) { s.Lights[2].Azimuth = f },
			"strength": func(s *stage.Stage) { s.Lights[4].Strength = v }, "light place": func(s *stage.Stage) { s.Lights[1].At[0] = v }, "colour": func(s *stage.Stage) { s.Lights[0].Color[1] = v },
			"time": func(s *stage.Stage) { s.Time = stage.Time{At: f, Length: 4, Rate: 24} }, "length": func(s *stage.Stage) { s.Time = stage.Time{Length: f, Rate: 24} }, "rate": func(s *stage.Stage) { s.Time = stage.Time{Length: 4, Rate: f} },
		} {
			at(fmt.Sprint(name, " ", v), change)
		}
	}
	slices.Sort(lines[len(lines)-25*23:]) // a map has no order
	many := func(n int) func(s *stage.Stage) {
		return func(s *stage.Stage) {
			for len(s.Models) < n {
				s.Models = append(s.Models, stage.Model{ID: fmt.Sprint("m", len(s.Models)), Solid: "cube", Scale: 1})
			}
			for len(s.Lights) < n {
				s.Lights = append(s.Lights, stage.NewLight(fmt.Sprint("l", len(s.Lights)), "", light.Sun))
			}
		}
	}
	for _, n := range []int{stage.MaxLights, stage.MaxLights + 1, stage.MaxModels, stage.MaxModels + 1} {
		at(fmt.Sprint(n, " of each"), many(n))
	}
	at("no solid", func(s *stage.Stage) { s.Models[0].Solid = "" })
	at("both", func(s *stage.Stage) { s.Models[0].File = "x" })
	at("an id twice", func(s *stage.Stage) { s.Lights[1].ID = "a" })
	at("no id", func(s *stage.Stage) { s.Models[0].ID = "" })
	at("an unknown solid", func(s *stage.Stage) { s.Models[0].Solid = "blob" })
	at("an unknown light", func(s *stage.Stage) { s.Lights[0].Kind = "moon" })

	// A scene: parts, boxes, sources, regions, what lies beside what.
	st := stage.New()
	for i, kind := range light.Kinds[1:] {
		l := stage.NewLight(fmt.Sprint("l", i), "", kind)
		l.Azimuth, l.Elevation, l.Size, l.Height = float64(30*i), float64(10*i), float32(i)/2, 0.7
		if i%2 == 1 {
			l.Parts = []string{"b/Cube"}
		}
		st.Lights = append(st.Lights, l)
	}
	two := mesh.Cuboid(vec.V{1, 2, 0.5})
	for k := range two.Corners {
		two.Corners[k].UV = -1
	}
	two.UVs = nil
	sc := stagetest.With(t, &st, mesh.Sphere(1, 8, 4), two)
	st.Models[1].At, st.Models[1].Turn, st.Models[1].Scale = vec.V{1, 0.5, -1}, vec.V{30, 40, 50}, 1.5
	sc = stagetest.Again(t, sc)
	put("box %.4v, size %.4f, %d triangles, moved %v", sc.Box, sc.Size, len(sc.Tri), sc.Moved)
	for i := range sc.Parts {
		p := &sc.Parts[i]
		put("part %s %s of %d, box %.3f, seed %.4f, uv %v", p.ID, p.Name, p.Model, p.Box, p.Seed, p.UV)
	}
	for i := range sc.Lights {
		l := &sc.Lights[i]
		put("light %s %s: at %.3f dir %.3f size %.4f high %.3f fade %v reach %.2f shadows %v parts %v soft %v", l.ID, l.Kind, l.At, l.Dir, l.Size, l.High, l.Fade, l.Reach, l.Shadows, l.Parts, l.Soft())
	}
	for _, angle := range []float64{1, 30, 60, 89, 91, 180} {
		put("regions at %v: %v", angle, sc.Regions(angle))
	}
	put("beside: %v", sc.Beside())
	for k := range sc.Tri {
		if k%5 == 0 {
			v := sc.Tri[k][k%3]
			put("triangle %d %v of part %d: flat %.3f, corner %.3f %.3f %.3f", k, sc.Tri[k], sc.TriPart[k], sc.FlatNormal(int32(k)), sc.Pos[v], sc.Normal[v], sc.UV[v])
		}
	}
	for i := range st.Models {
		b, err := stage.BoxOf(&st.Models[i], stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return sc.Models[i].Surface, nil }))
		require.NoError(t, err)
		put("box of %d: %.3f", i, b)
	}
	golden.Text(t, "stages", lines)
}

package picture_test

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// A stage looks the same at any size: models from files, framed, under lights of all
// kinds that stand where they stood and cast shadows.
func TestAStageLooksTheSameAtAnySize(t *testing.T) {
	at := func(k float32) []byte {
		m := &mesh.Mesh{}
		m.Join(mesh.Sphere(1, 48, 24), vec.Place(vec.V{}, vec.V{}, k))
		m.Join(mesh.Sphere(0.4, 48, 24), vec.Place(vec.V{1.2 * k, 0.9 * k, 0.7 * k}, vec.V{}, k))
		m.Parts[1].Name = "small"
		var buf bytes.Buffer
		require.NoError(t, meshfile.WriteOBJ(&buf, m))
		read, err := meshfile.Read(context.Background(), "balls.obj", buf.Bytes(), nil)
		require.NoError(t, err)
		surface, err := mesh.NewSurface(read.Mesh, mesh.DefaultCrease)
		require.NoError(t, err)
		p := project.New("x")
		p.Looks[0].Nodes[0].Set = map[string]any{"shadows": true}
		p.Looks[0].Nodes[1].Set = map[string]any{"stops": []color.Stop{{At: 0}, {At: 1, Color: color.C{1, 1, 1}, Edge: color.Linear}}}
		p.Stage.Models = []stage.Model{{ID: "m", Name: "m", File: "f", Scale: 1, Looks: map[string]string{m.Parts[0].Name: "look1", "small": "look1"}}}
		lit := func(kind light.Kind, place vec.V, az, el float64, size float32) stage.Light {
			l := stage.NewLight(string(kind), "l", kind)
			l.At, l.Azimuth, l.Elevation, l.Reach, l.Size, l.Height, l.Strength = place.Mul(k), az, el, 2.5*k, size*k, size*k, 0.6
			return l
		}
		p.Stage.Lights = []stage.Light{stage.NewLight("sun", "sun", light.Sun), lit(light.Point, vec.V{2, 1, 2}, 0, 0, 0.2),
			lit(light.Disc, vec.V{-2, 2, 1}, -60, 40, 0.5), lit(light.Rectangle, vec.V{0, 3, 1}, 0, 80, 0.6), stage.NewLight("sky", "sky", light.Sky)}
		p.Stage.Lights[0].Strength, p.Stage.Lights[4].Strength = 0.3, 0.2
		files := stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return surface, nil })
		p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, files), 1.5)
		require.NoError(t, p.Stage.Check(), "size %g", k)
		sc, err := stage.NewScene(&p.Stage, files, nil)
		require.NoError(t, err)
		looks, err := p.Networks()
		require.NoError(t, err)
		pix := make([]byte, 4*150*100)
		require.NoError(t, picture.NewRenderer(2).Render(context.Background(), scene.Job{Scene: sc, Looks: looks, W: 150, H: 100, Samples: 4}, func(r *picture.Result) {
			if r.Done {
				r.RGBA(pix, r.Bounds())
			}
		}))
		return pix
	}
	want := at(1)
	for _, k := range []float32{1e-10, 1e-7, 1e-3, 1e3, 1e7, 1e10} {
		got, differ := at(k), 0
		for i := range got {
			if d := int(got[i]) - int(want[i]); d > 6 || d < -6 {
				differ++
			}
		}
		assert.LessOrEqual(t, differ, 30, "size %g: of %d bytes", k, len(got))
	}
}

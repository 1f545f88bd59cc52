package picture_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/pixmap"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

const hash = "00000000000000000000000000000000000000000000000000000000000000aa"

// tiled gives a floor, and one picture: fields of two colours.
type tiled struct {
	floor *mesh.Surface
	pic   *pixmap.Pixmap
}

func (f tiled) Surface(*stage.Model) (*mesh.Surface, error) { return f.floor, nil }

func (f tiled) Picture(string) (*pixmap.Pixmap, error) { return f.pic, nil }

func fields() *pixmap.Pixmap {
	const n, field = 512, 8
	p := &pixmap.Pixmap{W: n, H: n}
	for i := range n * n {
		v := byte(40)
		if (i%n/field+i/n/field)%2 == 0 {
			v = 230
		}
		p.Pix = append(p.Pix, v, v, v, 255)
	}
	return p
}

// A picture on a floor that runs away from the eye is right in the first picture already:
// it is what sixty-four positions come to, laid by UVs or by a wired place.
func TestAnImageDoesNotShimmer(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	floor := &mesh.Mesh{Positions: []vec.V{{-4, 0, 4}, {4, 0, 4}, {4, 0, -20}, {-4, 0, -20}}, UVs: [][2]float32{{0, 0}, {1, 0}, {1, 3}, {0, 3}}}
	floor.AddPart("floor", [3]float32{})
	floor.AddFace(0, mesh.Corner{Pos: 0, UV: 0, Normal: -1}, mesh.Corner{Pos: 1, UV: 1, Normal: -1}, mesh.Corner{Pos: 2, UV: 2, Normal: -1}, mesh.Corner{Pos: 3, UV: 3, Normal: -1})
	surface, err := mesh.NewSurface(floor, 40)
	require.NoError(t, err)
	st := stage.New()
	st.Models = []stage.Model{{ID: "m", Name: "m", File: "f", Scale: 1, Looks: map[string]string{"floor": "look"}}}
	st.Camera = stage.Camera{Elevation: 12, Distance: 7, Angle: 40}
	files := tiled{surface, fields()}
	sc, err := stage.NewScene(&st, files, nil)
	require.NoError(t, err)
	for name, nodes := range map[string]string{
		"by UVs":   `{"id":"x","kind":"Image","set":{"picture":"` + hash + `"}},{"id":"end","kind":"Finish","in":{"colour":"x.colour"}}`,
		"by place": `{"id":"at","kind":"Coordinates","set":{"space":"uv"}},{"id":"x","kind":"Image","in":{"place":"at.vector"},"set":{"picture":"` + hash + `"}},{"id":"end","kind":"Finish","in":{"colour":"x.colour"}}`,
	} {
		net := look(t, nodes)
		const w, h = 240, 160
		film := func(samples int) (out [w * h][4]float32) {
			r := picture.NewRenderer(2)
			r.Keep = false
			require.NoError(t, r.Render(context.Background(), scene.Job{Scene: sc, Looks: map[string]*network.Network{"look": net}, W: w, H: h, Samples: samples, Peek: nil}, func(res *picture.Result) {
				for i := range out {
					out[i] = res.Film.At(i)
				}
			}))
			return out
		}
		first := film(1)
		// The reference: many pictures, each moved by a part of a pixel, of the place alone.
		var want [w * h]float64
		const side = 6
		for k := range side * side {
			moved := st
			// A shift of the picture by part of a pixel: the camera turns by as much.
			px := (float64(k%side)+0.5)/side - 0.5
			py := (float64(k/side)+0.5)/side - 0.5
			view := st.Camera.View(w, h)
			moved.Camera.Azimuth -= math.Atan(px/float64(view.Scale)) * 180 / math.Pi
			moved.Camera.Elevation += math.Atan(py/float64(view.Scale)) * 180 / math.Pi
			msc, err := stage.NewScene(&moved, files, sc)
			require.NoError(t, err)
			r := picture.NewRenderer(2)
			j := scene.Job{Scene: msc, Looks: map[string]*network.Network{"look": net}, W: w, H: h, Samples: 1}
			require.NoError(t, r.Render(context.Background(), j, func(res *picture.Result) {
				for i := range want {
					want[i] += float64(res.Film.At(i)[0]) / (side * side)
				}
			}))
		}
		off, n := 0.0, 0
		for i := range first {
			if x, y := i%w, i/w; first[i][3] == 1 && x > 4 && x < w-4 && y < h-4 {
				off, n = off+math.Abs(float64(first[i][0])-want[i]), n+1
			}
		}
		require.Greater(t, n, 5000)
		assert.Less(t, off/float64(n), 0.025, name)
	}
}

package shade

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/golden"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Shares of all kinds of light on a small still life: in a first picture, settled, at a later
// position, at points without a picture; and what surfaces throw back. Rows of the golden
// picture are those of the cases.
func TestSharesStayAsTheyAre(t *testing.T) {
	const w = 40
	kinds := []struct {
		kind light.Kind
		size float32
	}{{light.Sun, 0}, {light.Sun, 12}, {light.Point, 0}, {light.Point, 0.8}, {light.Disc, 1.5}, {light.Rectangle, 2}, {light.Sky, 0}, {light.Sky, 1}}
	var rows []float32
	row := func(points *sample.Points, values []float32) {
		out := make([]float32, w*w)
		for i, v := range values {
			x, y := pixel(points, i)
			out[y*w+x] = v
		}
		rows = append(rows, out...)
	}
	ctx := context.Background()
	for _, k := range kinds {
		l := stage.NewLight("", "", k.kind)
		l.At = vec.V{-1.5, 1.6, 2.2}
		l.Azimuth, l.Elevation = vec.Angles(l.At)
		l.Size, l.Height, l.Fade = k.size, 0.7, false
		sc := lit(t, l, stage.Camera{Azimuth: 15, Elevation: 24, Distance: 8, Angle: 24},
			sheet(vec.V{-6, -1, 6}, vec.V{12, 0, 0}, vec.V{0, 0, -12}, 1), mesh.Sphere(1, 14, 8), mesh.Torus(1.3, 0.2, 18, 8), mesh.Cuboid(vec.V{0.5, 2.6, 0.4}))
		if k.kind == light.Sky && k.size > 0 {
			sc.Lights[0].Dome = brightPlace()
		}
		put := func(tr *Tracer, s *Site) {
			t.Helper()
			v, err := tr.Share(ctx, s, &sc.Lights[0])
			require.NoError(t, err)
			row(s.Points, v)
		}
		tr, s := seen(t, sc, w, middle)
		put(tr, s)
		s.Found.Level = 1
		put(tr, s)
		_, later := seen(t, sc, w, [2]float32{0.13, 0.81})
		later.Found = NewFindings(later.Points, s.Found)
		put(tr, later)
		n := s.Points.N
		tilted := &Site{Points: s.Points, Found: NewFindings(s.Points, nil), Normal: make([][]float32, 3), Key: "tilted"}
		for k := range tilted.Normal {
			tilted.Normal[k] = make([]float32, n)
		}
		for i := range n {
			m := at(&s.Points.Norm, i).Add(vec.V{0.3, float32(math.Sin(float64(9*s.Points.Pos[0][i]))) / 2, 0}).Unit()
			for k := range m {
				tilted.Normal[k][i] = m[k]
			}
		}
		put(tr, tilted)

		b, err := tr.Bounced(ctx, s, []int{0})
		require.NoError(t, err)
		most := float32(1)
		row(s.Points, squeezed(b[1], most))
		b, err = tr.Bounced(ctx, later, []int{0})
		require.NoError(t, err)
		row(later.Points, squeezed(b[0], most))
		first := NewSite(s.Points)
		b, err = tr.Bounced(ctx, first, []int{0})
		require.NoError(t, err)
		row(s.Points, squeezed(b[2], most))

		// Points of which nobody knows what lies beside them.
		some := make([]int32, 0, n)
		for i := range int32(n) {
			if i%3 == 0 {
				some = append(some, i)
			}
		}
		alone := NewSite(s.Points.Pick(some))
		alone.Points.Resolve(sample.Pos|sample.Normal|sample.Eye, 1)
		for _, alone.Found.Level = range []int{0, 1} {
			v, err := tr.Share(ctx, alone, &sc.Lights[0])
			require.NoError(t, err)
			out := make([]float32, w*w)
			for i, at := range some {
				x, y := pixel(s.Points, int(at))
				out[y*w+x] = v[i]
			}
			rows = append(rows, out...)
		}
	}
	golden.Picture(t, "shares", w, rows)
}

// squeezed brings values that may pass 1 under it.
func squeezed(v []float32, half float32) []float32 {
	out := make([]float32, len(v))
	for i := range v {
		out[i] = v[i] / (v[i] + half)
	}
	return out
}

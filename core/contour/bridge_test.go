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

// roof is a roof of two sides whose ridge bends by so many degrees in each of its stretches.
func roof(bends []float64) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{{Name: "roof"}}}
	for k := range len(bends) + 1 {
		b := bends[min(k, len(bends)-1)]
		if k > 0 {
			b = (bends[k-1] + b) / 2
		}
		fall := float32(math.Tan(b / 2 * math.Pi / 180))
		x := float32(2*float64(k)/float64(len(bends)) - 1)
		m.Positions = append(m.Positions, vec.V{x, 0.1, -0.1 * fall}, vec.V{x, 0, 0}, vec.V{x, -0.1, -0.1 * fall})
	}
	for k := range int32(len(bends)) {
		for row := range int32(2) {
			for _, p := range []int32{3*k + row, 3*k + row + 1, 3*k + row + 4, 3*k + row + 3} {
				m.Corners = append(m.Corners, mesh.Corner{Pos: p, UV: -1, Normal: -1})
			}
			m.FaceEnd, m.FacePart = append(m.FaceEnd, int32(len(m.Corners))), append(m.FacePart, 0)
		}
	}
	return m
}

// A ridge that is a little too flat in the middle to be a crease there is one line; where it is flat, or too flat for too long, it is
// two, and what is nowhere a crease is none.
func TestACreaseGoesOnOverWhatIsNearlyOne(t *testing.T) {
	ridge := func(flat float64, n int) []float64 {
		out := make([]float64, 40)
		for k := range out {
			out[k] = 42
			if k >= 20-n/2 && k < 20+n-n/2 {
				out[k] = flat
			}
		}
		return out
	}
	for name, c := range map[string]struct {
		bends []float64
		lines int
	}{"as it is": {ridge(42, 2), 1}, "nearly": {ridge(30, 2), 1}, "for long": {ridge(30, 8), 2}, "flat": {ridge(14, 4), 2}, "nowhere": {ridge(30, 40), 0}} {
		sc := stagetest.Of(t, roof(c.bends))
		view := stage.Camera{Distance: 6, Angle: 30, Ortho: true}.View(pageW, pageH)
		want := contour.Wanted{Bends: 35, Step: 2, Gap: 3, Bridge: 5 * view.Scale * 2 / 40, On: []bool{true}}
		want.Of[contour.Crease] = true
		curves, err := contour.Find(context.Background(), sc, trace.Of(sc.Geometry, nil, 1), &view, &want, 1)
		require.NoError(t, err)
		along := 0
		for _, c := range curves {
			if p := c.Places; math.Abs(float64(p[0].X-p[len(p)-1].X)) > 0.05*float64(view.Scale) && math.Abs(float64(p[0].Y-p[len(p)-1].Y)) < 1 {
				along++
			}
		}
		assert.Equal(t, c.lines, along, name)
	}
}

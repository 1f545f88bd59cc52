package film

import (
	"image"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/finish"
)

// What is kept of the colour before is what that colour came to: tiles of few colours, black among them, and of pixels that are
// empty, clear or glow without a surface, graded pixel by pixel, each as if it were alone.
func TestAGradeOfATileIsThatOfItsPixels(t *testing.T) {
	rnd := rand.New(rand.NewPCG(26, 3))
	grades := []Stage{Shoulder()}
	for _, g := range []finish.Grade{
		{On: true, Curves: finish.Curves{All: finish.Curve{0.2, 0.1, 0}}},
		{On: true, Exposure: 1, Contrast: -0.4},
		{On: true, Toning: 0.8, Shadows: color.MustHex("#203060"), Lights: color.MustHex("#FFE0B0")},
	} {
		require.NotNil(t, g.Ready())
		grades = append(grades, Grade(g.Ready()))
	}
	lifts := false
	for _, stage := range grades {
		f := stage.(each).f
		lifts = lifts || f(color.C{}) != color.C{}
		for range 300 {
			n := 1 + rnd.IntN(24)
			tile := &Tile{Rect: image.Rect(0, 0, n, 1), Pix: make([]float32, 4*n)}
			want := make([]float32, 0, 4*n)
			for x := range n {
				v := tile.Pix[4*x : 4*x+4]
				a := []float32{0, 0.5, 1}[rnd.IntN(3)]
				c := []color.C{{}, {}, {0.25, 0.5, 0.75}, {2, 1, 0.5}}[rnd.IntN(4)]
				v[0], v[1], v[2], v[3] = c[0]*max(a, 0.5), c[1]*max(a, 0.5), c[2]*max(a, 0.5), a
				if a == 0 && c == (color.C{}) { // nothing is there
					want = append(want, 0, 0, 0, 0)
					continue
				}
				s, k := straight(v)
				if k <= 0 || k >= 1 {
					k = 1
				}
				s = f(s)
				want = append(want, s[0]*k, s[1]*k, s[2]*k, a)
			}
			stage.Apply(tile)
			require.Equal(t, want, tile.Pix, stage.Name())
		}
	}
	assert.True(t, lifts, "one of them lifts black, or nothing is tested")
}

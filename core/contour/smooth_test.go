package contour_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/contour"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
)

// The contour of what is drawn smooth runs along the rim of its fill, as one closed stroke, from every side but for a few
// pixels: light asks for other
// normals, which would have it lie aside.
func TestTheContourOfWhatIsSmoothIsItsRim(t *testing.T) {
	sc := stagetest.Formed(t, mesh.Form{Smooth: true, Creases: mesh.None}, mesh.Sphere(1, 14, 8))
	for k := range 12 {
		cam := stage.Camera{Azimuth: 30 * float64(k), Elevation: 7*float64(k) - 40, Distance: 4, Angle: 36}
		curves, view := look(t, sc, cam, contour.Contour, contour.Crease, contour.Border)
		require.Equal(t, 1, len(curves), "from side %d", k)
		// By a pole of the ball, where fourteen faces meet, the surface is a little uneven: a gap of a few pixels is left there.
		c := curves[0].Places
		first, last := c[0], c[len(c)-1]
		assert.True(t, curves[0].Closed || math.Hypot(float64(first.X-last.X), float64(first.Y-last.Y)) < 16, "from side %d", k)
		vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
		require.NoError(t, err)
		for _, p := range curves[0].Places {
			inside, outside := false, false // within two pixels
			for dy := -2; dy <= 2; dy++ {
				for dx := -2; dx <= 2; dx++ {
					t := vis.Tri[(int(p.Y)+dy)*pageW+int(p.X)+dx]
					inside, outside = inside || t >= 0, outside || t < 0
				}
			}
			require.True(t, inside && outside, "from side %d, at %v, %v", k, p.X, p.Y)
		}
	}
}

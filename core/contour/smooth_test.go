package contour_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/contour"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
)

// The contour of what is drawn smooth runs along the rim of its fill, as one closed stroke, from every side: light asks for other
// normals, which would have it lie aside, and by its poles, where fourteen faces meet, the surface is a little uneven.
func TestTheContourOfWhatIsSmoothIsItsRim(t *testing.T) {
	sc := stagetest.Formed(t, mesh.Form{Smooth: true, Creases: mesh.None}, mesh.Sphere(1, 14, 8))
	sides := 24
	if testing.Short() {
		sides = 6
	}
	for k := range sides {
		cam := stage.Camera{Azimuth: 33 * float64(k), Elevation: 7*float64(k) - 80, Distance: 4, Angle: 36}
		curves, view := look(t, sc, cam, contour.Contour, contour.Crease, contour.Border)
		require.Equal(t, 1, len(curves), "from side %d", k)
		assert.True(t, curves[0].Closed, "from side %d", k)
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

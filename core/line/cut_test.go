package line_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// Along a cut, where two surfaces lie at one depth, one of them has all of the line, from wherever it is seen; where one stands before
// the other it has it.
func TestOneSurfaceHasTheLineOfACut(t *testing.T) {
	st := stage.New()
	floor := mesh.Grid("floor", 1, 1, func(u, v float64) vec.V { return vec.V{float32(8*u - 4), 0.2, float32(4 - 8*v)} })
	sc := stagetest.With(t, &st, mesh.Sphere(1, 96, 48), floor)
	for k := range 12 {
		cam := stage.Camera{Azimuth: 31 * float64(k), Elevation: 6*float64(k) + 12, Distance: 6, Angle: 30}
		view := cam.View(300, 300)
		vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
		require.NoError(t, err)
		seen := &line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}
		var places [2]int
		for part := range places {
			for _, c := range (line.Edges{Parts: true, Outer: true}).Find(seen, func(p int32) bool { return p == int32(part) }) {
				for _, p := range c {
					x, y := int(p.Pixel)%300, int(p.Pixel)/300
					rim := false
					for dy := -2; dy <= 2; dy++ {
						for dx := -2; dx <= 2; dx++ {
							rim = rim || y+dy < 0 || y+dy > 299 || x+dx < 0 || x+dx > 299 || vis.Tri[(y+dy)*300+x+dx] < 0
						}
					}
					if !rim {
						places[part]++
					}
				}
			}
		}
		assert.Greater(t, places[0], 200, "from side %d", k)
		assert.Zero(t, places[1], "from side %d: the ball stands before the floor, or is cut by it", k)
	}
}

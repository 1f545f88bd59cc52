package sample_test

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// What is drawn into the memory of another picture, with the lists of it, is what is drawn into none.
func TestMemoryOfAnotherPictureShowsNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 27))
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 40, 20), mesh.Cuboid(vec.V{1, 1, 1}))
	var old *sample.Visibility
	for range 12 {
		view := stage.Camera{Azimuth: 360 * r.Float64(), Elevation: 160*r.Float64() - 80, Distance: 0.6 + 4*r.Float32(), Angle: 40, Ortho: r.IntN(2) == 0}.View(40+20*r.IntN(2), 50)
		p := sample.NewProjector(sc.Geometry, view, 2)
		for range 3 {
			at := [2]float32{r.Float32(), r.Float32()}
			want, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), at, 1)
			require.NoError(t, err)
			old, err = p.DrawInto(context.Background(), old, at, 1+r.IntN(3))
			require.NoError(t, err)
			require.True(t, slices.Equal(want.Tri, old.Tri) && slices.Equal(want.Near, old.Near) && want.Jitter == old.Jitter && want.W == old.W && want.H == old.H)
		}
	}
}

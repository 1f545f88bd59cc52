package sample_test

import (
	"context"
	"fmt"

	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// A square that fills the middle of a picture, rasterised.
func ExampleProjector() {
	st := stage.New()
	st.Models = []stage.Model{{ID: "m", Solid: "cube", Scale: 1}}
	sc, err := stage.NewScene(&st, stage.Surfaces(func(m *stage.Model) (*mesh.Surface, error) {
		return mesh.Cuboid(vec.V{1, 1, 1}).Surface(context.Background(), mesh.Form{})
	}), nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	view := stage.Camera{Distance: 4, Angle: 30}.View(20, 20)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	fmt.Println(vis.Tri[0] < 0, vis.Tri[10*20+10] >= 0, err)
	// Output: true true <nil>
}

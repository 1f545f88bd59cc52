package contour_test

import (
	"context"
	"fmt"

	"mobanta/core/contour"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// A cube seen straight from the front: all that is drawn is one ring about it, which begins and ends at a corner.
func ExampleFind() {
	st := stage.New()
	st.Models = append(st.Models, stage.Model{ID: "a", Name: "cube", File: "a", Scale: 1, Looks: map[string]string{}})
	cube, err := mesh.Cuboid(vec.V{2, 2, 2}).Surface(context.Background(), mesh.Form{})
	if err != nil {
		fmt.Println(err)
		return
	}
	scene, err := stage.NewScene(&st, stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return cube, nil }), nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	camera := stage.Camera{Distance: 6, Angle: 30, Ortho: true}
	view := camera.View(200, 200)
	want := contour.Wanted{Bends: 35, Step: 2, Gap: 3, On: []bool{true}}
	want.Of[contour.Contour], want.Of[contour.Crease] = true, true
	curves, err := contour.Find(context.Background(), scene, trace.Of(scene.Geometry, nil, 1), &view, &want, 1)
	for _, c := range curves {
		corners := 0
		for _, p := range c.Places {
			if p.Corner {
				corners++
			}
		}
		fmt.Println(c.Kind, c.Closed, corners, "corners")
	}
	fmt.Println(err)
	// Output:
	// contour true 5 corners
	// <nil>
}

package shape_test

import (
	"context"
	"fmt"

	"mobanta/core/mesh"
	"mobanta/core/shape"
)

// Without steps a shape is its surface at rest.
func ExampleOf() {
	rest, err := mesh.Sphere(1, 16, 8).Surface(context.Background(), mesh.Form{})
	if err != nil {
		fmt.Println(err)
		return
	}
	sh, err := shape.Of(rest, nil, 0)
	fmt.Println(len(sh.Pos) == len(rest.Pos), err)
	// Output: true <nil>
}

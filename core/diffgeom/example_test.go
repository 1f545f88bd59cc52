package diffgeom_test

import (
	"context"
	"fmt"

	"mobanta/core/diffgeom"
	"mobanta/core/mesh"
	"mobanta/core/shape"
)

// Smoothed along it, a value that is even stays so.
func ExampleSheet_Spread() {
	rest, _ := mesh.Sphere(1, 16, 8).Surface(context.Background(), mesh.Form{})
	sh, _ := shape.Of(rest, nil, 0)
	s := diffgeom.NewSheet(sh, false)
	values := make([]float64, len(s.Area))
	for i := range values {
		values[i] = 7
	}
	s.Spread(values, 0.3, 1)
	fmt.Printf("%.3f\n", values[0])
	// Output: 7.000
}

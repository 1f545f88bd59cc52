package texture_test

import (
	"fmt"

	"mobanta/core/texture"
)

// Without jitter centres stand in rows, a cell apart: in the middle of a cell one is nearest, and its border is half a cell away.
func ExampleCells() {
	n := texture.Cells(0.5, 0.5, 0.5, 0, texture.Straight, texture.SeedOf(1), 0)
	fmt.Printf("%.1f\n", n.First)
	// Output: 0.0
}

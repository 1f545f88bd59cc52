package pattern_test

import (
	"fmt"

	"mobanta/core/pattern"
)

// Where the second layer of strokes begins, the first is as full as is asked.
func ExampleHatch_Shares() {
	h := pattern.Hatch{Layers: 2, Full: 0.5}
	share := h.Shares(0.5)
	fmt.Printf("%.2f %.2f\n", share[0], share[1])
	// Output: 0.50 0.00
}

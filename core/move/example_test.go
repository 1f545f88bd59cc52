package move_test

import (
	"fmt"

	"mobanta/core/move"
)

// There and back again over the whole loop.
func ExampleMove_At() {
	m := move.Move{From: move.Value{10}, To: move.Value{30}}
	for _, phase := range []float64{0, 0.25, 0.5, 1} {
		fmt.Printf("%.0f ", m.At(phase, nil)[0])
	}
	// Output: 10 20 30 10
}

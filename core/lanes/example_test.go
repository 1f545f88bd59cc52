package lanes_test

import (
	"fmt"

	"mobanta/core/lanes"
)

func ExampleFall() {
	out := make([]float32, 4)
	lanes.Fall(out, []float32{-1, 0, 1, 2}, 1.5, 1)
	fmt.Println(out)
	// Output: [1 1 0.5 0]
}

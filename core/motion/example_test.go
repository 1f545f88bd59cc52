package motion_test

import (
	"fmt"

	"mobanta/core/motion"
)

// Weights are made to add up to 1.
func ExampleEven() {
	fmt.Println(motion.Even([motion.MaxJoints]float32{1, 1}))
	// Output: [0.5 0.5 0 0 0 0 0 0] true
}

package finish_test

import (
	"fmt"

	"mobanta/core/color"
	"mobanta/core/finish"
)

// One doubling of the light.
func ExampleGraded() {
	g := finish.Grade{On: true, Exposure: 1}
	fmt.Printf("%.2f\n", g.Ready().At(color.C{0.1, 0.2, 0.3}))
	// Output: [0.20 0.40 0.60]
}

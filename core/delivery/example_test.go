package delivery_test

import (
	"fmt"

	"mobanta/core/delivery"
	"mobanta/core/project"
)

// What cannot be is refused in words before anything is drawn.
func ExampleOrder_Check() {
	o := delivery.Order{As: "png8", W: 0, H: 100}
	fmt.Println(o.Check(project.New("Harbour")) != nil)
	// Output: true
}

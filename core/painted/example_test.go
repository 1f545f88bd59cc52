package painted_test

import (
	"fmt"

	"mobanta/core/painted"
	"mobanta/demo"
)

// An order is checked before anything of it is drawn.
func ExampleOrder_Check() {
	p, _, err := demo.Keep()
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, o := range []painted.Order{{Outline: 2}, {Outline: 200}, {Models: []string{"gone"}}} {
		fmt.Println(o.Check(p, 512, 512))
	}
	// Output:
	// <nil>
	// painted: an outline is 0 to 100 thousandths of the model wide, not 200
	// painted: a model is not there any more
}

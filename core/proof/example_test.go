package proof_test

import (
	"fmt"

	"mobanta/core/project"
	"mobanta/core/proof"
)

// The sun from three sides.
func ExampleSheet() {
	p := project.New("Harbour")
	s := proof.Sheet{Axes: []proof.Axis{{Of: "sun/sun", Values: []string{"0", "90", "180"}}}}
	plan, err := s.Plan(p)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(plan.Cells(), err)
	// Output: 3 <nil>
}

package layout_test

import (
	"fmt"

	"mobanta/core/layout"
	"mobanta/core/node"
	"mobanta/core/project"
)

// A new look has four cards.
func ExampleLay() {
	n := project.New("Harbour").Looks[0].Network
	l := layout.Lay(&n, node.Catalogue{}, layout.Sizes{}, nil)
	fmt.Println(len(l.Cards))
	// Output: 4
}

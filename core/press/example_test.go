package press_test

import (
	"fmt"

	"mobanta/core/press"
)

func ExampleNew() {
	p := press.New(press.Sets[0])
	fmt.Println(p.On, len(p.Inks) > 0, p.Check())
	// Output: true true <nil>
}

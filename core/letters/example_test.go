package letters_test

import (
	"fmt"

	"mobanta/core/letters"
)

func ExamplePen_Fitting() {
	p := letters.NewPen(12)
	s, err := p.Fitting("The harbour at dusk, before the lamp is lit", 100)
	w, _ := p.Width(s)
	fmt.Println(w <= 100, err)
	// Output: true <nil>
}

package film_test

import (
	"fmt"

	"mobanta/core/film"
)

// A pixel in premultiplied linear light, made bytes: sRGB, not premultiplied.
func ExampleChain_Pixel() {
	f := &film.Film{W: 1, H: 1, Passes: 1, Base: []float32{0.5, 0.25, 0, 1}}
	fmt.Println(film.Chain{}.Pixel(f, 0, 0))
	// Output: [188 137 0 255]
}

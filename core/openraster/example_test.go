package openraster_test

import (
	"fmt"
	"image"
	"image/color"

	"mobanta/core/openraster"
)

// A layer is as large as what can be seen of it.
func ExamplePack() {
	pix := image.NewNRGBA(image.Rect(0, 0, 100, 80))
	pix.Set(40, 30, color.NRGBA{R: 200, A: 255})
	pix.Set(45, 37, color.NRGBA{R: 200, A: 128})
	_, at, err := openraster.Pack(pix)
	fmt.Println(at, err)
	// Output: (40,30) <nil>
}

package frame_test

import (
	"bytes"
	"context"
	"fmt"
	"image/png"

	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/project"
)

func ExampleDraw() {
	p := project.New("Harbour")
	p.Apply(&project.Edit{Op: "model.add", Kind: "cube"})
	pic, err := frame.Draw(context.Background(), p, meshfile.Files(nil), frame.Order{W: 64, H: 40, Samples: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	var b bytes.Buffer
	err = pic.Write(&b, frame.PNG8)
	size, _ := png.DecodeConfig(&b)
	fmt.Println(size.Width, size.Height, err)
	// Output: 64 40 <nil>
}

package reel_test

import (
	"fmt"

	"mobanta/core/reel"
)

func ExampleReel() {
	r := reel.New[string](nil, 1<<20)
	defer r.Close()
	r.Put("dusk", reel.Frame{W: 1, H: 1, Pix: []byte{20, 30, 60, 255}, Passes: 16, Done: true})
	f, ok := r.Get("dusk", nil)
	fmt.Println(f.Pix, f.Passes, ok)
	// Output: [20 30 60 255] 16 true
}

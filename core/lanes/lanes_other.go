//go:build !amd64

package lanes

// Wide tells whether the processor does eight sums at once.
const Wide = false

func affineAVX2(out, x, y *float32, n int, ax, ay, b float32) {}

func mixAVX2(out, from, to, part *float32, n int) {}

func fallAVX2(out, v *float32, n int, top, by float32) {}

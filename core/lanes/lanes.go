// Package lanes does sums on whole rows of numbers, eight at a time where the processor can. What
// it gives is the same to the bit either way: no step is left out and none is joined with another.
package lanes

// The rows of a call are as long as its first, or longer.

// Affine makes of each place x, y the sum ax·x + ay·y + b.
func Affine(out, x, y []float32, ax, ay, b float32) {
	n := 0
	if Wide && len(out) >= 8 {
		n = len(out) &^ 7
		x, y := x[:len(out)], y[:len(out)]
		affineAVX2(&out[0], &x[0], &y[0], n, ax, ay, b)
	}
	for i := n; i < len(out); i++ {
		out[i] = float32(float32(x[i]*ax)+float32(y[i]*ay)) + b
	}
}

// Mix goes from one number to another as far as part says: from + (to-from)·part. out may be any
// of the others.
func Mix(out, from, to, part []float32) {
	n := 0
	if Wide && len(out) >= 8 {
		n = len(out) &^ 7
		from, to, part := from[:len(out)], to[:len(out)], part[:len(out)]
		mixAVX2(&out[0], &from[0], &to[0], &part[0], n)
	}
	for i := n; i < len(out); i++ {
		out[i] = from[i] + float32((to[i]-from[i])*part[i])
	}
}

// Fall makes of each number (top-v)·by, but 0 where that is less, or no number, and 1 where it is more.
func Fall(out, v []float32, top, by float32) {
	n := 0
	if Wide && len(out) >= 8 {
		n = len(out) &^ 7
		v := v[:len(out)]
		fallAVX2(&out[0], &v[0], n, top, by)
	}
	for i := n; i < len(out); i++ {
		out[i] = Part((top - v[i]) * by)
	}
}

// Part returns v, but 0 where it is less, or no number, and 1 where it is more.
func Part(v float32) float32 {
	switch {
	case !(v > 0):
		return 0
	case v > 1:
		return 1
	}
	return v
}

//go:build !amd64

package pattern

func tableAVX2(*look, int) {}

func ranksAVX2(*look, int) {}

func strokesAVX2(*strokes, int) {}

func sharesAVX2(out, asked, table *float32, n, stride, layers int) {}

package pattern

// The loops of ink.go and hatch.go over n places, a multiple of eight that is not 0, in eight_amd64.s.
// Shares are in rows of layers, stride numbers apart.

//go:noescape
func tableAVX2(l *look, n int)

//go:noescape
func ranksAVX2(l *look, n int)

//go:noescape
func strokesAVX2(s *strokes, n int)

//go:noescape
func sharesAVX2(out, asked, table *float32, n, stride, layers int)

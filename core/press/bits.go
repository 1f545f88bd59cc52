package press

import (
	"cmp"
	"math"
	"slices"
)

// Bits returns in which pixels ink k is printed where there is ink or none: covers tells how much of each of w × h pixels, row by
// row, the plate covers, as Sheet.Plate does for the whole picture. In each cell of the screen as many pixels have ink as the
// plate covers there in all, those first that it covers most; what is left over of a pixel goes on to the next cell. So an
// area has as much ink as is asked, however few pixels a cell has; cutting at half would print none of what covers no pixel by
// half, and all of what covers each by a little more.
func (r *Ready) Bits(k, w, h int, covers []float32) []bool {
	l := &r.inks[k]
	cell := func(x, y int) (i, j int) {
		u, v := l.at(float32(x), float32(y), h)
		return int(math.Floor(float64(u))), int(math.Floor(float64(v)))
	}
	i0, j0, i1, j1 := math.MaxInt, math.MaxInt, math.MinInt, math.MinInt
	for _, c := range [4][2]int{{0, 0}, {w - 1, 0}, {0, h - 1}, {w - 1, h - 1}} {
		i, j := cell(c[0], c[1])
		i0, j0, i1, j1 = min(i0, i-1), min(j0, j-1), max(i1, i+1), max(j1, j+1)
	}
	wide := i1 - i0 + 1
	from := make([]int32, wide*(j1-j0+1)+1) // of each cell, and the next: where its pixels begin
	of := make([]int32, w*h)
	for p := range of {
		i, j := cell(p%w, p/w)
		of[p] = int32((j-j0)*wide + i - i0)
		from[of[p]+1]++
	}
	for c := 1; c < len(from); c++ {
		from[c] += from[c-1]
	}
	next, pixels := slices.Clone(from), make([]int32, w*h)
	for p, c := range of {
		pixels[next[c]] = int32(p)
		next[c]++
	}
	out := make([]bool, w*h)
	left := float64(0)
	for c := range len(from) - 1 {
		mine := pixels[from[c]:from[c+1]]
		sum := float64(0)
		for _, p := range mine {
			sum += float64(covers[p])
		}
		if sum <= 0 {
			continue // paper stays bare
		}
		n := max(0, min(len(mine), int(math.Floor(sum+left+0.5))))
		if sum >= float64(len(mine))-1e-3 {
			n = len(mine)
		}
		left = max(-1, min(1, left+sum-float64(n)))
		slices.SortStableFunc(mine, func(a, b int32) int { return cmp.Compare(covers[b], covers[a]) })
		for _, p := range mine[:n] {
			out[p] = true
		}
	}
	return out
}

package shade

import (
	"context"

	"mobanta/core/parallel"
	"mobanta/core/sample"
	"mobanta/core/vec"
)

// alike tells whether two samples lie on one smooth stretch of a surface: their
// normals are near each other, and neither stands out of the other's plane.
func alike(a *sample.Points, i int, b *sample.Points, k int) bool {
	if a.PartOf[i] != b.PartOf[k] {
		return false
	}
	n := at(&a.Norm, i)
	if n.Dot(at(&b.Norm, k)) < 0.9 {
		return false
	}
	d := at(&b.Pos, k).Sub(at(&a.Pos, i))
	out := d.Dot(n)
	return out*out <= 0.07*d.Dot(d)
}

// around are the pixels about one.
var around = [8][2]int{{-1, 0}, {1, 0}, {0, -1}, {0, 1}, {-1, -1}, {1, -1}, {-1, 1}, {1, 1}}

// uneven tells whether a share lies between 0 and 1, or one beside it does or
// differs.
func uneven(set *sample.Points, i int, grid *sample.Grid, share []float32) bool {
	s := share[i]
	if s > 0 && s < 1 {
		return true
	}
	x, y := pixel(set, i)
	for _, d := range around {
		if k := grid.At(x+d[0], y+d[1]); k >= 0 && share[k] != s && alike(set, i, set, int(k)) {
			return true
		}
		if k := grid.At(x+3*d[0], y+3*d[1]); k >= 0 && share[k] != s && alike(set, i, set, int(k)) {
			return true
		}
	}
	return false
}

// smooth takes the noise out of what few rays have found: means over pixels that
// lie on one stretch of surface and differ by no more than chance explains, each
// round over twice the distance (à trous: Dammertz et al. 2010). The planes that
// come in stay as they are.
func smooth(ctx context.Context, set *sample.Points, planes [][]float32, rays, rounds, workers int) [][]float32 {
	grid := set.Grid()
	noise := 1.2 / vec.Sqrt(float32(rays))
	for round := range rounds {
		step := 1 << round
		out := make([][]float32, len(planes))
		for k := range out {
			out[k] = make([]float32, set.N)
		}
		parallel.Do(workers, (set.N+chunk-1)/chunk, func(job int) {
			if ctx.Err() != nil {
				return
			}
			for i := job * chunk; i < min(set.N, (job+1)*chunk); i++ {
				smoothed(set, i, grid, planes, out, step, noise)
			}
		})
		planes = out
		noise /= 2
	}
	return planes
}

func smoothed(set *sample.Points, i int, grid *sample.Grid, planes, out [][]float32, step int, noise float32) {
	var mean [3]float32
	for c := range planes {
		mean[c] = planes[c][i]
	}
	own := mean
	weight := float32(1)
	x, y := pixel(set, i)
	if len(planes) == 1 { // most places are wholly lit or wholly dark, and so are those about them
		even := true
		for _, d := range around {
			if k := grid.At(x+d[0]*step, y+d[1]*step); k >= 0 && planes[0][k] != own[0] {
				even = false
				break
			}
		}
		if even {
			out[0][i] = own[0]
			return
		}
	}
	for _, d := range around {
		k := grid.At(x+d[0]*step, y+d[1]*step)
		if k < 0 {
			continue
		}
		same, far := true, false
		for c := range planes {
			v := planes[c][k]
			same = same && v == own[c]
			// What is bright may differ by more.
			if diff := v - own[c]; diff > noise*max(1, v) || -diff > noise*max(1, own[c]) {
				far = true
			}
		}
		if far || !same && !alike(set, i, set, int(k)) {
			continue
		}
		w := float32(1)
		if d[0] != 0 && d[1] != 0 {
			w = 0.5
		}
		weight += w
		for c := range planes {
			mean[c] += planes[c][k] * w
		}
	}
	for c := range planes {
		out[c][i] = mean[c] / weight
	}
}

// between fills v with what the base has found, blended from the pixels about
// sample i that lie on the same stretch of surface; false if there are too few.
func between(set *sample.Points, i int, base *sample.Points, grid *sample.Grid, planes [][]float32, v []float32) bool {
	px, py := pixel(set, i)
	other := base.Pixels().At
	dx, dy := set.Pixels().Place(i)
	x, y := float32(px)+dx-other[0], float32(py)+dy-other[1]
	ix, iy := floor(x), floor(y)
	tx, ty := x-float32(ix), y-float32(iy)
	var sum float32
	clear(v)
	for k, w := range [4]float32{(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty} {
		j := grid.At(ix+k%2, iy+k/2)
		if w <= 0 || j < 0 || !alike(set, i, base, int(j)) {
			continue
		}
		sum += w
		for c := range v {
			v[c] += planes[c][j] * w
		}
	}
	if sum < 0.25 {
		return false
	}
	for c := range v {
		v[c] /= sum
	}
	return true
}

func floor(x float32) int {
	i := int(x)
	if float32(i) > x {
		i--
	}
	return i
}

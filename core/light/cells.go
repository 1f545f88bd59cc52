package light

import (
	"math"
	"sort"

	"mobanta/core/color"
	"mobanta/core/parallel"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

// cells is a panorama as means over the cells of a grid, fine enough that a sun in
// it throws the shadow of a sun, and how much of its light comes from where.
type cells struct {
	mean []color.C // row by row from the top
	col  []float32 // for each row, the luminance of the cells up to and without each, and of all
	row  []float64 // the light, luminance times steradians, of the rows up to and without each, and of all
	kept []sought  // what sample gives at the middles of keptN × keptN places of the unit square
}

// sought is a direction, the mean of the cell there, and how often it is sought, per
// steradian.
type sought struct {
	dir     vec.V
	mean    color.C
	density float32
}

const (
	cellsW, cellsH = 512, 256
	keptN          = 256
	brightest      = 1e9 // a thousand times the sun at noon; files can claim 10³⁸, which does not add up
)

// band is a row of cells: the cosines at its upper and lower side.
func band(j int) (upper, lower float64) {
	return math.Cos(float64(j) / cellsH * math.Pi), math.Cos(float64(j+1) / cellsH * math.Pi)
}

// cellArea is what a cell of a row takes of the sky, in steradians.
func cellArea(j int) float64 {
	upper, lower := band(j)
	return (upper - lower) * 2 * math.Pi / cellsW
}

func newCells(pic *pixmap.Pixmap) *cells {
	c := &cells{mean: make([]color.C, cellsW*cellsH), col: make([]float32, (cellsW+1)*cellsH), row: make([]float64, cellsH+1)}
	workers := parallel.Cores()
	parallel.Do(workers, cellsH, func(j int) {
		sums := c.col[j*(cellsW+1):][:cellsW+1]
		for i := range cellsW {
			m := &c.mean[j*cellsW+i]
			*m = meanOf(pic, i, j)
			sums[i+1] = sums[i] + m.Luminance()
		}
	})
	for j := range cellsH {
		c.row[j+1] = c.row[j] + float64(c.col[(j+1)*(cellsW+1)-1])*cellArea(j)
	}
	c.kept = make([]sought, keptN*keptN)
	parallel.Do(workers, keptN, func(j int) {
		for i := range keptN {
			c.kept[j*keptN+i] = c.sample((float64(i)+0.5)/keptN, (float64(j)+0.5)/keptN)
		}
	})
	return c
}

// seek is sample at the place that is kept nearest to (x, y): a ray takes longer to
// find than to follow otherwise.
func (c *cells) seek(x, y float32) *sought {
	return &c.kept[min(keptN-1, int(y*keptN))*keptN+min(keptN-1, int(x*keptN))]
}

// meanOf returns the mean of a picture over a cell. Every pixel counts: a sun may be
// one of eight million.
func meanOf(pic *pixmap.Pixmap, i, j int) (m color.C) {
	x0, x1, y0, y1 := i*pic.W/cellsW, (i+1)*pic.W/cellsW, j*pic.H/cellsH, (j+1)*pic.H/cellsH
	n := float32((x1 - x0) * (y1 - y0))
	if pic.W < cellsW || pic.H < cellsH {
		m = pic.Latlong((float64(i)+0.5)/cellsW, (float64(j)+0.5)/cellsH)
		return color.C{min(m[0], brightest), min(m[1], brightest), min(m[2], brightest)}
	}
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			v, _ := pic.At(x, y)
			for k := range m {
				m[k] += min(v[k], brightest) / n
			}
		}
	}
	return m
}

// at returns the mean of the cell in a direction, and how likely sample is to go
// there, per steradian.
func (c *cells) at(dir vec.V) (color.C, float32) {
	u, v := angles(dir)
	m := c.mean[min(cellsH-1, int(v*cellsH))*cellsW+min(cellsW-1, int(u*cellsW))]
	return m, c.density(m)
}

func (c *cells) density(m color.C) float32 {
	if all := c.row[cellsH]; all > 0 {
		return float32(float64(m.Luminance()) / all)
	}
	return 0
}

// sample returns a direction for a place of the unit square, places in proportion
// to their luminance. It keeps what is even about a set of places. Of a black
// picture it returns a density of 0.
func (c *cells) sample(x, y float64) (out sought) {
	want := y * c.row[cellsH]
	j := min(cellsH-1, sort.Search(cellsH, func(j int) bool { return c.row[j+1] > want }))
	sums := c.col[j*(cellsW+1):][:cellsW+1]
	across := float32(x) * sums[cellsW]
	i := min(cellsW-1, sort.Search(cellsW, func(i int) bool { return sums[i+1] > across }))
	out.mean = c.mean[j*cellsW+i]
	if out.density = c.density(out.mean); out.density == 0 {
		return out
	}
	down := max(0, min(1, (want-c.row[j])/(c.row[j+1]-c.row[j])))
	along := float64(max(0, min(1, (across-sums[i])/(sums[i+1]-sums[i]))))
	upper, lower := band(j)
	cos := upper + (lower-upper)*down
	sin := math.Sqrt(max(0, 1-cos*cos))
	s, k := math.Sincos(((float64(i)+along)/cellsW - 0.5) * 2 * math.Pi)
	out.dir = vec.V{float32(sin * s), float32(cos), float32(sin * k)}
	return out
}

// parcels returns the light of w × h larger cells, each from the middle of what is
// bright in it.
func (c *cells) parcels(w, h int) []parcel {
	out := make([]parcel, w*h)
	for j := range cellsH {
		area := float32(cellArea(j))
		for i := range cellsW {
			p, m := &out[j*h/cellsH*w+i*w/cellsW], c.mean[j*cellsW+i]
			p.area += area
			for k := range m {
				p.c[k] += m[k] * area
			}
			p.dir = p.dir.Add(latlong((float64(i)+0.5)/cellsW, (float64(j)+0.5)/cellsH).Mul((m.Luminance() + 1e-12) * area))
		}
	}
	for k := range out {
		p := &out[k]
		p.dir = p.dir.Unit()
		for b := range p.c {
			p.c[b] /= p.area
		}
	}
	return out
}

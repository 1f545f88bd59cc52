package press

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/color"
)

// printed is the mean of what a press prints for one colour all over a picture of so many lines.
func printed(p *Press, c color.C, lines int) (mean color.C) {
	sheet := p.Ready(lines).Part(0, 0, lines, lines, lines, func(int, int) color.C { return c })
	var sum [3]float64
	for y := range lines {
		for x := range lines {
			for i, v := range sheet.At(x, y) {
				sum[i] += float64(v)
			}
		}
	}
	for i, v := range sum {
		mean[i] = float32(v / float64(lines*lines))
	}
	return mean
}

// What is printed comes to the colour that was planned, though screens of like density a third of a right angle apart cover each
// other otherwise than by chance: where two of them lie the third does, or does not. So it does for two inks on the same screen.
func TestThePrintComesToTheColour(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	twins := Set{Inks: slices.Clone(Sets[1].Inks)}
	twins.Inks[1].Angle = twins.Inks[0].Angle + 90
	twins.Inks[1].Opacity, twins.Inks[2].Opacity = 0.5, 0.8
	for name, set := range map[string]Set{"process": Sets[0], "three": Sets[1], "twins": twins} {
		for _, slip := range []float64{0, 4} {
			for _, hex := range []string{"#806070", "#607080", "#504848"} {
				p := New(set)
				p.Slip = slip
				c := color.MustHex(hex)
				ready := p.Ready(360)
				s := ready.Separate(c)
				assert.Less(t, apart(printed(&p, c, 360), ready.Mean(&s)), 0.35, "%s, off by %v, %s", name, slip, hex)
				if name == "process" {
					assert.Less(t, apart(c, ready.Mean(&s)), 0.1, "it can be had: %s", hex)
				}
			}
		}
	}
}

// Only screens with a beat as long as the picture are measured.
func TestWhichScreensBeat(t *testing.T) {
	for key, want := range map[string][][]int{"process": {{0, 1, 3}}, "three": nil, "black": nil} {
		set := Sets[slices.IndexFunc(Sets, func(s Set) bool { return s.Key == key })]
		p := New(set)
		assert.Equal(t, want, p.Ready(500).beating(500), key)
	}
	p := New(Sets[0])
	p.Inks[3].Density = 79
	assert.Empty(t, p.Ready(500).beating(500), "four beats in the picture even out")
	p.Inks[3].Angle = p.Inks[0].Angle - 180
	p.Inks[3].Density = p.Inks[0].Density
	assert.Equal(t, [][]int{{0, 3}}, p.Ready(500).beating(500))
}

// The mixed derivative is the difference of differences of the mean with none and all of each ink.
func TestTogetherIsTheMixedDerivative(t *testing.T) {
	r := rand.New(rand.NewPCG(26, 4))
	for range 200 {
		p := New(Sets[0])
		for k := range p.Inks {
			p.Inks[k].Opacity, p.Inks[k].Angle, p.Inks[k].Density = r.Float64(), float64(20*k), 60+20*float64(k) // none beats
		}
		ready := p.Ready(300)
		var s Shares
		for k := range p.Inks {
			s[k] = r.Float32()
		}
		for _, inks := range [][]int{{0, 1}, {1, 3}, {0, 1, 2}, {0, 2, 3}, {1, 2, 3}} {
			var want color.C
			for bits := range 1 << len(inks) {
				at, sign := s, float32(1)
				for i, k := range inks {
					at[k] = float32(bits >> i & 1)
					if bits>>i&1 == 0 {
						sign = -sign
					}
				}
				for i, v := range ready.Mean(&at) {
					want[i] += sign * v
				}
			}
			got := ready.together(inks, &s)
			for i := range want {
				assert.InDelta(t, want[i], got[i], 1e-5)
			}
		}
	}
}

// Rough edges take ink from one place to the next, as much as asked, and none from the whole.
func TestRoughEdgesMoveInkAbout(t *testing.T) {
	const lines, side = 400, 16 // a cell is so many pixels wide
	const across = lines / side
	spread := func(rough float64, share float32) (mean, deviation, along, down float64) {
		p := New(Sets[2])
		p.Inks[0].Density, p.Inks[0].Angle, p.Rough = lines/side, 0, rough
		sheet := p.Ready(lines).Part(0, 0, lines, lines, lines, func(int, int) color.C { return color.C{} })
		for i := range sheet.shares {
			sheet.shares[i][0] = share
		}
		var cells []float64
		for y := 0; y < lines; y += side {
			for x := 0; x < lines; x += side {
				sum := 0.0
				for i := range side * side {
					sum += float64(sheet.Plate(0, x+i%side, y+i/side))
				}
				cells = append(cells, sum/(side*side))
				mean += sum / (side * side)
			}
		}
		mean /= float64(len(cells))
		for i, c := range cells {
			deviation += (c - mean) * (c - mean)
			right, below := cells[i/across*across+(i+1)%across], cells[(i+across)%len(cells)]
			along, down = along+(c-right)*(c-right)/2, down+(c-below)*(c-below)/2
		}
		n := float64(len(cells))
		return mean, math.Sqrt(deviation / n), math.Sqrt(along / n), math.Sqrt(down / n)
	}
	for _, share := range []float32{0.2, 0.5, 0.8} {
		even, none, _, _ := spread(0, share)
		half, some, _, _ := spread(0.5, share)
		whole, most, along, down := spread(1, share)
		assert.Greater(t, along, most/2, "%v: from cell to cell", share)
		assert.Greater(t, down, most/2, "%v: from row to row", share)
		assert.Less(t, none, 0.004, share)
		assert.InDelta(t, even, half, 0.01, share)
		assert.InDelta(t, even, whole, 0.015, share)
		room := float64(min(share, 1-share))
		assert.Greater(t, most, 0.02*room, share)
		assert.Less(t, most, 0.07*room, share)
		assert.InDelta(t, most/2, some, 0.25*most, "%v: half as rough, half as much", share)
	}
}

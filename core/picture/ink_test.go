package picture_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// sheet is a flat square that fills a picture of w × w pixels, of n × n fields.
func sheet(t testing.TB, n int) *stage.Scene {
	sc := stagetest.Of(t, mesh.Grid("sheet", n, n, func(u, v float64) vec.V { return vec.V{float32(4*u - 2), float32(4*v - 2), 0} }))
	sc.Stage.Camera = stage.Camera{Distance: 3, Angle: 30, Ortho: true}
	return stagetest.Again(t, sc)
}

// inkOf returns the mean of a picture, white being ink, after its first position and
// once it has settled.
func inkOf(t testing.TB, sc *stage.Scene, net *network.Network, w, samples int) (first, settled float64) {
	t.Helper()
	mean := func(res *picture.Result) (sum float64) {
		for i := range w * w {
			c, _ := res.At(i)
			sum += float64(c[0])
		}
		return sum / float64(w*w)
	}
	shown := 0
	require.NoError(t, picture.NewRenderer(2).Render(t.Context(), job(sc, net, w, w, samples), func(res *picture.Result) {
		if shown++; shown == 1 {
			first = mean(res)
		}
		settled = mean(res)
	}))
	return first, settled
}

// patterns are stripes and dots of size pixels a cell, the share of ink that is asked for,
// and an angle. Their phase falls between the pixels' middles.
func patterns(w int, size, share, angle float64) map[string]string {
	place := `{"id":"page","kind":"Coordinates","set":{"space":"page"}},{"id":"end","kind":"Finish","in":{"colour":"ink.value"}},`
	s, c := math.Sincos(angle * math.Pi / 180)
	turned := fmt.Sprintf("(p.x * %.9f + p.y * %.9f) * %.9f", c, s, float64(w)/size)
	across := fmt.Sprintf("(p.y * %.9f - p.x * %.9f) * %.9f", c, s, float64(w)/size)
	formula := func(text string) string {
		return place + fmt.Sprintf(`{"id":"ink","kind":"Formula","set":{"text":%q,"inputs":[{"key":"p","type":"vector"}]},"in":{"p":"page.vector"}}`, text)
	}
	out := map[string]string{
		"stripes":      formula(fmt.Sprintf("fract(%s + 0.11) < %v ? 1.0 : 0.0", turned, share)),
		"step of mod":  formula(fmt.Sprintf("1.0 - step(%v, mod(%s + 0.11, 1.0))", share, turned)),
		"by its sine":  formula(fmt.Sprintf("sin(6.283185307 * (%s)) > %.9f ? 1.0 : 0.0", turned, math.Cos(math.Pi*share))),
		"whole number": formula(fmt.Sprintf("float(int(floor((%s) * 10.0 + 0.7 + 100000.0)) %% 10) < %.1f ? 1.0 : 0.0", turned, 10*share)),
		"nodes": place + fmt.Sprintf(`{"id":"along","kind":"Formula","set":{"text":%q,"inputs":[{"key":"p","type":"vector"}]},"in":{"p":"page.vector"}},
			{"id":"saw","kind":"Maths","set":{"operation":"fraction"},"in":{"a":"along.value"}},
			{"id":"cut","kind":"Soft step","in":{"tone":"saw.value","threshold":%v}},{"id":"ink","kind":"Maths","set":{"operation":"invert"},"in":{"a":"cut.tone"}}`, turned+" + 0.11", share),
		"a thin band": place + fmt.Sprintf(`{"id":"along","kind":"Formula","set":{"text":%q,"inputs":[{"key":"p","type":"vector"}]},"in":{"p":"page.vector"}},
			{"id":"saw","kind":"Maths","set":{"operation":"fraction"},"in":{"a":"along.value"}},
			{"id":"bands","kind":"Ramp","set":{"stops":[{"at":0,"color":"#000000"},{"at":0.25,"color":"#FFFFFF"},{"at":%v,"color":"#000000"}]},"in":{"tone":"saw.value"}},
			{"id":"ink","kind":"Maths","set":{"operation":"add","carries":"vector"},"in":{"a":"bands.colour","b":[0,0,0]}}`, turned, 0.25+share),
	}
	if r := math.Sqrt(share / math.Pi); r < 0.5 {
		out["dots"] = formula(fmt.Sprintf("length(vec2(fract(%s + 0.13), fract(%s + 0.37)) - 0.5) < %.9f ? 1.0 : 0.0", turned, across, r))
	}
	return out
}

// The share of ink is what was asked for, however fine the pattern.
func TestNothingFineIsLost(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	const w = 80
	sc := sheet(t, 7)
	for i, size := range []float64{2, 2.7, 5, 16} {
		for k, share := range []float64{0.1, 0.3, 0.5} {
			angle := []float64{0, 20, 45}[(i+k)%3] // each size and each share at each angle
			for name, nodes := range patterns(w, size, share, angle) {
				_, settled := inkOf(t, sc, look(t, nodes), w, 16)
				assert.InDelta(t, share, settled, 0.01, "%s of %v pixels at %v°", name, size, angle)
			}
		}
	}
}

// even is a kind that gives stripes across the page and takes their mean over the
// footprint by itself.
func even(cells, share float32) *node.Kind {
	return &node.Kind{
		Spec:  network.Spec{Kind: "test-even", Name: "Test even", Family: "pattern", Purpose: "-", Outputs: []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}}},
		Needs: sample.Page,
		Run: func(c *node.Call) {
			h := cells / float32(c.Points.View.H) / 2 // half a pixel, in cells
			sum := func(x float32) float32 {          // of the ink up to x
				n := float32(math.Floor(float64(x)))
				return n*share + min(x-n, share)
			}
			for i := range c.N {
				x := c.Points.Page[0][c.Lo+i] * cells
				c.Out[0][0][i] = (sum(x+h) - sum(x-h)) / (2 * h)
			}
		},
	}
}

func TestAKernelThatTakesTheMeanIsRightAtOnce(t *testing.T) {
	const w = 96
	sc := sheet(t, 3)
	for _, size := range []float32{2, 2.7, 4, 8, 16} {
		for _, share := range []float32{0.1, 0.3, 0.5} {
			remove := node.Add(even(w/size, share))
			first, settled := inkOf(t, sc, look(t, `{"id":"ink","kind":"test-even"},{"id":"end","kind":"Finish","in":{"colour":"ink.tone"}}`), w, 16)
			assert.InDelta(t, share, first, 0.03)
			assert.InDelta(t, share, settled, 0.01)
			remove()
		}
	}
}

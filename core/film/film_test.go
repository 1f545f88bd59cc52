package film_test

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/film"
	"mobanta/core/stage"
)

// noise is a film of chance values, refined and with lines here and there.
func noise(w, h int) *film.Film {
	r := rand.New(rand.NewPCG(1, 2))
	f := &film.Film{W: w, H: h, Passes: 4, InkPasses: 2, Base: make([]float32, 4*w*h), Delta: make([]float32, 4*w*h), Ink: make([]float32, 4*w*h)}
	for i := range w * h {
		a := float32(r.IntN(3)) / 2
		for k := range 3 {
			f.Base[4*i+k] = r.Float32() * a
		}
		f.Base[4*i+3] = a
		if r.IntN(3) == 0 {
			f.Delta[4*i], f.Delta[4*i+3] = r.Float32(), -a
		}
		if r.IntN(3) == 0 {
			c := r.Float32()
			f.Ink[4*i+1], f.Ink[4*i+3] = c, 2*c
		}
	}
	return f
}

// smear is a stage that takes the mean over a square.
type smear int

func (smear) Name() string { return "smear" }
func (s smear) Reach() int { return int(s) }
func (s smear) Apply(t *film.Tile) {
	src := bytesOf(t.Pix)
	w, h := t.Rect.Dx(), t.Rect.Dy()
	for y := range h {
		for x := range w {
			for k := range 4 {
				sum, n := float32(0), float32(0)
				for j := max(0, y-int(s)); j <= min(h-1, y+int(s)); j++ {
					for i := max(0, x-int(s)); i <= min(w-1, x+int(s)); i++ {
						sum, n = sum+src[4*(j*w+i)+k], n+1
					}
				}
				t.Pix[4*(y*w+x)+k] = sum / n
			}
		}
	}
}

func bytesOf(p []float32) []float32 { return append([]float32(nil), p...) }

func TestAFilmIsTheMeanOfItsPassesUnderItsLines(t *testing.T) {
	f := &film.Film{W: 1, H: 1, Passes: 4, InkPasses: 2, Base: []float32{0.2, 0.4, 0.1, 0.5}, Delta: []float32{0.8, 0, 0, 1}, Ink: []float32{1, 0, 0, 1}}
	// The mean is (0.4, 0.4, 0.1) under cover 0.75; half of it goes under ink of (0.5, 0, 0).
	v := f.At(0)
	for k, want := range [4]float32{0.7, 0.2, 0.05, 0.875} {
		assert.InDelta(t, want, v[k], 1e-6)
	}
	assert.True(t, f.Refined(0))
	assert.EqualValues(t, 0.5, f.Lined(0))
	assert.Zero(t, f.Bare().Lined(0))
	assert.EqualValues(t, 0.75, f.Bare().At(0)[3])
	f.Delta = nil
	assert.False(t, f.Refined(0))
}

func TestTheBackdropLiesUnder(t *testing.T) {
	f := &film.Film{W: 3, H: 1, Passes: 1, Base: []float32{0, 0, 0, 0, 0.25, 0.1, 0, 0.5, 0.9, 0.8, 0.7, 1}}
	under := film.Chain{film.Backdrop{Backdrop: stage.Backdrop{Color: color.C{0.2, 0.4, 0.6}}}}
	for i, want := range []color.C{{0.2, 0.4, 0.6}, {0.35, 0.3, 0.3}, {0.9, 0.8, 0.7}} {
		c, a := under.At(f, i)
		for k := range want {
			assert.InDelta(t, want[k], c[k], 1e-6)
		}
		assert.EqualValues(t, 1, a)
	}
	none := film.Chain{film.Backdrop{Backdrop: stage.Backdrop{None: true, Color: color.C{1, 1, 1}}}}
	c, a := none.At(f, 1)
	assert.Equal(t, color.C{0.25, 0.1, 0}, c)
	assert.EqualValues(t, 0.5, a)
}

// A stage that reaches gives the same in tiles as in one, wherever they are cut; and what
// changes within an area changes nothing beyond what Spread says.
func TestStagesThatReachAreRightInTiles(t *testing.T) {
	f := noise(61, 53)
	chain := film.Chain{smear(3), film.Backdrop{Backdrop: stage.Backdrop{Color: color.C{0.2, 0.4, 0.6}}}, smear(2)}
	assert.Equal(t, 5, chain.Reach())
	whole := chain.Tile(f, f.Bounds())
	for _, area := range []image.Rectangle{image.Rect(0, 0, 9, 9), image.Rect(20, 13, 21, 14), image.Rect(50, 40, 61, 53), image.Rect(-4, 30, 99, 32)} {
		tile := chain.Tile(f, area)
		require.Equal(t, area.Intersect(f.Bounds()), tile.Rect)
		for y := tile.Rect.Min.Y; y < tile.Rect.Max.Y; y++ {
			for x := tile.Rect.Min.X; x < tile.Rect.Max.X; x++ {
				for k := range 4 {
					require.InDelta(t, whole.Pix[4*(y*61+x)+k], tile.Pix[4*((y-tile.Rect.Min.Y)*tile.Rect.Dx()+x-tile.Rect.Min.X)+k], 1e-6)
				}
			}
		}
	}
	var seen [53]atomic.Int32
	chain.Each(f, image.Rect(5, 2, 40, 51), 2, func(y int, row []float32) {
		seen[y].Add(1)
		assert.Equal(t, whole.Pix[4*(y*61+5)], row[0])
		assert.Len(t, row, 4*35)
	})
	for y := range seen {
		want := int32(0)
		if y >= 2 && y < 51 {
			want = 1
		}
		assert.Equal(t, want, seen[y].Load(), "row %d", y)
	}
	one, many := make([]byte, 4*61*53), make([]byte, 4*61*53)
	chain.RGBA(f, one, f.Bounds(), 1)
	chain.RGBA(f, many, f.Bounds(), 3)
	assert.Equal(t, one, many)
	area := image.Rect(30, 20, 33, 25)
	for y := area.Min.Y; y < area.Max.Y; y++ {
		for x := area.Min.X; x < area.Max.X; x++ {
			f.Base[4*(y*61+x)] += 0.7
		}
	}
	f.Passes = 4
	after := make([]byte, len(one))
	chain.RGBA(f, after, f.Bounds(), 2)
	reach := chain.Spread(area, f.Bounds())
	assert.Equal(t, image.Rect(25, 15, 38, 30), reach)
	assert.NotEqual(t, one, after)
	chain.RGBA(f, one, reach, 2)
	assert.Equal(t, after, one, "developing what changed is enough")
	assert.True(t, chain.Spread(image.Rectangle{}, f.Bounds()).Empty())
}

func TestViewsAgreeWithEachPixel(t *testing.T) {
	f := noise(23, 17)
	chain := film.Chain{film.Backdrop{Backdrop: stage.Backdrop{None: true}}}
	pix := make([]byte, 4*23*17)
	chain.RGBA(f, pix, f.Bounds(), 2)
	var eight, sixteen bytes.Buffer
	require.NoError(t, chain.WritePNG(f, &eight, 8, 2))
	require.NoError(t, chain.WritePNG(f, &sixteen, 16, 2))
	require.Error(t, chain.WritePNG(f, &eight, 12, 2))
	low, err := png.Decode(&eight)
	require.NoError(t, err)
	high, err := png.Decode(&sixteen)
	require.NoError(t, err)
	for i := range 23 * 17 {
		v := f.At(i)
		want := [4]byte{}
		for k := range 3 {
			c := v[k]
			if v[3] > 0 && v[3] < 1 {
				c /= v[3]
			}
			want[k] = color.Byte(c)
		}
		want[3] = uint8(v[3]*255 + 0.5)
		require.Equal(t, want[:], pix[4*i:4*i+4])
		require.Equal(t, want, chain.Pixel(f, i%23, i/23))
		c := low.(*image.NRGBA).NRGBAAt(i%23, i/23)
		require.Equal(t, want, [4]byte{c.R, c.G, c.B, c.A})
		fine := high.(*image.NRGBA64).NRGBA64At(i%23, i/23)
		require.InDelta(t, v[3]*65535, fine.A, 0.51)
		if v[3] > 0 {
			require.InDelta(t, float64(want[0]), float64(fine.R)/257, 0.51)
		}
	}
	var pfm bytes.Buffer
	require.NoError(t, chain.WritePFM(f, &pfm))
	assert.Equal(t, "PF\n23 17\n-1.0\n", pfm.String()[:14])
	assert.Len(t, pfm.Bytes(), 14+12*23*17)
}

// Neighbours that differ in one component alone keep their own bytes, each component of
// what passes add counts, and a map of floats has its rows from the bottom up.
func TestEachComponentCounts(t *testing.T) {
	const w, h = 16, 8
	f := &film.Film{W: w, H: h, Passes: 2, Base: make([]float32, 4*w*h), Delta: make([]float32, 4*w*h)}
	r := rand.New(rand.NewPCG(3, 3))
	for i := range w * h {
		for k := range 3 {
			f.Base[4*i+k] = float32(r.IntN(2)) / 2
		}
		f.Base[4*i+3] = 1
		if r.IntN(2) == 0 {
			f.Delta[4*i+r.IntN(3)] = 0.5
		}
	}
	chain := film.Chain{film.Backdrop{Backdrop: stage.Backdrop{None: true}}}
	pix := make([]byte, 4*w*h)
	chain.RGBA(f, pix, f.Bounds(), 1)
	for i := range w * h {
		changed := false
		for k := range 3 {
			want := f.Base[4*i+k] + f.Delta[4*i+k]/2
			changed = changed || f.Delta[4*i+k] != 0
			require.Equal(t, color.Byte(want), pix[4*i+k], "pixel %d", i)
		}
		require.Equal(t, changed, f.Refined(i))
	}
	f.Delta[3] = -0.5
	f.Delta[0], f.Delta[1], f.Delta[2] = 0, 0, 0
	assert.True(t, f.Refined(0), "cover alone")
	var pfm bytes.Buffer
	require.NoError(t, chain.WritePFM(f, &pfm))
	data := pfm.Bytes()[len("PF\n16 8\n-1.0\n"):]
	for y := range h {
		for x := range w {
			for k := range 3 {
				at := 4 * (3*((h-1-y)*w+x) + k)
				require.Equal(t, f.At(y*w + x)[k], math.Float32frombits(binary.LittleEndian.Uint32(data[at:])))
			}
		}
	}
}

package pixmap

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
)

func coded(t testing.TB) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	copy(img.Pix, []byte{255, 0, 0, 255, 0, 255, 0, 255, 0, 0, 255, 255, 255, 255, 255, 128})
	var buf bytes.Buffer
	require.NoError(t, png.Encode(&buf, img))
	return buf.Bytes()
}

func ExamplePixmap_Lookup() {
	p := &Pixmap{W: 1, H: 1, Pix: []byte{255, 128, 0, 255}}
	c, a := p.Lookup(0.5, 0.5, Reading{Data: true})
	fmt.Printf("%.3f %v\n", c, a)
	// Output: [1.000 0.502 0.000] 1
}

func TestLookup(t *testing.T) {
	p, err := Read(coded(t))
	require.NoError(t, err)
	red, green, blue := color.C{1, 0, 0}, color.C{0, 1, 0}, color.C{0, 0, 1}
	for _, c := range []struct {
		u, v float64
		wrap Wrap
		want color.C
	}{{0.25, 0.75, Repeat, red}, {0.75, 0.75, Repeat, green}, {0.25, 0.25, Repeat, blue}, {1.25, 0.75, Repeat, red}, {-0.25, 0.75, Repeat, green},
		{1.25, 0.75, Clamp, green}, {-9, 0.75, Clamp, red}, {1.25, 0.75, Mirror, green}, {-0.25, 0.75, Mirror, red}} {
		for _, nearest := range []bool{true, false} {
			got, _ := p.Lookup(c.u, c.v, Reading{Wrap: c.wrap, Nearest: nearest})
			assert.Equal(t, c.want, got, "%v %v %s", c.u, c.v, c.wrap)
		}
	}
	c, a := p.Lookup(0.5, 0.5, Reading{})
	assert.InDelta(t, 0.5, c[0], 1e-6, "the middle is the mean of four")
	assert.InDelta(t, (3+128.0/255)/4, a, 1e-6)
}

// hdr is a Radiance picture of one row of 8 pixels, once plain and once encoded.
func hdr(encoded bool) []byte {
	head := "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 8\n"
	if !encoded {
		return append([]byte(head), bytes.Repeat([]byte{128, 64, 0, 129}, 8)...)
	}
	return append([]byte(head), 2, 2, 0, 8, 128+8, 128, 4, 64, 64, 64, 64, 128+4, 64, 128+8, 0, 128+8, 129)
}

func TestRadiance(t *testing.T) {
	for _, encoded := range []bool{false, true} {
		p, err := Read(hdr(encoded))
		require.NoError(t, err)
		for x := range 8 {
			c, _ := p.At(x, 0)
			assert.Equal(t, color.C{1, 0.5, 0}, c) // mantissa / 256 · 2^(129-128)
		}
	}
	repeats := append([]byte("#?RGBE\n\n-Y 1 +X 8\n"), 10, 20, 30, 129, 1, 1, 1, 7)
	p, err := Read(repeats)
	require.NoError(t, err)
	assert.Equal(t, bytes.Repeat([]byte{10, 20, 30, 129}, 8), p.Pix)
}

func TestBadPictures(t *testing.T) {
	for name, data := range map[string][]byte{
		"nothing":      nil,
		"text":         []byte("hello"),
		"half a PNG":   coded(t)[:40],
		"no header":    []byte("#?RADIANCE"),
		"XYZ":          []byte("#?RADIANCE\nFORMAT=32-bit_rle_xyze\n\n-Y 1 +X 1\nabcd"),
		"upside down":  []byte("#?RADIANCE\n\n+Y 1 +X 1\nabcd"),
		"huge":         []byte("#?RADIANCE\n\n-Y 100000 +X 100000\nabcd"),
		"broken off":   hdr(true)[:60],
		"a run beyond": append(hdr(true)[:55:55], 255, 1, 1, 1, 1, 1, 1, 1, 1),
		"a first run":  []byte("#?RGBE\n\n-Y 1 +X 8\n\x01\x01\x01\x07xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx"),
	} {
		_, err := Read(data)
		assert.Error(t, err, name)
	}
}

// jpegOf returns the head of a JPEG file of that size, in passes or not, after a
// piece of its maker's that looks like the other sort.
func jpegOf(w, h int, passes bool) []byte {
	kind, other := byte(0xc0), byte(0xc2)
	if passes {
		kind, other = other, kind
	}
	piece := make([]byte, 2+0x104)
	copy(piece, "\xff\xe0\x01\x04JFIF\x00\xff"+string([]byte{other}))
	frame := []byte{0xff, kind, 0, 17, 8, byte(h >> 8), byte(h), byte(w >> 8), byte(w), 3, 1, 0x11, 0, 2, 0x11, 1, 3, 0x11, 1}
	return slices.Concat([]byte{0xff, 0xd8}, piece, []byte{0xff}, frame)
}

// pngOf returns the head of a PNG file of that size.
func pngOf(w, h, depth, kind, interlaced int) []byte {
	head := []byte{'I', 'H', 'D', 'R', byte(w >> 24), byte(w >> 16), byte(w >> 8), byte(w), byte(h >> 24), byte(h >> 16), byte(h >> 8), byte(h), byte(depth), byte(kind), 0, 0, byte(interlaced)}
	out := append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\x0d"), head...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(head))
}

// A picture may take 416 MB to read, by what its reader makes: so many bytes a pixel
// for each kind.
func TestPicturesThatTakeTooMuchMemory(t *testing.T) {
	for name, tc := range map[string]struct {
		of   func(w, h int) []byte
		each int
	}{
		"8 bits":              {func(w, h int) []byte { return pngOf(w, h, 8, 6, 0) }, 8},
		"8 bits, interlaced":  {func(w, h int) []byte { return pngOf(w, h, 8, 2, 1) }, 8},
		"16 bits":             {func(w, h int) []byte { return pngOf(w, h, 16, 2, 0) }, 12},
		"16 bits with alpha":  {func(w, h int) []byte { return pngOf(w, h, 16, 6, 0) }, 12},
		"16 bits, interlaced": {func(w, h int) []byte { return pngOf(w, h, 16, 6, 1) }, 16},
		"JPEG":                {func(w, h int) []byte { return jpegOf(w, h, false) }, 8},
		"JPEG in passes":      {func(w, h int) []byte { return jpegOf(w, h, true) }, 24},
	} {
		const w = 1 << 12
		rows := min(416<<20/tc.each, 32<<20) / w
		n, err := Pixels(tc.of(w, rows))
		require.NoError(t, err, name)
		assert.Equal(t, w*rows, n)
		assert.NoError(t, check(tc.of(w, rows)), name)
		assert.Error(t, check(tc.of(w, rows+1)), name)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(coded(f))
	f.Add(hdr(false))
	f.Add(hdr(true))
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := Read(data); err == nil {
			assert.Len(t, p.Pix, 4*p.W*p.H)
			p.Lookup(0.3, -7, Reading{Wrap: Mirror})
		}
	})
}

func TestSetKeepsColoursOfAnyBrightness(t *testing.T) {
	p := &Pixmap{W: 1, H: 1, Shared: true, Pix: make([]byte, 4)}
	for _, c := range []color.C{{1, 0.5, 0}, {1000, 3, 20}, {0.001, 0.0005, 0.0002}, {}, {0.999999, 0.999999, 0.999999}} {
		p.Set(0, 0, c)
		got, _ := p.At(0, 0)
		top := max(c[0], c[1], c[2])
		for k := range c {
			assert.InDelta(t, c[k], got[k], float64(top)/200+1e-12, "%v", c)
		}
	}
}

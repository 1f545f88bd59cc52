package exchange_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
)

func ExampleReadPalette() {
	p, err := exchange.ReadPalette([]byte("#D4843F copper\n#26414D\n"))
	fmt.Println(len(p.Colors), p.Colors[0].Name, p.Colors[1].Color.Hex(), err)
	// Output: 2 copper #26414D <nil>
}

func hexes(p *exchange.Palette) (out []string) {
	for _, c := range p.Colors {
		out = append(out, c.Color.Hex())
	}
	return out
}

func TestPalettesGoOutAndIn(t *testing.T) {
	in, err := exchange.ReadPalette([]byte("#D4843F Copper\n#000000\n#FFFFFF Paper white\n"))
	require.NoError(t, err)
	for name, write := range map[string]func(b *bytes.Buffer) error{
		"gpl": func(b *bytes.Buffer) error { return exchange.WriteGPL(b, "Harbour", in.Colors) },
		"hex": func(b *bytes.Buffer) error { return exchange.WriteHex(b, in.Colors) },
		"png": func(b *bytes.Buffer) error { return exchange.WriteStrip(b, in.Colors) },
	} {
		var b bytes.Buffer
		require.NoError(t, write(&b), name)
		out, err := exchange.ReadPalette(b.Bytes())
		require.NoError(t, err, name)
		assert.Equal(t, hexes(in), hexes(out), name)
		if name != "png" {
			assert.Equal(t, "Paper white", out.Colors[2].Name, name)
		}
		if name == "gpl" {
			assert.Equal(t, "Harbour", out.Name)
		}
	}
	assert.Error(t, exchange.WriteStrip(&bytes.Buffer{}, nil))
}

func TestPalettesOfAllSorts(t *testing.T) {
	for text, want := range map[string][]string{
		"d4843f, 26414D;fff":                                 {"#D4843F", "#26414D", "#FFFFFF"},
		`["#102030", "#405060"]`:                             {"#102030", "#405060"},
		"GIMP Palette\nColumns: 4\n# a note\n16 32 48 x y\n": {"#102030"},
	} {
		p, err := exchange.ReadPalette([]byte(text))
		require.NoError(t, err, text)
		assert.Equal(t, want, hexes(p), text)
	}
	// A strip is often drawn some pixels high; rows that differ stay rows.
	img := image.NewNRGBA(image.Rect(0, 0, 3, 8))
	for y := range 8 {
		for x := range 3 {
			img.Set(x, y, color.NRGBA{uint8(60 * x), uint8(y / 4 * 100), 0, 255})
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	p, err := exchange.ReadPalette(b.Bytes())
	require.NoError(t, err)
	require.Len(t, p.Strip, 2)
	assert.Equal(t, "#786400", p.Strip[1][2].Hex())
}

func TestPalettesAreRefusedInWords(t *testing.T) {
	for text, want := range map[string]string{
		"":                               "no colours were found",
		"hello there":                    `"hello" is not a colour`,
		"GIMP Palette\n1 2\n":            "line 2",
		"GIMP Palette\n1 2 300\n":        "between 0 and 255",
		strings.Repeat("#112233\n", 300): "more than 256",
		"\x89PNG\r\n\x1a\n":              "cannot be read",
		strings.Repeat("x", 5<<20):       "larger than",
	} {
		_, err := exchange.ReadPalette([]byte(text))
		assert.ErrorContains(t, err, want, "%.40q", text)
	}
}

func TestFragments(t *testing.T) {
	f, err := exchange.ReadFragment(`{"mobanta":"nodes","version":1,"nodes":[{"id":"a","kind":"Ramp"}]}`)
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, exchange.WriteFragment(&b, &f.Network, f.Groups))
	again, err := exchange.ReadFragment(b.String())
	require.NoError(t, err)
	assert.Equal(t, f.Network, again.Network)
	for text, want := range map[string]string{
		"hello":                            "are no nodes",
		`{"mobanta":"bundle","version":1}`: "not a look file",
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"a","kind":"Ramp","in":{"tone":"b"}}]}`:                                         `no node "b"`,
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"f","kind":"Formula","set":{"text":"` + strings.Repeat("a+", 600_000) + `"}}]}`: "bytes long",
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"f","kind":"Formula","set":{"text":"a + sni(b)"}}]}`:                            "at character 5",
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"s","kind":"Switch","set":{"choices":[{"key":"a","name":"A"},{"key":"a"}]}}]}`:  "no key of its own",
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"s","kind":"Switch","set":{"live":"zz"}}]}`:                                     "Live must be one of a, b",
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"l","kind":"Layers","set":{"layers":[{"key":"a","mode":"glow"}]}}]}`:            `unknown mode "glow"`,
		`{"mobanta":"nodes","version":1,"nodes":[{"id":"g","kind":"group:nowhere"}]}`:                                                  "unknown kind",
	} {
		_, err := exchange.ReadFragment(text)
		assert.ErrorContains(t, err, want, "%.120s", text)
	}
}

func FuzzReadPalette(f *testing.F) {
	f.Add([]byte("GIMP Palette\n1 2 3 a\n"))
	f.Add([]byte("#112233 #445566"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := exchange.ReadPalette(data); err == nil {
			require.NoError(t, p.Strip.Check())
		}
	})
}

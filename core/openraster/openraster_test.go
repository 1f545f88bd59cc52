package openraster_test

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"image"
	"image/color"
	"image/png"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/openraster"
)

// A file holds what the standard asks for, in its order: the type first and not packed, the list with the uppermost layer first,
// layers cut to what is seen of them, the whole, and a small picture of at most 256 pixels.
func TestAFileIsWhatTheStandardAsksFor(t *testing.T) {
	below, above, none := image.NewNRGBA(image.Rect(0, 0, 600, 40)), image.NewNRGBA(image.Rect(0, 0, 600, 40)), image.NewNRGBA(image.Rect(0, 0, 600, 40))
	for i := range below.Pix {
		below.Pix[i] = 255
	}
	above.SetNRGBA(7, 5, color.NRGBA{R: 200, A: 9})
	above.SetNRGBA(20, 9, color.NRGBA{R: 200, A: 255})
	var buf bytes.Buffer
	layers := []openraster.Layer{{Name: `Sky & "sea"`}, {Name: "Rim", Within: true}, {Name: "Mask", Hidden: true}}
	for i, pix := range []*image.NRGBA{below, above, none} {
		var err error
		layers[i].PNG, layers[i].At, err = openraster.Pack(pix)
		require.NoError(t, err)
	}
	require.NoError(t, openraster.Write(&buf, 600, 40, 299.6, layers, below))
	z, err := zip.NewReader(bytes.NewReader(buf.Bytes()), int64(buf.Len()))
	require.NoError(t, err)
	read := func(name string) []byte {
		f, err := z.Open(name)
		require.NoError(t, err)
		data, err := io.ReadAll(f)
		require.NoError(t, err)
		return data
	}
	assert.Equal(t, "mimetype", z.File[0].Name)
	assert.Equal(t, "image/openraster", string(buf.Bytes()[38:54]), "where whoever looks at the bytes alone expects it")
	assert.Equal(t, "PK\x03\x04", string(buf.Bytes()[54:58]), "and nothing behind it")
	assert.Zero(t, z.File[0].Flags&8, "its sizes stand before it")
	assert.Equal(t, zip.Store, z.File[0].Method)
	assert.Equal(t, "image/openraster", string(read("mimetype")))
	var list struct {
		W      int `xml:"w,attr"`
		XRes   int `xml:"xres,attr"`
		Layers []struct {
			Name       string `xml:"name,attr"`
			Src        string `xml:"src,attr"`
			X          int    `xml:"x,attr"`
			Y          int    `xml:"y,attr"`
			Visibility string `xml:"visibility,attr"`
			Op         string `xml:"composite-op,attr"`
		} `xml:"stack>layer"`
	}
	require.NoError(t, xml.Unmarshal(read("stack.xml"), &list))
	assert.Equal(t, [2]int{600, 300}, [2]int{list.W, list.XRes})
	require.Len(t, list.Layers, 3)
	assert.Equal(t, []string{"Mask", "Rim", `Sky & "sea"`}, []string{list.Layers[0].Name, list.Layers[1].Name, list.Layers[2].Name})
	assert.Equal(t, []string{"hidden", "visible"}, []string{list.Layers[0].Visibility, list.Layers[1].Visibility})
	assert.Equal(t, []string{"svg:src-atop", "svg:src-over"}, []string{list.Layers[1].Op, list.Layers[2].Op})
	assert.Equal(t, [2]int{7, 5}, [2]int{list.Layers[1].X, list.Layers[1].Y})
	rim, err := png.Decode(bytes.NewReader(read(list.Layers[1].Src)))
	require.NoError(t, err)
	assert.Equal(t, image.Pt(14, 5), rim.Bounds().Size())
	_, _, _, a := rim.At(rim.Bounds().Max.X-1, rim.Bounds().Max.Y-1).RGBA()
	assert.Equal(t, uint32(65535), a)
	mask, err := png.Decode(bytes.NewReader(read(list.Layers[0].Src)))
	require.NoError(t, err)
	assert.Equal(t, image.Pt(1, 1), mask.Bounds().Size(), "what shows nothing is one pixel")
	whole, err := png.Decode(bytes.NewReader(read("mergedimage.png")))
	require.NoError(t, err)
	assert.Equal(t, below.Rect, whole.Bounds())
	small, err := png.Decode(bytes.NewReader(read("Thumbnails/thumbnail.png")))
	require.NoError(t, err)
	assert.Equal(t, image.Pt(256, 17), small.Bounds().Size())
}

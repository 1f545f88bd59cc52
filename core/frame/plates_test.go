package frame_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/press"
	"mobanta/core/project"
)

// unzipped returns the PNGs in a ZIP file by name.
func unzipped(t *testing.T, data []byte) map[string]image.Image {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	out := map[string]image.Image{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		img, err := png.Decode(r)
		require.NoError(t, err)
		out[f.Name] = img
	}
	return out
}

func printedBall(t *testing.T) *project.Project {
	p := ball(t)
	p.Stage.Press = press.New(press.Sets[1])
	p.Stage.Press.Slip, p.Stage.Press.Rough = 3, 0.4
	return p
}

// Plates over each other, multiplied on the paper, are the printed picture: those of 16 bits to one of 255 as it is shown, also
// in the darks; those of 8 bits to six.
func TestPlatesComeToThePicture(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, set := range press.Sets[:2] {
		for as, most := range map[frame.Format]float64{frame.Plates16: 1, frame.Plates8: 6.5} {
			t.Run(fmt.Sprint(set.Key, " ", as), func(t *testing.T) { platesCome(t, set, as, most) })
		}
	}
}

func platesCome(t *testing.T, set press.Set, as frame.Format, most float64) {
	p := printedBall(t)
	p.Stage.Press.Inks, p.Stage.Press.Limit = slices.Clone(set.Inks), set.Limit
	o := frame.Order{W: 160, H: 120, Samples: 4}
	pic, err := png.Decode(bytes.NewReader(bytesOf(t, p, o, frame.PNG16)))
	require.NoError(t, err)
	plates := unzipped(t, bytesOf(t, p, o, as))
	require.Len(t, plates, len(set.Inks))
	inked, off := 0, 0.0
	for y := range o.H {
		for x := range o.W {
			c := p.Stage.Press.Paper
			for k, ink := range set.Inks {
				v, _, _, _ := plates[fmt.Sprintf("%d-%s.png", k+1, strings.ToLower(ink.Name))].At(x, y).RGBA()
				m := 1 - float32(v)/0xffff
				if m > 0 {
					inked++
				}
				for i := range c {
					c[i] *= 1 - m*(1-ink.Color[i])
				}
			}
			r, g, b, _ := pic.At(x, y).RGBA()
			for i, v := range [3]uint32{r, g, b} {
				off = max(off, 255*math.Abs(float64(c.Encoded()[i])-float64(v)/0xffff))
			}
		}
	}
	assert.LessOrEqual(t, off, most)
	assert.Greater(t, inked, 1000)
	for _, img := range unzipped(t, bytesOf(t, p, o, frame.Plates1)) {
		pal, ok := img.(*image.Paletted)
		require.True(t, ok)
		assert.Len(t, pal.Palette, 2, "one bit a pixel")
	}
}

func TestPlatesAsPDF(t *testing.T) {
	p := printedBall(t)
	o := frame.Order{W: 60, H: 40, Samples: 1}
	data := bytesOf(t, p, o, frame.PlatesPDF)
	assert.True(t, bytes.HasPrefix(data, []byte("%PDF-")))
	assert.Equal(t, 3, strings.Count(string(data), "/Type /Page\n"), "a page for each ink")
	assert.Len(t, bytesOf(t, p, o, frame.PlatesPDF), len(data), "the same picture, the same file but for the order of its images")
	p.Stage.Press.Inks[1].Off = true
	assert.Equal(t, 2, strings.Count(string(bytesOf(t, p, o, frame.PlatesPDF)), "/Type /Page\n"))
}

func TestWithoutAPressThereAreNoPlates(t *testing.T) {
	pic, err := frame.Draw(context.Background(), ball(t), meshfile.Files(nil), frame.Order{W: 20, H: 20, Samples: 1})
	require.NoError(t, err)
	for _, f := range []frame.Format{frame.Plates8, frame.Plates1, frame.PlatesPDF} {
		assert.ErrorIs(t, pic.Write(&bytes.Buffer{}, f), frame.ErrNoPress)
	}
}

// With the press off the plain view is as it was, to the byte; on, it has paper and ink on average
// as light as the picture.
func TestThePressLeavesThePictureAsLight(t *testing.T) {
	p := ball(t)
	o := frame.Order{W: 240, H: 160, Samples: 4}
	plain := bytesOf(t, p, o, frame.PNG8)
	p.Stage.Press = press.New(press.Sets[0])
	p.Stage.Press.Limit = 0
	printed := bytesOf(t, p, o, frame.PNG8)
	p.Stage.Press.On = false
	assert.Equal(t, plain, bytesOf(t, p, o, frame.PNG8))
	mean := func(data []byte) (sum float64) {
		img, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		for i := range o.W * o.H {
			r, g, b, _ := img.At(i%o.W, i/o.W).RGBA()
			sum += float64(color.FromBytes(uint8(r>>8), uint8(g>>8), uint8(b>>8)).Luminance()) / float64(o.W*o.H)
		}
		return sum
	}
	assert.Less(t, math.Abs(mean(plain)-mean(printed)), 0.03)
}

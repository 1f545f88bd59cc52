package frame_test

import (
	"bytes"
	"context"
	"image"
	"reflect"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/demo"
)

var samples sync.Map // by how they are made

// fromDemo returns a sample project with its files. Both are made once; the project is a copy.
func fromDemo(t testing.TB, make func() (*project.Project, map[string]exchange.File, error)) (*project.Project, stage.Files) {
	t.Helper()
	type sample struct {
		p     *project.Project
		files stage.Files
	}
	key := reflect.ValueOf(make).Pointer()
	made, ok := samples.Load(key)
	if !ok {
		p, files, err := make()
		require.NoError(t, err)
		made = sample{p, meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })}
		samples.Store(key, made)
	}
	return made.(sample).p.Clone(), made.(sample).files
}

// Parts of a picture are what the whole shows there, to the bit, wherever they are cut, and whatever was drawn before.
func TestPartsAreTheWhole(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, c := range []struct {
		name    string
		make    func() (*project.Project, map[string]exchange.File, error)
		w, h, n int
		parts   []image.Rectangle
	}{
		{"lines", demo.Saltlight, 400, 300, 4, []image.Rectangle{image.Rect(170, 40, 260, 130), image.Rect(90, 190, 93, 300)}},
		{"soft light, occlusion, strewn places", demo.Lamp, 333, 250, 3, []image.Rectangle{image.Rect(140, 70, 190, 121), image.Rect(60, 180, 170, 250)}},
		{"soft light in the open", demo.Dusk, 300, 230, 3, []image.Rectangle{image.Rect(120, 100, 190, 170), image.Rect(0, 128, 64, 230)}},
		{"dots, hatching, stipple", demo.ComicPage, 300, 220, 2, []image.Rectangle{image.Rect(40, 100, 110, 170), image.Rect(220, 30, 290, 80)}},
		{"displaced, bumped, much occlusion", demo.Keep, 180, 130, 2, []image.Rectangle{image.Rect(60, 40, 90, 80)}},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, files := fromDemo(t, c.make)
			o := frame.Order{W: c.w, H: c.h, Samples: c.n}
			e := frame.NewEasel(2, nil)
			draw := func(area image.Rectangle) *frame.Part {
				part, err := e.Part(context.Background(), p, files, o, area)
				require.NoError(t, err)
				return part
			}
			parts := []*frame.Part{}
			for _, area := range c.parts {
				parts = append(parts, draw(area))
			}
			whole := draw(image.Rect(0, 0, c.w, c.h))
			for _, part := range parts {
				assert.Empty(t, differing(whole, part), "%v", part.Area)
			}
		})
	}
}

// differing returns the pixels of a part that are other ones in the whole.
func differing(whole, part *frame.Part) (out []image.Point) {
	w := whole.Area.Dx()
	for i := range len(part.Pix) / 4 {
		at := image.Pt(part.Area.Min.X+i%part.Area.Dx(), part.Area.Min.Y+i/part.Area.Dx())
		k := at.Y*w + at.X
		if [4]float32(part.Pix[4*i:4*i+4]) != [4]float32(whole.Pix[4*k:4*k+4]) || whole.Shine != nil && whole.Shine[k] != part.Shine[i] {
			out = append(out, at)
		}
	}
	return out
}

// Put together, and developed, they are the picture that is drawn at once, to the byte: with pens, one of which follows the
// edge of a tone across all of it; with a glow, which reaches across all of it, a gradient and a floor; with a press.
func TestAPictureIsPutTogether(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, c := range []struct {
		name          string
		make          func() (*project.Project, map[string]exchange.File, error)
		w, h, n, side int
	}{
		{"pens", demo.InPen, 330, 200, 2, 176},
		{"glow, gradient, floor", demo.Flare, 260, 300, 3, 110},
		{"press", demo.Printed, 250, 200, 2, 128},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, files := fromDemo(t, c.make)
			o := frame.Order{W: c.w, H: c.h, Samples: c.n}
			want, err := frame.Draw(context.Background(), p, files, o)
			require.NoError(t, err)
			var a, b bytes.Buffer
			require.NoError(t, want.Write(&a, frame.PFM))
			e, whole := frame.NewEasel(2, nil), frame.NewWhole(c.w, c.h)
			for y := (c.h - 1) / c.side * c.side; y >= 0; y -= c.side { // from the last to the first
				for x := 0; x < c.w; x += c.side {
					part, err := e.Part(context.Background(), p, files, o, image.Rect(x, y, min(x+c.side, c.w), min(y+c.side, c.h)))
					require.NoError(t, err)
					require.NoError(t, whole.Put(part))
				}
			}
			got, err := e.Develop(context.Background(), p, files, o, whole)
			require.NoError(t, err)
			require.NoError(t, got.Write(&b, frame.PFM))
			assert.True(t, bytes.Equal(a.Bytes(), b.Bytes()))
		})
	}
}

func TestPartsThatAreNone(t *testing.T) {
	p, files := fromDemo(t, demo.Saltlight)
	e, o := frame.NewEasel(1, nil), frame.Order{W: 60, H: 40, Samples: 1}
	for _, area := range []image.Rectangle{{}, image.Rect(0, 0, 61, 40), image.Rect(-1, 0, 9, 9)} {
		_, err := e.Part(context.Background(), p, files, o, area)
		assert.ErrorContains(t, err, "is none of a picture")
	}
	w := frame.NewWhole(60, 40)
	assert.ErrorContains(t, w.Put(&frame.Part{Area: image.Rect(50, 0, 70, 10), Pix: make([]float32, 800)}), "is none of a picture")
	assert.ErrorContains(t, w.Put(&frame.Part{Area: image.Rect(0, 0, 10, 10), Pix: make([]float32, 399)}), "is none of a picture")
	assert.ErrorContains(t, w.Put(&frame.Part{Area: image.Rect(0, 0, 10, 10), Pix: make([]float32, 400), Shine: make([]float32, 1)}), "is none of a picture")

	n := 0
	for _, area := range frame.Parts(7680, 4320) { // each pixel in one of them
		n += area.Dx() * area.Dy()
		assert.True(t, area.In(image.Rect(0, 0, 7680, 4320)))
	}
	assert.Equal(t, 7680*4320, n)
	assert.Len(t, frame.Parts(1920, 1080), 1)
}

package frame_test

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/frame"
	"mobanta/core/project"
	"mobanta/demo"
)

// composed lays layers over each other as painting programs do: on sRGB bytes, by src-over, or src-atop where they say so.
func composed(t *testing.T, layers []frame.Layer, w, h int) (out *image.NRGBA, shown, hidden []string) {
	t.Helper()
	sum := make([]float64, 4*w*h) // premultiplied
	for _, l := range layers {
		if l.Hidden {
			hidden = append(hidden, l.Name)
			continue
		}
		shown = append(shown, l.Name)
		img, err := png.Decode(bytes.NewReader(l.PNG))
		require.NoError(t, err)
		for y := range img.Bounds().Dy() {
			for x := range img.Bounds().Dx() {
				r, g, b, a := img.At(img.Bounds().Min.X+x, img.Bounds().Min.Y+y).RGBA()
				at := sum[4*((y+l.At.Y)*w+x+l.At.X):][:4]
				rest, under := 1-float64(a)/65535, 1.0
				if l.Within {
					under = at[3]
				}
				for c, v := range [3]uint32{r, g, b} {
					at[c] = float64(v)/65535*under + at[c]*rest
				}
				if !l.Within {
					at[3] = float64(a)/65535 + at[3]*rest
				}
			}
		}
	}
	out = image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(sum); i += 4 {
		if a := sum[i+3]; a > 0 {
			for c := range 3 {
				out.Pix[i+c] = uint8(min(255, sum[i+c]/a*255+0.5))
			}
			out.Pix[i+3] = uint8(a*255 + 0.5)
		}
	}
	return out, shown, hidden
}

func TestLayersComeToThePicture(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, c := range []struct {
		name          string
		make          func() (*project.Project, map[string]exchange.File, error)
		clear         bool
		w, h          int
		shown, hidden []string
	}{
		{"kettle", demo.Saltlight, false, 150, 100, []string{"Backdrop", "Flat colour", "Shadow", "Highlight", "Lines: Kettle copper, Ink lines", "Lines: Stove iron, Ink lines", "Lines, where they meet"},
			[]string{"Band: Kettle copper, Copper bands, core", "Band: Kettle copper, Copper bands, base"}},
		{"on none", demo.Saltlight, true, 120, 90, []string{"Flat colour", "Shadow", "Highlight", "Lines: Kettle copper, Ink lines"}, nil},
		{"glow over a gradient", demo.Flare, false, 90, 100, []string{"Backdrop", "Flat colour", "Glow"}, nil},
		{"dots", demo.ComicPage, false, 150, 120, []string{"Flat colour", "Pattern"}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, files := fromDemo(t, c.make)
			p.Stage.Press.On = false
			o := frame.Order{W: c.w, H: c.h, Samples: 4, Clear: c.clear}
			layers, merged, err := frame.NewEasel(2, nil).Layers(context.Background(), p, files, o)
			require.NoError(t, err)
			got, shown, hidden := composed(t, layers, c.w, c.h)
			pic, err := frame.Draw(context.Background(), p, files, o)
			require.NoError(t, err)
			var buf bytes.Buffer
			require.NoError(t, pic.Write(&buf, frame.PNG8))
			want, err := png.Decode(&buf)
			require.NoError(t, err)
			worst, worstMerged := 0, 0
			for y := range c.h {
				for x := range c.w {
					r, g, b, a := want.At(x, y).RGBA() // premultiplied: what is seen
					for k, v := range [4]uint32{r, g, b, a} {
						for img, to := range map[*image.NRGBA]*int{got: &worst, merged: &worstMerged} {
							r, g, b, a := img.At(x, y).RGBA()
							d := int(v>>8) - int([4]uint32{r, g, b, a}[k]>>8)
							*to = max(*to, d, -d)
						}
					}
				}
			}
			assert.LessOrEqual(t, worst, 1)
			assert.LessOrEqual(t, worstMerged, 1)
			for _, name := range c.shown {
				assert.Contains(t, shown, name)
			}
			for _, name := range c.hidden {
				assert.Contains(t, hidden, name)
			}
			for _, name := range shown {
				assert.False(t, strings.HasPrefix(name, "Band"))
			}
		})
	}
}

// The masks of a ramp's bands are all that its look shows, each place once.
func TestMasksOfBandsAddUp(t *testing.T) {
	p, files := fromDemo(t, demo.Saltlight)
	layers, _, err := frame.NewEasel(2, nil).Layers(context.Background(), p, files, frame.Order{W: 120, H: 80, Samples: 4})
	require.NoError(t, err)
	sum := make([]int, 120*80)
	bands := 0
	for _, l := range layers {
		if !strings.HasPrefix(l.Name, "Band: ") {
			continue
		}
		bands++
		assert.True(t, l.Hidden)
		img, err := png.Decode(bytes.NewReader(l.PNG))
		require.NoError(t, err)
		for y := range img.Bounds().Dy() {
			for x := range img.Bounds().Dx() {
				_, _, _, a := img.At(x, y).RGBA()
				sum[(y+l.At.Y)*120+x+l.At.X] += int(a >> 8)
			}
		}
	}
	assert.Equal(t, 8, bands)
	whole, none := 0, 0
	for _, v := range sum {
		assert.LessOrEqual(t, v, 258)
		if v >= 252 {
			whole++
		} else if v == 0 {
			none++
		}
	}
	assert.Greater(t, whole, 2500, "the kettle and its plate")
	assert.Greater(t, none, 4000, "the backdrop")
}

func TestPassesAreValues(t *testing.T) {
	p, files := fromDemo(t, demo.Saltlight)
	values, parts, err := frame.NewEasel(2, nil).Passes(context.Background(), p, files, frame.Order{W: 120, H: 80, Samples: 9})
	require.NoError(t, err)
	require.Len(t, values, 4)
	assert.Contains(t, strings.Join(parts, ";"), "Kettle, body")
	seen := map[float32]bool{}
	for i := 0; i < 4*120*80; i += 4 {
		n, d, part, tone := values["normals"].Pix[i:i+4], values["depth"].Pix[i:i+4], values["parts"].Pix[i:i+4], values["tone"].Pix[i:i+4]
		if part[3] == 0 {
			assert.Equal(t, []float32{0, 0, 0, 0}, d)
			continue
		}
		require.Equal(t, float32(1), part[3], "one position")
		seen[part[0]] = true
		assert.Less(t, part[0], float32(len(parts)))
		length := float32(0)
		for _, v := range n[:3] {
			length += (2*v - 1) * (2*v - 1)
		}
		assert.InDelta(t, 1, length, 1e-3)
		assert.Greater(t, n[2], float32(0.3), "it is seen from the front")
		assert.True(t, d[0] > 0 && d[0] < 1 && tone[0] >= 0 && tone[0] <= 1)
	}
	assert.Greater(t, len(seen), 4)
}

package delivery_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"encoding/xml"
	"image"
	"image/gif"
	"image/png"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/bake"
	"mobanta/core/delivery"
	"mobanta/core/exchange"
	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/painted"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/core/shader"
	"mobanta/core/stage"
	"mobanta/demo"
)

// from returns a sample project, with files that are read once.
func from(t testing.TB, make func() (*project.Project, map[string]exchange.File, error)) (*project.Project, stage.Files) {
	t.Helper()
	p, files, err := make()
	require.NoError(t, err)
	return p, meshfile.Kept(func(hash string) (string, []byte, error) { return files[hash].Name, files[hash].Data, nil })
}

// filled fills an order and returns the file.
func filled(t testing.TB, p *project.Project, files stage.Files, o *delivery.Order) []byte {
	t.Helper()
	require.NoError(t, o.Check(p))
	name := filepath.Join(t.TempDir(), "out")
	d := delivery.NewDrawer(p, files, 2, nil)
	heard := 0
	require.NoError(t, d.Fill(context.Background(), o, name, func(done, of int) { heard++; assert.LessOrEqual(t, done, of) }))
	assert.Positive(t, heard)
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	left, err := filepath.Glob(filepath.Join(filepath.Dir(name), ".mobanta*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	return data
}

func decoded(t testing.TB, data []byte) image.Image {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	return img
}

// chunks returns the kinds of a PNG's chunks and what is in them.
func chunks(data []byte) (kinds []string, bodies [][]byte) {
	for data = data[8:]; len(data) >= 12; {
		n := int(binary.BigEndian.Uint32(data))
		kinds, bodies = append(kinds, string(data[4:8])), append(bodies, data[8:8+n])
		data = data[n+12:]
	}
	return kinds, bodies
}

func TestAPictureIsTheOneOfTheDesk(t *testing.T) {
	p, files := from(t, demo.Saltlight)
	_, err := p.Apply(&project.Edit{Op: "staging.add", Name: "As it was"})
	require.NoError(t, err)
	was := p.Clone()
	_, err = p.Apply(&project.Edit{Op: "camera.set", Value: map[string]any{"azimuth": 80.0}})
	require.NoError(t, err)
	desk := func(p *project.Project) []byte {
		pic, err := frame.Draw(context.Background(), p, files, frame.Order{W: 160, H: 100, Samples: 4})
		require.NoError(t, err)
		var buf bytes.Buffer
		require.NoError(t, pic.Write(&buf, frame.PNG8))
		return buf.Bytes()
	}
	o := &delivery.Order{As: "png8", W: 160, H: 100, Samples: 4}
	assert.Equal(t, desk(p), filled(t, p, files, o))
	o.Staging = p.Stagings[0].ID
	assert.Equal(t, desk(was), filled(t, p, files, o))

	o.DPI, o.Clear, o.As = 300, true, "png16"
	data := filled(t, p, files, o)
	kinds, bodies := chunks(data)
	assert.Equal(t, []string{"IHDR", "sRGB", "pHYs"}, kinds[:3])
	assert.Equal(t, uint32(11811), binary.BigEndian.Uint32(bodies[2])) // a metre
	_, _, _, a := decoded(t, data).At(0, 0).RGBA()
	assert.Zero(t, a)
	o.As, o.DPI = "pfm", 0
	assert.True(t, bytes.HasPrefix(filled(t, p, files, o), []byte("PF\n160 100\n-1.0\n")))
}

// over composes layers as OpenRaster says: svg:src-over and svg:src-atop on sRGB bytes.
func over(t *testing.T, z *zip.Reader, w, h int) (*image.NRGBA, []string, []string) {
	var stack struct {
		Layers []struct {
			Name       string `xml:"name,attr"`
			Src        string `xml:"src,attr"`
			X          int    `xml:"x,attr"`
			Y          int    `xml:"y,attr"`
			Visibility string `xml:"visibility,attr"`
			Op         string `xml:"composite-op,attr"`
		} `xml:"stack>layer"`
	}
	read := func(name string) []byte {
		f, err := z.Open(name)
		require.NoError(t, err)
		data, err := io.ReadAll(f)
		require.NoError(t, err)
		return data
	}
	require.NoError(t, xml.Unmarshal(read("stack.xml"), &stack))
	sum := make([]float64, 4*w*h) // premultiplied
	var shown, hidden []string
	for i := len(stack.Layers) - 1; i >= 0; i-- {
		l := stack.Layers[i]
		if l.Visibility == "hidden" {
			hidden = append(hidden, l.Name)
			continue
		}
		require.Contains(t, []string{"svg:src-over", "svg:src-atop"}, l.Op)
		shown = append(shown, l.Name)
		img := decoded(t, read(l.Src))
		for y := range img.Bounds().Dy() {
			for x := range img.Bounds().Dx() {
				r, g, b, a := img.At(x, y).RGBA() // premultiplied, of 16 bits
				k := 4 * ((y+l.Y)*w + x + l.X)
				rest, below := 1-float64(a)/65535, 1.0
				if l.Op == "svg:src-atop" {
					below = sum[k+3]
				}
				for c, v := range [4]uint32{r, g, b, a} {
					if c == 3 && l.Op == "svg:src-atop" {
						break
					}
					sum[k+c] = float64(v)/65535*below + sum[k+c]*rest
				}
			}
		}
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
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

// Put together by the rules of the format, the layers are the picture, to 1 of 255.
func TestLayersAreThePicture(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, c := range []struct {
		name   string
		make   func() (*project.Project, map[string]exchange.File, error)
		w, h   int
		layers []string // that there are
		band   string
	}{
		{"kettle", demo.Saltlight, 180, 120, []string{"Backdrop", "Flat colour", "Shadow", "Highlight", "Lines: Kettle copper, Ink lines", "Lines: Stove iron, Ink lines"}, "Band: Kettle copper, Copper bands, base"},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, files := from(t, c.make)
			o := &delivery.Order{As: delivery.Layers, W: c.w, H: c.h, Samples: 4, DPI: 150}
			data := filled(t, p, files, o)
			z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
			require.NoError(t, err)
			require.Equal(t, "mimetype", z.File[0].Name)
			require.Equal(t, zip.Store, z.File[0].Method)
			got, shown, hidden := over(t, z, c.w, c.h)
			q := p.Clone()
			q.Stage.Press.On = false
			pic, err := frame.Draw(context.Background(), q, files, frame.Order{W: c.w, H: c.h, Samples: 4})
			require.NoError(t, err)
			var buf bytes.Buffer
			require.NoError(t, pic.Write(&buf, frame.PNG8))
			want := decoded(t, buf.Bytes())
			merged, err := z.Open("mergedimage.png")
			require.NoError(t, err)
			all, err := io.ReadAll(merged)
			require.NoError(t, err)
			flat := decoded(t, all)
			worst, off := 0, 0
			for y := range c.h {
				for x := range c.w {
					r, g, b, _ := want.At(x, y).RGBA()
					mr, mg, mb, _ := flat.At(x, y).RGBA()
					i := got.PixOffset(x, y)
					for k, v := range [3]uint32{r, g, b} {
						d := max(int(v>>8)-int(got.Pix[i+k]), int(got.Pix[i+k])-int(v>>8))
						worst = max(worst, d)
						if d > 0 {
							off++
						}
						m := int([3]uint32{mr, mg, mb}[k] >> 8)
						assert.LessOrEqual(t, max(m-int(v>>8), int(v>>8)-m), 1)
					}
				}
			}
			assert.LessOrEqual(t, worst, 1, "%d values are off", off)
			for _, name := range c.layers {
				assert.Contains(t, shown, name)
			}
			if c.band != "" {
				assert.Contains(t, hidden, c.band)
			}
		})
	}
}

func TestPasses(t *testing.T) {
	p, files := from(t, demo.Saltlight)
	data := filled(t, p, files, &delivery.Order{As: delivery.Passes, W: 160, H: 100})
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	read := func(name string) []byte {
		f, err := z.Open(name)
		require.NoError(t, err)
		data, err := io.ReadAll(f)
		require.NoError(t, err)
		return data
	}
	parts, ok := decoded(t, read("parts.png")).(*image.Gray16)
	require.True(t, ok)
	note := string(read("passes.json"))
	assert.Contains(t, note, `"1": "Kettle, `)
	assert.Zero(t, parts.Gray16At(0, 0).Y)
	seen := map[uint16]bool{}
	for y := range 100 {
		for x := range 160 {
			seen[parts.Gray16At(x, y).Y] = true
		}
	}
	assert.Greater(t, len(seen), 4, "several parts, by whole numbers")
	depth := decoded(t, read("depth.png")).(*image.Gray16)
	assert.Equal(t, uint16(65535), depth.Gray16At(0, 0).Y)
	assert.Less(t, depth.Gray16At(80, 85).Y, depth.Gray16At(80, 60).Y, "the rim of the plate is nearer than the kettle")
	n := decoded(t, read("normals.png")).(*image.NRGBA64).NRGBA64At(80, 55)
	x, y, w := float64(n.R)/32767.5-1, float64(n.G)/32767.5-1, float64(n.B)/32767.5-1
	assert.InDelta(t, 1, x*x+y*y+w*w, 0.01, "a normal is a direction")
	assert.Positive(t, w, "towards the eye")
	assert.NotNil(t, decoded(t, read("tone.png")))
}

// short returns the flare with six frames.
func short(t testing.TB) (*project.Project, stage.Files) {
	p, files := from(t, demo.Flare)
	p.Stage.Time.Length, p.Stage.Time.Rate, p.Stage.Time.Last = 0.5, 12, 0
	p.Stage.Time.Hold = 0
	return p, files
}

func TestMovingPictures(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p, files := short(t)
	o := func(as delivery.Format) *delivery.Order {
		return &delivery.Order{As: as, W: 60, H: 70, Samples: 2}
	}
	data := filled(t, p, files, o(delivery.Frames))
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Len(t, z.File, 6)
	assert.Equal(t, "frame0000.png", z.File[0].Name)
	var frames []image.Image
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		img, err := png.Decode(r)
		require.NoError(t, err)
		frames = append(frames, img)
	}

	kinds, bodies := chunks(filled(t, p, files, o(delivery.APNG)))
	count := map[string]int{}
	next := uint32(0)
	for i, k := range kinds {
		count[k]++
		switch k {
		case "acTL":
			assert.Equal(t, uint32(6), binary.BigEndian.Uint32(bodies[i]))
		case "fcTL":
			assert.Equal(t, next, binary.BigEndian.Uint32(bodies[i]))
			assert.Equal(t, [2]uint16{1, 12}, [2]uint16{binary.BigEndian.Uint16(bodies[i][20:]), binary.BigEndian.Uint16(bodies[i][22:])})
			next++
		case "fdAT":
			assert.Equal(t, next, binary.BigEndian.Uint32(bodies[i]))
			next++
		}
	}
	assert.Equal(t, 6, count["fcTL"])

	g, err := gif.DecodeAll(bytes.NewReader(filled(t, p, files, o(delivery.GIF))))
	require.NoError(t, err)
	require.Len(t, g.Image, 6)
	sum := 0
	for _, d := range g.Delay {
		sum += d
	}
	assert.Equal(t, 50, sum, "half a second, though a frame is 8⅓ hundredths")
	at := image.NewNRGBA(image.Rect(0, 0, 60, 70))
	far := 0
	for k, page := range g.Image {
		for y := page.Rect.Min.Y; y < page.Rect.Max.Y; y++ {
			for x := page.Rect.Min.X; x < page.Rect.Max.X; x++ {
				at.Set(x, y, page.At(x, y))
			}
		}
		for y := range 70 {
			for x := range 60 {
				r, g, b, _ := frames[k].At(x, y).RGBA()
				i := at.PixOffset(x, y)
				for c, v := range [3]uint32{r, g, b} {
					if d := int(v>>8) - int(at.Pix[i+c]); d > 12 || d < -12 {
						far++
					}
				}
			}
		}
	}
	assert.Less(t, far, 6*60*70*3/200, "few values are off by more than 12 of 255")

	webp := filled(t, p, files, o(delivery.WebP))
	require.Equal(t, "RIFF", string(webp[:4]))
	require.Equal(t, len(webp), int(binary.LittleEndian.Uint32(webp[4:]))+8)
	var lasts int
	count = map[string]int{}
	for rest := webp[12:]; len(rest) >= 8; {
		n := int(binary.LittleEndian.Uint32(rest[4:]))
		kind := string(rest[:4])
		if count[kind]++; kind == "ANMF" {
			lasts += int(rest[20]) | int(rest[21])<<8
			require.Equal(t, "VP8L", string(rest[24:28]))
		}
		rest = rest[8+n+n%2:]
	}
	assert.Equal(t, map[string]int{"VP8X": 1, "ANIM": 1, "ANMF": 6}, count)
	assert.Equal(t, 500, lasts)

	o2 := o(delivery.Frames)
	o2.First, o2.Last = 2, 3
	data = filled(t, p, files, o2)
	z, err = zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Len(t, z.File, 2)
	assert.Equal(t, "frame0002.png", z.File[0].Name)
}

// A few flat colours without edges between them come to a GIF exactly.
func TestFewColoursAreExactInAGIF(t *testing.T) {
	p, files := short(t)
	data := filled(t, p, files, &delivery.Order{As: delivery.GIF, W: 40, H: 30, Samples: 1, First: 1, Last: 2, Clear: true})
	g, err := gif.DecodeAll(bytes.NewReader(data))
	require.NoError(t, err)
	one := filled(t, p, files, &delivery.Order{As: delivery.Frames, W: 40, H: 30, Samples: 1, First: 1, Last: 2, Clear: true})
	z, err := zip.NewReader(bytes.NewReader(one), int64(len(one)))
	require.NoError(t, err)
	r, err := z.File[0].Open()
	require.NoError(t, err)
	want, err := png.Decode(r)
	require.NoError(t, err)
	for y := range 30 {
		for x := range 40 {
			r, gg, b, a := want.At(x, y).RGBA()
			pr, pg, pb, pa := g.Image[0].At(x, y).RGBA()
			if a>>8 < 128 {
				assert.Zero(t, pa)
			} else if a>>8 == 255 {
				assert.Equal(t, [3]uint32{r, gg, b}, [3]uint32{pr, pg, pb})
			}
		}
	}
}

func TestVideosAreReadElsewhere(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	require.NotEmpty(t, delivery.FFmpeg(), "make test brings ffmpeg")
	p, files := short(t)
	for as, codec := range map[delivery.Format]string{delivery.WebM: "vp9", delivery.MP4: "h264"} {
		name := filepath.Join(t.TempDir(), "out")
		require.NoError(t, os.WriteFile(name, filled(t, p, files, &delivery.Order{As: as, W: 61, H: 71, Samples: 1}), 0o600))
		out, err := exec.Command("ffprobe", "-v", "error", "-count_frames", "-show_entries", "stream=codec_name,width,height,nb_read_frames,r_frame_rate", "-of", "csv=p=0", name).CombinedOutput()
		require.NoError(t, err, string(out))
		assert.Equal(t, codec+",62,72,12/1,6", strings.TrimSpace(string(out)))
	}
	t.Setenv("PATH", t.TempDir())
	assert.ErrorIs(t, (&delivery.Order{As: delivery.MP4, W: 60, H: 70}).Check(p), delivery.ErrNoFFmpeg)
}

func sheet(p *project.Project) *proof.Sheet {
	var dial string
	for _, o := range proof.Offers(p) {
		if o.Group == "Dials" && o.Kind == proof.Numbers && dial == "" {
			dial = o.Of
		}
	}
	return &proof.Sheet{Axes: []proof.Axis{{Of: "sun/key", Values: []string{"-60", "0", "60"}}, {Of: dial, Values: []string{"0.1", "0.6"}}}}
}

func TestSheets(t *testing.T) {
	p, files := from(t, demo.Saltlight)
	o := &delivery.Order{As: delivery.SheetPNG, W: 72, H: 45, Samples: 1, Sheet: sheet(p)}
	img := decoded(t, filled(t, p, files, o))
	plan, err := o.Sheet.Plan(p)
	require.NoError(t, err)
	q, err := plan.Cell(4)
	require.NoError(t, err)
	pic, err := frame.Draw(context.Background(), q, files, frame.Order{W: 72, H: 45, Samples: 1})
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pic.Write(&buf, frame.PNG8))
	cell := decoded(t, buf.Bytes())
	b := img.Bounds()
	found := false
	x0, y0 := b.Dx()-28-72-84, b.Dy()-28-45 // the second of three, in the second row
	for y := range 45 {
		for x := range 72 {
			if img.At(x0+x, y0+y) != cell.At(x, y) {
				r, g, bb, _ := img.At(x0+x, y0+y).RGBA()
				r2, g2, b2, _ := cell.At(x, y).RGBA()
				require.Equal(t, [3]uint32{r, g, bb}, [3]uint32{r2, g2, b2}, "%d, %d", x, y)
			}
			found = true
		}
	}
	assert.True(t, found)

	o.As = delivery.SheetPDF
	name := filepath.Join(t.TempDir(), "out.pdf")
	require.NoError(t, os.WriteFile(name, filled(t, p, files, o), 0o600))
	out, err := exec.Command("pdftoppm", "-r", "30", "-png", name, name).CombinedOutput()
	require.NoError(t, err, string(out))
	pages, err := filepath.Glob(name + "*.png")
	require.NoError(t, err)
	assert.Len(t, pages, 1)
}

func TestPlatesAndVectorsAreOrdered(t *testing.T) {
	p, files := from(t, demo.Printed)
	for as, head := range map[delivery.Format]string{"plates1": "PK", "platespdf": "%PDF", "svg": "<svg", "svgfills": "<svg"} {
		assert.True(t, bytes.HasPrefix(filled(t, p, files, &delivery.Order{As: as, W: 90, H: 60, Samples: 1}), []byte(head)), as)
	}
}

// What cannot be filled is refused in words, before anything is drawn.
func TestBadOrdersAreRefused(t *testing.T) {
	p, _ := short(t)
	sound, _ := from(t, demo.Saltlight)
	for says, o := range map[string]delivery.Order{
		"no format":                          {As: "tga", W: 10, H: 10},
		"not 0 × 10":                         {As: "png8", W: 0, H: 10},
		"not -3 × 10":                        {As: "png8", W: -3, H: 10},
		"1 to 32768 pixels":                  {As: "png8", W: 1_000_000_000, H: 1},
		"1,073 million":                      {As: "png8", W: 32768, H: 32768},
		"there may be 16.8 million":          {As: delivery.Layers, W: 8000, H: 8000},
		"positions in a pixel":               {As: "png8", W: 10, H: 10, Samples: 1000},
		"dots per inch":                      {As: "png8", W: 10, H: 10, DPI: -1},
		"the staging is not there":           {As: "png8", W: 10, H: 10, Staging: "take9"},
		"has 6 frames, counted from 0":       {As: delivery.GIF, W: 10, H: 10, Last: 1_000_000},
		"there are none from 3 to 2":         {As: delivery.APNG, W: 10, H: 10, First: 3, Last: 2},
		"at most 16,383 pixels":              {As: delivery.WebP, W: 16384, H: 10},
		"needs to be told what it varies":    {As: delivery.SheetPNG, W: 10, H: 10},
		"not printed":                        {As: "plates8", W: 10, H: 10},
		"one to 3 things, not 0":             {As: delivery.SheetPNG, W: 10, H: 10, Sheet: &proof.Sheet{}},
		"not there any more: choose it anew": {As: delivery.SheetPNG, W: 10, H: 10, Sheet: &proof.Sheet{Axes: []proof.Axis{{Of: "sun/none", Values: []string{"1"}}}}},
	} {
		assert.ErrorContains(t, o.Check(p), says)
	}
	late := 1e9
	o := delivery.Order{As: "png8", W: 10, H: 10, At: &late}
	assert.ErrorContains(t, o.Check(p), "time 1e+09 lies outside 0 to 36000")
	values := make([]string, 21)
	for i := range values {
		values[i] = "1"
	}
	s := sheet(sound)
	s.Axes[0].Values, s.Axes[1].Values = values, values
	_, err := s.Plan(sound)
	assert.ErrorContains(t, err, "more than 400 pictures")
	assert.Equal(t, "a 40x30.png", (&delivery.Order{As: "png8", W: 40, H: 30}).Name("a"))
}

// Whatever is ordered is refused in words or comes to pieces that can be counted.
func FuzzOrders(f *testing.F) {
	p, err := func() (*project.Project, error) { p, _, err := demo.Saltlight(); return p, err }()
	if err != nil {
		f.Fatal(err)
	}
	for _, s := range []string{`{"as":"png8","w":90,"h":60}`, `{"as":"gif","w":9,"h":9,"first":1,"last":3}`, `{"as":"sheet","w":60,"h":40,"sheet":{"axes":[{"of":"sun/key","values":["1","2"]}]}}`, `{"as":"ora","w":1,"h":1,"dpi":1e3,"at":3}`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var o delivery.Order
		if json.Unmarshal(data, &o) != nil {
			return
		}
		if err := o.Check(p); err != nil {
			require.NotEmpty(t, err.Error())
			return
		}
		pieces, err := o.Pieces(p)
		require.NoError(t, err)
		require.NotEmpty(t, pieces)
		require.LessOrEqual(t, len(pieces), 10_000)
		require.Positive(t, o.Memory())
		require.NotNil(t, o.Remarks(p))
	})
}

func TestRemarks(t *testing.T) {
	p, _ := from(t, demo.ComicPage)
	say := func(o delivery.Order) string {
		require.NoError(t, o.Check(p))
		return strings.Join(o.Remarks(p), "\n")
	}
	assert.Contains(t, say(delivery.Order{As: "png8", W: 120, H: 100}), "pixels wide at this size, and so are drawn paler")
	assert.Contains(t, say(delivery.Order{As: "png8", W: 120, H: 100}), "too fine to be seen one by one")
	assert.Empty(t, say(delivery.Order{As: "png8", W: 1920, H: 1600, DPI: 300}))
	assert.Contains(t, say(delivery.Order{As: "png8", W: 8000, H: 8000}), "GB of memory")
	assert.Contains(t, say(delivery.Order{As: "png8", W: 1920, H: 1600, DPI: 72}), "few for print")
	q, _ := from(t, demo.Printed)
	o := delivery.Order{As: delivery.Layers, W: 1200, H: 1000}
	require.NoError(t, o.Check(q))
	assert.Contains(t, strings.Join(o.Remarks(q), "\n"), "The press is left out")
}

func TestWhatAnOrderTakes(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	p, _ := from(t, demo.Saltlight)
	m := delivery.Measured{Ready: 0.2, Fixed: 0.1, PerPixel: 1e-6}
	for _, c := range []struct {
		o      delivery.Order
		pieces int
		want   float64
	}{
		{delivery.Order{As: "png8", W: 1000, H: 1000}, 1, 0.2 + 0.1 + 1},
		{delivery.Order{As: "png8", W: 4000, H: 1000}, 4, 0.2 + 4*0.1 + 4},
		{delivery.Order{As: delivery.GIF, W: 100, H: 100}, 30, 0.2 + 30*0.11},
		{delivery.Order{As: delivery.Layers, W: 200, H: 100}, 1, 0.2 + 8*0.12},
	} {
		assert.InDelta(t, c.want, c.o.Seconds(m, c.pieces), 1e-9)
	}
	_, files := from(t, demo.Saltlight)
	one := delivery.Order{As: "png8", W: 1000, H: 1000}
	require.NoError(t, one.Check(p))
	got, err := delivery.NewDrawer(p, files, 2, nil).Measure(context.Background(), &one)
	require.NoError(t, err)
	assert.Positive(t, got.PerPixel+got.Fixed)
	assert.Positive(t, got.Ready)

	large := delivery.Order{As: "png8", W: 7680, H: 4320}
	assert.InDelta(t, 1.2e9, float64(large.Memory()), 0.2e9, "28 bytes a pixel, and what is drawn at a time")
	small := delivery.Order{As: "svg", W: 1000, H: 1000}
	assert.Equal(t, 178_000_000, small.Memory())
	assert.Equal(t, 6_000_000, one.Disk(1))
	frames := delivery.Order{As: delivery.Frames, W: 1000, H: 1000}
	assert.Equal(t, 60_000_000, frames.Disk(10))
	assert.Equal(t, 2*3*7680*4320, large.Disk(len(frame.Parts(7680, 4320))))

	for _, o := range []delivery.Order{{As: "png8", W: 1, H: 1}, {As: "png8", W: 32768, H: 1}, {As: "png8", W: 1, H: 32768, Samples: 256, DPI: 10_000}} {
		require.NoError(t, o.Check(p))
	}
	for _, o := range []delivery.Order{{As: "png8", W: 32769, H: 1}, {As: "png8", W: 1, H: 32769}, {As: "png8", W: 1, H: 0}, {As: "png8", W: 1, H: 1, Samples: 257}, {As: "png8", W: 1, H: 1, DPI: 10_001}} {
		assert.Error(t, o.Check(p))
	}
}

// Of bytes that are no part nothing is made.
func TestDamagedPiecesAreRefused(t *testing.T) {
	p, files := from(t, demo.Saltlight)
	o := &delivery.Order{As: "png8", W: 60, H: 40, Samples: 1}
	require.NoError(t, o.Check(p))
	d := delivery.NewDrawer(p, files, 1, nil)
	pieces, err := d.Pieces(o)
	require.NoError(t, err)
	require.Len(t, pieces, 1)
	data, err := d.Draw(context.Background(), o, pieces[0])
	require.NoError(t, err)
	name := filepath.Join(t.TempDir(), "out")
	file := func(data []byte) error {
		return d.File(context.Background(), o, name, func(int) ([]byte, error) { return data, nil })
	}
	require.NoError(t, file(data))
	for _, bad := range [][]byte{nil, {1, 2, 3}, data[:len(data)/2], append([]byte{0xff, 0xff, 0xff, 0x7f}, data...)} {
		require.Error(t, file(bad))
		_, err := os.Stat(name)
		assert.ErrorIs(t, err, os.ErrNotExist, "nothing half done is left")
	}
	stop, cancel := context.WithCancel(context.Background())
	cancel()
	assert.ErrorIs(t, d.File(stop, o, name, func(int) ([]byte, error) { return data, nil }), context.Canceled)
}

// A GIF of thousands of colours keeps those that much of it has as they are.
func TestManyColoursInAGIF(t *testing.T) {
	p, files := short(t)
	data := filled(t, p, files, &delivery.Order{As: delivery.GIF, W: 120, H: 140, Samples: 4, First: 0, Last: 1})
	g, err := gif.DecodeAll(bytes.NewReader(data))
	require.NoError(t, err)
	palette := g.Image[0].Palette
	assert.Len(t, palette, 256)
	one := filled(t, p, files, &delivery.Order{As: delivery.Frames, W: 120, H: 140, Samples: 4, First: 0, Last: 0, Staging: ""})
	z, err := zip.NewReader(bytes.NewReader(one), int64(len(one)))
	require.NoError(t, err)
	r, err := z.File[0].Open()
	require.NoError(t, err)
	img, err := png.Decode(r)
	require.NoError(t, err)
	count, most := map[[3]uint32]int{}, [3]uint32{}
	for y := range 140 {
		for x := range 120 {
			r, g, b, _ := img.At(x, y).RGBA()
			c := [3]uint32{r, g, b}
			if count[c]++; count[c] > count[most] {
				most = c
			}
		}
	}
	kept := false
	for _, c := range palette {
		r, g, b, _ := c.RGBA()
		kept = kept || [3]uint32{r, g, b} == most
	}
	assert.True(t, kept)
}

// Orders that were given when stagings were called takes are still read.
// What an order of textures or painted models leaves open is filled in, and what it says is looked at.
func TestOrdersOfTexturesAreFilledInAndChecked(t *testing.T) {
	p := project.New("p")
	_, err := p.Apply(&project.Edit{Op: "model.add", Kind: "sphere", Look: "look1"})
	require.NoError(t, err)
	plain := delivery.Order{As: delivery.PaintedGLB, W: 64, H: 64}
	_ = plain.Check(p)
	require.NotNil(t, plain.Painted)
	said := delivery.Order{As: delivery.PaintedGLB, W: 64, H: 64, Painted: &painted.Order{Outline: 1e6}}
	assert.ErrorContains(t, said.Check(p), "thousandths")
	baked := delivery.Order{As: delivery.Texture, W: 64, H: 64}
	_ = baked.Check(p)
	require.NotNil(t, baked.Bake)
	bits := delivery.Order{As: delivery.Texture, W: 64, H: 64, Bake: &bake.Order{Bits: 7}}
	assert.ErrorContains(t, bits.Check(p), "bits")
	code := delivery.Order{As: delivery.GLSL, W: 64, H: 64, Code: &shader.Order{Look: "none"}}
	assert.Error(t, code.Check(p))
}

func TestEachFormatIsMadeInOneWay(t *testing.T) {
	seen := map[delivery.Format]bool{}
	for _, f := range delivery.Forms {
		assert.False(t, seen[f.Format], "%s is there once", f.Format)
		seen[f.Format] = true
		assert.Equal(t, 1, delivery.Ways(f), "%s is drawn in pieces or written as one", f.Format)
		assert.Equal(t, f.Kind == delivery.Moving, delivery.Movie(f), f.Format)
		assert.NotEmpty(t, f.Name)
		assert.Equal(t, f.Format == delivery.SheetOnly, f.Ending == "" && f.Media == "" && f.Help == "", f.Format)
		assert.Contains(t, []int{0, 1, 2}, f.Urgency())
	}
	assert.Equal(t, []delivery.Kind{delivery.Picture, delivery.Layered, delivery.Vectors, delivery.Plates, delivery.Moving, delivery.Baked, delivery.PaintedModel, delivery.Coded, delivery.Proof}, delivery.Kinds())
	assert.Panics(t, func() { delivery.Again(delivery.Forms[0]) }, "a rank is given once")

	unknown := delivery.Order{As: "of a later version", W: 40, H: 30} // as it may lie among the jobs
	form, ok := unknown.As.Form()
	assert.False(t, ok)
	assert.Equal(t, 1, form.Urgency())
	assert.Positive(t, unknown.Memory())
}

func TestOlderOrdersSayTake(t *testing.T) {
	var o delivery.Order
	require.NoError(t, json.Unmarshal([]byte(`{"as":"png8","w":10,"h":20,"take":"take3","sheet":{"axes":[{"of":"takes","values":["take1"]}]}}`), &o))
	assert.Equal(t, "take3", o.Staging)
	assert.Equal(t, 20, o.H)
	assert.Equal(t, "stagings", o.Sheet.Axes[0].Of)
	data, err := json.Marshal(o)
	require.NoError(t, err)
	assert.NotContains(t, string(data), `"take":`)
	var again delivery.Order
	require.NoError(t, json.Unmarshal(data, &again))
	assert.Equal(t, o, again)
}

package delivery

import (
	"archive/zip"
	"context"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"

	"mobanta/core/frame"
	"mobanta/core/openraster"
)

func init() {
	register(2, &kind{name: Layered, wait: 1, most: maxWhole,
		memory:  func(pixels, part int) int { return 5*kept*pixels + 2*drawn*part }, // several films beside each other
		seconds: func(_ Measured, picture float64, _ int) float64 { return 8 * picture },
	},
		Form{Format: Layers, Name: "OpenRaster, layers", Ending: ".ora", Media: "image/openraster", Help: "flats, shadow, highlight, pattern, lines by set, glow, backdrop, and each band as a mask: put together they are the picture", pressless: true, write: layers},
		Form{Format: Passes, Name: "passes, single files", Ending: " passes.zip", Media: "application/zip", Help: "tone, part numbers, depth and normals as PNGs of 16 bits, in a ZIP", write: passes},
	)
}

// layers writes a picture in layers as OpenRaster.
func layers(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
	list, merged, err := d.easel.Layers(ctx, d.of(o), d.under(ctx), o.frame(o.At))
	if err != nil {
		return err
	}
	return openraster.Write(w, o.W, o.H, o.DPI, list, merged)
}

// passes writes values of a picture as PNGs of 16 bits in a ZIP file, with a note of what they mean.
func passes(ctx context.Context, d *Drawer, o *Order, w io.Writer) error {
	p := d.of(o)
	all, parts, err := d.easel.Passes(ctx, p, d.under(ctx), o.frame(o.At))
	if err != nil {
		return err
	}
	z := zip.NewWriter(w)
	put := func(name string, img image.Image) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		if err != nil {
			return err
		}
		return png.Encode(f, img)
	}
	for _, name := range []string{"tone", "depth"} {
		if err := put(name+".png", grey(all[name], func(v, a float32) float64 {
			if name == "depth" && a == 0 {
				return 1 // what shows no model is farthest
			}
			return float64(v)
		}, 65535)); err != nil {
			return err
		}
	}
	// The number of the part and one more, so that 0 is where no model is.
	if err := put("parts.png", grey(all["parts"], func(v, a float32) float64 {
		if a == 0 {
			return 0
		}
		return math.Round(float64(v)) + 1
	}, 1)); err != nil {
		return err
	}
	if err := put("normals.png", asColors(all["normals"])); err != nil {
		return err
	}
	note := passNote{Tone: "light as a tone, linear: 0 to 65535 is 0 to 1", Depth: "0 to 65535 from the nearest to the farthest of the stage, linear",
		Normals: "red to the right, green up, blue towards the eye: 0 to 65535 is -1 to 1", Parts: map[int]string{}}
	for i, name := range parts {
		note.Parts[i+1] = name
	}
	f, err := z.Create("passes.json")
	if err != nil {
		return err
	}
	e := json.NewEncoder(f)
	e.SetIndent("", "  ")
	if err := e.Encode(note); err != nil {
		return err
	}
	return z.Close()
}

// passNote says what passes mean.
type passNote struct {
	Tone    string         `json:"tone"`
	Depth   string         `json:"depth"`
	Normals string         `json:"normals"`
	Parts   map[int]string `json:"parts"` // value → model and part; 0 is none
}

// grey returns the first value of each pixel, as of makes it of that and its cover, times scale.
func grey(p *frame.Part, of func(v, a float32) float64, scale float64) *image.Gray16 {
	img := image.NewGray16(p.Area)
	for i := range len(p.Pix) / 4 {
		v := max(0, min(65535, math.Round(of(p.Pix[4*i], p.Pix[4*i+3])*scale)))
		img.Pix[2*i], img.Pix[2*i+1] = uint8(uint16(v)>>8), uint8(uint16(v))
	}
	return img
}

func asColors(p *frame.Part) *image.NRGBA64 {
	img := image.NewNRGBA64(p.Area)
	w := p.Area.Dx()
	for i := range len(p.Pix) / 4 {
		v := p.Pix[4*i : 4*i+4]
		if v[3] == 0 {
			continue
		}
		to := func(f float32) uint16 { return uint16(max(0, min(1, float64(f)))*65535 + 0.5) }
		img.SetNRGBA64(i%w, i/w, color.NRGBA64{R: to(v[0]), G: to(v[1]), B: to(v[2]), A: 65535})
	}
	return img
}

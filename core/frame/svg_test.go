package frame_test

import (
	"bytes"
	"context"
	"encoding/xml"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/vector"

	mcolor "mobanta/core/color"
	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/project"
)

// shape is what a file of vectors holds: a path with its paint.
type path struct {
	fill, stroke string
	width        float64
	loops        [][][2]float64
	titles       []string // of the groups about it
}

// pathsIn reads a file of vectors back, which must be XML throughout.
func pathsIn(t *testing.T, data []byte) (out []path) {
	d := xml.NewDecoder(bytes.NewReader(data))
	var titles []string
	inTitle := false
	for {
		tok, err := d.Token()
		if err == io.EOF {
			return out
		}
		require.NoError(t, err)
		switch e := tok.(type) {
		case xml.StartElement:
			get := func(name string) string {
				for _, a := range e.Attr {
					if a.Name.Local == name {
						return a.Value
					}
				}
				return ""
			}
			switch e.Name.Local {
			case "g":
				titles = append(titles, "")
			case "title":
				inTitle = true
			case "path":
				p := path{fill: get("fill"), stroke: get("stroke"), titles: append([]string(nil), titles...)}
				p.width, _ = strconv.ParseFloat(get("stroke-width"), 64)
				for _, l := range strings.Split(strings.ReplaceAll(get("d"), "Z", ""), "M")[1:] {
					var loop [][2]float64
					numbers := strings.Fields(strings.ReplaceAll(l, "L", " "))
					require.Zero(t, len(numbers)%2)
					for i := 0; i < len(numbers); i += 2 {
						x, err := strconv.ParseFloat(numbers[i], 64)
						require.NoError(t, err)
						y, err := strconv.ParseFloat(numbers[i+1], 64)
						require.NoError(t, err)
						loop = append(loop, [2]float64{x, y})
					}
					p.loops = append(p.loops, loop)
				}
				out = append(out, p)
			}
		case xml.CharData:
			if inTitle && len(titles) > 0 {
				titles[len(titles)-1] = string(e)
			}
		case xml.EndElement:
			switch e.Name.Local {
			case "g":
				titles = titles[:len(titles)-1]
			case "title":
				inTitle = false
			}
		}
	}
}

// painted draws paths as SVG says: fills, and strokes with round ends and joints.
func painted(w, h int, back color.Color, paths []path) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.Set(i%w, i/w, back)
	}
	paint := func(hex string, loops [][][2]float64) {
		r := vector.NewRasterizer(w, h)
		for _, l := range loops {
			for i, p := range l {
				if i == 0 {
					r.MoveTo(float32(p[0]), float32(p[1]))
				} else {
					r.LineTo(float32(p[0]), float32(p[1]))
				}
			}
			r.ClosePath()
		}
		r.Draw(img, img.Bounds(), image.NewUniform(mcolor.MustHex(hex).NRGBA()), image.Point{})
	}
	for _, p := range paths {
		if p.fill != "none" {
			paint(p.fill, p.loops)
		}
		if p.stroke == "" || p.fill != "none" {
			continue
		}
		for _, l := range p.loops {
			for i, a := range l {
				disc := make([][2]float64, 16)
				for k := range disc {
					s, c := math.Sincos(math.Pi * float64(k) / 8)
					disc[k] = [2]float64{a[0] + c*p.width/2, a[1] + s*p.width/2}
				}
				paint(p.stroke, [][][2]float64{disc})
				if i > 0 {
					b := l[i-1]
					d := math.Hypot(a[0]-b[0], a[1]-b[1])
					if d > 0 {
						x, y := (a[1]-b[1])/d*p.width/2, -(a[0]-b[0])/d*p.width/2
						paint(p.stroke, [][][2]float64{{{a[0] + x, a[1] + y}, {a[0] - x, a[1] - y}, {b[0] - x, b[1] - y}, {b[0] + x, b[1] + y}}})
					}
				}
			}
		}
	}
	return img
}

// inked is a ball that wears a look with one set of lines.
func inked(t *testing.T, kind string, set map[string]any) *project.Project {
	p := ball(t)
	p.Stage.Backdrop.Color = mcolor.MustHex("#FFFFFF")
	wire := func(s string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(s)}} }
	stops := []mcolor.Stop{{At: 0, Color: mcolor.MustHex("#804020")}, {At: 0.5, Color: mcolor.MustHex("#F0D0A0"), Edge: mcolor.Step}}
	net := network.Network{Nodes: []network.Node{
		{ID: "light", Kind: "diffuse-light"},
		{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("light.tone")}, Set: map[string]any{"stops": stops}},
		{ID: "ink", Name: "Ink & <pen>", Kind: kind, Set: set, In: map[string]network.Input{"width": {Value: 14.0}}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("bands.colour"), "lines": wire("ink.lines")}}}}
	p.Looks = append(p.Looks, project.Look{ID: "inked", Name: "Inked", Network: net})
	for i := range p.Stage.Models {
		for part := range p.Stage.Models[i].Looks {
			p.Stage.Models[i].Looks[part] = "inked"
		}
	}
	require.NoError(t, p.Settle())
	return p
}

// dark tells whether a pixel is ink.
func dark(img image.Image, x, y int) bool {
	r, g, b, _ := img.At(x, y).RGBA()
	return r+g+b < 3*0x3000
}

// Lines as vectors lie on the lines that are drawn, within a pixel, and nowhere else.
func TestVectorsLieOnTheLines(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, p := range map[string]*project.Project{
		"edges":   inked(t, "edge-lines", nil),
		"even":    inked(t, "pen-lines", map[string]any{"contour": "even"}),
		"tapered": inked(t, "pen-lines", map[string]any{"contour": "swelling", "wobble": 4.0, "breaks": 0.3}),
	} {
		o := frame.Order{W: 300, H: 240, Samples: 16, Lines: true}
		pic, err := png.Decode(bytes.NewReader(bytesOf(t, p, o, frame.PNG8)))
		require.NoError(t, err)
		data := bytesOf(t, p, o, frame.SVG)
		paths := pathsIn(t, data)
		require.NotEmpty(t, paths, name)
		assert.Equal(t, []string{"Inked", "Ink & <pen>", "Sphere · Sphere"}, paths[0].titles)
		img := painted(o.W, o.H, color.White, paths)
		missing, all := 0, 0
		near := func(img image.Image, x, y int) bool {
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if dark(img, x+dx, y+dy) {
						return true
					}
				}
			}
			return false
		}
		for y := 1; y < o.H-1; y++ {
			for x := 1; x < o.W-1; x++ {
				for _, pair := range [2][2]image.Image{{pic, img}, {img, pic}} {
					if dark(pair[0], x, y) {
						all++
						if !near(pair[1], x, y) {
							missing++
						}
					}
				}
			}
		}
		require.Positive(t, all, name)
		assert.LessOrEqual(t, float64(missing), 0.01*float64(all), name)
	}
}

// With their bands, vectors are the whole picture but for the softness of its edges.
func TestBandsAreFlatRegions(t *testing.T) {
	p := inked(t, "pen-lines", map[string]any{"contour": "even"})
	o := frame.Order{W: 300, H: 240, Samples: 16, Lines: true}
	pic, err := png.Decode(bytes.NewReader(bytesOf(t, p, o, frame.PNG8)))
	require.NoError(t, err)
	data := bytesOf(t, p, o, frame.SVGFills)
	assert.Less(t, len(data), 20_000)
	img := painted(o.W, o.H, color.White, pathsIn(t, data))
	off := 0
	for y := range o.H {
		for x := range o.W {
			r, g, b, _ := pic.At(x, y).RGBA()
			r2, g2, b2, _ := img.At(x, y).RGBA()
			if math.Abs(float64(r)-float64(r2))+math.Abs(float64(g)-float64(g2))+math.Abs(float64(b)-float64(b2)) > 3*0x4000 {
				off++
			}
		}
	}
	assert.Less(t, off, o.W*o.H/400)
	fills := 0
	for _, l := range pathsIn(t, data) {
		if l.titles[0] == "Bands" {
			fills++
		}
	}
	assert.Equal(t, 2, fills)
	none := ball(t)
	for part := range none.Stage.Models[0].Looks {
		none.Stage.Models[0].Looks[part] = ""
	}
	assert.Empty(t, pathsIn(t, bytesOf(t, none, o, frame.SVG)), "no lines, no paths")
}

// A backdrop that goes from one colour to another is a gradient in vectors too.
func TestAGradientIsOneInVectors(t *testing.T) {
	p := project.New("p")
	for _, e := range []project.Edit{{Op: "model.add", Kind: "sphere"}, {Op: "backdrop.set", Key: "course", Value: "round"}, {Op: "backdrop.set", Key: "other", Value: "#102030"}} {
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	for course, want := range map[string]string{"round": "<radialGradient", "up": "<linearGradient"} {
		_, err := p.Apply(&project.Edit{Op: "backdrop.set", Key: "course", Value: course})
		require.NoError(t, err)
		pic, err := frame.Draw(context.Background(), p, meshfile.Files(nil), frame.Order{W: 120, H: 80, Samples: 1, Lines: true})
		require.NoError(t, err)
		var buf bytes.Buffer
		require.NoError(t, pic.Write(&buf, frame.SVG))
		require.NoError(t, xml.Unmarshal(buf.Bytes(), new(struct{})))
		assert.Contains(t, buf.String(), want)
		assert.Contains(t, buf.String(), `offset="1" stop-color="#102030"`)
		assert.Contains(t, buf.String(), `fill="url(#course)"`)
	}
}

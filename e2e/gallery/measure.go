package main

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	_ "embed"

	"mobanta/core/disjoint"
)

// measuredLook draws pen lines of one width on one colour.
//
//go:embed measured.json
var measuredLook []byte

const (
	// lines and half are the height of what is measured and half the width of its pen, in pixels.
	lines = 1600
	half  = 2.0 * lines / 1000
	// near is how far a line may lie from what it stands for, in pixels, on top of half its width.
	near = 2
	// turned is how far a band's edge may turn from one pixel to the next, in degrees.
	turned = 12
)

// measures are what the lines and bands of a model come to in figures, on a picture of so many lines.
type measures struct {
	Ink     int // pixels of lines
	Outside int // of them, those over two pixels outside the fill
	Between int // pixels of backdrop between line and fill
	NoEdge  int // of Ink, those with no visible edge of the surface within two pixels
	Crumbs  int // strokes shorter than three widths and joined to nothing
	Edge    int // pixels of band edges
	Bends   int // places where they turn by more than twelve degrees, outside creases

	lit *image.Paletted // lines, and where what is amiss is, in amissColours
}

// amissColours are nothing, lines, outside the fill or between, no edge, crumbs, bends.
var amissColours = color.Palette{color.White, color.Gray{170}, color.RGBA{255, 0, 0, 255}, color.RGBA{255, 120, 0, 255}, color.RGBA{0, 90, 255, 255}, color.RGBA{200, 0, 200, 255}}

// mark lights a place with a colour of amissColours.
func (m *measures) mark(x, y int, as uint8) {
	for v := max(0, y-3); v <= min(m.lit.Rect.Max.Y-1, y+3); v++ {
		for u := max(0, x-3); u <= min(m.lit.Rect.Max.X-1, x+3); u++ {
			m.lit.SetColorIndex(u, v, as)
		}
	}
}

// Amiss tells whether any of them is not as it should be.
func (m measures) Amiss() bool {
	return m.Outside > 0 || m.Between > 0 || m.Crumbs > 0 || m.Bends > 0 || 500*m.NoEdge > m.Ink
}

func (m measures) String() string {
	return fmt.Sprintf("%d px of lines: %d outside the fill, %d of backdrop between, %.2f %% with no edge, %d crumbs; %d px of band edges: %d bends",
		m.Ink, m.Outside, m.Between, 100*float64(m.NoEdge)/float64(max(1, m.Ink)), m.Crumbs, m.Edge, m.Bends)
}

// measure draws what is measured of a model, with the program's arguments for it.
func measure(program string, args []string) (measures, error) {
	dir, err := os.MkdirTemp("", "gallery")
	if err != nil {
		return measures{}, err
	}
	defer os.RemoveAll(dir)
	look := filepath.Join(dir, "look.json")
	if err := os.WriteFile(look, measuredLook, 0o600); err != nil {
		return measures{}, err
	}
	drawn := func(format, samples string) (map[string][]byte, error) {
		out := filepath.Join(dir, format)
		text, err := exec.Command(program, append([]string{"render", "--size", fmt.Sprintf("%dx%d", lines*4/3, lines), "--samples", samples, "--look", look, "--format", format, "--out", out}, args...)...).CombinedOutput()
		if err != nil {
			return nil, errors.New(strings.TrimSpace(string(text)))
		}
		return unpacked(out)
	}
	passes, err := drawn("passes", "1")
	if err != nil {
		return measures{}, err
	}
	layers, err := drawn("ora", "4")
	if err != nil {
		return measures{}, err
	}
	s, err := surfaceOf(passes)
	if err != nil {
		return measures{}, err
	}
	fill, ink, err := layersOf(layers, s.w, s.h)
	if err != nil {
		return measures{}, err
	}
	return of(s, fill, ink), nil
}

// of measures lines and fill, masks of the size of s, and the band edges of s.
func of(s *surface, fill, ink []bool) (m measures) {
	toFill, toEdge := distances(s.w, s.h, fill), distances(s.w, s.h, s.edges())
	limit := int(math.Ceil(half + near))
	both := make([]bool, len(fill))
	m.lit = image.NewPaletted(image.Rect(0, 0, s.w, s.h), amissColours)
	for i, on := range ink {
		if on {
			m.lit.Pix[i] = 1
		}
	}
	for i, on := range ink {
		both[i] = on || fill[i]
		if !on {
			continue
		}
		m.Ink++
		if toFill[i] > limit {
			m.Outside++
			m.mark(i%s.w, i/s.w, 2)
		}
		if toEdge[i] > limit {
			m.NoEdge++
			m.mark(i%s.w, i/s.w, 3)
		}
	}
	a, b := around(s.w, s.h, fill), around(s.w, s.h, both)
	for i := range a {
		if a[i] && !b[i] && !both[i] {
			m.Between++
			m.mark(i%s.w, i/s.w, 2)
		}
	}
	for _, b := range crumbs(s.w, s.h, ink) {
		m.Crumbs++
		m.mark(b.Min.X, b.Min.Y, 4)
	}
	var bends []image.Point
	m.Edge, bends = s.bends(toEdge)
	for _, b := range bends {
		m.Bends++
		m.mark(b.X, b.Y, 5)
	}
	return m
}

// unpacked returns the files of an archive.
func unpacked(name string) (map[string][]byte, error) {
	z, err := zip.OpenReader(name)
	if err != nil {
		return nil, err
	}
	defer z.Close()
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			return nil, err
		}
		out[f.Name], err = io.ReadAll(r)
		if err = errors.Join(err, r.Close()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// layersOf returns where the fill and the lines of an OpenRaster picture cover more than half of a pixel.
func layersOf(files map[string][]byte, w, h int) (fill, ink []bool, err error) {
	var stack struct {
		Layers []struct {
			Name string `xml:"name,attr"`
			Src  string `xml:"src,attr"`
			X    int    `xml:"x,attr"`
			Y    int    `xml:"y,attr"`
		} `xml:"stack>layer"`
	}
	if err := xml.Unmarshal(files["stack.xml"], &stack); err != nil {
		return nil, nil, err
	}
	fill, ink = make([]bool, w*h), make([]bool, w*h)
	for _, l := range stack.Layers {
		to := fill
		switch {
		case strings.HasPrefix(l.Name, "Lines: "):
			to = ink
		case l.Name == "Backdrop":
			continue
		}
		p, err := png.Decode(bytes.NewReader(files[l.Src]))
		if err != nil {
			return nil, nil, err
		}
		b := p.Bounds()
		for y := b.Min.Y; y < b.Max.Y; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				if _, _, _, a := p.At(x, y).RGBA(); a > 0x8000 {
					to[(y-b.Min.Y+l.Y)*w+x-b.Min.X+l.X] = true
				}
			}
		}
	}
	return fill, ink, nil
}

// surface is what is seen in each pixel.
type surface struct {
	w, h    int
	depth   []float64 // from 0 to 65535
	normal  [][3]float64
	part    []uint16 // 0 where nothing is
	tone    []float64
	between []bool // pixels at an edge, once asked for
}

func surfaceOf(passes map[string][]byte) (*surface, error) {
	var shown [4]image.Image
	for i, name := range [...]string{"depth.png", "normals.png", "parts.png", "tone.png"} {
		m, err := png.Decode(bytes.NewReader(passes[name]))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		shown[i] = m
	}
	depth, normals, parts, tone := shown[0], shown[1], shown[2], shown[3]
	b := depth.Bounds()
	n := b.Dx() * b.Dy()
	s := &surface{w: b.Dx(), h: b.Dy(), depth: make([]float64, n), normal: make([][3]float64, n), part: make([]uint16, n), tone: make([]float64, n)}
	for y := range s.h {
		for x := range s.w {
			i := y*s.w + x
			v, _, _, _ := depth.At(x, y).RGBA()
			s.depth[i] = float64(v)
			v, _, _, _ = parts.At(x, y).RGBA()
			s.part[i] = uint16(v)
			v, _, _, _ = tone.At(x, y).RGBA()
			s.tone[i] = float64(v) / 65535
			r, g, b, _ := normals.At(x, y).RGBA()
			s.normal[i] = [3]float64{float64(r)/32767.5 - 1, float64(g)/32767.5 - 1, float64(b)/32767.5 - 1}
		}
	}
	return s, nil
}

// edges returns the pixels beside which something else is seen: another part, a surface that faces elsewhere by over twelve
// degrees, or one that lies over a thousandth of the stage's depth before or behind where this one goes on.
func (s *surface) edges() []bool {
	if s.between != nil {
		return s.between
	}
	s.between = make([]bool, len(s.depth))
	cosine := math.Cos(turned * math.Pi / 180)
	for y := 1; y < s.h-1; y++ {
		for x := 1; x < s.w-1; x++ {
			i := y*s.w + x
			for _, step := range [2]int{1, s.w} {
				j := i + step
				a, b := s.normal[i], s.normal[j]
				dot := a[0]*b[0] + a[1]*b[1] + a[2]*b[2]
				jumps := math.Abs(s.depth[j]-(2*s.depth[i]-s.depth[i-step])) > 60 && (j+step >= len(s.depth) || math.Abs(s.depth[i]-(2*s.depth[j]-s.depth[j+step])) > 60)
				if s.part[i] != s.part[j] || s.part[i] != 0 && (dot < cosine || jumps) {
					s.between[i], s.between[j] = true, true
				}
			}
		}
	}
	return s.between
}

// distances returns how far each pixel is from the nearest that is on, in steps to any of eight neighbours, up to 60.
func distances(w, h int, on []bool) []int {
	const most = 60
	d := make([]int, w*h)
	var queue []int
	for i := range d {
		if on[i] {
			queue = append(queue, i)
		} else {
			d[i] = most
		}
	}
	for k := 0; k < len(queue); k++ {
		p := queue[k]
		if d[p]+1 >= most {
			continue
		}
		x, y := p%w, p/w
		for v := max(0, y-1); v <= min(h-1, y+1); v++ {
			for u := max(0, x-1); u <= min(w-1, x+1); u++ {
				if q := v*w + u; d[q] > d[p]+1 {
					d[q] = d[p] + 1
					queue = append(queue, q)
				}
			}
		}
	}
	return d
}

// around returns what is reached from the picture's corner without crossing what is solid.
func around(w, h int, solid []bool) []bool {
	seen := make([]bool, w*h)
	queue := []int{0}
	for len(queue) > 0 {
		p := queue[len(queue)-1]
		queue = queue[:len(queue)-1]
		if seen[p] || solid[p] {
			continue
		}
		seen[p] = true
		x, y := p%w, p/w
		if x > 0 {
			queue = append(queue, p-1)
		}
		if x < w-1 {
			queue = append(queue, p+1)
		}
		if y > 0 {
			queue = append(queue, p-w)
		}
		if y < h-1 {
			queue = append(queue, p+w)
		}
	}
	return seen
}

// crumbs returns the boxes of strokes that lie by themselves, are shorter than three widths and surround nothing.
func crumbs(w, h int, ink []bool) (out []image.Rectangle) {
	set := disjoint.New(w * h)
	for y := range h {
		for x := range w {
			i := y*w + x
			if !ink[i] {
				continue
			}
			for _, d := range [4][2]int{{1, 0}, {-1, 1}, {0, 1}, {1, 1}} {
				if u, v := x+d[0], y+d[1]; u >= 0 && u < w && v < h && ink[v*w+u] {
					set.Join(int32(i), int32(v*w+u))
				}
			}
		}
	}
	boxes := map[int32]image.Rectangle{}
	for i, on := range ink {
		if on {
			p := image.Pt(i%w, i/w)
			k := set.Find(int32(i))
			boxes[k] = boxes[k].Union(image.Rectangle{Min: p, Max: p.Add(image.Pt(1, 1))})
		}
	}
	for k, b := range boxes {
		if math.Hypot(float64(b.Dx()), float64(b.Dy())) >= 2*half*(3+1) {
			continue
		}
		// What it surrounds is not reached from beside it.
		wide, high := b.Dx()+2, b.Dy()+2
		own := make([]bool, wide*high)
		for y := b.Min.Y; y < b.Max.Y; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				own[(y-b.Min.Y+1)*wide+x-b.Min.X+1] = ink[y*w+x] && set.Find(int32(y*w+x)) == k
			}
		}
		ring := false
		for i, reached := range around(wide, high, own) {
			ring = ring || !reached && !own[i]
		}
		if !ring {
			out = append(out, b)
		}
	}
	return out
}

// bends follows where the light comes to a quarter, a half and three quarters, by squares of four pixels, and returns the places
// where that line turns by more than twelve degrees within three pixels and no edge of the surface is near.
func (s *surface) bends(toEdge []int) (length int, out []image.Point) {
	for _, at := range [3]float64{0.25, 0.5, 0.75} {
		for _, chain := range s.isolines(at) {
			length += len(chain)
			const step = 3
			for k := step; k+step < len(chain); k++ {
				a, b, c := chain[k-step], chain[k], chain[k+step]
				if toEdge[int(b[1])*s.w+int(b[0])] <= 2*step+near {
					continue
				}
				turn := math.Abs(math.Remainder(math.Atan2(c[1]-b[1], c[0]-b[0])-math.Atan2(b[1]-a[1], b[0]-a[0]), 2*math.Pi))
				if turn*180/math.Pi > turned*step {
					out = append(out, image.Pt(int(b[0]), int(b[1])))
					k += step // one place is one bend
				}
			}
		}
	}
	return length, out
}

// isolines returns the lines along which the tone has a value: places where they cross the sides of squares between the middles
// of pixels, in order, in pixels.
func (s *surface) isolines(at float64) (chains [][][2]float64) {
	above := func(x, y int) bool { return s.tone[y*s.w+x] >= at }
	same := func(x, y int) bool {
		i := y*s.w + x
		return s.part[i] != 0 && s.part[i] == s.part[i+1] && s.part[i] == s.part[i+s.w] && s.part[i] == s.part[i+s.w+1]
	}
	// Sides of squares by their first pixel: 2i to the right, 2i+1 down.
	place := func(side int) [2]float64 {
		i, down := side/2, side%2 == 1
		j := i + 1
		if down {
			j = i + s.w
		}
		t := (at - s.tone[i]) / (s.tone[j] - s.tone[i])
		p := [2]float64{float64(i % s.w), float64(i / s.w)}
		if down {
			p[1] += t
		} else {
			p[0] += t
		}
		return p
	}
	links := map[int][]int{}
	for y := range s.h - 1 {
		for x := range s.w - 1 {
			if !same(x, y) {
				continue
			}
			i := y*s.w + x
			var cut []int
			if above(x, y) != above(x+1, y) {
				cut = append(cut, 2*i)
			}
			if above(x+1, y) != above(x+1, y+1) {
				cut = append(cut, 2*(i+1)+1)
			}
			if above(x, y+1) != above(x+1, y+1) {
				cut = append(cut, 2*(i+s.w))
			}
			if above(x, y) != above(x, y+1) {
				cut = append(cut, 2*i+1)
			}
			if len(cut) == 2 { // saddles are left open
				links[cut[0]], links[cut[1]] = append(links[cut[0]], cut[1]), append(links[cut[1]], cut[0])
			}
		}
	}
	done := map[int]bool{}
	follow := func(from int) {
		var chain [][2]float64
		for at := from; ; {
			done[at] = true
			chain = append(chain, place(at))
			next := -1
			for _, l := range links[at] {
				if !done[l] {
					next = l
				}
			}
			if next < 0 {
				break
			}
			at = next
		}
		chains = append(chains, chain)
	}
	for _, ends := range [2]bool{true, false} { // open lines from their ends, then rings
		for i := range 2 * s.w * s.h {
			if l := links[i]; len(l) > 0 && !done[i] && (len(l) == 1) == ends {
				follow(i)
			}
		}
	}
	return chains
}

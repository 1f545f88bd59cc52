package frame

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/stage"
)

// The formats of vectors.
const (
	SVG      Format = "svg"      // the lines
	SVGFills Format = "svgfills" // and under them the bands as flat regions
)

// lines is a set of lines with the names by which an artist knows it.
type lines struct {
	look, node string
	parts      []string // of each stroke
	strokes    []line.Stroke
}

const (
	// even is by how much widths of a stroke may differ, in parts of the largest, for it to be a path with one width.
	evenWidth = 0.02
	// alike is by how much the colours of a stroke may differ for it to have one, in steps of a byte.
	alikeBytes = 3
	// straight is how far a path may lie from the places that it stands for, in pixels.
	straightWithin = 0.12
)

// writeSVG writes lines, and, with fills, regions under them, in SVG 1.1. Lengths are pixels of the picture. Lines are
// grouped by look, set and part; a stroke that is as wide everywhere is a path with that width, another one its
// outline.
func (p *Picture) writeSVG(to io.Writer, fills bool) error {
	w := bufio.NewWriter(to)
	width, height := p.result.W, p.result.H
	fmt.Fprintf(w, "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"%d\" height=\"%d\" viewBox=\"0 0 %d %d\">\n", width, height, width, height)
	if b := p.result.Backdrop; !b.None {
		fmt.Fprintf(w, "%s<rect id=\"backdrop\" width=\"%d\" height=\"%d\" fill=\"%s\"/>\n", course(&b, width, height), width, height, fillOf(&b))
	}
	if fills {
		if err := p.writeFills(w); err != nil {
			return err
		}
	}
	unit := float32(height) / 1000
	for i, set := range p.lines {
		if i == 0 || p.lines[i-1].look != set.look {
			if i > 0 {
				fmt.Fprintln(w, "</g>")
			}
			fmt.Fprintf(w, "<g><title>%s</title>\n", escaped(set.look))
		}
		fmt.Fprintf(w, "<g><title>%s</title>\n", escaped(set.node))
		part, open := "", false
		for k := range set.strokes {
			paths := pathsOf(&set.strokes[k], unit)
			if len(paths) == 0 {
				continue
			}
			if !open || set.parts[k] != part {
				if open {
					fmt.Fprintln(w, "</g>")
				}
				part, open = set.parts[k], true
				fmt.Fprintf(w, "<g><title>%s</title>\n", escaped(part))
			}
			for _, path := range paths {
				fmt.Fprintln(w, path)
			}
		}
		if open {
			fmt.Fprintln(w, "</g>")
		}
		fmt.Fprintln(w, "</g>")
	}
	if len(p.lines) > 0 {
		fmt.Fprintln(w, "</g>")
	}
	fmt.Fprintln(w, "</svg>")
	return w.Flush()
}

// fillOf returns what a backdrop without its picture is filled with.
func fillOf(b *stage.Backdrop) string {
	if b.Course != stage.Flat {
		return "url(#course)"
	}
	return b.Color.Hex()
}

// course returns the definition of a backdrop's gradient, "" for one colour. Its colours stand so close that what runs
// straight between them is right to a step of a byte.
func course(b *stage.Backdrop, width, height int) string {
	const steps = 16
	var out strings.Builder
	w, h := float64(width), float64(height)
	switch b.Course {
	case stage.Upward:
		fmt.Fprintf(&out, "<defs><linearGradient id=\"course\" gradientUnits=\"userSpaceOnUse\" x1=\"0\" y1=\"%d\" x2=\"0\" y2=\"0\">", height)
	case stage.Round:
		fmt.Fprintf(&out, "<defs><radialGradient id=\"course\" gradientUnits=\"userSpaceOnUse\" cx=\"%g\" cy=\"%g\" r=\"%.2f\">", w/2, h/2, math.Hypot(w/2, h/2))
	default:
		return ""
	}
	for i := range steps + 1 {
		t := float64(i) / steps
		fmt.Fprintf(&out, "<stop offset=\"%g\" stop-color=\"%s\"/>", t, b.Along(t).Hex())
	}
	kind := map[stage.Course]string{stage.Upward: "linear", stage.Round: "radial"}[b.Course]
	fmt.Fprintf(&out, "</%sGradient></defs>\n", kind)
	return out.String()
}

func escaped(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s))
	return b.String()
}

// at is a place of a stroke, in pixels, with its radius there.
type at struct{ x, y, r float32 }

// pathsOf returns a stroke as paths: one for each run of it that has one colour and is not clear.
func pathsOf(s *line.Stroke, unit float32) (out []string) {
	places := make([]at, len(s.Chain))
	for i, p := range s.Chain {
		places[i] = at{p.X, p.Y, s.Ink[i].Width * unit / 2}
	}
	ink := s.Ink
	if !s.Joined {
		ink = evenInk(ink)
		if s.Chain.Ring() { // a ring ends where it began
			places, ink = append(places, places[0]), append(ink, ink[0])
		}
	}
	shown := func(i int) bool { return places[i].r > 0 && ink[i].Opacity > 0 }
	for from := 0; from < len(places); {
		if !shown(from) {
			from++
			continue
		}
		to := from + 1
		first := bytesOf(ink[from].Color)
		for to < len(places) && shown(to) && near(first, bytesOf(ink[to].Color)) {
			to++
		}
		end := to
		if to < len(places) && shown(to) { // the next run begins where this one ends
			end = to + 1
		}
		if end-from > 1 {
			out = append(out, pathOf(places[from:end], ink[(from+to)/2]))
		}
		from = to
	}
	return out
}

// evenInk returns ink whose colours are means over some places to either side: in a picture all its positions do that for lines
// between pixels, whose colour may change from one to the next.
func evenInk(of []line.Ink) []line.Ink {
	const reach = 5
	out := slices.Clone(of)
	for i := range out {
		var sum color.C
		lo, hi := max(0, i-reach), min(len(of), i+reach+1)
		for _, ink := range of[lo:hi] {
			for k := range sum {
				sum[k] += ink.Color[k]
			}
		}
		for k := range sum {
			out[i].Color[k] = sum[k] / float32(hi-lo)
		}
	}
	return out
}

func bytesOf(c color.C) [3]int {
	return [3]int{int(color.Byte(c[0])), int(color.Byte(c[1])), int(color.Byte(c[2]))}
}

func near(a, b [3]int) bool {
	for k := range a {
		if d := a[k] - b[k]; d > alikeBytes || d < -alikeBytes {
			return false
		}
	}
	return true
}

// pathOf returns places as one path.
func pathOf(of []at, ink line.Ink) string {
	least, most := of[0].r, of[0].r
	for _, p := range of {
		least, most = min(least, p.r), max(most, p.r)
	}
	opacity := ""
	if o := min(1, ink.Opacity); o < 1 {
		opacity = fmt.Sprintf(" opacity=\"%s\"", number(o))
	}
	if most-least <= evenWidth*most {
		return fmt.Sprintf("<path fill=\"none\" stroke=\"%s\" stroke-width=\"%s\" stroke-linecap=\"round\" stroke-linejoin=\"round\"%s d=\"%s\"/>", ink.Color.Hex(), number(2*most), opacity, drawn(simple(of), false))
	}
	return fmt.Sprintf("<path fill=\"%s\"%s d=\"%s\"/>", ink.Color.Hex(), opacity, drawn(simple(outline(of)), true))
}

// outline returns the outline of a stroke: along one side, round its end, back along the other, and round its
// beginning.
func outline(of []at) (out []at) {
	n := len(of)
	way := func(i int) (x, y float32) {
		a, b := of[max(0, i-1)], of[min(n-1, i+1)]
		x, y = b.x-a.x, b.y-a.y
		if l := float32(math.Hypot(float64(x), float64(y))); l > 0 {
			return x / l, y / l
		}
		return 1, 0
	}
	round := func(i int, from float64) {
		x, y := way(i)
		turn := math.Atan2(float64(y), float64(x)) + from
		for k := 1; k < 6; k++ {
			s, c := math.Sincos(turn + math.Pi*float64(k)/6)
			out = append(out, at{of[i].x + of[i].r*float32(c), of[i].y + of[i].r*float32(s), 0})
		}
	}
	for i, p := range of {
		x, y := way(i)
		out = append(out, at{p.x + y*p.r, p.y - x*p.r, 0})
	}
	round(n-1, -math.Pi/2)
	for i := n - 1; i >= 0; i-- {
		x, y := way(i)
		out = append(out, at{of[i].x - y*of[i].r, of[i].y + x*of[i].r, 0})
	}
	round(0, math.Pi/2)
	return out
}

// simple leaves out places that lie on the way between others (Douglas and Peucker 1973).
func simple(of []at) []at {
	keep := make([]bool, len(of))
	keep[0], keep[len(of)-1] = true, true
	type run struct{ from, to int }
	todo := []run{{0, len(of) - 1}}
	for len(todo) > 0 {
		r := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		a, b := of[r.from], of[r.to]
		dx, dy := float64(b.x-a.x), float64(b.y-a.y)
		square := dx*dx + dy*dy
		far, where := straightWithin, -1
		for i := r.from + 1; i < r.to; i++ {
			x, y := float64(of[i].x-a.x), float64(of[i].y-a.y)
			if square > 0 {
				t := max(0, min(1, (x*dx+y*dy)/square))
				x, y = x-t*dx, y-t*dy
			}
			if d := math.Hypot(x, y); d > far {
				far, where = d, i
			}
		}
		if where >= 0 {
			keep[where] = true
			todo = append(todo, run{r.from, where}, run{where, r.to})
		}
	}
	out := of[:0:0]
	for i, p := range of {
		if keep[i] {
			out = append(out, p)
		}
	}
	return out
}

// drawn returns places as the data of a path.
func drawn(of []at, closed bool) string {
	var b strings.Builder
	for i, p := range of {
		switch i {
		case 0:
			b.WriteByte('M')
		case 1:
			b.WriteByte('L')
		default:
			b.WriteByte(' ')
		}
		b.WriteString(number(p.x))
		b.WriteByte(' ')
		b.WriteString(number(p.y))
	}
	if closed {
		b.WriteByte('Z')
	}
	return b.String()
}

// number writes a number to a hundredth.
func number(v float32) string {
	return strconv.FormatFloat(math.Round(float64(v)*100)/100, 'f', -1, 64)
}

// named names sets of lines as the artist does.
func named(p *project.Project, sc *stage.Scene, sets []picture.Set) (out []lines) {
	cat := node.Catalogue{}
	for _, s := range sets {
		l := lines{look: s.Look, node: s.Node, strokes: s.Strokes}
		if look := p.Look(s.Look); look != nil {
			l.look = look.Name
			if d := look.Network.Node(s.Node); d != nil {
				if l.node = d.Name; l.node == "" {
					l.node = cat.Of(d).Name
				}
			}
		}
		for i := range s.Strokes {
			part := s.Strokes[i].Part
			l.parts = append(l.parts, sc.Stage.Models[sc.Parts[part].Model].Name+" · "+sc.Parts[part].Name)
		}
		out = append(out, l)
	}
	return out
}

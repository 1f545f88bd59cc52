package frame

import (
	"bufio"
	"cmp"
	"fmt"
	"slices"

	"mobanta/core/color"
	"mobanta/core/stage"
)

// maxFills is how many colours regions may have: of more, those that are rarest are the nearest of the others.
const maxFills = 96

// flat is a picture as regions, each of one colour.
type flat struct {
	w, h   int
	label  []int32 // of each pixel, number of its colour; -1 where nothing is
	colors []color.C
	area   []int // in pixels, of each colour
}

// flatten returns the picture's first position as regions of one colour.
func (p *Picture) flatten() *flat {
	r := &p.result
	f := &flat{w: r.W, h: r.H, label: make([]int32, r.W*r.H)}
	back := r.Backdrop.Color // under what covers in part
	if r.Backdrop.Course != stage.Flat {
		back = r.Backdrop.Along(0.5)
	}
	count := map[[3]int]int{}
	key := func(i int) (k [3]int, ok bool) {
		b := r.Base[4*i : 4*i+4]
		if !(b[3] > 0) {
			return k, false
		}
		c := color.C{b[0], b[1], b[2]}
		if rest := 1 - min(1, b[3]); !r.Backdrop.None {
			for k := range c {
				c[k] += back[k] * rest
			}
		} else {
			for k := range c {
				c[k] /= b[3]
			}
		}
		return bytesOf(c), true
	}
	for i := range f.label {
		if k, ok := key(i); ok {
			count[k]++
		}
	}
	all := make([][3]int, 0, len(count))
	for k := range count {
		all = append(all, k)
	}
	slices.SortFunc(all, func(a, b [3]int) int {
		return cmp.Or(cmp.Compare(count[b], count[a]), slices.Compare(a[:], b[:]))
	})
	number := map[[3]int]int32{}
	for i, k := range all {
		if i < maxFills {
			number[k] = int32(i)
			f.colors = append(f.colors, color.FromBytes(uint8(k[0]), uint8(k[1]), uint8(k[2])))
			continue
		}
		best, least := 0, 1<<30
		for j, o := range all[:maxFills] {
			d := 0
			for c := range k {
				d += (k[c] - o[c]) * (k[c] - o[c])
			}
			if d < least {
				best, least = j, d
			}
		}
		number[k] = int32(best)
	}
	f.area = make([]int, len(f.colors))
	for i := range f.label {
		f.label[i] = -1
		if k, ok := key(i); ok {
			f.label[i] = number[k]
			f.area[f.label[i]]++
		}
	}
	return f
}

// writeFills writes the picture's regions, the largest colours first. Neighbours share their borders, and each reaches a
// hair over its own, so that nothing shows between them.
func (p *Picture) writeFills(w *bufio.Writer) error {
	f := p.flatten()
	paths := make([][]byte, len(f.colors))
	for _, loop := range f.loops() {
		l := f.label[loop.pixel]
		paths[l] = append(paths[l], drawn(f.border(loop), true)...)
	}
	order := make([]int, len(f.colors))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(f.area[b], f.area[a]) })
	fmt.Fprintln(w, "<g stroke-width=\"0.6\" stroke-linejoin=\"round\"><title>Bands</title>")
	for _, i := range order {
		if len(paths[i]) > 0 {
			hex := f.colors[i].Hex()
			if _, err := fmt.Fprintf(w, "<path fill=\"%s\" stroke=\"%s\" d=\"%s\"/>\n", hex, hex, paths[i]); err != nil {
				return err
			}
		}
	}
	fmt.Fprintln(w, "</g>")
	return nil
}

// loop is a border of a region: corners between pixels, with the region to the right of the way from one to the
// next; without the first again.
type loop struct {
	pixel   int // of the region
	corners [][2]int32
}

// at returns the label at a place, -2 beyond the picture.
func (f *flat) at(x, y int) int32 {
	if x < 0 || y < 0 || x >= f.w || y >= f.h {
		return -2
	}
	return f.label[y*f.w+x]
}

// sides are the neighbours of a pixel across its sides, clockwise from above, and where each side begins.
var sides = [4]struct{ dx, dy, x, y int }{{0, -1, 0, 0}, {1, 0, 1, 0}, {0, 1, 1, 1}, {-1, 0, 0, 1}}

// loops follows the borders of all regions.
func (f *flat) loops() (out []loop) {
	done := make([]uint8, len(f.label))
	for i, l := range f.label {
		if l < 0 {
			continue
		}
		for s := range sides {
			x, y := i%f.w, i/f.w
			if done[i]&(1<<s) != 0 || f.at(x+sides[s].dx, y+sides[s].dy) == l {
				continue
			}
			found := loop{pixel: i}
			for side := s; done[y*f.w+x]&(1<<side) == 0; {
				done[y*f.w+x] |= 1 << side
				found.corners = append(found.corners, [2]int32{int32(x + sides[side].x), int32(y + sides[side].y)})
				// On round this pixel, or along the next, or round the one that lies beyond both.
				next := (side + 1) % 4
				if f.at(x+sides[next].dx, y+sides[next].dy) != l {
					side = next
					continue
				}
				x, y = x+sides[next].dx, y+sides[next].dy
				if f.at(x+sides[side].dx, y+sides[side].dy) == l {
					x, y = x+sides[side].dx, y+sides[side].dy
					side = (side + 3) % 4
				}
			}
			out = append(out, found)
		}
	}
	return out
}

// meeting tells whether more than two regions meet at a corner, or the picture's rim bends there.
func (f *flat) meeting(c [2]int32) bool {
	x, y := int(c[0]), int(c[1])
	a, b, d, e := f.at(x-1, y-1), f.at(x, y-1), f.at(x-1, y), f.at(x, y)
	changes := 0
	for _, pair := range [4][2]int32{{a, b}, {b, e}, {e, d}, {d, a}} {
		if pair[0] != pair[1] {
			changes++
		}
	}
	return changes > 2 || (c[0] == 0 || int(c[0]) == f.w) && (c[1] == 0 || int(c[1]) == f.h)
}

// border returns a loop without the steps of pixels: between the corners at which regions meet, which stay, through the
// middles of its sides, made even, and without those that lie on the way.
func (f *flat) border(l loop) (out []at) {
	n := len(l.corners)
	first := slices.IndexFunc(l.corners, f.meeting)
	if first < 0 { // all round without a meeting
		ring := make([]at, 0, n+1)
		for i := range n {
			ring = append(ring, middle(l.corners[i], l.corners[(i+1)%n]))
		}
		return simple(evened(append(ring, ring[0]), true))
	}
	var arc []at
	for k := range n + 1 {
		c := l.corners[(first+k)%n]
		if k > 0 {
			arc = append(arc, middle(l.corners[(first+k-1)%n], c))
		}
		if f.meeting(c) {
			end := at{float32(c[0]), float32(c[1]), 0}
			if len(arc) > 0 {
				arc = simple(evened(append(arc, end), false))
				out = append(out, arc[:len(arc)-1]...)
			}
			arc = []at{end}
		}
	}
	return out
}

func middle(a, b [2]int32) at { return at{float32(a[0]+b[0]) / 2, float32(a[1]+b[1]) / 2, 0} }

// evened takes the steps out of places; the ends stay, and of a ring the first is the last.
func evened(of []at, ring bool) []at {
	n := len(of)
	for range 4 {
		next := append([]at(nil), of...)
		for i := range of {
			a, b := i-1, i+1
			if a < 0 || b >= n {
				if !ring || n < 4 {
					continue
				}
				a, b = (i-1+n-1)%(n-1), (i+1)%(n-1)
			}
			next[i].x, next[i].y = of[i].x/2+(of[a].x+of[b].x)/4, of[i].y/2+(of[a].y+of[b].y)/4
		}
		of = next
	}
	return of
}

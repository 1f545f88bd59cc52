package layout

import (
	"cmp"
	"slices"
)

// cross is a level piece of a wire in the gap below a row.
type cross struct{ strand, piece, lo, hi int }

// draw turns rows and places into cards, frames and wires. Wires that run across
// the same gap get lanes of their own.
func (l *layouter) draw() Layout {
	left := 0.0
	for i := range l.spots {
		left = min(left, l.spots[i].x)
	}
	margin := l.z.GapX
	x := func(s int) int { return int(l.spots[s].x-left+0.5) + margin }
	gaps := make([][]cross, len(l.rows)+1) // above the first row, then below each
	for si := range l.strands {
		w := &l.strands[si]
		if w.edge.up {
			continue
		}
		for p := range len(w.through) - 1 {
			a, b := x(w.through[p]), x(w.through[p+1])
			if p == 0 {
				a += int(w.a)
			}
			if p == len(w.through)-2 {
				b += int(w.b)
			}
			row := l.spots[w.through[p]].row
			gaps[row+1] = append(gaps[row+1], cross{si, p, min(a, b), max(a, b)})
		}
	}
	lane, deep := lanes(gaps)
	y := l.heights(deep)
	out := Layout{}
	for _, row := range l.rows {
		for _, s := range row {
			if b := l.spots[s].box; b >= 0 {
				c := l.boxes[b].card
				c.X, c.Y = x(s), y[l.spots[s].row]
				out.Cards = append(out.Cards, c)
				out.W, out.H = max(out.W, c.X+c.W+margin), max(out.H, c.Y+l.z.CardH+l.out(b)+8)
			}
		}
	}
	l.frames(&out, x, y)
	for si := range l.strands {
		w := &l.strands[si]
		p := w.edge.wire
		if w.edge.up {
			p.Points = l.upward(w, x, y, out.W)
			out.W += l.z.Lane
			out.Wires = append(out.Wires, p)
			continue
		}
		from := w.through[0]
		at := x(from) + int(w.a)
		p.Points = append(p.Points, [2]int{at, y[l.spots[from].row] + l.z.CardH + l.out(l.spots[from].box)})
		for k := range len(w.through) - 1 {
			row := l.spots[w.through[k]].row
			next := x(w.through[k+1])
			if k == len(w.through)-2 {
				next += int(w.b)
			}
			if d := next - at; d > 3 || d < -3 { // what is all but straight is drawn straight
				level := y[row] + l.z.CardH + l.rowOut(row) + l.z.GapY/2 + lane[[2]int{si, k}]*l.z.Lane
				p.Points = append(p.Points, [2]int{at, level}, [2]int{next, level})
				at = next
			}
		}
		last := l.spots[w.through[len(w.through)-1]].row
		p.Points = append(p.Points, [2]int{at, y[last] - l.z.Port})
		out.Wires = append(out.Wires, p)
		for _, q := range p.Points {
			out.W = max(out.W, q[0]+margin)
		}
	}
	return out
}

// lanes gives the level pieces of every gap lanes in which they do not touch; it
// returns the lane of each strand's piece, and how many each gap has beyond one.
func lanes(gaps [][]cross) (lane map[[2]int]int, deep []int) {
	lane, deep = map[[2]int]int{}, make([]int, len(gaps))
	for r := range gaps {
		slices.SortFunc(gaps[r], func(a, b cross) int {
			return cmp.Or(cmp.Compare(a.lo, b.lo), cmp.Compare(a.hi, b.hi), cmp.Compare(a.strand, b.strand))
		})
		var ends []int
		for _, c := range gaps[r] {
			if c.lo == c.hi {
				continue
			}
			k := slices.IndexFunc(ends, func(end int) bool { return end+6 < c.lo })
			if k < 0 {
				k = len(ends)
				ends = append(ends, 0)
			}
			ends[k] = c.hi
			lane[[2]int{c.strand, c.piece}] = k
		}
		deep[r] = max(0, len(ends)-1)
	}
	return lane, deep
}

// out returns the height of the outputs of a box.
func (l *layouter) out(b int) int {
	switch c := &l.boxes[b].card; {
	case c.Tall:
		return l.z.Out
	case len(c.Outs) > 0:
		return l.z.Port
	}
	return 0
}

func (l *layouter) rowOut(row int) int {
	h := l.z.Port
	for _, s := range l.rows[row] {
		if b := l.spots[s].box; b >= 0 {
			h = max(h, l.out(b))
		}
	}
	return h
}

// heights returns where the cards of each row begin.
func (l *layouter) heights(deep []int) []int {
	y := make([]int, len(l.rows)+1)
	at := 6
	for r := range l.rows {
		if len(l.clusters) > 0 && l.begins(r) {
			at += l.z.Title
		}
		y[r] = at + l.z.Port
		at = y[r] + l.z.CardH + l.rowOut(r) + l.z.GapY + deep[r+1]*l.z.Lane
	}
	y[len(l.rows)] = at
	return y
}

// begins tells whether a section begins in a row.
func (l *layouter) begins(r int) bool {
	for c := range l.clusters {
		if l.has(r, c) && (r == 0 || !l.has(r-1, c)) {
			return true
		}
	}
	return false
}

func (l *layouter) has(row, cluster int) bool {
	return slices.ContainsFunc(l.rows[row], func(s int) bool { return l.spots[s].cluster == cluster })
}

// frames draws the open sections: in every row from their first card to their
// last, joined between the rows.
func (l *layouter) frames(out *Layout, x func(int) int, y []int) {
	const pad = 9
	for c, id := range l.clusters {
		for r := 0; r < len(l.rows); r++ {
			if !l.has(r, c) {
				continue
			}
			f := Frame{ID: id}
			var right [][2]int
			first := r
			for ; r < len(l.rows) && l.has(r, c); r++ {
				lo, hi := 1<<30, -1<<30
				for _, s := range l.rows[r] {
					if l.spots[s].cluster == c {
						lo, hi = min(lo, x(s)), max(hi, x(s)+int(l.width(s)))
					}
				}
				lo, hi = lo-pad, hi+pad
				top, bottom := y[r]-l.z.Port-4, y[r]+l.z.CardH+l.rowOut(r)+4
				if r == first {
					top -= l.z.Title - 4
					f.X, f.Y, f.W = lo, top, hi-lo
				} else {
					top = f.Points[len(f.Points)-1][1]
				}
				if r+1 < len(l.rows) && l.has(r+1, c) {
					bottom = (bottom + y[r+1] - l.z.Port - 4) / 2
				}
				f.Points = append(f.Points, [2]int{lo, top}, [2]int{lo, bottom})
				right = append(right, [2]int{hi, top}, [2]int{hi, bottom})
			}
			slices.Reverse(right)
			f.Points = append(f.Points, right...)
			out.Frames = append(out.Frames, f)
			for _, q := range f.Points {
				out.W, out.H = max(out.W, q[0]+4), max(out.H, q[1]+4)
			}
		}
	}
}

// upward leads a wire that closes a circle round the right-hand side.
func (l *layouter) upward(w *strand, x func(int) int, y []int, side int) [][2]int {
	from, to := w.through[0], w.through[1]
	a, b := x(from)+int(w.a), x(to)+int(w.b)
	below := y[l.spots[from].row] + l.z.CardH + l.out(l.spots[from].box)
	above := y[l.spots[to].row] - l.z.Port
	return [][2]int{{a, below}, {a, below + l.z.GapY/2}, {side, below + l.z.GapY/2}, {side, above - l.z.GapY/2}, {b, above - l.z.GapY/2}, {b, above}}
}

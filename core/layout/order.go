package layout

import (
	"cmp"
	"slices"
)

// sort orders the rows by the means of what each spot is wired to, in sweeps up
// and down, and keeps the order with the fewest crossings.
func (l *layouter) sort() {
	l.cluster(func(s int) float64 { return float64(slices.Index(l.rows[l.spots[s].row], s)) })
	best, fewest := l.copyRows(), l.crossings()
	for sweep := 0; sweep < 10 && fewest > 0; sweep++ {
		for k := range l.rows {
			r := k
			if sweep%2 == 1 {
				r = len(l.rows) - 1 - k
			}
			l.place()
			for _, s := range l.rows[r] {
				links := l.spots[s].up
				if sweep%2 == 1 {
					links = l.spots[s].down
				}
				l.spots[s].order = l.mean(s, links)
			}
			l.arrange(r)
		}
		if c := l.crossings(); c < fewest {
			best, fewest = l.copyRows(), c
		}
	}
	l.rows = best
}

// mean returns where the links of a spot would have it, its place if it has none.
func (l *layouter) mean(s int, links []link) float64 {
	if len(links) == 0 {
		return l.spots[s].x
	}
	sum := 0.0
	for _, k := range links {
		sum += l.spots[k.spot].x + k.away - k.here
	}
	return sum / float64(len(links))
}

// cluster orders all rows by the given measure, open sections kept together.
func (l *layouter) cluster(measure func(s int) float64) {
	order := make([]float64, len(l.spots))
	for s := range l.spots {
		order[s] = measure(s)
	}
	for s := range l.spots {
		l.spots[s].order = order[s]
	}
	for r := range l.rows {
		l.arrange(r)
	}
}

// arrange sorts a row by the orders of its spots. The spots of a section stand
// together, at the mean of all its spots, so that two sections stand the same
// way round in every row.
func (l *layouter) arrange(r int) {
	if len(l.clusters) == 0 {
		slices.SortStableFunc(l.rows[r], func(a, b int) int { return cmp.Compare(l.spots[a].order, l.spots[b].order) })
		return
	}
	sum, n := make([]float64, len(l.clusters)), make([]float64, len(l.clusters))
	for s := range l.spots {
		if c := l.spots[s].cluster; c >= 0 {
			sum[c] += l.spots[s].order
			n[c]++
		}
	}
	key := func(s int) float64 {
		if c := l.spots[s].cluster; c >= 0 {
			return sum[c] / n[c]
		}
		return l.spots[s].order
	}
	slices.SortStableFunc(l.rows[r], func(a, b int) int {
		return cmp.Or(cmp.Compare(key(a), key(b)), cmp.Compare(l.spots[a].cluster, l.spots[b].cluster), cmp.Compare(l.spots[a].order, l.spots[b].order))
	})
}

// keepOrder puts the cards that stood on the page before into the order that
// they had there, and what is new among them where its wires lead. It does not,
// if that crosses wires far more often than the order that is there now.
func (l *layouter) keepOrder(before *Layout) {
	free, fewest := l.copyRows(), l.crossings()
	x := map[string]int{}
	for _, c := range before.Cards {
		x[c.ID] = c.X
	}
	known := 0
	for s := range l.spots {
		if b := l.spots[s].box; b >= 0 {
			if at, ok := x[l.boxes[b].card.ID]; ok {
				l.spots[s].known, l.spots[s].order = true, float64(at)
				known++
			}
		}
	}
	if known == 0 {
		return
	}
	// Cards that have gone up or down a row keep their old place across, so that
	// the order holds there too; bends and new cards follow their wires.
	for range 4 {
		for s := range l.spots {
			if l.spots[s].known {
				l.spots[s].x = l.spots[s].order
			}
		}
		for s := range l.spots {
			if !l.spots[s].known {
				p := &l.spots[s]
				p.order = l.mean(s, append(slices.Clone(p.up), p.down...))
				p.x = p.order
			}
		}
	}
	for r := range l.rows {
		l.arrange(r)
	}
	if c := l.crossings(); c > 2*fewest+10 {
		l.rows = free
	}
}

func (l *layouter) copyRows() [][]int {
	out := make([][]int, len(l.rows))
	for i := range out {
		out[i] = slices.Clone(l.rows[i])
	}
	return out
}

func (l *layouter) width(s int) float64 {
	if b := l.spots[s].box; b >= 0 {
		return float64(l.boxes[b].card.W)
	}
	return 0
}

// gap is the room between two neighbours in a row; the frames of sections need
// some.
func (l *layouter) gap(a, b int) float64 {
	g := float64(l.z.GapX)
	if l.spots[a].cluster != l.spots[b].cluster {
		g += 10
	}
	return g
}

// place packs every row from the left.
func (l *layouter) place() {
	for _, row := range l.rows {
		x := 0.0
		for i, s := range row {
			if i > 0 {
				x += l.gap(row[i-1], s)
			}
			l.spots[s].x = x
			x += l.width(s)
		}
	}
}

// crossings counts the pairs of wires that cross between rows.
func (l *layouter) crossings() int {
	l.place()
	total := 0
	type piece struct{ a, b float64 }
	for _, row := range l.rows {
		var pieces []piece
		for _, s := range row {
			for _, k := range l.spots[s].down {
				pieces = append(pieces, piece{l.spots[s].x + k.here, l.spots[k.spot].x + k.away})
			}
		}
		for i := range pieces {
			for j := range i {
				if (pieces[i].a-pieces[j].a)*(pieces[i].b-pieces[j].b) < 0 {
					total++
				}
			}
		}
	}
	return total
}

// settle moves the spots of each row, keeping their order and their distance, to
// where their wires run as straight as they can.
func (l *layouter) settle() {
	l.place()
	for sweep := range 12 {
		for k := range l.rows {
			r := k
			if sweep%2 == 0 {
				r = len(l.rows) - 1 - k
			}
			row := l.rows[r]
			want := make([]float64, len(row))
			weight := make([]float64, len(row))
			for i, s := range row {
				p := &l.spots[s]
				want[i], weight[i] = p.x, 0.1
				sum := 0.1 * p.x
				for _, links := range [2][]link{p.up, p.down} {
					for _, k := range links {
						w := k.weight
						if p.box < 0 || l.spots[k.spot].box < 0 { // long wires run straight
							w += 2
						}
						sum += w * (l.spots[k.spot].x + k.away - k.here)
						weight[i] += w
					}
				}
				want[i] = sum / weight[i]
			}
			gap := func(i int) float64 { return l.width(row[i]) + l.gap(row[i], row[i+1]) }
			for i, x := range monotone(want, weight, gap) {
				l.spots[row[i]].x = x
			}
		}
	}
}

// monotone returns the places nearest to want, by weighted squares, of which
// each is at least gap(i) after the one before (pool adjacent violators).
func monotone(want, weight []float64, gap func(i int) float64) []float64 {
	type block struct {
		mean, weight float64
		n            int
	}
	var blocks []block
	shift := make([]float64, len(want))
	for i := range want {
		if i > 0 {
			shift[i] = shift[i-1] + gap(i-1)
		}
		b := block{want[i] - shift[i], weight[i], 1}
		for len(blocks) > 0 && blocks[len(blocks)-1].mean > b.mean {
			last := blocks[len(blocks)-1]
			blocks = blocks[:len(blocks)-1]
			w := last.weight + b.weight
			b = block{(last.mean*last.weight + b.mean*b.weight) / w, w, last.n + b.n}
		}
		blocks = append(blocks, b)
	}
	out := make([]float64, 0, len(want))
	for _, b := range blocks {
		for range b.n {
			out = append(out, b.mean+shift[len(out)])
		}
	}
	return out
}

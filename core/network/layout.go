package network

import (
	"cmp"
	"slices"
)

// Sizes are the measures of a network on the page, in pixels.
type Sizes struct {
	CardW, CardH int // of a card, without its ports
	PortW        int // from the middle of one port to that of the next
	PortInset    int // from the card's left edge to the middle of its first port
	GapX, GapY   int // between cards side by side, and between the ports of two rows
	Port         int // height of a port
	Lane         int // between two wires that run side by side across
}

// Layout is a network on the page: it runs downward, sources above, Finish at
// the foot.
type Layout struct {
	W, H  int
	Cards []Card
	Wires []Path
}

// Card is where a node is put.
type Card struct {
	ID   string
	X, Y int
}

// Path is how a wire runs: corners of a line of upright and level pieces.
type Path struct {
	From, To Ref
	How      string // the conversion, "" for none
	Points   [][2]int
}

// spot is a card or, on a wire that passes a row, a bend.
type spot struct {
	node  int // index into Nodes, -1 for a bend
	row   int
	x     float64 // left edge of a card, middle of a bend
	order float64 // for sorting within the row
	up    []link  // to the row above
	down  []link  // to the row below
}

// link is one piece of a wire: the spot at its other end and where it leaves
// and arrives, from the left edges of both.
type link struct {
	spot       int
	here, away float64
}

type layouter struct {
	net   *Network
	cat   Catalogue
	z     Sizes
	spots []spot
	rows  [][]int // spots, left to right
	wires []wire
}

// wire is a wire with the spots that it runs through, from source to input.
type wire struct {
	from, to Ref
	how      string
	through  []int
	a, b     float64 // where it leaves and arrives, from the left edge of the cards
}

// Lay returns the layout of the network: rows by the longest way to Finish, few
// crossings (Sugiyama, Tagawa and Toda 1981), bends for wires that pass rows, so
// that they run round cards. The same network always gets the same layout, and
// cards keep the order in which their wires were made.
func (n *Network) Lay(cat Catalogue, z Sizes) Layout {
	l := &layouter{net: n, cat: cat, z: z}
	l.makeRows()
	l.makeWires()
	l.sort()
	l.settle()
	return l.draw()
}

func (l *layouter) makeRows() {
	order, err := l.net.Order()
	if err != nil {
		order = nil
	}
	nodes := l.net.Nodes
	index := map[string]int{}
	for i := range nodes {
		index[nodes[i].ID] = i
	}
	height := make([]int, len(nodes)) // above Finish
	for i := range nodes {
		if nodes[i].Kind != FinishKind {
			height[i] = 1
		}
	}
	for k := len(order) - 1; k >= 0; k-- {
		i := order[k]
		for _, in := range nodes[i].In {
			for _, w := range in.Wires {
				if j, ok := index[w.Node]; ok {
					height[j] = max(height[j], height[i]+1)
				}
			}
		}
	}
	top := 0
	for _, h := range height {
		top = max(top, h)
	}
	l.rows = make([][]int, top+1)
	l.spots = make([]spot, len(nodes))
	// Cards start in the order in which they are met from Finish upward, inputs
	// from left to right: what feeds the first input comes first.
	seen := make([]bool, len(nodes))
	var put func(i int)
	put = func(i int) {
		if seen[i] {
			return
		}
		seen[i] = true
		row := top - height[i]
		l.spots[i] = spot{node: i, row: row}
		l.rows[row] = append(l.rows[row], i)
		for _, p := range l.cat.Of(&nodes[i]).Inputs {
			for _, w := range nodes[i].In[p.Key].Wires {
				if j, ok := index[w.Node]; ok {
					put(j)
				}
			}
		}
	}
	for i := range nodes {
		if nodes[i].Kind == FinishKind {
			put(i)
		}
	}
	for i := range nodes {
		put(i)
	}
}

func (l *layouter) portX(i int) float64 { return float64(l.z.PortInset + i*l.z.PortW) }

func (l *layouter) makeWires() {
	for i := range l.net.Nodes {
		d := &l.net.Nodes[i]
		spec := l.cat.Of(d)
		for pi := range spec.Inputs {
			p := &spec.Inputs[pi]
			for _, w := range d.In[p.Key].Wires {
				src := slices.IndexFunc(l.net.Nodes, func(d Node) bool { return d.ID == w.Node })
				if src < 0 {
					continue
				}
				outs := l.cat.Of(&l.net.Nodes[src]).Outputs
				oi := max(0, slices.IndexFunc(outs, func(o Port) bool { return o.Key == w.Port }))
				how, _ := Convert(outs[oi].Type, p.Type)
				l.addWire(wire{from: w, to: Ref{d.ID, p.Key}, how: how, a: l.portX(oi), b: l.portX(pi)}, src, i)
			}
		}
	}
}

func (l *layouter) addWire(w wire, src, dst int) {
	w.through = []int{src}
	prev, leave := src, w.a
	for row := l.spots[src].row + 1; row <= l.spots[dst].row; row++ {
		next, arrive := dst, w.b
		if row < l.spots[dst].row {
			next, arrive = len(l.spots), 0
			l.spots = append(l.spots, spot{node: -1, row: row})
			l.rows[row] = append(l.rows[row], next)
		}
		l.spots[prev].down = append(l.spots[prev].down, link{next, leave, arrive})
		l.spots[next].up = append(l.spots[next].up, link{prev, arrive, leave})
		w.through = append(w.through, next)
		prev, leave = next, 0
	}
	l.wires = append(l.wires, w)
}

// sort orders the rows by the means of what each spot is wired to, in sweeps up
// and down, and keeps the order with the fewest crossings.
func (l *layouter) sort() {
	best, fewest := l.copyRows(), l.crossings()
	for sweep := range 8 {
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
				l.spots[s].order = l.spots[s].x
				if len(links) > 0 {
					sum := 0.0
					for _, k := range links {
						sum += l.spots[k.spot].x + k.away - k.here
					}
					l.spots[s].order = sum / float64(len(links))
				}
			}
			slices.SortStableFunc(l.rows[r], func(a, b int) int { return cmp.Compare(l.spots[a].order, l.spots[b].order) })
		}
		if c := l.crossings(); c < fewest {
			best, fewest = l.copyRows(), c
		}
	}
	l.rows = best
}

func (l *layouter) copyRows() [][]int {
	out := make([][]int, len(l.rows))
	for i := range out {
		out[i] = slices.Clone(l.rows[i])
	}
	return out
}

func (l *layouter) width(s int) float64 {
	if l.spots[s].node < 0 {
		return 0
	}
	return float64(l.z.CardW)
}

// place packs every row from the left.
func (l *layouter) place() {
	for _, row := range l.rows {
		x := 0.0
		for _, s := range row {
			l.spots[s].x = x
			x += l.width(s) + float64(l.z.GapX)
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
						w := 1.0
						if p.node < 0 || l.spots[k.spot].node < 0 { // long wires run straight
							w = 3
						}
						sum += w * (l.spots[k.spot].x + k.away - k.here)
						weight[i] += w
					}
				}
				want[i] = sum / weight[i]
			}
			gap := func(i int) float64 { return l.width(row[i]) + float64(l.z.GapX) }
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

// draw turns rows and places into cards and wires. Wires that run across the
// same gap get lanes of their own.
func (l *layouter) draw() Layout {
	left := 0.0
	for i := range l.spots {
		left = min(left, l.spots[i].x)
	}
	x := func(s int) int { return int(l.spots[s].x-left+0.5) + l.z.GapX/2 }
	type cross struct {
		wire, piece, lo, hi int
	}
	gaps := make([][]cross, len(l.rows)) // below each row
	for wi := range l.wires {
		w := &l.wires[wi]
		for p := range len(w.through) - 1 {
			a, b := x(w.through[p]), x(w.through[p+1])
			if p == 0 {
				a += int(w.a)
			}
			if p == len(w.through)-2 {
				b += int(w.b)
			}
			row := l.spots[w.through[p]].row
			gaps[row] = append(gaps[row], cross{wi, p, min(a, b), max(a, b)})
		}
	}
	lane := map[[2]int]int{} // wire, piece → lane
	y := make([]int, len(l.rows)+1)
	y[0] = l.z.Port + 4
	deep := make([]int, len(l.rows))
	for r := range l.rows {
		slices.SortFunc(gaps[r], func(a, b cross) int {
			return cmp.Or(cmp.Compare(a.lo, b.lo), cmp.Compare(a.hi, b.hi), cmp.Compare(a.wire, b.wire))
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
			lane[[2]int{c.wire, c.piece}] = k
		}
		deep[r] = max(0, len(ends)-1)
		y[r+1] = y[r] + l.z.CardH + 2*l.z.Port + l.z.GapY + deep[r]*l.z.Lane
	}
	out := Layout{}
	for _, row := range l.rows {
		for _, s := range row {
			if i := l.spots[s].node; i >= 0 {
				c := Card{l.net.Nodes[i].ID, x(s), y[l.spots[s].row]}
				out.Cards = append(out.Cards, c)
				out.W, out.H = max(out.W, c.X+l.z.CardW+l.z.GapX/2), max(out.H, c.Y+l.z.CardH+l.z.Port)
			}
		}
	}
	for wi := range l.wires {
		w := &l.wires[wi]
		p := Path{From: w.from, To: w.to, How: w.how}
		at := x(w.through[0]) + int(w.a)
		p.Points = append(p.Points, [2]int{at, y[l.spots[w.through[0]].row] + l.z.CardH + l.z.Port})
		for k := range len(w.through) - 1 {
			row := l.spots[w.through[k]].row
			next := x(w.through[k+1])
			if k == len(w.through)-2 {
				next += int(w.b)
			}
			if d := next - at; d > 3 || d < -3 {
				level := y[row] + l.z.CardH + l.z.Port + l.z.GapY/2 + lane[[2]int{wi, k}]*l.z.Lane
				p.Points = append(p.Points, [2]int{at, level}, [2]int{next, level})
				at = next
			}
		}
		// A wire that is all but straight is drawn straight.
		last := l.spots[w.through[len(w.through)-1]].row
		p.Points = append(p.Points, [2]int{at, y[last] - l.z.Port})
		out.Wires = append(out.Wires, p)
		for _, q := range p.Points {
			out.W = max(out.W, q[0]+l.z.GapX/2)
		}
	}
	return out
}

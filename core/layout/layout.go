// Package layout finds where the cards of a network stand on the page, and which way its wires run round them.
package layout

import (
	"slices"

	"mobanta/core/network"
)

// Sizes are the measures of a network on the page, in pixels.
type Sizes struct {
	CardW, CardH int // of a card, without its ports; cards with many ports are wider
	PortW        int // from the middle of one input to that of the next
	OutW         int // the same for the outputs of a node that has several: each shows its picture
	GapX, GapY   int // between cards side by side, and between the ports of two rows
	Port, Out    int // height of a port, and of an output that shows its picture
	Lane         int // between two wires that run side by side across
	Title        int // room above a section for its name
}

// shownPorts is how many inputs a card shows beyond those that are wired.
const shownPorts = 3

// Layout is a network on the page: it runs downward, sources above, Finish at
// the foot.
type Layout struct {
	W, H   int
	Cards  []Card
	Wires  []Path
	Frames []Frame
}

// Card is where a node, or a folded section, is put.
type Card struct {
	ID      string // of the node or the section
	Folded  bool   // whether it is a section
	X, Y, W int
	Ins     []Spot
	Outs    []Spot
	Tall    bool // whether its outputs show their pictures
}

// Spot is a port on a card.
type Spot struct {
	network.Port
	Ref   network.Ref
	X, W  int // its left edge from that of the card, and its width
	Wired bool
}

// middle returns where wires meet the spot, from the card's left edge.
func (s *Spot) middle() float64 { return float64(s.X) + float64(s.W)/2 }

// Path is how a wire runs: corners of a line of upright and level pieces.
type Path struct {
	From, To         network.Ref
	FromCard, ToCard string
	How              string // the conversion, "" for none
	Points           [][2]int
}

// Frame is the outline of an open section.
type Frame struct {
	ID     string
	X, Y   int // of its name
	W      int
	Points [][2]int // closed
}

// box is a node or a folded section, before it has a place.
type box struct {
	card    Card
	section string   // the open section that it is in
	nodes   []string // that it stands for
}

// edge is a wire between two boxes; in and out are numbers of their spots.
type edge struct {
	from, to int
	out, in  int
	wire     Path
	up       bool // it closes a circle, as folding a section can: it runs upward
}

// boxes returns what stands on the page and the wires between.
func boxesOf(n *network.Network, cat network.Catalogue, z Sizes) ([]box, []edge) {
	var boxes []box
	at := map[string]int{} // node → box
	folded := map[string]int{}
	for i := range n.Nodes {
		d := &n.Nodes[i]
		s := n.SectionOf(d.ID)
		if s != nil && s.Folded {
			k, ok := folded[s.ID]
			if !ok {
				k = len(boxes)
				folded[s.ID] = k
				boxes = append(boxes, box{card: Card{ID: s.ID, Folded: true}})
			}
			boxes[k].nodes = append(boxes[k].nodes, d.ID)
			at[d.ID] = k
			continue
		}
		b := box{card: Card{ID: d.ID}, nodes: []string{d.ID}}
		if s != nil {
			b.section = s.ID
		}
		at[d.ID] = len(boxes)
		boxes = append(boxes, b)
		spec := cat.Of(d)
		c := &boxes[len(boxes)-1].card
		for _, p := range shown(d, spec) {
			c.Ins = append(c.Ins, Spot{Port: *p, Ref: network.Ref{Node: d.ID, Port: p.Key}, Wired: len(d.In[p.Key].Wires) > 0})
		}
		for k := range spec.Outputs {
			c.Outs = append(c.Outs, Spot{Port: spec.Outputs[k], Ref: network.Ref{Node: d.ID, Port: spec.Outputs[k].Key}})
		}
	}
	var edges []edge
	for i := range n.Nodes {
		d := &n.Nodes[i]
		spec := cat.Of(d)
		for k := range spec.Inputs {
			p := &spec.Inputs[k]
			for _, w := range d.In[p.Key].Wires {
				src := n.Node(w.Node)
				if src == nil || at[w.Node] == at[d.ID] && boxes[at[d.ID]].card.Folded {
					continue
				}
				out := cat.Of(src).Output(w.Port)
				if out == nil {
					continue
				}
				how, _ := network.Convert(out.Type, p.Type)
				e := edge{from: at[w.Node], to: at[d.ID], wire: Path{From: w, To: network.Ref{Node: d.ID, Port: p.Key}, How: how,
					FromCard: boxes[at[w.Node]].card.ID, ToCard: boxes[at[d.ID]].card.ID}}
				e.out = spotOf(&boxes[e.from].card.Outs, w, *out)
				// A folded section takes each source in once.
				to := e.wire.To
				if boxes[e.to].card.Folded {
					for _, o := range edges {
						if o.to == e.to && o.wire.From == w {
							to = o.wire.To
						}
					}
				}
				e.in = spotOf(&boxes[e.to].card.Ins, to, *p)
				if to != e.wire.To {
					continue // it is drawn already
				}
				boxes[e.to].card.Ins[e.in].Wired = true
				edges = append(edges, e)
			}
		}
	}
	for i := range boxes {
		boxes[i].card.arrange(z)
	}
	return boxes, edges
}

// shown returns the inputs that a card shows: those that are wired, and of the
// others a few.
func shown(d *network.Node, spec *network.Spec) []*network.Port {
	left := shownPorts
	for i := range spec.Inputs {
		if len(d.In[spec.Inputs[i].Key].Wires) > 0 {
			left--
		}
	}
	var out []*network.Port
	for i := range spec.Inputs {
		p := &spec.Inputs[i]
		if len(d.In[p.Key].Wires) == 0 {
			if left <= 0 {
				continue
			}
			left--
		}
		out = append(out, p)
	}
	return out
}

// spotOf returns the number of the spot for a port, putting it there if need be,
// as on a folded section.
func spotOf(spots *[]Spot, r network.Ref, p network.Port) int {
	if i := slices.IndexFunc(*spots, func(s Spot) bool { return s.Ref == r }); i >= 0 {
		return i
	}
	*spots = append(*spots, Spot{Port: p, Ref: r})
	return len(*spots) - 1
}

// arrange gives a card its width and its ports their places.
func (c *Card) arrange(z Sizes) {
	c.Tall = len(c.Outs) > 1
	out := z.PortW
	if c.Tall {
		out = z.OutW
	}
	c.W = max(z.CardW, len(c.Ins)*z.PortW+6, len(c.Outs)*out+6)
	for i := range c.Ins {
		c.Ins[i].X, c.Ins[i].W = 3+i*z.PortW, z.PortW-2
	}
	for i := range c.Outs {
		c.Outs[i].X, c.Outs[i].W = 3+i*out, out-2
	}
}

// spot is a card or, on a wire that passes a row, a bend.
type spot struct {
	box     int // -1 for a bend
	row     int
	cluster int     // the open section that it is in, -1 for none
	x       float64 // left edge of a card, middle of a bend
	order   float64 // for sorting within the row
	known   bool    // whether it stood on the page before
	up      []link  // to the row above
	down    []link  // to the row below
}

// link is one piece of a wire: the spot at its other end and where it leaves
// and arrives, from the left edges of both.
type link struct {
	spot       int
	here, away float64
	weight     float64 // how straight it should run
}

// strand is a wire with the spots that it runs through, from source to input.
type strand struct {
	edge    *edge
	through []int
	a, b    float64 // where it leaves and arrives, from the left edges of the cards
}

type layouter struct {
	z        Sizes
	boxes    []box
	edges    []edge
	spots    []spot
	rows     [][]int // spots, left to right
	strands  []strand
	clusters []string // ids of the open sections
}

// Lay returns the layout of the network: rows by the longest way to Finish, few
// crossings (Sugiyama, Tagawa and Toda 1981), bends for wires that pass rows, so
// that they run round cards. Open sections keep together in every row; a folded
// one is a single card.
//
// before is the layout that the page shows, nil for none: cards keep the order
// that they have there, unless that crosses wires far more often than need be.
// Without it the same network always gets the same layout.
func Lay(n *network.Network, cat network.Catalogue, z Sizes, before *Layout) Layout {
	l := &layouter{z: z}
	l.boxes, l.edges = boxesOf(n, cat, z)
	l.makeRows()
	l.makeStrands()
	l.sort()
	if before != nil {
		l.keepOrder(before)
	}
	l.settle()
	return l.draw()
}

// makeRows gives every box its row. Boxes start in the order in which they are
// met from Finish upward, inputs from left to right.
func (l *layouter) makeRows() {
	count := len(l.boxes)
	reads := make([][]int, count) // box → edges into it
	for i := range l.edges {
		reads[l.edges[i].to] = append(reads[l.edges[i].to], i)
	}
	for i := range reads {
		slices.SortStableFunc(reads[i], func(a, b int) int { return l.edges[a].in - l.edges[b].in })
	}
	state := make([]uint8, count)
	var order []int // sources first
	var visit func(b int)
	visit = func(b int) {
		state[b] = 1
		for _, e := range reads[b] {
			switch src := l.edges[e].from; state[src] {
			case 0:
				visit(src)
			case 1:
				l.edges[e].up = true
			}
		}
		state[b] = 2
		order = append(order, b)
	}
	reader := make([]bool, count)
	for i := range l.edges {
		reader[l.edges[i].from] = true
	}
	for pass := range 2 { // first from the ends, which are read by nobody
		for b := range count {
			if state[b] == 0 && (pass == 1 || !reader[b]) {
				visit(b)
			}
		}
	}
	height := make([]int, count)
	for b := range count {
		if len(l.boxes[b].card.Outs) > 0 || l.boxes[b].card.Folded {
			height[b] = 1
		}
	}
	top := 0
	for k := len(order) - 1; k >= 0; k-- {
		b := order[k]
		for _, e := range reads[b] {
			if !l.edges[e].up {
				src := l.edges[e].from
				height[src] = max(height[src], height[b]+1)
			}
		}
		top = max(top, height[b])
	}
	l.rows = make([][]int, top+1)
	l.spots = make([]spot, count)
	index := map[string]int{}
	for _, b := range l.boxes {
		if _, ok := index[b.section]; b.section != "" && !ok {
			index[b.section] = len(l.clusters)
			l.clusters = append(l.clusters, b.section)
		}
	}
	placed := make([]bool, count)
	var put func(b int)
	put = func(b int) {
		if placed[b] {
			return
		}
		placed[b] = true
		row := top - height[b]
		l.spots[b] = spot{box: b, row: row, cluster: -1}
		if k, ok := index[l.boxes[b].section]; ok {
			l.spots[b].cluster = k
		}
		l.rows[row] = append(l.rows[row], b)
		for _, e := range reads[b] {
			put(l.edges[e].from)
		}
	}
	for k := len(order) - 1; k >= 0; k-- {
		if height[order[k]] == 0 {
			put(order[k])
		}
	}
	for b := range count {
		put(b)
	}
}

// first tells whether an edge feeds the first wired input of its box.
func (l *layouter) first(e *edge) bool {
	return e.in == slices.IndexFunc(l.boxes[e.to].card.Ins, func(p Spot) bool { return p.Wired })
}

// trunk marks the edges from Finish up along first inputs: they run straight down,
// and the rest stands beside them.
func (l *layouter) trunk() map[int]bool {
	out := map[int]bool{}
	at := slices.IndexFunc(l.boxes, func(b box) bool { return len(b.card.Outs) == 0 })
	for at >= 0 {
		next := -1
		for i := range l.edges {
			if e := &l.edges[i]; e.to == at && !e.up && l.first(e) && !out[i] {
				out[i], next = true, e.from
				break
			}
		}
		at = next
	}
	return out
}

func (l *layouter) makeStrands() {
	trunk := l.trunk()
	for i := range l.edges {
		e := &l.edges[i]
		s := strand{edge: e, a: l.boxes[e.from].card.Outs[e.out].middle(), b: l.boxes[e.to].card.Ins[e.in].middle()}
		if e.up || l.spots[e.from].row >= l.spots[e.to].row {
			e.up = true
			s.through = []int{e.from, e.to}
			l.strands = append(l.strands, s)
			continue
		}
		s.through = []int{e.from}
		prev, leave, weight := e.from, s.a, 1.0
		switch {
		case trunk[i]:
			weight = 100
		case l.first(e):
			weight = 2
		}
		for row := l.spots[e.from].row + 1; row <= l.spots[e.to].row; row++ {
			next, arrive := e.to, s.b
			if row < l.spots[e.to].row {
				next, arrive = len(l.spots), 0
				bend := spot{box: -1, row: row, cluster: -1}
				if c := l.spots[e.from].cluster; c == l.spots[e.to].cluster {
					bend.cluster = c
				}
				l.spots = append(l.spots, bend)
				l.rows[row] = append(l.rows[row], next)
			}
			l.spots[prev].down = append(l.spots[prev].down, link{next, leave, arrive, weight})
			l.spots[next].up = append(l.spots[next].up, link{prev, arrive, leave, weight})
			s.through = append(s.through, next)
			prev, leave = next, 0
		}
		l.strands = append(l.strands, s)
	}
}

package unwrap

import (
	"cmp"
	"context"
	"math"
	"math/bits"
	"math/rand/v2"
	"slices"
	"sync/atomic"

	"mobanta/core/parallel"
)

// cells is how finely the square is parted in which charts are packed.
const cells = 1024

// Hasty has charts packed in the first order that is tried, with a twentieth of the work: for tests that do not ask how tightly
// they lie. It is set before anything is unwrapped, and for good.
var Hasty bool

// Limits on the work, counted in words of rows that are looked at: of a chart in a trial, and of a whole packing. Usual
// surfaces take a tenth of it. Charts that are not packed by then, or are more than can be packed so, lie on shelves.
const (
	packing   = 320_000_000
	mostAtAll = 20_000 // charts
)

// pack moves charts to places at which they do not lie on each other, at least a margin apart, in a square of the side
// that it returns. Charts are turned to their smallest box, drawn on a grid so that every cell is theirs that they touch,
// and put, the largest first, as low and as far to the left as there is room, whichever way up. A context that ends stops it,
// with the context's error.
func pack(ctx context.Context, list []*chart, margin float64, workers int) (side float64, err error) {
	total := 0.0
	for _, c := range list {
		c.turn()
		c.rim = c.border()
		for _, t := range c.tri {
			total += math.Abs(area2(c.uv[t[0]], c.uv[t[1]], c.uv[t[2]])) / 2
		}
	}
	if !(total > 0) { // nothing has an area: all lies at one place
		for _, c := range list {
			clear(c.uv)
		}
		return 1, ctx.Err()
	}
	if len(list) > mostAtAll {
		return shelve(list, margin), ctx.Err()
	}
	// Which charts come first, and what counts as low, is tried on a coarse strip, where it costs little; the best is packed
	// on the fine square.
	k := &packer{ctx: ctx, list: list, workers: workers, gap: int(math.Ceil(margin * cells)), left: packing, finals: finals}
	scale := cells / math.Sqrt(total/0.75)
	k.try(scale)
	best, order, fits := k.largest(scale)
	if fits > 0 {
		scale = fits
	}
	for best == nil { // thousands of crumbs, whose margins alone are more than there is room for
		if err := ctx.Err(); err != nil {
			return 0, err
		}
		if scale *= 0.6; k.gap > 0 {
			k.gap--
		}
		if best = k.fine(k.tried[0], scale); best == nil && (k.left <= 0 || scale*math.Sqrt(total) < 1) {
			return shelve(list, margin), ctx.Err()
		}
		fits = scale
	}
	for i, c := range order {
		p := best[i]
		m := masked(c, fits, p.turn, cells, cells)
		for k, q := range c.uv {
			q = turned(q, p.turn)
			c.uv[k] = [2]float64{q[0] - m.x + float64(p.x)/fits, q[1] - m.y + float64(p.y)/fits}
		}
	}
	return cells / fits, ctx.Err()
}

// coarse is how many cells wide the strip is on which ways are tried.
const coarse = cells / 4

// packer is at work on packing charts.
type packer struct {
	ctx     context.Context
	list    []*chart
	workers int
	gap     int   // between charts, in cells
	left    int   // of the work that packing may take, in words that are looked at
	tried   []way // on the strip, the best first
	finals  int   // how many of them are packed on the fine square
}

// try packs charts in many ways on a coarse strip, the scale being that of the fine square.
func (k *packer) try(scale float64) {
	list := k.list
	ways, climbs := trials, 0
	if len(list) <= few && len(list) > 3 {
		climbs = 60
	}
	if Hasty {
		ways, k.finals, climbs = 1, 1, 0
	}
	const by = cells / coarse
	drawn, looked := draw(list, scale/by, coarse, 3*coarse, k.workers)
	k.left -= looked
	strip := func(w *way) {
		if k.ctx.Err() != nil {
			return
		}
		var places []place
		places, w.top, w.looked = packAt(k.ctx, w.order, drawn, coarse, 3*coarse, (k.gap+by-1)/by, w.low, k.left/trials, 1)
		w.score = float64(w.top)
		for _, p := range places { // of those that are as high, what lies lower
			w.score += float64(p.y) / float64(coarse*len(places))
		}
	}
	tried := make([]way, min(ways, 6*len(list)))
	parallel.Do(k.workers, len(tried), func(n int) {
		w := &tried[n]
		w.order, w.low = orders[n%len(orders)].sorted(list, n/(2*len(orders))), [2]lowness{lowestTop, lowestFoot}[n/len(orders)%2]
		strip(w)
	})
	for _, w := range tried {
		k.left -= w.looked
	}
	slices.SortStableFunc(tried, func(a, b way) int { return cmp.Compare(a.score, b.score) })
	// Of few charts the best order gets better by changing places, one pair or one chart at a time; of many it would suit the
	// strip alone.
	chance := rand.New(rand.NewPCG(1, 2))
	for range climbs {
		if k.left < packing/2 {
			break
		}
		var next [4]way
		for n := range next {
			next[n] = tried[0].varied(chance, n%2 == 0)
		}
		parallel.Do(k.workers, len(next), func(n int) { strip(&next[n]) })
		for _, w := range next {
			k.left -= w.looked
			if w.score < tried[0].score {
				tried[0] = w
			}
		}
	}
	k.tried = tried
}

// varied returns a way with two charts swapped, or with one at another place of the order.
func (w way) varied(chance *rand.Rand, swap bool) way {
	out := way{order: slices.Clone(w.order), low: w.low}
	i, j := chance.IntN(len(w.order)), chance.IntN(len(w.order))
	if swap {
		out.order[i], out.order[j] = out.order[j], out.order[i]
	} else {
		c := out.order[i]
		out.order = slices.Insert(slices.Delete(out.order, i, i+1), j, c)
	}
	return out
}

// fine packs charts on the fine square, nil where they do not fit or there is no work left for it.
func (k *packer) fine(w way, scale float64) []place {
	if k.left <= 0 || k.ctx.Err() != nil {
		return nil
	}
	drawn, looked := draw(k.list, scale, cells, cells, k.workers)
	k.left -= looked
	places, _, looked := packAt(k.ctx, w.order, drawn, cells, cells, k.gap, w.low, k.left, k.workers)
	k.left -= looked
	return places
}

// largest packs charts finely in the best of the ways that were tried, and returns that of the largest scale; a scale of 0
// where none fits.
func (k *packer) largest(scale float64) (best []place, order []*chart, fits float64) {
	order = k.tried[0].order
	begin, times := 1.045, 14
	if Hasty { // where it fits as a rule, and little more
		begin, times = 0.9, 2
	}
	for _, w := range k.tried[:min(k.finals, len(k.tried))] {
		first := scale * math.Sqrt(float64(coarse)/float64(w.top)) * begin
		if fits > 0 { // only what is better is worth the work
			if k.fine(w, fits*1.006) == nil {
				continue
			}
			first = fits * 1.012
		}
		if places, s := largest(func(scale float64) []place { return k.fine(w, scale) }, first, 0.988, times); places != nil && s > fits {
			best, order, fits = places, w.order, s
		}
	}
	return best, order, fits
}

// shelve puts charts on shelves, the highest first, each shelf as high as the first chart on it (next-fit decreasing
// height, Coffman et al. 1980), in a square of the side that it returns: for what packing by cells takes too long with. It
// wastes the room above lower charts and is done at once. Charts are wider than high, as turn leaves them.
func shelve(list []*chart, margin float64) (side float64) {
	type box struct {
		of     *chart
		lo, hi [2]float64
	}
	all := make([]box, len(list))
	total, widest := 0.0, 0.0
	for i, c := range list {
		b := box{of: c}
		b.lo, b.hi = c.bounds()
		all[i] = b
		total += (b.hi[0] - b.lo[0]) * (b.hi[1] - b.lo[1])
		widest = max(widest, b.hi[0]-b.lo[0])
	}
	slices.SortStableFunc(all, func(a, b box) int { return cmp.Compare(b.hi[1]-b.lo[1], a.hi[1]-a.lo[1]) })
	margin = min(margin, 0.25/math.Sqrt(float64(len(list)))) // of so many charts more would leave no room for them
	// put calls f with where each chart lies in a square of a side, and returns how high they reach.
	put := func(side float64, f func(b *box, x, y float64)) float64 {
		gap := margin * side
		x, y, high := 0.0, 0.0, 0.0
		for i := range all {
			b := &all[i]
			if w := b.hi[0] - b.lo[0]; x > 0 && x+w > side {
				x, y, high = 0, y+high+gap, 0
			}
			f(b, x, y)
			x, high = x+b.hi[0]-b.lo[0]+gap, max(high, b.hi[1]-b.lo[1])
		}
		return y + high
	}
	side = max(widest, math.Sqrt(total))
	for put(side, func(*box, float64, float64) {}) > side {
		side *= 1.01
	}
	put(side, func(b *box, x, y float64) {
		for k, p := range b.of.uv {
			b.of.uv[k] = [2]float64{p[0] - b.lo[0] + x, p[1] - b.lo[1] + y}
		}
	})
	return side
}

// largest returns what is packed at the largest scale that is found at which all fits, and that: from a first one down by
// a factor, and then between the last that failed and the first that did not, in so many trials. Nothing, and the last
// that was tried, if none does.
func largest(pack func(scale float64) []place, first, factor float64, trials int) (best []place, scale float64) {
	fits, fails := 0.0, math.Inf(1)
	scale = first
	for k := range trials {
		if places := pack(scale); places != nil {
			best, fits = places, scale
		} else {
			fails = scale
		}
		switch {
		case fits == 0:
			if scale *= factor; k >= 6 { // far off: with every step farther
				factor *= factor
			}
		case math.IsInf(fails, 1):
			scale *= 1.015
		case fails/fits < 1.008:
			return best, fits
		default:
			scale = math.Sqrt(fits * fails)
		}
	}
	if best == nil {
		return nil, scale
	}
	return best, fits
}

// orders are what charts are sorted by, the largest first.
var orders = [3]measure{
	func(c *chart) float64 { // how far they reach
		lo, hi := c.bounds()
		return max(hi[0]-lo[0], hi[1]-lo[1]) + 0.25*min(hi[0]-lo[0], hi[1]-lo[1])
	},
	func(c *chart) float64 { // the boxes about them
		lo, hi := c.bounds()
		return (hi[0] - lo[0]) * (hi[1] - lo[1])
	},
	func(c *chart) float64 { // how thick they are
		lo, hi := c.bounds()
		return min(hi[0]-lo[0], hi[1]-lo[1])
	},
}

type measure func(c *chart) float64

// sorted returns charts in the order of a measure; shuffled a little, each time in the same way, for numbers above 0.
func (m measure) sorted(list []*chart, shuffle int) []*chart {
	size := make(map[*chart]float64, len(list))
	chance := rand.New(rand.NewPCG(uint64(shuffle), 0))
	for _, c := range list {
		size[c] = m(c)
		if shuffle > 0 {
			size[c] *= 0.7 + 0.6*chance.Float64()
		}
	}
	out := slices.Clone(list)
	slices.SortStableFunc(out, func(a, b *chart) int {
		switch {
		case size[a] > size[b]:
			return -1
		case size[a] < size[b]:
			return 1
		}
		return 0
	})
	return out
}

// lowness says which of the ways to turn a chart puts it lowest.
type lowness int

const (
	lowestTop  lowness = iota // what reaches up least
	lowestFoot                // what begins lowest
)

const (
	trials = 18 // in how many orders charts are packed, to find the best
	finals = 4  // of which are packed finely
	few    = 40 // charts of which the order is worth more work
)

// way is an order in which charts are packed, and how well that goes.
type way struct {
	order []*chart
	low   lowness
	top   int // how high the strip is filled
	score float64

	looked int // words of rows
}

// place is where a chart was put, in cells.
type place struct {
	x, y int
	turn int // quarters
}

// mask is which cells a chart touches.
type mask struct {
	w, h int
	x, y float64 // of its lower left cell's corner, in the chart's lengths
	runs []run   // the longest first
}

// run is cells beside each other of a row.
type run struct{ row, from, to int }

// ways is how many ways a chart is turned: by quarters.
const ways = 4

// turned returns a place turned by so many quarters.
func turned(p [2]float64, quarters int) [2]float64 {
	for range quarters {
		p = [2]float64{-p[1], p[0]}
	}
	return p
}

// masked draws a chart at a scale, turned by so many quarters: each cell that its border touches is filled, and each whose
// middle lies within. What is wider or higher than there are cells is told its size and not drawn.
func masked(c *chart, scale float64, turn, wide, high int) *mask {
	at := func(p [2]float64) [2]float64 { return turned(p, turn) }
	lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, p := range c.uv {
		p = at(p)
		for k, v := range p {
			lo[k], hi[k] = min(lo[k], v), max(hi[k], v)
		}
	}
	const slack = 1e-3 // of a cell, for what is rounded
	m := &mask{x: lo[0] - slack/scale, y: lo[1] - slack/scale}
	if !((hi[0]-m.x)*scale < float64(wide) && (hi[1]-m.y)*scale < float64(high)) {
		return &mask{w: wide + 1, h: high + 1}
	}
	m.w, m.h = int((hi[0]-m.x)*scale+slack)+1, int((hi[1]-m.y)*scale+slack)+1
	words := (m.w + 63) / 64
	rows, all := make([][]uint64, m.h), make([]uint64, words*m.h)
	for i := range rows {
		rows[i] = all[i*words : (i+1)*words]
	}
	type cut struct {
		row int
		x   float64
	}
	var cuts []cut // where the border crosses the middle of a row
	for _, e := range c.rim {
		a, b := at(c.uv[e[0]]), at(c.uv[e[1]])
		a, b = [2]float64{(a[0] - m.x) * scale, (a[1] - m.y) * scale}, [2]float64{(b[0] - m.x) * scale, (b[1] - m.y) * scale}
		if a[1] > b[1] {
			a, b = b, a
		}
		slope := 0.0
		if b[1] > a[1] {
			slope = (b[0] - a[0]) / (b[1] - a[1])
		}
		for y := int(max(0, a[1]-slack)); y <= min(m.h-1, int(b[1]+slack)); y++ {
			// How far the edge reaches within the row.
			from, to := a[0], b[0]
			if bottom := float64(y) - slack; a[1] < bottom {
				from = a[0] + slope*(bottom-a[1])
			}
			if top := float64(y+1) + slack; b[1] > top {
				to = a[0] + slope*(top-a[1])
			}
			if from > to {
				from, to = to, from
			}
			for x := int(max(0, from-slack)); x <= min(m.w-1, int(to+slack)); x++ {
				rows[y][x/64] |= 1 << (x % 64)
			}
			if middle := float64(y) + 0.5; a[1] <= middle && middle < b[1] {
				cuts = append(cuts, cut{y, a[0] + slope*(middle-a[1])})
			}
		}
	}
	slices.SortFunc(cuts, func(a, b cut) int { return cmp.Or(a.row-b.row, cmp.Compare(a.x, b.x)) })
	for k := 0; k+1 < len(cuts); k += 2 { // a border is closed: of each row there are two, or four
		if cuts[k].row != cuts[k+1].row {
			k-- // but for what rounding takes away
			continue
		}
		for x := int(math.Ceil(max(0, cuts[k].x-0.5))); x <= min(m.w-1, int(cuts[k+1].x-0.5)); x++ {
			rows[cuts[k].row][x/64] |= 1 << (x % 64)
		}
	}
	for y, row := range rows {
		for x := 0; x < m.w; {
			for x < m.w && row[x/64]>>(x%64)&1 == 0 {
				if rest := row[x/64] >> (x % 64); rest == 0 {
					x = (x/64 + 1) * 64
				} else {
					x += bits.TrailingZeros64(rest)
				}
			}
			if x >= m.w {
				break
			}
			from := x
			for x < m.w && row[x/64]>>(x%64)&1 == 1 {
				x++
			}
			m.runs = append(m.runs, run{y, from, x})
		}
	}
	slices.SortStableFunc(m.runs, func(a, b run) int { return (b.to - b.from) - (a.to - a.from) })
	return m
}

// board is n cells wide and high cells high, with a bit for each that is taken. So that a run of cells need not be tried
// one by one, each row is kept also with every bit set that has one of the next 2, 4, 8… set.
type board struct {
	n, high, words, levels int
	bits                   []uint64 // row, level, word
}

func newBoard(n, high int) *board {
	b := &board{n: n, high: high, words: n / 64, levels: bits.Len(uint(n))}
	b.bits = make([]uint64, high*b.levels*b.words)
	return b
}

// row returns a row in which every bit is set that has one of the next 2^level set, itself counted.
func (b *board) row(y, level int) []uint64 {
	at := (y*b.levels + level) * b.words
	return b.bits[at : at+b.words]
}

// draw returns the masks of charts at a scale, turned in every way, for a board of so many cells; nil where there is no room
// for them all: one is wider and higher than the board, or they have more cells than it.
//
// It also tells how many words of rows that took.
func draw(list []*chart, scale float64, wide, high, workers int) (out map[*chart]*[ways]*mask, looked int) {
	out = make(map[*chart]*[ways]*mask, len(list))
	for _, c := range list {
		out[c] = &[ways]*mask{}
	}
	var filled atomic.Int64
	words := make([]int, len(list))
	parallel.Do(workers, len(list), func(i int) {
		masks := out[list[i]]
		fits := false
		for k := range ways {
			if filled.Load() > int64(wide*high) {
				return
			}
			masks[k] = masked(list[i], scale, k, wide, high)
			fits = fits || masks[k].w <= wide && masks[k].h <= high
			if k == ways-1 && !fits {
				filled.Add(int64(wide*high) + 1)
			}
		}
		least := int64(wide * high)
		for _, m := range masks {
			if m.w <= wide && m.h <= high {
				least = min(least, m.cells())
				words[i] += drawing * (m.h + len(m.runs))
			}
		}
		filled.Add(least)
	})
	for _, n := range words {
		looked += n
	}
	if filled.Load() > int64(wide*high) {
		return nil, min(4*drawing*wide*high, 3*drawing*ways*high*len(list)) // however far it came on so many cores
	}
	return out, looked
}

// drawing is how many words of rows could be looked at while a row of a mask, or a run, is drawn.
const drawing = 40

// cells returns how many cells a mask has.
func (m *mask) cells() (n int64) {
	for _, r := range m.runs {
		n += int64(r.to - r.from)
	}
	return n
}

// packAt puts charts, as they were drawn, into n × high cells; nil if there is no room for them, or if more than most words
// of rows are looked at. top is how high they reach.
func packAt(ctx context.Context, list []*chart, drawn map[*chart]*[ways]*mask, n, high, gap int, low lowness, most, workers int) (out []place, top, looked int) {
	if drawn == nil {
		return nil, high + 1, 0
	}
	b := newBoard(n, high)
	out = make([]place, len(list))
	from := map[[2]int]int{} // boxes of crumbs: where those of the same size found room last
	for i, c := range list {
		masks := drawn[c]
		var at [ways]place
		var fits [ways]bool
		var words [ways]int
		step := 1
		if len(list) > 400 && i > 200 { // crumbs
			step = 2
		}
		parallel.Do(workers, ways/step, func(k int) {
			k *= step
			m := masks[k]
			if m.w > n || m.h > high {
				return
			}
			at[k].turn = k
			at[k].x, at[k].y, words[k], fits[k] = b.room(m, from[[2]int{m.w, m.h}], high-m.h)
		})
		looked += words[0] + words[1] + words[2] + words[3]
		if looked > most || ctx.Err() != nil {
			return nil, high + 1, looked
		}
		best := -1
		for k := 0; k < ways; k += step {
			if !fits[k] {
				continue
			}
			if m := masks[k]; m.w <= 8 && m.h <= 8 {
				from[[2]int{m.w, m.h}] = at[k].y
			}
			reach := func(k int) (a, b int) {
				if low == lowestFoot {
					return at[k].y, at[k].y + masks[k].h
				}
				return at[k].y + masks[k].h, at[k].x
			}
			if best < 0 {
				best = k
				continue
			}
			a0, a1 := reach(k)
			if b0, b1 := reach(best); a0 < b0 || a0 == b0 && a1 < b1 {
				best = k
			}
		}
		if best < 0 {
			return nil, high + 1, looked
		}
		b.take(masks[best], at[best].x, at[best].y, gap)
		out[i], top = at[best], max(top, at[best].y+masks[best].h)
	}
	return out, top, looked
}

// room returns the lowest place, and of those the one farthest to the left, at which a mask lies on nothing; none higher
// than limit. It also tells how many words of rows were looked at.
func (b *board) room(m *mask, start, limit int) (x, y, looked int, ok bool) {
	blocked := make([]uint64, b.words)
	for y := start; y <= limit; y++ {
		clear(blocked)
		open := true
		for i, run := range m.runs {
			// A place x is blocked where any of the cells from x+from up to x+to is taken.
			long := run.to - run.from
			level := bits.Len(uint(long)) - 1
			looked += b.words
			row := b.row(y+run.row, level)
			lower(blocked, row, run.from)
			if rest := long - 1<<level; rest > 0 {
				lower(blocked, row, run.from+rest)
			}
			if (i < 3 || i%8 == 7) && full(blocked, b.n-m.w) {
				open = false
				break
			}
		}
		if !open {
			continue
		}
		for k, v := range blocked {
			if v != ^uint64(0) {
				x := 64*k + bits.TrailingZeros64(^v)
				if x <= b.n-m.w {
					return x, y, looked, true
				}
				break
			}
		}
	}
	return 0, 0, looked, false
}

// full tells whether all places up to and with last are blocked.
func full(b []uint64, last int) bool {
	for k := 0; k < last/64; k++ {
		if b[k] != ^uint64(0) {
			return false
		}
	}
	v := b[last/64]
	if last%64 < 63 {
		v |= ^uint64(0) << (last%64 + 1)
	}
	return v == ^uint64(0)
}

// lower sets in out the bits that lie n below those of in.
func lower(out, in []uint64, n int) {
	skip, shift := n/64, uint(n%64)
	if skip >= len(in) {
		return
	}
	in = in[skip:]
	if shift == 0 {
		for k, v := range in {
			out[k] |= v
		}
		return
	}
	last := len(in) - 1
	out = out[:last+1]
	for k := range last {
		out[k] |= in[k]>>shift | in[k+1]<<(64-shift)
	}
	out[last] |= in[last] >> shift
}

// take takes the cells of a mask, and as many as the gap about them.
func (b *board) take(m *mask, x, y, gap int) {
	first, last := b.high, -1
	for _, run := range m.runs {
		from, to := max(0, x+run.from-gap), min(b.n, x+run.to+gap)
		for r := max(0, y+run.row-gap); r <= min(b.high-1, y+run.row+gap); r++ {
			first, last = min(first, r), max(last, r)
			row := b.row(r, 0)
			for k := from; k < to; {
				if k%64 == 0 && to-k >= 64 {
					row[k/64] = ^uint64(0)
					k += 64
					continue
				}
				row[k/64] |= 1 << (k % 64)
				k++
			}
		}
	}
	for r := first; r <= last; r++ {
		for level := 1; level < b.levels; level++ {
			row := b.row(r, level)
			copy(row, b.row(r, level-1))
			lower(row, b.row(r, level-1), 1<<(level-1))
		}
	}
}

// turn turns a chart so that the box about it is the smallest, wider than high.
func (c *chart) turn() {
	hull := hull(c.uv)
	best, cos, sin := math.Inf(1), 1.0, 0.0
	for i, p := range hull {
		q := hull[(i+1)%len(hull)]
		l := math.Hypot(q[0]-p[0], q[1]-p[1])
		if !(l > 0) {
			continue
		}
		x, y := (q[0]-p[0])/l, (q[1]-p[1])/l
		lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
		for _, r := range hull {
			a, b := r[0]*x+r[1]*y, r[1]*x-r[0]*y
			lo, hi = [2]float64{min(lo[0], a), min(lo[1], b)}, [2]float64{max(hi[0], a), max(hi[1], b)}
		}
		if area := (hi[0] - lo[0]) * (hi[1] - lo[1]); area < best {
			best, cos, sin = area, x, y
		}
	}
	for i, p := range c.uv {
		c.uv[i] = [2]float64{p[0]*cos + p[1]*sin, p[1]*cos - p[0]*sin}
	}
	if lo, hi := c.bounds(); hi[1]-lo[1] > hi[0]-lo[0] {
		for i, p := range c.uv {
			c.uv[i] = [2]float64{-p[1], p[0]}
		}
	}
}

// hull returns the convex hull of places (Andrew 1979).
func hull(points [][2]float64) [][2]float64 {
	p := slices.Clone(points)
	slices.SortFunc(p, func(a, b [2]float64) int {
		switch {
		case a[0] < b[0] || a[0] == b[0] && a[1] < b[1]:
			return -1
		case a == b:
			return 0
		}
		return 1
	})
	p = slices.Compact(p)
	if len(p) < 3 {
		return p
	}
	half := func(p [][2]float64) (out [][2]float64) {
		for _, q := range p {
			for len(out) > 1 && area2(out[len(out)-2], out[len(out)-1], q) <= 0 {
				out = out[:len(out)-1]
			}
			out = append(out, q)
		}
		return out[:len(out)-1]
	}
	lower := half(p)
	slices.Reverse(p)
	return append(lower, half(p)...)
}

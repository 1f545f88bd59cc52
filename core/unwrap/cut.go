package unwrap

import (
	"cmp"
	"container/heap"
	"context"
	"math"
	"slices"
)

// rounds is how often charts are moved to where they lie best.
const rounds = 4

// cut parts the surface into charts whose normals lie within a cone of that cosine about their middle: seeds grow until
// all is covered, and are then moved to the middles of what they cover, as in Lloyd's method (Cohen-Steiner, Alliez and
// Desbrun 2004), so that charts come out round.
func (w *work) cut(ctx context.Context, cos float64) ([]*chart, error) {
	number := make([]int32, len(w.faces))
	for i := range number {
		number[i] = -1
	}
	w.cover(number, cos)
	for range rounds {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		list := w.charts(number)
		size := 0.0
		for _, c := range list {
			for _, f := range c.faces {
				size += w.faces[f].area
			}
		}
		size = max(1e-30, size/float64(len(list))) // the square of how far a chart reaches
		seeds, axes := make([]int32, len(list)), make([]direction, len(list))
		for i, c := range list {
			seeds[i], axes[i] = w.centre(c), c.axis
		}
		number = w.grow(seeds, nil, func(seed int, f int32) (float64, bool) {
			bend := w.smooth[f].dot(axes[seed])
			d := w.faces[f].middle.plus(w.faces[seeds[seed]].middle, -1)
			return 1 - bend + 0.5*d.dot(d)/size, bend >= cos || w.faces[f].area == 0
		})
		w.cover(number, cos)
	}
	w.gather(number, cos)
	// What two charts came to that do not hang together is two.
	var out []*chart
	for _, c := range w.charts(number) {
		for _, g := range w.connected(c.faces) {
			out = append(out, &chart{faces: g, axis: w.axis(g)})
		}
	}
	return out, ctx.Err()
}

// centre returns the face of a chart that lies nearest to its middle.
func (w *work) centre(c *chart) (best int32) {
	var middle direction
	area := 0.0
	for _, f := range c.faces {
		middle = middle.plus(w.faces[f].middle, w.faces[f].area)
		area += w.faces[f].area
	}
	if area > 0 {
		middle = direction{middle[0] / area, middle[1] / area, middle[2] / area}
	}
	least := math.Inf(1)
	for _, f := range c.faces {
		d := w.faces[f].middle.plus(middle, -1)
		if v := d.dot(d) * (1.5 - w.smooth[f].dot(c.axis)); v < least {
			best, least = f, v
		}
	}
	return best
}

// cover covers the faces that have no chart yet, the largest first, each as a seed that grows as far as it may.
func (w *work) cover(number []int32, cos float64) {
	next := int32(0)
	var open []int32
	for f, c := range number {
		next = max(next, c+1)
		if c < 0 {
			open = append(open, int32(f))
		}
	}
	slices.SortStableFunc(open, func(a, b int32) int {
		switch x, y := w.faces[a].area, w.faces[b].area; {
		case x > y:
			return -1
		case x < y:
			return 1
		}
		return 0
	})
	for _, seed := range open {
		if number[seed] >= 0 {
			continue
		}
		axis := direction{}.plus(w.smooth[seed], max(w.faces[seed].area, 1e-30))
		q := &queue{{cost: 0, face: seed}}
		for q.Len() > 0 {
			e := heap.Pop(q).(entry)
			if number[e.face] >= 0 {
				continue
			}
			unit := axis.unit()
			if f := &w.faces[e.face]; e.face != seed && f.area > 0 && w.smooth[e.face].dot(unit) < cos {
				continue
			}
			number[e.face] = next
			axis = axis.plus(w.smooth[e.face], w.faces[e.face].area)
			for _, g := range w.faces[e.face].beside {
				if number[g] < 0 {
					d := w.faces[g].middle.plus(w.faces[seed].middle, -1)
					heap.Push(q, entry{cost: (1.02 - w.smooth[g].dot(unit)) * math.Sqrt(d.dot(d)), face: g})
				}
			}
		}
		next++
	}
}

// gather lets small charts join a neighbour, where the two lie within the cone.
func (w *work) gather(number []int32, cos float64) {
	total := 0.0
	for i := range w.faces {
		total += w.faces[i].area
	}
	list := w.charts(number)
	area := make([]float64, len(list))
	at := make([]int, len(w.faces)) // of each face: its chart
	for i, c := range list {
		for _, f := range c.faces {
			at[f] = i
			area[i] += w.faces[f].area
		}
	}
	order := make([]int, len(list))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		if area[a] < area[b] {
			return -1
		}
		if area[a] > area[b] {
			return 1
		}
		return a - b
	})
	looked := 0
	for _, i := range order {
		if area[i] > total/100 || looked > gatherings*len(w.faces) {
			break
		}
		border := map[int]float64{}
		for _, f := range list[i].faces {
			for k, g := range w.faces[f].beside {
				if at[g] != i {
					border[at[g]] += w.faces[f].shared[k]
				}
			}
		}
		type neighbour struct {
			chart int
			long  float64
		}
		var beside []neighbour // the one with the longest border first
		for j, long := range border {
			beside = append(beside, neighbour{j, long})
		}
		slices.SortFunc(beside, func(a, b neighbour) int {
			return cmp.Or(cmp.Compare(b.long, a.long), a.chart-b.chart)
		})
		best := -1
		for _, b := range beside {
			j := b.chart
			n := direction{}.plus(list[i].axis, area[i]).plus(list[j].axis, area[j]).unit()
			fits := func(c *chart) bool {
				for k, f := range c.faces {
					if w.faces[f].area > 0 && w.smooth[f].dot(n) < cos {
						looked += k
						return false
					}
				}
				looked += len(c.faces)
				return true
			}
			if b.long > 0 && fits(list[i]) && fits(list[j]) {
				best = j
				break
			}
		}
		if best < 0 {
			continue
		}
		for _, f := range list[i].faces {
			at[f] = best
		}
		list[best].faces = append(list[best].faces, list[i].faces...)
		list[best].axis = w.axis(list[best].faces)
		area[best] += area[i]
		list[i].faces, area[i] = nil, 0
	}
	for f, c := range at {
		number[f] = int32(c)
	}
}

// grow lets seeds grow over faces all at once, those that cost least first: over those in a list that is sorted, or over all
// for nil. It returns, for each of them, the number of the seed that has it; -1 for none.
func (w *work) grow(seeds, faces []int32, cost func(seed int, f int32) (float64, bool)) []int32 {
	n := len(faces)
	at := func(f int32) (int, bool) { return slices.BinarySearch(faces, f) }
	if faces == nil {
		n = len(w.faces)
		at = func(f int32) (int, bool) { return int(f), true }
	}
	number := make([]int32, n)
	for i := range number {
		number[i] = -1
	}
	q := &queue{}
	for i, f := range seeds {
		heap.Push(q, entry{cost: -1, face: f, seed: i})
	}
	for q.Len() > 0 {
		e := heap.Pop(q).(entry)
		i, _ := at(e.face)
		if number[i] >= 0 {
			continue
		}
		number[i] = int32(e.seed)
		for _, g := range w.faces[e.face].beside {
			if k, in := at(g); in && number[k] < 0 {
				if c, ok := cost(e.seed, g); ok {
					heap.Push(q, entry{cost: c, face: g, seed: e.seed})
				}
			}
		}
	}
	return number
}

// entry is a face that a seed may have.
type entry struct {
	cost float64
	face int32
	seed int
}

// queue is a heap of entries; of equal ones the lower face comes first, so that the same surface is cut the same way.
type queue []entry

func (q queue) Len() int { return len(q) }
func (q queue) Less(i, j int) bool {
	a, b := &q[i], &q[j]
	if a.cost != b.cost {
		return a.cost < b.cost
	}
	if a.face != b.face {
		return a.face < b.face
	}
	return a.seed < b.seed
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(e any)   { *q = append(*q, e.(entry)) }
func (q *queue) Pop() any {
	e := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return e
}

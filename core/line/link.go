package line

import "sync"

// corners remembers, for one goroutine at a time, which places meet at each corner
// between pixels.
type corners struct{ first []int32 } // 1 + twice the place and its end; 0 for none

var cornerPool = sync.Pool{New: func() any { return new(corners) }}

// Link joins the places of a picture of w × h pixels, each of which lies between two
// pixels, into chains: places follow each other where they share a corner and no third
// does; where several meet chains end. A ring begins at its first place. Each place is in
// one chain.
func Link(places []Place, w, h int) []Chain {
	if len(places) == 0 {
		return nil
	}
	c := cornerPool.Get().(*corners)
	defer cornerPool.Put(c)
	if n := (w + 1) * (h + 1); len(c.first) < n {
		c.first = make([]int32, n)
	}
	next := make([]int32, 2*len(places)) // the next end at the same corner, as first
	for i := range places {
		for e, at := range places[i].ends {
			next[2*i+e] = c.first[at]
			c.first[at] = int32(2*i+e) + 1
		}
	}
	// beyond returns the end, of another place, that an end is joined to; -1 for none.
	beyond := func(end int32) int32 {
		a := c.first[places[end/2].ends[end%2]] - 1
		b := next[a] - 1
		if b < 0 || next[b] != 0 {
			return -1
		}
		if a == end {
			return b
		}
		return a
	}
	done := make([]bool, len(places))
	var out []Chain
	run := func(end int32) { // along from a place's end that nothing is joined to
		var chain Chain
		for at := end; at >= 0 && !done[at/2]; at = beyond(at ^ 1) {
			done[at/2] = true
			chain = append(chain, places[at/2])
		}
		out = append(out, chain)
	}
	for i := range places {
		for e := range int32(2) {
			if end := int32(2*i) + e; !done[i] && beyond(end) < 0 {
				run(end)
			}
		}
	}
	for i := range places { // what is left are rings
		if !done[i] {
			run(int32(2 * i))
			ring := out[len(out)-1]
			for k := range ring {
				ring[k].round = true
			}
		}
	}
	for i := range places {
		for _, at := range places[i].ends {
			c.first[at] = 0
		}
	}
	return out
}

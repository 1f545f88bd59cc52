// Package priority lets what is waited for go before what is not: of all that is at work on the same cores, only the best
// rank runs; the others stand still between two pieces of their work.
package priority

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"mobanta/core/names"
)

// Level is how urgent work is, the most urgent first.
type Level int

// The levels.
const (
	Hand     Level = iota // what follows the hand as it moves
	First                 // the first picture after a change
	Settled               // the same, well drawn
	Cards                 // pictures on cards
	Previews              // pictures of what might be
	Jobs                  // what nobody looks at while it is made
)

// String returns its name.
func (l Level) String() string {
	return names.Nth(int(l), "hand", "first", "settled", "cards", "previews", "jobs")
}

// Rank is a level and, among equals, when its owner was last heard of: later is better.
type Rank struct {
	Level Level
	Heard int64
}

// before tells whether a is served before b.
func (a Rank) before(b Rank) bool {
	return a.Level < b.Level || a.Level == b.Level && a.Heard > b.Heard
}

// Gate knows who is at work. The zero Gate is ready; a nil one lets everyone through.
type Gate struct {
	clock atomic.Int64
	mu    sync.Mutex
	work  map[*Work]bool
	moved chan struct{} // closed when somebody comes or goes
	best  atomic.Pointer[Work]
}

// Now returns a moment for Rank.Heard, later than all that were given.
func (g *Gate) Now() int64 { return g.clock.Add(1) }

// Work is somebody at work. A nil Work is never in anyone's way.
type Work struct {
	gate *Gate
	rank Rank

	// Guarded by the gate's mu.
	waiting int       // goroutines that stand still
	since   time.Time // when the first of them began to
	waited  time.Duration
}

// Waited returns for how long the work has stood still so that others could go first.
func (w *Work) Waited() time.Duration {
	if w == nil {
		return 0
	}
	w.gate.mu.Lock()
	defer w.gate.mu.Unlock()
	return w.waited
}

// wait notes that one more of the work's goroutines stands still, by 1, or goes on, by -1; the gate's mu is held.
func (w *Work) wait(by int) {
	if w.waiting == 0 {
		w.since = time.Now()
	}
	if w.waiting += by; w.waiting == 0 {
		w.waited += time.Since(w.since)
	}
}

// Enter says that work of a rank begins. Leave is to be called when it ends, and before
// it waits for anything else.
func (g *Gate) Enter(r Rank) *Work {
	if g == nil {
		return nil
	}
	w := &Work{gate: g, rank: r}
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.work == nil {
		g.work = map[*Work]bool{}
	}
	g.work[w] = true
	g.choose()
	return w
}

// Leave says that the work has ended.
func (w *Work) Leave() {
	if w == nil {
		return
	}
	w.gate.mu.Lock()
	defer w.gate.mu.Unlock()
	delete(w.gate.work, w)
	w.gate.choose()
}

// Pause says that the work waits for something else; Resume that it goes on.
func (w *Work) Pause() { w.Leave() }

// Resume ends a Pause.
func (w *Work) Resume() {
	if w == nil {
		return
	}
	w.gate.mu.Lock()
	defer w.gate.mu.Unlock()
	w.gate.work[w] = true
	w.gate.choose()
}

// choose finds out whose turn it is; g.mu is held.
func (g *Gate) choose() {
	var best *Work
	for w := range g.work {
		if best == nil || w.rank.before(best.rank) {
			best = w
		}
	}
	g.best.Store(best)
	if g.moved != nil {
		close(g.moved)
		g.moved = nil
	}
}

// Yield returns when nobody of a better rank is at work, or when ctx ends. It costs next
// to nothing where nobody is, and may be called by all goroutines of the work.
func (w *Work) Yield(ctx context.Context) {
	if w == nil {
		return
	}
	for {
		if best := w.gate.best.Load(); best == nil || best == w || !best.rank.before(w.rank) {
			return
		}
		w.gate.mu.Lock()
		best := w.gate.best.Load()
		if best == nil || best == w || !best.rank.before(w.rank) {
			w.gate.mu.Unlock()
			return
		}
		if w.gate.moved == nil {
			w.gate.moved = make(chan struct{})
		}
		moved := w.gate.moved
		w.wait(1)
		w.gate.mu.Unlock()
		select {
		case <-moved:
		case <-ctx.Done():
		}
		w.gate.mu.Lock()
		w.wait(-1)
		w.gate.mu.Unlock()
		if ctx.Err() != nil {
			return
		}
	}
}

type key struct{}

// With returns a context that carries work, so that what is called with it yields.
func With(ctx context.Context, w *Work) context.Context { return context.WithValue(ctx, key{}, w) }

// Yield lets whoever goes before the work that ctx carries go first.
func Yield(ctx context.Context) { Of(ctx).Yield(ctx) }

// Of returns the work that ctx carries, nil for none.
func Of(ctx context.Context) *Work {
	w, _ := ctx.Value(key{}).(*Work)
	return w
}

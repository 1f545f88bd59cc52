// Package queue lets those who want the same thing take turns, in the order in which they came.
package queue

import (
	"context"
	"errors"
	"sync"
	"time"
)

// Patience is how long one waits for a turn.
const Patience = 30 * time.Second

// ErrLong says that a turn did not come within Patience.
var ErrLong = errors.New("queue: it took too long for the others to be done")

// Queue lets one in at a time.
type Queue chan struct{}

// New returns a queue with nobody in it.
func New() Queue { return make(Queue, 1) }

// Wait returns when it is the caller's turn, with the function that ends it. A
// context that ends, or Patience that does, ends the waiting with an error.
func (q Queue) Wait(ctx context.Context) (done func(), err error) {
	select { // whoever finds nobody there needs no clock
	case q <- struct{}{}:
		return q.next, nil
	default:
	}
	t := time.NewTimer(Patience)
	defer t.Stop()
	select {
	case q <- struct{}{}: // waiting senders are served in their order
		return q.next, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-t.C:
		return nil, ErrLong
	}
}

func (q Queue) next() { <-q }

// Queues is a queue for each name that somebody waits for. The zero Queues is ready.
type Queues struct {
	mu sync.Mutex
	of map[string]*shared
}

type shared struct {
	Queue
	users int
}

// Wait is Queue.Wait in the queue of that name.
func (q *Queues) Wait(ctx context.Context, name string) (done func(), err error) {
	q.mu.Lock()
	if q.of == nil {
		q.of = map[string]*shared{}
	}
	s := q.of[name]
	if s == nil {
		s = &shared{Queue: New()}
		q.of[name] = s
	}
	s.users++
	q.mu.Unlock()
	leave := func() {
		q.mu.Lock()
		defer q.mu.Unlock()
		if s.users--; s.users == 0 {
			delete(q.of, name)
		}
	}
	next, err := s.Wait(ctx)
	if err != nil {
		leave()
		return nil, err
	}
	return func() { next(); leave() }, nil
}

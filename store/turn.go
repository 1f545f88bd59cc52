package store

import (
	"context"
	"sync"
	"time"
)

// patience is how long a writer waits for its turn.
const patience = 30 * time.Second

// queue lets one in at a time, in the order in which they came.
type queue chan struct{}

func newQueue() queue { return make(queue, 1) }

// wait returns when it is the caller's turn, with the function that ends it. A
// context that ends, or patience that does, ends the waiting with an error.
func (q queue) wait(ctx context.Context) (done func(), err error) {
	select { // whoever finds nobody there needs no clock
	case q <- struct{}{}:
		return q.next, nil
	default:
	}
	t := time.NewTimer(patience)
	defer t.Stop()
	select {
	case q <- struct{}{}:
		return q.next, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-t.C:
		return nil, ErrBusy
	}
}

func (q queue) next() { <-q }

// queues holds a queue for each project that somebody waits for.
type queues struct {
	mu sync.Mutex
	of map[string]*shared
}

type shared struct {
	queue
	users int
}

// wait is queue.wait in the queue of that name.
func (q *queues) wait(ctx context.Context, name string) (done func(), err error) {
	q.mu.Lock()
	s := q.of[name]
	if s == nil {
		s = &shared{queue: newQueue()}
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
	next, err := s.wait(ctx)
	if err != nil {
		leave()
		return nil, err
	}
	return func() { next(); leave() }, nil
}

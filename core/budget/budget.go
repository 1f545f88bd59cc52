// Package budget keeps what many remember for the sake of speed within one limit: whoever was used least recently lets
// go first.
package budget

import (
	"container/list"
	"sync"
)

// Budget is a limit, in bytes, that accounts share. It is safe for use by several
// goroutines.
type Budget struct {
	mu    sync.Mutex
	limit int
	used  int
	order list.List // of *Account, the most recently used first
}

// Account is one who remembers. Its Shed is called by others when they need room.
type Account struct {
	of    *Budget
	shed  func(most int) (size int, ok bool)
	size  int
	place *list.Element
}

// New returns a budget of so many bytes.
func New(limit int) *Budget { return &Budget{limit: limit} }

// Open returns an account of nothing. shed lets go of as much as it takes to have at most
// so many bytes, or all that it can, and returns what is left; not ok says that it is
// busy. It may be called from any goroutine and must not wait for one that sets its
// account.
func (b *Budget) Open(shed func(most int) (size int, ok bool)) *Account {
	return &Account{of: b, shed: shed}
}

// Used returns how much all accounts hold together.
func (b *Budget) Used() int {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.used
}

// Set says that the account was used and holds so much now. Others let go of what is
// too much, those first that were used least recently; the account itself returns what
// it may have if that is not enough, as much as it holds if it is.
func (a *Account) Set(size int) (most int) {
	b := a.of
	b.mu.Lock()
	b.note(a, size)
	if a.place == nil {
		a.place = b.order.PushFront(a)
	} else {
		b.order.MoveToFront(a.place)
	}
	var idle []*Account
	for e := b.order.Back(); e != nil && e.Value != a; e = e.Prev() {
		idle = append(idle, e.Value.(*Account))
	}
	over := b.used - b.limit
	b.mu.Unlock()
	for _, o := range idle {
		if over <= 0 {
			break
		}
		b.mu.Lock()
		had := o.size
		b.mu.Unlock()
		if had == 0 {
			continue
		}
		left, ok := o.shed(max(0, had-over))
		if !ok {
			continue
		}
		b.mu.Lock()
		if o.place != nil {
			b.note(o, left)
		}
		over = b.used - b.limit
		b.mu.Unlock()
	}
	return max(0, size-max(0, over))
}

// Keep corrects what the account holds, once it has let go of something itself.
func (a *Account) Keep(size int) {
	a.of.mu.Lock()
	defer a.of.mu.Unlock()
	if a.place != nil {
		a.of.note(a, size)
	}
}

// Close takes the account out.
func (a *Account) Close() {
	b := a.of
	b.mu.Lock()
	defer b.mu.Unlock()
	if a.place != nil {
		b.note(a, 0)
		b.order.Remove(a.place)
		a.place = nil
	}
}

// note takes down the size of an account; b.mu is held.
func (b *Budget) note(a *Account, size int) { b.used, a.size = b.used+size-a.size, size }

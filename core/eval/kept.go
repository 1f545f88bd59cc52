package eval

import (
	"container/list"
	"sync"

	"mobanta/core/node"
)

// Kept holds results over one sample set within a budget of bytes; what was used
// least recently goes first. It is safe for use by several goroutines.
type Kept struct {
	mu     sync.Mutex
	budget int
	used   int
	order  list.List // most recently used first; of *entry
	byKey  map[Key]*list.Element

	// Of the program that ran last and of the one before it: the keys of its steps.
	program   *Program
	keys      []Key
	now, past map[Key]bool
}

type entry struct {
	key    Key
	planes [][]node.Plane
	size   int
}

// NewKept returns a store that holds at most budget bytes.
func NewKept(budget int) *Kept {
	return &Kept{budget: budget, byKey: map[Key]*list.Element{}}
}

// Bytes returns how much is held.
func (k *Kept) Bytes() int {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.used
}

// before returns the keys of the program that ran before p with those keys; nil for
// none.
func (k *Kept) before(p *Program, keys []Key) map[Key]bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.program != p || &k.keys[0] != &keys[0] {
		k.program, k.keys, k.past = p, keys, k.now
		k.now = make(map[Key]bool, len(p.steps))
		for _, key := range keys {
			k.now[key] = true
		}
	}
	return k.past
}

// Shed lets go of at least so many bytes, or of everything, first of what was used least
// recently.
func (k *Kept) Shed(bytes int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	for most := max(0, k.used-bytes); k.used > most && k.order.Len() > 0; {
		k.drop()
	}
}

// drop lets go of what was used least recently; k.mu is held.
func (k *Kept) drop() {
	old := k.order.Remove(k.order.Back()).(*entry)
	delete(k.byKey, old.key)
	k.used -= old.size
}

func (k *Kept) get(key Key) [][]node.Plane {
	k.mu.Lock()
	defer k.mu.Unlock()
	e, ok := k.byKey[key]
	if !ok {
		return nil
	}
	k.order.MoveToFront(e)
	return e.Value.(*entry).planes
}

func (k *Kept) put(key Key, planes [][]node.Plane) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if old, ok := k.byKey[key]; ok { // it lacked an output that is read now
		k.used -= k.order.Remove(old).(*entry).size
	}
	e := &entry{key: key, planes: planes}
	for _, out := range planes {
		for _, p := range out {
			e.size += 4 * len(p)
		}
	}
	k.byKey[key] = k.order.PushFront(e)
	k.used += e.size
	for k.used > k.budget && k.order.Len() > 1 {
		k.drop()
	}
}

package eval

import (
	"container/list"
	"sync"

	"mobanta/core/node"
	"mobanta/core/vec"
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
	at        Moment
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

// before returns the keys of the program that ran before p at that moment; nil
// for none.
func (k *Kept) before(p *Program, at Moment) map[Key]bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.program != p || k.at != at {
		k.program, k.at, k.past = p, at, k.now
		k.now = make(map[Key]bool, len(p.steps))
		for i := range p.steps {
			k.now[p.stepKey(i, at)] = true
		}
	}
	return k.past
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
		last := k.order.Back()
		old := k.order.Remove(last).(*entry)
		delete(k.byKey, old.key)
		k.used -= old.size
	}
}

func length(x, y, z float32) float32 { return vec.V{x, y, z}.Len() }

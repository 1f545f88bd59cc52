package budget_test

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/budget"
)

// cache is somebody who remembers, and can let go of all or of a part.
type cache struct {
	mu   sync.Mutex
	size int
	acct *budget.Account
}

func open(b *budget.Budget) *cache {
	c := &cache{}
	c.acct = b.Open(func(most int) (int, bool) {
		if !c.mu.TryLock() {
			return 0, false
		}
		defer c.mu.Unlock()
		c.size = min(c.size, most)
		return c.size, true
	})
	return c
}

func (c *cache) grow(n int) int {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.size += n
	most := c.acct.Set(c.size)
	if most < c.size {
		c.size = most
		c.acct.Keep(most)
	}
	return c.size
}

func TestTheLeastRecentlyUsedLetsGo(t *testing.T) {
	b := budget.New(100)
	x, y, z := open(b), open(b), open(b)
	assert.Equal(t, 40, x.grow(40))
	assert.Equal(t, 40, y.grow(40))
	x.grow(0) // used again
	assert.Equal(t, 30, z.grow(30))
	assert.Equal(t, []int{40, 30, 30}, []int{x.size, y.size, z.size}, "as much as is needed, by the one that was used longest ago")
	assert.Equal(t, 100, b.Used())
	assert.Equal(t, 100, z.grow(90), "more than there is: what there is")
	assert.Equal(t, []int{0, 0, 100}, []int{x.size, y.size, z.size})
	z.acct.Close()
	assert.Zero(t, b.Used())
	z.acct.Keep(7)
	assert.Zero(t, b.Used(), "who is gone counts no more")
	assert.Equal(t, 60, x.grow(60))
}

func TestWhoIsBusyIsLeftAlone(t *testing.T) {
	b := budget.New(100)
	x, y, z := open(b), open(b), open(b)
	x.grow(50)
	y.grow(40)
	x.mu.Lock()
	assert.Equal(t, 40, z.grow(40))
	assert.Equal(t, []int{50, 10, 40}, []int{x.size, y.size, z.size})
	x.mu.Unlock()
}

func TestManyAtOnce(t *testing.T) {
	b := budget.New(1000)
	var wg sync.WaitGroup
	all := make([]*cache, 8)
	for k := range all {
		all[k] = open(b)
		wg.Go(func() {
			for i := range 400 {
				all[k].grow(i % 97)
			}
		})
	}
	wg.Wait()
	all[0].grow(0)
	sum := 0
	for _, c := range all {
		sum += c.size
	}
	assert.LessOrEqual(t, sum, 1000)
	assert.Equal(t, sum, b.Used())
}

// Package parallel spreads work over cores.
package parallel

import (
	"fmt"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// Panic is what Do panics with when a job has: a slip in one job ends the work that
// it was part of, not the program.
type Panic struct {
	Value any
	Stack []byte // of the job
}

func (p *Panic) Error() string { return fmt.Sprintf("%v\n%s", p.Value, p.Stack) }

// Do calls f for every job from 0 to n-1 on up to workers goroutines and returns
// when all are done. Where a job panics, no further ones are begun, and Do panics
// in the caller's goroutine with a *Panic.
func Do(workers, n int, f func(job int)) {
	if workers = min(workers, n); workers <= 1 {
		for i := range n {
			f(i)
		}
		return
	}
	var wg sync.WaitGroup
	var next atomic.Int64
	var failed atomic.Pointer[Panic]
	for range workers {
		wg.Go(func() {
			defer func() {
				if v := recover(); v != nil {
					p, ok := v.(*Panic)
					if !ok {
						p = &Panic{v, debug.Stack()}
					}
					failed.CompareAndSwap(nil, p)
					next.Store(int64(n))
				}
			}()
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				f(i)
			}
		})
	}
	wg.Wait()
	if p := failed.Load(); p != nil {
		panic(p)
	}
}

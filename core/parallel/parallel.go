// Package parallel spreads work over cores.
package parallel

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// cores is on how many cores work is spread.
var cores atomic.Int64

func init() { cores.Store(int64(runtime.GOMAXPROCS(0))) }

// Cores returns on how many cores work is spread: those that the program was given when it started, unless Use says another
// number. It is not runtime.GOMAXPROCS, which is larger where a program also answers requests; see Answer.
func Cores() int { return int(cores.Load()) }

// Use has work spread over n cores.
func Use(n int) { cores.Store(int64(n)) }

// Answer makes room for short work beside the long: as many threads again as there are cores may run Go code. Who answers a
// request then is woken by the operating system, which lets a thread go first that has slept, and does not wait in a queue
// of Go's behind goroutines that each compute for ten milliseconds.
func Answer() { runtime.GOMAXPROCS(2*Cores() + 1) }

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

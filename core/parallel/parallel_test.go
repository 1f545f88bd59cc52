package parallel

import (
	"fmt"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestEveryJobIsDoneOnce(t *testing.T) {
	for _, workers := range []int{0, 1, 3, 64} {
		for _, n := range []int{0, 1, 2, 1000} {
			done := make([]atomic.Int32, n)
			Do(workers, n, func(job int) { done[job].Add(1) })
			for i := range done {
				assert.EqualValues(t, 1, done[i].Load())
			}
		}
	}
}

func TestASlipInAJobComesToTheCaller(t *testing.T) {
	for _, workers := range []int{1, 4} {
		begun := atomic.Int32{}
		func() {
			defer func() {
				v := recover()
				if p, ok := v.(*Panic); ok {
					assert.Contains(t, string(p.Stack), "parallel_test.go")
					v = p.Value
				}
				assert.Equal(t, "slip", v)
			}()
			Do(workers, 100_000, func(job int) {
				begun.Add(1)
				Do(workers, 4, func(inner int) {
					if job == 3 && inner == 3 {
						panic("slip")
					}
				})
			})
		}()
		assert.Less(t, begun.Load(), int32(100_000), "no further jobs are begun")
	}
}

func ExampleDo() {
	out := make([]int, 4)
	Do(2, 4, func(job int) { out[job] = job * job })
	fmt.Println(out)
	// Output: [0 1 4 9]
}

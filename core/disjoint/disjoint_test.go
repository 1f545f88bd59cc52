package disjoint_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/disjoint"
)

func ExampleSets() {
	s := disjoint.New(5)
	s.Join(4, 2)
	s.Join(2, 3)
	fmt.Println(s.Find(4), s.Find(3), s.Find(1))
	// Output: 2 2 1
}

// Joined at random, numbers are together that some way of joins connects, and no others; sets are named by their least.
func TestSetsAreWhatIsConnected(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		n := 1 + r.IntN(30)
		s, plain := disjoint.New(n), make([]int32, n)
		for i := range plain {
			plain[i] = int32(i)
		}
		for range r.IntN(2 * n) {
			a, b := int32(r.IntN(n)), int32(r.IntN(n))
			s.Join(a, b)
			from, to := max(plain[a], plain[b]), min(plain[a], plain[b])
			for i, p := range plain {
				if p == from {
					plain[i] = to
				}
			}
		}
		for i := range plain {
			assert.Equal(t, plain[i], s.Find(int32(i)))
		}
	}
}

package sample

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPackedComesOutAsItWentIn(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	var old *Visibility
	for _, size := range [][2]int{{7, 5}, {1, 1}, {5, 7}, {30, 2}, {5, 7}} {
		vis := &Visibility{W: size[0], H: size[1], Jitter: [2]float32{rnd.Float32(), rnd.Float32()}}
		shown := 0
		for range vis.H {
			a, b := rnd.IntN(vis.W+1), rnd.IntN(vis.W+1) // none in a row where b ≤ a
			for x := range vis.W {
				if tri := int32(rnd.IntN(9)); x >= a && x < b && x != (a+b)/2 {
					vis.Tri, vis.Near = append(vis.Tri, tri), append(vis.Near, rnd.Float32())
				} else {
					vis.Tri, vis.Near = append(vis.Tri, -1), append(vis.Near, -math.MaxFloat32)
				}
			}
			shown += max(0, b-a)
		}
		p := vis.Pack()
		assert.LessOrEqual(t, p.Bytes(), 8*(shown+vis.H))
		old = p.Unpack(old)
		assert.Equal(t, vis, old, "%v", size)
		assert.Equal(t, vis, p.Unpack(nil))
	}
}

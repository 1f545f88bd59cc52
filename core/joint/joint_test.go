package joint

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/vec"
)

// One long side lies beside two short ones.
func ExampleFind() {
	pairs := Find([]Segment{{vec.V{0, 0, 0}, vec.V{4, 0, 0}}, {vec.V{1, 0, 0}, vec.V{0, 0, 0}}, {vec.V{4, 0, 0}, vec.V{1, 0, 0}}, {vec.V{0, 1, 0}, vec.V{4, 1, 0}}}, 1e-3)
	for _, p := range pairs {
		fmt.Println(p.One, p.Other, p.From, p.To, p.Opposed)
	}
	// Output:
	// 0 1 0 0.25 true
	// 0 2 0.25 1 true
}

// plain looks at all pairs.
func plain(segments []Segment, reach float32) (out []Pair) {
	for i := range segments {
		for j := i + 1; j < len(segments); j++ {
			a, b := rayOf(segments[i]), rayOf(segments[j])
			if min(a.long, b.long) <= 2*float64(reach) {
				continue
			}
			if p, ok := share(&a, &b, float64(reach)); ok {
				p.One, p.Other = int32(i), int32(j)
				out = append(out, p)
			}
		}
	}
	return out
}

func TestPairsAreThoseOfThePlainWay(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	found := 0
	for range 60 {
		var all []Segment
		at := func(most float32) vec.V { return vec.V{most * r.Float32(), most * r.Float32(), most * r.Float32()} }
		for range 1 + r.IntN(40) {
			a, b := at(100), at(100)
			if r.IntN(2) == 0 { // short ones
				b = a.Add(at(3))
			}
			all = append(all, Segment{a, b})
			cuts := []float32{0, r.Float32(), 1}
			for k := range r.IntN(3) { // beside it, in pieces, nearly
				p, q := a.Add(b.Sub(a).Mul(cuts[k])).Add(at(0.02)), a.Add(b.Sub(a).Mul(cuts[k+1])).Add(at(0.02))
				if r.IntN(2) == 0 {
					p, q = q, p
				}
				all = append(all, Segment{p, q})
			}
		}
		all = append(all, Segment{all[0].A, all[0].A})
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		want := plain(all, 0.03)
		require.ElementsMatch(t, want, Find(all, 0.03))
		found += len(want)
	}
	assert.Greater(t, found, 300)
}

func TestWhatLiesUponWhat(t *testing.T) {
	one := Segment{vec.V{0, 0, 0}, vec.V{10, 0, 0}}
	for name, c := range map[string]struct {
		other    Segment
		from, to float32
		opposed  bool
	}{
		"within it":               {Segment{vec.V{2, 0, 0}, vec.V{5, 0, 0}}, 0.2, 0.5, false},
		"within it, back":         {Segment{vec.V{5, 0, 0}, vec.V{2, 0, 0}}, 0.2, 0.5, true},
		"beyond its end":          {Segment{vec.V{8, 0, 0}, vec.V{15, 0, 0}}, 0.8, 1, false},
		"nearly":                  {Segment{vec.V{2, 0.009, 0}, vec.V{5, 0, -0.009}}, 0.2, 0.5, false},
		"near only where it ends": {Segment{vec.V{9.99, 0, 0}, vec.V{20, 0, 0}}, 0, 0, false},
		"behind it":               {Segment{vec.V{10, 0, 0}, vec.V{15, 0, 0}}, 0, 0, false},
		"beside it":               {Segment{vec.V{2, 0.05, 0}, vec.V{5, 0.05, 0}}, 0, 0, false},
		"across it":               {Segment{vec.V{5, -3, 0}, vec.V{5, 3, 0}}, 0, 0, false},
		"at a slant":              {Segment{vec.V{0, 0, 0}, vec.V{10, 0.5, 0}}, 0, 0, false},
		"a place":                 {Segment{vec.V{2, 0, 0}, vec.V{2, 0, 0}}, 0, 0, false},
		"no number":               {Segment{vec.V{2, 0, 0}, vec.V{float32(math.NaN()), 0, 0}}, 0, 0, false},
	} {
		pairs := Find([]Segment{one, c.other}, 0.01)
		if c.to == 0 {
			assert.Empty(t, pairs, name)
			continue
		}
		if assert.Len(t, pairs, 1, name) {
			assert.InDelta(t, c.from, pairs[0].From, 1e-4, name)
			assert.InDelta(t, c.to, pairs[0].To, 1e-4, name)
			assert.Equal(t, c.opposed, pairs[0].Opposed, name)
		}
	}
	assert.Empty(t, Find(nil, 0.1))
	assert.Empty(t, Find([]Segment{one}, 0.1))
}

// Ten thousand upon each other end after a while.
func TestCrowdsEnd(t *testing.T) {
	all := make([]Segment, 10_000)
	for i := range all {
		all[i] = Segment{vec.V{0, 0, 0}, vec.V{1, float32(i) * 1e-9, 0}}
	}
	pairs := Find(all, 1e-3)
	assert.LessOrEqual(t, len(pairs), most*len(all))
}

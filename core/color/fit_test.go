package color

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func ats(stops []Stop) (out []float32) {
	for _, s := range stops {
		out = append(out, s.At)
	}
	return out
}

func four() []Stop {
	return Spread([]Stop{{Name: "a"}, {Name: "b", At: 0.1}, {Name: "c", At: 0.2}, {Name: "d", At: 0.3}})
}

// shares counts how much of a histogram falls into each band.
func shares(stops []Stop, bins []float64) []float64 {
	out := make([]float64, len(stops))
	for i, b := range bins {
		const parts = 64
		for k := range parts {
			t := (float64(i) + (float64(k)+0.5)/parts) / float64(len(bins))
			at := 0
			for at+1 < len(stops) && float32(t) >= stops[at+1].At {
				at++
			}
			out[at] += b / parts
		}
	}
	return out
}

func TestFitGivesEveryBandAnEqualShare(t *testing.T) {
	even := make([]float64, 100)
	low := make([]float64, 100)
	ramp := make([]float64, 100)
	for i := range even {
		even[i] = 1
		ramp[i] = float64(i)
		if i >= 10 && i < 30 { // a light too weak for the upper bands
			low[i] = 5
		}
	}
	for name, bins := range map[string][]float64{"even": even, "low": low, "rising": ramp} {
		out, ok := Fit(four(), bins)
		assert.True(t, ok)
		total := 0.0
		for _, b := range bins {
			total += b
		}
		for i, s := range shares(out, bins) {
			assert.InDelta(t, total/4, s, total*0.02, "%s: band %d of %v", name, i, ats(out))
		}
		assert.Equal(t, "c", out[2].Name)
	}
	out, _ := Fit(four(), low)
	assert.InDeltaSlice(t, []float32{0, 0.15, 0.2, 0.25}, ats(out), 1e-4)
}

func TestFitWhereTonesCrowd(t *testing.T) {
	dark := make([]float64, 128) // half of the picture faces away
	for i := range dark {
		dark[i] = 1
	}
	dark[0] = 200
	out, ok := Fit(four(), dark)
	assert.True(t, ok)
	s := shares(out, dark)
	assert.InDelta(t, 200, s[0], 2, "what is dark has a band of its own")
	for _, v := range s[1:] {
		assert.InDelta(t, 127.0/3, v, 2)
	}
	one := make([]float64, 16)
	one[7] = 5
	out, ok = Fit(four(), one)
	assert.True(t, ok)
	for i := 1; i < 4; i++ {
		assert.Greater(t, out[i].At, out[i-1].At, "edges stay apart: %v", ats(out))
		assert.LessOrEqual(t, out[i].At, float32(1))
	}
	_, ok = Fit(four(), make([]float64, 16))
	assert.False(t, ok)
	_, ok = Fit(four(), nil)
	assert.False(t, ok)
}

func TestTighten(t *testing.T) {
	assert.InDeltaSlice(t, []float32{0, 0.375, 0.5, 0.625}, ats(Tighten(four(), 0.5)), 1e-6)
	assert.InDeltaSlice(t, ats(four()), ats(Tighten(Tighten(four(), 0.5), 2)), 1e-6, "and apart again")
	assert.InDeltaSlice(t, []float32{0, 0.5, 0.5, 0.5}, ats(Tighten(four(), 0)), 1e-6)
	assert.InDeltaSlice(t, []float32{0, 0, 0.5, 1}, ats(Tighten(four(), 10)), 1e-6, "never beyond the ends")
	assert.Len(t, Tighten([]Stop{{}}, 0.5), 1)
}

func TestBlendOfTwoRamps(t *testing.T) {
	a, b := NewRamp([]Stop{{Color: C{1, 0, 0}}}, MixLinear), NewRamp([]Stop{{Color: C{0, 0, 1}}}, MixLinear)
	assert.Equal(t, C{0.75, 0, 0.25}, a.Blend(b, 0.3, 0.25))
}

func TestABandBeginsAtItsStop(t *testing.T) {
	stops := []Stop{{At: 0.2}, {At: 0.5}, {At: 0.5}, {At: 0.8}}
	for tone, want := range map[float32]int{-1: 0, 0.1: 0, 0.2: 0, 0.4999: 0, 0.5: 2, 0.7: 2, 0.8: 3, 5: 3} {
		assert.Equal(t, want, BandOf(stops, tone), "%v", tone)
	}
	assert.Zero(t, BandOf(stops[:1], 0.9))
}

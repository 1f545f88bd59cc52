package color

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func ExampleRamp_At() {
	r := NewRamp([]Stop{{At: 0, Color: MustHex("#402030")}, {At: 0.5, Color: MustHex("#D4843F")}}, MixLinear)
	fmt.Println(r.At(0.49).Hex(), r.At(0.5).Hex())
	// Output: #402030 #D4843F
}

func TestEveryByteSurvives(t *testing.T) {
	for i := range 256 {
		c := FromBytes(uint8(i), uint8(255-i), uint8(i))
		require.Equal(t, uint8(i), Byte(c[0]))
		var sum float32 // as a settled pixel adds sixteen positions up
		for range 16 {
			sum += c[0]
		}
		require.Equal(t, uint8(i), Byte(sum/16))
		require.Equal(t, uint16(i*257), Word(c[0]))
		back, err := ParseHex(c.Hex())
		require.NoError(t, err)
		require.Equal(t, c, back)
	}
}

func TestByteIsTheNearestCode(t *testing.T) {
	for i := range 100001 {
		v := float64(i) / 100000
		want := math.Round(Encode(v) * 255)
		require.InDelta(t, want, float64(Byte(float32(v))), 0.0, "linear %v", v)
	}
	assert.Equal(t, uint8(0), Byte(float32(math.NaN())))
	assert.Equal(t, uint8(255), Byte(float32(math.Inf(1))))
	assert.Equal(t, uint8(0), Byte(-1))
	assert.Equal(t, uint16(65535), Word(7))
}

func TestParseHex(t *testing.T) {
	for in, want := range map[string]string{"#d4843f": "#D4843F", " 8af ": "#88AAFF", "000000": "#000000"} {
		c, err := ParseHex(in)
		assert.NoError(t, err)
		assert.Equal(t, want, c.Hex())
	}
	for _, bad := range []string{"", "#12", "#12345", "#GGGGGG", "12345678", "+12345", "-1ffff"} {
		_, err := ParseHex(bad)
		assert.Error(t, err, bad)
	}
}

func TestColorJSONLosesNothing(t *testing.T) {
	for _, c := range []C{MustHex("#8F4A35"), {0.1, 2.5, 0}, {0.123456, 0, 1}} {
		data, err := json.Marshal(c)
		require.NoError(t, err)
		var back C
		require.NoError(t, json.Unmarshal(data, &back))
		assert.Equal(t, c, back)
	}
	var c C
	assert.Error(t, json.Unmarshal([]byte(`[1,2]`), &c))
	assert.Error(t, json.Unmarshal([]byte(`[1,2,1e300]`), &c))
	assert.NoError(t, json.Unmarshal([]byte(`0.5`), &c))
	assert.Equal(t, C{0.5, 0.5, 0.5}, c)
}

func TestSpacesRoundTrip(t *testing.T) {
	for r := float32(0); r <= 1; r += 0.25 {
		for g := float32(0); g <= 1; g += 0.25 {
			c := C{r, g, 0.3}
			for _, back := range []C{FromOklab(c.Oklab()), FromEncoded(c.Encoded())} {
				for k := range c {
					assert.InDelta(t, c[k], back[k], 1e-4)
				}
			}
		}
	}
	white := C{1, 1, 1}.Oklab() // Ottosson 2020: L=1, a=b=0
	assert.InDelta(t, 1, white[0], 1e-4)
	assert.InDelta(t, 0, white[1], 1e-4)
}

func TestRampEdges(t *testing.T) {
	black, white := C{}, C{1, 1, 1}
	ramp := func(e Edge, softness float32) *Ramp {
		return NewRamp([]Stop{{At: 0.2, Color: black}, {At: 0.6, Color: white, Edge: e, Softness: softness}}, MixLinear)
	}
	for _, c := range []struct {
		edge     Edge
		softness float32
		tone     float32
		want     float64
	}{
		{Step, 0, 0.59999, 0}, {Step, 0, 0.6, 1}, {Step, 0, -3, 0}, {Step, 0, 9, 1},
		{Soft, 0, 0.59999, 0}, {Soft, 0, 0.6, 1},
		{Soft, 0.2, 0.5, 0}, {Soft, 0.2, 0.6, 0.5}, {Soft, 0.2, 0.55, 0.15625}, {Soft, 0.2, 0.7, 1},
		{Linear, 0, 0.2, 0}, {Linear, 0, 0.3, 0.25}, {Linear, 0, 0.6, 1},
		{Smooth, 0, 0.3, 0.15625}, {Ease, 0, 0.4, 0.25},
	} {
		got := ramp(c.edge, c.softness).At(c.tone)
		assert.InDelta(t, c.want, got[0], 1e-5, "%s %v at %v", c.edge, c.softness, c.tone)
	}
	mid := NewRamp([]Stop{{At: 0, Color: black}, {At: 1, Color: white, Edge: Linear}}, MixSRGB).At(0.5)
	assert.InDelta(t, Decode(0.5), mid[0], 1e-5)
}

func TestRampMapAgreesWithAt(t *testing.T) {
	for _, e := range Edges {
		r := NewRamp([]Stop{{At: 0.7, Color: MustHex("#fff"), Edge: e, Softness: 0.5}, {At: 0, Color: MustHex("#123")}, {At: 0.4, Color: MustHex("#a52"), Edge: Step}}, MixOklab)
		tone := make([]float32, 301)
		for i := range tone {
			tone[i] = float32(i-100) / 100
		}
		x, y, z := make([]float32, 301), make([]float32, 301), make([]float32, 301)
		r.Map(tone, x, y, z)
		for i, v := range tone {
			assert.Equal(t, r.At(v), C{x[i], y[i], z[i]}, "%s at %v", e, v)
		}
	}
	nan := float32(math.NaN())
	x := make([]float32, 1)
	NewRamp([]Stop{{Color: C{1, 1, 1}}, {At: 0.5}}, MixLinear).Map([]float32{nan}, x, x, x)
	assert.Equal(t, float32(1), x[0], "a tone that is no number takes the first band")
}

func TestFlipAndSpread(t *testing.T) {
	a, b, c := MustHex("#111"), MustHex("#777"), MustHex("#eee")
	in := []Stop{{At: 0, Color: a}, {At: 0.3, Color: b, Edge: Soft, Softness: 0.1}, {At: 0.8, Color: c}}
	out := Flip(in)
	assert.Equal(t, []C{c, b, a}, []C{out[0].Color, out[1].Color, out[2].Color})
	assert.InDelta(t, 0.2, out[1].At, 1e-6)
	assert.InDelta(t, 0.7, out[2].At, 1e-6)
	assert.Equal(t, Soft, out[2].Edge, "the soft edge stays between the same two colours")
	twice := Flip(out)
	for i := range in {
		assert.InDelta(t, in[i].At, twice[i].At, 1e-6)
		assert.Equal(t, in[i].Color, twice[i].Color)
	}
	even := Spread(in)
	assert.InDelta(t, 1.0/3, even[1].At, 1e-6)
}

func TestCheckStops(t *testing.T) {
	assert.NoError(t, CheckStops([]Stop{{At: 1}}))
	for _, bad := range [][]Stop{nil, {{At: -0.1}}, {{At: float32(math.NaN())}}, {{Edge: "wavy"}}, {{Softness: 2}}, make([]Stop, MaxStops+1)} {
		assert.Error(t, CheckStops(bad))
	}
}

// The expected values are worked out by hand from the formulas of the W3C
// recommendation Compositing and Blending Level 1, section 9.
func TestBlendModes(t *testing.T) {
	b, s := C{0.2, 0.6, 0.9}, C{0.7, 0.3, 0.5}
	for key, want := range map[string]C{
		"normal":      {0.7, 0.3, 0.5},
		"multiply":    {0.14, 0.18, 0.45},
		"screen":      {0.76, 0.72, 0.95},
		"overlay":     {0.28, 0.44, 0.9},
		"darken":      {0.2, 0.3, 0.5},
		"lighten":     {0.7, 0.6, 0.9},
		"color-dodge": {0.6666667, 0.8571429, 1},
		"color-burn":  {0, 0, 0.8},
		"hard-light":  {0.52, 0.36, 0.9},
		"soft-light":  {0.2992, 0.504, 0.9},
		"difference":  {0.5, 0.3, 0.4},
		"exclusion":   {0.62, 0.54, 0.5},
		"add":         {0.9, 0.9, 1.4},
		"subtract":    {0, 0.3, 0.4},
		"divide":      {0.2857143, 2, 1.8},
	} {
		got := FindMode(key).Apply(b, s)
		for k := range want {
			assert.InDelta(t, want[k], got[k], 1e-4, "%s channel %d", key, k)
		}
	}
	assert.Nil(t, FindMode("nothing"))
}

func TestBlendModesKeepTheirPromise(t *testing.T) {
	levels := []float32{0, 0.1, 0.25, 0.5, 0.75, 1}
	for i := range Modes {
		m := &Modes[i]
		for _, x := range levels {
			for _, y := range levels {
				b, s := C{x, y, 0.4}, C{y, 0.6, x}
				got := m.Apply(b, s)
				for _, v := range got {
					assert.False(t, v != v || math.IsInf(float64(v), 0), "%s of %v and %v", m.Key, b, s)
				}
				switch m.Key { // what the non-separable modes keep, by definition
				case "hue", "saturation", "color":
					assert.InDelta(t, lum(b), lum(got), 1e-4, m.Key)
				case "luminosity":
					assert.InDelta(t, lum(s), lum(got), 1e-4, m.Key)
				}
			}
		}
	}
}

func TestHSVAndOKLCHRoundTrip(t *testing.T) {
	for r := 0; r <= 255; r += 15 {
		for g := 0; g <= 255; g += 15 {
			for b := 0; b <= 255; b += 15 {
				c := FromBytes(uint8(r), uint8(g), uint8(b))
				for k := range 3 {
					assert.InDelta(t, c[k], FromHSV(c.HSV())[k], 1e-4)
					assert.InDelta(t, c[k], FromOKLCH(c.OKLCH())[k], 1e-4)
				}
			}
		}
	}
	for hex, want := range map[string][3]float32{"#FF0000": {0, 1, 1}, "#00FF00": {1. / 3, 1, 1}, "#0000FF": {2. / 3, 1, 1}, "#808080": {0, 0, 128. / 255}, "#FFFF00": {1. / 6, 1, 1}} {
		got := MustHex(hex).HSV()
		for k := range want {
			assert.InDelta(t, want[k], got[k], 1e-5, hex)
		}
	}
}

func TestStrip(t *testing.T) {
	assert.Error(t, Strip{}.Check())
	assert.Error(t, Strip{{}}.Check())
	assert.Error(t, Strip{{C{}}, {C{}, C{}}}.Check())
	s := Strip{{C{0, 0, 0}, C{1, 1, 1}}}
	assert.NoError(t, s.Check())
	assert.Equal(t, C{1, 1, 1}, s.At(0.5, 0, false))
	assert.InDelta(t, 0.5, s.At(0.5, 0, true)[0], 1e-6)
	assert.Equal(t, C{}, s.At(-3, 0, true))
}

func TestPaintedIsFromEncoded(t *testing.T) {
	for i := range 256 {
		assert.Equal(t, FromBytes(uint8(i), uint8(i), uint8(i)), Painted([3]float32{float32(i) / 255, float32(i) / 255, float32(i) / 255}))
	}
	for x := float32(0); x <= 1; x += 1.0 / 3001 {
		want := FromEncoded([3]float32{x, 1 - x, 0.5})
		got := Painted([3]float32{x, 1 - x, 0.5})
		assert.InDeltaSlice(t, want[:], got[:], 1e-6)
	}
	assert.Equal(t, C{0, 1, 0}, Painted([3]float32{-1, 2, float32(math.NaN())}))
}

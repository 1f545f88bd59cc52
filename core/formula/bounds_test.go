package formula

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var foldTexts = []string{
	"fract(a * 7.0)", "sin(9.0 * a) + b", "cos(a) * b", "abs(a - b)", "a < b ? 1.0 : b", "mod(a, 0.3)", "mod(a, -0.7)", "step(0.5, fract(a * 3.0))", "smoothstep(0.2, 0.8, a)", "smoothstep(0.8, 0.2, a)",
	"mix(a, b, fract(a))", "a * b - b / (a + 2.0)", "1.0 / a", "pow(abs(a), b)", "pow(a, 2.0)", "length(v)", "dot(v, vec3(a, b, 1))", "floor(a * 5.0) / 5.0", "clamp(a, -0.2, b)", "float(int(a * 4.0) & 1)",
	"float(int(a * 4.0) % 3)", "atan(a, b)", "atan(a)", "tan(a)", "sqrt(a) + inversesqrt(b)", "exp(a) - log(b + 3.0)", "sign(a) * ceil(b)", "min(fract(a), fract(b))", "cosh(a)", "a == b ? 0.0 : 1.0", "a <= 0.5 && b > 0.1 || a > 0.9 ? 1.0 : 0.0",
	"v.x > 0.5 ^^ a > 0.5 ? 1.0 : 0.0", "normalize(v).y", "cross(v, vec3(0.2, a, b)).x", "reflect(v, vec3(0, 1, 0)).y", "asin(a) + acos(b)", "round(a * 3.0) - trunc(b * 3.0)", "floatBitsToInt(a) == 3 ? 1.0 : 0.0", "isnan(a / b) ? 1.0 : 0.0", "smoothstep(a, b, 0.3)", "!(a < b) ? a : b",
}

// Whatever lies within the bounds of the inputs gives what lies within the bounds of the result.
func TestBoundsHold(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r := rand.New(rand.NewPCG(3, 4))
	in := []Input{{Name: "a"}, {Name: "b"}, {Name: "v", Vector: true}}
	for _, text := range foldTexts {
		p, err := Parse(text, in)
		require.NoError(t, err, text)
		known := 0
		for range 1500 {
			wide := math.Pow(10, -4+5*r.Float64())
			lo, hi, at := make([][]float32, 5), make([][]float32, 5), make([][]float32, 5)
			const inside = 60
			for k := range lo {
				m := 2*r.Float64() - 1
				w := wide * r.Float64()
				if r.IntN(4) == 0 {
					w = 0
				}
				lo[k], hi[k] = []float32{float32(m - w)}, []float32{float32(m + w)}
				at[k] = make([]float32, inside)
				for i := range at[k] {
					at[k][i] = max(lo[k][0], min(hi[k][0], lo[k][0]+(hi[k][0]-lo[k][0])*r.Float32()))
				}
				at[k][0], at[k][1] = lo[k][0], hi[k][0]
			}
			outLo, outHi, got := [][]float32{{0}}, [][]float32{{0}}, [][]float32{make([]float32, inside)}
			p.Bounds(lo, hi, outLo, outHi)
			p.Run(at, got)
			if outHi[0][0] < infinity {
				known++
			}
			for i, v := range got[0] {
				slack := 2e-5 * max(1, v, -v)
				if v < outLo[0][0]-slack || v > outHi[0][0]+slack {
					t.Fatalf("%s is %v, outside %v to %v, at %v %v %v (from %v to %v)", text, v, outLo[0][0], outHi[0][0], at[0][i], at[1][i], at[2][i], lo, hi)
				}
			}
		}
		assert.Greater(t, known, 200, "%s: something is known", text)
	}
}

func TestBoundsAreTight(t *testing.T) {
	for text, want := range map[string][2]float32{ // for a from 0.3 to 0.4
		"fract(a * 2.0)":                   {0.6, 0.8},
		"fract(a * 3.0)":                   {0, 1}, // 1 lies between
		"fract(a * 3.0) < 0.1 ? 1.0 : 0.0": {0, 1},
		"fract(a * 2.0) < 0.1 ? 1.0 : 0.0": {0, 0},
		"abs(a - 0.35)":                    {0, 0.05},
		"sin(a * 4.0)":                     {float32(math.Sin(1.2)), 1},
		"cos(a * 10.0)":                    {-1, float32(math.Cos(4))},
		"step(0.35, a)":                    {0, 1},
		"a > 0.2 ? 2.0 : 5.0":              {2, 2},
		"mod(a, 0.25)":                     {0.05, 0.15},
		"mod(a, 0.35)":                     {0, 0.35},
	} {
		p, err := Parse(text, []Input{{Name: "a"}})
		require.NoError(t, err)
		lo, hi := [][]float32{{0}}, [][]float32{{0}}
		p.Bounds([][]float32{{0.3}}, [][]float32{{0.4}}, lo, hi)
		assert.InDelta(t, want[0], lo[0][0], 1e-6, text)
		assert.InDelta(t, want[1], hi[0][0], 1e-6, text)
	}
	for text, folds := range map[string]bool{"a * 2.0 + sqrt(a)": false, "fract(a)": true, "a < 0.5 ? 1.0 : 0.0": true, "mix(0.0, a, 0.3)": false, "float(int(a))": true, "sin(a)": true} {
		p, err := Parse(text, []Input{{Name: "a"}})
		require.NoError(t, err)
		assert.Equal(t, folds, p.Folds(), text)
	}
}

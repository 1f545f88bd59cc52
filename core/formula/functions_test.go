package formula_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/formula"
)

// scalars are the functions of numbers, as the language's specification has them;
// where it leaves a value open, as for the logarithm of a negative number, ours is 0.
var scalars = map[string]func(a ...float64) float64{
	"radians": func(a ...float64) float64 { return a[0] * math.Pi / 180 },
	"degrees": func(a ...float64) float64 { return a[0] * 180 / math.Pi },
	"sin":     func(a ...float64) float64 { return math.Sin(a[0]) },
	"cos":     func(a ...float64) float64 { return math.Cos(a[0]) },
	"tan":     func(a ...float64) float64 { return math.Sin(a[0]) / math.Cos(a[0]) },
	"asin":    func(a ...float64) float64 { return math.Asin(max(-1, min(1, a[0]))) },
	"acos":    func(a ...float64) float64 { return math.Pi/2 - math.Asin(max(-1, min(1, a[0]))) },
	"atan":    func(a ...float64) float64 { return math.Atan2(a[0], append(a, 1)[1]) },
	"sinh":    func(a ...float64) float64 { return (math.Exp(a[0]) - math.Exp(-a[0])) / 2 },
	"cosh":    func(a ...float64) float64 { return (math.Exp(a[0]) + math.Exp(-a[0])) / 2 },
	"tanh":    func(a ...float64) float64 { return 1 - 2/(math.Exp(2*a[0])+1) },
	"asinh":   func(a ...float64) float64 { return math.Copysign(math.Log(math.Abs(a[0])+math.Hypot(a[0], 1)), a[0]) },
	"acosh":   func(a ...float64) float64 { x := max(1, a[0]); return math.Log(x + math.Sqrt(x*x-1)) },
	"atanh": func(a ...float64) float64 {
		x := max(-0.9999999, min(0.9999999, a[0]))
		return math.Log((1+x)/(1-x)) / 2
	},
	"exp":         func(a ...float64) float64 { return math.Pow(math.E, a[0]) },
	"exp2":        func(a ...float64) float64 { return math.Pow(2, a[0]) },
	"log":         func(a ...float64) float64 { return known(a[0] > 0, math.Log2(a[0])*math.Ln2) },
	"log2":        func(a ...float64) float64 { return known(a[0] > 0, math.Log(a[0])/math.Ln2) },
	"sqrt":        func(a ...float64) float64 { return known(a[0] >= 0, math.Pow(a[0], 0.5)) },
	"inversesqrt": func(a ...float64) float64 { return known(a[0] > 0, math.Pow(a[0], -0.5)) },
	"floor":       func(a ...float64) float64 { return math.Floor(a[0]) },
	"ceil":        func(a ...float64) float64 { return -math.Floor(-a[0]) },
	"trunc":       func(a ...float64) float64 { return float64(int(a[0])) },
	"round":       func(a ...float64) float64 { return math.Floor(a[0] + 0.5) },
	"roundEven":   func(a ...float64) float64 { return math.RoundToEven(a[0]) },
	"fract":       func(a ...float64) float64 { return a[0] - math.Floor(a[0]) },
	"abs":         func(a ...float64) float64 { return math.Sqrt(a[0] * a[0]) },
	"sign":        func(a ...float64) float64 { return known(a[0] != 0, a[0]/math.Abs(a[0])) },
	"pow": func(a ...float64) float64 {
		if a[0] > 0 {
			return math.Exp(a[1] * math.Log(a[0]))
		}
		if a[0] == 0 && a[1] < 0 { // a division by 0
			return 0
		}
		v := math.Pow(a[0], a[1]) // whole powers have a value, others have none
		return known(v == v, max(-math.MaxFloat32, min(math.MaxFloat32, v)))
	},
	"mod":   func(a ...float64) float64 { return known(a[1] != 0, a[0]-a[1]*math.Floor(a[0]/a[1])) },
	"min":   func(a ...float64) float64 { return math.Min(a[0], a[1]) },
	"max":   func(a ...float64) float64 { return math.Max(a[0], a[1]) },
	"step":  func(a ...float64) float64 { return known(a[1] >= a[0], 1) },
	"clamp": func(a ...float64) float64 { return math.Min(math.Max(a[0], a[1]), a[2]) },
	"mix":   func(a ...float64) float64 { return a[0]*(1-a[2]) + a[1]*a[2] },
	"smoothstep": func(a ...float64) float64 {
		if a[0] == a[1] {
			return known(a[2] >= a[0], 1)
		}
		t := math.Max(0, math.Min(1, (a[2]-a[0])/(a[1]-a[0])))
		return t * t * (3 - 2*t)
	},
}

func known(ok bool, v float64) float64 {
	if ok {
		return v
	}
	return 0
}

// run evaluates a formula of x, y, z and the vectors u, v, w over planes.
func run(t *testing.T, text string, planes [][]float32) [][]float32 {
	t.Helper()
	p, err := formula.Parse(text, []formula.Input{{Name: "x"}, {Name: "y"}, {Name: "z"}, {Name: "u", Vector: true}, {Name: "v", Vector: true}, {Name: "w", Vector: true}})
	require.NoError(t, err, text)
	out := make([][]float32, p.Type.N)
	for k := range out {
		out[k] = make([]float32, len(planes[0]))
	}
	p.Run(planes, out)
	return out
}

func chance(n int) [][]float32 {
	rng := rand.New(rand.NewPCG(4, 7))
	planes := make([][]float32, 12)
	for k := range planes {
		planes[k] = make([]float32, n)
		for i := range planes[k] {
			planes[k][i] = float32(rng.NormFloat64() * 1.5)
			if i%8 == 0 { // halves and whole numbers, where functions jump
				planes[k][i] = float32(rng.IntN(13)-6) / 2
			}
		}
	}
	return planes
}

// Each function of numbers has its value, the same over single numbers, over the
// components of vectors, and where it was worked out once because nothing varies.
func TestEveryFunctionOfNumbers(t *testing.T) {
	const n = 600
	planes := chance(n)
	for name, want := range scalars {
		for _, count := range map[string][]int{"atan": {1, 2}, "pow": {2}, "mod": {2}, "min": {2}, "max": {2}, "step": {2}, "clamp": {3}, "mix": {3}, "smoothstep": {3}}[name] {
			functionIs(t, name, count, planes, want)
		}
		if !strings.Contains(" pow mod min max step clamp mix smoothstep atan ", " "+name+" ") {
			functionIs(t, name, 1, planes, want)
		}
	}
}

func functionIs(t *testing.T, name string, count int, planes [][]float32, want func(a ...float64) float64) {
	t.Helper()
	single := run(t, name+"("+strings.Join([]string{"x", "y", "z"}[:count], ", ")+")", planes)[0]
	vector := run(t, name+"("+strings.Join([]string{"u", "v", "w"}[:count], ", ")+")", planes)
	require.Len(t, vector, 3, name)
	same := func(want float64, got float32, args []float64, how string) {
		t.Helper()
		if math.Abs(want-float64(got)) > 2e-5*math.Max(1, math.Abs(want))*conditioned(name, args) {
			t.Fatalf("%s%v = %v, not %v (%s)", name, args, got, want, how)
		}
	}
	for i := range single {
		args := make([]float64, count)
		for k := range args {
			args[k] = float64(planes[k][i])
		}
		same(want(args...), single[i], args, "of numbers")
		if i < 40 {
			text := make([]string, count)
			for k, a := range args {
				text[k] = fmt.Sprintf("float(%v)", float32(a))
				if a < 0 {
					text[k] = fmt.Sprintf("(-float(%v))", -float32(a))
				}
			}
			constant := run(t, name+"("+strings.Join(text, ", ")+")", [][]float32{{0}, {0}, {0}, {0}, {0}, {0}, {0}, {0}, {0}, {0}, {0}, {0}})
			require.Equal(t, single[i], constant[0][0], "%s(%s), worked out once", name, strings.Join(text, ", "))
		}
		for c := range 3 {
			for k := range args {
				args[k] = float64(planes[3+3*k+c][i])
			}
			same(want(args...), vector[c][i], args, "of vectors")
		}
	}
}

// conditioned is by how much more than a rounding a value may be off: near a pole
// or a jump that rounding decides.
func conditioned(name string, a []float64) float64 {
	switch name {
	case "tan":
		return 1 + 1/math.Pow(math.Cos(a[0]), 2)
	case "atanh":
		return 1e4
	case "mod":
		if r := a[0] / a[1]; math.Abs(r-math.Round(r)) < 1e-5 {
			return math.Inf(1)
		}
	}
	return 1
}

// values has an expression of each type.
var values = map[string]string{"float": "x", "int": "int(x)", "bool": "x > y", "vec2": "u.xy", "vec3": "u", "vec4": "vec4(u, x)",
	"ivec3": "ivec3(u)", "bvec3": "lessThan(u, v)", "bvec2": "lessThan(u.xy, v.xy)"}

// Whatever is given to a function, it takes it and gives numbers, or says at which
// character what does not fit.
func TestEveryFunctionTakesOrRefusesAnything(t *testing.T) {
	planes := chance(7)
	taken, refused := 0, 0
	for _, f := range formula.Functions() {
		require.Contains(t, f.Signature, f.Name+"(")
		for count := range 4 {
			for _, args := range choices(count) {
				text := " " + f.Name + "(" + strings.Join(args, ", ") + ")"
				p, err := formula.Parse(text, []formula.Input{{Name: "x"}, {Name: "y"}, {Name: "z"}, {Name: "u", Vector: true}, {Name: "v", Vector: true}, {Name: "w", Vector: true}})
				if err != nil {
					var slip *formula.Error
					require.True(t, errors.As(err, &slip), text)
					require.True(t, slip.At >= 1 && slip.At <= len(text) && slip.Msg != "", "%s: %v", text, err)
					require.NotContains(t, slip.Msg, "%!", text)
					refused++
					continue
				}
				taken++
				for k, plane := range run(t, text, planes) {
					for _, v := range plane {
						require.False(t, v-v != 0, "component %d of %s is %v", k, text, v)
						if p.Type.Base == formula.Bool {
							require.True(t, v == 0 || v == 1, "%s is %v", text, v)
						}
						if p.Type.Base == formula.Int {
							require.Equal(t, math.Trunc(float64(v)), float64(v), text)
						}
					}
				}
			}
		}
	}
	assert.Greater(t, taken, 600)
	assert.Greater(t, refused, 5000)
}

func choices(n int) [][]string {
	if n == 0 {
		return [][]string{nil}
	}
	var out [][]string
	for _, rest := range choices(n - 1) {
		for _, v := range values {
			out = append(out, append(rest[:len(rest):len(rest)], v))
		}
	}
	return out
}

func TestGeometryHoldsItsLaws(t *testing.T) {
	planes := chance(300)
	near := func(a, b string, tolerance float64) {
		t.Helper()
		p, q := run(t, a, planes), run(t, b, planes)
		require.Len(t, q, len(p))
		for k := range p {
			for i := range p[k] {
				require.InDelta(t, p[k][i], q[k][i], tolerance, "%s against %s", a, b)
			}
		}
	}
	near("length(u)", "sqrt(u.x*u.x + u.y*u.y + u.z*u.z)", 1e-5)
	near("distance(u, v)", "length(v - u)", 1e-5)
	near("dot(u, cross(u, v))", "0.0", 1e-4)
	near("cross(u, v)", "-cross(v, u)", 1e-5)
	near("length(reflect(u, normalize(v)))", "length(u)", 1e-4)
	near("reflect(reflect(u, normalize(v)), normalize(v))", "u", 1e-4)
	near("faceforward(u, v, w)", "dot(w, v) < 0.0 ? u : -u", 0)
	// Snell: what is refracted has the sine times eta, and stays in one plane with the normal.
	near("length(cross(refract(normalize(u), faceforward(normalize(v), u, v), 0.7), normalize(v)))", "0.7 * length(cross(normalize(u), normalize(v)))", 1e-4)
	near("dot(refract(normalize(u), faceforward(normalize(v), u, v), 0.7), cross(u, v))", "0.0", 1e-4)
	near("any(lessThan(u, v)) ? 1.0 : 0.0", "u.x < v.x || u.y < v.y || u.z < v.z ? 1.0 : 0.0", 0)
	near("all(greaterThan(u, v)) ? 1.0 : 0.0", "u.x > v.x && u.y > v.y && u.z > v.z ? 1.0 : 0.0", 0)
	near("vec3(not(lessThanEqual(u, v)))", "vec3(greaterThan(u, v))", 0)
	near("vec3(notEqual(u, v))", "vec3(not(equal(u, v)))", 0)
	near("mix(u, v, lessThan(u, v))", "max(u, v)", 0)
}

// Whole numbers have 32 bits and wrap, as the language has it: hashes come out.
func TestWholeNumbersWrap(t *testing.T) {
	for text, want := range map[string]float32{
		"0x7FFFFFFF & 0xFF":                  255,
		"16777216+1-16777216":                1,
		"65537*65537":                        131073,
		"2147483647+1":                       -2147483648,
		"-2147483647-2":                      2147483647,
		"0xFFFFFFFF":                         -1,
		"0xFFFFFFFFu":                        4294967295,
		"4294967295u + 2u":                   1,
		"0u - 1u":                            4294967295,
		"-7/2":                               -3,
		"-7%2":                               -1,
		"7u/2u":                              3,
		"0x80000000u/3u":                     715827882,
		"0x80000000u%7u":                     2,
		"5/0":                                0,
		"5%0":                                0,
		"5u/0u":                              0,
		"(-2147483647-1)/(-1)":               -2147483648,
		"1<<31":                              -2147483648,
		"-8>>1":                              -4,
		"0x80000000u>>31":                    1,
		"1<<2u":                              4,
		"~0":                                 -1,
		"~0u":                                4294967295,
		"5^3":                                6,
		"5|8":                                13,
		"abs(-5)":                            5,
		"sign(-5)":                           -1,
		"min(-5, 3)":                         -5,
		"min(16777217, 16777219) - 16777216": 1, // as whole numbers: floats have no such
		"max(16777217u, 3u) - 16777216u":     1,
		"min(0xFFFFFFFFu, 3u)":               3,
		"max(0xFFFFFFFFu, 3u)":               4294967295,
		"clamp(9, 1, 5)":                     5,
		"int(-1.9)":                          -1,
		"int(1e20)":                          2147483647,
		"int(0.0/0.0)":                       0,
		"uint(3.9)":                          3,
		"uint(-1)":                           4294967295,
		"int(0xFFFFFFFEu)":                   -2,
		"float(16777217)":                    16777216,
		"1/2*2.0":                            0,
		"0x80000000 == 0 ? 1 : 2":            2, // as floats both would be a zero
		"0xFFFFFFFF == 0xFFFFFFFF ? 1 : 2":   1, // as floats neither would be a number
		"0xFFFFFFFF < 0 ? 1 : 2":             1,
		"0xFFFFFFFFu < 0u ? 1 : 2":           2,
		"floatBitsToInt(1.0)":                0x3f800000,
		"intBitsToFloat(0x40490fdb)":         3.1415927,
		"uintBitsToFloat(0x7f800000u) > 1.0 ? 1 : 2":   1,
		"floatBitsToUint(-0.0)":                        2147483648,
		"bool(0x80000000) ? 1 : 2":                     1,
		"(true ? 0xFFFFFFFF : 0)":                      -1,
		"lessThan(uvec2(1u), uvec2(2u, 0u)).y ? 1 : 2": 2,
		"equal(ivec2(-1), ivec2(-1, 0)).x ? 1 : 2":     1,
	} {
		p, err := formula.Parse(text, nil)
		if !assert.NoError(t, err, text) {
			continue
		}
		out := [][]float32{make([]float32, 3)}
		p.Run(nil, out)
		assert.Equal(t, want, out[0][2], text)
	}
	for text, want := range map[string]string{"4294967296": "is not a number", "1 + 1u": "does not go with", "ivec2(1) + uvec2(3u)": "does not go with", "1.0 & 1": "whole numbers", "abs(1u)": "negative", "floatBitsToInt(1)": "does not go with"} {
		_, err := formula.Parse(text, nil)
		assert.ErrorContains(t, err, want, text)
	}
	// A hash over points, against the same in Go (Wang 2007, 32 bits).
	p, err := formula.Parse("float((((uint(a) ^ 61u) ^ (uint(a) >> 16)) * 9u ^ ((((uint(a) ^ 61u) ^ (uint(a) >> 16)) * 9u) >> 4)) * 0x27d4eb2du) / 4294967296.0", []formula.Input{{Name: "a"}})
	require.NoError(t, err)
	in := make([]float32, 1000)
	for i := range in {
		in[i] = float32(i * 977)
	}
	out := [][]float32{make([]float32, len(in))}
	p.Run([][]float32{in}, out)
	for i := range in {
		x := uint32(in[i])
		x = (x ^ 61) ^ (x >> 16)
		x *= 9
		x = (x ^ (x >> 4)) * 0x27d4eb2d
		require.Equal(t, float32(x)/4294967296, out[0][i], i)
	}
}

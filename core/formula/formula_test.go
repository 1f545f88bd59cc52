package formula_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/formula"
)

func Example() {
	p, err := formula.Parse("mix(0.2, 0.8, smoothstep(0.0, 1.0, a))", []formula.Input{{Name: "a"}})
	out := []float32{0}
	p.Run([][]float32{{0.5}}, [][]float32{out})
	fmt.Println(p.Type, out[0], err)
	// Output: float 0.5 <nil>
}

var inputs = []formula.Input{{Name: "a"}, {Name: "b"}, {Name: "c", Vector: true}}

// with evaluates at a = 0.25, b = 2, c = (1, 2, 3).
func with(t *testing.T, text string) []float32 {
	t.Helper()
	p, err := formula.Parse(text, inputs)
	require.NoError(t, err, text)
	out := make([][]float32, p.Type.N)
	for k := range out {
		out[k] = make([]float32, 1)
	}
	p.Run([][]float32{{0.25}, {2}, {1}, {2}, {3}}, out)
	var v []float32
	for k := range out {
		v = append(v, out[k][0])
	}
	return v
}

func TestValues(t *testing.T) {
	for text, want := range map[string][]float32{
		"1.0 + 2.0 * 3.0":                   {7},
		"(1.0 + 2.0) * 3.0":                 {9},
		"2.0 - 1.0 - 0.5":                   {0.5},
		"-a":                                {-0.25},
		"- -a":                              {0.25},
		"7 / 2":                             {3},
		"7 % 4":                             {3},
		"-7 / 2":                            {-3},
		"7.0 / 2":                           {3.5},
		"1 << 4 | 3":                        {19},
		"~5 & 0xF":                          {10},
		"6 ^ 3":                             {5},
		"a < b":                             {1},
		"a < b && b < a || true":            {1},
		"true ^^ true":                      {0},
		"!(a == 0.25)":                      {0},
		"a > 0.5 ? 1.0 : b > 1.0 ? 2. : 3.": {2},
		"c.zyx":                             {3, 2, 1},
		"c.rg":                              {1, 2},
		"c.stp.x":                           {1},
		"c[2]":                              {3},
		"vec3(a)":                           {0.25, 0.25, 0.25},
		"vec3(a, vec2(b, 1))":               {0.25, 2, 1},
		"vec2(c)":                           {1, 2},
		"int(2.9) + int(-2.9)":              {0},
		"float(3) * .5e1":                   {15},
		"vec3(bvec3(c - 2.0))":              {1, 0, 1},
		"2.0 * c + vec3(1, 0, 0)":           {3, 4, 6},
		"dot(c, c)":                         {14},
		"cross(vec3(1,0,0), vec3(0,1,0))":   {0, 0, 1},
		"length(vec2(3.0, 4.0))":            {5},
		"normalize(vec3(0.0, 0.0, 2.0))":    {0, 0, 1},
		"normalize(vec3(0.0))":              {0, 0, 0},
		"distance(c, c)":                    {0},
		"reflect(vec2(1.0, -1.0), vec2(0.0, 1.0))":                {1, 1},
		"refract(vec3(0.0, -1.0, 0.0), vec3(0.0, 1.0, 0.0), 0.5)": {0, -1, 0},
		"refract(vec2(1.0, 0.0), vec2(0.0, 1.0), 2.0)":            {0, 0},
		"faceforward(vec2(0, 1), vec2(0, 1), vec2(0, 1))":         {0, -1},
		"mod(-0.25, 1.0)":                     {0.75},
		"fract(-0.25)":                        {0.75},
		"round(2.5) + floor(-0.5)":            {2},
		"roundEven(2.5)":                      {2},
		"sign(-3.0) + abs(-2.0)":              {1},
		"clamp(b, 0.0, 1.0)":                  {1},
		"min(c, 2.0)":                         {1, 2, 2},
		"max(3, 4)":                           {4},
		"mix(vec3(0), c, 0.5)":                {0.5, 1, 1.5},
		"mix(1.0, 2.0, true)":                 {2},
		"step(2.0, c)":                        {0, 1, 1},
		"smoothstep(0.0, 1.0, 0.5)":           {0.5},
		"pow(b, 3.0)":                         {8},
		"exp2(3.0) + log2(8.0)":               {11},
		"sqrt(16.0) * inversesqrt(16.0)":      {1},
		"degrees(radians(90.0))":              {90},
		"any(lessThan(c, vec3(1.5)))":         {1},
		"all(greaterThanEqual(c, vec3(1.5)))": {0},
		"not(equal(c, vec3(2)))":              {1, 0, 1},
		"c == vec3(1, 2, 3)":                  {1},
		"c != c":                              {0},
		"a /* the first */ + b // the rest":   {2.25},
		"1.0 / 0.0":                           {0},
		"sqrt(-1.0) + log(-1.0)":              {0},
		"1 / 0":                               {0},
		"pow(10.0, 30.0) * pow(10.0, 30.0)":   {math.MaxFloat32},
	} {
		got := with(t, text)
		require.Len(t, got, len(want), text)
		for k := range want {
			assert.InDelta(t, want[k], got[k], 1e-5*math.Max(1, math.Abs(float64(want[k]))), text)
		}
	}
	assert.InDelta(t, math.Atan2(1, -1), with(t, "atan(1.0, -1.0)")[0], 1e-6)
	assert.InDelta(t, math.Sin(0.25), with(t, "sin(a)")[0], 1e-6)
}

func TestSlipsAreNamedAtTheirCharacter(t *testing.T) {
	for text, want := range map[string]string{
		"":               "character 1: the formula is empty",
		"a +":            "character 4: something is missing at the end",
		"a + * b":        `character 5: a value is expected here, not "*"`,
		"a b":            `character 3: "b" is not expected here`,
		"(a":             `character 3: ")" is missing at the end`,
		"a)":             `character 2: ")" is not expected here`,
		"d":              `character 1: nothing is named "d" here; the inputs are a, b, c`,
		"a + sni(b)":     `character 5: there is no function "sni"`,
		"a(b)":           "a is an input, not a function",
		"sin":            "sin is a function: it needs brackets",
		"sin(a, b)":      "sin takes 1 argument, not 2",
		"mix(a, b)":      "mix takes 3 arguments, not 2",
		"c + vec2(1.0)":  "+ does not go with a vec3 and a vec2",
		"c.w":            `"w" are no components of a vec3`,
		"c.xg":           `"xg" are no components of a vec3`,
		"a.x":            "a float has no components",
		"c[3]":           "a vec3 has no component 3",
		"c[a]":           "must be a whole number",
		"a ? b : c":      "must be true or false",
		"a > b ? b : c":  "both must be the same",
		"a = b":          "cannot set a value",
		"a += b":         "cannot change a value",
		"a;":             "without ;",
		"a, b":           "a comma stands between the arguments",
		"vec3(1.0, 2.0)": "a vec3 needs 3 numbers, not 2",
		"vec2(1, 2, 3)":  "a vec2 takes 2 numbers, not 3",
		"a && b":         "&& works on two conditions",
		"a % b":          "% works on whole numbers",
		"!a":             "! does not go with a float",
		"1.2.3":          `"1.2.3" is not a number`,
		"a # b":          `"#" means nothing`,
		"a /* b":         "the remark is not closed",
		"cross(a, b)":    "cross takes two vec3",
	} {
		_, err := formula.Parse(text, inputs)
		assert.ErrorContains(t, err, want, text)
		assert.IsType(t, &formula.Error{}, err)
	}
	_, err := formula.Parse(strings.Repeat("a+", 1<<19), inputs)
	assert.ErrorContains(t, err, "bytes long")
	_, err = formula.Parse(strings.Repeat("(", 2000), inputs)
	assert.ErrorContains(t, err, "nested more than")
	_, err = formula.Parse(strings.Repeat("-", 4000)+"a", inputs)
	assert.ErrorContains(t, err, "nested more than")
}

func TestNames(t *testing.T) {
	for _, bad := range []string{"", "vec3", "sin", "true", "2a", "a b", "gl_x", "a__b", "ä", "while"} {
		assert.Error(t, formula.CheckName(bad), bad)
	}
	for _, good := range []string{"a", "tone2", "_x", "Light"} {
		assert.NoError(t, formula.CheckName(good))
	}
}

// A long formula uses its scratch again and again, over several batches, and on
// several goroutines at once.
func TestLongFormulasOverManySamples(t *testing.T) {
	text := "a" + strings.Repeat(" * 0.5 + sin(a) * b", 60)
	p, err := formula.Parse(text, inputs)
	require.NoError(t, err)
	const n = 3000
	in := make([][]float32, 5)
	for k := range in {
		in[k] = make([]float32, n)
		for i := range in[k] {
			in[k][i] = float32(i+k) / n
		}
	}
	done := make(chan []float32)
	for range 4 {
		go func() {
			out := make([]float32, n)
			p.Run(in, [][]float32{out})
			done <- out
		}()
	}
	for range 4 {
		out := <-done
		for i := 0; i < n; i += 97 {
			want := float64(in[0][i]) * 0.5 // products bind tighter than sums
			for range 59 {
				want += math.Sin(float64(in[0][i])) * float64(in[1][i]) * 0.5
			}
			want += math.Sin(float64(in[0][i])) * float64(in[1][i])
			require.InDelta(t, want, out[i], 1e-3)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"a", "mix(vec3(a), c, smoothstep(0., 1., b))", "a > b ? c.xy[1] : -1e3", "((((", "vec3(bvec2(a<b), 1)", "1 << 31 >> 2 % 0"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		p, err := formula.Parse(text, inputs)
		if err != nil {
			var slip *formula.Error
			require.ErrorAs(t, err, &slip)
			require.True(t, slip.At >= 0 && slip.At <= len(text))
			return
		}
		out := make([][]float32, p.Type.N)
		for k := range out {
			out[k] = make([]float32, 3)
		}
		p.Run([][]float32{{0, 1e30, -5}, {1, -1e30, 0}, {0, 0, 0}, {1, 2, 3}, {-1, 5, 1e-38}}, out)
		for _, plane := range out {
			for _, v := range plane {
				require.False(t, v-v != 0, "%q gives %v", text, v)
			}
		}
	})
}

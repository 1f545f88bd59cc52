package strictjson

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

type inner struct {
	N    int            `json:"n"`
	List []float64      `json:"list"`
	Own  odd            `json:"own"`
	Map  map[string]odd `json:"map"`
}

type outer struct {
	Name string `json:"name"`
	inner
	Sub  *inner  `json:"sub"`
	Subs []inner `json:"subs"`
}

// odd reads itself: it must be an odd number.
type odd int

func (o *odd) UnmarshalJSON(data []byte) error {
	var n int
	if err := json.Unmarshal(data, &n); err != nil {
		return err
	}
	if n%2 == 0 {
		return fmt.Errorf("%d is even", n)
	}
	*o = odd(n)
	return nil
}

func TestSlipsAreToldByTheirPlace(t *testing.T) {
	for text, want := range map[string]string{
		`{`:                                   "line 1, column 2: it ends too early",
		"":                                    "line 1, column 1: it ends too early",
		"{\n \"name\": oops}":                 "line 2, column 10: invalid character",
		"{\"name\":\"é\",\n\"nome\":1}":       `line 2, column 1: there is no member "nome"`,
		"{\"name\":\"日本\", \"nome\":1}":       `line 1, column 15: there is no member "nome"`,
		"{\n\n\"sub\":{\"n\":1,\n\"m\":2}}":   `line 4, column 1: sub has no member "m"`,
		"{\"subs\":[{},\n{\"n\":\"x\"}]}":     `line 2, column 6: subs.2.n is the text "x", where a whole number belongs`,
		"{\"subs\":[{},\n{\"list\":[1,{}]}]}": `line 2, column 12: subs.2.list.2 is an object, where a number belongs`,
		"{\n\"map\":{\"a\":1,\n\"b\":4}}":     `line 3, column 5: map.b: 4 is even`,
		"{\n\"own\":\n\"x\"}":                 `line 3, column 1: own cannot be the text "x"`,
		"{\"n\":1.5}":                         "n is the number 1.5, where a whole number belongs",
		"{\"n\":true}":                        "n is true, where a whole number belongs",
		"{\"name\":[1]}":                      "name is a list, where a text belongs",
		"[]":                                  "the whole is a list, where an object belongs",
		"{} x":                                "line 1, column 4: there is more behind the end",
		strings.Repeat("[", 65) + "1":         "nested more than 64 deep",
		`{"name":"[[[[` + strings.Repeat("[", 100) + `"}`: "",
	} {
		err := Decode([]byte(text), &outer{})
		if want == "" {
			assert.NoError(t, err, text)
			continue
		}
		assert.ErrorContains(t, err, want, text)
		assert.NotContains(t, err.Error(), "Go ", text)
		assert.Equal(t, strings.Contains(want, "has no member") || strings.Contains(want, "is no member"), errors.Is(err, ErrUnknown), text)
	}
}

func TestDepth(t *testing.T) {
	var v any
	assert.NoError(t, Decode([]byte(strings.Repeat("[", 64)+strings.Repeat("]", 64)), &v))
	assert.ErrorContains(t, Decode([]byte(strings.Repeat("[", 65)+strings.Repeat("]", 65)), &v), "line 1, column 65: ")
	assert.ErrorContains(t, Decode([]byte(strings.Repeat("[1, ", 65)+"1"+strings.Repeat("]", 65)), &v), "nested more than 64 deep", "whatever stands between")
	assert.NoError(t, Decode([]byte("["+strings.Repeat("[],{},", 100)+"1]"), &v), "beside each other they are not deep")
	assert.NoError(t, Decode([]byte(`["\"`+strings.Repeat("[", 100)+`\\",`+strings.Repeat("[", 63)+strings.Repeat("]", 64)), &v), "nor within a text")
}

func TestAByteOrderMarkIsPassedOver(t *testing.T) {
	var v outer
	assert.NoError(t, Decode([]byte("\xef\xbb\xbf{\"name\":\"a\",\"n\":3}"), &v))
	assert.Equal(t, "a", v.Name)
	assert.Equal(t, 3, v.N)
}

// Whatever the decoder refuses is told with a place in the text, and nothing that it
// takes is.
func FuzzDecode(f *testing.F) {
	for _, s := range []string{`{"name":"a","subs":[{"map":{"b":3}}]}`, `{"sub":null}`, `{"own":4}`, "{\"n\":1}\x00"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		err := Decode([]byte(text), &outer{})
		var e *Error
		if err != nil && assert.ErrorAs(t, err, &e) {
			assert.LessOrEqual(t, e.Line, strings.Count(text, "\n")+1)
			assert.GreaterOrEqual(t, e.Column, 1)
		}
	})
}

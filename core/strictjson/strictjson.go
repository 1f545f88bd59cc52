// Package strictjson reads JSON to the letter: what the reader does not know is refused, and a slip is told in words, with
// its line and column.
package strictjson

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strconv"
	"strings"
	"unicode/utf8"
)

// maxDepth is how deep JSON may be nested; ours needs a dozen levels.
const maxDepth = 64

// ErrUnknown is within the error for a member that the reader does not know.
var ErrUnknown = errors.New("unknown member")

// Error is a slip at a place of a text.
type Error struct {
	Line, Column int // from 1; the column in letters
	Msg          string
	unknown      bool
}

func (e *Error) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Column, e.Msg)
}

// Unwrap lets errors.Is find ErrUnknown.
func (e *Error) Unwrap() error {
	if e.unknown {
		return ErrUnknown
	}
	return nil
}

// Decode reads data into to, which is a pointer. A byte order mark in front is
// passed over. The error is an *Error.
func Decode(data []byte, to any) error { return decode(data, to, false) }

// Loose is Decode for what others define: members that the reader does not know are
// passed over.
func Loose(data []byte, to any) error { return decode(data, to, true) }

func decode(data []byte, to any, loose bool) error {
	text := bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if at := deep(text); at >= 0 {
		return slip(text, at, false, "brackets are nested more than %d deep", maxDepth)
	}
	dec := json.NewDecoder(bytes.NewReader(text))
	if !loose {
		dec.DisallowUnknownFields()
	}
	err := dec.Decode(to)
	if err == nil {
		if rest := bytes.TrimSpace(text[dec.InputOffset():]); len(rest) > 0 {
			return slip(text, len(text)-len(rest), false, "there is more behind the end")
		}
		return nil
	}
	return explain(text, reflect.TypeOf(to).Elem(), loose, err)
}

// deep returns where brackets outside strings are nested too deep, -1 if nowhere.
func deep(text []byte) int {
	d, quoted := 0, false
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '{' || c == '[':
			if d++; d > maxDepth {
				return i
			}
		case c == '}' || c == ']':
			d--
		}
	}
	return -1
}

func slip(text []byte, at int, unknown bool, format string, args ...any) *Error {
	at = max(0, min(at, len(text)))
	from := bytes.LastIndexByte(text[:at], '\n') + 1
	return &Error{Line: bytes.Count(text[:at], []byte("\n")) + 1, Column: utf8.RuneCount(text[from:at]) + 1, Msg: fmt.Sprintf(format, args...), unknown: unknown}
}

// explain finds the place of what a decoder refused. The decoder's own offsets are
// not right within types that read themselves, and its words are those of Go.
func explain(text []byte, t reflect.Type, loose bool, err error) *Error {
	var syntax *json.SyntaxError
	if errors.As(err, &syntax) {
		if int(syntax.Offset) >= len(bytes.TrimRight(text, " \t\r\n")) && strings.Contains(err.Error(), "unexpected end") {
			return slip(text, len(text), false, "it ends too early: part of it is missing")
		}
		msg := strings.TrimPrefix(err.Error(), "json: ")
		return slip(text, int(syntax.Offset)-1, false, "%s", msg)
	}
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return slip(text, len(text), false, "it ends too early: part of it is missing")
	}
	w := &walker{text: text, loose: loose, dec: json.NewDecoder(bytes.NewReader(text))}
	if e := w.value(t, ""); e != nil {
		return e
	}
	return slip(text, 0, false, "%s", strings.TrimPrefix(err.Error(), "json: "))
}

// walker goes through a text beside the type that it is to be read into.
type walker struct {
	text  []byte
	loose bool
	dec   *json.Decoder
}

// at returns where the next value begins.
func (w *walker) at() int {
	i := int(w.dec.InputOffset())
	for i < len(w.text) && strings.IndexByte(" \t\r\n:,", w.text[i]) >= 0 {
		i++
	}
	return i
}

var reads = reflect.TypeFor[json.Unmarshaler]()

// value walks through one value; path names it.
func (w *walker) value(t reflect.Type, path string) *Error {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	at := w.at()
	own := reflect.PointerTo(t).Implements(reads)
	next := byte(0)
	if at < len(w.text) {
		next = w.text[at]
	}
	if !own && next == '{' && t.Kind() == reflect.Struct {
		return w.members(t, path)
	}
	if !own && next == '{' && t.Kind() == reflect.Map || !own && next == '[' && t.Kind() == reflect.Slice && t.Elem().Kind() != reflect.Uint8 {
		return w.elements(t, path)
	}
	var raw json.RawMessage
	if err := w.dec.Decode(&raw); err != nil {
		return slip(w.text, at, false, "%s", strings.TrimPrefix(err.Error(), "json: "))
	}
	err := json.Unmarshal(raw, reflect.New(t).Interface())
	var kind *json.UnmarshalTypeError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &kind) && !own:
		return slip(w.text, at, false, "%s is %s, where %s belongs", named(path), shown(raw), wanted(t))
	case errors.As(err, &kind) && kind.Field != "":
		return slip(w.text, at, false, "%s holds a %s, where %s belongs", named(strings.TrimPrefix(path+"."+kind.Field, ".")), kind.Value, wanted(kind.Type))
	case errors.As(err, &kind):
		return slip(w.text, at, false, "%s cannot be %s", named(path), shown(raw))
	}
	return slip(w.text, at, false, "%s: %s", named(path), strings.TrimPrefix(err.Error(), "json: "))
}

func (w *walker) members(t reflect.Type, path string) *Error {
	if _, err := w.dec.Token(); err != nil {
		return slip(w.text, w.at(), false, "%s", err)
	}
	for w.dec.More() {
		at := w.at()
		tok, err := w.dec.Token()
		key, ok := tok.(string)
		if err != nil || !ok {
			return slip(w.text, at, false, "a member has no name")
		}
		of, ok := field(t, key)
		if !ok && w.loose {
			of = reflect.TypeFor[any]()
		} else if !ok {
			return slip(w.text, at, true, "%s no member %.40q", map[bool]string{true: "there is", false: path + " has"}[path == ""], key)
		}
		if e := w.value(of, strings.TrimPrefix(path+"."+key, ".")); e != nil {
			return e
		}
	}
	_, _ = w.dec.Token()
	return nil
}

func (w *walker) elements(t reflect.Type, path string) *Error {
	open, err := w.dec.Token()
	if err != nil {
		return slip(w.text, w.at(), false, "%s", err)
	}
	for i := 0; w.dec.More(); i++ {
		key := strconv.Itoa(i + 1)
		if open == json.Delim('{') {
			tok, err := w.dec.Token()
			if key, _ = tok.(string); err != nil {
				return slip(w.text, w.at(), false, "a member has no name")
			}
		}
		if e := w.value(t.Elem(), strings.TrimPrefix(path+"."+key, ".")); e != nil {
			return e
		}
	}
	_, _ = w.dec.Token()
	return nil
}

// field returns the type of a member of a struct, those of embedded ones included.
func field(t reflect.Type, key string) (reflect.Type, bool) {
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case name == "-" || !f.IsExported() && !f.Anonymous:
		case f.Anonymous && name == "":
			if of, ok := field(f.Type, key); ok {
				return of, true
			}
		case strings.EqualFold(name, key) || name == "" && strings.EqualFold(f.Name, key):
			return f.Type, true
		}
	}
	return nil, false
}

func named(path string) string {
	if path == "" {
		return "the whole"
	}
	return path
}

// shown says what kind of value stands there.
func shown(raw []byte) string {
	switch raw[0] {
	case '"':
		return fmt.Sprintf("the text %.40s", raw)
	case '{':
		return "an object"
	case '[':
		return "a list"
	case 't', 'f', 'n':
		return string(raw)
	}
	return fmt.Sprintf("the number %.40s", raw)
}

// wanted says what kind of value belongs there.
func wanted(t reflect.Type) string {
	switch t.Kind() {
	case reflect.String:
		return "a text"
	case reflect.Bool:
		return "true or false"
	case reflect.Slice, reflect.Array:
		return "a list"
	case reflect.Struct, reflect.Map:
		return "an object"
	case reflect.Int, reflect.Int64, reflect.Int32:
		return "a whole number"
	}
	return "a number"
}

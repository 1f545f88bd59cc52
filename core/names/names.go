// Package names says what a name and a note may be: the one place where letters are counted, for fields on the page and
// for rules alike.
package names

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Limits, in letters (Unicode code points), whatever the script.
const (
	MaxName = 200
	MaxNote = 4000
)

// ErrEmpty is returned for a name of which nothing would be seen.
var ErrEmpty = errors.New("text: the name is empty")

// Name returns s as a name: on one line, without what cannot be seen or would
// turn the text around it. A name of which nothing shows is ErrEmpty; one of more
// than MaxName letters is an error too.
func Name(s string) (string, error) {
	s, err := Label(s)
	if err == nil && !shows(s) {
		err = ErrEmpty
	}
	return s, err
}

// Label is Name for what may go without a name: nothing is "".
func Label(s string) (string, error) {
	if len(s) > 16*MaxName { // not even cleaned: it may be megabytes long
		return "", tooLong("name", MaxName)
	}
	s = Line(s)
	if utf8.RuneCountInString(s) > MaxName {
		return "", tooLong("name", MaxName)
	}
	return s, nil
}

// Note returns s as a note of several lines, at most MaxNote letters.
func Note(s string) (string, error) {
	if len(s) > 16*MaxNote {
		return "", tooLong("note", MaxNote)
	}
	s = strings.TrimSpace(clean(strings.ReplaceAll(s, "\r\n", "\n"), true))
	if utf8.RuneCountInString(s) > MaxNote {
		return "", tooLong("note", MaxNote)
	}
	return s, nil
}

func tooLong(what string, most int) error {
	return fmt.Errorf("text: the %s is longer than %d letters", what, most)
}

// Line returns s on one line: bytes that are no UTF-8 as �, white space of other
// kinds as spaces, without control characters and without those that embed or
// override the direction of text (UAX #9), and without space at its ends.
func Line(s string) string { return strings.TrimSpace(clean(s, false)) }

// Clip returns s as a line of at most n letters.
func Clip(s string, n int) string {
	if len(s) > 16*n {
		s = s[:16*n]
	}
	s = Line(s)
	if utf8.RuneCountInString(s) > n {
		s = strings.TrimSpace(string([]rune(s)[:n]))
	}
	return s
}

func clean(s string, lines bool) string {
	return strings.Map(func(r rune) rune {
		switch {
		case lines && (r == '\n' || r == '\t'):
			return r
		case r == '\t', r == '\n', r == '\r', r == '\v', r == '\f', r == 0x85, r == 0x2028, r == 0x2029:
			return ' '
		case r == 0xFEFF, r >= 0x202A && r <= 0x202E, r >= 0x2066 && r <= 0x2069, unicode.IsControl(r):
			return -1
		}
		return r
	}, strings.ToValidUTF8(s, "�"))
}

// shows tells whether any letter of s leaves ink.
func shows(s string) bool {
	return strings.ContainsFunc(s, func(r rune) bool {
		return unicode.IsGraphic(r) && !unicode.IsSpace(r) && !unicode.Is(unicode.Cf, r) && !unicode.Is(unicode.Mn, r)
	})
}

// Nth returns the k-th of some names, for those who print what is counted; its number where it has none.
func Nth(k int, of ...string) string {
	if k < 0 || k >= len(of) {
		return strconv.Itoa(k)
	}
	return of[k]
}

package names

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func ExampleName() {
	name, err := Name("  Copper\nbands \u202e")
	fmt.Printf("%q %v\n", name, err)
	// Output: "Copper bands" <nil>
}

func TestNames(t *testing.T) {
	for _, tc := range []struct{ in, out, err string }{
		{"Night ink", "Night ink", ""},
		{"  a \t b\r\n", "a   b", ""},
		{strings.Repeat("Ж", MaxName), strings.Repeat("Ж", MaxName), ""},
		{strings.Repeat("灯", MaxName), strings.Repeat("灯", MaxName), ""},
		{strings.Repeat("灯", MaxName+1), "", "longer than 200 letters"},
		{strings.Repeat("x", 4<<20), "", "longer than 200 letters"},
		{"a\xffb", "a�b", ""},
		{"a\x00\x1b[31mb", "a[31mb", ""},
		{"\u202egnp.exe\u202c", "gnp.exe", ""},
		{"\u2066a\u2069", "a", ""},
		{"שלום\u200f", "שלום\u200f", ""}, // marks of direction are part of the text
		{"👩\u200d🎨", "👩\u200d🎨", ""},
		{"", "", "empty"},
		{" \u200b\u200d\u0301 ", "\u200b\u200d\u0301", "empty"},
		{"\ufeff", "", "empty"},
	} {
		got, err := Name(tc.in)
		if tc.err != "" {
			assert.ErrorContains(t, err, tc.err, "%.40q", tc.in)
			continue
		}
		assert.NoError(t, err, "%.40q", tc.in)
		assert.Equal(t, tc.out, got)
	}
	none, err := Label("  ")
	assert.NoError(t, err)
	assert.Empty(t, none)
}

func TestNotesKeepTheirLines(t *testing.T) {
	got, err := Note(" one\r\ntwo\tthree\x07 ")
	assert.NoError(t, err)
	assert.Equal(t, "one\ntwo\tthree", got)
	_, err = Note(strings.Repeat("Ж", MaxNote))
	assert.NoError(t, err)
	_, err = Note(strings.Repeat("Ж", MaxNote+1))
	assert.ErrorContains(t, err, "4000 letters")
}

func TestClip(t *testing.T) {
	assert.Equal(t, "灯灯", Clip("灯灯灯", 2))
	assert.Equal(t, "ab", Clip("ab \n", 40))
	assert.Len(t, Clip(strings.Repeat("x", 1<<20), 80), 80)
	assert.Equal(t, "abc", Clip("abcd", 3))
	assert.Equal(t, "abcd", Clip("abcd", 4))
}

// Which letters go, which become spaces and which stay, at the ends of each range.
func TestLettersThatGo(t *testing.T) {
	for r, want := range map[rune]string{
		0x1f: "", 0x20: " ", 0x7e: "~", 0x7f: "", 0x84: "", 0x85: " ", 0x86: "", 0x9f: "", 0xa0: "\u00a0", 0x2027: "\u2027", 0x2028: " ", 0x2029: " ",
		0x202a: "", 0x202c: "", 0x202e: "", 0x202f: "\u202f", 0x2065: "\u2065", 0x2066: "", 0x2069: "", 0x206a: "\u206a", 0xfefe: "\ufefe", 0xfeff: "", 0xff00: "\uff00",
	} {
		assert.Equal(t, "a"+want+"b", Line("a"+string(r)+"b"), "%U", r)
	}
}

// What has been taken as a name once is taken again, as it is.
func FuzzName(f *testing.F) {
	for _, s := range []string{"a", "\xff\xfe", "\u202e", strings.Repeat("Ж", 300), "a\u2028b"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, rule := range []func(string) (string, error){Name, Label, Note} {
			once, err := rule(s)
			if err != nil {
				continue
			}
			again, err := rule(once)
			assert.NoError(t, err)
			assert.Equal(t, once, again)
			assert.True(t, utf8.ValidString(once))
		}
	})
}

package names

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func TestFileName(t *testing.T) {
	for name, want := range map[string]string{
		"Saltlight 1280x800": "Saltlight 1280x800.html", "-": "untitled.html", " . ": "untitled.html", "": "untitled.html", "a/b\\c:d": "a-b-c-d.html", "CON": "_CON.html", "con.fig": "_con.fig.html",
		"COM1": "_COM1.html", "COM10": "COM10.html", "Console": "Console.html", "港の灯": "港の灯.html", "..\\..\\etc": "etc.html", "tab\there": "tab-here.html",
	} {
		assert.Equal(t, want, FileName(name, ".html"), name)
	}
	for _, letter := range []string{"n", "Ж", "灯", "🐙"} {
		long := FileName(strings.Repeat(letter, 200), " plates 1 bit.zip")
		assert.True(t, strings.HasSuffix(long, letter+" plates 1 bit.zip"), long)
		assert.LessOrEqual(t, utf8.RuneCountInString(long), 80)
		assert.LessOrEqual(t, len(long), 200)
		assert.True(t, utf8.ValidString(long))
	}
}

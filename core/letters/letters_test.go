package letters

import (
	"bytes"
	"image"
	"image/color"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// scripts are names of ink in scripts that people write in.
var scripts = []string{"Coral", "Kämpfer–Å", "Τριανταφυλλί", "Тёплая тень", "קורל", "مرجان", "夕焼けの影", "さんご", "珊瑚", "산호색", "მარჯანი", "Մարջան"}

// Each letter of each script has a glyph in the font that it is written in, and none is lost or doubled.
func TestEveryScriptHasItsLetters(t *testing.T) {
	for _, s := range scripts {
		parts := runs(s)
		text, n := "", 0
		for _, r := range parts {
			text, n = text+r.text, n+utf8.RuneCountInString(r.text)
		}
		assert.NotContains(t, text, "\uFFFD", s)
		assert.Equal(t, utf8.RuneCountInString(s), n, s)
	}
	assert.Equal(t, []run{{0, "Rot "}, {1, "赤影"}, {0, " 2"}}, runs("Rot 赤影 2"))
	assert.Equal(t, "לרוק", runs("קורל")[0].text, "from right to left, as it is laid from left to right")
	assert.Equal(t, []run{{0, "a\uFFFDb"}}, runs("a\U0001F980b"), "what no font has is said to be there")
	assert.Empty(t, runs(""))
}

// A page holds its text as text, which another reader finds.
func TestAPageIsReadByAnother(t *testing.T) {
	doc := fpdf.New("P", "mm", "A4", "")
	doc.AddPage()
	page := Page{Doc: doc}
	for k, s := range scripts {
		page.Write(12, 20, 20+float64(10*k), s)
	}
	assert.InDelta(t, page.Width(12, "Coral")+page.Width(12, "珊瑚"), page.Width(12, "Coral珊瑚"), 1e-6)
	assert.InDelta(t, 2*page.Width(12, "影"), page.Width(24, "影"), 0.02)
	var buf bytes.Buffer
	require.NoError(t, doc.Output(&buf))
	assert.Less(t, buf.Len(), 300_000, "the letters that are used, not whole fonts")
	name := filepath.Join(t.TempDir(), "page.pdf")
	require.NoError(t, os.WriteFile(name, buf.Bytes(), 0o600))
	text, err := exec.Command("pdftotext", name, "-").CombinedOutput()
	require.NoError(t, err, string(text))
	for _, s := range scripts {
		if runs(s)[0].text != s {
			continue // its order on the page is another
		}
		assert.Contains(t, string(text), s)
	}
}

// A pen leaves ink as wide as it says; what does not fit ends in an ellipsis and fits.
func TestAPen(t *testing.T) {
	pen := NewPen(15)
	for _, s := range scripts {
		img := image.NewNRGBA(image.Rect(0, 0, 300, 40))
		require.NoError(t, pen.Write(img, color.NRGBA{A: 255}, 10, 25, s))
		wide, err := pen.Width(s)
		require.NoError(t, err)
		last := 0
		for x := range 300 {
			for y := range 40 {
				if img.NRGBAAt(x, y).A > 0 {
					last = x
				}
			}
		}
		assert.InDelta(t, 10+wide, last, 3, s)
		short, err := pen.Fitting(s, wide-1)
		require.NoError(t, err)
		assert.True(t, strings.HasSuffix(short, "…"), short)
		w, _ := pen.Width(short)
		assert.Less(t, w, wide)
		whole, err := pen.Fitting(s, wide)
		require.NoError(t, err)
		assert.Equal(t, s, whole)
	}
}

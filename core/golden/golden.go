// Package golden holds what tests compute against what was computed, looked at and found
// good before. It is used sparingly, beside closed forms and oracles: for what has no closed
// form, and for constants that were chosen by eye. MOBANTA_GOLDEN=1 writes anew what differs;
// look at it before keeping it.
package golden

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const renew = "MOBANTA_GOLDEN"

// Text holds lines of text against testdata/name.txt.
func Text(t testing.TB, name string, lines []string) {
	t.Helper()
	got := strings.Join(lines, "\n") + "\n"
	want := strings.Split(string(read(t, name+".txt", func() []byte { return []byte(got) })), "\n")
	for i, line := range strings.Split(got, "\n") {
		if i >= len(want) || line != want[i] {
			assert.Fail(t, "differs", "testdata/%s.txt, line %d\nwas: %s\nnow: %s", name, i+1, strings.Join(want[min(i, len(want)):min(i+1, len(want))], ""), line)
			return
		}
	}
	assert.Len(t, want, strings.Count(got, "\n")+1, "lines of testdata/%s.txt", name)
}

// Picture holds values from 0 to 1, w in a row, against the grey levels of
// testdata/name.png, of which it has 65,535. Where another processor joins products and sums,
// one in a hundred may differ.
func Picture(t testing.TB, name string, w int, values []float32) {
	t.Helper()
	require.NotEmpty(t, values)
	require.Zero(t, len(values)%w)
	got := image.NewGray16(image.Rect(0, 0, w, len(values)/w))
	for i, v := range values {
		require.True(t, v >= 0 && v <= 1, "%v at %d, %d", v, i%w, i/w)
		got.SetGray16(i%w, i/w, color.Gray16{Y: uint16(math.Round(float64(v) * 65535))})
	}
	name += ".png"
	data := read(t, name, func() []byte {
		var buf bytes.Buffer
		require.NoError(t, png.Encode(&buf, got))
		return buf.Bytes()
	})
	was, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	want, ok := was.(*image.Gray16)
	require.True(t, ok && want.Rect == got.Rect, "testdata/%s is of another size: %v against %v", name, was.Bounds(), got.Rect)
	wrong, at := 0, image.Point{}
	for y := range want.Rect.Max.Y {
		for x := range w {
			a, b := int(want.Gray16At(x, y).Y), int(got.Gray16At(x, y).Y)
			if a-b > 1 || b-a > 1 {
				wrong++
				at = image.Point{X: x, Y: y}
			}
		}
	}
	may := 0
	if runtime.GOARCH != "amd64" {
		may = len(values) / 100
	}
	assert.LessOrEqual(t, wrong, may, "values that differ from testdata/%s, the last at %v", name, at)
}

func read(t testing.TB, name string, now func() []byte) []byte {
	t.Helper()
	path := filepath.Join("testdata", name)
	if os.Getenv(renew) != "" {
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, now(), 0o644))
	}
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	return data
}

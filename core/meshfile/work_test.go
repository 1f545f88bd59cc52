package meshfile

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
)

func TestNaming(t *testing.T) {
	var n naming
	for _, tc := range [][2]string{{"Hull", "Hull"}, {"Hull", "Hull 2"}, {"Hull", "Hull 3"}, {"Hull 2", "Hull 2 2"}, {"Deck 2", "Deck 2"}, {"Deck", "Deck"}, {"Deck", "Deck 3"}, {"Deck", "Deck 4"}, {" \x00", "Part"}, {"", "Part 2"}} {
		assert.Equal(t, tc[1], n.unique(tc[0], "Part"))
	}
	long := strings.Repeat("灯", 1<<20)
	for range 3 {
		assert.LessOrEqual(t, len([]rune(n.unique(long, "Part"))), nameLen+2)
	}
}

func TestNotesAreSaidOnce(t *testing.T) {
	var n notes
	for i := range 3 * maxNotes {
		n.add("left out: %d", i/2)
	}
	require.Len(t, n.list, maxNotes)
	assert.Equal(t, fmt.Sprintf("left out: %d", maxNotes-1), n.list[maxNotes-1])
}

func TestWorkIsCountedAndHeedsItsEnd(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	w := newWork(ctx)
	require.NoError(t, w.spend(maxWork/2))
	assert.ErrorIs(t, w.spend(-1), errCostly)
	assert.ErrorIs(t, w.spend(maxWork), errCostly)
	require.NoError(t, w.spend(0))
	cancel()
	var err error
	for spent := 0; err == nil && spent <= 2*heed; spent += 100 {
		err = w.spend(100)
	}
	assert.ErrorIs(t, err, context.Canceled, "who has left is heard soon")
	w = newWork(context.Background())
	require.NoError(t, w.spend(maxWork))
	assert.ErrorIs(t, w.spend(1), errCostly, "that was all")
}

// The file of a map stands behind its options, whatever they take.
func TestTheFileOfAMapIsFound(t *testing.T) {
	for line, want := range map[string]string{
		"deck.png":                           "deck.png",
		"deck of the ferry.png":              "deck of the ferry.png",
		"-clamp on deck.png":                 "deck.png",
		"-bm 0.5 deck.png":                   "deck.png",
		"-o 1 2 3 -s 2 2 2 deck.png":         "deck.png",
		"-o 1 deck.png":                      "deck.png",
		"-mm 0 1 -imfchan r 3 decks.png":     "3 decks.png",
		"-o 1 2 3 4.png":                     "4.png",
		"-t 1 2 3 4 5":                       "4 5",
		"-":                                  "-",
		"-deck.png":                          "-deck.png",
		"-clamp off -blendu on -bm 1 -a.png": "-a.png",
	} {
		assert.Equal(t, want, picturePath(bytes.Fields([]byte(line))), line)
	}
}

// Values that end where their view ends fit; one byte less, and they do not.
func TestValuesFitToTheByte(t *testing.T) {
	for _, c := range []struct {
		bytes, offset, count int
		fits                 bool
	}{{36, 0, 3, true}, {35, 0, 3, false}, {40, 4, 3, true}, {39, 4, 3, false}, {36, 24, 1, true}, {36, 25, 1, false}, {36, 0, 4, false}} {
		doc := fmt.Sprintf(`{"asset":{"version":"2.0"},"buffers":[{"byteLength":%d,"uri":"data:;base64,%s"}],"bufferViews":[{"buffer":0,"byteLength":%d}],"accessors":[{"bufferView":0,"byteOffset":%d,"componentType":5126,"count":%d,"type":"VEC3"}],"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}]}`,
			c.bytes, base64.StdEncoding.EncodeToString(make([]byte, c.bytes)), c.bytes, c.offset, c.count)
		_, err := Read(context.Background(), "a.gltf", []byte(doc), nil)
		if c.fits {
			assert.NotRegexp(t, "do not fit|more than its buffer", fmt.Sprint(err), "%+v", c)
		} else {
			assert.Regexp(t, "do not fit|more than its buffer", fmt.Sprint(err), "%+v", c)
		}
	}
}

func TestNumbersAreWrittenAsFmtDoes(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 20_000 {
		v := math.Float32frombits(r.Uint32())
		if r.IntN(2) == 0 {
			v = float32(r.IntN(2_000_000)-1_000_000) / 1000
		}
		c := mesh.Corner{Pos: r.Int32N(1 << 20), UV: r.Int32N(100) - 50, Normal: r.Int32N(100) - 50}
		var o objWriter
		o.numbers("v", []float32{v, -v})
		o.corner(c)
		want := fmt.Sprintf("v %g %g %d", v, -v, c.Pos+1)
		switch {
		case c.UV >= 0 && c.Normal >= 0:
			want += fmt.Sprintf("/%d/%d", c.UV+1, c.Normal+1)
		case c.UV >= 0:
			want += fmt.Sprintf("/%d", c.UV+1)
		case c.Normal >= 0:
			want += fmt.Sprintf("//%d", c.Normal+1)
		}
		require.Equal(t, want, string(o.line))
	}
}

package meshfile

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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

package reel_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/budget"
	"mobanta/core/reel"
)

// frame is a frame of w × h chance pixels, which do not pack.
func frame(w, h, passes int, done bool) reel.Frame {
	f := reel.Frame{W: w, H: h, Passes: passes, Done: done, Pix: make([]byte, 4*w*h)}
	r := rand.New(rand.NewPCG(uint64(w), uint64(passes)))
	for i := range f.Pix {
		f.Pix[i] = byte(r.Uint32())
	}
	return f
}

func key(n byte) byte { return n }

func TestWhatIsPutComesBack(t *testing.T) {
	r := reel.New[byte](nil, 1<<20)
	_, ok := r.Get(key(1), nil)
	assert.False(t, ok)
	draft, fine := frame(20, 10, 1, false), frame(20, 10, 16, true)
	require.True(t, r.Put(key(1), draft))
	got, ok := r.Get(key(1), nil)
	require.True(t, ok)
	assert.Equal(t, draft, got)
	require.True(t, r.Put(key(1), fine))
	room := make([]byte, len(fine.Pix))
	got, _ = r.Get(key(1), room)
	assert.Equal(t, fine, got)
	assert.Same(t, &room[0], &got.Pix[0], "into the room that is given")
	require.True(t, r.Put(key(1), draft), "a draft takes no settled frame's place")
	passes, done, ok := r.Has(key(1))
	assert.Equal(t, [3]any{16, true, true}, [3]any{passes, done, ok})
	flat := reel.Frame{W: 640, H: 400, Passes: 1, Pix: make([]byte, 4*640*400)}
	before := r.Size()
	require.True(t, r.Put(key(2), flat))
	assert.Less(t, r.Size()-before, len(flat.Pix)/50, "flat pictures take little room")
	r.Close()
	assert.Zero(t, r.Size())
}

// Where there is no room those go first that nobody waits for, then those that come last.
func TestWhatComesNextIsKept(t *testing.T) {
	f := frame(32, 32, 1, false)
	one := reel.New[byte](nil, 1<<30)
	one.Put(key(0), f)
	size := one.Size()
	r := reel.New[byte](nil, 3*size+size/2)
	for n := range byte(3) {
		require.True(t, r.Put(key(n), f))
	}
	r.Want([]byte{key(1), key(3), key(4), key(5)})
	there := func() (out []byte) {
		for n := range byte(9) {
			if _, _, ok := r.Has(key(n)); ok {
				out = append(out, n)
			}
		}
		return out
	}
	require.True(t, r.Put(key(3), f))
	assert.Equal(t, []byte{1, 2, 3}, there(), "the oldest that nobody waits for")
	require.True(t, r.Put(key(4), f))
	assert.Equal(t, []byte{1, 3, 4}, there())
	assert.False(t, r.Put(key(5), f), "no room for what comes last")
	assert.Equal(t, []byte{1, 3, 4}, there())
	assert.LessOrEqual(t, r.Size(), 3*size+size/2)
}

// Others that need room take it.
func TestAReelKeepsToItsBudget(t *testing.T) {
	f := frame(32, 32, 1, false)
	b := budget.New(40_000)
	r := reel.New[byte](b, 1<<20)
	for n := range byte(20) {
		r.Put(key(n), f)
	}
	assert.LessOrEqual(t, r.Size(), 40_000)
	assert.Equal(t, r.Size(), b.Used())
	other := b.Open(func(int) (int, bool) { return 0, true })
	other.Set(30_000)
	assert.LessOrEqual(t, r.Size(), 10_000)
	r.Close()
	assert.Equal(t, 30_000, b.Used())
}

package live

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
)

// Reading goes on as long as one of those who asked for it wants it, and ends with the last; whoever comes then begins anew.
func TestReadingEndsWithTheLastWhoWaits(t *testing.T) {
	s := newSurfaces(nil)
	begun, ended := make(chan context.Context, 9), make(chan error, 9)
	ask := func(ctx context.Context) <-chan error {
		out := make(chan error, 1)
		go func() {
			_, err := once(ctx, s, &s.meshes, "model ", "one", func(ctx context.Context) (*mesh.Surface, error) {
				begun <- ctx
				<-ctx.Done()
				ended <- ctx.Err()
				return nil, ctx.Err()
			})
			out <- err
		}()
		return out
	}
	a, stopA := context.WithCancel(context.Background())
	b, stopB := context.WithCancel(context.Background())
	first := ask(a)
	reading := <-begun
	second := ask(b)
	for waits := 0; waits < 2; time.Sleep(time.Millisecond) {
		s.mu.Lock()
		waits = s.waits["model one"].n
		s.mu.Unlock()
	}
	stopA()
	require.ErrorIs(t, <-first, context.Canceled)
	assert.NoError(t, reading.Err(), "the other still waits")
	stopB()
	require.ErrorIs(t, <-second, context.Canceled)
	require.ErrorIs(t, <-ended, context.Canceled)
	assert.Empty(t, s.waits)

	c, stopC := context.WithCancel(context.Background())
	third := ask(c)
	assert.False(t, reading == <-begun, "a context of its own")
	stopC()
	require.ErrorIs(t, <-third, context.Canceled)

	surface := &mesh.Surface{}
	got, err := once(context.Background(), s, &s.meshes, "model ", "two", func(context.Context) (*mesh.Surface, error) { return surface, nil })
	require.NoError(t, err)
	assert.Same(t, surface, got)
	_, err = once(context.Background(), s, &s.meshes, "model ", "three", func(context.Context) (*mesh.Surface, error) { panic("a slip") })
	assert.ErrorContains(t, err, "a slip")
}

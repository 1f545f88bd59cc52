package queue

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTurnsComeInOrder(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		q, order := New(), []int{}
		done, err := q.Wait(t.Context())
		require.NoError(t, err)
		var wg sync.WaitGroup
		for i := range 20 {
			wg.Go(func() {
				done, err := q.Wait(t.Context())
				assert.NoError(t, err)
				order = append(order, i)
				done()
			})
			synctest.Wait() // it stands in the queue
		}
		done()
		wg.Wait()
		for i := range order {
			assert.Equal(t, i, order[i])
		}
	})
}

func TestNobodyWaitsForEver(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var q Queues
		done, err := q.Wait(t.Context(), "a")
		require.NoError(t, err)
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		_, err = q.Wait(ctx, "a")
		assert.ErrorIs(t, err, context.DeadlineExceeded)
		began := time.Now()
		_, err = q.Wait(t.Context(), "a")
		assert.ErrorIs(t, err, ErrLong)
		assert.Equal(t, Patience, time.Since(began))
		other, err := q.Wait(t.Context(), "b")
		require.NoError(t, err, "another queue")
		other()
		done()
		assert.Empty(t, q.of, "queues without anybody in them are gone")
		done, err = q.Wait(t.Context(), "a")
		require.NoError(t, err)
		done()
	})
}

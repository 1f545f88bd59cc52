package priority_test

import (
	"context"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"

	"mobanta/core/priority"
)

func TestTheBetterRankGoesFirst(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g priority.Gate
		a, b := g.Now(), g.Now()
		low := g.Enter(priority.Rank{Level: priority.Settled, Heard: a})
		low.Yield(t.Context()) // nobody else is there
		var passed atomic.Int32
		hand := g.Enter(priority.Rank{Level: priority.Hand, Heard: a})
		later := g.Enter(priority.Rank{Level: priority.Settled, Heard: b})
		for _, w := range []*priority.Work{low, later} {
			go func() {
				w.Yield(t.Context())
				passed.Add(1)
				w.Leave()
			}()
		}
		hand.Yield(t.Context())
		synctest.Wait()
		assert.Zero(t, passed.Load(), "both stand still while the hand is at work")
		hand.Leave()
		synctest.Wait()
		assert.EqualValues(t, 2, passed.Load())
	})
}

func TestOfEqualsTheOneHeardOfLastGoesFirst(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g priority.Gate
		a, b := g.Enter(priority.Rank{Level: priority.First, Heard: g.Now()}), g.Enter(priority.Rank{Level: priority.First, Heard: g.Now()})
		b.Yield(t.Context())
		var passed atomic.Bool
		go func() { a.Yield(t.Context()); passed.Store(true) }()
		synctest.Wait()
		assert.False(t, passed.Load())
		b.Leave()
		synctest.Wait()
		assert.True(t, passed.Load())
		same := priority.Rank{Level: priority.Cards, Heard: 5}
		c, d := g.Enter(same), g.Enter(same)
		a.Leave()
		c.Yield(t.Context()) // neither waits for the other
		d.Yield(t.Context())
	})
}

func TestAContextThatEndsEndsTheWaiting(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g priority.Gate
		g.Enter(priority.Rank{Level: priority.Hand})
		low := g.Enter(priority.Rank{Level: priority.Jobs})
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() { priority.Yield(priority.With(ctx, low)); close(done) }()
		synctest.Wait()
		select {
		case <-done:
			t.Error("it did not wait")
		default:
		}
		cancel()
		<-done
	})
}

func TestNoGateIsInNobodysWay(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g *priority.Gate
		begun := time.Now()
		w := g.Enter(priority.Rank{})
		w.Yield(t.Context())
		priority.Yield(priority.With(t.Context(), w))
		priority.Yield(t.Context())
		w.Pause()
		w.Resume()
		w.Leave()
		assert.Nil(t, w)
		assert.Zero(t, w.Waited())
		assert.Zero(t, time.Since(begun), "nobody stood still")
	})
}

// Work that pauses, is over, or stands alone waits for nobody.
func TestNobodyAtWorkIsNobodyToWaitFor(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g priority.Gate
		w := g.Enter(priority.Rank{Level: priority.Jobs})
		goes := func() bool { // whether w goes on at once
			done := make(chan struct{})
			ctx, cancel := context.WithCancel(t.Context())
			defer cancel()
			go func() { w.Yield(ctx); close(done) }()
			synctest.Wait()
			select {
			case <-done:
				return true
			default:
				return false
			}
		}
		assert.True(t, goes(), "it stands alone")
		first := g.Enter(priority.Rank{Level: priority.Hand})
		assert.False(t, goes(), "a hand goes first")
		first.Pause()
		assert.True(t, goes(), "the hand pauses")
		first.Resume()
		assert.False(t, goes(), "and goes on")
		first.Leave()
		assert.True(t, goes(), "and is done")
		w.Pause()
		assert.True(t, goes(), "who pauses waits for nobody")
		w.Leave()
		assert.True(t, goes(), "nor who is done")
		var none *priority.Work
		none.Pause()
		none.Resume()
	})
}

package jobs

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/nats-io/nats.go/jetstream"
)

// A queue is one studio's: two would each put the other's jobs together, and sweep what the other still needs. Which one it
// is stands in the queue, and goes from there some seconds after that studio has gone. Workers may be as many as one likes.

// ErrHeld is that another studio has its orders filled by the queue.
var ErrHeld = errors.New("jobs: another studio has its orders filled by this queue: each needs one of its own, an account or a server; workers may share it")

// holder says whose a queue is.
type holder struct {
	ID    string    `json:"id"` // of the studio: it stays the same when it is started again
	Host  string    `json:"host"`
	Since time.Time `json:"since"`
}

const holdKey = "studio"

// studioID returns what the studio whose data lie in a folder is known by; it is made where there is none.
func studioID(dir string) (string, error) {
	name := filepath.Join(dir, "studio")
	data, err := os.ReadFile(name)
	if id := strings.TrimSpace(string(data)); err == nil && sound(id) {
		return id, nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", say(fmt.Errorf("jobs: %w", err))
	}
	id := rand.Text()
	if err := os.WriteFile(name, []byte(id+"\n"), 0o600); err != nil {
		return "", say(fmt.Errorf("jobs: %w", err))
	}
	return id, nil
}

// take takes hold of the queue for this studio, and keeps it until release is called. What was held by this very studio
// before, which nobody can have started twice, is taken over.
func (b *Board) take(ctx context.Context) (release func(), err error) {
	me := holder{Since: time.Now().UTC()}
	if me.ID, err = studioID(b.options.Dir); err != nil {
		return nil, err
	}
	me.Host, _ = os.Hostname()
	data, err := json.Marshal(me)
	if err != nil {
		return nil, fmt.Errorf("jobs: %w", err)
	}
	revision, err := b.line().hold.Create(ctx, holdKey, data)
	if errors.Is(err, jetstream.ErrKeyExists) {
		var e jetstream.KeyValueEntry
		if e, err = b.line().hold.Get(ctx, holdKey); err == nil {
			var other holder
			if err := json.Unmarshal(e.Value(), &other); err == nil && other.ID != me.ID {
				return nil, fmt.Errorf("%w (it is of a studio on %.80q, since %s)", ErrHeld, other.Host, other.Since.Format("2006-01-02 15:04 UTC"))
			}
			revision, err = b.line().hold.Update(ctx, holdKey, data, e.Revision())
		}
	}
	if err != nil {
		return nil, say(fmt.Errorf("jobs: %w", err))
	}
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	done := make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case <-time.After(holdTime / 4):
			case <-ctx.Done():
				_ = b.line().hold.Delete(context.WithoutCancel(ctx), holdKey, jetstream.LastRevision(revision))
				return
			}
			brief, cancel := context.WithTimeout(ctx, holdTime/4)
			next, err := b.line().hold.Update(brief, holdKey, data, revision)
			if err != nil { // it may have run out while the line was down; whoever else has taken it meanwhile keeps it
				next, err = b.line().hold.Create(brief, holdKey, data)
			}
			cancel()
			b.mu.Lock()
			b.lost = errors.Is(err, jetstream.ErrKeyExists)
			b.mu.Unlock()
			if err == nil {
				revision = next
			} else if ctx.Err() == nil {
				b.log.Warn("the hold on the queue", "error", err)
			}
		}
	}()
	return func() { stop(); <-done }, nil
}

// holds tells whether the queue is still this studio's.
func (b *Board) holds() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return !b.lost
}

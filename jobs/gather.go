package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"mobanta/core/delivery"
	"mobanta/core/priority"
)

// Gatherer says how files are put together.
type Gatherer struct {
	Gate *priority.Gate
	// Room is told how many bytes are needed for a while; it may be nil.
	Room func(bytes int) (done func())
}

// Gather puts the pieces of jobs together once they are all there, one job after the other, until ctx ends. Watch has to run
// meanwhile, and nobody else may gather.
func (b *Board) Gather(ctx context.Context, g Gatherer) error {
	dir := filepath.Join(b.options.Dir, "gather")
	if err := os.RemoveAll(dir); err != nil { // what a kill left
		return say(fmt.Errorf("jobs: %w", err))
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return say(fmt.Errorf("jobs: %w", err))
	}
	if err := b.Ready(ctx); err != nil {
		return nil
	}
	var over *line // over which it was mended last
	for ctx.Err() == nil {
		changed := b.Changed()
		if !b.holds() {
			pause(ctx) // it is another studio's
			continue
		}
		if l := b.line(); l != over {
			b.mend(ctx)
			over = l
		}
		j := b.complete()
		if j == nil {
			b.mu.Lock()
			fell := b.fell
			b.mu.Unlock()
			select {
			case <-changed:
			case <-fell:
				_ = b.well(ctx) // there may be another line then
			case <-ctx.Done():
			}
			continue
		}
		err := b.gather(ctx, g, j, dir)
		if ctx.Err() != nil {
			return nil
		}
		if err != nil {
			b.log.Warn("a job could not be put together", "job", j.ID, "error", err)
			b.fault(err)
			if errors.Is(err, ErrSilent) || b.fail(ctx, j, err) != nil { // it is tried again once the queue takes it
				pause(ctx)
				_ = b.well(ctx)
				continue
			}
		}
		if err := b.settle(ctx, j.ID); err != nil {
			return nil
		}
	}
	return nil
}

// mend puts pieces into the queue again that are neither there nor drawn: the studio ended while an order was placed.
func (b *Board) mend(ctx context.Context) {
	for _, j := range b.Jobs("") {
		if j.State != Drawing || j.Made >= j.Pieces {
			continue
		}
		if err := b.resend(ctx, &j); err != nil && ctx.Err() == nil {
			b.log.Warn("a job could not be gone on with", "job", j.ID, "error", err)
			_ = b.fail(ctx, &j, err)
		}
	}
}

func (b *Board) resend(ctx context.Context, j *Job) error {
	at := "pieces." + j.class() + "." + j.ID + "."
	info, err := b.line().queue.Info(ctx, jetstream.WithSubjectFilter(at+">"))
	if err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	_, made, err := b.Job(j.ID)
	if err != nil {
		return err
	}
	there := map[string]bool{}
	for subject := range info.State.Subjects {
		there[subject] = true
	}
	for _, n := range made {
		there[at+strconv.Itoa(n)] = true
	}
	if len(there) >= j.Pieces {
		return nil
	}
	d, err := b.open(ctx, j.Bundle, 1, nil, nil)
	if err != nil {
		return err
	}
	pieces, err := d.Pieces(&j.Order)
	if err != nil {
		return err
	}
	return b.send(ctx, j, slices.DeleteFunc(pieces, func(p delivery.Piece) bool { return there[at+strconv.Itoa(p.N)] }))
}

// settle returns once what was stored of a job has been heard of.
func (b *Board) settle(ctx context.Context, id string) error {
	for {
		changed := b.Changed()
		if j, _, err := b.Job(id); err != nil || !j.Active() {
			return nil
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// complete returns a job of which all pieces are there, nil for none; the oldest first.
func (b *Board) complete() *Job {
	list := b.Jobs("")
	for i := len(list) - 1; i >= 0; i-- {
		if j := &list[i]; j.Active() && j.Made >= j.Pieces {
			return j
		}
	}
	return nil
}

// gather makes the file of a job, stores it, and says that it is done.
func (b *Board) gather(ctx context.Context, g Gatherer, j *Job, dir string) (err error) {
	defer func() {
		if slip := recover(); slip != nil {
			b.log.Error("a slip while putting a job together", "job", j.ID, "slip", slip, "stack", string(debug.Stack()))
			err = fmt.Errorf("%w: %v", errSlip, slip)
		}
	}()
	if j.Order.As != delivery.SheetOnly {
		l, key := b.line(), j.ID+".file"
		ended, err := l.begin(ctx, key)
		if err != nil {
			return err
		}
		if ended >= maxEnds {
			return errors.New("jobs: it is given up: twice the program was ended while it put the pieces together; does it need more memory than there is? Order it again to have it tried again")
		}
		defer l.end(ctx, key)
		j.State = Gathering
		if err := b.store(ctx, j); err != nil {
			return err
		}
		if j.Size, err = b.deliver(ctx, g, j, filepath.Join(dir, j.ID)); err != nil {
			return err
		}
	}
	now, err := b.load(ctx, j.ID)
	if errors.Is(err, ErrNoJob) || err == nil && now.State == Cancelled {
		return b.line().files.Delete(ctx, j.ID)
	}
	j.State, j.Ended = Done, time.Now().UTC()
	if err := b.store(ctx, j); err != nil {
		return err
	}
	b.sweep(ctx, j)
	b.unbundle(ctx, j)
	return nil
}

// deliver makes the file of a job and stores it; it returns its size.
func (b *Board) deliver(ctx context.Context, g Gatherer, j *Job, name string) (size int64, err error) {
	mine, cancel := context.WithCancel(ctx)
	defer cancel()
	go func() { // a job that is cancelled is not put together to the end
		for {
			changed := b.Changed()
			if now, _, err := b.Job(j.ID); err != nil || !now.Active() {
				cancel()
				return
			}
			select {
			case <-changed:
			case <-mine.Done():
				return
			}
		}
	}()
	if g.Room != nil {
		defer g.Room(j.Order.Memory())()
	}
	d, err := b.open(mine, j.Bundle, 0, g.Gate, nil)
	if err != nil {
		return 0, err
	}
	defer d.Easel().Close()
	defer os.Remove(name)
	if err := d.File(mine, &j.Order, name, func(n int) ([]byte, error) { return b.Piece(mine, j.ID, n) }); err != nil {
		return 0, say(err)
	}
	f, err := os.Open(name)
	if err != nil {
		return 0, fmt.Errorf("jobs: %w", err)
	}
	defer f.Close()
	if err := b.fits(0); err != nil {
		return 0, err
	}
	info, err := b.line().files.Put(mine, jetstream.ObjectMeta{Name: j.ID, Opts: &jetstream.ObjectMetaOptions{ChunkSize: maxChunk}}, f)
	if err != nil {
		return 0, say(fmt.Errorf("jobs: %w", err))
	}
	return int64(info.Size), nil
}

// room tells whether there is room on the disk for an order, as far as can be said.
func (b *Board) room(o *delivery.Order, pieces int) error {
	return b.fits(o.Disk(pieces))
}

// reserve is how many bytes of the disk are left alone: a queue that finds none when it writes stops for good.
const reserve = 24 << 20

// fits tells whether there is room on the disk for so many bytes, as far as can be said: elsewhere it is not known.
func (b *Board) fits(bytes int) error {
	free, ok := free(b.options.Dir)
	if !ok || b.options.URL != "" || bytes+reserve <= free {
		return nil
	}
	return fmt.Errorf("%w: it takes %s while it is made, %s free, and %d MB have to stay so", ErrFull, megabytes(bytes, "about ", ""), megabytes(free, "", " are"), reserve>>20)
}

// megabytes says how many there are.
func megabytes(bytes int, before, after string) string {
	if bytes < 1<<20 {
		return "less than 1 MB" + strings.Replace(after, "are", "is", 1)
	}
	return fmt.Sprintf("%s%d MB%s", before, bytes>>20, after)
}

// Words returns what went wrong with a job without the name of the package that says so.
func (j *Job) Words() string {
	_, words, ok := strings.Cut(j.Why, ": ")
	if !ok {
		return j.Why
	}
	return words
}

package jobs

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"
	"strconv"
	"sync"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"mobanta/core/delivery"
	"mobanta/core/exchange"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/order"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
)

// Worker says how pieces are drawn.
type Worker struct {
	Name  string
	Cores int         // 0 for all
	Gate  *order.Gate // before which it waits for what is more urgent; may be nil
	// Files are those that this machine has at hand, by the same hashes; what is not there comes from the queue. It may be nil.
	Files stage.Files
	// Drawn hears of each piece that is drawn; it may be nil.
	Drawn func(job *Job, n int, took time.Duration)
	// Rest is called when nothing has been to do for a moment, to give memory back; it may be nil.
	Rest func()
}

// ErrMaker is that pieces are of another version or of another kind of processor, so that what is drawn here could differ in its
// bytes.
var ErrMaker = errors.New("jobs: the pieces are for another version of Mobanta, or for another kind of processor: what is drawn here could differ from what is drawn there, so nothing is; use the same release on all machines, on processors of one kind")

// Work draws pieces, one after the other, until ctx ends. It returns ErrMaker where they are not for it to draw.
func (b *Board) Work(ctx context.Context, w Worker) error {
	hand := &worker{board: b, how: w, opened: map[string]*delivery.Drawer{}, jobs: map[string]*Job{}}
	defer hand.close()
	var consumers []jetstream.Consumer
	for _, c := range classes {
		one, err := b.queue.Consumer(ctx, c)
		if err != nil {
			return fmt.Errorf("jobs: %w", err)
		}
		consumers = append(consumers, one)
	}
	stop, err := hand.listen(ctx)
	if err != nil {
		return err
	}
	defer stop()
	idle := 0
	for ctx.Err() == nil {
		msg := next(ctx, consumers)
		if msg == nil {
			if idle++; idle == 8 {
				hand.close()
				if w.Rest != nil {
					w.Rest()
				}
			}
			continue
		}
		idle = 0
		if err := hand.take(ctx, msg); errors.Is(err, ErrMaker) {
			return err
		} else if err != nil && ctx.Err() == nil {
			b.log.Warn("a piece was not drawn", "error", err)
		}
	}
	return nil
}

// patience is how long one waits for a piece at once.
const patience = 300 * time.Millisecond

// next returns the most urgent piece that waits, nil if there is none for a moment.
func next(ctx context.Context, consumers []jetstream.Consumer) jetstream.Msg {
	for _, c := range consumers {
		if batch, err := c.FetchNoWait(1); err == nil {
			if msg, ok := <-batch.Messages(); ok {
				return msg
			}
		}
	}
	batch, err := consumers[0].Fetch(1, jetstream.FetchMaxWait(patience))
	if err != nil { // the line to the server is down, say
		select {
		case <-ctx.Done():
		case <-time.After(patience):
		}
		return nil
	}
	select {
	case msg := <-batch.Messages():
		return msg
	case <-ctx.Done():
		return nil
	}
}

// worker draws pieces, one at a time.
type worker struct {
	board  *Board
	how    Worker
	opened map[string]*delivery.Drawer // by bundle
	jobs   map[string]*Job

	mu     sync.Mutex
	on     string // the job whose piece is in hand
	cancel context.CancelFunc
}

// listen stops what is in hand when its job is cancelled.
func (w *worker) listen(ctx context.Context) (stop func(), err error) {
	watch, err := w.board.jobs.WatchAll(ctx, jetstream.UpdatesOnly())
	if err != nil {
		return nil, fmt.Errorf("jobs: %w", err)
	}
	var done sync.WaitGroup
	done.Go(func() {
		for e := range watch.Updates() {
			if e == nil {
				continue
			}
			var j Job
			if e.Operation() == jetstream.KeyValuePut && json.Unmarshal(e.Value(), &j) == nil && j.Active() {
				continue
			}
			w.mu.Lock()
			if w.on == e.Key() && w.cancel != nil {
				w.cancel()
			}
			w.mu.Unlock()
		}
	})
	return func() { _ = watch.Stop(); done.Wait() }, nil
}

// take draws the piece of a message, stores it, and acknowledges it.
func (w *worker) take(ctx context.Context, msg jetstream.Msg) error {
	var p piece
	if err := json.Unmarshal(msg.Data(), &p); err != nil {
		_ = msg.Term()
		return fmt.Errorf("jobs: a piece cannot be read: %w", err)
	}
	if p.Maker != w.board.options.Maker {
		_ = msg.NakWithDelay(time.Second)
		return ErrMaker
	}
	j, err := w.board.load(ctx, p.Job)
	if errors.Is(err, ErrNoJob) || err == nil && j.State != Drawing { // it has ended
		return msg.Ack()
	}
	if err != nil {
		_ = msg.NakWithDelay(time.Second)
		return err
	}
	if _, err := w.board.made.Get(ctx, p.Job+"."+strconv.Itoa(p.Piece.N)); err == nil { // whoever drew it could not say so any more
		return msg.Ack()
	}
	if meta, err := msg.Metadata(); err == nil && meta.NumDelivered > maxTries {
		w.board.fail(ctx, j, fmt.Errorf("jobs: piece %d could not be drawn: whoever tried was ended, %d times; does it need more memory than there is?", p.Piece.N+1, maxTries))
		return msg.Ack()
	}
	mine, cancel := context.WithCancel(ctx)
	defer cancel()
	w.mu.Lock()
	w.on, w.cancel = p.Job, cancel
	w.mu.Unlock()
	defer func() {
		w.mu.Lock()
		w.on, w.cancel = "", nil
		w.mu.Unlock()
	}()
	var beats sync.WaitGroup
	beats.Go(func() {
		t := time.NewTicker(heartbeat)
		defer t.Stop()
		for {
			select {
			case <-t.C:
				_ = msg.InProgress()
			case <-mine.Done():
				return
			}
		}
	})
	defer beats.Wait()
	defer cancel()
	begun := time.Now()
	err = w.draw(mine, j, p.Piece)
	switch {
	case err == nil:
		if w.how.Drawn != nil {
			w.how.Drawn(j, p.Piece.N, time.Since(begun))
		}
		sure, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
		defer cancel()
		return msg.DoubleAck(sure)
	case ctx.Err() != nil: // this one stops: somebody else will
		_ = msg.Nak()
		return ctx.Err()
	case mine.Err() != nil: // the job was cancelled
		return msg.Ack()
	case errors.Is(err, errSlip) || errors.Is(err, errLine):
		if meta, e := msg.Metadata(); e == nil && meta.NumDelivered < 5 {
			_ = msg.NakWithDelay(time.Second)
			return err
		}
	}
	w.board.fail(ctx, j, err)
	return errors.Join(err, msg.Ack())
}

var (
	errSlip = errors.New("jobs: a slip of the program")
	errLine = errors.New("jobs: the queue did not take or give what was wanted")
)

// draw draws a piece and stores what it came to.
func (w *worker) draw(ctx context.Context, j *Job, p delivery.Piece) (err error) {
	defer func() {
		if slip := recover(); slip != nil {
			w.board.log.Error("a slip while drawing a piece", "job", j.ID, "piece", p.N, "slip", slip, "stack", string(debug.Stack()))
			w.close()
			err = fmt.Errorf("%w: %v", errSlip, slip)
		}
	}()
	d, err := w.drawer(ctx, j.Bundle)
	if err != nil {
		return err
	}
	key := strconv.Itoa(p.N)
	made, to, cell := w.board.made, jetstream.ObjectStore(nil), ""
	if f, _ := j.Order.As.Form(); f.Kind == delivery.Proof {
		if cell, err = d.Stamp(w.order(j), p); err != nil {
			return err
		}
		to, key = w.board.cells, cell
		if _, err := to.GetInfo(ctx, cell); err == nil { // it is there from before
			return w.note(ctx, made, j.ID, p.N, cell)
		}
	} else if to, err = w.board.bucket(ctx, j.ID); err != nil {
		return fmt.Errorf("%w: %w", errLine, err)
	}
	data, err := d.Draw(ctx, w.order(j), p)
	if err != nil {
		return err
	}
	if err := w.board.fits(len(data)); err != nil {
		return err
	}
	if _, err := to.Put(ctx, jetstream.ObjectMeta{Name: key, Opts: &jetstream.ObjectMetaOptions{ChunkSize: maxChunk}}, bytes.NewReader(data)); err != nil {
		if full := say(err); errors.Is(full, ErrFull) {
			return full
		}
		return fmt.Errorf("%w: %w", errLine, err)
	}
	return w.note(ctx, made, j.ID, p.N, cell)
}

// order returns the order of a job: the same one for all of its pieces, so that the drawer knows it again.
func (w *worker) order(j *Job) *delivery.Order {
	if w.jobs[j.ID] == nil {
		if len(w.jobs) > 50 {
			clear(w.jobs)
		}
		w.jobs[j.ID] = j
	}
	return &w.jobs[j.ID].Order
}

// note says that a piece is there.
func (w *worker) note(ctx context.Context, made jetstream.KeyValue, id string, n int, cell string) error {
	if _, err := made.Put(ctx, id+"."+strconv.Itoa(n), []byte(cell)); err != nil {
		return fmt.Errorf("%w: %w", errLine, err)
	}
	return nil
}

// maxOpened is of how many projects a worker holds what it needs to draw them.
const maxOpened = 2

// drawer returns what draws the project of a bundle.
func (w *worker) drawer(ctx context.Context, hash string) (*delivery.Drawer, error) {
	if d := w.opened[hash]; d != nil {
		return d, nil
	}
	d, err := w.board.open(ctx, hash, w.how.Cores, w.how.Gate, w.how.Files)
	if err != nil {
		return nil, err
	}
	if len(w.opened) >= maxOpened {
		w.close()
	}
	w.opened[hash] = d
	return d, nil
}

// open returns what draws the project of a bundle, which is read from the queue; at hand may be nil.
func (b *Board) open(ctx context.Context, hash string, cores int, gate *order.Gate, atHand stage.Files) (*delivery.Drawer, error) {
	data, err := b.bundles.GetBytes(ctx, hash)
	if err != nil {
		return nil, fmt.Errorf("%w: the project: %w", errLine, err)
	}
	if exchange.Hash(data) != hash {
		return nil, errors.New("jobs: the project of the job is damaged")
	}
	bundle, err := exchange.OpenBundle(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, err
	}
	kept := meshfile.Kept(func(h string) (string, []byte, error) {
		f, err := bundle.File(h)
		return f.Name, f.Data, err
	})
	if atHand != nil {
		kept = nearer{atHand, kept}
	}
	return delivery.NewDrawer(bundle.Project, kept, cores, gate), nil
}

// nearer is files that are at hand, and where they are not, others.
type nearer struct{ near, far stage.Files }

// Surface implements stage.Files.
func (n nearer) Surface(m *stage.Model) (*mesh.Surface, error) {
	if s, err := n.near.Surface(m); err == nil {
		return s, nil
	}
	return n.far.Surface(m)
}

// Picture implements stage.Files.
func (n nearer) Picture(hash string) (*pixmap.Pixmap, error) {
	if p, err := n.near.Picture(hash); err == nil {
		return p, nil
	}
	return n.far.Picture(hash)
}

// close lets go of what is held for drawing.
func (w *worker) close() {
	for _, d := range w.opened {
		d.Easel().Close()
	}
	clear(w.opened)
	clear(w.jobs)
}

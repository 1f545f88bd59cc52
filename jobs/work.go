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
	"sync/atomic"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"mobanta/core/delivery"
	"mobanta/core/exchange"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/pixmap"
	"mobanta/core/priority"
	"mobanta/core/stage"
)

// Worker says how pieces are drawn.
type Worker struct {
	Name  string
	Cores int            // 0 for all
	Gate  *priority.Gate // before which it waits for what is more urgent; may be nil
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
	for ctx.Err() == nil {
		err := b.workOn(ctx, b.line(), hand)
		if errors.Is(err, ErrMaker) {
			return err
		}
		if err != nil && ctx.Err() == nil {
			b.log.Warn("pieces cannot be had from the queue", "error", err)
			b.fault(say(err))
			pause(ctx)
		}
	}
	return nil
}

// workOn draws pieces that come over a line, until that is closed or ctx ends.
func (b *Board) workOn(ctx context.Context, l *line, hand *worker) error {
	var consumers []jetstream.Consumer
	for _, c := range classes {
		one, err := l.queue.Consumer(ctx, c)
		if err != nil {
			return fmt.Errorf("jobs: %w", err)
		}
		consumers = append(consumers, one)
	}
	stop, err := hand.listen(ctx, l)
	if err != nil {
		return err
	}
	defer stop()
	idle := 0
	for ctx.Err() == nil && l.ctx.Err() == nil {
		msg := next(ctx, consumers)
		if msg == nil {
			if idle++; idle == 8 {
				hand.close()
				if hand.how.Rest != nil {
					hand.how.Rest()
				}
			}
			continue
		}
		idle = 0
		if err := hand.take(ctx, l, msg); errors.Is(err, ErrMaker) {
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
func (w *worker) listen(ctx context.Context, l *line) (stop func(), err error) {
	watch, err := l.jobs.WatchAll(ctx, jetstream.UpdatesOnly())
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
func (w *worker) take(ctx context.Context, l *line, msg jetstream.Msg) error {
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
	key := p.Job + "." + strconv.Itoa(p.Piece.N)
	if _, err := l.made.Get(ctx, key); err == nil { // whoever drew it could not say so any more
		return msg.Ack()
	}
	if meta, err := msg.Metadata(); err == nil && meta.NumDelivered > maxTries {
		return w.giveUp(ctx, j, msg, fmt.Errorf("jobs: piece %d could not be drawn in %d tries", p.Piece.N+1, maxTries))
	}
	ended, err := l.begin(ctx, key)
	if err != nil {
		w.board.fault(err)
		_ = msg.NakWithDelay(time.Second)
		return err
	}
	if ended >= maxEnds {
		return w.giveUp(ctx, j, msg, fmt.Errorf("jobs: piece %d is given up: twice the program that drew it was ended meanwhile; does it need more memory than there is? Order it again to have it tried again", p.Piece.N+1))
	}
	defer l.end(ctx, key)
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
			w.board.fault(err)
			_ = msg.NakWithDelay(time.Second)
			return err
		}
	}
	return errors.Join(err, w.giveUp(ctx, j, msg, err))
}

// giveUp ends the job of a piece. A queue that does not take that hands the piece out again.
func (w *worker) giveUp(ctx context.Context, j *Job, msg jetstream.Msg, why error) error {
	if err := w.board.fail(ctx, j, why); err != nil {
		_ = msg.NakWithDelay(time.Second)
		return err
	}
	return msg.Ack()
}

// begin notes that a piece is begun, and returns how often it was before without an end that anyone could tell of: whoever
// drew it was ended itself. end notes that it has ended, however that went.
func (l *line) begin(ctx context.Context, key string) (ended int, err error) {
	if e, err := l.begun.Get(ctx, key); err == nil {
		ended, _ = strconv.Atoi(string(e.Value()))
	} else if !errors.Is(err, jetstream.ErrKeyNotFound) {
		return 0, say(fmt.Errorf("jobs: %w", err))
	}
	if ended >= maxEnds {
		return ended, nil
	}
	if _, err := l.begun.PutString(ctx, key, strconv.Itoa(ended+1)); err != nil {
		return 0, say(fmt.Errorf("jobs: %w", err))
	}
	return ended, nil
}

func (l *line) end(ctx context.Context, key string) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), probeTime)
	defer cancel()
	_ = l.begun.Purge(ctx, key)
}

var (
	errSlip = errors.New("jobs: a slip of the program")
	errLine = errors.New("jobs: the queue did not take or give what was wanted")
)

// withinEvery is how many milliseconds pass between two words on how much of a piece is drawn.
const withinEvery = 250

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
	l := w.board.line()
	made, to, cell := l.made, jetstream.ObjectStore(nil), ""
	if f, _ := j.Order.As.Form(); f.Kind == delivery.Proof {
		if cell, err = d.Stamp(w.order(j), p); err != nil {
			return err
		}
		to, key = l.cells, cell
		if _, err := to.GetInfo(ctx, cell); err == nil { // it is there from before
			return w.note(ctx, made, j.ID, p.N, cell)
		}
	} else if to, err = l.bucket(ctx, j.ID); err != nil {
		return fmt.Errorf("%w: %w", errLine, err)
	}
	var last atomic.Int64
	d.Tell(func(part float64) {
		if now, was := time.Now().UnixMilli(), last.Load(); now-was > withinEvery && last.CompareAndSwap(was, now) {
			_ = l.nc.Publish(withinSubject+j.ID+"."+strconv.Itoa(p.N), strconv.AppendFloat(nil, part, 'f', 3, 64))
		}
	})
	data, err := d.Draw(ctx, w.order(j), p)
	d.Tell(nil)
	if err != nil {
		return err
	}
	if err := w.board.fits(len(data)); err != nil {
		return err
	}
	if _, err := to.Put(ctx, jetstream.ObjectMeta{Name: key, Opts: &jetstream.ObjectMetaOptions{ChunkSize: maxChunk}}, bytes.NewReader(data)); err != nil {
		return fmt.Errorf("%w: %w", errLine, say(err))
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
		return fmt.Errorf("%w: %w", errLine, say(err))
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
func (b *Board) open(ctx context.Context, hash string, cores int, gate *priority.Gate, atHand stage.Files) (*delivery.Drawer, error) {
	data, err := b.line().bundles.GetBytes(ctx, hash)
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

// Under implements stage.Stoppable.
func (n nearer) Under(ctx context.Context) stage.Files {
	return nearer{stage.Under(ctx, n.near), stage.Under(ctx, n.far)}
}

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

package jobs

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strconv"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"mobanta/core/delivery"
	"mobanta/core/exchange"
	"mobanta/core/project"
)

// piece is what stands in the queue.
type piece struct {
	Job   string         `json:"job"`
	Maker string         `json:"maker"`
	Piece delivery.Piece `json:"piece"`
}

// Place places an order that has been checked: once it returns the order is stored and will be filled. open gives the files of the
// project.
func (b *Board) Place(ctx context.Context, id string, p *project.Project, open func(hash string) (exchange.File, error), o delivery.Order) (*Job, error) {
	pieces, err := o.Pieces(p)
	if err != nil {
		return nil, err
	}
	if err := b.well(ctx); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeoutCause(ctx, placeTime, ErrSilent)
	defer cancel()
	j, err := b.place(ctx, id, p, open, o, pieces)
	if err != nil {
		if errors.Is(err, context.DeadlineExceeded) {
			err = fmt.Errorf("%w (%w)", ErrSilent, err)
		}
		b.fault(err)
		return nil, err
	}
	go b.prune(context.WithoutCancel(ctx))
	return j, nil
}

func (b *Board) place(ctx context.Context, id string, p *project.Project, open func(hash string) (exchange.File, error), o delivery.Order, pieces []delivery.Piece) (*Job, error) {
	l := b.line()
	if info, err := l.queue.Info(ctx); err != nil {
		return nil, say(fmt.Errorf("jobs: %w", err))
	} else if int(info.State.Msgs)+len(pieces) > MaxWaiting {
		return nil, ErrMany
	}
	if err := b.room(&o, len(pieces)); err != nil {
		return nil, err
	}
	b.bundling.Lock()
	defer b.bundling.Unlock()
	bundle, err := b.keep(ctx, l, p, open)
	if err != nil {
		return nil, err
	}
	form, _ := o.As.Form()
	j := &Job{ID: rand.Text(), Project: id, Title: p.Name, Name: o.Name(p.Name), Media: o.Media(), Order: o, Bundle: bundle, Maker: b.options.Maker,
		State: Drawing, Pieces: len(pieces), Placed: time.Now().UTC()}
	if form.Kind != delivery.Proof { // cells are kept by what they show
		if _, err := l.bucket(ctx, j.ID); err != nil {
			return nil, say(fmt.Errorf("jobs: %w", err))
		}
	}
	if err = b.store(ctx, j); err == nil {
		err = b.send(ctx, j, pieces)
	}
	if err != nil {
		go b.drop(context.WithoutCancel(ctx), j)
		return nil, err
	}
	return j, nil
}

// send puts the pieces of a job into the queue, in their order.
func (b *Board) send(ctx context.Context, j *Job, pieces []delivery.Piece) error {
	l := b.line()
	var last []jetstream.PubAckFuture
	for _, p := range pieces {
		data, err := json.Marshal(piece{j.ID, j.Maker, p})
		if err != nil {
			return fmt.Errorf("jobs: %w", err)
		}
		f, err := l.js.PublishMsgAsync(&nats.Msg{Subject: "pieces." + j.class() + "." + j.ID + "." + strconv.Itoa(p.N), Data: data}, jetstream.WithMsgID(j.ID+"."+strconv.Itoa(p.N)))
		if err != nil {
			return say(fmt.Errorf("jobs: %w", err))
		}
		last = append(last, f)
	}
	for _, f := range last {
		select {
		case <-f.Ok():
		case err := <-f.Err():
			return say(fmt.Errorf("jobs: %w", err))
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// keep stores a project with its files, if it is not there, and returns the hash of that.
func (b *Board) keep(ctx context.Context, l *line, p *project.Project, open func(hash string) (exchange.File, error)) (string, error) {
	var buf bytes.Buffer
	if err := exchange.WriteStored(&buf, p, open); err != nil {
		return "", err
	}
	hash := exchange.Hash(buf.Bytes())
	if _, err := l.bundles.GetInfo(ctx, hash); err == nil {
		return hash, nil
	}
	if _, err := l.bundles.Put(ctx, jetstream.ObjectMeta{Name: hash, Opts: &jetstream.ObjectMetaOptions{ChunkSize: maxChunk}}, &buf); err != nil {
		return "", say(fmt.Errorf("jobs: %w", err))
	}
	return hash, nil
}

// Cancel ends a job that is not done: whoever draws a piece of it stops.
func (b *Board) Cancel(ctx context.Context, id string) error {
	j, err := b.load(ctx, id)
	if err != nil {
		return err
	}
	if !j.Active() {
		return nil
	}
	j.State, j.Ended = Cancelled, time.Now().UTC()
	if err := b.store(ctx, j); err != nil {
		return err
	}
	b.sweep(ctx, j)
	b.unbundle(ctx, j)
	return nil
}

// Forget takes a job off the list, with its file.
func (b *Board) Forget(ctx context.Context, id string) error {
	j, err := b.load(ctx, id)
	if err != nil {
		return err
	}
	b.drop(ctx, j)
	return nil
}

// fail ends a job, saying why. An error says that the queue did not take that.
func (b *Board) fail(ctx context.Context, j *Job, why error) error {
	j.State, j.Ended, j.Why = Failed, time.Now().UTC(), told(why)
	if err := b.store(ctx, j); err != nil {
		b.log.Error("a job that failed cannot be noted", "job", j.ID, "why", why, "error", err)
		return err
	}
	b.sweep(ctx, j)
	b.unbundle(ctx, j)
	return nil
}

// told returns what an artist is told of why a job failed: no paths of the machine, and no words of the language that the
// program is written in. The log has the rest.
func told(why error) string {
	var path *fs.PathError
	var link *os.LinkError
	var call *os.SyscallError
	switch {
	case errors.Is(why, errSlip):
		return "jobs: a slip of the program, of which the studio's log has the rest: order it again, and if it fails again, otherwise"
	case errors.Is(why, ErrFull):
		return ErrFull.Error()
	case errors.Is(why, errLine), errors.Is(why, ErrSilent):
		return ErrSilent.Error()
	case errors.As(why, &path):
		return "jobs: a file that the studio needed for it could not be used: " + path.Err.Error()
	case errors.As(why, &link):
		return "jobs: a file that the studio needed for it could not be used: " + link.Err.Error()
	case errors.As(why, &call):
		return "jobs: the system refused what was needed for it: " + call.Err.Error()
	}
	return why.Error()
}

// sweep takes away what is not needed any more of a job that has ended: pieces that wait, and what the others came to.
func (b *Board) sweep(ctx context.Context, j *Job) {
	l := b.line()
	note := func(err error) {
		if err != nil && !errors.Is(err, jetstream.ErrStreamNotFound) && !errors.Is(err, jetstream.ErrBucketNotFound) && ctx.Err() == nil {
			b.log.Warn("what is left of a job stays", "job", j.ID, "error", err)
			b.fault(say(err))
		}
	}
	of := func(bucket string) {
		if s, err := l.js.Stream(ctx, "KV_"+bucket); err != nil {
			note(err)
		} else {
			note(s.Purge(ctx, jetstream.WithPurgeSubject("$KV."+bucket+"."+j.ID+".>")))
		}
	}
	note(l.queue.Purge(ctx, jetstream.WithPurgeSubject("pieces."+j.class()+"."+j.ID+".>")))
	of(begunName)
	if f, _ := j.Order.As.Form(); f.Kind == delivery.Proof && j.State == Done {
		return // its cells are looked at
	}
	note(l.js.DeleteObjectStore(ctx, pieceBucket+j.ID))
	of(madeName)
	l.mu.Lock()
	delete(l.buckets, j.ID)
	l.mu.Unlock()
}

// drop takes away all of a job.
func (b *Board) drop(ctx context.Context, j *Job) {
	if j.Active() {
		j.State = Cancelled
	}
	if err := b.line().jobs.Purge(ctx, j.ID); err != nil {
		b.log.Warn("a job stays on the list", "job", j.ID, "error", err)
	}
	state := j.State
	j.State = Cancelled // so that nothing of it stays
	b.sweep(ctx, j)
	j.State = state
	for _, name := range [2]string{j.ID, j.ID + ".face"} {
		if err := b.line().files.Delete(ctx, name); err != nil && !errors.Is(err, jetstream.ErrObjectNotFound) {
			b.log.Warn("the file of a job stays", "job", j.ID, "error", err)
		}
	}
	b.unbundle(ctx, j)
}

// unbundle lets go of the project of a job that has ended, unless another one needs it.
func (b *Board) unbundle(ctx context.Context, j *Job) {
	b.bundling.Lock()
	defer b.bundling.Unlock()
	for _, other := range b.Jobs("") {
		if other.ID != j.ID && other.Bundle == j.Bundle && other.Active() {
			return
		}
	}
	if err := b.line().bundles.Delete(ctx, j.Bundle); err != nil && !errors.Is(err, jetstream.ErrObjectNotFound) {
		b.log.Warn("the project of a job stays", "job", j.ID, "error", err)
	}
}

// prune lets go of jobs that have ended: the oldest beyond maxJobs, and those that ended long ago. What was made and nobody
// has taken yet stays until its time has passed, however many there are.
func (b *Board) prune(ctx context.Context) {
	ended := 0
	for _, j := range b.Jobs("") {
		if j.Active() {
			continue
		}
		ended++
		old := time.Since(j.Ended) > jobsKept
		waits := j.State == Done && j.Size > 0 && j.Taken.IsZero()
		if old || ended > maxJobs && !waits {
			b.drop(ctx, &j)
		}
	}
}

// Took notes that the file of a job has been taken.
func (b *Board) Took(ctx context.Context, id string) error {
	j, err := b.load(ctx, id)
	if err != nil {
		return err
	}
	j.Taken = time.Now().UTC()
	return b.store(ctx, j)
}

// File opens what a job has delivered.
func (b *Board) File(ctx context.Context, id string) (*Job, io.ReadCloser, error) {
	j, err := b.load(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if j.State != Done || j.Size == 0 {
		return nil, nil, ErrNotDone
	}
	r, err := b.line().files.Get(ctx, id)
	if err != nil {
		return nil, nil, fmt.Errorf("jobs: the file of %s: %w", j.Name, err)
	}
	return j, r, nil
}

// PutFace gives a job the small picture by which it is known on a list; Face returns it.
func (b *Board) PutFace(ctx context.Context, id string, png []byte) error {
	if _, err := b.load(ctx, id); err != nil {
		return err
	}
	if _, err := b.line().files.PutBytes(ctx, id+".face", png); err != nil {
		return say(fmt.Errorf("jobs: %w", err))
	}
	return nil
}

// Face returns the small picture of a job; ErrNoJob where it has none.
func (b *Board) Face(ctx context.Context, id string) ([]byte, error) {
	data, err := b.line().files.GetBytes(ctx, id+".face")
	if errors.Is(err, jetstream.ErrObjectNotFound) {
		return nil, ErrNoJob
	}
	if err != nil {
		return nil, fmt.Errorf("jobs: %w", err)
	}
	return data, nil
}

// Piece returns what a piece of a job came to.
func (b *Board) Piece(ctx context.Context, id string, n int) ([]byte, error) {
	b.mu.Lock()
	k := b.known[id]
	cell, ok := "", false
	if k != nil {
		cell, ok = k.made[n]
	}
	b.mu.Unlock()
	if !ok {
		return nil, ErrNoJob
	}
	if cell != "" {
		data, err := b.line().cells.GetBytes(ctx, cell)
		if err != nil {
			return nil, fmt.Errorf("jobs: %w", err)
		}
		return data, nil
	}
	s, err := b.line().bucket(ctx, id)
	if err != nil {
		return nil, fmt.Errorf("jobs: %w", err)
	}
	data, err := s.GetBytes(ctx, strconv.Itoa(n))
	if err != nil {
		return nil, fmt.Errorf("jobs: piece %d: %w", n, err)
	}
	return data, nil
}

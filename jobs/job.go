package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"mobanta/core/delivery"
)

// State is how far a job is.
type State string

// The states.
const (
	Drawing   State = "drawing"
	Gathering State = "gathering" // all pieces are there and are put together
	Done      State = "done"
	Failed    State = "failed"
	Cancelled State = "cancelled"
)

// Job is an order that was placed, and how far it is.
type Job struct {
	ID      string         `json:"id"`
	Project string         `json:"project"` // its id
	Title   string         `json:"title"`   // the project's name
	Name    string         `json:"name"`    // of the file
	Media   string         `json:"media"`
	Order   delivery.Order `json:"order"`
	Bundle  string         `json:"bundle"` // the hash of the project with its files
	Maker   string         `json:"maker"`  // what draws it
	State   State          `json:"state"`
	Pieces  int            `json:"pieces"`
	Placed  time.Time      `json:"placed"`
	Ended   time.Time      `json:"ended,omitzero"`
	Taken   time.Time      `json:"taken,omitzero"` // when its file was, last
	Size    int64          `json:"size,omitempty"` // bytes of the file
	Why     string         `json:"why,omitempty"`  // it failed

	Made   int     `json:"-"` // pieces that are drawn
	Within float64 `json:"-"` // of those that are being drawn: how much, in pieces
}

// Active tells whether a job is not ended.
func (j *Job) Active() bool { return j.State == Drawing || j.State == Gathering }

// class returns how urgent a job's pieces are.
func (j *Job) class() string {
	f, _ := j.Order.As.Form()
	return classes[f.Urgency()]
}

// Errors that those who ask about jobs hear of.
var (
	ErrNoJob   = errors.New("jobs: the job is not there any more")
	ErrNotDone = errors.New("jobs: the job is not done, so there is no file of it yet")
	ErrFull    = errors.New("jobs: there is no room on the disk for that: nothing was kept of it; free some space and order it again")
	ErrSilent  = errors.New("jobs: the queue does not answer: it is opened anew as soon as it can be, and orders go on then; if the disk is full, free some space, and try again in a moment")
	ErrMany    = fmt.Errorf("jobs: more than %d pieces wait already: let some be done, or cancel some", MaxWaiting)
)

// say puts what the disk and the queue say into words.
func say(err error) error {
	var api *jetstream.APIError
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT),
		errors.As(err, &api) && (api.ErrorCode == 10047 || api.ErrorCode == 10023 || api.ErrorCode == 10077),
		err != nil && strings.Contains(err.Error(), "no space left"):
		return fmt.Errorf("%w (%w)", ErrFull, err)
	case errors.Is(err, nats.ErrTimeout), errors.Is(err, context.DeadlineExceeded), errors.Is(err, nats.ErrNoResponders), errors.Is(err, nats.ErrConnectionClosed),
		errors.Is(err, jetstream.ErrJetStreamNotEnabled), errors.Is(err, jetstream.ErrJetStreamNotEnabledForAccount), errors.Is(err, jetstream.ErrNoStreamResponse), errors.Is(err, jetstream.ErrAsyncPublishTimeout):
		return fmt.Errorf("%w (%w)", ErrSilent, err)
	}
	return err
}

// bareURL returns addresses without what lets one in.
func bareURL(s string) string {
	list := strings.Split(s, ",")
	for i, one := range list {
		if u, err := url.Parse(strings.TrimSpace(one)); err == nil && u.Host != "" {
			list[i] = u.Scheme + "://" + u.Host
		}
	}
	return strings.Join(list, ",")
}

// store writes a job down.
func (b *Board) store(ctx context.Context, j *Job) error {
	data, err := json.Marshal(j)
	revision := uint64(0)
	if err == nil {
		revision, err = b.line().jobs.Put(ctx, j.ID, data)
	}
	if err != nil {
		err = say(fmt.Errorf("jobs: %w", err))
		b.fault(err)
		return err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if k := b.of(j.ID); revision > k.revision { // it will be heard of, but whoever stored it may ask before
		k.job, k.revision = *j, revision
		b.tell()
	}
	return nil
}

// load reads a job.
func (b *Board) load(ctx context.Context, id string) (*Job, error) {
	if !sound(id) {
		return nil, ErrNoJob
	}
	e, err := b.line().jobs.Get(ctx, id)
	if errors.Is(err, jetstream.ErrKeyNotFound) {
		return nil, ErrNoJob
	}
	if err != nil {
		err = say(fmt.Errorf("jobs: %w", err))
		b.fault(err)
		return nil, err
	}
	var j Job
	if err := json.Unmarshal(e.Value(), &j); err != nil {
		return nil, fmt.Errorf("jobs: job %s: %w", id, err)
	}
	return &j, nil
}

// sound tells whether an id is one of ours.
func sound(id string) bool {
	return id != "" && len(id) <= 64 && !strings.ContainsFunc(id, func(r rune) bool { return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9') })
}

// Watch hears of jobs and of what is drawn until ctx ends, and looks after the queue meanwhile. Jobs, Job and Gather know
// what it has heard.
func (b *Board) Watch(ctx context.Context) error {
	var done sync.WaitGroup
	done.Go(func() { b.tend(ctx) })
	defer done.Wait()
	for ctx.Err() == nil {
		if err := b.watch(ctx, b.line()); err != nil && ctx.Err() == nil {
			b.log.Warn("nothing is heard of the queue", "error", err)
			b.fault(say(err))
			pause(ctx)
		}
	}
	return nil
}

// pause waits a moment, or until ctx ends.
func pause(ctx context.Context) {
	select {
	case <-time.After(patience):
	case <-ctx.Done():
	}
}

// watch hears what comes over a line, until that is closed or ctx ends.
func (b *Board) watch(ctx context.Context, l *line) error {
	jobs, err := l.jobs.WatchAll(ctx)
	if err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	defer jobs.Stop()
	made, err := l.made.WatchAll(ctx)
	if err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	defer made.Stop()
	within, err := l.nc.Subscribe(withinSubject+"*.*", b.hearWithin)
	if err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	defer func() { _ = within.Unsubscribe() }()
	left := 2
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-l.ctx.Done():
			return nil
		case e, ok := <-jobs.Updates():
			if !ok {
				pause(ctx)
				return nil
			}
			if e == nil {
				left--
			} else {
				b.hear(e)
			}
		case e, ok := <-made.Updates():
			if !ok {
				pause(ctx)
				return nil
			}
			if e == nil {
				left--
			} else {
				b.hearMade(e)
			}
		}
		if left == 0 {
			left = -1
			b.mu.Lock()
			if !b.allHeard {
				b.allHeard = true
				close(b.ready)
			}
			b.mu.Unlock()
		}
	}
}

// Ready returns when all that was there when it began to be watched is known, or ctx ends.
func (b *Board) Ready(ctx context.Context) error {
	select {
	case <-b.ready:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// ReadyWithin is Ready for so long at most.
func (b *Board) ReadyWithin(d time.Duration) {
	ctx, cancel := context.WithTimeout(context.Background(), d)
	defer cancel()
	_ = b.Ready(ctx)
}

func (b *Board) hear(e jetstream.KeyValueEntry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	k := b.of(e.Key())
	if e.Revision() <= k.revision {
		return // it is known better
	}
	k.revision = e.Revision()
	if e.Operation() != jetstream.KeyValuePut {
		delete(b.known, e.Key())
	} else if err := json.Unmarshal(e.Value(), &k.job); err != nil {
		b.log.Error("a job cannot be read", "job", e.Key(), "error", err)
		delete(b.known, e.Key())
	}
	b.tell()
}

func (b *Board) hearMade(e jetstream.KeyValueEntry) {
	id, piece, _ := strings.Cut(e.Key(), ".")
	n, err := strconv.Atoi(piece)
	if err != nil || e.Operation() != jetstream.KeyValuePut {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	k := b.of(id)
	k.made[n] = string(e.Value())
	delete(k.within, n)
	b.tell()
}

// withinSubject is where those who draw tell how much of a piece is drawn: within.JOB.PIECE, with a number from 0 to 1. It is
// heard or not; nothing depends on it.
const withinSubject = "within."

func (b *Board) hearWithin(m *nats.Msg) {
	id, piece, _ := strings.Cut(strings.TrimPrefix(m.Subject, withinSubject), ".")
	n, err := strconv.Atoi(piece)
	part, e := strconv.ParseFloat(string(m.Data), 64)
	if err != nil || e != nil || !(part >= 0 && part <= 1) {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	k := b.known[id]
	if k == nil || !k.job.Active() || n < 0 || n >= k.job.Pieces {
		return
	}
	if _, ok := k.made[n]; !ok {
		k.within[n] = part
	}
}

// part returns how much is drawn of pieces that are being drawn, in pieces.
func (k *known) part() (sum float64) {
	if !k.job.Active() {
		return 0
	}
	for _, v := range k.within {
		sum += v
	}
	return sum
}

// of returns what is known of a job; b.mu is held.
func (b *Board) of(id string) *known {
	k := b.known[id]
	if k == nil {
		k = &known{made: map[int]string{}, within: map[int]float64{}}
		b.known[id] = k
	}
	return k
}

// tell wakes those who wait for something to change; b.mu is held.
func (b *Board) tell() {
	close(b.changed)
	b.changed = make(chan struct{})
}

// Changed returns a channel that is closed when anything has changed.
func (b *Board) Changed() <-chan struct{} {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.changed
}

// Jobs returns the jobs of a project, of all for "", the newest first.
func (b *Board) Jobs(project string) []Job {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out []Job
	for _, k := range b.known {
		if k.job.ID != "" && (project == "" || k.job.Project == project) {
			j := k.job
			j.Made, j.Within = len(k.made), k.part()
			out = append(out, j)
		}
	}
	slices.SortFunc(out, func(a, c Job) int {
		if d := c.Placed.Compare(a.Placed); d != 0 {
			return d
		}
		return strings.Compare(a.ID, c.ID)
	})
	return out
}

// Job returns a job, and which of its pieces are drawn.
func (b *Board) Job(id string) (j Job, made []int, err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	k := b.known[id]
	if k == nil || k.job.ID == "" {
		return j, nil, ErrNoJob
	}
	j = k.job
	for n := range k.made {
		made = append(made, n)
	}
	slices.Sort(made)
	j.Made, j.Within = len(made), k.part()
	return j, made, nil
}

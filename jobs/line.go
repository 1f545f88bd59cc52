package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

// line is a connection to the queue, with handles on what that consists of. A queue that has stopped, as one within the
// program does once it has found its disk full, is opened anew; then there is another line.
type line struct {
	srv     *server.Server // within the program; nil for one elsewhere
	nc      *nats.Conn
	js      jetstream.JetStream
	queue   jetstream.Stream
	jobs    jetstream.KeyValue    // id → Job
	made    jetstream.KeyValue    // id.piece → nothing, or the cell that it is
	begun   jetstream.KeyValue    // id.piece → how often it was begun and nobody came back to say how it ended
	hold    jetstream.KeyValue    // which studio the queue is of
	bundles jetstream.ObjectStore // by the hash of their bytes
	files   jetstream.ObjectStore // what is delivered, by the id of its job
	cells   jetstream.ObjectStore // of proof sheets, by what they show

	ctx  context.Context // ends when the line is closed
	stop context.CancelFunc

	mu      sync.Mutex
	buckets map[string]jetstream.ObjectStore // of pieces, by job
}

// dial opens a line.
func (b *Board) dial(ctx context.Context) (*line, error) {
	l := &line{buckets: map[string]jetstream.ObjectStore{}}
	l.ctx, l.stop = context.WithCancel(context.Background())
	err := l.connect(&b.options)
	if err == nil {
		l.nc.SetErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) { b.log.Warn("the line to the queue", "error", err) })
		err = l.create(ctx)
	}
	if err != nil {
		l.close()
		return nil, err
	}
	return l, nil
}

// connect connects to the server, which it starts if it is the studio's own.
func (l *line) connect(o *Options) (err error) {
	if o.URL == "" {
		err = l.embed(filepath.Join(o.Dir, "queue"))
	} else {
		l.nc, err = at(o)
	}
	if err != nil {
		return err
	}
	if l.js, err = jetstream.New(l.nc); err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	return nil
}

// embed starts a server of the studio's own: no port is open.
func (l *line) embed(dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return say(fmt.Errorf("jobs: %w", err))
	}
	srv, err := server.NewServer(&server.Options{ServerName: "mobanta", JetStream: true, StoreDir: dir, DontListen: true, NoSigs: true, NoLog: true,
		SyncInterval: time.Second, JetStreamMaxMemory: 32 << 20, JetStreamMaxStore: 1 << 50, MaxPayload: 4 << 20})
	if err != nil {
		return fmt.Errorf("jobs: the queue cannot be opened: %w", err)
	}
	l.srv = srv
	srv.Start()
	if !srv.ReadyForConnections(20 * time.Second) {
		return errors.New("jobs: the queue did not open within 20 seconds")
	}
	l.nc, err = nats.Connect("", nats.InProcessServer(srv), nats.Name("mobanta"), nats.MaxReconnects(-1))
	if err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	return nil
}

// at connects to a server that is there.
func at(by *Options) (*nats.Conn, error) {
	o := []nats.Option{nats.Name("mobanta"), nats.MaxReconnects(-1), nats.ReconnectWait(time.Second), nats.Timeout(5 * time.Second)}
	if by.Creds != "" {
		o = append(o, nats.UserCredentials(by.Creds))
	}
	if by.CA != "" {
		o = append(o, nats.RootCAs(by.CA))
	}
	if by.Cert != "" {
		o = append(o, nats.ClientCert(by.Cert, by.Key))
	}
	nc, err := nats.Connect(by.URL, o...)
	switch {
	case errors.Is(err, nats.ErrNoServers):
		return nil, fmt.Errorf("jobs: no NATS server answers at %s: is it running, and can this machine reach it?", bareURL(by.URL))
	case errors.Is(err, nats.ErrAuthorization):
		return nil, fmt.Errorf("jobs: the NATS server at %s does not let this program in: check its credentials", bareURL(by.URL))
	case err != nil:
		return nil, fmt.Errorf("jobs: the NATS server at %s cannot be reached: %w", bareURL(by.URL), err)
	}
	return nc, nil
}

// create makes what of the queue is not there yet.
func (l *line) create(ctx context.Context) (err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	l.queue, err = l.js.CreateOrUpdateStream(ctx, jetstream.StreamConfig{Name: queueName, Subjects: []string{"pieces.>"}, Retention: jetstream.WorkQueuePolicy,
		Storage: jetstream.FileStorage, Duplicates: 2 * time.Minute})
	if errors.Is(err, jetstream.ErrJetStreamNotEnabled) || errors.Is(err, jetstream.ErrJetStreamNotEnabledForAccount) || errors.Is(err, nats.ErrNoResponders) {
		return errors.New("jobs: the NATS server keeps nothing: JetStream has to be switched on there")
	}
	for _, c := range classes {
		if err == nil {
			_, err = l.queue.CreateOrUpdateConsumer(ctx, jetstream.ConsumerConfig{Durable: c, FilterSubject: "pieces." + c + ".>", AckPolicy: jetstream.AckExplicitPolicy,
				AckWait: ackWait, MaxDeliver: -1, MaxAckPending: 10_000})
		}
	}
	for _, s := range []struct {
		name string
		to   *jetstream.KeyValue
		ttl  time.Duration
	}{{jobsName, &l.jobs, 0}, {madeName, &l.made, 0}, {begunName, &l.begun, 0}, {holdName, &l.hold, holdTime}} {
		if err == nil {
			*s.to, err = l.js.CreateOrUpdateKeyValue(ctx, jetstream.KeyValueConfig{Bucket: s.name, TTL: s.ttl})
		}
	}
	for _, s := range []struct {
		name string
		to   *jetstream.ObjectStore
		ttl  time.Duration
	}{{bundlesName, &l.bundles, 0}, {filesName, &l.files, 0}, {cellsName, &l.cells, cellsKept}} {
		if err == nil {
			*s.to, err = l.js.CreateOrUpdateObjectStore(ctx, jetstream.ObjectStoreConfig{Bucket: s.name, TTL: s.ttl})
		}
	}
	if err != nil {
		return say(fmt.Errorf("jobs: the queue cannot be made ready: %w", err))
	}
	return nil
}

// close lets go of the line. What is in the queue stays.
func (l *line) close() {
	l.stop()
	if l.nc != nil {
		l.nc.Close()
	}
	if l.srv != nil {
		l.srv.Shutdown()
		l.srv.WaitForShutdown()
	}
}

// bucket returns where what a job's pieces come to is kept; one that was not there any more is made anew.
func (l *line) bucket(ctx context.Context, id string) (jetstream.ObjectStore, error) {
	l.mu.Lock()
	s := l.buckets[id]
	l.mu.Unlock()
	if s != nil {
		return s, nil
	}
	s, err := l.js.CreateOrUpdateObjectStore(ctx, jetstream.ObjectStoreConfig{Bucket: pieceBucket + id})
	if err != nil {
		return nil, err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.buckets) > 100 {
		clear(l.buckets)
	}
	l.buckets[id] = s
	return s, nil
}

// probe tells whether the queue takes what is to be kept, within a moment.
func (l *line) probe(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, probeTime)
	defer cancel()
	_, err := l.begun.PutString(ctx, "probe", time.Now().UTC().Format(time.RFC3339))
	return err
}

// fault notes what went wrong with the queue, if it did: then Watch looks after it. That there is too little room for an
// order is no fault.
func (b *Board) fault(err error) {
	var api *jetstream.APIError
	if !errors.Is(err, ErrSilent) && !(errors.Is(err, ErrFull) && errors.As(err, &api)) {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.ill == nil {
		b.ill, b.healed = err, make(chan struct{})
		close(b.fell)
		b.fell = make(chan struct{})
	}
}

// well waits for a moment until the queue takes what is given to it, and returns why it does not otherwise.
func (b *Board) well(ctx context.Context) error {
	b.mu.Lock()
	ill, healed := b.ill, b.healed
	b.mu.Unlock()
	if ill == nil {
		return nil
	}
	select {
	case <-healed:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(healTime):
		return ill
	}
}

// tend looks after the queue until ctx ends: one that takes nothing any more is opened anew as soon as there is room.
func (b *Board) tend(ctx context.Context) {
	for {
		b.mu.Lock()
		ill, fell := b.ill != nil, b.fell
		b.mu.Unlock()
		if !ill {
			select {
			case <-fell:
			case <-time.After(tendTime):
				if l := b.line(); l.srv != nil && !l.srv.JetStreamEnabled() {
					b.fault(ErrSilent)
				}
			case <-ctx.Done():
				return
			}
			continue
		}
		l := b.line()
		b.mu.Lock()
		err := b.ill
		b.mu.Unlock()
		if !errors.Is(err, ErrFull) || b.options.URL != "" { // a store of the server's that could not write once never does again
			err = l.probe(ctx)
		}
		if err != nil && b.options.URL == "" && b.fits(0) == nil {
			b.log.Warn("the queue takes nothing, and is opened anew", "error", err)
			l.close()
			var now *line
			if now, err = b.dial(ctx); err == nil {
				b.mu.Lock()
				b.now = now
				b.mu.Unlock()
			}
		}
		if err == nil {
			b.mu.Lock()
			b.ill = nil
			close(b.healed)
			b.mu.Unlock()
			continue
		}
		select {
		case <-time.After(tendTime):
		case <-ctx.Done():
			return
		}
	}
}

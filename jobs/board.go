// Package jobs has orders filled in the background, piece by piece, on this machine and on others, by way of NATS JetStream: a
// queue of pieces, each of which is acknowledged once what it came to is stored, and handed out again if whoever had it has gone.
//
//	Place ──▶ bundle, job, pieces in the queue ──▶ Work, anywhere ──▶ what pieces came to ──▶ Gather ──▶ the file
//
// A studio has a server of NATS of its own within it, without a port, unless it is told of another one.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

// Options tell where the queue is.
type Options struct {
	Dir string // where the server that is built in keeps its store, and files are put together
	// URL is that of a server that is there already, "nats://host:4222", or several with commas between; "" for the one that
	// is built in.
	URL       string
	Creds     string // a file of credentials, as NATS has them
	CA        string // a file of certificates (PEM) that the server's is checked against
	Cert, Key string // the own certificate and its key (PEM), for servers that ask for one
	Log       *slog.Logger
	// Maker is what draws: whoever is of another does not draw pieces of it, since its bytes could differ. See Maker.
	Maker string
}

// Names of what the queue consists of.
const (
	queueName   = "PIECES"
	jobsName    = "jobs"
	madeName    = "made"
	bundlesName = "bundles"
	filesName   = "files"
	cellsName   = "cells"
	pieceBucket = "pieces_" // and the job
)

// Limits and times.
const (
	// heartbeat is how often one who draws says that it still does; after ackWait without, its piece is handed out again.
	heartbeat = 700 * time.Millisecond
	ackWait   = 2500 * time.Millisecond
	// maxTries is how often a piece is handed out: one that ends whoever draws it is given up.
	maxTries  = 40
	cellsKept = 14 * 24 * time.Hour
	// MaxJobs limits the jobs of a studio that are remembered.
	MaxJobs = 200
	// MaxWaiting limits the pieces that wait.
	MaxWaiting = 60_000
	maxChunk   = 512 << 10
)

// classes are the kinds of work, the most urgent first: cells that are looked at, single pictures, and long ones.
var classes = []string{"near", "soon", "far"}

// Board is the queue with all that belongs to it. It is safe for use by many at once.
type Board struct {
	options Options
	srv     *server.Server
	nc      *nats.Conn
	js      jetstream.JetStream
	queue   jetstream.Stream
	jobs    jetstream.KeyValue    // id → Job
	made    jetstream.KeyValue    // id.piece → nothing, or the cell that it is
	bundles jetstream.ObjectStore // by the hash of their bytes
	files   jetstream.ObjectStore // what is delivered, by the id of its job
	cells   jetstream.ObjectStore // of proof sheets, by what they show
	log     *slog.Logger

	bundling sync.Mutex // projects are stored, and let go of, one after the other

	mu      sync.Mutex
	known   map[string]*known
	changed chan struct{} // closed when something has
	buckets map[string]jetstream.ObjectStore
	ready   chan struct{} // closed once all that was there is known
}

// known is what a board has heard of a job.
type known struct {
	job      Job
	revision uint64         // that was heard of, or stored
	made     map[int]string // piece → cell, or ""
}

// Open opens the queue, with a server of its own or at a server that is there.
func Open(ctx context.Context, o Options) (*Board, error) {
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	b := &Board{options: o, log: o.Log, known: map[string]*known{}, changed: make(chan struct{}), buckets: map[string]jetstream.ObjectStore{}, ready: make(chan struct{})}
	err := b.connect()
	if err == nil {
		err = b.make(ctx)
	}
	if err != nil {
		b.Close()
		return nil, err
	}
	return b, nil
}

// connect connects to the server, which it starts if it is the studio's own.
func (b *Board) connect() (err error) {
	if b.options.URL == "" {
		err = b.within()
	} else {
		err = b.at(b.options.URL)
	}
	if err != nil {
		return err
	}
	b.nc.SetErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) { b.log.Warn("the line to the queue", "error", err) })
	if b.js, err = jetstream.New(b.nc); err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	return nil
}

// within starts a server of the studio's own: no port is open.
func (b *Board) within() error {
	dir := filepath.Join(b.options.Dir, "queue")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return say(fmt.Errorf("jobs: %w", err))
	}
	srv, err := server.NewServer(&server.Options{ServerName: "mobanta", JetStream: true, StoreDir: dir, DontListen: true, NoSigs: true, NoLog: true,
		SyncInterval: time.Second, JetStreamMaxMemory: 32 << 20, JetStreamMaxStore: 1 << 50, MaxPayload: 4 << 20})
	if err != nil {
		return fmt.Errorf("jobs: the queue cannot be opened: %w", err)
	}
	b.srv = srv
	srv.Start()
	if !srv.ReadyForConnections(20 * time.Second) {
		return errors.New("jobs: the queue did not open within 20 seconds")
	}
	b.nc, err = nats.Connect("", nats.InProcessServer(srv), nats.Name("mobanta"), nats.MaxReconnects(-1))
	if err != nil {
		return fmt.Errorf("jobs: %w", err)
	}
	return nil
}

// at connects to a server that is there.
func (b *Board) at(url string) error {
	o := []nats.Option{nats.Name("mobanta"), nats.MaxReconnects(-1), nats.ReconnectWait(time.Second), nats.Timeout(5 * time.Second)}
	if b.options.Creds != "" {
		o = append(o, nats.UserCredentials(b.options.Creds))
	}
	if b.options.CA != "" {
		o = append(o, nats.RootCAs(b.options.CA))
	}
	if b.options.Cert != "" {
		o = append(o, nats.ClientCert(b.options.Cert, b.options.Key))
	}
	nc, err := nats.Connect(url, o...)
	switch {
	case errors.Is(err, nats.ErrNoServers):
		return fmt.Errorf("jobs: no NATS server answers at %s: is it running, and can this machine reach it?", bareURL(url))
	case errors.Is(err, nats.ErrAuthorization):
		return fmt.Errorf("jobs: the NATS server at %s does not let this program in: check its credentials", bareURL(url))
	case err != nil:
		return fmt.Errorf("jobs: the NATS server at %s cannot be reached: %w", bareURL(url), err)
	}
	b.nc = nc
	return nil
}

// make makes what of the queue is not there yet.
func (b *Board) make(ctx context.Context) (err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	b.queue, err = b.js.CreateOrUpdateStream(ctx, jetstream.StreamConfig{Name: queueName, Subjects: []string{"pieces.>"}, Retention: jetstream.WorkQueuePolicy,
		Storage: jetstream.FileStorage, Duplicates: 2 * time.Minute})
	if errors.Is(err, jetstream.ErrJetStreamNotEnabled) || errors.Is(err, jetstream.ErrJetStreamNotEnabledForAccount) || errors.Is(err, nats.ErrNoResponders) {
		return errors.New("jobs: the NATS server keeps nothing: JetStream has to be switched on there")
	}
	for _, c := range classes {
		if err == nil {
			_, err = b.queue.CreateOrUpdateConsumer(ctx, jetstream.ConsumerConfig{Durable: c, FilterSubject: "pieces." + c + ".>", AckPolicy: jetstream.AckExplicitPolicy,
				AckWait: ackWait, MaxDeliver: -1, MaxAckPending: 10_000})
		}
	}
	if err == nil {
		b.jobs, err = b.js.CreateOrUpdateKeyValue(ctx, jetstream.KeyValueConfig{Bucket: jobsName})
	}
	if err == nil {
		b.made, err = b.js.CreateOrUpdateKeyValue(ctx, jetstream.KeyValueConfig{Bucket: madeName})
	}
	for _, s := range []struct {
		name string
		to   *jetstream.ObjectStore
		ttl  time.Duration
	}{{bundlesName, &b.bundles, 0}, {filesName, &b.files, 0}, {cellsName, &b.cells, cellsKept}} {
		if err == nil {
			*s.to, err = b.js.CreateOrUpdateObjectStore(ctx, jetstream.ObjectStoreConfig{Bucket: s.name, TTL: s.ttl})
		}
	}
	if err != nil {
		return say(fmt.Errorf("jobs: the queue cannot be made ready: %w", err))
	}
	return nil
}

// Close lets go of the queue. What is in it stays.
func (b *Board) Close() {
	if b.nc != nil {
		b.nc.Close()
	}
	if b.srv != nil {
		b.srv.Shutdown()
		b.srv.WaitForShutdown()
	}
}

// bucket returns where what a job's pieces come to is kept.
func (b *Board) bucket(ctx context.Context, id string) (jetstream.ObjectStore, error) {
	b.mu.Lock()
	s := b.buckets[id]
	b.mu.Unlock()
	if s != nil {
		return s, nil
	}
	s, err := b.js.ObjectStore(ctx, pieceBucket+id)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.buckets) > 100 {
		clear(b.buckets)
	}
	b.buckets[id] = s
	return s, nil
}

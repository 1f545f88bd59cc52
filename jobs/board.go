// Package jobs has orders filled in the background, piece by piece, on this machine and on others, by way of NATS JetStream: a
// queue of pieces, each of which is acknowledged once what it came to is stored, and handed out again if whoever had it has gone.
//
//	Place ──▶ bundle, job, pieces in the queue ──▶ Work, anywhere ──▶ what pieces came to ──▶ Gather ──▶ the file
//
// A studio has a server of NATS of its own within it, without a port, unless it is told of another one.
package jobs

import (
	"context"
	"log/slog"
	"sync"
	"time"
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
	// Studio says that orders are placed here and put together: of those a queue has one at a time. Others only draw.
	Studio bool
	Log    *slog.Logger
	// Maker is what draws: whoever is of another does not draw pieces of it, since its bytes could differ. See Maker.
	Maker string
}

// Names of what the queue consists of.
const (
	queueName   = "PIECES"
	jobsName    = "jobs"
	madeName    = "made"
	begunName   = "begun"
	holdName    = "hold"
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
	maxTries = 40
	// maxEnds is how often a piece may have ended the program that drew it: then it is given up.
	maxEnds   = 2
	holdTime  = 12 * time.Second       // after which a queue is free whose studio has gone without a word
	probeTime = 2 * time.Second        // that the queue may take to answer
	tendTime  = 700 * time.Millisecond // between two looks at a queue that takes nothing
	healTime  = 4 * time.Second        // that an order waits for it
	placeTime = 20 * time.Second       // that it may take to place one
	cellsKept = 14 * 24 * time.Hour
	// jobsKept is how long what was made of a job waits to be taken.
	jobsKept = 90 * 24 * time.Hour
	// MaxWaiting limits the pieces that wait.
	MaxWaiting = 60_000
	maxChunk   = 512 << 10
)

// maxJobs limits the jobs of a studio that have ended and are remembered, but for files that nobody has taken yet.
var maxJobs = 200

// classes are the kinds of work, the most urgent first: cells that are looked at, single pictures, and long ones.
var classes = []string{"near", "soon", "far"}

// Board is the queue with all that belongs to it. It is safe for use by many at once.
type Board struct {
	options Options
	log     *slog.Logger
	release func() // of the hold on the queue

	bundling sync.Mutex // projects are stored, and let go of, one after the other

	mu      sync.Mutex
	now     *line
	ill     error         // why the queue takes nothing, as far as is known; nil while it does
	healed  chan struct{} // closed once it does again
	fell    chan struct{} // closed once it does not
	lost    bool          // another studio has taken hold of the queue
	known   map[string]*known
	changed chan struct{} // closed when something has
	ready   chan struct{} // closed once all that was there is known

	allHeard bool // whether it is closed
}

// known is what a board has heard of a job.
type known struct {
	job      Job
	revision uint64          // that was heard of, or stored
	made     map[int]string  // piece → cell, or ""
	within   map[int]float64 // piece → how much of it is drawn
}

// Open opens the queue, with a server of its own or at a server that is there.
func Open(ctx context.Context, o Options) (*Board, error) {
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	b := &Board{options: o, log: o.Log, known: map[string]*known{}, changed: make(chan struct{}), fell: make(chan struct{}), ready: make(chan struct{})}
	var err error
	if b.now, err = b.dial(ctx); err != nil {
		return nil, err
	}
	if o.Studio {
		if b.release, err = b.take(ctx); err != nil {
			b.Close()
			return nil, err
		}
	}
	return b, nil
}

// line returns the line to the queue.
func (b *Board) line() *line {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.now
}

// Close lets go of the queue. What is in it stays.
func (b *Board) Close() {
	if b.release != nil {
		b.release()
	}
	b.line().close()
}

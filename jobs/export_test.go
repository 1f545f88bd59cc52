package jobs

// Pretend has the disk seem to have so much room until undo is called.
func Pretend(bytes int) (undo func()) {
	was := free
	free = func(string) (int, bool) { return bytes, true }
	return func() { free = was }
}

// Lame has the queue take nothing any more, as one does that has found its disk full.
func (b *Board) Lame() { _ = b.line().srv.ShutdownJetStream() }

// Remember has boards remember so many jobs that have ended, until undo is called.
func Remember(n int) (undo func()) {
	was := maxJobs
	maxJobs = n
	return func() { maxJobs = was }
}

// Told is what an artist is told of why a job failed.
var Told = told

// ErrSlip is a slip of the program.
var ErrSlip = errSlip

package live

import (
	"runtime/debug"
	"sync"
	"time"
)

// Airing gives memory back to the system once tabs have been closed: what a tab held
// is free at once, but the runtime keeps it for a while, in case it is wanted again.
type Airing struct {
	mu    sync.Mutex
	timer *time.Timer
}

// airTime is how long after a tab was closed: often one is opened anew right away.
const airTime = 2 * time.Second

// Soon plans to do so once no tab has been closed for airTime.
func (a *Airing) Soon() {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.timer == nil {
		a.timer = time.AfterFunc(airTime, debug.FreeOSMemory)
		return
	}
	a.timer.Reset(airTime)
}

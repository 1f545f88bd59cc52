package live

import (
	"sync"
	"time"
)

// shares divides the drawing of frames ahead among the tabs that play, in equal parts: whoever has drawn least goes first
// (start-time fair queueing, Goyal, Vin and Cheng 1996). A tab that begins to play has as much behind it as the one that has
// least: it neither goes before all others for long nor waits for them.
type shares struct {
	mu   sync.Mutex
	used map[*session]time.Duration
}

// join says that a tab begins to play, part that it has stopped.
func (h *shares) join(s *session) {
	h.mu.Lock()
	defer h.mu.Unlock()
	least, any := time.Duration(0), false
	for _, d := range h.used {
		if !any || d < least {
			least, any = d, true
		}
	}
	if h.used == nil {
		h.used = map[*session]time.Duration{}
	}
	h.used[s] = least
}

func (h *shares) part(s *session) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.used, s)
}

// took says that a tab has drawn for so long.
func (h *shares) took(s *session, d time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if _, plays := h.used[s]; plays {
		h.used[s] += d
	}
}

// turn returns what stands for order.Rank.Heard in frames that a tab draws ahead: the more the less it has drawn.
func (h *shares) turn(s *session) int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	return -int64(h.used[s])
}

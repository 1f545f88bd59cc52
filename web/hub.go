package web

import (
	"sync"

	"mobanta/store"
)

// hub knows the open tabs of every project.
type hub struct {
	mu   sync.Mutex
	live map[string]map[*session]bool
}

func (h *hub) add(id string, s *session) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.live[id] == nil {
		h.live[id] = map[*session]bool{}
	}
	h.live[id][s] = true
}

func (h *hub) remove(id string, s *session) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.live[id], s)
	if len(h.live[id]) == 0 {
		delete(h.live, id)
	}
}

// changed tells every tab of a project its new state.
func (h *hub) changed(st *store.State) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.live[st.ID] {
		s.stored(st)
	}
}

// closeAll ends every session, as the server stops.
func (h *hub) closeAll() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, tabs := range h.live {
		for s := range tabs {
			s.stop()
		}
	}
}

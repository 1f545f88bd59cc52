package live

import (
	"slices"
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

// of returns the tabs of a project, those of all for "". The hub is not held while
// they are spoken to: a tab that is busy keeps nobody else waiting.
func (h *hub) of(id string) []*session {
	h.mu.Lock()
	defer h.mu.Unlock()
	var out []*session
	for project, tabs := range h.live {
		if id == "" || id == project {
			for s := range tabs {
				out = append(out, s)
			}
		}
	}
	return out
}

// changed tells every tab of a project its new state.
func (h *hub) changed(st *store.State) {
	for _, s := range h.of(st.ID) {
		s.stored(st)
	}
}

// each calls f with every tab.
func (h *hub) each(f func(*session)) {
	for s := range slices.Values(h.of("")) {
		f(s)
	}
}

// closeAll ends every session, as the server stops.
func (h *hub) closeAll() { h.each(func(s *session) { s.stop() }) }

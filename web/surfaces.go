package web

import (
	"context"
	"sync"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/stage"
	"mobanta/store"
)

// surfaces keeps prepared meshes by the file or solid that they come from.
type surfaces struct {
	store *store.Store
	mu    sync.Mutex
	kept  map[string]*mesh.Surface
	order []string // the least recently used first
}

// keepTriangles is how many triangles are kept ready beyond those in use.
const keepTriangles = 1_500_000

// get returns the mesh of a model; it serves as stage.Surfaces.
func (s *surfaces) get(m *stage.Model) (*mesh.Surface, error) {
	key := m.Solid + "/" + m.File
	s.mu.Lock()
	defer s.mu.Unlock() // one at a time: two tabs that open the same model read it once
	for i, k := range s.order {
		if k == key {
			s.order = append(append(s.order[:i:i], s.order[i+1:]...), key)
			return s.kept[key], nil
		}
	}
	out, err := meshfile.Surface(m, func(hash string) (string, []byte, error) {
		f, err := s.store.File(context.Background(), hash)
		return f.Name, f.Data, err
	})
	if err != nil {
		return nil, err
	}
	s.put(key, out)
	return out, nil
}

func (s *surfaces) put(key string, surface *mesh.Surface) {
	s.kept[key], s.order = surface, append(s.order, key)
	total := 0
	for _, k := range s.kept {
		total += len(k.Tri)
	}
	for len(s.order) > 1 && total > keepTriangles {
		total -= len(s.kept[s.order[0]].Tri)
		delete(s.kept, s.order[0])
		s.order = s.order[1:]
	}
}

// keep puts a mesh that was made ready elsewhere among those kept.
func (s *surfaces) keep(hash string, surface *mesh.Surface) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if key := "/" + hash; s.kept[key] == nil {
		s.put(key, surface)
	}
}

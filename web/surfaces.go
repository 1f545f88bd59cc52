package web

import (
	"context"
	"slices"
	"sync"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
	"mobanta/store"
)

// surfaces keeps prepared meshes by the file or solid that they come from, and
// pictures by their files.
type surfaces struct {
	store *store.Store
	mu    sync.Mutex
	kept  map[string]*mesh.Surface
	order []string // the least recently used first

	picMu  sync.Mutex
	pics   map[string]*pixmap.Pixmap // nil for one that cannot be read
	picUse []string                  // the least recently used first
}

// keepPixels is how many pixels of pictures are kept ready beyond one picture.
const keepPixels = 48 << 20

// Picture returns the picture of that hash; it implements stage.Files.
func (s *surfaces) Picture(hash string) (*pixmap.Pixmap, error) {
	s.picMu.Lock()
	defer s.picMu.Unlock()
	p, ok := s.pics[hash]
	if !ok {
		if f, err := s.store.File(context.Background(), hash); err == nil {
			p, _ = pixmap.Read(f.Data)
		}
		s.pics[hash] = p
		s.picUse = append(s.picUse, hash)
		total := 0
		for _, q := range s.pics {
			if q != nil {
				total += q.W * q.H
			}
		}
		for len(s.picUse) > 1 && (total > keepPixels || len(s.picUse) > 200) {
			if q := s.pics[s.picUse[0]]; q != nil {
				total -= q.W * q.H
			}
			delete(s.pics, s.picUse[0])
			s.picUse = s.picUse[1:]
		}
	} else if i := slices.Index(s.picUse, hash); i < len(s.picUse)-1 {
		s.picUse = append(slices.Delete(s.picUse, i, i+1), hash)
	}
	if p == nil {
		return nil, stage.ErrNoPicture
	}
	return p, nil
}

// keepTriangles is how many triangles are kept ready beyond those in use.
const keepTriangles = 1_500_000

// Surface returns the mesh of a model; it implements stage.Files.
func (s *surfaces) Surface(m *stage.Model) (*mesh.Surface, error) {
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

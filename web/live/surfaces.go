package live

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"golang.org/x/sync/singleflight"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
	"mobanta/core/vec"
	"mobanta/store"
)

// Surfaces keeps prepared meshes by the file or solid that they come from, and
// pictures by their files. Two tabs that ask for the same wait for one reading;
// nobody waits for what somebody else asked for.
type Surfaces struct {
	store  *store.Store
	flight singleflight.Group
	meshes keeper[*mesh.Surface]
	pics   keeper[*pixmap.Pixmap]
	boxes  keeper[vec.Box] // of models where they stand: asked for often, and soon read again otherwise

	mu    sync.Mutex
	waits map[string]*waiting
}

// What is kept ready beyond what is in use.
const (
	keepTriangles = 1_500_000
	keepPixels    = 48 << 20
	keepBoxes     = 10_000
)

func newSurfaces(s *store.Store) *Surfaces {
	return &Surfaces{store: s, waits: map[string]*waiting{},
		meshes: keeper[*mesh.Surface]{kept: map[string]*mesh.Surface{}, budget: keepTriangles, size: func(m *mesh.Surface) int { return len(m.Tri) }},
		pics:   keeper[*pixmap.Pixmap]{kept: map[string]*pixmap.Pixmap{}, budget: keepPixels, size: func(p *pixmap.Pixmap) int { return p.W * p.H }},
		boxes:  keeper[vec.Box]{kept: map[string]vec.Box{}, budget: keepBoxes, size: func(vec.Box) int { return 1 }}}
}

// Box returns the box of a model where it stands; it implements stage.Boxes.
func (s *Surfaces) Box(m *stage.Model) (vec.Box, error) { return s.under(context.Background()).Box(m) }

func (s surfacesUnder) Box(m *stage.Model) (vec.Box, error) {
	key := fmt.Sprint(m.Solid, "/", m.File, m.Form.Key(), m.Matrix(), m.Clip.Name)
	if m.Blobs != nil {
		key = m.Blobs.Key(0, 0) + key
	}
	if b, ok := s.boxes.get(key); ok {
		return b, nil
	}
	b, err := stage.BoxOf(m, s)
	if err == nil {
		s.boxes.put(key, b)
	}
	return b, err
}

// keeper keeps things within a budget; what was used least recently goes first.
type keeper[T any] struct {
	mu     sync.Mutex
	kept   map[string]T
	order  []string // the least recently used first
	budget int
	size   func(T) int
}

func (k *keeper[T]) get(key string) (T, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	v, ok := k.kept[key]
	if i := slices.Index(k.order, key); ok && i < len(k.order)-1 {
		k.order = append(slices.Delete(k.order, i, i+1), key)
	}
	return v, ok
}

func (k *keeper[T]) put(key string, v T) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if _, ok := k.kept[key]; ok {
		return
	}
	k.kept[key], k.order = v, append(k.order, key)
	total := 0
	for _, w := range k.kept {
		total += k.size(w)
	}
	for len(k.order) > 1 && total > k.budget {
		total -= k.size(k.kept[k.order[0]])
		delete(k.kept, k.order[0])
		k.order = k.order[1:]
	}
}

// waiting is how many wait for something that is being read.
type waiting struct {
	n    int
	ctx  context.Context // of the reading: it ends when nobody waits any more
	stop context.CancelFunc
}

// join says that one more waits for a reading, and returns its context; leave is to be called when it does no longer.
func (s *Surfaces) join(key string) (ctx context.Context, leave func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	w := s.waits[key]
	if w == nil {
		w = &waiting{}
		w.ctx, w.stop = context.WithCancel(context.Background())
		s.waits[key] = w
	}
	w.n++
	return w.ctx, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		if w.n--; w.n == 0 {
			w.stop()
			delete(s.waits, key)
			s.flight.Forget(key) // whoever comes now begins anew
		}
	}
}

// once returns what is kept under a key, or else what read makes of the file; a slip in reading stays with those who asked.
// It returns once ctx ends, and reading stops when nobody waits for it any more.
func once[T any](ctx context.Context, s *Surfaces, k *keeper[T], kind, key string, read func(ctx context.Context) (T, error)) (out T, err error) {
	if v, ok := k.get(key); ok {
		return v, nil
	}
	reading, leave := s.join(kind + key)
	defer leave()
	made := s.flight.DoChan(kind+key, func() (v any, err error) {
		defer func() {
			if p := recover(); p != nil {
				err = fmt.Errorf("live: reading %s: %v", kind, p)
			}
		}()
		return read(reading)
	})
	select {
	case <-ctx.Done():
		return out, ctx.Err()
	case r := <-made:
		if r.Err != nil {
			return out, r.Err
		}
		k.put(key, r.Val.(T))
		return r.Val.(T), nil
	}
}

// Picture returns the picture of that hash; it implements stage.Files.
func (s *Surfaces) Picture(hash string) (*pixmap.Pixmap, error) {
	p, err := once(context.Background(), s, &s.pics, "picture ", hash, func(context.Context) (*pixmap.Pixmap, error) {
		f, err := s.store.File(context.Background(), hash)
		if err != nil {
			return nil, err
		}
		return pixmap.Read(f.Data)
	})
	if err != nil {
		return nil, stage.ErrNoPicture
	}
	return p, nil
}

// Surface returns the mesh of a model; it implements stage.Files.
func (s *Surfaces) Surface(m *stage.Model) (*mesh.Surface, error) {
	return s.surface(context.Background(), m)
}

// Under implements stage.Stoppable. Where several ask for the same surface, it is made as long as one of them wants it.
func (s *Surfaces) Under(ctx context.Context) stage.Files { return s.under(ctx) }

func (s *Surfaces) under(ctx context.Context) surfacesUnder { return surfacesUnder{s, ctx} }

// surfacesUnder are surfaces that are made until a context ends.
type surfacesUnder struct {
	*Surfaces
	ctx context.Context
}

func (s surfacesUnder) Surface(m *stage.Model) (*mesh.Surface, error) { return s.surface(s.ctx, m) }

func (s *Surfaces) surface(ctx context.Context, m *stage.Model) (*mesh.Surface, error) {
	return once(ctx, s, &s.meshes, "model ", m.Solid+"/"+m.File+m.Form.Key(), func(ctx context.Context) (*mesh.Surface, error) {
		return meshfile.Surface(ctx, m, func(hash string) (string, []byte, error) {
			f, err := s.store.File(context.Background(), hash)
			return f.Name, f.Data, err
		})
	})
}

// Keep puts a mesh that was made ready elsewhere among those kept.
func (s *Surfaces) Keep(hash string, surface *mesh.Surface) { s.meshes.put("/"+hash, surface) }

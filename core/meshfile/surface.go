package meshfile

import (
	"context"
	"fmt"
	"sync"
	"weak"

	"mobanta/core/mend"
	"mobanta/core/mesh"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
)

// Surface returns the prepared mesh of a stage's model: a solid, or the file
// that open gives the name and bytes of. A context that ends stops it.
func Surface(ctx context.Context, m *stage.Model, open func(hash string) (name string, data []byte, err error)) (*mesh.Surface, error) {
	if m.Solid != "" {
		s := mesh.FindSolid(m.Solid)
		if s == nil {
			return nil, fmt.Errorf("meshfile: there is no solid named %.40q", m.Solid)
		}
		return solids.surface(ctx, s, m.Form)
	}
	name, data, err := open(m.File)
	if err != nil {
		return nil, err
	}
	read := Read
	if m.Form.Mend&mesh.MendFar != 0 {
		read = ReadNear
	}
	model, err := read(ctx, name, data, nil)
	if err != nil {
		return nil, err
	}
	return Formed(ctx, model.Mesh, m.Form)
}

// Formed returns the surface of a mesh in a form: mended as that says, then made ready. A context that ends stops it.
func Formed(ctx context.Context, m *mesh.Mesh, f mesh.Form) (*mesh.Surface, error) {
	if f.Mend != 0 {
		if err := m.Check(); err != nil {
			return nil, err
		}
		var err error
		if m, err = mend.Of(ctx, m, f.Mend); err != nil {
			return nil, err
		}
	}
	return m.Surface(ctx, f)
}

// shared holds the surfaces of solids as long as anybody has them: many projects and pages show the same few.
type shared struct {
	mu sync.Mutex
	of map[shape]weak.Pointer[mesh.Surface]
}

// shape is a solid in a form.
type shape struct {
	solid string
	form  mesh.Form
}

var solids = shared{of: map[shape]weak.Pointer[mesh.Surface]{}}

// surface returns the surface of a solid, made now if nobody has it.
func (k *shared) surface(ctx context.Context, s *mesh.Solid, form mesh.Form) (*mesh.Surface, error) {
	key := shape{s.Key, form}
	k.mu.Lock()
	out := k.of[key].Value()
	k.mu.Unlock()
	if out != nil {
		return out, nil
	}
	out, err := Formed(ctx, s.Make(), form) // two who ask at once make two
	if err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	for old, at := range k.of { // what nobody has any more
		if at.Value() == nil {
			delete(k.of, old)
		}
	}
	k.of[key] = weak.Make(out)
	return out, nil
}

// Clips returns the animations of a mesh as a document lists them.
func Clips(m *mesh.Mesh) (out []stage.FileClip) {
	if m.Motion != nil {
		for i := range m.Motion.Clips {
			out = append(out, stage.FileClip{Name: m.Motion.Clips[i].Name, Seconds: m.Motion.Clips[i].Length})
		}
	}
	return out
}

// Files reads what a stage is made from, anew each time; it serves as stage.Files.
type Files func(hash string) (name string, data []byte, err error)

// Surface implements stage.Files.
func (f Files) Surface(m *stage.Model) (*mesh.Surface, error) {
	return Surface(context.Background(), m, f)
}

// Under implements stage.Stoppable.
func (f Files) Under(ctx context.Context) stage.Files { return readUnder{f, ctx} }

type readUnder struct {
	Files
	ctx context.Context
}

func (f readUnder) Surface(m *stage.Model) (*mesh.Surface, error) { return Surface(f.ctx, m, f.Files) }

// Picture implements stage.Files.
func (f Files) Picture(hash string) (*pixmap.Pixmap, error) {
	_, data, err := f(hash)
	if err != nil {
		return nil, err
	}
	return pixmap.Read(data)
}

// Kept returns files that are read once and kept, for whoever draws many pictures of few models. It is safe for use by many
// at once.
func Kept(f Files) stage.Files {
	return &kept{files: f, meshes: map[string]*mesh.Surface{}, pictures: map[string]*pixmap.Pixmap{}}
}

type kept struct {
	files    Files
	mu       sync.Mutex
	meshes   map[string]*mesh.Surface
	pictures map[string]*pixmap.Pixmap
}

// Surface implements stage.Files.
func (k *kept) Surface(m *stage.Model) (*mesh.Surface, error) {
	return k.surface(context.Background(), m)
}

func (k *kept) surface(ctx context.Context, m *stage.Model) (*mesh.Surface, error) {
	return keep(k, k.meshes, m.Solid+"/"+m.File+m.Form.Key(), func() (*mesh.Surface, error) { return Surface(ctx, m, k.files) })
}

// Under implements stage.Stoppable.
func (k *kept) Under(ctx context.Context) stage.Files { return keptUnder{k, ctx} }

type keptUnder struct {
	*kept
	ctx context.Context
}

func (k keptUnder) Surface(m *stage.Model) (*mesh.Surface, error) { return k.surface(k.ctx, m) }

// Picture implements stage.Files.
func (k *kept) Picture(hash string) (*pixmap.Pixmap, error) {
	return keep(k, k.pictures, hash, func() (*pixmap.Pixmap, error) { return k.files.Picture(hash) })
}

func keep[T any](k *kept, in map[string]T, key string, read func() (T, error)) (T, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if v, ok := in[key]; ok {
		return v, nil
	}
	v, err := read()
	if err == nil {
		in[key] = v
	}
	return v, err
}

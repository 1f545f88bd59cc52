package stage

import (
	"fmt"
	"slices"
	"sync"

	"mobanta/core/blob"
	"mobanta/core/mesh"
	"mobanta/core/motion"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

// SurfaceOf returns the surface of a model at a time: that of its solid or file, which is always the same, or of its
// blobs, whose surface is another at each moment.
func SurfaceOf(m *Model, t Time, files Files) (*mesh.Surface, error) {
	if m.Blobs == nil {
		return files.Surface(m)
	}
	at, loop := t.Held().At, t.Filled().Length
	return madeBlobs.of(m.Blobs.Key(at, loop)+m.Form.Key(), func() (*mesh.Surface, error) { return m.Blobs.Surface(at, loop) })
}

// recent keeps the surfaces of blobs that were asked for last: several renderers show the same moment.
type recent struct {
	mu   sync.Mutex
	list []*blobSurface // the last asked for first
}

type blobSurface struct {
	key     string
	once    sync.Once
	surface *mesh.Surface
	err     error
}

// keptBlobs is of how many moments surfaces are kept.
const keptBlobs = 12

var madeBlobs recent

func (r *recent) of(key string, make func() (*mesh.Surface, error)) (*mesh.Surface, error) {
	r.mu.Lock()
	i := slices.IndexFunc(r.list, func(e *blobSurface) bool { return e.key == key })
	var e *blobSurface
	if i >= 0 {
		e = r.list[i]
		r.list = slices.Delete(r.list, i, i+1)
	} else {
		e = &blobSurface{key: key}
	}
	r.list = slices.Insert(r.list, 0, e)
	r.list = r.list[:min(len(r.list), keptBlobs)]
	r.mu.Unlock()
	e.once.Do(func() { e.surface, e.err = make() })
	if e.surface == nil && e.err == nil { // a slip while it was made
		return nil, fmt.Errorf("its blobs could not be made")
	}
	return e.surface, e.err
}

// cloud is places that something that moves reaches, each with how far about it.
type cloud []blob.Ball

// at returns the box about the cloud where a matrix places it.
func (c cloud) at(m vec.M) vec.Box {
	box := vec.EmptyBox()
	long := max(m.X.Len(), m.Y.Len(), m.Z.Len())
	for _, l := range c {
		p, r := m.Point(l.At), vec.V{1, 1, 1}.Mul(l.Size*long)
		box = box.Grow(p.Sub(r)).Grow(p.Add(r))
	}
	return box
}

// views is at how many moments it is looked where a model that moves is.
const views = 24

// moveBox returns where a model that moves by itself is in all of its clip, or of a loop, in its own space.
func moveBox(m *Model, s *mesh.Surface, t Time) cloud {
	if m.Blobs != nil {
		var out cloud
		loop := t.Filled().Length
		melt := m.Blobs.Melt
		if melt == 0 {
			melt = blob.DefaultMelt
		}
		for k := range views {
			for _, l := range m.Blobs.Alive(loop*float64(k)/views, loop) {
				if !l.Hollow {
					l.Size *= float32(1 + melt/2) // where balls lie upon each other they swell
					out = append(out, l)
				}
			}
		}
		return out
	}
	c := clipOf(m, s)
	if c == nil {
		return nil
	}
	return s.Always("where "+c.Name, func() any {
		box := vec.EmptyBox()
		for k := range views {
			for _, p := range s.Mesh.Motion.Pose(c, c.Length*float64(k)/views, s.Positions()) {
				if p.Finite() {
					box = box.Grow(p)
				}
			}
		}
		var out cloud
		if !box.Empty() {
			for _, p := range box.Corners() {
				out = append(out, blob.Ball{At: p})
			}
		}
		return out
	}).(cloud)
}

// clipOf returns the clip that a model plays, nil for none; one that is not in its file is none.
func clipOf(m *Model, s *mesh.Surface) *motion.Clip {
	if m.Clip.Name == "" || s.Mesh.Motion == nil {
		return nil
	}
	return s.Mesh.Motion.Clip(m.Clip.Name)
}

// played returns the steps that a model's clip comes to.
func played(m *Model, s *mesh.Surface) []shape.Step {
	if c := clipOf(m, s); c != nil {
		return []shape.Step{playing{m.Clip, c}}
	}
	return nil
}

// playing is the step that a clip is.
type playing struct {
	how  Clip
	clip *motion.Clip
}

// Key implements shape.Step.
func (p playing) Key(at float64) string {
	return fmt.Sprintf("clip %q %g", p.clip.Name, p.how.At(at, p.clip.Length))
}

// Move implements shape.Step.
func (p playing) Move(rest *mesh.Surface, from []vec.V, at float64) ([]vec.V, error) {
	pos := rest.Stand(rest.Mesh.Motion.Pose(p.clip, p.how.At(at, p.clip.Length), rest.Positions()))
	if pos == nil {
		return nil, fmt.Errorf("the clip %q does not fit its model", p.clip.Name)
	}
	for i, v := range pos {
		if !v.Finite() || v.Dot(v) > 1e30 { // a joint far beyond anything
			pos[i] = from[i]
		}
	}
	return pos, nil
}

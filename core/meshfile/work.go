package meshfile

import (
	"context"
	"errors"
	"fmt"

	"mobanta/core/mesh"
	"mobanta/core/names"
	"mobanta/core/vec"
)

// Limits on what reading may cost, whatever a file asks for.
const (
	maxWork  = 128 << 20 // numbers read, and the like
	maxNotes = 30
	maxLine  = 4 << 20 // bytes of a line with those that it goes on in
	maxSides = 100     // files beside a model
	nameLen  = 80      // letters of a part's name
	keyLen   = 1000    // of a group's or material's
	heed     = 1 << 20 // of work between two looks at the context
)

var errCostly = errors.New("it asks for the same numbers so often that it cannot be read in reasonable time")

// work counts what reading costs, and hears whether the reader has gone.
type work struct {
	ctx  context.Context
	left int
	next int   // look at the context below this
	from vec.V // the place that is to lie at the origin
}

// near returns a place of the file as it is told from w.from on, rounded only then.
func (w *work) near(x, y, z float64) vec.V {
	return vec.V{float32(x - float64(w.from[0])), float32(y - float64(w.from[1])), float32(z - float64(w.from[2]))}
}

func newWork(ctx context.Context) *work { return &work{ctx: ctx, left: maxWork, next: maxWork} }

// spend takes n of the work that is left.
func (w *work) spend(n int) error {
	if n < 0 || n > w.left {
		return errCostly
	}
	if w.left -= n; w.left < w.next {
		w.next = w.left - heed
		return w.ctx.Err()
	}
	return nil
}

// notes are what was left out, each said once.
type notes struct{ list names.Remarks }

func (n *notes) add(format string, args ...any) { n.list.Add(maxNotes, format, args...) }

// naming gives parts names of their own.
type naming struct {
	taken map[string]bool
	next  map[string]int // name → the number to try behind it
}

// unique returns name, or name with a number behind it if taken already, or
// otherwise if nothing of it is left.
func (n *naming) unique(name, otherwise string) string {
	if n.taken == nil {
		n.taken, n.next = map[string]bool{}, map[string]int{}
	}
	if name = names.Clip(name, nameLen); name == "" {
		name = otherwise
	}
	out := name
	for n.taken[out] {
		k := max(2, n.next[name])
		n.next[name] = k + 1
		out = fmt.Sprintf("%s %d", name, k)
	}
	n.taken[out] = true
	return out
}

// room returns why a mesh cannot take so many more positions, coordinates, normals
// and corners, or nil.
func room(m *mesh.Mesh, positions, uvs, normals, corners int) error {
	switch {
	case len(m.Positions)+positions > maxPositions:
		return fmt.Errorf("more than %d positions", maxPositions)
	case len(m.UVs)+uvs > 3*mesh.MaxTriangles:
		return fmt.Errorf("more than %d texture coordinates", 3*mesh.MaxTriangles)
	case len(m.Normals)+normals > 3*mesh.MaxTriangles:
		return fmt.Errorf("more than %d normals", 3*mesh.MaxTriangles)
	case len(m.Corners)+corners > 4*mesh.MaxTriangles:
		return fmt.Errorf("more than %d triangles", mesh.MaxTriangles)
	}
	return nil
}

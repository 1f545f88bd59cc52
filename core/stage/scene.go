package stage

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"sync"
	"weak"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/pixmap"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

// Scene is a stage made ready to render. Its geometry is in world space and
// never changes once made, so that renderers may share it.
type Scene struct {
	*Geometry
	Stage  *Stage
	Lights []light.Source
	Parts  []Part
	Files  Files
	Rest   *Scene  // the same with no vertex moved by looks; nil where none is
	made   []Light // what Lights were made from
}

// Geometry is the triangles of all models in world space.
type Geometry struct {
	Pos, Normal []vec.V
	UV          [][2]float32 // len(Pos)
	Tri         [][3]int32
	TriPart     []int32 // index into Scene.Parts
	Box         vec.Box
	Models      []Placed
	Size        float32 // the length that "1" means: the diagonal of Box, 1 if there are no models
	Moved       bool    // whether any model has another shape than at rest

	besideOnce sync.Once
	beside     [][3]int32
	flatOnce   sync.Once
	flat       []vec.V
	keeping    sync.Mutex
	kept       map[string]any
}

// Placed is one model's run of triangles.
type Placed struct {
	Surface     *mesh.Surface // at rest
	Shape       *shape.Shape  // as it is now
	Matrix      vec.M
	Inverse     vec.M
	FirstTri    int
	FirstVertex int
}

// Part is a part of a placed model.
type Part struct {
	Model int // index into Geometry.Models
	Name  string
	Look  string // the look's id, "" for none
	Box   vec.Box
	ID    string // as lights name it, PartID
	Color color.C
	UV    bool    // whether the model has texture coordinates
	Seed  float32 // a chance number of the part's name, 0 up to 1
}

// Seed returns the chance number of a name, 0 up to 1.
func Seed(name string) float32 {
	sum := sha256.Sum256([]byte(name))
	return float32(binary.LittleEndian.Uint32(sum[:])>>8) / (1 << 24)
}

// Files gives what a stage is made from.
type Files interface {
	// Surface returns the prepared mesh of a model; it is called for every model
	// of the stage.
	Surface(m *Model) (*mesh.Surface, error)
	// Picture returns the picture of that hash.
	Picture(hash string) (*pixmap.Pixmap, error)
}

// Stoppable is implemented by files whose surfaces take long to be made at times.
type Stoppable interface {
	Files
	// Under returns the same files, which give up making a surface, with the context's error, once ctx has ended.
	Under(ctx context.Context) Files
}

// Under returns files that hear that ctx has ended, as far as they can.
func Under(ctx context.Context, files Files) Files {
	if f, ok := files.(Stoppable); ok {
		return f.Under(ctx)
	}
	return files
}

// Shaper is implemented by files that do something to surfaces.
type Shaper interface {
	// Steps returns what is done to the surface of a model.
	Steps(m *Model) []shape.Step
}

// Surfaces serves as Files where there are no pictures.
type Surfaces func(m *Model) (*mesh.Surface, error)

// Surface implements Files.
func (f Surfaces) Surface(m *Model) (*mesh.Surface, error) { return f(m) }

// Picture implements Files.
func (f Surfaces) Picture(string) (*pixmap.Pixmap, error) { return nil, ErrNoPicture }

// ErrNoPicture says that a picture is not there.
var ErrNoPicture = errors.New("stage: the picture is missing")

// NewScene makes s ready. An older scene with the same models at the same places lends
// its geometry, and so does any other that is in use; it may be nil.
func NewScene(s *Stage, files Files, old *Scene) (*Scene, error) {
	sc := &Scene{Stage: s, Files: files}
	shapes := make([]*shape.Shape, len(s.Models))
	for i := range s.Models {
		m := &s.Models[i]
		surface, err := SurfaceOf(m, s.Time, files)
		if err != nil {
			return nil, fmt.Errorf("stage: model %.40q: %w", m.Name, err)
		}
		steps := played(m, surface)
		if f, ok := files.(Shaper); ok {
			steps = append(steps, f.Steps(m)...)
		}
		if shapes[i], err = shape.Of(surface, steps, s.Time.Held().At); err != nil {
			return nil, fmt.Errorf("stage: model %.40q: %w", m.Name, err)
		}
	}
	if old != nil && old.Geometry.of(s, shapes) {
		sc.Geometry = old.Geometry
	} else {
		sc.Geometry = geometries.of(s, shapes)
	}
	for i := range s.Models {
		surface := shapes[i].Rest
		for k, p := range surface.Mesh.Parts {
			sc.Parts = append(sc.Parts, Part{Model: i, Name: p.Name, ID: PartID(s.Models[i].ID, p.Name), Look: s.Models[i].Looks[p.Name], Color: p.Color, Seed: Seed(p.Name),
				Box: transformed(surface.PartBox[k], sc.Models[i].Matrix), UV: len(surface.UV) > 0})
		}
	}
	sc.made = slices.Clone(s.Lights)
	for i := range s.Lights {
		sc.Lights = append(sc.Lights, s.Lights[i].source(sc, old))
	}
	return sc, nil
}

// Bounds returns the box of the models of a stage, those left out whose files cannot
// be read; it is empty if there are none.
func Bounds(s *Stage, files Files) vec.Box {
	box := vec.EmptyBox()
	for i := range s.Models {
		m := &s.Models[i]
		if known, ok := files.(Boxes); ok {
			if b, err := known.Box(m); err == nil {
				box = box.Union(b)
			}
		} else if b, err := BoxOf(m, files); err == nil {
			box = box.Union(b)
		}
	}
	return box
}

// Boxes is implemented by files that remember the boxes of models.
type Boxes interface {
	// Box returns the box of a model where it stands.
	Box(m *Model) (vec.Box, error)
}

// BoxOf returns the box of a model where it stands, wherever its own clip or spring takes it.
func BoxOf(m *Model, files Files) (vec.Box, error) {
	box := vec.EmptyBox()
	if m.Blobs != nil {
		return moveBox(m, nil, Time{}).at(m.Matrix()), nil
	}
	surface, err := files.Surface(m)
	if err != nil {
		return box, err
	}
	at := m.Matrix()
	for _, p := range surface.Pos {
		box = box.Grow(at.Point(p))
	}
	if m.Moves() {
		box = box.Union(moveBox(m, surface, Time{}).at(at))
	}
	return box, nil
}

// of tells whether the geometry is that of a stage whose models have these shapes.
func (g *Geometry) of(s *Stage, shapes []*shape.Shape) bool {
	if len(g.Models) != len(shapes) {
		return false
	}
	for i, sh := range shapes {
		p := &g.Models[i]
		if p.Surface != sh.Rest || p.Shape.Key != sh.Key || p.Matrix != s.Models[i].Matrix() {
			return false
		}
	}
	return true
}

// shared finds the geometries that are in use, so that all who show the same models have
// one, with all that is kept with it.
type shared struct {
	mu   sync.Mutex
	live []weak.Pointer[Geometry]
}

var geometries shared

func (c *shared) of(s *Stage, shapes []*shape.Shape) *Geometry {
	c.mu.Lock()
	c.live = slices.DeleteFunc(c.live, func(p weak.Pointer[Geometry]) bool { return p.Value() == nil })
	for _, p := range c.live {
		if g := p.Value(); g != nil && g.of(s, shapes) {
			c.mu.Unlock()
			return g
		}
	}
	c.mu.Unlock()
	g := newGeometry(s, shapes)
	c.mu.Lock()
	defer c.mu.Unlock()
	c.live = append(c.live, weak.Make(g))
	return g
}

// Keep returns what was made of the geometry under a name before, or makes it: what hangs
// on nothing else, as the trees of rays do, is kept as long as the geometry.
func (g *Geometry) Keep(name string, make func() any) any {
	g.keeping.Lock()
	defer g.keeping.Unlock()
	if g.kept == nil {
		g.kept = map[string]any{}
	}
	if g.kept[name] == nil {
		g.kept[name] = make()
	}
	return g.kept[name]
}

func newGeometry(s *Stage, shapes []*shape.Shape) *Geometry {
	g := &Geometry{Box: vec.EmptyBox()}
	var nv, nt int
	for _, l := range shapes {
		nv, nt = nv+len(l.Pos), nt+len(l.Rest.Tri)
	}
	g.Pos, g.Normal = slices.Grow(g.Pos, nv), slices.Grow(g.Normal, nv)
	g.UV = make([][2]float32, nv)
	g.Tri, g.TriPart = slices.Grow(g.Tri, nt), slices.Grow(g.TriPart, nt)
	part := int32(0)
	for i, sh := range shapes {
		l := sh.Rest
		m := s.Models[i].Matrix()
		inv, _ := m.Inverse()
		base := int32(len(g.Pos))
		g.Models = append(g.Models, Placed{Surface: l, Shape: sh, Matrix: m, Inverse: inv, FirstTri: len(g.Tri), FirstVertex: len(g.Pos)})
		g.Moved = g.Moved || sh.Moved()
		copy(g.UV[base:], l.UV)
		// The floor is not what is looked at; and what moves by itself counts wherever it goes, or what is measured by the
		// box, as depth is, would breathe.
		apart := s.Models[i].ID == FloorID || s.Models[i].Moves()
		if s.Models[i].Moves() {
			g.Box = g.Box.Union(moveBox(&s.Models[i], l, s.Time).at(m))
		}
		for v, p := range sh.Pos {
			p = m.Point(p)
			g.Pos = append(g.Pos, p)
			if !apart {
				g.Box = g.Box.Grow(p)
			}
			g.Normal = append(g.Normal, m.Normal(sh.Normal[v]).Unit())
		}
		for t, tri := range l.Tri {
			g.Tri = append(g.Tri, [3]int32{tri[0] + base, tri[1] + base, tri[2] + base})
			g.TriPart = append(g.TriPart, l.TriPart[t]+part)
		}
		part += int32(len(l.Mesh.Parts))
	}
	if g.Size = g.Box.Diagonal(); !(g.Size > 0) {
		g.Size = 1
	}
	return g
}

func transformed(b vec.Box, m vec.M) vec.Box {
	out := vec.EmptyBox()
	if !b.Empty() {
		for _, c := range b.Corners() {
			out = out.Grow(m.Point(c))
		}
	}
	return out
}

// Regions returns for each triangle the number of its region at the given crease
// angle, different for each model. See mesh.Surface.Regions.
func (g *Geometry) Regions(degrees float64) []int32 {
	out := make([]int32, 0, len(g.Tri))
	for _, m := range g.Models {
		base := int32(m.FirstTri)
		for _, r := range m.Surface.Regions(degrees) {
			// A region is named by one of its faces, and a model has no more faces than triangles.
			out = append(out, base+r)
		}
	}
	return out
}

// Folds returns what tells whether a crease over that angle lies between two triangles of one region: it ends within it.
func (sc *Scene) Folds(degrees float64) func(a, b int32) bool {
	of := make([]*mesh.Folds, len(sc.Models))
	for i := range sc.Models {
		of[i] = sc.Models[i].Surface.Folds(degrees)
	}
	return func(a, b int32) bool {
		i := sc.Parts[sc.TriPart[a]].Model
		first := int32(sc.Models[i].FirstTri)
		return of[i].Between(a-first, b-first)
	}
}

// FlatNormals returns the unit normals of all triangles, as FlatNormal has them: for who asks for many again and again. They are
// kept; do not write to them.
func (g *Geometry) FlatNormals() []vec.V {
	g.flatOnce.Do(func() {
		g.flat = make([]vec.V, len(g.Tri))
		for t := range g.flat {
			g.flat[t] = g.FlatNormal(int32(t))
		}
	})
	return g.flat
}

// FlatNormal returns the unit normal of triangle t.
func (g *Geometry) FlatNormal(t int32) vec.V {
	v := g.Tri[t]
	return g.Pos[v[1]].Sub(g.Pos[v[0]]).Cross(g.Pos[v[2]].Sub(g.Pos[v[0]])).Unit()
}

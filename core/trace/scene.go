package trace

import (
	"mobanta/core/shape"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Scene answers for all models of a stage. It never changes once made and is
// safe for use by several goroutines.
type Scene struct {
	Geometry *stage.Geometry
	placed   []placed
}

// placed is a model's tree and where it stands.
type placed struct {
	shape  *shape.Shape
	matrix vec.M
	first  int32 // the model's first triangle
	tree   *Tree
}

// Of returns the trees of geo, which are built, as NewScene does, when they are first
// asked for, and kept with it: whoever shows the same geometry has the same. old is as
// in NewScene.
func Of(geo *stage.Geometry, old *Scene, workers int) *Scene {
	t := geo.Keep("trees of rays", func() any { return NewScene(geo, old, workers) })
	return t.(*Scene)
}

// NewScene builds the trees of geo on up to workers cores. Models that stand
// where they stood in old, which may be nil, keep their trees.
func NewScene(geo *stage.Geometry, old *Scene, workers int) *Scene {
	s := &Scene{Geometry: geo}
	type key struct {
		shape  *shape.Shape
		matrix vec.M
	}
	kept := map[key]*Tree{}
	if old != nil {
		for _, p := range old.placed {
			kept[key{p.shape, p.matrix}] = p.tree
		}
	}
	for i, m := range geo.Models {
		end := len(geo.Tri)
		if i+1 < len(geo.Models) {
			end = geo.Models[i+1].FirstTri
		}
		k := key{m.Shape, m.Matrix}
		if kept[k] == nil {
			kept[k] = treeFor(geo, &geo.Models[i], m.FirstTri, end, workers)
		}
		s.placed = append(s.placed, placed{m.Shape, m.Matrix, int32(m.FirstTri), kept[k]})
	}
	return s
}

// reaches tells whether the ray meets the box of a tree that is not empty.
func (r *ray) reaches(t *Tree) bool {
	if len(t.nodes) == 0 {
		return false
	}
	near, end := float32(0), r.far
	for k := range 3 {
		a, b := (t.box.Min[k]-r.o[k])*r.inv[k], (t.box.Max[k]-r.o[k])*r.inv[k]
		if a > b {
			a, b = b, a
		}
		near, end = max(near, a), min(end, b*slack)
	}
	return near <= end
}

// Occluded tells whether the ray from o meets anything; see Tree.Occluded.
func (s *Scene) Occluded(o, dir vec.V, far float32) bool {
	if dir == (vec.V{}) {
		return false
	}
	var r ray
	r.set(o, dir, far)
	for i := range s.placed {
		if t := s.placed[i].tree; r.reaches(t) && t.any(&r) {
			return true
		}
	}
	return false
}

// Nearest returns what the ray from o meets first, by its number in the
// geometry; see Tree.Nearest.
func (s *Scene) Nearest(o, dir vec.V, far float32) (h Hit, ok bool) {
	if dir == (vec.V{}) {
		return Hit{}, false
	}
	var r ray
	r.set(o, dir, far)
	for i := range s.placed {
		p := &s.placed[i]
		if !r.reaches(p.tree) {
			continue
		}
		if f := p.tree.first(&r); f.id >= 0 {
			r.far = f.t
			h, ok = Hit{f.t, f.id + p.first, f.u, f.v}, true
		}
	}
	return h, ok
}

package contour

import (
	"math"

	"mobanta/core/diffgeom"
	"mobanta/core/vec"
)

const (
	// suggestiveRadius is over how much of the model's diagonal its bending is smoothed.
	suggestiveRadius = 0.015
	// suggestiveLeast is how fast the radial curvature must grow towards the eye, in one by the square of the
	// model's diagonal.
	suggestiveLeast = 6
	// suggestiveFront is the cosine beyond which a surface that faces the eye has none.
	suggestiveFront = 0.94
)

// suggestive finds where the surface would turn away from an eye a little to the side: where its
// curvature towards the eye is 0 and grows (DeCarlo, Finkelstein, Rusinkiewicz and Santella 2003,
// "Suggestive contours for conveying shape").
func (f *finder) suggestive(workers int) {
	radial := make([]float32, len(f.geo.Pos))
	towards := make([]vec.V, len(f.geo.Pos)) // along the surface towards the eye, in the model's own space
	front := make([]float32, len(f.geo.Pos))
	for i := range f.geo.Models {
		m := &f.geo.Models[i]
		diagonal := float64(m.Surface.Box.Diagonal())
		if !(diagonal > 0) || !f.modelOn(i) {
			continue
		}
		bends := diffgeom.BendsOf(m.Shape, suggestiveRadius*diagonal, workers)
		back := m.Inverse.Dir(f.view.Back)
		eye := m.Inverse.Point(f.view.Eye)
		f.over(workers, len(m.Shape.Pos), func(v int) {
			d := back
			if !f.view.Ortho {
				d = eye.Sub(m.Shape.Pos[v])
			}
			d = d.Unit()
			n := m.Shape.Normal[v]
			front[m.FirstVertex+v] = d.Dot(n)
			w := d.Sub(n.Mul(d.Dot(n)))
			towards[m.FirstVertex+v] = w
			if l := w.Dot(w); l > 1e-6 {
				radial[m.FirstVertex+v] = bends.Along(int32(v), w) / l
			}
		})
	}
	clear(f.byEdge)
	for _, t := range f.passing(workers, radial, 0) {
		m := &f.geo.Models[f.scene.Parts[f.geo.TriPart[t]].Model]
		v := f.geo.Tri[t]
		facing := (front[v[0]] + front[v[1]] + front[v[2]]) / 3
		if facing <= 0 || facing > suggestiveFront {
			continue
		}
		base := int32(m.FirstVertex)
		if level(m.Shape.Normal[v[0]-base], m.Shape.Normal[v[1]-base], m.Shape.Normal[v[2]-base]) {
			continue // it would be a hint of what bends beside it
		}
		p0 := m.Shape.Pos[v[0]-base]
		e1, e2 := m.Shape.Pos[v[1]-base].Sub(p0), m.Shape.Pos[v[2]-base].Sub(p0)
		w := towards[v[0]].Add(towards[v[1]]).Add(towards[v[2]]).Unit()
		// The gradient of the radial curvature along w.
		a, b, ok := along(e1, e2, w)
		if !ok {
			continue
		}
		grows := float64(a*(radial[v[1]]-radial[v[0]]) + b*(radial[v[2]]-radial[v[0]]))
		diagonal := float64(m.Surface.Box.Diagonal())
		if least := suggestiveLeast / (diagonal * diagonal); grows > least && !math.IsInf(grows, 0) {
			f.level(t, radial, 0, Suggestive)
		}
	}
}

// level tells whether a triangle with such normals does not bend at all, as on a flat panel.
func level(a, b, c vec.V) bool {
	const alike = 1e-4 // radian: a ball of a hundred million triangles bends by more in each
	d, e := b.Sub(a), c.Sub(a)
	return max(d.Dot(d), e.Dot(e)) < alike*alike
}

// modelOn tells whether lines of any part of a model are wanted.
func (f *finder) modelOn(model int) bool {
	for p, on := range f.want.On {
		if on && f.scene.Parts[p].Model == model {
			return true
		}
	}
	return false
}

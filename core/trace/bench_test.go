package trace

import (
	"testing"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

func BenchmarkOccluded(b *testing.B) {
	m := mesh.Sphere(1, 256, 128)
	m.Join(mesh.Torus(1.5, 0.3, 128, 64), vec.Identity())
	geo := geometry(b, m)
	tree := New(geo)
	dir := vec.Direction(-52, 47)
	b.ReportMetric(float64(len(geo.Tri)), "triangles")
	i := 0
	for b.Loop() {
		t := geo.Tri[(i*7919)%len(geo.Tri)]
		i++
		n := geo.Normal[t[0]]
		if n.Dot(dir) > 0 {
			tree.Occluded(geo.Pos[t[0]].Add(n.Mul(1e-4)), dir, 1e30)
		}
	}
}

func BenchmarkBuild(b *testing.B) {
	geo := geometry(b, mesh.Sphere(1, 256, 128))
	for b.Loop() {
		New(geo)
	}
}

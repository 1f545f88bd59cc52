package diffgeom

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

func shapeOf(t testing.TB, m *mesh.Mesh) *shape.Shape {
	t.Helper()
	s, err := mesh.NewSurface(m, 40)
	require.NoError(t, err)
	return &shape.Shape{Rest: s, Pos: s.Pos, Normal: s.Normal}
}

// A cylinder bends round its axis alone, a torus most round its tube; a ball's flow runs level.
func TestTheFlowRunsWhereTheShapeBends(t *testing.T) {
	side := mesh.Grid("side", 64, 40, func(u, v float64) vec.V {
		s, c := math.Sincos(2 * math.Pi * u)
		return vec.V{float32(c), float32(4*v - 2), float32(-s)}
	})
	sh := shapeOf(t, side)
	f := FlowOf(sh, 0.2, 0, 2)
	for k, w := range f.Way {
		assert.InDelta(t, 0, w[1], 0.02)
		assert.InDelta(t, 0, w.Dot(f.Normal[k]), 1e-3)
	}
	upright := mesh.Torus(1, 0.3, 96, 40)
	sh = shapeOf(t, upright)
	f = FlowOf(sh, 0.1, 0, 2)
	for v, k := range f.sheet.Of {
		p := sh.Pos[v]
		round := vec.V{-p[2], 0, p[0]}.Unit() // round the ring
		assert.Less(t, math.Abs(float64(f.Way[k].Dot(round))), 0.1, "it runs round the tube")
	}
	sh = shapeOf(t, mesh.Sphere(1, 48, 24))
	f = FlowOf(sh, 0.3, 0, 2)
	for v, k := range f.sheet.Of {
		if p := sh.Pos[v]; math.Abs(float64(p[1])) < 0.7 {
			assert.Less(t, math.Abs(float64(f.Way[k][1])), 0.2)
		}
	}
	assert.Same(t, f, FlowOf(sh, 0.3, 0, 2), "it is kept")
}

// On a cylinder the stripes along it are straight, evenly apart, and whole all round.
func TestStripesAreEvenlyApart(t *testing.T) {
	const many = 6.0 // a unit of length
	side := mesh.Grid("side", 96, 60, func(u, v float64) vec.V {
		s, c := math.Sincos(2 * math.Pi * u)
		return vec.V{float32(c), float32(3*v - 1.5), float32(-s)}
	})
	sh := shapeOf(t, side)
	f := FlowOf(sh, 0.2, 0, 2)
	for _, angle := range []float64{0, 90} {
		s := StripesOf(sh, f, angle, many, 2)
		good := 0
		for i, tri := range sh.Rest.Tri {
			p := [3]vec.V{sh.Pos[tri[0]], sh.Pos[tri[1]], sh.Pos[tri[2]]}
			// By how much they grow along the surface, from the numbers at the corners.
			e1, e2 := p[1].Sub(p[0]), p[2].Sub(p[0])
			d1, d2 := float64(s.at[i][1]-s.at[i][0]), float64(s.at[i][2]-s.at[i][0])
			a, b, c := float64(e1.Dot(e1)), float64(e1.Dot(e2)), float64(e2.Dot(e2))
			det := a*c - b*b
			x, y := (d1*c-d2*b)/det, (d2*a-d1*b)/det
			grad := e1.Mul(float32(x)).Add(e2.Mul(float32(y)))
			up := math.Abs(float64(grad[1])) / float64(grad.Len())
			if math.Abs(float64(grad.Len())-many) < 0.12*many && (angle == 0) == (up > 0.98) && (angle == 90) == (up < 0.2) {
				good++
			}
		}
		assert.Greater(t, float64(good), 0.93*float64(len(sh.Rest.Tri)), "turned by %v", angle)
	}
}

func BenchmarkStripes(b *testing.B) {
	sh := shapeOf(b, mesh.Torus(1, 0.4, 240, 96))
	f := newFlow(sh, 0.1, 0, 2)
	b.Run("flow", func(b *testing.B) {
		for b.Loop() {
			newFlow(sh, 0.1, 0, 2)
		}
	})
	b.Run("stripes", func(b *testing.B) {
		for b.Loop() {
			newStripes(f, 30, 20, 2)
		}
	})
}

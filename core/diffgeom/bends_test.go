package diffgeom_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/diffgeom"
	"mobanta/core/mesh"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

// A cylinder bends by one over its radius around, and not along; a ball by as much every way.
func TestBendsEveryWay(t *testing.T) {
	of := func(m *mesh.Mesh) (*shape.Shape, diffgeom.Bends) {
		s, err := mesh.NewSurface(m, mesh.DefaultCrease)
		require.NoError(t, err)
		sh, err := shape.Of(s, nil, 0)
		require.NoError(t, err)
		return sh, diffgeom.BendsOf(sh, 0.05, 2)
	}
	sh, bends := of(mesh.Lathe("side", []vec.V{{0.5, -2, 0}, {0.5, -1, 0}, {0.5, 0, 0}, {0.5, 1, 0}, {0.5, 2, 0}}, 96))
	for v, p := range sh.Pos {
		if p[1] != 0 {
			continue
		}
		around := vec.V{0, 1, 0}.Cross(sh.Normal[v])
		assert.InDelta(t, 2, bends.Along(int32(v), around), 0.05)
		assert.InDelta(t, 8, bends.Along(int32(v), around.Mul(2)), 0.2)
		assert.InDelta(t, 0, bends.Along(int32(v), vec.V{0, 1, 0}), 0.05)
	}
	sh, bends = of(mesh.Sphere(2, 64, 48))
	for v, p := range sh.Pos {
		if p[1] > 1 || p[1] < -1 {
			continue
		}
		n := sh.Normal[v]
		a := n.Cross(vec.V{0.3, 0.9, 0.1}).Unit()
		assert.InDelta(t, 0.5, bends.Along(int32(v), a), 0.02)
		assert.InDelta(t, 0.5, bends.Along(int32(v), n.Cross(a)), 0.02)
	}
}

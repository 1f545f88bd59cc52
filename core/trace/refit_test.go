package trace_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// bent returns the places of a surface bent about an axis, the further the higher.
func bent(s *mesh.Surface, by float64) []vec.V {
	out := make([]vec.V, len(s.Pos))
	for i, p := range s.Pos {
		sin, cos := math.Sincos(by * float64(p[1]))
		out[i] = vec.V{float32(cos)*p[0] - float32(sin)*p[2] + float32(by)*p[1]*p[1], p[1] * 1.2, float32(sin)*p[0] + float32(cos)*p[2]}
	}
	return out
}

// A tree that is refitted meets what one that is built anew meets, at the same distance; also back at rest, and with
// few triangles, and none.
func TestARefittedTreeMeetsTheSame(t *testing.T) {
	for name, m := range map[string]*mesh.Mesh{"torus": mesh.Torus(0.75, 0.3, 120, 40), "cube": mesh.Cuboid(vec.V{1, 2, 1}), "ball": mesh.Sphere(1, 200, 100)} {
		s, err := mesh.NewSurface(m, 40)
		require.NoError(t, err)
		rest := trace.NewTree(s.Pos, s.Tri, 2)
		r := rand.New(rand.NewPCG(3, 4))
		for _, by := range []float64{0, 0.7, 2.5} {
			pos := bent(s, by)
			refit, fresh := rest.Refit(pos, s.Tri, 2), trace.NewTree(pos, s.Tri, 2)
			met := 0
			for range 3000 {
				o := vec.V{r.Float32()*6 - 3, r.Float32()*6 - 3, r.Float32()*6 - 3}
				d := pos[r.IntN(len(pos))].Sub(o).Add(vec.V{r.Float32() * 0.2, r.Float32() * 0.2, 0}).Unit()
				a, okA := refit.Nearest(o, d, 100)
				b, okB := fresh.Nearest(o, d, 100)
				require.Equal(t, okB, okA, "%s by %v", name, by)
				require.Equal(t, b.T, a.T, "%s by %v", name, by)
				require.Equal(t, fresh.Occluded(o, d, 100), refit.Occluded(o, d, 100))
				if okA {
					met++
				}
			}
			assert.Greater(t, met, 1000, name)
		}
	}
	none := trace.NewTree(nil, nil, 1).Refit(nil, nil, 1)
	_, ok := none.Nearest(vec.V{}, vec.V{0, 0, 1}, 10)
	assert.False(t, ok)
}

func BenchmarkRefit(b *testing.B) {
	s, _ := mesh.NewSurface(mesh.Sphere(1, 320, 157), 40)
	pos := bent(s, 0.7)
	rest := trace.NewTree(s.Pos, s.Tri, 2)
	b.Run("refit", func(b *testing.B) {
		for b.Loop() {
			rest.Refit(pos, s.Tri, 2)
		}
		b.ReportMetric(float64(len(s.Tri)), "triangles")
	})
	b.Run("build", func(b *testing.B) {
		for b.Loop() {
			trace.NewTree(pos, s.Tri, 2)
		}
	})
}

package diffgeom

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// What a place of a triangle is in its pieces is the same place, pieces hang together along its sides, and none is longer than asked.
func TestPiecesOfATriangle(t *testing.T) {
	sh := shapeOf(t, mesh.Sphere(1, 7, 5))
	whole := NewSheet(sh, false)
	r := rand.New(rand.NewPCG(3, 4))
	for _, longest := range []float64{5, 0.5, 0.13} {
		c := cutTo(sh, longest)
		if longest == 5 {
			require.Same(t, sh, c.shape)
		} else {
			s := NewSheet(c.shape, false)
			// Of a closed surface: V - E + F = 2, with 3F = 2E.
			assert.Equal(t, 2+len(c.shape.Rest.Tri)/2, len(s.Area), "%v", longest)
			assert.Equal(t, 2+len(sh.Rest.Tri)/2, len(whole.Area))
		}
		for range 2000 {
			k := r.IntN(len(sh.Rest.Tri))
			a, b := r.Float32(), r.Float32()
			if a+b > 1 {
				a, b = 1-a, 1-b
			}
			at := func(of [3]int32, pos []vec.V, w [3]float32) vec.V {
				return pos[of[0]].Mul(w[0]).Add(pos[of[1]].Mul(w[1])).Add(pos[of[2]].Mul(w[2]))
			}
			w := [3]float32{1 - a - b, a, b}
			piece, in := c.at(k, w)
			for _, v := range in {
				assert.GreaterOrEqual(t, v, float32(-1e-4))
			}
			tri := c.shape.Rest.Tri[piece]
			assert.InDelta(t, 0, at(sh.Rest.Tri[k], sh.Pos, w).Sub(at(tri, c.shape.Pos, in)).Len(), 1e-5)
			for e := range 3 {
				assert.LessOrEqual(t, float64(c.shape.Pos[tri[e]].Sub(c.shape.Pos[tri[(e+1)%3]]).Len()), longest*1.0001)
			}
		}
	}
}

// Round a cylinder stripes are rings, as long as it is round, and along it they go from end to end; how far along one a place lies
// grows evenly, whichever way the triangles run round and however few there are.
func TestLinesAreFollowed(t *testing.T) {
	const many = 9.0
	for _, few := range []bool{false, true} {
		nu, nv, longest := 72, 30, 0.0
		if few {
			nu, nv, longest = 24, 2, 1/many
		}
		m := mesh.Grid("side", nu, nv, func(u, v float64) vec.V {
			s, c := math.Sincos(2 * math.Pi * u)
			return vec.V{float32(c), float32(2*v - 1), float32(-s)}
		})
		sh := shapeOf(t, m)
		for i := range sh.Rest.Tri { // every third triangle runs round the other way
			if tri := &sh.Rest.Tri[i]; i%3 == 0 {
				tri[1], tri[2] = tri[2], tri[1]
			}
		}
		f := FlowOf(sh, 0.2, longest, 2)
		for _, angle := range []float64{0, 90} {
			s := StripesOf(sh, f, angle, many, 2)
			round := map[int32]float64{} // of each line along it, where round the cylinder it runs
			from := map[int32][2]int{}   // of each line, how many places count from below and from above
			right, all := 0, 0
			for i, tri := range sh.Rest.Tri {
				for _, w := range [][3]float32{{0.6, 0.2, 0.2}, {0.2, 0.6, 0.2}, {0.2, 0.2, 0.6}} {
					l := s.Line(i, w, 0)
					all++
					if l.Number < 0 || l.Sure < 1 {
						continue
					}
					for _, aside := range []float32{-1, 1} {
						beside := s.Line(i, w, aside)
						assert.NotEqual(t, l.Number, beside.Number, "the line beside it")
						assert.InDelta(t, l.Across, beside.Across, 1e-4)
						if angle == 90 { // round the cylinder there is always one
							assert.GreaterOrEqual(t, beside.Number, int32(0))
						}
					}
					p := sh.Pos[tri[0]].Mul(w[0]).Add(sh.Pos[tri[1]].Mul(w[1])).Add(sh.Pos[tri[2]].Mul(w[2]))
					far := float64(l.Along) / many
					if angle == 0 {
						if l.Ring && math.Abs(float64(l.Long)/many-2*math.Pi) < 0.15 {
							right++
						}
						continue
					}
					if angle == 90 {
						a := math.Atan2(float64(p[0]), float64(p[2]))
						if _, ok := round[l.Number]; !ok {
							round[l.Number] = a
						}
						assert.Less(t, math.Abs(math.Remainder(a-round[l.Number], 2*math.Pi)), 1.3/many, "of one line")
					}
					n := from[l.Number]
					for way, at := range [2]float64{float64(p[1]) + 1, 1 - float64(p[1])} {
						if math.Abs(far-at) < 0.1 && !l.Ring && math.Abs(float64(l.Long)/many-2) < 0.1 {
							n[way]++
						}
					}
					from[l.Number] = n
				}
			}
			for _, n := range from {
				right += max(n[0], n[1])
			}
			assert.Greater(t, float64(right), 0.9*float64(all), "few %v, turned by %v", few, angle)
		}
	}
}

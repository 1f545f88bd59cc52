package diffgeom_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/diffgeom"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// weight is two balls, of radius 1 about 2 and -2, and a bar between them.
func weight() *mesh.Mesh {
	var profile []vec.V
	for k := range 28 { // up the lower ball to the bar
		s, c := math.Sincos(math.Pi * float64(k) / 30)
		profile = append(profile, vec.V{float32(s), float32(-2 - c)})
	}
	for k := 27; k >= 0; k-- {
		p := profile[k]
		profile = append(profile, vec.V{p[0], -p[1]})
	}
	profile[0][0], profile[55][0] = 0, 0
	return mesh.Lathe("weight", profile, 48)
}

// Split in two, each ball of a weight has its own form, also as several parts and pieces that do not hang together; as one it has that
// of neither.
func TestFitsOfPieces(t *testing.T) {
	together := weight()
	apart := mesh.Sphere(1, 24, 16)
	for i := range apart.Positions {
		apart.Positions[i][1] -= 2
	}
	apart.Join(mesh.Sphere(1, 24, 16), vec.Place(vec.V{0, 2, 0}, vec.V{}, 1))
	for k := range 30 { // crumbs, which have no forms of their own
		apart.Join(mesh.Sphere(0.01, 4, 3), vec.Place(vec.V{0.02 * float32(k), 3.05, 0}, vec.V{}, 1))
	}
	for i := range apart.FacePart {
		apart.FacePart[i] = 0
	}
	apart.Parts = apart.Parts[:1]
	for name, m := range map[string]*mesh.Mesh{"together": together, "apart": apart} {
		sh := shaped(t, m)
		for _, kind := range []string{diffgeom.Ball, diffgeom.Egg} {
			worst := func(pieces int) (off float64) {
				f := diffgeom.FitsOf(sh, 0, kind, pieces, 0.05, 2)
				for _, tri := range sh.Rest.Tri {
					p := sh.Pos[tri[0]].Add(sh.Pos[tri[1]]).Add(sh.Pos[tri[2]]).Mul(1.0 / 3)
					if p[1] > 3 || p[1] < 1.5 && p[1] > -1.5 {
						continue
					}
					n, ok := f.Normal(p, vec.V{}, tri, [3]float32{1.0 / 3, 1.0 / 3, 1.0 / 3})
					require.True(t, ok)
					want := p.Sub(vec.V{0, float32(math.Copysign(2, float64(p[1]))), 0}).Unit()
					off = max(off, float64(n.Sub(want).Len()))
				}
				return off
			}
			if name == "together" { // half-way between the two the normal is of both
				f := diffgeom.FitsOf(sh, 0, kind, 2, 0.3, 2)
				for _, tri := range sh.Rest.Tri {
					for k := range 3 {
						var w [3]float32
						w[k], w[(k+1)%3] = 0.5, 0.5
						a, b := sh.Pos[tri[k]], sh.Pos[tri[(k+1)%3]]
						if p := a.Mix(b, 0.5); a[1]*b[1] < 0 && max(p[1], -p[1]) < 0.01 {
							n, ok := f.Normal(p, vec.V{}, tri, w)
							require.True(t, ok)
							assert.Greater(t, n.Dot(vec.V{p[0], 0, p[2]}.Unit()), float32(0.95), "at %v", p)
						}
					}
				}
			}
			assert.Less(t, worst(2), 0.12, "%s, %s", name, kind)
			assert.Greater(t, worst(1), 0.3, "%s, %s", name, kind)
			assert.Less(t, worst(7), 0.5, "%s, %s", name, kind)
		}
	}
}

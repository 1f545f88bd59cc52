package unwrap_test

import (
	"context"
	"fmt"
	"math"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/unwrap"
	"mobanta/core/vec"
)

func surface(t testing.TB, m *mesh.Mesh) unwrap.Surface {
	t.Helper()
	s, err := mesh.NewSurface(m, mesh.DefaultCrease)
	require.NoError(t, err)
	return unwrap.Surface{Pos: s.Pos, Tri: s.Tri, Face: s.TriFace, Part: s.TriPart}
}

func laid(t testing.TB, s unwrap.Surface, o unwrap.Options) *unwrap.Layout {
	t.Helper()
	o.Workers = 2
	l, err := unwrap.Of(context.Background(), s, o)
	require.NoError(t, err)
	return l
}

// side tells on which side of the way from a to b the place c lies, exactly: above 0 to the left.
func side(a, b, c [2]float32) int {
	f := func(p, q float32) float64 { return float64(p) - float64(q) }
	v := f(b[0], a[0])*f(c[1], a[1]) - f(b[1], a[1])*f(c[0], a[0])
	if v > 1e-12 {
		return 1
	} else if v < -1e-12 {
		return -1
	}
	r := func(p, q float32) *big.Rat {
		return new(big.Rat).Sub(new(big.Rat).SetFloat64(float64(p)), new(big.Rat).SetFloat64(float64(q)))
	}
	x := new(big.Rat).Mul(r(b[0], a[0]), r(c[1], a[1]))
	return x.Sub(x, new(big.Rat).Mul(r(b[1], a[1]), r(c[0], a[0]))).Sign()
}

// apart tells whether one of the first triangle's edges has all of the second on its other side: with the same asked the
// other way round, whether they share no place within both.
func apart(p, q [3][2]float32) bool {
	for k := range 3 {
		a, b := p[k], p[(k+1)%3]
		if side(a, b, q[0]) <= 0 && side(a, b, q[1]) <= 0 && side(a, b, q[2]) <= 0 {
			return true
		}
	}
	return false
}

// overlaps returns how many pairs of triangles, of different charts or of any, share a place within both: exactly.
func overlaps(l *unwrap.Layout, within bool) (n int) {
	const grid = 128
	cells := map[[2]int][]int{}
	seen := map[[2]int]bool{}
	for i, t := range l.UV {
		if side(t[0], t[1], t[2]) <= 0 {
			continue // it has no area
		}
		lo := [2]float32{min(t[0][0], t[1][0], t[2][0]), min(t[0][1], t[1][1], t[2][1])}
		hi := [2]float32{max(t[0][0], t[1][0], t[2][0]), max(t[0][1], t[1][1], t[2][1])}
		for y := int(lo[1] * grid); y <= int(hi[1]*grid); y++ {
			for x := int(lo[0] * grid); x <= int(hi[0]*grid); x++ {
				for _, j := range cells[[2]int{x, y}] {
					if seen[[2]int{i, j}] || !within && l.Chart[i] == l.Chart[j] {
						continue
					}
					seen[[2]int{i, j}] = true
					if !apart(l.UV[i], l.UV[j]) && !apart(l.UV[j], l.UV[i]) {
						n++
					}
				}
				cells[[2]int{x, y}] = append(cells[[2]int{x, y}], i)
			}
		}
	}
	return n
}

// rough is a ball whose vertices lie up to so far off.
func rough(n int, by float32) *mesh.Mesh {
	chance := rand.New(rand.NewPCG(7, 7))
	m := mesh.Grid("rough", 2*n, n, func(u, v float64) vec.V {
		a, b := 2*math.Pi*u, math.Pi*(0.02+0.96*v)
		return vec.V{float32(math.Cos(a) * math.Sin(b)), float32(math.Cos(b)), float32(-math.Sin(a) * math.Sin(b))}
	})
	moved := map[vec.V]vec.V{}
	for i, p := range m.Positions {
		key := vec.V{float32(math.Round(float64(p[0]) * 1e4)), float32(math.Round(float64(p[1]) * 1e4)), float32(math.Round(float64(p[2]) * 1e4))}
		if _, ok := moved[key]; !ok {
			moved[key] = p.Mul(1 + by*(2*chance.Float32()-1))
		}
		m.Positions[i] = moved[key]
	}
	return m
}

func TestNothingLiesOnAnything(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	cases := map[string]*mesh.Mesh{"torus": mesh.Torus(1, 0.4, 40, 20), "rough ball": rough(16, 0.1), "very rough ball": rough(10, 0.5),
		"strip round a screw": mesh.Grid("screw", 90, 3, func(u, v float64) vec.V {
			a := 12 * math.Pi * u
			return vec.V{float32((0.2 + 0.4*v) * math.Cos(a)), float32(u), float32((0.2 + 0.4*v) * math.Sin(a))}
		})}
	for _, key := range []string{"cube"} {
		if s := mesh.FindSolid(key); s != nil {
			cases[key] = s.Make()
		}
	}
	defer func() { unwrap.Hasty = true }()
	for name, m := range cases {
		unwrap.Hasty = name != "cube" // one with all the work: dozens of orders, changed again and again
		s := surface(t, m)
		l := laid(t, s, unwrap.Options{})
		assert.Zero(t, overlaps(l, true), name)
		assert.Less(t, l.Stretch, 1.3, name)
		assert.InDelta(t, unwrap.Stretch(&s, l.UV), l.Stretch, 1e-9, name)
		turned := 0
		for i, uv := range l.UV {
			for _, p := range uv {
				require.True(t, p[0] >= 0 && p[0] <= 1 && p[1] >= 0 && p[1] <= 1, "%s: %v", name, p)
			}
			a, b, c := s.Pos[s.Tri[i][0]], s.Pos[s.Tri[i][1]], s.Pos[s.Tri[i][2]]
			if b.Sub(a).Cross(c.Sub(a)).Len() > 1e-6 && side(uv[0], uv[1], uv[2]) <= 0 {
				turned++
			}
		}
		assert.Zero(t, turned, "%s: triangles turned over", name)
		again := laid(t, s, unwrap.Options{})
		assert.True(t, slices.Equal(l.UV, again.UV), "%s: the same again", name)
	}
}

func TestACubeIsSixSquares(t *testing.T) {
	s := surface(t, mesh.FindSolid("cube").Make())
	l := laid(t, s, unwrap.Options{})
	assert.Equal(t, 6, l.Charts)
	assert.InDelta(t, 1, l.Stretch, 1e-5)
	var area [6]float64
	for i, uv := range l.UV {
		area[l.Chart[i]] += math.Abs(float64((uv[1][0]-uv[0][0])*(uv[2][1]-uv[0][1])-(uv[1][1]-uv[0][1])*(uv[2][0]-uv[0][0]))) / 2
	}
	for _, a := range area {
		assert.InDelta(t, area[0], a, 1e-6)
	}
	assert.InDelta(t, 6*area[0], l.Used, 1e-6)
}

// Of a map that makes a texture k times as long one way, the squares of the singular values are k⁻² and 1.
func TestStretchOfAKnownMap(t *testing.T) {
	s := unwrap.Surface{Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}, Tri: [][3]int32{{0, 1, 2}, {0, 2, 3}}, Face: []int32{0, 0}, Part: []int32{0, 0}}
	for _, k := range []float64{1, 2, 0.25, 5} {
		at := func(p vec.V) [2]float32 { return [2]float32{p[0] * float32(k) * 0.1, p[1] * 0.1} }
		var uv [][3][2]float32
		for _, tri := range s.Tri {
			uv = append(uv, [3][2]float32{at(s.Pos[tri[0]]), at(s.Pos[tri[1]]), at(s.Pos[tri[2]])})
		}
		assert.InDelta(t, math.Sqrt((1/(k*k)+1)/2)*math.Sqrt(k), unwrap.Stretch(&s, uv), 1e-6, "k = %g", k)
	}
}

func TestWhatIsFlatStaysAsItIs(t *testing.T) {
	s := surface(t, mesh.Grid("flat", 8, 3, func(u, v float64) vec.V { return vec.V{float32(3 * u), 2, float32(v)} }))
	l := laid(t, s, unwrap.Options{})
	assert.Equal(t, 1, l.Charts)
	assert.InDelta(t, 1, l.Stretch, 1e-4)
}

// A cylinder unrolls: half of it, which fits into a cone of 80 degrees twice, has no stretch although it bends.
func TestACylinderUnrolls(t *testing.T) {
	s := surface(t, mesh.Grid("half", 64, 4, func(u, v float64) vec.V {
		a := math.Pi * 0.8 * u
		return vec.V{float32(math.Cos(a)), float32(v), float32(math.Sin(a))}
	}))
	l := laid(t, s, unwrap.Options{Cone: 80})
	assert.Equal(t, 1, l.Charts)
	assert.InDelta(t, 1, l.Stretch, 1e-3)
}

func TestFacesStayTogetherAndPartsApart(t *testing.T) {
	m := mesh.Grid("a", 4, 4, func(u, v float64) vec.V { return vec.V{float32(u), float32(v), 0} })
	m.Join(mesh.Grid("b", 4, 4, func(u, v float64) vec.V { return vec.V{1 + float32(u), float32(v), 0} }), vec.Place(vec.V{}, vec.V{}, 1))
	s := surface(t, m)
	l := laid(t, s, unwrap.Options{})
	assert.Equal(t, 2, l.Charts, "flat, joined, but of two parts")
	chart := map[int32]int32{}
	for i, f := range s.Face {
		if c, ok := chart[f]; ok {
			require.Equal(t, c, l.Chart[i])
		}
		chart[f] = l.Chart[i]
	}
}

func TestOddSurfaces(t *testing.T) {
	cases := map[string]unwrap.Surface{
		"nothing":                {},
		"one triangle":           {Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, Tri: [][3]int32{{0, 1, 2}}, Face: []int32{0}, Part: []int32{0}},
		"no area":                {Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, Tri: [][3]int32{{0, 1, 2}}, Face: []int32{0}, Part: []int32{0}},
		"three at an edge":       {Pos: []vec.V{{0, 0, 0}, {0, 1, 0}, {1, 0, 0}, {-1, 0, 0}, {0, 0, 1}}, Tri: [][3]int32{{0, 1, 2}, {1, 0, 3}, {0, 1, 4}}, Face: []int32{0, 1, 2}, Part: []int32{0, 0, 0}},
		"the same twice":         {Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, Tri: [][3]int32{{0, 1, 2}, {0, 1, 2}}, Face: []int32{0, 1}, Part: []int32{0, 0}},
		"both sides":             {Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, Tri: [][3]int32{{0, 1, 2}, {2, 1, 0}}, Face: []int32{0, 1}, Part: []int32{0, 0}},
		"a polygon of two sides": {Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}, Tri: [][3]int32{{0, 1, 2}, {0, 3, 2}}, Face: []int32{0, 0}, Part: []int32{0, 0}},
	}
	for name, s := range cases {
		l := laid(t, s, unwrap.Options{})
		require.Len(t, l.UV, len(s.Tri), name)
		assert.Zero(t, overlaps(l, false), name)
		for _, uv := range l.UV {
			for _, p := range uv {
				require.False(t, math.IsNaN(float64(p[0]+p[1])), name)
			}
		}
	}
}

func TestWhatIsRefused(t *testing.T) {
	s := surface(t, mesh.FindSolid("cube").Make())
	for _, o := range []unwrap.Options{{Cone: 3}, {Cone: 89}, {Cone: math.NaN()}, {Margin: -1}, {Margin: 0.5}} {
		_, err := unwrap.Of(context.Background(), s, o)
		assert.Error(t, err, fmt.Sprint(o))
	}
	_, err := unwrap.Of(context.Background(), unwrap.Surface{Tri: make([][3]int32, unwrap.MaxTriangles+1)}, unwrap.Options{})
	assert.ErrorIs(t, err, unwrap.ErrTooMany)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = unwrap.Of(ctx, s, unwrap.Options{})
	assert.ErrorIs(t, err, context.Canceled)
}

// Charts lie as far from each other as the margin says: measured from corner to edge.
func TestTheMarginIsKept(t *testing.T) {
	s := surface(t, mesh.FindSolid("cube").Make())
	const margin = 1.0 / 64
	l := laid(t, s, unwrap.Options{Margin: margin})
	least := math.Inf(1)
	for i, a := range l.UV {
		for j, b := range l.UV {
			if l.Chart[i] == l.Chart[j] {
				continue
			}
			for _, p := range a {
				for k := range 3 {
					least = min(least, off(p, b[k], b[(k+1)%3]))
				}
			}
		}
	}
	assert.GreaterOrEqual(t, least, margin)
	assert.Less(t, least, 3*margin)
}

// off is how far p lies from the way from a to b.
func off(p, a, b [2]float32) float64 {
	dx, dy := float64(b[0]-a[0]), float64(b[1]-a[1])
	x, y := float64(p[0]-a[0]), float64(p[1]-a[1])
	t := max(0, min(1, (x*dx+y*dy)/(dx*dx+dy*dy)))
	return math.Hypot(x-t*dx, y-t*dy)
}

func ExampleOf() {
	s := unwrap.Surface{Pos: []vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}, Tri: [][3]int32{{0, 1, 2}, {0, 2, 3}}, Face: []int32{0, 0}, Part: []int32{0, 0}}
	l, err := unwrap.Of(context.Background(), s, unwrap.Options{})
	fmt.Printf("%v %d chart, stretch %.2f\n", err, l.Charts, l.Stretch)
	// Output: <nil> 1 chart, stretch 1.00
}

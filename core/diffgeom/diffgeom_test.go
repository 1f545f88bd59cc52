package diffgeom_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/diffgeom"
	"mobanta/core/mesh"
	"mobanta/core/shape"
	"mobanta/core/vec"
)

func shaped(t testing.TB, m *mesh.Mesh) *shape.Shape {
	t.Helper()
	s, err := mesh.NewSurface(m, mesh.DefaultCrease)
	require.NoError(t, err)
	sh, err := shape.Of(s, nil, 0)
	require.NoError(t, err)
	return sh
}

// icosphere is an icosahedron whose faces are cut in four so often, on a ball.
func icosphere(radius float32, times int) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.AddPart("ball", color.C{1, 1, 1})
	g := float32((1 + math.Sqrt(5)) / 2)
	at := func(p vec.V) int32 {
		m.Positions = append(m.Positions, p.Unit().Mul(radius))
		return int32(len(m.Positions) - 1)
	}
	for _, p := range []vec.V{{-1, g, 0}, {1, g, 0}, {-1, -g, 0}, {1, -g, 0}, {0, -1, g}, {0, 1, g}, {0, -1, -g}, {0, 1, -g}, {g, 0, -1}, {g, 0, 1}, {-g, 0, -1}, {-g, 0, 1}} {
		at(p)
	}
	tris := [][3]int32{{0, 11, 5}, {0, 5, 1}, {0, 1, 7}, {0, 7, 10}, {0, 10, 11}, {1, 5, 9}, {5, 11, 4}, {11, 10, 2}, {10, 7, 6}, {7, 1, 8}, {3, 9, 4}, {3, 4, 2}, {3, 2, 6}, {3, 6, 8}, {3, 8, 9}, {4, 9, 5}, {2, 4, 11}, {6, 2, 10}, {8, 6, 7}, {9, 8, 1}}
	for range times {
		mid := map[[2]int32]int32{}
		half := func(a, b int32) int32 {
			key := [2]int32{min(a, b), max(a, b)}
			if _, ok := mid[key]; !ok {
				mid[key] = at(m.Positions[a].Add(m.Positions[b]))
			}
			return mid[key]
		}
		var next [][3]int32
		for _, t := range tris {
			a, b, c := half(t[0], t[1]), half(t[1], t[2]), half(t[2], t[0])
			next = append(next, [3]int32{t[0], a, c}, [3]int32{t[1], b, a}, [3]int32{t[2], c, b}, [3]int32{a, b, c})
		}
		tris = next
	}
	for _, t := range tris {
		m.AddFace(0, mesh.Corner{Pos: t[0], UV: -1, Normal: -1}, mesh.Corner{Pos: t[1], UV: -1, Normal: -1}, mesh.Corner{Pos: t[2], UV: -1, Normal: -1})
	}
	return m
}

// box is a box of edges of length 1 about the origin, each side cut into n×n squares.
func box(n int) *mesh.Mesh {
	m := &mesh.Mesh{}
	m.AddPart("box", color.C{1, 1, 1})
	for axis := range 3 {
		for _, s := range []float32{-1, 1} {
			var row [][]int32
			for i := range n + 1 {
				row = append(row, nil)
				for j := range n + 1 {
					var p vec.V
					p[axis], p[(axis+1)%3], p[(axis+2)%3] = s/2, s*(float32(i)/float32(n)-0.5), float32(j)/float32(n)-0.5
					m.Positions = append(m.Positions, p)
					row[i] = append(row[i], int32(len(m.Positions)-1))
				}
			}
			for i := range n {
				for j := range n {
					c := func(v int32) mesh.Corner { return mesh.Corner{Pos: v, UV: -1, Normal: -1} }
					m.AddFace(0, c(row[i][j]), c(row[i+1][j]), c(row[i+1][j+1]), c(row[i][j+1]))
				}
			}
		}
	}
	return m
}

// A ball of radius R has the curvature 1/R everywhere, a cylinder half of it, whatever
// their triangles, over any radius.
func TestCurvatureOfBallsAndCylinders(t *testing.T) {
	pipe := &mesh.Mesh{}
	pipe.AddPart("pipe", color.C{1, 1, 1})
	const around, along = 64, 48
	for j := range along + 1 {
		for i := range around {
			s, c := math.Sincos(2 * math.Pi * float64(i) / around)
			pipe.Positions = append(pipe.Positions, vec.V{float32(2 * c), float32(j)*0.1 - 2.4, float32(2 * s)})
		}
	}
	for j := range int32(along) {
		for i := range int32(around) {
			c := func(i, j int32) mesh.Corner { return mesh.Corner{Pos: j*around + i%around, UV: -1, Normal: -1} }
			pipe.AddFace(0, c(i, j), c(i, j+1), c(i+1, j+1), c(i+1, j))
		}
	}
	for name, c := range map[string]struct {
		m    *mesh.Mesh
		want float64
	}{"icosphere": {icosphere(3, 4), 1.0 / 3}, "UV sphere": {mesh.Sphere(0.5, 72, 36), 2}, "cylinder": {pipe, 0.25}} {
		sh := shaped(t, c.m)
		require.GreaterOrEqual(t, len(sh.Rest.Tri), 5000, name)
		for _, part := range []float64{0.01, 0.05, 0.15} {
			r := part * float64(sh.Rest.Box.Diagonal())
			bend := diffgeom.CurvatureOf(sh, r, 2)
			for v, p := range sh.Pos {
				if name == "cylinder" && p[1] > 2.3 || p[1] < -2.3 {
					continue // its rims
				}
				got := float64(bend.Smooth[v]+bend.Creased(p, sh.Normal[v])) / r
				require.InEpsilon(t, c.want, got, 0.03, "%s, radius %v, at %v", name, r, p)
			}
		}
	}
}

// On flat ground there is none; along the edges of a box it is the same however its sides
// are cut, and falls to nothing a radius away; at the edges of a hollow box it is negative.
func TestCurvatureOfBoxes(t *testing.T) {
	const r = 0.1
	for _, n := range []int{1, 3, 20} {
		bend := diffgeom.CurvatureOf(shaped(t, box(n)), r, 2)
		for _, v := range bend.Smooth {
			assert.InDelta(t, 0, v, 1e-4)
		}
		at := func(x float32) float32 { return bend.Creased(vec.V{x, 0.5, 0.07}, vec.V{0, 1, 0}) }
		assert.InDelta(t, 0.8, at(0.5), 1e-3, "(π/4)·(16/15)·3/π on the edge of a box cut into %d", n)
		assert.InDelta(t, 0.8*math.Pow(0.75, 2.5), at(0.45), 1e-3, "half a radius away")
		assert.Zero(t, at(0.399))
		assert.Zero(t, at(0))
		assert.Greater(t, at(0.42), float32(0))
		assert.Zero(t, bend.Creased(vec.V{0.5, 0.5, 0}, vec.V{-1, -1, 0}), "another side, close by")
		corner := bend.Creased(vec.V{0.5, 0.5, 0.5}, vec.V{0, 1, 0})
		assert.InDelta(t, 0.8, corner, 1e-3, "two half edges of its own side")
	}
	hollow := box(3)
	for f := range hollow.FaceEnd {
		c := hollow.Face(f)
		c[1], c[3] = c[3], c[1]
	}
	bend := diffgeom.CurvatureOf(shaped(t, hollow), r, 2)
	assert.InDelta(t, -0.8, bend.Creased(vec.V{0.5, 0.5, 0.07}, vec.V{0, -1, 0}), 1e-3)
}

// Spreading keeps the mean over the area and what is even, overshoots nothing, and spreads
// as far as asked: by half a radius, root mean square.
func TestSpread(t *testing.T) {
	m := &mesh.Mesh{}
	m.AddPart("ground", color.C{1, 1, 1})
	const n = 81
	rnd := rand.New(rand.NewPCG(3, 4))
	for y := range n {
		for x := range n {
			p := vec.V{float32(x), 0, float32(y)}
			if x > 0 && y > 0 && x < n-1 && y < n-1 { // uneven ground shows what depends on triangles
				p[0], p[2] = p[0]+0.5*(rnd.Float32()-0.5), p[2]+0.5*(rnd.Float32()-0.5)
			}
			m.Positions = append(m.Positions, p)
		}
	}
	for y := range int32(n - 1) {
		for x := range int32(n - 1) {
			c := func(x, y int32) mesh.Corner { return mesh.Corner{Pos: y*n + x, UV: -1, Normal: -1} }
			m.AddFace(0, c(x, y), c(x, y+1), c(x+1, y+1))
			m.AddFace(0, c(x, y), c(x+1, y+1), c(x+1, y))
		}
	}
	sh := shaped(t, m)
	for _, workers := range []int{1, 3} {
		s := diffgeom.NewSheet(sh, true)
		values := make([]float64, len(s.Area))
		middle := 0
		for v, p := range sh.Pos {
			if p.Sub(vec.V{n / 2, 0, n / 2}).Len() < sh.Pos[middle].Sub(vec.V{n / 2, 0, n / 2}).Len() {
				middle = v
			}
		}
		values[s.Of[middle]] = 1 / s.Area[s.Of[middle]]
		const radius = 24
		s.Spread(values, radius, workers)
		sum, square := 0.0, 0.0
		for v, p := range sh.Pos {
			i := s.Of[v]
			assert.GreaterOrEqual(t, values[i], -1e-12)
			d := float64(p.Sub(sh.Pos[middle]).Len())
			sum, square = sum+values[i]*s.Area[i], square+values[i]*s.Area[i]*d*d
		}
		assert.InDelta(t, 1, sum, 1e-4)
		assert.InEpsilon(t, radius/2, math.Sqrt(square), 0.07)
		even := make([]float64, len(s.Area))
		for i := range even {
			even[i] = 7
		}
		s.Spread(even, radius, workers)
		for _, v := range even {
			require.InDelta(t, 7, v, 1e-9)
		}
	}
}

// Smoothed over a little of it, the normals of a rough ball come closer to those of the
// ball; those of a box go round its edges; over no radius nothing changes.
func TestSmooth(t *testing.T) {
	m := icosphere(1, 4)
	rnd := rand.New(rand.NewPCG(5, 6))
	for i, p := range m.Positions {
		m.Positions[i] = p.Mul(1 + 0.01*(rnd.Float32()-0.5))
	}
	sh := shaped(t, m)
	off := func(normals []vec.V) (worst float64) {
		for v, n := range normals {
			worst = max(worst, math.Acos(float64(min(1, n.Dot(sh.Pos[v].Unit())))))
		}
		return worst
	}
	assert.Greater(t, off(sh.Normal), 5*off(diffgeom.Smooth(sh, 0.5, 2)))
	b := shaped(t, box(8))
	round := diffgeom.Smooth(b, 0.3, 2)
	for v, p := range b.Pos {
		assert.InDelta(t, 1, round[v].Len(), 1e-5)
		if p[0] == 0.5 && p[1] == 0.5 && p[2] == 0 {
			assert.InDelta(t, 0, round[v].Sub(vec.V{1, 1, 0}.Unit()).Len(), 0.01)
		}
		if p[0] == 0.5 && p[1] == 0 && p[2] == 0 {
			assert.InDelta(t, 1, round[v][0], 1e-3)
		}
	}
	for v, n := range diffgeom.Smooth(sh, 0, 2) {
		require.InDelta(t, 0, n.Sub(sh.Normal[v]).Len(), 1e-6)
	}
}

// Forms that the surface has are found, wherever it stands, and their normals are exact.
func TestFits(t *testing.T) {
	turn := vec.Place(vec.V{3, -2, 5}, vec.V{20, 40, -70}, 1)
	placed := func(m *mesh.Mesh, stretch vec.V) *shape.Shape {
		for i, p := range m.Positions {
			m.Positions[i] = turn.Point(vec.V{p[0] * stretch[0], p[1] * stretch[1], p[2] * stretch[2]})
		}
		return shaped(t, m)
	}
	ball := placed(icosphere(2, 2), vec.V{1, 1, 1})
	egg := placed(icosphere(1, 4), vec.V{1, 3, 2})
	plane := placed(box(4), vec.V{3, 1e-3, 4})
	eye := vec.V{0.3, 0.2, 0.5}.Unit()
	f := diffgeom.FitPart(ball, 0, diffgeom.Ball)
	for _, tri := range ball.Rest.Tri { // at the middles of its polygons, where the ball bulges over them
		p := ball.Pos[tri[0]].Add(ball.Pos[tri[1]]).Add(ball.Pos[tri[2]]).Mul(1.0 / 3)
		n, ok := f.Normal(p, vec.V{})
		require.True(t, ok)
		assert.InDelta(t, 0, n.Sub(p.Sub(turn.O).Unit()).Len(), 1e-4)
		if out := p.Sub(turn.O).Dot(eye); out > 0.3 {
			n, _ = f.Normal(p, eye)
			on := turn.O.Add(n.Mul(2)) // lies on the line of sight through p
			d := on.Sub(p)
			assert.InDelta(t, 0, d.Sub(eye.Mul(d.Dot(eye))).Len(), 1e-4)
			assert.Greater(t, n.Dot(eye), float32(0))
		}
	}
	f = diffgeom.FitPart(egg, 0, diffgeom.Egg)
	inverse, _ := turn.Inverse()
	for _, p := range egg.Pos {
		n, ok := f.Normal(p, vec.V{})
		require.True(t, ok)
		q := inverse.Point(p)
		want := turn.Dir(vec.V{q[0], q[1] / 9, q[2] / 4}).Unit()
		assert.InDelta(t, 0, n.Sub(want).Len(), 2e-3)
	}
	f = diffgeom.FitPart(plane, 0, diffgeom.Plane)
	n, ok := f.Normal(plane.Pos[0], vec.V{})
	assert.True(t, ok)
	assert.InDelta(t, 1, math.Abs(float64(n.Dot(turn.Dir(vec.V{0, 1, 0})))), 1e-4)
	// A pipe with two half balls.
	pill := icosphere(1, 3)
	for i, p := range pill.Positions {
		if p[1] > 1e-4 {
			pill.Positions[i] = p.Add(vec.V{0, 4, 0})
		}
	}
	sh := placed(pill, vec.V{1, 1, 1})
	f = diffgeom.FitPart(sh, 0, diffgeom.Capsule)
	for _, p := range sh.Pos {
		n, ok := f.Normal(p, vec.V{})
		require.True(t, ok)
		q := inverse.Point(p)
		q[1] -= max(0, min(4, q[1]))
		want := turn.Dir(q).Unit()
		assert.InDelta(t, 0, n.Sub(want).Len(), 0.05)
		// From where the surface is sunk in along the line of sight, or seen from far before it, it is the same place of the pill.
		if want.Dot(eye) > 0.3 {
			for _, off := range []float32{-0.2, 0.3, 3} {
				n, ok = f.Normal(p.Add(eye.Mul(off)), eye)
				require.True(t, ok)
				assert.InDelta(t, 0, n.Sub(want).Len(), 0.05)
			}
		}
	}
	along := turn.Dir(vec.V{0, 1, 0})
	n, ok = f.Normal(turn.O.Add(along), along) // straight along it: its end
	assert.True(t, ok)
	assert.InDelta(t, 1, n.Dot(along), 0.01)
	// Turned inside out it faces inwards; what has no such form has none.
	inside := icosphere(2, 2)
	for i := range inside.FaceEnd {
		c := inside.Face(i)
		c[0], c[1] = c[1], c[0]
	}
	sh = shaped(t, inside)
	n, ok = diffgeom.FitPart(sh, 0, diffgeom.Ball).Normal(vec.V{2, 0, 0}, vec.V{})
	assert.True(t, ok)
	assert.InDelta(t, -1, n[0], 1e-3)
	_, ok = diffgeom.FitPart(sh, 1, diffgeom.Ball).Normal(vec.V{2, 0, 0}, vec.V{})
	assert.False(t, ok)
}

// On a ball whose first coordinate goes round it and whose second goes up, tangents run
// round it, and the second side is up; mirrored coordinates turn both.
func TestTangents(t *testing.T) {
	for _, mirrored := range []bool{false, true} {
		m := mesh.Sphere(2, 48, 24)
		if mirrored {
			for i := range m.UVs {
				m.UVs[i][0] = -m.UVs[i][0]
			}
		}
		sh := shaped(t, m)
		tan := diffgeom.TangentsOf(sh)
		require.NotNil(t, tan)
		hand := tan.Side[100]
		sign := float32(0)
		for v, p := range sh.Pos {
			if math.Abs(float64(p[1])) > 1.9 {
				continue
			}
			round := vec.V{p[2], 0, -p[0]}.Unit()
			if sign == 0 {
				sign = round.Dot(tan.Along[v])
			}
			assert.InDelta(t, sign, round.Dot(tan.Along[v]), 0.01)
			assert.InDelta(t, 0, tan.Along[v].Dot(sh.Normal[v]), 1e-5)
			assert.Equal(t, hand, tan.Side[v])
			up := sh.Normal[v].Cross(tan.Along[v]).Mul(tan.Side[v])
			assert.Greater(t, up[1], float32(0), "the second coordinate grows upward, whichever way the first goes")
		}
		assert.InDelta(t, 1, math.Abs(float64(sign)), 0.01)
	}
	bare := mesh.Sphere(1, 8, 4)
	bare.UVs = nil
	for i := range bare.Corners {
		bare.Corners[i].UV = -1
	}
	assert.Nil(t, diffgeom.TangentsOf(shaped(t, bare)))
}

// What no ball or egg goes through, as the corners of a box, has one as far as it is
// spread: a ball as far every way, an egg as long as the box is.
func TestFitsOfWhatHasNone(t *testing.T) {
	m := mesh.Cuboid(vec.V{1, 6, 2})
	sh := shaped(t, m)
	at := func(kind string, p vec.V) vec.V {
		n, ok := diffgeom.FitPart(sh, 0, kind).Normal(p, vec.V{})
		require.True(t, ok, kind)
		return n
	}
	p := vec.V{0.5, 1.5, 0.5} // the lean of a normal tells how long the form is along y
	ball, egg := at(diffgeom.Ball, p), at(diffgeom.Egg, p)
	assert.InDelta(t, 3, ball[1]/ball[0], 0.2, "of a ball it goes straight out")
	assert.Less(t, egg[1]/egg[0], float32(0.5), "of an egg it leans to where the egg is thin")
	assert.Greater(t, egg[0], egg[2], "thinner along x than along z")
	saddle := mesh.Grid("saddle", 12, 12, func(u, v float64) vec.V {
		x, z := 2*u-1, 2*v-1
		return vec.V{float32(x), float32(x*x - z*z), float32(z)}
	})
	n, ok := diffgeom.FitPart(shaped(t, saddle), 0, diffgeom.Egg).Normal(vec.V{0.3, 0.4, 0.2}, vec.V{0, 1, 0})
	assert.True(t, ok)
	assert.True(t, n.Finite())
	assert.InDelta(t, 1, n.Len(), 1e-4)
	flat := mesh.Cuboid(vec.V{1, 1e-6, 1})
	_, ok = diffgeom.FitPart(shaped(t, flat), 0, diffgeom.Plane).Normal(vec.V{}, vec.V{})
	assert.True(t, ok)
}

// Three at once are those one by one, to the bit: among them what is even, or nothing, and comes to rest at once.
func TestThreeSpreadAsOneByOne(t *testing.T) {
	rnd := rand.New(rand.NewPCG(8, 9))
	m := mesh.Torus(1, 0.4, 120, 60)
	for i := range m.Positions {
		m.Positions[i] = m.Positions[i].Mul(0.9 + 0.2*rnd.Float32())
	}
	for _, parted := range []bool{false, true} {
		s := diffgeom.NewSheet(shaped(t, m), parted)
		for _, radius := range []float64{0, 0.05, 0.7} {
			var one, three [3][]float64
			for k := range one {
				one[k] = make([]float64, len(s.Area))
				for i := range one[k] {
					one[k][i] = []float64{rnd.NormFloat64(), 7, 0}[(k+int(radius*10))%3]
				}
				three[k] = slices.Clone(one[k])
				s.Spread(one[k], radius, 2)
			}
			s.SpreadThree(three, radius, 2)
			for k := range one {
				assert.True(t, slices.Equal(one[k], three[k]), "number %d of radius %v", k, radius)
			}
		}
	}
}

package blob_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/blob"
	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// closed tells that every edge of a mesh has two faces, that run along it in opposite directions.
func closed(t *testing.T, m *mesh.Mesh, what string) {
	t.Helper()
	sides := map[[2]int32]int{}
	for f := range m.FaceEnd {
		c := m.Face(f)
		for k := range c {
			sides[[2]int32{c[k].Pos, c[(k+1)%len(c)].Pos}]++
		}
	}
	for e, n := range sides {
		require.Equal(t, 1, n, "%s: edge %v", what, e)
		require.Equal(t, 1, sides[[2]int32{e[1], e[0]}], "%s: edge %v is open", what, e)
	}
}

// volume returns the volume within a closed mesh, above 0 if its faces look outward.
func volume(m *mesh.Mesh) (sum float64) {
	for f := range m.FaceEnd {
		c := m.Face(f)
		a, b, d := m.Positions[c[0].Pos], m.Positions[c[1].Pos], m.Positions[c[2].Pos]
		sum += float64(a.Dot(b.Cross(d))) / 6
	}
	return sum
}

func TestOneBallIsABall(t *testing.T) {
	for _, melt := range []float64{0.1, 0.6, 2} {
		c := vec.V{0.313, -0.2, 1.71}
		m := blob.Mesh([]blob.Ball{{At: c, Size: 0.77}}, melt, 24, 2)
		require.NoError(t, m.Check())
		closed(t, m, "a ball")
		worst := 0.0
		for i, p := range m.Positions {
			d := p.Sub(c)
			worst = max(worst, math.Abs(float64(d.Len())/0.77-1))
			require.Greater(t, d.Unit().Dot(m.Normals[i]), float32(0.9999))
		}
		assert.Less(t, worst, 0.0005, "melt %v", melt)
		assert.InEpsilon(t, 4*math.Pi/3*0.77*0.77*0.77, volume(m), 0.005)
	}
}

// The surface of two balls that melt lies where the field, written down here once more, is at its level, found by
// halving.
func TestTwoBallsMeltWhereTheFieldSays(t *testing.T) {
	a, b := vec.V{-0.5, 0, 0}, vec.V{0.6, 0.2, 0}
	const ra, rb, melt = 0.6, 0.45, 0.8
	field := func(p vec.V) float64 {
		w := func(c vec.V, r float64) float64 {
			reach := r * (1 + melt)
			q := 1 - float64(p.Sub(c).Dot(p.Sub(c)))/(reach*reach)
			return math.Pow(max(0, q), 3)
		}
		return w(a, ra) + w(b, rb) - math.Pow(1-1/((1+melt)*(1+melt)), 3)
	}
	m := blob.Mesh([]blob.Ball{{At: a, Size: ra}, {At: b, Size: rb}}, melt, 30, 2)
	closed(t, m, "two balls")
	bridge := false
	for i, p := range m.Positions {
		n := m.Normals[i]
		lo, hi := 0.05, -0.05 // along the normal: outside and inside
		require.Negative(t, field(p.Add(n.Mul(float32(lo)))))
		require.Positive(t, field(p.Add(n.Mul(float32(hi)))))
		for range 50 {
			mid := (lo + hi) / 2
			if field(p.Add(n.Mul(float32(mid)))) > 0 {
				hi = mid
			} else {
				lo = mid
			}
		}
		require.InDelta(t, 0, lo, 4e-5, "place %v", p)
		bridge = bridge || math.Abs(float64(p[0]-0.1)) < 0.05
	}
	assert.True(t, bridge, "they have melted")
}

// However balls lie, hollow ones among them, the surface is closed and its faces look outward; it is the same on any
// number of cores.
func TestTheSurfaceIsClosed(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r := rand.New(rand.NewPCG(7, 7))
	for n := range 60 {
		var balls []blob.Ball
		for range 1 + r.IntN(40) {
			balls = append(balls, blob.Ball{At: vec.V{r.Float32()*3 - 1.5, r.Float32()*3 - 1.5, r.Float32()*3 - 1.5}, Size: 0.05 + r.Float32()*0.5, Hollow: r.IntN(4) == 0})
		}
		melt, cells := 0.05+2*r.Float64(), 3+12*r.Float64() // rough: sheets come near to each other in one cube
		m := blob.Mesh(balls, melt, cells, 1)
		if len(m.FaceEnd) == 0 {
			continue
		}
		require.NoError(t, m.Check())
		closed(t, m, "balls")
		if volume(m) < 0 {
			t.Fatalf("case %d looks inward", n)
		}
		many := blob.Mesh(balls, melt, cells, 3)
		require.Equal(t, m.Positions, many.Positions)
		require.Equal(t, m.Corners, many.Corners)
	}
}

func TestAHollowBallTakesAway(t *testing.T) {
	solid := []blob.Ball{{Size: 1}}
	bitten := append(solid, blob.Ball{At: vec.V{1, 0, 0}, Size: 0.5, Hollow: true})
	a, b := blob.Mesh(solid, 0.6, 16, 2), blob.Mesh(bitten, 0.6, 16, 2)
	closed(t, b, "bitten")
	assert.Less(t, volume(b), volume(a)-0.2)
	inside := append(solid, blob.Ball{Size: 0.7, Hollow: true})
	c := blob.Mesh(inside, 0.6, 16, 2)
	closed(t, c, "with a hollow inside")
	assert.Less(t, volume(c), 0.85*volume(a))
}

// A spring is after its loop what it was before it, moves in between, and no ball comes or goes at once.
func TestASpringLoops(t *testing.T) {
	for name, s := range map[string]blob.Spring{"flame": blob.Flame(), "smoke": blob.Smoke()} {
		b := &blob.Blobs{Spring: s}
		require.NoError(t, b.Check())
		const loop = 2.0
		assert.Equal(t, b.Alive(0, loop), b.Alive(0, loop))
		assert.NotEqual(t, b.Alive(0, loop), b.Alive(0.1, loop), name)
		same := func(x, y []blob.Ball) bool {
			if len(x) != len(y) {
				return false
			}
			for i := range x {
				if x[i].At.Sub(y[i].At).Len() > 1e-4 || math.Abs(float64(x[i].Size-y[i].Size)) > 1e-4 {
					return false
				}
			}
			return true
		}
		assert.True(t, same(b.Alive(0.7, loop), b.Alive(0.7+loop, loop)), name)
		// All that is there, as a volume of balls, changes by little from one hundredth of a second to the next.
		sum := func(at float64) (v float64) {
			for _, l := range b.Alive(at, loop) {
				v += math.Pow(float64(l.Size), 3)
			}
			return v
		}
		worst := 0.0
		for k := range 400 {
			at := float64(k) * loop / 400
			worst = max(worst, math.Abs(sum(at+0.005)-sum(at))/sum(at))
		}
		assert.Less(t, worst, 0.06, name)
	}
}

func TestBlobsAreChecked(t *testing.T) {
	ok := blob.New()
	require.NoError(t, ok.Check())
	for name, change := range map[string]func(b *blob.Blobs){
		"none":       func(b *blob.Blobs) { b.Balls = nil },
		"size":       func(b *blob.Blobs) { b.Balls[0].Size = 0 },
		"nan":        func(b *blob.Blobs) { b.Balls[0].At[1] = float32(math.NaN()) },
		"melt":       func(b *blob.Blobs) { b.Melt = -1 },
		"detail":     func(b *blob.Blobs) { b.Detail = 1e9 },
		"many":       func(b *blob.Blobs) { b.Spring = blob.Spring{On: true, Rate: 200, Life: 60} },
		"many balls": func(b *blob.Blobs) { b.Balls = make([]blob.Ball, blob.MaxBalls+1) },
	} {
		b := blob.New()
		change(b)
		assert.Error(t, b.Check(), name)
	}
	most := blob.New()
	most.Spring = blob.Spring{On: true, Rate: 200, Life: 2}
	assert.NoError(t, most.Check(), "as many at a time as there may be")
	most.Spring.Life = 2.01
	assert.Error(t, most.Check())
	// However fine: what is looked into is held to what can be.
	m := blob.Mesh([]blob.Ball{{Size: 1}, {At: vec.V{900000, 0, 0}, Size: 900000}}, 0.6, 400, 2)
	assert.Less(t, len(m.FaceEnd), mesh.MaxTriangles)
	s, err := (&blob.Blobs{Balls: []blob.Ball{{Size: 1}, {Size: 1, Hollow: true}}}).Surface(0, 1)
	require.NoError(t, err, "nothing left is a speck")
	assert.Len(t, s.Tri, 1)
}

func BenchmarkMesh(b *testing.B) {
	balls := (&blob.Blobs{Spring: blob.Flame()}).Alive(0.3, 2)
	b.Run("flame", func(b *testing.B) {
		for b.Loop() {
			m := blob.Mesh(balls, 0.6, 75, 2)
			b.ReportMetric(float64(len(m.FaceEnd)), "triangles")
		}
	})
	b.Run("surface", func(b *testing.B) {
		m := blob.Mesh(balls, 0.6, 75, 2)
		for b.Loop() {
			mesh.NewSurface(m, 180)
		}
	})
	b.Run("flame20", func(b *testing.B) {
		for b.Loop() {
			m := blob.Mesh(balls, 0.6, 20, 2)
			b.ReportMetric(float64(len(m.FaceEnd)), "triangles")
		}
	})
}

// What springs up rises as fast as it is told, each a little differently, and is as large as it is told, give or take a third; it
// does not stray further than it spreads and sways.
func TestASpringKeepsItsMeasures(t *testing.T) {
	b := blob.Blobs{Spring: blob.Spring{On: true, Rate: 40, Life: 1.5, Rise: 2, Size: 0.3, Spread: 0.4, Widen: 0.5}}
	highest, largest, smallest, widest := float32(0), float32(0), float32(1), 0.0
	n := 0
	for k := range 60 {
		for _, ball := range b.Alive(float64(k)/60*4, 4) {
			n++
			highest, largest = max(highest, ball.At[1]), max(largest, ball.Size)
			widest = max(widest, math.Hypot(float64(ball.At[0]), float64(ball.At[2])))
			if ball.At[1] > 0.5 && ball.At[1] < 2 { // neither being born nor going
				smallest = min(smallest, ball.Size)
			}
		}
	}
	assert.Greater(t, n, 1000)
	assert.InDelta(t, 2*1.5*1.15, highest, 0.2)
	assert.InDelta(t, 0.3*1.3, largest, 0.02)
	assert.InDelta(t, 0.3*0.7, smallest, 0.02)
	assert.InDelta(t, 0.4*1.5, widest, 0.05)
}

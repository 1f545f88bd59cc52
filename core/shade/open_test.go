package shade

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

func always(v float32) func(int) float32 { return func(int) float32 { return v } }

// wide is an opening of half a sphere that reaches as far as there is anything.
func wide() *Opening { return &Opening{Reach: always(1e9), Cone: always(1)} }

// Beneath a ball of radius r whose middle is at distance d: 1 − (r/d)².
func TestOcclusionBeneathABall(t *testing.T) {
	for _, c := range []struct{ r, d float64 }{{1, 1.2}, {1, 2}, {0.5, 3}} {
		sc := lit(t, stage.NewLight("", "", light.Sun), stage.Camera{Azimuth: 0, Elevation: 30, Target: vec.V{0, float32(-c.d), 0}, Distance: 6, Angle: 3},
			mesh.Sphere(c.r, 256, 128), sheet(vec.V{-9, float32(-c.d), 9}, vec.V{18, 0, 0}, vec.V{0, 0, -18}, 1))
		tr, set := seen(t, sc, 15, middle)
		near := 0
		mean := 0.0
		for i := range set.Points.N {
			p := at(&set.Points.Pos, i)
			if set.Points.PartOf[i] != 1 || math.Hypot(float64(p[0]), float64(p[2])) > 0.1*c.d {
				continue
			}
			near++
			want := 1 - c.r*c.r/(c.d*c.d)*math.Pow(c.d/math.Sqrt(c.d*c.d+float64(p[0]*p[0]+p[2]*p[2])), 3)
			require.InDelta(t, want, tr.openness(set, i, wide(), 1024), 0.01, "radius %v at %v", c.r, c.d)
			mean += float64(tr.openness(set, i, wide(), 16)) - want
		}
		require.Greater(t, near, 40)
		assert.InDelta(t, 0, mean/float64(near), 0.01, "sixteen rays are grainy, not too bright or dark")
	}
}

// At the seam of two walls half is open; further out, ½ (1 + d/√(d² + h²)).
func TestOcclusionInACorner(t *testing.T) {
	const h = 40
	sc := lit(t, stage.NewLight("", "", light.Sun), stage.Camera{Azimuth: 0, Elevation: 35, Target: vec.V{0, 0, 1}, Distance: 9, Angle: 26},
		sheet(vec.V{-400, 0, 400}, vec.V{800, 0, 0}, vec.V{0, 0, -400}, 1), sheet(vec.V{-400, 0, 0}, vec.V{800, 0, 0}, vec.V{0, h, 0}, 1))
	tr, set := seen(t, sc, 64, middle)
	first, err := tr.Open(context.Background(), set, wide())
	require.NoError(t, err)
	first = append([]float32(nil), first...)
	set.Found.Level = 1
	got, err := tr.Open(context.Background(), set, wide())
	require.NoError(t, err)
	n, bias, rough := 0, 0.0, 0.0
	for i := range got {
		if set.Points.PartOf[i] != 0 {
			continue
		}
		d := float64(set.Points.Pos[2][i])
		want := 0.5 * (1 + d/math.Hypot(d, h))
		require.InDelta(t, want, tr.openness(set, i, wide(), 1024), 0.01)
		require.InDelta(t, want, got[i], 0.06)
		bias += float64(first[i]) - want
		rough = max(rough, math.Abs(float64(first[i])-want))
		n++
	}
	require.Greater(t, n, 1000)
	assert.InDelta(t, 0, bias/float64(n), 0.01)
	assert.Less(t, rough, 0.3, "rough at first")
	again, err := tr.Open(context.Background(), set, wide())
	require.NoError(t, err)
	assert.Same(t, &got[0], &again[0], "and kept")
	_, later := seen(t, sc, 64, [2]float32{0.2, 0.7})
	later.Found = NewFindings(later.Points, set.Found)
	took, err := tr.Open(context.Background(), later, wide())
	require.NoError(t, err)
	for i := range took {
		if later.Points.PartOf[i] == 0 {
			d := float64(later.Points.Pos[2][i])
			require.InDelta(t, 0.5*(1+d/math.Hypot(d, h)), took[i], 0.06, "later positions take it over")
		}
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = tr.Open(ctx, NewSite(set.Points), wide())
	assert.ErrorIs(t, err, context.Canceled)
}

// Reach, cone, mirror, inside, and own part alone.
func TestWhatOcclusionLooksAt(t *testing.T) {
	// A roof of half the world, two above the floor.
	sc := lit(t, stage.NewLight("", "", light.Sun), stage.Camera{Azimuth: 90, Elevation: 30, Distance: 7, Angle: 30},
		sheet(vec.V{-9, 0, 9}, vec.V{18, 0, 0}, vec.V{0, 0, -18}, 1), sheet(vec.V{-400, 2, 400}, vec.V{400, 0, 0}, vec.V{0, 0, -800}, 1))
	tr, set := seen(t, sc, 40, middle)
	open := func(i int, change func(q *Opening)) float32 {
		q := wide()
		change(q)
		return tr.openness(set, i, q, 400)
	}
	under := 0
	for i := range set.Points.N {
		p := at(&set.Points.Pos, i)
		if set.Points.PartOf[i] != 0 || p[0] > -1.5 || p[0] < -2.5 {
			continue
		}
		under++
		assert.EqualValues(t, 1, open(i, func(q *Opening) { q.Reach = always(1.9) }), "the roof is out of reach")
		assert.EqualValues(t, 0, open(i, func(q *Opening) { q.Cone = always(0.1) }), "straight up there is nothing else")
		assert.EqualValues(t, 1, open(i, func(q *Opening) { q.Own = true }), "the floor does not darken itself")
		assert.EqualValues(t, 1, open(i, func(q *Opening) { q.Inside = true }), "beneath there is nothing")
		assert.EqualValues(t, 1, open(i, func(q *Opening) { q.Reach = always(0) }))
		eye := at(&set.Points.Eye, i) // the camera stands at +x: mirrored it looks towards −x, under the roof
		mirrored := open(i, func(q *Opening) { q.Mirror, q.Cone = true, always(0.05) })
		assert.EqualValues(t, 0, mirrored, "eye %v", eye)
	}
	require.Greater(t, under, 20)

	// Within a ball of glass nothing is open, unless it looks no further than a little.
	ball := lit(t, stage.NewLight("", "", light.Sun), stage.Camera{}, mesh.Sphere(1, 64, 32))
	tr, set = seen(t, ball, 24, middle)
	inside := wide()
	inside.Inside = true
	near := wide()
	near.Inside, near.Reach = true, always(0.05)
	for i := 0; i < set.Points.N; i += 7 {
		assert.EqualValues(t, 0, tr.openness(set, i, inside, 64))
		// Chords of a unit sphere at the angle θ are 2 cos θ long: those longer than 0.05 are all but a few.
		assert.InDelta(t, 1, tr.openness(set, i, near, 400), 0.02)
	}
}

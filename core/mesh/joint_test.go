package mesh

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/vec"
)

// panel is a long face beside two short ones, which rise by an angle: what an eye takes for one sheet, or one fold. apart is by
// how far their corners were rounded from each other. With void there are faces too of which corners coincide.
func panel(degrees float64, apart float32, void bool) *Mesh {
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	x, z := float32(cos), float32(sin)
	m := &Mesh{Parts: []Part{{Name: "panel"}}, Positions: []vec.V{{-1, -1, 0}, {0, -1, 0}, {0, 1, 0}, {-1, 1, 0},
		{apart, -1, 0}, {x, -1, z}, {x, 0.2, z}, {apart, 0.2, 0}, {x, 1, z}, {apart, 1, 0}}}
	face := func(corners ...int32) {
		for _, c := range corners {
			m.Corners = append(m.Corners, Corner{c, -1, -1})
		}
		m.FaceEnd, m.FacePart = append(m.FaceEnd, int32(len(m.Corners))), append(m.FacePart, 0)
	}
	face(0, 1, 2, 3)
	face(4, 5, 6, 7)
	face(7, 6, 8, 9)
	if void {
		face(7, 6, 7)
		face(6, 6, 7)
	}
	return m
}

func TestNothingEndsAtAJoint(t *testing.T) {
	for _, c := range []struct {
		bends, crease float64
		apart         float32
		void          bool
		regions       int // of those that have area
	}{
		{0, 35, 0, false, 1}, {0, 35, 0, true, 1}, {0, 35, 1e-5, false, 1}, {0, 35, 0.01, false, 2},
		{30, 35, 0, false, 1}, {40, 35, 0, true, 2}, {40, 45, 0, true, 1},
	} {
		s, err := NewSurface(panel(c.bends, c.apart, c.void), 40)
		require.NoError(t, err)
		regions := s.Regions(c.crease)
		seen := map[int32]bool{}
		for i, f := range s.TriFace {
			if f < 3 {
				seen[regions[i]] = true
			}
		}
		assert.Len(t, seen, c.regions, "%+v", c)
	}
	// A face of two corners parts nothing, nor does it make normals harder.
	s, err := panel(0, 0, true).Surface(context.Background(), Form{})
	require.NoError(t, err)
	for i, f := range s.TriFace {
		if f < 3 {
			for _, v := range s.Tri[i] {
				assert.InDelta(t, 1, s.Normal[v][2], 1e-6)
			}
		}
	}
}

func TestCornersOfTheirOwn(t *testing.T) {
	m := &Mesh{Positions: []vec.V{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 0}}}
	for _, corners := range [][]int32{{0, 1, 2}, {0, 1, 0}, {0, 0, 0}, {0, 3, 1}, {0, 3, 1, 2}, {0, 1, 0, 1, 3, 2}} {
		for _, c := range corners {
			m.Corners = append(m.Corners, Corner{c, -1, -1})
		}
		m.FaceEnd = append(m.FaceEnd, int32(len(m.Corners)))
		m.FacePart = append(m.FacePart, 0)
	}
	top := newTopology(m)
	for f, want := range []int{3, 2, 1, 2, 3, 3} {
		assert.Equal(t, want, top.corners(m, f), "face %d", f)
	}
}

// Drawn smooth, sides that lie upon each other stay straight: nothing shows through between them.
func TestNoCracksOpenAtAJoint(t *testing.T) {
	// A bent sheet, whose right half has one more row than its left, and was rounded apart from it.
	m := &Mesh{Parts: []Part{{Name: "sheet"}}}
	at := func(x float32, p [2]float32) int32 {
		m.Positions = append(m.Positions, vec.V{x, p[0], p[1]})
		return int32(len(m.Positions) - 1)
	}
	half := func(from, to float32, bends ...[2]float32) {
		for k := 1; k < len(bends); k++ {
			for _, c := range []int32{at(from, bends[k-1]), at(to, bends[k-1]), at(to, bends[k]), at(from, bends[k])} {
				m.Corners = append(m.Corners, Corner{c, -1, -1})
			}
			m.FaceEnd, m.FacePart = append(m.FaceEnd, int32(len(m.Corners))), append(m.FacePart, 0)
		}
	}
	half(-1, 0, [2]float32{-1, 0}, [2]float32{1, 0}, [2]float32{3, 1}, [2]float32{4, 2})
	half(2e-5, 1, [2]float32{-1, 0}, [2]float32{0.2, 0}, [2]float32{1, 0}, [2]float32{3, 1}, [2]float32{4, 2})
	s, err := m.Surface(context.Background(), Form{Smooth: true})
	require.NoError(t, err)
	require.True(t, s.Smooth)
	// Each side's places on the line between are on the other's line too: both go straight from corner to corner.
	n := 0
	for v, p := range s.Pos {
		if math.Abs(float64(p[0])) > 1e-4 || p[1] > 1 {
			continue
		}
		n++
		assert.InDelta(t, 0, p[2], 1e-6, "vertex %d at %v", v, p)
	}
	assert.Greater(t, n, 20)
}

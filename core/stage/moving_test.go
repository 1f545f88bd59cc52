package stage_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/blob"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/motion"
	"mobanta/core/stage"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

// bending is a box, whose upper half bends to and fro by a joint in its middle.
func bending(t *testing.T, steps int) *mesh.Surface {
	t.Helper()
	m := mesh.Grid("sheet", 4, 12, func(u, v float64) vec.V { return vec.V{float32(u - 0.5), float32(2 * v), 0} })
	mo := motion.Still([]vec.V{{0, 0, 0}, {0, 1, 0}}, []int{-1, 0})
	p := motion.Piece{Rest: m.Positions}
	for _, v := range m.Positions {
		w := max(0, min(1, v[1]-0.5))
		p.Joints = append(p.Joints, [motion.MaxJoints]uint16{0, 1})
		p.Weights = append(p.Weights, [motion.MaxJoints]float32{1 - w, w})
	}
	mo.Pieces = []motion.Piece{p}
	s := float32(math.Sqrt(0.5))
	mo.Clips = []motion.Clip{{Name: "bend", Length: 2, Channels: []motion.Channel{{Node: 1, Path: motion.Turn, Size: 4, Times: []float32{0, 1, 2}, Values: []float32{0, 0, 0, 1, s, 0, 0, s, 0, 0, 0, 1}}}}}
	m.Motion = mo
	out, err := m.Surface(context.Background(), mesh.Form{Steps: steps})
	require.NoError(t, err)
	return out
}

// A model plays its clip: its geometry at a moment is that of the pose, its normals stand upright on it, its tree is
// refitted, its rest is its own; whole rounds of the clip are the same; framed it is wherever it goes.
func TestAClipMovesItsModel(t *testing.T) {
	for _, steps := range []int{0, 1} {
		surface := bending(t, steps)
		files := stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return surface, nil })
		st := stage.New()
		st.Models = []stage.Model{{ID: "m", Name: "m", File: "f", Scale: 1, Looks: map[string]string{}, Clip: stage.Clip{Name: "bend"}}}
		at := func(seconds float64) *stage.Scene {
			q := st
			q.Time.At = seconds
			sc, err := stage.NewScene(&q, files, nil)
			require.NoError(t, err)
			return sc
		}
		rest, bent := at(0), at(1)
		assert.Same(t, rest.Geometry, at(2).Geometry, "a round later")
		top := func(sc *stage.Scene) vec.V {
			best := vec.V{}
			for i, p := range sc.Models[0].Surface.Pos {
				if p[1] > 1.99 && math.Abs(float64(p[0])) < 0.01 {
					best = sc.Pos[i]
				}
			}
			return best
		}
		assert.InDelta(t, 0, top(rest).Sub(vec.V{0, 2, 0}).Len(), 1e-4)
		assert.InDelta(t, 0, top(bent).Sub(vec.V{0, 1, 1}).Len(), 0.02, "by a quarter turn about the joint, %d steps", steps)
		for k, tri := range bent.Tri { // they stand upright on what has bent
			for _, v := range tri {
				require.Greater(t, bent.Normal[v].Dot(bent.FlatNormal(int32(k))), float32(0.9))
			}
		}
		_, ok := trace.Of(bent.Geometry, nil, 2).Nearest(vec.V{0, 3, 0.9}, vec.V{0, -1, 0}, 10)
		assert.True(t, ok, "a ray meets it where it is")
		_, ok = trace.Of(rest.Geometry, nil, 2).Nearest(vec.V{0, 3, 0.9}, vec.V{0, -1, 0}, 10)
		assert.False(t, ok)
		assert.Equal(t, rest.Box, bent.Box, "what is measured by the box does not breathe")
		box := stage.Bounds(&st, files)
		assert.Greater(t, box.Max[2], float32(0.9))
		assert.Greater(t, box.Max[1], float32(1.9))
		st.Models[0].Clip = stage.Clip{Name: "bend", Speed: 2, Offset: 0.5}
		assert.InDelta(t, 0, top(at(0.25)).Sub(top(bent)).Len(), 1e-5, "half a second in, twice as fast")
		st.Models[0].Clip = stage.Clip{Name: "none of its file"}
		assert.False(t, at(0.7).Moved)
	}
}

// Blobs are other surfaces at other moments, the same for all who show one moment, and need no file.
func TestBlobsAreMadeForTheMoment(t *testing.T) {
	st := stage.New()
	st.Models = []stage.Model{{ID: "m", Name: "m", Scale: 2, Blobs: &blob.Blobs{Spring: blob.Flame()}, Looks: map[string]string{"Blobs": "x"}}}
	require.NoError(t, st.Check())
	at := func(seconds float64) *stage.Scene {
		q := st
		q.Time.At = seconds
		sc, err := stage.NewScene(&q, meshfile.Files(nil), nil)
		require.NoError(t, err)
		return sc
	}
	a, b := at(0.5), at(0.75)
	assert.Same(t, a.Geometry, at(0.5).Geometry)
	assert.NotSame(t, a.Geometry, b.Geometry)
	assert.Equal(t, a.Box, b.Box)
	for _, p := range a.Pos {
		for k := range p {
			require.True(t, p[k] >= a.Box.Min[k]-0.02 && p[k] <= a.Box.Max[k]+0.02, "%v in %v", p, a.Box)
		}
	}
	assert.Equal(t, "x", a.Parts[0].Look)
	st.Models[0].Solid = "sphere"
	assert.Error(t, st.Check(), "a solid and blobs")
}

func TestTimes(t *testing.T) {
	ti := stage.Time{Length: 2, Rate: 12}
	assert.Equal(t, 24, ti.Frames())
	for k := range 24 {
		ti.At = ti.Start(k)
		assert.Equal(t, k, ti.Frame(), "frame %d begins where it begins", k)
	}
	first, end := ti.Range()
	assert.Equal(t, [2]int{0, 24}, [2]int{first, end})
	ti.First, ti.Last = 0.5, 1
	first, end = ti.Range()
	assert.Equal(t, [2]int{6, 12}, [2]int{first, end})
	ti.First, ti.Last = 9, 0.1
	first, end = ti.Range()
	assert.Less(t, first, end, "at least one frame")
	ti = stage.Time{At: 7.0 / 12, Length: 2, Rate: 12, Hold: 3}
	assert.Equal(t, 6, ti.Held().Frame())
	assert.InDelta(t, 0.25, ti.Held().Phase(), 1e-12)
	assert.Equal(t, stage.MaxFrames, (&stage.Time{Length: 36000, Rate: 240}).Frames())
	assert.Zero(t, stage.Time{At: 4}.Phase(), "the end is the beginning")
}

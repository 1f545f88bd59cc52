package meshfile_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/motion"
	"mobanta/core/vec"
)

// put adds an accessor of floats, as many as there are.
func (d *doc) put(kind string, values ...float32) int {
	return d.floats(kind, len(values)/map[string]int{"SCALAR": 1, "VEC3": 3, "VEC4": 4, "MAT4": 16}[kind], values...)
}

var corner = []float32{0, 0, 0, 1, 0, 0, 0, 1, 0}

// posed reads a glTF and returns where its positions are at a time of its first clip.
func posed(t *testing.T, file []byte, at float64) []vec.V {
	t.Helper()
	m, err := meshfile.Read(context.Background(), "a.gltf", file, nil)
	require.NoError(t, err)
	require.NotNil(t, m.Mesh.Motion, "%v", m.Notes)
	require.NotEmpty(t, m.Mesh.Motion.Clips)
	return m.Mesh.Motion.Pose(&m.Mesh.Motion.Clips[0], at, len(m.Mesh.Positions))
}

func near(t *testing.T, want, got vec.V, what string, args ...any) {
	t.Helper()
	require.InDelta(t, 0, want.Sub(got).Len(), 2e-5, fmt.Sprintf(what, args...)+fmt.Sprintf(": %v, not %v", got, want))
}

// Nodes that are moved, turned and scaled, each by each interpolation, stand where the formulas of glTF 2.0, written down
// here once more, have them.
func TestEachPathByEachInterpolation(t *testing.T) {
	times := []float32{0.5, 1, 2.5}
	for _, c := range []struct {
		path   string
		values [][]float32
	}{
		{"translation", [][]float32{{0, 0, 0}, {2, -1, 0.5}, {-1, 3, 1}}},
		{"scale", [][]float32{{1, 1, 1}, {2, 0.5, 3}, {0.1, 1, 1}}},
		{"rotation", [][]float32{{0, 0, 0, 1}, {0, 0, 0.6, 0.8}, {0.36, 0.48, -0.48, -0.64}}},
	} {
		for _, way := range []string{"LINEAR", "STEP", "CUBICSPLINE"} {
			var b doc
			pos, in := b.put("VEC3", corner...), b.put("SCALAR", times...)
			kind := "VEC3"
			if c.path == "rotation" {
				kind = "VEC4"
			}
			tangent := func(k, side int) []float32 { // into and out of a key
				out := make([]float32, len(c.values[0]))
				for i := range out {
					out[i] = 0.3*float32(k+1) - 0.2*float32(i) + 0.1*float32(side)
				}
				return out
			}
			var all []float32
			for k, v := range c.values {
				if way == "CUBICSPLINE" {
					all = append(append(append(all, tangent(k, 0)...), v...), tangent(k, 1)...)
				} else {
					all = append(all, v...)
				}
			}
			out := b.put(kind, all...)
			file := b.file(`"scenes":[{"nodes":[0]}],"nodes":[{"children":[1],"translation":[0,0,5]},{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}],
				"animations":[{"name":"a","channels":[{"sampler":0,"target":{"node":1,"path":%q}}],"samplers":[{"input":%d,"output":%d,"interpolation":%q}]}]`, pos, c.path, in, out, way)
			for _, at := range []float64{0, 0.5, 0.7, 1, 1.9, 2.5, 9} {
				k := 0
				for k < 1 && float64(times[k+1]) <= at {
					k++
				}
				span := float64(times[k+1] - times[k])
				u := max(0, min(1, (at-float64(times[k]))/span))
				want := make([]float64, len(c.values[0]))
				for i := range want {
					p, q := float64(c.values[k][i]), float64(c.values[k+1][i])
					switch way {
					case "STEP":
						if want[i] = p; u == 1 {
							want[i] = q
						}
					case "CUBICSPLINE":
						m, n := span*float64(tangent(k, 1)[i]), span*float64(tangent(k+1, 0)[i])
						if at < float64(times[0]) || at > float64(times[2]) {
							m, n = 0, 0
						}
						want[i] = p*(2*u*u*u-3*u*u+1) + m*(u*u*u-2*u*u+u) + q*(3*u*u-2*u*u*u) + n*(u*u*u-u*u)
					default:
						want[i] = p + (q-p)*u
						if c.path == "rotation" { // along the arc, the shorter one
							dot := 0.0
							for j := range want {
								dot += float64(c.values[k][j]) * float64(c.values[k+1][j])
							}
							s := math.Copysign(1, dot)
							a := math.Acos(math.Min(1, math.Abs(dot)))
							want[i] = (p*math.Sin((1-u)*a) + s*q*math.Sin(u*a)) / math.Sin(a)
						}
					}
				}
				got := posed(t, file, at)
				for v := range 3 {
					x := vec.V(corner[3*v : 3*v+3])
					switch c.path {
					case "translation":
						x = x.Add(vec.V{float32(want[0]), float32(want[1]), float32(want[2])})
					case "scale":
						x = vec.V{x[0] * float32(want[0]), x[1] * float32(want[1]), x[2] * float32(want[2])}
					default: // p' = q p q*, of unit length
						l := math.Sqrt(want[0]*want[0] + want[1]*want[1] + want[2]*want[2] + want[3]*want[3])
						q := vec.V{float32(want[0] / l), float32(want[1] / l), float32(want[2] / l)}
						w := float32(want[3] / l)
						x = x.Add(q.Cross(x).Mul(2 * w)).Add(q.Cross(q.Cross(x)).Mul(2))
					}
					near(t, x.Add(vec.V{0, 0, 5}), got[v], "%s by %s at %v", c.path, way, at)
				}
			}
		}
	}
}

// Morph targets add up by weights that are animated, and are at rest as the mesh says.
func TestMorphTargetsMove(t *testing.T) {
	var b doc
	pos, a, c := b.put("VEC3", corner...), b.put("VEC3", 0, 0, 1, 0, 0, 2, 0, 0, 3), b.put("VEC3", 5, 0, 0, 0, 5, 0, 0, 0, 5)
	in, out := b.put("SCALAR", 0, 2), b.put("SCALAR", 0, 0, 1, -0.5)
	file := b.file(`"nodes":[{"mesh":0}],"meshes":[{"weights":[0.5,0],"primitives":[{"attributes":{"POSITION":%d},"targets":[{"POSITION":%d},{"POSITION":%d}]}]}],
		"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"weights"}}],"samplers":[{"input":%d,"output":%d}]}]`, pos, a, c, in, out)
	got := posed(t, file, 1)
	near(t, vec.V{-1.25, 0, 0.5}, got[0], "half-way")
	near(t, vec.V{1, -1.25, 1}, got[1], "half-way")
	m, err := meshfile.Read(context.Background(), "a.gltf", file, nil)
	require.NoError(t, err)
	near(t, vec.V{0, 0, 0.5}, m.Mesh.Positions[0], "at rest")
	near(t, m.Mesh.Positions[2], m.Mesh.Motion.Pose(nil, 0, 3)[2], "no clip is at rest")
	assert.Equal(t, "Clip 1", m.Mesh.Motion.Clips[0].Name)
}

// A skin of two joints with eight weights to a position, in two sets, as floats and as bytes: each position is the mean
// of where its joints have it.
func TestASkinBends(t *testing.T) {
	var b doc
	pos := b.put("VEC3", 0, 0, 0, 0, 1, 0, 0, 2, 0)
	j0 := b.add(5121, "VEC4", 3, []byte{0, 1, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0}, "")
	w0 := b.add(5121, "VEC4", 3, []byte{255, 0, 0, 0, 51, 51, 0, 0, 255, 0, 0, 0}, `,"normalized":true`)
	j1 := b.add(5121, "VEC4", 3, []byte{0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0}, "")
	w1 := b.put("VEC4", 0, 0, 0, 0, 0.6, 0, 0, 0, 0, 0, 0, 0)
	inverse := b.put("MAT4", 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1, 0, 1)
	in, out := b.put("SCALAR", 0, 1), b.put("VEC4", 0, 0, 0, 1, 0, 0, 0.70710678, 0.70710678)
	file := b.file(`"scenes":[{"nodes":[0,2]}],"nodes":[{"name":"hip","children":[1]},{"name":"knee","translation":[0,1,0]},{"name":"leg","mesh":0,"skin":0,"translation":[9,9,9]}],
		"skins":[{"joints":[0,1],"inverseBindMatrices":%d}],
		"meshes":[{"primitives":[{"attributes":{"POSITION":%d,"JOINTS_0":%d,"WEIGHTS_0":%d,"JOINTS_1":%d,"WEIGHTS_1":%d}}]}],
		"animations":[{"name":"bend","channels":[{"sampler":0,"target":{"node":1,"path":"rotation"}}],"samplers":[{"input":%d,"output":%d}]}]`, inverse, pos, j0, w0, j1, w1, in, out)
	got := posed(t, file, 1) // the knee bends by a quarter turn: up becomes left
	near(t, vec.V{0, 0, 0}, got[0], "by the hip alone; where its node stands does not count")
	near(t, vec.V{0, 1, 0}, got[1], "at the knee, by both")
	near(t, vec.V{-1, 1, 0}, got[2], "below the knee")
	got = posed(t, file, 0.5)
	s := float32(math.Sqrt(0.5))
	near(t, vec.V{-s, 1 + s, 0}, got[2], "half-way along the arc")
	m, _ := meshfile.Read(context.Background(), "a.gltf", file, nil)
	assert.Zero(t, m.Mesh.Motion.Uneven)
	assert.InDelta(t, 1, m.Mesh.Motion.Clips[0].Length, 1e-6)
}

// What cannot be read of an animation is left out and said; the model comes in.
func TestBadAnimationsAreLeftOutInWords(t *testing.T) {
	var b doc
	pos, in, back := b.put("VEC3", corner...), b.put("SCALAR", 0, 1), b.put("SCALAR", 1, 0)
	out, few, odd := b.put("VEC3", 0, 0, 0, 1, 1, 1), b.put("VEC3", 0, 0, 0), b.put("VEC3", 0, 0, 0, float32(math.NaN()), 1, 1)
	for why, a := range map[string]string{
		"not known here":             fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"pointer"}}],"samplers":[{"input":%d,"output":%d}]}`, in, out),
		"interpolation":              fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":%d,"output":%d,"interpolation":"BEZIER"}]}`, in, out),
		"do not follow each other":   fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":%d,"output":%d}]}`, back, out),
		"numbers for 2 keys":         fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":%d,"output":%d}]}`, in, few),
		"no number":                  fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":%d,"output":%d}]}`, in, odd),
		"sampler 7 of 1":             fmt.Sprintf(`{"channels":[{"sampler":7,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":%d,"output":%d}]}`, in, out),
		"node 9 of 1 does not exist": fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":9,"path":"translation"}}],"samplers":[{"input":%d,"output":%d}]}`, in, out),
		"accessor 99":                fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":99,"output":%d}]}`, out),
		"3 components":               fmt.Sprintf(`{"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}],"samplers":[{"input":%d,"output":%d}]}`, in, out),
	} {
		m, err := meshfile.Read(context.Background(), "a.gltf", []byte(b.file(`"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":%d}}]}],"animations":[%s]`, pos, a)), nil)
		require.NoError(t, err, why)
		assert.Nil(t, m.Mesh.Motion, why)
		assert.Contains(t, strings.Join(m.Notes, " "), why)
	}
}

// What is written as GLB is read back: places at rest and at every moment, parts, colours, and clips.
func TestAGLBIsReadBack(t *testing.T) {
	m := mesh.Torus(1, 0.3, 24, 12)
	m.Join(mesh.Cuboid(vec.V{1, 1, 1}), vec.Place(vec.V{0, 2, 0}, vec.V{10, 20, 30}, 0.5))
	still := *m
	mo := motion.Still([]vec.V{{0, 0, 0}, {0, 1, 0}}, []int{-1, 0})
	ring := len(mesh.Torus(1, 0.3, 24, 12).Positions)
	a := motion.Piece{Skin: 0, Rest: m.Positions[:ring], Joints: make([][motion.MaxJoints]uint16, ring), Weights: make([][motion.MaxJoints]float32, ring)}
	for i := range ring {
		a.Joints[i] = [motion.MaxJoints]uint16{0, 1, 0, 0, 1}
		a.Weights[i] = [motion.MaxJoints]float32{0.25, 0.25, 0, 0, 0.5}
	}
	box := motion.Piece{First: ring, Node: 1, Skin: -1, Targets: [][]vec.V{make([]vec.V, len(m.Positions)-ring)}}
	for i, p := range m.Positions[ring:] {
		box.Rest = append(box.Rest, p.Sub(vec.V{0, 1, 0}))
		box.Targets[0][i] = vec.V{0, float32(i) * 0.1, 0}
	}
	mo.Nodes[1].Morph = []float32{0}
	mo.Pieces = []motion.Piece{a, box}
	mo.Clips = []motion.Clip{{Name: "go", Length: 2, Channels: []motion.Channel{
		{Node: 1, Path: motion.Turn, Size: 4, Times: []float32{0, 1, 2}, Values: []float32{0, 0, 0, 1, 0, 0.6, 0, 0.8, 0, 0, 0, 1}},
		{Node: 0, Path: motion.Place, Way: motion.Cubic, Size: 3, Times: []float32{0, 2}, Values: []float32{0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 2, 0, 0, 0, 0}},
		{Node: 1, Path: motion.Morph, Way: motion.Step, Size: 1, Times: []float32{0, 1}, Values: []float32{0, 1}}}}}
	for _, moving := range []bool{false, true} {
		src := &still
		if moving {
			src = m
			m.Motion = mo
		}
		var buf bytes.Buffer
		require.NoError(t, meshfile.WriteGLB(&buf, src))
		back, err := meshfile.Read(context.Background(), "a.glb", buf.Bytes(), nil)
		require.NoError(t, err)
		assert.Empty(t, back.Notes)
		require.Len(t, back.Mesh.Parts, 2)
		assert.Equal(t, m.Parts[0].Name, back.Mesh.Parts[0].Name)
		assert.Equal(t, m.Triangles(), back.Mesh.Triangles())
		where := func(m *mesh.Mesh, at float64) (out []vec.V) { // of each triangle's corners
			pos := m.Positions
			if m.Motion != nil {
				pos = m.Motion.Pose(&m.Motion.Clips[0], at, len(pos))
			}
			for f := range m.FaceEnd {
				c := m.Face(f)
				for k := 1; k+1 < len(c); k++ {
					out = append(out, pos[c[0].Pos], pos[c[k].Pos], pos[c[k+1].Pos])
				}
			}
			return out
		}
		for _, at := range []float64{0, 0.4, 1, 1.7, 2} {
			want, got := where(src, at), where(back.Mesh, at)
			for i := range want {
				near(t, want[i], got[i], "corner %d at %v", i, at)
			}
		}
	}
	bad := *m
	bad.FacePart = make([]int32, len(m.FacePart)) // one part in two pieces
	assert.ErrorContains(t, meshfile.WriteGLB(&bytes.Buffer{}, &bad), "several pieces")
}

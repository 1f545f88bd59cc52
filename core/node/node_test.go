package node_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/trace"
	"mobanta/core/vec"
)

var cat node.Catalogue

func ExampleCatalogue_Search() {
	found := cat.Search("threshold")
	fmt.Println(found[0].Name)
	// Output: Soft step
}

// bench is a scene with the samples of a small picture.
type bench struct {
	t     *testing.T
	scene *stage.Scene
	set   *sample.Points
	ask   *node.Scene
}

// asked is what kernels may ask of a scene.
func asked(sc *stage.Scene) *node.Scene {
	return &node.Scene{Scene: sc, Tracer: &shade.Tracer{Scene: sc, Rays: trace.NewScene(sc.Geometry, nil, 2), Workers: 2}}
}

func on(t *testing.T, sc *stage.Scene) *bench {
	view := sc.Stage.Camera.View(96, 96)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	set := sample.Seen(vis, sc, view, 1, make([]int, len(sc.Parts)), nil)[0]
	set.Resolve(sample.Pos|sample.Normal|sample.Flat|sample.Eye|sample.UV, 1)
	return &bench{t, sc, set, asked(sc)}
}

// run evaluates one node with the given settings and inputs.
func (b *bench) run(kind string, set map[string]any, in map[string]any, out string) []node.Plane {
	b.t.Helper()
	n := &network.Network{Nodes: []network.Node{{ID: "x", Kind: kind, Set: set, In: map[string]network.Input{}}}}
	for k, v := range in {
		n.Nodes[0].In[k] = network.Input{Value: v}
	}
	return b.eval(n, network.Ref{Node: "x", Port: out})
}

func (b *bench) eval(n *network.Network, ref network.Ref) []node.Plane {
	b.t.Helper()
	require.NoError(b.t, n.Settle(cat))
	p, err := eval.Compile(n, cat)
	require.NoError(b.t, err)
	target, _, err := p.Output(ref)
	require.NoError(b.t, err)
	planes, err := p.Run(context.Background(), eval.Env{Points: b.set, Scene: b.ask, Workers: 2}, []eval.Target{target})
	require.NoError(b.t, err)
	return planes[0]
}

func (b *bench) at(p [3][]float32, i int) vec.V { return vec.V{p[0][i], p[1][i], p[2][i]} }

func ball(t *testing.T) *bench { return on(t, stagetest.Of(t, mesh.Sphere(1, 256, 128))) }

func TestEveryKindIsWhole(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range cat.All() {
		assert.False(t, seen[k.Spec.Kind])
		seen[k.Spec.Kind] = true
		assert.NotEmpty(t, k.Name)
		assert.NotEmpty(t, k.Purpose, k.Name)
		assert.GreaterOrEqual(t, len(k.Words), 3, "other words for %s", k.Name)
		assert.Contains(t, []string{"surface", "texture", "relief", "light", "tone", "pattern", "colour", "line", "finish"}, k.Family)
		spec := cat.Of(&network.Node{ID: "x", Kind: k.Spec.Kind})
		for _, s := range spec.Settings {
			_, err := s.Parse(s.Default)
			assert.NoError(t, err, "the default of %s of %s", s.Key, k.Name)
			assert.Nil(t, k.Input(s.Key), "%s of %s is a setting and an input", s.Key, k.Name)
		}
		for _, p := range spec.Inputs {
			if !p.Hidden {
				_, err := p.ParseConstant(p.Default)
				assert.NoError(t, err, "the default of %s of %s", p.Key, k.Name)
			}
		}
		assert.Same(t, k, cat.Kind(k.Name), "found by name")
	}
}

func TestSearchFindsByPurposeAndOtherWords(t *testing.T) {
	for query, want := range map[string]string{"mix": "Blend", "lambert": "Diffuse light", "cel bands": "Ramp", "line art": "Edge lines",
		"specular": "Highlight", "fresnel": "Facing", "outl": "Outline", "output": "Finish", "screen multiply": "Blend", "dots": "Halftone"} {
		found := cat.Search(query)
		if assert.NotEmpty(t, found, query) {
			assert.False(t, found[0].Guess, query)
			assert.Equal(t, want, found[0].Name, query)
		}
	}
	found := cat.Search("zzyzx")
	require.NotEmpty(t, found, "nothing typed finds nothing: what comes nearest is guessed")
	assert.True(t, found[0].Guess)
	found = cat.Search("")
	assert.Len(t, found, len(cat.All()))
}

// Nothing that an artist can set or wire makes NaN or infinity.
func TestNoKernelYieldsNonsense(t *testing.T) {
	// Lights of all kinds, some where none should be: in a ball, in a surface, through it.
	st := stage.New()
	for i, kind := range light.Kinds {
		for k, at := range []vec.V{{0, 0, 0}, {0, 0, 1}, {0.3, 0.2, 1.05}, {50, 60, 70}} {
			l := stage.NewLight(fmt.Sprintf("%s%d", kind, k), "l", kind)
			if kind.Placed() {
				l.At = at
				if l.Fade = k%2 == 0; k == 1 {
					l.Size, l.Height = 1e-4, 1e4
				}
			} else if k > 0 || i > 3 && kind != light.Sky {
				continue
			}
			l.Elevation = []float64{90, -90, 0, 45}[k]
			if kind == light.Sun {
				l.Size = 90
			}
			st.Lights = append(st.Lights, l)
		}
	}
	st.Lights = st.Lights[:min(len(st.Lights), stage.MaxLights)]
	b := on(t, stagetest.With(t, &st, mesh.Sphere(1, 24, 12), mesh.Cuboid(vec.V{3, 0.1, 0.1})))
	var some []int32
	for i := 0; i < b.set.N; i += 1 + b.set.N/40 {
		some = append(some, int32(i))
	}
	b.set = b.set.Pick(some)
	b.set.Resolve(sample.Pos|sample.Normal|sample.Flat|sample.Eye|sample.UV, 1)
	r := rand.New(rand.NewPCG(9, 9))
	numbers := []float64{-1e6, -1, -1e-30, 0, 1e-30, 0.5, 1, 2, 1e6}
	for _, k := range cat.All() {
		for range 30 {
			set, in := map[string]any{}, map[string]any{}
			for _, s := range k.Settings {
				switch s.Type {
				case network.Number:
					set[s.Key] = []float64{s.Min, s.Max, s.Min + (s.Max-s.Min)*r.Float64()}[r.IntN(3)]
				case network.Choice:
					if len(s.Choices) > 0 {
						set[s.Key] = s.Choices[r.IntN(len(s.Choices))].Key
					}
				case network.Toggle:
					set[s.Key] = r.IntN(2) == 0
				}
			}
			spec := cat.Of(&network.Node{ID: "x", Kind: k.Spec.Kind, Set: set})
			for _, p := range spec.Inputs {
				f, g := numbers[r.IntN(len(numbers))], numbers[r.IntN(len(numbers))]
				switch {
				case p.Hidden:
				case p.Type == network.Tone:
					in[p.Key] = f
				case p.Type == network.Color:
					in[p.Key] = color.C{float32(f), float32(g), 0.5}
				case p.Type == network.Vector:
					in[p.Key] = [3]float64{f, g, -0.5}
				}
			}
			for _, o := range spec.Outputs {
				if o.Type == network.Lines {
					continue
				}
				for _, plane := range b.run(k.Spec.Kind, set, in, o.Key) {
					for i, v := range plane {
						require.False(t, v-v != 0, "%s.%s is %v at sample %d with %v %v", k.Name, o.Key, v, i, set, in)
					}
				}
			}
		}
	}
}

func TestLambertOnASphere(t *testing.T) {
	for _, sun := range [][2]float64{{0, 0}, {50, 30}, {-120, 70}, {180, -20}} {
		sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
		sc.Stage.Lights[0].Azimuth, sc.Stage.Lights[0].Elevation = sun[0], sun[1]
		b := on(t, stagetest.Again(t, sc))
		dir := vec.Direction(sun[0], sun[1])
		for _, wrap := range []float64{0, 0.5} {
			tone := b.run("diffuse-light", map[string]any{"wrap": wrap}, nil, "tone")[0]
			for i, v := range tone {
				n := b.at(b.set.Pos, i).Unit() // on a sphere the place is the normal
				want := max(0, (float64(n.Dot(dir))+wrap)/(1+wrap))
				require.InDelta(t, want, v, 1e-3)
			}
		}
	}
}

func TestSeveralLights(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 64, 32))
	sc.Stage.Lights = append(sc.Stage.Lights, stage.Light{Kind: light.Sun, ID: "red", Name: "Red", Azimuth: 90, Strength: 2, Color: color.C{1, 0, 0}})
	b := on(t, stagetest.Again(t, sc))
	sum, brightest := b.run("diffuse-light", nil, nil, "tone")[0], b.run("diffuse-light", map[string]any{"combine": "brightest"}, nil, "tone")[0]
	red := b.run("diffuse-light", map[string]any{"lights": []any{"red"}}, nil, "colour")
	hue := b.run("diffuse-light", map[string]any{"combine": "brightest"}, nil, "colour")
	for i := range sum {
		n := b.at(b.set.Norm, i)
		x, y := max(0, n.Dot(vec.V{0, 0, 1})), 2*max(0, n.Dot(vec.V{1, 0, 0}))
		require.InDelta(t, x+y, sum[i], 1e-4)
		require.InDelta(t, max(x, y), brightest[i], 1e-4)
		require.InDelta(t, y, red[0][i], 1e-4)
		require.Zero(t, red[1][i])
		if y > x {
			require.Zero(t, hue[1][i], "the brightest light gives the colour alone")
		}
	}
}

func TestShadowOfAPlateHasItsEdgeWhereTheSunPutsIt(t *testing.T) {
	// A plate at height 1 over a floor, light from 45° along +X: the shadow is
	// the plate moved by -1 along X.
	floor := mesh.Cuboid(vec.V{8, 0.1, 8})
	floor.Join(mesh.Cuboid(vec.V{2, 0.02, 2}), vec.Place(vec.V{0, 1, 0}, vec.V{}, 1))
	sc := stagetest.Of(t, floor)
	sc.Stage.Lights[0].Azimuth, sc.Stage.Lights[0].Elevation = 90, 45
	sc.Stage.Camera.Elevation = 60
	b := on(t, stagetest.Again(t, sc))
	tone := b.run("diffuse-light", map[string]any{"shadows": true}, nil, "tone")[0]
	dark := 0
	for i, v := range tone {
		p := b.at(b.set.Pos, i)
		if p[1] > 0.1 || p[1] < 0.04 {
			continue
		}
		x := p[0] + (1 - p[1])
		inside := x > -1 && x < 1 && p[2] > -1 && p[2] < 1
		if e := 0.03; math.Abs(math.Abs(float64(x))-1) < e || math.Abs(math.Abs(float64(p[2]))-1) < e {
			continue
		}
		if inside {
			dark++
			require.Zero(t, v, "in the shadow at %v", p)
		} else {
			require.InDelta(t, math.Sqrt2/2, v, 1e-4, "in the light at %v", p)
		}
	}
	assert.Greater(t, dark, 100)
}

func TestASphereThrowsNoShadowOnItsLitSide(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 24, 12)) // coarse, so that facets could
	sc.Stage.Lights[0].Azimuth, sc.Stage.Lights[0].Elevation = 70, 20
	b := on(t, stagetest.Again(t, sc))
	open := b.run("diffuse-light", nil, nil, "tone")[0]
	cast := b.run("diffuse-light", map[string]any{"shadows": true}, nil, "tone")[0]
	for i := range open {
		require.InDelta(t, open[i], cast[i], 0.02)
	}
}

func TestHighlightPeaksAtTheHalfAngleAndMovesWithTheEye(t *testing.T) {
	for _, az := range []float64{0, 40} {
		sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
		sc.Stage.Lights[0].Azimuth = 60
		sc.Stage.Camera.Azimuth = az
		b := on(t, stagetest.Again(t, sc))
		tone := b.run("highlight", map[string]any{"roughness": 0.3}, nil, "tone")[0]
		best := 0
		for i := range tone {
			if tone[i] > tone[best] {
				best = i
			}
		}
		half := vec.Direction(60, 0).Add(b.at(b.set.Eye, best)).Unit()
		assert.Greater(t, b.at(b.set.Norm, best).Dot(half), float32(0.999))
		assert.InDelta(t, 1, tone[best], 0.05, "peak kept at 1")
	}
}

// The reflectances at normal incidence are ((n-1)/(n+1))²; the rest are worked
// out from the Fresnel equations.
func TestFresnel(t *testing.T) {
	for _, c := range []struct{ cos, ior, want float64 }{
		{1, 1.5, 0.04}, {1, 0.8, 0.0123457}, {0, 1.5, 1}, {0.5, 1.5, 0.0891867}, {1, 1, 0}, {0, 1, 0},
		{math.Cos(math.Atan(1.5)), 1.5, 0.0739645}, // Brewster's angle: half of the perpendicular reflectance
		{0.5, 0.8, 1}, // beyond the critical angle of 53.13°
		{math.Cos(50 * math.Pi / 180), 0.8, 0.1510},
	} {
		assert.InDelta(t, c.want, node.Fresnel(c.cos, c.ior), 2e-3, "cos %v, ior %v", c.cos, c.ior)
	}
	for ior := 0.05; ior < 10; ior *= 1.3 {
		for cos := 0.0; cos <= 1; cos += 0.01 {
			r := node.Fresnel(cos, ior)
			assert.True(t, r >= 0 && r <= 1, "%v at cos %v, ior %v", r, cos, ior)
		}
	}
}

func TestFacingAndOutline(t *testing.T) {
	b := ball(t)
	f := b.run("facing", nil, nil, "tone")[0]
	line := b.run("outline", nil, map[string]any{"thickness": 0.3}, "tone")[0]
	soft := b.run("outline", nil, map[string]any{"thickness": 0.3, "softness": 0.2}, "tone")[0]
	for i := range f {
		n, e := b.at(b.set.Pos, i).Unit(), b.at(b.set.Eye, i)
		want := math.Abs(float64(n.Dot(e)))
		require.InDelta(t, want, f[i], 2e-3)
		if math.Abs(want-0.3) > 0.01 {
			require.Equal(t, want < 0.3, line[i] == 1)
			require.Equal(t, want > 0.3, line[i] == 0)
		}
		x := max(0, min(1, (want-0.2)/0.2))
		require.InDelta(t, 1-x*x*(3-2*x), soft[i], 0.03)
	}
}

func TestSoftStep(t *testing.T) {
	b := ball(t)
	for _, c := range []struct{ tone, at, soft, want float64 }{
		{0.49, 0.5, 0, 0}, {0.5, 0.5, 0, 1}, {0.5, 0.5, 0.4, 0.5}, {0.4, 0.5, 0.4, 0.15625}, {0.1, 0.5, 0.4, 0}, {0.9, 0.5, 0.4, 1}, {0.2, 0.5, -3, 0},
	} {
		got := b.run("soft-step", nil, map[string]any{"tone": c.tone, "threshold": c.at, "softness": c.soft}, "tone")[0]
		assert.InDelta(t, c.want, got[0], 1e-6, "%+v", c)
		// The same with a wired softness, which takes the general path.
		n := &network.Network{Nodes: []network.Node{
			{ID: "c", Kind: "colour", Set: map[string]any{"colour": color.C{float32(c.soft), float32(c.soft), float32(c.soft)}}},
			{ID: "s", Kind: "soft-step", In: map[string]network.Input{"tone": {Value: c.tone}, "threshold": {Value: c.at}, "softness": {Wires: []network.Ref{{Node: "c", Port: "colour"}}}}},
		}}
		assert.InDelta(t, c.want, b.eval(n, network.Ref{Node: "s"})[0][0], 1e-4, "%+v wired", c)
	}
}

func TestBlendAgreesWithItsModes(t *testing.T) {
	b := ball(t)
	base, over := color.C{0.2, 0.6, 0.9}, color.C{0.7, 0.3, 0.5}
	for _, m := range color.Modes {
		for _, amount := range []float64{-1, 0, 0.25, 1, 2} {
			got := b.run("blend", map[string]any{"mode": m.Key}, map[string]any{"base": base, "over": over, "amount": amount}, "colour")
			want := base.Mix(m.Apply(base, over), float32(max(0, min(1, amount))))
			for k := range want {
				assert.InDelta(t, want[k], got[k][0], 1e-5, "%s at %v", m.Key, amount)
			}
		}
	}
}

func TestCoordinates(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{2, 2, 2}))
	sc.Stage.Models[0].At, sc.Stage.Models[0].Scale = vec.V{5, 0, 0}, 2
	sc = stagetest.Again(t, sc)
	sc.Stage.Camera = sc.Stage.Camera.Frame(sc.Box, 1)
	b := on(t, sc)
	size := float64(sc.Size)
	for space, want := range map[string]func(p vec.V) [3]float64{
		"world": func(p vec.V) [3]float64 {
			return [3]float64{float64(p[0]) / size, float64(p[1]) / size, float64(p[2]) / size}
		},
		"object": func(p vec.V) [3]float64 {
			d := math.Sqrt(12)
			return [3]float64{float64(p[0]-5) / 2 / d, float64(p[1]) / 2 / d, float64(p[2]) / 2 / d}
		},
		"box": func(p vec.V) [3]float64 {
			return [3]float64{float64(p[0]-3) / 4, float64(p[1]+2) / 4, float64(p[2]+2) / 4}
		},
	} {
		got := b.run("coordinates", map[string]any{"space": space}, nil, "vector")
		for i := 0; i < b.set.N; i += 97 {
			for k, w := range want(b.at(b.set.Pos, i)) {
				require.InDelta(t, w, got[k][i], 1e-4, "%s of %v", space, b.at(b.set.Pos, i))
			}
		}
	}
	page := b.run("coordinates", map[string]any{"space": "page"}, nil, "vector")
	i := b.set.N / 2
	assert.InDelta(t, (float64(b.set.Pixels().Pixel[i]%96)+0.5)/96, page[0][i], 1e-6)
	mirror := b.run("coordinates", map[string]any{"space": "reflection"}, nil, "vector")
	assert.InDelta(t, 1, b.at([3][]float32{mirror[0], mirror[1], mirror[2]}, i).Len(), 1e-4)
}

func TestNormal(t *testing.T) {
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 12, 6)))
	flat, smooth := b.run("normal", map[string]any{"shape": "flat"}, nil, "vector"), b.run("normal", nil, nil, "vector")
	differ := 0
	for i := range flat[0] {
		require.InDelta(t, 1, b.at([3][]float32{flat[0], flat[1], flat[2]}, i).Len(), 1e-4)
		if flat[0][i] != smooth[0][i] {
			differ++
		}
	}
	assert.Greater(t, differ, b.set.N/2)
	eye := b.run("normal", map[string]any{"space": "eye"}, nil, "vector")
	for i := range eye[2] {
		require.Greater(t, eye[2][i], float32(-0.3), "what is seen faces the eye")
	}
}

func TestToneNodesAgreeWithTheirFormulas(t *testing.T) {
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 12, 6)))
	for _, tc := range []struct {
		kind    string
		set, in map[string]any
		want    float64
	}{
		{"range", nil, map[string]any{"value": 0.25, "to-low": 1.0, "to-high": 0.0}, 0.75},
		{"range", nil, map[string]any{"value": 3.0, "from-low": 1.0, "from-high": 2.0, "to-high": 5.0}, 5},
		{"range", map[string]any{"clamp": false}, map[string]any{"value": 3.0, "from-low": 1.0, "from-high": 2.0, "to-high": 5.0}, 10},
		{"range", nil, map[string]any{"value": 3.0, "from-low": 1.0, "from-high": 1.0, "to-low": 0.2}, 0.2},
		{"steps", map[string]any{"count": 4.0}, map[string]any{"tone": 0.49}, 1.0 / 3},
		{"steps", map[string]any{"count": 4.0}, map[string]any{"tone": 1.0}, 1},
		{"steps", map[string]any{"count": 2.0}, map[string]any{"tone": 0.5}, 1},
		{"tone-adjust", nil, map[string]any{"tone": 0.3}, 0.3},
		{"tone-adjust", nil, map[string]any{"tone": 0.25, "gamma": 2.0}, 0.5},
		{"tone-adjust", nil, map[string]any{"tone": 0.5, "contrast": 3.0, "pivot": 0.4}, 0.7},
		{"tone-adjust", nil, map[string]any{"tone": 0.5, "gain": 2.0, "lift": -0.4}, 0.6},
		{"maths", map[string]any{"operation": "divide"}, map[string]any{"a": 1.0, "b": 0.0}, 0},
		{"maths", map[string]any{"operation": "power"}, map[string]any{"a": 2.0, "b": 3.0}, 8},
		{"maths", map[string]any{"operation": "modulo"}, map[string]any{"a": -0.25, "b": 1.0}, 0.75},
		{"maths", map[string]any{"operation": "sine"}, map[string]any{"a": 0.25}, 1},
		{"maths", map[string]any{"operation": "dot"}, map[string]any{"a": [3]float64{1, 2, 3}, "b": [3]float64{4, -5, 6}}, 12},
		{"maths", map[string]any{"operation": "length"}, map[string]any{"a": [3]float64{2, 3, 6}}, 7},
		{"compare", nil, map[string]any{"a": 0.6, "b": 0.5}, 1},
		{"compare", map[string]any{"test": "less"}, map[string]any{"a": 0.6, "b": 0.5}, 0},
		{"compare", map[string]any{"test": "near"}, map[string]any{"a": 0.6, "b": 0.5, "reach": 0.2}, 1},
		{"switch", map[string]any{"carries": "tone", "live": "b"}, map[string]any{"a": 0.1, "b": 0.7}, 0.7},
		{"formula", map[string]any{"text": "a > 0.5 ? b : 1.0 - b"}, map[string]any{"a": 0.6, "b": 0.3}, 0.3},
	} {
		out := b.run(tc.kind, tc.set, tc.in, cat.Of(&network.Node{ID: "x", Kind: tc.kind, Set: tc.set}).Outputs[0].Key)[0]
		assert.InDelta(t, tc.want, out[0], 1e-6, "%s %v %v", tc.kind, tc.set, tc.in)
	}
}

func TestPower(t *testing.T) {
	for _, tc := range [][3]float32{{0, -1, 0}, {0, -0.5, 0}, {0, 0, 1}, {0, 2, 0}, {2, -1, 0.5}, {2, 10, 1024}, {-2, 3, -8}, {-2, -1, -0.5}, {-2, 0.5, 0}, {9, 0.5, 3}} {
		assert.Equal(t, tc[2], node.Power(tc[0], tc[1]), "%v to the %v", tc[0], tc[1])
	}
}

func TestSplitAndJoinAreInverse(t *testing.T) {
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 12, 6)))
	for _, space := range []string{"rgb", "hsv", "oklch", "xyz"} {
		n := &network.Network{Nodes: []network.Node{
			{ID: "s", Kind: "split", Set: map[string]any{"space": space}, In: map[string]network.Input{"colour": {Wires: []network.Ref{{Node: "p", Port: "colour"}}}}},
			{ID: "p", Kind: "colour", Set: map[string]any{"colour": "#5A8F4A"}},
			{ID: "j", Kind: "join", Set: map[string]any{"space": space}, In: map[string]network.Input{}},
		}}
		for _, k := range []string{"x", "y", "z"} {
			n.Nodes[2].In[k] = network.Input{Wires: []network.Ref{{Node: "s", Port: k}}}
		}
		out := b.eval(n, network.Ref{Node: "j", Port: "colour"})
		want := color.MustHex("#5A8F4A")
		for k := range 3 {
			assert.InDelta(t, want[k], out[k][0], 1e-5, space)
		}
	}
}

func TestLayersStackFromTheBaseUp(t *testing.T) {
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 12, 6)))
	stack := []network.Layer{{Key: "a", Name: "half"}, {Key: "b", Name: "off", Off: true}, {Key: "c", Name: "tint", Mode: "multiply"}}
	out := b.run("layers", map[string]any{"layers": stack}, map[string]any{"base": color.C{1, 1, 1}, "a": color.C{0, 0.5, 1}, "a-amount": 0.5, "b": color.C{9, 9, 9},
		"c": color.C{0.5, 0.5, 0.5}, "c-mask": 1.0}, "colour")
	for k, want := range []float32{0.25, 0.375, 0.5} {
		assert.InDelta(t, want, out[k][0], 1e-6)
	}
}

func TestColourAdjust(t *testing.T) {
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 12, 6)))
	at := func(in map[string]any) string {
		in["colour"] = color.MustHex("#D4843F")
		out := b.run("colour-adjust", nil, in, "colour")
		return color.C{out[0][0], out[1][0], out[2][0]}.Hex()
	}
	assert.Equal(t, "#D4843F", at(map[string]any{}), "nothing changed, nothing changes")
	assert.Equal(t, "#3F8FD4", at(map[string]any{"hue": 0.5}), "the opposite hue")
	assert.Equal(t, "#D4D4D4", at(map[string]any{"saturation": 0.0}))
	assert.Equal(t, "#6A4220", at(map[string]any{"value": 0.5}))
	assert.Equal(t, "#D40000", at(map[string]any{"tint": color.C{1, 0, 0}}))
}

func TestPartValuesDepthAndTime(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 64, 32))
	sc.Stage.Time.At = 5
	b := on(t, sc)
	assert.EqualValues(t, stage.Seed("Sphere"), b.run("part-values", nil, nil, "seed")[0][0])
	assert.Zero(t, b.run("part-values", nil, nil, "index")[0][0])
	tone := b.run("depth", nil, nil, "tone")[0]
	view := sc.Stage.Camera.View(96, 96)
	for i, v := range tone { // the box around the sphere is 2 deep
		require.InDelta(t, (view.Camera(b.at(b.set.Pos, i))[2]-view.Camera(vec.V{0, 0, 1})[2])/2, v, 1e-4)
	}
	now := node.At(sc.Stage.Time)
	assert.Equal(t, node.Time{Seconds: 5, Frame: 60, Phase: 0.25}, now)
}

func TestPaletteStripReadsItsColours(t *testing.T) {
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 12, 6)))
	strip := color.Strip{{color.MustHex("#112233"), color.MustHex("#445566")}, {color.MustHex("#778899"), color.MustHex("#AABBCC")}}
	at := func(along, across float64, smooth bool) string {
		out := b.run("palette-strip", map[string]any{"strip": strip, "smooth": smooth}, map[string]any{"along": along, "across": across}, "colour")
		return color.C{out[0][0], out[1][0], out[2][0]}.Hex()
	}
	assert.Equal(t, "#112233", at(0.49, 0.49, false))
	assert.Equal(t, "#445566", at(0.5, 0.2, false))
	assert.Equal(t, "#AABBCC", at(7, 1, false), "clamped")
	assert.Equal(t, "#778899", at(0.25, 0.75, true), "the middle of a cell is its very colour")
	assert.Equal(t, strip[0][0].Mix(strip[0][1], 0.5).Hex(), at(0.5, 0.25, true))
}

func TestAFormulaAndTheSameMathsInNodesAgree(t *testing.T) {
	b := ball(t)
	text := `[
		{"id":"n","kind":"Normal"},
		{"id":"p","kind":"Split","set":{"space":"xyz"},"in":{"colour":"n.vector"}},
		{"id":"m1","kind":"Maths","set":{"operation":"multiply"},"in":{"a":"p.x","b":3}},
		{"id":"m2","kind":"Maths","set":{"operation":"modulo"},"in":{"a":"m1.value","b":0.7}},
		{"id":"m3","kind":"Maths","set":{"operation":"max"},"in":{"a":"m2.value","b":"p.y"}},
		{"id":"m4","kind":"Soft step","in":{"tone":"m3.value","threshold":0.4,"softness":0.3}},
		{"id":"d","kind":"Maths","set":{"operation":"dot"},"in":{"a":"n.vector","b":[0.2,0.5,-0.3]}},
		{"id":"m5","kind":"Maths","set":{"operation":"divide"},"in":{"a":"m4.tone","b":"d.value"}},
		{"id":"f","kind":"Formula","set":{"text":"smoothstep(0.25, 0.55, max(mod(n.x * 3.0, 0.7), n.y)) / dot(n, vec3(0.2, 0.5, -0.3))","inputs":[{"key":"n","type":"vector"}]},"in":{"n":"n.vector"}}]`
	n := &network.Network{}
	require.NoError(t, json.Unmarshal([]byte(text), &n.Nodes))
	nodes, formula := b.eval(n, network.Ref{Node: "m5", Port: "value"})[0], b.eval(n, network.Ref{Node: "f", Port: "value"})[0]
	for i := range nodes {
		require.InDelta(t, nodes[i], formula[i], 1e-5*math.Max(1, math.Abs(float64(nodes[i]))))
	}
}

// Every kind reads of the points what it says it needs, with every choice of its settings:
// what it does not name is not there. One that names nothing gives the same everywhere.
func TestEveryKindReadsWhatItSays(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	b := on(t, stagetest.Of(t, mesh.Sphere(1, 24, 12), mesh.Cuboid(vec.V{0.2, 0.2, 3})))
	every := make([]int32, b.set.N)
	for i := range every {
		every[i] = int32(i)
	}
	for _, k := range cat.All() {
		choices := []map[string]any{{}}
		for _, s := range k.Settings {
			for _, o := range s.Choices {
				choices = append(choices, map[string]any{s.Key: o.Key})
			}
			if s.Type == network.Toggle {
				choices = append(choices, map[string]any{s.Key: true}, map[string]any{s.Key: false})
			}
		}
		for _, set := range choices {
			n := &network.Network{Nodes: []network.Node{{ID: "x", Kind: k.Spec.Kind, Set: set}}}
			if n.Settle(cat) != nil {
				continue
			}
			p, err := eval.Compile(n, cat)
			require.NoError(t, err)
			var targets []eval.Target
			for _, o := range cat.Of(&n.Nodes[0]).Outputs {
				target, _, err := p.Output(network.Ref{Node: "x", Port: o.Key})
				require.NoError(t, err)
				targets = append(targets, target)
			}
			out, err := p.Run(context.Background(), eval.Env{Points: b.set.Pick(every), Scene: b.ask, Workers: 1}, targets)
			require.NoError(t, err)
			if k.Needs != 0 || k.NeedsFor != nil {
				continue
			}
			for _, planes := range out {
				for _, plane := range planes {
					for _, v := range plane {
						require.Equal(t, plane[0], v, "%s %v", k.Name, set)
					}
				}
			}
		}
	}
}

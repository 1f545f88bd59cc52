package node_test

import (
	"context"
	"maps"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// sheetOf is a bench whose picture shows nothing but a plane, w × h.
func sheetOf(t *testing.T, w, h int) *bench {
	m := mesh.Grid("Sheet", 1, 1, func(u, v float64) vec.V { return vec.V{float32(8*u - 4), float32(8*v - 4), 0} })
	return seenBy(t, stagetest.Of(t, m), stage.Camera{Distance: 5, Angle: 30}, w, h)
}

// seenBy is a bench whose picture a camera takes.
func seenBy(t *testing.T, sc *stage.Scene, c stage.Camera, w, h int) *bench {
	return seenOnly(t, sc, c, w, h, wanted)
}

// wanted is what patterns read of points.
const wanted = sample.Pos | sample.Normal | sample.Flat | sample.Eye | sample.UV | sample.Page | sample.Foot | sample.Weights

// seenOnly is seenBy with some of what is known of the points.
func seenOnly(t *testing.T, sc *stage.Scene, c stage.Camera, w, h int, known sample.Attr) *bench {
	view := c.View(w, h)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	require.NoError(t, err)
	set := sample.Seen(vis, sc, view, 1, make([]int, len(sc.Parts)), nil)[0]
	set.Resolve(known, 1)
	return &bench{t, sc, set, asked(sc)}
}

func mean(p []float32) (sum float64) {
	for _, v := range p {
		sum += float64(v) / float64(len(p))
	}
	return sum
}

func TestPatternsPutOnAsMuchInkAsTheToneAsks(t *testing.T) {
	b := sheetOf(t, 240, 160)
	for _, kind := range []string{"halftone", "hatching", "stipple"} {
		for _, laid := range []string{"page", "model", "part", "uv", "sides"} {
			density := map[string]float64{"uv": 90, "sides": 90}[laid]
			if density == 0 {
				density = 24
			}
			for _, tone := range []float64{0.15, 0.5, 0.8} {
				in := map[string]any{"tone": tone, "density": density, "paper": color.C{0.9, 0.8, 0.7}, "ink": color.C{0.1, 0, 0.2}}
				ink := mean(b.run(kind, map[string]any{"laid": laid}, in, "mask")[0])
				assert.InDelta(t, 1-tone, ink, map[bool]float64{true: 0.06, false: 0.03}[kind == "stipple"], "%s, %s", kind, laid) // a stipple is larger than the picture
				col := b.run(kind, map[string]any{"laid": laid}, in, "colour")
				assert.InDelta(t, 0.9+(0.1-0.9)*ink, mean(col[0]), 1e-4)
			}
		}
	}
	// A range of tones: all ink below it, none above, as much as lacks between.
	for tone, want := range map[float64]float64{0.1: 1, 0.2: 1, 0.3: 0.5, 0.4: 0, 0.9: 0} {
		in := map[string]any{"tone": tone, "full": 0.2, "none": 0.4}
		assert.InDelta(t, want, mean(b.run("halftone", nil, in, "mask")[0]), 0.02)
		in["weight"] = 2.0
		assert.InDelta(t, 1-(1-want)*(1-want), mean(b.run("halftone", nil, in, "mask")[0]), 0.02)
	}
	in := map[string]any{"tone": 0.3, "full": 0.5, "none": 0.5}
	assert.EqualValues(t, 1, b.run("halftone", nil, in, "mask")[0][7])
	in["tone"] = 0.5
	assert.EqualValues(t, 0, b.run("halftone", nil, in, "mask")[0][7])
}

// Where patterns from three sides meet, ink is as full as elsewhere, and there is as much of it as is asked.
func TestSidesMeetInInkNotInGrey(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	// A plane that looks askew, so that all three sides, or two, are seen on all of it.
	for _, n := range []vec.V{{1, 0.83, 1.17}, {1, 0.2, 0.9}, {0.8, 1, 0.3}} {
		x, y := vec.Across(n.Unit())
		m := mesh.Grid("askew", 4, 4, func(u, v float64) vec.V {
			return x.Mul(float32(2*u - 1)).Add(y.Mul(float32(2*v - 1)))
		})
		st := stage.New()
		st.Camera = stage.Camera{Distance: 5, Angle: 22, Azimuth: math.Atan2(float64(n[0]), float64(n[2])) * 180 / math.Pi, Elevation: math.Asin(float64(n.Unit()[1])) * 180 / math.Pi}
		b := seenBy(t, stagetest.With(t, &st, m), st.Camera, 400, 400)
		for _, kind := range []string{"halftone", "hatching"} {
			for _, tone := range []float64{0.2, 0.5, 0.8} {
				ink := b.run(kind, map[string]any{"laid": "sides"}, map[string]any{"tone": tone, "density": 30.0}, "mask")[0]
				assert.InDelta(t, 1-tone, mean(ink), 0.05, "%v %s", n, kind)
				grey := 0
				for _, v := range ink {
					if v > 0.3 && v < 0.7 {
						grey++
					}
				}
				assert.Less(t, float64(grey)/float64(len(ink)), 0.17, "%v %s %v: edges alone are between paper and ink", n, kind, tone)
			}
		}
	}
}

// Strokes along the form go round a cylinder, evenly, with as much ink as is asked.
func TestStrokesFollowTheForm(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	m := mesh.Grid("Side", 96, 40, func(u, v float64) vec.V {
		s, c := math.Sincos(2 * math.Pi * u)
		return vec.V{float32(c), float32(3*v - 1.5), float32(-s)}
	})
	b := seenBy(t, stagetest.Of(t, m), stage.Camera{Distance: 9, Angle: 20}, 320, 320)
	for _, tone := range []float64{0.25, 0.6, 0.85} {
		ink := b.run("hatching", map[string]any{"laid": "form", "layers": 2.0}, map[string]any{"tone": tone, "density": 40.0, "angle": 0.0, "turn": 90.0}, "mask")[0]
		assert.InDelta(t, 1-tone, mean(ink), 0.04)
	}
	one := b.run("hatching", map[string]any{"laid": "form", "layers": 1.0}, map[string]any{"tone": 0.5, "density": 30.0, "angle": 0.0, "wobble": 0.0, "rough": 0.0}, "mask")[0]
	at := map[int32]float32{}
	for i, p := range b.set.Pixels().Pixel {
		at[p] = one[i]
	}
	changes := func(dx, dy int) (n int) {
		for k := -60; k < 60; k++ {
			p := int32((160+k*dy)*320 + 160 + k*dx)
			if (at[p] > 0.5) != (at[p+int32(dx+320*dy)] > 0.5) {
				n++
			}
		}
		return n
	}
	up, round := changes(0, 1), changes(1, 0)
	free := b.run("hatching", map[string]any{"laid": "form", "layers": 1.0}, map[string]any{"tone": 0.5, "density": 30.0, "angle": 0.0, "wobble": 1.0, "rough": 0.6}, "mask")[0]
	assert.InDelta(t, 0.5, mean(free), 0.04, "bent and rough strokes have as much ink")
	differ := 0
	for i, v := range free {
		if math.Abs(float64(v-one[i])) > 0.5 {
			differ++
		}
	}
	assert.Greater(t, differ, len(free)/20, "they bend")
	assert.Greater(t, up, 4*round+6, "going up crosses strokes, going round stays on one: %d and %d", up, round)
}

// Dots are round whatever the picture's shape: as many cells along as across.
func TestDotsAreRoundInAnyPicture(t *testing.T) {
	for _, size := range [][2]int{{300, 150}, {150, 300}, {200, 200}} {
		b := sheetOf(t, size[0], size[1])
		d := b.run("halftone", nil, map[string]any{"density": 10.0, "angle": 0.0}, "distance")[0]
		cell := size[1] / 10
		at := map[int32]float32{}
		for i, p := range b.set.Pixels().Pixel {
			at[p] = d[i]
		}
		// The picture's middle is the corner of four cells; the middle of one lies half a cell on both ways.
		w, x, y := size[0], size[0]/2+cell/2, size[1]/2-cell/2
		for k := 1; k < cell/2; k++ {
			assert.InDelta(t, at[int32(y*w+x+k)], at[int32((y-k)*w+x)], 0.11)
			assert.InDelta(t, float64(k)/float64(cell), at[int32(y*w+x+k)], 0.11)
		}
	}
}

func TestTheRampsOwnColoursArePrinted(t *testing.T) {
	b := sheetOf(t, 160, 120)
	stops := []color.Stop{{At: 0, Color: color.C{0.1, 0, 0}}, {At: 0.4, Color: color.C{0, 0.5, 0}, Edge: color.Step}, {At: 0.8, Color: color.C{0, 0, 0.9}, Edge: color.Step}}
	run := func(tone float64) []float32 {
		n := &network.Network{Nodes: []network.Node{
			{ID: "ramp", Kind: "ramp", Set: map[string]any{"stops": stops}, In: map[string]network.Input{"tone": {Value: tone}}},
			{ID: "x", Kind: "halftone", Set: map[string]any{"inks": "ramp"}, In: map[string]network.Input{"paper": {Wires: []network.Ref{{Node: "ramp", Port: "colour"}}}, "tone": {Value: tone}}}}}
		out := b.eval(n, network.Ref{Node: "x", Port: "colour"})
		return []float32{float32(mean(out[0])), float32(mean(out[1])), float32(mean(out[2]))}
	}
	// The middles of the bands are 0.2, 0.6 and 0.9.
	for tone, want := range map[float64][]float32{0.1: {0.1, 0, 0}, 0.4: {0.05, 0.25, 0}, 0.5: {0.025, 0.375, 0}, 0.6: {0, 0.5, 0}, 0.75: {0, 0.25, 0.45}, 0.95: {0, 0, 0.9}} {
		assert.InDeltaSlice(t, want, run(tone), 0.02, "tone %v", tone)
	}
	// Without a ramp it is one ink on paper.
	assert.InDelta(t, 0.5, mean(b.run("halftone", map[string]any{"inks": "ramp"}, nil, "mask")[0]), 0.01)
}

func TestFourInksComeToTheColour(t *testing.T) {
	b := sheetOf(t, 400, 300)
	for _, c := range []color.C{{0.8, 0.3, 0.1}, {0.2, 0.2, 0.2}, {0.1, 0.6, 0.9}, {1, 1, 1}, {0, 0, 0}} {
		out := b.run("halftone", map[string]any{"inks": "process"}, map[string]any{"paper": c, "density": 37.0, "angle": 10.0}, "colour")
		for k := range out {
			assert.InDelta(t, c[k], mean(out[k]), 0.015, "%v", c)
		}
	}
}

// Dots with the model: at the middle of a ball that turns slowly they go with its surface, and
// they stay as fine to a factor of the root of 2 from near and far.
func TestAnchoredDotsGoWithTheSurface(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	ball := stagetest.Of(t, mesh.Sphere(1, 128, 64))
	const lines, density = 600, 15
	in := map[string]any{"density": float64(density), "angle": 30.0}
	const pixel = float64(density) / lines * math.Sqrt2
	for _, elevation := range []float64{0, 25} {
		on := vec.Direction(4.8, elevation) // what lies in the middle half-way
		cells, distances := map[string][]float32{}, map[string][]float32{}
		for k := range 24 {
			c := stage.Camera{Azimuth: 0.4 * float64(k), Elevation: elevation, Distance: 5, Angle: 30}
			b := seenOnly(t, ball, c, lines, lines, sample.Pos|sample.Normal)
			b.set = b.set.Pick([]int32{int32(b.nearest(on))})
			b.set.Resolve(wanted, 1)
			for _, laid := range []string{"model", "part"} {
				cells[laid] = append(cells[laid], b.run("halftone", map[string]any{"laid": laid}, in, "cell")[0][0])
				distances[laid] = append(distances[laid], b.run("halftone", map[string]any{"laid": laid}, in, "distance")[0][0])
			}
		}
		for laid, cells := range cells {
			for k := range cells {
				assert.Equal(t, cells[12], cells[k], "%s, frame %d", laid, k)
				assert.InDelta(t, distances[laid][12], distances[laid][k], 2*pixel, "%s, frame %d: a pixel, and half a one of where it is looked at", laid, k)
			}
		}
	}
	for _, distance := range []float32{2.6, 4, 7, 11} {
		b := seenBy(t, ball, stage.Camera{Distance: distance, Angle: 30}, lines, lines)
		seen := map[float32]bool{}
		for _, v := range b.run("halftone", map[string]any{"laid": "model"}, map[string]any{"density": 60.0}, "cell")[0] {
			seen[v] = true
		}
		fine := math.Sqrt(float64(len(seen)) / (float64(b.set.N) / (lines * lines)))
		assert.True(t, fine > 60/1.5 && fine < 60*1.6, "from %v away: %v in the height", distance, fine)
	}
}

// All the way round a model nothing of a pattern that goes with it jumps: from one half degree to the next no more changes behind
// it than elsewhere. There is as much ink as is asked there too.
func TestNothingJumpsBehindAModel(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	ball := stagetest.Of(t, mesh.Sphere(1, 64, 32))
	masks := func(azimuth float64, kind string) map[int32]float32 { // by pixel
		b := seenBy(t, ball, stage.Camera{Azimuth: azimuth, Elevation: 12, Distance: 5, Angle: 30}, 200, 200)
		out := map[int32]float32{}
		for i, v := range b.run(kind, map[string]any{"laid": "model"}, map[string]any{"tone": 0.6, "density": 25.0}, "mask")[0] {
			out[b.set.Pixels().Pixel[i]] = v
		}
		return out
	}
	for _, kind := range []string{"halftone", "stipple"} {
		change := func(from, to float64) float64 {
			a, b := masks(from, kind), masks(to, kind)
			sum, n := 0.0, 0.0
			for p, v := range a {
				if w, both := b[p]; both {
					sum += math.Abs(float64(v - w))
					n++
				}
			}
			return sum / n
		}
		usual := change(80, 80.25)
		for _, at := range []float64{149.9, 160, 170, 179.875, 190, 209.9} {
			assert.Less(t, change(at, at+0.25), 1.6*usual+0.01, "%s at %v", kind, at)
		}
		for _, at := range []float64{155, 165, 180} {
			assert.InDelta(t, 0.4, mean(slices.Collect(maps.Values(masks(at, kind)))), 0.05, "%s at %v", kind, at)
		}
	}
}

func TestPatternsWhereNothingIsKnown(t *testing.T) {
	b := sheetOf(t, 60, 40)
	for _, kind := range []string{"halftone", "hatching", "stipple"} {
		for _, density := range []float64{0, -5, 1e6} {
			for _, v := range b.run(kind, nil, map[string]any{"density": density}, "mask")[0] {
				require.True(t, v >= 0 && v <= 1, "%s %v: %v", kind, density, v)
			}
		}
		// A place that is wired is laid on.
		n := &network.Network{Nodes: []network.Node{{ID: "p", Kind: "coordinates", Set: map[string]any{"space": "page"}},
			{ID: "x", Kind: kind, In: map[string]network.Input{"place": {Wires: []network.Ref{{Node: "p", Port: "vector"}}}, "tone": {Value: 0.6}, "density": {Value: 9.0}}}}}
		assert.InDelta(t, 0.4, mean(b.eval(n, network.Ref{Node: "x", Port: "mask"})[0]), 0.06)
		if kind == "hatching" { // also in place of the form, of which nothing need be known then
			n.Nodes[1].Set = map[string]any{"laid": "form"}
			assert.InDelta(t, 0.4, mean(b.eval(n, network.Ref{Node: "x", Port: "mask"})[0]), 0.06)
		}
	}
}

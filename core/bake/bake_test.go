package bake_test

import (
	"bytes"
	"context"
	"fmt"
	"image/png"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/bake"
	"mobanta/core/frame"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/pixmap"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// files are a mesh, and pictures.
type files struct {
	mesh     *mesh.Mesh
	pictures map[string][]byte
}

func (f files) Surface(m *stage.Model) (*mesh.Surface, error) {
	if m.Solid != "" {
		return meshfile.Files(nil).Surface(m)
	}
	return f.mesh.Surface(context.Background(), m.Form)
}

func (f files) Picture(hash string) (*pixmap.Pixmap, error) { return pixmap.Read(f.pictures[hash]) }

// worn is a project whose one model, of a mesh or a sphere, wears a network.
func worn(t testing.TB, m *mesh.Mesh, nodes ...network.Node) (*project.Project, files) {
	t.Helper()
	p := project.New("p")
	add := project.Edit{Op: "model.add", Kind: "sphere", Look: p.Looks[0].ID}
	if m != nil {
		add = project.Edit{Op: "model.add", Name: "Thing", Look: p.Looks[0].ID, Value: strings.Repeat("0", 64)}
		for _, part := range m.Parts {
			add.Parts = append(add.Parts, part.Name)
		}
	}
	_, err := p.Apply(&add)
	require.NoError(t, err)
	net := network.Network{Nodes: nodes}
	require.NoError(t, net.Settle(p.Catalogue()))
	p.Looks[0].Network = net
	f := files{mesh: m, pictures: map[string][]byte{}}
	p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, f), 1)
	return p, f
}

func wire(ref string) network.Input {
	return network.Input{Wires: []network.Ref{network.ParseRef(ref)}}
}

func end(ref string) network.Node {
	return network.Node{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire(ref)}}
}

func drawn(t testing.TB, p *project.Project, f stage.Files, o bake.Order, w, h, samples int) (*bake.Texture, *bake.Plan) {
	t.Helper()
	require.NoError(t, o.Check(p, w, h))
	plan, err := bake.NewPlan(p, f, o, nil)
	require.NoError(t, err)
	x, err := plan.Draw(context.Background(), 0, w, h, samples, 2, nil)
	require.NoError(t, err)
	return x, plan
}

// at returns a channel of a texel, 0 to 1.
func at(x *bake.Texture, i, j, k int) float64 { return float64(x.Pix[4*(j*x.W+i)+k]) / 65535 }

// Texels of a sphere carry Lambert's cosine: the place of a texel on it follows from where it lies on the picture.
func TestLambertOnASphere(t *testing.T) {
	ball := mesh.Grid("ball", 256, 128, func(u, v float64) vec.V {
		a, b := 2*math.Pi*u, math.Pi*v
		return vec.V{float32(math.Sin(a) * math.Sin(b)), float32(-math.Cos(b)), float32(math.Cos(a) * math.Sin(b))}
	})
	p, f := worn(t, ball, network.Node{ID: "light", Kind: "diffuse-light"}, end("light.tone"))
	p.Stage.Lights[0].Azimuth, p.Stage.Lights[0].Elevation = 30, 40
	to := vec.Direction(30, 40)
	o := bake.Order{Bits: 16, Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: "light", Port: "tone", Data: true}}}
	x, _ := drawn(t, p, f, o, 256, 128, 1)
	worst := 0.0
	for j := 2; j < 126; j++ {
		for i := range 256 {
			u, v := (float64(i)+0.5)/256, 1-(float64(j)+0.5)/128
			a, b := 2*math.Pi*u, math.Pi*v
			n := vec.V{float32(math.Sin(a) * math.Sin(b)), float32(-math.Cos(b)), float32(math.Cos(a) * math.Sin(b))}
			worst = max(worst, math.Abs(at(x, i, j, 0)-float64(max(0, n.Dot(to)))))
		}
	}
	assert.LessOrEqual(t, worst, 1e-3)
}

// A baked picture on its model, seen as the live one is: the same to 2 of 255 away from hard edges, at two texels a pixel.
func TestBakedIsAsLive(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	nodes := []network.Node{{ID: "light", Kind: "diffuse-light", Set: map[string]any{"shadows": true}},
		{ID: "grain", Kind: "noise", In: map[string]network.Input{"size": {Value: 0.3}}},
		{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("light.tone")}},
		{ID: "tint", Kind: "blend", Set: map[string]any{"mode": "multiply"}, In: map[string]network.Input{"base": wire("bands.colour"), "over": wire("grain.colour"), "amount": {Value: 0.5}}}, end("tint.colour")}
	for _, unwrapped := range []bool{false, true} {
		p, f := worn(t, mesh.Torus(1, 0.45, 64, 32), nodes...)
		if unwrapped {
			p.Stage.Models[0].Form.UV = mesh.UVAnew
		}
		const size = 96
		live := pixels(t, p, f, size)
		// The torus is some 75 pixels across; its picture has two texels to each pixel and more along either way.
		x, _ := drawn(t, p, f, bake.Order{}, 800, 400, 4)
		if unwrapped {
			x, _ = drawn(t, p, f, bake.Order{}, 720, 720, 4)
		}
		var buf bytes.Buffer
		require.NoError(t, x.WritePNG(&buf, 8))
		q, pics := (&bake.Order{Model: p.Stage.Models[0].ID}).Shown(p, []bake.File{{Data: buf.Bytes()}})
		f.pictures = pics
		baked := pixels(t, q, f, size)
		sum, n := 0, 0
		for y := 1; y < size-1; y++ {
		next:
			for i := 1; i < size-1; i++ {
				for _, d := range [8][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}, {1, 1}, {-1, -1}, {1, -1}, {-1, 1}} { // an edge is where neighbours differ
					for k := range 4 {
						if e := int(live[4*(y*size+i)+k]) - int(live[4*((y+d[1])*size+i+d[0])+k]); e > 12 || e < -12 {
							continue next
						}
					}
				}
				if live[4*(y*size+i)+3] < 255 {
					continue
				}
				for k := range 3 {
					e := int(live[4*(y*size+i)+k]) - int(baked[4*(y*size+i)+k])
					sum += max(e, -e)
					n++
				}
			}
		}
		require.Greater(t, n, 1_500)
		assert.LessOrEqual(t, float64(sum)/float64(n), 2.0, "unwrapped: %v", unwrapped)
	}
}

func pixels(t testing.TB, p *project.Project, f stage.Files, size int) []byte {
	t.Helper()
	q := p.Clone()
	q.Stage.Backdrop.None = true
	pic, err := frame.Draw(context.Background(), q, f, frame.Order{W: size, H: size, Samples: 16})
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pic.Write(&buf, frame.PNG8))
	m, err := pixmap.Read(buf.Bytes())
	require.NoError(t, err)
	return m.Pix
}

// Made smaller four times, a picture shows no seam: what lies at the border of a chart is still its own colour, here that of
// the place, which goes on smoothly over all borders.
func TestNoSeamShowsWhenItIsMadeSmaller(t *testing.T) {
	place := network.Node{ID: "at", Kind: "coordinates"}
	scaled := network.Node{ID: "as", Kind: "range", Set: map[string]any{"carries": "vector"}, In: map[string]network.Input{"value": wire("at.vector"), "from-low": {Value: -0.6}, "from-high": {Value: 0.6}}}
	for name, margin := range map[string]int{"with a margin": 16, "without": 0} {
		// A chart alone in its picture: the strip of a torus that its own coordinates make is cut where they end.
		half := mesh.Grid("half", 40, 20, func(u, v float64) vec.V {
			a, b := 2*math.Pi*u, math.Pi*(0.1+0.8*v)
			return vec.V{float32(math.Cos(a) * math.Sin(b)), float32(math.Cos(b)), float32(-math.Sin(a) * math.Sin(b))}
		})
		for i := range half.UVs { // an island with nothing about it
			half.UVs[i][0], half.UVs[i][1] = 0.2+0.6*half.UVs[i][0], 0.2+0.6*half.UVs[i][1]
		}
		p, f := worn(t, half, place, scaled, end("as.value"))
		m := margin
		x, _ := drawn(t, p, f, bake.Order{Margin: &m, Outputs: []bake.Output{{Data: true}}}, 512, 512, 1)
		// As whoever does not know of opacity makes it smaller: the mean of four.
		pix, n := make([]float64, 3*x.W*x.H), x.W
		for i := range x.W * x.H {
			for k := range 3 {
				pix[3*i+k] = float64(x.Pix[4*i+k]) / 65535
			}
		}
		if margin == 0 { // and where nothing is, black, as without all that is done about it
			for i := range x.W * x.H {
				if x.Pix[4*i+3] == 0 {
					pix[3*i], pix[3*i+1], pix[3*i+2] = 0, 0, 0
				}
			}
		}
		for range 4 {
			less := make([]float64, 3*n/2*n/2)
			for y := range n / 2 {
				for i := range n / 2 {
					for k := range 3 {
						less[3*(y*n/2+i)+k] = (pix[3*(2*y*n+2*i)+k] + pix[3*(2*y*n+2*i+1)+k] + pix[3*((2*y+1)*n+2*i)+k] + pix[3*((2*y+1)*n+2*i+1)+k]) / 4
					}
				}
			}
			pix, n = less, n/2
		}
		worst := 0.0
		for _, v := range [2]float64{0.2001, 0.7999} { // along the borders
			for s := range 50 {
				u := 0.21 + 0.58*float64(s)/50
				got := smooth(pix, n, u, 1-v)
				a, b := 2*math.Pi*(u-0.2)/0.6, math.Pi*(0.1+0.8*(v-0.2)/0.6)
				d := float64(half.Bounds().Diagonal())
				want := [3]float64{math.Cos(a) * math.Sin(b) / d, math.Cos(b) / d, -math.Sin(a) * math.Sin(b) / d}
				for k := range 3 {
					worst = max(worst, math.Abs(got[k]-(want[k]+0.6)/1.2))
				}
			}
		}
		if margin > 0 {
			assert.Less(t, worst, 0.05, name)
		} else {
			assert.Greater(t, worst, 0.1, name)
		}
	}
}

// smooth reads a picture between its texels.
func smooth(pix []float64, n int, u, v float64) (c [3]float64) {
	x, y := u*float64(n)-0.5, v*float64(n)-0.5
	i, j := int(math.Floor(x)), int(math.Floor(y))
	fx, fy := x-float64(i), y-float64(j)
	for k := range 3 {
		p := func(a, b int) float64 { return pix[3*(b*n+a)+k] }
		c[k] = (p(i, j)*(1-fx)+p(i+1, j)*fx)*(1-fy) + (p(i, j+1)*(1-fx)+p(i+1, j+1)*fx)*fy
	}
	return c
}

func flat(t testing.TB, name string, lay func(u, v float64) (float32, float32)) *mesh.Mesh {
	t.Helper()
	m := mesh.Grid(name, 2, 2, func(u, v float64) vec.V { return vec.V{float32(u), float32(v), 0} })
	for i, uv := range m.UVs {
		m.UVs[i][0], m.UVs[i][1] = lay(float64(uv[0]), float64(uv[1]))
	}
	return m
}

func TestWhatIsSaidOfTextureCoordinates(t *testing.T) {
	plain := func(u, v float64) (float32, float32) { return float32(u) / 2, float32(v) / 2 }
	red := network.Node{ID: "red", Kind: "colour", Set: map[string]any{"colour": "#FF0000"}}
	say := func(o bake.Order, pieces ...*mesh.Mesh) string {
		m := &mesh.Mesh{}
		for i, piece := range pieces {
			m.Join(piece, vec.Place(vec.V{0, 0, float32(i)}, vec.V{}, 1))
		}
		p, f := worn(t, m, red, end("red.colour"))
		_, plan := drawn(t, p, f, o, 64, 64, 1)
		return strings.Join(plan.Remarks, "\n")
	}
	assert.Empty(t, say(bake.Order{}, flat(t, "a", plain)))
	assert.Contains(t, say(bake.Order{}, flat(t, "a", plain), flat(t, "b", plain)), "lie on each other")
	assert.Empty(t, say(bake.Order{Apart: true}, flat(t, "a", plain), flat(t, "b", plain)), "each on its own")
	assert.Contains(t, say(bake.Order{}, flat(t, "a", plain), flat(t, "b", func(u, v float64) (float32, float32) { return 1 - float32(u)/2, float32(v) / 2 })), "mirrored")
	assert.Contains(t, say(bake.Order{}, flat(t, "a", func(u, v float64) (float32, float32) { return 1 + float32(u)/2, float32(v) / 2 })), "beyond the picture")
	assert.Contains(t, say(bake.Order{}, flat(t, "a", func(u, v float64) (float32, float32) { return 50 * float32(u), float32(v) })), "left out")
	assert.Contains(t, say(bake.Order{}, flat(t, "a", func(u, v float64) (float32, float32) { return 0.5, 0.5 })), "no area")
}

// The first to lie on a place has it; beyond the picture it repeats; nothing is where no surface lies.
func TestWhereTexelsLie(t *testing.T) {
	m := flat(t, "a", func(u, v float64) (float32, float32) { return float32(u) / 2, float32(v) / 2 })
	m.Join(flat(t, "b", func(u, v float64) (float32, float32) { return 0.25 + float32(u)/2, float32(v) / 2 }), vec.Place(vec.V{0, 0, 1}, vec.V{}, 1))
	m.Join(flat(t, "c", func(u, v float64) (float32, float32) { return 3.75 + float32(u)/4, -0.5 + float32(v)/4 }), vec.Place(vec.V{0, 0, 2}, vec.V{}, 1))
	p, f := worn(t, m, network.Node{ID: "part", Kind: "part-values"}, end("part.index"))
	none := 0
	x, _ := drawn(t, p, f, bake.Order{Margin: &none, Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: "part", Port: "seed", Data: true}}}, 64, 64, 4)
	of := func(i, j int) float64 { return at(x, i, j, 0) }
	a, b, c := float64(stage.Seed("a")), float64(stage.Seed("b")), float64(stage.Seed("c"))
	assert.InDelta(t, a, of(4, 60), 1e-4)
	assert.InDelta(t, a, of(20, 60), 1e-4, "where both lie the first")
	assert.InDelta(t, b, of(40, 60), 1e-4)
	assert.InDelta(t, c, of(52, 28), 1e-4, "beyond the picture, where it repeats")
	assert.Zero(t, at(x, 10, 10, 3), "nothing is here")
	assert.Equal(t, 1.0, at(x, 4, 60, 3))
}

func TestColoursGrowAsFarAsTheMargin(t *testing.T) {
	p, f := worn(t, flat(t, "a", func(u, v float64) (float32, float32) { return 0.25 + float32(u)/2, 0.25 + float32(v)/2 }), network.Node{ID: "red", Kind: "colour", Set: map[string]any{"colour": "#D4843F"}}, end("red.colour"))
	for _, margin := range []int{0, 1, 5} {
		x, _ := drawn(t, p, f, bake.Order{Margin: &margin}, 64, 64, 1)
		for j := range 64 {
			for i := range 64 {
				d := max(0, 16-i, i-47, 16-j, j-47)
				require.Equal(t, d <= margin, at(x, i, j, 3) > 0, "margin %d at %d, %d", margin, i, j)
				require.InDelta(t, float64(0xd4)/255, at(x, i, j, 0), 1e-3, "the colour goes on beyond")
			}
		}
		var buf bytes.Buffer
		require.NoError(t, x.WritePNG(&buf, 8))
		img, err := png.Decode(&buf)
		require.NoError(t, err)
		r, g, b, _ := img.At(30, 30).RGBA()
		assert.Equal(t, [3]uint32{0xd4d4, 0x8484, 0x3f3f}, [3]uint32{r, g, b}, "the very byte of the swatch")
	}
}

func TestWhatHangsOnTheEye(t *testing.T) {
	p, f := worn(t, nil, network.Node{ID: "light", Kind: "diffuse-light"}, network.Node{ID: "spot", Kind: "highlight"}, network.Node{ID: "ink", Kind: "outline"},
		network.Node{ID: "add", Kind: "blend", Set: map[string]any{"mode": "add"}, In: map[string]network.Input{"base": wire("light.colour"), "over": wire("spot.colour")}},
		network.Node{ID: "rim", Kind: "blend", In: map[string]network.Input{"base": wire("add.colour"), "amount": wire("ink.tone")}}, end("rim.colour"))
	p.Stage.Lights[0].Azimuth, p.Stage.Lights[0].Elevation = 0, 0
	o := bake.Order{}
	require.NoError(t, o.Check(p, 64, 64))
	_, err := bake.NewPlan(p, f, o, nil)
	assert.ErrorContains(t, err, "Highlight, Outline")
	out, plan := drawn(t, p, f, bake.Order{Eye: bake.LeftOut}, 64, 64, 1)
	assert.Contains(t, plan.Remarks[0], "left out")
	lit, _ := drawn(t, p, f, bake.Order{Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: "light", Port: "colour"}}}, 64, 64, 1)
	assert.Equal(t, lit.Pix, out.Pix, "what is left is the light")
	for node, port := range map[string]string{"spot": "colour", "ink": "tone"} { // by itself each is what is left out
		o := bake.Order{Eye: bake.LeftOut, Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: node, Port: port}}}
		require.NoError(t, o.Check(p, 64, 64))
		_, err := bake.NewPlan(p, f, o, nil)
		assert.ErrorContains(t, err, "is nothing once", node)
		o.Eye = bake.FromCamera
		_, err = bake.NewPlan(p, f, o, nil)
		assert.NoError(t, err, node)
	}
	p.Stage.Camera.Azimuth, p.Stage.Camera.Elevation = 0, 0
	seen, plan := drawn(t, p, f, bake.Order{Eye: bake.FromCamera}, 64, 64, 1)
	assert.Contains(t, plan.Remarks[0], "from there alone")
	assert.NotEqual(t, out.Pix, seen.Pix)
	p.Stage.Camera.Azimuth = 90
	side, _ := drawn(t, p, f, bake.Order{Eye: bake.FromCamera}, 64, 64, 1)
	assert.NotEqual(t, side.Pix, seen.Pix, "another camera, another picture")
}

func TestWhatIsRefused(t *testing.T) {
	p, f := worn(t, flat(t, "a", func(u, v float64) (float32, float32) { return float32(u), float32(v) }), network.Node{ID: "red", Kind: "colour"}, network.Node{ID: "lines", Kind: "edge-lines"}, end("red.colour"))
	minus, much := -1, 1000
	for says, c := range map[string]struct {
		o    bake.Order
		w, h int
	}{
		"not 100000 × 100000": {bake.Order{}, 100_000, 100_000},
		"not 0 × 64":          {bake.Order{}, 0, 64},
		"8 or 16 bits":        {bake.Order{Bits: 12}, 64, 64},
		"margin":              {bake.Order{Margin: &minus}, 64, 64},
		"256 texels":          {bake.Order{Margin: &much}, 64, 64},
		"not there any more":  {bake.Order{Model: "gone"}, 64, 64},
		"no node":             {bake.Order{Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: "gone"}}}, 64, 64},
		"draws lines":         {bake.Order{Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: "lines"}}}, 64, 64},
		"look is not there":   {bake.Order{Outputs: []bake.Output{{Look: "gone", Node: "red"}}}, 64, 64},
		"left out, not":       {bake.Order{Eye: "both"}, 64, 64},
		"page":                {bake.Order{Aspect: math.NaN()}, 64, 64},
	} {
		assert.ErrorContains(t, c.o.Check(p, c.w, c.h), says)
	}
	o := bake.Order{Parts: []string{"gone"}}
	require.NoError(t, o.Check(p, 64, 64))
	_, err := bake.NewPlan(p, f, o, nil)
	assert.ErrorContains(t, err, `no part "gone"`)
	f.mesh.UVs = nil
	for i := range f.mesh.Corners {
		f.mesh.Corners[i].UV = -1
	}
	o = bake.Order{}
	require.NoError(t, o.Check(p, 64, 64))
	_, err = bake.NewPlan(p, f, o, nil)
	assert.ErrorContains(t, err, "no texture coordinates")
	p.Stage.Models[0].Form.UV = mesh.UVMissing
	_, err = bake.NewPlan(p, f, o, nil)
	assert.NoError(t, err, "unwrapped it has some")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	plan, err := bake.NewPlan(p, f, o, nil)
	require.NoError(t, err)
	_, err = plan.Draw(ctx, 0, 64, 64, 1, 1, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// Positions are taken all where neighbours differ, and only there: the picture is that of all of them everywhere.
func TestOnlyEdgesNeedAllPositions(t *testing.T) {
	p, f := worn(t, nil, network.Node{ID: "light", Kind: "diffuse-light"}, network.Node{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("light.tone")}}, end("bands.colour"))
	x, _ := drawn(t, p, f, bake.Order{}, 128, 128, 16)
	whole, _ := drawn(t, p, f, bake.Order{}, 128, 128, 1)
	same, soft := 0, 0
	for i := range 128 * 128 {
		if x.Pix[4*i] == whole.Pix[4*i] {
			same++
		} else {
			soft++
		}
	}
	assert.Greater(t, same, 128*128*8/10)
	assert.Greater(t, soft, 50, "edges lie between the bands")
}

func ExampleOrder_Check() {
	p := project.New("p")
	o := bake.Order{}
	fmt.Println(o.Check(p, 2048, 2048))
	// Output: bake: no model wears a look: put one on first
}

// Where a texel does not look the same all over it is the mean of many positions: on the edge of a band, which its neighbours
// tell, and within what folds below a texel, which no neighbour tells.
func TestATexelIsTheMeanOfWhatItCovers(t *testing.T) {
	const n = 32
	sheet := mesh.Grid("sheet", 1, 1, func(u, v float64) vec.V { return vec.V{float32(u), 0, float32(v)} })
	place := network.Node{ID: "place", Kind: "coordinates", Set: map[string]any{"space": "uv"}}
	of := func(text string) network.Node {
		return network.Node{ID: "tone", Kind: "formula", Set: map[string]any{"text": text, "inputs": []network.Argument{{Key: "p", Type: network.Vector}}}, In: map[string]network.Input{"p": wire("place.vector")}}
	}
	tone := func(node, port string, nodes ...network.Node) []float64 {
		p, f := worn(t, sheet, append(nodes, end(node+"."+port))...)
		x, _ := drawn(t, p, f, bake.Order{Bits: 16, Outputs: []bake.Output{{Look: p.Looks[0].ID, Node: node, Port: port, Data: true}}}, n, n, 64)
		row := make([]float64, n)
		for i := range row {
			row[i] = at(x, i, n/2, 0)
		}
		return row
	}
	for i, v := range tone("tone", "value", place, of("abs(fract(p.x * 32.) - 0.5)")) {
		assert.InDelta(t, 0.25, v, 0.01, "texel %d of what is alike in all", i)
	}
	band := network.Node{ID: "band", Kind: "soft-step", In: map[string]network.Input{"tone": wire("tone.value"), "threshold": {Value: 0.5}, "softness": {Value: 0.0}}}
	row := tone("band", "tone", place, of(fmt.Sprintf("p.x * 0.5 + %v", 0.25-0.15/n)), band) // passes a half at 0.3 of texel 16
	assert.InDelta(t, 0, row[15], 1e-3)
	assert.InDelta(t, 0.7, row[16], 0.03)
	assert.InDelta(t, 1, row[17], 1e-3)
}

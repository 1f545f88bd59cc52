package picture_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"image"
	"image/color"
	"image/png"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/eval"
	"mobanta/core/exchange"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/scene"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// look reads nodes as a look file holds them.
func look(t testing.TB, nodes string) *network.Network {
	t.Helper()
	f, err := exchange.ReadLook(strings.NewReader(`{"mobanta":"look","version":1,"nodes":[` + nodes + `]}`))
	require.NoError(t, err)
	return &f.Network
}

const banded = `{"id":"light","kind":"Diffuse light"},
	{"id":"bands","kind":"Ramp","in":{"tone":"light.tone"},"set":{"stops":[{"at":0,"color":"#3D2230"},{"at":0.3,"color":"#D4843F"},{"at":0.7,"color":"#F8D79B"}]}},`

func job(sc *stage.Scene, net *network.Network, w, h, samples int) scene.Job {
	return scene.Job{Scene: sc, Looks: map[string]*network.Network{stagetest.Look: net}, W: w, H: h, Samples: samples}
}

func render(t testing.TB, r *picture.Renderer, j scene.Job, done func(*picture.Result)) {
	t.Helper()
	require.NoError(t, r.Render(context.Background(), j, func(res *picture.Result) {
		if res.Done {
			done(res)
		}
	}))
}

func ball(t testing.TB) *stage.Scene {
	sc := stagetest.Of(t, mesh.Sphere(1, 256, 128))
	sc.Stage.Camera.Ortho = true
	return sc
}

// at returns the place on the unit sphere that an orthographic picture of it
// shows at a pixel.
func at(view stage.View, x, y int) (p vec.V, ok bool) {
	o, d := view.Ray(float32(x)+0.5, float32(y)+0.5)
	b := float64(o.Dot(d))
	disc := b*b - float64(o.Dot(o)) + 1
	if disc < 0 {
		return p, false
	}
	return o.Add(d.Mul(float32(-b - math.Sqrt(disc)))), true
}

func TestLambertOnASphereAgreesWithTheClosedForm(t *testing.T) {
	sc := ball(t)
	net := look(t, `{"id":"light","kind":"Diffuse light"},{"id":"end","kind":"Finish","in":{"colour":"light.tone"}}`)
	for _, sun := range [][2]float64{{0, 0}, {-40, 45}, {130, -20}} {
		sc.Stage.Lights[0].Azimuth, sc.Stage.Lights[0].Elevation = sun[0], sun[1]
		sc = stagetest.Again(t, sc)
		j := job(sc, net, 240, 240, 1)
		j.Peek = &scene.Peek{Look: stagetest.Look, Ref: network.Ref{Node: "light", Port: "tone"}, Raw: true}
		view := sc.Stage.Camera.View(240, 240)
		dir := vec.Direction(sun[0], sun[1])
		render(t, picture.NewRenderer(2), j, func(res *picture.Result) {
			var buf bytes.Buffer
			require.NoError(t, res.WritePFM(&buf))
			data := buf.Bytes()[len("PF\n240 240\n-1.0\n"):]
			checked := 0
			for y := range 240 {
				for x := range 240 {
					p, ok := at(view, x, y)
					if !ok || p.Dot(view.Back) < 0.3 { // away from the rim
						continue
					}
					got := math.Float32frombits(binary.LittleEndian.Uint32(data[12*((239-y)*240+x):]))
					require.InDelta(t, max(0, p.Unit().Dot(dir)), got, 1e-3, "sun %v at %d, %d", sun, x, y)
					checked++
				}
			}
			assert.Greater(t, checked, 20_000)
		})
	}
}

func TestBandsLieWhereTheClosedFormPutsThemInTheirVeryColours(t *testing.T) {
	sc := ball(t)
	net := look(t, banded+`{"id":"end","kind":"Finish","in":{"colour":"bands.colour"}}`)
	for _, sun := range [][2]float64{{-40, 45}, {70, 10}} {
		sc.Stage.Lights[0].Azimuth, sc.Stage.Lights[0].Elevation = sun[0], sun[1]
		sc = stagetest.Again(t, sc)
		view := sc.Stage.Camera.View(300, 300)
		dir := vec.Direction(sun[0], sun[1])
		render(t, picture.NewRenderer(2), job(sc, net, 300, 300, 16), func(res *picture.Result) {
			var buf bytes.Buffer
			require.NoError(t, res.WritePNG(&buf, 8))
			img, err := png.Decode(&buf)
			require.NoError(t, err)
			band := func(x, y int) (color.NRGBA, bool) {
				p, ok := at(view, x, y)
				switch tone := p.Dot(dir); {
				case !ok || p.Dot(view.Back) < 0.2:
					return color.NRGBA{}, false
				case tone >= 0.7:
					return color.NRGBA{0xF8, 0xD7, 0x9B, 255}, true
				case tone >= 0.3:
					return color.NRGBA{0xD4, 0x84, 0x3F, 255}, true
				}
				return color.NRGBA{0x3D, 0x22, 0x30, 255}, true
			}
			checked := 0
			for y := 1; y < 299; y++ {
				for x := 1; x < 299; x++ {
					want, ok := band(x, y)
					for _, d := range [][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
						near, there := band(x+d[0], y+d[1])
						ok = ok && there && near == want
					}
					if ok { // more than a pixel from every boundary
						require.Equal(t, want, color.NRGBAModel.Convert(img.At(x, y)), "sun %v at %d, %d", sun, x, y)
						checked++
					}
				}
			}
			assert.Greater(t, checked, 30_000)
		})
	}
}

func bytesOf(t testing.TB, r *picture.Renderer, j scene.Job) []byte {
	out := make([]byte, 4*j.W*j.H)
	render(t, r, j, func(res *picture.Result) { res.RGBA(out, res.Bounds()) })
	return out
}

const inked = banded + `{"id":"ink","kind":"Edge lines","in":{"width":12,"colour":"#101014"}},{"id":"end","kind":"Finish","in":{"colour":"bands.colour","lines":"ink.lines"}}`

func TestTheSameBytesOnAnyNumberOfCores(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48), mesh.Cuboid(vec.V{1, 1, 1}))
	net := look(t, strings.Replace(inked, `"Diffuse light"`, `"Diffuse light","set":{"shadows":true}`, 1))
	j := job(sc, net, 200, 150, 8)
	one := bytesOf(t, picture.NewRenderer(1), j)
	assert.Equal(t, one, bytesOf(t, picture.NewRenderer(3), j))
	r := picture.NewRenderer(2)
	assert.Equal(t, one, bytesOf(t, r, j))
	assert.Equal(t, one, bytesOf(t, r, j), "and from what was kept")
	r.Keep = false
	assert.Equal(t, one, bytesOf(t, r, j))
	j.Samples = 7
	assert.Equal(t, bytesOf(t, picture.NewRenderer(1), j), bytesOf(t, picture.NewRenderer(5), j), "and an odd number of positions")
}

func TestWhatAChangeLeavesBehindIsWhatAFreshPictureShows(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48), mesh.Cuboid(vec.V{1, 1, 1}))
	a, b := look(t, inked), look(t, strings.Replace(inked, "0.3", "0.55", 1))
	r := picture.NewRenderer(2)
	bytesOf(t, r, job(sc, a, 200, 150, 8))
	assert.Equal(t, bytesOf(t, picture.NewRenderer(2), job(sc, b, 200, 150, 8)), bytesOf(t, r, job(sc, b, 200, 150, 8)))
	peek := job(sc, b, 200, 150, 8)
	peek.Peek = &scene.Peek{Look: stagetest.Look, Ref: network.Ref{Node: "light", Port: "tone"}}
	assert.Equal(t, bytesOf(t, picture.NewRenderer(2), peek), bytesOf(t, r, peek))
	sc.Stage.Lights[0].Azimuth = 80
	sc = stagetest.Again(t, sc)
	assert.Equal(t, bytesOf(t, picture.NewRenderer(2), job(sc, a, 200, 150, 8)), bytesOf(t, r, job(sc, a, 200, 150, 8)))
	sc.Stage.Camera.Azimuth = 30
	sc = stagetest.Again(t, sc)
	assert.Equal(t, bytesOf(t, picture.NewRenderer(2), job(sc, a, 200, 150, 8)), bytesOf(t, r, job(sc, a, 200, 150, 8)))
}

// An interrupted picture leaves nothing behind that shows in the next.
func TestInterruptedPicturesLeaveNothingBehind(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48))
	r := picture.NewRenderer(2)
	for i := range 6 {
		ctx, cancel := context.WithCancel(context.Background())
		net := look(t, strings.Replace(inked, "0.3", []string{"0.1", "0.2", "0.4"}[i%3], 1))
		passes := 0
		r.Render(ctx, job(sc, net, 160, 120, 16), func(res *picture.Result) {
			if passes++; passes > i%2 {
				cancel()
			}
		})
		cancel()
	}
	net := look(t, inked)
	assert.Equal(t, bytesOf(t, picture.NewRenderer(2), job(sc, net, 160, 120, 16)), bytesOf(t, r, job(sc, net, 160, 120, 16)))
}

func TestLinesAreAsWideAsAsked(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	sc.Stage.Camera.Ortho = true
	for _, h := range []int{400, 800} {
		net := look(t, `{"id":"ink","kind":"Edge lines","in":{"width":20,"colour":"#000000"}},{"id":"end","kind":"Finish","in":{"colour":"#FFFFFF","lines":"ink.lines"}}`)
		sc.Stage.Backdrop.Color = [3]float32{1, 1, 1}
		render(t, picture.NewRenderer(2), job(sc, net, h, h, 16), func(res *picture.Result) {
			var ink float64
			for x := range h / 2 { // across the left edge, at half height
				c, _ := res.At(h/2*h + x)
				ink += 1 - float64(c[0])
			}
			assert.InDelta(t, 0.020*float64(h), ink, 0.6, "thousandths of the height, at any size")
		})
	}
}

func TestTheFirstPictureHasItsLines(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	var first int
	require.NoError(t, picture.NewRenderer(2).Render(context.Background(), job(sc, look(t, inked), 200, 200, 16), func(res *picture.Result) {
		if res.Passes == 1 {
			out := make([]byte, 4*200*200)
			res.RGBA(out, res.Bounds())
			for i := 0; i < len(out); i += 4 {
				if out[i] == 0x10 && out[i+1] == 0x10 && out[i+2] == 0x14 {
					first++
				}
			}
		}
	}))
	assert.Greater(t, first, 300)
}

func TestCardsAndHistogram(t *testing.T) {
	sc := ball(t)
	net := look(t, inked)
	r := picture.NewRenderer(2)
	render(t, r, job(sc, net, 200, 200, 4), func(*picture.Result) {})
	var wants []picture.Want
	for _, ref := range []string{"light.tone", "bands.colour", "ink.lines", "ghost.tone"} {
		wants = append(wants, picture.Want{Name: ref, Ref: network.ParseRef(ref)})
	}
	wants = append(wants, picture.Want{Name: "end", Finish: true})
	have := map[string]eval.Key{}
	stopped, stop := context.WithCancel(context.Background())
	stop()
	_, err := r.Cards(stopped, stagetest.Look, wants, 40, 32, have)
	require.ErrorIs(t, err, context.Canceled)
	require.Empty(t, have, "what did not arrive is not had, whichever picture it was stopped at")
	cards, err := r.Cards(context.Background(), stagetest.Look, wants, 40, 32, have)
	require.NoError(t, err)
	require.Len(t, cards, 4, "what is not there is left out")
	for _, c := range cards {
		distinct := map[[4]byte]bool{}
		for i := 0; i < len(c.Pix); i += 4 {
			distinct[[4]byte(c.Pix[i:i+4])] = true
		}
		assert.Greater(t, len(distinct), 3, "%s shows something", c.Name)
		if c.Name == "light.tone" {
			assert.InDelta(t, 0, c.Min, 0.05)
			assert.InDelta(t, 1, c.Max, 0.05)
		}
	}
	cards, err = r.Cards(context.Background(), stagetest.Look, wants, 40, 32, have)
	require.NoError(t, err)
	assert.Len(t, cards, 1, "what is the same is not made again, but for the finished look")
	h, err := r.Histogram(context.Background(), stagetest.Look, "bands", "tone", 10)
	require.NoError(t, err)
	// A sphere that faces its light shows the tone t = cos θ over the area 2πt dt: the bins grow evenly.
	for i, n := range h.Bins {
		assert.InDelta(t, float64(2*i+1)/100, float64(n)/float64(h.Total), 0.01, "bin %d", i)
	}
}

func TestSizesAreLimited(t *testing.T) {
	sc := ball(t)
	assert.Error(t, picture.NewRenderer(1).Render(context.Background(), job(sc, look(t, inked), 100_000, 100_000, 1), nil))
	assert.Error(t, picture.NewRenderer(1).Render(context.Background(), job(sc, look(t, inked), 0, 10, 1), nil))
}

func Test16BitsAndTransparency(t *testing.T) {
	sc := ball(t)
	sc.Stage.Backdrop.None = true
	net := look(t, banded+`{"id":"end","kind":"Finish","in":{"colour":"#D4843F"}}`)
	render(t, picture.NewRenderer(2), job(sc, net, 64, 64, 4), func(res *picture.Result) {
		for _, bits := range []int{8, 16} {
			var buf bytes.Buffer
			require.NoError(t, res.WritePNG(&buf, bits))
			img, err := png.Decode(&buf)
			require.NoError(t, err)
			_, _, _, a := img.At(0, 0).RGBA()
			assert.Zero(t, a)
			r, g, b, _ := img.At(32, 32).RGBA()
			assert.Equal(t, [3]uint32{0xD4, 0x84, 0x3F}, [3]uint32{r >> 8, g >> 8, b >> 8})
		}
		assert.Error(t, res.WritePNG(&bytes.Buffer{}, 12))
	})
}

// What a line node means passes through a switch, a bypass and a group.
func TestLinesPassThroughWhatHandsThemOn(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	straight := bytesOf(t, picture.NewRenderer(2), job(sc, look(t, inked), 120, 120, 4))
	bare := bytesOf(t, picture.NewRenderer(2), job(sc, look(t, strings.Replace(inked, `,"lines":"ink.lines"`, "", 1)), 120, 120, 4))
	require.NotEqual(t, bare, straight)
	through := func(more string) []byte {
		net := look(t, strings.Replace(inked, `"ink.lines"`, `"sw.value"`, 1)+","+more)
		return bytesOf(t, picture.NewRenderer(2), job(sc, net, 120, 120, 4))
	}
	const sw = `{"id":"sw","kind":"Switch","set":{"carries":"lines","choices":[{"key":"a","name":"Inked"},{"key":"b","name":"Bare"}],"live":"LIVE"},"in":{"a":"ink.lines"}}`
	assert.Equal(t, straight, through(strings.Replace(sw, "LIVE", "a", 1)))
	assert.Equal(t, bare, through(strings.Replace(sw, "LIVE", "b", 1)))
	outer := strings.Replace(strings.Replace(sw, "LIVE", "a", 1), `"ink.lines"`, `"two.value"`, 1)
	assert.Equal(t, straight, through(outer+","+strings.Replace(strings.Replace(sw, `"sw"`, `"two"`, 1), "LIVE", "a", 1)), "and through two")

	net := look(t, strings.Replace(inked, `"ink.lines"`, `"sw.value"`, 1)+","+strings.Replace(sw, "LIVE", "b", 1))
	net.Node("sw").Off = true // bypassed it hands on its first input
	grouped := network.NewGrouped(node.Catalogue{}, nil)
	flat, err := grouped.Flatten(net)
	require.NoError(t, err)
	assert.Equal(t, straight, bytesOf(t, picture.NewRenderer(2), job(sc, flat, 120, 120, 4)))

	net = look(t, inked)
	inner, _, err := grouped.Make(net, []string{"ink"}, "g1", "Ink")
	require.NoError(t, err)
	flat, err = network.NewGrouped(node.Catalogue{}, []network.Group{inner}).Flatten(net)
	require.NoError(t, err)
	assert.Equal(t, straight, bytesOf(t, picture.NewRenderer(2), job(sc, flat, 120, 120, 4)))
}

// Ink that depends on the place is read where the line runs at each position: a contour
// inked by the page is as fine as the page's places are.
func TestInkIsReadAtEachPosition(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	sc.Stage.Camera = stage.Camera{Distance: 3, Angle: 40, Ortho: true}
	sc = stagetest.Again(t, sc)
	const h = 64
	net := look(t, `{"id":"page","kind":"Coordinates","set":{"space":"page"}},{"id":"ink","kind":"Edge lines","in":{"width":100,"colour":"page.vector"}},{"id":"end","kind":"Finish","in":{"colour":"#000000","lines":"ink.lines"}}`)
	render(t, picture.NewRenderer(2), job(sc, net, h, h, 16), func(res *picture.Result) {
		n := 0
		for x := range h / 2 { // at half height: the ink of the left edge
			if c, _ := res.At(h/2*h + x); res.Lined(h/2*h+x) > 0.999 {
				n++
				var mean float64 // of the heights that the positions were at, to the nearest place on the edge
				for k := range 16 {
					mean += (1 - (h/2+float64(picture.Position(k, 16)[1]))/h) / 16
				}
				assert.InDelta(t, mean, c[1], 0.6/h)
			}
		}
		assert.Positive(t, n)
	})
}

// Once settled a picture stays, with lines and without; what makes no difference to it
// draws nothing.
func TestASettledPictureStays(t *testing.T) {
	for _, text := range []string{inked, strings.Replace(inked, `,"lines":"ink.lines"`, "", 1)} {
		sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
		net := look(t, text)
		r := picture.NewRenderer(2)
		render(t, r, job(sc, net, 100, 100, 8), func(*picture.Result) {})
		again := func(sc *stage.Scene) (shown int, dirty bool) {
			require.NoError(t, r.Render(context.Background(), job(sc, net, 100, 100, 8), func(res *picture.Result) {
				shown++
				dirty = dirty || !res.Dirty.Empty()
			}))
			return shown, dirty
		}
		for range 2 {
			shown, dirty := again(sc)
			assert.Equal(t, 1, shown)
			assert.False(t, dirty)
		}
		sc.Stage.Lights[0].Name = "Evening"
		sc = stagetest.Again(t, sc)
		shown, dirty := again(sc)
		assert.Equal(t, 1, shown, "a name")
		assert.False(t, dirty)
		sc.Stage.Lights[0].Strength = 0.5
		shown, dirty = again(stagetest.Again(t, sc))
		assert.Greater(t, shown, 1)
		assert.True(t, dirty)
	}
}

// What a picture is drawn over tells how much of it is to be sent: what is sent too much costs
// the hand, what is sent too little leaves the old picture standing.
func TestAsMuchIsDirtyAsDiffers(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	flat := func(stop string) *network.Network {
		return look(t, strings.Replace(banded, "0.3", stop, 1)+`{"id":"end","kind":"Finish","in":{"colour":"bands.colour"}}`)
	}
	r := picture.NewRenderer(2)
	dirty := func(j scene.Job) (first image.Rectangle, whole bool) {
		t.Helper()
		shown := 0
		require.NoError(t, r.Render(context.Background(), j, func(res *picture.Result) {
			if shown++; shown == 1 {
				first, whole = res.Dirty, res.Dirty == res.Bounds()
			}
		}))
		require.Positive(t, shown)
		return first, whole
	}
	quick := func(stop string, w int) scene.Job { return job(sc, flat(stop), w, 100, 1) }
	_, whole := dirty(quick("0.3", 160))
	assert.True(t, whole, "the first picture")
	box, whole := dirty(quick("0.5", 160))
	assert.False(t, whole, "another edge")
	assert.False(t, box.Empty())
	_, whole = dirty(quick("0.5", 120))
	assert.True(t, whole, "another size")
	sc.Stage.Backdrop.Color = [3]float32{1, 0, 0}
	sc = stagetest.Again(t, sc)
	_, whole = dirty(quick("0.5", 120))
	assert.True(t, whole, "another backdrop")
	dirty(job(sc, flat("0.5"), 120, 100, 8)) // which settles
	_, whole = dirty(quick("0.4", 120))
	assert.True(t, whole, "what had settled at its edges is rough again")
}

func TestAPeekShowsTheLinesItLooksAtAlone(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	r := picture.NewRenderer(2)
	inks := func(p *scene.Peek) (any bool) {
		j := job(sc, look(t, inked), 120, 90, 1)
		j.Peek = p
		render(t, r, j, func(res *picture.Result) { any = res.Ink != nil })
		return any
	}
	assert.True(t, inks(nil))
	assert.False(t, inks(&scene.Peek{Look: stagetest.Look, Ref: network.ParseRef("bands.colour")}))
	assert.True(t, inks(&scene.Peek{Look: stagetest.Look, Ref: network.ParseRef("ink.lines")}))
	assert.False(t, inks(&scene.Peek{Look: "another", Ref: network.ParseRef("ink.lines")}))
}

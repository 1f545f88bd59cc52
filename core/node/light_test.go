package node_test

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/pixmap"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// under returns a sphere under the given lights.
func under(t *testing.T, lights ...stage.Light) *bench {
	t.Helper()
	st := stage.New()
	st.Camera.Azimuth, st.Camera.Elevation = 0, 0
	st.Lights = lights
	for i := range st.Lights {
		st.Lights[i].ID = string(rune('A' + i))
		st.Lights[i].Name = st.Lights[i].ID
	}
	return on(t, stagetest.With(t, &st, mesh.Sphere(1, 128, 64)))
}

func sun(azimuth, elevation float64) stage.Light {
	l := stage.NewLight("", "", light.Sun)
	l.Azimuth, l.Elevation = azimuth, elevation
	return l
}

// nearest returns the sample whose normal is nearest to n.
func (b *bench) nearest(n vec.V) int {
	best := 0
	for i := range b.set.N {
		if b.at(b.set.Norm, i).Dot(n) > b.at(b.set.Norm, best).Dot(n) {
			best = i
		}
	}
	return best
}

func TestGGXGivesBackWhatItReceives(t *testing.T) {
	// The white furnace: light of the same strength from everywhere, spread over many
	// suns so that a white matt surface has tone 1.
	b := under(t, sun(0, 0))
	var suns []light.Source
	const rings = 90
	for i := range rings {
		theta := (float64(i) + 0.5) / rings * math.Pi
		around := max(1, int(2*rings*math.Sin(theta)))
		for j := range around {
			phi := (float64(j) + 0.5*float64(i%2)) / float64(around) * 2 * math.Pi
			s := light.Source{Kind: light.Sun, Color: color.C{1, 1, 1}, Strength: float32(math.Sin(theta) * math.Pi / rings * 2 / float64(around)),
				Dir: vec.V{float32(math.Sin(theta) * math.Cos(phi)), float32(math.Cos(theta)), float32(math.Sin(theta) * math.Sin(phi))}}
			s.Ready()
			suns = append(suns, s)
		}
	}
	b.scene.Lights = suns
	var picked []int32
	for _, deg := range []float64{0, 20, 40, 60} {
		picked = append(picked, int32(b.nearest(vec.Direction(deg, 0))))
	}
	b.set = b.set.Pick(picked)
	b.set.Resolve(sample.Pos|sample.Normal|sample.Eye, 1)
	matt := b.run("diffuse-light", nil, nil, "tone")[0]
	for i := range matt {
		assert.InDelta(t, 1, matt[i], 0.01, "the furnace itself")
	}
	for _, rough := range []float64{0.3, 0.4, 0.5} {
		tone := b.run("highlight", map[string]any{"roughness": rough, "model": "ggx", "peak": "energy"}, nil, "tone")[0]
		for i, v := range tone {
			assert.InDelta(t, 1, v, 0.02, "roughness %v, sample %d", rough, i)
		}
	}
}

func TestGGXPeaksAtOne(t *testing.T) {
	b := under(t, sun(50, 10))
	tone := b.run("highlight", map[string]any{"roughness": 0.4, "model": "ggx"}, nil, "tone")[0]
	best := 0
	for i := range tone {
		if tone[i] > tone[best] {
			best = i
		}
	}
	half := vec.Direction(50, 10).Add(b.at(b.set.Eye, best)).Unit()
	assert.Greater(t, b.at(b.set.Norm, best).Dot(half), float32(0.999))
	assert.InDelta(t, 1, tone[best], 0.03)
}

func TestTheFastPathsGiveWhatTheGeneralOneGives(t *testing.T) {
	narrow, hair := sun(30, 25), sun(30, 25)
	hair.Size = 1e-4 // so slightly wide that only the path differs
	a, b := under(t, narrow), under(t, hair)
	for _, set := range []map[string]any{nil, {"wrap": 0.4}} {
		x, y := a.run("diffuse-light", set, nil, "tone")[0], b.run("diffuse-light", set, nil, "tone")[0]
		for i := range x {
			require.InDelta(t, x[i], y[i], 1e-4)
		}
	}
	x, y := a.run("highlight", nil, nil, "colour"), b.run("highlight", nil, nil, "colour")
	for i := range x[0] {
		require.InDelta(t, x[0][i], y[0][i], 1e-3)
	}
}

func TestReadingsOfAllKindsOfLight(t *testing.T) {
	point := stage.NewLight("", "", light.Point)
	point.At, point.Reach = vec.V{0, 0, 3}, 2
	sky := stage.NewLight("", "", light.Sky)
	sky.Color, sky.Strength = color.C{0, 0, 1}, 0.25
	b := under(t, sun(90, 0), point, sky, stage.NewLight("", "", light.Headlamp))
	front, right := b.nearest(vec.V{0, 0, 1}), b.nearest(vec.Direction(60, 0))
	tone := func(picked []any, reads string, i int) float32 {
		return b.run("diffuse-light", map[string]any{"lights": picked, "reads": reads}, nil, "tone")[0][i]
	}
	assert.InDelta(t, math.Sin(math.Pi/3), tone([]any{"A"}, "picked", right), 0.02, "the sun")
	assert.InDelta(t, 1, tone([]any{"B"}, "picked", front), 0.02, "2 away from a point that reaches 2")
	assert.InDelta(t, 0.25*0.0722, tone([]any{"C"}, "picked", front), 1e-3, "a blue sky counts by its luminance")
	assert.InDelta(t, 1, tone([]any{"D"}, "picked", front), 0.01, "a headlamp")
	sum := tone([]any{"A"}, "picked", right) + tone([]any{"B"}, "picked", right)
	assert.InDelta(t, sum, tone([]any{"C", "D"}, "others", right), 1e-5, "all but those picked")
	col := b.run("diffuse-light", map[string]any{"lights": []any{"C"}}, nil, "colour")
	assert.InDelta(t, 0.25, col[2][front], 1e-3)
	assert.Zero(t, col[0][front])
}

func TestALightLimitedToParts(t *testing.T) {
	m := mesh.Sphere(1, 32, 16)
	other := mesh.Sphere(1, 32, 16)
	other.Parts[0].Name = "other"
	m.Join(other, vec.Place(vec.V{2.5, 0, 0}, vec.V{}, 1))
	sc := stagetest.Of(t, m)
	sc.Stage.Lights[0].Parts = []string{stage.PartID("a", "other")}
	b := on(t, stagetest.Again(t, sc))
	for _, kind := range []string{"diffuse-light", "highlight", "rim-light"} {
		tone := b.run(kind, map[string]any{}, nil, "tone")[0]
		got := [2]float32{}
		for i, part := range b.set.PartOf {
			got[part] += tone[i]
		}
		assert.Zero(t, got[0], kind)
		assert.Greater(t, got[1], float32(1), kind)
	}
}

func TestCastShadowAlone(t *testing.T) {
	b := under(t, sun(90, 0))
	open := b.run("cast-shadow", nil, nil, "tone")[0]
	away := b.run("cast-shadow", map[string]any{"own": "shadow"}, nil, "tone")[0]
	left, right := b.nearest(vec.Direction(-60, 0)), b.nearest(vec.Direction(60, 0))
	assert.Equal(t, float32(1), open[left], "the side that faces away throws no shadow on anything")
	assert.Equal(t, float32(1), open[right])
	assert.Zero(t, away[left])
	assert.Equal(t, float32(1), away[right])
	none := under(t)
	assert.Equal(t, float32(1), none.run("cast-shadow", nil, nil, "tone")[0][0], "no light, no shadow")
}

func TestRimLightLiesOnTheSideOfTheLight(t *testing.T) {
	b := under(t, sun(120, 0)) // from behind, on the right
	rim := b.run("rim-light", nil, map[string]any{"width": 0.4}, "tone")[0]
	for i, v := range rim {
		n := b.at(b.set.Norm, i)
		facing := n.Dot(b.at(b.set.Eye, i))
		switch {
		case facing > 0.41 || n[0] < -0.2:
			require.Zero(t, v, "normal %v eye %v facing %v", n, b.at(b.set.Eye, i), facing)
		case facing < 0.39 && n[0] > 0.2:
			require.Equal(t, float32(1), v, "normal %v eye %v facing %v", n, b.at(b.set.Eye, i), facing)
		}
	}
	all := b.run("rim-light", map[string]any{"around": 1.0}, map[string]any{"width": 0.4}, "tone")[0]
	assert.Equal(t, float32(1), all[b.nearest(vec.Direction(-85, 0))], "all round")
	assert.Zero(t, b.run("rim-light", nil, map[string]any{"width": 0.0}, "tone")[0][b.nearest(vec.Direction(85, 0))], "no width, no rim")
}

func TestLightSource(t *testing.T) {
	point := stage.NewLight("", "", light.Point)
	point.At, point.Reach, point.Color = vec.V{0, 0, 4}, 3, color.C{1, 0.5, 0}
	b := under(t, sun(0, 90), point)
	set := map[string]any{"lights": []any{"B"}}
	dir, fade := b.run("light-source", set, nil, "direction"), b.run("light-source", set, nil, "fade")[0]
	col, shadow := b.run("light-source", set, nil, "colour"), b.run("light-source", set, nil, "shadow")[0]
	for i := range fade {
		d := vec.V{0, 0, 4}.Sub(b.at(b.set.Pos, i))
		require.InDelta(t, 9/d.Dot(d), fade[i], 1e-4)
		require.InDelta(t, 1, d.Unit().Dot(vec.V{dir[0][i], dir[1][i], dir[2][i]}), 1e-5)
		require.Equal(t, color.C{1, 0.5, 0}, color.C{col[0][i], col[1][i], col[2][i]})
		if c := d.Unit().Dot(b.at(b.set.Norm, i)); c > 0.05 {
			require.Equal(t, float32(1), shadow[i])
		} else if c < -0.05 {
			require.Zero(t, shadow[i])
		}
	}
	assert.Zero(t, under(t).run("light-source", nil, nil, "fade")[0][0], "no light at all")
}

func TestMatcapFollowsTheEye(t *testing.T) {
	b := under(t, sun(0, 0))
	v := b.run("matcap", nil, nil, "vector")
	for i := range b.set.N {
		// Where the surface faces the eye the middle of the ball shows, at every pixel.
		if n, e := b.at(b.set.Norm, i), b.at(b.set.Eye, i); n.Dot(e) > 0.9999 {
			require.InDelta(t, 0.5, v[0][i], 0.01)
			require.InDelta(t, 0.5, v[1][i], 0.01)
		}
	}
	i := b.nearest(vec.V{0, 1, 0.2})
	assert.Greater(t, v[1][i], float32(0.9))
	turned := b.run("matcap", nil, map[string]any{"rotation": 90.0}, "vector")
	assert.InDelta(t, v[1][i], turned[0][i], 1e-4, "turned by 90°, what was above is at the right")
	col := b.run("matcap", map[string]any{"stops": []any{map[string]any{"at": 0, "color": "#000000"}, map[string]any{"at": 0.5, "color": "#FFFFFF"}}}, nil, "colour")
	assert.Equal(t, float32(1), col[0][i])
	assert.Zero(t, col[0][b.nearest(vec.V{0, -1, 0.2})])
}

func TestLightStampLiesAtTheHighlight(t *testing.T) {
	b := under(t, sun(50, 20))
	for _, shape := range []string{"round", "square", "star", "bar"} {
		tone := b.run("light-stamp", map[string]any{"shape": shape}, map[string]any{"size": 0.3}, "tone")[0]
		half := b.nearest(vec.Direction(50, 20).Add(vec.V{0, 0, 1}).Unit())
		assert.Equal(t, float32(1), tone[half], "%s: in its middle", shape)
		var mean vec.V
		for i, v := range tone {
			mean = mean.Add(b.at(b.set.Norm, i).Mul(v))
		}
		assert.Greater(t, mean.Unit().Dot(b.at(b.set.Norm, half)), float32(0.995), "%s: about it", shape)
	}
	// Moved right by its own size it lies to the right; split, its middle is bare.
	right := b.run("light-stamp", map[string]any{"shape": "round", "right": 2.0}, map[string]any{"size": 0.2}, "tone")[0]
	still := b.run("light-stamp", map[string]any{"shape": "round"}, map[string]any{"size": 0.2}, "tone")[0]
	place := func(tone []float32) (x float32) {
		n := float32(0)
		for i, v := range tone {
			x, n = x+b.set.Pos[0][i]*v, n+v
		}
		return x / n
	}
	assert.Greater(t, place(right), place(still)+0.2)
	split := b.run("light-stamp", map[string]any{"shape": "round", "split": 1.0}, map[string]any{"size": 0.2}, "tone")[0]
	assert.Zero(t, split[b.nearest(vec.Direction(50, 20).Add(vec.V{0, 0, 1}).Unit())])
}

func TestLitSurface(t *testing.T) {
	b := under(t, sun(0, 0))
	matt := b.run("lit-surface", nil, map[string]any{"base": "#FFFFFF", "roughness": 1.0}, "colour")
	front := b.nearest(vec.V{0, 0, 1})
	assert.InDelta(t, 0.96+0.04/4, matt[0][front], 0.01, "white, and what little a rough dielectric mirrors straight on")
	metal := b.run("lit-surface", nil, map[string]any{"base": "#FF0000", "metalness": 1.0}, "colour")
	assert.InDelta(t, 0, metal[1][front], 1e-6, "a red metal mirrors red")
	assert.Greater(t, metal[0][front], float32(0.5))
	glow := b.run("lit-surface", map[string]any{"lights": []any{"none"}}, map[string]any{"glow": "#00FF00"}, "colour")
	assert.Equal(t, float32(1), glow[1][front])
	back := under(t, sun(180, 0))
	thin := back.run("lit-surface", map[string]any{"shadows": false}, map[string]any{"base": "#FFFFFF", "transmission": 1.0}, "colour")
	assert.InDelta(t, 1, thin[0][back.nearest(vec.V{0, 0, 1})], 0.02, "light from behind comes through")
	sky := stage.NewLight("", "", light.Sky)
	even := under(t, sky).run("lit-surface", map[string]any{"shadows": false}, map[string]any{"base": "#FFFFFF", "metalness": 1.0, "roughness": 0.1}, "colour")
	for i := range even[0] {
		require.InDelta(t, 1, even[0][i], 0.06, "a white mirror under an even sky is white")
	}
}

func TestTwoWayRamp(t *testing.T) {
	b := ball(t)
	set := map[string]any{"rows": []any{map[string]any{"key": "a", "name": "Near", "at": 0.0}, map[string]any{"key": "b", "name": "Far", "at": 0.5}},
		"stops-a": []any{map[string]any{"at": 0, "color": "#000000"}, map[string]any{"at": 0.5, "color": "#FF0000"}},
		"stops-b": []any{map[string]any{"at": 0, "color": "#000000"}, map[string]any{"at": 0.5, "color": "#0000FF"}}}
	at := func(tone, down float64, between string) color.C {
		set["between"] = between
		p := b.run("two-way-ramp", set, map[string]any{"tone": tone, "down": down}, "colour")
		return color.C{p[0][0], p[1][0], p[2][0]}
	}
	assert.Equal(t, color.C{}, at(0.4, 0.2, "blend"))
	assert.Equal(t, color.C{1, 0, 0}, at(0.6, 0, "blend"))
	assert.Equal(t, color.C{0, 0, 1}, at(0.6, 0.7, "blend"))
	assert.Equal(t, color.C{0.5, 0, 0.5}, at(0.6, 0.25, "blend"))
	assert.Equal(t, color.C{1, 0, 0}, at(0.6, 0.49, "step"))
	assert.Equal(t, color.C{0, 0, 1}, at(0.6, 0.5, "step"))
	rows := []network.Row{{Key: "far", At: 1}, {Key: "near", At: 0}}
	assert.Equal(t, []string{"stops-near"}, node.RowsAt(rows, 0))
	assert.Equal(t, []string{"stops-near", "stops-far"}, node.RowsAt(rows, 0.4))
	assert.Equal(t, []string{"stops-far"}, node.RowsAt(rows, 1))
	wrong := network.Network{Nodes: []network.Node{{ID: "x", Kind: "two-way-ramp", Set: map[string]any{"stops-zz": []any{}}}}}
	assert.Error(t, wrong.Settle(cat), "a row that is not there has no stops")
}

// pictures gives one picture, red at the left and blue at the right.
type pictures struct{ stage.Files }

const pictureHash = "00000000000000000000000000000000000000000000000000000000000000aa"

func (pictures) Picture(hash string) (*pixmap.Pixmap, error) {
	if hash != pictureHash {
		return nil, stage.ErrNoPicture
	}
	img := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	copy(img.Pix, []byte{255, 0, 0, 255, 0, 0, 255, 128})
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		return nil, err
	}
	return pixmap.Read(buf.Bytes())
}

func TestPicturesInNodes(t *testing.T) {
	b := ball(t)
	b.scene.Files = pictures{}
	set := map[string]any{"picture": pictureHash, "pixels": "nearest", "beyond": "clamp"}
	col, alpha := b.run("image", set, nil, "colour"), b.run("image", set, nil, "alpha")[0]
	for i := range col[0] {
		switch u := b.set.UV[0][i]; {
		case u < 0.499:
			require.Equal(t, float32(1), col[0][i])
			require.Equal(t, float32(1), alpha[i])
		case u > 0.501:
			require.Equal(t, float32(1), col[2][i])
			require.InDelta(t, 0.5, alpha[i], 0.01)
		}
	}
	lost := b.run("image", map[string]any{"picture": "00000000000000000000000000000000000000000000000000000000000000bb"}, nil, "colour")
	assert.InDelta(t, 0.216, lost[0][0], 0.001, "one that is missing is a middle grey")
	cap := b.run("matcap", map[string]any{"by": "picture", "picture": pictureHash}, nil, "colour")
	assert.Greater(t, cap[0][b.nearest(vec.Direction(-60, 0))], float32(0.9))
	assert.Greater(t, cap[2][b.nearest(vec.Direction(60, 0))], float32(0.9))
	n := network.Network{Nodes: []network.Node{{ID: "x", Kind: "image", Set: map[string]any{"picture": "../etc/passwd"}}}}
	assert.ErrorContains(t, n.Settle(cat), "hash of a picture")
	used := network.Network{Nodes: []network.Node{{ID: "x", Kind: "image", Set: map[string]any{"picture": pictureHash}}}}
	assert.Equal(t, []string{pictureHash}, network.Pictures(cat, &used, &used))
}

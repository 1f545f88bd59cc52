package e2e

import (
	"bytes"
	"context"
	"encoding/base64"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/exchange"
	"mobanta/core/frame"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/shader"
	"mobanta/core/stage"
	"mobanta/e2e/drive"
)

// patch is a picture whose corners and channels differ.
func patch(t *testing.T) []byte {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 32))
	for y := range 32 {
		for x := range 64 {
			img.SetNRGBA(x, y, color.NRGBA{uint8(4 * x), uint8(8 * y), uint8(255 - 2*x - 4*y/2), 255})
		}
	}
	var buf bytes.Buffer
	require.NoError(t, png.Encode(&buf, img))
	return buf.Bytes()
}

// Every kind that says that it travels to GLSL shows the same on a ball there as here, to 2 of 255 on average; every other
// says why it stays.
func TestKindsTravelToGLSL(t *testing.T) {
	t.Parallel()
	const size = 96
	data := patch(t)
	hash := exchange.Hash(data)
	var ball bytes.Buffer // of fewer triangles than the solid: a page holds them all
	require.NoError(t, meshfile.WriteOBJ(&ball, mesh.Sphere(1, 64, 32)))
	model := exchange.Hash(ball.Bytes())
	files := meshfile.Kept(func(h string) (string, []byte, error) {
		if h == model {
			return "ball.obj", ball.Bytes(), nil
		}
		return "patch.png", data, nil
	})
	page, err := drive.Open(browser, "about:blank", 100, 80) // small: the page draws itself too
	require.NoError(t, err)
	defer page.Close()
	dir := t.TempDir()
	travelled := 0
	for _, k := range (node.Catalogue{}).All() {
		if k.GLSL == nil {
			if k.Spec.Kind != network.FinishKind {
				assert.NotEmpty(t, k.Stays, "%s says why it stays", k.Spec.Kind)
			}
			continue
		}
		travelled++
		p := project.New("ball")
		_, err := p.Apply(&project.Edit{Op: "model.add", Name: "Ball", Value: model, Parts: []string{"Sphere"}})
		require.NoError(t, err)
		p.Stage.Lights[0].Azimuth, p.Stage.Lights[0].Elevation = -40, 35
		net, ref := node.Catalogue{}.Example(k, hash)
		if ref.Node != "" {
			net.Node("end").In["colour"] = network.Input{Wires: []network.Ref{ref}}
		}
		if k.Spec.Kind == "normal-map" { // of a slant that a picture would have
			net.Node("node").In["map"] = network.Input{Value: [3]float32{0.8, 0.35, 0.9}}
			delete(net.Node("node").In, "map")
		}
		require.NoError(t, net.Settle(node.Catalogue{}), k.Spec.Kind)
		p.Looks[0].Network = *net
		for part := range p.Stage.Models[0].Looks {
			p.Stage.Models[0].Looks[part] = p.Looks[0].ID
		}
		p.Stage.Camera = p.Stage.Camera.Frame(stage.Bounds(&p.Stage, files), 1)
		pic, err := frame.Draw(context.Background(), p, files, frame.Order{W: size, H: size, Samples: 1, Clear: true})
		require.NoError(t, err, k.Spec.Kind)
		var buf bytes.Buffer
		require.NoError(t, pic.Write(&buf, frame.PNG8))
		want, err := png.Decode(&buf)
		require.NoError(t, err)

		pg, err := shader.NewPage(context.Background(), p, files, shader.Order{}, 2)
		require.NoError(t, err, k.Spec.Kind)
		name := filepath.Join(dir, k.Spec.Kind+".html")
		f, err := os.Create(name)
		require.NoError(t, err)
		require.NoError(t, pg.Write(f))
		require.NoError(t, f.Close())
		require.NoError(t, page.Navigate("file://"+name))
		require.NoError(t, page.WaitLoad())
		errs := page.MustEval(`() => shown.errors.join("\n")`).Str()
		if !assert.Empty(t, errs, "%s: %s", k.Spec.Kind, pg.Programs[0].Fragment) {
			continue
		}
		raw, err := base64.StdEncoding.DecodeString(page.MustEval(`async (n) => { const p = await shown.pixels(n, n); let s = ""; for (const b of p) s += String.fromCharCode(b); return btoa(s); }`, size).Str())
		require.NoError(t, err)
		sum, n, worst := 0, 0, 0
		for y := 1; y < size-1; y++ {
			for x := 1; x < size-1; x++ {
				whole := true // away from the rim, where one pixel more or less is covered
				for _, d := range [5][2]int{{0, 0}, {1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
					_, _, _, a := want.At(x+d[0], y+d[1]).RGBA()
					whole = whole && a == 0xffff && raw[4*((size-1-y-d[1])*size+x+d[0])+3] == 255
				}
				if !whole {
					continue
				}
				c := color.NRGBAModel.Convert(want.At(x, y)).(color.NRGBA)
				for i, v := range [3]uint8{c.R, c.G, c.B} {
					d := int(v) - int(raw[4*((size-1-y)*size+x)+i])
					d = max(d, -d)
					sum += d
					worst = max(worst, d)
					n++
				}
			}
		}
		require.Greater(t, n, size*size/3, k.Spec.Kind)
		mean := float64(sum) / float64(n)
		assert.LessOrEqual(t, mean, 2.0, "%s differs, at most by %d: %v", k.Spec.Kind, worst, pg.Remarks)
		if os.Getenv("MOBANTA_TOLD") != "" {
			t.Logf("%-16s mean %.3f worst %d", k.Spec.Kind, mean, worst)
		}
	}
	assert.Greater(t, travelled, 35)
}

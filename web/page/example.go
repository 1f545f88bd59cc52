package page

import (
	"bytes"
	"context"
	"image/png"
	"strings"
	"sync"

	"mobanta/core/meshfile"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/picture"
	"mobanta/core/pixmap"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// examples keeps the pictures of the help page, made when they are first asked for.
type examples struct {
	mu   sync.Mutex
	made map[string][]byte
}

const exampleW, exampleH = 150, 110

// Example returns a picture, a PNG, of what a kind of node does, on two solids; nil if there
// is no such kind.
func (p *Pages) Example(ctx context.Context, kind string) ([]byte, error) {
	k := cat.Kind(kind)
	if k == nil {
		return nil, nil
	}
	p.examples.mu.Lock()
	defer p.examples.mu.Unlock()
	data := p.examples.made[kind]
	if data == nil {
		var err error
		if data, err = example(ctx, k); err != nil {
			return nil, err
		}
		p.examples.made[kind] = data
	}
	return data, nil
}

// exampleFiles gives solids, and one picture: a chequer of four colours.
type exampleFiles struct{ meshfile.Files }

var examplePicture = strings.Repeat("0", 64)

func (exampleFiles) Picture(string) (*pixmap.Pixmap, error) {
	p := &pixmap.Pixmap{W: 12, H: 8, Pix: make([]byte, 4*12*8)}
	colors := [4][4]byte{{0xd4, 0x84, 0x3f, 255}, {0x3d, 0x22, 0x30, 255}, {0xf8, 0xd7, 0x9b, 255}, {0x46, 0x56, 0x65, 255}}
	for i := range 12 * 8 {
		copy(p.Pix[4*i:], colors[i%12%2+2*(i/12%2)][:])
	}
	return p, nil
}

func example(ctx context.Context, k *node.Kind) ([]byte, error) {
	net, ref := cat.Example(k, examplePicture)
	if err := net.Settle(cat); err != nil {
		return nil, err
	}
	st := stage.New()
	st.Backdrop.Color = [3]float32{0.18, 0.18, 0.18}
	st.Camera.Azimuth, st.Camera.Elevation = 25, 22
	st.Models = []stage.Model{
		{ID: "a", Name: "a", Solid: "torus", At: [3]float32{-0.8, 0, 0}, Turn: [3]float32{55, 0, 20}, Scale: 1, Looks: map[string]string{"Torus": "look"}},
		{ID: "b", Name: "b", Solid: "capsule", At: [3]float32{0.9, 0, 0.4}, Turn: [3]float32{0, 0, -25}, Scale: 1, Looks: map[string]string{"Capsule": "look"}},
	}
	sc, err := stage.NewScene(&st, exampleFiles{}, nil)
	if err != nil {
		return nil, err
	}
	st.Camera = st.Camera.Frame(sc.Box, float64(exampleW)/exampleH)
	job := scene.Job{Scene: sc, Looks: map[string]*network.Network{"look": net}, W: 2 * exampleW, H: 2 * exampleH, Samples: 4}
	if ref.Node != "" {
		job.Peek = &scene.Peek{Look: "look", Ref: ref}
	}
	r := picture.NewRenderer(1)
	if err := r.Render(ctx, job, func(*picture.Result) {}); err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, r.Small(exampleW, exampleH)); err != nil {
		return nil, err
	}
	return buf.Bytes(), nil
}

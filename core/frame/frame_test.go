package frame_test

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/frame"
	"mobanta/core/meshfile"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

func ball(t testing.TB) *project.Project {
	t.Helper()
	p := project.New("p")
	for _, e := range []project.Edit{{Op: "model.add", Kind: "sphere"}} {
		_, err := p.Apply(&e)
		require.NoError(t, err)
	}
	return p
}

func bytesOf(t testing.TB, p *project.Project, o frame.Order, f frame.Format) []byte {
	t.Helper()
	pic, err := frame.Draw(context.Background(), p, meshfile.Files(nil), o)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, pic.Write(&buf, f))
	return buf.Bytes()
}

func TestAFrameIsWhatARendererDraws(t *testing.T) {
	p := ball(t)
	job, err := scene.Of(p, meshfile.Files(nil), nil)
	require.NoError(t, err)
	job.W, job.H, job.Samples = 90, 60, 8
	var want bytes.Buffer
	require.NoError(t, picture.NewRenderer(2).Render(context.Background(), job, func(res *picture.Result) {
		if res.Done {
			require.NoError(t, res.WritePNG(&want, 8))
		}
	}))
	pixels := func(data []byte) image.Image {
		img, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		return img
	}
	o := frame.Order{W: 90, H: 60, Samples: 8}
	got := bytesOf(t, p, o, frame.PNG8)
	assert.Equal(t, pixels(want.Bytes()), pixels(got))
	o.Workers = 1
	assert.Equal(t, got, bytesOf(t, p, o, frame.PNG8), "on any number of cores")
}

func TestOrders(t *testing.T) {
	p := ball(t)
	o := frame.Order{W: 40, H: 30, Samples: 2, Clear: true}
	img, err := png.Decode(bytes.NewReader(bytesOf(t, p, o, frame.PNG8)))
	require.NoError(t, err)
	_, _, _, a := img.At(0, 0).RGBA()
	assert.Zero(t, a, "transparent beside the model")
	_, _, _, a = img.At(20, 15).RGBA()
	assert.EqualValues(t, 0xffff, a)
	assert.False(t, p.Stage.Backdrop.None, "the project stays as it is")
	deep, err := png.Decode(bytes.NewReader(bytesOf(t, p, o, frame.PNG16)))
	require.NoError(t, err)
	assert.IsType(t, &image.NRGBA64{}, deep)
	assert.True(t, bytes.HasPrefix(bytesOf(t, p, o, frame.PFM), []byte("PF\n40 30\n")))
	near := p.Stage.Camera
	near.Distance /= 2
	assert.NotEqual(t, bytesOf(t, p, o, frame.PNG8), bytesOf(t, p, frame.Order{W: 40, H: 30, Samples: 2, Clear: true, Camera: &near}, frame.PNG8))
	pic, err := frame.Draw(context.Background(), p, meshfile.Files(nil), o)
	require.NoError(t, err)
	assert.ErrorContains(t, pic.Write(&bytes.Buffer{}, "gif"), "not as")
}

func TestOrdersThatCannotBeFilled(t *testing.T) {
	p := ball(t)
	far := stage.Camera{}
	never := 1e300
	for _, o := range []frame.Order{{W: 0, H: 30, Samples: 1}, {W: 40, H: -1, Samples: 1}, {W: 1 << 20, H: 1, Samples: 1}, {W: 30000, H: 30000, Samples: 1},
		{W: 40, H: 30}, {W: 40, H: 30, Samples: 300}, {W: 40, H: 30, Samples: 1, Camera: &far}, {W: 40, H: 30, Samples: 1, At: &never}} {
		_, err := frame.Draw(context.Background(), p, meshfile.Files(nil), o)
		assert.Error(t, err, "%+v", o)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := frame.Draw(ctx, p, meshfile.Files(nil), frame.Order{W: 40, H: 30, Samples: 4})
	assert.ErrorIs(t, err, context.Canceled)
}

package web_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"mime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/frame"
	"mobanta/core/meshfile"
)

// A picture that is ordered is what one call draws of what is stored, in the size and kind
// that were asked for.
func TestAPictureIsSaved(t *testing.T) {
	s := withBall(t)
	for _, c := range []struct {
		query string
		o     frame.Order
		f     frame.Format
	}{
		{"w=90&h=60&samples=4&bits=8", frame.Order{W: 90, H: 60, Samples: 4}, frame.PNG8},
		{"w=64&h=64&samples=1&as=16&backdrop=none", frame.Order{W: 64, H: 64, Samples: 1, Clear: true}, frame.PNG16},
	} {
		res := s.answer("GET", "/p/"+s.id+"/save.png?"+c.query, "", nil)
		require.Equal(t, 200, res.StatusCode)
		kind, params, err := mime.ParseMediaType(res.Header.Get("Content-Disposition"))
		require.NoError(t, err)
		assert.Equal(t, "attachment", kind)
		assert.Contains(t, params["filename"], fmt.Sprintf("%dx%d.png", c.o.W, c.o.H))
		var got bytes.Buffer
		_, err = got.ReadFrom(res.Body)
		require.NoError(t, err)
		img, err := png.Decode(bytes.NewReader(got.Bytes()))
		require.NoError(t, err)
		assert.Equal(t, image.Pt(c.o.W, c.o.H), img.Bounds().Size())
		pic, err := frame.Draw(context.Background(), s.project().Project, meshfile.Files(nil), c.o)
		require.NoError(t, err)
		var want bytes.Buffer
		require.NoError(t, pic.Write(&want, c.f))
		assert.Equal(t, want.Bytes(), got.Bytes())
	}
	for _, bad := range []string{"", "w=0&h=5&samples=1", "w=5000&h=5000&samples=1", "w=10&h=10&samples=0", "w=10&h=10&samples=999", "w=x&h=10&samples=1", "w=99999999999999999999&h=1&samples=1"} {
		code, body := s.do("GET", "/p/"+s.id+"/save.png?"+bad, nil, map[string]string{"Accept": "application/json"})
		assert.Equal(t, 422, code, bad)
		assert.Contains(t, body, "whole pixels")
	}
	code, _ := s.do("GET", "/p/nobody/save.png?w=10&h=10&samples=1", nil, nil)
	assert.Equal(t, 404, code)
}

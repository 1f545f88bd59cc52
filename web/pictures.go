package web

import (
	"bytes"
	"image"
	"image/png"
	"net/http"

	"github.com/labstack/echo/v5"

	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/pixmap"
	"mobanta/store"
)

// importPicture keeps a picture that came as a file and answers with its hash.
func (v *Server) importPicture(c *echo.Context) error {
	data, err := upload(c, "picture")
	if err != nil {
		return err
	}
	done, err := v.reading.Wait(c.Request().Context())
	if err != nil {
		return err
	}
	defer done()
	if _, err := pixmap.Read(data); err != nil {
		return err
	}
	name := "picture"
	if _, head, err := c.Request().FormFile("picture"); err == nil {
		name = head.Filename
	}
	hash, err := v.store.PutFile(c.Request().Context(), exchange.File{Name: name, Data: data})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"hash": hash})
}

// opener gives stored files to those who write them into others.
func (v *Server) opener(c *echo.Context) func(hash string) (exchange.File, error) {
	return func(hash string) (exchange.File, error) { return v.store.File(c.Request().Context(), hash) }
}

const pictureW, pictureH = 96, 64

// showPicture shows a picture of the project, small.
func (v *Server) showPicture(c *echo.Context) error {
	p, err := v.live.Files.Picture(c.Param("hash"))
	if err != nil {
		return store.ErrNotFound
	}
	w, h := pictureW, pictureH
	if p.W*h > p.H*w {
		h = max(1, p.H*w/p.W)
	} else {
		w = max(1, p.W*h/p.H)
	}
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			col, alpha := p.At(x*p.W/w, y*p.H/h)
			i := img.PixOffset(x, y)
			for k := range col {
				img.Pix[i+k] = color.Byte(min(1, col[k]))
			}
			img.Pix[i+3] = uint8(alpha*255 + 0.5)
		}
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "private, max-age=86400, immutable")
	return c.Blob(http.StatusOK, "image/png", buf.Bytes())
}

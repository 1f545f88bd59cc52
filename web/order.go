package web

import (
	"bytes"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"mobanta/core/frame"
)

// maxOrdered limits a picture that is ordered from a page, in pixels: each takes about
// sixty bytes while it is drawn.
const maxOrdered = 9 << 20

// savePicture draws the picture as ordered and sends it as a file. Orders are filled one
// by one, while nobody waits for anything more urgent.
func (v *Server) savePicture(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	number := func(name string) int {
		n, err := strconv.Atoi(c.QueryParam(name))
		if err != nil {
			return 0
		}
		return n
	}
	o := frame.Order{W: number("w"), H: number("h"), Samples: number("samples"), Clear: c.QueryParam("backdrop") == "none", Gate: &v.live.Gate}
	if err := o.Check(); err != nil || o.W*o.H > maxOrdered {
		return fmt.Errorf("frame: a picture has a width and a height in whole pixels, at most %d million in all, such as 3840 × 2160, and 1 to 256 positions in each", maxOrdered>>20)
	}
	format := frame.PNG8
	if number("bits") == 16 {
		format = frame.PNG16
	}
	done, err := v.drawing.Wait(c.Request().Context())
	if err != nil {
		return err
	}
	defer done()
	pic, err := frame.Draw(c.Request().Context(), st.Project, v.live.Files, o)
	if err != nil {
		return err
	}
	var buf bytes.Buffer
	if err := pic.Write(&buf, format); err != nil {
		return err
	}
	v.live.Air.Soon()
	c.Response().Header().Set("Content-Disposition", attached(fmt.Sprintf("%s %dx%d.png", fileName(st.Project.Name), o.W, o.H)))
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, "image/png", buf.Bytes())
}

package web

import (
	"bytes"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"mobanta/core/frame"
	"mobanta/core/press"
)

// maxOrdered limits a picture that is ordered from a page, in pixels: each takes about
// sixty bytes while it is drawn.
const maxOrdered = 9 << 20

// ordered is a kind of file that a picture is saved as.
type ordered struct {
	format        frame.Format
	plates        bool
	ending, media string
}

var orderedAs = map[string]ordered{
	"8": {frame.PNG8, false, ".png", "image/png"}, "16": {frame.PNG16, false, ".png", "image/png"},
	"plates8": {frame.Plates8, true, " plates.zip", "application/zip"}, "plates1": {frame.Plates1, true, " plates 1 bit.zip", "application/zip"},
	"platespdf": {frame.PlatesPDF, true, " plates.pdf", "application/pdf"},
	"svg":       {frame.SVG, false, " lines.svg", "image/svg+xml"}, "svgfills": {frame.SVGFills, false, ".svg", "image/svg+xml"},
}

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
	kind, ok := orderedAs[c.QueryParam("as")]
	if !ok {
		kind = orderedAs["8"]
	}
	if p := &st.Project.Stage.Press; kind.plates && (!p.On || !slices.ContainsFunc(p.Inks, func(k press.Ink) bool { return !k.Off })) {
		return frame.ErrNoPress
	}
	if o.Lines = kind.format.Vectors(); o.Lines { // one position knows all that vectors need
		o.Samples = 1
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
	if err := pic.Write(&buf, kind.format); err != nil {
		return err
	}
	v.live.Air.Soon()
	c.Response().Header().Set("Content-Disposition", attached(fmt.Sprintf("%s %dx%d%s", fileName(st.Project.Name), o.W, o.H, kind.ending)))
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Blob(http.StatusOK, kind.media, buf.Bytes())
}

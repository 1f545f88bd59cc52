package web

import (
	"bytes"
	"net/http"

	"github.com/labstack/echo/v5"

	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/store"
)

// exportRamp gives the colours of a ramp as a palette file.
func (v *Server) exportRamp(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	if d.Node == nil || d.Node.ID != c.QueryParam("node") {
		return store.ErrNotFound
	}
	s := d.Spec.Setting(c.QueryParam("key"))
	if s == nil || s.Type != network.Stops {
		return store.ErrNotFound
	}
	var colors []exchange.Named
	for _, stop := range d.Node.Value(s).([]color.Stop) {
		colors = append(colors, exchange.Named{Name: stop.Name, Color: stop.Color})
	}
	return palette(c, d.Node.Title(d.Cat), c.Param("format"), colors)
}

// palette answers with colours as a palette file of the given format.
func palette(c *echo.Context, name, format string, colors []exchange.Named) error {
	var buf bytes.Buffer
	var err error
	mime := "text/plain; charset=utf-8"
	switch format {
	case "gpl":
		err = exchange.WriteGPL(&buf, name, colors)
	case "hex":
		err = exchange.WriteHex(&buf, colors)
	case "png":
		mime = "image/png"
		err = exchange.WriteStrip(&buf, colors)
	default:
		return echo.ErrNotFound
	}
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", attached(names.FileName(name, "."+format)))
	return c.Blob(http.StatusOK, mime, buf.Bytes())
}

package web

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"mobanta/store"
)

// compare shows two sides of a project, beside or upon each other.
func (v *Server) compare(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "compare.html", v.pages.Compare(st, c.QueryParam("a"), c.QueryParam("b"), c.QueryParam("way"), v.jobs(st.ID)))
}

// stillTrail tells how a pixel of one side came to its colour.
func (v *Server) stillTrail(c *echo.Context) error {
	ctx := c.Request().Context()
	p, files, err := v.side(c, c.QueryParam("of"))
	if err != nil {
		return err
	}
	w, _ := strconv.Atoi(c.QueryParam("w"))
	h, _ := strconv.Atoi(c.QueryParam("h"))
	x, err1 := strconv.ParseFloat(c.QueryParam("x"), 64)
	y, err2 := strconv.ParseFloat(c.QueryParam("y"), 64)
	if err1 != nil || err2 != nil || !(x >= 0 && x < 1 && y >= 0 && y < 1) || w < 1 || h < 1 || w*h > maxStill {
		return store.ErrNotFound
	}
	done, err := v.stills.turn.Wait(ctx)
	if err != nil {
		return err
	}
	defer done()
	if _, err := v.stills.draw(ctx, p, files, w, h); err != nil {
		return err
	}
	t, err := v.stills.easel.Trail(ctx, x*float64(w)/float64(h), y)
	if err != nil {
		return err
	}
	html, err := v.pages.Trail(p.Moment(), t)
	if err != nil {
		return err
	}
	return c.HTML(http.StatusOK, html)
}

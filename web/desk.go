package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"mobanta/store"
	"mobanta/web/page"
)

// read returns what the desk shows of the project that a request names.
func (v *Server) read(c *echo.Context) (*page.Desk, error) {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, err
	}
	return v.pages.Desk(st, page.Asked{Look: c.QueryParam("look"), Path: c.QueryParam("path"), Node: c.QueryParam("node"), Light: c.QueryParam("light"),
		Cards: c.Request().Header.Get("X-Cards")})
}

func (v *Server) desk(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	go v.aside(func() {
		v.live.Prepare(d.State)
		if d.Large() {
			v.pages.Prepare(d)
		}
	})
	if d.Kept, err = v.store.HasPicture(c.Request().Context(), d.State.ID); err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "desk.html", d)
}

// aside does what nobody waits for; a slip in it ends nothing else.
func (v *Server) aside(f func()) {
	defer func() {
		if slip := recover(); slip != nil {
			v.log.Error("a slip aside", "slip", slip)
		}
	}()
	f()
}

// search lists what the words could mean, to be added, put into a wire, or put in
// a node's place.
func (v *Server) search(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	kept, err := v.store.Library(c.Request().Context(), "group")
	if err != nil {
		return err
	}
	starts, err := v.startList(c.Request().Context())
	if err != nil {
		return err
	}
	list, err := d.Find(page.Search{Starts: starts, Words: c.QueryParam("q"), From: c.QueryParam("from"), To: c.QueryParam("to"), Replace: c.QueryParam("replace"), Chosen: c.QueryParam("node")}, kept)
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "results", list)
}

// sources shows the picker for an input.
func (v *Server) sources(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	p := d.Picker(c.QueryParam("to"), c.QueryParam("q"))
	if p == nil {
		return store.ErrNotFound
	}
	return v.render(c, http.StatusOK, "picker", p)
}

// panels names the panels that may be asked for.
var panels = map[string]bool{"top": true, "network": true, "list": true, "front": true, "colours": true, "bench": true, "stage": true, "stagings": true, "hint": true, "worn": true, "time": true}

func (v *Server) panel(c *echo.Context) error {
	name := c.Param("panel")
	if !panels[name] {
		return echo.ErrNotFound
	}
	d, err := v.read(c)
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, name, d)
}

// example gives a picture of what a kind of node does.
func (v *Server) example(c *echo.Context) error {
	data, err := v.pages.Example(c.Request().Context(), c.Param("kind"))
	if err != nil {
		return err
	}
	if data == nil {
		return echo.ErrNotFound
	}
	c.Response().Header().Set("Cache-Control", "max-age=3600")
	return c.Blob(http.StatusOK, "image/png", data)
}

// settings is the page on which keys are changed. What is changed there is the browser's,
// not the project's.
func (v *Server) settings(c *echo.Context) error {
	return v.render(c, http.StatusOK, "settings.html", page.SettingsPage())
}

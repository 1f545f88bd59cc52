package web

import (
	"bytes"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"mobanta/core/exchange"
	"mobanta/core/names"
	"mobanta/core/project"
	"mobanta/store"
	"mobanta/web/page"
)

type shelfPage struct {
	Title    string
	Projects []store.Summary
	Bin      bool
	Binned   int  // how many lie in the bin
	Locked   bool // whether one signs in
	Damage   []string
}

func (v *Server) shelf(c *echo.Context) error { return v.list(c, false) }

func (v *Server) bin(c *echo.Context) error { return v.list(c, true) }

func (v *Server) list(c *echo.Context, bin bool) error {
	ctx := c.Request().Context()
	list, err := v.store.Projects(ctx, bin)
	if err != nil {
		return err
	}
	stamp, _ := v.options.Key.Stamp()
	page := shelfPage{Title: "Shelf", Projects: list, Bin: bin, Locked: stamp != ""}
	if bin {
		page.Title = "Bin"
	} else if binned, err := v.store.Projects(ctx, true); err == nil {
		page.Binned = len(binned)
	}
	page.Damage = v.store.Damage()
	return v.render(c, http.StatusOK, "shelf.html", page)
}

func (v *Server) create(c *echo.Context) error {
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "The name could not be read.")
	}
	name := form.Get("name")
	if strings.TrimSpace(name) == "" {
		name = "New project"
	}
	id, err := v.store.Create(c.Request().Context(), project.New(name))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+id)
}

func (v *Server) binProject(c *echo.Context, in bool) error {
	if err := v.store.Bin(c.Request().Context(), c.Param("id"), in); err != nil {
		return err
	}
	if in {
		return c.Redirect(http.StatusSeeOther, "/")
	}
	return c.Redirect(http.StatusSeeOther, "/bin")
}

func (v *Server) shelfPicture(c *echo.Context) error {
	png, err := v.store.Picture(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	return c.Blob(http.StatusOK, "image/png", png)
}

func (v *Server) exportBundle(c *echo.Context) error {
	ctx := c.Request().Context()
	st, err := v.store.Load(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	out := &began{ResponseWriter: c.Response(), name: names.FileName(st.Project.Name, ".mobanta.zip")}
	err = exchange.WriteBundle(out, st.Project, v.opener(c))
	if err != nil && out.name == "" { // some of it is on its way: the browser is to see that it is not whole
		v.log.Error("a bundle was cut off", "project", st.ID, "error", store.Cause(err))
		panic(http.ErrAbortHandler)
	}
	return err
}

// began is an answer of which nothing is sent before its first bytes are there, so
// that what goes wrong before can be told.
type began struct {
	http.ResponseWriter
	name string
}

func (w *began) Write(p []byte) (int, error) {
	if w.name != "" {
		w.Header().Set("Content-Disposition", attached(w.name))
		w.Header().Set("Content-Type", "application/zip")
		w.name = ""
	}
	return w.ResponseWriter.Write(p)
}

func (v *Server) importBundle(c *echo.Context) error {
	f, size, err := uploaded(c, "bundle")
	if err != nil {
		return err
	}
	defer f.Close()
	ctx := c.Request().Context()
	done, err := v.reading.Wait(ctx)
	if err != nil {
		return err
	}
	defer done()
	id, err := ImportBundle(ctx, v.store, f, size)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+id)
}

// uploaded opens the one file of a form.
func uploaded(c *echo.Context, field string) (multipart.File, int64, error) {
	h, err := c.FormFile(field)
	if err != nil {
		return nil, 0, arrived(err)
	}
	f, err := h.Open()
	if err != nil {
		return nil, 0, err
	}
	return f, h.Size, nil
}

// arrived says that a form did not come as it should; what was too large says so
// itself.
func arrived(err error) error {
	var large *tooLargeError
	if errors.As(err, &large) || ofTheSystem(err) {
		return err
	}
	return echo.NewHTTPError(http.StatusBadRequest, "The file did not arrive whole. Try again.")
}

// upload reads the one file of a form.
func upload(c *echo.Context, field string) ([]byte, error) {
	f, size, err := uploaded(c, field)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data := make([]byte, size)
	_, err = io.ReadFull(f, data)
	return data, err
}

func (v *Server) exportLook(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	l := st.Project.Look(c.QueryParam("look"))
	if l == nil {
		return store.ErrNotFound
	}
	var buf bytes.Buffer
	if err := exchange.WriteLook(&buf, l.Name, &l.Network, st.Project.UsedGroups(&l.Network), v.opener(c)); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", attached(names.FileName(l.Name, ".look.json")))
	return c.Blob(http.StatusOK, "application/json", buf.Bytes())
}

func (v *Server) help(c *echo.Context) error {
	return v.render(c, http.StatusOK, "help.html", page.HelpPage())
}

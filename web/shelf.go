package web

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"mobanta/core/exchange"
	"mobanta/core/mesh"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/store"
)

type shelfPage struct {
	Title    string
	Projects []store.Summary
	Bin      bool
	Binned   int // how many lie in the bin
}

func (v *Server) shelf(c *echo.Context) error { return v.list(c, false) }

func (v *Server) bin(c *echo.Context) error { return v.list(c, true) }

func (v *Server) list(c *echo.Context, bin bool) error {
	ctx := c.Request().Context()
	list, err := v.store.Projects(ctx, bin)
	if err != nil {
		return err
	}
	page := shelfPage{Title: "Shelf", Projects: list, Bin: bin}
	if bin {
		page.Title = "Bin"
	} else if binned, err := v.store.Projects(ctx, true); err == nil {
		page.Binned = len(binned)
	}
	return v.render(c, http.StatusOK, "shelf.html", page)
}

func (v *Server) create(c *echo.Context) error {
	name := strings.TrimSpace(c.FormValue("name"))
	if name == "" {
		name = "New project"
	}
	p := project.New(name)
	if err := p.Settle(); err != nil {
		return err
	}
	id, err := v.store.Create(c.Request().Context(), p)
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
	var buf bytes.Buffer
	err = exchange.WriteBundle(&buf, st.Project, func(hash string) (exchange.File, error) { return v.store.File(ctx, hash) })
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", fileName(st.Project.Name)+".mobanta.zip"))
	return c.Blob(http.StatusOK, "application/zip", buf.Bytes())
}

// fileName returns a name that is safe as one of a file.
func fileName(name string) string {
	out := strings.Map(func(r rune) rune {
		if r < 128 && (r == '-' || r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z') {
			return r
		}
		return '-'
	}, name)
	return strings.ToLower(strings.Trim(out, "-") + "")
}

func (v *Server) importBundle(c *echo.Context) error {
	data, err := upload(c, "bundle", exchange.MaxBundleBytes)
	if err != nil {
		return err
	}
	id, err := ImportBundle(c.Request().Context(), v.store, data)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/p/"+id)
}

// upload reads the one file of a form.
func upload(c *echo.Context, field string, limit int64) ([]byte, error) {
	r := c.Request()
	r.Body = http.MaxBytesReader(c.Response(), r.Body, limit+1<<20)
	h, err := c.FormFile(field)
	if err != nil {
		return nil, fmt.Errorf("no file came with the request: %w", err)
	}
	f, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
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
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", fileName(l.Name)+".look.json"))
	return c.Blob(http.StatusOK, "application/json", buf.Bytes())
}

type helpPage struct {
	Title  string
	Kinds  []*node.Kind
	Solids []mesh.Solid
}

func (v *Server) help(c *echo.Context) error {
	return v.render(c, http.StatusOK, "help.html", helpPage{"Help", node.Catalogue{}.All(), mesh.Solids})
}

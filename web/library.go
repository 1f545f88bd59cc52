package web

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"

	"mobanta/core/exchange"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/recipes"
	"mobanta/store"
	"mobanta/web/page"
)

// An edit may name what it brings in rather than hold it: a recipe that ships
// with the studio, or an entry of the library.
const (
	recipePrefix = "recipe:"
)

// Expand fills in what the edits name.
func (v *Server) Expand(ctx context.Context, edits []project.Edit) error {
	for i := range edits {
		e := &edits[i]
		if e.Network != nil || e.Groups != nil {
			continue
		}
		switch e.Op {
		case "look.replace", "look.add", "group.bring":
		default:
			continue
		}
		f, err := v.named(ctx, e.Kind)
		if err != nil {
			return err
		}
		if f == nil {
			continue
		}
		e.Network, e.Groups, e.Kind = &f.Network, f.Groups, ""
		if e.Op != "group.bring" && e.Name == "" {
			e.Name = f.Name
		}
	}
	return nil
}

// named returns the look file that a name stands for, nil if it names none.
func (v *Server) named(ctx context.Context, name string) (*exchange.LookFile, error) {
	if id, ok := strings.CutPrefix(name, recipePrefix); ok {
		r, err := recipes.Find(id)
		if err != nil {
			return nil, err
		}
		if r == nil {
			return nil, fmt.Errorf("there is no starting point %.40q", id)
		}
		return r.File, nil
	}
	if id, ok := strings.CutPrefix(name, page.LibraryPrefix); ok {
		e, err := v.store.Kept(ctx, id)
		if err != nil {
			return nil, fmt.Errorf("it is not in the library any more: %w", err)
		}
		return exchange.ReadFragment(string(e.Doc))
	}
	return nil, nil
}

// shipped are the starting points that ship with the studio.
var shipped = sync.OnceValues(func() (list []page.Start, err error) {
	all, err := recipes.All()
	for _, r := range all {
		list = append(list, page.Start{ID: recipePrefix + r.ID, Name: r.File.Name})
	}
	return list, err
})

// startList returns the looks to start from: those that ship with the studio, then the library's.
func (v *Server) startList(ctx context.Context) (list []page.Start, err error) {
	ours, err := shipped()
	if err != nil {
		return nil, err
	}
	list = slices.Clone(ours)
	kept, err := v.store.Library(ctx, "look")
	for _, e := range kept {
		list = append(list, page.Start{ID: page.LibraryPrefix + e.ID, Name: e.Name, Own: e.ID})
	}
	return list, err
}

// starts shows the looks to start from.
func (v *Server) starts(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	list, err := v.startList(c.Request().Context())
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "starts", map[string]any{"Desk": d, "Starts": list})
}

// keep puts the look, or the open group, into the library.
func (v *Server) keep(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	var buf bytes.Buffer
	kind, name := "look", d.Look.Name
	if id := c.QueryParam("group"); id != "" {
		g := d.Cat.Group(id)
		if g == nil {
			return store.ErrNotFound
		}
		kind, name = "group", g.Name
		one := network.Network{Nodes: []network.Node{{ID: "n1", Kind: network.GroupPrefix + g.ID}}}
		err = exchange.WriteFragment(&buf, &one, d.Project.UsedGroups(&one))
	} else {
		err = exchange.WriteLook(&buf, name, &d.Look.Network, d.Project.UsedGroups(&d.Look.Network), v.opener(c))
	}
	if err != nil {
		return err
	}
	if _, err := v.store.Keep(c.Request().Context(), kind, name, buf.Bytes()); err != nil {
		return err
	}
	where := map[string]string{"look": "the starting points", "group": "the search, under its name"}[kind]
	return c.JSON(http.StatusOK, answer{Version: d.State.Version, Notes: []string{fmt.Sprintf("%s is in the library for all projects: you find it among %s.", name, where)}})
}

func (v *Server) takeOut(c *echo.Context) error {
	if err := v.store.TakeOut(c.Request().Context(), c.Param("entry")); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, answer{})
}

package web

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"mobanta/core/exchange"
	"mobanta/core/formula"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/store"
)

// fragment gives the chosen nodes as text.
func (v *Server) fragment(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	f := d.Net.Fragment(strings.Split(c.QueryParam("nodes"), ","), false)
	if len(f.Nodes) == 0 {
		return errors.New("choose nodes to copy; Finish cannot be")
	}
	var buf bytes.Buffer
	if err := exchange.WriteFragment(&buf, &f, d.Project.UsedGroups(&f)); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "text/plain; charset=utf-8", buf.Bytes())
}

// paste adds nodes that were copied as text.
func (v *Server) paste(c *echo.Context) error {
	r := c.Request()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		return arrived(err)
	}
	f, err := exchange.ReadFragment(string(text))
	if err != nil {
		return err
	}
	st, outcomes, err := v.apply(r, c.Param("id"), []project.Edit{{Op: "node.paste", Look: c.QueryParam("look"), Group: c.QueryParam("group"), Network: &f.Network, Groups: f.Groups}})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, answered(st, outcomes))
}

// answered tells what is stored and what was made.
func answered(st *store.State, outcomes []project.Outcome) answer {
	a := answer{Version: st.Version}
	for _, o := range outcomes {
		if o.Created != "" {
			a.Created = o.Created
		}
		if len(o.Several) > 0 {
			a.Several = o.Several
		}
		if o.Note != "" {
			a.Notes = append(a.Notes, o.Note)
		}
	}
	return a
}

// formula checks a formula as it is typed.
func (v *Server) formula(c *echo.Context) error {
	d, err := v.read(c)
	if err != nil {
		return err
	}
	if d.Node == nil || d.Spec.SettingOf(network.Expr) == nil {
		return store.ErrNotFound
	}
	inputs, _ := d.Node.Value(d.Spec.SettingOf(network.Arguments)).([]network.Argument)
	t, err := node.CheckFormula(c.QueryParam("text"), inputs)
	var slip *formula.Error
	switch {
	case errors.As(err, &slip):
		return c.JSON(http.StatusOK, map[string]any{"error": slip.Msg, "at": slip.At})
	case err != nil:
		return c.JSON(http.StatusOK, map[string]any{"error": strings.TrimPrefix(err.Error(), "formula: "), "at": 0})
	}
	return c.JSON(http.StatusOK, map[string]any{"gives": t.String()})
}

// importPalette brings the colours of a palette file into the project's swatches,
// or into the palette of a node.
func (v *Server) importPalette(c *echo.Context) error {
	data, err := upload(c, "palette")
	if err != nil {
		return err
	}
	p, err := exchange.ReadPalette(data)
	if err != nil {
		return err
	}
	e := project.Edit{Op: "swatch.bring"}
	named := func() {
		for _, n := range p.Colors {
			e.Colors = append(e.Colors, project.Swatch{Name: n.Name, Color: n.Color})
		}
	}
	if id, key := c.QueryParam("node"), c.QueryParam("ramp"); id != "" && key != "" {
		e = project.Edit{Op: "ramp.colors", Look: c.QueryParam("look"), Group: c.QueryParam("group"), Node: id, Key: key}
		named()
	} else if id != "" {
		e = project.Edit{Op: "node.set", Look: c.QueryParam("look"), Group: c.QueryParam("group"), Node: id, Key: "strip", Value: p.Strip}
	} else {
		named()
	}
	st, outcomes, err := v.apply(c.Request(), c.Param("id"), []project.Edit{e})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, answered(st, outcomes))
}

// exportPalette gives the project's swatches as a palette file.
func (v *Server) exportPalette(c *echo.Context) error {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	var list []exchange.Named
	for _, w := range st.Project.Swatches {
		list = append(list, exchange.Named{Name: w.Name, Color: w.Color})
	}
	return palette(c, st.Project.Name, c.Param("format"), list)
}

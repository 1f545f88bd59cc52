package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"

	"mobanta/core/color"
	"mobanta/core/layout"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/store"
)

var sizes = layout.Sizes{CardW: 176, CardH: 58, PortW: 64, OutW: 86, GapX: 12, GapY: 14, Port: 18, Out: 30, Lane: 6, Title: 18}

// desk is what the desk's templates show.
type desk struct {
	Title   string
	State   *store.State
	Project *project.Project
	Look    *project.Look
	Path    string         // of the group that is open, "n5/n2"; "" for the look itself
	Group   *network.Group // that is open; nil for the look itself
	Crumbs  []crumb        // the way to it
	Net     *network.Network
	Cat     network.Grouped
	Node    *network.Node // the chosen one; nil in an empty group
	Spec    *network.Spec
	Section *network.Section     // the chosen one, in place of a node
	Light   string               // the light that the light tools move
	lay     func() layout.Layout // of the network that is open; it is made when it is asked for
	Solids  []mesh.Solid
	Edges   []color.Edge
	Have    map[string]string // cards that the page has, by their stamps
}

// crumb is one step on the way into groups.
type crumb struct{ Path, Name string }

func (v *Server) deskData(c *echo.Context) (*desk, error) {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, err
	}
	d := &desk{Title: st.Project.Name, State: st, Project: st.Project, Solids: mesh.Solids, Edges: color.Edges, Cat: st.Project.Catalogue()}
	if d.Look = st.Project.Look(c.QueryParam("look")); d.Look == nil && len(st.Project.Looks) > 0 {
		d.Look = &st.Project.Looks[0]
	}
	if d.Look == nil {
		return nil, store.ErrNotFound
	}
	d.enter(c.QueryParam("path"))
	if d.Section = d.Net.Section(c.QueryParam("node")); d.Section == nil {
		d.choose(c.QueryParam("node"))
	}
	if len(st.Project.Stage.Lights) > 0 {
		d.Light = st.Project.Stage.Lights[0].ID
		for _, s := range st.Project.Stage.Lights {
			if s.ID == c.QueryParam("light") {
				d.Light = s.ID
			}
		}
	}
	d.Have = map[string]string{}
	for _, e := range strings.Split(c.Request().Header.Get("X-Cards"), " ") {
		if id, stamp, ok := strings.Cut(e, "="); ok {
			d.Have[id] = stamp
		}
	}
	d.lay = sync.OnceValue(func() layout.Layout { return v.layouts.lay(st.ID+"/"+d.Look.ID+"/"+d.Path, d.Net, d.Cat) })
	return d, nil
}

// enter opens the groups along a path, as far as they are there.
func (d *desk) enter(path string) {
	d.Net = &d.Look.Network
	for _, id := range strings.Split(path, "/") {
		n := d.Net.Node(id)
		if n == nil || d.Cat.GroupOf(n) == nil {
			return
		}
		d.Group = d.Cat.GroupOf(n)
		d.Net = &d.Group.Network
		d.Path = strings.TrimPrefix(d.Path+"/"+id, "/")
		d.Crumbs = append(d.Crumbs, crumb{d.Path, n.Title(d.Cat)})
	}
}

// choose takes the node that was asked for, or else what is touched most: the first
// that has bands, or the end.
func (d *desk) choose(id string) {
	d.Node = d.Net.Node(id)
	for i := range d.Net.Nodes {
		if d.Node == nil && node.ConcernsOf(&d.Net.Nodes[i]).Bands != "" {
			d.Node = &d.Net.Nodes[i]
		}
	}
	if d.Node == nil {
		d.Node = d.Net.Finish()
	}
	if d.Node == nil && len(d.Net.Nodes) > 0 {
		d.Node = &d.Net.Nodes[0]
	}
	if d.Node != nil {
		d.Spec = d.Cat.Of(d.Node)
	}
}

// Lay returns how the open network stands on the page.
func (d *desk) Lay() layout.Layout { return d.lay() }

// Vals returns the fields of an edit on the network that is open, as JSON.
func (d *desk) Vals(op string, pairs ...any) (string, error) {
	all := append([]any{"op", op}, pairs...)
	if d.Group != nil {
		all = append(all, "group", d.Group.ID)
	} else {
		all = append(all, "look", d.Look.ID)
	}
	return vals(all...)
}

// Uses tells where the open group is used, in words.
func (d *desk) Uses() string {
	if d.Group == nil {
		return ""
	}
	var out []string
	total := 0
	count := func(n *network.Network, name string) {
		if k := n.Uses()[d.Group.ID]; k > 0 {
			total += k
			out = append(out, fmt.Sprintf("%s (%d)", name, k))
		}
	}
	for i := range d.Project.Looks {
		count(&d.Project.Looks[i].Network, d.Project.Looks[i].Name)
	}
	for i := range d.Project.Groups {
		count(&d.Project.Groups[i].Network, d.Project.Groups[i].Name)
	}
	if total == 1 {
		return "used once"
	}
	return fmt.Sprintf("used %d times: %s. A change here changes all of them.", total, strings.Join(out, ", "))
}

// layouts remembers how networks stand on the page, so that cards keep their
// order from one edit to the next.
type layouts struct {
	mu    sync.Mutex
	shown map[string]layout.Layout
}

func (l *layouts) lay(key string, n *network.Network, cat network.Catalogue) layout.Layout {
	l.mu.Lock()
	defer l.mu.Unlock()
	var before *layout.Layout
	if old, ok := l.shown[key]; ok {
		before = &old
	}
	if len(l.shown) >= 500 { // of projects that are long closed
		clear(l.shown)
	}
	l.shown[key] = layout.Lay(n, cat, sizes, before)
	return l.shown[key]
}

func (v *Server) desk(c *echo.Context) error {
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "desk.html", d)
}

// result is a kind of node, or a group, that a search has found.
type result struct {
	Name, Family, Purpose string
	Edit                  string // as JSON
	Fits                  bool   // whether it can stand where it was asked for
	Key                   string // names its picture
}

// search lists what the words could mean, to be added, put into a wire, or put in
// a node's place. What would be refused stands last, and pale.
func (v *Server) search(c *echo.Context) error {
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	from, to, replace := c.QueryParam("from"), c.QueryParam("to"), c.QueryParam("replace")
	make := func(kind string) (string, *project.Edit, error) {
		e := &project.Edit{Op: "node.add", Kind: kind, From: from, To: to, Look: d.Look.ID}
		pairs := []any{"kind", kind, "from", from, "to", to}
		if replace != "" {
			e = &project.Edit{Op: "node.replace", Kind: kind, Node: replace, Look: d.Look.ID}
			pairs = []any{"kind", kind, "node", replace}
		}
		if d.Group != nil {
			e.Group = d.Group.ID
		}
		text, err := d.Vals(e.Op, pairs...)
		return text, e, err
	}
	var out []result
	add := func(s *network.Spec, key string, edit string, e *project.Edit) {
		_, err := d.Project.Clone().Apply(e)
		out = append(out, result{s.Name, s.Family, s.Purpose, edit, err == nil, key})
	}
	query := c.QueryParam("q")
	for _, k := range cat.Search(query) {
		if k.Spec.Kind == network.FinishKind {
			continue
		}
		text, e, err := make(k.Spec.Kind)
		if err != nil {
			return err
		}
		add(&k.Spec, k.Spec.Kind, text, e)
	}
	for i := range d.Project.Groups {
		g := &d.Project.Groups[i]
		if !matches(query, "group "+g.Name+" "+g.Note) || d.Group != nil && d.Group.ID == g.ID {
			continue
		}
		text, e, err := make(network.GroupPrefix + g.ID)
		if err != nil {
			return err
		}
		add(d.Cat.Spec(network.GroupPrefix+g.ID), g.ID, text, e)
	}
	if replace == "" {
		kept, err := v.store.Library(c.Request().Context(), "group")
		if err != nil {
			return err
		}
		for _, e := range kept {
			if !matches(query, "group library "+e.Name) {
				continue
			}
			text, err := d.Vals("group.bring", "from", from, "to", to, "kind", libraryPrefix+e.ID)
			if err != nil {
				return err
			}
			out = append(out, result{e.Name, "group", "From the library: comes into this project.", text, true, e.ID})
		}
	}
	slices.SortStableFunc(out, func(a, b result) int {
		switch {
		case a.Fits == b.Fits:
			return 0
		case a.Fits:
			return -1
		}
		return 1
	})
	return v.render(c, http.StatusOK, "results", out)
}

func matches(query, text string) bool {
	text = strings.ToLower(text)
	for _, w := range strings.Fields(strings.ToLower(query)) {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

// Source is an output that an input could be wired to.
type Source struct {
	Ref, Name, Port string
	How             string // the conversion, "" for none
	Wired           bool
}

// Sources lists what an input could be fed with, without closing a circle.
func (d *desk) Sources(id, key string) []Source {
	dst := d.Net.Node(id)
	if dst == nil {
		return nil
	}
	in := d.Cat.Of(dst).Input(key)
	if in == nil {
		return nil
	}
	below := d.Net.Readers(id)
	var out []Source
	for i := range d.Net.Nodes {
		n := &d.Net.Nodes[i]
		if below[n.ID] {
			continue
		}
		for _, o := range d.Cat.Of(n).Outputs {
			how, ok := network.Convert(o.Type, in.Type)
			if !ok && d.Cat.Of(dst).Adapts == "" {
				continue
			}
			ref := network.Ref{Node: n.ID, Port: o.Key}
			out = append(out, Source{ref.String(), n.Title(d.Cat), o.Name, how, slices.Contains(dst.In[key].Wires, ref)})
		}
	}
	return out
}

// Feeds names what an input is fed by, one for each wire.
func (d *desk) Feeds(n *network.Node, key string) []Source {
	var out []Source
	p := d.Cat.Of(n).Input(key)
	for _, w := range n.In[key].Wires {
		src := d.Net.Node(w.Node)
		if src == nil || p == nil {
			continue
		}
		s := Source{Ref: w.String(), Name: src.Title(d.Cat), Wired: true}
		if o := d.Cat.Of(src).Output(w.Port); o != nil {
			s.Port = o.Name
			s.How, _ = network.Convert(o.Type, p.Type)
		}
		out = append(out, s)
	}
	return out
}

// sources shows the picker for an input.
func (v *Server) sources(c *echo.Context) error {
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	to := network.ParseRef(c.QueryParam("to"))
	n := d.Net.Node(to.Node)
	if n == nil || d.Cat.Of(n).Input(to.Port) == nil {
		return store.ErrNotFound
	}
	p := d.Cat.Of(n).Input(to.Port)
	query := c.QueryParam("q")
	list := slices.DeleteFunc(d.Sources(to.Node, to.Port), func(s Source) bool { return !matches(query, s.Name+" "+s.Port) })
	slices.SortStableFunc(list, func(a, b Source) int { // a node of that name before an output of that name
		switch x, y := matches(query, a.Name), matches(query, b.Name); {
		case x == y:
			return 0
		case x:
			return -1
		}
		return 1
	})
	return v.render(c, http.StatusOK, "picker", map[string]any{"Desk": d, "To": to.String(), "Title": n.Title(d.Cat), "Port": p, "Wired": len(n.In[to.Port].Wires) > 0, "Sources": list})
}

// panels names the panels that may be asked for.
var panels = map[string]bool{"top": true, "network": true, "list": true, "front": true, "colours": true, "bench": true, "stage": true, "hint": true, "worn": true}

func (v *Server) panel(c *echo.Context) error {
	name := c.Param("panel")
	if !panels[name] {
		return echo.ErrNotFound
	}
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, name, d)
}

package page

import (
	"fmt"
	"strings"
	"sync"

	"mobanta/core/color"
	"mobanta/core/layout"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/store"
)

var sizes = layout.Sizes{CardW: 176, CardH: 58, PortW: 64, OutW: 86, GapX: 12, GapY: 14, Port: 18, Out: 30, Lane: 6, Title: 18}

// Desk is what the desk's templates show.
type Desk struct {
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
	Section *network.Section            // the chosen one, in place of a node
	Light   string                      // the light that the light tools move
	lay     func() layout.Layout        // of the network that is open; it is made when it is asked for
	read    func() map[network.Ref]bool // the outputs that something reads
	Solids  []mesh.Solid
	Edges   []color.Edge
	Kept    bool              // whether there is a picture of the project to be shown until one is drawn
	Have    map[string]string // cards that the page has, by their stamps
}

// crumb is one step on the way into groups.
type crumb struct{ Path, Name string }

// Asked is what a request asks of the desk; what is not there, or is left out, is chosen
// for it.
type Asked struct {
	Look, Path, Node, Light string
	Cards                   string // those that the page has: "n5=stamp n6=stamp"
}

// Desk returns what the desk of a project shows; store.ErrNotFound if it has no look.
func (p *Pages) Desk(st *store.State, a Asked) (*Desk, error) {
	now := st.Project.Moment() // what moves is shown as it is at the moment
	d := &Desk{Title: now.Name, State: st, Project: now, Solids: mesh.Solids, Edges: color.Edges, Cat: now.Catalogue()}
	if d.Look = now.Look(a.Look); d.Look == nil && len(now.Looks) > 0 {
		d.Look = &now.Looks[0]
	}
	if d.Look == nil {
		return nil, store.ErrNotFound
	}
	d.enter(a.Path)
	if d.Section = d.Net.Section(a.Node); d.Section == nil {
		d.choose(a.Node)
	}
	if len(st.Project.Stage.Lights) > 0 {
		d.Light = st.Project.Stage.Lights[0].ID
		for _, s := range st.Project.Stage.Lights {
			if s.ID == a.Light {
				d.Light = s.ID
			}
		}
	}
	d.Have = map[string]string{}
	for _, e := range strings.Split(a.Cards, " ") {
		if id, stamp, ok := strings.Cut(e, "="); ok {
			d.Have[id] = stamp
		}
	}
	d.read = sync.OnceValue(d.Net.Read)
	d.lay = sync.OnceValue(func() layout.Layout { return p.layouts.lay(st.ID+"/"+d.Look.ID+"/"+d.Path, d.Net, d.Cat) })
	return d, nil
}

// enter opens the groups along a path, as far as they are there.
func (d *Desk) enter(path string) {
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
func (d *Desk) choose(id string) {
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
func (d *Desk) Lay() layout.Layout { return d.lay() }

// Vals returns the fields of an edit on the network that is open, as JSON.
func (d *Desk) Vals(op string, pairs ...any) (string, error) {
	all := append([]any{"op", op}, pairs...)
	if d.Group != nil {
		all = append(all, "group", d.Group.ID)
	} else {
		all = append(all, "look", d.Look.ID)
	}
	return vals(all...)
}

// Uses tells where the open group is used, in words.
func (d *Desk) Uses() string {
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

// StripView is how the bench shows the chosen node at its true size.
type StripView struct{ Class, Says, Hint, Left, Caption, Right string }

// Strip returns how the bench shows the chosen node at its true size; nil if it does not.
func (d *Desk) Strip() *StripView {
	if d.Node == nil {
		return nil
	}
	switch node.StripOf(d.Node) {
	case node.OnLength:
		return &StripView{"is-length", "at its size, on a strip as long as the model", "A size of 0.1 is one mark", "0", "as long as the model, a tenth from mark to mark", "1"}
	case node.OnPage:
		return &StripView{"is-page", "over all tones from dark to light, as large as in the picture", "Marks are tenths of the tone", "0", "all tones, as large as in the picture" + d.perInch(), "1"}
	case node.OnStroke:
		return &StripView{"is-stroke", "a straight stroke, a curve and a corner of each kind of line, as large as in the picture", "In the order of the pens below", "", "each pen, as large as in the picture" + d.onPaper(), ""}
	}
	return nil
}

// perInch says how fine a pattern is on paper, if the picture's height were that of a comic page.
func (d *Desk) perInch() string {
	key := node.ConcernsOf(d.Node).Printed
	p := d.Cat.Of(d.Node).Input(key)
	if p == nil || len(d.Node.In[key].Wires) > 0 {
		return ""
	}
	v, ok := d.Node.Constant(p).(float64)
	if !ok {
		return ""
	}
	return fmt.Sprintf(" · %.0f lines an inch where it is %g inches high", v/pageInches, float64(pageInches))
}

// onPaper says how wide a line is on paper, if the picture's height were that of a comic page.
func (d *Desk) onPaper() string {
	p := d.Cat.Of(d.Node).Input("width")
	if p == nil || len(d.Node.In["width"].Wires) > 0 {
		return ""
	}
	v, ok := d.Node.Constant(p).(float64)
	if !ok {
		return ""
	}
	return fmt.Sprintf(" · %.2g mm where it is %g inches high", v/1000*pageInches*25.4, float64(pageInches))
}

// pageInches is how high a picture is taken to be on paper, until a project says so itself.
const pageInches = 6

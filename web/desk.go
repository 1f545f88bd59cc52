package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"mobanta/core/color"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/store"
)

const cardW, cardH = 76, 62

var sizes = network.Sizes{CardW: 172, CardH: 64, PortW: 56, PortInset: 30, GapX: 20, GapY: 18, Port: 14, Lane: 7}

var cat node.Catalogue

// desk is what the desk's templates show.
type desk struct {
	Title   string
	State   *store.State
	Project *project.Project
	Look    *project.Look
	Node    *network.Node
	Kind    *node.Kind
	Sun     string // the sun that the light tools move
	Lay     network.Layout
	Solids  []mesh.Solid
	Edges   []color.Edge
}

func (v *Server) deskData(c *echo.Context) (*desk, error) {
	st, err := v.store.Load(c.Request().Context(), c.Param("id"))
	if err != nil {
		return nil, err
	}
	d := &desk{Title: st.Project.Name, State: st, Project: st.Project, Solids: mesh.Solids, Edges: color.Edges}
	if d.Look = st.Project.Look(c.QueryParam("look")); d.Look == nil && len(st.Project.Looks) > 0 {
		d.Look = &st.Project.Looks[0]
	}
	if d.Look == nil {
		return nil, store.ErrNotFound
	}
	if d.Node = d.Look.Node(c.QueryParam("node")); d.Node == nil {
		// What is touched most: the first ramp, else the end.
		for i := range d.Look.Nodes {
			if d.Look.Nodes[i].Kind == "ramp" {
				d.Node = &d.Look.Nodes[i]
				break
			}
		}
		if d.Node == nil {
			d.Node = d.Look.Finish()
		}
	}
	d.Kind = cat.Kind(d.Node.Kind)
	if len(st.Project.Stage.Suns) > 0 {
		d.Sun = st.Project.Stage.Suns[0].ID
		for _, s := range st.Project.Stage.Suns {
			if s.ID == c.QueryParam("sun") {
				d.Sun = s.ID
			}
		}
	}
	d.Lay = d.Look.Network.Lay(cat, sizes)
	return d, nil
}

func (v *Server) desk(c *echo.Context) error {
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	return v.render(c, http.StatusOK, "desk.html", d)
}

// result is a kind of node that a search has found.
type result struct {
	Kind *node.Kind
	Fits bool // whether it can stand where it was asked for
}

func (v *Server) search(c *echo.Context) error {
	d, err := v.deskData(c)
	if err != nil {
		return err
	}
	from, to := c.QueryParam("from"), c.QueryParam("to")
	var out []result
	for _, k := range cat.Search(c.QueryParam("q")) {
		if k.Spec.Kind == network.FinishKind && d.Look.Finish() != nil {
			continue
		}
		// Try it on a copy: what would be refused is shown, but pale.
		p := d.Project.Clone()
		_, err := p.Apply(&project.Edit{Op: "node.add", Look: d.Look.ID, Kind: k.Spec.Kind, From: from, To: to})
		out = append(out, result{k, err == nil})
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
	return v.render(c, http.StatusOK, "results", map[string]any{"Look": d.Look, "Results": out, "From": from, "To": to})
}

// Source is an output that an input could be wired to.
type Source struct {
	Ref   string
	Name  string
	How   string // the conversion, "" for none
	Wired bool
}

// sources lists what the input of a node could be fed with, without cycles.
func sources(l *project.Look, id, key string) []Source {
	dst := l.Node(id)
	in := cat.Spec(dst.Kind).Input(key)
	var out []Source
	for i := range l.Nodes {
		d := &l.Nodes[i]
		for _, o := range cat.Spec(d.Kind).Outputs {
			how, ok := network.Convert(o.Type, in.Type)
			if !ok || d.ID == id {
				continue
			}
			ref := network.Ref{Node: d.ID, Port: o.Key}
			wired := slices.Contains(dst.In[key].Wires, ref)
			if !wired {
				try := l.Network.Clone()
				if try.Connect(cat, ref, network.Ref{Node: id, Port: key}) != nil {
					continue
				}
			}
			name := d.Title(cat) + " · " + o.Name
			out = append(out, Source{ref.String(), name, how, wired})
		}
	}
	return out
}

// brief says what matters of a node in a few words, for its card.
func brief(d *network.Node) string {
	k := cat.Kind(d.Kind)
	val := func(key string) any { return d.Value(k.Setting(key)) }
	constant := func(key string) string {
		if len(d.In[key].Wires) > 0 {
			return "wired"
		}
		f, _ := d.Constant(k.Input(key)).(float64)
		return number(f)
	}
	choice := func(key string) string {
		s := k.Setting(key)
		for _, o := range s.Choices {
			if o.Key == val(key) {
				return o.Name
			}
		}
		return ""
	}
	switch d.Kind {
	case "ramp":
		n := len(val("stops").([]color.Stop))
		if n == 1 {
			return "1 band"
		}
		return fmt.Sprintf("%d bands", n)
	case "soft-step":
		return "at " + constant("threshold")
	case "highlight":
		return "rough " + number(val("roughness").(float64))
	case "colour":
		return val("colour").(color.C).Hex()
	case "blend":
		return choice("mode")
	case "outline":
		return "below " + constant("thickness")
	case "edge-lines":
		return "width " + constant("width")
	case "diffuse-light":
		if val("shadows").(bool) {
			return "with shadows"
		}
		return "no shadows"
	}
	if len(k.Settings) > 0 && k.Settings[0].Type == network.Choice {
		return choice(k.Settings[0].Key)
	}
	return ""
}

// number prints a number as it is shown in a field: three decimals at most.
func number(v any) string {
	f := 0.0
	switch v := v.(type) {
	case float64:
		f = v
	case float32:
		f = float64(v)
	}
	s := strconv.FormatFloat(math.Round(f*1000)/1000, 'f', -1, 64)
	if s == "-0" {
		return "0"
	}
	return s
}

// describe tells in a sentence what a node is and reads: the text alternative of
// its card.
func describe(l *project.Look, d *network.Node) string {
	k := cat.Kind(d.Kind)
	out := d.Title(cat)
	if d.Name != "" {
		out += ", " + k.Name
	}
	if b := brief(d); b != "" {
		out += ", " + b
	}
	for _, p := range k.Inputs {
		for _, w := range d.In[p.Key].Wires {
			if src := l.Node(w.Node); src != nil {
				out += "; " + p.Name + " from " + src.Title(cat)
			}
		}
	}
	return out
}

// wirePath draws a wire as an SVG path with rounded corners.
func wirePath(points [][2]int) string {
	const radius = 5
	var b strings.Builder
	for i, p := range points {
		if i == 0 {
			fmt.Fprintf(&b, "M%d %d", p[0], p[1])
			continue
		}
		if i == len(points)-1 {
			fmt.Fprintf(&b, "L%d %d", p[0], p[1])
			continue
		}
		prev, next := points[i-1], points[i+1]
		short := func(a, b [2]int) (x, y float64) {
			dx, dy := float64(b[0]-a[0]), float64(b[1]-a[1])
			d := math.Hypot(dx, dy)
			if d == 0 {
				return float64(a[0]), float64(a[1])
			}
			r := min(radius, d/2)
			return float64(a[0]) + dx/d*r, float64(a[1]) + dy/d*r
		}
		x0, y0 := short(p, prev)
		x1, y1 := short(p, next)
		fmt.Fprintf(&b, "L%.1f %.1fQ%d %d %.1f %.1f", x0, y0, p[0], p[1], x1, y1)
	}
	return b.String()
}

// band is a band of a ramp on the strip.
type band struct {
	Index       int
	Stop        color.Stop
	Hex         string
	From, Width float64 // percent
	CSS         template.CSS
}

// bands returns the bands of a ramp, left to right; the strip is drawn with the
// ramp itself in small steps, so that soft edges show as they are.
func bands(d *network.Node) []band {
	k := cat.Kind(d.Kind)
	stops := d.Value(k.Setting("stops")).([]color.Stop)
	out := make([]band, len(stops))
	for i, s := range stops {
		end := float32(1)
		if i+1 < len(stops) {
			end = stops[i+1].At
		}
		at := s.At
		if i == 0 {
			at = 0
		}
		out[i] = band{Index: i, Stop: s, Hex: s.Color.Hex(), From: 100 * float64(at), Width: 100 * float64(end-at)}
	}
	return out
}

// strip returns the ramp as a CSS gradient.
func strip(d *network.Node) template.CSS {
	k := cat.Kind(d.Kind)
	stops := d.Value(k.Setting("stops")).([]color.Stop)
	r := color.NewRamp(stops, color.Mixing(d.Value(k.Setting("mixing")).(string)))
	var parts []string
	put := func(t float64) { parts = append(parts, fmt.Sprintf("%s %.3f%%", r.At(float32(t)).Hex(), 100*t)) }
	put(0)
	for i, s := range stops {
		at := float64(s.At)
		switch s.Edge {
		case color.Linear, color.Smooth, color.Ease, color.Soft:
			from, to := at, at
			if s.Edge == color.Soft {
				from, to = at-float64(s.Softness)/2, at+float64(s.Softness)/2
			} else if i > 0 {
				from = float64(stops[i-1].At)
			}
			for k := range 17 {
				if t := from + (to-from)*float64(k)/16; t >= 0 && t <= 1 {
					put(t)
				}
			}
		default:
			if at > 0 {
				parts = append(parts, fmt.Sprintf("%s %.3f%%", r.At(math.Nextafter32(s.At, 0)).Hex(), 100*at))
			}
			put(at)
		}
	}
	put(1)
	// Built from hex colours and numbers alone.
	return template.CSS("linear-gradient(to right," + strings.Join(parts, ",") + ")")
}

// partRow is a part of a model in the stage tab.
type partRow struct{ Name, Look string }

func parts(m *stage.Model) []partRow {
	var out []partRow
	for name, look := range m.Looks {
		out = append(out, partRow{name, look})
	}
	slices.SortFunc(out, func(a, b partRow) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// functions are what templates may call.
func (v *Server) functions() template.FuncMap {
	return template.FuncMap{
		"asset": func(name string) string { return "/static/" + name + "?v=" + v.stamps[name] },
		"vals": func(pairs ...any) (string, error) {
			m := map[string]any{}
			for i := 0; i+1 < len(pairs); i += 2 {
				m[fmt.Sprint(pairs[i])] = pairs[i+1]
			}
			data, err := json.Marshal(m)
			return string(data), err
		},
		"title":    func(d *network.Node) string { return d.Title(cat) },
		"kind":     func(d *network.Node) *node.Kind { return cat.Kind(d.Kind) },
		"brief":    brief,
		"describe": describe,
		"num":      number,
		"path":     wirePath,
		"sources":  sources,
		"bands":    bands,
		"strip":    strip,
		"parts":    parts,
		"value":    func(d *network.Node, s network.Setting) any { return d.Value(&s) },
		"constant": func(d *network.Node, p network.Port) any { return d.Constant(&p) },
		"wired":    func(d *network.Node, key string) bool { return len(d.In[key].Wires) > 0 },
		"hex": func(v any) string {
			if c, ok := v.(color.C); ok {
				return c.Hex()
			}
			return "#000000"
		},
		"has": func(list any, s string) bool {
			l, _ := list.([]string)
			return slices.Contains(l, s)
		},
		"without": func(list any, s string) (string, error) { // the list with s taken out or put in, as JSON
			l, _ := list.([]string)
			out := slices.DeleteFunc(slices.Clone(l), func(e string) bool { return e == s })
			if len(out) == len(l) {
				out = append(out, s)
			}
			data, err := json.Marshal(out)
			return string(data), err
		},
		"portX":  func(i int) int { return sizes.PortInset + i*sizes.PortW - sizes.PortW/2 + 1 },
		"sizes":  func() network.Sizes { return sizes },
		"vec":    func(a [3]float32) string { return number(a[0]) + ", " + number(a[1]) + ", " + number(a[2]) },
		"node":   func(l *project.Look, id string) *network.Node { return l.Node(id) },
		"add":    func(a, b int) int { return a + b },
		"other":  func(b bool) bool { return !b },
		"family": func(k *node.Kind) string { return k.Family },
		"icon":   icon,
	}
}

package page

import (
	"cmp"
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/delivery"
	"mobanta/core/formula"
	"mobanta/core/layout"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/move"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/press"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

var cat node.Catalogue

// Brief says what matters of a node in a few words, for its card.
func (d *Desk) Brief(n *network.Node) string {
	if g := d.Cat.GroupOf(n); g != nil {
		return counted(len(g.Nodes), "node")
	}
	return cat.Brief(&node.About{Node: n, Spec: d.Cat.Of(n), Light: func(id string) string {
		for i := range d.Project.Stage.Lights {
			if l := &d.Project.Stage.Lights[i]; l.ID == id {
				return l.Name
			}
		}
		return ""
	}})
}

var counted = node.Counted

// number prints a number as it is shown in a field.
func number(v any) string {
	switch v := v.(type) {
	case float64:
		return node.Short(v)
	case float32:
		return node.Short(float64(v))
	case int:
		return node.Short(float64(v))
	}
	return "0"
}

// Describe tells in a sentence what a node is and reads: the text alternative of
// its card.
func (d *Desk) Describe(n *network.Node) string {
	spec := d.Cat.Of(n)
	out := n.Title(d.Cat) // then as the card shows it: who speaks to a machine says what is seen
	if n.Name != "" {
		out += ", " + spec.Name
	} else {
		out += ", " + spec.Family
	}
	if n.Off {
		out += ", bypassed"
	} else if b := d.Brief(n); b != "" {
		out += ", " + b
	}
	for _, p := range spec.Inputs {
		for _, f := range d.Feeds(n, p.Key) {
			out += "; " + p.Name + " from " + f.Name
		}
	}
	return out
}

// Main names the output whose picture a card shows: the first that is read, or
// else the first; "ID." for Finish.
func (d *Desk) Main(id string) string {
	n := d.Net.Node(id)
	if n == nil {
		return ""
	}
	outs := d.Cat.Of(n).Outputs
	if len(outs) == 0 {
		return id + "."
	}
	for _, o := range outs {
		if ref := (network.Ref{Node: id, Port: o.Key}); d.read()[ref] {
			return ref.String()
		}
	}
	return id + "." + outs[0].Key
}

// MainOf is Main for a card, which may be a folded section's.
func (d *Desk) MainOf(c layout.Card) string {
	if !c.Folded {
		return d.Main(c.ID)
	}
	if len(c.Outs) > 0 {
		return c.Outs[0].Ref.String()
	}
	if s := d.Net.Section(c.ID); s != nil && len(s.Nodes) > 0 {
		return d.Main(s.Nodes[len(s.Nodes)-1])
	}
	return ""
}

// row is a line of the list of a network.
type row struct {
	Depth int
	Node  *network.Node
	Port  string // of the reader that it feeds, "" at the top
	Again bool   // it stands in full further up
}

// Rows returns the network as an indented list: what Finish reads stands under
// it, and so on; what nothing reads stands at the end.
func (d *Desk) Rows() []row {
	var out []row
	seen := map[string]bool{}
	var walk func(n *network.Node, depth int, port string)
	walk = func(n *network.Node, depth int, port string) {
		out = append(out, row{depth, n, port, seen[n.ID]})
		if seen[n.ID] {
			return
		}
		seen[n.ID] = true
		for _, p := range d.Cat.Of(n).Inputs {
			for _, w := range n.In[p.Key].Wires {
				if src := d.Net.Node(w.Node); src != nil {
					walk(src, depth+1, p.Name)
				}
			}
		}
	}
	read := map[string]bool{}
	for ref := range d.read() {
		read[ref.Node] = true
	}
	if end := d.Net.Finish(); end != nil {
		walk(end, 0, "")
	}
	for i := range d.Net.Nodes {
		if n := &d.Net.Nodes[i]; !read[n.ID] && !seen[n.ID] {
			walk(n, 0, "")
		}
	}
	return out
}

// field is an input or a setting as the bench and the front show it.
type field struct {
	Desk    *Desk
	Node    *network.Node
	Input   *network.Port    // or
	Setting *network.Setting // one of both
	Name    string
	Key     string
	Dial    string // id of the dial that it is, "" on the bench
}

// Inputs returns the inputs of the chosen node that are not shown in the rows of one
// of its lists.
func (d *Desk) Inputs() []field {
	var out []field
	listed := d.Node.Listed(d.Spec)
	for i := range d.Spec.Inputs {
		p := &d.Spec.Inputs[i]
		if listed[p.Key] {
			continue
		}
		out = append(out, field{Desk: d, Node: d.Node, Input: p, Name: p.Name, Key: p.Key})
	}
	return out
}

// Parts returns the settings of the chosen node that have a part of the bench to
// themselves, such as a ramp or a list.
func (d *Desk) Parts() (out []field) {
	for i := range d.Spec.Settings {
		if s := &d.Spec.Settings[i]; s.Type.Part() {
			out = append(out, field{Desk: d, Node: d.Node, Setting: s, Name: s.Name, Key: s.Key})
		}
	}
	return out
}

// Of returns the first setting of a type of the chosen node, nil for none.
func (d *Desk) Of(t network.SettingType) *network.Setting {
	for i := range d.Spec.Settings {
		if s := &d.Spec.Settings[i]; s.Type == t {
			return s
		}
	}
	return nil
}

// LiveSetting returns the setting that names the live one of the chosen node's choices,
// nil where none is.
func (d *Desk) LiveSetting() *network.Setting {
	for i := range d.Spec.Settings {
		if s := &d.Spec.Settings[i]; s.Live {
			return s
		}
	}
	return nil
}

// LiveChoice returns the live one of the chosen node's choices, "" where none is.
func (d *Desk) LiveChoice() string {
	if s := d.LiveSetting(); s != nil {
		return d.Node.Value(s).(string)
	}
	return ""
}

// Settings returns the settings of the chosen node that are fields.
func (d *Desk) Settings() []field {
	var out []field
	listed := d.Node.Listed(d.Spec)
	for i := range d.Spec.Settings {
		s := &d.Spec.Settings[i]
		if s.Type.Part() || listed[s.Key] {
			continue
		}
		out = append(out, field{Desk: d, Node: d.Node, Setting: s, Name: s.Name, Key: s.Key})
	}
	return out
}

// Input returns the field of one input of the chosen node, under a name that
// suits the place.
func (d *Desk) Input(key, name string) field {
	p := d.Spec.Input(key)
	if p == nil {
		return field{}
	}
	return field{Desk: d, Node: d.Node, Input: p, Name: name, Key: p.Key}
}

// Dials returns the fields of the look's front.
func (d *Desk) Dials() []field {
	var out []field
	n := &d.Look.Network
	whole := *d
	whole.Net, whole.Group, whole.Path = n, nil, ""
	for _, l := range n.Dials {
		f := field{Desk: &whole, Node: n.Node(l.Node), Name: l.Name, Key: l.Key, Dial: l.ID}
		if f.Node == nil {
			continue
		}
		spec := d.Cat.Of(f.Node)
		if s := spec.Setting(l.Key); s != nil {
			c := *s
			if l.Min < l.Max && c.Type == network.Number {
				c.Min, c.Max = max(c.Min, l.Min), min(c.Max, l.Max)
			}
			f.Setting = &c
		} else if p := spec.Input(l.Key); p != nil {
			c := *p
			if l.Min < l.Max {
				c.Min, c.Max = l.Min, l.Max
			}
			f.Input = &c
		} else {
			continue
		}
		out = append(out, f)
	}
	return out
}

// Range returns the range of a dial's slider.
func (f field) Range() [2]float64 {
	if f.Setting != nil {
		return [2]float64{f.Setting.Min, f.Setting.Max}
	}
	return [2]float64{f.Input.Min, f.Input.Max}
}

// Numeric tells whether a field holds a number.
func (f field) Numeric() bool {
	return f.Setting != nil && f.Setting.Type == network.Number || f.Input != nil && f.Input.Type == network.Tone
}

// Wired tells whether an input is fed by a wire.
func (f field) Wired() bool { return f.Input != nil && len(f.Node.In[f.Key].Wires) > 0 }

// Value returns the value of a setting or of an unwired input.
func (f field) Value() any {
	if f.Setting != nil {
		return f.Node.Value(f.Setting)
	}
	return f.Node.Constant(f.Input)
}

// Feeds names what feeds the input.
func (f field) Feeds() []Source { return f.Desk.Feeds(f.Node, f.Key) }

// Vals returns the edit that sets the field, as JSON without its value.
func (f field) Vals(pairs ...any) (string, error) {
	op := "node.set"
	if f.Input != nil {
		op = "node.input"
	}
	return f.Desk.Vals(op, append([]any{"node", f.Node.ID, "key", f.Key}, pairs...)...)
}

// Swatch returns the name of the project's swatch that the colour follows, ""
// for none.
func (f field) Swatch() string { return f.Desk.SwatchOf(f.Node.Swatches[f.Key]) }

// Ranged tells whether an input of the open group is a number with a slider.
func (d *Desk) Ranged(key string) bool {
	s := d.Cat.Spec(network.GroupPrefix + d.Group.ID)
	p, v := s.Input(key), s.Setting(key)
	return p != nil && p.Type == network.Tone || v != nil && v.Type == network.Number
}

// SwatchOf returns the name of a swatch, "" for none.
func (d *Desk) SwatchOf(id string) string {
	w := d.Project.Swatch(id)
	switch {
	case w == nil:
		return ""
	case w.Name == "":
		return w.Color.Hex()
	}
	return w.Name
}

// Exposed names what the open group shows of a node's input or setting outside,
// "" for nothing.
func (f field) Exposed() string {
	if f.Desk.Group == nil {
		return ""
	}
	for _, e := range f.Desk.Group.Inputs {
		if slices.Contains(e.To, network.Ref{Node: f.Node.ID, Port: f.Key}) {
			return e.Name
		}
	}
	return ""
}

// OnFront tells whether the look's front has it.
func (f field) OnFront() bool {
	return slices.ContainsFunc(f.Desk.Net.Dials, func(l network.Dial) bool { return l.Node == f.Node.ID && l.Key == f.Key })
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

func vals(pairs ...any) (string, error) {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	data, err := json.Marshal(m)
	return string(data), err
}

// hex returns the swatch of a colour as a template holds it.
func hex(v any) string {
	if c, ok := v.(color.C); ok {
		return c.Hex()
	}
	return "#000000"
}

// components returns the three numbers of a vector as they are typed.
func components(v any) string {
	switch v := v.(type) {
	case [3]float64:
		return number(v[0]) + ", " + number(v[1]) + ", " + number(v[2])
	case vec.V:
		return number(v[0]) + ", " + number(v[1]) + ", " + number(v[2])
	}
	return ""
}

// points prints the corners of a polygon for SVG.
func points(list [][2]int) string {
	var b strings.Builder
	for _, p := range list {
		fmt.Fprintf(&b, "%d,%d ", p[0], p[1])
	}
	return b.String()
}

// functions are what templates may call.
func (p *Pages) functions() template.FuncMap {
	all := template.FuncMap{
		"asset":         func(name string) string { return "/static/" + name + "?v=" + p.stamps[name] },
		"program":       p.Program,
		"vals":          vals,
		"here":          here,
		"weighing":      weighing,
		"travels":       node.Catalogue{}.Travels,
		"orderIcon":     func(k delivery.Kind) string { return orderables[k].icon },
		"num":           number,
		"wire":          wire,
		"card":          p.card,
		"inPort":        inPort,
		"outPort":       outPort,
		"points":        points,
		"parts":         parts,
		"partID":        stage.PartID,
		"blobKinds":     func() any { return project.BlobKinds },
		"springNumbers": springNumbers,
		"gradeNumbers":  gradeNumbers,
		"gradeCurves":   gradeCurves,
		"stripText":     stripText,
		"lightKinds":    func() []light.Kind { return light.Kinds },
		"lightKind":     project.KindName,
		"hex":           hex,
		"components":    components,
		"functions": func() string {
			var names []string
			for _, f := range formula.Functions() {
				names = append(names, f.Name)
			}
			return strings.Join(names, " ")
		},
		"commands":     commands,
		"modes":        func() []color.Mode { return color.Modes },
		"add":          func(a, b int) int { return a + b },
		"minus":        func(v any) float64 { f, _ := v.(float64); return -f },
		"mul":          func(a, b int) int { return a * b },
		"subdivisions": func() []string { return []string{"not", "once", "twice", "3 times", "4 times"} },
		"other":        func(b bool) bool { return !b },
		"mendFaces":    func(now mesh.Mends) mending { faces, _ := mendings(now); return faces },
		"mendEach":     func(now mesh.Mends) []mending { _, each := mendings(now); return each },
		"counted":      counted,
		"long":         long,
		"modules": func() []string {
			return []string{"studio", "live", "picture", "ramp", "network", "scrub", "actions", "dialogs", "lists", "formula", "trail", "checks", "save", "drag", "keys", "loupe", "time"}
		},
		"icon":    p.icon,
		"maxName": func() int { return names.MaxName },
		"maxNote": func() int { return names.MaxNote },
	}
	for _, of := range []template.FuncMap{pressFunctions, stageFunctions, listFunctions} {
		maps.Copy(all, of)
	}
	return all
}

// pressFunctions are those of the press.
var pressFunctions = template.FuncMap{
	"pressSets":  func() []press.Set { return press.Sets },
	"pressSpots": func() any { return press.Spots },
	"pressNumbers": func(k press.Press) []pressNumber {
		return []pressNumber{
			{"tooth", "tooth", "", "How much less ink the paper takes in its hollows", k.Tooth, 0, 1, 0},
			{"gain", "gain", "", "By how much half tones come out fuller", k.Gain, 0, 0.5, 0},
			{"slip", "slip", "‰", "How far plates lie off the first one, in thousandths of the picture's height", k.Slip, 0, 10, 0},
			{"rough", "rough", "", "How uneven the edges of ink are", k.Rough, 0, 1, 0},
			{"limit", "limit", "layers", "Of all inks upon each other; 0 for none", k.Limit, 0, press.MaxInks, 0}}
	},
	"inkNumbers": func(k press.Ink) []pressNumber {
		return []pressNumber{
			{"opacity", "opacity", "", "0 lets through what it does not swallow, 1 covers what lies below", k.Opacity, 0, 1, 0},
			{"density", "density", "", "Cells in the height of the picture", k.Density, 5, 200, 60},
			{"angle", "angle", "°", "Of its screen", k.Angle, -90, 90, 45}}
	},
}

// stageFunctions are those of backdrops and moves.
var stageFunctions = template.FuncMap{
	"backdropFrom": func(b stage.Backdrop) string {
		return map[stage.Course]string{stage.Flat: "colour", stage.Upward: "bottom", stage.Round: "middle"}[b.Course]
	},
	"backdropTo": func(b stage.Backdrop) string {
		return map[stage.Course]string{stage.Upward: "top", stage.Round: "rim"}[b.Course]
	},
	"white": func(c color.C) color.C {
		if c == (color.C{}) {
			return color.C{1, 1, 1}
		}
		return c
	},
	"ways":  func() any { return move.Ways },
	"holds": func() []string { return []string{"ones", "twos", "threes", "fours"} },
	"times": func(m *move.Move) int { return cmp.Or(m.Times, 1) },
	"timesLeast": func(m *move.Move) int {
		if m.Way == move.Round {
			return -12
		}
		return 1
	},
	"timesHelp": func(m *move.Move) string {
		if m.Way == move.Round {
			return "How often it goes round; below 0 the other way"
		}
		return "How often it does so within its part of the loop"
	},
}

// listFunctions put lists together.
var listFunctions = template.FuncMap{
	"json": func(v any) (string, error) {
		data, err := json.Marshal(v)
		return string(data), err
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
	"dict": func(pairs ...any) map[string]any {
		m := map[string]any{}
		for i := 0; i+1 < len(pairs); i += 2 {
			m[fmt.Sprint(pairs[i])] = pairs[i+1]
		}
		return m
	},
}

// Types lists what an input of a formula may carry.
func (d *Desk) Types() []network.Type {
	return []network.Type{network.Tone, network.Color, network.Vector}
}

// pressNumber is a number of the press or of an ink, as the stage panel shows it.
type pressNumber struct {
	Key, Name, Unit, Help    string
	Value, Min, Max, Default float64
}

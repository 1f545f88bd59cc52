// Package proof makes proof sheets: every combination of a few things that are varied, each a project of its own, in rows
// and columns.
package proof

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/project"
)

// Limits on a sheet.
const (
	MaxAxes   = 3
	MaxCells  = 400
	maxValues = 100 // of one axis
)

// Sheet says what is varied. The first axis runs along the rows, the second down the columns; of a third there is a block
// of rows for each value.
type Sheet struct {
	Axes []Axis `json:"axes"`
}

// Axis is one thing and the values that it takes, as text: numbers, hex colours, keys of choices, ids of stagings.
type Axis struct {
	Of     string   `json:"of"` // see Offer.Of
	Values []string `json:"values"`
}

// UnmarshalJSON reads an axis; in older sheets stagings are called takes.
func (a *Axis) UnmarshalJSON(data []byte) error {
	type plain Axis
	if err := json.Unmarshal(data, (*plain)(a)); err != nil {
		return err
	}
	if a.Of == "takes" {
		a.Of = "stagings"
	}
	return nil
}

// Offer is something that can be varied.
type Offer struct {
	Of    string  // "dial/LOOK/GROUP/NODE/KEY", "swatch/ID", "stagings", "sun/ID"
	Group string  // what it belongs to: "Dials", "Switches"
	Name  string  // "Kettle copper: sheen"
	Kind  Kind    // what its values are
	Now   string  // the value that it has
	Given []Value // those to choose from, or that are offered to begin with
	Unit  string
}

// Kind is what the values of an axis are.
type Kind uint8

// The kinds of values.
const (
	Numbers Kind = iota // written as text
	Colours             // as hex
	Choices             // by key, of those that are given
)

// String returns its name.
func (k Kind) String() string { return names.Nth(int(k), "numbers", "colours", "choices") }

// Value is a value of an axis with its name.
type Value struct{ Key, Name string }

// around is in how many places a light that goes round the clock stands to begin with.
const around = 8

// Offers returns all that can be varied in a project, in the order in which it is offered.
func Offers(p *project.Project) []Offer {
	var out []Offer
	if len(p.Stagings) > 0 {
		o := Offer{Of: "stagings", Group: "Stagings", Name: "Stagings", Kind: Choices}
		for i := range p.Stagings {
			o.Given = append(o.Given, Value{p.Stagings[i].ID, p.Stagings[i].Name})
		}
		out = append(out, o)
	}
	cat := p.Catalogue()
	knobs := p.Knobs()
	slices.SortStableFunc(knobs, func(a, b project.Turned) int { // switches first
		switch {
		case a.Switch && !b.Switch:
			return -1
		case b.Switch && !a.Switch:
			return 1
		}
		return 0
	})
	for _, k := range knobs {
		if o, ok := knob(p, cat, &k); ok {
			out = append(out, o)
		}
	}
	for i := range p.Swatches {
		w := &p.Swatches[i]
		o := Offer{Of: "swatch/" + w.ID, Group: "Swatches", Name: w.Name, Kind: Colours, Now: w.Color.Hex()}
		if o.Name == "" {
			o.Name = o.Now
		}
		for k := range p.Swatches { // the palette
			o.Given = append(o.Given, Value{p.Swatches[k].Color.Hex(), p.Swatches[k].Name})
		}
		out = append(out, o)
	}
	for i := range p.Stage.Lights {
		l := &p.Stage.Lights[i]
		if !l.Kind.Aimed() {
			continue
		}
		o := Offer{Of: "sun/" + l.ID, Group: "Lights round the clock", Name: l.Name, Kind: Numbers, Now: number(l.Azimuth), Unit: "°"}
		for k := range around {
			v := number(float64(k) * 360 / around)
			o.Given = append(o.Given, Value{v, v + "°"})
		}
		out = append(out, o)
	}
	return out
}

func number(f float64) string { return strconv.FormatFloat(f, 'g', 6, 64) }

// knob returns the offer of a dial or a switch; ok is false for one that holds neither a number, a colour nor a choice.
func knob(p *project.Project, cat network.Grouped, k *project.Turned) (o Offer, ok bool) {
	name, n := "", (*network.Network)(nil)
	if k.Group != "" {
		g := cat.Group(k.Group)
		name, n = g.Name, &g.Network
	} else {
		l := p.Look(k.Look)
		name, n = l.Name, &l.Network
	}
	d := n.Node(k.Node)
	spec := cat.Of(d)
	title := d.Title(cat)
	for _, dial := range n.Dials {
		if dial.Node == k.Node && dial.Key == k.Key {
			title = dial.Name
		}
	}
	o = Offer{Of: strings.Join([]string{"dial", k.Look, k.Group, k.Node, k.Key}, "/"), Group: "Dials", Name: name + ": " + title}
	if k.Switch {
		o.Group = "Switches"
	}
	spread := func(v, lo, hi float64) {
		o.Kind, o.Now = Numbers, number(v)
		for _, dial := range n.Dials {
			if dial.Node == k.Node && dial.Key == k.Key && dial.Max > dial.Min {
				lo, hi = dial.Min, dial.Max
			}
		}
		for i := range 4 {
			v := number(lo + (hi-lo)*float64(i)/3)
			o.Given = append(o.Given, Value{v, v})
		}
	}
	if s := spec.Setting(k.Key); s != nil {
		switch v := d.Value(s).(type) {
		case float64:
			o.Unit = s.Unit
			spread(v, s.Min, s.Max)
		case color.C:
			o.Kind, o.Now = Colours, v.Hex()
		case bool:
			o.Kind, o.Now, o.Given = Choices, strconv.FormatBool(v), []Value{{"false", "off"}, {"true", "on"}}
		case string:
			if len(s.Choices) == 0 {
				return o, false
			}
			o.Kind, o.Now = Choices, v
			for _, c := range s.Choices {
				o.Given = append(o.Given, Value{c.Key, c.Name})
			}
		default:
			return o, false
		}
		return o, true
	}
	in := spec.Input(k.Key)
	if in == nil {
		return o, false
	}
	switch v := d.Constant(in).(type) {
	case float64:
		spread(v, in.Min, in.Max)
	case color.C:
		o.Kind, o.Now = Colours, v.Hex()
	default:
		return o, false
	}
	return o, true
}

// Plan is a sheet that fits a project.
type Plan struct {
	Sheet  *Sheet
	offers []Offer // by axis
	p      *project.Project
}

// Plan returns the sheet as it is made of a project, or what is wrong with it.
func (s *Sheet) Plan(p *project.Project) (*Plan, error) {
	if len(s.Axes) < 1 || len(s.Axes) > MaxAxes {
		return nil, fmt.Errorf("proof: a sheet varies one to %d things, not %d", MaxAxes, len(s.Axes))
	}
	offers := Offers(p)
	out := &Plan{Sheet: s, p: p}
	cells := 1
	for i := range s.Axes {
		a := &s.Axes[i]
		k := slices.IndexFunc(offers, func(o Offer) bool { return o.Of == a.Of })
		if k < 0 {
			return nil, errors.New("proof: one of the things that the sheet varies is not there any more: choose it anew")
		}
		o := offers[k]
		if len(a.Values) < 1 || len(a.Values) > maxValues {
			return nil, fmt.Errorf("proof: %s needs 1 to %d values, not %d", o.Name, maxValues, len(a.Values))
		}
		for j := range i {
			if s.Axes[j].Of == a.Of {
				return nil, fmt.Errorf("proof: %s is varied twice", o.Name)
			}
		}
		for _, v := range a.Values {
			if _, err := o.parse(v); err != nil {
				return nil, err
			}
		}
		if cells *= len(a.Values); cells > MaxCells {
			return nil, fmt.Errorf("proof: that would be more than %d pictures: take fewer values", MaxCells)
		}
		out.offers = append(out.offers, o)
	}
	step := 1
	for i := range s.Axes { // each value of each axis can be had
		for k := range s.Axes[i].Values {
			if _, err := out.Cell(k * step); err != nil {
				return nil, err
			}
		}
		step *= len(s.Axes[i].Values)
	}
	return out, nil
}

// Cell returns the project of a cell, or why there is none.
func (s *Sheet) Cell(p *project.Project, cell int) (*project.Project, error) {
	plan, err := s.Plan(p)
	if err != nil {
		return nil, err
	}
	if cell < 0 || cell >= plan.Cells() {
		return nil, errors.New("proof: the sheet has no such picture")
	}
	return plan.Cell(cell)
}

// parse returns a value as an edit has it.
func (o *Offer) parse(v string) (any, error) {
	switch o.Kind {
	case Numbers:
		f, err := strconv.ParseFloat(strings.TrimSpace(v), 64)
		if err != nil {
			return nil, fmt.Errorf("proof: %s: %.20q is not a number", o.Name, v)
		}
		return f, nil
	case Colours:
		if _, err := color.FromAny(v); err != nil {
			return nil, fmt.Errorf("proof: %s: %.20q is not a colour such as #D4843F", o.Name, v)
		}
		return v, nil
	}
	if !slices.ContainsFunc(o.Given, func(g Value) bool { return g.Key == v }) {
		return nil, fmt.Errorf("proof: %s: there is no %.40q to choose", o.Name, v)
	}
	if v == "true" || v == "false" {
		return v == "true", nil
	}
	return v, nil
}

// name returns what a value is called.
func (o *Offer) name(v string) string {
	for _, g := range o.Given {
		if g.Key == v && g.Name != "" {
			return names.Clip(g.Name, 40)
		}
	}
	return v + o.Unit
}

// Columns returns how many cells a row has.
func (p *Plan) Columns() int { return len(p.Sheet.Axes[0].Values) }

// Cells returns how many there are, row by row.
func (p *Plan) Cells() int {
	n := 1
	for i := range p.Sheet.Axes {
		n *= len(p.Sheet.Axes[i].Values)
	}
	return n
}

// Rows returns how many rows there are.
func (p *Plan) Rows() int { return p.Cells() / p.Columns() }

// values returns which value each axis has in a cell.
func (p *Plan) values(cell int) []int {
	out := make([]int, len(p.Sheet.Axes))
	for i := range out {
		n := len(p.Sheet.Axes[i].Values)
		out[i] = cell % n
		cell /= n
	}
	return out
}

// Head names what the columns and the rows vary.
func (p *Plan) Head() (across, down string) {
	var rows []string
	for _, o := range p.offers[1:] {
		rows = append([]string{o.Name}, rows...)
	}
	return p.offers[0].Name, strings.Join(rows, ", ")
}

// Column names a column, Row a row.
func (p *Plan) Column(k int) string { return p.offers[0].name(p.Sheet.Axes[0].Values[k]) }

// Row names a row: the value of the third axis and that of the second.
func (p *Plan) Row(k int) string {
	at := p.values(k * p.Columns())
	var out []string
	for i := len(at) - 1; i > 0; i-- {
		out = append(out, p.offers[i].name(p.Sheet.Axes[i].Values[at[i]]))
	}
	return strings.Join(out, ", ")
}

// Name names a cell: "copper, 0.2".
func (p *Plan) Name(cell int) string {
	out := p.Column(cell % p.Columns())
	if row := p.Row(cell / p.Columns()); row != "" {
		out = row + ", " + out
	}
	return out
}

// Edits returns what makes the project into that of a cell: stagings first, since they hold the rest.
func (p *Plan) Edits(cell int) []project.Edit {
	var stagings, out []project.Edit
	for i, k := range p.values(cell) {
		a, o := &p.Sheet.Axes[i], &p.offers[i]
		v, _ := o.parse(a.Values[k])
		way := strings.Split(a.Of, "/")
		switch way[0] {
		case "stagings":
			stagings = append(stagings, project.Edit{Op: "staging.go", ID: a.Values[k]})
		case "swatch":
			out = append(out, project.Edit{Op: "swatch.set", ID: strings.Join(way[1:], "/"), Key: "color", Value: v})
		case "sun":
			out = append(out, project.Edit{Op: "light.set", ID: strings.Join(way[1:], "/"), Key: "azimuth", Value: v})
		case "dial":
			e := project.Edit{Op: "node.input", Look: way[1], Group: way[2], Node: way[3], Key: way[4], Value: v}
			if d := p.node(way); d != nil && p.p.Catalogue().Of(d).Setting(way[4]) != nil {
				e.Op = "node.set"
			}
			out = append(out, e)
		}
	}
	return append(stagings, out...)
}

// node returns the node whose knob is turned.
func (p *Plan) node(way []string) *network.Node {
	if g := p.p.Catalogue().Group(way[2]); g != nil {
		return g.Node(way[3])
	}
	if l := p.p.Look(way[1]); l != nil {
		return l.Node(way[3])
	}
	return nil
}

// Cell returns the project of a cell.
func (p *Plan) Cell(cell int) (*project.Project, error) {
	q := p.p.Clone()
	for _, e := range p.Edits(cell) {
		if _, err := q.Apply(&e); err != nil {
			return nil, fmt.Errorf("proof: %s: %w", p.Name(cell), err)
		}
	}
	return q, nil
}

// Nearest returns all cells, those nearest to one first: it is looked at.
func (p *Plan) Nearest(to int) []int {
	cols := p.Columns()
	out := make([]int, p.Cells())
	for i := range out {
		out[i] = i
	}
	far := func(c int) int { dx, dy := c%cols-to%cols, c/cols-to/cols; return dx*dx + dy*dy }
	slices.SortStableFunc(out, func(a, b int) int { return far(a) - far(b) })
	return out
}

package project

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"mobanta/core/network"
)

// Lists within a node: the layers of Layers, the choices of a Switch, the inputs
// of a Formula. All are edited in the same way, by the key of the entry.

// entries is one such list, whatever it is of.
type entries interface {
	keys() []string
	add(key, name string) entries
	remove(i int) entries
	move(from, to int) (entries, error)
	set(i int, field string, v any) (entries, error)
	value() any
}

type (
	layerList    []network.Layer
	choiceList   []network.Option
	argumentList []network.Argument
	rowList      []network.Row
)

func listOf(v any) entries {
	switch v := v.(type) {
	case []network.Layer:
		return layerList(v)
	case []network.Option:
		return choiceList(v)
	case []network.Argument:
		return argumentList(v)
	case []network.Row:
		return rowList(v)
	}
	return nil
}

func (l layerList) value() any    { return []network.Layer(l) }
func (l choiceList) value() any   { return []network.Option(l) }
func (l argumentList) value() any { return []network.Argument(l) }
func (l rowList) value() any      { return []network.Row(l) }

func (l layerList) keys() (out []string) {
	for _, e := range l {
		out = append(out, e.Key)
	}
	return out
}

func (l choiceList) keys() (out []string) {
	for _, e := range l {
		out = append(out, e.Key)
	}
	return out
}

func (l argumentList) keys() (out []string) {
	for _, e := range l {
		out = append(out, e.Key)
	}
	return out
}

func (l rowList) keys() (out []string) {
	for _, e := range l {
		out = append(out, e.Key)
	}
	return out
}

func (l layerList) add(key, name string) entries {
	if name == "" {
		name = fmt.Sprintf("Layer %d", len(l)+1)
	}
	return append(slices.Clone(l), network.Layer{Key: key, Name: name})
}

func (l choiceList) add(key, name string) entries {
	if name == "" {
		name = fmt.Sprintf("Choice %d", len(l)+1)
	}
	return append(slices.Clone(l), network.Option{Key: key, Name: name})
}

func (l argumentList) add(key, name string) entries {
	if name != "" {
		key = name
	}
	return append(slices.Clone(l), network.Argument{Key: key, Type: network.Tone})
}

// add puts a row behind the last.
func (l rowList) add(key, name string) entries {
	if name == "" {
		name = fmt.Sprintf("Row %d", len(l)+1)
	}
	return append(slices.Clone(l), network.Row{Key: key, Name: name, At: 1})
}

func (l layerList) remove(i int) entries    { return slices.Delete(slices.Clone(l), i, i+1) }
func (l choiceList) remove(i int) entries   { return slices.Delete(slices.Clone(l), i, i+1) }
func (l argumentList) remove(i int) entries { return slices.Delete(slices.Clone(l), i, i+1) }
func (l rowList) remove(i int) entries      { return slices.Delete(slices.Clone(l), i, i+1) }

func (l layerList) move(from, to int) (entries, error) {
	l = slices.Clone(l)
	return l, moved(l, from, to)
}

func (l choiceList) move(from, to int) (entries, error) {
	l = slices.Clone(l)
	return l, moved(l, from, to)
}

func (l argumentList) move(from, to int) (entries, error) {
	l = slices.Clone(l)
	return l, moved(l, from, to)
}

func (l rowList) move(from, to int) (entries, error) {
	l = slices.Clone(l)
	return l, moved(l, from, to)
}

func (l rowList) set(i int, field string, v any) (entries, error) {
	l = slices.Clone(l)
	text, isText := v.(string)
	at, isNumber := v.(float64)
	switch {
	case field == "name" && isText:
		l[i].Name = strings.TrimSpace(text)
	case field == "at" && isNumber:
		l[i].At = at
	default:
		return l, fmt.Errorf("project: a row has no %.20q that could be %.20v", field, v)
	}
	return l, nil
}

func (l layerList) set(i int, field string, v any) (entries, error) {
	l = slices.Clone(l)
	text, isText := v.(string)
	on, isBool := v.(bool)
	switch {
	case field == "name" && isText:
		l[i].Name = strings.TrimSpace(text)
	case field == "mode" && isText:
		l[i].Mode = text
	case field == "off" && isBool:
		l[i].Off = on
	default:
		return l, fmt.Errorf("project: a layer has no %.20q that could be %.20v", field, v)
	}
	return l, nil
}

func (l choiceList) set(i int, field string, v any) (entries, error) {
	l = slices.Clone(l)
	text, isText := v.(string)
	if field != "name" || !isText {
		return l, fmt.Errorf("project: a choice has no %.20q that could be %.20v", field, v)
	}
	l[i].Name = strings.TrimSpace(text)
	return l, nil
}

func (l argumentList) set(i int, field string, v any) (entries, error) {
	l = slices.Clone(l)
	text, isText := v.(string)
	switch {
	case field == "name" && isText:
		l[i].Key = strings.TrimSpace(text)
	case field == "type" && isText:
		l[i].Type = network.Type(text)
	default:
		return l, fmt.Errorf("project: an input has no %.20q that could be %.20v", field, v)
	}
	return l, nil
}

// list returns the node, the key of its list and the list that an edit is about.
func list(p *Project, n *network.Network, e *Edit) (*network.Node, string, entries, error) {
	d := n.Node(e.Node)
	if d == nil {
		return nil, "", nil, fmt.Errorf("project: there is no node %.40q", e.Node)
	}
	of := p.Catalogue().Of(d)
	for i := range of.Settings {
		if l := listOf(d.Value(&of.Settings[i])); l != nil {
			return d, of.Settings[i].Key, l, nil
		}
	}
	return nil, "", nil, fmt.Errorf("project: %s has no list", d.Title(p.Catalogue()))
}

func addToList(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d, key, l, err := list(p, n, e)
	if err != nil {
		return err
	}
	taken := l.keys()
	fresh := ""
	for c := 'a'; c <= 'z' && fresh == ""; c++ {
		if !slices.Contains(taken, string(c)) {
			fresh = string(c)
		}
	}
	if fresh == "" {
		fresh = freshID("k", func(id string) bool { return slices.Contains(taken, id) })
	}
	o.Label = "added to " + d.Title(p.Catalogue())
	return n.SetValue(p.Catalogue(), e.Node, key, l.add(fresh, strings.TrimSpace(e.Name)).value())
}

func removeFromList(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d, key, l, err := list(p, n, e)
	if err != nil {
		return err
	}
	if e.Index < 0 || e.Index >= len(l.keys()) {
		return errors.New("project: there is no such entry in the list")
	}
	if _, choices := l.(choiceList); choices && len(l.keys()) == 1 {
		return errors.New("project: a switch keeps at least one choice")
	}
	if _, rows := l.(rowList); rows && len(l.keys()) == 1 {
		return errors.New("project: a two-way ramp keeps at least one row")
	}
	o.Label = "took from " + d.Title(p.Catalogue())
	return n.SetValue(p.Catalogue(), e.Node, key, l.remove(e.Index).value())
}

func moveInList(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d, key, l, err := list(p, n, e)
	if err != nil {
		return err
	}
	to, ok := e.Value.(float64)
	if !ok {
		return errors.New("project: where to is not said")
	}
	if l, err = l.move(e.Index, int(to)); err != nil {
		return err
	}
	o.Label = "reordered " + d.Title(p.Catalogue())
	return n.SetValue(p.Catalogue(), e.Node, key, l.value())
}

func setInList(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d, key, l, err := list(p, n, e)
	if err != nil {
		return err
	}
	if e.Index < 0 || e.Index >= len(l.keys()) {
		return errors.New("project: there is no such entry in the list")
	}
	old := l.keys()[e.Index]
	if l, err = l.set(e.Index, e.Key, e.Value); err != nil {
		return err
	}
	o.title(p, n, e.Node, "changed")
	cat := p.Catalogue()
	now := l.keys()[e.Index]
	if old == now {
		return n.SetValue(cat, e.Node, key, l.value())
	}
	return renameArgument(n, cat, d, key, old, now, l.value())
}

// renameArgument gives an input of a formula another name, in the formula too.
// What feeds it stays.
func renameArgument(n *network.Network, cat network.Catalogue, d *network.Node, key, old, now string, list any) error {
	of := cat.Of(d)
	var text *network.Setting
	for i := range of.Settings {
		if of.Settings[i].Type == network.Expr {
			text = &of.Settings[i]
		}
	}
	if text != nil {
		whole := regexp.MustCompile(`(^|[^A-Za-z0-9_.])` + regexp.QuoteMeta(old) + `\b`)
		formula := d.Value(text).(string)
		for range 2 { // neighbours share the letter between them
			formula = whole.ReplaceAllString(formula, "${1}"+now)
		}
		if d.Set == nil {
			d.Set = map[string]any{}
		}
		d.Set[text.Key] = formula
	}
	if in, ok := d.In[old]; ok {
		delete(d.In, old)
		d.In[now] = in
	}
	return n.SetValue(cat, d.ID, key, list)
}

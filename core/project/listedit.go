package project

import (
	"cmp"
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
	value() any
	what() string // of an entry
	least() int   // entries that must stay
	add(key, name string) entries
	remove(i int) entries
	move(from, to int) (entries, error)
	set(i int, field string, v any) (entries, error)
}

// listKind is what differs from one kind of list to the next.
type listKind[T any] struct {
	what  string
	least int
	key   func(e *T) string
	fresh func(n int, key, name string) T           // of n entries there are, a new one
	set   func(e *T, field string, v any) (ok bool) // false if there is no such field, or not of such a value
}

// listed is a list of one kind.
type listed[T any] struct {
	kind  *listKind[T]
	items []T
}

func listOf(v any) entries {
	switch v := v.(type) {
	case []network.Layer:
		return listed[network.Layer]{&layerKind, v}
	case []network.Option:
		return listed[network.Option]{&choiceKind, v}
	case []network.Argument:
		return listed[network.Argument]{&argumentKind, v}
	case []network.Row:
		return listed[network.Row]{&rowKind, v}
	}
	return nil
}

func (l listed[T]) keys() (out []string) {
	for i := range l.items {
		out = append(out, l.kind.key(&l.items[i]))
	}
	return out
}

func (l listed[T]) value() any   { return l.items }
func (l listed[T]) what() string { return l.kind.what }
func (l listed[T]) least() int   { return l.kind.least }

func (l listed[T]) add(key, name string) entries {
	return listed[T]{l.kind, append(slices.Clone(l.items), l.kind.fresh(len(l.items), key, name))}
}

func (l listed[T]) remove(i int) entries {
	return listed[T]{l.kind, slices.Delete(slices.Clone(l.items), i, i+1)}
}

func (l listed[T]) move(from, to int) (entries, error) {
	l.items = slices.Clone(l.items)
	return l, moved(l.items, from, to)
}

func (l listed[T]) set(i int, field string, v any) (entries, error) {
	l.items = slices.Clone(l.items)
	if !l.kind.set(&l.items[i], field, v) {
		return l, fmt.Errorf("project: %s has no %.20q that could be %.20v", l.kind.what, field, v)
	}
	return l, nil
}

// typed puts text into a field, without spaces round it.
func typed(to *string, v any) bool {
	t, ok := v.(string)
	if ok {
		*to = strings.TrimSpace(t)
	}
	return ok
}

// orNumbered is a name, or, where there is none, what it is and its number.
func orNumbered(name, what string, n int) string {
	if name != "" {
		return name
	}
	return fmt.Sprintf("%s %d", what, n+1)
}

var layerKind = listKind[network.Layer]{
	what: "a layer",
	key:  func(e *network.Layer) string { return e.Key },
	fresh: func(n int, key, name string) network.Layer {
		return network.Layer{Key: key, Name: orNumbered(name, "Layer", n)}
	},
	set: func(e *network.Layer, field string, v any) bool {
		switch field {
		case "name":
			return typed(&e.Name, v)
		case "mode":
			return typed(&e.Mode, v)
		case "off":
			on, ok := v.(bool)
			e.Off = on
			return ok
		}
		return false
	},
}

var choiceKind = listKind[network.Option]{
	what: "a choice", least: 1,
	key: func(e *network.Option) string { return e.Key },
	fresh: func(n int, key, name string) network.Option {
		return network.Option{Key: key, Name: orNumbered(name, "Choice", n)}
	},
	set: func(e *network.Option, field string, v any) bool { return field == "name" && typed(&e.Name, v) },
}

var argumentKind = listKind[network.Argument]{
	what: "an input",
	key:  func(e *network.Argument) string { return e.Key },
	fresh: func(n int, key, name string) network.Argument {
		if name != "" {
			key = name
		}
		return network.Argument{Key: key, Type: network.Tone}
	},
	set: func(e *network.Argument, field string, v any) bool {
		switch field {
		case "name":
			return typed(&e.Key, v)
		case "type":
			return typed((*string)(&e.Type), v)
		}
		return false
	},
}

// A new row of a two-way ramp comes behind the last.
var rowKind = listKind[network.Row]{
	what: "a row", least: 1,
	key: func(e *network.Row) string { return e.Key },
	fresh: func(n int, key, name string) network.Row {
		return network.Row{Key: key, Name: orNumbered(name, "Row", n), At: 1}
	},
	set: func(e *network.Row, field string, v any) bool {
		switch field {
		case "name":
			return typed(&e.Name, v)
		case "at":
			at, ok := v.(float64)
			e.At = at
			return ok
		}
		return false
	},
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
	fresh := ordinalKey(p.highest(e, l) + 1)
	if ordinal(fresh) == 0 {
		return fmt.Errorf("project: the keys of %s are numbered too high to go on: put a new node in its place", d.Title(p.Catalogue()))
	}
	o.Label = "added to " + d.Title(p.Catalogue())
	return n.SetValue(p.Catalogue(), e.Node, key, l.add(fresh, strings.TrimSpace(e.Name)).value())
}

// highest returns the highest ordinal that a key of the list has or had.
func (p *Project) highest(e *Edit, l entries) int {
	scope := entry(cmp.Or(e.Group, e.Look), e.Node)
	for _, key := range l.keys() {
		p.Given.note(scope, "", ordinal(key))
	}
	return p.Given[scope][""]
}

func removeFromList(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	d, key, l, err := list(p, n, e)
	if err != nil {
		return err
	}
	if e.Index < 0 || e.Index >= len(l.keys()) {
		return errors.New("project: there is no such entry in the list")
	}
	if len(l.keys()) <= l.least() {
		return fmt.Errorf("project: at least %s stays", l.what())
	}
	p.highest(e, l) // it was given, even where it stood in a list that came with the kind
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
	var formula *network.Setting
	for i := range of.Settings {
		if of.Settings[i].Type == network.Expr {
			formula = &of.Settings[i]
		}
	}
	if formula != nil {
		whole := regexp.MustCompile(`(^|[^A-Za-z0-9_.])` + regexp.QuoteMeta(old) + `\b`)
		said := d.Value(formula).(string)
		for range 2 { // neighbours share the letter between them
			said = whole.ReplaceAllString(said, "${1}"+now)
		}
		if d.Set == nil {
			d.Set = map[string]any{}
		}
		d.Set[formula.Key] = said
	}
	if in, ok := d.In[old]; ok {
		delete(d.In, old)
		d.In[now] = in
	}
	return n.SetValue(cat, d.ID, key, list)
}

// Package network holds shading networks as plain data: nodes, wires, the edits that artists make, and the rules that
// keep a network one that can be evaluated.
package network

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/names"
	"mobanta/core/strictjson"
)

// Type is what a port carries.
type Type string

// The types of port.
const (
	Tone   Type = "tone"   // one number per point, usually 0 (dark) to 1 (lit)
	Color  Type = "colour" // linear light, Rec. 709 primaries
	Vector Type = "vector" // a place, a direction or texture coordinates
	Lines  Type = "lines"  // lines to draw: colour, width, opacity
)

// Planes returns how many float32 planes a value of type t takes: for lines,
// red, green, blue, width and opacity.
func (t Type) Planes() int {
	switch t {
	case Tone:
		return 1
	case Lines:
		return 5
	}
	return 3
}

// Convert names the conversion by which an output of type from feeds an input of
// type to, "" where none is needed; ok is false where none makes sense.
func Convert(from, to Type) (how string, ok bool) {
	if from == to {
		return "", true
	}
	switch {
	case from == Lines || to == Lines:
		return "", false
	case from == Tone && to == Color:
		return "as grey", true
	case from == Tone && to == Vector:
		return "in all three", true
	case from == Color && to == Tone:
		return "by luminance", true
	case from == Vector && to == Tone:
		return "by length", true
	}
	return "by component", true
}

// Spec describes a kind of node: all that is known of it but its kernel. The
// search, the bench, look files and help read it.
type Spec struct {
	Kind     string   // stable key in look files, "soft-step"
	Name     string   // "Soft step"
	Family   string   // surface, texture, relief, light, tone, pattern, colour, line or finish
	Purpose  string   // one sentence: what it is for
	Words    []string // other words for it, for the search
	Source   string   // where its formula comes from
	Inputs   []Port
	Outputs  []Port
	Settings []Setting
	// Adapts names the Choice setting that holds the type which the node carries;
	// the first wire sets it. Empty for nodes whose ports are what they are.
	Adapts string
	// Check returns why the settings of a node do not go together; nil where they
	// always do.
	Check func(d *Node) error
}

// Port is an input or an output.
type Port struct {
	Key     string
	Name    string
	Type    Type
	Default any     // input: the value when unwired: float64, color.C or [3]float64
	Min     float64 // input, tone: the range of its slider
	Max     float64
	Hidden  bool // input: an unwired value means "as the sample has it" and cannot be typed
	Many    bool // input: takes any number of wires
	Unit    bool // input: a direction; what is wired comes to the node at length 1, nothing as nothing
	Help    string
}

// SettingType is the type of a setting.
type SettingType string

// The types of setting.
const (
	Number    SettingType = "number"    // float64
	Choice    SettingType = "choice"    // string, a key of Choices
	Toggle    SettingType = "toggle"    // bool
	Swatch    SettingType = "colour"    // color.C
	Stops     SettingType = "ramp"      // []color.Stop
	Lights    SettingType = "lights"    // []string, ids of lights; empty for all
	Strip     SettingType = "strip"     // color.Strip, rows of colours
	Named     SettingType = "choices"   // []Option, choices of the artist's own
	Stack     SettingType = "layers"    // []Layer, the lowest first
	Expr      SettingType = "formula"   // string
	Arguments SettingType = "arguments" // []Argument
	Picture   SettingType = "picture"   // string, the hash of a stored picture; empty for none
	Rows      SettingType = "rows"      // []Row
)

// Layer is one layer of a Stack. Its inputs depend on its key: KEY is the colour,
// KEY-mask where it lies, KEY-amount how much of it.
type Layer struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	Mode string `json:"mode,omitempty"` // key of a blend mode; empty for normal
	Off  bool   `json:"off,omitempty"`
}

// Argument is a named input of a formula.
type Argument struct {
	Key  string `json:"key"` // as the formula says it
	Type Type   `json:"type"`
}

// Row is a row of a two-way ramp.
type Row struct {
	Key  string  `json:"key"`
	Name string  `json:"name"`
	At   float64 `json:"at"` // where it lies, 0..1
}

// Limits on lists within one node.
const (
	MaxRows      = 16
	MaxChoices   = 32
	MaxLayers    = 64
	MaxArguments = 16
	MaxFormula   = 4096 // bytes
)

// Setting is a value of a node that cannot be wired.
type Setting struct {
	Key      string
	Name     string
	Type     SettingType
	Default  any
	Min, Max float64 // Number: the values allowed
	Unit     string
	Choices  []Option
	Live     bool // Choice: which entry of a list of choices is live
	Pictured bool // Choice: that what each would do is shown as a picture
	Joined   bool // Number: that it is shown in one with the setting before it, whose name it has
	Help     string
}

// Option is one of the values of a Choice.
type Option struct {
	Key  string `json:"key"`
	Name string `json:"name"`
}

// Pictures returns the hashes of the pictures that the nodes of networks show, each
// once, sorted.
func Pictures(cat Catalogue, nets ...*Network) []string {
	seen := map[string]bool{}
	for _, n := range nets {
		for i := range n.Nodes {
			spec := cat.Of(&n.Nodes[i])
			if spec == nil {
				continue
			}
			for k := range spec.Settings {
				if s := &spec.Settings[k]; s.Type == Picture {
					if hash, _ := n.Nodes[i].Value(s).(string); hash != "" {
						seen[hash] = true
					}
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// Input returns the input of that key, nil if there is none.
func (s *Spec) Input(key string) *Port { return find(s.Inputs, key) }

// Output returns the output of that key, the first if key is empty, nil if
// there is none.
func (s *Spec) Output(key string) *Port {
	if key == "" && len(s.Outputs) > 0 {
		return &s.Outputs[0]
	}
	return find(s.Outputs, key)
}

func find(ports []Port, key string) *Port {
	for i := range ports {
		if ports[i].Key == key {
			return &ports[i]
		}
	}
	return nil
}

// Setting returns the setting of that key, nil if there is none.
func (s *Spec) Setting(key string) *Setting {
	for i := range s.Settings {
		if s.Settings[i].Key == key {
			return &s.Settings[i]
		}
	}
	return nil
}

// SettingOf returns the first setting of that type, nil if there is none.
func (s *Spec) SettingOf(t SettingType) *Setting {
	for i := range s.Settings {
		if s.Settings[i].Type == t {
			return &s.Settings[i]
		}
	}
	return nil
}

// Catalogue finds the specs of nodes.
type Catalogue interface {
	// Spec returns the spec of a kind, by key or name, nil if there is none.
	Spec(kind string) *Spec
	// Of returns the spec of a node, with the ports that depend on its settings; nil
	// for an unknown kind.
	Of(d *Node) *Spec
}

// Parse returns v, decoded JSON or a value as stored, as a value of s; the error
// tells what is allowed.
func (s *Setting) Parse(v any) (any, error) {
	bad := func(want string) error {
		return fmt.Errorf("%s must be %s, not %.40s", s.Name, want, printed(v))
	}
	switch s.Type {
	case Number:
		f, ok := v.(float64)
		if !ok || !(f >= s.Min && f <= s.Max) {
			return nil, bad(fmt.Sprintf("a number from %v to %v", s.Min, s.Max))
		}
		return f, nil
	case Choice:
		t, _ := v.(string)
		var keys []string
		for _, o := range s.Choices {
			if o.Key == t || strings.EqualFold(o.Name, t) {
				return o.Key, nil
			}
			keys = append(keys, o.Key)
		}
		return nil, bad("one of " + strings.Join(keys, ", "))
	case Toggle:
		b, ok := v.(bool)
		if !ok {
			return nil, bad("true or false")
		}
		return b, nil
	case Swatch:
		c, err := color.FromAny(v)
		if err != nil {
			return nil, bad("a colour such as \"#D4843F\"")
		}
		return c, nil
	case Stops:
		stops, ok := v.([]color.Stop)
		if !ok {
			if err := reread(v, &stops); err != nil {
				return nil, fmt.Errorf("%s must be a list of stops, {\"at\": 0.5, \"color\": \"#D4843F\", \"edge\": \"step\"}: %w", s.Name, err)
			}
		}
		stops = slices.Clone(stops)
		color.SortStops(stops)
		for i := range stops {
			if err := nameIn(s.Name, fmt.Sprint("stop ", i+1), &stops[i].Name); err != nil {
				return nil, err
			}
		}
		return stops, color.CheckStops(stops)
	case Lights, Named, Stack, Arguments, Rows:
		return s.parseEntries(v)
	case Strip:
		strip, ok := v.(color.Strip)
		if !ok {
			if err := reread(v, &strip); err != nil {
				return nil, bad("rows of colours, [[\"#D4843F\", …], …]")
			}
		}
		return strip, strip.Check()
	case Picture:
		t, ok := v.(string)
		if !ok || t != "" && !hashPattern.MatchString(t) {
			return nil, bad("the hash of a picture")
		}
		return t, nil
	case Expr:
		t, ok := v.(string)
		if !ok {
			return nil, bad("text")
		}
		if len(t) > MaxFormula {
			return nil, fmt.Errorf("%s is %d bytes long, more than the %d that are allowed", s.Name, len(t), MaxFormula)
		}
		return t, nil
	}
	return nil, fmt.Errorf("network: setting %s has no type", s.Key)
}

// parseEntries is Parse for settings that are lists.
func (s *Setting) parseEntries(v any) (any, error) {
	switch s.Type {
	case Lights:
		list, err := parseList[string](s, v, "a list of lights")
		if err == nil && len(list) > 100 {
			err = errors.New("too many lights")
		}
		return list, err
	case Named:
		list, err := parseList[Option](s, v, "a list of choices, {\"key\": \"a\", \"name\": \"Day\"}")
		if err == nil {
			err = checkList(s.Name, MaxChoices, list, func(o *Option) (string, *string) { return o.Key, &o.Name })
		}
		return list, err
	case Stack:
		list, err := parseList[Layer](s, v, "a list of layers, {\"key\": \"a\", \"name\": \"Ink\", \"mode\": \"multiply\"}")
		if err == nil {
			err = checkList(s.Name, MaxLayers, list, func(l *Layer) (string, *string) { return l.Key, &l.Name })
		}
		for _, l := range list {
			if l.Mode != "" && color.FindMode(l.Mode) == nil {
				return nil, fmt.Errorf("layer %s has the unknown mode %.40q", l.Key, l.Mode)
			}
		}
		return list, err
	case Arguments:
		list, err := parseList[Argument](s, v, "a list of inputs, {\"key\": \"a\", \"type\": \"tone\"}")
		if err == nil {
			err = checkList(s.Name, MaxArguments, list, func(a *Argument) (string, *string) { return a.Key, nil })
		}
		for _, a := range list {
			if a.Type != Tone && a.Type != Color && a.Type != Vector {
				return nil, fmt.Errorf("input %s must be a tone, a colour or a vector, not %.20q", a.Key, a.Type)
			}
		}
		return list, err
	default: // Rows
		list, err := parseList[Row](s, v, "a list of rows, {\"key\": \"a\", \"name\": \"Near\", \"at\": 0}")
		if err == nil {
			err = checkList(s.Name, MaxRows, list, func(r *Row) (string, *string) { return r.Key, &r.Name })
		}
		for _, r := range list {
			if !(r.At >= 0 && r.At <= 1) {
				return nil, fmt.Errorf("row %s lies at %v, outside 0 to 1", r.Key, r.At)
			}
		}
		return list, err
	}
}

// reread turns decoded JSON into a value of another type; unknown members are
// an error.
func reread(v, to any) error {
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	err = strictjson.Decode(data, to)
	var slip *strictjson.Error
	if errors.As(err, &slip) { // its place is one in data, which nobody has seen
		return errors.New(slip.Msg)
	}
	return err
}

// parseList returns v as a list of its own.
func parseList[T any](s *Setting, v any, want string) ([]T, error) {
	list, ok := v.([]T)
	if !ok {
		if err := reread(v, &list); err != nil {
			return nil, fmt.Errorf("%s must be %s, not %.40s", s.Name, want, printed(v))
		}
	}
	if list == nil {
		return []T{}, nil
	}
	return slices.Clone(list), nil
}

var hashPattern = regexp.MustCompile(`^[0-9a-f]{64}$`)

var keyPattern = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]{0,31}$`)

// checkList checks the keys of a list within a node, and makes its names such.
func checkList[T any](what string, most int, list []T, of func(*T) (key string, name *string)) error {
	if len(list) > most {
		return fmt.Errorf("%s: %d entries, more than the %d that are allowed", what, len(list), most)
	}
	seen := map[string]bool{}
	for i := range list {
		key, name := of(&list[i])
		if !keyPattern.MatchString(key) || seen[key] {
			return fmt.Errorf("%s: %.40q is no key of its own: a letter, then letters, digits or _", what, key)
		}
		seen[key] = true
		if err := nameIn(what, key, name); err != nil {
			return err
		}
	}
	return nil
}

// nameIn makes a name within a list, if there is one, what a name may be.
func nameIn(what, entry string, name *string) (err error) {
	if name == nil {
		return nil
	}
	if *name, err = names.Label(*name); err != nil {
		return fmt.Errorf("%s: %s: %w", what, entry, err)
	}
	return nil
}

// ParseConstant returns v, decoded JSON or a value as stored, as an unwired
// value of p: float64, color.C or [3]float64.
func (p *Port) ParseConstant(v any) (any, error) {
	if p.Hidden || p.Type == Lines {
		return nil, fmt.Errorf("%s takes a wire, no value", p.Name)
	}
	switch p.Type {
	case Tone:
		if f, ok := v.(float64); ok && math.Abs(f) <= 1e6 {
			return f, nil
		}
		return nil, fmt.Errorf("%s must be a number, not %.40s", p.Name, printed(v))
	case Color:
		c, err := color.FromAny(v)
		if err != nil {
			return nil, fmt.Errorf("%s must be a colour such as \"#D4843F\", not %.40s", p.Name, printed(v))
		}
		return c, nil
	}
	switch v := v.(type) {
	case [3]float64:
		return v, nil
	case []any:
		var out [3]float64
		ok := len(v) == 3
		for i := 0; ok && i < 3; i++ {
			out[i], ok = v[i].(float64)
			ok = ok && math.Abs(out[i]) <= 1e6
		}
		if ok {
			return out, nil
		}
	}
	return nil, fmt.Errorf("%s must be three numbers, not %.40s", p.Name, printed(v))
}

func printed(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(data)
}

// Converted returns a constant of one type as another converts it.
func Converted(v any, from, to Type) any {
	var c color.C
	switch v := v.(type) {
	case float64:
		c = color.C{float32(v), float32(v), float32(v)}
	case color.C:
		c = v
	case [3]float64:
		c = color.C{float32(v[0]), float32(v[1]), float32(v[2])}
	default:
		return nil
	}
	switch {
	case to == Color:
		return c
	case to == Vector:
		return [3]float64{float64(c[0]), float64(c[1]), float64(c[2])}
	case from == Color:
		return float64(c.Luminance())
	case from == Vector:
		return math.Sqrt(float64(c[0])*float64(c[0]) + float64(c[1])*float64(c[1]) + float64(c[2])*float64(c[2]))
	}
	return float64(c[0])
}

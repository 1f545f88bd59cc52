package node

import (
	"math"
	"slices"
	"strconv"

	"mobanta/core/color"
	"mobanta/core/line"
	"mobanta/core/network"
)

// About is one node, for what its kind has to say of it.
type About struct {
	*network.Node
	Spec *network.Spec
	// Light names a light of the stage; nil where there is none.
	Light func(id string) string
}

// Setting returns the value of a setting.
func (a *About) Setting(key string) any { return a.Value(a.Spec.Setting(key)) }

// Number prints a setting that is a number.
func (a *About) Number(key string) string { return Short(a.Setting(key).(float64)) }

// Typed returns what is typed into a tone input; ok is false where a wire feeds it.
func (a *About) Typed(key string) (v float64, ok bool) {
	v, _ = a.Constant(a.Spec.Input(key)).(float64)
	return v, len(a.In[key].Wires) == 0
}

// Input prints what is typed into a tone input.
func (a *About) Input(key string) string {
	v, ok := a.Typed(key)
	if !ok {
		return "wired"
	}
	return Short(v)
}

// Choice names the value of a setting that is a choice.
func (a *About) Choice(key string) string {
	s := a.Spec.Setting(key)
	for _, o := range s.Choices {
		if o.Key == a.Value(s) {
			return o.Name
		}
	}
	return ""
}

// Lights names the lights that a setting picks, in a few words.
func (a *About) Lights(key string) string {
	ids := a.Setting(key).([]string)
	switch {
	case len(ids) == 0:
		return "all lights"
	case len(ids) > 1:
		return Counted(len(ids), "light")
	}
	if a.Light != nil {
		if name := a.Light(ids[0]); name != "" {
			return name
		}
	}
	return "a light that is gone"
}

// Brief says what matters of a node in a few words, for its card.
func (c Catalogue) Brief(a *About) string {
	if k := c.Kind(a.Kind); k != nil && k.Brief != nil {
		return k.Brief(a)
	}
	if len(a.Spec.Settings) > 0 && a.Spec.Settings[0].Type == network.Choice {
		return a.Choice(a.Spec.Settings[0].Key)
	}
	return ""
}

// Short prints a number as it is shown in a field: three decimals at most.
func Short(v float64) string {
	s := strconv.FormatFloat(math.Round(v*1000)/1000, 'f', -1, 64)
	if s == "-0" {
		return "0"
	}
	return s
}

// Counted says how many there are of something.
func Counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return strconv.Itoa(n) + " " + what + "s"
}

// Cut is what a kind that cuts a tone in two or more says of that: the hand can take
// its edges on the picture, the bench shows how the tones are spread, the trail where
// one has fallen.
type Cut struct {
	Input  string // the tone
	Beside string // another tone input, which says what of the edges shows; empty for none
	// Edges returns the edges that show where the other tone is beside.
	Edges func(a *About, beside float32) []Edges
	// Note says where a tone has fallen; in are the values of the node's tone inputs, in
	// their order.
	Note func(a *About, in []float32) string
	// Hard tells whether one of the edges is hard.
	Hard func(a *About) bool
	// Threshold is an input that holds the one edge there is; empty for others.
	Threshold string
}

// Edges is a list of edges that the hand can take.
type Edges struct {
	Key   string    // the setting that holds the stops, or the input that holds the threshold
	At    []float32 // rising
	First int       // index of the first edge's stop
}

// CutOf returns what a node says of cutting tones; nil for those that do not.
func CutOf(d *network.Node) *Cut {
	if k := (Catalogue{}).Kind(d.Kind); k != nil {
		return k.Cut
	}
	return nil
}

// CutInput returns the input whose tone a node cuts, "" for nodes that do not.
func CutInput(d *network.Node) string {
	if c := CutOf(d); c != nil {
		return c.Input
	}
	return ""
}

// StripOf returns on what the bench shows a node at its true size.
func StripOf(d *network.Node) Strip {
	if k := (Catalogue{}).Kind(d.Kind); k != nil {
		return k.Strip
	}
	return NoStrip
}

// AboutOf returns a node with its spec.
func AboutOf(d *network.Node, cat network.Catalogue) *About { return &About{Node: d, Spec: cat.Of(d)} }

// stopEdges returns the edges of the stops that a setting holds.
func stopEdges(a *About, key string) Edges {
	e := Edges{Key: key, First: 1}
	for _, s := range a.Setting(key).([]color.Stop)[1:] {
		e.At = append(e.At, s.At)
	}
	return e
}

// hardStops tells whether any setting of stops has a hard edge.
func hardStops(a *About) bool {
	for i := range a.Spec.Settings {
		if s := &a.Spec.Settings[i]; s.Type == network.Stops {
			if slices.ContainsFunc(a.Value(s).([]color.Stop)[1:], func(s color.Stop) bool { return s.Edge == color.Step || s.Edge == "" }) {
				return true
			}
		}
	}
	return false
}

// bandOf names the band of some stops that a tone falls into.
func bandOf(stops []color.Stop, tone float32) string {
	k := color.BandOf(stops, tone)
	name := stops[k].Name
	if name == "" {
		name = "no name"
	}
	return "band " + strconv.Itoa(k+1) + " of " + strconv.Itoa(len(stops)) + ", " + name
}

// Concerns tells which of the checks, which know no kind by name, concern a kind.
type Concerns struct {
	Bands     string // a setting of stops: each band of it should be seen
	Shades    bool   // gives the shading that bands are cut from
	Bounce    string // a setting whose value "direct" leaves bounced light out
	UV        string // an input which, unwired, means the model's texture coordinates
	Roughness string // a setting: too high it spreads what is given over all, too low it is not seen
	Open      bool   // 1 everywhere is as good as any other tone
	Darkens   bool   // what it gives is meant to be multiplied over a colour
	Lays      string // a setting whose value "normal" lays the input "over" over "base", and "multiply" multiplies them
	Raises    string // an input: how far out the relief goes that its first output, a normal, shows
	Grain     string // an input: how large the pieces of a texture are, in parts of the model's diagonal
	Printed   string // an input: how many cells or strokes of a pattern there are in the height of the picture
	Chooses   string // a setting: which of its inputs it hands on
	Paint     bool   // reads what the model's file has painted
}

// ConcernsOf returns which checks concern a node.
func ConcernsOf(d *network.Node) Concerns {
	if k := (Catalogue{}).Kind(d.Kind); k != nil {
		return k.Concerns
	}
	return Concerns{}
}

// Rule returns where the lines run that a node draws; nil for one that draws none.
func (c Catalogue) Rule(d *network.Node) line.Rule {
	k := c.Kind(d.Kind)
	if k == nil || k.Lines == nil {
		return nil
	}
	var data any
	if k.Prepare != nil {
		spec := c.Of(d)
		data = k.Prepare(func(key string) any { return d.Value(spec.Setting(key)) })
	}
	return k.Lines(data)
}

// Example returns a small network that shows a kind at work, and the output to look at,
// empty for the finished picture: light feeds its tones, bands its colours. A setting
// that holds a picture gets the one of that hash.
func (c Catalogue) Example(k *Kind, picture string) (*network.Network, network.Ref) {
	wire := func(ref string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(ref)}} }
	n := &network.Network{Nodes: []network.Node{
		{ID: "light", Kind: "diffuse-light"},
		{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("light.tone")}},
		{ID: "rim", Kind: "outline"},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": wire("bands.colour")}},
	}}
	if k.Spec.Kind == network.FinishKind {
		if k.Example != nil {
			k.Example(n, n.Node("end"))
		}
		return n, network.Ref{}
	}
	n.Nodes = append(n.Nodes, network.Node{ID: "node", Kind: k.Spec.Kind, In: map[string]network.Input{}})
	d := n.Node("node")
	spec := c.Of(d)
	if k.Example != nil {
		k.Example(n, d)
	} else {
		tones := 0
		for _, p := range spec.Inputs {
			switch {
			case p.Hidden || p.Unit || spec.Family == "light" && p.Type == network.Tone:
			case p.Type == network.Tone && tones == 0:
				d.In[p.Key] = wire("light.tone")
				tones++
			case p.Type == network.Color && (p.Key == "base" || p.Key == "colour" || p.Key == "a"):
				d.In[p.Key] = wire("bands.colour")
			case p.Key == "amount":
				d.In[p.Key] = wire("rim.tone")
			}
		}
	}
	for _, s := range spec.Settings {
		if s.Type == network.Picture {
			d.Choose(s.Key, picture)
		}
	}
	out := network.Ref{Node: "node", Port: spec.Outputs[0].Key}
	if spec.Outputs[0].Type == network.Lines {
		n.Node("end").In["lines"] = wire(out.String())
		return n, network.Ref{}
	}
	return n, out
}

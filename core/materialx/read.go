package materialx

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
)

// Network is a network that was read from a document.
type Network struct {
	Name    string
	Network network.Network
	Groups  []network.Group
	Remarks []string // what could not be read, by name
}

// Read reads the material of a document: the first surface whose colour comes from a graph, or the first graph. Nodes that were
// written here and are as they were come back as what they were; of others each becomes a node that computes the same.
func Read(data []byte) (*Network, error) {
	d, err := Parse(data)
	if err != nil {
		return nil, err
	}
	r := &reader{doc: d, out: &Network{}, groups: map[string]ownGroup{}}
	for _, s := range d.Skipped {
		r.remark("%s: passed over", s)
	}
	r.ownGroups()
	if err := r.material(); err != nil {
		return nil, err
	}
	if err := network.SettleGroups(node.Catalogue{}, r.out.Groups); err != nil {
		return nil, fmt.Errorf("materialx: %w", err)
	}
	if err := r.out.Network.Settle(network.NewGrouped(node.Catalogue{}, r.out.Groups)); err != nil {
		return nil, fmt.Errorf("materialx: what the document says is no network: %w", err)
	}
	return r.out, nil
}

type reader struct {
	doc    *Document
	out    *Network
	groups map[string]ownGroup // by id: all that the document holds of ours
	number int
}

// ownGroup is a group that was written here, and the category of the nodes that stand for it.
type ownGroup struct {
	network.Group
	category string
}

// ownGroups reads the groups that were written here and are as they were. They are checked for circles and for their depth
// before anything follows what they hold.
func (r *reader) ownGroups() {
	var all []network.Group
	for i := range r.doc.NodeDefs {
		def := &r.doc.NodeDefs[i]
		if def.Ours == "" {
			continue
		}
		k := slices.IndexFunc(r.doc.Graphs, func(g Graph) bool { return g.NodeDef == def.Name })
		g := ownGroup{category: def.Node}
		if k < 0 || json.Unmarshal([]byte(def.Ours), &g.Group) != nil || r.groups[g.ID].ID != "" ||
			sum(append(slices.Clone(r.doc.Graphs[k].Nodes), Node{Category: fmt.Sprint(len(def.Inputs), len(def.Outputs))}), nil) != def.Sum {
			r.remark("The group %s was changed since it was written here, and cannot be read", def.Node)
			continue
		}
		r.groups[g.ID] = g
		all = append(all, g.Group)
	}
	if len(all) > network.MaxGroups {
		r.remark("The document holds %d groups, more than the %d that are allowed: none is read", len(all), network.MaxGroups)
		clear(r.groups)
	} else if _, err := network.NewGrouped(node.Catalogue{}, all).Order(); err != nil {
		r.remark("The groups of the document cannot be read: %s", strings.TrimPrefix(err.Error(), "network: "))
		clear(r.groups)
	}
}

func (r *reader) remark(format string, of ...any) {
	if s := fmt.Sprintf(format, of...); !slices.Contains(r.out.Remarks, s) && len(r.out.Remarks) < 100 {
		r.out.Remarks = append(r.out.Remarks, s)
	}
}

// colours are the inputs of surfaces that come nearest to a drawn colour, the first that is there counting.
var colours = map[string][]string{"surface_unlit": {"emission_color"}, "standard_surface": {"base_color", "emission_color"}, "gltf_pbr": {"base_color", "emissive"}, "open_pbr_surface": {"base_color", "emission_color"}, "UsdPreviewSurface": {"diffuseColor", "emissiveColor"}}

// material finds what is to be read, and reads it.
func (r *reader) material() error {
	byName := map[string]*Graph{}
	for i := range r.doc.Graphs {
		byName[r.doc.Graphs[i].Name] = &r.doc.Graphs[i]
	}
	for i := range r.doc.Nodes {
		n := &r.doc.Nodes[i]
		wants, ok := colours[n.Category]
		if !ok {
			continue
		}
		for _, want := range wants {
			k := slices.IndexFunc(n.Inputs, func(in Input) bool { return in.Name == want })
			if k < 0 {
				continue
			}
			if n.Category != "surface_unlit" {
				r.remark("%s, a %s: its %s is drawn as it is, without light", n.Name, n.Category, want)
			}
			in := n.Inputs[k]
			g := byName[in.NodeGraph]
			if g == nil { // nodes that lie in the document itself
				g = &Graph{Name: n.Name, Nodes: r.doc.Nodes}
				g.Outputs = []Input{{Name: "colour", Type: in.Type, NodeName: in.NodeName, Output: in.Output, Value: in.Value}}
				return r.graph(g, "colour", "")
			}
			opacity := ""
			if o := slices.IndexFunc(n.Inputs, func(in Input) bool { return in.Name == "opacity" && in.NodeGraph == g.Name }); o >= 0 {
				opacity = n.Inputs[o].Output
			}
			return r.graph(g, in.Output, opacity)
		}
	}
	for i := range r.doc.Graphs {
		if g := &r.doc.Graphs[i]; g.NodeDef == "" && len(g.Outputs) > 0 {
			return r.graph(g, g.Outputs[0].Name, "")
		}
	}
	return errors.New("materialx: the document has neither a surface whose colour comes from nodes nor a graph of them")
}

// graph reads a graph as the network of a look.
func (r *reader) graph(g *Graph, colour, opacity string) error {
	r.out.Name = strings.TrimPrefix(g.Name, "NG_")
	s := &readScope{reader: r, g: g, nodes: map[string]*Node{}, done: map[string]read{}, given: map[string]bool{}}
	for i := range g.Nodes {
		s.nodes[g.Nodes[i].Name] = &g.Nodes[i]
	}
	s.restore()
	end := network.Node{ID: "finish", Kind: network.FinishKind, In: map[string]network.Input{}}
	for _, o := range g.Outputs {
		key := ""
		switch o.Name {
		case colour:
			key = "colour"
		case opacity:
			key = "opacity"
		default:
			continue
		}
		in, err := s.input(&o)
		if err != nil {
			return err
		}
		if key == "opacity" && len(in.Wires) == 0 && in.Value == 1.0 {
			continue
		}
		if len(in.Wires) == 0 {
			in.Value = asType(in.Value, map[string]network.Type{"colour": network.Color, "opacity": network.Tone}[key])
		}
		end.In[key] = in
	}
	s.net.Nodes = append(s.net.Nodes, end)
	r.out.Network = s.net
	return nil
}

// read is what a node of the document has become: an output of one of ours, or a value.
type read struct {
	ref   network.Ref
	value any
	going bool
}

type readScope struct {
	*reader
	g     *Graph
	net   network.Network
	nodes map[string]*Node
	done  map[string]read // name, or name and output
	given map[string]bool // ids
}

// restore takes back the nodes that were written here and whose pieces are as they were.
func (s *readScope) restore() {
	for i := range s.g.Nodes {
		n := &s.g.Nodes[i]
		if n.Ours == "" || n.Of == "" || i > 0 && s.g.Nodes[i-1].Of == n.Of { // the first of its pieces tells of all
			continue
		}
		var pieces []Node
		for k := i; k < len(s.g.Nodes) && s.g.Nodes[k].Of == n.Of; k++ {
			pieces = append(pieces, s.g.Nodes[k])
		}
		var m mark
		if sum(pieces, s.g.Inputs) != n.Sum || json.Unmarshal([]byte(n.Ours), &m) != nil || m.Node.ID == "" || len(m.Node.ID) > 64 || s.given[m.Node.ID] {
			s.remark("%s was changed since it was written here: it is read piece by piece", n.Name)
			continue
		}
		if strings.HasPrefix(m.Node.Kind, network.GroupPrefix) && !s.restoreGroup(n.Category, strings.TrimPrefix(m.Node.Kind, network.GroupPrefix)) {
			continue
		}
		s.given[m.Node.ID] = true
		s.net.Nodes = append(s.net.Nodes, m.Node)
		for key, at := range m.Outs {
			s.done[at] = read{ref: network.Ref{Node: m.Node.ID, Port: key}}
		}
	}
	// What they read may not be there any more: then what the document says counts.
	for changed := true; changed; {
		changed = false
		for i := range s.net.Nodes {
			d := &s.net.Nodes[i]
			for key, in := range d.In {
				for _, w := range in.Wires {
					if !s.given[w.Node] {
						delete(d.In, key)
						changed = true
						break
					}
				}
			}
		}
	}
}

// restoreGroup takes back a group with those that it holds, and tells whether it can be had.
func (s *readScope) restoreGroup(category, id string) bool {
	if slices.ContainsFunc(s.out.Groups, func(g network.Group) bool { return g.ID == id }) {
		return true
	}
	g, ok := s.groups[id]
	if !ok || category != "" && g.category != category {
		return false
	}
	for i := range g.Nodes {
		if inner, ok := strings.CutPrefix(g.Nodes[i].Kind, network.GroupPrefix); ok && !s.restoreGroup("", inner) {
			return false
		}
	}
	s.out.Groups = append(s.out.Groups, g.Group)
	return true
}

// input returns what an input, or an output of the graph, is fed with.
func (s *readScope) input(in *Input) (network.Input, error) {
	v, err := s.value(in)
	if err != nil {
		return network.Input{}, err
	}
	if v.ref.Node != "" {
		return network.Input{Wires: []network.Ref{v.ref}}, nil
	}
	return network.Input{Value: v.value}, nil
}

func (s *readScope) value(in *Input) (read, error) {
	switch {
	case in.NodeName != "":
		return s.node(in.NodeName, in.Output)
	case in.InterfaceName != "":
		for i := range s.g.Inputs {
			if e := &s.g.Inputs[i]; e.Name == in.InterfaceName {
				return read{value: parsed(e.Value, e.Type)}, nil
			}
		}
	}
	return read{value: parsed(in.Value, in.Type)}, nil
}

// parsed returns a value as a float64, a color.C or a [3]float64.
func parsed(text, kind string) any {
	var v [4]float64
	n := 0
	for _, f := range strings.Split(text, ",") {
		if x, err := strconv.ParseFloat(strings.TrimSpace(f), 64); err == nil && n < 4 && x-x == 0 {
			v[n] = x
			n++
		}
	}
	switch kind {
	case "color3", "color4":
		return color.C{float32(v[0]), float32(v[1]), float32(v[2])}
	case "vector2", "vector3", "vector4":
		return [3]float64{v[0], v[1], v[2]}
	case "boolean":
		if strings.TrimSpace(text) == "true" {
			return 1.0
		}
		return 0.0
	}
	return v[0]
}

// asType returns a value as an input of a type takes it.
func asType(v any, t network.Type) any {
	from := network.Tone
	switch v.(type) {
	case color.C:
		from = network.Color
	case [3]float64:
		from = network.Vector
	}
	return network.Converted(v, from, t)
}

// typeIn returns the type of ours for one of theirs.
func typeIn(t string) network.Type {
	switch t {
	case "color3", "color4":
		return network.Color
	case "vector2", "vector3", "vector4":
		return network.Vector
	}
	return network.Tone
}

// put adds a node of ours.
func (s *readScope) put(kind, name string, set map[string]any, in map[string]network.Input) string {
	id := ""
	for id == "" || s.given[id] {
		s.number++
		id = fmt.Sprint("x", s.number)
	}
	s.given[id] = true
	for k, v := range in {
		if len(v.Wires) == 0 && v.Value == nil {
			delete(in, k)
		}
	}
	s.net.Nodes = append(s.net.Nodes, network.Node{ID: id, Kind: kind, Name: name, Set: set, In: in})
	return id
}

// node returns what a node of the document has become.
func (s *readScope) node(name, output string) (read, error) {
	key := strings.TrimSuffix(name+"."+output, ".")
	if v, ok := s.done[key]; ok {
		if v.going {
			return v, fmt.Errorf("materialx: %s reads itself", name)
		}
		return v, nil
	}
	n := s.nodes[name]
	if n == nil {
		return read{}, fmt.Errorf("materialx: there is no node %.60q", name)
	}
	s.done[key] = read{going: true}
	v, err := s.become(n, output)
	if err != nil {
		return v, err
	}
	s.done[key] = v
	return v, nil
}

// expressions are nodes as formulas over their inputs; {x} is the input of that name.
var expressions = map[string]string{"add": "{in1} + {in2}", "subtract": "{in1} - {in2}", "multiply": "{in1} * {in2}", "divide": "{in1} / {in2}", "modulo": "mod({in1}, {in2})", "fract": "fract({in})", "invert": "{amount=1} - {in}", "absval": "abs({in})", "sign": "sign({in})",
	"floor": "floor({in})", "ceil": "ceil({in})", "round": "floor({in} + 0.5)", "power": "pow({in1}, {in2})", "sin": "sin({in})", "cos": "cos({in})", "tan": "tan({in})", "asin": "asin({in})", "acos": "acos({in})", "atan2": "atan({iny}, {inx=1})", "sqrt": "sqrt({in})", "ln": "log({in})", "exp": "exp({in})",
	"clamp": "clamp({in}, {low=0}, {high=1})", "min": "min({in1}, {in2})", "max": "max({in1}, {in2})", "normalize": "normalize({in})", "magnitude": "length({in})", "distance": "distance({in1}, {in2})", "dotproduct": "dot({in1}, {in2})", "crossproduct": "cross({in1}, {in2})", "reflect": "reflect({in}, {normal})",
	"remap": "{outlow=0} + ({in} - {inlow=0}) / ({inhigh=1} - {inlow=0}) * ({outhigh=1} - {outlow=0})", "smoothstep": "smoothstep({low=0}, {high=1}, {in})", "contrast": "({in} - {pivot=0.5}) * {amount=1} + {pivot=0.5}",
	"luminance": "vec3(dot({in}, vec3(0.2126, 0.7152, 0.0722)))", "plus": "mix({bg}, {bg} + {fg}, {mix=1})", "minus": "mix({bg}, {bg} - {fg}, {mix=1})", "mix": "mix({bg}, {fg}, {mix=0})", "combine2": "vec3({in1}, {in2}, 0.0)"}

// comparisons are nodes that choose: their test.
var comparisons = map[string]string{"ifgreater": ">", "ifgreatereq": ">=", "ifequal": "=="}

// become makes a node of ours, or several, of one of the document.
func (s *readScope) become(n *Node, output string) (read, error) {
	in := func(name string) *Input {
		for i := range n.Inputs {
			if n.Inputs[i].Name == name {
				return &n.Inputs[i]
			}
		}
		return nil
	}
	// fed returns an input as one of ours takes it.
	fed := func(name string, t network.Type, otherwise any) (network.Input, error) {
		e := in(name)
		if e == nil {
			return network.Input{Value: otherwise}, nil
		}
		v, err := s.input(e)
		if err == nil && len(v.Wires) == 0 {
			v.Value = asType(v.Value, t)
		}
		return v, err
	}
	title := s.title(n)
	out := func(id, port string) (read, error) { return read{ref: network.Ref{Node: id, Port: port}}, nil }
	text := func(name, otherwise string) string {
		if e := in(name); e != nil && e.Value != "" {
			return e.Value
		}
		return otherwise
	}
	of := typeIn(n.Type)
	switch n.Category {
	case "constant", "dot":
		key := map[string]string{"constant": "value", "dot": "in"}[n.Category]
		e := in(key)
		if e == nil {
			return read{value: asType(0.0, of)}, nil
		}
		v, err := s.value(e)
		if err == nil && v.ref.Node == "" && of == network.Color && n.Category == "constant" && e.InterfaceName == "" {
			if c, ok := v.value.(color.C); ok {
				return out(s.put("colour", title, map[string]any{"colour": c}, nil), "colour")
			}
		}
		return v, err
	case "convert":
		if e := in("in"); e != nil {
			v, err := s.value(e)
			if err == nil && v.ref.Node == "" {
				v.value = asType(v.value, of)
			}
			return v, err
		}
		return read{value: asType(0.0, of)}, nil
	case "position", "texcoord":
		space := text("space", "object")
		if n.Category == "texcoord" {
			space = "uv"
		} else {
			s.remark("%s: places are counted in diagonals here, not in lengths of the file", n.Name)
		}
		if space == "model" {
			space = "object"
		}
		return out(s.put("coordinates", title, map[string]any{"space": space}, nil), "vector")
	case "normal":
		space := text("space", "object")
		if space == "model" {
			space = "object"
		}
		return out(s.put("normal", title, map[string]any{"space": space}, nil), "vector")
	case "facingratio":
		f := s.put("facing", title, nil, map[string]network.Input{})
		if text("invert", "false") == "true" {
			return out(s.put("maths", "", map[string]any{"operation": "invert"}, map[string]network.Input{"a": {Wires: []network.Ref{{Node: f, Port: "tone"}}}}), "value")
		}
		return out(f, "tone")
	case "geomcolor":
		port := "colour"
		if of == network.Tone {
			port = "opacity"
		}
		return out(s.put("painted-values", title, nil, nil), port)
	case "time", "frame":
		return out(s.put("time", title, nil, nil), map[string]string{"time": "seconds", "frame": "frame"}[n.Category])
	case "noise3d", "fractal3d", "noise2d", "fractal2d":
		return s.noise(n, title, of, fed)
	case "worleynoise3d", "worleynoise2d", "cellnoise3d", "cellnoise2d":
		place, err := fed(map[bool]string{true: "texcoord", false: "position"}[strings.HasSuffix(n.Category, "2d")], network.Vector, nil)
		if err != nil {
			return read{}, err
		}
		jitter, err := fed("jitter", network.Tone, 1.0)
		if err != nil {
			return read{}, err
		}
		s.remark("%s: the cells are others of the same kind", n.Name)
		id := s.put("cells", title, nil, map[string]network.Input{"place": wired(place), "size": {Value: 1.0}, "jitter": jitter})
		if strings.HasPrefix(n.Category, "cell") {
			return out(id, "id")
		}
		if n.Type != "float" { // the nearest and the second as one
			second := s.put("cells", title, map[string]any{"edge": "second"}, map[string]network.Input{"place": wired(place), "size": {Value: 1.0}, "jitter": jitter})
			ref := func(port string) network.Input {
				return network.Input{Wires: []network.Ref{{Node: second, Port: port}}}
			}
			return out(s.put("join", "", map[string]any{"space": "xyz"}, map[string]network.Input{"x": ref("nearest"), "y": ref("edge"), "z": {Value: 0.0}}), "colour")
		}
		return out(id, "nearest")
	case "image", "tiledimage":
		s.remark("%s: its picture %q is not in the document; choose it", n.Name, text("file", ""))
		wrap := map[string]string{"clamp": "clamp", "constant": "clamp", "mirror": "mirror"}[text("uaddressmode", "periodic")]
		if wrap == "" {
			wrap = "repeat"
		}
		set := map[string]any{"beyond": wrap}
		if text("filtertype", "linear") == "closest" {
			set["pixels"] = "nearest"
		}
		place, err := fed("texcoord", network.Vector, nil)
		if err != nil {
			return read{}, err
		}
		return out(s.put("image", title, set, map[string]network.Input{"place": wired(place)}), "colour")
	case "normalmap", "bump":
		kind, key, depth := "normal-map", "map", "strength"
		from, t := "in", network.Color
		if n.Category == "bump" {
			kind, key, depth, from, t = "bump", "height", "depth", "height", network.Tone
		}
		height, err := fed(from, t, nil)
		if err != nil {
			return read{}, err
		}
		scale, err := fed("scale", network.Tone, 1.0)
		if err != nil {
			return read{}, err
		}
		return out(s.put(kind, title, nil, map[string]network.Input{key: height, depth: scale}), "normal")
	case "extract":
		e, err := fed("in", network.Vector, [3]float64{})
		if err != nil {
			return read{}, err
		}
		k, _ := strconv.Atoi(text("index", "0"))
		return s.part(e, k, title)
	case "separate2", "separate3", "separate4":
		e, err := fed("in", network.Vector, [3]float64{})
		if err != nil {
			return read{}, err
		}
		k := map[string]int{"outr": 0, "outx": 0, "outg": 1, "outy": 1, "outb": 2, "outz": 2, "outa": 3, "outw": 3}[output]
		return s.part(e, k, title)
	case "combine3", "combine4":
		space := "xyz"
		if of == network.Color {
			space = "rgb"
		}
		list := map[string]network.Input{}
		for i, key := range "xyz" {
			e, err := fed(fmt.Sprint("in", i+1), network.Tone, 0.0)
			if err != nil {
				return read{}, err
			}
			list[string(key)] = e
		}
		return out(s.put("join", title, map[string]any{"space": space}, list), "colour")
	case "screen", "overlay", "difference", "burn", "dodge":
		list := map[string]network.Input{}
		for key, from := range map[string]string{"base": "bg", "over": "fg"} {
			e, err := fed(from, network.Color, color.C{})
			if err != nil {
				return read{}, err
			}
			list[key] = e
		}
		amount, err := fed("mix", network.Tone, 1.0)
		if err != nil {
			return read{}, err
		}
		list["amount"] = amount
		mode := map[string]string{"burn": "color-burn", "dodge": "color-dodge"}[n.Category]
		if mode == "" {
			mode = n.Category
		}
		return out(s.put("blend", title, map[string]any{"mode": mode}, list), "colour")
	case "mix":
		if of == network.Color {
			base, err := fed("bg", network.Color, color.C{})
			if err != nil {
				return read{}, err
			}
			over, err := fed("fg", network.Color, color.C{})
			if err != nil {
				return read{}, err
			}
			amount, err := fed("mix", network.Tone, 0.0)
			if err != nil {
				return read{}, err
			}
			return out(s.put("blend", title, nil, map[string]network.Input{"base": base, "over": over, "amount": amount}), "colour")
		}
	case "rotate3d":
		s.remark("%s: the turn is left out; take Place", n.Name)
		if e := in("in"); e != nil {
			return s.value(e)
		}
	case "range":
		return s.formula(n, title, of, "({outlow=0} + pow(clamp(({in} - {inlow=0}) / ({inhigh=1} - {inlow=0}), 0.0, 1.0), 1.0 / {gamma=1}) * ({outhigh=1} - {outlow=0}))")
	case "rgbtohsv", "hsvtorgb", "hsvadjust", "saturate":
		s.remark("%s, a %s: left out, its colour goes on as it is", n.Name, n.Category)
		if e := in("in"); e != nil {
			return s.value(e)
		}
	}
	if test, ok := comparisons[n.Category]; ok {
		return s.formula(n, title, of, "({value1=1} "+test+" {value2=0} ? {in1} : {in2})")
	}
	if text, ok := expressions[n.Category]; ok {
		if e := in("in2"); n.Category == "power" && of != network.Tone && e != nil && typeIn(e.Type) == network.Tone {
			text = "pow({in1}, vec3({in2}))"
		}
		return s.formula(n, title, of, text)
	}
	s.remark("%s, a %s, is not known here: a middle value stands in its place", n.Name, n.Category)
	return read{value: asType(0.5, of)}, nil
}

// wired returns an input if something is wired to it, nothing else.
func wired(in network.Input) network.Input {
	if len(in.Wires) == 0 {
		return network.Input{}
	}
	return in
}

// title returns what a node that is read is called.
func (s *readScope) title(n *Node) string {
	name := strings.ReplaceAll(n.Name, "_", " ")
	if len(name) > 60 {
		name = name[:60]
	}
	return name
}

// part returns one component of a value.
func (s *readScope) part(in network.Input, k int, title string) (read, error) {
	if len(in.Wires) == 0 {
		v, _ := asType(in.Value, network.Vector).([3]float64)
		if k > 2 {
			return read{value: 1.0}, nil
		}
		return read{value: v[max(0, k)]}, nil
	}
	if k > 2 {
		s.remark("%s: opacity is not carried on; it is 1", title)
		return read{value: 1.0}, nil
	}
	id := s.put("split", title, map[string]any{"space": "xyz"}, map[string]network.Input{"colour": in})
	return read{ref: network.Ref{Node: id, Port: string("xyz"[max(0, k)])}}, nil
}

func (s *readScope) noise(n *Node, title string, of network.Type, fed func(string, network.Type, any) (network.Input, error)) (read, error) {
	place, err := fed(map[bool]string{true: "texcoord", false: "position"}[strings.HasSuffix(n.Category, "2d")], network.Vector, nil)
	if err != nil {
		return read{}, err
	}
	octaves := 1.0
	in := map[string]network.Input{"place": wired(place), "size": {Value: 1.0}}
	if strings.HasPrefix(n.Category, "fractal") {
		octaves = 3
		for i := range n.Inputs {
			if e := &n.Inputs[i]; e.Name == "octaves" && e.NodeName == "" {
				octaves, _ = parsed(e.Value, "float").(float64)
			}
		}
		for key, from := range map[string]string{"finer": "lacunarity", "gain": "diminish"} {
			e, err := fed(from, network.Tone, map[string]any{"finer": 2.0, "gain": 0.5}[key])
			if err != nil {
				return read{}, err
			}
			in[key] = e
		}
	}
	s.remark("%s: the noise is another of the same kind", n.Name)
	port := "tone"
	if of != network.Tone {
		port = "colour"
	}
	id := s.put("noise", title, map[string]any{"octaves": max(1, min(12, octaves))}, in)
	// About 0 there, about ½ here.
	kind := map[bool]network.Type{true: network.Tone, false: network.Color}[of == network.Tone]
	f := s.put("formula", "", map[string]any{"text": "2.0 * a - 1.0", "inputs": []network.Argument{{Key: "a", Type: kind}}}, map[string]network.Input{"a": {Wires: []network.Ref{{Node: id, Port: port}}}})
	return read{ref: network.Ref{Node: f, Port: "value"}}, nil
}

// formula makes a Formula of an expression over the inputs of a node.
func (s *readScope) formula(n *Node, title string, of network.Type, text string) (read, error) {
	var args []network.Argument
	list := map[string]network.Input{}
	var b strings.Builder
	for text != "" {
		i := strings.IndexByte(text, '{')
		if i < 0 {
			b.WriteString(text)
			break
		}
		b.WriteString(text[:i])
		name, rest, _ := strings.Cut(text[i+1:], "}")
		text = rest
		name, otherwise, has := strings.Cut(name, "=")
		key := strings.NewReplacer("in1", "a", "in2", "b", "in", "v", "value1", "p", "value2", "q", "mix", "amount").Replace(name)
		if name == "in1" || name == "in2" {
			key = map[string]string{"in1": "a", "in2": "b"}[name]
		}
		if k := slices.IndexFunc(n.Inputs, func(e Input) bool { return e.Name == name }); k >= 0 {
			e := &n.Inputs[k]
			in, err := s.input(e)
			if err != nil {
				return read{}, err
			}
			if len(in.Wires) == 0 {
				in.Value = asType(in.Value, typeIn(e.Type))
			}
			if _, there := list[key]; !there {
				args = append(args, network.Argument{Key: key, Type: typeIn(e.Type)})
				list[key] = in
			}
			b.WriteString(key)
			continue
		}
		if !has {
			otherwise = "0.0"
			if typeIn(n.Type) != network.Tone && n.Category != "magnitude" {
				otherwise = "vec3(0.0)"
			}
		}
		if !strings.Contains(otherwise, ".") {
			otherwise += ".0"
		}
		b.WriteString(otherwise)
	}
	if args == nil {
		args = []network.Argument{}
	}
	if _, err := node.CheckFormula(b.String(), args); err != nil {
		s.remark("%s, a %s of a %s, is not known here: a middle value stands in its place", n.Name, n.Category, n.Type)
		return read{value: asType(0.5, of)}, nil
	}
	set := map[string]any{"text": b.String(), "inputs": args}
	if of == network.Vector {
		set["gives"] = string(network.Vector)
	}
	id := s.put("formula", title, set, list)
	return read{ref: network.Ref{Node: id, Port: "value"}}, nil
}

package materialx

import (
	"archive/zip"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"maps"
	"slices"
	"strings"
	"unicode"

	"mobanta/core/color"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Look is a look as a document.
type Look struct {
	Document *Document
	Remarks  names.Remarks     // what does not travel, in sentences
	Pictures map[string]string // names of files → hashes
}

// Of writes a look of a project that has been made ready. mean gives what a node's output, named as in the flat network, comes to
// over the surface, for those that stay.
func Of(p *project.Project, job scene.Job, look string, mean func(ref network.Ref) []float32) (*Look, error) {
	l := p.Look(look)
	if l == nil {
		return nil, fmt.Errorf("materialx: there is no look %.40q", look)
	}
	w := &writer{p: p, l: l, cat: p.Catalogue(), scene: &node.Scene{Scene: job.Scene, Time: node.At(job.Scene.Stage.Time)}, mean: mean, out: &Look{Document: &Document{Version: "1.39", ColorSpace: "lin_rec709"}, Pictures: map[string]string{}}, defs: map[string]string{}, taken: map[string]bool{}, size: 1}
	for _, part := range job.Scene.Parts { // the first model that wears it says how large 1 is
		if part.Look == look {
			if d := job.Scene.Models[part.Model].Surface.Box.Diagonal(); d > 0 {
				w.size = float64(d)
			}
			break
		}
	}
	net := &l.Network
	if bypassed(net, p.Groups) { // what is bypassed is written as what it hands on, which is known of the flat network
		flat, err := w.cat.Flatten(net)
		if err != nil {
			return nil, err
		}
		net = w.renamed(flat)
	}
	end := net.Finish()
	if end == nil {
		return nil, fmt.Errorf("materialx: %q has no Finish", l.Name)
	}
	s := &scope{writer: w, net: net, top: true, outs: map[string]map[string]node.XArg{}, names: map[string]bool{}}
	spec := w.cat.Of(end)
	colour, err := s.input(end, spec.Input("colour"), nil)
	if err != nil {
		return nil, err
	}
	opacity, err := s.input(end, spec.Input("opacity"), nil)
	if err != nil {
		return nil, err
	}
	if len(end.In["lines"].Wires) > 0 {
		w.remark("Lines are drawn on pictures and are left out.")
	}
	if len(end.In[node.Displacing].Wires) > 0 {
		w.remark("What moves the surface is left out.")
	}
	base := w.free(slug(l.Name))
	g := Graph{Name: "NG_" + base, Inputs: s.inputs, Nodes: s.nodes}
	g.Outputs = []Input{s.output("colour", colour), s.output("opacity", opacity)}
	g.Nodes = s.nodes
	d := w.out.Document
	d.Graphs = append(d.Graphs, g)
	d.Nodes = append(d.Nodes,
		Node{Category: "surface_unlit", Name: "SR_" + base, Type: "surfaceshader", Inputs: []Input{{Name: "emission", Type: "float", Value: "1"},
			{Name: "emission_color", Type: "color3", NodeGraph: g.Name, Output: "colour"}, {Name: "opacity", Type: "float", NodeGraph: g.Name, Output: "opacity"}}},
		Node{Category: "surfacematerial", Name: "M_" + base, Type: "material", Inputs: []Input{{Name: "surfaceshader", Type: "surfaceshader", NodeName: "SR_" + base}}})
	return w.out, d.Check()
}

// renamed returns a flat network with ids that a network may have: those of what lies in groups tell the way there.
func (w *writer) renamed(flat *network.Network) *network.Network {
	w.flat = map[string]string{}
	now := map[string]string{}
	for i := range flat.Nodes {
		id := flat.Nodes[i].ID
		now[id] = id
		if strings.Contains(id, "/") {
			now[id] = fmt.Sprint("inner", i+1)
			for k := 2; flat.Node(now[id]) != nil; k++ {
				now[id] = fmt.Sprint("inner", i+1, "-", k)
			}
		}
		w.flat[now[id]] = id
	}
	out := flat.Clone()
	for i := range out.Nodes {
		d := &out.Nodes[i]
		d.ID = now[d.ID]
		for key, in := range d.In {
			in = passing(flat, in)
			in.Wires = slices.Clone(in.Wires)
			for k := range in.Wires {
				in.Wires[k].Node = now[in.Wires[k].Node]
			}
			d.In[key] = in
		}
	}
	return &out
}

// passing returns what feeds an input behind nodes that are bypassed: those have no counterpart that comes back.
func passing(flat *network.Network, in network.Input) network.Input {
	for range len(flat.Nodes) {
		if len(in.Wires) != 1 {
			break
		}
		d := flat.Node(in.Wires[0].Node)
		if d == nil || !strings.HasPrefix(d.Kind, network.PassKind) {
			break
		}
		next := d.In["value"]
		if len(next.Wires) != 1 {
			break
		}
		in = next
	}
	return in
}

func bypassed(net *network.Network, groups []network.Group) bool {
	off := func(n *network.Network) bool {
		return slices.ContainsFunc(n.Nodes, func(d network.Node) bool { return d.Off })
	}
	return off(net) || slices.ContainsFunc(groups, func(g network.Group) bool { return off(&g.Network) })
}

type writer struct {
	p     *project.Project
	l     *project.Look
	cat   network.Grouped
	scene *node.Scene
	mean  func(network.Ref) []float32
	size  float64
	out   *Look
	defs  map[string]string // groups, as they are used → the kind of node that stands for them
	taken map[string]bool
	flat  map[string]string // where the network was made flat: its ids there
}

func (w *writer) remark(format string, of ...any) { w.out.Remarks.Add(0, format, of...) }

func (w *writer) free(base string) string {
	n := base
	for k := 2; w.taken[n]; k++ {
		n = fmt.Sprint(base, k)
	}
	w.taken[n] = true
	return n
}

// slug returns a name as the standard has them.
func slug(s string) string {
	var out strings.Builder
	for _, r := range s {
		switch {
		case r < 128 && (unicode.IsLetter(r) || unicode.IsDigit(r)):
			out.WriteRune(unicode.ToLower(r))
		case out.Len() > 0 && !strings.HasSuffix(out.String(), "_"):
			out.WriteByte('_')
		}
	}
	n := strings.Trim(out.String(), "_")
	if n == "" || unicode.IsDigit(rune(n[0])) {
		n = "n" + n
	}
	return n
}

// scope is a network being written: that of a look, or of a group.
type scope struct {
	*writer
	net    *network.Network
	path   string // from the look to the group
	top    bool
	iface  map[network.Ref]string // inner inputs that the group's own feed
	inputs []Input
	nodes  []Node
	outs   map[string]map[string]node.XArg
	names  map[string]bool
	going  map[string]bool
}

// name returns a name that no node of the graph has.
func (s *scope) name(base string) string {
	n := base
	for k := 2; s.names[n]; k++ {
		n = fmt.Sprint(base, k)
	}
	s.names[n] = true
	return n
}

// output returns an output of the graph that gives an argument.
func (s *scope) output(name string, a node.XArg) Input {
	if a.Node == "" && a.Interface == "" {
		n := Node{Category: "constant", Name: s.name(name + "_value"), Type: string(a.Type), Inputs: []Input{{Name: "value", Type: string(a.Type), Value: a.Value}}}
		s.nodes = append(s.nodes, n)
		a = node.XArg{Type: a.Type, Node: n.Name}
	}
	if a.Interface != "" {
		n := Node{Category: "dot", Name: s.name(name + "_value"), Type: string(a.Type), Inputs: []Input{{Name: "in", Type: string(a.Type), InterfaceName: a.Interface}}}
		s.nodes = append(s.nodes, n)
		a = node.XArg{Type: a.Type, Node: n.Name}
	}
	return Input{Name: name, Type: string(a.Type), NodeName: a.Node, Output: a.Output}
}

// input returns what feeds an input of a node. m writes what converts it; nil for Finish, where it is done aside.
func (s *scope) input(d *network.Node, port *network.Port, m *node.MaterialX) (node.XArg, error) {
	want := node.XTypeOf(port.Type)
	if name, ok := s.iface[network.Ref{Node: d.ID, Port: port.Key}]; ok {
		return node.XArg{Type: want, Interface: name}, nil
	}
	wires := d.In[port.Key].Wires
	if len(wires) == 0 {
		return s.constant(d, port), nil
	}
	src := s.net.Node(wires[0].Node)
	outs, err := s.node(src)
	if err != nil {
		return node.XArg{}, err
	}
	key := s.cat.Of(src).Output(wires[0].Port).Key
	a, ok := outs[key]
	if !ok {
		return s.constant(d, port), nil
	}
	if a.Type == want {
		return a, nil
	}
	if m != nil {
		return m.As(a, want), nil
	}
	aside := node.NewMaterialX(s.name("convert"), nil, nil, nil)
	a = aside.As(a, want)
	s.add(aside.Nodes, "", "")
	return a, nil
}

// constant returns what is typed in: an input of the graph where a look has a dial for it, or it follows a swatch.
func (s *scope) constant(d *network.Node, port *network.Port) node.XArg {
	switch v := d.Constant(port).(type) {
	case float64:
		a := node.XNumber(v)
		if s.top {
			for i := range s.l.Network.Dials {
				if dial := &s.l.Network.Dials[i]; dial.Node == d.ID && dial.Key == port.Key {
					return s.shown(a, dial.Name, fmt.Sprint(dial.Min), fmt.Sprint(dial.Max), dial.Min < dial.Max)
				}
			}
		}
		return a
	case color.C:
		a := node.XThree(node.XColor, v)
		if sw := s.p.Swatch(d.Swatches[port.Key]); sw != nil && s.top {
			name := sw.Name
			if name == "" {
				name = sw.Color.Hex()
			}
			return s.shown(a, name, "", "", false)
		}
		return a
	case [3]float64:
		return node.XThree(node.XVector, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
	}
	return node.XArg{Type: node.XTypeOf(port.Type), Value: "0"}
}

// shown returns an input of the look's graph.
func (s *scope) shown(a node.XArg, label, lo, hi string, ranged bool) node.XArg {
	name := slug(label)
	for i := range s.inputs {
		if e := &s.inputs[i]; e.UIName == label && e.Type == string(a.Type) && e.Value == a.Value {
			return node.XArg{Type: a.Type, Interface: e.Name}
		}
	}
	base := name
	for k := 2; slices.ContainsFunc(s.inputs, func(e Input) bool { return e.Name == name }); k++ {
		name = fmt.Sprint(base, k)
	}
	in := Input{Name: name, Type: string(a.Type), Value: a.Value, UIName: label}
	if ranged {
		in.UIMin, in.UIMax = lo, hi
	}
	s.inputs = append(s.inputs, in)
	return node.XArg{Type: a.Type, Interface: name}
}

// node writes a node and returns its outputs.
func (s *scope) node(d *network.Node) (map[string]node.XArg, error) {
	if outs, ok := s.outs[d.ID]; ok {
		return outs, nil
	}
	if s.going == nil {
		s.going = map[string]bool{}
	}
	if s.going[d.ID] {
		return nil, fmt.Errorf("materialx: %s reads itself", d.ID)
	}
	s.going[d.ID] = true
	defer delete(s.going, d.ID)
	spec := s.cat.Of(d)
	if g := s.cat.GroupOf(d); g != nil {
		outs, err := s.group(d, g, spec)
		s.outs[d.ID] = outs
		return outs, err
	}
	kind := node.Catalogue{}.Kind(d.Kind)
	get := func(key string) any { return d.Value(spec.Setting(key)) }
	var data any
	if kind != nil && kind.Prepare != nil {
		data = kind.Prepare(get)
	}
	name := s.name(slug(d.Title(s.cat)))
	// What feeds it is written before it is, its conversions with it.
	m := node.NewMaterialX(name, get, nil, s.file)
	inputs := map[string]node.XArg{}
	for i := range spec.Inputs {
		port := &spec.Inputs[i]
		_, outside := s.iface[network.Ref{Node: d.ID, Port: port.Key}]
		if port.Type == network.Lines || port.Hidden && len(d.In[port.Key].Wires) == 0 && !outside {
			continue
		}
		a, err := s.input(d, port, m)
		if err != nil {
			return nil, err
		}
		if port.Unit {
			a = m.Put("normalize", a.Type, "in", a)
		}
		inputs[port.Key] = a
	}
	if strings.HasPrefix(d.Kind, network.PassKind) {
		a := inputs["value"]
		s.add(m.Nodes, "", "")
		s.outs[d.ID] = map[string]node.XArg{"value": a}
		return s.outs[d.ID], nil
	}
	m2 := node.NewMaterialX(name, get, func(key string) (node.XArg, bool) { a, ok := inputs[key]; return a, ok }, s.file)
	m2.Nodes = m.Nodes
	m2.Data, m2.Scene, m2.Size = data, s.scene, s.size
	if kind != nil && kind.Light != nil {
		r := kind.Light(data)
		m2.Lamps = r.Of(s.scene.Lights)
	}
	why := ""
	if kind == nil || kind.MaterialX == nil {
		if why = "it has no counterpart there"; kind != nil && kind.Stays != "" {
			why = kind.Stays
		}
	} else if kind.MaterialX(m2); m2.Why != "" {
		why = m2.Why
	}
	read := s.net.Read()
	if why != "" {
		s.remark("%s stays as its mean: %s", d.Title(s.cat), strings.TrimSuffix(why, ".")+".")
		outs := map[string]node.XArg{}
		for _, o := range spec.Outputs {
			if o.Type == network.Lines {
				continue
			}
			outs[o.Key] = s.meanOf(d, &o)
		}
		s.outs[d.ID] = outs
		return outs, nil
	}
	for _, left := range m2.Left {
		s.remark("%s: without %s.", d.Title(s.cat), left)
	}
	// Of what nobody reads nothing is written.
	outs := map[string]node.XArg{}
	for i, o := range spec.Outputs {
		if a, ok := m2.Outs[o.Key]; ok && (read[network.Ref{Node: d.ID, Port: o.Key}] || i == 0) {
			outs[o.Key] = a
		}
	}
	nodes := needed(m2.Nodes, outs)
	s.add(nodes, d.ID, s.marked(d, outs))
	s.outs[d.ID] = outs
	return outs, nil
}

// mark is what is written of a node of ours beside its pieces, so that it comes back as what it was.
type mark struct {
	Node network.Node      `json:"node"`
	Outs map[string]string `json:"outs"` // its outputs: names of pieces, with their outputs after a dot
}

// marked returns the mark of a node as JSON.
func (s *scope) marked(d *network.Node, outs map[string]node.XArg) string {
	m := mark{Node: *d, Outs: map[string]string{}}
	for key, a := range outs {
		if a.Node != "" {
			m.Outs[key] = strings.TrimSuffix(a.Node+"."+a.Output, ".")
		}
	}
	data, err := json.Marshal(m)
	if err != nil {
		return ""
	}
	return string(data)
}

// needed returns the nodes that outputs depend on, in their order.
func needed(nodes []node.XNode, outs map[string]node.XArg) []node.XNode {
	want := map[string]bool{}
	for _, a := range outs {
		want[a.Node] = true
	}
	for i := len(nodes) - 1; i >= 0; i-- {
		if want[nodes[i].Name] {
			for _, in := range nodes[i].Inputs {
				want[in.Arg.Node] = true
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(nodes), func(n node.XNode) bool { return !want[n.Name] })
}

// add puts nodes into the graph, marked as the pieces of one of ours.
func (s *scope) add(nodes []node.XNode, of, ours string) {
	first := len(s.nodes)
	for _, n := range nodes {
		s.names[n.Name] = true
		e := Node{Category: n.Category, Name: n.Name, Type: string(n.Type), Of: of}
		for _, in := range n.Inputs {
			a := Input{Name: in.Name, Type: string(in.Arg.Type), Value: in.Arg.Value, NodeName: in.Arg.Node, Output: in.Arg.Output, InterfaceName: in.Arg.Interface}
			if a.Type == "filename" {
				a.ColorSpace = "srgb_texture"
			}
			e.Inputs = append(e.Inputs, a)
		}
		s.nodes = append(s.nodes, e)
	}
	if len(s.nodes) > first && of != "" {
		s.nodes[first].Ours = ours
		s.nodes[first].Sum = sum(s.nodes[first:], s.inputs)
	}
}

// sum returns what tells whether the pieces of a node are as they were written, the values of the graph's inputs that they read
// included.
func sum(nodes []Node, inputs []Input) string {
	h := sha256.New()
	for i := range nodes {
		n := &nodes[i]
		fmt.Fprintf(h, "%q %q %q\n", n.Category, n.Name, n.Type)
		if n.ColorSpace != "" {
			fmt.Fprintf(h, "%q\n", n.ColorSpace)
		}
		for _, in := range n.Inputs {
			v := in.Value
			if in.NodeName != "" {
				v = ""
			}
			for _, e := range inputs {
				if in.InterfaceName != "" && e.Name == in.InterfaceName {
					v = e.Value
				}
			}
			fmt.Fprintf(h, " %q %q %q %q %q %q\n", in.Name, in.Type, v, in.NodeName, in.Output, in.InterfaceName)
		}
	}
	return fmt.Sprintf("%x", h.Sum(nil)[:12])
}

// meanOf returns what an output comes to over the surface.
func (s *scope) meanOf(d *network.Node, o *network.Port) node.XArg {
	v := []float32{0.5}
	at, ok := network.Ref{Node: s.flat[d.ID], Port: o.Key}, s.flat != nil
	if !ok {
		at, ok = s.cat.At(&s.l.Network, s.path, network.Ref{Node: d.ID, Port: o.Key})
	}
	if ok && s.mean != nil {
		if got := s.mean(at); len(got) > 0 {
			v = got
		}
	}
	if o.Type == network.Tone {
		return node.XNumber(float64(v[0]))
	}
	c := [3]float32{v[0], v[0], v[0]}
	if len(v) > 2 {
		c = [3]float32{v[0], v[1], v[2]}
	}
	return node.XThree(node.XTypeOf(o.Type), c)
}

// file returns the name of the file of a picture.
func (w *writer) file(hash string) string {
	if hash == "" {
		return "missing.png"
	}
	name := fmt.Sprintf("picture_%.8s.png", hash)
	w.out.Pictures[name] = hash
	return name
}

// group writes a use of a group: as a node of a kind that is defined in the document.
func (s *scope) group(d *network.Node, g *network.Group, spec *network.Spec) (map[string]node.XArg, error) {
	category, err := s.define(d, g, spec)
	if err != nil {
		return nil, err
	}
	def := &s.out.Document.NodeDefs[slices.IndexFunc(s.out.Document.NodeDefs, func(e NodeDef) bool { return e.Node == category })]
	inputsOf, outputsOf := slices.Clone(def.Inputs), slices.Clone(def.Outputs)
	m := node.NewMaterialX(s.name(slug(d.Title(s.cat))), nil, nil, nil)
	var in []any
	for _, e := range inputsOf {
		port := spec.Input(e.Key)
		a, err := s.input(d, port, m)
		if err != nil {
			return nil, err
		}
		in = append(in, e.Name, a)
	}
	t := node.XType("multioutput")
	if len(outputsOf) == 1 {
		t = node.XType(outputsOf[0].Type)
	}
	a := m.Put(category, t, in...)
	outs := map[string]node.XArg{}
	for _, o := range outputsOf {
		e := node.XArg{Type: node.XType(o.Type), Node: a.Node}
		if len(outputsOf) > 1 {
			e.Output = o.Name
		}
		for k := range g.Outputs {
			if slug(g.Outputs[k].Key) == o.Name {
				outs[g.Outputs[k].Key] = e
			}
		}
	}
	s.add(m.Nodes, d.ID, s.marked(d, outs))
	return outs, nil
}

// define writes a group as a kind of node, as one of its uses sets it: settings that it shows are those of the use, and inputs
// that stand for the point's own are there where something is wired to them.
func (s *scope) define(d *network.Node, g *network.Group, spec *network.Spec) (string, error) {
	inner := g.Network.Clone()
	iface := map[network.Ref]string{}
	var inputs []Input
	sign := g.ID
	for i := range g.Inputs {
		e := &g.Inputs[i]
		port := spec.Input(e.Key)
		if port == nil { // a setting
			if set := spec.Setting(e.Key); set != nil {
				v := d.Value(set)
				sign += fmt.Sprintf("|%s=%v", e.Key, v)
				for _, to := range e.To {
					if n := inner.Node(to.Node); n != nil {
						n.Choose(to.Port, v)
					}
				}
			}
			continue
		}
		if port.Type == network.Lines || port.Hidden && len(d.In[e.Key].Wires) == 0 {
			if _, fed := s.iface[network.Ref{Node: d.ID, Port: e.Key}]; !fed {
				continue
			}
		}
		name := slug(e.Key)
		sign += "|" + name
		a := s.constant(&network.Node{}, port)
		if a.Value == "" {
			a.Value = "0"
		}
		inputs = append(inputs, Input{Name: name, Type: string(node.XTypeOf(port.Type)), Value: a.Value, UIName: e.Name, Key: e.Key})
		for _, to := range e.To {
			iface[to] = name
		}
	}
	if category, ok := s.defs[sign]; ok {
		return category, nil
	}
	base := s.free("group_" + slug(g.Name))
	sc := &scope{writer: s.writer, net: &inner, path: strings.TrimPrefix(s.path+"/"+d.ID, "/"), iface: iface, outs: map[string]map[string]node.XArg{}, names: map[string]bool{}}
	def := NodeDef{Name: "ND_" + base, Node: base, Inputs: inputs, Doc: g.Note}
	graph := Graph{Name: "NG_" + base, NodeDef: def.Name}
	for i := range g.Outputs {
		o := &g.Outputs[i]
		port := spec.Output(o.Key)
		if port == nil || port.Type == network.Lines || len(o.To) == 0 {
			continue
		}
		outs, err := sc.node(inner.Node(o.To[0].Node))
		if err != nil {
			return "", err
		}
		src := inner.Node(o.To[0].Node)
		a, ok := outs[s.cat.Of(src).Output(o.To[0].Port).Key]
		if !ok {
			continue
		}
		out := sc.output(slug(o.Key), a)
		graph.Outputs = append(graph.Outputs, out)
		def.Outputs = append(def.Outputs, Input{Name: out.Name, Type: out.Type})
	}
	if len(def.Outputs) == 0 {
		return "", fmt.Errorf("materialx: group %q gives nothing that travels", g.Name)
	}
	graph.Nodes = sc.nodes
	data, err := json.Marshal(g)
	if err != nil {
		return "", fmt.Errorf("materialx: %w", err)
	}
	def.Ours, def.Sum = string(data), sum(append(slices.Clone(graph.Nodes), Node{Category: fmt.Sprint(len(inputs), len(def.Outputs))}), nil)
	doc := s.out.Document
	doc.NodeDefs, doc.Graphs = append(doc.NodeDefs, def), append(doc.Graphs, graph)
	s.defs[sign] = base
	return base, nil
}

// Write writes the document; with pictures it is a ZIP that holds them beside it.
func (l *Look) Write(w io.Writer, files stage.Files) error {
	if len(l.Pictures) == 0 {
		return l.Document.Write(w)
	}
	z := zip.NewWriter(w)
	f, err := z.Create("look.mtlx")
	if err == nil {
		err = l.Document.Write(f)
	}
	for _, name := range slices.Sorted(maps.Keys(l.Pictures)) {
		pic, missing := files.Picture(l.Pictures[name])
		if missing != nil {
			continue
		}
		if err == nil {
			f, err = z.Create(name)
		}
		if err == nil {
			err = png.Encode(f, pic.Image())
		}
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		return fmt.Errorf("materialx: %w", err)
	}
	return nil
}

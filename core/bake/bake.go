// Package bake lays what looks come to over the texture coordinates of models: pictures to be put on the model
// elsewhere, where no network is.
package bake

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/eval"
	"mobanta/core/names"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/project"
	"mobanta/core/sample"
	"mobanta/core/scene"
	"mobanta/core/stage"
)

// Order says what is baked of a model.
type Order struct {
	Model   string   `json:"model"`             // its id; "" for the first that wears a look
	Parts   []string `json:"parts,omitempty"`   // names; none for all that wear a look
	Apart   bool     `json:"apart,omitempty"`   // a picture for each part, not one for all
	Outputs []Output `json:"outputs,omitempty"` // a picture for each; none for the finished colour
	Margin  *int     `json:"margin,omitempty"`  // how many texels colours grow past the borders of islands; nil for DefaultMargin
	Bits    int      `json:"bits,omitempty"`    // of a channel: 8 or 16; 0 for 8
	Eye     Eye      `json:"eye,omitempty"`
	Aspect  float64  `json:"aspect,omitempty"` // width over height of the page on which patterns lie, for FromCamera; 0 for 1.6
}

// Output is what of a look is baked.
type Output struct {
	Look string `json:"look,omitempty"` // its id
	Node string `json:"node,omitempty"` // of it; "" for the finished colour of every look
	Port string `json:"port,omitempty"`
	Data bool   `json:"data,omitempty"` // the numbers as they are, in place of colours as sRGB; vectors are halved about ½ either way
}

// Eye says what is done about what depends on where the eye is.
type Eye string

// What may be done.
const (
	Refused    Eye = ""       // nothing: a look that depends on the eye is not baked
	FromCamera Eye = "camera" // it is baked as the stage's camera sees it
	LeftOut    Eye = "out"    // highlights, rims and outlines are left out, patterns give their mean, the rest is as seen straight on
)

// Limits on orders, and what they are unless they say otherwise.
const (
	MaxSide       = 8192 // texels
	MaxMargin     = 256  // texels
	DefaultMargin = 16   // texels: as many as four halvings need
	MaxPictures   = 200
	leastSide     = 4
)

// Check returns why an order of pictures of w × h texels cannot be filled, as far as the document says, or nil. What it
// leaves open is filled in.
func (o *Order) Check(p *project.Project, w, h int) error {
	if w < leastSide || h < leastSide || w > MaxSide || h > MaxSide {
		return fmt.Errorf("bake: a texture has %d to %d texels to a side, not %d × %d", leastSide, MaxSide, w, h)
	}
	if o.Bits == 0 {
		o.Bits = 8
	}
	if o.Bits != 8 && o.Bits != 16 {
		return fmt.Errorf("bake: a texture has 8 or 16 bits, not %d", o.Bits)
	}
	if o.Margin == nil {
		o.Margin = new(int)
		*o.Margin = DefaultMargin
	}
	if *o.Margin < 0 || *o.Margin > MaxMargin {
		return fmt.Errorf("bake: the margin is 0 to %d texels, not %d", MaxMargin, *o.Margin)
	}
	if o.Aspect == 0 {
		o.Aspect = 1.6
	}
	if !(o.Aspect >= 0.1 && o.Aspect <= 10) {
		return errors.New("bake: the page is 0.1 to 10 times as wide as high")
	}
	if o.Eye != Refused && o.Eye != FromCamera && o.Eye != LeftOut {
		return fmt.Errorf("bake: what hangs on the eye is baked from the camera or left out, not %.20q", string(o.Eye))
	}
	if len(o.Parts) > MaxPictures || len(o.Outputs) > MaxPictures {
		return fmt.Errorf("bake: at most %d pictures are baked at once", MaxPictures)
	}
	m, err := o.model(p)
	if err != nil {
		return err
	}
	o.Model = m.ID
	for i := range o.Outputs {
		if _, err := o.output(p, &o.Outputs[i]); err != nil {
			return err
		}
	}
	return nil
}

// model returns the model that the order is about.
func (o *Order) model(p *project.Project) (*stage.Model, error) {
	for i := range p.Stage.Models {
		m := &p.Stage.Models[i]
		if m.ID == o.Model || o.Model == "" && slices.ContainsFunc(parts(m), func(part string) bool { return p.Look(m.Looks[part]) != nil }) {
			return m, nil
		}
	}
	if o.Model == "" {
		return nil, errors.New("bake: no model wears a look: put one on first")
	}
	return nil, errors.New("bake: the model is not there any more")
}

func parts(m *stage.Model) (out []string) {
	for part := range m.Looks {
		out = append(out, part)
	}
	return out
}

// output returns what an output carries.
func (o *Order) output(p *project.Project, out *Output) (network.Type, error) {
	if out.Node == "" {
		return network.Color, nil
	}
	l := p.Look(out.Look)
	if l == nil {
		return "", errors.New("bake: the look is not there any more")
	}
	d := l.Network.Node(out.Node)
	if d == nil {
		return "", fmt.Errorf("bake: %q has no node %.40q any more", l.Name, out.Node)
	}
	port := p.Catalogue().Of(d).Output(out.Port)
	if port == nil {
		return "", fmt.Errorf("bake: %s has no output %.40q", d.Title(p.Catalogue()), out.Port)
	}
	if port.Type == network.Lines {
		return "", fmt.Errorf("bake: %s draws lines on the picture, which lie on no surface", d.Title(p.Catalogue()))
	}
	return port.Type, nil
}

// Plan is an order that is ready to be filled: of a project at its moment.
type Plan struct {
	Pictures []Picture
	Remarks  []string // what to mind, in sentences
	Over     bool     // whether texture coordinates lie on each other

	order Order
	scene *stage.Scene
	view  *stage.View // of the camera; nil where what depends on the eye is left out, or nothing does
	nets  map[string]*network.Network
	lay   func(t int32) [3][2]float32 // where triangles lie on the picture; nil for where the model's texture coordinates say
}

// Picture is one picture that is to be baked.
type Picture struct {
	Name   string // of the part, if it is not for all, and of the output, without what a folder might mistake
	Parts  []int  // of the scene
	Output Output
	Type   network.Type
	Part   string // its name, if the picture is for one alone
}

// Scene returns the scene that is baked.
func (pl *Plan) Scene() *stage.Scene { return pl.scene }

// NewPlan returns how an order that has been checked is filled. An older scene lends what is the same; it may be nil.
func NewPlan(p *project.Project, files stage.Files, o Order, old *stage.Scene) (*Plan, error) {
	job, err := scene.Of(p, files, old)
	if err != nil {
		return nil, err
	}
	return PlanOf(p, job, o, nil)
}

// PlanOf is NewPlan for a project that has been made ready. lay says where the triangles of the scene lie on the picture; nil
// for where the model's texture coordinates say.
func PlanOf(p *project.Project, job scene.Job, o Order, lay func(t int32) [3][2]float32) (*Plan, error) {
	m, err := o.model(p)
	if err != nil {
		return nil, err
	}
	pl := &Plan{order: o, scene: job.Scene, nets: map[string]*network.Network{}, lay: lay}
	index := slices.IndexFunc(p.Stage.Models, func(e stage.Model) bool { return e.ID == m.ID })
	var all []int
	for i, part := range job.Scene.Parts {
		if part.Model != index || job.Looks[part.Look] == nil || len(o.Parts) > 0 && !slices.Contains(o.Parts, part.Name) {
			continue
		}
		if !part.UV && lay == nil {
			return nil, fmt.Errorf("bake: %q has no texture coordinates to lay a picture over: let its form unwrap it, on the stage", m.Name)
		}
		all = append(all, i)
	}
	for _, name := range o.Parts {
		if !slices.ContainsFunc(all, func(i int) bool { return job.Scene.Parts[i].Name == name }) {
			return nil, fmt.Errorf("bake: %q has no part %.40q that wears a look", m.Name, name)
		}
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("bake: no part of %q wears a look", m.Name)
	}
	outputs := o.Outputs
	if len(outputs) == 0 {
		outputs = []Output{{}}
	}
	seen := map[string]bool{}
	for _, out := range outputs {
		kind, err := o.output(p, &out)
		if err != nil {
			return nil, err
		}
		var group []int
		for _, i := range all {
			if look := job.Scene.Parts[i].Look; out.Node == "" || look == out.Look {
				group = append(group, i)
			}
		}
		if len(group) == 0 {
			return nil, fmt.Errorf("bake: no part of %q that is baked wears %q", m.Name, p.Look(out.Look).Name)
		}
		if out.Node != "" { // as it is called in the flat network
			at, ok := p.Catalogue().At(&p.Look(out.Look).Network, "", network.Ref{Node: out.Node, Port: out.Port})
			if !ok {
				return nil, fmt.Errorf("bake: nothing comes out of %.40q", out.Node)
			}
			out.Node, out.Port = at.Node, at.Port
		}
		title := outputName(p, o.Outputs, out, kind)
		if !o.Apart {
			pl.add(Picture{Name: title, Parts: group, Output: out, Type: kind}, m.Name, seen)
			continue
		}
		for _, i := range group {
			name := job.Scene.Parts[i].Name
			pl.add(Picture{Name: name + " " + title, Parts: []int{i}, Output: out, Type: kind, Part: name}, m.Name, seen)
		}
	}
	if len(pl.Pictures) > MaxPictures {
		return nil, fmt.Errorf("bake: these are %d pictures, more than the %d that are baked at once", len(pl.Pictures), MaxPictures)
	}
	if err := pl.see(p, job, all); err != nil {
		return nil, err
	}
	if lay == nil {
		pl.laid(job.Scene, m)
	}
	return pl, nil
}

// outputName returns what a picture of an output is called.
func outputName(p *project.Project, asked []Output, out Output, kind network.Type) string {
	if out.Node == "" {
		return "colour"
	}
	for _, a := range asked {
		l := p.Look(a.Look)
		if l == nil || a.Look != out.Look || a.Node == "" {
			continue
		}
		if at, ok := p.Catalogue().At(&l.Network, "", network.Ref{Node: a.Node, Port: a.Port}); ok && at.Node == out.Node && at.Port == out.Port {
			d := l.Network.Node(a.Node)
			if port := p.Catalogue().Of(d).Output(a.Port); port != nil && port.Name != string(kind) {
				return d.Title(p.Catalogue()) + " " + port.Name
			}
			return d.Title(p.Catalogue())
		}
	}
	return string(kind)
}

// add puts a picture in, under a name of its own.
func (pl *Plan) add(pic Picture, model string, seen map[string]bool) {
	base := names.FileName(model+" "+pic.Name, "")
	pic.Name = base
	for k := 2; seen[strings.ToLower(pic.Name)]; k++ {
		pic.Name = fmt.Sprint(base, " ", k)
	}
	seen[strings.ToLower(pic.Name)] = true
	pl.Pictures = append(pl.Pictures, pic)
}

// see decides from where the looks are seen, and what is left out.
func (pl *Plan) see(p *project.Project, job scene.Job, all []int) error {
	var hang, drawn []string // sentences' ends
	for _, i := range all {
		id := job.Scene.Parts[i].Look
		if pl.nets[id] != nil {
			continue
		}
		net, look := job.Looks[id], p.Look(id)
		pl.nets[id] = net
		program, err := eval.Compile(net, node.Catalogue{})
		if err != nil {
			return err
		}
		eyed := program.Eyed(pl.targets(program, net, id), job.Scene.Lights)
		if len(eyed) > 0 {
			var names []string
			for _, n := range eyed {
				if title := net.Node(n).Title(node.Catalogue{}); !slices.Contains(names, title) {
					names = append(names, title)
				}
			}
			hang = append(hang, fmt.Sprintf("%s (%s)", look.Name, strings.Join(names, ", ")))
			if pl.order.Eye == LeftOut {
				if err := pl.left(net, look, eyed); err != nil {
					return err
				}
				pl.nets[id] = blind(net, eyed)
			}
		}
		if end := net.Finish(); end != nil && len(end.In["lines"].Wires) > 0 && pl.finished() {
			drawn = append(drawn, look.Name)
		}
	}
	switch {
	case len(hang) == 0:
	case pl.order.Eye == FromCamera:
		const high = 1000
		view := p.Stage.Camera.View(int(pl.order.Aspect*high+0.5), high)
		pl.view = &view
		pl.Remarks = append(pl.Remarks, "Baked as the camera sees it, so right from there alone: "+strings.Join(hang, "; ")+".")
	case pl.order.Eye == LeftOut:
		pl.Remarks = append(pl.Remarks, "What hangs on where the eye is has been left out of "+strings.Join(hang, "; ")+".")
	default:
		return fmt.Errorf("bake: this hangs on where the eye is: %s. Choose the camera from which it is baked, or leave it out", strings.Join(hang, "; "))
	}
	if len(drawn) > 0 {
		pl.Remarks = append(pl.Remarks, "Lines are drawn on pictures, not on surfaces, and are left out: "+strings.Join(drawn, ", ")+".")
	}
	return nil
}

// left returns an error for an output that is nothing once what depends on the eye is left out: it is of such a node itself.
func (pl *Plan) left(net *network.Network, look *project.Look, eyed []string) error {
	for i := range pl.Pictures {
		o := &pl.Pictures[i].Output
		if d := net.Node(o.Node); o.Look == look.ID && d != nil && slices.Contains(eyed, d.ID) && (node.Catalogue{}).Kind(d.Kind).Unseen {
			return fmt.Errorf("bake: %s (%s) is nothing once what hangs on the eye is left out: bake it as the camera sees it", d.Title(node.Catalogue{}), look.Name)
		}
	}
	return nil
}

// finished tells whether the finished colour is baked.
func (pl *Plan) finished() bool {
	return slices.ContainsFunc(pl.Pictures, func(pic Picture) bool { return pic.Output.Node == "" })
}

// targets returns what is asked of a look.
func (pl *Plan) targets(program *eval.Program, net *network.Network, look string) (out []eval.Target) {
	for i := range pl.Pictures {
		if o := &pl.Pictures[i].Output; o.Node == "" {
			out = append(out, finished(program, net)...)
		} else if o.Look == look {
			if t, _, err := program.Output(network.Ref{Node: o.Node, Port: o.Port}); err == nil {
				out = append(out, t)
			}
		}
	}
	return out
}

// finished returns the targets for a look's colour and opacity.
func finished(program *eval.Program, net *network.Network) []eval.Target {
	end := net.Finish()
	if end == nil {
		return nil
	}
	return append(program.Input(end.ID, "colour")[:1:1], program.Input(end.ID, "opacity")[:1]...)
}

// blind returns a flat network without what some of its nodes, which depend on the eye, add: those that are nothing where
// no eye sees them are 0, and patterns give what they come to on average.
func blind(net *network.Network, eyed []string) *network.Network {
	out := net.Clone()
	cat := node.Catalogue{}
	for i := range out.Nodes {
		d := &out.Nodes[i]
		if slices.Contains(eyed, d.ID) && node.ConcernsOf(d).Printed != "" {
			d.Kind = node.Even(d.Kind)
		}
		spec := cat.Of(d)
		for k := range spec.Inputs {
			port := &spec.Inputs[k]
			in, ok := d.In[port.Key]
			if !ok || len(in.Wires) == 0 || port.Type == network.Lines {
				continue
			}
			src := out.Node(in.Wires[0].Node)
			if src == nil || !slices.Contains(eyed, src.ID) || !cat.Kind(src.Kind).Unseen {
				continue
			}
			if port.Hidden { // which says where, or which way: unwired it is the surface's own
				delete(d.In, port.Key)
				continue
			}
			d.In[port.Key] = network.Input{Value: network.Converted(0.0, network.Tone, port.Type)}
		}
	}
	return &out
}

// laid looks through the texture coordinates of the parts that are baked.
func (pl *Plan) laid(sc *stage.Scene, m *stage.Model) {
	const size = 256 // texels, to find what lies on what
	over, texels, wide, outside, mirrored, plain := 0, 0, 0, 0, 0, 0
	done := map[string]bool{}
	for i := range pl.Pictures {
		pic := &pl.Pictures[i]
		key := fmt.Sprint(pic.Parts)
		if done[key] {
			continue
		}
		done[key] = true
		x := sample.Texels{W: size, H: size, At: [2]float64{0.5, 0.5}}
		p, _ := x.Points(sc, nil, pic.has)
		over, texels, wide = over+x.Over, texels+p.N, wide+x.Wide
		for t, tri := range sc.Tri {
			if !pic.has(sc.TriPart[t]) {
				continue
			}
			a, b, c := sc.UV[tri[0]], sc.UV[tri[1]], sc.UV[tri[2]]
			switch det := (b[0]-a[0])*(c[1]-a[1]) - (b[1]-a[1])*(c[0]-a[0]); {
			case det < 0:
				mirrored++
			case det > 0:
				plain++
			}
			const near = 1e-4
			if min(a[0], b[0], c[0], a[1], b[1], c[1]) < -near || max(a[0], b[0], c[0], a[1], b[1], c[1]) > 1+near {
				outside++
			}
		}
	}
	if texels == 0 {
		pl.Remarks = append(pl.Remarks, fmt.Sprintf("The texture coordinates of %q have no area: nothing can be laid over them. Let its form unwrap it anew.", m.Name))
	}
	if pl.Over = over > texels/200; pl.Over {
		what := "the first to lie there has the place"
		if !pl.order.Apart && len(pl.Pictures[0].Parts) > 1 {
			what += "; or order a picture for each part"
		}
		pl.Remarks = append(pl.Remarks, fmt.Sprintf("Texture coordinates of %q lie on each other, over about %d %% of what they cover: %s.", m.Name, max(1, 100*over/max(1, texels)), what))
	}
	if mirrored > 0 && plain > 0 {
		pl.Remarks = append(pl.Remarks, fmt.Sprintf("%d of %d triangles are mirrored on the texture: what is written on one side is mirror writing on the other if they share a place.", min(mirrored, plain), mirrored+plain))
	}
	if outside > 0 {
		pl.Remarks = append(pl.Remarks, fmt.Sprintf("%d triangles lie beyond the picture and are baked where it repeats.", outside))
	}
	if wide > 0 {
		pl.Remarks = append(pl.Remarks, fmt.Sprintf("%d triangles lie over more than two repeats of the picture and are left out.", wide))
	}
}

// has tells whether a part of the scene is on the picture.
func (pic *Picture) has(part int32) bool { return slices.Contains(pic.Parts, int(part)) }

package project

import (
	"errors"
	"fmt"
	"slices"

	"mobanta/core/color"
	"mobanta/core/network"
	"mobanta/core/node"
)

// addWay adds a node that gives a mask, e.Kind, and all that its way e.Key into the look takes,
// as one section. What it goes over is the output e.From, or else what the look ends in.
func addWay(p *Project, n *network.Network, e *Edit, o *Outcome) error {
	cat := p.Catalogue()
	k := node.Catalogue{}.Kind(e.Kind)
	if k == nil {
		return fmt.Errorf("project: there is no kind of node %.40q", e.Kind)
	}
	way := node.Way(e.Key)
	if way.Name() == "" {
		return fmt.Errorf("project: there is no way %.40q", e.Key)
	}
	w := ways{cat: cat, n: n}
	mask := network.Ref{Node: w.add(e.Kind)}
	if w.err == nil {
		mask.Port = cat.Of(n.Node(mask.Node)).Outputs[0].Key
	}
	switch way {
	case node.Multiplied:
		if k.Sinks != "" {
			mask.Port = k.Sinks
		}
		ramp := w.add("ramp")
		w.wire(mask, ramp, "tone")
		stops := []color.Stop{{Color: color.MustHex("#6E5668")}, {At: 0.45, Color: color.MustHex("#B9A2A8"), Edge: color.Soft, Softness: 0.16}, {At: 0.8, Color: color.C{1, 1, 1}, Edge: color.Soft, Softness: 0.2}}
		if k.Sinks != "" {
			stops = []color.Stop{{Color: color.C{1, 1, 1}}, {At: 0.05, Color: color.MustHex("#B9A2A8"), Edge: color.Soft, Softness: 0.04}, {At: 0.2, Color: color.MustHex("#6E5668"), Edge: color.Soft, Softness: 0.1}}
		}
		w.set(ramp, "stops", stops)
		w.over(e.From, network.Ref{Node: ramp, Port: "colour"}, network.Ref{}, "multiply")
	case node.Masked:
		step := w.add("soft-step")
		w.wire(mask, step, "tone")
		w.over(e.From, network.Ref{}, network.Ref{Node: step, Port: "tone"}, "normal")
	case node.Varied:
		w.vary(mask)
	case node.Raised:
		w.raise(mask)
	case node.Shaded:
		w.shade(mask.Node, e.From)
	}
	if w.err != nil {
		return w.err
	}
	if _, err := n.Gather(w.made, k.Name); err != nil {
		return err
	}
	o.Label = "put in " + k.Name + ", " + way.Name()
	o.Created, o.Several = mask.Node, w.made
	return nil
}

// ways makes what a way takes; after the first slip it does nothing more.
type ways struct {
	cat  network.Grouped
	n    *network.Network
	made []string
	err  error
}

func (w *ways) add(kind string) string {
	if w.err != nil {
		return ""
	}
	id := ""
	if id, w.err = w.n.Add(w.cat, kind); w.err == nil {
		w.made = append(w.made, id)
	}
	return id
}

func (w *ways) wire(from network.Ref, to, key string) {
	if w.err == nil {
		w.err = w.n.Connect(w.cat, from, network.Ref{Node: to, Port: key})
	}
}

func (w *ways) set(id, key string, v any) {
	if w.err == nil {
		w.err = w.n.SetValue(w.cat, id, key, v)
	}
}

// over lays a colour over that of an output, or over what the look ends in, as much as amount
// says; without a colour the blend has its own.
func (w *ways) over(base string, over, amount network.Ref, mode string) {
	blend := w.add("blend")
	if w.err != nil {
		return
	}
	w.set(blend, "mode", mode)
	if ref := network.ParseRef(base); base != "" && w.gives(ref, network.Color) {
		w.err = w.n.After(w.cat, blend, ref)
	} else if end := w.n.Finish(); end != nil {
		w.err = w.n.Insert(w.cat, blend, network.Ref{Node: end.ID, Port: "colour"})
	} else {
		w.err = errors.New("project: choose a colour that it shall go over")
	}
	if over != (network.Ref{}) {
		w.wire(over, blend, "over")
	}
	if amount != (network.Ref{}) {
		w.wire(amount, blend, "amount")
	}
}

// gives tells whether an output is there and of a type.
func (w *ways) gives(ref network.Ref, t network.Type) bool {
	d := w.n.Node(ref.Node)
	if d == nil {
		return false
	}
	out := w.cat.Of(d).Output(ref.Port)
	return out != nil && out.Type == t
}

// vary adds the mask, less its mean, to the tone that each ramp of the network reads.
func (w *ways) vary(mask network.Ref) {
	type cut struct {
		to   network.Ref
		from network.Ref
	}
	var cuts []cut
	for i := range w.n.Nodes {
		d := &w.n.Nodes[i]
		if input := node.CutInput(d); input != "" && node.ConcernsOf(d).Bands != "" && d.ID != mask.Node && len(d.In[input].Wires) == 1 {
			cuts = append(cuts, cut{network.Ref{Node: d.ID, Port: input}, d.In[input].Wires[0]})
		}
	}
	if len(cuts) == 0 {
		w.err = errors.New("project: there are no bands that it could vary: add a ramp first")
		return
	}
	spread := w.add("range")
	w.wire(mask, spread, "value")
	for key, v := range map[string]float64{"to-low": -0.12, "to-high": 0.12} {
		if w.err == nil {
			w.err = w.n.SetConstant(w.cat, spread, key, v)
		}
	}
	sums := map[network.Ref]string{} // ramps that read the same go on reading the same
	for _, c := range cuts {
		sum := sums[c.from]
		if sum == "" {
			sum = w.add("maths")
			w.set(sum, "operation", "add")
			w.wire(c.from, sum, "a")
			w.wire(network.Ref{Node: spread, Port: "value"}, sum, "b")
			sums[c.from] = sum
		}
		w.wire(network.Ref{Node: sum, Port: "value"}, c.to.Node, c.to.Port)
	}
}

// shade puts a pattern behind the bands that an output belongs to, or behind the first that the look
// has, and lets it print from the darkest, in that one's colour, to where the third begins.
func (w *ways) shade(id, from string) {
	bands := func(d *network.Node) []color.Stop {
		if d == nil || node.ConcernsOf(d).Bands == "" {
			return nil
		}
		s := w.cat.Of(d).Setting(node.ConcernsOf(d).Bands)
		if s == nil {
			return nil
		}
		stops, _ := d.Value(s).([]color.Stop)
		return stops
	}
	ramp := w.n.Node(network.ParseRef(from).Node)
	for i := range w.n.Nodes {
		if bands(ramp) == nil {
			ramp = &w.n.Nodes[i]
		}
	}
	stops := bands(ramp)
	if w.err != nil {
		return
	}
	if len(stops) < 2 {
		w.err = errors.New("project: there are no bands that it could print in: add a ramp first")
		return
	}
	if w.err = w.n.After(w.cat, id, network.Ref{Node: ramp.ID, Port: w.cat.Of(ramp).Outputs[0].Key}); w.err == nil {
		w.err = beside(w.n, w.cat, id)
	}
	stops = slices.Clone(stops)
	color.SortStops(stops)
	none := 1.0
	if len(stops) > 2 {
		none = float64(stops[2].At)
	}
	for key, v := range map[string]any{"ink": stops[0].Color, "full": float64(stops[1].At) / 2, "none": none} {
		if w.err == nil {
			w.err = w.n.SetConstant(w.cat, id, key, v)
		}
	}
}

// raise gives the mask as relief to all that reads the normal and has none wired.
func (w *ways) raise(mask network.Ref) {
	bump := w.add("bump")
	w.wire(mask, bump, "height")
	seen := false
	for i := range w.n.Nodes {
		d := &w.n.Nodes[i]
		spec := w.cat.Of(d)
		if p := spec.Input("normal"); p != nil && p.Unit && spec.Family == "light" && len(d.In["normal"].Wires) == 0 {
			w.wire(network.Ref{Node: bump, Port: "normal"}, d.ID, "normal")
			seen = true
		}
	}
	if w.err == nil && !seen {
		w.err = errors.New("project: no light is read here that could see relief: add Diffuse light first")
	}
}

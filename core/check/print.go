package check

import (
	"fmt"
	"math"

	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/press"
	"mobanta/core/project"
)

const (
	// smallDot is how small a cell is, in pixels of a picture of so many lines, whose dots are less
	// than two across in the middle of the tones.
	smallDot      = 3.5
	ordinaryLines = 1080
	// beating is how near the angles of two screens of about the same density lie that make a
	// pattern of their own.
	beating = 14
	// layers is how many full layers of ink upon each other paper bears.
	layers = 3.2
)

// fineDots: a pattern that pixels cannot show.
func fineDots(in *input) {
	for _, d := range in.used() {
		key := node.ConcernsOf(d).Printed
		if key == "" || len(d.In[key].Wires) > 0 || len(d.In["place"].Wires) > 0 {
			continue
		}
		if laid := in.value(d, "laid"); laid == "uv" || laid == "sides" {
			continue
		}
		v, ok := d.Constant(in.cat.Of(d).Input(key)).(float64)
		if !ok || ordinaryLines/v >= smallDot {
			continue
		}
		m, l, ok := in.at("dots", d.ID)
		if !ok {
			continue
		}
		m.Title = "Finer than pixels"
		m.Text = fmt.Sprintf("%s has %.3g in the height of the picture: at %d lines one is %.2g pixels, and what can be seen of it is grey.", in.title(l), v, ordinaryLines, ordinaryLines/v)
		m.Mend, m.Do = "Make it coarser", []project.Edit{typed(l, key, math.Floor(ordinaryLines/smallDot))}
		in.remark(m)
	}
}

// typed returns the edit that types a value into an input of a node.
func typed(l project.Located, key string, v any) project.Edit {
	e := l.Edit
	e.Op, e.Key, e.Value = "node.input", key, v
	return e
}

// unprinted: a pattern whose tones are all paper, or all ink, or that is to print in the inks of a
// ramp that is not there.
func unprinted(in *input) {
	ranges, err := in.r.Ranges(in.ctx, in.look.ID)
	if err != nil || ranges == nil {
		return
	}
	for _, d := range in.used() {
		if node.ConcernsOf(d).Printed == "" {
			continue
		}
		m, l, ok := in.at("printed", d.ID)
		if !ok {
			continue
		}
		inks := in.value(d, "inks")
		if inks == "ramp" {
			src := d.In["paper"].Wires
			if len(src) == 0 || node.RampOf(in.net.Node(src[0].Node)) == nil {
				m.Title = "No ramp to print"
				m.Text = fmt.Sprintf("%s prints in the ramp's own inks, and no ramp is wired to its paper: it prints with one ink.", in.title(l))
				m.Mend, m.Do = "Print with one ink", []project.Edit{set(l, "inks", "one")}
				in.remark(m)
				continue
			}
		}
		wires := d.In["tone"].Wires
		if inks != "one" || len(wires) == 0 || len(d.In["full"].Wires)+len(d.In["none"].Wires) > 0 {
			continue
		}
		r, ok := ranges[network.Ref{Node: wires[0].Node, Port: wires[0].Port}]
		if !ok {
			continue
		}
		full, _ := d.Constant(in.cat.Of(d).Input("full")).(float64)
		none, _ := d.Constant(in.cat.Of(d).Input("none")).(float64)
		what := ""
		switch {
		case float64(r.Min) >= none:
			what = "paper"
		case float64(r.Max) <= full:
			what = "ink"
		default:
			continue
		}
		m.Title = "All " + what
		m.Text = fmt.Sprintf("The tones that %s reads run from %s to %s, so it is all %s in view.", in.title(l), node.Short(float64(r.Min)), node.Short(float64(r.Max)), what)
		if r.Min < r.Max {
			m.Mend, m.Do = "Fit it to the tones", []project.Edit{typed(l, "full", float64(r.Min)), typed(l, "none", float64(r.Max))}
		}
		in.remark(m)
	}
}

// pressed looks at the press: screens that beat, and more ink than paper bears.
func pressed(in *input) {
	p := &in.p.Stage.Press
	if !p.On {
		return
	}
	var inks []*press.Ink
	for i := range p.Inks {
		if k := &p.Inks[i]; !k.Off {
			inks = append(inks, k)
		}
	}
	if len(inks) == 0 {
		in.remark(Remark{Key: "press", Title: "Nothing is printed", Text: "The press is on and has no ink that is: the picture is blank paper.", Stage: true, Mend: "Set up four colours", Do: []project.Edit{{Op: "press.set", Key: "set", Value: "process"}}})
	}
	for i, a := range inks {
		for _, b := range inks[:i] {
			apart := math.Mod(math.Abs(a.Angle-b.Angle), 90)
			apart = min(apart, 90-apart)
			if ratio := a.Density / b.Density; apart >= beating || ratio < 0.8 || ratio > 1.25 {
				continue
			}
			in.remark(Remark{Key: "beat/" + b.ID + "/" + a.ID, Title: "Screens beat", Stage: true,
				Text: fmt.Sprintf("The screens of %s and %s lie %.3g° apart and are about as fine: together they make a coarse pattern of their own.", b.Name, a.Name, apart),
				Mend: "Turn " + a.Name, Do: []project.Edit{{Op: "ink.set", ID: a.ID, Key: "angle", Value: freest(inks, a)}}})
		}
	}
	if p.Limit == 0 && float64(len(inks)) > layers {
		in.remark(Remark{Key: "layers", Title: "Much ink", Stage: true,
			Text: fmt.Sprintf("%d inks may lie upon each other in full; paper bears about three.", len(inks)),
			Mend: "Limit it to 3 layers", Do: []project.Edit{{Op: "press.set", Key: "limit", Value: 3.0}}})
	}
}

// freest returns the angle for an ink that lies farthest from those of all others.
func freest(inks []*press.Ink, of *press.Ink) float64 {
	best, far := of.Angle, -1.0
	for a := 0.0; a < 90; a += 5 {
		near := 90.0
		for _, k := range inks {
			if k != of {
				d := math.Mod(math.Abs(a-k.Angle), 90)
				near = min(near, d, 90-d)
			}
		}
		if near > far {
			best, far = a, near
		}
	}
	return best
}

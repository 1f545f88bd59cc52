package check

import (
	"fmt"
	"math"

	"mobanta/core/contour"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/project"
)

const (
	// manyEdges is how many creases a surface that is meant to be faceted has at most.
	manyEdges = 300
	// faceted is which part of the edges of smooth surfaces may be creases before every polygon is said to show.
	faceted = 0.2
	// plainCrease is an angle that only what is meant as a crease bends by.
	plainCrease = 40
	// crowdedLines is how many times what lines cover their area may be.
	crowdedLines = 2.2
)

// drawn looks at the sets of lines of a look: those that draw nothing, those that show every polygon, and those that run
// together.
func drawn(in *input) {
	var sets []picture.Set
	for _, d := range in.used() {
		if kind := in.cat.Of(d); len(kind.Outputs) == 0 || kind.Outputs[0].Type != network.Lines || !in.worn() {
			continue
		}
		if sets == nil {
			var err error
			if sets, err = in.r.Sets(in.ctx); err != nil {
				in.err = err
				return
			}
		}
		for _, s := range sets {
			if s.Look != in.look.ID || s.Node != d.ID {
				continue
			}
			if long, _ := extent(s.Strokes, Height); long == 0 {
				in.undrawn(d)
				break
			}
			in.polygons(d)
			in.together(d, s.Strokes)
		}
	}
}

// worn tells whether any part wears the look.
func (in *input) worn() bool {
	for _, p := range in.scene.Parts {
		if p.Look == in.look.ID {
			return true
		}
	}
	return false
}

// eachPlace is how far it is on average from one place between pixels to the next, in pixels.
const eachPlace = 0.75

// extent returns how long the strokes are that have ink, in pixels of a picture of so many lines, and how much area that is.
func extent(strokes []line.Stroke, lines int) (long, area float64) {
	for _, s := range strokes {
		for i, at := range s.Chain {
			if !(s.Ink[i].Width > 0) || !(s.Ink[i].Opacity > 0) {
				continue
			}
			d := eachPlace
			if s.Joined {
				if d = 0; i > 0 {
					d = math.Hypot(float64(at.X-s.Chain[i-1].X), float64(at.Y-s.Chain[i-1].Y))
				}
			}
			long, area = long+d, area+d*float64(s.Ink[i].Width)*float64(lines)/1000
		}
	}
	return long, area
}

// undrawn: a set of lines that draws nothing, and why.
func (in *input) undrawn(d *network.Node) {
	m, l, ok := in.at("undrawn", d.ID)
	if !ok {
		return
	}
	m.Title = "Lines that draw nothing"
	spec := in.cat.Of(d)
	for key, usual := range map[string]float64{"width": 4, "opacity": 1, "scale": 1} {
		if v, ok := in.typed(d, key); ok && v <= 0 {
			m.Text = fmt.Sprintf("The %s of %s is 0.", spec.Input(key).Name, in.title(l))
			m.Mend, m.Do = fmt.Sprintf("Make it %g", usual), []project.Edit{typed(l, key, usual)}
			in.remark(m)
			return
		}
	}
	on, off := false, false // some of the kinds of line that it has
	for _, s := range spec.Settings {
		switch v := d.Value(&s).(type) {
		case bool:
			on, off = on || v, off || !v
		case string:
			if s.Type == network.Choice && len(s.Choices) > 0 && s.Choices[0].Key == string(line.None) {
				on, off = on || v != string(line.None), off || v == string(line.None)
			}
		}
	}
	switch {
	case off && !on:
		m.Text = fmt.Sprintf("None of the kinds of line of %s is on.", in.title(l))
		key, value := "outer", any(true)
		if spec.Setting("contour") != nil {
			key, value = "contour", string(line.Tapered)
		}
		m.Mend, m.Do = "Draw contours", []project.Edit{set(l, key, value)}
	default:
		m.Text = fmt.Sprintf("Nothing in view of the parts that wear %s has lines of the kinds that %s draws, or what is wired to its width is 0 there.", in.look.Name, in.title(l))
		e := l.Edit
		e.Op, e.Nodes, e.Node = "node.off", []string{e.Node}, ""
		m.Mend, m.Do = "Bypass it", []project.Edit{e}
	}
	in.remark(m)
}

// polygons: a crease angle so low that every polygon of a smooth surface shows.
func (in *input) polygons(d *network.Node) {
	angle, ok := in.value(d, "angle").(float64)
	on := in.value(d, "crease")
	if !ok || angle >= plainCrease || on == false || on == string(line.None) {
		return
	}
	shown, all := contour.MeshOf(in.scene.Geometry, 1).Faceted(angle, func(part int32) bool { return in.scene.Parts[part].Look == in.look.ID })
	if shown < manyEdges || float64(shown) < faceted*float64(all) {
		return
	}
	m, l, ok := in.at("polygons", d.ID)
	if !ok {
		return
	}
	m.Title = "Every polygon shows"
	m.Text = fmt.Sprintf("At a crease angle of %g°, %d of %d edges of smooth surfaces are creases to %s. Subdivide the model on the stage, or let lines follow a Soft form, if it is too coarse for what it stands for.", angle, shown, all, in.title(l))
	m.Mend, m.Do = fmt.Sprintf("Creases from %d° on", plainCrease), []project.Edit{set(l, "angle", float64(plainCrease))}
	in.remark(m)
}

// together: lines that are wider than the details between them, so that they run together.
func (in *input) together(d *network.Node, strokes []line.Stroke) {
	const w, h = Width, Height
	sheet := line.NewSheet(w, h)
	sheet.Add([][]line.Stroke{strokes}, 1)
	cover := 0.0
	for i := 3; i < len(sheet.Pix); i += 4 {
		cover += float64(sheet.Pix[i])
	}
	_, area := extent(strokes, h)
	if cover < w*h/200 || area < crowdedLines*cover {
		return
	}
	m, l, ok := in.at("together", d.ID)
	if !ok {
		return
	}
	m.Title = "Lines that run together"
	m.Text = fmt.Sprintf("The lines of %s lie over each other: they are wider than the details between them.", in.title(l))
	if v, ok := in.typed(d, "width"); ok {
		m.Mend, m.Do = "Make them half as wide", []project.Edit{typed(l, "width", v/2)}
	}
	in.remark(m)
}

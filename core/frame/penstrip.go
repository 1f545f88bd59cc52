package frame

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/contour"
	"mobanta/core/line"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// PenStrip draws how the pens of a node draw, each kind of line in its turn: a straight stroke, a curve and a corner, as
// wide as in a picture of so many lines, on w × h pixels of paper: RGBA. Where width, colour or opacity are wired they are
// as the node has them when nothing is. It returns nil for a node that has no pens.
func PenStrip(d *network.Node, w, h, lines int) []byte {
	cat := node.Catalogue{}
	spec := cat.Of(d)
	pens, ok := cat.Kind(d.Kind).Prepare(func(key string) any { return d.Value(spec.Setting(key)) }).(line.Pens)
	if !ok {
		return nil
	}
	number := func(key string) float32 {
		v, _ := d.Constant(spec.Input(key)).(float64)
		return float32(v)
	}
	ink := line.Ink{Width: number("width") * number("scale"), Opacity: number("opacity")}
	ink.Color, _ = d.Constant(spec.Input("colour")).(color.C)
	paper := color.C{1, 1, 1}
	if ink.Color.Luminance() > 0.5 {
		paper = color.C{0.02, 0.02, 0.025}
	}
	sc, err := penScene()
	if err != nil {
		return nil
	}
	var kinds []contour.Kind
	for k, row := range pens.Rows {
		if row.Style != line.None && row.Width > 0 {
			kinds = append(kinds, contour.Kind(k))
		}
	}
	// Pens take widths from the height of what they draw on; here that is the picture's, not the strip's.
	view := stage.View{W: w, H: lines}
	var curves []contour.Curve
	var inks []line.Ink
	for i, k := range kinds {
		room := float64(w) / float64(len(kinds))
		for shape := range 3 {
			c := example(k, (float64(i)+float64(shape)/3)*room+0.05*room, room/3-0.1*room/3, float64(h), shape)
			for range c.Places {
				inks = append(inks, ink)
			}
			curves = append(curves, c)
		}
	}
	for i := range curves { // where each lies on the surface, so that no two stray alike
		for k := range curves[i].Places {
			p := &curves[i].Places[k]
			p.Weights = [2]float32{p.X / float32(w) * 0.9, 0.02 + 0.05*float32(i)/float32(len(curves))}
		}
	}
	sheet := line.NewSheet(w, h)
	strokes := pens.Draw(sc, &view, curves, inks)
	for i := range strokes {
		for k := range strokes[i].Ink { // of the strip's height
			strokes[i].Ink[k].Width *= float32(lines) / float32(h)
		}
	}
	sheet.Add([][]line.Stroke{strokes}, 1)
	pix := make([]byte, 4*w*h)
	for i := range w * h {
		s := sheet.Pix[4*i : 4*i+4]
		for c := range 3 {
			pix[4*i+c] = color.Byte(s[c] + paper[c]*(1-s[3]))
		}
		pix[4*i+3] = 255
	}
	return pix
}

// example returns a straight stroke, a curve or a corner, from x on, so wide, in the middle of a height.
func example(kind contour.Kind, x, wide, high float64, shape int) contour.Curve {
	c := contour.Curve{Kind: kind}
	n := max(8, int(wide))
	for k := range n + 1 {
		t := float64(k) / float64(n)
		y := 0.5
		switch shape {
		case 1:
			y = 0.5 + 0.28*math.Sin(2*math.Pi*t)
		case 2: // down and up again
			y = 0.22 + 0.56*(1-math.Abs(2*t-1))
		}
		c.Places = append(c.Places, contour.Place{X: float32(x + wide*t), Y: float32(y * high), Corner: shape == 2 && k == n/2})
	}
	return c
}

// penScene returns a scene with the strip alone.
func penScene() (*stage.Scene, error) {
	st := stage.Stage{Models: []stage.Model{{ID: stripID, Name: stripID, Scale: 1, Looks: map[string]string{stripID: stripID}}},
		Camera: stage.Camera{Target: vec.V{}, Distance: 1, Angle: 30}}
	return stage.NewScene(&st, stripFiles{}, nil)
}

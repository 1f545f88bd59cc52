package project

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/color"
	"mobanta/core/finish"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// flagged puts what is on or off into place.
func flagged(what string, v any, to *bool) error {
	on, ok := v.(bool)
	if !ok {
		return fmt.Errorf("project: %s is on or off", what)
	}
	*to = on
	return nil
}

// coloured puts a colour into place.
func coloured(v any, to *color.C) error {
	c, err := color.FromAny(v)
	if err == nil {
		*to = c
	}
	return err
}

// setBackdrop changes what shows where there is no model.
func setBackdrop(p *Project, e *Edit, o *Outcome) error {
	b := &p.Stage.Backdrop
	switch e.Key {
	case "color":
		return coloured(e.Value, &b.Color)
	case "other":
		return coloured(e.Value, &b.Other)
	case "shade":
		return coloured(e.Value, &b.Shade)
	case "none":
		return flagged("transparent", e.Value, &b.None)
	case "floor":
		if err := flagged("the floor", e.Value, &b.Floor); err != nil {
			return err
		}
		if b.Floor && e.Box != nil && !e.Box.Empty() { // below what stands there
			c := e.Box.Center()
			b.FloorAt, b.FloorSize = vec.V{c[0], e.Box.Min[1], c[2]}, max(30*e.Box.Diagonal(), stage.Least)
		}
		return nil
	case "level":
		return number(e.Value, &b.FloorAt[1])
	case "course":
		s, _ := e.Value.(string)
		if b.Course == stage.Flat && b.Other == (color.C{}) {
			c := b.Color.OKLCH()
			c[0] = min(1, c[0]+0.25)
			b.Other = color.FromOKLCH(c)
			for k := range b.Other {
				b.Other[k] = max(0, min(1, b.Other[k]))
			}
		}
		b.Course = stage.Course(s)
		return nil
	case "fit":
		s, _ := e.Value.(string)
		b.Fit = stage.Fit(s)
		return nil
	case "picture":
		s, ok := e.Value.(string)
		if !ok || s != "" && !hashPattern.MatchString(s) {
			return errors.New("project: a picture is named by its hash")
		}
		b.Picture = s
		return nil
	}
	to := map[string]*float64{"x": &b.X, "y": &b.Y, "scale": &b.Scale, "deep": &b.Deep}[e.Key]
	if to == nil {
		return fmt.Errorf("project: a backdrop has no %.20q", e.Key)
	}
	return number(e.Value, to)
}

// setGlow changes the glow: on, around, tint, looks (all), look (one more, or one less), threshold, radius or strength.
func setGlow(p *Project, e *Edit, o *Outcome) error {
	g := &p.Stage.Glow
	switch e.Key {
	case "on":
		if err := flagged("the glow", e.Value, &g.On); err != nil {
			return err
		}
		if fresh := finish.NewGlow(); g.On && g.Strength == 0 {
			g.Threshold, g.Radius, g.Strength = fresh.Threshold, fresh.Radius, fresh.Strength
		}
		return nil
	case "around":
		return flagged("keeping colours", e.Value, &g.Around)
	case "tint":
		return coloured(e.Value, &g.Tint)
	case "looks":
		g.Looks = nil
		return nil
	case "look":
		id, _ := e.Value.(string)
		if p.Look(id) == nil {
			return errNoLook(id)
		}
		g.Looks = slices.Clone(g.Looks)
		if i := slices.Index(g.Looks, id); i >= 0 {
			g.Looks = slices.Delete(g.Looks, i, i+1)
		} else {
			g.Looks = append(g.Looks, id)
		}
		if len(g.Looks) == 0 {
			g.Looks = nil
		}
		return nil
	}
	to := map[string]*float64{"threshold": &g.Threshold, "radius": &g.Radius, "strength": &g.Strength}[e.Key]
	if to == nil {
		return fmt.Errorf("project: a glow has no %.20q", e.Key)
	}
	return number(e.Value, to)
}

// setGrade changes the grade; a point of a curve is named as "all 0" or "red 2".
func setGrade(p *Project, e *Edit, o *Outcome) error {
	g := &p.Stage.Grade
	switch e.Key {
	case "on":
		return flagged("the grade", e.Value, &g.On)
	case "reset":
		*g = finish.Grade{On: g.On}
		return nil
	}
	g.On = true // nobody turns what does nothing
	switch e.Key {
	case "shadows":
		return coloured(e.Value, &g.Shadows)
	case "lights":
		return coloured(e.Value, &g.Lights)
	case "strip":
		if e.Value == nil || e.Value == "" {
			g.Strip, g.Mapped = nil, 0
			return nil
		}
		strip, err := stripFrom(e.Value)
		if err != nil {
			return err
		}
		if g.Strip = strip; g.Mapped == 0 {
			g.Mapped = 1
		}
		return nil
	case "swatches": // the project's, from dark to light
		var row []color.C
		for i := range p.Swatches {
			row = append(row, p.Swatches[i].Color)
		}
		if len(row) < 2 {
			return errors.New("project: there are fewer than two swatches to map to")
		}
		slices.SortStableFunc(row, func(a, b color.C) int {
			switch x, y := a.Luminance(), b.Luminance(); {
			case x < y:
				return -1
			case x > y:
				return 1
			}
			return 0
		})
		g.Strip = color.Strip{row[:min(len(row), color.MaxStripWidth)]}
		if g.Mapped == 0 {
			g.Mapped = 1
		}
		return nil
	}
	if name, at, ok := strings.Cut(e.Key, " "); ok {
		c := map[string]*finish.Curve{"all": &g.Curves.All, "red": &g.Curves.Red, "green": &g.Curves.Green, "blue": &g.Curves.Blue}[name]
		k := strings.Index("012", at)
		if c == nil || k < 0 || len(at) != 1 {
			return fmt.Errorf("project: a grade has no curve point %.20q", e.Key)
		}
		return number(e.Value, &c[k])
	}
	to := map[string]*float64{"exposure": &g.Exposure, "contrast": &g.Contrast, "pivot": &g.Pivot, "saturation": &g.Saturation, "hue": &g.Hue, "toning": &g.Toning, "mapped": &g.Mapped}[e.Key]
	if to == nil {
		return fmt.Errorf("project: a grade has no %.20q", e.Key)
	}
	return number(e.Value, to)
}

// stripFrom reads rows of colours.
func stripFrom(v any) (color.Strip, error) {
	rows, ok := v.([]any)
	if !ok {
		return nil, errors.New("project: a palette is rows of colours")
	}
	var out color.Strip
	for _, r := range rows {
		list, ok := r.([]any)
		if !ok {
			list = []any{r}
		}
		var row []color.C
		for _, e := range list {
			c, err := color.FromAny(e)
			if err != nil {
				return nil, err
			}
			row = append(row, c)
		}
		out = append(out, row)
	}
	return out, out.Check()
}

func setView(p *Project, e *Edit, o *Outcome) error {
	s, ok := e.Value.(string)
	if !ok {
		return errors.New("project: a view is named")
	}
	p.Stage.View = finish.View(s)
	return nil
}

package page

import (
	"fmt"
	"strings"

	"mobanta/core/blob"
	"mobanta/core/color"
	"mobanta/core/finish"
)

// ViewSays tells what the picture's colours are on the rim: whether they are the very ones of the network.
func (d *Desk) ViewSays() string {
	st := &d.Project.Stage
	var list []string
	if st.Glow.On && st.Glow.Strength > 0 {
		list = append(list, "glow")
	}
	if !st.Grade.Plain() {
		list = append(list, "graded: not the swatches' bytes")
	}
	if st.View == finish.Soft {
		list = append(list, "soft shoulder")
	}
	if st.Press.On {
		list = append(list, "printed")
	}
	if list == nil {
		return "plain colours"
	}
	return strings.Join(list, ", ")
}

// gradeNumbers are the plain numbers of a grade, as the stage panel shows them.
func gradeNumbers(g finish.Grade) []pressNumber {
	pivot := g.Pivot
	if pivot == 0 {
		pivot = finish.DefaultPivot
	}
	return []pressNumber{
		{"exposure", "exposure", "stops", "Exposure: doublings of the light", g.Exposure, -4, 4, 0},
		{"contrast", "contrast", "", "Contrast about the pivot", g.Contrast, -1, 1, 0},
		{"pivot", "pivot", "", "The linear tone that contrast leaves as it is", pivot, 0.01, 1, finish.DefaultPivot},
		{"saturation", "saturation", "", "Saturation: -1 for grey", g.Saturation, -1, 1, 0},
		{"hue", "hue", "°", "Hue: all colours turned", g.Hue, -180, 180, 0},
	}
}

// gradeCurve is a curve of a grade as the stage panel shows it.
type gradeCurve struct {
	Key, Name string
	Points    finish.Curve
	Ends      [3]string
	Path      string
}

func gradeCurves(g finish.Grade) []gradeCurve {
	var out []gradeCurve
	for _, e := range []struct {
		key, name string
		c         finish.Curve
	}{{"all", "all", g.Curves.All}, {"red", "red", g.Curves.Red}, {"green", "green", g.Curves.Green}, {"blue", "blue", g.Curves.Blue}} {
		var b strings.Builder
		for i := range 41 {
			x := float64(i) / 40
			c := 'L'
			if i == 0 {
				c = 'M'
			}
			fmt.Fprintf(&b, "%c%.1f %.1f", c, 100*x, 100*(1-max(0, min(1, e.c.At(x)))))
		}
		out = append(out, gradeCurve{e.key, e.name, e.c, [3]string{"darks", "middle", "lights"}, b.String()})
	}
	return out
}

// stripText writes a palette as it is typed.
func stripText(s color.Strip) string {
	var rows []string
	for _, row := range s {
		var list []string
		for _, c := range row {
			list = append(list, c.Hex())
		}
		rows = append(rows, strings.Join(list, " "))
	}
	return strings.Join(rows, " / ")
}

// springNumbers are the numbers of a spring of blobs, as the stage panel shows them.
func springNumbers(s blob.Spring) []pressNumber {
	return []pressNumber{
		{"rate", "rate", "/s", "How many balls are born in a second", s.Rate, 1, 60, 22},
		{"life", "life", "s", "How long each lives", s.Life, 0.1, 6, 1.1},
		{"size", "size", "", "How large each grows", s.Size, 0.02, 1.5, 0.38},
		{"rise", "rise", "", "How fast each rises, in units a second", s.Rise, -4, 4, 1.7},
		{"spread", "spread", "", "How far from the place they are born", s.Spread, 0, 2, 0.16},
		{"widen", "widen", "", "How much wider they lie at the end; -1 for on one line", s.Widen, -1, 4, -0.5},
		{"taper", "taper", "", "How much smaller they end; 1 for to nothing", s.Taper, 0, 1, 0.9},
		{"sway", "sway", "", "How far the top sways", s.Sway, 0, 1.5, 0.22},
		{"seed", "seed", "", "Another seed, other chances", float64(s.Seed), 0, 100, 0},
	}
}

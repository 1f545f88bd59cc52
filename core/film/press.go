package film

import (
	"mobanta/core/color"
	"mobanta/core/press"
)

// Press is the stage that prints the picture.
type Press struct {
	*press.Ready
	Lines int // of the whole picture
	Plate int // the number of the plate that is shown alone, as black on white, and one more; 0 for the print
}

// Name implements Stage.
func (Press) Name() string { return "press" }

// Apply implements Stage.
func (p Press) Apply(t *Tile) {
	w, h := t.Rect.Dx(), t.Rect.Dy()
	paper := p.Mean(&press.Shares{})
	sheet := p.Part(t.Rect.Min.X, t.Rect.Min.Y, w, h, p.Lines, func(x, y int) color.C {
		v := t.row(y)[4*(x-t.Rect.Min.X):]
		rest := 1 - max(0, min(1, v[3])) // where there is nothing is paper
		return color.C{v[0] + paper[0]*rest, v[1] + paper[1]*rest, v[2] + paper[2]*rest}
	})
	for y := t.Rect.Min.Y; y < t.Rect.Max.Y; y++ {
		row := t.row(y)
		for x := range w {
			c := color.C{}
			if p.Plate > 0 {
				free := 1 - sheet.Plate(p.Plate-1, t.Rect.Min.X+x, y)
				c = color.C{free, free, free}
			} else {
				c = sheet.At(t.Rect.Min.X+x, y)
			}
			row[4*x], row[4*x+1], row[4*x+2], row[4*x+3] = c[0], c[1], c[2], 1
		}
	}
}

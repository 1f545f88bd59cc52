package project

import "strings"

// Drawing is the version of how pictures are drawn. It goes up whenever the same document comes to another picture.
const Drawing = 4

// redrawn says, for each version from the second on, in what its pictures differ from those before it.
var redrawn = []string{
	"all pictures lie up to 0.16 of a pixel further to the left and up, with smoother edges; hatching that is rough has more ink in the dark; glows of a few pixels, noise that changes and stipple between its old sizes look a little different; process inks come to the colour that is asked for",
	"relief lies a quarter of a pixel elsewhere, where it is; a fold that fades out within a surface has its edge line; strokes that are shorter than three of their widths and joined to nothing are left out, and so are lines where faces of one plane meet beside each other; patterns from three sides meet in full ink, and those that go with a model no longer jump behind it; pieces of one contour are one stroke",
	"strokes along the form have breaks and taper, and keep together over long polygons; strokes of a ring with corners meet at every one of them alike; contours and crossings where nothing is seen to end are left out; where two looks meet along a cut one of them has the whole line, and a crease goes on over what is nearly one; a soft form that is a capsule looks along the line of sight, as the others do",
}

// Redrawn says in what pictures of the project differ from when it was drawn last, in a sentence; "" for in nothing.
func (p *Project) Redrawn() string {
	if p.Drawn >= Drawing {
		return ""
	}
	return "Mobanta draws a little differently than when this project was made: " + strings.Join(redrawn[max(0, p.Drawn-1):], "; ") + "."
}

// acceptDrawing notes that the artist knows how the project is drawn now.
func acceptDrawing(p *Project, _ *Edit, _ *Outcome) error {
	p.Drawn = Drawing
	return nil
}

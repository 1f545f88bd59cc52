package page

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/project"
)

// What an artist types for what is no node, by the name of the place that is meant.
const placePhrases = `
paper = Paper and inks
printing = Paper and inks
cmyk = Paper and inks
riso print = Paper and inks
plates = Paper and inks
misregistration = Paper and inks
dot gain = Paper and inks
glow = Glow
bloom = Glow
blooming = Glow
neon glow = Glow
turntable = Time and moves
spinning = Time and moves
animate = Time and moves
animation = Time and moves
keyframes = Time and moves
frame rate = Time and moves
day of light = Time and moves
on twos = Time and moves
background = Backdrop
background color = Backdrop
transparent background = Backdrop
floor shadow = Backdrop
colour grading = Grade
color grading = Grade
contrast = Grade
saturation = Grade
sepia = Grade
curves = Grade
tone mapping = View
import model = Models
open file = Models
load obj = Models
unwrap = Models
add sphere = Models
subdivide = Models
add light = Lights
hdri = Lights
light strength = Lights
area light = Lights
camera = Camera
field of view = Camera
focal length = Camera
orthographic = Camera
sliders = The front
parameters = The front
palette = Swatches
swatches = Swatches
snapshot = Stagings
variation = Stagings
side by side = Compare
before and after = Compare
turned faces = Models
repair the model = Models
contact sheet = Proof sheet
export = Deliver
exporting = Deliver
save picture = Deliver
gif = Deliver
video = Deliver
mp4 = Deliver
svg = Deliver
resolution = Deliver
bake texture = Deliver
shader code = Deliver
download = Deliver
warnings = Checks
what is wrong = Checks
why this color = Ask a pixel
inspect = Ask a pixel
presets = Starting points
templates = Starting points
examples = Starting points
shortcuts = Keys
keyboard = Keys
preferences = Keys
manual = Help
tutorial = Help
new project = Projects
undo = Undo
history = Undo
blueprint = Blueprint
rim night = Rim-lit night
sticker = Sticker
engraving = Engraved
pen drawing = Pen drawing
worn = Worn iron
driftwood = Driftwood
glass = Glass glints
`

func TestWhatIsNoNodeIsFound(t *testing.T) {
	pages := fresh(t)
	d := open(t, pages, project.New("P"), Asked{})
	var starts []Start
	for _, n := range []string{"Banded with outline", "Ink", "Two-tone with warm shadow", "Day and night sides", "Glass glints", "Flat print", "Rim-lit night", "Soft paint", "Blueprint", "Sticker", "Driftwood", "Crevice tint", "Cracked glaze", "Worn iron", "Clean bands", "Dots in the shade", "Four inks", "Pen hatching", "Stippled", "Engraved", "Pen drawing", "Thick and thin", "Lines of light", "Depth haze"} {
		starts = append(starts, Start{ID: "recipe:" + n, Name: n})
	}
	all, missed := 0, 0
	for line := range strings.Lines(placePhrases) {
		phrase, want, ok := strings.Cut(strings.TrimSpace(line), " = ")
		if !ok {
			continue
		}
		all++
		list, err := d.Find(Search{Words: phrase, Starts: starts, Chosen: "n1"}, nil)
		require.NoError(t, err)
		found := false
		var names []string
		for _, r := range list[:min(5, len(list))] {
			names = append(names, r.Name)
			found = found || r.Name == want && (r.To != "" || r.Start)
		}
		if !found {
			missed++
			t.Logf("%q means %s and finds %v", phrase, want, names)
		}
	}
	assert.LessOrEqual(t, missed, all*3/100, "of %d", all)
	// Where a node is asked for, only nodes are offered.
	list, err := d.Find(Search{Words: "glow", Starts: starts, To: "n4.colour"}, nil)
	require.NoError(t, err)
	for _, r := range list {
		assert.Empty(t, r.To)
		assert.False(t, r.Start)
	}
}

// Each place is somewhere: its panel, its page or its command is there, and what it points at is.
func TestEachPlaceIsThere(t *testing.T) {
	pages := fresh(t)
	d := open(t, pages, project.New("P"), Asked{})
	for _, p := range places {
		kind, what, _ := strings.Cut(p.To, " ")
		switch kind {
		case "command:":
			known := what == "starts"
			for _, c := range commands() {
				known = known || c.ID == what
			}
			assert.True(t, known, p.To)
		case "page:":
			assert.Contains(t, []string{"compare", "sheet", "deliver", "/settings", "/help", "/"}, what)
		default:
			html, err := pages.Render(kind, d)
			require.NoError(t, err, p.To)
			b := string(html)
			switch {
			case strings.HasPrefix(what, "#"):
				assert.Contains(t, b, `id="`+what[1:]+`"`, p.To)
			case what != "":
				assert.Contains(t, b, strings.Replace(strings.Trim(what, "[]"), "=", `="`, 1)+`"`, p.To)
			}
		}
	}
}

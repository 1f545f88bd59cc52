package node

import (
	"math"
	"sync"

	"mobanta/core/network"
	"mobanta/core/pattern"
	"mobanta/core/pixmap"
)

var _ = register(470, &Kind{
	Spec: network.Spec{
		Kind: "halftone", Name: "Halftone", Family: "pattern",
		Purpose: "Prints a tone as dots, lines or other spots that grow as it darkens: black on white, in the ramp's own colours, or in four inks.",
		Words:   []string{"dots", "dot screen", "screen", "print", "comic", "spots", "raster", "newspaper", "line screen", "cmyk", "dither", "ben day", "screentone", "manga"},
		Source:  "Each place of a cell has a rank, the part of the cell that is inked before it; where that is less than the share that is asked there is ink. So as much is inked as is asked, whatever the spot. What a pixel covers is the mean over a bell, from the pattern's waves where cells are small.",
		Inputs: printInputs(
			network.Port{Key: "density", Name: "density", Type: network.Tone, Default: 60.0, Min: 5, Max: 200, Help: "Cells in the height of the picture; laid on a surface, in a unit of UV or in the model's diagonal."},
			network.Port{Key: "angle", Name: "angle", Type: network.Tone, Default: 45.0, Min: -90, Max: 90, Help: "In degrees."},
			network.Port{Key: "softness", Name: "softness", Type: network.Tone, Default: 0.0, Min: 0, Max: 0.5, Help: "0 is hard; ½ fades over the whole cell. As much is inked as before."},
			network.Port{Key: "offset", Name: "offset", Type: network.Vector, Default: [3]float64{}, Help: "Moves the cells, in cells."}),
		Outputs: append(printOutputs(),
			network.Port{Key: "cell", Name: "cell", Type: network.Tone, Help: "A chance number from 0 to 1 for each cell."},
			network.Port{Key: "distance", Name: "distance", Type: network.Tone, Help: "How far the middle of the cell is, in cells."}),
		Settings: printSettings([]network.Setting{
			{Key: "spot", Name: "Spot", Type: network.Choice, Default: "round", Choices: []network.Option{{Key: "round", Name: "Round"}, {Key: "both", Name: "Round, then holes"}, {Key: "square", Name: "Square"}, {Key: "diamond", Name: "Diamond"}, {Key: "ellipse", Name: "Ellipse"},
				{Key: "line", Name: "Line"}, {Key: "ring", Name: "Ring"}, {Key: "cross", Name: "Cross"}, {Key: "picture", Name: "A picture"}}, Help: "A picture: ink comes to its dark places first."},
			{Key: "picture", Name: "Picture", Type: network.Picture, Default: ""}},
			network.Option{Key: "process", Name: "Four, each on its screen"}),
	},
	NeedsFor:  printNeeds,
	Eyed:      printedOnPage,
	Elsewhere: printElsewhere,
	Prepare: preparePrint(func(get func(string) any) any {
		return halftoneData{pattern.Spot(get("spot").(string)), get("picture").(string)}
	}),
	Ways:   []Way{Shaded},
	Beside: "tone",
	Brief: func(a *About) string {
		return a.Choice("spot") + ", " + a.Input("density") + " at " + a.Input("angle") + "°"
	},
	Strip:    OnPage,
	Concerns: Concerns{Printed: "density"},
	Stays:    "Its ink is calibrated by tables that a shader has no room for.",
	Run: func(c *Call) {
		soft, offset := c.In[printOwn+2][0], c.In[printOwn+3]
		inks := inksOf{screen: c.screenOf(c.Data.(printData).pattern.(halftoneData))}
		cell, distance := c.Out[2], c.Out[3]
		var also spots
		if cell != nil || distance != nil {
			also = func(x, y Plane) {
				for i := range x {
					x, y := x[i]+offset[0][i], y[i]+offset[1][i]
					if cell != nil {
						cell[0][i] = printChance(x, y)
					}
					if distance != nil {
						distance[0][i] = float32(math.Hypot(float64(x)-math.Floor(float64(x))-0.5, float64(y)-math.Floor(float64(y))-0.5))
					}
				}
			}
		}
		c.print(printOwn, printOwn+1, func(x, y, foot, asked, ink Plane, _ int) {
			if dx, dy := offset[0], offset[1]; !c.Const[printOwn+3] || dx[0] != 0 || dy[0] != 0 {
				for i := range x {
					x[i], y[i] = x[i]+dx[i], y[i]+dy[i]
				}
			}
			inks.fill(x, y, foot, soft, asked, ink)
		}, also)
	},
})

type halftoneData struct {
	spot    pattern.Spot
	picture string
}

// screenOf returns the screen of a spot, or that of a picture.
func (c *Call) screenOf(d halftoneData) *pattern.Screen {
	if d.spot != "picture" {
		return pattern.Of(d.spot)
	}
	pic := c.Scene.picture(d.picture)
	if pic == nil {
		return pattern.Of(pattern.Round)
	}
	return pictureScreen(pic)
}

// pictureScreens are the screens of the pictures that were printed with last.
var pictureScreens = struct {
	sync.Mutex
	of map[*pixmap.Pixmap]*pattern.Screen
}{of: map[*pixmap.Pixmap]*pattern.Screen{}}

func pictureScreen(pic *pixmap.Pixmap) *pattern.Screen {
	k := &pictureScreens
	k.Lock()
	defer k.Unlock()
	if k.of[pic] == nil {
		if len(k.of) >= 16 {
			clear(k.of)
		}
		const covers = 1.0 / 128
		k.of[pic] = pattern.OfPicture(func(u, v float64) float64 {
			c, alpha := pic.Mean(u, v, [2]float64{covers, 0}, [2]float64{0, covers}, pixmap.Reading{Wrap: pixmap.Repeat})
			return float64(1 - alpha*(1-c.Luminance()))
		})
	}
	return k.of[pic]
}

// inksOf is a screen as pixels show it that cover more or less of a cell: of those of a batch many
// cover as much.
type inksOf struct {
	screen *pattern.Screen
	known  [64]struct {
		foot, soft int
		ink        *pattern.Ink
	}
}

func (k *inksOf) of(foot, soft int) *pattern.Ink {
	e := &k.known[(foot*7+soft)&63]
	if e.ink == nil || e.foot != foot || e.soft != soft {
		e.foot, e.soft, e.ink = foot, soft, k.screen.Ink(foot, soft)
	}
	return e.ink
}

// fill says how much ink there is at places, of which a pixel covers foot of a cell, with edges of
// that softness: those that follow each other and are seen alike at once.
func (k *inksOf) fill(x, y, foot, soft, asked, ink Plane) {
	n := len(asked)
	foot, soft = foot[:n], soft[:n]
	for from, to := 0, 0; from < n; from = to {
		lastFoot, lastSoft := foot[from], soft[from]
		f, s := pattern.FootStep(lastFoot), pattern.SoftStep(2*lastSoft)
		for to++; to < n; to++ {
			if a, b := foot[to], soft[to]; a != lastFoot || b != lastSoft {
				if pattern.FootStep(a) != f || pattern.SoftStep(2*b) != s {
					break
				}
				lastFoot, lastSoft = a, b
			}
		}
		k.of(f, s).Fill(x[from:to], y[from:to], asked[from:to], ink[from:to])
	}
}

// Package delivery fills orders: it says what an order is, parts it into pieces that can be drawn anywhere in any order, draws
// them, and makes files of what they came to.
package delivery

import (
	"encoding/json"
	"errors"
	"fmt"
	"image"

	"mobanta/core/bake"
	"mobanta/core/frame"
	"mobanta/core/painted"
	"mobanta/core/picture"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/core/shader"
	"mobanta/core/stage"
)

// Order says what is to be delivered of a project.
type Order struct {
	As      Format       `json:"as"`
	W       int          `json:"w"` // pixels, of the picture, a frame, or a cell of a sheet
	H       int          `json:"h"`
	Samples int          `json:"samples,omitempty"` // positions in a pixel; 0 for DefaultSamples
	DPI     float64      `json:"dpi,omitempty"`     // dots per inch, for print; 0 to say none
	Clear   bool         `json:"clear,omitempty"`   // no backdrop
	Staging string       `json:"staging,omitempty"` // its id; "" for the project as it is
	At      *float64     `json:"at,omitempty"`      // seconds; nil for the project's own moment
	First   int          `json:"first,omitempty"`   // of a moving picture: frames, both counted
	Last    int          `json:"last,omitempty"`    // 0 and 0 for all
	Sheet   *proof.Sheet `json:"sheet,omitempty"`   // of a proof sheet
	Near    int          `json:"near,omitempty"`    // of a proof sheet: the cell that is looked at

	Bake    *bake.Order    `json:"bake,omitempty"`    // of textures
	Painted *painted.Order `json:"painted,omitempty"` // of painted models
	Code    *shader.Order  `json:"code,omitempty"`    // of looks as code
}

// UnmarshalJSON reads an order; older ones say take for staging.
func (o *Order) UnmarshalJSON(data []byte) error {
	type plain Order
	older := struct {
		*plain
		Take string `json:"take"`
	}{plain: (*plain)(o)}
	if err := json.Unmarshal(data, &older); err != nil {
		return err
	}
	if o.Staging == "" {
		o.Staging = older.Take
	}
	return nil
}

// DefaultSamples is how many positions a pixel has unless an order says otherwise.
const DefaultSamples = 16

// Limits on orders.
const (
	maxWhole  = 16 << 20        // pixels of what cannot be drawn part by part
	maxFrame  = 16 << 20        // pixels of a frame
	MaxFrames = stage.MaxFrames // of a moving picture
	maxCell   = 600 * 600       // pixels of a cell
	maxMoving = 8 << 30         // pixels of all frames of a moving picture
	maxGIF    = 1 << 29         // likewise of a GIF, which is put together in memory
)

// Check returns why an order cannot be filled, or nil. What it leaves open is filled in.
func (o *Order) Check(p *project.Project) error {
	form, ok := o.As.Form()
	if !ok {
		return fmt.Errorf("delivery: there is no format %.20q", string(o.As))
	}
	if o.Samples == 0 {
		o.Samples = DefaultSamples
	}
	if o.W < 1 || o.H < 1 || o.W > frame.MaxSide || o.H > frame.MaxSide {
		return fmt.Errorf("delivery: a picture has a width and a height of 1 to %d pixels, not %d × %d", frame.MaxSide, o.W, o.H)
	}
	if o.Samples < 1 || o.Samples > picture.MaxSamples {
		return fmt.Errorf("delivery: positions in a pixel lie between 1 and %d, not %d", picture.MaxSamples, o.Samples)
	}
	if !(o.DPI >= 0 && o.DPI <= 10_000) {
		return fmt.Errorf("delivery: dots per inch lie between 1 and 10,000, not %g", o.DPI)
	}
	if o.At != nil && !(*o.At >= 0 && *o.At <= stage.MaxTime) {
		return fmt.Errorf("delivery: time %g lies outside 0 to %d seconds", *o.At, stage.MaxTime)
	}
	if o.Staging != "" && p.Staging(o.Staging) == nil {
		return errors.New("delivery: the staging is not there any more")
	}
	k := form.kind
	if pixels := o.W * o.H; k.most > 0 && pixels > k.most {
		return fmt.Errorf("delivery: %d × %d are %s pixels; as %s there may be %s", o.W, o.H, millions(pixels), form.Name, millions(k.most))
	}
	if k.check == nil {
		return nil
	}
	return k.check(o, p)
}

// millions prints a number of pixels.
func millions(n int) string {
	if n < 1_000_000 {
		return fmt.Sprint(n)
	}
	if m := n / 1_000_000; m >= 1000 {
		return fmt.Sprintf("%d,%03d million", m/1000, m%1000)
	} else if m >= 100 {
		return fmt.Sprintf("%d million", m)
	}
	return fmt.Sprintf("%.3g million", float64(n)/1e6)
}

// of returns the project as the order wants it: in the state of a staging.
func (o *Order) of(p *project.Project) *project.Project {
	if t := p.Staging(o.Staging); t != nil {
		return p.With(t)
	}
	return p
}

// frame returns the order of a picture, or of a frame.
func (o *Order) frame(at *float64) frame.Order {
	return frame.Order{W: o.W, H: o.H, Samples: max(1, o.Samples), Clear: o.Clear, At: at}
}

// Piece is a part of an order that is drawn by itself.
type Piece struct {
	N     int             `json:"n"`              // its number, from 0
	Area  image.Rectangle `json:"area,omitempty"` // of a picture: the part
	Frame int             `json:"frame,omitempty"`
	Cell  int             `json:"cell,omitempty"`
}

// Pieces returns the pieces of an order that has been checked, in the order in which they are to be drawn.
func (o *Order) Pieces(p *project.Project) ([]Piece, error) {
	if pieces := o.kind().pieces; pieces != nil {
		return pieces(o, p)
	}
	return []Piece{{}}, nil
}

// What a picture takes, in bytes a pixel.
const (
	kept  = 16 + 12 // of the whole picture, developed
	drawn = 150     // of what is being drawn
)

// Memory returns about how many bytes filling the order takes at most, on one machine.
func (o *Order) Memory() int {
	n, most := o.W*o.H, 0
	for _, area := range frame.Parts(o.W, o.H) {
		most = max(most, area.Dx()*area.Dy())
	}
	if memory := o.kind().memory; memory != nil {
		return memory(n, most)
	}
	return kept*n + 2*drawn*most
}

// Disk returns about how many bytes filling the order takes on the disk at most, in so many pieces.
func (o *Order) Disk(pieces int) int {
	const packed = 3 // bytes of a pixel, of a picture that is not flat
	return 2 * packed * o.W * o.H * max(1, pieces/max(1, o.parts()))
}

// parts returns how many pieces one picture is.
func (o *Order) parts() int {
	if o.kind().tiled {
		return len(frame.Parts(o.W, o.H))
	}
	return 1
}

// Measured is how long pictures of an order's project take on this machine, in seconds.
type Measured struct {
	Ready    float64 // once, until all is there that pictures share
	Fixed    float64 // of each picture, however small
	PerPixel float64
}

// Seconds returns about how long an order of so many pieces takes.
func (o *Order) Seconds(m Measured, pieces int) float64 {
	picture := m.Fixed + m.PerPixel*float64(o.W*o.H)
	if seconds := o.kind().seconds; seconds != nil {
		return m.Ready + seconds(m, picture, pieces)
	}
	return m.Ready + picture
}

package stage

import (
	"fmt"
	"math"

	"mobanta/core/color"
	"mobanta/core/vec"
)

// Backdrop is what shows where there is no model.
type Backdrop struct {
	Color   color.C `json:"color"`             // of all of it, at the bottom, or in the middle
	None    bool    `json:"none,omitempty"`    // transparent
	Course  Course  `json:"course,omitempty"`  // how it goes from Color to Other
	Other   color.C `json:"other,omitzero"`    // at the top, or at the rim
	Picture string  `json:"picture,omitempty"` // hash of a stored picture that lies on it
	Fit     Fit     `json:"fit,omitempty"`     // how the picture lies there
	X       float64 `json:"x,omitempty"`       // ByPlace: how far its middle is off the middle, to the right, in heights of the picture
	Y       float64 `json:"y,omitempty"`       // and up
	Scale   float64 `json:"scale,omitempty"`   // ByPlace: its height, in heights of the picture; 0 for 1
	Floor   bool    `json:"floor,omitempty"`   // a floor below the models that shows the shadows on it alone
	Shade   color.C `json:"shade,omitzero"`    // of those shadows
	Deep    float64 `json:"deep,omitempty"`    // how dark they are, 0..1; 0 for DefaultDeep
	// Where the floor lies, its middle, and how far it reaches to each side.
	FloorAt   vec.V   `json:"floorAt,omitzero"`
	FloorSize float32 `json:"floorSize,omitempty"`
}

// Course is how the colour of a backdrop goes.
type Course string

// The courses.
const (
	Flat   Course = ""      // one colour
	Upward Course = "up"    // from the bottom to the top
	Round  Course = "round" // from the middle to the corners
)

// Fit is how a picture lies on the backdrop.
type Fit string

// The fits.
const (
	Cover   Fit = ""      // it covers all, and is cut where its shape is another
	Whole   Fit = "whole" // all of it is seen
	ByPlace Fit = "placed"
)

// FloorID is the id of the model that the floor becomes, and of its look: no document can have it.
const FloorID = "~floor"

// DefaultDeep is how dark the shadows on a floor are.
const DefaultDeep = 0.5

func (b *Backdrop) check() error {
	switch b.Course {
	case Flat, Upward, Round:
	default:
		return fmt.Errorf("backdrop: there is no course %.20q", string(b.Course))
	}
	switch b.Fit {
	case Cover, Whole, ByPlace:
	default:
		return fmt.Errorf("backdrop: a picture cannot lie as %.20q", string(b.Fit))
	}
	if len(b.Picture) > 64 {
		return fmt.Errorf("backdrop: %.20q names no picture", b.Picture)
	}
	for _, c := range append(append(b.Color[:], b.Other[:]...), b.Shade[:]...) {
		if !(c >= 0 && c <= 1000) {
			return fmt.Errorf("backdrop: a colour is not one")
		}
	}
	for _, e := range []struct {
		name      string
		v, lo, hi float64
	}{{"backdrop: place", b.X, -100, 100}, {"backdrop: place", b.Y, -100, 100}, {"backdrop: size of the picture", b.Scale, 0, 100}, {"backdrop: depth of shadows", b.Deep, 0, 1},
		{"backdrop: size of the floor", float64(b.FloorSize), 0, Far}, {"backdrop: place of the floor", float64(b.FloorAt[0]), -Far, Far},
		{"backdrop: place of the floor", float64(b.FloorAt[1]), -Far, Far}, {"backdrop: place of the floor", float64(b.FloorAt[2]), -Far, Far},
	} {
		if err := checkRange(e.name, e.v, e.lo, e.hi); err != nil {
			return err
		}
	}
	return nil
}

// Laid returns where in the picture of a shape (its width over its height) a place of a picture w × h lies, in parts of
// each side; x and y are in pixels from the top left corner. It lies outside 0..1 where the picture does not reach.
func (b *Backdrop) Laid(x, y, w, h, shape float64) (u, v float64) {
	px, py := (x-w/2)/h, (y-h/2)/h // in heights from the middle
	high := 1.0
	switch aspect := w / h; b.Fit {
	case Cover:
		high = max(1, aspect/shape)
	case Whole:
		high = min(1, aspect/shape)
	case ByPlace:
		if b.Scale > 0 {
			high = b.Scale
		}
		px, py = px-b.X, py+b.Y
	}
	return px/(high*shape) + 0.5, py/high + 0.5
}

// Part returns how far along its course the backdrop is at a place of a picture of w × h pixels, 0 to 1.
func (b *Backdrop) Part(x, y, w, h float64) float64 {
	switch b.Course {
	case Upward:
		return 1 - y/h
	case Round:
		return math.Hypot(x-w/2, y-h/2) / math.Hypot(w/2, h/2)
	}
	return 0
}

// Along returns the colour of the backdrop at a part of its course.
func (b *Backdrop) Along(t float64) color.C { return between(b.Color, b.Other, t) }

// between mixes along OKLab, in which a gradient looks even.
func between(a, b color.C, t float64) color.C {
	f := float32(max(0, min(1, t)))
	p, q := a.Oklab(), b.Oklab()
	for k := range p {
		p[k] += (q[k] - p[k]) * f
	}
	c := color.FromOklab(p)
	return color.C{max(0, c[0]), max(0, c[1]), max(0, c[2])}
}

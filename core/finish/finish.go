// Package finish is what is done to a picture once all is drawn: light that spreads around what is bright, a grade, and
// a shoulder for what is brighter than white. It works on values in linear light and knows nothing of scenes.
package finish

import (
	"errors"
	"fmt"

	"mobanta/core/color"
	"mobanta/core/limits"
)

// Glow lets what is bright shine beyond its edges.
type Glow struct {
	On        bool     `json:"on,omitempty"`
	Threshold float64  `json:"threshold,omitempty"` // of the brightest component, linear, that does not glow; may be above 1
	Radius    float64  `json:"radius,omitempty"`    // within which half of the light falls, in thousandths of the picture's height; 0 for DefaultRadius
	Strength  float64  `json:"strength"`            // how much of the light is spread; 1 for all of it once more
	Tint      color.C  `json:"tint,omitzero"`       // of what is spread; black for none
	Looks     []string `json:"looks,omitempty"`     // that glow; none for the whole picture
	Around    bool     `json:"around,omitempty"`    // only around what glows: that itself keeps its colours
}

// Grade turns the colours of the whole picture. Zero values change nothing.
type Grade struct {
	On         bool        `json:"on,omitempty"`
	Exposure   float64     `json:"exposure,omitempty"`   // in doublings of the light
	Contrast   float64     `json:"contrast,omitempty"`   // -1..1, about Pivot
	Pivot      float64     `json:"pivot,omitempty"`      // linear tone that contrast leaves; 0 for DefaultPivot
	Saturation float64     `json:"saturation,omitempty"` // -1 for grey, 1 for double
	Hue        float64     `json:"hue,omitempty"`        // degrees
	Curves     Curves      `json:"curves,omitzero"`
	Shadows    color.C     `json:"shadows,omitzero"` // tint of what is dark
	Lights     color.C     `json:"lights,omitzero"`  // and of what is light
	Toning     float64     `json:"toning,omitempty"` // how much of both, 0..1
	Strip      color.Strip `json:"strip,omitempty"`  // a palette that is read by how light a colour is
	Mapped     float64     `json:"mapped,omitempty"` // how much of it, 0..1
}

// Curve is a curve through three points: by how much encoded values of 0, ½ and 1 are raised.
type Curve [3]float64

// Curves are those of all components, and of each alone after that.
type Curves struct {
	All   Curve `json:"all,omitzero"`
	Red   Curve `json:"red,omitzero"`
	Green Curve `json:"green,omitzero"`
	Blue  Curve `json:"blue,omitzero"`
}

// View is how values become bytes.
type View string

// The views.
const (
	Plain View = ""     // exact: what is above white is white
	Soft  View = "soft" // with a shoulder: what is bright comes near to white step by step
)

// What zero values stand for.
const (
	DefaultRadius = 30
	DefaultPivot  = 0.18
)

// MaxRadius limits how far a glow reaches, in thousandths of the height.
const MaxRadius = 400

// NewGlow returns the glow that is there when it is first switched on.
func NewGlow() Glow {
	return Glow{On: true, Threshold: 0.7, Radius: DefaultRadius, Strength: 0.6}
}

func isColor(c color.C) bool {
	for _, v := range c {
		if !(v >= 0 && v <= 1000) {
			return false
		}
	}
	return true
}

// maxLooks limits the looks that a glow names.
const maxLooks = 100

// Check returns what is wrong with a glow.
func (g *Glow) Check() error {
	if len(g.Looks) > maxLooks || !isColor(g.Tint) {
		return errors.New("finish: the glow has a tint that is no colour, or too many looks")
	}
	return errors.Join(limits.Check("finish: the threshold of the glow", g.Threshold, 0, 1000), limits.Check("finish: the radius of the glow", g.Radius, 0, MaxRadius),
		limits.Check("finish: the strength of the glow", g.Strength, 0, 20))
}

// Check returns what is wrong with a grade.
func (g *Grade) Check() error {
	if !isColor(g.Shadows) || !isColor(g.Lights) {
		return errors.New("finish: a tint is no colour")
	}
	if g.Strip != nil {
		if err := g.Strip.Check(); err != nil {
			return fmt.Errorf("finish: %w", err)
		}
	}
	err := errors.Join(limits.Check("finish: exposure", g.Exposure, -10, 10), limits.Check("finish: contrast", g.Contrast, -1, 1), limits.Check("finish: pivot", g.Pivot, 0, 1),
		limits.Check("finish: saturation", g.Saturation, -1, 1), limits.Check("finish: hue", g.Hue, -360, 360), limits.Check("finish: toning", g.Toning, 0, 1), limits.Check("finish: mapping", g.Mapped, 0, 1))
	for _, c := range g.Curves.list() {
		for _, v := range c {
			err = errors.Join(err, limits.Check("finish: a point of a curve", v, -1, 1))
		}
	}
	return err
}

func (c *Curves) list() [4]*Curve { return [4]*Curve{&c.All, &c.Red, &c.Green, &c.Blue} }

// Check returns what is wrong with a view.
func (v View) Check() error {
	if v != Plain && v != Soft {
		return fmt.Errorf("finish: there is no view %.20q", string(v))
	}
	return nil
}

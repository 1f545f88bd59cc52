package stage

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/vec"
)

// Light is what shines on the stage. Which fields count depends on Kind.
type Light struct {
	ID       string     `json:"id"`
	Name     string     `json:"name"`
	Kind     light.Kind `json:"kind"`
	Strength float32    `json:"strength"` // 1 gives tone 1 where the surface faces the light; with Fade, at the distance Reach
	Color    color.C    `json:"color"`
	Shadows  bool       `json:"shadows"`         // whether models cast shadows in its light
	Parts    []string   `json:"parts,omitempty"` // that it lights, as PartID names them; none for all

	// From where a sun, a disc or a rectangle shines, in degrees: azimuth 0 is +Z,
	// growing towards +X; elevation is above the horizon, -90..90. The azimuth of a
	// sky turns its picture.
	Azimuth   float64 `json:"azimuth"`
	Elevation float64 `json:"elevation"`
	At        vec.V   `json:"at,omitzero"`      // place of a point, disc or rectangle
	Size      float32 `json:"size,omitempty"`   // sun: degrees across; point and disc: radius; rectangle: width
	Height    float32 `json:"height,omitempty"` // of a rectangle
	Fade      bool    `json:"fade,omitempty"`   // inverse square, for what stands at a place
	Reach     float32 `json:"reach,omitempty"`  // where Strength holds, with Fade

	Below   color.C `json:"below,omitzero"`    // sky: the colour from straight below, if it is a blend
	Blend   bool    `json:"blend,omitempty"`   // sky: from Below to Color by height
	Picture string  `json:"picture,omitempty"` // sky: hash of a latitude-longitude picture, tinted by Color
}

// NewLight returns a white light of a kind with shadows, where one is of use.
func NewLight(id, name string, kind light.Kind) Light {
	l := Light{ID: id, Name: name, Kind: kind, Strength: 1, Color: color.C{1, 1, 1}, Shadows: kind != light.Headlamp}
	switch kind {
	case light.Sun:
		l.Azimuth, l.Elevation = -40, 45
	case light.Point:
		l.Size, l.Fade, l.Reach = 0, true, 3
	case light.Disc, light.Rectangle:
		l.Azimuth, l.Elevation, l.Size, l.Height, l.Fade, l.Reach = 40, 40, 1, 1, true, 3
	}
	return l
}

// PartID names a part for lights.
func PartID(model, part string) string { return model + "/" + part }

func (l *Light) check() error {
	if !slices.Contains(light.Kinds, l.Kind) {
		return fmt.Errorf("there is no kind of light %.20q", l.Kind)
	}
	size := float64(Far)
	if l.Kind == light.Sun {
		size = 90
	}
	least := 0.0
	if l.Kind == light.Disc || l.Kind == light.Rectangle {
		least = Least
	}
	for _, c := range []struct {
		name      string
		v, lo, hi float64
		skip      bool
	}{
		{"azimuth", l.Azimuth, -36000, 36000, false},
		{"elevation", l.Elevation, -90, 90, false},
		{"strength", float64(l.Strength), 0, 1000, false},
		{"size", float64(l.Size), least, size, false},
		{"height", float64(l.Height), least, Far, l.Kind != light.Rectangle},
		{"reach", float64(l.Reach), Least, Far, !l.Kind.Placed() || !l.Fade},
		{"place", float64(l.At[0]), -Far, Far, false},
		{"place", float64(l.At[1]), -Far, Far, false},
		{"place", float64(l.At[2]), -Far, Far, false},
	} {
		if !c.skip {
			if err := checkRange(c.name, c.v, c.lo, c.hi); err != nil {
				return err
			}
		}
	}
	for _, c := range append(l.Color[:], l.Below[:]...) {
		if !(c >= 0 && c <= 1000) {
			return errors.New("its colour is not one")
		}
	}
	if len(l.Parts) > maxParts || len(l.Picture) > 64 {
		return errors.New("its list of parts is too long")
	}
	for _, part := range l.Parts {
		if len(part) > maxID+1+maxPartName {
			return fmt.Errorf("the name of part %.40q is too long", part)
		}
	}
	return nil
}

// source makes l ready for a scene whose parts are there. A sky picture that is
// missing leaves its colour.
func (l *Light) source(sc, old *Scene) light.Source {
	s := light.Source{ID: l.ID, Name: l.Name, Kind: l.Kind, Color: l.Color, Strength: l.Strength, Shadows: l.Shadows && l.Kind != light.Headlamp,
		Dir: vec.Direction(l.Azimuth, l.Elevation), At: l.At, Size: l.Size, High: l.Height / 2, Fade: l.Fade, Reach: l.Reach}
	switch l.Kind {
	case light.Sun:
		s.Size = float32(math.Sin(float64(l.Size) / 2 * math.Pi / 180))
	case light.Rectangle:
		s.Size /= 2
	case light.Sky:
		if s.Dome = l.dome(sc, old); s.Dome.Pictured() {
			s.Image = l.Picture
		}
	}
	if len(l.Parts) > 0 {
		s.Parts = make([]bool, len(sc.Parts))
		for i, p := range sc.Parts {
			s.Parts[i] = slices.Contains(l.Parts, p.ID)
		}
	}
	s.Ready()
	return s
}

// dome returns the sky, that of the old scene where it is the same.
func (l *Light) dome(sc, old *Scene) *light.Dome {
	if old != nil {
		for i := range old.made {
			if o := &old.made[i]; o.Kind == light.Sky && o.Picture == l.Picture && o.Azimuth == l.Azimuth && o.Color == l.Color &&
				o.Below == l.Below && o.Blend == l.Blend && (l.Picture == "" || old.Lights[i].Dome.Pictured()) {
				return old.Lights[i].Dome
			}
		}
		for i := range old.made { // the same picture, turned or tinted
			if o := &old.made[i]; l.Picture != "" && o.Kind == light.Sky && o.Picture == l.Picture && old.Lights[i].Dome.Pictured() {
				return old.Lights[i].Dome.With(l.Azimuth, l.Color)
			}
		}
	}
	if l.Picture != "" {
		if pic, err := sc.Files.Picture(l.Picture); err == nil {
			return light.NewPictureDome(pic, l.Azimuth, l.Color)
		}
	}
	if l.Blend {
		return light.NewDome(l.Color, l.Below)
	}
	return light.NewDome(l.Color, l.Color)
}

package light

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

// Dome is the light of a sky by direction. It does not hold the strength.
type Dome struct {
	top, bottom color.C // straight up and straight down; in between by height
	pan         *panorama
	sin, cos    float32 // of the angle that the panorama is turned by
	gain        color.C // of the panorama
}

// NewDome returns a sky that is of one colour straight up and of another straight
// down, with a straight blend by height in between.
func NewDome(top, bottom color.C) *Dome { return &Dome{top: top, bottom: bottom} }

// NewPictureDome returns a sky from a latitude-longitude picture, turned about
// the vertical by degrees and coloured by tint. A surface that faces up receives
// a tone of 1 of it, whatever the picture's exposure.
func NewPictureDome(pic *pixmap.Pixmap, degrees float64, tint color.C) *Dome {
	return (&Dome{pan: newPanorama(pic)}).With(degrees, tint)
}

// With returns the sky of the same picture, turned and coloured otherwise.
func (d *Dome) With(degrees float64, tint color.C) *Dome {
	s, c := math.Sincos(degrees * math.Pi / 180)
	out := &Dome{pan: d.pan, sin: float32(s), cos: float32(c), gain: tint}
	if e := out.Irradiance(vec.V{0, 1, 0}).Luminance(); e > 1e-9 {
		for k := range out.gain {
			out.gain[k] /= e
		}
	}
	return out
}

// Pictured tells whether the sky is from a picture.
func (d *Dome) Pictured() bool { return d.pan != nil }

// turned returns a direction as the picture has it.
func (d *Dome) turned(v vec.V) vec.V {
	return vec.V{v[0]*d.cos - v[2]*d.sin, v[1], v[2]*d.cos + v[0]*d.sin}
}

// by returns a colour of the picture as it is in this sky.
func (d *Dome) by(c color.C) color.C {
	return color.C{c[0] * d.gain[0], c[1] * d.gain[1], c[2] * d.gain[2]}
}

// blend returns the colour between bottom and top.
func (d *Dome) blend(t float32) color.C { return d.bottom.Mix(d.top, t) }

// Radiance returns the light that comes from direction dir, a unit vector.
func (d *Dome) Radiance(dir vec.V) color.C {
	if d.pan == nil {
		return d.blend((1 + dir[1]) / 2)
	}
	return d.by(d.pan.at(d.turned(dir)))
}

// Tone returns the luminance of Radiance.
func (d *Dome) Tone(dir vec.V) float32 { return d.Radiance(dir).Luminance() }

// Irradiance returns what an open surface with unit normal n receives, 1 of a sky
// that is 1 all over. For a colour or a blend it is exact; for a picture, a sum
// over 8,192 pieces of the sky, within about a hundredth of what its brightest
// place gives.
func (d *Dome) Irradiance(n vec.V) color.C {
	if d.pan == nil {
		// The cosine-weighted mean of height over the hemisphere about n is ⅔ of n's.
		return d.blend(0.5 + n[1]/3)
	}
	return d.by(d.pan.open.at(d.turned(n)))
}

// Seek returns a direction of a sky from a picture for a place of the unit square:
// over evenly spread places, directions come in proportion to how bright they are.
// It also returns the tone from there and how often directions come, per steradian:
// 0 for a black picture, which has none.
func (d *Dome) Seek(x, y float32) (dir vec.V, tone, density float32) {
	s := d.pan.cells.seek(x, y)
	return vec.V{s.dir[0]*d.cos + s.dir[2]*d.sin, s.dir[1], s.dir[2]*d.cos - s.dir[0]*d.sin}, d.by(s.mean).Luminance(), s.density
}

// Sought returns the tone in a direction as Seek has it, and how often Seek returns
// directions there, per steradian.
func (d *Dome) Sought(dir vec.V) (tone, density float32) {
	c, density := d.pan.cells.at(d.turned(dir))
	return d.by(c).Luminance(), density
}

// Mirrored returns what a mirror of some roughness shows of the sky in direction
// dir, a unit vector: the sky itself at 0, its mean over a wide lobe at 1.
func (d *Dome) Mirrored(dir vec.V, rough float32) color.C {
	rough = max(0, min(1, rough))
	if d.pan == nil {
		return d.Radiance(dir).Mix(d.Irradiance(dir), rough)
	}
	return d.by(d.pan.mirrored(d.turned(dir), rough))
}

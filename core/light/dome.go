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
	pic         *pixmap.Pixmap
	turn        float64 // of the picture, in turns
	scale       float32 // of the picture: its brightness becomes 1 on average over the upper half
	coef        [9]color.C
}

// NewDome returns a sky that is of one colour straight up and of another straight
// down, with a straight blend by height in between.
func NewDome(top, bottom color.C) *Dome { return &Dome{top: top, bottom: bottom} }

// NewPictureDome returns a sky from a latitude-longitude picture, turned about
// the vertical by degrees and coloured by tint. A surface that faces up receives
// a tone of 1 of it, whatever the picture's exposure.
func NewPictureDome(pic *pixmap.Pixmap, degrees float64, tint color.C) *Dome {
	d := &Dome{pic: pic, turn: degrees / 360, top: tint, scale: 1}
	d.project()
	if e := d.Irradiance(vec.V{0, 1, 0}).Luminance(); e > 1e-9 {
		d.scale = 1 / e
		for i := range d.coef {
			for k := range d.coef[i] {
				d.coef[i][k] /= e
			}
		}
	}
	return d
}

// Radiance returns the light that comes from direction dir, a unit vector.
func (d *Dome) Radiance(dir vec.V) color.C {
	if d.pic == nil {
		t := (1 + dir[1]) / 2
		c := d.bottom
		for k := range c {
			c[k] += (d.top[k] - c[k]) * t
		}
		return c
	}
	u := math.Atan2(float64(dir[0]), float64(dir[2]))/(2*math.Pi) + 0.5 - d.turn
	v := math.Acos(max(-1, min(1, float64(dir[1])))) / math.Pi
	c := d.pic.Latlong(u, v)
	for k := range c {
		c[k] *= d.scale * d.top[k]
	}
	return c
}

// Tone returns the luminance of Radiance.
func (d *Dome) Tone(dir vec.V) float32 { return d.Radiance(dir).Luminance() }

// Irradiance returns what an open surface with unit normal n receives, 1 of a sky
// that is 1 all over. For a colour or a blend it is exact; for a picture, from
// its first nine spherical harmonics (Ramamoorthi and Hanrahan 2001).
func (d *Dome) Irradiance(n vec.V) color.C {
	if d.pic == nil {
		// The cosine-weighted mean of height over the hemisphere about n is ⅔ of n's.
		t := 0.5 + n[1]/3
		c := d.bottom
		for k := range c {
			c[k] += (d.top[k] - c[k]) * t
		}
		return c
	}
	var out color.C
	for i, y := range harmonics(n) {
		w := [3]float32{1, 2.0 / 3, 0.25}[[9]int{0, 1, 1, 1, 2, 2, 2, 2, 2}[i]]
		for k := range out {
			out[k] += d.coef[i][k] * y * w
		}
	}
	for k := range out {
		out[k] = max(0, out[k])
	}
	return out
}

func harmonics(n vec.V) [9]float32 {
	x, y, z := n[0], n[1], n[2]
	return [9]float32{0.282095, 0.488603 * y, 0.488603 * z, 0.488603 * x, 1.092548 * x * y, 1.092548 * y * z,
		0.315392 * (3*z*z - 1), 1.092548 * x * z, 0.546274 * (x*x - y*y)}
}

// project finds the harmonics of the picture, from at most 256 × 128 places.
func (d *Dome) project() {
	w, h := min(256, d.pic.W), min(128, d.pic.H)
	for j := range h {
		theta := (float64(j) + 0.5) / float64(h) * math.Pi
		weight := float32(math.Sin(theta) * math.Pi / float64(h) * 2 * math.Pi / float64(w))
		for i := range w {
			phi := ((float64(i)+0.5)/float64(w) - 0.5 + d.turn) * 2 * math.Pi
			dir := vec.V{float32(math.Sin(theta) * math.Sin(phi)), float32(math.Cos(theta)), float32(math.Sin(theta) * math.Cos(phi))}
			c := d.Radiance(dir)
			for n, y := range harmonics(dir) {
				for k := range c {
					d.coef[n][k] += c[k] * y * weight
				}
			}
		}
	}
}

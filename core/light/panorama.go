package light

import (
	"math"
	"sync"

	"mobanta/core/color"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

// panorama is a latitude-longitude picture and what is worked out from it once.
type panorama struct {
	pic   *pixmap.Pixmap
	coef  [9]color.C                  // its spherical harmonics
	gloss [glossLevels]*pixmap.Pixmap // as ever rougher mirrors show it: roughness ¼, ½, ¾, 1
}

const (
	glossLevels    = 4
	glossW, glossH = 64, 32
	glossEach      = 4 // places of the picture that a pixel of a smaller one is the mean of, each way
)

func newPanorama(pic *pixmap.Pixmap) *panorama {
	p := &panorama{pic: pic}
	small := make([]placed, glossW*glossH)
	var wg sync.WaitGroup
	for j := range glossH {
		for i := range glossW {
			small[j*glossW+i] = p.place(i, j)
		}
	}
	p.project()
	for level := range glossLevels {
		wg.Go(func() { p.gloss[level] = blurred(small, float64(level+1)/glossLevels) })
	}
	wg.Wait()
	return p
}

// at returns the colour in a direction, a unit vector.
func (p *panorama) at(dir vec.V) color.C { return p.pic.Latlong(angles(dir)) }

// angles is the inverse of latlong.
func angles(dir vec.V) (u, v float64) {
	return math.Atan2(float64(dir[0]), float64(dir[2]))/(2*math.Pi) + 0.5, math.Acos(max(-1, min(1, float64(dir[1])))) / math.Pi
}

// latlong returns the direction that a place of a latitude-longitude picture shows:
// u in turns, v from 0 at the top.
func latlong(u, v float64) vec.V {
	theta, phi := v*math.Pi, (u-0.5)*2*math.Pi
	return vec.V{float32(math.Sin(theta) * math.Sin(phi)), float32(math.Cos(theta)), float32(math.Sin(theta) * math.Cos(phi))}
}

// placed is a pixel of a small picture: where it is, how much of the sky it takes,
// and its colour.
type placed struct {
	dir  vec.V
	area float32
	c    color.C
}

func (p *panorama) place(i, j int) placed {
	theta := (float64(j) + 0.5) / glossH * math.Pi
	out := placed{dir: latlong((float64(i)+0.5)/glossW, (float64(j)+0.5)/glossH), area: float32(math.Sin(theta))}
	for b := range glossEach {
		for a := range glossEach {
			c := p.pic.Latlong((float64(i)+(float64(a)+0.5)/glossEach)/glossW, (float64(j)+(float64(b)+0.5)/glossEach)/glossH)
			for k := range c {
				out.c[k] += c[k] / (glossEach * glossEach)
			}
		}
	}
	return out
}

// blurred returns the picture as a mirror of some roughness shows it: the mean over
// a lobe about the mirror direction, of the half-angle form's exponent.
func blurred(src []placed, rough float64) *pixmap.Pixmap {
	// About the mirror direction a lobe is twice as wide as about the normal.
	e := max(1, (2/(rough*rough*rough*rough)-2)/4)
	out := &pixmap.Pixmap{W: glossW, H: glossH, Shared: true, Pix: make([]byte, 4*glossW*glossH)}
	for i := range src {
		var sum color.C
		var all float32
		for k := range src {
			cos := src[i].dir.Dot(src[k].dir)
			if cos <= 0 || e*float64(1-cos) > 20 {
				continue
			}
			w := float32(math.Exp(e*math.Log(float64(min(1, cos))))) * src[k].area
			all += w
			for b := range sum {
				sum[b] += src[k].c[b] * w
			}
		}
		for b := range sum {
			sum[b] /= all
		}
		out.Set(i%glossW, i/glossW, sum)
	}
	return out
}

func (p *panorama) mirrored(dir vec.V, rough float32) color.C {
	level := min(glossLevels-1, int(rough*glossLevels))
	u, v := angles(dir)
	sharp := p.pic
	if level > 0 {
		sharp = p.gloss[level-1]
	}
	return sharp.Latlong(u, v).Mix(p.gloss[level].Latlong(u, v), rough*glossLevels-float32(level))
}

func (p *panorama) irradiance(n vec.V) (out color.C) {
	for i, y := range harmonics(n) {
		w := [3]float32{1, 2.0 / 3, 0.25}[[9]int{0, 1, 1, 1, 2, 2, 2, 2, 2}[i]]
		for k := range out {
			out[k] += p.coef[i][k] * y * w
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

// project finds the harmonics, from at most 256 × 128 places.
func (p *panorama) project() {
	w, h := min(256, p.pic.W), min(128, p.pic.H)
	for j := range h {
		v := (float64(j) + 0.5) / float64(h)
		weight := float32(math.Sin(v*math.Pi) * math.Pi / float64(h) * 2 * math.Pi / float64(w))
		for i := range w {
			u := (float64(i) + 0.5) / float64(w)
			c := p.pic.Latlong(u, v)
			for n, y := range harmonics(latlong(u, v)) {
				for k := range c {
					p.coef[n][k] += c[k] * y * weight
				}
			}
		}
	}
}

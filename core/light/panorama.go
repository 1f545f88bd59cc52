package light

import (
	"math"

	"mobanta/core/color"
	"mobanta/core/parallel"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

// panorama is a latitude-longitude picture and what is worked out from it once.
type panorama struct {
	pic   *pixmap.Pixmap
	cells *cells
	open  folded                      // what an open surface receives, by its normal
	gloss [glossLevels]*pixmap.Pixmap // as ever rougher mirrors show it: roughness ¼, ½, ¾, 1
}

const (
	glossLevels    = 4
	glossW, glossH = 64, 32
)

func newPanorama(pic *pixmap.Pixmap) *panorama {
	p := &panorama{pic: pic, cells: newCells(pic)}
	small := p.cells.parcels(glossW, glossH)
	parallel.Do(parallel.Cores(), glossLevels, func(level int) { p.gloss[level] = blurred(small, float64(level+1)/glossLevels) })
	p.open.fill(p.cells.parcels(128, 64))
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

// parcel is the light that comes from a small piece of the sky.
type parcel struct {
	dir  vec.V   // the middle of its light
	area float32 // how much of the sky it takes, in steradians
	c    color.C // its mean
}

// blurred returns the picture as a mirror of some roughness shows it: the mean over
// a lobe about the mirror direction, of the half-angle form's exponent.
func blurred(src []parcel, rough float64) *pixmap.Pixmap {
	// About the mirror direction a lobe is twice as wide as about the normal.
	e := max(1, (2/(rough*rough*rough*rough)-2)/4)
	var power [4097]float32 // of a cosine, by steps of 1/4096
	for i := range power {
		power[i] = float32(math.Pow(float64(i)/4096, e))
	}
	out := &pixmap.Pixmap{W: glossW, H: glossH, Shared: true, Pix: make([]byte, 4*glossW*glossH)}
	for j := range glossH {
		for i := range glossW {
			dir := latlong((float64(i)+0.5)/glossW, (float64(j)+0.5)/glossH)
			var sum color.C
			var all float32
			for k := range src {
				cos := dir.Dot(src[k].dir)
				if cos <= 0 {
					continue
				}
				w := power[int(min(1, cos)*4096+0.5)] * src[k].area
				all += w
				for b := range sum {
					sum[b] += src[k].c[b] * w
				}
			}
			for b := range sum {
				sum[b] /= all
			}
			out.Set(i, j, sum)
		}
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

// folded is a function of direction on an octahedron that is folded out into a
// square, read with straight blends (Engelhardt and Dachsbacher 2008).
type folded [foldedN * foldedN]color.C

const foldedN = 97 // values along a side

// unfold returns the direction at a place of the square from -1 to 1.
func unfold(x, y float32) vec.V {
	z := 1 - abs(x) - abs(y)
	if z < 0 {
		x, y = sign(x)*(1-abs(y)), sign(y)*(1-abs(x))
	}
	return vec.V{x, z, y}.Unit()
}

// fold is the inverse of unfold.
func fold(d vec.V) (x, y float32) {
	k := 1 / (abs(d[0]) + abs(d[1]) + abs(d[2]))
	x, y = d[0]*k, d[2]*k
	if d[1] < 0 {
		x, y = sign(x)*(1-abs(y)), sign(y)*(1-abs(x))
	}
	return x, y
}

func abs(x float32) float32 { return max(x, -x) }

func sign(x float32) float32 { return float32(math.Copysign(1, float64(x))) }

// fill works out what surfaces receive of the parcels, 1 of a sky that is 1 all
// over.
func (f *folded) fill(src []parcel) {
	parallel.Do(parallel.Cores(), foldedN, func(j int) {
		for i := range foldedN {
			n := unfold(2*float32(i)/(foldedN-1)-1, 2*float32(j)/(foldedN-1)-1)
			var sum color.C
			for k := range src {
				s := &src[k]
				if w := n.Dot(s.dir) * s.area * (1 / math.Pi); w > 0 {
					sum[0] += s.c[0] * w
					sum[1] += s.c[1] * w
					sum[2] += s.c[2] * w
				}
			}
			f[j*foldedN+i] = sum
		}
	})
}

// at returns the value in a direction that is not zero.
func (f *folded) at(d vec.V) (out color.C) {
	x, y := fold(d)
	x, y = (x+1)*(foldedN-1)/2, (y+1)*(foldedN-1)/2
	i, j := max(0, min(foldedN-2, int(x))), max(0, min(foldedN-2, int(y)))
	tx, ty := x-float32(i), y-float32(j)
	a := f[j*foldedN+i:][:2]
	b := f[(j+1)*foldedN+i:][:2]
	for k := range out {
		top, low := a[0][k]+(a[1][k]-a[0][k])*tx, b[0][k]+(b[1][k]-b[0][k])*tx
		out[k] = top + (low-top)*ty
	}
	return out
}

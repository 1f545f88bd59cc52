package color

import "math"

// HSV returns hue, saturation and value of the sRGB-encoded colour (Smith 1978):
// hue in turns, 0 to 1 from red over green and blue; saturation 0 to 1 for
// colours without negative components; value is the largest encoded component.
// A grey has hue 0.
func (c C) HSV() [3]float32 {
	e := c.Encoded()
	hi, lo := max(e[0], e[1], e[2]), min(e[0], e[1], e[2])
	d := hi - lo
	if d <= 0 || hi == 0 {
		return [3]float32{0, 0, hi}
	}
	var h float32
	switch hi {
	case e[0]:
		h = (e[1] - e[2]) / d
	case e[1]:
		h = 2 + (e[2]-e[0])/d
	default:
		h = 4 + (e[0]-e[1])/d
	}
	if h /= 6; h < 0 {
		h++
	}
	return [3]float32{h, d / hi, hi}
}

// FromHSV is the inverse of HSV; the hue goes round.
func FromHSV(v [3]float32) C {
	h := float64(v[0])
	h = (h - math.Floor(h)) * 6
	i := int(h)
	f := float32(h - float64(i))
	p, q, t := v[2]*(1-v[1]), v[2]*(1-v[1]*f), v[2]*(1-v[1]*(1-f))
	switch i {
	case 0, 6:
		return FromEncoded([3]float32{v[2], t, p})
	case 1:
		return FromEncoded([3]float32{q, v[2], p})
	case 2:
		return FromEncoded([3]float32{p, v[2], t})
	case 3:
		return FromEncoded([3]float32{p, q, v[2]})
	case 4:
		return FromEncoded([3]float32{t, p, v[2]})
	}
	return FromEncoded([3]float32{v[2], p, q})
}

// OKLCH returns lightness, chroma and hue of OKLab, the hue in turns, 0 to 1.
func (c C) OKLCH() [3]float32 {
	l := c.Oklab()
	a, b := float64(l[1]), float64(l[2])
	h := math.Atan2(b, a) / (2 * math.Pi)
	if h < 0 {
		h++
	}
	return [3]float32{l[0], float32(math.Hypot(a, b)), float32(h)}
}

// FromOKLCH is the inverse of OKLCH.
func FromOKLCH(v [3]float32) C {
	s, c := math.Sincos(2 * math.Pi * float64(v[2]))
	return FromOklab([3]float32{v[0], v[1] * float32(c), v[1] * float32(s)})
}

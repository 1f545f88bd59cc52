package color

import "math"

// Oklab returns c in OKLab (Ottosson 2020): lightness, green–red, blue–yellow.
func (c C) Oklab() [3]float32 {
	l := cbrt(0.4122214708*c[0] + 0.5363325363*c[1] + 0.0514459929*c[2])
	m := cbrt(0.2119034982*c[0] + 0.6806995451*c[1] + 0.1073969566*c[2])
	s := cbrt(0.0883024619*c[0] + 0.2817188376*c[1] + 0.6299787005*c[2])
	return [3]float32{
		0.2104542553*l + 0.7936177850*m - 0.0040720468*s,
		1.9779984951*l - 2.4285922050*m + 0.4505937099*s,
		0.0259040371*l + 0.7827717662*m - 0.8086757660*s,
	}
}

// FromOklab is the inverse of Oklab.
func FromOklab(v [3]float32) C {
	l := v[0] + 0.3963377774*v[1] + 0.2158037573*v[2]
	m := v[0] - 0.1055613458*v[1] - 0.0638541728*v[2]
	s := v[0] - 0.0894841775*v[1] - 1.2914855480*v[2]
	l, m, s = l*l*l, m*m*m, s*s*s
	return C{
		4.0767416621*l - 3.3077115913*m + 0.2309699292*s,
		-1.2684380046*l + 2.6097574011*m - 0.3413193965*s,
		-0.0041960863*l - 0.7034186147*m + 1.7076147010*s,
	}
}

func cbrt(x float32) float32 { return float32(math.Cbrt(float64(x))) }

// Encoded returns c with each component sRGB-encoded; negative values mirror.
func (c C) Encoded() [3]float32 {
	for i, v := range c {
		c[i] = float32(math.Copysign(Encode(math.Abs(float64(v))), float64(v)))
	}
	return c
}

// FromEncoded is the inverse of Encoded.
func FromEncoded(v [3]float32) C {
	for i, s := range v {
		v[i] = float32(math.Copysign(Decode(math.Abs(float64(s))), float64(s)))
	}
	return v
}

// fineSteps are steps of an encoded value between two bytes, for Painted.
const fineSteps = 16

// finely is the linear value at each step.
var finely = func() (out [255*fineSteps + 2]float32) {
	for i := range out {
		out[i] = float32(Decode(float64(i) / (255 * fineSteps)))
	}
	return out
}()

// Painted is FromEncoded by a table, for values from 0 to 1: bytes are exact, values between them to
// within a millionth.
func Painted(v [3]float32) C {
	for i, s := range v {
		if !(s > 0) { // also what is no number
			s = 0
		}
		x := min(1, s) * (255 * fineSteps)
		k := int(x)
		if r := int(x + 0.5); x-float32(r) < 1e-3 && float32(r)-x < 1e-3 { // float32 does not hold k/255
			v[i] = finely[r]
			continue
		}
		v[i] = finely[k] + (finely[k+1]-finely[k])*(x-float32(k))
	}
	return v
}

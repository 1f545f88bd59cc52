// Package color holds linear-light colours with the Rec. 709 (sRGB) primaries, their 8- and 16-bit encodings, ramps and
// blend modes.
package color

import (
	"encoding/json"
	"fmt"
	"image/color"
	"math"
	"strconv"
	"strings"
)

// C is a colour in linear light: red, green, blue with the Rec. 709 primaries,
// each 0 for none and 1 for diffuse white; larger values are brighter than white.
type C [3]float32

// Luminance returns the relative luminance of c, linear Rec. 709, 0 for black
// and 1 for diffuse white.
func (c C) Luminance() float32 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }

// Mix returns c + (d-c)·t, component by component.
func (c C) Mix(d C, t float32) C {
	return C{c[0] + (d[0]-c[0])*t, c[1] + (d[1]-c[1])*t, c[2] + (d[2]-c[2])*t}
}

// Decode returns the linear value of an sRGB-encoded value in [0, 1]
// (IEC 61966-2-1).
func Decode(s float64) float64 {
	if s <= 0.04045 {
		return s / 12.92
	}
	return math.Pow((s+0.055)/1.055, 2.4)
}

// Encode is the inverse of Decode.
func Encode(l float64) float64 {
	if l <= 0.0031308 {
		return l * 12.92
	}
	return 1.055*math.Pow(l, 1/2.4) - 0.055
}

// FromBytes returns the colour of an sRGB swatch.
func FromBytes(r, g, b uint8) C { return C{decoded[r], decoded[g], decoded[b]} }

// Byte returns the sRGB code, 0 to 255, nearest to the linear value v. It
// inverts FromBytes exactly; values outside 0..1 and NaN are clamped.
func Byte(v float32) uint8 {
	if !(v > 0) {
		return 0
	}
	if v >= 1 {
		return 255
	}
	code := buckets[int(v*bucketCount)]
	for v >= upper[code] {
		code++
	}
	return code
}

// Word returns the 16-bit sRGB code, 0 to 65535, nearest to v, clamped.
func Word(v float32) uint16 {
	if !(v > 0) {
		return 0
	}
	return uint16(math.Round(Encode(math.Min(float64(v), 1)) * 65535))
}

// NRGBA returns the swatch of c with full opacity.
func (c C) NRGBA() color.NRGBA { return color.NRGBA{Byte(c[0]), Byte(c[1]), Byte(c[2]), 255} }

// Hex returns c as a swatch, "#RRGGBB".
func (c C) Hex() string {
	return fmt.Sprintf("#%02X%02X%02X", Byte(c[0]), Byte(c[1]), Byte(c[2]))
}

// ParseHex reads "#RRGGBB", "RRGGBB", "#RGB" or "RGB" in either case.
func ParseHex(s string) (C, error) {
	h := strings.TrimPrefix(strings.TrimSpace(s), "#")
	if len(h) == 3 {
		h = string([]byte{h[0], h[0], h[1], h[1], h[2], h[2]})
	}
	n, err := strconv.ParseUint(h, 16, 32)
	if err != nil || len(h) != 6 {
		return C{}, fmt.Errorf("color: %.20q is not a colour such as #D4843F", s)
	}
	return FromBytes(uint8(n>>16), uint8(n>>8), uint8(n)), nil
}

// MustHex is ParseHex for colours known to be right; it panics otherwise.
func MustHex(s string) C {
	c, err := ParseHex(s)
	if err != nil {
		panic(err)
	}
	return c
}

// MarshalJSON writes a swatch as hex, any other colour as three numbers, so
// that nothing is lost.
func (c C) MarshalJSON() ([]byte, error) {
	if FromBytes(Byte(c[0]), Byte(c[1]), Byte(c[2])) == c {
		return json.Marshal(c.Hex())
	}
	return json.Marshal([3]float32(c))
}

// UnmarshalJSON reads what MarshalJSON writes; a single number is a grey.
func (c *C) UnmarshalJSON(data []byte) error {
	var v any
	if err := json.Unmarshal(data, &v); err != nil {
		return err
	}
	got, err := FromAny(v)
	if err == nil {
		*c = got
	}
	return err
}

// FromAny reads a colour from decoded JSON: a hex string, three numbers, or
// one number for a grey.
func FromAny(v any) (C, error) {
	switch v := v.(type) {
	case C:
		return v, nil
	case string:
		return ParseHex(v)
	case float64:
		if finite(v) {
			return C{float32(v), float32(v), float32(v)}, nil
		}
	case []any:
		var c C
		ok := len(v) == 3
		for i := 0; ok && i < 3; i++ {
			var f float64
			f, ok = v[i].(float64)
			ok = ok && finite(f)
			c[i] = float32(f)
		}
		if ok {
			return c, nil
		}
	}
	return C{}, fmt.Errorf("color: want \"#RRGGBB\" or three numbers, not %.40q", fmt.Sprint(v))
}

func finite(f float64) bool { return math.Abs(f) <= 1e9 }

const bucketCount = 4096

var (
	decoded [256]float32       // code → linear value
	upper   [256]float32       // code → the least linear value that takes the next code
	buckets [bucketCount]uint8 // linear value × bucketCount → the lowest code in that bucket
)

func init() {
	for i := range decoded {
		decoded[i] = float32(Decode(float64(i) / 255))
		upper[i] = float32(Decode((float64(i) + 0.5) / 255))
	}
	upper[255] = 2
	code := uint8(0)
	for i := range buckets {
		for float32(i)/bucketCount >= upper[code] {
			code++
		}
		buckets[i] = code
	}
}

// Opaque returns the 8-bit sRGB codes of an image's colour, its opacity taken
// for 1.
func Opaque(c color.Color) [3]uint8 {
	n := color.NRGBAModel.Convert(c).(color.NRGBA)
	return [3]uint8{n.R, n.G, n.B}
}

package light_test

import (
	"fmt"
	"testing"

	"mobanta/core/color"
	"mobanta/core/golden"
	"mobanta/core/light"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

// How light of every kind falls at a few places, and where rays to it go.
func TestLightFallsAsItFell(t *testing.T) {
	var lines []string
	put := func(format string, a ...any) { lines = append(lines, fmt.Sprintf(format, a...)) }
	places := []vec.V{{0, 0, 0}, {1, 0.5, -1}, {-2, 1, 3}, {0.9, 1.9, 1.1}, {1, 2, 1}, {5, -7, 0.2}}
	eye, up := vec.V{0.6, 0, 0.8}, vec.V{0, 1, 0}
	for _, kind := range light.Kinds {
		for _, size := range []float32{0, 0.4, 2} {
			for _, fade := range []bool{false, true} {
				s := light.Source{ID: "l", Kind: kind, Color: color.C{1, 0.8, 0.5}, Strength: 1.5, Dir: vec.Direction(30, 50), At: vec.V{1, 2, 1}, Size: size, High: size / 3, Fade: fade, Reach: 2.5}
				if kind == light.Sun {
					s.Size /= 3
				}
				if kind == light.Sky {
					s.Dome = light.NewDome(color.C{0.2, 0.4, 1}, color.C{0.3, 0.2, 0.1})
				}
				s.Ready()
				put("%s size %v fade %v: soft %v placed %v aimed %v, key %s, sky %q", kind, size, fade, s.Soft(), kind.Placed(), kind.Aimed(), s.Key(), s.Sky())
				for _, p := range places {
					d, e, cap := s.At1(p, eye)
					a := s.Aim(p, up, eye)
					line := fmt.Sprintf("  at %.3v from %.4f, %.4f wide %.4f; far %.4g square %v above %v, rays", p, d, e, cap, a.Far, a.Square(), a.Above(up))
					for _, q := range [][2]float32{{0, 0}, {0.5, -0.5}, {-1, 0}, {0, 0.9}} {
						line += fmt.Sprintf(" %.4f", a.Ray(q[0], q[1]))
					}
					lines = append(lines, line)
				}
			}
		}
	}
	for _, cap := range []float32{-0.1, 0, 0.01, 0.25, 0.5, 0.9, 1, 1.2} {
		for _, cos := range []float32{-1, -0.7, -0.3, -0.1, 0, 0.1, 0.3, 0.5, 0.7, 1} {
			put("cap %v cos %v: %.5f", cap, cos, light.Lambert(cos, cap))
		}
	}
	for k := range 12 {
		x, y := light.Disk(float32(k)/11, float32(k*5%12)/11)
		put("disk %d: %.4f %.4f", k, x, y)
	}
	noon := &pixmap.Pixmap{W: 32, H: 16, Shared: true, Pix: make([]byte, 4*32*16)}
	for y := range 16 {
		for x := range 32 {
			c := color.C{0.1 + float32(x)/64, 0.2, 0.6 - float32(y)/32}
			if x/4 == 5 && y/3 == 1 {
				c = color.C{30, 25, 14}
			}
			noon.Set(x, y, c)
		}
	}
	sky := light.NewPictureDome(noon, 40, color.C{1, 0.9, 0.8})
	for _, dome := range []*light.Dome{light.NewDome(color.C{0.2, 0.4, 1}, color.C{0.3, 0.2, 0.1}), sky, sky.With(-75, color.C{0.5, 1, 1})} {
		for k := range 14 {
			d := vec.Direction(float64(27*k), float64(13*k%180-88))
			put("sky %v towards %.3f: %.4f tone %.4f, sent to it %.4f, mirrored %.4f %.4f %.4f", dome.Pictured(), d, dome.Radiance(d), dome.Tone(d), dome.Irradiance(d), dome.Mirrored(d, 0.02), dome.Mirrored(d, 0.3), dome.Mirrored(d, 1))
			if dome.Pictured() {
				tone, density := dome.Sought(d)
				dir, bright, sent := dome.Seek(float32(k)/14+0.02, float32(k*5%14)/14+0.03)
				put("  sought %.4f %.4f, seek %.4f %.4f %.4f", tone, density, dir, bright, sent)
			}
		}
	}
	golden.Text(t, "light", lines)
}

package light

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/pixmap"
	"mobanta/core/vec"
)

func ExampleSource_At1() {
	s := Source{Kind: Point, At: vec.V{0, 4, 0}, Strength: 1, Fade: true, Reach: 2}
	s.Ready()
	dir, tone, _ := s.At1(vec.V{}, vec.V{0, 0, 1})
	fmt.Println(dir, tone)
	// Output: [0 1 0] 0.25
}

func ready(s Source) *Source {
	if s.Strength == 0 {
		s.Strength = 1
	}
	s.Ready()
	return &s
}

// received adds up, over a fine grid of an emitter of radiance 1, what a surface at
// p with normal n receives from it, times 1/π.
func received(s *Source, p, n vec.V) float64 {
	const k = 400
	sum := 0.0
	for i := range k {
		for j := range k {
			x, y := (float64(i)+0.5)/k*2-1, (float64(j)+0.5)/k*2-1
			if s.Kind == Disc && x*x+y*y > 1 {
				continue
			}
			h := s.High
			if s.Kind == Disc {
				h = s.Size
			}
			at := s.At.Add(s.U.Mul(float32(x) * s.Size)).Add(s.V.Mul(float32(y) * h))
			d := at.Sub(p)
			d2 := float64(d.Dot(d))
			c1, c2 := float64(d.Dot(n)), float64(d.Dot(s.Dir))
			if c1 > 0 && c2 > 0 {
				sum += c1 * c2 / (d2 * d2) * float64(s.Size) * float64(h) * 4 / (k * k)
			}
		}
	}
	return sum / math.Pi
}

func TestADiscOverItsAxis(t *testing.T) {
	// Irradiance at distance d on the axis of a disc of radius r: π L r²/(r² + d²).
	for _, r := range []float32{0.1, 1, 3} {
		s := ready(Source{Kind: Disc, At: vec.V{0, 0, 0}, Dir: vec.V{0, 1, 0}, Size: r, Fade: true, Reach: 2})
		for _, d := range []float32{0.25, 1, 2, 8} {
			dir, e, _ := s.At1(vec.V{0, -d, 0}, vec.V{})
			want := (r*r + 4) / (r*r + d*d) // 1 at the distance Reach
			assert.InEpsilon(t, want, e, 1e-4, "r %v, d %v", r, d)
			assert.InDelta(t, 1, dir[1], 1e-6)
		}
		_, e, _ := s.At1(vec.V{0, 1, 0}, vec.V{})
		assert.Zero(t, e, "nothing behind it")
	}
}

func TestFlatLightsAgainstTheIntegral(t *testing.T) {
	for _, kind := range []Kind{Disc, Rectangle} {
		s := ready(Source{Kind: kind, At: vec.V{0.3, 2, -0.2}, Dir: vec.Direction(30, 60), Size: 0.8, High: 0.5, Fade: true, Reach: 1})
		_, ref, _ := s.vector(s.At.Sub(s.Dir.Mul(s.Reach)))
		for _, p := range []vec.V{{0, 0, 0}, {-1, 0.4, 0.3}, {-2, 0, -2}, {1, 0, 1}} {
			for _, n := range []vec.V{{0, 1, 0}, vec.Direction(50, 40), s.Dir} {
				dir, e, cap := s.At1(p, vec.V{})
				got := float64(Lambert(dir.Dot(n), cap) * e * ref)
				want := received(s, p, n)
				if want < 0.001 {
					continue
				}
				// The vector is exact while all of the light is above the horizon.
				assert.InEpsilon(t, want, got, 0.02, "%s at %v facing %v", kind, p, n)
			}
		}
	}
}

func TestInverseSquare(t *testing.T) {
	for _, r := range []float32{0, 0.3} {
		s := ready(Source{Kind: Point, At: vec.V{1, 2, 3}, Size: r, Strength: 0.7, Fade: true, Reach: 5})
		for _, d := range []float32{0.5, 1, 5, 50} {
			_, e, _ := s.At1(vec.V{1, 2 + d, 3}, vec.V{})
			assert.InEpsilon(t, 0.7*25/(d*d), e, 1e-5)
		}
		_, e, _ := s.At1(s.At, vec.V{})
		assert.False(t, math.IsInf(float64(e), 0) || math.IsNaN(float64(e)), "in its middle")
	}
	// A light of a small stage fades as that of a large one does, and grows until a millionth of its reach.
	for _, scale := range []float32{1e-9, 1e-4, 1, 1e9} {
		s := ready(Source{Kind: Point, Strength: 0.7, Fade: true, Reach: 5 * scale})
		for d, want := range map[float32]float32{50: 0.7 / 100, 5: 0.7, 0.5: 70, 5e-6: 0.7e12, 5e-8: 0.7e12} {
			_, e, _ := s.At1(vec.V{0, d * scale, 0}, vec.V{})
			assert.InEpsilon(t, want, e, 1e-4, "%v at %v", scale, d)
		}
	}
	even := ready(Source{Kind: Point, At: vec.V{0, 9, 0}, Strength: 0.7})
	_, e, _ := even.At1(vec.V{}, vec.V{})
	assert.Equal(t, float32(0.7), e, "no fade: the same everywhere")
}

func TestLambertOfACap(t *testing.T) {
	// Against the sum over directions within the cap that lie above the horizon.
	for _, sin := range []float64{0.1, 0.5, 0.9} {
		for _, deg := range []float64{0, 40, 70, 85, 95, 110, 140} {
			c := math.Cos(deg * math.Pi / 180)
			axis := vec.V{float32(math.Sqrt(1 - c*c)), float32(c), 0}
			a, b := vec.Across(axis)
			const k = 500
			sum, all := 0.0, 0.0
			for i := range k {
				for j := range k {
					// Equal solid angles about the axis.
					cosT := 1 - (1-math.Sqrt(1-sin*sin))*(float64(i)+0.5)/k
					s, co := math.Sincos(2 * math.Pi * (float64(j) + 0.5) / k)
					r := math.Sqrt(1 - cosT*cosT)
					d := a.Mul(float32(r * co)).Add(b.Mul(float32(r * s))).Add(axis.Mul(float32(cosT)))
					sum += max(0, float64(d[1]))
					all += cosT
				}
			}
			assert.InDelta(t, sum/all, Lambert(float32(c), float32(sin*sin)), 0.004, "sine %v at %v°", sin, deg)
		}
	}
	assert.Equal(t, float32(0.5), Lambert(0.5, 0))
	assert.Zero(t, Lambert(-0.5, 0))
	assert.InDelta(t, 1, Lambert(1, 1), 1e-6)
}

func TestAnEvenSky(t *testing.T) {
	d := NewDome(color.C{1, 0.5, 0.25}, color.C{1, 0.5, 0.25})
	for _, n := range []vec.V{{0, 1, 0}, {1, 0, 0}, {0, -1, 0}} {
		assert.InDeltaSlice(t, []float32{1, 0.5, 0.25}, slice(d.Irradiance(n)), 1e-6, "an open surface receives all of it, however it is turned")
	}
	blend := NewDome(color.C{1, 1, 1}, color.C{0, 0, 0})
	assert.InDelta(t, 5.0/6, blend.Irradiance(vec.V{0, 1, 0})[0], 1e-6) // ∫ (1+y)/2 · y dω / π
	assert.InDelta(t, 0.5, blend.Irradiance(vec.V{1, 0, 0})[0], 1e-6)
}

func slice(c color.C) []float32 { return c[:] }

func TestASkyFromAPicture(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	// White over black: what faces up receives all of it, what faces sideways half.
	p := &pixmap.Pixmap{W: 64, H: 32, Pix: make([]byte, 4*64*32)}
	for i := range p.Pix {
		if i < len(p.Pix)/2 || i%4 == 3 {
			p.Pix[i] = 255
		}
	}
	d := NewPictureDome(p, 0, color.C{1, 1, 1})
	assert.InDelta(t, 1, d.Irradiance(vec.V{0, 1, 0}).Luminance(), 1e-4, "tone 1 at strength 1")
	assert.InDelta(t, 0.5, d.Irradiance(vec.V{0, 0, 1}).Luminance(), 0.02)
	assert.InDelta(t, 0, d.Irradiance(vec.V{0, -1, 0}).Luminance(), 0.03)
	// A bright column in the middle of the picture is +Z; turned by 90° it is +X.
	for i := range p.Pix {
		p.Pix[i] = 0
		if x := i / 4 % 64; x >= 28 && x < 36 || i%4 == 3 {
			p.Pix[i] = 255
		}
	}
	for deg, want := range map[float64]vec.V{0: {0, 0, 1}, 90: {1, 0, 0}} {
		d := NewPictureDome(p, deg, color.C{1, 1, 1})
		assert.Greater(t, d.Tone(want), 2*d.Tone(want.Mul(-1))+0.5, "turned by %v°", deg)
		assert.Greater(t, d.Irradiance(want).Luminance(), d.Irradiance(want.Mul(-1)).Luminance())
	}
}

// patched is an even picture with one bright rectangle of pixels.
func patched(w, h int, even float32, x0, y0, x1, y1 int, bright float32) *pixmap.Pixmap {
	p := &pixmap.Pixmap{W: w, H: h, Shared: true, Pix: make([]byte, 4*w*h)}
	for y := range h {
		for x := range w {
			v := even
			if x >= x0 && x < x1 && y >= y0 && y < y1 {
				v = bright
			}
			p.Set(x, y, color.C{v, v, v})
		}
	}
	return p
}

func chanceDir(rng *rand.Rand) vec.V {
	return vec.V{float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(rng.NormFloat64())}.Unit()
}

func TestFoldingOutTheOctahedron(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		d := chanceDir(rng)
		x, y := fold(d)
		require.LessOrEqual(t, max(abs(x), abs(y)), float32(1.00001))
		require.InDelta(t, 1, unfold(x, y).Dot(d), 1e-5)
	}
	for _, d := range []vec.V{{0, 1, 0}, {0, -1, 0}, {1, 0, 0}, {0, 0, -1}} {
		x, y := fold(d)
		assert.InDelta(t, 1, unfold(x, y).Dot(d), 1e-6, "%v", d)
	}
}

func TestASmallBrightPlaceLightsByTheCosine(t *testing.T) {
	// A place 2.8° wide in a black sky is as good as a sun.
	d := NewPictureDome(patched(512, 256, 0, 300, 60, 304, 64, 500), 0, color.C{1, 1, 1})
	sun := latlong(302.0/512, 62.0/256)
	full := d.Irradiance(sun).Luminance()
	rng := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		n := chanceDir(rng)
		require.InDelta(t, max(0, n.Dot(sun)), d.Irradiance(n).Luminance()/full, 0.012, "at %v", n)
	}
}

func TestASunOfOnePixelIsNotLost(t *testing.T) {
	// Even sky of 1 and a pixel of 60,000: what faces it receives 1 + L ω / π, what faces away 1.
	const w, h, bright = 2048, 1024, 60000
	x, y := 777, 333
	d := NewPictureDome(patched(w, h, 1, x, y, x+1, y+1, bright), 0, color.C{1, 1, 1})
	dir := latlong((float64(x)+0.5)/w, (float64(y)+0.5)/h)
	omega := 2 * math.Pi / w * (math.Cos(float64(y)*math.Pi/h) - math.Cos(float64(y+1)*math.Pi/h))
	want := 1 + (bright-1)*omega/math.Pi
	assert.InEpsilon(t, want, d.Irradiance(dir).Luminance()/d.Irradiance(dir.Mul(-1)).Luminance(), 0.01)
}

func TestSeekingABrightSky(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	pic := patched(512, 256, 0.1, 80, 64, 128, 96, 30)
	d := NewPictureDome(pic, 70, color.C{1, 0.5, 2})
	upper, lower := math.Cos(8.0/32*math.Pi), math.Cos(12.0/32*math.Pi)
	patch := (upper - lower) * 6 / 64 * 2 * math.Pi // steradians
	share := 30 * patch / (30*patch + 0.1*(4*math.Pi-patch))
	const n = 4096
	in, inverse := 0, 0.0
	var sum vec.V
	for k := range n {
		dir, tone, density := d.Seek((float32(k)+0.5)/n, fraction(float64(k)*0.618034))
		require.InDelta(t, 1, dir.Len(), 1e-5)
		again, other := d.Sought(dir)
		require.Equal(t, []float32{tone, density}, []float32{again, other}, "both ways tell the same")
		if u, v := angles(d.turned(dir)); u*64 >= 10 && u*64 < 16 && v*32 >= 8 && v*32 < 12 {
			in++
		}
		inverse += 1 / float64(density) / n
		sum = sum.Add(dir.Mul(tone / density / n))
	}
	assert.InDelta(t, share, float64(in)/n, 0.02, "as often as it is bright")
	assert.InDelta(t, 4*math.Pi, inverse, 0.6, "the sky has 4π steradians")
	// The sum of tone and direction over the sphere, against one over a grid.
	var want vec.V
	for j := range 256 {
		for i := range 512 {
			dir := latlong((float64(i)+0.5)/512, (float64(j)+0.5)/256)
			want = want.Add(dir.Mul(d.Tone(dir) * float32(cellArea(j))))
		}
	}
	assert.InDelta(t, 0, sum.Sub(want).Len()/want.Len(), 0.03)
	_, _, density := NewPictureDome(patched(8, 4, 0, 0, 0, 0, 0, 0), 0, color.C{1, 1, 1}).Seek(0.3, 0.6)
	assert.Zero(t, density, "a black sky has no brighter place")
}

func TestASkyThatClaimsToBeTooBright(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, w := range []int{16, 1024} {
		p := patched(w, w/2, 0.1, 0, 0, 0, 0, 0)
		copy(p.Pix[4*(w*w/8):], []byte{255, 255, 255, 255, 255, 255, 255, 255})
		d := NewPictureDome(p, 0, color.C{1, 1, 1})
		for _, n := range []vec.V{{0, 1, 0}, {0, -1, 0}, {1, 0, 0}, {0, 0, -1}} {
			for _, c := range []color.C{d.Irradiance(n), d.Mirrored(n, 0.5), d.Mirrored(n, 1)} {
				for _, v := range c {
					require.False(t, v-v != 0 || v < 0, "%v", c)
				}
			}
		}
		dir, tone, density := d.Seek(0.4, 0.5)
		require.InDelta(t, 1, dir.Len(), 1e-4)
		require.False(t, tone-tone != 0 || density-density != 0)
	}
}

func fraction(x float64) float32 { return float32(x - math.Floor(x)) }

func TestLightsWellAboveTheHorizon(t *testing.T) {
	s := ready(Source{Kind: Disc, At: vec.V{0, 4, 0}, Dir: vec.V{0, 1, 0}, Size: 1})
	up, eye := vec.V{0, 1, 0}, vec.V{0, 0, 1}
	for n, want := range map[vec.V]bool{{0, 1, 0}: true, {1, 0, 0}: false, {0, -1, 0}: false, vec.Direction(0, 20): false, vec.Direction(0, 70): true} {
		a := s.Aim(vec.V{}, up, eye)
		assert.Equal(t, want, a.Above(n), "%v", n)
	}
}

func TestRaysStayOnTheirLight(t *testing.T) {
	p, n, eye := vec.V{0.2, 0, 0.1}, vec.V{0, 1, 0}, vec.V{0, 0, 1}
	for _, s := range []*Source{
		ready(Source{Kind: Sun, Dir: vec.Direction(20, 50), Size: 0.2}),
		ready(Source{Kind: Point, At: vec.V{1, 4, 2}, Size: 0.7}),
		ready(Source{Kind: Disc, At: vec.V{1, 4, 2}, Dir: vec.V{0, 1, 0}, Size: 0.7}),
		ready(Source{Kind: Rectangle, At: vec.V{1, 4, 2}, Dir: vec.V{0, 1, 0}, Size: 0.7, High: 0.4}),
		ready(Source{Kind: Sky, Dome: NewDome(color.C{1, 1, 1}, color.C{1, 1, 1})}),
		ready(Source{Kind: Headlamp}),
	} {
		a := s.Aim(p, n, eye)
		var mean vec.V
		for i := range 64 {
			for j := range 64 {
				x, y := Disk((float32(i)+0.5)/64, (float32(j)+0.5)/64)
				if a.Square() {
					x, y = (float32(i)+0.5)/32-1, (float32(j)+0.5)/32-1
				}
				d := a.Ray(x, y)
				mean = mean.Add(d.Unit().Mul(1.0 / 4096))
				end := p.Add(d.Mul(a.Far))
				switch s.Kind {
				case Sun:
					require.LessOrEqual(t, d.Cross(s.Dir).Len(), s.Size*1.0001)
				case Point:
					require.InDelta(t, s.At.Sub(p).Len()-s.Size, end.Sub(p).Len(), 1e-3, "up to its front")
					require.LessOrEqual(t, s.At.Sub(p).Cross(d.Unit()).Len(), s.Size*1.001, "through the ball")
				case Disc:
					require.InDelta(t, 4, end[1], 1e-3)
					require.LessOrEqual(t, end.Sub(s.At).Len(), s.Size*1.001)
				case Rectangle:
					require.LessOrEqual(t, max(end[0]-1, 1-end[0]), float32(0.701))
					require.LessOrEqual(t, max(end[2]-2, 2-end[2]), float32(0.701))
				case Sky:
					require.GreaterOrEqual(t, d[1], float32(0))
					require.InDelta(t, 1, d.Len(), 1e-5)
				}
			}
		}
		switch s.Kind {
		case Sky:
			assert.InDelta(t, 2.0/3, mean[1], 0.01, "by the cosine")
		case Headlamp:
			assert.InDelta(t, 1, mean[2], 1e-3)
		default:
			dir, _, _ := s.At1(p, eye)
			assert.Greater(t, mean.Unit().Dot(dir), float32(0.999), "%s: about its middle", s.Kind)
		}
	}
}

func TestARoughMirrorBlursTheSky(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	// One bright place towards +X in an even sky, turned there by 90°.
	p := &pixmap.Pixmap{W: 128, H: 64, Shared: true, Pix: make([]byte, 4*128*64)}
	for y := range 64 {
		for x := range 128 {
			c := color.C{0.2, 0.2, 0.2}
			if x >= 62 && x < 66 && y >= 30 && y < 34 {
				c = color.C{40, 40, 40}
			}
			p.Set(x, y, c)
		}
	}
	d := NewPictureDome(p, 90, color.C{1, 1, 1})
	at, away := vec.V{1, 0, 0}, vec.V{-1, 0, 0}
	last := d.Mirrored(at, 0)[0]
	assert.InEpsilon(t, d.Radiance(at)[0], last, 1e-5, "smooth, it shows the sky itself")
	for _, r := range []float32{0.25, 0.5, 0.75, 1} {
		now := d.Mirrored(at, r)[0]
		assert.Less(t, now, last, "roughness %v", r)
		assert.GreaterOrEqual(t, now, d.Mirrored(away, r)[0])
		last = now
	}
	even := &pixmap.Pixmap{W: 16, H: 8, Shared: true, Pix: make([]byte, 4*16*8)}
	for i := range 128 {
		even.Set(i%16, i/16, color.C{3, 3, 3})
	}
	white := NewPictureDome(even, 0, color.C{1, 0.5, 0.25})
	for _, r := range []float32{0, 0.1, 0.3, 0.6, 1} {
		for _, dir := range []vec.V{{0, 1, 0}, {0, -1, 0}, vec.Direction(33, 20)} {
			c := white.Mirrored(dir, r)
			assert.InDeltaSlice(t, slice(white.Radiance(dir)), slice(c), 0.02, "an even sky stays even")
		}
	}
	blend := NewDome(color.C{1, 1, 1}, color.C{})
	assert.Equal(t, blend.Irradiance(at), blend.Mirrored(at, 1))
	assert.Equal(t, blend.Radiance(vec.V{0, 1, 0}), blend.Mirrored(vec.V{0, 1, 0}, 0))
}

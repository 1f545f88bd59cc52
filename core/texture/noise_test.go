package texture

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reference is Perlin's improved noise as he published it (SIGGRAPH 2002; the code at his page
// of that year), in float64.
func reference(x, y, z float64) float64 {
	fade := func(t float64) float64 { return t * t * t * (t*(t*6-15) + 10) }
	lerp := func(t, a, b float64) float64 { return a + t*(b-a) }
	grad := func(hash int, x, y, z float64) float64 {
		h := hash & 15
		u, v := y, z
		if h < 8 {
			u = x
		}
		if h < 4 {
			v = y
		} else if h == 12 || h == 14 {
			v = x
		}
		if h&1 != 0 {
			u = -u
		}
		if h&2 != 0 {
			v = -v
		}
		return u + v
	}
	p := func(i int) int { return int(perm[i&255]) }
	X, Y, Z := int(math.Floor(x))&255, int(math.Floor(y))&255, int(math.Floor(z))&255
	x, y, z = x-math.Floor(x), y-math.Floor(y), z-math.Floor(z)
	u, v, w := fade(x), fade(y), fade(z)
	A, B := p(X)+Y, p(X+1)+Y
	AA, AB, BA, BB := p(A)+Z, p(A+1)+Z, p(B)+Z, p(B+1)+Z
	return lerp(w, lerp(v, lerp(u, grad(p(AA), x, y, z), grad(p(BA), x-1, y, z)), lerp(u, grad(p(AB), x, y-1, z), grad(p(BB), x-1, y-1, z))),
		lerp(v, lerp(u, grad(p(AA+1), x, y, z-1), grad(p(BA+1), x-1, y, z-1)), lerp(u, grad(p(AB+1), x, y-1, z-1), grad(p(BB+1), x-1, y-1, z-1))))
}

func TestNoiseIsThatOfTheReference(t *testing.T) {
	// What the published program prints for this place.
	require.InDelta(t, 0.13691995878400012, reference(3.14, 42, 7), 1e-15)
	assert.InDelta(t, 0.13691995878400012, Noise(3.14, 42, 7, Seed{}), 1e-5)
	r := rand.New(rand.NewPCG(1, 2))
	for range 20000 {
		x, y, z := float32(600*r.Float64()-300), float32(600*r.Float64()-300), float32(600*r.Float64()-300)
		require.InDelta(t, reference(float64(x), float64(y), float64(z)), Noise(x, y, z, Seed{}), 1e-4, "%v %v %v", x, y, z)
		require.InDelta(t, Noise(x, y, z, SeedOf(0.3)), Turned(x, y, z, SeedOf(0.3), 1, 0), 1e-5)
		s := SeedOf(0.7)
		require.InDelta(t, reference(float64(x)+float64(s.x), float64(y)+float64(s.y), float64(z)+float64(s.z)), Noise(x, y, z, s), 1e-3, "a seed moves it by whole cells")
	}
	for _, x := range []float32{float32(math.NaN()), float32(math.Inf(1)), far, -2 * far} {
		assert.Zero(t, Noise(x, 0, 0, Seed{}))
		assert.Zero(t, Noise(0, x, 0, Seed{}))
		assert.Zero(t, Noise(0, 0, x, Seed{}))
		assert.Zero(t, Turned(x, 0, 0, Seed{}, 0, 1))
		assert.Zero(t, Turned(0, x, 0, Seed{}, 0, 1))
		assert.Zero(t, Turned(0, 0, x, Seed{}, 0, 1))
	}
	assert.Zero(t, SeedOf(0))
	assert.NotEqual(t, SeedOf(0.1), SeedOf(0.2))
	assert.NotEqual(t, SeedOf(0.1), SeedOf(0.1).Next())
}

// asked is a fractal that is the same everywhere.
type asked struct {
	Octaves               int
	Gain, Finer, Cos, Sin float32
	Shape                 Shape
}

// plainly is the fractal at one place, octave by octave.
func (a asked) plainly(x, y, z, foot float32, s Seed) float32 {
	sum, amount, square, all := float32(0), float32(1), float32(0), float32(0)
	for range a.Octaves {
		n := Noise(x, y, z, s)
		if a.Sin != 0 || a.Cos != 1 {
			n = Turned(x, y, z, s, a.Cos, a.Sin)
		}
		sum += (a.Shape.of(n) - 0.5) * amount * Seen(foot)
		square, all = square+amount*amount, all+amount
		amount *= a.Gain
		x, y, z = turn(x*a.Finer, y*a.Finer, z*a.Finer)
		foot *= a.Finer
	}
	return Fractal{a.Octaves, a.Shape}.settle(sum, square, all)
}

// put asks for it at one of eight places.
func (a asked) put(e *Eight, k int, x, y, z, foot float32, s Seed) {
	e.Put(k, x, y, z, s)
	e.Gain[k], e.Finer[k], e.Foot[k], e.cos[k], e.sin[k] = a.Gain, a.Finer, foot, a.Cos, a.Sin
	e.turned = e.turned || a.Sin != 0 || a.Cos != 1
}

// At is the fractal at one place, as Eight gives it.
func (a asked) At(x, y, z, foot float32, s Seed) float32 {
	var e Eight
	var out [8]float32
	a.put(&e, 5, x, y, z, foot, s)
	e.Fractal(Fractal{a.Octaves, a.Shape}, &out)
	return out[5]
}

// spread returns the mean and the deviation of values over random places.
func spread(n int, f func(x, y, z float32) float32) (mean, deviation, least, most float64) {
	r := rand.New(rand.NewPCG(5, 6))
	var sum, square float64
	least, most = 1, 0
	for range n {
		v := float64(f(250*r.Float32(), 250*r.Float32(), 250*r.Float32()))
		sum, square = sum+v, square+v*v
		least, most = min(least, v), max(most, v)
	}
	mean = sum / float64(n)
	return mean, math.Sqrt(square/float64(n) - mean*mean), least, most
}

func TestTheMeanOfNoiseIsAHalf(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, f := range []asked{{Octaves: 1, Cos: 1}, {Octaves: 4, Gain: 0.5, Finer: 2, Cos: 1}, {Octaves: 8, Gain: 0.8, Finer: 2.3, Cos: 1}, {Octaves: 3, Gain: 0.5, Finer: 2, Cos: 0.6, Sin: 0.8}} {
		for _, f.Shape = range []Shape{Plain, Ridged, Billow} {
			mean, deviation, least, most := spread(60_000, func(x, y, z float32) float32 { return f.At(x, y, z, 0, Seed{}) })
			slack := 0.01
			if f.Sin != 0 && f.Shape != Plain { // directions along the axes give larger values
				slack = 0.02
			}
			assert.InDelta(t, 0.5, mean, slack, "%+v", f)
			assert.True(t, least >= 0 && most <= 1, "%+v: %v to %v", f, least, most)
			assert.InDelta(t, map[Shape]float64{Plain: 0.135, Ridged: 0.3, Billow: 0.3}[f.Shape], deviation, 0.09, "%+v: as contrasty with few octaves as with many", f)
		}
	}
}

// What a pixel cannot show fades to the mean, octave by octave, and nothing jumps on the way.
func TestNoiseFadesBeforeItAliases(t *testing.T) {
	f := asked{Octaves: 5, Gain: 0.6, Finer: 2, Cos: 1}
	was := 1.0
	for _, foot := range []float32{0, 0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5} {
		_, deviation, _, _ := spread(40_000, func(x, y, z float32) float32 { return f.At(x, y, z, foot, Seed{}) })
		assert.LessOrEqual(t, deviation, was+1e-3)
		was = deviation
	}
	assert.Zero(t, was)
	assert.EqualValues(t, 1, Seen(0.25))
	assert.EqualValues(t, 0, Seen(0.5))
	assert.EqualValues(t, 0.5, Seen(0.375))
	a, b := f.At(3.3, 1.7, 0.4, 0.2, Seed{}), f.At(3.3, 1.7, 0.4, 0.2001, Seed{})
	assert.InDelta(t, a, b, 1e-3)
}

// Noise shows no grid: lines along its cells are no different on average from lines between
// them, and values a cell apart have little to do with each other.
func TestNoiseShowsNoGrid(t *testing.T) {
	f := asked{Octaves: 4, Gain: 0.5, Finer: 2, Cos: 1}
	along := func(at float32) float64 {
		sum := 0.0
		const n = 40_000
		r := rand.New(rand.NewPCG(3, 1))
		for range n {
			y, z := 250*r.Float32(), 250*r.Float32()
			v := float64(f.At(at, y, z, 0, Seed{})) - 0.5
			sum += v * v / n
		}
		return math.Sqrt(sum)
	}
	on, off := along(7), along(7.5)
	assert.InEpsilon(t, on, off, 0.25, "on a plane of cells %v, between two %v", on, off)
	// Whole turns come back; half of one is something else.
	g := f
	g.Cos, g.Sin = -1, 0
	assert.NotEqual(t, f.At(1.2, 3.4, 5.6, 0, Seed{}), g.At(1.2, 3.4, 5.6, 0, Seed{}))
	var differ float64
	for k := range 1000 {
		x := float32(k) * 0.37
		f.Cos, f.Sin = 0.98, 0.199
		differ = max(differ, math.Abs(float64(f.At(x, 0.3*x, 1, 0, Seed{})-asked{Octaves: 4, Gain: 0.5, Finer: 2, Cos: 1}.At(x, 0.3*x, 1, 0, Seed{}))))
	}
	assert.Less(t, differ, 0.2, "it changes little at a time")
	assert.Greater(t, differ, 0.01)
}

// Eight at once are those one by one, to the bit: places near and far, seeds, what is no place.
func TestEightAtOnceAreThoseOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	odd := []float32{float32(math.NaN()), float32(math.Inf(-1)), far, -far, 0, -1, 255, -1e-30, 3e38}
	for round := range 4000 {
		var e Eight
		var at [8][3]float32
		var seeds [8]Seed
		var out, foot [8]float32
		for k := range at {
			for a := range at[k] {
				at[k][a] = (r.Float32() - 0.5) * []float32{4, 600, far}[round%3]
				if round%7 == 0 && r.IntN(4) == 0 {
					at[k][a] = odd[r.IntN(len(odd))]
				}
			}
			seeds[k] = SeedOf(r.Float32())
			e.Put(k, at[k][0], at[k][1], at[k][2], seeds[k])
		}
		e.Noise(&out)
		for k, p := range at {
			require.Equal(t, Noise(p[0], p[1], p[2], seeds[k]), out[k], "%v", p)
		}
		e.Next()
		for k, s := range seeds {
			require.Equal(t, s.Next(), Seed{e.sx[k], e.sy[k], e.sz[k]})
		}
		f := asked{Octaves: 1 + round%5, Shape: Shape(round / 5 % 3), Cos: 1}
		var each [8]asked
		for k, p := range at {
			f.Gain, f.Finer = r.Float32(), 1+3*r.Float32()
			if round%11 == 0 {
				f.Cos, f.Sin = 0.6, 0.8
			}
			each[k], foot[k] = f, r.Float32()*r.Float32()
			f.put(&e, k, p[0], p[1], p[2], foot[k], seeds[k])
		}
		e.Fractal(Fractal{f.Octaves, f.Shape}, &out)
		for k, p := range at {
			require.Equal(t, each[k].plainly(p[0], p[1], p[2], foot[k], seeds[k]), out[k], "%+v at %v", each[k], p)
		}
	}
	var e Eight
	e.Turn(0, 3)
	assert.False(t, e.turned)
	e.Turn(1, -0.75)
	assert.True(t, e.turned)
	assert.InDeltaSlice(t, []float32{1, 0, 0, 1}, []float32{e.cos[0], e.cos[1], e.sin[0], e.sin[1]}, 1e-6)
}

// Round its loop noise is like any other noise at each moment, and like neither itself nor its negative half a loop away.
func TestMomentsOfALoopAreAlikeInKind(t *testing.T) {
	r := rand.New(rand.NewPCG(26, 7))
	at := make([][3]float32, 4000)
	for i := range at {
		at[i] = [3]float32{200 * r.Float32(), 200 * r.Float32(), 200 * r.Float32()}
	}
	values := func(turns float64, shape Shape) (v []float64, mean, size float64) {
		sin, cos := math.Sincos(2 * math.Pi * turns)
		for _, p := range at {
			n := float64(shape.of(Turned(p[0], p[1], p[2], SeedOf(0.4), float32(cos), float32(sin))))
			v, mean = append(v, n), mean+n/float64(len(at))
		}
		for i := range v {
			v[i] -= mean
			size += v[i] * v[i]
		}
		return v, mean, math.Sqrt(size / float64(len(at)))
	}
	for _, shape := range []Shape{Plain, Ridged, Billow} {
		_, _, was := values(0, shape)
		for k := range 8 {
			turns := float64(k) / 16
			a, mean, size := values(turns, shape)
			b, _, far := values(turns+0.5, shape)
			assert.InDelta(t, 0.5, mean, 0.02)
			assert.InEpsilon(t, was, size, 0.08, "as strong at every moment")
			like := 0.0
			for i := range a {
				like += a[i] * b[i] / (size * far * float64(len(a)))
			}
			most := 0.35
			if shape != Plain { // whose crests all go through the corners of cells, where noise is 0
				most = 0.45
			}
			assert.Less(t, math.Abs(like), most, "shape %d, half a loop from %v", shape, turns)
		}
		a, _, _ := values(0, shape)
		b, _, _ := values(1, shape)
		assert.InDeltaSlice(t, a, b, 1e-5, "it comes back")
	}
}

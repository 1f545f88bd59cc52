package texture

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plainly finds the nearest centres and the border by looking at all cubes up to three away.
func plainly(x, y, z, jitter float32, m Measure, s Seed) (first, second, border float64, id uint32) {
	ix, iy, iz := int32(math.Floor(float64(x))), int32(math.Floor(float64(y))), int32(math.Floor(float64(z)))
	w := search{x: x - float32(ix), y: y - float32(iy), z: z - float32(iz), jitter: jitter, low: 0.5 - 0.5*jitter, ix: ix + s.x, iy: iy + s.y, iz: iz + s.z, measure: m}
	type centre struct {
		at [3]float64
		d  float64
		id uint32
	}
	var all []centre
	best := -1
	for a := int32(-3); a <= 3; a++ {
		for b := int32(-3); b <= 3; b++ {
			for c := int32(-3); c <= 3; c++ {
				px, py, pz, id := w.centreOf(a, b, c)
				p := [3]float64{float64(px), float64(py), float64(pz)}
				d := math.Sqrt(p[0]*p[0] + p[1]*p[1] + p[2]*p[2])
				switch m {
				case Blocks:
					d = math.Abs(p[0]) + math.Abs(p[1]) + math.Abs(p[2])
				case Square:
					d = max(math.Abs(p[0]), math.Abs(p[1]), math.Abs(p[2]))
				}
				all = append(all, centre{p, d, id})
				if best < 0 || d < all[best].d {
					best = len(all) - 1
				}
			}
		}
	}
	first, second, border, id = all[best].d, math.Inf(1), math.Inf(1), all[best].id
	for k, c := range all {
		if k == best {
			continue
		}
		second = min(second, c.d)
		a, b := all[best].at, c.at
		var len2, along float64
		for i := range 3 {
			len2 += (b[i] - a[i]) * (b[i] - a[i])
			along += (a[i] + b[i]) / 2 * (b[i] - a[i])
		}
		border = min(border, along/math.Sqrt(len2))
	}
	if m != Straight {
		border = (second - first) / 2
	}
	return first, second, border, id
}

func TestCellsAgreeWithThePlainWay(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r := rand.New(rand.NewPCG(8, 9))
	for k := range 25_000 {
		x, y, z := 80*r.Float32()-40, 80*r.Float32()-40, 80*r.Float32()-40
		jitter, m, s := []float32{1, 1, 0.6, r.Float32()}[k%4], Measure(k%3), SeedOf(float32(k%5))
		n := Cells(x, y, z, jitter, m, s, ForSecond|ForBorder)
		first, second, border, id := plainly(x, y, z, jitter, m, s)
		require.InDelta(t, first, n.First, 1e-4, "first %v %v %v, %v by %d", x, y, z, jitter, m)
		require.InDelta(t, second, n.Second, 1e-4, "second %v %v %v, %v by %d", x, y, z, jitter, m)
		require.InDelta(t, border, n.Border, 1e-4, "border %v %v %v, %v by %d", x, y, z, jitter, m)
		if second-first > 1e-4 {
			require.Equal(t, id, n.ID)
			w := search{measure: m}
			require.InDelta(t, first, w.length(w.far(n.Centre[0], n.Centre[1], n.Centre[2])), 1e-4)
		}
		only := Cells(x, y, z, jitter, m, s, 0)
		require.Equal(t, [2]any{n.First, n.ID}, [2]any{only.First, only.ID})
	}
}

// A walk finds what Cells finds: step by step, far strides between, jitter and seeds that change.
func TestAWalkFindsWhatCellsFinds(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	r := rand.New(rand.NewPCG(18, 9))
	for _, ask := range []Ask{0, ForSecond, ForBorder, ForSecond | ForBorder} {
		var w Walk
		x, y, z, jitter, s, m := float32(0), float32(0), float32(0), float32(1), Seed{}, Straight
		for k := range 15_000 {
			step := float32(0.03)
			if k%97 == 0 {
				step = 3
			}
			x, y, z = x+step*(r.Float32()-0.4), y+step*(r.Float32()-0.5), z+step*(r.Float32()-0.55)
			switch {
			case k%1501 == 0:
				jitter = []float32{1, 0, 0.5, r.Float32()}[r.IntN(4)]
			case k%2003 == 0:
				s = SeedOf(r.Float32())
			case k%9001 == 0:
				m = Measure(r.IntN(3))
			}
			got, want := w.Cells(x, y, z, jitter, []float32{0, 0.1}[k/300%2], m, s, ask), Cells(x, y, z, jitter, m, s, ask)
			if second := Cells(x, y, z, jitter, m, s, ForSecond).Second; second-want.First > 1e-5 {
				require.Equal(t, [2]any{want.ID, want.First}, [2]any{got.ID, got.First}, "step %d", k)
			}
			require.InDelta(t, want.First, got.First, 1e-5)
			require.InDelta(t, want.Second, got.Second, 1e-5)
			require.InDelta(t, want.Border, got.Border, 1e-5)
			if ask == 0 {
				require.Zero(t, got.Second+got.Border)
			}
		}
		assert.Zero(t, w.Cells(far, 0, 0, 1, 0, Straight, Seed{}, ask))
	}
}

func TestWithoutJitterCellsAreAGrid(t *testing.T) {
	for _, p := range [][3]float32{{0.5, 0.5, 0.5}, {3.1, -2.2, 7.9}, {-0.3, 0.45, 12.6}} {
		n := Cells(p[0], p[1], p[2], 0, Straight, Seed{}, ForSecond|ForBorder)
		in := func(v float32) float64 { f := float64(v) - math.Floor(float64(v)); return f - 0.5 }
		x, y, z := in(p[0]), in(p[1]), in(p[2])
		assert.InDelta(t, math.Sqrt(x*x+y*y+z*z), n.First, 1e-5)
		assert.InDelta(t, 0.5-max(math.Abs(x), math.Abs(y), math.Abs(z)), n.Border, 1e-5)
	}
	assert.Zero(t, Cells(float32(math.NaN()), 0, 0, 1, Straight, Seed{}, ForBorder))
	assert.Zero(t, Cells(0, 2e9, 0, 1, Straight, Seed{}, ForBorder))
	for k := range 3 { // the ends of what float32 knows are beyond it
		for _, end := range []float32{-far, far} {
			var at [3]float32
			at[k] = end
			assert.Zero(t, Cells(at[0], at[1], at[2], 1, Straight, Seed{}, ForBorder))
		}
	}
}

func TestNumbersOfCellsAreSpreadEvenly(t *testing.T) {
	var sum [3]float64
	const n = 40_000
	r := rand.New(rand.NewPCG(2, 2))
	for range n {
		c := Cells(400*r.Float32(), 400*r.Float32(), 400*r.Float32(), 1, Straight, Seed{}, 0)
		for k := range sum {
			v := c.Tone(k)
			require.True(t, v >= 0 && v < 1)
			sum[k] += float64(v) / n
		}
	}
	for k := range sum {
		assert.InDelta(t, 0.5, sum[k], 0.01)
	}
	// The means that they fade to are those of the cells.
	for _, m := range []Measure{Straight, Blocks, Square} {
		var got [3]float64
		for range n {
			c := Cells(400*r.Float32(), 400*r.Float32(), 400*r.Float32(), 0.7, m, Seed{}, ForSecond|ForBorder)
			for k, v := range []float32{c.First, c.Second, c.Border} {
				got[k] += float64(v) / n
			}
		}
		first, second, border := Mean(0.7, m)
		for k, v := range []float32{first, second, border} {
			assert.InDelta(t, got[k], v, 0.01)
		}
	}
}

// Of one place, eight at a time.
func BenchmarkNoise(b *testing.B) {
	x := float32(0)
	var out [8]float32
	for i := 0; i < b.N; i += 8 {
		var e Eight
		for k := range out {
			asked{Octaves: 4, Gain: 0.5, Finer: 2, Cos: 1}.put(&e, k, x, 0.3*x, 0.7*x, 0, Seed{})
			x += 0.01
		}
		e.Fractal(Fractal{Octaves: 4}, &out)
	}
}

func BenchmarkCells(b *testing.B) {
	for name, ask := range map[string]Ask{"first": 0, "second": ForSecond, "border": ForBorder} {
		b.Run(name, func(b *testing.B) {
			i := float32(0)
			for b.Loop() {
				Cells(i, 0.3*i, 0.7*i, 1, Straight, Seed{}, ask)
				i += 0.01
			}
		})
		b.Run(name+" walking", func(b *testing.B) {
			i := float32(0)
			var w Walk
			for b.Loop() {
				w.Cells(i, 0.3*i, 0.7*i, 1, 0.01, Straight, Seed{}, ask)
				i += 0.01
			}
		})
	}
}

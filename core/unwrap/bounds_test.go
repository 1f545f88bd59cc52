package unwrap_test

import (
	"context"
	"math"
	"math/rand/v2"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/unwrap"
	"mobanta/core/vec"
)

// countdown is a context that ends when it has been asked for its error so many times.
type countdown struct {
	context.Context
	left int
}

func (c *countdown) Err() error {
	if c.left--; c.left < 0 {
		return context.Canceled
	}
	return nil
}

// soup is n triangles, each a polygon and a part of its own, or of one.
func soup(n int, corner func(i, k int) vec.V) (s unwrap.Surface) {
	for i := range n {
		for k := range 3 {
			s.Pos = append(s.Pos, corner(i, k))
		}
		s.Tri = append(s.Tri, [3]int32{int32(3 * i), int32(3*i + 1), int32(3*i + 2)})
		s.Face, s.Part = append(s.Face, int32(i)), append(s.Part, 0)
	}
	return s
}

// wild are surfaces that nobody would make by hand.
func wild(t testing.TB) map[string]unwrap.Surface {
	rnd := rand.New(rand.NewPCG(3, 25))
	any := func() vec.V { return vec.V{rnd.Float32(), rnd.Float32(), rnd.Float32()} }
	out := map[string]unwrap.Surface{}
	for name, far := range map[string]float32{"a corner far away": 1e9, "a corner very far away": 1e15} {
		s := surface(t, mesh.Sphere(1, 24, 8))
		s.Pos = slices.Clone(s.Pos)
		s.Pos[len(s.Pos)/2] = vec.V{far, far / 3, 0}
		out[name] = s
	}
	out["slivers all over"] = soup(4000, func(i, k int) vec.V {
		return [3]vec.V{{0, 0, 0}, {1, 0, 0}, {1, 1e-6, float32(i) * 1e-7}}[k].Add(vec.V{0, float32(i) * 1e-5, 0})
	})
	out["slivers of every length"] = soup(3000, func(i, k int) vec.V {
		return [3]vec.V{{}, {float32(math.Exp(float64(i) / 100)), 0, 0}, {0, 1e-3, 0}}[k]
	})
	out["by chance"] = soup(2500, func(int, int) vec.V { return any() })
	out["one point"] = soup(500, func(int, int) vec.V { return vec.V{1, 2, 3} })
	out["huge and tiny"] = soup(2000, func(i, k int) vec.V {
		return any().Mul(float32(math.Pow(10, 24*rnd.Float64()-12)))
	})
	star := unwrap.Surface{Pos: []vec.V{{}}} // border edges that all come near one place
	for i := range 6000 {
		a := 2 * math.Pi * float64(i) / 6000
		r := float32(1)
		if i%2 == 0 {
			r = 1e-4
		}
		star.Pos = append(star.Pos, vec.V{r * float32(math.Cos(a)), r * float32(math.Sin(a)), 0.001 * rnd.Float32()})
		star.Tri = append(star.Tri, [3]int32{0, int32(1 + i), int32(1 + (i+1)%6000)})
		star.Face, star.Part = append(star.Face, int32(i)), append(star.Part, 0)
	}
	out["a star"] = star
	crumpled := surface(t, mesh.Sphere(1, 50, 25))
	crumpled.Pos = slices.Clone(crumpled.Pos)
	for i := range crumpled.Pos {
		crumpled.Pos[i] = any()
	}
	out["crumpled"] = crumpled
	return out
}

// highest returns how much memory there was in objects while f ran, beyond what there was before.
func highest(f func()) (bytes int) {
	defer debug.SetGCPercent(debug.SetGCPercent(20))
	runtime.GC()
	read := func() int {
		s := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
		metrics.Read(s)
		return int(s[0].Value.Uint64())
	}
	before, stop, done := read(), make(chan bool), make(chan int)
	go func() {
		most := 0
		for {
			select {
			case <-stop:
				done <- most
				return
			case <-time.After(time.Millisecond):
				most = max(most, read()-before)
			}
		}
	}()
	f()
	close(stop)
	return <-done
}

// Unwrapping ends, within bounds that depend on the number of triangles alone, wherever their corners lie; each triangle has a
// place in the square.
func TestWildSurfacesHaveBounds(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for name, s := range wild(t) {
		var l *unwrap.Layout
		begun := time.Now()
		most := highest(func() {
			var err error
			l, err = unwrap.Of(context.Background(), s, unwrap.Options{Workers: 2})
			require.NoError(t, err, name)
		})
		t.Logf("%s: %d MB, %v, %d charts, %.2f used", name, most>>20, time.Since(begun), l.Charts, l.Used)
		assert.Less(t, most>>20, 300, "%s: MB", name)
		for _, tri := range l.UV {
			for _, p := range tri {
				require.True(t, p[0] >= 0 && p[0] <= 1 && p[1] >= 0 && p[1] <= 1, "%s: %v", name, p)
			}
		}
		assert.Zero(t, overlaps(l, false), name)
	}
}

// It hears that its context has ended, wherever it is.
func TestUnwrappingHearsAStop(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	defer func() { unwrap.Hasty = true }()
	for name, s := range map[string]unwrap.Surface{"torus": surface(t, mesh.Torus(1, 0.4, 12, 6)), "rough": surface(t, rough(6, 0.4))} {
		unwrap.Hasty = name == "rough" // where it is the work before packing that takes long
		asked := &countdown{context.Background(), math.MaxInt}
		_, err := unwrap.Of(asked, s, unwrap.Options{})
		require.NoError(t, err)
		times := math.MaxInt - asked.left
		require.Greater(t, times, 50, name)
		for k := range 4 { // how often it asks is not quite the same each time
			_, err := unwrap.Of(&countdown{context.Background(), k * times / 5}, s, unwrap.Options{})
			require.ErrorIs(t, err, context.Canceled, "%s: after %d of %d", name, k, 5)
		}
	}
}

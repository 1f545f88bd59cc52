package vec

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func ExampleDirection() {
	d := Direction(90, 0)
	fmt.Printf("%.0f %.0f %.0f\n", d[0], d[1], d[2])
	// Output: 1 0 0
}

func TestDirectionAndAnglesAreInverse(t *testing.T) {
	for az := -170.0; az <= 180; az += 35 {
		for el := -85.0; el <= 85; el += 17 {
			a, e := Angles(Direction(az, el))
			assert.InDelta(t, az, a, 1e-3)
			assert.InDelta(t, el, e, 1e-3)
		}
	}
	assert.InDelta(t, 1, Direction(12, 90)[1], 1e-6)
}

func TestUnitSurvivesExtremes(t *testing.T) {
	for _, v := range []V{{1e-30, 0, 0}, {1e30, 1e30, 0}, {0, -3, 4}} {
		assert.InDelta(t, 1, v.Unit().Len(), 1e-5, "%v", v)
	}
	assert.Equal(t, V{}, V{}.Unit())
	assert.Equal(t, V{}, V{float32(math.Inf(1)), 0, 0}.Unit())
}

func TestPlaceAndInverse(t *testing.T) {
	m := Place(V{1, 2, 3}, V{30, 40, 50}, 2.5)
	inv, ok := m.Inverse()
	assert.True(t, ok)
	p := V{-0.3, 0.7, 11}
	q := inv.Point(m.Point(p))
	for i := range p {
		assert.InDelta(t, p[i], q[i], 1e-4)
	}
	assert.InDelta(t, 2.5, m.Dir(V{0, 1, 0}).Len(), 1e-5)
	_, ok = M{}.Inverse()
	assert.False(t, ok)
}

func TestTurnsAreRightHanded(t *testing.T) {
	got := Place(V{}, V{0, 90, 0}, 1).Dir(V{0, 0, 1})
	assert.InDelta(t, 1, got[0], 1e-6, "a turn of 90 about Y takes +Z to +X")
}

func TestNormalStaysPerpendicularUnderUnevenScale(t *testing.T) {
	m := M{X: V{3, 0, 0}, Y: V{0, 1, 0.5}, Z: V{0, 0, -0.2}}
	tangent, normal := V{1, 1, 0}, V{1, -1, 0}
	assert.InDelta(t, 0, m.Dir(tangent).Dot(m.Normal(normal)), 1e-6)
	assert.Positive(t, m.Dir(normal).Dot(m.Normal(normal)), "and keeps its side")
}

func TestBox(t *testing.T) {
	b := EmptyBox()
	assert.True(t, b.Empty())
	assert.Zero(t, b.Diagonal())
	b = b.Grow(V{1, 1, 1}).Grow(V{-1, 3, 1}).Union(EmptyBox())
	assert.Equal(t, V{0, 2, 1}, b.Center())
	assert.Contains(t, b.Corners(), V{-1, 3, 1})
}

func TestReflect(t *testing.T) {
	assert.Equal(t, V{-1, 1, 0}, V{1, 1, 0}.Reflect(V{0, 1, 0}))
}

func TestThreeNumbersAndNoOthers(t *testing.T) {
	var v V
	require.NoError(t, json.Unmarshal([]byte(`[1, -2.5, 1e-30]`), &v))
	assert.Equal(t, V{1, -2.5, 1e-30}, v)
	for _, text := range []string{`[1]`, `[1,2,3,4]`, `[]`, `[1,null,3]`, `null`, `"1,2,3"`, `{"x":1}`, `[1,2,1e39]`} {
		assert.Error(t, json.Unmarshal([]byte(text), &v), text)
	}
	assert.Equal(t, V{1, -2.5, 1e-30}, v, "what is refused changes nothing")
}

func TestAcrossIsAFrame(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	for range 2000 {
		n := V{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}.Unit()
		a, b := Across(n)
		for _, v := range [][2]float32{{0, a.Dot(b)}, {0, a.Dot(n)}, {0, b.Dot(n)}, {1, a.Len()}, {1, b.Len()}, {1, a.Cross(b).Dot(n)}} {
			require.InDelta(t, v[0], v[1], 2e-6, "%v", n)
		}
	}
}

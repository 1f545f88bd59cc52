package sample_test

import (
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

const all = sample.Weights | sample.Pos | sample.Normal | sample.Flat | sample.Eye | sample.UV | sample.Page | sample.Foot

func at(p *[3][]float32, i int) vec.V { return vec.V{p[0][i], p[1][i], p[2][i]} }

// square is a flat square from (-1, -1, 0) to (1, 1, 0) whose texture coordinates run from 0
// to 1 over it.
func square(t *testing.T, n int) *stage.Scene {
	return stagetest.Of(t, mesh.Grid("square", n, n, func(u, v float64) vec.V { return vec.V{float32(2*u - 1), float32(2*v - 1), 0} }))
}

func TestTexelsLieWhereTheirCoordinatesSay(t *testing.T) {
	sc := square(t, 3)
	p, texel := (&sample.Texels{W: 32, H: 16, At: inMiddle}).Points(sc, nil, func(int32) bool { return true })
	require.Equal(t, 32*16, p.N, "every texel once, those on shared edges too")
	p.Resolve(all, 2)
	for i, k := range texel {
		u, v := (float64(k%32)+0.5)/32, 1-(float64(k/32)+0.5)/16
		require.InDelta(t, u, p.UV[0][i], 1e-5)
		require.InDelta(t, v, p.UV[1][i], 1e-5)
		require.InDelta(t, 2*u-1, p.Pos[0][i], 1e-5)
		require.InDelta(t, 2*v-1, p.Pos[1][i], 1e-5)
		require.InDelta(t, 2.0/16, p.Foot[i], 1e-5, "the longer way to the next texel")
		require.Equal(t, at(&p.Flat, i), at(&p.Eye, i), "no view: the eye looks straight on")
		require.Zero(t, p.Page[0][i])
	}
	none, _ := (&sample.Texels{W: 32, H: 16, At: inMiddle}).Points(sc, nil, func(int32) bool { return false })
	assert.Zero(t, none.N)
	assert.Nil(t, p.Pixels())
	assert.Nil(t, p.Grid())
}

func TestOverlappingTexelsBelongToTheFirst(t *testing.T) {
	twice := mesh.Grid("a", 1, 1, func(u, v float64) vec.V { return vec.V{float32(u), float32(v), 0} })
	twice.Join(mesh.Grid("b", 1, 1, func(u, v float64) vec.V { return vec.V{float32(u), float32(v), 5} }), vec.Place(vec.V{}, vec.V{}, 1))
	p, texel := (&sample.Texels{W: 8, H: 8, At: inMiddle}).Points(stagetest.Of(t, twice), nil, func(int32) bool { return true })
	assert.Len(t, texel, 64)
	for _, part := range p.PartOf {
		require.Zero(t, part)
	}
}

func TestVerticesAreWhereTheyAre(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 24, 12))
	view := sc.Stage.Camera.View(100, 80)
	p, vertex := sample.Vertices(sc, &view)
	require.Equal(t, len(sc.Pos), p.N)
	p.Resolve(all, 2)
	for i, v := range vertex {
		require.InDelta(t, 0, sc.Pos[v].Sub(at(&p.Pos, i)).Len(), 1e-6)
		n := at(&p.Norm, i).Dot(sc.Normal[v])
		require.InDelta(t, 1, math.Abs(float64(n)), 1e-5)
		x, y, _ := view.Project(view.Camera(sc.Pos[v]))
		require.InDelta(t, x/80, p.Page[0][i], 1e-5, "on the page in picture heights")
		require.InDelta(t, 1-y/80, p.Page[1][i], 1e-5)
		require.InDelta(t, 1, view.Eye.Sub(sc.Pos[v]).Unit().Dot(at(&p.Eye, i)), 1e-5)
		require.Zero(t, p.Foot[i])
	}
}

func TestOnePoint(t *testing.T) {
	sc := square(t, 1)
	p := sample.One(sc, nil, 0, 0.25, 0.5, 0.125)
	p.Resolve(all, 1)
	c := sc.Tri[0]
	want := sc.Pos[c[0]].Mul(0.25).Add(sc.Pos[c[1]].Mul(0.25)).Add(sc.Pos[c[2]].Mul(0.5))
	assert.InDelta(t, 0, at(&p.Pos, 0).Sub(want).Len(), 1e-6)
	assert.EqualValues(t, 0.125, p.Foot[0])
	assert.EqualValues(t, 0.0625, p.Step(0))
}

// The footprint of a pixel by what it is: how far the place seen moves when the pixel does.
func TestTheFootprintOfAPixel(t *testing.T) {
	for _, ortho := range []bool{false, true} {
		sc := square(t, 1)
		c := sc.Stage.Camera
		c.Azimuth, c.Elevation, c.Ortho = 50, 25, ortho
		view := c.View(60, 60)
		p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
		p.Resolve(all, 2)
		grid, n := p.Grid(), 0
		for i, px := range p.Pixels().Pixel {
			x, y := int(px)%60, int(px)/60
			r, u := grid.At(x+1, y), grid.At(x, y-1)
			if r < 0 || u < 0 {
				continue
			}
			n++
			longest := max(at(&p.Pos, int(r)).Sub(at(&p.Pos, i)).Len(), at(&p.Pos, int(u)).Sub(at(&p.Pos, i)).Len())
			require.InEpsilon(t, longest, p.Foot[i], 0.04, "ortho %v", ortho)
			require.InDelta(t, (float64(x)+0.5)/60, p.Page[0][i], 1e-6)
			require.InDelta(t, 1-(float64(y)+0.5)/60, p.Page[1][i], 1e-6)
		}
		require.Greater(t, n, 300)
	}
}

func TestShiftsGoStraightOnOverTheSurface(t *testing.T) {
	// On a plane of many triangles: exactly along the frame, whatever they cross.
	sc := square(t, 40)
	view := sc.Stage.Camera.View(24, 24) // a pixel covers several triangles
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	p.Resolve(all, 2)
	crossed := 0
	for k, v := range []sample.Variant{sample.AlongU, sample.AlongV} {
		q := p.Variant(v)
		require.Same(t, q, p.Variant(v), "made once")
		q.Resolve(all, 2)
		for i := range p.N {
			du, dv := sample.Frame(at(&p.Norm, i))
			want := at(&p.Pos, i).Add([2]vec.V{du, dv}[k].Mul(p.Step(i)))
			if want[0] < -1 || want[0] > 1 || want[1] < -1 || want[1] > 1 {
				continue
			}
			require.InDelta(t, 0, at(&q.Pos, i).Sub(want).Len(), 1e-5)
			require.InDelta(t, (want[0]+1)/2, q.UV[0][i], 1e-5, "with the texture coordinates of that place")
			if q.Tri[i] != p.Tri[i] {
				crossed++
			}
		}
	}
	assert.Greater(t, crossed, 100)

	// On a ball: along the ball, not off it. (What is left is the depth of its facets.)
	sc = stagetest.Of(t, mesh.Sphere(1, 96, 48))
	view = sc.Stage.Camera.View(20, 20)
	p = sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	q := p.Variant(sample.AlongU)
	q.Resolve(all, 2)
	for i := range p.N {
		require.InDelta(t, 1, at(&q.Pos, i).Len(), 5e-3)
		d := at(&q.Pos, i).Sub(at(&p.Pos, i))
		u, _ := sample.Frame(at(&p.Norm, i))
		require.Greater(t, d.Unit().Dot(u), float32(0.8))
	}
	assert.Equal(t, sample.AlongU+"v", sample.AlongU.Then(sample.AlongV))
	assert.Equal(t, 2, sample.Variant("uvx").Shifts())
}

func TestShiftsStopAtCreasesAsPlanes(t *testing.T) {
	// The faces of a cube share no vertices: a point shifted beyond an edge stays in the plane.
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{1, 1, 1}))
	view := sc.Stage.Camera.View(6, 6)
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	p.Resolve(all, 1)
	q := p.Variant(sample.AlongU)
	q.Resolve(all, 1)
	for i := range p.N {
		require.InDelta(t, 0, at(&q.Pos, i).Sub(at(&p.Pos, i)).Dot(at(&p.Flat, i)), 1e-5)
		require.Equal(t, at(&p.Flat, i), at(&q.Flat, i))
	}
}

func TestSeenFromASide(t *testing.T) {
	sc := stagetest.Of(t, mesh.Cuboid(vec.V{2, 4, 4})) // diagonal 6
	view := sc.Stage.Camera.View(40, 40)
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	p.Resolve(all, 1)
	for v, uv := range map[sample.Variant]func(vec.V) (float32, float32){
		sample.FromX: func(q vec.V) (float32, float32) { return 0.5 - q[2]/6, 0.5 + q[1]/6 },
		sample.FromY: func(q vec.V) (float32, float32) { return 0.5 + q[0]/6, 0.5 - q[2]/6 },
		sample.FromZ: func(q vec.V) (float32, float32) { return 0.5 + q[0]/6, 0.5 + q[1]/6 },
	} {
		s := p.Variant(v)
		s.Resolve(all, 2)
		for i := range p.N {
			x, y := uv(at(&p.Pos, i))
			require.InDelta(t, x, s.UV[0][i], 1e-5)
			require.InDelta(t, y, s.UV[1][i], 1e-5)
			require.Equal(t, at(&p.Eye, i), at(&s.Eye, i), "all else is as it was")
		}
	}
	assert.Equal(t, sample.Variant("uy"), sample.FromX.Then(sample.AlongU).Then(sample.FromY), "the last side counts")
}

func TestPickingKeepsWhatIsKnown(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 24, 12))
	view := sc.Stage.Camera.View(30, 30)
	seen := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	texels, _ := (&sample.Texels{W: 32, H: 32, At: inMiddle}).Points(sc, &view, func(int32) bool { return true })
	for _, p := range []*sample.Points{seen, texels, seen.Variant(sample.AlongV), texels.Variant(sample.FromX)} {
		p.Resolve(all, 2)
		few := p.Pick([]int32{9, 3, 9})
		few.Resolve(all, 1)
		require.Equal(t, 3, few.N)
		for i, k := range []int32{9, 3, 9} {
			require.Equal(t, at(&p.Pos, int(k)), at(&few.Pos, i))
			require.Equal(t, at(&p.Norm, int(k)), at(&few.Norm, i))
			require.Equal(t, p.Foot[k], few.Foot[i])
			u, v := p.Chance(int(k))
			fu, fv := few.Chance(i)
			require.Equal(t, [2]float32{u, v}, [2]float32{fu, fv})
		}
		assert.Nil(t, few.Grid(), "what lies beside is not known")
	}
}

func TestAnyoneMayResolve(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 24, 12))
	view := sc.Stage.Camera.View(80, 80)
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	var wg sync.WaitGroup
	for k := range 8 {
		wg.Go(func() {
			q := p.Variant([]sample.Variant{"", "u", "V", "x", "uv", "xU", "y", "vx"}[k])
			q.Resolve(all, 2)
			for i := range q.N {
				if !at(&q.Pos, i).Finite() {
					t.Error("a place that is none")
				}
			}
		})
	}
	wg.Wait()
}

// Points that are strewn go where they say within their pixels, also where that is beyond
// the triangle which the middle sees, and over many pixels they fill the square evenly.
func TestStrewnPoints(t *testing.T) {
	sc := square(t, 60) // several triangles to a pixel
	view := stage.Camera{Distance: 3, Angle: 30, Azimuth: 20}.View(40, 40)
	vis := draw(t, sc, view, middle, 1)
	const n = 16
	var bins [4][4]int
	for k := range n {
		p := sample.Seen(vis, sc, view, 1, []int{0}, nil)[0]
		p.Strew(k, n)
		p.Resolve(all, 2)
		for i, px := range p.Pixels().Pixel {
			ax, ay := p.Pixels().Place(i)
			require.True(t, ax >= 0 && ax < 1 && ay >= 0 && ay < 1)
			bins[int(4*ay)][int(4*ax)]++
			x, y, _ := view.Project(view.Camera(at(&p.Pos, i)))
			require.InDelta(t, float32(px%40)+ax, x, 2e-3)
			require.InDelta(t, float32(px/40)+ay, y, 2e-3)
			require.InDelta(t, (float32(px%40)+ax)/40, p.Page[0][i], 1e-6)
			require.InDelta(t, 1-(float32(px/40)+ay)/40, p.Page[1][i], 1e-6)
		}
		few := p.Pick([]int32{3, 1})
		few.Resolve(sample.Page, 1)
		require.Equal(t, p.Page[0][3], few.Page[0][0])
	}
	total := 0
	for _, row := range bins {
		for _, c := range row {
			total += c
		}
	}
	for _, row := range bins {
		for _, c := range row {
			require.InEpsilon(t, float64(total)/16, c, 0.02)
		}
	}
	// In one pixel the places fill each side in equal steps.
	p := sample.Seen(vis, sc, view, 1, []int{0}, nil)[0].Pick([]int32{7})
	xs, ys := map[int]bool{}, map[int]bool{}
	for k := range n {
		p.Strew(k, n)
		x, y := p.Pixels().Place(0)
		xs[int(x*n)], ys[int(y*n)] = true, true
	}
	assert.Len(t, xs, n)
	assert.Len(t, ys, n)
}

// A triangle that is seen edge on says nothing of what lies beside it: points stay on it.
func TestStrewnPointsStayNearSlivers(t *testing.T) {
	sc := stagetest.Of(t, mesh.Sphere(1, 96, 48))
	view := sc.Stage.Camera.View(60, 60)
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	p.Strew(3, 16)
	p.Resolve(sample.Weights|sample.Pos, 1)
	for i := range p.N {
		for k := range 2 {
			require.Less(t, math.Abs(float64(p.Weights[k][i])), 8.0)
		}
		require.Less(t, at(&p.Pos, i).Len(), float32(1.6))
	}
}

// What points count as is what they hold.
func TestBytesOfPoints(t *testing.T) {
	sc := square(t, 3)
	view := sc.Stage.Camera.View(20, 20)
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	n := p.N
	bare := p.Bytes()
	assert.Equal(t, 3*4*n, bare)
	p.Resolve(all, 1)
	assert.Equal(t, bare+n*(2*4+1+4*3*4+2*4+2*4+4), p.Bytes())
	p.Grid()
	withGrid := p.Bytes()
	assert.Equal(t, bare+n*77+4*n, withGrid, "and the grid, which is full here")
	p.Variant(sample.AlongU).Resolve(sample.Pos, 1)
	assert.Greater(t, p.Bytes(), withGrid+n*(4*2+12))
	p.Forget()
	assert.Equal(t, bare, p.Bytes())
	p.Resolve(all, 1)
	assert.True(t, at(&p.Pos, 0).Finite(), "and is there again when it is asked for")
	one := sample.One(sc, nil, 0, 0.3, 0.3, 1)
	one.Forget()
	one.Resolve(sample.Pos, 1)
	assert.True(t, at(&one.Pos, 0).Finite())
}

// Half-way to the pixels on either side, on the same part.
func TestHalfWay(t *testing.T) {
	sc := square(t, 3)
	view := sc.Stage.Camera.View(24, 24)
	p := sample.Seen(draw(t, sc, view, middle, 1), sc, view, 1, []int{0}, nil)[0]
	values := make([]float32, p.N)
	for i, px := range p.Pixels().Pixel {
		values[i] = 3*float32(px%24) - 5*float32(px/24)
	}
	lo, hi := make([]float32, p.N-2), make([]float32, p.N-2)
	p.HalfWay(values, 2, lo, hi)
	for k := range lo {
		require.InDelta(t, values[k+2]-4, lo[k], 1e-4)
		require.InDelta(t, values[k+2]+4, hi[k], 1e-4)
	}
}

var inMiddle = [2]float64{0.5, 0.5}

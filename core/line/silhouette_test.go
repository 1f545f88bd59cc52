package line_test

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/line"
	"mobanta/core/mesh"
	"mobanta/core/picture"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// borders is a way in which lines are drawn along borders.
type borders struct {
	shift float32
	rule  line.Rule
}

// settled returns the cover of lines on all positions of a picture that an eye without perspective takes, for each way to draw
// them, and how many pixels one length is.
func settled(t *testing.T, sc *stage.Scene, h int, width float32, ways ...borders) (covers [][]float32, scale float64) {
	view := stage.Camera{Distance: 6, Angle: 30, Ortho: true}.View(h, h)
	sheets := make([]*line.Sheet, len(ways))
	for i := range sheets {
		sheets[i] = line.NewSheet(h, h)
	}
	pr := sample.NewProjector(sc.Geometry, view, 2)
	const passes = 16
	for k := range passes {
		vis, err := pr.Draw(context.Background(), picture.Position(k, passes), 2)
		require.NoError(t, err)
		for i, way := range ways {
			var strokes []line.Stroke
			for _, c := range way.rule.Find(&line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}, func(int32) bool { return true }) {
				strokes = append(strokes, line.Stroke{Chain: c, Ink: slices.Repeat([]line.Ink{{Width: width, Opacity: 1}}, len(c)), Shift: way.shift})
			}
			sheets[i].Add([][]line.Stroke{strokes}, 2)
		}
	}
	for _, s := range sheets {
		cover := make([]float32, h*h)
		for i := range cover {
			cover[i] = s.Pix[4*i+3] / passes
		}
		covers = append(covers, cover)
	}
	return covers, float64(view.Scale)
}

func disc() *mesh.Mesh {
	return mesh.Grid("disc", 360, 1, func(u, v float64) vec.V {
		s, c := math.Sincos(-2 * math.Pi * u)
		return vec.V{float32(v * c), float32(v * s), 0}
	})
}

// turned is a square of sides 2 that is turned by so many degrees.
func turned(degrees float64) *mesh.Mesh {
	s, c := math.Sincos(degrees * math.Pi / 180)
	return mesh.Grid("square", 1, 1, func(u, v float64) vec.V {
		x, y := 2*u-1, 2*v-1
		return vec.V{float32(c*x - s*y), float32(s*x + c*y), 0}
	})
}

// A disc, a square and one turned by 30° have lines as wide as was asked at any size, also on their slants, without gaps,
// outside, on the border and inside.
func TestBordersAreAsWideAsIsAsked(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	for _, h := range []int{400, 800} {
		for name, m := range map[string]struct {
			mesh   *mesh.Mesh
			around float64
		}{"disc": {disc(), 2 * math.Pi}, "square": {turned(0), 8}, "30°": {turned(30), 8}} {
			sc := stagetest.Of(t, m.mesh)
			ways := []borders{{0, line.Edges{Outer: true}}, {0, line.Silhouette{Round: line.RoundAll}},
				{1, line.Silhouette{Round: line.RoundModels, Shift: 1}}, {-1, line.Silhouette{Round: line.RoundParts, Shift: -1}}} // edges lie on the border
			const width = 9
			covers, scale := settled(t, sc, h, width, ways...)
			wide := width * float64(h) / 1000
			for k, way := range ways {
				// Outside or inside it is as much longer or shorter as its middle lies aside.
				around := m.around * scale
				if name == "disc" {
					around += 2 * math.Pi * float64(way.shift) * wide / 2
				}
				assert.InDelta(t, around*wide, sum(covers[k]), 0.05*around*wide+4*wide*wide, "%s, %v, on %d lines", name, way.rule, h)
			}
		}
	}
}

// Across any slant of a disc its line is as thick, at any size, and at twice the size, reduced, it is the same picture.
func TestEdgesAreEvenlyThickAtAnySize(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	sc := stagetest.Of(t, disc())
	var last []float32
	for _, h := range []int{540, 1080} {
		covers, scale := settled(t, sc, h, 9, borders{0, line.Edges{Outer: true}})
		cover := covers[0]
		for _, degrees := range []float64{0, 13, 30, 45, 60, 77} {
			s, c := math.Sincos(degrees * math.Pi / 180)
			across := 0.0
			for k := -400; k <= 400; k++ {
				r := scale + float64(k)/10
				x, y := float64(h)/2+r*c, float64(h)/2-r*s
				across += float64(cover[int(y)*h+int(x)]) / 10
			}
			assert.InEpsilon(t, 9*float64(h)/1000, across, 0.05, "%d lines, at %v°", h, degrees)
		}
		if last != nil {
			off, n := 0.0, h/2
			for y := range n {
				for x := range n {
					i := 2*y*h + 2*x
					off += math.Abs(float64(last[y*n+x] - (cover[i]+cover[i+1]+cover[i+h]+cover[i+h+1])/4))
				}
			}
			assert.Less(t, 255*off/float64(n*n), 2.0, "%d lines", h)
		}
		last = cover
	}
}

// A tone that grows over a sheet passes a level in one straight line, and jumps nowhere; from one surface to the next it is
// another tone.
func TestATonesChangesAreLines(t *testing.T) {
	sc := stagetest.Of(t, turned(0), turned(0))
	view := stage.Camera{Distance: 6, Angle: 30, Ortho: true}.View(200, 200)
	vis, err := sample.NewProjector(sc.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
	require.NoError(t, err)
	tone := make([]float32, 200*200)
	for i := range tone {
		tone[i] = float32(i%200) / 200
		if vis.Tri[i] < 0 {
			tone[i] = float32(math.NaN())
		}
	}
	in := &line.Seen{Vis: vis, Scene: sc, View: view, Workers: 2}
	chains := line.Edges{Levels: []float32{0.4021}}.Within(in, tone)
	require.Len(t, chains, 1)
	for _, p := range chains[0] {
		assert.InDelta(t, 0.4021*200+0.5, p.X, 0.01)
	}
	assert.Empty(t, line.Edges{Change: 0.01}.Within(in, tone))
	for i := range tone {
		if i%200 >= 90 {
			tone[i] += 0.3
		}
	}
	jumps := line.Edges{Change: 0.1}.Within(in, tone)
	require.Len(t, jumps, 1)
	assert.InDelta(t, 90, jumps[0][5].X, 0.01)
	apart := stagetest.Of(t, disc(), mesh.Cuboid(vec.V{0.8, 0.8, 0.8}))
	vis, err = sample.NewProjector(apart.Geometry, view, 2).Draw(context.Background(), [2]float32{0.5, 0.5}, 2)
	require.NoError(t, err)
	for i, tri := range vis.Tri {
		tone[i] = float32(math.NaN())
		if tri >= 0 {
			tone[i] = float32(apart.TriPart[tri])
		}
	}
	assert.Empty(t, line.Edges{Levels: []float32{0.5}, Change: 0}.Within(&line.Seen{Vis: vis, Scene: apart, View: view, Workers: 2}, tone))
}

package contour_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/contour"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// leaning is a flat plate whose normals lean, at one of its sides, past where an eye above it still sees them.
func leaning(degrees float64) *mesh.Mesh {
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	m := &mesh.Mesh{
		Parts:     []mesh.Part{{Name: "plate"}},
		Positions: []vec.V{{-1, -1, 0}, {1, -1, 0}, {1, 1, 0}, {-1, 1, 0}},
		Normals:   []vec.V{{0, 0, 1}, {0, float32(sin), float32(cos)}},
		FaceEnd:   []int32{4}, FacePart: []int32{0},
	}
	for i, n := range []int32{0, 0, 1, 1} {
		m.Corners = append(m.Corners, mesh.Corner{Pos: int32(i), UV: -1, Normal: n})
	}
	return m
}

// Where normals lean over a flat face no form turns away, and there is no contour within it; its border stays.
func TestNormalsThatLeanMakeNoContour(t *testing.T) {
	for _, from := range []float64{60, 70, 80} { // degrees aside of the plate's own direction, towards which they do not lean
		for _, ortho := range []bool{false, true} {
			cam := stage.Camera{Azimuth: 0, Elevation: -from, Distance: 5, Angle: 30, Ortho: ortho}
			curves, _ := look(t, stagetest.Of(t, leaning(60)), cam, contour.Contour, contour.Border)
			sum := 0.0
			for _, c := range curves {
				if c.Kind == contour.Contour {
					sum += length([]contour.Curve{c})
				}
			}
			assert.Zero(t, sum, "from %v°", from)
			require.NotEmpty(t, curves, "the border stays")
		}
	}
}

// Where the contour of a surface is left out that few faces stand for, the outline of these faces is drawn: a prism of eight sides
// whose normals are a cylinder's has a line along both of its rims, from wherever it is seen.
func TestWithoutAContourTheFacesHaveTheirOutline(t *testing.T) {
	const n = 8
	m := &mesh.Mesh{Parts: []mesh.Part{{Name: "prism"}}}
	for k := range n {
		s, c := math.Sincos(2 * math.Pi * float64(k) / n)
		x, z := float32(c), float32(s)
		m.Positions = append(m.Positions, vec.V{x, -1, z}, vec.V{x, 1, z})
		m.Normals = append(m.Normals, vec.V{x, 0, z})
	}
	for k := range int32(n) {
		l := (k + 1) % n
		for _, c := range [4][2]int32{{2 * k, k}, {2*k + 1, k}, {2*l + 1, l}, {2 * l, l}} {
			m.Corners = append(m.Corners, mesh.Corner{Pos: c[0], UV: -1, Normal: c[1]})
		}
		m.FaceEnd, m.FacePart = append(m.FaceEnd, int32(len(m.Corners))), append(m.FacePart, 0)
	}
	sc := stagetest.Of(t, m)
	for turn := range 7 { // with an edge near its rims
		cam := stage.Camera{Azimuth: 3 * float64(turn), Distance: 6, Angle: 30, Ortho: true}
		curves, view := look(t, sc, cam, contour.Contour)
		left, right := float32(pageW), float32(0)
		for _, p := range sc.Pos {
			x, _, _ := view.Project(view.Camera(p))
			left, right = min(left, x), max(right, x)
		}
		for _, rim := range []float32{left, right} {
			rows := map[int]bool{}
			for _, c := range curves {
				for k := 1; k < len(c.Places); k++ {
					p, q := c.Places[k-1], c.Places[k]
					for s := float32(0); s <= 1; s += 0.05 {
						if x := p.X + (q.X-p.X)*s; max(x-rim, rim-x) < 0.02*(right-left) {
							rows[int(p.Y+(q.Y-p.Y)*s)/10] = true
						}
					}
				}
			}
			high := 2 * view.Scale
			assert.Greater(t, float32(len(rows))*10, 0.8*high, "turned by %d°, the rim at %v", 3*turn, rim)
		}
	}
}

// What stands out of a surface by nothing to be seen has no line where it crosses it; standing out it has.
func TestWhatEndsInASurfaceHasNoCrossing(t *testing.T) {
	lines := func(out float32) float64 {
		m := &mesh.Mesh{}
		m.Join(mesh.Cuboid(vec.V{2, 2, 0.2}), vec.Place(vec.V{}, vec.V{}, 1))
		m.Join(mesh.Cuboid(vec.V{0.6, 0.6, 0.2}), vec.Place(vec.V{0, 0, out}, vec.V{}, 1))
		for i := range m.FacePart {
			m.FacePart[i] = 0
		}
		m.Parts = m.Parts[:1]
		cam := stage.Camera{Azimuth: 20, Elevation: 15, Distance: 6, Angle: 30, Ortho: true}
		curves, _ := look(t, stagetest.Of(t, m), cam, contour.Crossing)
		return length(curves)
	}
	assert.Zero(t, lines(1e-4))
	assert.Greater(t, lines(0.15), 100.0)
}

// A wire over a plate, of one part with it and narrower than what is looked at beside a line, keeps both of its contours.
func TestAWireBeforeAPlateHasItsLines(t *testing.T) {
	for _, radius := range []float64{0.002, 0.004, 0.01} { // of 400 pixels to the unit or so
		m := &mesh.Mesh{}
		m.Join(mesh.Cuboid(vec.V{2, 2, 0.2}), vec.Place(vec.V{}, vec.V{}, 1))
		m.Join(mesh.Lathe("wire", []vec.V{{0, -0.8}, {float32(radius), -0.8}, {float32(radius), 0.8}, {0, 0.8}}, 24), vec.Place(vec.V{0, 0, 0.5}, vec.V{}, 1))
		for i := range m.FacePart {
			m.FacePart[i] = 0
		}
		m.Parts = m.Parts[:1]
		curves, view := look(t, stagetest.Of(t, m), stage.Camera{Distance: 6, Angle: 30, Ortho: true}, contour.Contour)
		within := 0.0 // of the plate's rim
		for _, c := range curves {
			x := c.Places[len(c.Places)/2].X
			if max(x-pageW/2, pageW/2-x) < 0.1*view.Scale {
				within += length([]contour.Curve{c})
			}
		}
		assert.InDelta(t, 2*1.6*float64(view.Scale), within, 0.1*float64(view.Scale), "radius %v", radius)
	}
}

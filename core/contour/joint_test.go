package contour_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/contour"
	"mobanta/core/mesh"
	"mobanta/core/stage"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// jointed is a long face beside two short ones that rise by an angle, in two parts if so asked; with void there is a face too of
// which corners coincide.
func jointed(degrees float64, parts, void bool) *mesh.Mesh {
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	x, z := float32(cos), float32(sin)
	m := &mesh.Mesh{Parts: []mesh.Part{{Name: "left"}, {Name: "right"}}, Positions: []vec.V{{-1, -1, 0}, {0, -1, 0}, {0, 1, 0}, {-1, 1, 0}, {x, -1, z}, {x, 0.2, z}, {0, 0.2, 0}, {x, 1, z}}}
	face := func(part int32, corners ...int32) {
		for _, c := range corners {
			m.Corners = append(m.Corners, mesh.Corner{Pos: c, UV: -1, Normal: -1})
		}
		m.FaceEnd, m.FacePart = append(m.FaceEnd, int32(len(m.Corners))), append(m.FacePart, part)
	}
	right := int32(0)
	if parts {
		right = 1
	}
	face(0, 0, 1, 2, 3)
	face(right, 1, 4, 5, 6)
	face(right, 6, 5, 7, 2)
	if void {
		face(right, 6, 5, 6)
	}
	if !parts {
		m.Parts = m.Parts[:1]
	}
	return m
}

// Where two short sides lie along a long one nothing ends: there is a line only where the surface bends, or another part begins.
func TestJointsAreNoBorders(t *testing.T) {
	cam := stage.Camera{Elevation: 20, Azimuth: 10, Distance: 5, Angle: 30, Ortho: true}
	all := []contour.Kind{contour.Contour, contour.Border, contour.Crease, contour.Seam}
	side := func(curves []contour.Curve, kind contour.Kind) float64 {
		var of []contour.Curve
		for _, c := range curves {
			if c.Kind == kind {
				of = append(of, c)
			}
		}
		return length(of)
	}
	for _, void := range []bool{false, true} {
		flat, view := look(t, stagetest.Of(t, jointed(0, false, void)), cam, all...)
		unit := float64(view.Scale)
		a, b := view.Camera(vec.V{0, -1, 0}), view.Camera(vec.V{0, 1, 0})
		long := unit * math.Hypot(float64(b[0]-a[0]), float64(b[1]-a[1])) // of the joint
		c := view.Camera(vec.V{1, -1, 0})
		wide := unit * math.Hypot(float64(c[0]-a[0]), float64(c[1]-a[1]))
		assert.InDelta(t, 2*long+4*wide, side(flat, contour.Border), 4, "its rim and nothing else")
		assert.InDelta(t, 2*long+4*wide, length(flat), 4)

		fold, _ := look(t, stagetest.Of(t, jointed(50, false, void)), cam, all...)
		assert.InDelta(t, long, side(fold, contour.Crease), 3)
		parts, _ := look(t, stagetest.Of(t, jointed(0, true, void)), cam, all...)
		assert.InDelta(t, long, side(parts, contour.Seam), 3)
		assert.InDelta(t, 2*long+4*wide, side(parts, contour.Border), 4)
		strokes := 0
		for _, c := range fold {
			if c.Kind == contour.Crease {
				strokes++
			}
		}
		assert.Equal(t, 1, strokes, "one stroke, though two faces meet along it")
	}
	// Where one of them turns away from the eye it is a contour.
	cam.Azimuth = 60
	turned, _ := look(t, stagetest.Of(t, jointed(80, false, false)), cam, all...)
	assert.Positive(t, side(turned, contour.Contour))
}

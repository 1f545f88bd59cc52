package project_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/color"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Every value of the finish and of blobs is set where it is said to be, survives being written and read, and is refused
// where it cannot be.
func TestFinishAndBlobsAreEdited(t *testing.T) {
	hash := strings.Repeat("ab", 32)
	box := vec.EmptyBox().Grow(vec.V{-1, -2, -1}).Grow(vec.V{3, 1, 1})
	p := project.New("p")
	do(t, p, project.Edit{Op: "model.add", Kind: "flame"}, project.Edit{Op: "swatch.add", Value: "#F0E0C0"}, project.Edit{Op: "swatch.add", Value: "#203040"})
	id := p.Stage.Models[0].ID
	for _, c := range []struct {
		op, key string
		value   any
		got     func(s *stage.Stage) any
		bad     any
	}{
		{"backdrop.set", "color", "#102030", func(s *stage.Stage) any { return s.Backdrop.Color.Hex() }, "red"},
		{"backdrop.set", "course", "up", func(s *stage.Stage) any { return string(s.Backdrop.Course) }, "sideways"},
		{"backdrop.set", "other", "#405060", func(s *stage.Stage) any { return s.Backdrop.Other.Hex() }, "none"},
		{"backdrop.set", "none", true, func(s *stage.Stage) any { return s.Backdrop.None }, "yes"},
		{"backdrop.set", "picture", hash, func(s *stage.Stage) any { return s.Backdrop.Picture }, "../x"},
		{"backdrop.set", "fit", "placed", func(s *stage.Stage) any { return string(s.Backdrop.Fit) }, "stretched"},
		{"backdrop.set", "x", 0.25, func(s *stage.Stage) any { return s.Backdrop.X }, 1e9},
		{"backdrop.set", "y", -0.5, func(s *stage.Stage) any { return s.Backdrop.Y }, "up"},
		{"backdrop.set", "scale", 2.0, func(s *stage.Stage) any { return s.Backdrop.Scale }, -1.0},
		{"backdrop.set", "deep", 0.75, func(s *stage.Stage) any { return s.Backdrop.Deep }, 2.0},
		{"backdrop.set", "shade", "#112233", func(s *stage.Stage) any { return s.Backdrop.Shade.Hex() }, true},
		{"backdrop.set", "floor", true, func(s *stage.Stage) any {
			return s.Backdrop.Floor && s.Backdrop.FloorAt == vec.V{1, -2, 0} && s.Backdrop.FloorSize > 100
		}, 1.0},
		{"backdrop.set", "level", -3.0, func(s *stage.Stage) any { return float64(s.Backdrop.FloorAt[1]) }, "low"},
		{"glow.set", "on", true, func(s *stage.Stage) any { return s.Glow.On && s.Glow.Strength > 0 }, "on"},
		{"glow.set", "threshold", 1.5, func(s *stage.Stage) any { return s.Glow.Threshold }, -1.0},
		{"glow.set", "radius", 55.0, func(s *stage.Stage) any { return s.Glow.Radius }, 5000.0},
		{"glow.set", "strength", 0.25, func(s *stage.Stage) any { return s.Glow.Strength }, 99.0},
		{"glow.set", "tint", "#FF8844", func(s *stage.Stage) any { return s.Glow.Tint.Hex() }, "warm"},
		{"glow.set", "around", true, func(s *stage.Stage) any { return s.Glow.Around }, 0.0},
		{"grade.set", "exposure", 0.5, func(s *stage.Stage) any { return s.Grade.Exposure }, 50.0},
		{"grade.set", "contrast", -0.25, func(s *stage.Stage) any { return s.Grade.Contrast }, 3.0},
		{"grade.set", "pivot", 0.5, func(s *stage.Stage) any { return s.Grade.Pivot }, 3.0},
		{"grade.set", "saturation", -1.0, func(s *stage.Stage) any { return s.Grade.Saturation }, -2.0},
		{"grade.set", "hue", 90.0, func(s *stage.Stage) any { return s.Grade.Hue }, "blue"},
		{"grade.set", "toning", 0.5, func(s *stage.Stage) any { return s.Grade.Toning }, 2.0},
		{"grade.set", "shadows", "#202060", func(s *stage.Stage) any { return s.Grade.Shadows.Hex() }, nil},
		{"grade.set", "lights", "#FFEECC", func(s *stage.Stage) any { return s.Grade.Lights.Hex() }, nil},
		{"grade.set", "all 1", 0.125, func(s *stage.Stage) any { return s.Grade.Curves.All[1] }, 4.0},
		{"grade.set", "blue 2", -0.25, func(s *stage.Stage) any { return s.Grade.Curves.Blue[2] }, 4.0},
		{"grade.set", "strip", []any{[]any{"#000000", "#FF0000"}}, func(s *stage.Stage) any {
			return []any{[]any{s.Grade.Strip[0][0].Hex(), s.Grade.Strip[0][1].Hex()}}
		}, []any{[]any{"#000000"}, []any{"#000000", "#111111"}}},
		{"grade.set", "mapped", 0.5, func(s *stage.Stage) any { return s.Grade.Mapped }, 2.0},
		{"view.set", "", "soft", func(s *stage.Stage) any { return string(s.View) }, "filmed"},
		{"blob.set", "melt", 1.25, func(s *stage.Stage) any { return s.Models[0].Blobs.Melt }, 9.0},
		{"blob.set", "detail", 30.0, func(s *stage.Stage) any { return s.Models[0].Blobs.Detail }, 1e6},
		{"blob.set", "spring rate", 12.0, func(s *stage.Stage) any { return s.Models[0].Blobs.Spring.Rate }, 1e6},
		{"blob.set", "spring taper", 0.5, func(s *stage.Stage) any { return s.Models[0].Blobs.Spring.Taper }, 2.0},
		{"blob.set", "spring seed", 7.0, func(s *stage.Stage) any { return float64(s.Models[0].Blobs.Spring.Seed) }, 1.5},
	} {
		e := project.Edit{Op: c.op, Key: c.key, Value: c.value, ID: id, Box: &box}
		do(t, p, e)
		now, _, err := p.Checked()
		require.NoError(t, err, "%s %s", c.op, c.key)
		want := c.value
		if c.key == "on" {
			want = true
		}
		assert.Equal(t, want, c.got(&now.Stage), "%s %s", c.op, c.key)
		q := p.Clone()
		e.Value = c.bad
		_, err = q.Apply(&e)
		assert.Error(t, err, "%s %s = %v", c.op, c.key, c.bad)
		_, err = p.Clone().Apply(&project.Edit{Op: c.op, Key: "no such", ID: id, Value: 1.0})
		assert.Error(t, err)
	}
	assert.True(t, p.Stage.Grade.On, "nobody turns what does nothing")
	do(t, p, project.Edit{Op: "grade.set", Key: "swatches"})
	assert.Equal(t, color.Strip{{color.MustHex("#203040"), color.MustHex("#F0E0C0")}}, p.Stage.Grade.Strip, "from dark to light")
	do(t, p, project.Edit{Op: "grade.set", Key: "reset"})
	assert.True(t, p.Stage.Grade.On && p.Stage.Grade.Plain())
	assert.Contains(t, p.Pictures(), hash, "the backdrop's picture goes along")
}

// A glow of a look goes with the look, and does not become one of the whole picture.
func TestAGlowGoesWithItsLook(t *testing.T) {
	p := project.New("p")
	do(t, p, project.Edit{Op: "look.add"}, project.Edit{Op: "glow.set", Key: "on", Value: true}, project.Edit{Op: "glow.set", Key: "look", Value: "look2"})
	assert.Equal(t, []string{"look2"}, p.Stage.Glow.Looks)
	q := p.Clone()
	do(t, q, project.Edit{Op: "glow.set", Key: "look", Value: "look2"})
	assert.Nil(t, q.Stage.Glow.Looks, "pressed again it is out")
	assert.Equal(t, []string{"look2"}, p.Stage.Glow.Looks, "a clone is its own")
	o := do(t, p, project.Edit{Op: "look.remove", Look: "look2"})
	assert.False(t, p.Stage.Glow.On)
	assert.Contains(t, o.Note, "Nothing glows")
}

func TestBallsAreAddedAndTaken(t *testing.T) {
	p := project.New("p")
	do(t, p, project.Edit{Op: "model.add", Kind: "blobs"}, project.Edit{Op: "model.add", Kind: "sphere"})
	id := p.Stage.Models[0].ID
	before := p.Clone()
	do(t, p, project.Edit{Op: "ball.add", ID: id}, project.Edit{Op: "ball.set", ID: id, Index: 3, Key: "hollow", Value: true}, project.Edit{Op: "ball.set", ID: id, Index: 3, Key: "size", Value: 0.75},
		project.Edit{Op: "ball.set", ID: id, Index: 0, Key: "at", Value: []any{1.0, 2.0, 3.0}}, project.Edit{Op: "ball.remove", ID: id, Index: 1})
	b := p.Stage.Models[0].Blobs
	require.Len(t, b.Balls, 3)
	assert.Equal(t, vec.V{1, 2, 3}, b.Balls[0].At)
	assert.True(t, b.Balls[2].Hollow)
	assert.EqualValues(t, 0.75, b.Balls[2].Size)
	assert.Len(t, before.Stage.Models[0].Blobs.Balls, 3)
	assert.NotEqual(t, vec.V{1, 2, 3}, before.Stage.Models[0].Blobs.Balls[0].At, "a clone is its own")
	for _, e := range []project.Edit{{Op: "ball.set", ID: id, Index: 9, Key: "size", Value: 1.0}, {Op: "ball.remove", ID: id, Index: -1}, {Op: "ball.add", ID: "model2"}, {Op: "blob.set", ID: "model2", Key: "melt", Value: 1.0}, {Op: "ball.set", ID: id, Key: "colour"}} {
		_, err := p.Clone().Apply(&e)
		assert.Error(t, err, "%+v", e)
	}
	do(t, p, project.Edit{Op: "blob.set", ID: id, Key: "spring on", Value: true}, project.Edit{Op: "ball.remove", ID: id}, project.Edit{Op: "ball.remove", ID: id}, project.Edit{Op: "ball.remove", ID: id})
	do(t, p, project.Edit{Op: "blob.set", ID: id, Key: "spring rate", Value: 3.0}, project.Edit{Op: "blob.set", ID: id, Key: "spring on", Value: true})
	assert.EqualValues(t, 3, p.Stage.Models[0].Blobs.Spring.Rate, "a spring that is there stays what it is")
	do(t, p, project.Edit{Op: "blob.set", ID: id, Key: "spring on", Value: false})
	assert.EqualValues(t, 3, p.Stage.Models[0].Blobs.Spring.Rate)
	assert.NotEmpty(t, p.Stage.Models[0].Blobs.Balls, "something is left to be seen")
}

package stage_test

import (
	"image"
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/stage"
)

// Pixels are counted within what is drawn of a picture; where they lie is said of the whole.
func TestAPartOfAPictureIsCountedByItself(t *testing.T) {
	v := stage.Camera{Distance: 5, Angle: 30}.View(300, 200)
	assert.Equal(t, image.Rect(0, 0, 300, 200), v.Frame())
	x, y := v.Counted(301)
	assert.Equal(t, [2]int{1, 1}, [2]int{x, y})
	v.Area = image.Rect(64, 128, 192, 200)
	assert.Equal(t, v.Area, v.Frame())
	x, y = v.Counted(0)
	assert.Equal(t, [2]int{64, 128}, [2]int{x, y})
	x, y = v.Counted(2*128 + 5)
	assert.Equal(t, [2]int{69, 130}, [2]int{x, y})
}

package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"mobanta/core/vec"
)

// The box about what moves holds all that it reaches, where it is placed: as far about each place as the longest way goes.
func TestTheBoxAboutACloud(t *testing.T) {
	c := cloud{{At: vec.V{1, 0, 0}, Size: 0.5}, {At: vec.V{-1, 2, 0}, Size: 0.25}}
	assert.Equal(t, vec.Box{Min: vec.V{-1.25, -0.5, -0.5}, Max: vec.V{1.5, 2.25, 0.5}}, c.at(vec.Place(vec.V{}, vec.V{}, 1)))
	twice := c.at(vec.Place(vec.V{10, 0, 0}, vec.V{}, 2))
	assert.Equal(t, vec.Box{Min: vec.V{7.5, -1, -1}, Max: vec.V{13, 4.5, 1}}, twice)
	stretched := c.at(vec.M{X: vec.V{3, 0, 0}, Y: vec.V{0, 1, 0}, Z: vec.V{0, 0, 1}})
	assert.Equal(t, vec.Box{Min: vec.V{-3.75, -1.5, -1.5}, Max: vec.V{4.5, 2.75, 1.5}}, stretched)
	assert.True(t, cloud(nil).at(vec.Place(vec.V{}, vec.V{}, 1)).Empty())
}

package main

import (
	"bytes"
	"image"
	"image/png"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Pictures are read once, however many ask for them.
func TestPicturesAreReadOnce(t *testing.T) {
	var grain bytes.Buffer
	require.NoError(t, png.Encode(&grain, image.NewNRGBA(image.Rect(0, 0, 3, 2))))
	p := newPictures(map[string][]byte{"grain": grain.Bytes(), "torn": grain.Bytes()[:20]})
	first, ok, err := p.of("grain")
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, 3, first.W)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			again, ok, err := p.of("grain")
			assert.NoError(t, err)
			assert.True(t, ok)
			assert.Same(t, first, again)
		})
	}
	all.Wait()
	_, ok, err = p.of("torn")
	assert.True(t, ok)
	assert.Error(t, err)
	_, ok, err = p.of("none")
	assert.False(t, ok)
	assert.NoError(t, err)
}

package picture_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/budget"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/picture"
	"mobanta/core/stage/stagetest"
	"mobanta/core/vec"
)

// A renderer that may remember nothing keeps its picture and what it takes to ask about it.
func TestABudgetOfOneByte(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48), mesh.Cuboid(vec.V{1, 1, 1}))
	net := look(t, strings.Replace(inked, `"Diffuse light"`, `"Diffuse light","set":{"shadows":true}`, 1))
	const w, h = 400, 300
	j := job(sc, net, w, h, 16)
	free := picture.NewRenderer(2)
	want := bytesOf(t, free, j)
	r := picture.NewRenderer(2)
	r.Under(budget.New(1))
	for range 2 {
		assert.Equal(t, want, bytesOf(t, r, j))
		assert.LessOrEqual(t, r.Size(), w*h*(3*16+8+12+4)+1<<20, "the film, what the first position sees, and its points")
		assert.Greater(t, free.Size(), r.Size()*4/3)
	}
	require.True(t, r.Holds())
	a, err := free.Trail(context.Background(), 0.6, 0.5)
	require.NoError(t, err)
	b, err := r.Trail(context.Background(), 0.6, 0.5)
	require.NoError(t, err)
	assert.Equal(t, a, b)
	cards := func(r *picture.Renderer) []picture.CardPicture {
		out, err := r.Cards(context.Background(), stagetest.Look, []picture.Want{{Name: "a", Ref: network.ParseRef("bands.colour")}, {Name: "b", Ref: network.ParseRef("ink.lines")}}, 48, 32, nil)
		require.NoError(t, err)
		return out
	}
	assert.Equal(t, cards(free), cards(r))
}

// Renderers under one budget keep to it together: the one that was not used for longest lets
// go, and draws the same picture anew when it is asked again.
func TestRenderersShareABudget(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48))
	net := look(t, inked)
	j := job(sc, net, 300, 200, 8)
	want := bytesOf(t, picture.NewRenderer(2), j)
	b := budget.New(16 << 20)
	all := make([]*picture.Renderer, 5)
	for i := range all {
		all[i] = picture.NewRenderer(2)
		all[i].Under(b)
		assert.Equal(t, want, bytesOf(t, all[i], j))
		assert.LessOrEqual(t, b.Used(), 16<<20)
	}
	assert.False(t, all[0].Holds())
	assert.True(t, all[4].Holds())
	_, err := all[0].Trail(context.Background(), 0.5, 0.5)
	assert.Error(t, err)
	cards, err := all[0].Cards(context.Background(), stagetest.Look, []picture.Want{{Name: "a", Ref: network.ParseRef("bands.colour")}}, 48, 32, nil)
	require.NoError(t, err)
	assert.Empty(t, cards)
	assert.Equal(t, want, bytesOf(t, all[0], j))
	for _, r := range all {
		r.Close()
		assert.Zero(t, r.Size())
	}
	assert.Zero(t, b.Used())
}

// Who wants a renderer's picture keeps the picture, not what would only make the next one
// sooner: a hand that moves needs that room.
func TestAHeldPictureStaysButNotWhatWasFoundForIt(t *testing.T) {
	sc := stagetest.Of(t, mesh.Torus(1, 0.4, 96, 48))
	j := job(sc, look(t, inked), 300, 200, 8)
	b := budget.New(16 << 20)
	held := picture.NewRenderer(2)
	held.Under(b)
	bytesOf(t, held, j)
	before := held.Size()
	want, err := held.Trail(context.Background(), 0.5, 0.5)
	require.NoError(t, err)
	done := held.Use()
	for range 3 {
		r := picture.NewRenderer(2)
		r.Under(b)
		bytesOf(t, r, j)
	}
	assert.True(t, held.Holds())
	assert.Less(t, held.Size(), before*85/100, "the rest is the picture itself")
	got, err := held.Trail(context.Background(), 0.5, 0.5)
	require.NoError(t, err)
	assert.Equal(t, want, got)
	done()
	last := picture.NewRenderer(2)
	last.Under(b)
	more := j
	more.W, more.H = 900, 600
	bytesOf(t, last, more)
	assert.False(t, held.Holds())
}

package mesh_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

func TestForms(t *testing.T) {
	m := cube()
	flat, err := m.Surface(context.Background(), mesh.Form{})
	require.NoError(t, err)
	assert.Len(t, flat.Tri, 12)
	assert.Len(t, flat.Pos, 24, "its edges are creases")
	fine, err := m.Surface(context.Background(), mesh.Form{Steps: 2, Creases: mesh.None})
	require.NoError(t, err)
	assert.Equal(t, 2, fine.Steps)
	assert.Len(t, fine.Tri, 2*6*16)
	assert.Len(t, fine.Pos, 6*16+2, "all of it is smooth")
	round, err := m.Surface(context.Background(), mesh.Form{Made: true, Angle: 100})
	require.NoError(t, err)
	assert.Len(t, round.Pos, 8, "no edge bends by more than a hundred degrees")
	none, err := m.Surface(context.Background(), mesh.Form{Made: true, Creases: mesh.None})
	require.NoError(t, err)
	assert.Len(t, none.Pos, 8)
	// Normals of the file go, if new ones are asked for.
	box := cube()
	box.Normals = []vec.V{{0, 0, 1}}
	for i := range box.Corners {
		box.Corners[i].Normal = 0
	}
	asIs, err := box.Surface(context.Background(), mesh.Form{})
	require.NoError(t, err)
	anew, err := box.Surface(context.Background(), mesh.Form{Made: true})
	require.NoError(t, err)
	assert.Len(t, asIs.Pos, 8)
	assert.Equal(t, flat.Normal, anew.Normal)
	assert.Equal(t, int32(0), box.Corners[3].Normal, "the mesh itself stays as it was")
	_, err = (&mesh.Mesh{}).Surface(context.Background(), mesh.Form{Steps: 1})
	assert.ErrorIs(t, err, mesh.ErrEmpty)
}

func TestFormsAreCheckedAndNamed(t *testing.T) {
	keys := map[string]bool{}
	for _, f := range []mesh.Form{{}, {Steps: 1}, {Steps: 4}, {Steps: 1, Creases: mesh.None}, {Steps: 1, Creases: mesh.ByFile}, {Angle: 1}, {Angle: 180}, {Made: true}} {
		assert.NoError(t, f.Check())
		assert.False(t, keys[f.Key()], "%+v", f)
		keys[f.Key()] = true
	}
	assert.Equal(t, "", mesh.Form{}.Key())
	assert.Equal(t, float64(mesh.DefaultCrease), mesh.Form{}.Crease())
	for _, f := range []mesh.Form{{Steps: -1}, {Steps: 5}, {Creases: "some"}, {Angle: 0.5}, {Angle: 180.5}, {Angle: -3}} {
		assert.Error(t, f.Check(), "%+v", f)
	}
}

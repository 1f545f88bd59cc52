// Package stagetest builds small scenes for tests.
package stagetest

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"mobanta/core/mesh"
	"mobanta/core/stage"
)

// Look is the look that all parts of a scene from Of wear.
const Look = "look"

// Of returns a scene of the meshes where they are, under one white sun from
// azimuth 0, elevation 0, seen from azimuth 0 and framed for a square picture.
func Of(t testing.TB, meshes ...*mesh.Mesh) *stage.Scene {
	t.Helper()
	st := stage.New()
	st.Lights[0].Azimuth, st.Lights[0].Elevation = 0, 0
	st.Camera.Azimuth, st.Camera.Elevation = 0, 0
	return With(t, &st, meshes...)
}

// Formed returns the scene that Of does, of meshes in a form.
func Formed(t testing.TB, form mesh.Form, meshes ...*mesh.Mesh) *stage.Scene {
	t.Helper()
	st := stage.New()
	st.Lights[0].Azimuth, st.Lights[0].Elevation = 0, 0
	st.Camera.Azimuth, st.Camera.Elevation = 0, 0
	return with(t, &st, form, meshes)
}

// With returns the scene of a stage to which the meshes have been added.
func With(t testing.TB, st *stage.Stage, meshes ...*mesh.Mesh) *stage.Scene {
	t.Helper()
	return with(t, st, mesh.Form{}, meshes)
}

func with(t testing.TB, st *stage.Stage, form mesh.Form, meshes []*mesh.Mesh) *stage.Scene {
	t.Helper()
	surfaces := map[string]*mesh.Surface{}
	for i, m := range meshes {
		s, err := m.Surface(context.Background(), form)
		require.NoError(t, err)
		id := string(rune('a' + i))
		model := stage.Model{ID: id, Name: id, File: id, Scale: 1, Looks: map[string]string{}, Form: form}
		for _, p := range m.Parts {
			model.Looks[p.Name] = Look
		}
		st.Models = append(st.Models, model)
		surfaces[id] = s
	}
	require.NoError(t, st.Check())
	sc, err := stage.NewScene(st, stage.Surfaces(func(m *stage.Model) (*mesh.Surface, error) { return surfaces[m.ID], nil }), nil)
	require.NoError(t, err)
	st.Camera = st.Camera.Frame(sc.Box, 1)
	return sc
}

// Again returns the scene after a change to its stage.
func Again(t testing.TB, sc *stage.Scene) *stage.Scene {
	t.Helper()
	out, err := stage.NewScene(sc.Stage, stage.Surfaces(func(m *stage.Model) (*mesh.Surface, error) {
		for i := range sc.Stage.Models {
			if sc.Stage.Models[i].ID == m.ID {
				return sc.Models[i].Surface, nil
			}
		}
		return nil, nil
	}), sc)
	require.NoError(t, err)
	return out
}

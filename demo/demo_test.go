package demo

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/vec"
)

func TestTheSamplesAreWhole(t *testing.T) {
	seen := map[string]bool{}
	for _, s := range Samples {
		p, files, err := s.Make()
		require.NoError(t, err)
		assert.False(t, seen[s.ID])
		require.Len(t, p.Stagings, 3, s.ID)
		assert.True(t, p.Stagings[0].Chosen && p.At(&p.Stagings[0]), "the first is the sample as it is")
		for i := range p.Stagings[1:] {
			assert.False(t, p.At(&p.Stagings[i+1]), "%s: %s differs", s.ID, p.Stagings[i+1].Name)
		}
		seen[s.ID] = true
		for _, m := range p.Stage.Models {
			if m.Blobs != nil {
				continue // made of numbers
			}
			f, ok := files[m.File]
			require.True(t, ok)
			model, err := meshfile.Read(context.Background(), f.Name, f.Data, nil)
			require.NoError(t, err, "its own files can be read back")
			assert.Len(t, m.Looks, len(model.Mesh.Parts), "%s: a look for each part", m.Name)
			for part, look := range m.Looks {
				assert.NotNil(t, p.Look(look), "%s of %s", part, m.Name)
			}
		}
		for _, l := range p.Looks {
			for _, d := range l.Nodes {
				if ids, ok := d.Set["lights"].([]string); ok {
					for _, id := range ids {
						found := false
						for _, on := range p.Stage.Lights {
							found = found || on.ID == id
						}
						assert.True(t, found, "%s of %s reads %s", d.ID, l.Name, id)
					}
				}
			}
		}
	}
}

func TestTheBuoyHasThreeLightsOneOfThemWide(t *testing.T) {
	p, _, err := Dusk()
	require.NoError(t, err)
	require.Len(t, p.Stage.Lights, 3)
	wide := 0
	for _, l := range p.Stage.Lights {
		assert.True(t, l.Shadows)
		if l.Size > 0 {
			wide++
		}
	}
	assert.Equal(t, 1, wide)
	assert.Equal(t, light.Point, p.Stage.Lights[1].Kind)
}

func TestTheFacetsFaceOutward(t *testing.T) {
	s, err := mesh.NewSurface(KeepersLamp(), mesh.DefaultCrease)
	require.NoError(t, err)
	glass := -1
	for i, p := range s.Mesh.Parts {
		if p.Name == "glass" {
			glass = i
		}
	}
	facets := 0
	for i, tri := range s.Tri {
		if s.TriPart[i] != int32(glass) {
			continue
		}
		facets++
		n := s.Pos[tri[1]].Sub(s.Pos[tri[0]]).Cross(s.Pos[tri[2]].Sub(s.Pos[tri[0]])).Unit()
		middle := s.Pos[tri[0]].Add(s.Pos[tri[1]]).Add(s.Pos[tri[2]]).Mul(1.0 / 3)
		assert.Positive(t, n.Dot(middle.Sub(vec.V{0, 1.3, 0})), "they face outward")
	}
	assert.Equal(t, 120, facets)
}

// Package shape makes the surface of a model at a moment: between the document, which names a file and what is done to
// it, and the geometry, which is triangles in their places. What it makes is kept under a key, so that a model that
// stands still is made once, whoever shows it.
package shape

import (
	"fmt"
	"slices"

	"mobanta/core/mesh"
	"mobanta/core/vec"
)

// Shape is a model at a moment, in its own space. Its triangles, parts and texture
// coordinates are those of Rest; so are its vertices, by number, so that textures that
// are laid along the places at rest do not swim.
type Shape struct {
	Rest   *mesh.Surface // as the file has it
	Pos    []vec.V       // per vertex, at the moment; those of Rest where nothing moves
	Normal []vec.V       // likewise, unit
	Key    string        // tells it from other shapes of the same surface
}

// Moved tells whether anything is elsewhere than at rest.
func (s *Shape) Moved() bool { return len(s.Pos) > 0 && &s.Pos[0] != &s.Rest.Pos[0] }

// Step is something that is done to a surface.
type Step interface {
	// Key tells what the step does at a moment, in seconds, from all else that it could
	// do; it is the same at all moments for a step that does not depend on the time.
	Key(at float64) string
	// Move returns the place of each vertex of a surface at a moment, which were at from
	// before the step.
	Move(rest *mesh.Surface, from []vec.V, at float64) ([]vec.V, error)
}

// Of returns the shape that steps make of a surface at a moment.
func Of(rest *mesh.Surface, steps []Step, at float64) (*Shape, error) {
	key := ""
	for _, s := range steps {
		key += fmt.Sprintf("%q ", s.Key(at))
	}
	made, err := rest.Keep("shape "+key, func() (any, error) {
		out := &Shape{Rest: rest, Pos: rest.Pos, Normal: rest.Normal, Key: key}
		for _, s := range steps {
			pos, err := s.Move(rest, out.Pos, at)
			if err != nil {
				return nil, fmt.Errorf("shape: %w", err)
			}
			if len(pos) != len(rest.Pos) {
				return nil, fmt.Errorf("shape: a step gives %d places for %d vertices", len(pos), len(rest.Pos))
			}
			out.Pos = rest.Together(pos)
		}
		if out.Moved() {
			out.Normal = rest.NormalsAt(out.Pos)
		}
		return out, nil
	})
	if err != nil {
		return nil, err
	}
	return made.(*Shape), nil
}

// Along is the step that moves each vertex along its normal, by a height that is given
// for it: displacement.
type Along struct {
	Name   string // tells the heights from others
	Height []float32
}

// Key implements Step.
func (a Along) Key(float64) string { return "along " + a.Name }

// Move implements Step.
func (a Along) Move(rest *mesh.Surface, from []vec.V, _ float64) ([]vec.V, error) {
	if len(a.Height) != len(from) {
		return nil, fmt.Errorf("there are %d heights for %d vertices", len(a.Height), len(from))
	}
	out := slices.Clone(from)
	normal := rest.NormalsAt(from)
	for i, h := range a.Height {
		out[i] = out[i].Add(normal[i].Mul(h))
	}
	return out, nil
}

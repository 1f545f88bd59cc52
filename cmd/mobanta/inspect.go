package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"mobanta/core/mend"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// readModel reads a model from disk with the files beside it, by meshfile.Read or ReadNear.
func readModel(ctx context.Context, name string, read func(context.Context, string, []byte, meshfile.Open) (*meshfile.Model, error)) (*meshfile.Model, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, err
	}
	if info.Size() > meshfile.MaxBytes {
		return nil, meshfile.ErrTooBig
	}
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	// A root keeps what the model names within its own folder.
	root, err := os.OpenRoot(filepath.Dir(name))
	if err != nil {
		return nil, err
	}
	defer root.Close()
	return read(ctx, filepath.Base(name), data, func(side string) ([]byte, error) {
		if info, err := root.Stat(side); err == nil && info.Size() > meshfile.MaxBytes {
			return nil, meshfile.ErrTooBig
		}
		return root.ReadFile(side)
	})
}

type partReport struct {
	Name      string `json:"name"`
	Vertices  int    `json:"vertices"`  // of the file's positions, those that the part uses
	Faces     int    `json:"faces"`     // the file's own polygons
	Triangles int    `json:"triangles"` // that the faces come to
	UV        bool   `json:"uv"`
	Normals   bool   `json:"normals"`
}

type report struct {
	Format string `json:"format"`
	Bounds struct {
		Min vec.V `json:"min"`
		Max vec.V `json:"max"`
	} `json:"bounds"`
	Parts []partReport     `json:"parts"`
	Clips []stage.FileClip `json:"clips,omitempty"` // its animations
}

func inspect(m *meshfile.Model) report {
	r := report{Format: m.Format, Parts: make([]partReport, len(m.Mesh.Parts)), Clips: meshfile.Clips(m.Mesh)}
	used := make([]map[int32]bool, len(r.Parts))
	for i, p := range m.Mesh.Parts {
		r.Parts[i] = partReport{Name: p.Name, UV: true, Normals: true}
		used[i] = map[int32]bool{}
	}
	box := vec.EmptyBox()
	for f, part := range m.Mesh.FacePart {
		p := &r.Parts[part]
		corners := m.Mesh.Face(f)
		p.Faces++
		p.Triangles += len(corners) - 2
		for _, c := range corners {
			used[part][c.Pos] = true
			box = box.Grow(m.Mesh.Positions[c.Pos])
			p.UV = p.UV && c.UV >= 0
			p.Normals = p.Normals && c.Normal >= 0
		}
	}
	for i := range r.Parts {
		r.Parts[i].Vertices = len(used[i])
	}
	r.Bounds.Min, r.Bounds.Max = box.Min, box.Max
	return r
}

func inspectCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "inspect MODEL",
		Short: "Tell what a model file holds, as JSON",
		Long: `Reads an OBJ, glTF 2.0 or GLB file, or a ZIP of one, and prints its format, bounds and parts.
Vertices and faces are the file's own: positions that the part uses, and polygons before they are cut into triangles.`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			m, err := readModel(cmd.Context(), args[0], meshfile.Read)
			if err != nil {
				return err
			}
			s, err := mesh.NewSurface(m.Mesh, mesh.DefaultCrease)
			if err != nil {
				return err
			}
			if f := mend.FaultsOf(s); f.Kinds() != 0 {
				m.Notes = append(m.Notes, fmt.Sprintf("its faces have %s: render --mend mends that", f))
			}
			for _, n := range m.Notes {
				fmt.Fprintln(cmd.ErrOrStderr(), "mobanta: note:", n)
			}
			enc := json.NewEncoder(cmd.OutOrStdout())
			enc.SetIndent("", "  ")
			return enc.Encode(inspect(m))
		},
	}
}

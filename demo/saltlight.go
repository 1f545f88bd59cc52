package demo

import (
	"bytes"
	"embed"
	"fmt"

	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

//go:embed looks/*.json
var looks embed.FS

// Saltlight returns the sample project and the files of its models by hash.
func Saltlight() (*project.Project, map[string]exchange.File, error) {
	p := project.New("Saltlight")
	p.Looks = nil
	for _, l := range []struct{ id, file string }{{"copper", "looks/copper.json"}, {"iron", "looks/iron.json"}} {
		data, err := looks.ReadFile(l.file)
		if err != nil {
			return nil, nil, fmt.Errorf("demo: %w", err)
		}
		f, err := exchange.ReadLook(bytes.NewReader(data))
		if err != nil {
			return nil, nil, fmt.Errorf("demo: %s: %w", l.file, err)
		}
		p.Looks = append(p.Looks, project.Look{ID: l.id, Name: f.Name, Network: f.Network})
	}
	files := map[string]exchange.File{}
	for _, m := range []struct {
		id, name, file string
		mesh           *mesh.Mesh
		look           func(part string) string
	}{
		{"kettle", "Kettle", "kettle.obj", Kettle(), func(part string) string {
			if part == "handle" {
				return "iron"
			}
			return "copper"
		}},
		{"plate", "Stove plate", "stove-plate.obj", StovePlate(), func(string) string { return "iron" }},
	} {
		var buf bytes.Buffer
		if err := meshfile.WriteOBJ(&buf, m.mesh); err != nil {
			return nil, nil, err
		}
		hash := exchange.Hash(buf.Bytes())
		files[hash] = exchange.File{Name: m.file, Data: buf.Bytes()}
		model := stage.Model{ID: m.id, Name: m.name, File: hash, Scale: 1, Looks: map[string]string{}}
		for _, part := range m.mesh.Parts {
			model.Looks[part.Name] = m.look(part.Name)
		}
		p.Stage.Models = append(p.Stage.Models, model)
	}
	p.Stage.Lights = []stage.Light{{Kind: light.Sun, ID: "key", Name: "Key sun", Azimuth: -52, Elevation: 47, Strength: 1, Color: color.C{1, 1, 1}, Shadows: true}}
	p.Stage.Camera = stage.Camera{Azimuth: 14, Elevation: 17, Target: vec.V{0, 0.62, 0}, Distance: 9.4, Angle: 24}
	p.Swatches = []project.Swatch{
		{ID: "copper", Name: "Copper", Color: color.MustHex("#D4843F")},
		{ID: "lamplight", Name: "Lamplight", Color: color.MustHex("#F8D79B")},
		{ID: "night", Name: "Night ink", Color: color.MustHex("#1A1B24")},
		{ID: "harbour", Name: "Harbour", Color: color.MustHex("#26414D")},
	}
	for _, l := range p.Looks {
		if err := l.Network.Follow(p.Catalogue(), "ink", "colour", "night", color.MustHex("#1A1B24")); err != nil {
			return nil, nil, fmt.Errorf("demo: %w", err)
		}
	}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#26414D")}
	return p, files, p.Settle()
}

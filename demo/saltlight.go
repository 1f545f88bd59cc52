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
	"mobanta/core/move"
	"mobanta/core/network"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
	"mobanta/recipes"
)

//go:embed looks/*.json
var looks embed.FS

// Sample is a sample project.
type Sample struct {
	ID   string
	Make func() (*project.Project, map[string]exchange.File, error)
}

// Samples lists the sample projects; the first is the one that the studio opens.
var Samples = []Sample{{"saltlight", withStagings("saltlight", Saltlight)}, {"bell-buoy", withStagings("bell-buoy", Dusk)}, {"keepers-lamp", withStagings("keepers-lamp", Lamp)}, {"the-keeper", withStagings("the-keeper", Keep)}, {"comic-page", withStagings("comic-page", ComicPage)}, {"printed-buoy", withStagings("printed-buoy", Printed)}, {"harbour", withStagings("harbour", InPen)}, {"signal-flare", withStagings("signal-flare", Flare)}}

// prop is a model of a sample, and which look its parts wear.
type prop struct {
	id, name string
	mesh     *mesh.Mesh
	looks    map[string]string // part → look; "" for those that are not named
	at, turn vec.V
}

// assemble makes a project of looks, by their files, and props, and returns the
// files of its models by hash. Ink is the swatch that all nodes named ink follow.
func assemble(name string, wear []string, props []prop, ink string) (*project.Project, map[string]exchange.File, error) {
	p := project.New(name)
	p.Looks, p.Stage.Lights = nil, nil
	for _, id := range wear {
		f, err := lookFile(id)
		if err != nil {
			return nil, nil, fmt.Errorf("demo: %s: %w", id, err)
		}
		p.Looks, p.Groups = append(p.Looks, project.Look{ID: id, Name: f.Name, Network: f.Network}), append(p.Groups, f.Groups...)
	}
	files := map[string]exchange.File{}
	for _, m := range props {
		var buf bytes.Buffer
		write, ending := meshfile.WriteOBJ, ".obj"
		if m.mesh.Motion != nil {
			write, ending = meshfile.WriteGLB, ".glb"
		}
		if err := write(&buf, m.mesh); err != nil {
			return nil, nil, err
		}
		hash := exchange.Hash(buf.Bytes())
		files[hash] = exchange.File{Name: m.id + ending, Data: buf.Bytes()}
		model := stage.Model{ID: m.id, Name: m.name, File: hash, Scale: 1, At: m.at, Turn: m.turn, Looks: map[string]string{}, Clips: meshfile.Clips(m.mesh)}
		if len(model.Clips) > 0 {
			model.Clip.Name = model.Clips[0].Name
		}
		for _, part := range m.mesh.Parts {
			look := m.looks[part.Name]
			if look == "" {
				look = m.looks[""]
			}
			model.Looks[part.Name] = look
		}
		p.Stage.Models = append(p.Stage.Models, model)
	}
	p.Swatches = append(p.Swatches, project.Swatch{ID: "night", Name: "Night ink", Color: color.MustHex(ink)})
	for _, l := range p.Looks {
		if d := l.Network.Node("ink"); d == nil || len(d.In["colour"].Wires) > 0 {
			continue
		}
		if err := l.Network.Follow(p.Catalogue(), "ink", "colour", "night", color.MustHex(ink)); err != nil {
			return nil, nil, fmt.Errorf("demo: %w", err)
		}
	}
	return p, files, nil
}

// lookFile returns a look of the samples' own, or the starting point of that id.
func lookFile(id string) (*exchange.LookFile, error) {
	r, err := recipes.Find(id)
	if err != nil {
		return nil, err
	}
	if r != nil {
		return r.File, nil
	}
	data, err := looks.ReadFile("looks/" + id + ".json")
	if err != nil {
		return nil, err
	}
	return exchange.ReadLook(bytes.NewReader(data))
}

// Saltlight returns the first sample, the kettle on the keeper's stove.
func Saltlight() (*project.Project, map[string]exchange.File, error) {
	p, files, err := assemble("Saltlight", []string{"copper", "iron"}, []prop{
		{id: "kettle", name: "Kettle", mesh: Kettle(), looks: map[string]string{"": "copper", "handle": "iron"}},
		{id: "plate", name: "Stove plate", mesh: StovePlate(), looks: map[string]string{"": "iron"}},
	}, "#1A1B24")
	if err != nil {
		return nil, nil, err
	}
	key := stage.NewLight("key", "Key sun", light.Sun)
	key.Azimuth, key.Elevation = -52, 47
	p.Stage.Lights = []stage.Light{key}
	p.Stage.Camera = stage.Camera{Azimuth: 14, Elevation: 17, Target: vec.V{0, 0.62, 0}, Distance: 9.4, Angle: 24}
	p.Swatches = append([]project.Swatch{
		{ID: "copper", Name: "Copper", Color: color.MustHex("#D4843F")},
		{ID: "lamplight", Name: "Lamplight", Color: color.MustHex("#F8D79B")}}, append(p.Swatches,
		project.Swatch{ID: "harbour", Name: "Harbour", Color: color.MustHex("#26414D")})...)
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#26414D")}
	return p, files, p.Settle()
}

// Dusk returns the bell buoy at dusk under three lights: the last of the sun, a
// torch in a boat, wide enough for soft shadows, and a lamp on the pier behind.
func Dusk() (*project.Project, map[string]exchange.File, error) {
	tilt := vec.V{4, 0, -7}
	p, files, err := assemble("Bell buoy at dusk", []string{"hull-paint", "pale-paint", "bell-bronze", "dusk-iron", "swell"}, []prop{
		{id: "buoy", name: "Bell buoy", mesh: BellBuoy(), looks: map[string]string{"": "hull-paint", "band": "pale-paint", "lantern": "pale-paint", "bell": "bell-bronze", "cage": "dusk-iron", "clapper": "dusk-iron"}, turn: tilt},
		{id: "water", name: "Swell", mesh: Swell(), looks: map[string]string{"": "swell"}},
	}, "#15131F")
	if err != nil {
		return nil, nil, err
	}
	sun := stage.NewLight("sun", "Last sun", light.Sun)
	sun.Azimuth, sun.Elevation, sun.Color = -68, 17, color.MustHex("#FFB36B")
	torch := stage.NewLight("torch", "Boat torch", light.Point)
	torch.At, torch.Reach, torch.Size, torch.Strength, torch.Color = vec.V{2.1, 1.25, 2.6}, 2.4, 0.22, 0.42, color.MustHex("#FFD98A")
	pier := stage.NewLight("pier", "Pier lamp", light.Point)
	pier.At, pier.Reach, pier.Strength, pier.Color = vec.V{5.5, 4.2, -5}, 8, 0.9, color.MustHex("#7FC4D6")
	p.Stage.Lights = []stage.Light{sun, torch, pier}
	p.Stage.Camera = stage.Camera{Azimuth: 12, Elevation: 11, Target: vec.V{0, 1.15, 0}, Distance: 13, Angle: 22}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#4A3A5C")}
	return p, files, p.Settle()
}

// Lamp returns the lamp with faceted glass, whose glints flash as it turns.
func Lamp() (*project.Project, map[string]exchange.File, error) {
	p, files, err := assemble("Keeper's lamp", []string{"faceted-glass", "brass"}, []prop{
		{id: "lamp", name: "Lamp", mesh: KeepersLamp(), looks: map[string]string{"": "brass", "glass": "faceted-glass"}},
	}, "#1A1B24")
	if err != nil {
		return nil, nil, err
	}
	key := stage.NewLight("key", "Key sun", light.Sun)
	key.Azimuth, key.Elevation = -38, 40
	side := stage.NewLight("side", "Window", light.Rectangle)
	side.Azimuth, side.Elevation, side.Strength, side.Color = 74, 18, 0.6, color.MustHex("#BFE0FF")
	side.At, side.Size, side.Height, side.Reach = vec.Direction(74, 18).Mul(6).Add(vec.V{0, 1.3, 0}), 2, 3, 6
	p.Stage.Lights = []stage.Light{key, side}
	p.Stage.Camera = stage.Camera{Azimuth: 16, Elevation: 9, Target: vec.V{0, 1.5, 0}, Distance: 10, Angle: 23}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#2B2D38")}
	// It turns once, slowly: each facet comes before the light in its turn.
	p.Moves = []move.Move{{ID: "move1", Of: move.Of{What: "model", ID: "lamp", Key: "turny"}, From: move.Value{0}, To: move.Value{0}, Way: move.Round}}
	p.Stage.Time.Length = 6
	return p, files, p.Settle()
}

// bakedDial is what the dial's look comes to over its texture coordinates; scripts/handover makes it.
//
//go:embed baked/dial.png
var bakedDial []byte

// Keep returns the octopus who keeps the lamp, on the jetty, between posts of driftwood.
func Keep() (*project.Project, map[string]exchange.File, error) {
	p, files, err := assemble("The keeper", []string{"octopus-skin", "wool", "oilskin", "keepers-eye", "driftwood", "deck", "compass-dial"}, []prop{
		{id: "keeper", name: "Keeper", mesh: WavingKeeper(), looks: map[string]string{"": "octopus-skin", "eyes": "keepers-eye", "pupils": "keepers-eye", "cap": "wool", "brim": "wool", "bobble": "wool", "coat": "oilskin", "buttons": "oilskin"}},
		{id: "jetty", name: "Jetty", mesh: Jetty(), looks: map[string]string{"": "deck", "post one": "driftwood", "post two": "driftwood", "post three": "driftwood"}},
		{id: "dial", name: "Dial", mesh: Dial(), looks: map[string]string{"": "compass-dial"}, at: vec.V{-1.45, 0.62, 2.0}, turn: vec.V{58, 12, 0}},
	}, "#2A1A26")
	if err != nil {
		return nil, nil, err
	}
	sun := stage.NewLight("sun", "Morning sun", light.Sun)
	sun.Azimuth, sun.Elevation = -46, 42
	p.Stage.Lights = []stage.Light{sun}
	p.Stage.Camera = stage.Camera{Azimuth: 16, Elevation: 17, Target: vec.V{0, 1.1, 0.2}, Distance: 13, Angle: 22}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#8FB3B5")}
	p.Stage.Time.Length = 2 // as long as the keeper waves
	// The dial as it was baked, which a staging wears.
	hash := exchange.Hash(bakedDial)
	files[hash] = exchange.File{Name: "dial.png", Data: bakedDial}
	p.Looks = append(p.Looks, project.Look{ID: "dial-baked", Name: "Compass dial, baked", Network: network.Network{Nodes: []network.Node{
		{ID: "picture", Kind: "image", Set: map[string]any{"picture": hash}},
		{ID: "end", Kind: network.FinishKind, In: map[string]network.Input{"colour": {Wires: []network.Ref{{Node: "picture", Port: "colour"}}}}}}}})
	return p, files, p.Settle()
}

package demo

import (
	"mobanta/core/blob"
	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/finish"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/move"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// FlareTube returns the signal flare without its fire, 1.6 high: a tube with a grip, a ring and a cord.
func FlareTube() *mesh.Mesh {
	m := &mesh.Mesh{}
	add(m, "tube", "#B33A2B", mesh.Lathe("", []vec.V{{0, 0.5, 0}, {0.2, 0.5, 0}, {0.2, 1.52, 0}, {0.17, 1.52, 0}, {0.15, 1.44, 0}, {0, 1.44, 0}}, 96))
	grip := []vec.V{{0, -0.02, 0}, {0.2, -0.02, 0}}
	grip = append(grip, curve(40, vec.V{0.25, 0.03, 0}, vec.V{0.25, 0.2, 0}, vec.V{0.22, 0.34, 0}, vec.V{0.25, 0.48, 0}, vec.V{0.23, 0.54, 0})...)
	add(m, "grip", "#4A3B34", mesh.Lathe("", append(grip, vec.V{0, 0.54, 0}), 96))
	band := &mesh.Mesh{}
	band.Join(mesh.Torus(0.205, 0.028, 96, 20), vec.Place(vec.V{0, 1.1, 0}, vec.V{}, 1))
	band.Join(mesh.Torus(0.205, 0.028, 96, 20), vec.Place(vec.V{0, 0.78, 0}, vec.V{}, 1))
	add(m, "bands", "#E7DEC8", band)
	return m
}

// Flare returns the signal flare burning at night: a spring of blobs for its fire, another for its smoke, and the light
// that it throws, which flickers.
func Flare() (*project.Project, map[string]exchange.File, error) {
	p, files, err := assemble("Signal flare", []string{"flare-fire", "flare-smoke", "flare-tube", "flare-post"}, []prop{
		{id: "tube", name: "Flare", mesh: FlareTube(), looks: map[string]string{"": "flare-tube"}, at: vec.V{0, -1.5, 0}},
		{id: "post", name: "Post", mesh: driftPost(), looks: map[string]string{"": "flare-post"}, at: vec.V{-1.35, -1.5, -0.7}},
	}, "#140F1C")
	if err != nil {
		return nil, nil, err
	}
	fire := blob.Flame()
	fire.At, fire.Size, fire.Rate, fire.Life, fire.Rise, fire.Spread, fire.Sway = vec.V{0, 0.02, 0}, 0.34, 24, 0.95, 1.5, 0.1, 0.2
	smoke := blob.Smoke()
	smoke.At, smoke.Size, smoke.Rise, smoke.Rate, smoke.Life, smoke.Seed = vec.V{0.04, 0.85, -0.3}, 0.24, 0.75, 8, 2, 5
	p.Stage.Models = append(p.Stage.Models,
		stage.Model{ID: "fire", Name: "Fire", Scale: 1, Blobs: &blob.Blobs{Spring: fire, Detail: 26}, Looks: map[string]string{"Blobs": "flare-fire"}},
		stage.Model{ID: "smoke", Name: "Smoke", Scale: 1, Blobs: &blob.Blobs{Spring: smoke, Detail: 16, Melt: 0.5}, Looks: map[string]string{"Blobs": "flare-smoke"}})
	glow := stage.NewLight("flame", "Firelight", light.Point)
	glow.At, glow.Reach, glow.Strength, glow.Color, glow.Size, glow.Shadows = vec.V{0.15, 0.6, 0.8}, 2.1, 1, color.MustHex("#FF9A4A"), 0, true
	glow.Parts = []string{stage.PartID("tube", "tube"), stage.PartID("tube", "grip"), stage.PartID("tube", "bands"), stage.PartID("post", "post")}
	moon := stage.NewLight("moon", "Moon", light.Sun)
	moon.Azimuth, moon.Elevation, moon.Strength, moon.Color = 130, 35, 0.42, color.MustHex("#8FB4E0")
	p.Stage.Lights = []stage.Light{glow, moon}
	p.Stage.Camera = stage.Camera{Azimuth: 8, Elevation: 4, Target: vec.V{-0.35, 0.3, 0}, Distance: 10, Angle: 23}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#2A2440"), Course: stage.Upward, Other: color.MustHex("#0E1020")}
	p.Stage.Glow = finish.Glow{On: true, Threshold: 0.12, Radius: 55, Strength: 0.75, Tint: color.MustHex("#FF8A3C"), Looks: []string{"flare-fire"}, Around: true}
	p.Stage.Time = stage.Time{Length: 2, Rate: 12}
	p.Moves = []move.Move{
		{ID: "move1", Of: move.Of{What: "light", ID: "flame", Key: "strength"}, From: move.Value{0.36}, To: move.Value{0.55}, Way: move.Drawn, Times: 2,
			Curve: []move.Point{{X: 0, Y: 0.4}, {X: 0.15, Y: 1}, {X: 0.32, Y: 0.2}, {X: 0.5, Y: 0.8}, {X: 0.68, Y: 0}, {X: 0.85, Y: 0.7}, {X: 1, Y: 0.4}}},
		{ID: "move2", Of: move.Of{What: "light", ID: "flame", Key: "at"}, From: move.Value{0.08, 0.55, 0.8}, To: move.Value{0.22, 0.68, 0.8}, Times: 2},
	}
	return p, files, p.Settle()
}

// driftPost is the last of the posts of the jetty, by itself, standing on the XZ plane.
func driftPost() *mesh.Mesh {
	m := &mesh.Mesh{}
	jetty := Jetty()
	part := int32(len(jetty.Parts) - 1)
	at := map[int32]int32{}
	m.AddPart("post", jetty.Parts[part].Color)
	for f, of := range jetty.FacePart {
		if of != part {
			continue
		}
		var corners []mesh.Corner
		for _, c := range jetty.Face(f) {
			k, ok := at[c.Pos]
			if !ok {
				k = int32(len(m.Positions))
				at[c.Pos] = k
				m.Positions = append(m.Positions, jetty.Positions[c.Pos].Sub(vec.V{2.2, 0, -2.6}))
			}
			corners = append(corners, mesh.Corner{Pos: k, UV: -1, Normal: -1})
		}
		m.AddFace(0, corners...)
	}
	return m
}

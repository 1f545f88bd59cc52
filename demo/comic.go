package demo

import (
	"mobanta/core/color"
	"mobanta/core/exchange"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/press"
	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// Bell returns the buoy's bell by itself, about 1.6 high, hanging from a hook.
func Bell() *mesh.Mesh {
	m := &mesh.Mesh{}
	bell := []vec.V{{0, 0.16, 0}, {0.52, 0.1, 0}, {0.74, 0.02, 0}}
	bell = append(bell, curve(56, vec.V{0.74, 0.02, 0}, vec.V{0.77, 0.1, 0}, vec.V{0.6, 0.42, 0}, vec.V{0.48, 0.86, 0}, vec.V{0.4, 1.18, 0}, vec.V{0.18, 1.38, 0})[1:]...)
	bell = append(bell, vec.V{0.1, 1.42, 0}, vec.V{0.1, 1.5, 0}, vec.V{0, 1.5, 0})
	add(m, "bell", "#C08A3C", mesh.Lathe("", bell, 192))
	band := &mesh.Mesh{}
	band.Join(mesh.Torus(0.615, 0.035, 160, 20), vec.Place(vec.V{0, 0.4, 0}, vec.V{}, 1))
	add(m, "band", "#C08A3C", band)
	clapper := append([]vec.V{{0, -0.24, 0}}, curve(24, vec.V{0, -0.24, 0}, vec.V{0.15, -0.18, 0}, vec.V{0.16, -0.04, 0}, vec.V{0.05, 0.08, 0}, vec.V{0.04, 0.3, 0})[1:]...)
	add(m, "clapper", "#3E4650", mesh.Lathe("", clapper, 96))
	hook := &mesh.Mesh{}
	hook.Join(mesh.Torus(0.16, 0.05, 64, 20), vec.Place(vec.V{0, 1.62, 0}, vec.V{90, 0, 0}, 1))
	add(m, "hook", "#3E4650", hook)
	return m
}

// Panels returns three boards side by side, facing +Z, for the pictures of a comic page to stand
// before: each 3 wide and 4.4 high, about the middle of the XY plane.
func Panels() *mesh.Mesh {
	m := &mesh.Mesh{}
	for k, c := range []string{"#F3D9A4", "#F6F1E3", "#BFD8D2"} {
		board := &mesh.Mesh{}
		board.Join(mesh.Cuboid(vec.V{3, 4.4, 0.1}), vec.Place(vec.V{float32(k-1) * 3.2, 0, 0}, vec.V{}, 1))
		add(m, []string{"panel one", "panel two", "panel three"}[k], c, board)
	}
	paint(m)
	return m
}

// ComicPage returns a page of the comic: the kettle with dots in its shadows, the bell hatched in ink,
// the octopus stippled.
func ComicPage() (*project.Project, map[string]exchange.File, error) {
	p, files, err := assemble("Comic page", []string{"dotted-copper", "dotted-iron", "hatched-bell", "stippled-skin", "stippled-cloth", "panel"}, []prop{
		{id: "kettle", name: "Kettle", mesh: Kettle(), looks: map[string]string{"": "dotted-copper", "handle": "dotted-iron"}, at: vec.V{-3.36, -1.0, 1.7}, turn: vec.V{14, -10, 0}},
		{id: "bell", name: "Bell", mesh: Bell(), looks: map[string]string{"": "hatched-bell"}, at: vec.V{-0.05, -1.0, 1.2}, turn: vec.V{10, 0, 8}},
		{id: "keeper", name: "Keeper", mesh: Keeper(), looks: map[string]string{"": "stippled-skin", "eyes": "stippled-cloth", "pupils": "stippled-cloth", "cap": "stippled-cloth", "brim": "stippled-cloth", "bobble": "stippled-cloth", "coat": "stippled-cloth", "buttons": "stippled-cloth"}, at: vec.V{3.2, -1.35, 2}, turn: vec.V{14, -8, 0}},
		{id: "panels", name: "Panels", mesh: Panels(), looks: map[string]string{"": "panel"}},
	}, "#1A1B24")
	if err != nil {
		return nil, nil, err
	}
	for i, s := range []float32{0.86, 1.35, 0.7} {
		p.Stage.Models[i].Scale = s
	}
	key := stage.NewLight("key", "Key sun", light.Sun)
	key.Azimuth, key.Elevation = -48, 46
	p.Stage.Lights = []stage.Light{key}
	p.Stage.Camera = stage.Camera{Distance: 20, Angle: 18.6, Ortho: true}
	p.Stage.Backdrop = stage.Backdrop{Color: color.MustHex("#FBF8EF")}
	return p, files, p.Settle()
}

// Printed returns the bell buoy in three spot inks, slightly out of register.
func Printed() (*project.Project, map[string]exchange.File, error) {
	p, files, err := Dusk()
	if err != nil {
		return nil, nil, err
	}
	p.Name = "Buoy in three inks"
	p.Stage.Press = press.New(press.Sets[1])
	k := &p.Stage.Press
	k.Slip, k.Rough, k.Tooth, k.Gain = 2.2, 0.25, 0.25, 0.06
	for i, d := range []float64{72, 72, 84} {
		k.Inks[i].Density = d
	}
	p.Stage.Backdrop.Color = color.MustHex("#F2B48C")
	return p, files, p.Settle()
}

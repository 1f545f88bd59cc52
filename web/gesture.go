package web

import (
	"errors"
	"math"

	"mobanta/core/project"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// gesture returns the edit that a movement of the hand stands for, from the
// stage as it was when the hand went down.
func gesture(st *stage.Stage, m said) (project.Edit, error) {
	for _, f := range [4]float64{m.X, m.Y, m.X0, m.Y0} {
		if !(math.Abs(f) < 1e4) {
			return project.Edit{}, errors.New("the hand is nowhere")
		}
	}
	dx, dy := m.X-m.X0, m.Y-m.Y0
	c := st.Camera
	view := c.View(1000, 1000)
	camera := func(fields map[string]any) (project.Edit, error) {
		return project.Edit{Op: "camera.set", Value: fields}, nil
	}
	switch m.Tool {
	case "turn":
		return camera(map[string]any{"azimuth": math.Mod(c.Azimuth-dx*200, 360), "elevation": c.Elevation + dy*200})
	case "pan":
		reach := 2 * float64(c.Distance) * math.Tan(float64(c.Angle)*math.Pi/360) // height of the picture at the target
		t := c.Target.Sub(view.Right.Mul(float32(dx * reach))).Add(view.Up.Mul(float32(dy * reach)))
		return camera(map[string]any{"target": []any{float64(t[0]), float64(t[1]), float64(t[2])}})
	case "zoom":
		return camera(map[string]any{"distance": max(1e-4, min(1e8, float64(c.Distance)*math.Exp(dy*2)))})
	case "ball":
		// The light stands over the place on the ball under the pointer; beyond the
		// ball's edge it comes from behind. x and y run from -1 to 1 over the ball.
		r := math.Hypot(m.X, m.Y)
		z := 0.0
		switch {
		case r < 1:
			z = math.Sqrt(1 - r*r)
		default:
			z = -min(1, r-1)
		}
		return sunEdit(m.Sun, view, m.X, -m.Y, z)
	case "light":
		// Across the whole picture, as if it were one large ball; the middle is
		// where the camera stands.
		x, y := (m.X-m.X0)*1.6, (m.Y-m.Y0)*1.6
		for _, s := range st.Suns {
			if s.ID == m.Sun {
				d := vec.Direction(s.Azimuth, s.Elevation)
				d = vec.V{d.Dot(view.Right), d.Dot(view.Up), d.Dot(view.Back)}
				az, el := vec.Angles(d)
				e := vec.Direction(az+x*90, max(-89, min(89, el-y*90)))
				return sunEdit(m.Sun, view, float64(e[0]), float64(e[1]), float64(e[2]))
			}
		}
		return project.Edit{}, errors.New("there is no sun to move")
	}
	return project.Edit{}, errors.New("there is no such tool")
}

// sunEdit points a sun along a direction in the space of the camera.
func sunEdit(sun string, view stage.View, x, y, z float64) (project.Edit, error) {
	d := view.Right.Mul(float32(x)).Add(view.Up.Mul(float32(y))).Add(view.Back.Mul(float32(z)))
	return project.Edit{Op: "sun.set", ID: sun, Key: "direction", Value: []any{float64(d[0]), float64(d[1]), float64(d[2])}}, nil
}

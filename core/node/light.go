package node

import (
	"slices"

	"mobanta/core/network"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

// lightSettings are shared by all nodes that read the lights.
func lightSettings() []network.Setting {
	return []network.Setting{
		{Key: "lights", Name: "Lights", Type: network.Lights, Default: []string{}, Help: "None picked: all lights of the stage."},
		{Key: "combine", Name: "Several lights", Type: network.Choice, Default: "sum", Choices: []network.Option{{Key: "sum", Name: "Sum"}, {Key: "brightest", Name: "Brightest"}},
			Help: "Sum adds them up; brightest keeps the strongest at each point, so that bands of two lights do not mix."},
		{Key: "shadows", Name: "Cast shadows", Type: network.Toggle, Default: false, Help: "Whether models stand in each other's light."},
	}
}

type lightData struct {
	picked    []string
	brightest bool
	shadows   bool
	amount    float32 // the reading's own setting
}

func prepareLight(get func(string) any, amount float64) lightData {
	return lightData{picked: get("lights").([]string), brightest: get("combine") == "brightest", shadows: get("shadows").(bool), amount: float32(amount)}
}

func lightShadow(data any) bool { return data.(lightData).shadows }

// lights returns the lights that are read.
func (d *lightData) lights(all []stage.Light) []stage.Light {
	if len(d.picked) == 0 {
		return all
	}
	var out []stage.Light
	for _, l := range all {
		if slices.Contains(d.picked, l.ID) {
			out = append(out, l)
		}
	}
	return out
}

// read runs over the lights and gathers, into c.Out, tone and colour. For each
// light, response fills share with the part of its strength that each sample
// gets; where that is 0 or less no shadow ray is asked for.
func (d *lightData) read(c *Call, response func(l *stage.Light, share Plane)) {
	tone, col := c.Out[0], c.Out[1]
	for _, out := range c.Out {
		for _, p := range out {
			clear(p)
		}
	}
	var room [512]float32
	share := Plane(room[:])
	if c.N > len(share) {
		share = make(Plane, c.N)
	}
	share = share[:c.N]
	var best Plane
	if d.brightest {
		best = make(Plane, c.N)
	}
	lights := d.lights(c.Scene.Lights)
	for li := range lights {
		l := &lights[li]
		response(l, share)
		if d.shadows && l.Shadows && c.Scene.Tracer != nil {
			c.shadow(l.Dir, share)
		}
		if d.brightest {
			// Where this light is not the strongest so far it adds nothing; where it
			// is, what was there goes.
			for i, r := range share {
				t := max(0, r) * l.Strength
				share[i] = 0
				if t > best[i] {
					best[i], share[i] = t, r
					for _, out := range c.Out {
						for _, p := range out {
							p[i] = 0
						}
					}
				}
			}
		}
		if tone != nil {
			gather(tone[0], share, l.Strength)
		}
		for k := range col {
			gather(col[k], share, l.Color[k])
		}
	}
}

func gather(out, share Plane, strength float32) {
	share = share[:len(out)]
	for i := range out {
		out[i] += max(0, share[i]) * strength
	}
}

// shadow sets the share of samples that the light from dir does not reach to 0.
func (c *Call) shadow(dir vec.V, share Plane) {
	sun := c.Scene.Tracer.Sun(dir)
	shade := c.Set.Shade(dir)[c.Lo : c.Lo+c.N]
	for i, r := range share {
		if r <= 0 {
			continue
		}
		if shade[i] == 0 {
			shade[i] = 1
			if sun.Hidden(c.lifted(i)) {
				shade[i] = 2
			}
		}
		if shade[i] == 2 {
			share[i] = 0
		}
	}
}

// lifted returns the place from which sample i looks for its lights: on the
// rounded surface that the normals describe instead of the flat triangle, and a
// hair above it, so that facets throw no shadow on themselves (Hanika 2021).
func (c *Call) lifted(i int) vec.V {
	s := c.Lo + i
	px, py, pz := c.Set.Pos[0][s], c.Set.Pos[1][s], c.Set.Pos[2][s]
	nx, ny, nz := c.Set.Norm[0][s], c.Set.Norm[1][s], c.Set.Norm[2][s]
	t := &c.Scene.Tri[c.Set.Tri[s]]
	a, b, e := &c.Scene.Pos[t[0]], &c.Scene.Pos[t[1]], &c.Scene.Pos[t[2]]
	ux, uy, uz := b[0]-a[0], b[1]-a[1], b[2]-a[2]
	vx, vy, vz := e[0]-a[0], e[1]-a[1], e[2]-a[2]
	wx, wy, wz := px-a[0], py-a[1], pz-a[2]
	fx, fy, fz := uy*vz-uz*vy, uz*vx-ux*vz, ux*vy-uy*vx
	lift := c.Scene.Size * 2e-5
	x, y, z := px+nx*lift, py+ny*lift, pz+nz*lift
	area := fx*fx + fy*fy + fz*fz
	if !(area > 0) {
		return vec.V{x, y, z}
	}
	w1 := ((wy*vz-wz*vy)*fx + (wz*vx-wx*vz)*fy + (wx*vy-wy*vx)*fz) / area
	w2 := ((uy*wz-uz*wy)*fx + (uz*wx-ux*wz)*fy + (ux*wy-uy*wx)*fz) / area
	side := float32(1)
	if fx*nx+fy*ny+fz*nz < 0 {
		side = -1
	}
	for k, w := range [3]float32{1 - w1 - w2, w1, w2} {
		v, n := &c.Scene.Pos[t[k]], &c.Scene.Normal[t[k]]
		below := ((px-v[0])*n[0] + (py-v[1])*n[1] + (pz-v[2])*n[2]) * side
		if below < 0 {
			below *= w * side
			x, y, z = x-n[0]*below, y-n[1]*below, z-n[2]*below
		}
	}
	return vec.V{x, y, z}
}

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

// read runs over the lights and gathers what response gives for each sample, a
// share of the light's strength, into c.Out: tone and colour. A response of 0
// asks for no shadow ray.
func (d *lightData) read(c *Call, response func(i int, l *stage.Light) float32) {
	tone, col := c.Out[0][0], c.Out[1]
	clear(tone)
	for k := range col {
		clear(col[k])
	}
	for _, l := range d.lights(c.Scene.Lights) {
		trace := d.shadows && l.Shadows && c.Scene.Tracer != nil
		for i := range tone {
			r := response(i, &l)
			if r <= 0 || trace && c.shadowed(i, l.Dir) {
				continue
			}
			t := r * l.Strength
			if !d.brightest {
				tone[i] += t
				col[0][i] += r * l.Color[0]
				col[1][i] += r * l.Color[1]
				col[2][i] += r * l.Color[2]
			} else if t > tone[i] {
				tone[i] = t
				col[0][i], col[1][i], col[2][i] = r*l.Color[0], r*l.Color[1], r*l.Color[2]
			}
		}
	}
}

// shadowed tells whether something stands between sample i and the light. The
// ray starts from the rounded surface that the normals describe instead of the
// flat triangle, so that facets throw no shadow on themselves (Hanika 2021).
func (c *Call) shadowed(i int, dir vec.V) bool {
	s := c.Lo + i
	p := vec.V{c.Set.Pos[0][s], c.Set.Pos[1][s], c.Set.Pos[2][s]}
	n := vec.V{c.Set.Norm[0][s], c.Set.Norm[1][s], c.Set.Norm[2][s]}
	t := c.Scene.Tri[c.Set.Tri[s]]
	a := c.Scene.Pos[t[0]]
	ab, ac, ap := c.Scene.Pos[t[1]].Sub(a), c.Scene.Pos[t[2]].Sub(a), p.Sub(a)
	flat := ab.Cross(ac)
	if area := flat.Dot(flat); area > 0 {
		var w [3]float32
		w[1] = ap.Cross(ac).Dot(flat) / area
		w[2] = ab.Cross(ap).Dot(flat) / area
		w[0] = 1 - w[1] - w[2]
		side := float32(1)
		if flat.Dot(n) < 0 {
			side = -1
		}
		lift := vec.V{}
		for k, v := range t {
			vn := c.Scene.Normal[v]
			if below := p.Sub(c.Scene.Pos[v]).Dot(vn) * side; below < 0 {
				lift = lift.Sub(vn.Mul(below * w[k] * side))
			}
		}
		p = p.Add(lift)
	}
	return c.Scene.Tracer.Occluded(p.Add(n.Mul(c.Scene.Size*2e-5)), dir, 1e30)
}

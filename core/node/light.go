package node

import (
	"context"
	"math"
	"slices"

	"mobanta/core/color"
	"mobanta/core/light"
	"mobanta/core/network"
	"mobanta/core/sample"
	"mobanta/core/shade"
	"mobanta/core/vec"
)

// lit is what all nodes that read the lights need from the samples.
const lit = sample.Pos | sample.Normal | sample.Eye

// normalInput is the input for a normal other than the surface's own.
func normalInput() network.Port {
	return network.Port{Key: "normal", Name: "normal", Type: network.Vector, Hidden: true, Unit: true, Help: "Unwired: the surface's own."}
}

func toneAndColor() []network.Port {
	return []network.Port{{Key: "tone", Name: "tone", Type: network.Tone}, {Key: "colour", Name: "colour", Type: network.Color}}
}

// whichLights are the settings by which lights are picked.
func whichLights() []network.Setting {
	return []network.Setting{
		{Key: "lights", Name: "Lights", Type: network.Lights, Default: []string{}, Help: "None picked: all lights of the stage."},
		{Key: "reads", Name: "Reads", Type: network.Choice, Default: "picked", Choices: []network.Option{{Key: "picked", Name: "Those picked"}, {Key: "others", Name: "All but those"}}},
	}
}

// lightSettings are shared by the nodes that gather what several lights give.
func lightSettings() []network.Setting {
	return append(whichLights(),
		network.Setting{Key: "combine", Name: "Several lights", Type: network.Choice, Default: "sum", Choices: []network.Option{{Key: "sum", Name: "Sum"}, {Key: "brightest", Name: "Brightest"}},
			Help: "Sum adds them up; brightest keeps the strongest at each point, so that bands of two lights do not mix."},
		network.Setting{Key: "shadows", Name: "Cast shadows", Type: network.Toggle, Default: false, Help: "Whether models stand in each other's light."},
	)
}

// Reading tells which light a node reads.
type Reading struct {
	Picked  []string // ids; none for all
	Except  bool     // all but those picked
	Shadows bool     // with cast shadows
	Direct  bool
	Bounced bool // with what surfaces throw on each other
}

func reading(get func(string) any) Reading {
	return Reading{Picked: get("lights").([]string), Except: get("reads") == "others", Direct: true}
}

// Of returns the numbers of the lights that are read.
func (r *Reading) Of(all []light.Source) []int {
	var out []int
	for i := range all {
		if len(r.Picked) == 0 || slices.Contains(r.Picked, all[i].ID) != r.Except {
			out = append(out, i)
		}
	}
	return out
}

// Lighting is what is known of the light that a node reads, for all samples of
// the set.
type Lighting struct {
	Lights  []int   // numbers of the lights that are read
	Share   []Plane // of each, how much comes through; nil where nothing casts shadows
	Bounced []Plane // red, green and blue of what surfaces throw; nil if that is not read
}

// lightData is what the light nodes are prepared with.
type lightData struct {
	Reading
	brightest bool
	amount    float32 // the reading's own setting
}

func prepareLight(get func(string) any, amount float64) lightData {
	d := lightData{Reading: reading(get), brightest: get("combine") == "brightest", amount: float32(amount)}
	d.Shadows = get("shadows").(bool)
	return d
}

func readsLight(data any) Reading { return data.(lightData).Reading }

// raysNeed names what readings of light see complete before they send rays: the
// normals that are wired in, which say where light can come from.
func raysNeed(data any, light Reading) []string {
	if light.Shadows || light.Bounced {
		return []string{"normal"}
	}
	return nil
}

// sendRays finds out what a node reads of the lights, at all points.
func sendRays(ctx context.Context, w *Whole) (any, error) {
	r := w.Light
	l := &Lighting{Lights: r.Of(w.Scene.Lights)}
	if w.Scene.Tracer == nil || w.Points.N == 0 {
		return l, nil
	}
	at := &shade.Site{Points: w.Points, Found: w.Found}
	for k, in := range w.In {
		if in != nil {
			at.Normal, at.Key = in, w.Key[k]
		}
	}
	var err error
	if r.Shadows && r.Direct {
		l.Share = make([]Plane, len(l.Lights))
		for k, li := range l.Lights {
			if !w.Scene.Lights[li].Shadows {
				continue
			}
			if l.Share[k], err = w.Scene.Tracer.Share(ctx, at, &w.Scene.Lights[li]); err != nil {
				return nil, err
			}
		}
	}
	if r.Bounced {
		l.Bounced, err = w.Scene.Tracer.Bounced(ctx, at, l.Lights)
	}
	return l, err
}

// lighting returns what sendRays has found; nil for a kernel that runs without it.
func (c *Call) lighting() *Lighting {
	l, _ := c.Found.(*Lighting)
	return l
}

// share returns what comes through of light number k of those that are read, for
// the batch; nil for all of it.
func (c *Call) share(k int) Plane {
	l := c.lighting()
	if l == nil || k >= len(l.Share) || l.Share[k] == nil {
		return nil
	}
	return l.Share[k][c.Lo : c.Lo+c.N]
}

// fall fills in how light l falls on the batch.
func (c *Call) fall(l *light.Source, in *light.Incident) {
	px, py, pz := c.planes(&c.Points.Pos)
	ex, ey, ez := c.planes(&c.Points.Eye)
	l.Fall(in, px, py, pz, ex, ey, ez)
}

// response is how a reading answers to one light: it fills share with the part of
// the light's strength that each sample gives back. For a sky, and wherever else
// the colour differs from place to place, it fills tint too and returns true.
type response func(l *light.Source, in *light.Incident, share Plane, tint [3]Plane) (tinted bool)

// narrow is a response to a sun without width, whose direction is the same
// everywhere: the same as the general one, faster. It may be nil.
type narrow func(dir vec.V, share Plane)

// read runs over the lights and gathers, into c.Out, tone and colour.
func (d *lightData) read(c *Call, answer response, sun narrow) {
	tone, col := c.Out[0], c.Out[1]
	for _, out := range c.Out {
		for _, p := range out {
			clear(p)
		}
	}
	n := c.N
	room := c.room(10 * n)
	in := light.Within(room[:5*n])
	share, best := room[5*n:6*n], room[6*n:7*n]
	tint := [3]Plane{room[7*n : 8*n], room[8*n : 9*n], room[9*n : 10*n]}
	clear(best)
	if !d.Direct {
		d.bounce(c)
		return
	}
	for k, li := range c.lights(&d.Reading) {
		l := &c.Scene.Lights[li]
		tinted, plain := false, sun != nil && l.Kind == light.Sun && l.Size == 0
		if plain {
			sun(l.Dir, share)
		} else {
			c.fall(l, in)
			tinted = answer(l, in, share, tint)
		}
		if open := c.share(k); open != nil {
			for i := range share {
				share[i] *= open[i]
			}
		}
		if plain {
			for i, t := range share {
				if t > 0 { // max of floats is no branch, and dearer than one
					share[i] = t * l.Strength
				} else {
					share[i] = 0
				}
			}
		} else {
			strength := in.E[:len(share)]
			for i, t := range share {
				if t > 0 {
					share[i] = t * strength[i]
				} else {
					share[i] = 0
				}
			}
		}
		if l.Parts != nil {
			for i, p := range c.Points.PartOf[c.Lo : c.Lo+c.N] {
				if !l.Parts[p] {
					share[i] = 0
				}
			}
		}
		if d.brightest {
			// Where this light is not the strongest so far it adds nothing; where it
			// is, what was there goes.
			for i, t := range share {
				if t <= best[i] {
					share[i] = 0
					continue
				}
				best[i] = t
				for _, out := range c.Out {
					for _, p := range out {
						p[i] = 0
					}
				}
			}
		}
		if tone != nil {
			out := tone[0][:len(share)]
			for i, t := range share {
				out[i] += t
			}
		}
		for b := range col {
			out := col[b][:len(share)]
			if tinted {
				for i, t := range share {
					out[i] += t * tint[b][i]
				}
				continue
			}
			f := l.Color[b]
			for i, t := range share {
				out[i] += t * f
			}
		}
	}
	d.bounce(c)
}

// lights returns the numbers of the lights that are read.
func (c *Call) lights(r *Reading) []int {
	if l := c.lighting(); l != nil {
		return l.Lights
	}
	return r.Of(c.Scene.Lights)
}

// bounce adds the light that other surfaces throw.
func (d *lightData) bounce(c *Call) {
	l := c.lighting()
	if !d.Bounced || l == nil || l.Bounced == nil {
		return
	}
	b := l.Bounced
	x, y, z := b[0][c.Lo:c.Lo+c.N], b[1][c.Lo:c.Lo+c.N], b[2][c.Lo:c.Lo+c.N]
	if tone := c.Out[0]; tone != nil {
		for i := range x {
			tone[0][i] += color.C{x[i], y[i], z[i]}.Luminance()
		}
	}
	for k, p := range c.Out[1] {
		for i, v := range [3]Plane{x, y, z}[k] {
			p[i] += v
		}
	}
}

// under returns a colour over its luminance, and the luminance; white for black.
func under(c color.C) (color.C, float32) {
	t := c.Luminance()
	if !(t > 1e-9) {
		return color.C{1, 1, 1}, 0
	}
	return color.C{c[0] / t, c[1] / t, c[2] / t}, t
}

// bent returns the direction within the cap about l that is nearest to r, the
// mirror direction: the place of a wide light that a smooth surface shows there
// (Karis 2013).
func bent(lx, ly, lz, rx, ry, rz, cap float32) (x, y, z float32) {
	if cap <= 0 {
		return lx, ly, lz
	}
	c := rx*lx + ry*ly + rz*lz
	if c > 0 && 1-c*c <= cap {
		return rx, ry, rz
	}
	ax, ay, az := rx-lx*c, ry-ly*c, rz-lz*c
	s := ax*ax + ay*ay + az*az
	if !(s > 1e-12) {
		return lx, ly, lz
	}
	k := float32(math.Sqrt(float64(cap / s)))
	m := float32(math.Sqrt(float64(1 - min(1, cap))))
	return lx*m + ax*k, ly*m + ay*k, lz*m + az*k
}

// IsLight tells whether nodes of a kind read the lights.
func IsLight(kind string) bool {
	k := Catalogue{}.Kind(kind)
	return k != nil && k.Light != nil
}

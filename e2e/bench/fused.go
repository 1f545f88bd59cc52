package main

import (
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"mobanta/core/color"
	"mobanta/core/eval"
	"mobanta/core/light"
	"mobanta/core/mesh"
	"mobanta/core/network"
	"mobanta/core/node"
	"mobanta/core/sample"
	"mobanta/core/stage"
	"mobanta/core/vec"
)

type comparison struct{ network, hand, ratio float64 }

// networkAgainstFused times a network of eleven nodes over the samples of a
// picture beside a loop that does the same by hand, in turn, and checks that
// both come to the same.
func networkAgainstFused() (comparison, error) {
	wire := func(s string) network.Input { return network.Input{Wires: []network.Ref{network.ParseRef(s)}} }
	stops := []color.Stop{{At: 0, Color: color.MustHex("#3D2230")}, {At: 0.2, Color: color.MustHex("#8F4A35")},
		{At: 0.42, Color: color.MustHex("#D4843F")}, {At: 0.86, Color: color.MustHex("#F8D79B")}}
	net := &network.Network{Nodes: []network.Node{
		{ID: "light", Kind: "diffuse-light"},
		{ID: "bands", Kind: "ramp", In: map[string]network.Input{"tone": wire("light.tone")}, Set: map[string]any{"stops": stops}},
		{ID: "shine", Kind: "highlight"},
		{ID: "spot", Kind: "soft-step", In: map[string]network.Input{"tone": wire("shine.tone"), "softness": {Value: 0.1}}},
		{ID: "glint", Kind: "blend", In: map[string]network.Input{"base": wire("bands.colour"), "over": {Value: color.C{1, 0.9, 0.7}}, "amount": wire("spot.tone")}},
		{ID: "rim", Kind: "outline", In: map[string]network.Input{"softness": {Value: 0.2}}},
		{ID: "round", Kind: "blend", In: map[string]network.Input{"base": wire("glint.colour"), "over": {Value: color.C{0.2, 0.1, 0.1}}, "amount": wire("rim.tone")}, Set: map[string]any{"mode": "multiply"}},
		{ID: "face", Kind: "facing"},
		{ID: "lift", Kind: "soft-step", In: map[string]network.Input{"tone": wire("face.tone"), "threshold": {Value: 0.9}, "softness": {Value: 0.2}}},
		{ID: "tint", Kind: "blend", In: map[string]network.Input{"base": wire("round.colour"), "over": {Value: color.C{1, 1, 0.9}}, "amount": wire("lift.tone")}, Set: map[string]any{"mode": "multiply"}},
		{ID: "end", Kind: "finish", In: map[string]network.Input{"colour": wire("tint.colour")}},
	}}
	var cat node.Catalogue
	if err := net.Settle(cat); err != nil {
		return comparison{}, err
	}
	set, sc, err := ball()
	if err != nil {
		return comparison{}, err
	}
	set.Resolve(sample.Pos|sample.Normal|sample.Eye, 1)
	p, err := eval.Compile(net, cat)
	if err != nil {
		return comparison{}, err
	}
	env := eval.Env{Points: set, Scene: &node.Scene{Scene: sc}, Workers: 1}
	targets := p.Input("end", "colour")
	planes, err := p.Run(context.Background(), env, targets)
	if err != nil {
		return comparison{}, err
	}
	out := [3][]float32{make([]float32, set.N), make([]float32, set.N), make([]float32, set.N)}
	byHand(set, sc.Lights[0], stops, &out)
	for k := range 3 {
		for i, v := range planes[0][k] {
			if math.Abs(float64(v-out[k][i])) > 1e-4 {
				return comparison{}, fmt.Errorf("sample %d: the network says %v, the loop %v", i, v, out[k][i])
			}
		}
	}
	var a, b []float64
	for range 5 {
		n := testing.Benchmark(func(b *testing.B) {
			for b.Loop() {
				if _, err := p.Run(context.Background(), env, targets); err != nil {
					b.Fatal(err)
				}
			}
		})
		h := testing.Benchmark(func(b *testing.B) {
			for b.Loop() {
				byHand(set, sc.Lights[0], stops, &out)
			}
		})
		a, b = append(a, float64(n.NsPerOp())/float64(set.N)), append(b, float64(h.NsPerOp())/float64(set.N))
	}
	slices.Sort(a)
	slices.Sort(b)
	return comparison{a[2], b[2], a[2] / b[2]}, nil
}

// ball returns the samples of a picture of a sphere, 960×600.
func ball() (*sample.Points, *stage.Scene, error) {
	st := stage.New()
	st.Models = []stage.Model{{ID: "ball", Name: "ball", Solid: "sphere", Scale: 1, Looks: map[string]string{"Sphere": "look"}}}
	surface, err := mesh.NewSurface(mesh.Sphere(1, 192, 96), 180)
	if err != nil {
		return nil, nil, err
	}
	sc, err := stage.NewScene(&st, stage.Surfaces(func(*stage.Model) (*mesh.Surface, error) { return surface, nil }), nil)
	if err != nil {
		return nil, nil, err
	}
	view := st.Camera.Frame(sc.Box, 1.6).View(960, 600)
	vis, err := sample.NewProjector(sc.Geometry, view, 1).Draw(context.Background(), [2]float32{0.5, 0.5}, 1)
	if err != nil {
		return nil, nil, err
	}
	return sample.Seen(vis, sc, view, 1, []int{0}, nil)[0], sc, nil
}

// byHand is the network above as one loop, as a programmer would write it who
// knows it beforehand.
func byHand(s *sample.Points, l light.Source, stops []color.Stop, out *[3][]float32) {
	step := func(x, a, b float32) float32 {
		t := max(0, min(1, (x-a)/(b-a)))
		return t * t * (3 - 2*t)
	}
	e := 2/math.Pow(0.35, 4) - 2
	for i := range s.N {
		nx, ny, nz := s.Norm[0][i], s.Norm[1][i], s.Norm[2][i]
		ex, ey, ez := s.Eye[0][i], s.Eye[1][i], s.Eye[2][i]
		lambert := nx*l.Dir[0] + ny*l.Dir[1] + nz*l.Dir[2]
		tone := max(0, lambert) * l.Strength
		c := stops[0].Color
		for k := len(stops) - 1; k > 0; k-- {
			if tone >= stops[k].At {
				c = stops[k].Color
				break
			}
		}
		spot := float32(0)
		if lambert > 0 {
			hx, hy, hz := l.Dir[0]+ex, l.Dir[1]+ey, l.Dir[2]+ez
			h := float64((hx*nx + hy*ny + hz*nz) / vec.Sqrt(hx*hx+hy*hy+hz*hz))
			if h > 0 && e*(1-h) < 20 {
				spot = step(float32(math.Exp(e*math.Log(min(h, 1))))*l.Strength, 0.45, 0.55)
			}
		}
		facing := nx*ex + ny*ey + nz*ez
		facing = min(1, max(facing, -facing))
		rim := 1 - step(facing, 0.2, 0.4)
		lift := step(facing, 0.8, 1.0)
		for k := range 3 {
			glint := [3]float32{1, 0.9, 0.7}[k]
			v := c[k] + (glint-c[k])*spot
			v += (v*[3]float32{0.2, 0.1, 0.1}[k] - v) * rim
			v += (v*[3]float32{1, 1, 0.9}[k] - v) * lift
			out[k][i] = v
		}
	}
}
